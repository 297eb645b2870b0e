"""Read Parquet files, only the columns that are wanted."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.arrow_columns import answers_in
from eager_otter.data.files import Source, check_room, checked_names, source_of
from eager_otter.data.remark import Remark
from eager_otter.errors import DataError, shown_path
from eager_otter.gates.reading import checked_file, reading

WHAT = "Parquet"
PART_ROWS = 1 << 18


@dataclass(frozen=True, slots=True)
class ParquetFile:
    """A Parquet file whose schema has been read."""

    path: Path
    names: tuple[str, ...]
    decimal: str = "."

    @property
    def place(self) -> str:
        """Its name in a message."""
        return shown_path(self.path)

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from."""
        return (self.path,)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table. Raises FileProblem, DataError for no rows or columns without answers."""
        from pyarrow import parquet

        with reading(self.path, WHAT):
            with parquet.ParquetFile(self.path) as file:
                check_room(file.metadata.num_rows * max(len(columns), 1), self.place)
                table = file.read(columns=list(columns)).select(list(columns))
            if table.num_rows == 0:
                raise DataError(f"{self.place}: has no rows; at least one respondent is needed.")
            return pa.table(
                [answers_in(table.column(name), name, self.place) for name in columns], names=list(columns)
            )

    def parts(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns in parts: Arrow tables. Raises as `read` does, later."""
        from pyarrow import parquet

        with reading(self.path, WHAT), parquet.ParquetFile(self.path) as file:
            check_room(file.metadata.num_rows, self.place)
            for batch in file.iter_batches(batch_size=PART_ROWS, columns=list(columns)):
                part = pa.Table.from_batches([batch]).select(list(columns))
                yield pa.table(
                    [answers_in(part.column(name), name, self.place) for name in columns], names=list(columns)
                )

    @property
    def in_parts(self) -> bool:
        """Whether it is so large that it is better read in parts."""
        from pyarrow import parquet

        with reading(self.path, WHAT):
            return bool(parquet.read_metadata(self.path).num_rows > PART_ROWS)

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Return what was noticed: nothing."""
        return iter(())

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.path, rows)


def open_parquet(path: Path) -> ParquetFile:
    """Open a Parquet file and read its schema. Raises FileProblem, DataError for a column name twice."""
    from pyarrow import parquet

    checked_file(path, "a Parquet file")
    with reading(path, WHAT):
        names = parquet.read_schema(path).names
    return ParquetFile(path, tuple(checked_names(names, shown_path(path))))
