"""Read the triple-s survey interchange standard: an XML definition (1.1 to 2.0) with fixed-width or CSV data."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from dataclasses import field
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.data.files import Source, checked_names, is_long, source_of
from eager_otter.data.records import Taker, tables_of
from eager_otter.data.remark import Remark, blank_lines, named, short_records
from eager_otter.data.triple_s_definition import Definition, Variable, read_definition
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, FileProblem, name_of, shown_path
from eager_otter.gates.numbers import whole_of
from eager_otter.gates.reading import checked_file, read_lines, reason_of
from eager_otter.looks.words import said

LARGEST_DATA = 2_000_000_000  # bytes


@dataclass(frozen=True, slots=True, eq=False)
class TripleSFile:
    """A triple-s survey whose definition has been read."""

    definition: Definition
    names: tuple[str, ...]
    decimal: str = "."
    _by_column: dict[str, tuple[Variable, int]] = field(default_factory=dict)

    @property
    def place(self) -> str:
        """Its name in a message."""
        return shown_path(self.definition.path)

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from."""
        return (self.definition.path, self.definition.data)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table. Raises FileProblem, DataError for a file without rows."""
        parts = list(self.in_a_row(columns))
        if not parts:
            raise DataError(f"{shown_path(self.definition.data)}: has no records; at least one is needed.")
        return pa.concat_tables(parts)

    @property
    def is_long(self) -> bool:
        """Whether it is so large that it is better read once only."""
        return is_long(self.definition.data)

    def in_a_row(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns as text in parts: Arrow tables. Raises FileProblem."""
        takers = {name: _taker(*self._by_column[name], csv_fields=self.definition.csv) for name in columns}
        return tables_of((record for _, record in _records(self.definition)), takers)

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell of records that are shorter than the definition says, and of blank lines among them."""
        variables = self.definition.variables
        if empty := [variable.name for variable in variables if not variable.columns]:
            yield Remark(
                slip="variable without answers",
                text=said(
                    "{count} {count:variable has|variables have} no answers in the definition and "
                    "{count:is|are} left out ({where})."
                ),
                values={"count": len(empty), "where": named(empty)},
                remedy="Add the values to the definition, where these questions are wanted.",
                count=len(empty),
            )
        needed = max(v.start if self.definition.csv else v.finish for v in variables)
        short, before, blank = [], self.definition.skip, 0
        for line, record in _records(self.definition):
            blank += line - before - 1
            before = line
            if len(record) < needed:
                short.append(f"line {line:,}")
        if short:
            yield short_records(short)
        if blank:
            yield blank_lines(blank)

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.definition.data, rows, how=f"defined by {name_of(self.definition.path)}")


def open_triple_s(path: Path) -> TripleSFile:
    """Open a triple-s definition and find its data. Raises FileProblem, DataError."""
    definition = read_definition(path)
    by_column = {
        column: (variable, part)
        for variable in definition.variables
        for part, column in enumerate(variable.columns)
    }
    names = [column for variable in definition.variables for column in variable.columns]
    return TripleSFile(definition, tuple(checked_names(names, shown_path(path))), ".", by_column)


def _records(definition: Definition) -> Iterator[tuple[int, Any]]:
    """Go through the records that hold something, each with its line (from 1; in CSV, its number among the rows)."""
    what, place = "the data of a triple-s survey", shown_path(definition.data)
    checked_file(definition.data, what, most=LARGEST_DATA)
    lines = read_lines(definition.data, what)
    records: Iterator[Any] = csv.reader(lines) if definition.csv else (line.rstrip("\r\n") for line in lines)
    try:
        for number, record in enumerate(records, 1):
            if number > definition.skip and record:
                yield number, record
    except csv.Error as error:
        raise FileProblem(f"{place}: cannot be read ({reason_of(error)}).") from error


def _taker(variable: Variable, part: int, *, csv_fields: bool) -> Taker:
    """Make the function that takes one column's text out of a record."""

    def whole(record: Any) -> str:
        if not csv_fields:
            return str(record[variable.start - 1 : variable.finish])
        return str(record[variable.start - 1]) if variable.start <= len(record) else ""

    def bit(record: Any) -> str | None:
        place = (whole_of(variable.values[part].code) or 1) - 1
        text = whole(record)
        return (
            text[place]
            if text.strip() and place < len(text) and text[place] != " "
            else "0"
            if text.strip()
            else None
        )

    def subfield(record: Any) -> str | None:
        if csv_fields and variable.finish > variable.start:
            place = variable.start - 1 + part
            text = record[place] if place < len(record) else ""
        else:
            text = whole(record)[part * variable.width : (part + 1) * variable.width]
        code = canonical(text.strip().lstrip("0") or "0") if text.strip() else ""
        return None if code in ("", "0") else code

    def single(record: Any) -> str | None:
        text = whole(record).strip()
        return canonical(text.lstrip("0") or "0") if text.isdigit() else text or None

    def plain(record: Any) -> str | None:
        return whole(record).strip() or None

    def day(record: Any) -> str | None:
        text = whole(record).strip()
        return f"{text[:4]}-{text[4:6]}-{text[6:]}" if len(text) == 8 and text.isdigit() else text or None

    if variable.type == "multiple":
        return subfield if variable.subfields else bit
    return {"single": single, "date": day}.get(variable.type, plain)
