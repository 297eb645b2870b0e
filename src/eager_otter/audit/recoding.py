"""Recode tables: what went into each answer of a question that is made of others."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import assert_never

import numpy as np

from eager_otter.audit.slip import Recode, RecodeLine
from eager_otter.codebook.model import Banded, Codebook, Derived, EqualBands, Merged, Periods, Question
from eager_otter.codebook.periods import day_text
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.data.answers import MultiAnswers, NumberAnswers, SingleAnswers, TextAnswers
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass

SHOWN_VALUES = 8


@dataclass(frozen=True, slots=True, eq=False)
class GivenSeen:
    """What some respondents gave to a question.

    `people` gave each answer (answers,); `valued` gave a number or a text, from `low` to `high` where it is a number;
    `without` gave none.
    """

    people: IntArray
    valued: int = 0
    low: float = np.inf
    high: float = -np.inf
    without: int = 0

    def __add__(self, other: GivenSeen) -> GivenSeen:
        return GivenSeen(
            self.people + other.people,
            self.valued + other.valued,
            min(self.low, other.low),
            max(self.high, other.high),
            self.without + other.without,
        )


@dataclass(frozen=True, slots=True, eq=False)
class LineSeen:
    """Who went into an answer, or into none: how many `people`, and what they `gave` to each question it is made of."""

    people: int
    gave: tuple[GivenSeen, ...]

    def __add__(self, other: LineSeen) -> LineSeen:
        gave = tuple(a + b for a, b in zip(self.gave, other.gave, strict=True))
        return LineSeen(self.people + other.people, gave)


@dataclass(frozen=True, slots=True, eq=False)
class RecodeSeen:
    """A line for each answer and one for those in none, of whom the lowest `values` are kept for bands."""

    lines: tuple[LineSeen, ...]
    values: Counter[float]

    def __add__(self, other: RecodeSeen) -> RecodeSeen:
        lines = tuple(a + b for a, b in zip(self.lines, other.lines, strict=True))
        together = self.values + other.values
        lowest = sorted(together)[:SHOWN_VALUES]
        return RecodeSeen(lines, Counter({value: together[value] for value in lowest}))


def made_of(question: Question) -> tuple[str, ...]:
    """Name the questions whose answers a recode table shows; none for a question without such a table."""
    match question.source:
        case Banded(of) | EqualBands(of) | Periods(of):
            return (of,)
        case Merged(of) if question.is_of.of_one_answer:
            return (of,)
        case Derived():
            return question.made_of
    return ()


def recode_seen(part: Responses, question: Question, rows: BoolArray) -> RecodeSeen | None:
    """See what went into each answer of a question, of the chosen rows (rows,) of a part; None without such a table."""
    names = made_of(question)
    if not names and not isinstance(question.source, Derived):
        return None
    new = part.answers(question.name)
    assert isinstance(new, SingleAnswers)
    left = rows & (new.codes >= len(question.answers))
    values: Counter[float] = Counter()
    match question.source:
        case Banded() | EqualBands() | Periods():
            numbers = part.answers(names[0])
            assert isinstance(numbers, NumberAnswers)
            left = left & ~np.isnan(numbers.values)
            shown, places = np.unique(numbers.values[left], return_inverse=True)
            counts = _people_by(part, places, left)
            lowest = zip(shown[:SHOWN_VALUES].tolist(), counts[:SHOWN_VALUES], strict=False)
            values = Counter(dict(lowest))
        case Merged(of):
            old = part.answers(of)
            assert isinstance(old, SingleAnswers)
            left = left & (old.codes < len(part.questions[of].answers))
    chosen = [*(rows & (new.codes == k) for k in range(len(question.answers))), left]
    lines = tuple(
        LineSeen(
            part.people(who),
            tuple(_given(part, name, who, valid=isinstance(question.source, Derived)) for name in names),
        )
        for who in chosen
    )
    return RecodeSeen(lines, values)


def _given(part: Responses, name: str, who: BoolArray, *, valid: bool) -> GivenSeen:
    """See what some respondents gave to a question; with `valid`, those without a valid answer gave none."""
    source, answers = part.questions[name], part.answers(name)
    labels = len(source.answers)
    nothing = np.zeros(labels, np.int64)
    if not who.any():
        return GivenSeen(nothing)
    there = who & (part.reasons(name).codes == 0) if valid else who
    without = part.people(who & ~there) if valid else 0
    match answers:
        case SingleAnswers():
            counts = _people_by(part, answers.codes[there].astype(np.int64), there)[:labels]
            people = np.array([*counts, *(0 for _ in range(labels - len(counts)))], np.int64)
            return GivenSeen(people, without=without)
        case MultiAnswers():
            people = np.array([part.people(answers.tick(k) & who) for k in range(labels)], np.int64)
            return GivenSeen(people, without=without)
        case NumberAnswers():
            values: FloatArray = answers.values[there]
            if not values.size:
                return GivenSeen(nothing, without=without)
            return GivenSeen(nothing, part.people(there), float(values.min()), float(values.max()), without)
        case TextAnswers():
            return GivenSeen(nothing, part.people(there), without=without)
        case _:
            assert_never(answers)


def _people_by(part: Responses, codes: IntArray, who: BoolArray) -> list[int]:
    """Count the respondents that some rows stand for by code: `codes` are those of `who` (rows,)."""
    times = part.times()
    counts = np.bincount(codes, None if times is None else times[who])
    return [int(count) for count in counts]


def recode_of(codebook: Codebook, question: Question, seen: RecodeSeen) -> Recode:
    """Make the recode table of a question."""
    lines = {Merged: _merged, Derived: _derived}.get(type(question.source), _banded)
    return Recode(
        question=question.name,
        source=", ".join(made_of(question)),
        lines=tuple(lines(codebook, question, seen)),
    )


def _banded(codebook: Codebook, question: Question, seen: RecodeSeen) -> Iterator[RecodeLine]:
    """Return each band's lowest and highest value and its count; then the values in none."""
    *bands, left = seen.lines
    for answer, band in zip(question.answers, bands, strict=True):
        gave = band.gave[0]
        source = (
            f"{_value(question, gave.low)} to {_value(question, gave.high)}" if gave.valued else "no value"
        )
        yield RecodeLine(answer=answer.label, source=source, count=band.people)
    if left.people:
        listed = ", ".join(f"{_value(question, value)} ({n})" for value, n in sorted(seen.values.items()))
        yield RecodeLine(answer="(not placed)", source=listed, count=left.people)


def _value(question: Question, value: float) -> str:
    if isinstance(question.source, Periods):
        return day_text(value)
    return format(value, ".6g")


def _merged(codebook: Codebook, question: Question, seen: RecodeSeen) -> Iterator[RecodeLine]:
    """Return old × new: for each new answer the old ones with their counts; then the old ones in none."""
    labels = [answer.label for answer in codebook.questions[made_of(question)[0]].answers]
    *lines, left = seen.lines
    for answer, line in zip(question.answers, lines, strict=True):
        yield RecodeLine(answer=answer.label, source=_listed(labels, line.gave[0]), count=line.people)
    if left.people:
        yield RecodeLine(answer="(not placed)", source=_listed(labels, left.gave[0]), count=left.people)


def _listed(labels: Sequence[str], gave: GivenSeen) -> str:
    """List the answers that some gave, with their counts."""
    return ", ".join(f"{label} ({n:,})" for label, n in zip(labels, gave.people.tolist(), strict=True) if n)


def _derived(codebook: Codebook, question: Question, seen: RecodeSeen) -> Iterator[RecodeLine]:
    """Return source × new: for each new answer its rule, and what those in it gave to each question of the rules."""
    assert isinstance(question.source, Derived)
    last = "everyone else" if question.source.everyone else "otherwise"
    *lines, left = seen.lines
    for (label, rule), line in zip(question.source.rules, lines, strict=True):
        text = f"{last if rule is None else rule.text}: {_sources(codebook, question, line)}"
        yield RecodeLine(answer=label, source=text, count=line.people)
    if left.people:
        text = f"no rule holds: {_sources(codebook, question, left)}"
        yield RecodeLine(answer="(not placed)", source=text, count=left.people)


def _sources(codebook: Codebook, question: Question, line: LineSeen) -> str:
    """Say what some respondents gave to the questions that a question is made of: answers and counts, or ends."""
    many = len(question.made_of) > 1
    parts = []
    for name, gave in zip(question.made_of, line.gave, strict=True):
        given = _said(codebook.questions[name], gave) if line.people else "nobody"
        parts.append(f"{name} {given}" if many else given)
    return "; ".join(parts)


def _said(source: Question, gave: GivenSeen) -> str:
    parts = [_listed([answer.label for answer in source.answers], gave)]
    if gave.valued and not source.is_of.of_texts:
        low, high = (day_text(v) if source.is_of.of_days else f"{v:.6g}" for v in (gave.low, gave.high))
        parts.append(f"{low} to {high} ({gave.valued:,})")
    elif gave.valued:
        parts.append(f"a text ({gave.valued:,})")
    parts += [f"no answer ({gave.without:,})"] if gave.without else []
    return ", ".join(part for part in parts if part)
