"""The sources of responses: what every kind of file can do, and how it is named in outputs."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING, Any, Protocol, TypeVar, runtime_checkable

from pyarrow import concat_tables

from eager_otter.data.remark import Remark, named
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, FileProblem, name_of, nearest, shown_path
from eager_otter.gates.copying import changed_there
from eager_otter.gates.machine import memory
from eager_otter.gates.reading import digest_of_bytes, is_stored, state_of
from eager_otter.gates.storage import MINUTE, data_stamp, stored
from eager_otter.looks.words import counted, first_of, said

if TYPE_CHECKING:
    from concurrent.futures import Future

SHOWN = 5
PART_ROWS = (
    1 << 16
)  # rows are counted in parts of so many, wherever that is done and by however many at a time
IN_PARTS_FROM = 64 << 20  # bytes of a file of text that is read once only
MOST_COLUMNS = 100_000
LONGEST_NAME = 1_000  # characters of a column's name
MOST_OF_MEMORY = 0.5
LEFT_OUT = said(
    "{count} {count:column holds|columns hold} neither numbers nor texts, and {count:is|are} left out ({where})."
)


States = tuple[tuple[int, ...], ...]  # of files: see `state_of`
Fingerprint = tuple[tuple[int, int], ...]  # of files: their bytes and times


class DataFile(Protocol):
    """Responses that can be read column by column."""

    @property
    def names(self) -> Sequence[str]:
        """The names of all columns."""

    @property
    def decimal(self) -> str:
        """The sign between whole and fraction in its numbers."""

    @property
    def place(self) -> str:
        """Its name in a message."""

    @property
    def paths(self) -> Sequence[Path]:
        """The files it is read from."""

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table."""

    def remarks(self, rows: int) -> Iterable[Remark]:
        """Return what was noticed in the file, of which so many rows were read."""

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""


@runtime_checkable
class CheckedFile(DataFile, Protocol):
    """Responses whose columns may be of types that hold no answers."""

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns are of types that can be answers. Raises DataError."""


@runtime_checkable
class FileWithLists(DataFile, Protocol):
    """Responses of which some columns may hold lists of answers, which are read as texts of joined ones."""

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""


@runtime_checkable
class FileInARow(DataFile, Protocol):
    """Responses that can only be read from the first row on, in parts of some size."""

    @property
    def is_long(self) -> bool:
        """Whether there is so much of it that it is better read once only."""

    def in_a_row(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns as text, from the first row to the last, in parts: Arrow tables."""


@runtime_checkable
class PartedFile(CheckedFile, Protocol):
    """Responses of which any columns of any rows can be read for little."""

    @property
    def rows(self) -> int:
        """How many rows there are."""

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns of the rows from `first` to `end` in parts of so many rows: Arrow tables."""


@runtime_checkable
class SeveralFiles(DataFile, Protocol):
    """Responses of several files, whose rows are looked up in their own."""

    def row_text(self, row: int) -> str:
        """Name a row (from 0) as it stands in its own file: "row 12 of autumn.csv"."""


@dataclass(frozen=True, slots=True)
class AtPath:
    """The base of responses that are in one file, at a `path`."""

    path: Path

    @property
    def place(self) -> str:
        """Its name in a message."""
        return shown_path(self.path)

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from."""
        return (self.path,)


@dataclass(frozen=True, slots=True)
class OfAnother:
    """The base of responses that are read in another way than the `whole` file they are of."""

    whole: DataFile

    @property
    def names(self) -> Sequence[str]:
        """The names of all columns."""
        return self.whole.names

    @property
    def decimal(self) -> str:
        """The sign between whole and fraction in its numbers."""
        return self.whole.decimal

    @property
    def place(self) -> str:
        """Its name in a message."""
        return self.whole.place

    @property
    def paths(self) -> Sequence[Path]:
        """The files it is read from."""
        return self.whole.paths

    def check(self, columns: Sequence[str]) -> None:
        """Check nothing: the whole was checked, or is text."""

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return self.whole.source(rows)


@dataclass(frozen=True, slots=True)
class ColumnsOf(OfAnother):
    """The columns of responses that can hold answers; those `left_out` cannot."""

    left_out: tuple[str, ...]

    @property
    def names(self) -> Sequence[str]:
        """The names of all columns that can hold answers."""
        return [name for name in self.whole.names if name not in self.left_out]

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table. Raises what the whole does."""
        return self.whole.read(columns)

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""
        return self.whole.lists() if isinstance(self.whole, FileWithLists) else []

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell what was noticed in the whole, and what is left out of it."""
        yield from self.whole.remarks(rows)
        yield Remark(
            slip="column without answers",
            text=LEFT_OUT,
            values={"count": len(self.left_out), "where": named(self.left_out)},
            remedy="Where they are answers, make numbers or texts of them.",
            count=len(self.left_out),
            of_tables=False,
        )


def with_answers(file: DataFile) -> DataFile:
    """Leave out the columns of a file that can hold no answers. Raises DataError where no column can."""
    if not isinstance(file, CheckedFile):
        return file
    with suppress(DataError):
        file.check(file.names)  # most often all can
        return file
    wrong: dict[str, DataError] = {}
    for name in file.names:
        try:
            file.check([name])
        except DataError as error:
            wrong[name] = error
    if len(wrong) == len(file.names):
        raise next(iter(wrong.values()))
    return ColumnsOf(file, tuple(wrong))


@dataclass(frozen=True, slots=True)
class RowsOf(OfAnother):
    """Some rows of responses, from `first` to `end` (from 0, not included)."""

    first: int
    end: int

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table."""
        if isinstance(self.whole, PartedFile):
            return concat_tables(list(self.whole.parts(columns, self.first, self.end, categories=False)))
        return self.whole.read(columns).slice(self.first, self.end - self.first)

    @property
    def rows(self) -> int:
        """How many rows these are."""
        return self.end - self.first

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns in parts: see `PartedFile.parts`."""
        assert isinstance(self.whole, PartedFile)
        stop = self.end if end is None else self.first + end
        return self.whole.parts(columns, self.first + first, stop, categories=categories)

    def remarks(self, rows: int) -> Iterable[Remark]:
        """Return what was noticed: that is told of the whole."""
        return ()


def row_text(file: DataFile | None, row: int) -> str:
    """Name a row (from 0) of all responses of a file, or of the file of several in which it stands."""
    whole = file.whole if isinstance(file, RowsOf) else file
    return whole.row_text(row) if isinstance(whole, SeveralFiles) else f"row {row + 1}"


def is_long(path: Path) -> bool:
    """Return whether a file of text is so large that it is better read once only."""
    return path.stat().st_size >= IN_PARTS_FROM


def fingerprint_of(file: DataFile) -> Fingerprint:
    """Return what tells quickly whether the files are still the same: see `data_stamp`; () for none."""
    return tuple(map(data_stamp, file.paths))


def check_same(file: DataFile, fingerprint: Fingerprint, source: Source | None = None) -> Fingerprint:
    """Check that a file is the one it was when the work began, and give its fingerprint. Raises FileProblem.

    Where it was touched only, and its `source` then is known, it is the same as long as its bytes are.
    """
    found = fingerprint_of(file)
    if found == fingerprint:
        return fingerprint
    if source is not None and source.mark and file.source(source.rows).mark == source.mark:
        return found
    raise FileProblem(
        f"{file.place}: is not the file that was opened: its size or date is another. Was it changed meanwhile, or is "
        "another file under that path on the machine that counts? Open it again, or run again."
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """The source of responses: for the line at the foot of every output.

    `changed` is the day and minute (UTC) the file was last changed, `fingerprint` the first 12 digits of the
    SHA-256 of its bytes; both "" for data from memory. `how` tells the sheet, or an encoding that was guessed.

    `name` is that of the file, `rows` how many it holds. Of a file at an address, which is not read as a whole,
    `version` are 12 digits that stand for what its storage tells of its bytes. `each` are the sources of several files
    that are one survey.
    """

    name: str
    rows: int
    changed: str = ""
    fingerprint: str = ""
    how: str = ""
    version: str = ""
    each: tuple[Source, ...] = ()

    @property
    def mark(self) -> str:
        """The fingerprint, or the version: what tells data from others; "" where nothing does."""
        return self.fingerprint or self.version

    def __str__(self) -> str:
        if self.each:
            rows = ", ".join(f"{one.name} {one.rows:,}" for one in self.each)
            dated = f", the last of {self.changed} UTC" if self.changed else ""
            sums = f", SHA-256 of all {self.fingerprint}…" if self.fingerprint else ""
            version = f", version of all {self.version}" if self.version else ""
            return f"{self.name}, {counted(self.rows, 'row')} ({rows}){dated}{sums}{version}"
        parts = [self.name, *([self.how] if self.how else []), counted(self.rows, "row")]
        if self.changed:
            parts.append(f"file of {self.changed} UTC")
        if self.fingerprint:
            parts.append(f"SHA-256 {self.fingerprint}…")
        if self.version:
            parts.append(f"version {self.version}")
        return ", ".join(parts)


def source_of(path: Path, rows: int, how: str = "") -> Source:
    """Describe a file by its name, the day it was changed and its bytes, or by what its storage tells of it."""
    if is_stored(path):
        told = stored(path)
        return Source(name=name_of(path), rows=rows, changed=told.changed_text, version=told.version)
    changed = changed_text(path)
    return Source(name=name_of(path), rows=rows, changed=changed, fingerprint=digest_of(path)[:12], how=how)


def changed_text(path: Path) -> str:
    """Write the day and minute (UTC) when a file was last changed; for a copy, that at its address, if it is told."""
    there = changed_there(path)
    return there if there is not None else datetime.fromtimestamp(path.stat().st_mtime, UTC).strftime(MINUTE)


AT_REST = 2_000_000_000  # nanoseconds after which a file that is changed again has another time for sure
_DIGESTS: dict[Path, tuple[tuple[int, ...], str]] = {}  # of files as they were when they were last read


S = TypeVar("S")
_AHEAD: dict[Path, tuple[tuple[int, ...] | None, Future[str]]] = {}  # digests that are being made


def digest_ahead(path: Path) -> None:
    """Begin to make the SHA-256 of a file that is long to read, beside what else is done; `digest_of` waits for it."""
    _AHEAD[path.absolute()] = state_of(path), _beside(partial(_made_digest, path))


def _beside(make: Callable[[], S]) -> Future[S]:
    """Make something in a thread of its own."""
    from concurrent.futures import Future

    made: Future[S] = Future()

    def run() -> None:
        try:
            made.set_result(make())
        except BaseException as error:  # noqa: BLE001 - told where it is asked for
            made.set_exception(error)

    Thread(target=run, daemon=True).start()
    return made


class SourceAhead:
    """The source of a long file, which takes its SHA-256: made beside other work, and waited for where it is shown.

    `then` is called when it is first asked for.
    """

    def __init__(self, file: DataFile, rows: int, fingerprint: Fingerprint, then: Callable[[], None]) -> None:
        def make() -> Source:
            source = file.source(rows)
            check_same(file, fingerprint)
            return source

        self._made, self._then = _beside(make), [then]

    @property
    def known(self) -> Source | None:
        """The source, if it is made already."""
        return self._made.result() if self._made.done() and self._made.exception() is None else None

    def get(self) -> Source:
        """Return the source. Raises FileProblem, also where the file was changed before its bytes were read."""
        source = self._made.result()
        while self._then:
            self._then.pop()()
        return source


def is_slow_to_tell(file: DataFile) -> bool:
    """Return whether the source of a file takes reading a long file of which the SHA-256 is not known yet."""
    return any(not is_stored(path) and is_long(path) and _known_digest(path) is None for path in file.paths)


def digest_of(path: Path) -> str:
    """Return the SHA-256 of a file, read again only where it may have been changed since. Raises FileProblem."""
    began, made = _AHEAD.pop(path.absolute(), (None, None))
    if made is not None and began == state_of(path):
        return made.result()
    return _made_digest(path)


def _made_digest(path: Path) -> str:
    known = _known_digest(path)
    if known is not None:
        return known
    key = state_of(path)
    digest = digest_of_bytes(path, "a file of responses")
    if key is not None and time.time_ns() - max(key[-2:]) > AT_REST:
        know_digest(path, key, digest)
    return digest


def _known_digest(path: Path) -> str | None:
    """Return the SHA-256 of a file as it is now, where it was made before; None where it was not."""
    state, digest = _DIGESTS.get(path.absolute(), ((), ""))
    return digest if state and state == state_of(path) else None


def all_states(paths: Iterable[Path]) -> States:
    """Return what tells whether files have been written since; () where one is not there."""
    states = [state_of(path) for path in paths]
    return () if None in states else tuple(state for state in states if state is not None)


def are_same(paths: Sequence[Path], states: States, digests: Sequence[str], *, sure: bool = True) -> bool:
    """Return whether files are as they were: by their states where these are `sure`, else by their bytes.

    Their SHA-256 are known then. Raises FileProblem, ValueError for other numbers of files.
    """
    now = all_states(paths)
    if not now or [state[2] for state in now] != [state[2] for state in states]:
        return False
    if not (sure and now == states):
        return [digest_of(path) for path in paths] == list(digests)
    for path, state, digest in zip(paths, states, digests, strict=True):
        know_digest(path, state, digest)
    return True


def know_digest(path: Path, state: tuple[int, ...], digest: str) -> None:
    """Remember the SHA-256 of a file as long as its state is the same: see `state_of`."""
    _DIGESTS[path.absolute()] = (state, digest)


def checked_names(header: Sequence[str], place: str) -> list[str]:
    """Check the names of columns. Raises DataError for a name that appears twice, or far too many."""
    names = list(header)
    if len(names) > MOST_COLUMNS:
        raise DataError(f"{place}: {len(names):,} columns; at most {MOST_COLUMNS:,} are read.")
    long = next((name for name in names if len(name) > LONGEST_NAME), None)
    if long is not None:
        raise DataError(
            f"{place}: the header has a name of {len(long):,} characters, {long[:40]!r}…; is a quote not closed?"
        )
    if len(set(names)) < len(names):
        counts = Counter(names)
        twice = sorted(name for name, count in counts.items() if count > 1)
        shown = ", ".join(repr(name) for name in twice[:SHOWN])
        raise DataError(f"{place}: the header names {shown} more than once; each column needs its own name.")
    return names


def check_room(codes: int, place: str) -> None:
    """Refuse data of which a byte per answer would not fit into memory. Raises DataError."""
    if codes > MOST_OF_MEMORY * memory():
        raise DataError(
            f"{place}: holds {codes:,} answers, more than this machine's memory; name fewer questions, or split it."
        )


def check_there(file: DataFile, wanted: Sequence[str]) -> None:
    """Check that columns are in a file. Raises DataError naming all that are not, with the nearest ones."""
    known = set(file.names)
    absent = [name for name in wanted if name not in known]
    if absent:
        lines = [f"{file.place}: {len(absent)} of the codebook's columns are not in the data:"]
        if len(absent) == 1:
            lines = [f"{file.place}: one of the codebook's columns is not in the data:"]
        lines += [f"  {name!r}.{nearest(name, file.names)}" for name in absent[:20]]
        if len(absent) > 20:
            lines.append(f"  and {len(absent) - 20:,} more")
        others = getattr(file, "others", ())
        if others:
            names = first_of(others, SHOWN)
            lines.append(
                f"The workbook has other sheets: {names}. Is one meant? Then write sheet: {others[0]}."
            )
        headings = getattr(file, "headings", None)
        if headings is not None and headings.from_row:
            lines.append(f"The headings seem to stand in row {headings.from_row}. {headings.below_a_title()}")
        lines.append(
            "Correct the codebook's column names, or take the questions out; where only these data did not ask them, "
            "list the file under data: files, with 'not asked'."
        )
        raise DataError("\n".join(lines))
