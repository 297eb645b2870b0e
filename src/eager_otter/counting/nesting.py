"""Nested rows: the answers of one question under each answer of another, as one question."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product

import numpy as np

from eager_otter.codebook.model import Answer, Derived, Net, Question
from eager_otter.core.arrays import BoolArray, IntArray, smallest_unsigned
from eager_otter.data.answers import Answers, MultiAnswers, SingleAnswers, pack
from eager_otter.data.encoding import placed_behind
from eager_otter.data.reasons import Reasons, first_of
from eager_otter.data.selection import reasons_of, who_answered, who_counts_in
from eager_otter.errors import RequestError

MOST_ROWS = 5_000


def nested_question(questions: Sequence[Question]) -> Question:
    """Make one question of several, outermost first: an answer per combination, a net per outer answer.

    An answer's code is the codes with a slash between. Raises RequestError for questions that are not single or
    multiple response, or too many combinations.
    """
    for question in questions:
        if not question.is_of.of_answers:
            raise RequestError(f"{question.name} is of kind {question.kind}; only answers can be nested.")
    size = int(np.prod([len(question.valid) for question in questions]))
    if size > MOST_ROWS:
        raise RequestError(f"The nested rows are {size:,}; at most {MOST_ROWS:,} fit.")
    single = all(question.is_of.of_one_answer for question in questions)
    inner = questions[-1]
    return Question(
        name=" × ".join(question.name for question in questions),
        kind="single" if single else "multi",
        source=Derived(()),
        text=f"{inner.text} – within {', within '.join(question.label for question in questions[-2::-1])}",
        label=inner.label,
        answers=tuple(
            Answer(code=_code(path), label=path[-1].label, last=path[-1].stays_last)
            for path in product(*(question.valid for question in questions))
        ),
        nets=tuple(_nets(questions)),
    )


def _nets(questions: Sequence[Question]) -> list[Net]:
    """Make a net of each outer answer; those of deeper levels are named by their whole path."""
    nets = []
    for depth in range(1, len(questions)):
        for path in product(*(question.valid for question in questions[:depth])):
            inner = [(*path, *rest) for rest in product(*(question.valid for question in questions[depth:]))]
            deeper = tuple(
                _name((*path, answer)) for answer in questions[depth].valid if depth + 1 < len(questions)
            )
            nets.append(
                Net(label=_name(path), of=tuple(_code(one) for one in inner), place="above", inside=deeper)
            )
    return nets


def _code(path: Sequence[Answer]) -> str:
    return "/".join(answer.code for answer in path)


def _name(path: Sequence[Answer]) -> str:
    return ": ".join(answer.label for answer in path)


def nested_answers(questions: Sequence[Question], answers: Sequence[Answers]) -> Answers:
    """Encode the combinations of several questions' answers; in the base is who answered them all."""
    singles = [given for given in answers if isinstance(given, SingleAnswers)]
    if len(singles) == len(answers):
        return _nested_singles(questions, singles)
    levels = [
        [who_counts_in(question, given, Net(label="", of=(answer.code,))) for answer in question.valid]
        for question, given in zip(questions, answers, strict=True)
    ]
    answered: BoolArray = np.logical_and.reduce(
        [who_answered(question, given) for question, given in zip(questions, answers, strict=True)]
    )
    ticks = np.array([np.logical_and.reduce(path) for path in product(*levels)])
    return MultiAnswers(pack(ticks & answered, answered), len(ticks), absent=_absent(questions, answers))


def _nested_singles(questions: Sequence[Question], answers: Sequence[SingleAnswers]) -> SingleAnswers:
    size = 1
    codes: IntArray = np.zeros(len(answers[0]), np.int64)
    valid = np.ones(len(answers[0]), np.bool_)
    for question, given in zip(questions, answers, strict=True):
        place = np.full(given.size, -1)
        place[[question.by_code[answer.code] for answer in question.valid]] = np.arange(len(question.valid))
        own_codes = place[given.codes]
        codes, size = codes * len(question.valid) + own_codes, size * len(question.valid)
        valid &= own_codes >= 0
    absent = _absent(questions, answers)
    codes = np.where(valid, codes, placed_behind(size, absent))
    return SingleAnswers(codes.astype(smallest_unsigned(size + len(absent.known))), size, absent.known)


def _absent(questions: Sequence[Question], answers: Sequence[Answers]) -> Reasons:
    """Say why somebody did not answer all of several questions: the first reason of any."""
    return first_of([reasons_of(question, given) for question, given in zip(questions, answers, strict=True)])
