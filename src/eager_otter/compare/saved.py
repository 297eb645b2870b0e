"""Saved results: the tidy file of a report, read back."""

from __future__ import annotations

import csv
import json
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from eager_otter.errors import FileProblem, shown_path

COLUMNS = (
    "table", "title", "layer", "row", "row_kind", "row_code", "group", "column", "letter", "figure", "value", "mark",
)  # fmt: skip
LETTERS = "letters"

RowKey = tuple[str, str, int]  # kind, code or label, which of several alike
ColumnKey = tuple[str, str]  # group, label
CellKey = tuple[RowKey, ColumnKey, str]  # row, column, figure


@dataclass(slots=True, kw_only=True)
class SavedTable:
    """One table of a saved result: titles, rows and columns in order, and what stands in the cells."""

    id: str
    title: str
    rows: dict[RowKey, str] = field(default_factory=dict)  # to the label shown
    columns: dict[ColumnKey, str] = field(default_factory=dict)  # to the letter
    values: dict[CellKey, float | None] = field(default_factory=dict)
    letters: dict[tuple[RowKey, ColumnKey], str] = field(default_factory=dict)
    marks: dict[CellKey, str] = field(default_factory=dict)


def read_results(path: Path) -> Mapping[str, SavedTable]:
    """Read a tidy file (.csv, .json or .parquet): tables by id, in order.

    Raises FileProblem when it cannot be read or is none.
    """
    tables: dict[str, SavedTable] = {}
    repeats: Counter[tuple[str, str, str, str, str, str]] = Counter()
    for number, cells in _lines(path):
        record = dict(zip(COLUMNS, cells, strict=True))
        table = tables.setdefault(record["table"], SavedTable(id=record["table"], title=record["title"]))
        column = (record["group"], record["column"])
        table.columns.setdefault(column, record["letter"])
        name = record["row_code"] or record["row"]
        again = (table.id, record["row_kind"], name, *column, record["figure"])
        row = (record["row_kind"], name, repeats[again])
        repeats[again] += 1
        table.rows.setdefault(row, record["row"])
        if record["figure"] == LETTERS:
            table.letters[row, column] = record["value"]
            continue
        cell = (row, column, record["figure"])
        table.values[cell] = _value(record["value"], path, number)
        table.marks[cell] = record["mark"]
    return tables


WHAT = "a tidy file of a report was expected; make one with: eager-otter run --output tables.csv"


def _lines(path: Path) -> Iterator[tuple[int, list[str]]]:
    """Go through the records of a tidy file as texts, with the number of each (of its line, in CSV)."""
    read = {".json": _json_lines, ".parquet": _parquet_lines}.get(path.suffix.lower(), _csv_lines)
    try:
        yield from read(path)
    except FileProblem:
        raise
    except FileNotFoundError as error:
        raise FileProblem(f"{shown_path(path)}: no such file. Check the path and the spelling.") from error
    except OSError as error:
        raise FileProblem(f"{shown_path(path)}: cannot be read ({error.strerror or error}).") from error
    except (UnicodeDecodeError, csv.Error) as error:
        raise FileProblem(f"{shown_path(path)}: cannot be read as CSV; {WHAT}.") from error


def _csv_lines(path: Path) -> Iterator[tuple[int, list[str]]]:
    with path.open(encoding="utf-8-sig", newline="") as file:
        reader = csv.reader(file, strict=True)
        if tuple(next(reader, ())) != COLUMNS:
            raise FileProblem(f"{shown_path(path)}: its first line does not name the columns; {WHAT}.")
        for number, cells in enumerate(reader, 2):
            if len(cells) != len(COLUMNS):
                raise FileProblem(
                    f"{shown_path(path)}: line {number} has {len(cells)} cells, not {len(COLUMNS)}."
                )
            yield number, cells


def _json_lines(path: Path) -> Iterator[tuple[int, list[str]]]:
    try:
        records = json.loads(path.read_text(encoding="utf-8"))["records"]
        rows = [["" if record[name] is None else str(record[name]) for name in COLUMNS] for record in records]
    except (ValueError, KeyError, TypeError) as error:
        raise FileProblem(f"{shown_path(path)}: holds no records of a report; {WHAT}.") from error
    yield from enumerate(rows, 1)


def _parquet_lines(path: Path) -> Iterator[tuple[int, list[str]]]:
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        table = pq.read_table(path).to_pydict()
        columns = {name: table[name] for name in (*COLUMNS, "text")}
    except (pa.ArrowException, KeyError) as error:
        raise FileProblem(f"{shown_path(path)}: holds no records of a report; {WHAT}.") from error
    texts = zip(columns["value"], columns["text"], strict=True)
    columns["value"] = ["" if v is None and t is None else t if v is None else repr(v) for v, t in texts]
    for number, cells in enumerate(zip(*(columns[name] for name in COLUMNS), strict=True), 1):
        yield number, ["" if cell is None else str(cell) for cell in cells]


def _value(text: str, path: Path, number: int) -> float | None:
    if text == "":
        return None
    try:
        return float(text)
    except ValueError as error:
        raise FileProblem(f"{shown_path(path)}: record {number}: {text!r} is no number.") from error
