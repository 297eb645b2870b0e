"""Read Parquet files, only the columns that are wanted."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import accumulate
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data import files
from eager_otter.data.arrow_columns import answers_in, check_kind, in_parts
from eager_otter.data.files import AtPath, Source, check_room, checked_names, source_of
from eager_otter.data.lists import lists_in
from eager_otter.data.remark import Remark
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, shown_path
from eager_otter.gates.reading import reading
from eager_otter.gates.storage import data_stamp, opened_data

WHAT = "Parquet"
SHORT_GROUP = 1 << 18  # rows


@dataclass(frozen=True, slots=True)
class ParquetFile(AtPath):
    """A Parquet file whose schema has been read."""

    names: tuple[str, ...]
    decimal: str = "."

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table. Raises FileProblem, DataError for no rows or columns without answers."""
        from pyarrow import parquet

        footer = self._footer
        with reading(self.path, WHAT), opened_data(self.path) as source:
            check_room(footer.metadata.num_rows * max(len(columns), 1), self.place)
            with parquet.ParquetFile(
                source,
                metadata=footer.metadata,
                read_dictionary=[name for name in columns if _is_wide(footer.schema.field(name).type)],
                page_checksum_verification=True,
                pre_buffer=source is not self.path,
            ) as file:
                table = file.read(columns=list(columns)).select(list(columns))
            if table.num_rows == 0:
                raise DataError(f"{self.place}: has no rows; at least one respondent is needed.")
            return pa.table(
                [answers_in(table.column(name), name, self.place) for name in columns], names=list(columns)
            )

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return int(self._footer.metadata.num_rows)

    def columns_there(self) -> list[str]:
        """Return the names of the columns that the file has now."""
        return list(self._footer.schema.names)

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns are of types that can be answers. Raises FileProblem, DataError."""
        place, schema, seen = self.place, self._footer.schema, set()
        for name in columns:
            kind = schema.field(name).type
            if kind not in seen:
                check_kind(kind, name, place)
                seen.add(kind)

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""
        return lists_in(self.names, self._footer.schema)

    @property
    def _footer(self) -> _Footer:
        return _footer_of(self.path, data_stamp(self.path))

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns in parts of so many rows, the last with fewer: Arrow tables.

        `first` and `end` (not included; None: the last) are rows; with `categories`, texts come as dictionaries.
        Raises as `read` does, later.
        """
        try:
            yield from self._parts(list(columns), first, end, categories=categories)
        finally:
            pa.default_memory_pool().release_unused()

    def _parts(self, names: list[str], first: int, end: int | None, *, categories: bool) -> Iterator[Any]:
        from pyarrow import parquet

        place, footer = self.place, self._footer
        kinds = {name: footer.schema.field(name).type for name in names}
        texts = [
            name
            for name, kind in kinds.items()
            if _is_wide(kind) or (categories and pa.types.is_string(kind))
        ]
        with (
            reading(self.path, WHAT),
            opened_data(self.path) as source,
            parquet.ParquetFile(
                source,
                metadata=footer.metadata,
                read_dictionary=texts,
                # few large requests to a server; from a disk, reading ahead takes memory and gains nothing
                pre_buffer=source is not self.path,
                page_checksum_verification=True,
            ) as file,
        ):
            end = footer.metadata.num_rows if end is None else end
            if not names:
                yield from (pa.table({}) for _ in range(first, end, files.PART_ROWS))
                return
            groups, skipped = _row_groups(footer.starts, first, end)
            for batch in in_parts(_batches(file, groups, names), skipped, end - first):
                part = batch.select(names)
                yield pa.table([answers_in(part.column(name), name, place) for name in names], names=names)

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Return what was noticed: nothing."""
        return iter(())

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.path, rows)


@dataclass(frozen=True, slots=True, eq=False)
class _Footer:
    """What the end of a Parquet file tells: its schema, and the row at which each row group starts, then the end."""

    metadata: Any
    schema: Any
    starts: tuple[int, ...]


@lru_cache(maxsize=8)
def _footer_of(path: Path, stamp: tuple[int, int]) -> _Footer:
    """Read the footer of a file, once while it is the same. Raises FileProblem."""
    from pyarrow import parquet

    with reading(path, WHAT), opened_data(path) as source:
        metadata = parquet.read_metadata(source)
        groups = (metadata.row_group(number).num_rows for number in range(metadata.num_row_groups))
        return _Footer(metadata, metadata.schema.to_arrow_schema(), (0, *accumulate(groups)))


def _is_wide(kind: Any) -> bool:
    """Return whether texts are of a type that takes a conversion, which is spared where they are read as categories."""
    return pa.types.is_large_string(kind) or str(kind) == "string_view"


def _row_groups(starts: Sequence[int], first: int, end: int) -> tuple[list[int], int]:
    """Return the row groups that hold some rows, and how many rows of these are before the first."""
    groups = [
        number for number in range(len(starts) - 1) if starts[number] < end and starts[number + 1] > first
    ]
    return groups, first - starts[groups[0]] if groups else 0


def _batches(file: Any, groups: Sequence[int], names: Sequence[str]) -> Iterator[Any]:
    """Read row groups: each whole where it is short, which takes the least memory, else bit by bit."""
    for group in groups:
        if file.metadata.row_group(group).num_rows <= SHORT_GROUP:
            yield from file.read_row_group(group, columns=names).to_batches()
        else:
            yield from file.iter_batches(batch_size=files.PART_ROWS, row_groups=[group], columns=names)


def open_parquet(path: Path) -> ParquetFile:
    """Open a Parquet file and read its schema. Raises FileProblem, DataError for a column name twice."""
    names = _footer_of(path, data_stamp(path)).schema.names
    return ParquetFile(path, tuple(checked_names(names, shown_path(path))))
