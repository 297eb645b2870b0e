"""Saved results: the tidy file of a report, read back."""

from __future__ import annotations

import csv
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import field
from pathlib import Path

from eager_otter.dataclass import dataclass
from eager_otter.errors import FileProblem, shown_path
from eager_otter.figures.registry import today_name
from eager_otter.gates.numbers import number_of
from eager_otter.gates.reading import checked_file, read_json, read_lines, reading

COLUMNS = (
    "table", "title", "part", "question", "row", "row_kind", "row_code", "group", "column", "letter", "figure", "value",
    "text", "mark",
)  # fmt: skip
OLD_COLUMNS = (  # of version 0.1: letters stood in the value, and no row named its question
    "table", "title", "layer", "row", "row_kind", "row_code", "group", "column", "letter", "figure", "value", "mark",
)  # fmt: skip
LETTERS = "letters"

RowKey = tuple[str, str, str, int]  # question, kind, code or label, which of several alike
ColumnKey = tuple[str, str]  # group, label
CellKey = tuple[RowKey, ColumnKey, str]  # row, column, figure


@dataclass(slots=True, kw_only=True)
class SavedTable:
    """One table of a saved result: titles, rows and columns in order, and what is in the cells."""

    id: str
    title: str
    rows: dict[RowKey, str] = field(default_factory=dict)  # to the label shown
    columns: dict[ColumnKey, str] = field(default_factory=dict)  # to the letter
    values: dict[CellKey, float | None] = field(default_factory=dict)
    letters: dict[tuple[RowKey, ColumnKey], str] = field(default_factory=dict)
    marks: dict[CellKey, str] = field(default_factory=dict)

    @property
    def names_questions(self) -> bool:
        """Whether its rows name their questions, as they do since version 0.2."""
        return any(question for question, *_ in self.rows)

    def without_questions(self) -> SavedTable:
        """Return the table as version 0.1 saved it: rows known by what they are called and in which order."""
        seen: Counter[tuple[str, str]] = Counter()
        plain: dict[RowKey, RowKey] = {}
        for row in self.rows:
            _, kind, name, _ = row
            plain[row] = ("", kind, name, seen[kind, name])
            seen[kind, name] += 1
        return SavedTable(
            id=self.id,
            title=self.title,
            rows={plain[row]: label for row, label in self.rows.items()},
            columns=self.columns,
            values={(plain[row], column, figure): v for (row, column, figure), v in self.values.items()},
            letters={(plain[row], column): text for (row, column), text in self.letters.items()},
            marks={(plain[row], column, figure): mark for (row, column, figure), mark in self.marks.items()},
        )


def read_results(path: Path) -> Mapping[str, SavedTable]:
    """Read a tidy file (.csv, .json or .parquet): tables by id, in order.

    Raises FileProblem when it cannot be read or is none.
    """
    tables: dict[str, SavedTable] = {}
    repeats: Counter[tuple[str, ...]] = Counter()
    latest: dict[tuple[str, ...], RowKey] = {}
    for number, record in _lines(path):
        table = tables.setdefault(record["table"], SavedTable(id=record["table"], title=record["title"]))
        column = (record["group"], record["column"])
        table.columns.setdefault(column, record["letter"])
        name = record["row_code"] or record["row"]
        figure = today_name(record["figure"])
        place = (table.id, record["question"], record["row_kind"], name, *column)
        if figure == LETTERS:  # they follow the figure that carries them
            row = latest.get(place, (record["question"], record["row_kind"], name, 0))
            table.rows.setdefault(row, record["row"])
            table.letters[row, column] = record["text"]
            continue
        row = latest[place] = (record["question"], record["row_kind"], name, repeats[*place, figure])
        repeats[*place, figure] += 1
        table.rows.setdefault(row, record["row"])
        cell = (row, column, figure)
        table.values[cell] = _value(record["value"], path, number)
        table.marks[cell] = record["mark"]
    return tables


TIDY = "a tidy file"
WHAT = "a tidy file of a report was expected; make one with: eager-otter run --output tables.csv"


Saved = dict[str, str]  # one record, by the columns of today


def _lines(path: Path) -> Iterator[tuple[int, Saved]]:
    """Go through the records of a tidy file as texts, with the number of each (of its line, in CSV)."""
    read = {".json": _json_lines, ".parquet": _parquet_lines}.get(path.suffix.lower(), _csv_lines)
    checked_file(path, TIDY)
    with reading(path, TIDY, f"{WHAT[0].upper()}{WHAT[1:]}."):
        yield from read(path)


def _as_today(record: Mapping[str, str]) -> Saved:
    """Return a record by the columns of today, whichever version wrote it."""
    if "layer" not in record:
        return dict(record)
    letters = record["figure"] == LETTERS
    return {
        **record,
        "part": record["layer"],
        "question": "",
        "value": "" if letters else record["value"],
        "text": record["value"] if letters else "",
    }


def _csv_lines(path: Path) -> Iterator[tuple[int, Saved]]:
    reader = csv.reader(read_lines(path, TIDY), strict=True)
    columns = tuple(next(reader, ()))
    if columns not in (COLUMNS, OLD_COLUMNS):
        raise FileProblem(f"{shown_path(path)}: its first line does not name the columns; {WHAT}.")
    for number, cells in enumerate(reader, 2):
        if len(cells) != len(columns):
            raise FileProblem(
                f"{shown_path(path)}: line {number} has {len(cells)} cells, not {len(columns)}."
            )
        yield number, _as_today(dict(zip(columns, cells, strict=True)))


def _json_lines(path: Path) -> Iterator[tuple[int, Saved]]:
    try:
        records = read_json(path, "JSON")["records"]
        columns = OLD_COLUMNS if records and "layer" in records[0] else COLUMNS
        rows = [
            {name: "" if record[name] is None else str(record[name]) for name in columns}
            for record in records
        ]
    except (ValueError, KeyError, TypeError) as error:
        raise FileProblem(f"{shown_path(path)}: holds no records of a report; {WHAT}.") from error
    yield from ((number, _as_today(row)) for number, row in enumerate(rows, 1))


def _parquet_lines(path: Path) -> Iterator[tuple[int, Saved]]:
    import pyarrow as pa
    import pyarrow.parquet as pq

    try:
        table = pq.read_table(path).to_pydict()
        old = "layer" in table
        columns = {name: table[name] for name in ((*OLD_COLUMNS, "text") if old else COLUMNS)}
    except (pa.ArrowException, KeyError) as error:
        raise FileProblem(f"{shown_path(path)}: holds no records of a report; {WHAT}.") from error
    columns["value"] = [None if value is None else repr(value) for value in columns["value"]]
    if old:  # letters had a column of their own here
        texts = zip(columns["value"], columns.pop("text"), strict=True)
        columns["value"] = [text if value is None else value for value, text in texts]
    for number, cells in enumerate(zip(*columns.values(), strict=True), 1):
        row = zip(columns, cells, strict=True)
        yield number, _as_today({name: "" if cell is None else str(cell) for name, cell in row})


def _value(text: str, path: Path, number: int) -> float | None:
    if text == "":
        return None
    value = number_of(text)
    if value is None:
        raise FileProblem(f"{shown_path(path)}: record {number}: {text!r} is not a number.")
    return value
