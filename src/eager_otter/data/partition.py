"""Responses in parts: so many rows each, by their numbers, with the columns that some questions need."""

from __future__ import annotations

from collections.abc import Callable, Generator, Iterable, Iterator
from contextlib import suppress
from typing import TypeVar

import pyarrow as pa

from eager_otter.codebook.model import Codebook, EqualBands
from eager_otter.data import files
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass
from eager_otter.errors import OtterError

S = TypeVar("S")


def questions_for(codebook: Codebook, names: Iterable[str]) -> list[str]:
    """Return all questions that some questions need: those they are made of, and those that tell who was asked."""
    needed: dict[str, None] = {}
    waiting = [name for name in names if name in codebook.questions]
    while waiting:
        name = waiting.pop()
        if name not in needed:
            needed[name] = None
            question = codebook.questions[name]
            waiting += question.made_of
            waiting += question.asked.names() if question.asked is not None else ()
    return list(needed)


def columns_for(responses: Responses, names: Iterable[str], columns: Iterable[str]) -> list[str]:
    """Return the columns of the data that some questions need, with some more `columns` and the frequency."""
    codebook = responses.codebook
    wanted = dict.fromkeys(
        column for name in questions_for(codebook, names) for column in codebook.questions[name].columns
    )
    wanted |= dict.fromkeys([*columns, *([codebook.frequency] if codebook.frequency else [])])
    there = set(responses.all_columns())
    return [name for name in wanted if name in there]


def settle_edges(responses: Responses, names: Iterable[str]) -> None:
    """Find the ends of bands of equal size that some questions need: all rows together tell them."""
    for name in questions_for(responses.codebook, names):
        source = responses.codebook.questions[name].source
        if isinstance(source, EqualBands):
            responses.edges(name, source.of, source.count)


@dataclass(frozen=True, slots=True, eq=False)
class AtHand:
    """A part of responses with its columns read; `kept` are questions whose encoded answers stay, where any do.

    With `read`, what was read of it is let go once it has been used.
    """

    part: Responses
    read: bool = False
    kept: tuple[str, ...] | None = None

    def used(self, use: Callable[[Responses], S]) -> S:
        """Use the part, once. Raises what its use raises."""
        for name in self.kept or ():
            with suppress(OtterError):  # where it matters, it is raised again
                self.part.answers(name)
        result = use(self.part)
        if self.read:
            self.part.forget(codes=self.kept is None)
        return result


def parts_of(
    responses: Responses, names: Iterable[str], numbers: Iterable[str], as_read: Iterable[str] = ()
) -> Generator[AtHand, None, None]:
    """Go through responses in parts, with what some questions and columns of `numbers` need at hand.

    Columns `as_read` are at hand as they stand in the data, also where the answers made of them were kept.
    Parts are cut by the numbers of rows, so they are the same whatever the data are read from, and however they are
    counted. Raises DataError.
    """
    as_they_stand = list(as_read)
    wanted = columns_for(responses, names, [*numbers, *as_they_stand])
    settle_edges(responses, names)
    if responses.rows <= files.PART_ROWS:
        responses.load(wanted)
        yield AtHand(responses)
    elif not responses.in_parts:
        responses.load(wanted)
        for part in responses.all_parts():
            part.table = responses.table.slice(part.first - responses.first, part.rows)
            yield AtHand(part)
    else:
        yield from _read(responses, questions_for(responses.codebook, names), wanted, as_they_stand)


def _read(responses: Responses, names: list[str], wanted: list[str], as_read: list[str]) -> Iterator[AtHand]:
    """Read parts one by one; only their encoded answers are kept, where these do not take too much memory."""
    parts, codebook = responses.all_parts(), responses.codebook
    of_columns = [name for name in names if codebook.questions[name].columns]
    encoded = {name for name in of_columns if all(part.has_codes(name) for part in parts)}
    known = {column for name in encoded for column in codebook.questions[name].columns}
    known |= {column for column in wanted if all(part.has_numbers(column) for part in parts)}
    known = (known - set(as_read)) | set(responses.table.column_names)
    absent = [column for column in wanted if column not in known]
    tables = responses.read_in_parts(absent)
    for part, read in zip(parts, tables, strict=True):
        at_hand = responses.table.slice(part.first - responses.first, part.rows)
        part.table = pa.table(
            {one: table.column(one) for table in (at_hand, read) for one in table.column_names}
        )
        yield AtHand(part, read=True, kept=tuple(of_columns) if responses.kept_codes else None)
