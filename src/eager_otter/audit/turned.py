"""Scales that were coded the other way round in one of several waves."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from eager_otter.audit.seen import QuestionSeen
from eager_otter.audit.slip import Slip, by_score, warning
from eager_otter.codebook.label_words import says_time
from eager_otter.codebook.model import Answer, Codebook, Question
from eager_otter.core.arrays import FloatArray, IntArray
from eager_otter.data.waves import Waves
from eager_otter.looks.words import first_of
from eager_otter.plan.plan import Plan

FEWEST_STEPS = 4  # of a scale
FEWEST = 50  # rows of a wave, and of all others, with an answer
APART = 0.25  # of the rows that would have to answer otherwise to be spread as the others are
NEARER = 3.0  # times nearer to the others turned round than to the others
MOST_WAVES = 24
MOST_NAMED = 5


def wave_question(plan: Plan) -> str:
    """Return the question that tells waves apart; "" where there is none."""
    if isinstance(plan.data, Waves):
        return plan.data.question
    if plan.equal_waves is not None:
        return plan.equal_waves
    return next((one.name for one in plan.codebook if _may_be_wave(one)), "")


def _may_be_wave(question: Question) -> bool:
    of_few = question.kind == "single" and not question.scale and 1 < len(question.valid) <= MOST_WAVES
    return of_few and (says_time(question.name) or says_time(question.label))


def turned_scales(plan: Plan, seen: Mapping[str, QuestionSeen]) -> Iterator[Slip]:
    """Ask about scales whose answers are spread in one wave as they are in the others from the other end."""
    book, name = plan.codebook, wave_question(plan)
    if not name:
        return
    waves = book.question(name).answers
    found: dict[tuple[str, tuple[str, ...]], list[tuple[Question, str]]] = {}
    for question in book:
        counts = seen[question.name].by_wave
        steps = [] if counts is None else _steps(question)
        if counts is None or len(steps) < FEWEST_STEPS:
            continue
        places = [question.answers.index(one) for one in steps]
        turned = turned_waves(counts[:, places])
        if turned:
            labels = tuple(waves[k].label for k in turned)
            spread = _spread(counts[:, places], turned[0], steps[0])
            found.setdefault((question.grid or question.name, labels), []).append((question, spread))
    for (where, labels), several in found.items():
        yield _told(plan, book, where, labels, several)


def _steps(question: Question) -> list[Answer]:
    """Return the answers of a scale by their scores, the lowest first."""
    scores = question.scores()
    return by_score(question, (one for one in question.valid if one.code in scores))


def turned_waves(counts: IntArray) -> list[int]:
    """Return the waves in which the steps of a scale are spread as in all others from the other end.

    `counts` are rows (waves, steps). Of two waves that are so to each other, both are returned. Apart is the total
    variation distance: half the sum of what the shares differ by.

    >>> turned_waves(np.array([[5, 10, 20, 65], [6, 9, 21, 64], [66, 20, 9, 5]]))
    [2]
    """
    found = []
    for wave in range(len(counts)):
        own, others = counts[wave], counts.sum(axis=0) - counts[wave]
        if min(own.sum(), others.sum()) < FEWEST:
            continue
        here, there = own / own.sum(), others / others.sum()
        apart = _apart(here, there)
        if apart >= APART and NEARER * _apart(here, there[::-1]) <= apart:
            found.append(wave)
    return found


def _apart(one: FloatArray, other: FloatArray) -> float:
    return float(np.abs(one - other).sum() / 2)


def _spread(counts: IntArray, wave: int, first: Answer) -> str:
    """Say how many gave the lowest step in a wave, and elsewhere."""
    own, others = counts[wave], counts.sum(axis=0) - counts[wave]
    return f"{first.label}: {own[0] / own.sum():.0%} there, {others[0] / others.sum():.0%} elsewhere"


def _told(
    plan: Plan, book: Codebook, where: str, labels: tuple[str, ...], several: list[tuple[Question, str]]
) -> Slip:
    question, spread = several[0]
    steps = _steps(question)
    pairs = [(one.code, other.code) for one, other in zip(steps, reversed(steps), strict=True)]
    codes = ", ".join(f"{one}: {other}" for one, other in pairs if one != other)
    names = [one.name for one, _ in several]
    of = f" (of {first_of(names, MOST_NAMED)})" if where in book.grids else ""
    place = labels[0] if len(labels) == 1 else f"one of {first_of(labels, MOST_NAMED)}"
    put_right = (
        f"If so, write under changes of that file: codes: {{{names[0]}: {{{codes}}}}}{' and so on' * (len(names) > 1)}"
        if isinstance(plan.data, Waves)
        else "If so, turn these answers round in the data"
    )
    return warning(
        "scale turned round",
        where,
        f"In {place} the answers{of} are spread as elsewhere from the other end ({spread}): was the scale coded the "
        "other way round?",
        f"{put_right}; else accept this.",
    )
