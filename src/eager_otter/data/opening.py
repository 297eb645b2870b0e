"""Open a file of responses by its ending."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import fields, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

from eager_otter.data.files import DataFile
from eager_otter.dataclass import dataclass
from eager_otter.documents.written import found_text
from eager_otter.errors import FileProblem, RequestError, name_of, shown_path
from eager_otter.gates.copying import on_this_machine
from eager_otter.gates.reading import is_stored
from eager_otter.gates.storage import data_stamp, stored

if TYPE_CHECKING:
    from eager_otter.data.csv_file import CsvFile


MOST_ABOVE = 100  # rows above the headings that may be passed over


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """How to read a file, where it cannot be told from the file itself; None: find out.

    `sheet` names a sheet of a workbook; `delimiter`, `encoding` and `decimal` are those of a text file. `heading_rows`
    (1 to 3) is the number of rows that name the columns, the first of them `headings_from_row` (from 1), below a title.
    """

    sheet: str | None = None
    delimiter: str | None = None
    encoding: str | None = None
    decimal: Literal[".", ","] | None = None
    heading_rows: Literal[1, 2, 3] | None = None
    headings_from_row: int | None = None

    def __post_init__(self) -> None:
        row: object = self.headings_from_row
        if row is not None and not (type(row) is int and 1 <= row <= MOST_ABOVE):
            raise RequestError(
                f"headings from row: expected a row from 1 to {MOST_ABOVE}; found {found_text(row)}."
            )

    def given(self) -> dict[str, Any]:
        """Return what was said, by the key that it has in a plan."""
        values = {one.name: getattr(self, one.name) for one in fields(self)}
        return {name.replace("_", " "): value for name, value in values.items() if value is not None}


def open_data(data: Any, reading: Reading | None = None) -> DataFile:
    """Open responses: a path or a frame.

    A path is that of CSV (also packed as .gz or .zip), XLSX, ODS, Parquet, Arrow, JSON records, or of a definition with
    its data beside it: triple-s, DDI-Codebook, data package, CSVW. What is at an address is copied to this machine;
    Parquet is read there.
    A frame is one of pandas, a table of Arrow, or anything that gives itself as a stream of Arrow, as Polars does.
    Raises FileProblem for a file that is missing, unreadable or of no known kind, DataError for one that holds no
    table of responses, RequestError for anything else.
    """
    if isinstance(data, str | Path):
        return _open_path(Path(data), reading or Reading())
    if hasattr(data, "columns") and hasattr(data, "iloc"):
        from eager_otter.data.frame import pandas_frame

        return _as_it_is(pandas_frame(data), reading)
    if hasattr(data, "__arrow_c_stream__"):
        from eager_otter.data.frame import arrow_table

        return _as_it_is(arrow_table(data), reading)
    raise RequestError(f"Data are a path, or a frame (of pandas, Polars or Arrow); found {found_text(data)}.")


def _as_it_is(file: DataFile, reading: Reading | None) -> DataFile:
    """Refuse ways of reading for what is read already. Raises RequestError."""
    if reading is not None and reading != Reading():
        raise RequestError(
            "A frame is read already, so ways of reading a file would do nothing; leave them out."
        )
    return file


def is_data(path: Path) -> bool:
    """Return whether a path has the ending of a file of responses."""
    return Path(name_of(path)).suffix.lower() in OPENERS


def _open_path(path: Path, reading: Reading) -> DataFile:
    ending = Path(name_of(path)).suffix.lower()
    if is_stored(path) and ending == ".sql":
        raise FileProblem(
            f"{shown_path(path)}: a query is read on this machine. Copy the file, and name the copy."
        )
    data_stamp(path)  # raises where there is none
    if ending not in OPENERS:
        known = ", ".join(OPENERS)
        raise FileProblem(
            f"{shown_path(path)}: no data file ends in {ending or 'nothing'!r}. Export the data in an open format, "
            f"such as CSV, XLSX, Parquet, triple-s or DDI-Codebook. Known endings: {known}."
        )
    idle = [name for name in reading.given() if name not in OPTIONS.get(ending, ())]
    if idle:
        raise RequestError(
            f"{shown_path(path)}: {', '.join(idle)} would do nothing for a file that ends in {ending}; leave it out."
        )
    return OPENERS[ending](on_this_machine(path) if is_copied(path) else path, reading)


def is_copied(path: Path) -> bool:
    """Return whether a path is an address of data that are copied to this machine, and not read there."""
    ending = Path(name_of(path)).suffix.lower()
    if not is_stored(path) or ending not in OPENERS or ending == ".sql":
        return False
    return ending != ".parquet" or stored(path).size < 0


def _csv(path: Path, reading: Reading) -> CsvFile:
    from eager_otter.data.csv_file import open_csv

    return open_csv(
        path,
        delimiter=reading.delimiter,
        encoding=reading.encoding,
        decimal=reading.decimal,
        heading_rows=reading.heading_rows,
        headings_from_row=reading.headings_from_row,
    )


def _packed(path: Path, reading: Reading) -> DataFile:
    from eager_otter.gates.unpacking import unpacked

    held = unpacked(path)
    return replace(_csv(held.table, reading), unpacked=held)


def _arrow(path: Path, _: Reading) -> DataFile:
    from eager_otter.data.arrow_file import open_arrow

    return open_arrow(path)


def _sheet(path: Path, reading: Reading) -> DataFile:
    from eager_otter.data.sheet_file import open_sheet

    return open_sheet(path, reading.sheet, reading.heading_rows, reading.headings_from_row)


def _parquet(path: Path, _: Reading) -> DataFile:
    from eager_otter.data.parquet_file import open_parquet

    return open_parquet(path)


def _json(path: Path, reading: Reading) -> DataFile:
    from eager_otter.data.json_file import open_json

    return open_json(path)


def _xml(path: Path, _: Reading) -> DataFile:
    from eager_otter.data.ddi import is_ddi, open_ddi
    from eager_otter.data.triple_s import open_triple_s

    return open_ddi(path) if is_ddi(path) else open_triple_s(path)


def _query(path: Path, _: Reading) -> DataFile:
    from eager_otter.data.query_file import open_query

    return open_query(path)


def _triple_s(path: Path, _: Reading) -> DataFile:
    from eager_otter.data.triple_s import open_triple_s

    return open_triple_s(path)


CSV_OPTIONS = ("delimiter", "encoding", "decimal", "heading rows", "headings from row")
SHEET_OPTIONS = ("sheet", "heading rows", "headings from row")
OPTIONS: Mapping[str, tuple[str, ...]] = {
    ".csv": CSV_OPTIONS,
    ".tsv": CSV_OPTIONS,
    ".txt": CSV_OPTIONS,
    ".gz": CSV_OPTIONS,
    ".zip": CSV_OPTIONS,
    ".xlsx": SHEET_OPTIONS,
    ".xlsm": SHEET_OPTIONS,
    ".ods": SHEET_OPTIONS,
}
OPENERS: Mapping[str, Callable[[Path, Reading], DataFile]] = {
    ".csv": _csv,
    ".tsv": _csv,
    ".txt": _csv,
    ".gz": _packed,
    ".zip": _packed,
    ".feather": _arrow,
    ".arrow": _arrow,
    ".xlsx": _sheet,
    ".xlsm": _sheet,
    ".ods": _sheet,
    ".parquet": _parquet,
    ".json": _json,
    ".jsonl": _json,
    ".xml": _xml,
    ".sql": _query,
    ".sss": _triple_s,
}
