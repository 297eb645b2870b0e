"""A report as plain text or Markdown: for mails, tickets and version control."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

from eager_otter.gates.text import held, one_line
from eager_otter.gates.writing import write_text
from eager_otter.report.method import Statement
from eager_otter.report.report import Report, with_new_headings
from eager_otter.report.summary import MAIN_FINDINGS, summary_of
from eager_otter.tables.table import Line, Table
from eager_otter.tables.texts import cell_text, line_sign

INDENT = "\u2003"  # a wide blank, which Markdown keeps
WIDTH = 160  # characters of a plain text page


def write(report: Report, path: Path) -> None:
    """Write a report as .md or .txt, by the path's ending."""
    text = markdown(report) if path.suffix.lower() == ".md" else plain_text(report)
    write_text(path, text)


def plain_text(report: Report) -> str:
    """Return a report as plain text, tables laid out as in the terminal."""
    from eager_otter.gates.styled import text_of_lines
    from eager_otter.report.terminal import table_view

    parts = [report.shown_title, ""]
    for table in report.tables:
        parts += [text_of_lines(table_view(table, WIDTH, report.notes), WIDTH), ""]
    for part in report.method:
        parts += [part.title, *(f"  {statement_text(one)}" for one in part.statements), ""]
    return held("\n".join([*parts, one_line(report.provenance), ""]))


def statement_text(statement: Statement) -> str:
    """Return a statement on method with the tables that it is true of, in one text."""
    return f"{statement.text} ({statement.tables})" if statement.tables else statement.text


def markdown(report: Report) -> str:
    """Return a report as Markdown: a pipe table each, letters beside the figures, notes below."""
    parts = [f"# {_safe(report.shown_title)}", "", *_summary(report)]
    for number, (table, heading) in enumerate(with_new_headings(report.tables), 1):
        if heading:
            parts += [f"## {_safe(heading)}", ""]
        parts += [f"### {number}\\. {_safe(table.title)}", "", *_pipe_table(table), ""]
        parts += [f"- {_safe(note)}" for note in table.notes_shown(report.notes)] + [""]
    parts += [f"## {_safe(report.words('Method'))}", ""]
    for part in report.method:
        parts += [f"### {_safe(part.title)}", ""]
        parts += [f"- {_safe(statement_text(one))}" for one in part.statements] + [""]
    return "\n".join([*parts, _safe(report.provenance), ""])


def _summary(report: Report) -> Iterator[str]:
    """Return the main findings, where the report looks for any."""
    sections = summary_of(report)
    if sections:
        yield from (f"## {_safe(report.words(MAIN_FINDINGS))}", "")
    for section in sections:
        yield from (f"### {_safe(section.heading)}", "") if section.heading else ()
        yield from (f"- {_safe(one.sentence)} ({_safe(one.technical)})" for one in section.findings)
        yield ""


def _pipe_table(table: Table) -> Iterator[str]:
    heads = []
    for column in table.columns:
        heads.append(_safe(column.path) + (f" **{column.letter}**" if column.letter else ""))
    yield f"| | | {' | '.join(heads)} |"
    yield f"|---|---|{'---:|' * len(heads)}"
    before: Line | None = None
    for line in table.lines:
        label = "" if line.continues(before) else INDENT * line.indent + _safe(line.label)
        strong = f"**{label}**" if label and line.kind in ("net", "heading") else label
        cells = [_cell(table, line, k) for k in range(len(table.columns))]
        yield f"| {strong} | {_safe(line_sign(line, table.words))} | {' | '.join(cells)} |"
        before = line


def _cell(table: Table, line: Line, k: int) -> str:
    text = _safe(cell_text(table, line, k))
    return f"{text} {line.letters[k]}".strip()


def _safe(text: str) -> str:
    """Keep survey text from becoming markup."""
    text = one_line(text)
    for sign in "\\`*_[]<>|#&~$":
        text = text.replace(sign, f"\\{sign}")
    return text
