"""Read JSON records: a list of objects, or one object a line."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.files import AtPath, DataFile, Source, checked_names, source_of
from eager_otter.data.lists import joined
from eager_otter.data.package import is_description, open_description
from eager_otter.data.remark import Remark, named
from eager_otter.data.sheet_file import cell_as_text
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, shown_path
from eager_otter.gates.numbers import number_of
from eager_otter.gates.reading import LARGEST_JSON, parse_json, read_text, reading
from eager_otter.gates.text import held, replaced_in
from eager_otter.looks.words import said

WHAT = "JSON"


@dataclass(frozen=True, slots=True, eq=False)
class JsonFile(AtPath):
    """JSON records that have been read."""

    names: tuple[str, ...]
    records: list[dict[str, Any]]
    decimal: str = "."

    def read(self, columns: Sequence[str]) -> Any:
        """Return some columns as text, lists as answers that are joined: an Arrow table.

        Raises DataError for a value that is not an answer.
        """
        arrays = [
            pa.array([self._text(k, name) for k in range(len(self.records))], pa.string()) for name in columns
        ]
        return pa.table(arrays, names=list(columns))

    def _text(self, k: int, name: str) -> str | None:
        value = self.records[k].get(name)
        if isinstance(value, str) and value.isascii():  # most are
            return value or None
        place = f"{self.place}: record {k + 1}: {name!r}"
        if isinstance(value, list):
            return joined(value, lambda one: _answer(one, place), place)
        return _answer(value, place)

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""
        found = (name for one in self.records for name, value in one.items() if isinstance(value, list))
        return list(dict.fromkeys(found))

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns hold answers, or lists of them. Raises DataError."""
        for k, record in enumerate(self.records):
            for name in columns:
                value = record.get(name)
                for one in value if isinstance(value, list) else [value]:
                    _check_answer(one, f"{self.place}: record {k + 1}: {name!r}")

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell of halves of characters."""
        broken = [
            f"record {number}"
            for number, record in enumerate(self.records, 1)
            if any(isinstance(value, str) and _halved(value) for value in record.values())
        ]
        if broken:
            yield Remark(
                slip="half a character",
                text=said(
                    "{count} {count:record has|records have} half a character in a text ({where}); a code is there now."
                ),
                values={"count": len(broken), "where": named(broken)},
                remedy="Export the data again; characters beyond the usual ones were cut in two.",
                count=len(broken),
            )

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.path, rows)


def open_json(path: Path) -> DataFile:
    """Open a JSON file of records, or one that describes a CSV file beside it: see `open_description`.

    Raises FileProblem for one that is not JSON or too large, DataError for other than records.
    """
    place = shown_path(path)
    text = read_text(path, "a JSON file", most=LARGEST_JSON)
    with reading(path, WHAT):
        if path.suffix.lower() == ".jsonl":
            lines = enumerate(text.replace("\r\n", "\n").replace("\r", "\n").split("\n"), 1)
            records = [
                parse_json(line, f"{place}, line {k}", WHAT, number=_number_text)
                for k, line in lines
                if line.strip()
            ]
        else:
            records = parse_json(text, place, WHAT, number=_number_text)
    if is_description(records):
        return open_description(path)
    if not isinstance(records, list) or not all(isinstance(record, dict) for record in records):
        raise DataError(f"{place}: a list of records was expected, one object per respondent.")
    if not records:
        raise DataError(f"{place}: has no records; at least one respondent is needed.")
    names = list(dict.fromkeys(name for record in records for name in record))
    return JsonFile(path, tuple(checked_names(names, place)), records)


def _check_answer(value: Any, place: str) -> None:
    if isinstance(value, dict | list):
        raise DataError(f"{place} holds an object, or a list within a list, not an answer.")


def _answer(value: Any, place: str) -> str | None:
    _check_answer(value, place)
    text = cell_as_text(value)
    return text if text is None or not _halved(text) else held(text)


def _number_text(written: str) -> str:
    """Return a number as other files hold it: whole numbers without a fraction, and with all their digits."""
    if written.removeprefix("-").isdecimal():
        return "0" if written == "-0" else written
    number = number_of(written)
    return written if number is None else cell_as_text(number) or written


def _halved(text: str) -> bool:
    return not text.isascii() and replaced_in(text) > 0 and any("\ud800" <= c <= "\udfff" for c in text)
