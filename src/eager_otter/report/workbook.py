"""A report as a workbook: contents with links, one sheet per table, real numbers with formats."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from eager_otter.audit.finding import Audit
from eager_otter.errors import RequestError
from eager_otter.looks.theme import Theme
from eager_otter.looks.words import ENGLISH, Words, said
from eager_otter.plan.plan import WorkbookRules
from eager_otter.report.labels import lines_needed, text_width
from eager_otter.report.report import Report
from eager_otter.report.sheets import MOST_COLUMNS, MOST_ROWS, Book, Sheet, Style
from eager_otter.tables.notable import FINDINGS_NOTE
from eager_otter.tables.request import PERCENTS
from eager_otter.tables.rounding import rounded
from eager_otter.tables.table import Line, Table
from eager_otter.tables.texts import (
    COUNTS,
    ZERO,
    cell_text,
    mark_sign,
    near_zero,
    sign_of,
)

AUDIT_HEADS = (
    "",
    said("Finding"),
    said("Where"),
    said("What"),
    said("What to do, or why accepted"),
    said("Respondents"),
)
SEVERITIES = (said("error"), said("warning"), said("note"))
FINDINGS_HEADS = (said("Effect"), said("Size"), said("Table"), said("What differs"), said("P corrected"))
CONTENTS_HEADS = (said("No."), said("Table"), said("Title"), said("Base"), said("Columns with a mark"))
STUB = 2  # columns A and B: label, and what kind of figure
LABEL_WIDTH = (16.0, 46.0)
FIGURE_WIDTH = 6.5
WIDEST_HEAD = 16.0
LINE_HEIGHT = 13.5
COLUMNS_ON_A_PAGE = 22
TITLE, SUBTITLE, HEADS = 0, 1, 3  # rows, from where a table begins

Place = tuple[str, int]  # a sheet, and the row in it where a table begins


def write(report: Report, path: Path) -> None:
    """Write a report as .xlsx. Raises RequestError where the format cannot hold a table."""
    _check_limits(report.tables)
    say = report.words
    book = Book(path, report.shown_title, say, report.theme.paper)
    contents = book.sheet(say("Contents"))
    notable = book.sheet(say("Findings")) if report.notable else None
    method = book.sheet(say("Method"))
    audited = book.sheet(say("Audit")) if report.audit is not None else None
    rules = WorkbookRules() if report.plan is None else report.plan.workbook
    places: list[Place] = []
    for name, tables in _sheets(report, rules):
        places += _write_tables(book.sheet(name), tables, report, rules)
    _Contents(contents, report, report.theme).write(places)
    _write_method(method, report)
    if audited is not None and report.audit is not None:
        _write_audit(audited, report.audit, report)
    if notable is not None:
        _write_findings(
            notable, report, {t.id: p for t, p in zip(report.tables, places, strict=True)}, report.theme
        )
    book.close()


def _sheets(report: Report, rules: WorkbookRules) -> list[tuple[str, list[Table]]]:
    """Say which tables stand on which sheet, in their order."""
    tables, usual = report.tables, report.words("Tables")
    if rules.sheets == "one":
        return [(usual, list(tables))]
    if rules.sheets == "per table":
        return [(table.id, [table]) for table in tables]
    found: list[tuple[str, list[Table]]] = []
    for table in tables:
        name = table.heading or usual
        if not found or found[-1][0] != name:
            found.append((name, []))
        found[-1][1].append(table)
    return found


def _write_tables(sheet: Sheet, tables: Sequence[Table], report: Report, rules: WorkbookRules) -> list[Place]:
    """Write the tables of one sheet under one another; gives where each begins."""
    places, breaks, top = [], [], 0
    layouts = []
    for table in tables:
        if top:
            breaks.append(top)
        layout = _TableSheet(sheet, table, report, rules, top)
        places.append((sheet.name, top))
        top = layout.write() + 2
        layouts.append(layout)
    if len(layouts) == 1:
        layouts[0].set_up(top - 2)
        return places
    every = [layout.widths for layout in layouts]
    sheet.widths([max(w[k] for w in every if k < len(w)) for k in range(max(map(len, every)))])
    if top > MOST_ROWS:
        raise RequestError(
            f"Sheet {sheet.name!r} needs {top:,} rows; a workbook holds {MOST_ROWS:,}. Use sheets: per table."
        )
    sheet.print_set_up(
        title=report.shown_title, rows=None, columns=STUB, breaks=(), wide=1, rows_between=breaks
    )
    sheet.print_area(top - 2, 1 + max(layout.last for layout in layouts))
    return places


def _back(sheet: Sheet, row: int, say: Words, style: Style) -> None:
    """Write the link back to the contents."""
    sheet.link(row, 0, say("Contents"), say("← Contents"), style)


def _write_method(sheet: Sheet, report: Report) -> None:
    """Write how the tables were counted and tested."""
    plain = _plain(report.theme)
    sheet.text(0, 0, report.words("Method"), _title(report.theme))
    _back(sheet, 1, report.words, {**plain, **_link(report.theme)})
    for row, text in enumerate((*report.method, report.provenance), 3):
        sheet.text(row, 0, text, {**plain, "text_wrap": True, "valign": "top"})
        sheet.height(row, LINE_HEIGHT * lines_needed(text, 116) + 3)
    sheet.widths([100])
    sheet.print_set_up(title=report.words("Method"), rows=(0, 0), columns=0, breaks=(), wide=1)
    sheet.print_area(len(report.method) + 4, 1)


def _write_audit(sheet: Sheet, audit: Audit, report: Report) -> None:
    """Write what the audit of the data found, the worst first, and what was accepted and why."""
    plain = _plain(report.theme)
    head = {
        **plain,
        "bold": True,
        "bg_color": report.theme.reed,
        "bottom": 1,
        "bottom_color": report.theme.line,
    }
    sheet.text(0, 0, report.words("Audit of the data"), _title(report.theme))
    _back(sheet, 1, report.words, {**plain, **_link(report.theme)})
    for column, text in enumerate(AUDIT_HEADS):
        sheet.text(3, column, report.words(text), {**head, "align": "right" if column == 5 else "left"})
    wrapped = {**plain, "text_wrap": True, "valign": "top"}
    row = 4
    for finding in audit.findings:
        last = finding.remedy
        if finding.accepted:
            last = report.words("Accepted: {reason}", reason=finding.accepted)
        texts = (
            report.words(said("accepted") if finding.accepted else finding.severity),
            finding.slip,
            finding.where,
            finding.message,
            last,
        )
        for column, text in enumerate(texts):
            sheet.text(row, column, text, wrapped)
        sheet.number(row, 5, finding.count, {**wrapped, "num_format": "#,##0;;"})
        sheet.height(row, LINE_HEIGHT * max(lines_needed(finding.message, 62), lines_needed(last, 46)) + 2)
        row += 1
    if not audit.findings:
        sheet.text(row, 0, report.words("Nothing was found."), plain)
        row += 1
    sheet.text(row + 1, 0, report.provenance, {**plain, "font_color": report.theme.quiet})
    sheet.widths([10, 24, 20, 60, 44, 12])
    sheet.freeze(4, 0)
    sheet.print_set_up(title=report.words("Audit"), rows=(3, 3), columns=0, breaks=(), wide=1)
    sheet.print_area(row + 2, 6)


def _write_findings(sheet: Sheet, report: Report, places: Mapping[str, Place], theme: Theme) -> None:
    """Write the notable differences, the largest effect first, each with a link to its table."""
    plain = _plain(theme)
    head = {**plain, "bold": True, "bg_color": theme.reed, "bottom": 1, "bottom_color": theme.line}
    sheet.text(0, 0, report.words("Findings"), _title(theme))
    _back(sheet, 1, report.words, {**plain, **_link(theme)})
    for column, text in enumerate(FINDINGS_HEADS):
        side: Style = {"align": "right"} if column in (0, 4) else {"align": "left", "indent": 1}
        sheet.text(3, column, report.words(text), {**head, **side})
    top = {**plain, "valign": "top"}
    for row, one in enumerate(report.notable, 4):
        sheet.number(row, 0, one.effect, {**top, "num_format": "+0.00;-0.00"})
        sheet.text(row, 1, report.words(one.size), {**top, "align": "left", "indent": 1})
        if one.table in places:
            name, begins = places[one.table]
            sheet.link(row, 2, name, one.table, {**top, **_link(theme), "indent": 1}, to=begins)
        else:
            sheet.text(row, 2, one.table, {**top, "indent": 1})
        sheet.text(row, 3, one.sentence, {**top, "text_wrap": True, "indent": 1})
        sheet.height(row, LINE_HEIGHT * lines_needed(one.sentence, 112) + 2)
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
        width = STUB + 1 + 2 * (len(table.columns) - 1)
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
        plain = _plain(theme)
        head = {**plain, "bold": True, "bg_color": theme.reed, "bottom": 1, "bottom_color": theme.line}
        sheet.text(0, 0, self.report.shown_title, _title(theme))
        if theme.logo is not None:
            sheet.picture(0, 4, theme.logo)
        sheet.text(1, 0, say("{count} tables", count=len(places)), {**plain, "font_color": theme.quiet})
        for column, text in enumerate(CONTENTS_HEADS):
            side = {"align": "right"} if column in (0, 3) else {"align": "left", "indent": 1}
            sheet.text(3, column, say(text), {**head, **side})
        row = 4
        heading = ""
        for number, (table, (name, top)) in enumerate(zip(self.report.tables, places, strict=True), 1):
            if table.heading != heading:
                heading = table.heading
                strip = {**plain, "bold": True, "bg_color": theme.sand, "font_color": theme.river}
                sheet.across(row, 0, 4, heading, strip)
                row += 1
            sheet.number(row, 0, number, {**plain, "valign": "top"})
            wrapped = {**plain, "text_wrap": True, "valign": "top", "indent": 1}
            sheet.link(
                row, 1, name, table.id, {**plain, **_link(theme), "valign": "top", "indent": 1}, to=top
            )
            sheet.text(row, 2, table.title, wrapped)
            sheet.number(row, 3, table.people, {**plain, "num_format": "#,##0", "valign": "top"})
            sheet.text(row, 4, _marked_columns(table), wrapped)
            lines = max(lines_needed(table.title, 76), lines_needed(_marked_columns(table), 44))
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


class _TableSheet:
    """One table on a sheet, from row `top` on."""

    def __init__(self, sheet: Sheet, table: Table, report: Report, rules: WorkbookRules, top: int) -> None:
        self.sheet, self.table, self.provenance, self.theme = sheet, table, report.provenance, report.theme
        self.say = report.words
        self.letters, self.top = rules.letters, top
        self.plain = _plain(self.theme)
        self.texts = [[cell_text(table, line, k) for k in range(len(table.columns))] for line in table.lines]
        tested = any(any(line.letters) for line in table.lines) or bool(table.levels)
        self.lettered = [
            tested and self.letters == "beside" and (bool(column.letter) or column.difference is not None)
            for column in table.columns
        ]
        self.place = [STUB]  # sheet column of each banner column's figures
        for lettered in self.lettered[:-1]:
            self.place.append(self.place[-1] + (2 if lettered else 1))
        self.last = self.place[-1] + (1 if self.lettered[-1] else 0)
        self.starts = {group.start for group in table.groups} | {group.stop for group in table.groups}
        self.shape = [int(lettered) + 2 * (k in self.starts) for k, lettered in enumerate(self.lettered)]
        self.outer = table.outer_heads()
        self.heads = top + HEADS
        self.groups_row = self.heads + len(self.outer)
        self.labels_row, self.letters_row, self.first_line = (self.groups_row + k for k in (1, 2, 3))

    def write(self) -> int:
        """Write heads, lines and notes; gives the row behind them."""
        self.widths = self._widths()
        self.sheet.text(self.top + TITLE, 0, self.table.title, _title(self.theme))
        link = {**self.plain, **_link(self.theme)}
        _back(self.sheet, self.top + SUBTITLE, self.say, link)
        self._write_heads()
        end = self._write_lines()
        return self._write_notes(end + 1, self.widths)

    def set_up(self, used: int) -> None:
        """Set widths, panes and printing of a sheet that holds this table alone."""
        self.sheet.widths(self.widths)
        self.sheet.freeze(self.first_line, STUB)
        pages, breaks = self._pages()
        self.sheet.print_set_up(
            title=self.table.title, rows=(TITLE, self.letters_row), columns=STUB, breaks=breaks, wide=pages
        )
        self.sheet.print_area(used, self.last + 1)

    # --- heads ------------------------------------------------------------------------------------------

    def _write_heads(self) -> None:
        head: Style = {**self.plain, "bg_color": self.theme.reed, "valign": "bottom"}
        rule: Style = {"bottom": 1, "bottom_color": self.theme.line}
        for row in range(self.heads, self.letters_row + 1):
            for place in range(self.last + 1):
                self.sheet.text(row, place, "", {**head, **(rule if row == self.letters_row else {})})
        for row, heads in enumerate([*self.outer, list(self.table.groups)], self.heads):
            for group in heads:
                style = {**head, "bold": True, "align": "left", "bottom": 1, "bottom_color": self.theme.river}
                end = self._end(group.stop - 1)
                self.sheet.across(row, self.place[group.start], end, group.label, {**style, **self._side()})
        for k, column in enumerate(self.table.columns):
            edge = self._side() if k in self.starts else {}
            room = {} if self.lettered[k] else {"indent": 1}
            style = {**head, "text_wrap": True, "align": "right", "bold": not column.letter, **edge, **room}
            self.sheet.text(self.labels_row, self.place[k], column.label, style)
            letter = {**style, **rule, "font_color": self.theme.letter}
            self.sheet.text(self.letters_row, self.place[k], column.letter, letter)
        tallest = max(
            lines_needed(column.label, self._head_width(k)) for k, column in enumerate(self.table.columns)
        )
        self.sheet.height(self.labels_row, LINE_HEIGHT * tallest + 2)

    def _side(self) -> Style:
        return {"left": 1, "left_color": self.theme.line}

    def _end(self, k: int) -> int:
        """Give the last sheet column of a banner column."""
        return self.place[k] + (1 if self.lettered[k] else 0)

    # --- lines ------------------------------------------------------------------------------------------

    def _write_lines(self) -> int:
        row = self.first_line
        before: Line | None = None
        for line in self.table.lines:
            if line.kind == "heading":
                heading = {**self.plain, "bold": True, "font_color": self.theme.river, "valign": "vcenter"}
                self.sheet.across(row, 0, self.last, line.label, heading)
            else:
                self._write_line(row, line, self._line_style(line, before), first=not line.continues(before))
            before = line
            row += 1
            if self.letters == "below" and any(line.letters):
                self._write_letters_below(row, line)
                row += 1
        return row

    def _write_letters_below(self, row: int, line: Line) -> None:
        """Write the letters of a line in a row of their own."""
        style: Style = {**self.plain, "font_color": self.theme.letter, "align": "right"}
        for k, place in enumerate(self.place):
            side = self._side() if k in self.starts else {}
            self.sheet.text(row, place, line.letters[k], {**style, **side, "indent": 1})

    def _line_style(self, line: Line, before: Line | None) -> Style:
        style = dict(self.plain)
        if line.kind == "base":
            style |= {"bg_color": self.theme.sand, "font_color": self.theme.quiet}
        if line.kind == "net":
            style |= {"bold": True}
        if line.kind == "summary":
            style |= {"italic": True}
        if before is not None and before.kind != line.kind and "base" not in (before.kind, line.kind):
            style |= {"top": 4, "top_color": self.theme.line}
        if before is not None and before.kind == "base" and line.kind != "base":
            style |= {"top": 1, "top_color": self.theme.line}
        return style

    def _write_line(self, row: int, line: Line, style: Style, *, first: bool) -> None:
        label = line.label if first else ""
        style = {**style, "valign": "vcenter"}
        stub = {**style, "indent": line.indent, "text_wrap": True}
        self.sheet.text(row, 0, label, stub)
        sign = sign_of(line.figure, self.table.words)
        self.sheet.text(row, 1, sign, {**style, "font_color": self.theme.quiet, "bold": False})
        needed = lines_needed(label, LABEL_WIDTH[1] - 2 * line.indent)
        if needed > 1:
            self.sheet.height(row, LINE_HEIGHT * needed + 1)
        letters = self.sheet.made({**style, "font_color": self.theme.letter, "align": "left"})
        drawn = "bg_color" in style or "top" in style  # an empty cell is written where it shows
        cells = self._cell_styles(style)
        made: dict[tuple[int, str], Any] = {}
        for k, place in enumerate(self.place):
            self._write_figure(row, place, line, k, cells[self.shape[k]], made)
            if self.lettered[k] and (line.letters[k] or drawn):
                self.sheet.text(row, place + 1, line.letters[k], letters)

    def _cell_styles(self, style: Style) -> dict[int, Style]:
        """Give the styles of a line's cells by their shape: lettered or not (1), at a group's edge or not (2)."""
        cell = {**style, "align": "right"}
        return {
            shape: {**cell, **({} if shape & 1 else {"indent": 1}), **(self._side() if shape & 2 else {})}
            for shape in range(4)
        }

    def _write_figure(
        self, row: int, place: int, line: Line, k: int, style: Style, made: dict[tuple[int, str], Any]
    ) -> None:
        """Write a figure as a number under its format; `made` holds the formats of the line."""
        value = float(line.values[k])
        if math.isnan(value):
            self.sheet.text(row, place, cell_text(self.table, line, k), style)
            return
        sign = mark_sign(line, k, self.table.column_marks)
        if self.letters == "in cell" and line.letters[k]:
            sign = f"{sign} {line.letters[k]}"
        digits = self.table.digits.of(line.figure)
        if line.figure == "column difference" or self.table.columns[k].difference is not None:
            number_format = difference_format_of(value, digits, sign)
        elif value >= 0:
            number_format = _usual_format(line.figure, digits, sign)
        else:
            number_format = number_format_of(value, line.figure, digits, sign)
        key = (self.shape[k], number_format)
        if key not in made:
            made[key] = self.sheet.made({**style, "num_format": number_format})
        self.sheet.number(row, place, float(format(value, ".15g")), made[key])

    # --- notes, widths, pages ---------------------------------------------------------------------------

    def _write_notes(self, row: int, widths: Sequence[float]) -> int:
        room = 0.0
        last = 0
        for column, width in enumerate(widths):
            if column > STUB and room > 110:
                break
            room, last = room + width, column
        style = {
            **self.plain,
            "font_color": self.theme.quiet,
            "text_wrap": True,
            "valign": "top",
            "font_size": 9,
        }
        for note in (*self.table.notes, self.provenance):
            self.sheet.across(row, 0, last, note, style)
            self.sheet.height(row, 12.5 * lines_needed(note, room * 1.25) + 1)
            row += 1
        return row

    def _widths(self) -> list[float]:
        rows = [line for line in self.table.lines if line.kind != "heading"]
        labels = max(text_width(line.label) + 2 * line.indent for line in rows) + 2
        signs = max(text_width(sign_of(line.figure, self.table.words)) for line in self.table.lines) + 2
        widths = [min(max(labels, LABEL_WIDTH[0]), LABEL_WIDTH[1]), max(signs, 4.0)]
        for k in range(len(self.table.columns)):
            widths.append(self._head_width(k))
            if self.lettered[k]:
                longest = max(len(line.letters[k]) for line in self.table.lines)
                widths.append(max(2.5, 1.25 * longest + 1.0))
        return widths

    def _head_width(self, k: int) -> float:
        """Give a column room for its longest figure and, within reason, the longest word of its head."""
        figures = max(text_width(texts[k]) for texts in self.texts)
        if self.letters == "in cell":
            figures += max(text_width(line.letters[k]) for line in self.table.lines) + 1
        words = max(text_width(word) for word in re.split(r"\s", self.table.columns[k].label))
        return max(FIGURE_WIDTH, figures + 2.0, min(words + 1.5, WIDEST_HEAD))

    def _pages(self) -> tuple[int, list[int]]:
        """Cut a wide table into pages at group borders where it can: pages across, and sheet columns to cut at."""
        breaks: list[int] = []
        start = 0
        for group in self.table.groups:
            if group.stop - start > COLUMNS_ON_A_PAGE and group.start > start:
                breaks.append(self.place[group.start])
                start = group.start
            while group.stop - start > COLUMNS_ON_A_PAGE:
                start += COLUMNS_ON_A_PAGE
                breaks.append(self.place[start])
        return len(breaks) + 1, breaks


def number_format_of(value: float, figure: str, digits: int, sign: str = "", words: Words = ENGLISH) -> str:
    """Give the number format under which a spreadsheet shows the text that every other output shows.

    >>> number_format_of(11.0, "column percent", 0)
    '[=0]"–";[<0.5]"<1%";#,##0"%"'
    >>> number_format_of(62.0, "unweighted base", 0, "*")
    '#,##0"*"'
    """
    places = "#,##0" + ("." + "0" * digits if digits else "")
    after = f'"{sign}"' if sign else ""
    if figure in PERCENTS or figure in COUNTS:
        percent = "%" if figure in PERCENTS else ""
        number = places + (f'"{percent}"' if percent else "")
        return (
            f'[=0]"{ZERO}";[<{half_step(digits)}]"{words.number(near_zero(digits, percent))}";{number}{after}'
        )
    if value < 0 and rounded(value, digits).is_zero():
        return f"{places}{after};{places}{after}"  # no minus sign for what rounds to zero
    return places + after


@lru_cache(maxsize=4096)
def _usual_format(figure: str, digits: int, sign: str) -> str:
    """Give the number format of a figure that is not below zero."""
    return number_format_of(1.0, figure, digits, sign)


def difference_format_of(value: float, digits: int, sign: str = "") -> str:
    """Give the number format of a difference: with its sign, but none where it rounds to zero.

    >>> difference_format_of(3.2, 0)
    '+#,##0;-#,##0;0'
    """
    places = "#,##0" + ("." + "0" * digits if digits else "")
    zero = "0" + ("." + "0" * digits if digits else "")
    after = f'"{sign}"' if sign else ""
    if rounded(value, digits).is_zero():
        return f"{zero}{after};{zero}{after};{zero}{after}"
    return f"+{places}{after};-{places}{after};{zero}{after}"


def half_step(digits: int) -> str:
    """Give half of the smallest number shown at some digits: what rounds to zero lies below it."""
    return "0." + "0" * digits + "5"


def _plain(theme: Theme) -> Style:
    return {"font_name": theme.font, "font_size": theme.size, "font_color": theme.ink}


def _title(theme: Theme) -> Style:
    return {**_plain(theme), "font_size": theme.size + 4, "bold": True, "font_color": theme.river}


def _link(theme: Theme) -> Style:
    return {"font_color": theme.river, "underline": 1}
