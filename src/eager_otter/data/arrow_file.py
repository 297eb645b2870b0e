"""Read Arrow files (Feather): columns are taken from the file as it lies on the disk."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data import files
from eager_otter.data.arrow_columns import answers_in, check_kind
from eager_otter.data.files import AtPath, Source, checked_names, source_of
from eager_otter.data.lists import lists_in
from eager_otter.data.remark import Remark
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, shown_path
from eager_otter.gates.reading import checked_file, reading, stamp_of

WHAT = "an Arrow file"


@dataclass(frozen=True, slots=True)
class ArrowFile(AtPath):
    """An Arrow file whose schema has been read."""

    names: tuple[str, ...]
    decimal: str = "."

    @property
    def _table(self) -> Any:
        checked_file(self.path, WHAT)
        return _table_of(self.path, stamp_of(self.path))

    def read(self, columns: Sequence[str]) -> Any:
        """Take some columns: an Arrow table. Raises FileProblem, DataError for no rows or columns without answers."""
        if not self.rows:
            raise DataError(f"{self.place}: has no rows; at least one respondent is needed.")
        table = self._table
        with reading(self.path, WHAT):
            arrays = [answers_in(table.column(name), name, self.place) for name in columns]
        return pa.table(arrays, names=list(columns))

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return int(self._table.num_rows)

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns are of types that can be answers. Raises FileProblem, DataError."""
        schema = self._table.schema
        for name in columns:
            check_kind(schema.field(name).type, name, self.place)

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""
        return lists_in(self.names, self._table.schema)

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Take some columns of some rows in parts of so many: Arrow tables."""
        stop, table = self.rows if end is None else end, self._table
        for start in range(first, stop, files.PART_ROWS):
            part = table.slice(start, min(files.PART_ROWS, stop - start))
            arrays = [answers_in(part.column(name), name, self.place) for name in columns]
            yield pa.table(arrays, names=list(columns))

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Return what was noticed: nothing."""
        return iter(())

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.path, rows)


@lru_cache(maxsize=4)
def _table_of(path: Path, stamp: tuple[int, int]) -> Any:
    """Map a file, once while it is the same, as an Arrow table. Raises FileProblem."""
    with reading(path, WHAT, "Save it again as Arrow (Feather version 2), or as Parquet."):
        source = pa.memory_map(str(path))
        try:
            return pa.ipc.open_file(source).read_all()
        except pa.ArrowInvalid:
            source.seek(0)
            return pa.ipc.open_stream(source).read_all()


def open_arrow(path: Path) -> ArrowFile:
    """Open an Arrow file. Raises FileProblem for one that is none, DataError for a column name twice."""
    checked_file(path, WHAT)
    table = _table_of(path, stamp_of(path))
    return ArrowFile(path, tuple(checked_names(table.column_names, shown_path(path))))
