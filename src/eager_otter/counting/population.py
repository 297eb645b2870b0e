"""The people who are counted: filters, bases and weights, over all rows or a part of them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import field

import numpy as np

from eager_otter.codebook.expression import parse
from eager_otter.core.arrays import BoolArray, FloatArray, people_of
from eager_otter.data.responses import Responses, keeps_nobody
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, RequestError
from eager_otter.tables.request import Selection


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Population:
    """The people who are counted: rows that pass all filters, their weights and frequencies (chosen,), or None."""

    rows: BoolArray
    weights: FloatArray | None = None
    frequencies: FloatArray | None = None

    @property
    def measures(self) -> tuple[FloatArray, FloatArray, FloatArray]:
        """How many people each row stands for, and the sums of their weights and of their squares: (chosen,) each."""
        n = np.ones(int(self.rows.sum())) if self.frequencies is None else self.frequencies
        if self.weights is None:
            return n, n, n
        return n, n * self.weights, n * self.weights**2

    @property
    def people(self) -> int:
        """How many respondents are counted."""
        return int(self.rows.sum() if self.frequencies is None else self.frequencies.sum())


@dataclass(frozen=True, slots=True, kw_only=True)
class Choice:
    """The choice of who is counted: the filter of the whole report, the column of weights, and a table's own people."""

    filter: str | None = None
    weight: str | None = None
    people: Selection = field(default_factory=Selection)

    def expressions(self) -> Iterator[tuple[str, str]]:
        """Go through the expressions that choose, each with what it is in a message."""
        wanted = (
            ("the report's filter", self.filter),
            ("the table's filter", self.people.filter),
            ("its base", self.people.base),
        )
        yield from ((what, text) for what, text in wanted if text is not None)

    def names(self) -> Iterator[str]:
        """Go through the questions that choose."""
        for _, text in self.expressions():
            yield from parse(text).names()


@dataclass(frozen=True, slots=True, kw_only=True)
class Steps:
    """What is left of some rows, step by step: numbers to add over the parts of the data.

    `rows` and `people` are those read; `alone` the rows that satisfy each expression by itself, `left` the rows and
    `kept` the people left after each. `weighted` are the rows with a weight that the report's filter leaves, those
    whose weight is not 0 among them `positive`; `counted` rows and `counted_people` are those counted in the end.
    """

    rows: int
    people: int
    alone: tuple[int, ...]
    left: tuple[int, ...]
    kept: tuple[int, ...]
    weighted: int
    positive: int
    counted: int
    counted_people: int

    def __add__(self, other: Steps) -> Steps:
        def together(one: tuple[int, ...], two: tuple[int, ...]) -> tuple[int, ...]:
            return tuple(a + b for a, b in zip(one, two, strict=True))

        return Steps(
            rows=self.rows + other.rows,
            people=self.people + other.people,
            alone=together(self.alone, other.alone),
            left=together(self.left, other.left),
            kept=together(self.kept, other.kept),
            weighted=self.weighted + other.weighted,
            positive=self.positive + other.positive,
            counted=self.counted + other.counted,
            counted_people=self.counted_people + other.counted_people,
        )


def choose(responses: Responses, choice: Choice) -> tuple[Population, Steps]:
    """Choose the people to count, whose weight is not 0, of all rows or a part; nobody may be left of a part.

    Raises ExpressionError, UnknownName for a weight that is not there, DataError for weights that are none.
    """
    times = responses.times()
    rows = responses.everyone() if times is None else times > 0
    read = people_of(rows, times)
    alone: list[int] = []
    left: list[int] = []
    kept: list[int] = []

    def narrowed(text: str) -> tuple[BoolArray, BoolArray]:
        keep = responses.chosen_by(text)
        both = rows & keep
        alone.append(int(keep.sum()))
        left.append(int(both.sum()))
        kept.append(people_of(both, times))
        return both, keep

    if choice.filter is not None:
        rows, _ = narrowed(choice.filter)
    weights = None if choice.weight is None else responses.weights(choice.weight, rows, may_be_nobody=True)
    weighted, positive = (0, 0) if weights is None else (weights.size, int((weights > 0).sum()))
    for text in filter(None, (choice.people.filter, choice.people.base)):
        before = rows
        rows, keep = narrowed(text)
        weights = None if weights is None else weights[keep[before]]
    if weights is not None and not bool((weights > 0).all()):
        there = weights > 0
        chosen = rows.copy()
        chosen[np.flatnonzero(rows)[~there]] = False
        rows, weights = chosen, weights[there]
    population = Population(rows=rows, weights=weights, frequencies=None if times is None else times[rows])
    steps = Steps(
        rows=len(responses),
        people=read,
        alone=tuple(alone),
        left=tuple(left),
        kept=tuple(kept),
        weighted=weighted,
        positive=positive,
        counted=int(rows.sum()),
        counted_people=people_of(rows, times),
    )
    return population, steps


def check_somebody(choice: Choice, steps: Steps) -> None:
    """Refuse to count nobody, over all rows. Raises RequestError, DataError for weights that are all 0."""
    named = list(choice.expressions())
    for place, (_, text) in enumerate(named):
        of_report = choice.filter is not None and place == 0
        may_be_empty = choice.people.may_be_empty and not of_report
        if not steps.alone[place] and not may_be_empty:
            raise RequestError(keeps_nobody(text, steps.rows))
        if of_report:
            _check_weights(choice, steps)
        if not steps.left[place] and not may_be_empty:
            parts = [f"{one} ({text})" for one, text in named]
            if len(parts) == 1:
                raise RequestError(f"{parts[0][0].upper()}{parts[0][1:]} keeps nobody.")
            raise RequestError(f"No respondent satisfies {', '.join(parts[:-1])} and {parts[-1]} together.")
    _check_weights(choice, steps)
    if choice.weight is not None and (steps.left[-1] if steps.left else steps.weighted) and not steps.counted:
        raise RequestError("Everybody that the filters keep has a weight of 0, so nobody is left to count.")


def _check_weights(choice: Choice, steps: Steps) -> None:
    if choice.weight is not None and not steps.positive:
        raise DataError(f"Every weight in column {choice.weight!r} is 0, so nobody is left to count.")
