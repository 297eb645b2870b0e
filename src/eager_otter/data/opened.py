"""Open responses: check that all columns are there, that ids are unique, which rows are blank; read little."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from eager_otter.codebook.model import Codebook
from eager_otter.core.arrays import BoolArray
from eager_otter.data import files
from eager_otter.data.cached import open_kept, read_easily
from eager_otter.data.columns import SHOWN, Distinct, all_differ, blanks_in, distinct
from eager_otter.data.files import DataFile, PartedFile, Source, SourceAhead, check_there
from eager_otter.data.joined_file import JoinedFile, open_waves
from eager_otter.data.known import Known, known_of
from eager_otter.data.opening import Reading
from eager_otter.data.partition import questions_for
from eager_otter.data.remark import BLANK_ROWS, Remark, blank_lines, named
from eager_otter.data.responses import EMPTY, Responses, code_bytes, columns_of
from eager_otter.data.waves import Waves, waves_of, with_waves
from eager_otter.errors import DataError
from eager_otter.gates.cache import Cache
from eager_otter.gates.machine import memory_to_use
from eager_otter.looks.words import counted, said

BLANK = "blank rows"
COLUMNS_AT_ONCE = (1, 4, 16, 64, 200)  # columns that are read at a time to find rows that hold nothing


def open_responses(
    codebook: Codebook,
    data: Any,
    reading: Reading | None = None,
    memory: int | None = None,
    *,
    cache: Cache | None = None,
    only: Iterable[str] | None = None,
) -> Responses:
    """Open a file of responses or a frame; of formats that allow it, columns are read when they are first needed.

    Long files are read part by part, always; what is encoded of them is kept as far as it takes no more than half of
    `memory` bytes (None: as fits the machine). Columns of files that are slow to read are kept in a `cache`, if one is
    given. Of a file that is read at once, columns that `only` some questions need are read (None: all that the codebook
    names), others when they are first needed. Raises FileProblem, RequestError, DataError (columns that are not there,
    respondent ids that are blank or stand twice).
    """
    waves, wanted = waves_of(data), columns_of(codebook)
    if waves is not None:
        codebook = with_waves(codebook, waves)
        wanted = columns_of(codebook)
    first = wanted if only is None else _needed(codebook, only)
    if waves is None:
        file, keeping = open_kept(data, reading, cache)
        check_there(file, wanted)
        file = read_easily(file, first, keeping)
    else:
        file = open_waves(codebook, waves, wanted, first, cache)
        check_there(file, wanted)
    fingerprint = files.fingerprint_of(file)
    known = known_of(_files_of(file), _how_read(reading, waves), cache)
    if isinstance(file, PartedFile):
        rows = file.rows
        if not rows:
            raise DataError(f"{file.place}: has no rows; at least one respondent is needed.")
        file.check(wanted)
        source: Source | SourceAhead
        if files.is_slow_to_tell(file):
            known.held = True
            source = SourceAhead(file, rows, fingerprint, known.release)
        else:
            source = file.source(rows)
        responses = Responses(codebook, EMPTY, source, rows, file)
        responses.in_parts = bool(file.paths) and rows > files.PART_ROWS
        room = (memory_to_use() if memory is None else memory) // 2
        responses.kept_codes = not responses.in_parts or rows * code_bytes(codebook) <= room
        responses.room = room // 4
    else:
        table = file.read(first)
        responses = Responses(codebook, table, file.source(table.num_rows), table.num_rows, file)
    responses.fingerprint = files.check_same(file, fingerprint)  # nothing was read of another one
    responses.remarks = tuple(file.remarks(responses.rows))
    if codebook.respondent is not None:
        _check_ids(responses, codebook.respondent, known)
    elif len(file.names) > 1 and file.paths:
        # in a file of one column a blank is a missing answer; the rows of a frame are there on purpose
        _leave_out_blank_rows(responses, file, known)
    return responses


def _files_of(file: DataFile) -> Sequence[Path]:
    """Return the files that all answers are in; none where some are in no file."""
    if isinstance(file, JoinedFile) and not all(member.file.paths for member in file.members):
        return ()
    return file.paths


def _how_read(reading: Reading | None, waves: Waves | None) -> list[object]:
    """Return what makes the answers in files other ones, beside what stands in the files."""
    if waves is None:
        return [reading.given()] if reading is not None else []
    return [
        (wave.reading.given() if wave.reading is not None else {}, repr(wave.changes)) for wave in waves.waves
    ]


def _needed(codebook: Codebook, names: Iterable[str]) -> list[str]:
    """Return the columns that some questions or columns need, with those of ids and frequencies."""
    wanted = list(names)
    questions = questions_for(codebook, wanted)
    needed = {column for name in questions for column in codebook.questions[name].columns}
    needed |= {*wanted, *codebook.special_columns.values()}
    return [column for column in columns_of(codebook) if column in needed]


def _leave_out_blank_rows(responses: Responses, file: DataFile, known: Known) -> None:
    """Note the rows of which no column of the file holds anything. Raises DataError where no others are left.

    Only as many columns are read as it takes to find something in each row.
    """
    if known.get(BLANK) == 0:
        return
    blank: BoolArray = np.ones(responses.rows, np.bool_)
    for names in _some_columns(responses, file):
        first = 0
        for part in _parts(responses, file, names):
            there = slice(first, first + part.num_rows)
            if blank[there].any():
                blank[there] &= _blank_in(part, names)
            first += part.num_rows
        if not blank.any():
            known.learn(BLANK, 0)
            return
    if blank.all():
        raise DataError(
            f"{file.place}: all {counted(responses.rows, 'row')} are blank; no respondent is left."
        )
    responses.blank = blank
    lines = sum(one.count for one in responses.remarks if one.slip == BLANK_ROWS)
    kept = [one for one in responses.remarks if one.slip != BLANK_ROWS]
    responses.remarks = (*kept, blank_lines(int(blank.sum()) + lines))


def _some_columns(responses: Responses, file: DataFile) -> Iterator[list[str]]:
    """Go through the columns of a file, a few at a time: those at hand, those of the codebook, all others."""
    made = file.made if isinstance(file, JoinedFile) else ""
    at_hand = [name for name in responses.table.column_names if name != made]
    if at_hand:
        yield at_hand
    others = [name for name in dict.fromkeys((*columns_of(responses.codebook), *file.names)) if name]
    others = [name for name in others if name not in {*at_hand, made}]
    start = 0
    sizes = list(COLUMNS_AT_ONCE) if isinstance(file, PartedFile) else [COLUMNS_AT_ONCE[-1]]
    while start < len(others):
        size = sizes.pop(0) if len(sizes) > 1 else sizes[0]
        yield others[start : start + size]
        start += size


def _parts(responses: Responses, file: DataFile, names: Sequence[str]) -> Iterator[Any]:
    if responses.in_parts and isinstance(file, PartedFile):
        yield from file.parts(names)
    elif set(names) <= set(columns_of(responses.codebook)):
        responses.load(names)
        yield responses.table.select(names)
    else:
        yield file.read(names)


def _blank_in(table: Any, names: Sequence[str]) -> BoolArray:
    """Return which rows of an Arrow table hold nothing in some columns: (rows,)."""
    blank: BoolArray = np.ones(table.num_rows, np.bool_)
    for name in names:
        if not blank.any():
            break
        blank &= blanks_in(table.column(name))
    return blank


def _check_ids(responses: Responses, column: str, known: Known) -> None:
    """Check that each respondent has an id of their own, unless that is known already. Raises DataError.

    Ids that stand in several files are remarked on.
    """
    file = responses.file
    own = [member.names.get(column) for member in file.members] if isinstance(file, JoinedFile) else [column]
    fact = f"ids of {own} that stand in another file as well"
    again = known.get(fact)
    if again is None:
        again = _ids_again(responses, column)
        known.learn(fact, again)
    if again:
        remark = Remark(
            slip="ids of several waves",
            text=said(
                "{count} {count:row has|rows have} an id that stands in another file as well; they are counted and "
                "tested as different people."
            ),
            values={"count": again},
            remedy="Where the same people came back, columns of different waves are not independent.",
            count=again,
            of_tables=False,
        )
        responses.remarks = (*responses.remarks, remark)


def _ids_again(responses: Responses, column: str) -> int:
    """Check that each respondent has an id of their own, among several files within each. Raises DataError.

    Returns how many rows have an id that stands in another file before.
    """
    file = responses.file
    if responses.in_parts and isinstance(file, PartedFile):
        if all_differ(part.column(column) for part in file.parts([column], categories=False)):
            return 0
        ids = file.read([column]).column(column)
    else:
        responses.load([column])
        ids = responses.table.column(column)
        if all_differ([ids]):
            return 0
    if not isinstance(file, JoinedFile):
        _check_unique(ids, column)
        return 0
    for member in file.members:
        _check_unique(ids.slice(member.first, member.file.rows), column, f"{member.wave.label}: the")
    return responses.rows - len(_first_places(distinct(ids)).counts().nonzero()[0])


def _first_places(parts: Distinct) -> Distinct:
    """Give texts that are written alike one place."""
    first_of = {text: k for k, text in reversed(list(enumerate(parts.texts)))}
    return replace(parts, index=np.array([first_of[text] for text in parts.texts])[parts.index])


def _check_unique(ids: Any, column: str, which: str = "The") -> None:
    """Check that ids are there and stand once each. Raises DataError."""
    if all_differ([ids]):
        return
    encoded = _first_places(distinct(ids))
    counts = encoded.counts()
    twice = [k for k in np.flatnonzero(counts > 1) if encoded.texts[k]]
    blank = [k for k, text in enumerate(encoded.texts) if not text]
    blanks = int(sum(counts[k] for k in blank))
    if blanks:
        rows = np.flatnonzero(np.isin(encoded.index, blank))
        named_rows = named([f"row {row + 1:,}" for row in rows.tolist()])
        raise DataError(
            f"{which} respondent id in column {column!r} is blank in {counted(blanks, 'row')} ({named_rows}); each row "
            "needs one. Delete rows that hold nothing, or fill in the ids."
        )
    if twice:
        shown = "; ".join(_where(encoded.index, encoded.texts[k], int(k)) for k in twice[:SHOWN])
        appear = "1 appears" if len(twice) == 1 else f"{len(twice):,} appear"
        more = f"; and {len(twice) - SHOWN:,} more" if len(twice) > SHOWN else ""
        raise DataError(
            f"{which} respondent id in column {column!r} must be unique; {appear} more than once: "
            f"{shown}{more}. Remove the repeated rows, or take 'respondent' out of the codebook."
        )


def _where(index: Any, text: str, position: int) -> str:
    rows = ", ".join(str(row + 1) for row in np.flatnonzero(index == position)[:SHOWN])
    return f"{text!r} in rows {rows}"
