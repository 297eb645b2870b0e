"""A table on a sheet of a workbook: heads, real numbers under formats, letters, notes, print set-up."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.registry import line_figure
from eager_otter.looks.words import Words
from eager_otter.plan.plan import WorkbookRules
from eager_otter.report.labels import lines_needed, text_width
from eager_otter.report.number_formats import (
    difference_format_of,
    number_format_of,
    spreadsheet_number,
)
from eager_otter.report.report import Report
from eager_otter.report.sheets import Sheet, Style, link_style, plain_style, title_style
from eager_otter.tables.table import Line, Table
from eager_otter.tables.texts import cell_text, figure_text, line_sign, mark_sign

STUB = 2  # columns A and B: label, and what kind of figure
LABEL_WIDTH = (16.0, 46.0)
FIGURE_WIDTH = 6.5
WIDEST_HEAD = 16.0
LINE_HEIGHT = 13.5
COLUMNS_ON_A_PAGE, ROWS_ON_A_PAGE = 22, 90
PAGE = (730.0, 505.0)  # points of the smaller paper that are printed on
POINTS_OF_A_CHARACTER = 5.25
TALLER = 1.2  # rows of several lines
TITLE, SUBTITLE, HEADS = 0, 1, 3  # rows, from where a table begins


def sheet_columns(table: Table) -> int:
    """Count the sheet columns that a table may need."""
    return STUB + 1 + 2 * (len(table.columns) - 1)


def back_to_contents(sheet: Sheet, row: int, say: Words, style: Style) -> None:
    """Write the link back to the contents."""
    sheet.link(row, 0, say("Contents"), say("← Contents"), style)


class TableSheet:
    """One table on a sheet, from row `top` on."""

    def __init__(self, sheet: Sheet, table: Table, report: Report, rules: WorkbookRules, top: int) -> None:
        self.sheet, self.table, self.provenance, self.theme = sheet, table, report.provenance, report.theme
        self.say, self.notes = report.words, report.notes
        self.letters, self.top = rules.letters or report.theme.letters, top
        self.plain = plain_style(self.theme)
        tested = any(any(line.letters) for line in table.lines) or bool(table.levels)
        self.lettered = [
            tested
            and self.letters == "beside"
            and (bool(column.letter) or column.role in ("difference", "trend"))
            for column in table.columns
        ]
        self.place = [STUB]  # sheet column of each banner column's figures
        for lettered in self.lettered[:-1]:
            self.place.append(self.place[-1] + (2 if lettered else 1))
        self.last = self.place[-1] + (1 if self.lettered[-1] else 0)
        self.starts = {group.start for group in table.groups} | {group.stop for group in table.groups}
        self.shape = [int(lettered) + 2 * (k in self.starts) for k, lettered in enumerate(self.lettered)]
        self.differences = [column.difference is not None for column in table.columns]
        self.outer = table.outer_heads()
        self.heads = top + HEADS
        self.groups_row = self.heads + len(self.outer)
        self.labels_row, self.letters_row, self.first_line = (self.groups_row + k for k in (1, 2, 3))
        self.head_widths = self._head_widths()

    def write(self) -> int:
        """Write heads, lines and notes; gives the row behind them."""
        self.widths = self._widths()
        self.sheet.text(self.top + TITLE, 0, self.table.title, title_style(self.theme))
        back_to_contents(self.sheet, self.top + SUBTITLE, self.say, {**self.plain, **link_style(self.theme)})
        self._write_heads()
        end = self._write_lines()
        return self._write_notes(end + 1, self.widths)

    def set_up(self, used: int, across: int = 0) -> None:
        """Set widths, panes and printing of a sheet that holds this table alone, in `used` rows.

        A chart under it may need more columns: `across`; the two are printed on one page where that stays readable.
        Heads and stub are repeated only where there is a second page, as opening many sheets takes longer for each.
        """
        self.sheet.widths(self.widths)
        self.sheet.freeze(self.first_line, STUB)
        pages, breaks = self._pages()
        one_page = bool(across) and pages == 1 and used <= ROWS_ON_A_PAGE
        self.sheet.print_set_up(
            title=self.table.title,
            rows=(TITLE, self.letters_row) if not one_page and self._is_long(used, pages) else None,
            columns=STUB if pages > 1 else 0,
            breaks=breaks,
            wide=pages,
            high=1 if one_page else 0,
        )
        self.sheet.print_area(used, max(self.last + 1, across))

    def _is_long(self, used: int, pages: int) -> bool:
        """Return whether a table may need more than one page down, at the scale at which its width is printed."""
        width = sum(POINTS_OF_A_CHARACTER * width + 4 for width in self.widths)
        scale = min(1.0, pages * PAGE[0] / width)
        return used * LINE_HEIGHT * TALLER * scale > PAGE[1]

    # --- heads ------------------------------------------------------------------------------------------

    def _write_heads(self) -> None:
        head: Style = {**self.plain, "bg_color": self.theme.reed, "valign": "bottom"}
        rule: Style = {"bottom": 1, "bottom_color": self.theme.line}
        for row, heads in enumerate([*self.outer, list(self.table.groups)], self.heads):
            filled: set[int] = set()
            for group in heads:
                style = {**head, "bold": True, "align": "left", "bottom": 1, "bottom_color": self.theme.river}
                first, last = self.place[group.start], self._end(group.stop - 1)
                self.sheet.across(row, first, last, group.label, {**style, **self._side()})
                filled.update(range(first, last + 1))
            self._fill(row, filled, head)
        for k, column in enumerate(self.table.columns):
            edge = self._side() if k in self.starts else {}
            room = {} if self.lettered[k] else {"indent": 1}
            style = {**head, "text_wrap": True, "align": "right", "bold": not column.letter, **edge, **room}
            self.sheet.text(self.labels_row, self.place[k], column.label, style)
            letter = {**style, **rule, "font_color": self.theme.letter}
            self.sheet.text(self.letters_row, self.place[k], column.letter, letter)
        self._fill(self.labels_row, set(self.place), head)
        self._fill(self.letters_row, set(self.place), {**head, **rule})
        tallest = max(
            lines_needed(column.label, width)
            for column, width in zip(self.table.columns, self.head_widths, strict=True)
        )
        self.sheet.height(self.labels_row, LINE_HEIGHT * tallest + 2)

    def _fill(self, row: int, filled: set[int], style: Style) -> None:
        """Colour the cells of a row of heads that hold nothing."""
        empty = (place for place in range(self.last + 1) if place not in filled)
        self.sheet.blanks(row, empty, self.sheet.made(style))

    def _side(self) -> Style:
        return {"left": 1, "left_color": self.theme.line}

    def _end(self, k: int) -> int:
        """Return the last sheet column of a banner column."""
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
        self.sheet.text(row, 0, label, {**style, "indent": line.indent, "text_wrap": True})
        sign = line_sign(line, self.table.words)
        self.sheet.text(row, 1, sign, {**style, "font_color": self.theme.quiet, "bold": False})
        needed = lines_needed(label, LABEL_WIDTH[1] - 2 * line.indent)
        if needed > 1:
            self.sheet.height(row, LINE_HEIGHT * needed + 1)
        self._write_figures(row, line, self._cell_styles(style))
        letters = self.sheet.made({**style, "font_color": self.theme.letter, "align": "left"})
        drawn = "bg_color" in style or "top" in style  # an empty cell is written where it shows
        empty = []
        for k, place in enumerate(self.place):
            if self.lettered[k] and line.letters[k]:
                self.sheet.text(row, place + 1, line.letters[k], letters)
            elif self.lettered[k] and drawn:
                empty.append(place + 1)
        self.sheet.blanks(row, empty, letters)

    def _cell_styles(self, style: Style) -> dict[int, Style]:
        """Return the styles of a line's cells by their shape: lettered or not (1), at a group's edge or not (2)."""
        cell = {**style, "align": "right"}
        return {
            shape: {**cell, **({} if shape & 1 else {"indent": 1}), **(self._side() if shape & 2 else {})}
            for shape in range(4)
        }

    def _write_figures(self, row: int, line: Line, styles: dict[int, Style]) -> None:
        """Write the figures of a line as numbers under their formats, each format made once."""
        values, number_formats = line.values.tolist(), self._number_formats(line)
        shown = [line.figure_of(k) for k in range(len(values))]
        keys = list(zip(self.shape, number_formats, strict=True))
        formats = {
            (shape, number_format): self.sheet.made({**styles[shape], "num_format": number_format})
            for shape, number_format in dict.fromkeys(keys)
            if number_format
        }
        there = [k for k, number_format in enumerate(number_formats) if number_format]
        self.sheet.numbers(
            row,
            [self.place[k] for k in there],
            [spreadsheet_number(values[k], shown[k], difference=self.differences[k]) for k in there],
            [formats[keys[k]] for k in there],
        )
        if len(there) < len(values):
            for k in sorted(set(range(len(values))).difference(there)):
                self.sheet.text(row, self.place[k], cell_text(self.table, line, k), styles[self.shape[k]])

    def _number_formats(self, line: Line) -> list[str]:
        """Return the number formats of a line's figures, with their signs, and letters where they are in the cell.

        It is "" where there is no figure.
        """
        marks, say = self.table.column_marks, self.table.words
        signed = line.signed or line.marks != marks
        in_cell = self.letters == "in cell" and any(line.letters)
        shown = [line.figure_of(k) for k in range(len(line.values))]
        digits_of = {figure: self.table.digits.of(figure) for figure in set(shown) - {""}}
        usual_of = {figure: number_format_of(1.0, figure, digits_of[figure], "", say) for figure in digits_of}
        formats = []
        for k, value in enumerate(line.values.tolist()):
            if math.isnan(value):
                formats.append("")
                continue
            figure, digits = shown[k], digits_of[shown[k]]
            sign = mark_sign(line, k, marks) if signed else ""
            if in_cell and line.letters[k]:
                sign = f"{sign} {line.letters[k]}"
            if line_figure(figure).unit == "points" or self.differences[k]:
                formats.append(difference_format_of(value, digits, sign))
            elif value >= 0 and not sign:
                formats.append(usual_of[figure])
            else:
                formats.append(number_format_of(value, figure, digits, sign, say))
        return formats

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
        for note in (*self.table.notes_shown(self.notes), self.provenance):
            self.sheet.across(row, 0, last, note, style)
            self.sheet.height(row, 12.5 * lines_needed(note, room * 1.25) + 1)
            row += 1
        return row

    def _widths(self) -> list[float]:
        rows = [line for line in self.table.lines if line.kind != "heading"]
        labels = max(text_width(line.label) + 2 * line.indent for line in rows) + 2
        signs = max(text_width(line_sign(line, self.table.words)) for line in self.table.lines) + 2
        widths = [min(max(labels, LABEL_WIDTH[0]), LABEL_WIDTH[1]), max(signs, 4.0)]
        for k, width in enumerate(self.head_widths):
            widths.append(width)
            if self.lettered[k]:
                longest = max(len(line.letters[k]) for line in self.table.lines)
                widths.append(max(2.5, 1.25 * longest + 1.0))
        return widths

    def _head_widths(self) -> list[float]:
        """Make room in each column for its longest figure and, within reason, the longest word of its head."""
        longest = self._figure_widths()
        widths = []
        for k, column in enumerate(self.table.columns):
            figures = float(longest[k])
            if self.letters == "in cell":
                figures += max(text_width(line.letters[k]) for line in self.table.lines) + 1
            words = max(text_width(word) for word in re.split(r"\s", column.label))
            widths.append(max(FIGURE_WIDTH, figures + 2.0, min(words + 1.5, WIDEST_HEAD)))
        return widths

    def _figure_widths(self) -> FloatArray:
        """Return how wide the longest figure of each column is: (columns,)."""
        table, longest = self.table, np.zeros(len(self.table.columns))
        unsigned = _lines_without_signs(table)
        for figure, lines in unsigned.items():
            values = np.nan_to_num([line.values for line in lines])
            low, high = values.min(axis=0), values.max(axis=0)
            for ends in (low, high) if (low < 0).any() else (high,):
                longest = np.maximum(longest, self._widths_of(ends, figure))
        plain = {id(line) for lines in unsigned.values() for line in lines}
        for line in table.lines:
            for k in range(len(table.columns)):
                if line.kind != "heading" and (id(line) not in plain or self.differences[k]):
                    longest[k] = max(longest[k], text_width(cell_text(table, line, k)))
        return longest

    def _widths_of(self, values: FloatArray, figure: str) -> FloatArray:
        """Return how wide the texts of values are: digits are all alike, so their number and the sign are enough."""
        places = self.table.digits.of(figure)
        shown = np.round(np.abs(values), places)
        powers = np.floor(np.log10(np.maximum(shown, 1.0)))
        sizes = np.where(values < 0, -1.0, 1.0) * 10.0**powers
        known = {
            size: text_width(figure_text(size, figure, self.table.digits, words=self.table.words))
            for size in set(sizes.tolist())
        }
        return np.array([known[size] for size in sizes.tolist()])

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


def _lines_without_signs(table: Table) -> dict[str, list[Line]]:
    """Gather the lines whose figures carry no signs of their own, by figure."""
    by_sign: dict[str, list[Line]] = {}
    for line in table.lines:
        if line.kind != "heading" and not line.signed and line.marks == table.column_marks:
            by_sign.setdefault(line.figure, []).append(line)
    return by_sign
