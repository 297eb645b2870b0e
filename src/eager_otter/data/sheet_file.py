"""Read a sheet of a workbook (XLSX, ODS): the first row names the columns, each other row is a respondent."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import field
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.data.files import Source, checked_names, source_of
from eager_otter.data.headings import MOST_ROWS, ROWS_LOOKED_AT, Headings, below_title, read_headings
from eager_otter.data.remark import Remark, named
from eager_otter.data.sheet_cells import SheetCells, check_cells, check_ods, filled_sheets
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, UnknownName, shown_path
from eager_otter.gates.reading import check_package, reading
from eager_otter.looks.words import said

WHAT = "a workbook"
ERRORS = said("{count} {count:cell holds|cells hold} an error ({where}) and {count:is|are} read as blank.")
UNCOMPUTED = said(
    "{count} {count:formula has|formulas have} no stored result ({where}) and {count:is|are} read as blank."
)
OTHER_SHEETS = said("{count} {count:sheet|sheets} of the workbook {count:is|are} not read ({where}).")
BESIDE = said(
    "{count} {count:row has|rows have} cells behind the last named column ({where}), which are not read."
)


@dataclass(frozen=True, slots=True, eq=False)
class SheetFile:
    """A sheet that has been read; `rows` without the header."""

    path: Path
    sheet: str
    names: tuple[str, ...]
    rows: list[list[Any]]
    decimal: str = "."
    cells: SheetCells = field(default_factory=SheetCells)
    corner: tuple[int, int] = (0, 0)  # where its header begins: row and column, from 0
    headings: Headings = field(default_factory=lambda: Headings(()))
    others: tuple[str, ...] = ()  # sheets beside it, where nobody said which is meant

    @property
    def place(self) -> str:
        """Its name in a message."""
        return f"{shown_path(self.path)}, sheet {self.sheet!r}"

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from."""
        return (self.path,)

    def read(self, columns: Sequence[str]) -> Any:
        """Return some columns as text: an Arrow table. Raises DataError for a sheet without rows."""
        if not self.rows:
            raise DataError(f"{self.place}: has a header but no rows; at least one respondent is needed.")
        where = {name: k for k, name in enumerate(self.names)}
        arrays = [pa.array(self._texts(where[name]), pa.string()) for name in columns]
        return pa.table(arrays, names=list(columns))

    def _texts(self, column: int) -> list[str | None]:
        return [None if (value := row[column]) == "" else cell_as_text(value) for row in self.rows]

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell of cells that hold an error or were not computed, and of cells beside the columns."""
        yield from self.headings.remarks()
        if self.others:
            yield Remark(
                slip="other sheets",
                text=OTHER_SHEETS,
                values={"count": len(self.others), "where": named(self.others)},
                remedy=f"Write sheet: {self.sheet} beside the file in the plan's data, or the sheet that is meant.",
                count=len(self.others),
                of_tables=False,
            )
        wrong = [f"{place} {text}".strip() for place, text in self.cells.errors.items()]
        for slip, text, places in (
            ("error in a cell", ERRORS, wrong),
            ("formula without a result", UNCOMPUTED, self.cells.uncomputed),
        ):
            if places:
                columns = tuple(dict.fromkeys(filter(None, (self._column_of(place) for place in places))))
                yield Remark(
                    slip=slip,
                    text=text,
                    values={"count": len(places), "where": named(places)},
                    remedy="Mend these cells in the spreadsheet program, have it compute all formulas, and save again.",
                    columns=columns,
                    count=len(places),
                    severe=True,
                )
        beside = [
            f"row {number}"
            for number, row in enumerate(self.rows, self.corner[0] + 1 + self.headings.count)
            if any(map(_given, row[len(self.names) :]))
        ]
        if beside:
            yield Remark(
                slip="cells beside the columns",
                text=BESIDE,
                values={"count": len(beside), "where": named(beside)},
                remedy="Give those columns a name in the header row, or delete the cells.",
                count=len(beside),
            )

    def _column_of(self, place: str) -> str:
        """Name the column of a cell such as "B7"; "" where it has none."""
        number = 0
        for letter in place.split(" ", maxsplit=1)[0].rstrip("0123456789"):
            number = number * 26 + ord(letter) - 64 if "A" <= letter <= "Z" else 0
        number -= self.corner[1] + 1
        return self.names[number] if 0 <= number < len(self.names) else ""

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.path, rows, how=f"sheet {self.sheet}")


def open_sheet(
    path: Path,
    sheet: str | None = None,
    heading_rows: int | None = None,
    headings_from_row: int | None = None,
) -> SheetFile:
    """Open a workbook and read one sheet, the first unless named.

    Raises FileProblem for a file that is not a workbook or reaches further than is read, UnknownName for a sheet that
    is not there, DataError for a sheet without a header.
    """
    from python_calamine import CalamineWorkbook

    check_package(path, WHAT)
    sheets = check_ods(path) if path.suffix.lower() == ".ods" else {}
    with reading(path, WHAT, "Save it again as XLSX, or as CSV."):
        book = CalamineWorkbook.from_path(str(path))
        names = list(book.sheet_names)
        if not names:
            raise DataError(f"{shown_path(path)}: has no sheets.")
        if sheet is not None and sheet not in names:
            raise UnknownName("sheet", sheet, names, shown_path(path))
        chosen = sheet if sheet is not None else names[0]
        place = f"{shown_path(path)}, sheet {chosen!r}"
        cells = sheets[chosen] if chosen in sheets else check_cells(path, chosen)
        read = book.get_sheet_by_name(chosen)
        top, left = read.start or (0, 0)
        rows = read.to_python(skip_empty_area=True)
    while rows and not any(_given(value) for value in rows[-1]):
        rows.pop()
    if not rows:
        raise DataError(f"{place}: is empty; a header row and respondents are needed.")
    skipped = max((headings_from_row or 1) - 1 - top, 0)
    if skipped >= len(rows):
        raise DataError(
            f"{place}: has nothing from row {headings_from_row:,} on, where headings were expected."
        )
    rows, top = rows[skipped:], top + skipped
    looked_at = [[cell_as_text(value) or "" for value in row] for row in rows[: ROWS_LOOKED_AT + MOST_ROWS]]
    above = [list(row) for row in looked_at]
    heads = looked_at[: heading_rows or 1]
    while heads[0] and not any(row[-1] for row in heads):
        for row in heads:
            row.pop()
    headings = read_headings(looked_at, heading_rows, place)
    if headings_from_row is None and heading_rows is None:
        headings = below_title(headings, [*([[]] * top), *above])
    names_read = checked_names(headings.names, place)
    others = () if sheet is not None else tuple(name for name in names if name != chosen)
    if sheets:
        others = tuple(name for name in others if name in sheets and sheets[name].rows)
    elif others:
        others = filled_sheets(path, others)
    answers = rows[headings.count :]
    return SheetFile(path, chosen, tuple(names_read), answers, ".", cells, (top, left), headings, others)


def largest_sheet(path: Path, names: Sequence[str]) -> str:
    """Return the one of some sheets of a workbook that reaches furthest, the first of those. Raises FileProblem."""
    of_ods = check_ods(path) if path.suffix.lower() == ".ods" else {}
    cells = {name: of_ods[name] if name in of_ods else check_cells(path, name) for name in names}
    return max(names, key=lambda name: cells[name].rows * cells[name].columns)


def sheet_names(path: Path) -> list[str]:
    """Name the sheets of a workbook. Raises FileProblem for a file that is none."""
    from python_calamine import CalamineWorkbook

    check_package(path, WHAT)
    with reading(path, WHAT, "Save it again as XLSX, or as CSV."):
        return list(CalamineWorkbook.from_path(str(path)).sheet_names)


def _given(value: Any) -> bool:
    return value is not None and value != ""


def cell_as_text(value: Any) -> str | None:
    """Write a cell as text: whole numbers without a fraction, days as 2026-03-31, true as 1; None for an empty one.

    >>> [cell_as_text(value) for value in (3.0, 2.5, "007", True, date(2026, 3, 31), "")]
    ['3', '2.5', '007', '1', '2026-03-31', None]
    """
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, int | float):
        return canonical(format(value, ".15g"))
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == time() else value.isoformat(sep=" ")
    if isinstance(value, date | time):
        return value.isoformat()
    if isinstance(value, timedelta):
        return str(value)
    return str(value) if _given(value) else None
