"""What is counted in one pass over the data: a piece of each part, and how pieces are added."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Any, Generic, Protocol, TypeVar

import numpy as np

from eager_otter.codebook.model import Net, Question
from eager_otter.core.arrays import FloatArray, IntArray
from eager_otter.core.cells import column_membership, make_cells
from eager_otter.core.same_people import ScaleItems, YesNoItems, scale_items, yes_no_items
from eager_otter.core.sums import Finisher, ValueSums
from eager_otter.core.tally import Rows, Tally, tally
from eager_otter.core.value_counts import ValueCounts, bits_within, value_counts, within
from eager_otter.counting.pairing import (
    Mean,
    PairedSums,
    PairParts,
    answers_beside,
    mean_of,
    pair_parts,
    values_beside,
    without_own_reasons,
)
from eager_otter.counting.part import BannerCounting, BannerState
from eager_otter.counting.population import Choice
from eager_otter.counting.wanted import BannerPlan
from eager_otter.data.answers import NumberAnswers
from eager_otter.data.made import values_of
from eager_otter.data.responses import Responses
from eager_otter.data.selection import hits_of, who_counts_in
from eager_otter.dataclass import dataclass

S = TypeVar("S")


@dataclass(frozen=True, kw_only=True, eq=False)
class Pass(Generic[S]):
    """Something to be counted of every part of the data: it holds no rows, and can be sent anywhere."""

    def names(self) -> Iterator[str]:
        """Go through the questions that it needs."""
        raise NotImplementedError

    def choices(self) -> Iterator[Choice]:
        """Go through the choices of who is counted."""
        raise NotImplementedError

    def as_read(self) -> Iterator[str]:
        """Go through the columns that it needs as they stand in the data."""
        yield from ()

    def of(self, part: Responses) -> S:
        """Count a part. Raises DataError, RequestError."""
        raise NotImplementedError

    def added(self, one: S, other: S) -> S:
        """Add what was counted of the parts that follow."""
        return one + other  # type: ignore[operator, no-any-return]


class Passing(Protocol):
    """The way to go over all parts of the data."""

    def __call__(self, one_pass: Pass[S]) -> S:
        """Count all parts, and add what was counted in the order of the parts."""


@dataclass(frozen=True, kw_only=True, eq=False)
class TwoPasses(Pass[tuple[Any, Any]]):
    """Two passes in one, so that the data are read and encoded once."""

    one: Pass[Any]
    other: Pass[Any]

    def names(self) -> Iterator[str]:
        """Go through the questions that it needs."""
        yield from self.one.names()
        yield from self.other.names()

    def choices(self) -> Iterator[Choice]:
        """Go through the choices of who is counted."""
        yield from self.one.choices()
        yield from self.other.choices()

    def as_read(self) -> Iterator[str]:
        """Go through the columns that it needs as they stand in the data."""
        yield from self.one.as_read()
        yield from self.other.as_read()

    def of(self, part: Responses) -> tuple[Any, Any]:
        """Count a part."""
        return self.one.of(part), self.other.of(part)

    def added(self, one: tuple[Any, Any], other: tuple[Any, Any]) -> tuple[Any, Any]:
        """Add what was counted of the parts that follow."""
        return self.one.added(one[0], other[0]), self.other.added(one[1], other[1])


@dataclass(frozen=True, kw_only=True, eq=False)
class Banners(Pass[tuple[BannerState, ...]]):
    """The counts of several banners."""

    plans: tuple[BannerPlan, ...]

    def names(self) -> Iterator[str]:
        """Go through the questions that it needs."""
        for plan in self.plans:
            yield from plan.names()

    def choices(self) -> Iterator[Choice]:
        """Go through the choices of who is counted."""
        yield from (plan.choice for plan in self.plans)

    def of(self, part: Responses) -> tuple[BannerState, ...]:
        """Count a part."""
        return tuple(BannerCounting(part, plan).state() for plan in self.plans)

    def added(self, one: tuple[BannerState, ...], other: tuple[BannerState, ...]) -> tuple[BannerState, ...]:
        """Add what was counted of the parts that follow."""
        return tuple(a + b for a, b in zip(one, other, strict=True))


@dataclass(frozen=True, kw_only=True, eq=False)
class _OfBanner(Pass[S]):
    """Something counted by one banner."""

    plan: BannerPlan

    def names(self) -> Iterator[str]:
        """Go through the questions that it needs."""
        yield from self.plan.names()

    def choices(self) -> Iterator[Choice]:
        """Go through the choices of who is counted."""
        yield self.plan.choice


@dataclass(frozen=True, kw_only=True, eq=False)
class Values(_OfBanner[ValueCounts]):
    """How often each value of the one number counted occurs in each cell; of those within `ranges` (r, 2), if any."""

    ranges: FloatArray | None = None

    def of(self, part: Responses) -> ValueCounts:
        """Count a part."""
        counting = BannerCounting(part, self.plan)
        _, answers = counting.asked(self.plan.counts[0])
        assert isinstance(answers, NumberAnswers)
        values, least = answers.values, 0
        if self.ranges is not None:
            values = np.where(within(values, self.ranges), values, np.nan)
            least = bits_within(self.ranges)
        return value_counts(values, counting.cells, counting.population.measures, least)


@dataclass(frozen=True, kw_only=True, eq=False)
class BothAnswers(_OfBanner[FloatArray]):
    """Σw² of those in some columns who gave both of two answers: (columns, answers, answers)."""

    columns: tuple[int, ...]

    def of(self, part: Responses) -> FloatArray:
        """Count a part."""
        counting = BannerCounting(part, self.plan)
        question, answers = counting.asked(self.plan.counts[0])
        ticks = np.array(
            [who_counts_in(question, answers, Net(label="", of=(one.code,))) for one in question.valid],
            np.float64,
        )
        squares = counting.population.measures[2]
        inside = [column_membership(counting.cells, column) for column in self.columns]
        pairs = [(ticks[:, who] * squares[who]) @ ticks[:, who].T for who in inside]
        return np.array(pairs).reshape(len(self.columns), len(ticks), len(ticks))


@dataclass(frozen=True, slots=True, eq=False)
class PairCounts:
    """What was counted of pairs of items: a tally of everybody, and how the parts of each pair are read from it."""

    counted: Tally
    readers: tuple[tuple[int, PairParts], ...]

    def __add__(self, other: PairCounts) -> PairCounts:
        return PairCounts(self.counted + other.counted, self.readers)

    def read(self, valued: Sequence[Sequence[tuple[ValueSums, ValueSums]]]) -> PairedSums:
        """Take the sums of all pairs out; `valued` are for each pair the sums of values of both items."""
        finisher = Finisher(self.counted.ordered(), make_cells([], 0))
        read = []
        for (first, parts), of_pair in zip(self.readers, valued, strict=True):
            means: list[tuple[Mean, Mean]] = [(mean_of(one), mean_of(other)) for one, other in of_pair]
            read.append(parts.read(finisher, first, means))
        rows = [result.rows for result in read if result.rows is not None]
        values = [result.values for result in read if result.values is not None]
        return PairedSums(
            rows=answers_beside(rows) if rows else None,
            values=values_beside(values) if values else None,
            differences=tuple(
                values_beside(differences)
                for differences in zip(*(result.differences for result in read), strict=True)
            ),
        )


@dataclass(frozen=True, kw_only=True, eq=False)
class AnswersOfPairs(_OfBanner[PairCounts]):
    """Those who are in the bases of both items of each pair (pairs, 2) of the counts of the plan.

    `questions` are the items as they are compared, with the same rows.
    """

    questions: tuple[Question, ...]
    pairs: IntArray

    def of(self, part: Responses) -> PairCounts:
        """Count a part."""
        counting = BannerCounting(part, self.plan)
        answers = [without_own_reasons(counting.asked(count)[1]) for count in self.plan.counts]
        parts: list[Rows] = []
        readers = []
        for a, b in self.pairs.tolist():
            first, second = (self.questions[a], answers[a]), (self.questions[b], answers[b])
            of_pair = pair_parts(first, second, everyone=self.plan.counts[a].everyone)
            readers.append((len(parts), replace(of_pair, parts=())))
            parts += of_pair.parts
        population = counting.population
        everybody = make_cells([], counting.steps.counted)
        counted = tally(parts, everybody, weights=population.weights, frequencies=population.frequencies)
        return PairCounts(counted, tuple(readers))


@dataclass(frozen=True, kw_only=True, eq=False)
class ItemsOfPeople(_OfBanner[tuple[YesNoItems | None, ScaleItems | None]]):
    """The items counted, of everybody: as yes and no, and as scales, where they are such."""

    yes_no: bool
    scales: bool

    def of(self, part: Responses) -> tuple[YesNoItems | None, ScaleItems | None]:
        """Count a part."""
        counting = BannerCounting(part, self.plan)
        asked = [counting.asked(count) for count in self.plan.counts]
        population = counting.population
        yes_no = scales = None
        if self.yes_no:
            yes, other = (
                np.array([hits_of(one, given, (one.valid[k].code,)) for one, given in asked]) for k in (0, 1)
            )
            yes_no = yes_no_items(yes > 0, (yes + other) > 0, population.weights, population.frequencies)
        if self.scales:
            scores = np.array([values_of(one, given) for one, given in asked])
            scales = scale_items(scores, population.weights, population.frequencies)
        return yes_no, scales

    def added(self, one: Any, other: Any) -> Any:
        """Add what was counted of the parts that follow."""
        return tuple(None if a is None else a + b for a, b in zip(one, other, strict=True))
