"""Read Parquet files, only the columns that are wanted."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data import files
from eager_otter.data.arrow_columns import answers_in
from eager_otter.data.files import Source, check_room, checked_names, source_of
from eager_otter.data.remark import Remark
from eager_otter.errors import DataError, shown_path
from eager_otter.gates.reading import checked_file, reading

WHAT = "Parquet"
SHORT_GROUP = 1 << 18  # rows


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

    @property
    def rows(self) -> int:
        """How many rows it has."""
        from pyarrow import parquet

        with reading(self.path, WHAT):
            return int(parquet.read_metadata(self.path).num_rows)

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns are of types that can be answers. Raises FileProblem, DataError."""
        from pyarrow import parquet

        with reading(self.path, WHAT):
            schema = parquet.read_schema(self.path)
        for name in columns:
            answers_in(pa.chunked_array([pa.array([], schema.field(name).type)]), name, self.place)

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns in parts of so many rows, the last with fewer: Arrow tables.

        `first` and `end` (not included; None: the last) are rows; with `categories`, texts come as dictionaries.
        Raises as `read` does, later.
        """
        from pyarrow import parquet

        names = list(columns)
        with reading(self.path, WHAT):
            schema = parquet.read_schema(self.path) if categories else None
            texts = [
                name for name in names if schema is not None and pa.types.is_string(schema.field(name).type)
            ]
            with parquet.ParquetFile(self.path, read_dictionary=texts, pre_buffer=False) as file:
                end = file.metadata.num_rows if end is None else end
                if not names:
                    yield from (pa.table({}) for _ in range(first, end, files.PART_ROWS))
                    return
                groups, skipped = _row_groups(file.metadata, first, end)
                for batch in in_parts(_batches(file, groups, names), skipped, end - first):
                    part = batch.select(names)
                    yield pa.table(
                        [answers_in(part.column(name), name, self.place) for name in names], names=names
                    )

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Return what was noticed: nothing."""
        return iter(())

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.path, rows)


def _row_groups(metadata: Any, first: int, end: int) -> tuple[list[int], int]:
    """Return the row groups that hold some rows, and how many rows of these are before the first."""
    groups: list[int] = []
    skipped = start = 0
    for number in range(metadata.num_row_groups):
        stop = start + metadata.row_group(number).num_rows
        if start < end and stop > first:
            if not groups:
                skipped = first - start
            groups.append(number)
        start = stop
    return groups, skipped


def _batches(file: Any, groups: Sequence[int], names: Sequence[str]) -> Iterator[Any]:
    """Read row groups: each whole where it is short, which takes the least memory, else bit by bit."""
    for group in groups:
        if file.metadata.row_group(group).num_rows <= SHORT_GROUP:
            yield from file.read_row_group(group, columns=names).to_batches()
        else:
            yield from file.iter_batches(batch_size=files.PART_ROWS, row_groups=[group], columns=names)


def in_parts(batches: Iterable[Any], skipped: int, rows: int) -> Iterator[Any]:
    """Cut batches into tables of so many rows each, after some that are skipped: so many rows in all."""
    held: list[Any] = []
    count = 0
    for whole in batches:
        batch = whole
        if skipped:
            dropped = min(skipped, batch.num_rows)
            batch, skipped = batch.slice(dropped), skipped - dropped
        batch = batch.slice(0, rows)
        rows -= batch.num_rows
        while batch.num_rows:
            taken = batch.slice(0, files.PART_ROWS - count)
            batch = batch.slice(taken.num_rows)
            held.append(taken)
            count += taken.num_rows
            if count == files.PART_ROWS:
                yield pa.Table.from_batches(held)
                held, count = [], 0
    if held:
        yield pa.Table.from_batches(held)


def open_parquet(path: Path) -> ParquetFile:
    """Open a Parquet file and read its schema. Raises FileProblem, DataError for a column name twice."""
    from pyarrow import parquet

    checked_file(path, "a Parquet file")
    with reading(path, WHAT):
        names = parquet.read_schema(path).names
    return ParquetFile(path, tuple(checked_names(names, shown_path(path))))
