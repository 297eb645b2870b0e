"""A thin typed wall around the workbook library: every write is checked, text stays text.

The library answers many failures with a return code and leaves the cell empty; here each one raises.
"""

from __future__ import annotations

import io
from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from itertools import groupby
from pathlib import Path
from typing import Any

import xlsxwriter
from xlsxwriter.exceptions import XlsxWriterException

from eager_otter.errors import RequestError
from eager_otter.gates.pictures import read_picture
from eager_otter.gates.reading import reading
from eager_otter.gates.text import LONGEST_CELL, fitted, held, one_line, shortened
from eager_otter.gates.writing import write_bytes
from eager_otter.looks.theme import Paper, Theme
from eager_otter.looks.words import ENGLISH, Words
from eager_otter.version import __version__

TEXT_STAYS_TEXT = {"strings_to_numbers": False, "strings_to_formulas": False, "strings_to_urls": False}
MOST_ROWS, MOST_COLUMNS = 1_048_576, 16_384
LONGEST_SHEET_NAME = 31
LOGO_HEIGHT = 40  # pixels
LONGEST_PROPERTY = LONGEST_LINK = 255
LONGEST_FOOTER_TITLE = 100
PAPERS: dict[Paper, int] = {"A4": 9, "Letter": 1}  # as the format numbers them
NOT_IN_SHEET_NAMES = str.maketrans(dict.fromkeys("[]:*?/\\", " "))
FIXED_DAY = datetime(2000, 1, 1)

Style = dict[str, Any]


class Book:
    """A workbook being written, its fixed words as `say` says them, for a paper of a theme."""

    def __init__(
        self, path: Path, title: str, say: Words = ENGLISH, paper: Paper = "A4", author: str = ""
    ) -> None:
        self.say, self.paper = say, PAPERS[paper]
        self._path, self._content = path, io.BytesIO()
        self._book = xlsxwriter.Workbook(self._content, {"in_memory": True, **TEXT_STAYS_TEXT})
        self._book.set_properties(
            {
                "title": fitted(one_line(title), LONGEST_PROPERTY),
                "author": fitted(one_line(author), LONGEST_PROPERTY),
                "created": FIXED_DAY,
                "comments": f"made with eager-otter {__version__}",
            }
        )
        self._styles: dict[tuple[tuple[str, Any], ...], Any] = {}
        self._names: set[str] = set()

    def sheet(self, wanted: str) -> Sheet:
        """Add a sheet, named as wanted as far as the format allows and no other sheet has the name."""
        return self.named(self.free_name(wanted))

    def named(self, name: str) -> Sheet:
        """Add a sheet under a name that `free_name` gave."""
        return Sheet(self._book.add_worksheet(name), name, self)

    def style(self, style: Style | Any) -> Any:
        """Return the format of a style, made once; a format made before is given back."""
        if not isinstance(style, dict):
            return style
        key = tuple(style.items())
        if key not in self._styles:
            self._styles[key] = self._book.add_format(style)
        return self._styles[key]

    def chart(self, kind: Mapping[str, str]) -> Any:
        """Begin a chart of a kind, as the library names it."""
        return self._book.add_chart(dict(kind))

    def close(self) -> None:
        """Write the file. Raises RequestError where the library refuses what is in it."""
        try:
            self._book.close()
        except XlsxWriterException as error:
            raise RequestError(f"This cannot be written as a workbook ({error}).") from error
        write_bytes(self._path, self._content.getbuffer())

    def free_name(self, wanted: str) -> str:
        """Keep a name for a sheet: as wanted, as far as the format allows and no other has it."""
        plain = one_line(wanted).translate(NOT_IN_SHEET_NAMES).strip().strip("'")
        plain = plain[:LONGEST_SHEET_NAME].strip().strip("'") or "Table"
        name, number = plain, 2
        while name.casefold() in self._names or name.casefold() == "history":
            ending = f" ({number})"
            name = plain[: LONGEST_SHEET_NAME - len(ending)] + ending
            number += 1
        self._names.add(name.casefold())
        return name


class Sheet:
    """A sheet being written; rows and columns count from 0."""

    def __init__(self, sheet: Any, name: str, book: Book) -> None:
        self._sheet, self.name, self._book = sheet, name, book

    def text(self, row: int, column: int, text: str, style: Style | Any) -> None:
        """Write text as text, whatever it looks like; what a cell cannot hold is shown otherwise or cut."""
        text = shortened(held(text), LONGEST_CELL)
        if not text:
            self._done(self._sheet.write_blank(row, column, None, self._book.style(style)), row, column)
            return
        self._done(self._sheet.write_string(row, column, text, self._book.style(style)), row, column)

    def made(self, style: Style) -> Any:
        """Make the format of a style, to be given instead of it where many cells share it."""
        return self._book.style(style)

    def number(self, row: int, column: int, value: float, style: Style | Any) -> None:
        """Write a number."""
        self._done(self._sheet.write_number(row, column, value, self._book.style(style)), row, column)

    def numbers(
        self, row: int, columns: Sequence[int], values: Sequence[float], formats: Sequence[Any]
    ) -> None:
        """Write some numbers of a row, each under a format made before."""
        write = self._sheet.write_number
        for column, value, cell_format in zip(columns, values, formats, strict=True):
            code = write(row, column, value, cell_format)
            if code:
                self._done(code, row, column)

    def blanks(self, row: int, columns: Iterable[int], cell_format: Any) -> None:
        """Write some empty cells of a row under a format made before, where it shows."""
        write = self._sheet.write_blank
        for column in columns:
            code = write(row, column, None, cell_format)
            if code:
                self._done(code, row, column)

    def link(self, row: int, column: int, sheet: str, text: str, style: Style, *, to: int = 0) -> None:
        """Write a link to a row (from 0) of another sheet of the book."""
        target = "internal:'" + sheet.replace("'", "''") + f"'!A{to + 1}"
        self._done(
            self._sheet.write_url(
                row,
                column,
                target,
                self._book.style(style),
                fitted(one_line(text), LONGEST_LINK),
                fitted(self._book.say("Go to {sheet}", sheet=sheet), LONGEST_LINK),
            ),
            row,
            column,
        )

    def across(self, row: int, first: int, last: int, text: str, style: Style, *, last_row: int = -1) -> None:
        """Write text over several cells, merged where there is more than one."""
        bottom = max(row, last_row)
        if first == last and bottom == row:
            self.text(row, first, text, style)
            return
        merged = shortened(held(text), LONGEST_CELL)
        self._done(self._sheet.merge_range(row, first, bottom, last, "", self._book.style(style)), row, first)
        self.text(row, first, merged, style)

    def choices(self, row: int, column: int, last_row: int, last_column: int, source: str) -> None:
        """Let cells be chosen from a range of cells; other entries are asked about, not refused."""
        rule = {"validate": "list", "source": source, "error_type": "warning"}
        self._done(self._sheet.data_validation(row, column, last_row, last_column, rule), row, column)

    def chart(self, row: int, column: int, drawn: Any, description: str) -> None:
        """Put a chart at a cell, with a description for those who cannot see it."""
        options = {"object_position": 1, "description": fitted(one_line(description), LONGEST_LINK)}
        self._done(self._sheet.insert_chart(row, column, drawn, options), row, column)

    def picture(self, row: int, column: int, path: Path) -> None:
        """Put a picture at a cell, as high as two lines."""
        content, _, height = read_picture(path)
        scale = LOGO_HEIGHT / height
        options = {
            "object_position": 3,
            "x_scale": scale,
            "y_scale": scale,
            "image_data": io.BytesIO(content),
        }
        with reading(path, "a picture"):
            self._done(self._sheet.insert_image(row, column, path.name, options), row, column)

    def widths(self, widths: Sequence[float]) -> None:
        """Set the width of each column, in characters."""
        first = 0
        for width, alike in groupby(widths):
            last = first + len(list(alike)) - 1
            self._done(self._sheet.set_column(first, last, width), 0, last)
            first = last + 1

    def height(self, row: int, points: float) -> None:
        """Set the height of a row."""
        self._done(self._sheet.set_row(row, points), row, 0)

    def freeze(self, row: int, column: int) -> None:
        """Keep the rows above and the columns left of a cell in view."""
        self._sheet.freeze_panes(row, column)

    def print_set_up(
        self,
        *,
        title: str,
        rows: tuple[int, int] | None,
        columns: int,
        breaks: Sequence[int],
        wide: int,
        rows_between: Sequence[int] = (),
        high: int = 0,
    ) -> None:
        """Set up printing: landscape, heads (rows) and stub (columns) repeated on each page.

        It takes `wide` pages across and `high` down (0: as many as it needs). `breaks` are columns,
        `rows_between` rows, before which a page ends.
        """
        sheet = self._sheet
        sheet.set_landscape()
        sheet.set_paper(self._book.paper)
        sheet.set_margins(left=0.4, right=0.4, top=0.6, bottom=0.6)
        sheet.fit_to_pages(wide, high)
        if rows is not None:
            sheet.repeat_rows(*rows)
        if columns:
            sheet.repeat_columns(0, columns - 1)
        if breaks:
            sheet.set_v_pagebreaks(list(breaks))
        if rows_between:
            sheet.set_h_pagebreaks(list(rows_between))
        plain = fitted(one_line(title), LONGEST_FOOTER_TITLE).replace("&", "&&")
        pages = self._book.say("Page {page} of {pages}", page="&P", pages="&N")
        sheet.set_footer(f"&L&8{' ' if plain[:1].isdigit() else ''}{plain}&R&8{pages}")
        sheet.hide_gridlines(2)

    def print_area(self, rows: int, columns: int) -> None:
        """Print only what is used."""
        self._sheet.print_area(0, 0, rows - 1, columns - 1)

    def _done(self, code: object, row: int, column: int) -> None:
        if code not in (0, None):
            raise RequestError(
                f"Sheet {self.name!r}: cell in row {row + 1}, column {column + 1} cannot be written; a sheet holds "
                f"{MOST_ROWS:,} rows and {MOST_COLUMNS:,} columns. Use fewer banner columns or rows."
            )


def plain_style(theme: Theme) -> Style:
    """Return the style of plain text."""
    return {"font_name": theme.font, "font_size": theme.size, "font_color": theme.ink}


def title_style(theme: Theme) -> Style:
    """Return the style of a title."""
    return {**plain_style(theme), "font_size": theme.size + 4, "bold": True, "font_color": theme.river}


def head_style(theme: Theme) -> Style:
    """Return the style of the heads of a list."""
    return {
        **plain_style(theme),
        "bold": True,
        "bg_color": theme.reed,
        "bottom": 1,
        "bottom_color": theme.line,
    }


def link_style(theme: Theme) -> Style:
    """Return what makes a text look like a link."""
    return {"font_color": theme.river, "underline": 1}
