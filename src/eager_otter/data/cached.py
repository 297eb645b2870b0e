"""Files of data whose columns are kept in the cache, so that they are read a second time for little."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from dataclasses import asdict, field, fields, replace
from functools import partial
from pathlib import Path
from typing import Any

from eager_otter.data.column_copy import ColumnCopy
from eager_otter.data.converted import ConvertedFile, converted
from eager_otter.data.files import (
    AT_REST,
    DataFile,
    FileInARow,
    Source,
    all_states,
    are_same,
    changed_text,
    digest_of,
)
from eager_otter.data.opening import OPENERS, Reading, is_copied, open_data
from eager_otter.data.remark import Remark
from eager_otter.dataclass import dataclass
from eager_otter.errors import FileProblem, name_of, shown_path
from eager_otter.gates.cache import Cache, CachePlace
from eager_otter.gates.copying import lasts, on_this_machine
from eager_otter.gates.reading import state_of
from eager_otter.version import __version__

BY_COLUMN = (".parquet", ".feather", ".arrow", ".sql")  # read by column for little, or by a query
WORTH = 4 << 20  # bytes of a text from which on its columns are kept
WORTH_UNPACKING = 1 << 18  # the same of what has to be unpacked or taken apart first
ALONE = (".csv", ".tsv", ".txt")  # nothing else is read with them
TEXTS = (*ALONE, ".sss", ".xml")


def open_kept(data: Any, reading: Reading | None, cache: Cache | None) -> tuple[DataFile, Keeping | None]:
    """Open responses, those that the cache knows from there; and how they can be kept for the next time, if at all.

    Raises what `open_data` raises.
    """
    ending = Path(name_of(Path(data))).suffix.lower() if isinstance(data, str | Path) else ""
    if ending and is_copied(Path(data)):
        data = on_this_machine(Path(data), cache)
        cache = cache if lasts(data) else None
    if cache is None or ending not in OPENERS or ending in BY_COLUMN or _is_small(data, ending):
        return open_data(data, reading), None
    keeping = Keeping(Path(data), reading or Reading(), cache, time.time_ns())
    known = keeping.known()
    return (open_data(data, reading), keeping) if known is None else (known, None)


def _is_small(data: str | Path, ending: str) -> bool:
    """Return whether a file of text alone is too small for its columns to be kept."""
    state = state_of(Path(data)) if ending in ALONE else None
    return state is not None and state[2] < WORTH


def read_easily(file: DataFile, columns: Sequence[str], keeping: Keeping | None) -> DataFile:
    """Copy what is slow to read: into the cache where it may be kept and is worth it, else for this time if it is long.

    Raises FileProblem, DataError.
    """
    if keeping is not None:
        kept = keeping.kept(file, columns)
        if kept is not None:
            return kept
    if isinstance(file, ConvertedFile):
        file.prepare(columns)
    elif isinstance(file, FileInARow) and file.is_long:
        return converted(file, columns)
    return file


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """What is known of a file whose columns are kept: as it was, and what reading it told.

    `states` and `digests` are those of its `paths`; `sure` says that no later change can have the same times. `dated`
    is the number of the path that its source tells of, `named` that of the one it is called by in messages, where more
    `goes_on` behind it. `copies` are the files of columns: name, size, digest of its end, columns.
    """

    version: str
    paths: tuple[str, ...]
    states: tuple[tuple[int, ...], ...]
    digests: tuple[str, ...]
    sure: bool
    names: tuple[str, ...]
    decimal: str
    rows: int
    source: dict[str, Any]
    dated: int
    named: int
    goes_on: str
    remarks: tuple[dict[str, Any], ...]
    copies: tuple[tuple[str, int, str, tuple[str, ...]], ...] = ()


@dataclass(slots=True, eq=False)
class KeptHome:
    """A place in the cache as the home of copies."""

    place: CachePlace
    facts: Facts

    def new_copy(self) -> Path:
        """Name a file for one more copy. Raises OSError."""
        return self.place.new_copy()

    def keep(self, copy: ColumnCopy) -> None:
        """Note a copy in the facts. Raises OSError, FileProblem where the file was changed since it was opened."""
        if self.facts.rows and (
            all_states(map(Path, self.facts.paths)) != self.facts.states or copy.rows != self.facts.rows
        ):
            self.damaged()
            raise FileProblem(
                f"{shown_path(Path(self.facts.paths[self.facts.named]))}: was changed while it was read; run it again."
            )
        size, digest = self.place.measures(copy.path)
        entry = (copy.path.name, size, digest, copy.names)
        self.facts = replace(self.facts, copies=(*self.facts.copies, entry))
        if self.facts.rows:  # else the file is being read for the first time, and told of when all is known
            self.write()
            self.tell()

    def tell(self) -> None:
        """Say which columns have just been kept."""
        _, size, _, columns = self.facts.copies[-1]
        self.place.cache.tell_of(name_of(Path(self.facts.paths[0])), len(columns), size)

    def cannot(self, error: OSError) -> None:
        """Say that nothing more can be kept."""
        self.place.cannot(error)

    def damaged(self) -> bool:
        """Take all away: what is damaged is read again."""
        self.place.drop()
        self.facts = replace(self.facts, copies=())
        return True

    def write(self) -> None:
        """Write the facts. Raises OSError."""
        self.place.write_facts(asdict(self.facts))


@dataclass(frozen=True, slots=True, eq=False)
class RememberedFile:
    """A file as the cache knows it, which is opened itself only where a column is not kept."""

    facts: Facts
    opener: Callable[[], DataFile]
    _opened: list[DataFile] = field(default_factory=list)

    @property
    def names(self) -> tuple[str, ...]:
        """The names of all columns."""
        return self.facts.names

    @property
    def decimal(self) -> str:
        """The sign between whole and fraction in its numbers."""
        return self.facts.decimal

    @property
    def place(self) -> str:
        """Its name in a message."""
        return shown_path(self.paths[self.facts.named]) + self.facts.goes_on

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from."""
        return tuple(map(Path, self.facts.paths))

    def _whole(self) -> DataFile:
        if not self._opened:
            self._opened.append(self.opener())
        return self._opened[0]

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns of the file itself: an Arrow table."""
        return self._whole().read(columns)

    @property
    def is_long(self) -> bool:
        """Whether there is so much of it that it is better read once only."""
        whole = self._whole()
        return isinstance(whole, FileInARow) and whole.is_long

    def in_a_row(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns of the file itself, from the first row to the last, in parts: Arrow tables."""
        whole = self._whole()
        assert isinstance(whole, FileInARow)
        return whole.in_a_row(columns)

    def remarks(self, rows: int) -> Iterable[Remark]:
        """Return what was noticed when it was read."""
        for one in self.facts.remarks:
            yield Remark(**{**one, "columns": tuple(one["columns"])})

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        changed = changed_text(self.paths[self.facts.dated])
        return Source(**{**self.facts.source, "changed": changed, "each": ()})


@dataclass(frozen=True, slots=True, eq=False)
class Keeping:
    """The way a file of data is kept in the cache: by its path and the way it is read. `begun` is in nanoseconds."""

    data: Path
    reading: Reading
    cache: Cache
    begun: int

    @property
    def _place(self) -> CachePlace:
        key = hashlib.sha256(repr((str(self.data.absolute()), self.reading.given())).encode()).hexdigest()
        return self.cache.place(name_of(self.data), key)

    def known(self) -> ConvertedFile | None:
        """Return the file as the cache knows it, where it is still the same; None otherwise, without a word."""
        place = self._place
        try:
            facts = _facts_in(place.facts())
            if facts is None or not are_same(
                list(map(Path, facts.paths)), facts.states, facts.digests, sure=facts.sure
            ):
                return None
            copies = []
            for name, size, digest, columns in facts.copies:
                path = place.whole_copy(name, size, digest)
                if path is None:
                    return None
                copies.append(ColumnCopy(path, columns))
            _check_copies(copies, facts.rows)
            home = KeptHome(place, facts)
            if not (facts.sure and facts.states == all_states(map(Path, facts.paths))):
                sure, states = self._is_sure(facts.paths), all_states(map(Path, facts.paths))
                home.facts = replace(facts, states=states, sure=sure)
                with suppress(OSError):
                    home.write()
        except (OSError, FileProblem, KeyError, TypeError, ValueError, AttributeError):
            return None
        if not copies:
            return None
        place.note_use()
        whole = RememberedFile(home.facts, partial(open_data, self.data, self.reading))
        return ConvertedFile(whole, copies, facts.rows, home)

    def _is_sure(self, paths: Sequence[str]) -> bool:
        """Return whether a file that is changed after we began has other times for sure."""
        return all(self.begun - max(state[-2:]) > AT_REST for state in all_states(map(Path, paths)))

    def kept(self, file: DataFile, columns: Sequence[str]) -> ConvertedFile | None:
        """Copy columns of an opened file into the cache; None where that is not worth it, or cannot be done.

        Raises FileProblem, DataError for what is wrong with the file itself.
        """
        paths = [str(path.absolute()) for path in file.paths]
        worth = WORTH if self.data.suffix.lower() in TEXTS else WORTH_UNPACKING
        states = all_states(map(Path, paths))
        if not states or sum(state[2] for state in states) < worth:
            return None
        if any(max(state[-2:]) >= self.begun for state in states):
            return None  # it is being written
        place = self._place
        names = [name_of(Path(path)) for path in paths]
        places = [shown_path(Path(path)) for path in paths]
        named = next((k for k, place in enumerate(places) if file.place.startswith(place)), None)
        if named is None:
            return None
        facts = Facts(
            version=__version__, paths=tuple(paths), states=states, digests=(), sure=self._is_sure(paths),
            names=tuple(file.names), decimal=file.decimal, rows=0, source={}, dated=0, named=named,
            goes_on=file.place.removeprefix(places[named]), remarks=(),
        )  # fmt: skip
        home = KeptHome(place, facts)
        try:
            made = converted(file, columns, home)
            source = file.source(made.rows)
            if source.name not in names or source.each or all_states(map(Path, paths)) != states:
                return None
            home.facts = facts = replace(
                home.facts,
                digests=tuple(digest_of(Path(path)) for path in paths),
                rows=made.rows,
                source=asdict(source),
                dated=names.index(source.name),
                remarks=tuple(asdict(one) for one in file.remarks(made.rows)),
            )
            home.write()
            home.tell()
            self.cache.make_room()
        except FileProblem:  # of the file itself
            raise
        except OSError as error:
            place.cannot(error)
            return None
        finally:
            place.tidy()
        whole = RememberedFile(facts, partial(open_data, self.data, self.reading), [file])
        return ConvertedFile(whole, made.copies, made.rows, home)


def _facts_in(found: dict[str, Any] | None) -> Facts | None:
    """Make facts of what was written; None for those of another version. Raises KeyError, TypeError, ValueError."""
    if found is None or found.get("version") != __version__:
        return None
    given = {one.name: found[one.name] for one in fields(Facts)}
    for name in ("paths", "digests", "names", "remarks"):
        given[name] = tuple(given[name])
    given["states"] = tuple(tuple(map(int, state)) for state in given["states"])
    given["copies"] = tuple((*entry[:3], tuple(entry[3])) for entry in given["copies"])
    return Facts(**given)


def _check_copies(copies: Sequence[ColumnCopy], rows: int) -> None:
    """Check that copies have the rows that they should. Raises ValueError, FileProblem."""
    if any(copy.rows != rows for copy in copies):
        raise ValueError
