"""Read JSON records: a list of objects, or one object a line."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.files import Source, source_of
from eager_otter.data.sheet_file import cell_as_text
from eager_otter.errors import DataError, FileProblem, shown_path

LARGEST = 1024**3


@dataclass(frozen=True, slots=True, eq=False)
class JsonFile:
    """JSON records that have been read."""

    path: Path
    names: tuple[str, ...]
    records: list[dict[str, Any]]
    decimal: str = "."

    @property
    def place(self) -> str:
        """What to call it in a message."""
        return shown_path(self.path)

    def read(self, columns: Sequence[str]) -> Any:
        """Give some columns as text: an Arrow table. Raises DataError for a value that is no answer."""
        arrays = [
            pa.array([self._text(k, name) for k in range(len(self.records))], pa.string()) for name in columns
        ]
        return pa.table(arrays, names=list(columns))

    def _text(self, k: int, name: str) -> str | None:
        value = self.records[k].get(name)
        if isinstance(value, dict | list):
            raise DataError(
                f"{self.place}: record {k + 1}: {name!r} holds a list or an object, not an answer."
            )
        return cell_as_text(value)

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return source_of(self.path, rows)


def open_json(path: Path) -> JsonFile:
    """Open a JSON file. Raises FileProblem for one that is no JSON or too large, DataError for other than records."""
    place = shown_path(path)
    if path.stat().st_size > LARGEST:
        raise FileProblem(f"{place}: larger than 1 GB; save it as Parquet or CSV.")
    try:
        text = path.read_text(encoding="utf-8-sig")
        lines = path.suffix.lower() == ".jsonl"
        records = (
            [json.loads(line) for line in text.splitlines() if line.strip()] if lines else json.loads(text)
        )
    except UnicodeDecodeError as error:
        raise FileProblem(f"{place}: not UTF-8 text (byte {error.start + 1}).") from error
    except (json.JSONDecodeError, RecursionError) as error:
        raise FileProblem(f"{place}: is no JSON ({error}).") from error
    except OSError as error:
        raise FileProblem(f"{place}: cannot be read ({error.strerror}).") from error
    if not isinstance(records, list) or not all(isinstance(record, dict) for record in records):
        raise DataError(f"{place}: a list of records is wanted, one object per respondent.")
    if not records:
        raise DataError(f"{place}: has no records; at least one respondent is needed.")
    names = tuple(dict.fromkeys(name for record in records for name in record))
    return JsonFile(path, names, records)
