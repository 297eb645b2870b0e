"""A report as a workbook: contents with links, one sheet per table, real numbers with formats."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from eager_otter.asking.notable import FINDINGS_NOTE
from eager_otter.audit.slip import Audit
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.looks.theme import Theme
from eager_otter.looks.words import said
from eager_otter.plan.plan import WorkbookRules
from eager_otter.report.contents import contents_titles
from eager_otter.report.labels import lines_needed
from eager_otter.report.report import Report, with_new_headings
from eager_otter.report.sheets import (
    MOST_COLUMNS,
    MOST_ROWS,
    Book,
    Sheet,
    Style,
    head_style,
    link_style,
    plain_style,
    title_style,
)
from eager_otter.report.summary import MAIN_FINDINGS, summary_of
from eager_otter.report.table_sheet import LINE_HEIGHT, TableSheet, back_to_contents, sheet_columns
from eager_otter.report.workbook_charts import WorkbookCharts, columns_under
from eager_otter.tables.table import Table

AUDIT_HEADS = (
    "",
    said("Slip"),
    said("Where"),
    said("What"),
    said("What to do, or why accepted"),
    said("Respondents"),
)
SEVERITIES = (said("error"), said("warning"), said("note"))
FINDINGS_HEADS = (said("Effect"), said("Size"), said("Table"), said("What differs"), said("P corrected"))
CONTENTS_HEADS = (said("No."), said("Table"), said("Title"), said("Base"), said("Columns with a mark"))
METHOD_WIDTHS = (100.0, 34.0)
NOTES_WIDTH = 130.0
SUMMARY_WIDTH = 110.0
DIGIT_OVER_LETTER = 1.16
Place = tuple[str, int]  # a sheet, and the row in it where a table begins


def write(report: Report, path: Path) -> None:
    """Write a report as .xlsx. Raises RequestError where the format cannot hold a table."""
    _check_limits(report.tables)
    say = report.words
    book = Book(path, report.shown_title, say, report.theme.paper, report.author)
    contents = book.sheet(say("Contents"))
    summary = book.sheet(say(MAIN_FINDINGS)) if report.notable else None
    notable = book.sheet(say("Findings")) if report.notable else None
    method = book.sheet(say("Method"))
    every_note = book.sheet(say("All notes")) if report.notes != "full" else None
    audited = book.sheet(say("Audit")) if report.audit is not None else None
    rules = WorkbookRules() if report.plan is None else report.plan.workbook
    charts = WorkbookCharts(book, report.theme) if rules.charts else None
    places: list[Place] = []
    for name, tables in _sheets(report, rules):
        places += _write_tables(book.sheet(name), tables, report, rules, charts)
    if charts is not None:
        charts.write_data()
    _Contents(contents, report, report.theme).write(places)
    _write_method(method, report)
    if every_note is not None:
        _write_notes(every_note, report, places)
    if audited is not None and report.audit is not None:
        _write_audit(audited, report.audit, report)
    place_of = {table.id: place for table, place in zip(report.tables, places, strict=True)}
    if summary is not None:
        _write_summary(summary, report, place_of)
    if notable is not None:
        _write_findings(notable, report, place_of, report.theme)
    book.close()


def _sheets(report: Report, rules: WorkbookRules) -> list[tuple[str, list[Table]]]:
    """Say which tables are on which sheet, in their order."""
    tables, usual = report.tables, report.words("Tables")
    if rules.sheets == "one":
        return [(usual, list(tables))]
    if rules.sheets == "per table":
        return [(table.id, [table]) for table in tables]
    sheets: list[tuple[str, list[Table]]] = []
    for table in tables:
        name = table.heading or usual
        if not sheets or sheets[-1][0] != name:
            sheets.append((name, []))
        sheets[-1][1].append(table)
    return sheets


def _write_tables(
    sheet: Sheet,
    tables: Sequence[Table],
    report: Report,
    rules: WorkbookRules,
    charts: WorkbookCharts | None,
) -> list[Place]:
    """Write the tables of one sheet under one another; gives where each begins."""
    places, breaks, top = [], [], 0
    layouts = []
    for table in tables:
        if top:
            breaks.append(top)
        layout = TableSheet(sheet, table, report, rules, top)
        places.append((sheet.name, top))
        used = layout.write()
        if charts is not None:
            used = charts.draw(sheet, table, used + 1)
        top = used + 2
        layouts.append(layout)
    if len(layouts) == 1:
        layouts[0].set_up(top - 2, 0 if charts is None else columns_under(layouts[0].widths))
        return places
    every = [layout.widths for layout in layouts]
    widths = [max(w[k] for w in every if k < len(w)) for k in range(max(map(len, every)))]
    sheet.widths(widths)
    if top > MOST_ROWS:
        raise RequestError(
            f"Sheet {sheet.name!r} needs {top:,} rows; a workbook holds {MOST_ROWS:,}. Use sheets: per table."
        )
    sheet.print_set_up(title=report.shown_title, rows=None, columns=0, breaks=(), wide=1, rows_between=breaks)
    used = max(layout.last for layout in layouts) + 1
    sheet.print_area(top - 2, used if charts is None else max(used, columns_under(widths)))
    return places


def _wrapped_lines(text: str, width: float) -> int:
    """Count the lines that a text takes in a cell of a width in digits; letters are narrower than digits."""
    return lines_needed(text, width * DIGIT_OVER_LETTER)


def _write_method(sheet: Sheet, report: Report) -> None:
    """Write how the tables were counted and tested."""
    plain = plain_style(report.theme)
    sheet.text(0, 0, report.words("Method"), title_style(report.theme))
    back_to_contents(sheet, 1, report.words, {**plain, **link_style(report.theme)})
    wrapped = {**plain, "text_wrap": True, "valign": "top"}
    row = 3
    for part in report.method:
        sheet.text(row, 0, part.title, head_style(report.theme))
        sheet.text(row, 1, "", head_style(report.theme))
        for one in part.statements:
            row += 1
            sheet.text(row, 0, one.text, wrapped)
            sheet.text(row, 1, one.tables, {**wrapped, "font_color": report.theme.quiet})
            lines = max(
                _wrapped_lines(one.text, METHOD_WIDTHS[0]), _wrapped_lines(one.tables, METHOD_WIDTHS[1])
            )
            sheet.height(row, LINE_HEIGHT * lines + 3)
        row += 2
    sheet.across(row, 0, 1, report.provenance, {**wrapped, "font_color": report.theme.quiet})
    sheet.height(row, LINE_HEIGHT * _wrapped_lines(report.provenance, sum(METHOD_WIDTHS)))
    sheet.widths(METHOD_WIDTHS)
    sheet.print_set_up(title=report.words("Method"), rows=(0, 0), columns=0, breaks=(), wide=1)
    sheet.print_area(row + 1, 2)


def _write_notes(sheet: Sheet, report: Report, places: Sequence[Place]) -> None:
    """Write all notes of every table in full, each table with a link to it."""
    plain = plain_style(report.theme)
    sheet.text(0, 0, report.words("All notes"), title_style(report.theme))
    back_to_contents(sheet, 1, report.words, {**plain, **link_style(report.theme)})
    wrapped = {**plain, "text_wrap": True, "valign": "top"}
    row = 3
    for number, (table, (name, top)) in enumerate(zip(report.tables, places, strict=True), 1):
        sheet.number(row, 0, number, {**head_style(report.theme), "valign": "top"})
        link = {**head_style(report.theme), **link_style(report.theme), "text_wrap": True, "valign": "top"}
        sheet.link(row, 1, name, table.title, link, to=top)
        sheet.height(row, LINE_HEIGHT * _wrapped_lines(table.title, NOTES_WIDTH) + 2)
        for note in table.notes:
            row += 1
            sheet.text(row, 1, str(note), wrapped)
            sheet.height(row, LINE_HEIGHT * _wrapped_lines(note, NOTES_WIDTH) + 1)
        row += 2
    sheet.widths([5, NOTES_WIDTH])
    sheet.print_set_up(title=report.words("All notes"), rows=(0, 0), columns=0, breaks=(), wide=1)
    sheet.print_area(row, 2)


def _write_audit(sheet: Sheet, audit: Audit, report: Report) -> None:
    """Write what the audit of the data found, the worst first, and what was accepted and why."""
    plain = plain_style(report.theme)
    head = head_style(report.theme)
    sheet.text(0, 0, report.words("Audit of the data"), title_style(report.theme))
    back_to_contents(sheet, 1, report.words, {**plain, **link_style(report.theme)})
    for column, text in enumerate(AUDIT_HEADS):
        sheet.text(3, column, report.words(text), {**head, "align": "right" if column == 5 else "left"})
    wrapped = {**plain, "text_wrap": True, "valign": "top"}
    row = 4
    for slip in audit.slips:
        last = slip.remedy
        if slip.accepted:
            last = report.words("Accepted: {reason}", reason=slip.accepted)
        texts = (
            report.words(said("accepted") if slip.accepted else slip.severity),
            slip.name,
            slip.where,
            slip.message,
            last,
        )
        for column, text in enumerate(texts):
            sheet.text(row, column, text, wrapped)
        sheet.number(row, 5, slip.count, {**wrapped, "num_format": "#,##0;;"})
        sheet.height(row, LINE_HEIGHT * max(lines_needed(slip.message, 62), lines_needed(last, 46)) + 2)
        row += 1
    if not audit.slips:
        sheet.text(row, 0, report.words("Nothing was found."), plain)
        row += 1
    sheet.text(row + 1, 0, report.provenance, {**plain, "font_color": report.theme.quiet})
    sheet.widths([10, 24, 20, 60, 44, 12])
    sheet.freeze(4, 0)
    sheet.print_set_up(title=report.words("Audit"), rows=(3, 3), columns=0, breaks=(), wide=1)
    sheet.print_area(row + 2, 6)


def _write_summary(sheet: Sheet, report: Report, places: Mapping[str, Place]) -> None:
    """Write the main findings by section, each sentence with a link to its table and the technical part under it."""
    theme = report.theme
    plain = plain_style(theme)
    sheet.text(0, 0, report.words(MAIN_FINDINGS), title_style(theme))
    back_to_contents(sheet, 1, report.words, {**plain, **link_style(theme)})
    row = 3
    for section in summary_of(report):
        if section.heading:
            sheet.across(row, 0, 1, section.heading, head_style(theme))
            row += 1
        for one in section.findings:
            sheet.text(row, 0, one.sentence, {**plain, "text_wrap": True, "valign": "top"})
            sheet.height(row, LINE_HEIGHT * _wrapped_lines(one.sentence, SUMMARY_WIDTH) + 1)
            if one.table in places:
                name, begins = places[one.table]
                link = {**plain, **link_style(theme), "valign": "top", "indent": 1}
                sheet.link(row, 1, name, one.table, link, to=begins)
            quiet = {**plain, "font_color": theme.quiet, "font_size": theme.size - 1, "valign": "top"}
            sheet.text(row + 1, 0, one.technical, quiet)
            row += 2
        row += 1
    sheet.across(row, 0, 1, report.provenance, {**plain, "font_color": theme.quiet, "text_wrap": True})
    sheet.height(row, LINE_HEIGHT * _wrapped_lines(report.provenance, SUMMARY_WIDTH))
    sheet.widths([SUMMARY_WIDTH, 26.0])
    sheet.print_set_up(title=report.words(MAIN_FINDINGS), rows=(0, 0), columns=0, breaks=(), wide=1)
    sheet.print_area(row + 1, 2)


def _write_findings(sheet: Sheet, report: Report, places: Mapping[str, Place], theme: Theme) -> None:
    """Write the notable differences, the largest effect first, each with a link to its table."""
    plain = plain_style(theme)
    head = head_style(theme)
    sheet.text(0, 0, report.words("Findings"), title_style(theme))
    back_to_contents(sheet, 1, report.words, {**plain, **link_style(theme)})
    for column, text in enumerate(FINDINGS_HEADS):
        side: Style = {"align": "right"} if column in (0, 4) else {"align": "left", "indent": 1}
        sheet.text(3, column, report.words(text), {**head, **side})
    top = {**plain, "valign": "top"}
    for row, one in enumerate(report.notable, 4):
        sheet.number(row, 0, one.effect, {**top, "num_format": "+0.00;-0.00"})
        sheet.text(row, 1, report.words(one.size), {**top, "align": "left", "indent": 1})
        if one.table in places:
            name, begins = places[one.table]
            sheet.link(row, 2, name, one.table, {**top, **link_style(theme), "indent": 1}, to=begins)
        else:
            sheet.text(row, 2, one.table, {**top, "indent": 1})
        wording = f"{one.sentence} ({one.technical})"
        sheet.text(row, 3, wording, {**top, "text_wrap": True, "indent": 1})
        sheet.height(row, LINE_HEIGHT * lines_needed(wording, 106) + 2)
        sheet.number(row, 4, one.adjusted, {**top, "num_format": '[<0.0001]"<0.0001";0.0000'})
    end = 4 + len(report.notable)
    for k, text in enumerate((report.words(FINDINGS_NOTE), report.provenance), 1):
        sheet.across(
            end + k, 0, 4, text, {**plain, "font_color": theme.quiet, "text_wrap": True, "valign": "top"}
        )
        sheet.height(end + k, LINE_HEIGHT * lines_needed(text, 150))
    sheet.widths([9, 11, 24, 92, 12])
    sheet.freeze(4, 0)
    sheet.print_set_up(title=report.words("Findings"), rows=(3, 3), columns=0, breaks=(), wide=1)
    sheet.print_area(end + 3, 5)


def _check_limits(tables: Sequence[Table]) -> None:
    for table in tables:
        width = sheet_columns(table)
        if width > MOST_COLUMNS:
            raise RequestError(
                f"Table {table.id!r} needs {width:,} sheet columns; a workbook holds {MOST_COLUMNS:,}. "
                "Use fewer banner columns, or write .csv."
            )


@dataclass(frozen=True, slots=True)
class _Contents:
    """The first sheet: every table with a link, its base and its flags."""

    sheet: Sheet
    report: Report
    theme: Theme

    def write(self, places: Sequence[Place]) -> None:
        sheet, theme, say = self.sheet, self.theme, self.report.words
        plain = plain_style(theme)
        head = head_style(theme)
        sheet.text(0, 0, self.report.shown_title, title_style(theme))
        if theme.logo is not None:
            sheet.picture(0, 4, theme.logo)
        sheet.text(
            1, 0, say("{count} {count:table|tables}", count=len(places)), {**plain, "font_color": theme.quiet}
        )
        for column, text in enumerate(CONTENTS_HEADS):
            side = {"align": "right"} if column in (0, 3) else {"align": "left", "indent": 1}
            sheet.text(3, column, say(text), {**head, **side})
        row = 4
        tables = with_new_headings(self.report.tables)
        titles = contents_titles(self.report.tables)
        for number, ((table, heading), (name, top)) in enumerate(zip(tables, places, strict=True), 1):
            if heading:
                strip = {**plain, "bold": True, "bg_color": theme.sand, "font_color": theme.river}
                sheet.across(row, 0, 4, heading, strip)
                row += 1
            sheet.number(row, 0, number, {**plain, "valign": "top"})
            wrapped = {**plain, "text_wrap": True, "valign": "top", "indent": 1}
            sheet.link(
                row, 1, name, table.id, {**plain, **link_style(theme), "valign": "top", "indent": 1}, to=top
            )
            sheet.text(row, 2, titles[number - 1], wrapped)
            sheet.number(row, 3, table.people, {**plain, "num_format": "#,##0", "valign": "top"})
            sheet.text(row, 4, _marked_columns(table), wrapped)
            lines = max(lines_needed(titles[number - 1], 66), lines_needed(_marked_columns(table), 44))
            sheet.height(row, LINE_HEIGHT * lines + 2)
            row += 1
        quiet = {**plain, "font_color": theme.quiet, "text_wrap": True, "valign": "top"}
        sheet.across(row + 1, 0, 4, self.report.provenance, quiet)
        sheet.height(row + 1, LINE_HEIGHT * lines_needed(self.report.provenance, 136))
        sheet.widths([5, 24, 66, 9, 40])
        sheet.freeze(4, 0)
        sheet.print_set_up(title=self.report.shown_title, rows=(3, 3), columns=0, breaks=(), wide=1)
        sheet.print_area(row + 2, 5)


def _marked_columns(table: Table) -> str:
    """Say how many columns carry which mark."""
    counts: dict[str, int] = {}
    for mark in table.column_marks:
        if mark:
            counts[mark] = counts.get(mark, 0) + 1
    return ", ".join(f"{count} {table.words(mark)}" for mark, count in counts.items())
