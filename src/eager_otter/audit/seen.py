"""What the audit sees of a part of the data: numbers that are added over all parts, and the first rows of each slip."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import field, fields, replace
from typing import Any, TypeVar

import numpy as np

from eager_otter.audit.recoding import RecodeSeen
from eager_otter.core.arrays import BoolArray, IntArray
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass

NAMED = 5
FAR = (99, 999, 9999, 99999, 999999, 88, 888, 8888, 98, 998, 9998)  # codes such as stand for no number

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Touched:
    """Some respondents: how many, and the numbers (from 0) of the first rows."""

    people: int = 0
    rows: tuple[int, ...] = ()

    def __add__(self, other: Touched) -> Touched:
        return Touched(self.people + other.people, (self.rows + other.rows)[:NAMED])


def touched(part: Responses, who: BoolArray) -> Touched:
    """Count some respondents (respondents,) of a part, and keep the first."""
    places = np.flatnonzero(who)
    if not places.size:
        return Touched()
    return Touched(part.people(who), tuple((places[:NAMED] + part.first).tolist()))


@dataclass(frozen=True, slots=True)
class FarSeen:
    """The numbers that were given: `values` of them, each code of FAR with whom, and how far all others reach.

    `size` is the largest of the others in absolute value, `top` the largest; −∞ where there are none.
    """

    values: int
    codes: Mapping[int, Touched]
    size: float
    top: float

    def __add__(self, other: FarSeen) -> FarSeen:
        nobody = Touched()
        codes = {
            code: self.codes.get(code, nobody) + other.codes.get(code, nobody)
            for code in (*self.codes, *other.codes)
        }
        return FarSeen(
            self.values + other.values, codes, max(self.size, other.size), max(self.top, other.top)
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class QuestionSeen:
    """What was seen of a question.

    `touched` are those of each slip that a row shows by itself, `unknown` the codes that the codebook does not know
    (over all rows), `given` how many rows gave each answer (answers,), `valid` how many gave any, `held` the missing
    entries that anybody has, `ticks` how often each tick column holds each text (over all rows). `taken` and `without`
    count whom the last rule takes in, and those without an answer to any question of the rules. `by_wave` counts the
    rows of each answer of a scale in each wave (waves, answers).
    """

    touched: Mapping[str, Touched]
    valid: int
    unknown: Counter[str] = field(default_factory=Counter)
    given: IntArray | None = None
    held: frozenset[str] = frozenset()
    ticks: Sequence[Counter[str]] = ()
    taken: Touched = field(default_factory=Touched)
    without: int = 0
    far: FarSeen | None = None
    recode: RecodeSeen | None = None
    by_wave: IntArray | None = None

    def __add__(self, other: QuestionSeen) -> QuestionSeen:
        return added(self, other)


@dataclass(frozen=True, slots=True, kw_only=True)
class WeightsSeen:
    """The weights that are not 0: of how many people, their sum and that of their squares, and the largest."""

    people: float
    weights: float
    squares: float
    largest: float

    @property
    def mean(self) -> float:
        """The mean weight."""
        return self.weights / self.people

    def __add__(self, other: WeightsSeen) -> WeightsSeen:
        return replace(added(self, other), largest=max(self.largest, other.largest))


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Seen:
    """What was seen of a part of the data, or of all.

    Rows that are `there` stand for somebody; `chosen` rows pass the plan's filter, `rows` of them stand for `people`;
    `kept` of these pass each filter of a table.
    """

    there: int
    chosen: int
    rows: int
    people: int
    kept: Sequence[int]
    unfinished: Touched
    weights: WeightsSeen | None
    questions: Mapping[str, QuestionSeen]

    def __add__(self, other: Seen) -> Seen:
        return added(self, other)


def added(one: T, other: T) -> T:
    """Add two states, field by field."""
    return replace(  # type: ignore[type-var]
        one,
        **{of.name: _sum(getattr(one, of.name), getattr(other, of.name)) for of in fields(one)},  # type: ignore[arg-type]
    )


def _sum(one: Any, other: Any) -> Any:
    match one:
        case None:
            return None
        case Counter() | int() | float():
            return one + other
        case frozenset():
            return one | other
        case Mapping():
            return {name: value + other[name] for name, value in one.items()}
        case list() | tuple():
            return tuple(a + b for a, b in zip(one, other, strict=True))
    return one + other
