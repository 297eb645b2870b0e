"""Read a sheet of a workbook (XLSX, ODS): the first row names the columns, each other row is a respondent."""

from __future__ import annotations

import zipfile
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.data.files import Source, checked_names, source_of
from eager_otter.errors import DataError, FileProblem, UnknownName, shown_path

LARGEST_UNPACKED = 2 * 1024**3
MOST_CELLS = 100_000_000


@dataclass(frozen=True, slots=True, eq=False)
class SheetFile:
    """A sheet that has been read; `rows` without the header."""

    path: Path
    sheet: str
    names: tuple[str, ...]
    rows: list[list[Any]]
    decimal: str = "."

    @property
    def place(self) -> str:
        """What to call it in a message."""
        return f"{shown_path(self.path)}, sheet {self.sheet!r}"

    def read(self, columns: Sequence[str]) -> Any:
        """Give some columns as text: an Arrow table. Raises DataError for a sheet without rows."""
        if not self.rows:
            raise DataError(f"{self.place}: has a header but no rows; at least one respondent is needed.")
        where = {name: k for k, name in enumerate(self.names)}
        arrays = [
            pa.array([cell_as_text(row[where[name]]) for row in self.rows], pa.string()) for name in columns
        ]
        return pa.table(arrays, names=list(columns))

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return source_of(self.path, rows, how=f"sheet {self.sheet}")


def open_sheet(path: Path, sheet: str | None = None) -> SheetFile:
    """Open a workbook and read one sheet, the first unless named.

    Raises FileProblem for a file that is no workbook or unpacks to more than 2 GB, UnknownName for a sheet that is
    not there, DataError for a sheet without a header or with a column name twice.
    """
    from python_calamine import CalamineError, CalamineWorkbook

    _refuse_bombs(path)
    try:
        book = CalamineWorkbook.from_path(str(path))
        names = list(book.sheet_names)
        if sheet is not None and sheet not in names:
            raise UnknownName("sheet", sheet, names, shown_path(path))
        chosen = sheet if sheet is not None else names[0]
        rows = book.get_sheet_by_name(chosen).to_python(skip_empty_area=True)
    except (CalamineError, OSError, IndexError, ValueError) as error:
        raise FileProblem(f"{shown_path(path)}: cannot be read as a workbook ({error}).") from error
    while rows and not any(_given(value) for value in rows[-1]):
        rows.pop()
    if not rows:
        raise DataError(
            f"{shown_path(path)}, sheet {chosen!r}: is empty; a header row and respondents are needed."
        )
    header = [cell_as_text(value) or "" for value in rows[0]]
    while header and not header[-1]:
        header.pop()
    names_read = checked_names(header, f"{shown_path(path)}, sheet {chosen!r}")
    return SheetFile(path, chosen, tuple(names_read), rows[1:])


def _refuse_bombs(path: Path) -> None:
    """Refuse a workbook that unpacks to far more than a workbook holds."""
    try:
        with zipfile.ZipFile(path) as packed:
            unpacked = sum(entry.file_size for entry in packed.infolist())
    except (zipfile.BadZipFile, OSError) as error:
        raise FileProblem(f"{shown_path(path)}: is no workbook ({error}).") from error
    if unpacked > LARGEST_UNPACKED:
        raise FileProblem(
            f"{shown_path(path)}: unpacks to {unpacked / 1e9:,.1f} GB, more than is read; save the sheet as CSV."
        )


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
