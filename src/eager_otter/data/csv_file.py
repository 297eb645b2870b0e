"""Read CSV files as text, column by column; the codebook decides what the text means."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.files import SHOWN, Source, source_of
from eager_otter.errors import DataError, FileProblem, shown_path

DELIMITERS = (",", ";", "\t", "|")
LONGEST_HEADER = 16 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class CsvFile:
    """A CSV file whose header has been read."""

    path: Path
    names: tuple[str, ...]
    delimiter: str

    @property
    def place(self) -> str:
        """What to call it in a message."""
        return shown_path(self.path)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table. Raises FileProblem, DataError for a file without rows."""
        table = _read_csv(self.path, columns, self.delimiter, len(self.names))
        if table.num_rows == 0:
            raise DataError(f"{self.place}: has a header but no rows; at least one respondent is needed.")
        return table

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return source_of(self.path, rows)


def open_csv(path: Path) -> CsvFile:
    """Open a CSV file and read its header.

    Raises FileProblem for a file that is missing or no text, DataError for one that is empty or names a column
    twice.
    """
    names, delimiter = _header(path)
    return CsvFile(path, tuple(names), delimiter)


def _header(path: Path) -> tuple[list[str], str]:
    place = shown_path(path)
    try:
        with path.open("rb") as file:
            start = file.read(LONGEST_HEADER)
    except FileNotFoundError as error:
        raise FileProblem(f"{place}: no such file. Check the path and the spelling.") from error
    except IsADirectoryError as error:
        raise FileProblem(f"{place}: is a folder; a CSV file was expected.") from error
    except OSError as error:
        raise FileProblem(f"{place}: cannot be read ({error.strerror}).") from error
    if not start.strip():
        raise DataError(f"{place}: is empty; a header row and one row per respondent are needed.")
    if b"\0" in start[:65536]:
        raise FileProblem(f"{place}: is not a text file; save the data as CSV (UTF-8).")
    try:
        text = start.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if error.start < len(start) - 4:
            raise _not_utf8(path) from error
        text = start[: error.start].decode("utf-8-sig")
    first_line = text.lstrip("\r\n").split("\n", 1)[0]
    delimiter = max(DELIMITERS, key=first_line.count)
    csv.field_size_limit(LONGEST_HEADER)
    try:
        header = next(iter(csv.reader(io.StringIO(text), delimiter=delimiter)), [])
    except csv.Error as error:
        raise FileProblem(f"{place}: the header row cannot be read ({error}).") from error
    return _checked_header(header, place), delimiter


def _checked_header(header: Sequence[str], place: str) -> list[str]:
    names = list(header)
    twice = sorted({name for name in names if names.count(name) > 1}) if len(set(names)) < len(names) else []
    if twice:
        shown = ", ".join(repr(name) for name in twice[:SHOWN])
        raise DataError(f"{place}: the header names {shown} more than once; each column needs its own name.")
    return names


def _read_csv(path: Path, columns: Sequence[str], delimiter: str, width: int) -> Any:
    from pyarrow import csv as arrow_csv

    skipped: list[Any] = []

    def skip(row: Any) -> str:
        skipped.append(row)
        return "skip"

    def read(*, slowly: bool) -> Any:
        return arrow_csv.read_csv(
            path,
            read_options=arrow_csv.ReadOptions(use_threads=not slowly, block_size=8 << 20),
            parse_options=arrow_csv.ParseOptions(
                delimiter=delimiter,
                newlines_in_values=True,
                ignore_empty_lines=width > 1,
                invalid_row_handler=skip if slowly else None,
            ),
            convert_options=arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(columns, pa.string()),
                include_columns=list(columns),
                strings_can_be_null=False,
            ),
        )

    try:
        return read(slowly=False)
    except pa.ArrowInvalid as first:
        if "UTF8" in str(first) or "UTF-8" in str(first):
            raise _not_utf8(path) from first
        with suppress(pa.ArrowInvalid):
            read(slowly=True)
        raise FileProblem(_unreadable(path, width, skipped, str(first))) from first


def _unreadable(path: Path, width: int, skipped: Sequence[Any], reason: str) -> str:
    place = shown_path(path)
    if not skipped:
        return f"{place}: cannot be read as CSV ({reason})."
    first = skipped[0]
    number = f"row {first.number - 1}" if first.number is not None else "a row"
    more = f", and {len(skipped) - 1:,} rows more like it" if len(skipped) > 1 else ""
    return (
        f"{place}: {number} has {first.actual_columns} cells where the header has {width}{more}. "
        "A delimiter inside an answer must be in quotes; check how the file was exported."
    )


def _not_utf8(path: Path) -> FileProblem:
    line, byte = _first_bad_byte(path)
    return FileProblem(
        f"{shown_path(path)}: not UTF-8 text (line {line}, byte {byte:#04x}). Save the file as CSV UTF-8."
    )


def _first_bad_byte(path: Path) -> tuple[int, int]:
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            try:
                line.decode("utf-8")
            except UnicodeDecodeError as error:
                return number, line[error.start]
    return 0, 0
