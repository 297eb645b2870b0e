"""Several files read as one, one after the other, each with what differs in it put right."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import field, replace
from functools import partial
from itertools import chain, takewhile
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.missing import Missing
from eager_otter.codebook.model import (
    Codebook,
    CodeColumn,
    JoinedColumn,
    MentionColumns,
    NumberColumn,
    TickColumns,
)
from eager_otter.core.arrays import IntArray
from eager_otter.data import files
from eager_otter.data.arrow_columns import CATEGORIES, alike, in_parts
from eager_otter.data.cached import open_kept, read_easily
from eager_otter.data.columns import (
    Distinct,
    Located,
    as_it_stands,
    distinct,
    refuse_points,
    without_thousands,
)
from eager_otter.data.converted import ConvertedFile
from eager_otter.data.files import DataFile, PartedFile, Source
from eager_otter.data.frame import ArrowFrame
from eager_otter.data.lists import IN_BRACKETS, entries, written_out
from eager_otter.data.remark import Remark, fewer_mentions, named
from eager_otter.data.waves import Wave, Waves, not_asked, not_offered, wave_codes
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, RequestError, nearest
from eager_otter.gates.cache import Cache
from eager_otter.gates.numbers import number_of

SHOWN = 10
THREE_DECIMALS = re.compile(r"-?\d{1,3}\.\d{3}")


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Member:
    """One of several files: its `wave`, its `code`, and the names of its columns by those of the codebook.

    `file` is what is read of it; `put_right` makes, of columns of the codebook that differ here, a common text of each
    of this file; `blank` are the columns of questions that were not asked, which must hold nothing. `fewer` tells of
    questions of which it has fewer columns of mentions.
    """

    wave: Wave
    code: str
    file: PartedFile
    names: Mapping[str, str]
    put_right: Mapping[str, Callable[[str], str]]
    blank: frozenset[str]
    first: int = 0
    fewer: tuple[Remark, ...] = ()
    by_comma: Mapping[str, _ByComma] = field(
        default_factory=dict
    )  # columns where a decimal comma is not all there is

    @property
    def end(self) -> int:
        """The number (from 0) of the row of the survey behind its last one."""
        return self.first + self.file.rows


@dataclass(frozen=True, slots=True, eq=False)
class JoinedFile:
    """Several files as one, whose columns are called as the codebook has them."""

    waves: Waves
    members: tuple[Member, ...]
    names: tuple[str, ...]
    decimal: str = "."

    @property
    def made(self) -> str:
        """The column that tells the files apart, which is in none of them."""
        return self.waves.question

    @property
    def place(self) -> str:
        """Their names in a message."""
        return ", ".join(member.file.place for member in self.members[:SHOWN])

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files they are read from."""
        return tuple(path for member in self.members for path in member.file.paths)

    @property
    def has_copies(self) -> bool:
        """Whether some of it is read from copies that are on this machine alone."""
        return any(isinstance(member.file, ConvertedFile) for member in self.members)

    @property
    def rows(self) -> int:
        """How many rows there are."""
        return self.members[-1].end

    def row_text(self, row: int) -> str:
        """Name a row (from 0) as it stands in its own file: see `files.row_text`."""
        member = next(one for one in self.members if row < one.end)
        return f"row {row - member.first + 1} of {member.wave.name}"

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns are of types that can be answers. Raises DataError."""
        for member in self.members:
            member.file.check([member.names[name] for name in columns if name in member.names])

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table. Raises FileProblem, DataError."""
        return _together(list(self.parts(columns, categories=False)), columns)

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns of some rows in parts of so many: see `PartedFile.parts`."""
        stop = self.rows if end is None else end
        if not columns:
            yield from (pa.table({}) for _ in range(first, stop, files.PART_ROWS))
            return
        pieces = self._pieces(columns, first, stop, categories=categories)
        yield from in_parts(pieces, 0, stop - first, partial(_together, columns=columns))

    def _pieces(self, columns: Sequence[str], first: int, end: int, *, categories: bool) -> Iterator[Any]:
        for member in self.members:
            start, stop = max(first, member.first), min(end, member.end)
            if start >= stop:
                continue
            own = list(dict.fromkeys(member.names[name] for name in columns if name in member.names))
            at = start
            if not own:
                yield pa.table(
                    [self._column(member, name, None, stop - start, at) for name in columns],
                    names=list(columns),
                )
                continue
            for table in member.file.parts(
                own, start - member.first, stop - member.first, categories=categories
            ):
                arrays = [self._column(member, name, table, table.num_rows, at) for name in columns]
                yield pa.table(arrays, names=list(columns))
                at += table.num_rows

    def _column(self, member: Member, name: str, table: Any, rows: int, first: int) -> Any:
        """Make one column of the codebook of what a file has."""
        if name == self.made:
            return pa.DictionaryArray.from_arrays(
                pa.array(np.zeros(rows, np.int32)), pa.array([member.code], pa.string())
            )
        if name not in member.names:
            return pa.nulls(rows, CATEGORIES)
        column = table.column(member.names[name])
        change = member.put_right.get(name)
        if name in member.blank:
            self._check_blank(member, name, column, first)
        how = member.by_comma.get(name)
        if change is None and (member.file.decimal == "." or (how is not None and how.own)):
            return column
        located = Located(column, first - member.first, member.file.decimal)
        if how is not None and how.refuses is not None:
            with _told_of(member):
                refuse_points(located, how.refuses, member.names[name])
        if how is not None and how.parted:
            parts = distinct(without_thousands(located, "."))
            parts = replace(parts, texts=tuple(map(_unmistakable, parts.texts)))
        else:
            parts = distinct(located if how is None or how.refuses is not None else as_it_stands(located))
        texts = list(parts.texts)
        if change is not None:
            texts = self._put_right(member, name, parts, change, first)
        index = pa.array(parts.index.astype(np.int32))
        return pa.DictionaryArray.from_arrays(index, pa.array(texts, pa.string()))

    def _put_right(
        self, member: Member, name: str, parts: Distinct, change: Callable[[str], str], first: int
    ) -> list[str]:
        texts = []
        for text in parts.texts:
            try:
                texts.append(change(text) if text else text)
            except DataError as error:
                rows = parts.rows_with((text,))
                if rows.size:
                    at = _named_rows(member, rows + first)
                    raise DataError(
                        f"{member.wave.name}: column {member.names[name]!r}, {at}: {error}"
                    ) from error
                texts.append(text)
        return texts

    def _check_blank(self, member: Member, name: str, column: Any, first: int) -> None:
        rows = np.flatnonzero(distinct(column).which(str.strip))
        if rows.size:
            at = _named_rows(member, rows + first)
            raise DataError(
                f"{member.wave.name}: column {member.names[name]!r} holds answers ({at}) to a question that is listed "
                "under 'not asked'. Take it out of that list, or correct the data."
            )

    def remarks(self, rows: int) -> Iterable[Remark]:
        """Tell what was noticed in each file."""
        for member in self.members:
            for remark in member.file.remarks(member.file.rows):
                yield replace(remark, wave=member.wave.label)
            yield from member.fewer

    def source(self, rows: int) -> Source:
        """Return where the responses came from: each file."""
        each = tuple(member.file.source(member.file.rows) for member in self.members)
        digest = hashlib.sha256()
        for one, member in zip(each, self.members, strict=True):
            digest.update(f"{member.wave.label}\n{one.mark}\n{member.wave.changes!r}\n".encode())
        mark = digest.hexdigest()[:12] if all(one.mark for one in each) else ""
        all_bytes = all(one.fingerprint for one in each)
        return Source(
            name=self.waves.name,
            rows=rows,
            changed=max(one.changed for one in each),
            fingerprint=mark if all_bytes else "",
            version="" if all_bytes else mark,
            each=each,
        )


def _named_rows(member: Member, rows: IntArray) -> str:
    """Name rows (from 0) of the survey as they stand in their file."""
    return named([f"row {row + 1:,}" for row in (rows - member.first).tolist()])


def open_waves(
    codebook: Codebook, waves: Waves, wanted: Sequence[str], first_read: Sequence[str], cache: Cache | None
) -> JoinedFile:
    """Open several files as one, of which some columns are `wanted` by a codebook (the columns as that has them).

    Those that are `first_read` are read now, of files that are read at once; a `cache` keeps what is slow to read.

    Raises FileProblem, RequestError, DataError with all columns that are not there, and are not said to be so.
    """
    codes = wave_codes(codebook, waves)
    opened = [open_kept(wave.data, wave.reading, cache) for wave in waves.waves]
    members: list[Member] = []
    missing: list[str] = []
    aside: dict[str, None] = {}
    first = 0
    waves = replace(waves, waves=tuple(map(_bare, waves.waves)))
    for wave, code, (file, keeping) in zip(waves.waves, codes, opened, strict=True):
        names = _names(wave, file, waves.question)
        missing += _not_there(codebook, wave, names, [name for name in wanted if name != waves.question])
        aside |= dict.fromkeys(names)
        if missing:
            continue
        ready = _ready(
            read_easily(file, own := [names[name] for name in first_read if name in names], keeping), own
        )
        member = Member(
            wave=wave,
            code=code,
            file=ready,
            names=names,
            put_right=_put_right(codebook, wave),
            blank=_blank(codebook, wave),
            first=first,
            by_comma=_by_comma(codebook) if ready.decimal == "," else {},
            fewer=tuple(
                fewer_mentions(wave.label, name, absent, codebook.question(name).columns)
                for name, absent in _fewer_mentions(codebook, wave, names).items()
            ),
        )
        if not ready.rows:
            raise DataError(f"{file.place}: has no rows; at least one respondent is needed.")
        members.append(member)
        first = member.end
    if missing:
        raise DataError(
            "\n".join(
                [
                    "Some columns of the codebook are not in all files:",
                    *(f"  {line}" for line in missing[:SHOWN]),
                    *([f"  and {len(missing) - SHOWN:,} more"] if len(missing) > SHOWN else []),
                    "Say under 'changes' of the file what such a column is called there (columns), or which questions "
                    "were not asked, or which answers not offered.",
                ]
            )
        )
    return JoinedFile(waves, tuple(members), (waves.question, *aside))


def _bare(wave: Wave) -> Wave:
    """Return a wave without what is not needed any more, so that little is sent to those who count parts."""
    return replace(wave, data=wave.data if isinstance(wave.data, Path) else None, codebook=None)


def _names(wave: Wave, file: DataFile, made: str) -> dict[str, str]:
    """Return the names of columns in a file by those they have in the codebook. Raises RequestError."""
    there = [name for name in file.names if name]
    renamed = wave.changes.columns
    for own in renamed:
        if own not in there:
            raise RequestError(
                f"{wave.name}: changes: columns: there is no column {own!r}.{nearest(own, there)}"
            )
    both = next((own for own, common in renamed.items() if common in there and common not in renamed), None)
    if both is not None:
        raise RequestError(
            f"{wave.name}: changes: columns: {both!r} is said to be {renamed[both]!r}, and there is a column of that "
            "name as well; say what that one is."
        )
    names = {renamed.get(own, own): own for own in there}
    if made in names:
        raise RequestError(
            f"{wave.name}: has a column {made!r} already, and the files make a question of that name; say another one "
            "under 'question', or under 'columns' what this one is."
        )
    return names


def _not_there(
    codebook: Codebook, wave: Wave, names: Mapping[str, str], wanted: Sequence[str]
) -> Iterator[str]:
    """Name the columns that are wanted, are not in a file, and are not said to be so, each with the nearest ones."""
    excused = {*_blank(codebook, wave), *chain.from_iterable(_fewer_mentions(codebook, wave, names).values())}
    for question in codebook:
        if isinstance(question.source, TickColumns):
            gone = not_offered(question, wave)
            excused.update(column for code, column in question.source.columns if code in gone)
    for name in wanted:
        if name not in names and name not in excused:
            yield f"{wave.name}: {name!r}.{nearest(name, list(names))}"


def _fewer_mentions(codebook: Codebook, wave: Wave, names: Mapping[str, str]) -> dict[str, tuple[str, ...]]:
    """Return the last columns of mentions that a file lacks, by question, where it has all those before them."""
    gone = not_asked(codebook, wave)
    found: dict[str, tuple[str, ...]] = {}
    for question in codebook:
        if isinstance(question.source, MentionColumns) and question.name not in gone:
            columns = question.source.columns
            there = len(list(takewhile(names.__contains__, columns)))
            if 0 < there < len(columns) and not any(name in names for name in columns[there:]):
                found[question.name] = columns[there:]
    return found


@dataclass(frozen=True, slots=True)
class _ByComma:
    """How a column of a file with a decimal comma is read: as it stands, with points between thousands, or without.

    With a decimal sign of its `own` it is left to its question.
    `refuses` are the missing codes of numbers in which a point between thousands is refused; None: it is not.
    """

    own: bool = False
    parted: bool = False
    refuses: Missing | None = None


def _by_comma(codebook: Codebook) -> dict[str, _ByComma]:
    """Return the columns of a codebook where a comma parts codes, or a point may part thousands."""
    found: dict[str, _ByComma] = {}
    for question in codebook:
        source = question.source
        if isinstance(source, JoinedColumn) and "," in source.by:
            found[source.column] = _ByComma()
        elif isinstance(source, CodeColumn | NumberColumn) and question.is_of.of_values:
            if isinstance(source, NumberColumn) and source.decimal:
                found[source.column] = _ByComma(own=True)
                continue
            parted = source.thousands == "."
            found[source.column] = _ByComma(parted=parted, refuses=None if parted else question.missing)
    return found


def _unmistakable(text: str) -> str:
    """Write a nought behind three decimals, so that their point does not look like one between thousands."""
    return f"{text}0" if THREE_DECIMALS.fullmatch(text) else text


@contextmanager
def _told_of(member: Member) -> Iterator[None]:
    """Name the file of a mistake in its data. Raises DataError."""
    try:
        yield
    except DataError as error:
        raise DataError(f"{member.wave.name}: {error}") from error


def _blank(codebook: Codebook, wave: Wave) -> frozenset[str]:
    """Return the columns of the questions that a wave did not ask, as far as no other question reads them."""
    gone = not_asked(codebook, wave)
    kept = {column for question in codebook if question.name not in gone for column in question.columns}
    return frozenset(
        column for name in gone for column in codebook.questions[name].columns if column not in kept
    )


def _put_right(codebook: Codebook, wave: Wave) -> dict[str, Callable[[str], str]]:
    """Return what makes the common text of a text in a file, by column: for codes that moved, or were not offered."""
    changes: dict[str, Callable[[str], str]] = {}
    for question in codebook:
        moved = {
            canonical(code): common for code, common in wave.changes.codes.get(question.name, {}).items()
        }
        gone, source = not_offered(question, wave), question.source
        if isinstance(source, TickColumns):
            changes |= {
                column: _NoTick(
                    question.name, code, source, question.answers[question.by_code[code]].write_in
                )
                for code, column in source.columns
                if code in gone
            }
        elif moved or gone:
            by = source.by if isinstance(source, JoinedColumn) else ""
            offered = None
            if any(answer.write_in and answer.code in gone for answer in question.answers):
                offered = frozenset({*question.by_code, *(answer.label for answer in question.answers)})
            right = _Codes(question.name, wave.name, moved, gone, by, offered)
            changes |= dict.fromkeys(question.columns, right)
    return changes


@dataclass(frozen=True, slots=True)
class _Codes:
    """Makes the common text of a text with codes in one file; `by` is the sign between several in a cell.

    `moved` are codes by those they have here, `gone` those that were not offered. Raises DataError for a code that was
    not offered, and for one that another is said to be; also for own words, where an answer that stands for these was
    not: of which `known` are no words (None: it was offered, or there is none).
    """

    question: str
    wave: str
    moved: Mapping[str, str]
    gone: frozenset[str]
    by: str
    known: frozenset[str] | None = None

    def __call__(self, text: str) -> str:
        if self.by == IN_BRACKETS:
            return written_out([self._common(canonical(piece)) for piece in entries(text)])
        pieces = text.split(self.by) if self.by else [text]
        return self.by.join(self._common(canonical(piece)) for piece in pieces)

    def _common(self, code: str) -> str:
        if code not in self.moved and code in self.moved.values():
            known = next(own for own, common in self.moved.items() if common == code)
            raise DataError(
                f"holds the code {code!r}, which the changes of {self.question} say is {known!r} in {self.wave}. Say "
                f"under codes what {code!r} is there."
            )
        common = self.moved.get(code, code)
        own = self.known is not None and bool(code) and code not in self.known and number_of(code) is None
        if common in self.gone or own:
            raise DataError(
                f"holds {common!r} of {self.question}, which is listed under 'not offered'. Take it out of that list, "
                "or correct the data."
            )
        return common


@dataclass(frozen=True, slots=True)
class _NoTick:
    """Refuses ticks of an answer that was not offered. Raises DataError."""

    question: str
    code: str
    source: TickColumns
    written: bool

    def __call__(self, text: str) -> str:
        if self.source.has_words(text) if self.written else text in self.source.ticked:
            raise DataError(
                f"is ticked, and the answer {self.code} of {self.question} is listed under 'not offered'. Take it out "
                "of that list, or correct the data."
            )
        return text


def _ready(file: DataFile, columns: Sequence[str]) -> PartedFile:
    """Return a file of which any rows can be read for little: of a short one, columns are read and held."""
    if isinstance(file, PartedFile):
        return file
    return HeldFile(file, ArrowFrame(file.read(list(columns) or list(file.names[:1])), list(columns)))


@dataclass(frozen=True, slots=True)
class HeldFile(files.OfAnother):
    """A short file of which some columns were read at once and are held in a `table`."""

    table: ArrowFrame

    @property
    def rows(self) -> int:
        """How many rows there are."""
        return self.table.rows

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns: an Arrow table."""
        return (
            self.table.table.select(columns)
            if set(columns) <= set(self.table.names)
            else self.whole.read(columns)
        )

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Read some columns of some rows in parts of so many: see `PartedFile.parts`."""
        read = self.table
        if not set(columns) <= set(read.names):
            read = ArrowFrame(self.whole.read(columns), list(columns))
        return read.parts(columns, first, end, categories=categories)

    def remarks(self, rows: int) -> Iterable[Remark]:
        """Tell what was noticed in the file."""
        return self.whole.remarks(rows)


def _together(tables: Sequence[Any], columns: Sequence[str]) -> Any:
    """Put tables of the same columns behind one another; where types differ, as texts in their one written form."""
    if len(tables) == 1:
        return tables[0]
    arrays = []
    for name in columns:
        pieces = [alike(table.column(name)) for table in tables]
        given = [piece for piece in pieces if piece.null_count < len(piece)]
        types = {piece.type for piece in given}
        if len(types) == 1:
            (kind,) = types
            pieces = [
                piece if piece.type == kind else pa.chunked_array([pa.nulls(len(piece), kind)])
                for piece in pieces
            ]
        else:
            pieces = [pa.chunked_array([_as_texts(piece)]) for piece in pieces]
        arrays.append(pa.chunked_array([chunk for piece in pieces for chunk in piece.chunks]))
    return pa.table(arrays, names=list(columns))


def _as_texts(column: Any) -> Any:
    """Write a column as texts: floats in the shortest form that reads back as the same number."""
    if pa.types.is_floating(column.type):
        texts = [canonical(text) if text else "" for text in column.cast(pa.string()).to_pylist()]
        return pa.array(texts, pa.string()).dictionary_encode()
    parts = distinct(column)
    return pa.DictionaryArray.from_arrays(
        pa.array(parts.index.astype(np.int32)), pa.array(parts.texts, pa.string())
    )
