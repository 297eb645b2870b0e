"""A long file of text, read once into a Parquet file among the temporary ones, so that any column can be read again."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import pyarrow as pa

from eager_otter.data.files import FileInARow, OfAnother
from eager_otter.data.parquet_file import ParquetFile, in_parts
from eager_otter.data.remark import Remark
from eager_otter.errors import DataError, FileProblem
from eager_otter.gates.reading import reason_of
from eager_otter.gates.temporary import TemporaryFolder

GROUP_ROWS = 1 << 18  # rows of a row group


@dataclass(frozen=True, slots=True)
class ConvertedFile(OfAnother):
    """A file of text of which some columns are in a Parquet file as well; the `folder` of that goes when this does."""

    whole: FileInARow
    copy: ParquetFile
    rows: int
    folder: TemporaryFolder

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table."""
        if set(columns) <= set(self.copy.names):
            return self.copy.read(columns)
        return self.whole.read(columns)

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns in parts of so many rows: see `ParquetFile.parts`."""
        if set(columns) <= set(self.copy.names):
            yield from self.copy.parts(columns, first, end, categories=categories)
            return
        stop = self.rows if end is None else end
        yield from in_parts(self.whole.in_a_row(columns), first, stop - first)

    def remarks(self, rows: int) -> Iterable[Remark]:
        """Tell what was noticed in the file of text."""
        return self.whole.remarks(rows)


def converted(file: FileInARow, columns: Sequence[str]) -> ConvertedFile:
    """Read columns of a file of text once. Raises FileProblem, DataError for a file without rows."""
    from pyarrow import parquet

    folder = TemporaryFolder()
    path = folder.path / "responses.parquet"
    names = list(columns) or list(file.names[:1])
    schema = pa.schema([(name, pa.dictionary(pa.int32(), pa.string())) for name in names])
    rows = 0
    try:
        with parquet.ParquetWriter(path, schema, compression="snappy") as writer:
            for part in file.in_a_row(names):
                arrays = [part.column(name).combine_chunks().dictionary_encode() for name in names]
                writer.write_table(pa.table(arrays, schema=schema), GROUP_ROWS)
                rows += part.num_rows
    except OSError as error:
        raise FileProblem(
            f"{file.place}: is long and is copied for counting, which failed in the folder for temporary "
            f"files ({reason_of(error)}). Make room there, name another folder in TMPDIR, or save the data as Parquet."
        ) from error
    if not rows:
        raise DataError(f"{file.place}: has no rows; at least one respondent is needed.")
    return ConvertedFile(file, ParquetFile(path, tuple(names)), rows, folder)
