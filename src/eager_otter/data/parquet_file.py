"""Read Parquet files, only the columns that are wanted."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

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
        """What to call it in a message."""
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
                [_answers(table.column(name), name, self.place) for name in columns], names=list(columns)
            )

    def parts(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns in parts: Arrow tables. Raises as `read` does, later."""
        from pyarrow import parquet

        with reading(self.path, WHAT), parquet.ParquetFile(self.path) as file:
            check_room(file.metadata.num_rows, self.place)
            for batch in file.iter_batches(batch_size=PART_ROWS, columns=list(columns)):
                part = pa.Table.from_batches([batch]).select(list(columns))
                yield pa.table(
                    [_answers(part.column(name), name, self.place) for name in columns], names=list(columns)
                )

    @property
    def in_parts(self) -> bool:
        """Whether it is so large that it is better read in parts."""
        from pyarrow import parquet

        with reading(self.path, WHAT):
            return bool(parquet.read_metadata(self.path).num_rows > PART_ROWS)

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell what was noticed: nothing."""
        return iter(())

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return source_of(self.path, rows)


def open_parquet(path: Path) -> ParquetFile:
    """Open a Parquet file and read its schema. Raises FileProblem, DataError for a column name twice."""
    from pyarrow import parquet

    checked_file(path, "a Parquet file")
    with reading(path, WHAT):
        names = parquet.read_schema(path).names
    return ParquetFile(path, tuple(checked_names(names, shown_path(path))))


def _answers(column: Any, name: str, place: str) -> Any:
    """Give a column of numbers, texts or days as it can be encoded. Raises DataError for one that holds no answers."""
    kind = column.type
    if pa.types.is_dictionary(kind):
        return _answers(column.cast(kind.value_type), name, place)
    if (
        pa.types.is_string(kind)
        or pa.types.is_boolean(kind)
        or pa.types.is_date(kind)
        or pa.types.is_null(kind)
    ):
        return column.cast(pa.string()) if pa.types.is_date(kind) or pa.types.is_null(kind) else column
    if pa.types.is_integer(kind) or pa.types.is_floating(kind):
        return column.cast(pa.float32()) if pa.types.is_float16(kind) else column
    if pa.types.is_large_string(kind) or pa.types.is_decimal(kind) or pa.types.is_timestamp(kind):
        return column.cast(pa.string())
    if str(kind) == "string_view":
        return column.cast(pa.string())
    raise DataError(f"{place}: column {name!r} holds values of the type {kind}, not answers.")
