"""Columns of a file that is slow to read, copied once, so that any rows can be read again."""

from __future__ import annotations

import sys
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import field
from itertools import chain
from pathlib import Path
from typing import Any, Protocol

import pyarrow as pa

from eager_otter.data import files
from eager_otter.data.arrow_columns import CATEGORIES, in_parts
from eager_otter.data.column_copy import ColumnCopy, write_copy
from eager_otter.data.columns import one_array
from eager_otter.data.files import DataFile, FileInARow, OfAnother
from eager_otter.data.remark import Remark
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, FileProblem, OtterError
from eager_otter.gates.reading import reason_of
from eager_otter.gates.temporary import TemporaryFolder

MANY = 0.5  # different texts per row from which on a column is not kept as categories


class Home(Protocol):
    """Where the copies of a file are."""

    def new_copy(self) -> Path:
        """Name a file for one more copy. Raises OSError."""

    def keep(self, copy: ColumnCopy) -> None:
        """Note a copy that has been written. Raises OSError."""

    def cannot(self, error: OSError) -> None:
        """Hear that a copy could not be written: return where others may be, or raise FileProblem."""

    def damaged(self) -> bool:
        """Hear that copies could not be read; return whether the file itself is to be read instead."""


@dataclass(slots=True, eq=False)
class TemporaryHome:
    """A home for as long as the program runs, for copies of the file called `place`."""

    place: str
    folder: TemporaryFolder
    count: int = 0

    def new_copy(self) -> Path:
        """Name a file for one more copy."""
        self.count += 1
        return self.folder.path / f"{self.count}.zip"

    def keep(self, copy: ColumnCopy) -> None:
        """Note nothing: the file remembers its copies."""

    def cannot(self, error: OSError) -> None:
        """Say that a copy could not be written. Raises FileProblem."""
        raise FileProblem(
            f"{self.place}: is long and is copied for counting, which failed in the folder for temporary "
            f"files ({reason_of(error)}). Make room there, name another folder in TMPDIR, or save the data as Parquet."
        ) from error

    def damaged(self) -> bool:
        """Leave the error to be told: what was written a moment ago cannot be read."""
        return False


@dataclass(frozen=True, slots=True, eq=False)
class ConvertedFile(OfAnother):
    """A file of which some columns are in copies as well, in a `home`; others are copied when first needed."""

    whole: DataFile
    copies: list[ColumnCopy]
    rows: int
    home: Home
    others: list[Home] = field(default_factory=list)  # where copies are that could not be written at home

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table."""
        sources = self._sources(columns)
        try:
            tables = [copy.read(own) for copy, own in sources.items()]
        except OtterError:
            if not self._forgotten(sources):
                raise
            return self.whole.read(columns)
        at_hand = {name: table.column(name) for table in tables for name in table.column_names}
        return pa.table({name: at_hand[name] for name in columns})

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns in parts of so many rows: see `PartedFile.parts`."""
        done, stop = first, self.rows if end is None else end
        if not columns:
            yield from (pa.table({}) for _ in range(first, stop, files.PART_ROWS))
            return
        sources = self._sources(columns)
        try:
            read = [copy.parts(own, first, end, categories=categories) for copy, own in sources.items()]
            for tables in zip(*read, strict=True):
                at_hand = {name: table.column(name) for table in tables for name in table.column_names}
                yield pa.table({name: at_hand[name] for name in columns})
                done += tables[0].num_rows
        except OtterError:
            if not self._forgotten(sources):
                raise
            yield from in_parts(_tables_of(self.whole, columns), done, stop - done, pa.concat_tables)

    def prepare(self, columns: Iterable[str]) -> None:
        """Copy what is not copied of some columns, all in one go. Raises FileProblem, DataError."""
        copied = {name for copy in self.copies for name in copy.names}
        missing = list(dict.fromkeys(name for name in columns if name not in copied))
        if not missing:
            return
        try:
            copy = _copy_of(self.whole, missing, self.home)
        except FileProblem:  # of the file itself
            raise
        except OSError as error:
            self.home.cannot(error)
            aside = TemporaryHome(self.place, TemporaryFolder())
            self.others.append(aside)
            copy = _copy_of(self.whole, missing, aside)
        self.copies.append(copy)

    def _sources(self, columns: Sequence[str]) -> dict[ColumnCopy, list[str]]:
        """Return the copies that hold some columns, and which of them each holds; what is missing is copied now."""
        self.prepare(columns)
        found: dict[ColumnCopy, list[str]] = {}
        for name in dict.fromkeys(columns):
            found.setdefault(next(copy for copy in self.copies if name in copy.names), []).append(name)
        return found

    def _forgotten(self, copies: Iterable[ColumnCopy]) -> bool:
        """Forget copies that could not be read; False where they are all there is."""
        if not self.home.damaged():
            return False
        damaged = set(copies)
        self.copies[:] = [copy for copy in self.copies if copy not in damaged]
        return True

    def remarks(self, rows: int) -> Iterable[Remark]:
        """Tell what was noticed in the whole file."""
        return self.whole.remarks(rows)


def converted(file: DataFile, columns: Sequence[str], home: Home | None = None) -> ConvertedFile:
    """Read columns of a file once into a copy, among the temporary files unless another home is given.

    Raises FileProblem, DataError for a file without rows, and OSError where nothing can be written to the given home.
    """
    there = TemporaryHome(file.place, TemporaryFolder()) if home is None else home
    try:
        copy = _copy_of(file, list(columns) or list(file.names[:1]), there)
    except FileProblem:  # of the file itself
        raise
    except OSError as error:
        if home is None:
            there.cannot(error)
        raise
    return ConvertedFile(file, [copy], copy.rows, there)


def _copy_of(file: DataFile, names: list[str], home: Home) -> ColumnCopy:
    """Copy columns of a file. Raises FileProblem, DataError, OSError."""
    parts = _tables_of(file, names)
    first = next(parts, None)
    if first is None or not first.num_rows:
        raise DataError(f"{file.place}: has no rows; at least one respondent is needed.")
    path, kinds = home.new_copy(), [_kept_as(first.column(name)) for name in names]
    schema = pa.schema(list(zip(names, kinds, strict=True)))
    kept = (
        pa.table(
            [_texts(part.column(name), kind) for name, kind in zip(names, kinds, strict=True)], schema=schema
        )
        for part in chain([first], parts)
    )
    copy = write_copy(path, in_parts(kept, 0, sys.maxsize, pa.concat_tables), names)
    home.keep(copy)
    return copy


def _kept_as(column: Any) -> Any:
    """Return as what a column is kept: as categories, or as texts where most differ, as ids and comments do."""
    different = len(one_array(column).unique())
    return pa.string() if different > MANY * len(column) else CATEGORIES


def _texts(column: Any, kind: Any) -> Any:
    array = one_array(column)
    return array if kind == array.type else array.dictionary_encode()


def _tables_of(file: DataFile, columns: Sequence[str]) -> Iterator[Any]:
    """Read columns of a file: in parts where it is long, else at once."""
    if isinstance(file, FileInARow) and file.is_long:
        yield from file.in_a_row(columns)
    else:
        yield file.read(columns)
