"""Count questions by a banner over a part of the data, into a state that can be added to that of other parts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from functools import cached_property

import numpy as np

from eager_otter.codebook.model import Net, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, people_of
from eager_otter.core.cells import ColumnCells, column_membership, make_cells
from eager_otter.core.tally import CodedRows, CodeRows, Rows, Tally, ValueRows, no_rows, tally
from eager_otter.counting.membership import column_groups
from eager_otter.counting.nesting import nested_answers
from eager_otter.counting.population import Population, Steps, choose
from eager_otter.counting.rows import difference_parts, row_counts
from eager_otter.counting.wanted import BannerPlan, Count
from eager_otter.data.answers import Answers, MultiAnswers
from eager_otter.data.made import values_of
from eager_otter.data.reasons import Reason, Reasons, first_of
from eager_otter.data.responses import Responses
from eager_otter.data.selection import (
    all_answered,
    count_of_mentions,
    reasons_and_rows,
    who_answered,
    who_counts_in,
)
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError

BATCH_SUMS = 4_000_000  # numbers held at once for one batch of questions: 32 MB
EVERYBODY = 0  # the part of a tally that counts everybody in each column
ONE_ROW = CodeRows(np.zeros(1, np.int64), np.zeros((0, 1)))

People = dict[Reason | None, int]  # by the reason why they have no answer; None: they have one


@dataclass(frozen=True, slots=True, kw_only=True)
class Aside:
    """The people of one count beside its rows: those without an answer, and those in no column.

    `left_out` counts by reason those without an answer, `unknown` the codes that the codebook does not know, by code;
    `outside` those of the base who are in none of the columns of a block, by its number: people, and by reason where
    the block has any.
    """

    left_out: People
    unknown: Mapping[str, int]
    outside: Mapping[int, tuple[int, People | None]]

    def __add__(self, other: Aside) -> Aside:
        outside = dict(self.outside)
        for block, (people, reasons) in other.outside.items():
            mine, whose = outside.get(block, (0, None if reasons is None else {}))
            both = None if whose is None or reasons is None else _together(whose, reasons)
            outside[block] = (mine + people, both)
        return Aside(
            left_out=_together(self.left_out, other.left_out),
            unknown=dict(Counter(self.unknown) + Counter(other.unknown)),
            outside=outside,
        )


def _together(one: People, other: People) -> People:
    return {
        reason: one.get(reason, 0) + other.get(reason, 0)
        for reason in (*one, *(k for k in other if k not in one))
    }


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class CountState:
    """What one count adds to a tally: its parts, and the people aside.

    `parts` lists the parts of the tally that it has, one after the other; the rows of the last are the `reasons`, where
    these are counted.
    """

    parts: int
    aside: Aside
    reasons: tuple[Reason, ...] | None = None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class BannerState:
    """All that tables need of the part of the data that it counts; states of parts are added up.

    The first part of `tally` counts everybody; the parts of each of `counts` come after it.
    """

    steps: Steps
    tally: Tally
    counts: tuple[CountState, ...]

    def __add__(self, other: BannerState) -> BannerState:
        mine, theirs = self.tally, other.tally
        counts = []
        at = 1
        for one, two in zip(self.counts, other.counts, strict=True):
            reasons = one.reasons
            if reasons is not None and two.reasons is not None:
                reasons = tuple(dict.fromkeys((*reasons, *two.reasons)))
                last = at + one.parts - 1
                mine = mine.with_rows(
                    last, [reasons.index(reason) for reason in one.reasons or ()], len(reasons)
                )
                theirs = theirs.with_rows(
                    last, [reasons.index(reason) for reason in two.reasons], len(reasons)
                )
            counts.append(CountState(parts=one.parts, aside=one.aside + two.aside, reasons=reasons))
            at += one.parts
        return BannerState(steps=self.steps + other.steps, tally=mine + theirs, counts=tuple(counts))


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Piece:
    """A part of a state: the values of one part, or rows in `order` out of the codes of several parts."""

    parts: tuple[Rows, ...]
    rows: tuple[CodeRows, ...] = ()
    order: tuple[int, ...] | None = None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Prepared:
    """A count on its way."""

    pieces: tuple[_Piece, ...]
    aside: Aside
    reasons: tuple[Reason, ...] | None

    @property
    def parts(self) -> list[Rows]:
        """All parts to be counted."""
        return [part for piece in self.pieces for part in piece.parts]


class BannerCounting:
    """A banner over the people of a part of the data."""

    def __init__(self, responses: Responses, plan: BannerPlan) -> None:
        self.responses, self.plan = responses, plan
        self.population: Population
        self.population, self.steps = choose(responses, plan.choice)
        self._all = bool(self.population.rows.all())
        groups = list(column_groups(plan.layout, responses, self.population.rows))
        self.cells: ColumnCells = make_cells(groups, self.steps.counted, planned=plan.sets)

    def chosen(self, name: str) -> Answers:
        """Return what those counted answered to a question."""
        answers = self.responses.answers(name)
        return answers if self._all else answers.chosen(self.population.rows)

    def asked(self, count: Count) -> tuple[Question, Answers]:
        """Return the question to count, and what those chosen answered."""
        question = count.asked(self.responses.codebook)
        if not count.within:
            return question, self.chosen(count.question)
        names = (*count.within, count.question)
        questions = [self.responses.codebook.question(name) for name in names]
        return question, nested_answers(questions, [self.chosen(name) for name in names])

    def state(self) -> BannerState:
        """Count the questions of the plan. Raises RequestError for open text, UnknownName, DataError."""
        everybody = _Piece(
            parts=(CodedRows(np.zeros(self.steps.counted, np.uint8), 1),), rows=(ONE_ROW,), order=(0,)
        )
        cells = sum(column_set.cells for column_set in self.cells.sets)
        batch: list[_Piece] = [everybody]
        tallies: list[Tally] = []
        counts: list[CountState] = []
        size = 0
        for count in self.plan.counts:
            prepared = self._prepared(count)
            need = 3 * cells * sum(part.size for part in prepared.parts if isinstance(part, CodedRows))
            if size and size + need > BATCH_SUMS:
                tallies.append(self._counted(batch))
                batch, size = [], 0
            batch += prepared.pieces
            size += need
            counts.append(
                CountState(parts=len(prepared.pieces), aside=prepared.aside, reasons=prepared.reasons)
            )
        tallies.append(self._counted(batch))
        members, kinds = tallies[0].members, tuple(kind for one in tallies for kind in one.kinds)
        sums = tuple(
            tuple(part for one in tallies for part in one.sums[place]) for place in range(len(members))
        )
        return BannerState(steps=self.steps, tally=Tally(members, sums, kinds), counts=tuple(counts))

    def tally(self, parts: Sequence[Rows], rows: Sequence[CodeRows | None]) -> Tally:
        """Count parts by the cells of the banner."""
        population = self.population
        return tally(
            parts, self.cells, weights=population.weights, frequencies=population.frequencies, rows=rows
        )

    def _counted(self, pieces: Sequence[_Piece]) -> Tally:
        """Count pieces, and keep of each its rows or values."""
        counted = self.tally(
            [part for piece in pieces for part in piece.parts],
            [
                rows
                for piece in pieces
                for rows in (*piece.rows, *[None] * (len(piece.parts) - len(piece.rows)))
            ],
        )
        kinds = []
        sums: list[list[FloatArray]] = [[] for _ in counted.members]
        first = 0
        for piece in pieces:
            for kept, own in zip(sums, counted.sums, strict=True):
                if piece.order is None:
                    kept.append(own[first])
                else:
                    by_part = own[first : first + len(piece.rows)]
                    kept.append(
                        np.concatenate(by_part, axis=1)[:, list(piece.order)] if by_part else no_rows(own[0])
                    )
            kinds.append(counted.kinds[first] if piece.order is None else "codes")
            first += len(piece.parts)
        return Tally(counted.members, tuple(tuple(kept) for kept in sums), tuple(kinds))

    def _prepared(self, count: Count) -> _Prepared:
        question, answers = self.asked(count)
        counts = row_counts(question, answers, everyone=count.everyone)
        if counts.indicators:
            pieces = [_Piece(parts=counts.parts, rows=counts.indicators, order=counts.order)]
        else:
            pieces = [_Piece(parts=counts.parts)]
        values = [
            scored
            for _, scored in difference_parts(question, answers, everyone=count.everyone)
            if isinstance(scored, ValueRows)
        ]
        if count.mentions and isinstance(answers, MultiAnswers):
            values.append(ValueRows(count_of_mentions(question, answers)))
        if count.value is not None:
            values += self._values_by_row(question, answers, count.value)
        pieces += [_Piece(parts=(part,)) for part in values]
        if count.beside is not None:
            inside = column_membership(self.cells, count.beside) & self._base(count, question, answers)
            row = CodeRows(np.ones(1, np.int64), np.zeros((0, 2)))
            pieces.append(_Piece(parts=(CodedRows(inside.astype(np.uint8), 2),), rows=(row,), order=(0,)))
        whole = all_answered(question, answers)
        known: tuple[Reason, ...] | None = None
        if count.reasons:
            reasons = None if whole else self._reasons(count, question)
            known = () if reasons is None else tuple(dict.fromkeys(reason for reason, _ in reasons.listed()))
            pieces.append(_reasons_piece(reasons, known))
        return _Prepared(
            pieces=tuple(pieces),
            aside=Aside(
                left_out={} if whole else self._left_out(count, question, answers),
                unknown=unknown_counts(answers),
                outside=self._outside_of(self._base(count, question, answers)) if self._outside else {},
            ),
            reasons=known,
        )

    def _base(self, count: Count, question: Question, answers: Answers) -> BoolArray:
        """Return who is in the base of a count: (counted,)."""
        return who_answered(question, answers) | count.everyone

    def _left_out(self, count: Count, question: Question, answers: Answers) -> People:
        """Count those who have no answer, by reason."""
        times = self.population.frequencies
        if times is None and question.asked is None and not count.within:
            return _by_reason(*reasons_and_rows(question, answers), without=False)
        return _by_reason(self._reasons(count, question), times, without=False)

    def _reasons(self, count: Count, question: Question) -> Reasons:
        """Say why people have no answer to a question."""
        if count.within:
            names = (*count.within, count.question)
            return first_of([self.responses.reasons(name).chosen(self.population.rows) for name in names])
        whole = (
            self.responses.reasons(count.question)
            if not count.leave_out
            else self.responses.reasons_as(question)
        )
        return whole if self._all else whole.chosen(self.population.rows)

    def _values_by_row(self, question: Question, answers: Answers, name: str) -> list[ValueRows]:
        """Return the values of a third question among those in each row. Raises RequestError, UnknownName."""
        third = self.responses.codebook.question(name)
        if not third.is_of.of_values and not third.scale:
            raise RequestError(
                f"{name} is of kind {third.kind}; only numbers and scales can be summed up in cells."
            )
        values = values_of(third, self.chosen(name))
        rows = [Net(label="", of=(answer.code,)) for answer in question.valid] + list(question.nets)
        return [ValueRows(np.where(who_counts_in(question, answers, row), values, np.nan)) for row in rows]

    @cached_property
    def _outside(self) -> tuple[tuple[int, IntArray, Reasons | None], ...]:
        """Find, by block, the places of those in none of its columns, and why; no blocks that hold everybody.

        Columns that are combined or have an expression have no reasons of their own.
        """
        outside = []
        for number, (block, columns) in enumerate(self.plan.layout.lettered_blocks()):
            inside = np.zeros(self.steps.counted, np.bool_)
            for k in columns:
                inside |= column_membership(self.cells, k)
            if columns and not inside.all():
                levels = block.wanted.nest or (block.wanted,)
                plain = all(
                    level.question and not level.columns and level.rolling is None and level.only is None
                    for level in levels
                )
                names = (
                    dict.fromkeys(level.question for level in levels)
                    if plain and block.wanted.only is None
                    else ()
                )
                places = np.flatnonzero(~inside)
                reasons = [
                    self.responses.reasons(name).chosen(self.population.rows).chosen(places) for name in names
                ]
                outside.append((number, places, first_of(reasons) if reasons else None))
        return tuple(outside)

    def _outside_of(self, base: BoolArray) -> dict[int, tuple[int, People | None]]:
        """Count those of a base (counted,) who are in no column of a block, by its number, and by reason."""
        times = self.population.frequencies
        outside: dict[int, tuple[int, People | None]] = {}
        for number, places, why in self._outside:
            who = base[places]
            place_times = None if times is None else times[places]
            by_reason = None
            if why is not None:
                often = None if place_times is None else place_times[who]
                by_reason = _by_reason(why.chosen(who), often, without=True)
            outside[number] = (people_of(who, place_times), by_reason)
        return outside


def _reasons_piece(reasons: Reasons | None, known: tuple[Reason, ...]) -> _Piece:
    """Return the rows of those without an answer, by reason."""
    if reasons is None:
        return _Piece(parts=(), order=())
    table = np.zeros((len(known), len(reasons.known) + 1))
    for reason, k in reasons.listed():
        table[known.index(reason), k] = 1.0
    rows = CodeRows(np.zeros(0, np.int64), table)
    part = CodedRows(reasons.codes, len(reasons.known) + 1)
    return _Piece(parts=(part,), rows=(rows,), order=tuple(range(len(known))))


def _by_reason(reasons: Reasons, times: FloatArray | None, *, without: bool) -> People:
    """Count respondents by reason, in the order of the reasons, alike ones together.

    With `without`, those who have none come last, as None.
    """
    people = np.bincount(reasons.codes, times, len(reasons.known) + 1)
    counts: People = {}
    for reason, k in reasons.listed():
        counts[reason] = counts.get(reason, 0) + round(float(people[k]))
    if without:
        counts[None] = round(float(people[0]))
    return counts


def unknown_counts(answers: Answers) -> dict[str, int]:
    """Return the values of a multiple-response question that no answer stands for, with their counts."""
    return dict(answers.unknown) if isinstance(answers, MultiAnswers) else {}
