"""A table as a piece of HTML, for notebooks: semantic heads, letters as raised text, notes below."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from eager_otter.gates.text import escaped as escape
from eager_otter.looks.theme import STANDARD, Theme
from eager_otter.tables.note import NotesLength
from eager_otter.tables.table import Group, Line, Table
from eager_otter.tables.texts import cell_text, line_sign

STYLE = (
    "<style>.otter-table{{border-collapse:collapse;font-variant-numeric:tabular-nums}}"
    ".otter-table caption{{text-align:left;font-weight:bold;caption-side:top}}"
    ".otter-table th,.otter-table td{{padding:2px 8px;text-align:right;border:0}}"
    ".otter-table th[scope=row]{{text-align:left;font-weight:normal}}"
    ".otter-table th[scope=colgroup]{{text-align:center;border-bottom:1px solid {line}}}"
    ".otter-table tr.otter-heading th,.otter-table tr.otter-net th,.otter-table tr.otter-net td{{font-weight:bold}}"
    ".otter-table tr.otter-base{{color:{quiet}}}"
    ".otter-table sup{{color:{letter};margin-left:2px}}"
    ".otter-notes{{color:{quiet};font-size:85%}}</style>"
)


def table_html(table: Table, theme: Theme = STANDARD, length: NotesLength = "short") -> str:
    """Return a table as HTML; every text in it is escaped."""
    table = table.displayed
    style = STYLE.format(line=theme.line, quiet=theme.quiet, letter=theme.letter)
    notes = "".join(f"<div>{escape(note)}</div>" for note in table.notes_shown(length))
    if length != "full":
        every = "".join(f"<li>{escape(note)}</li>" for note in table.notes)
        notes += f"<details><summary>{escape(table.words('All notes'))}</summary><ul>{every}</ul></details>"
    return (
        f'{style}<table class="otter-table"><caption>{escape(table.title)}</caption>'
        f"<thead>{''.join(_head(table))}</thead><tbody>{''.join(_body(table))}</tbody></table>"
        f'<div class="otter-notes">{notes}</div>'
    )


def _head(table: Table) -> Iterator[str]:
    for level in [*table.outer_heads(), list(table.groups)]:
        yield f"<tr><td></td><td></td>{''.join(_level(table, level))}</tr>"
    yield "<tr><td></td><td></td>"
    for column in table.columns:
        letter = f"<br>{column.letter}" if column.letter else ""
        yield f'<th scope="col">{escape(column.label)}{letter}</th>'
    yield "</tr>"


def _level(table: Table, heads: Sequence[Group]) -> Iterator[str]:
    """Return one level of heads, with gaps where a column has none."""
    starts = {head.start: head for head in heads}
    k = 0
    while k < len(table.columns):
        head = starts.get(k)
        if head is None:
            yield "<td></td>"
            k += 1
        else:
            yield f'<th scope="colgroup" colspan="{head.stop - head.start}">{escape(head.label)}</th>'
            k = head.stop


def _body(table: Table) -> Iterator[str]:
    for line in table.lines:
        sign = escape(line_sign(line, table.words))
        label = "&emsp;" * line.indent + escape(line.label)
        cells = "".join(_cell(table, line, k) for k in range(len(table.columns)))
        yield f'<tr class="otter-{line.kind}"><th scope="row">{label}</th><td>{sign}</td>{cells}</tr>'


def _cell(table: Table, line: Line, k: int) -> str:
    letters = f"<sup>{escape(line.letters[k])}</sup>" if line.letters[k] else ""
    return f"<td>{escape(cell_text(table, line, k))}{letters}</td>"
