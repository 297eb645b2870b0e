"""Read Parquet files, only the columns that are wanted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.files import Source, checked_names, source_of
from eager_otter.errors import DataError, FileProblem, shown_path


@dataclass(frozen=True, slots=True)
class ParquetFile:
    """A Parquet file whose schema has been read."""

    path: Path
    names: tuple[str, ...]
    decimal: str = "."

    @property
    def place(self) -> str:
        """What to call it in a message."""
        return shown_path(self.path)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table. Raises FileProblem, DataError for no rows or nested columns."""
        from pyarrow import parquet

        try:
            table = parquet.ParquetFile(self.path).read(columns=list(columns))
        except (pa.ArrowInvalid, OSError) as error:
            raise FileProblem(f"{self.place}: cannot be read as Parquet ({error}).") from error
        if table.num_rows == 0:
            raise DataError(f"{self.place}: has no rows; at least one respondent is needed.")
        for field in table.schema:
            if pa.types.is_nested(field.type):
                raise DataError(f"{self.place}: column {field.name!r} holds lists or records, not answers.")
        return table.select(list(columns))

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return source_of(self.path, rows)


def open_parquet(path: Path) -> ParquetFile:
    """Open a Parquet file and read its schema. Raises FileProblem, DataError for a column name twice."""
    from pyarrow import parquet

    try:
        names = parquet.read_schema(path).names
    except (pa.ArrowInvalid, OSError) as error:
        raise FileProblem(f"{shown_path(path)}: cannot be read as Parquet ({error}).") from error
    return ParquetFile(path, tuple(checked_names(names, shown_path(path))))
