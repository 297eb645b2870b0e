"""Copies of columns: parts of so many rows, each column of a part by itself, so that any is read for next to nothing.

A copy is a zip package whose entries `<first row>-<end>/<number of the column>` are Arrow streams of one column each.
They lie there as they are, so that nothing is unpacked; texts that mostly differ are compressed.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import lru_cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.arrow_columns import in_parts, table_alike
from eager_otter.data.columns import one_array
from eager_otter.dataclass import dataclass
from eager_otter.gates.packages import new_package, opened_package
from eager_otter.gates.reading import checked_file, stamp_of

WHAT = "a copy of columns"
NARROW = ((pa.uint8(), 1 << 8), (pa.uint16(), 1 << 16))
COMPRESSED = "zstd" if pa.Codec.is_available("zstd") else None


@dataclass(frozen=True, slots=True)
class ColumnCopy:
    """A copy of the columns called `names`, in the file at `path`."""

    path: Path
    names: tuple[str, ...]

    @property
    def rows(self) -> int:
        """How many rows it has. Raises FileProblem."""
        return self._starts[-1]

    @property
    def _starts(self) -> tuple[int, ...]:
        return _starts_of(self.path, stamp_of(checked_file(self.path, WHAT)))

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table. Raises FileProblem."""
        return _one_table(list(self._stored(columns, 0, self.rows)))

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns in parts of so many rows, the last with fewer: Arrow tables.

        `first` and `end` (not included; None: the last) are rows. With `categories`, those of a part take as little
        room as they can, else all parts are of the same types. Raises FileProblem, later.
        """
        starts, stop = self._starts, self.rows if end is None else end
        before = max((start for start in starts if start <= first), default=0)
        for part in in_parts(self._stored(columns, first, stop), first - before, stop - first, _one_table):
            yield part if categories else table_alike(part)

    def _stored(self, columns: Sequence[str], first: int, end: int) -> Iterator[Any]:
        """Read some columns of the stored parts that hold some rows, each part whole."""
        starts, places = self._starts, [self.names.index(name) for name in columns]
        with opened_package(self.path, WHAT) as (_, read):
            for start, stop in pairwise(starts):
                if start < end and stop > first:
                    arrays = [_column_in(read(_entry(start, stop, place))) for place in places]
                    yield pa.table(arrays, names=list(columns))


def write_copy(path: Path, parts: Iterable[Any], names: Sequence[str]) -> ColumnCopy:
    """Write columns of Arrow tables into a file, a part each: dictionaries of texts, or texts. Raises OSError."""
    start = 0
    with new_package(path) as add:
        for part in parts:
            stop = start + part.num_rows
            for place, name in enumerate(names):
                add(_entry(start, stop, place), _stream_of(part.column(name)))
            start = stop
    return ColumnCopy(path, tuple(names))


def _entry(start: int, stop: int, place: int) -> str:
    return f"{start}-{stop}/{place}"


@lru_cache(maxsize=32)
def _starts_of(path: Path, stamp: tuple[int, int]) -> tuple[int, ...]:
    """Return the row at which each part of a copy starts, then the end, once while it is the same."""
    with opened_package(path, WHAT) as (names, _):
        ends = {int(span.partition("-")[2]) for span, _, place in (name.partition("/") for name in names)}
        return (0, *sorted(ends))


def _stream_of(column: Any) -> Any:
    """Write a column as an Arrow stream: its bytes."""
    array = one_array(column)
    texts = not pa.types.is_dictionary(array.type)
    if not texts:
        many = len(array.dictionary)
        narrow = next((kind for kind, most in NARROW if many <= most), pa.int32())
        array = pa.DictionaryArray.from_arrays(array.indices.cast(narrow), array.dictionary)
    batch, out = pa.record_batch([array], [""]), pa.BufferOutputStream()
    options = pa.ipc.IpcWriteOptions(compression=COMPRESSED if texts else None)
    with pa.ipc.new_stream(out, batch.schema, options=options) as writer:
        writer.write_batch(batch)
    return out.getvalue()


def _column_in(stream: bytes) -> Any:
    return pa.ipc.open_stream(stream).read_next_batch().column(0)


def _one_table(tables: list[Any]) -> Any:
    """Put tables of the same columns together, one behind the other."""
    return tables[0] if len(tables) == 1 else pa.concat_tables([table_alike(table) for table in tables])
