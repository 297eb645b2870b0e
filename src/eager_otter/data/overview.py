"""What is in a survey: each question with its kind, its answers and how many gave them, unweighted."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers
from eager_otter.data.columns import distinct
from eager_otter.data.reasons import REASONS, Reason, Reasons
from eager_otter.data.responses import Responses
from eager_otter.data.selection import who_answered

Order = Literal["survey", "name", "label", "kind"]


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerCount:
    """An answer and how many gave it; `note` says what is special about it ("missing", "exclusive", …)."""

    code: str
    label: str
    people: int
    note: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class QuestionOverview:
    """A question at a glance. `answered` and `people` count respondents, unweighted (a row with a frequency as many).

    `summary` holds smallest, lower quartile, median, upper quartile, largest and mean of a number, none for
    other kinds.
    """

    question: Question
    people: int
    answered: int
    answers: tuple[AnswerCount, ...] = ()
    summary: tuple[tuple[str, float], ...] = ()

    @property
    def kind(self) -> str:
        """The kind in words: scales, bands and derived questions are told apart."""
        return kind_in_words(self.question)


def kind_in_words(question: Question) -> str:
    """Name the kind of a question as people speak of it."""
    if question.grid is not None:
        return "grid item, scale" if question.scale else "grid item"
    return "scale" if question.scale else question.kind


def overview(responses: Responses, name: str, rows: BoolArray | None = None) -> QuestionOverview:
    """Look at one question, among some rows (respondents,) or all. Raises UnknownName, DataError."""
    question = responses.codebook.question(name)
    answers = responses.answers(name)
    times = responses.times()
    if rows is not None:
        answers = answers.chosen(rows)
        times = None if times is None else times[rows]
    often = np.ones(len(answers)) if times is None else times
    return QuestionOverview(
        question=question,
        people=int(often.sum()),
        answered=int(often[who_answered(question, answers)].sum()),
        answers=tuple(_answer_counts(question, answers, often)),
        summary=_summary(answers, often),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadReport:
    """What was read: rows, how many questions of each kind, what serves as id, weight and frequency, what was left."""

    rows: int
    kinds: tuple[tuple[str, int], ...]
    special: tuple[tuple[str, str], ...]
    aside: tuple[str, ...]


def load_report(responses: Responses) -> LoadReport:
    """Say what was read of a survey's data, and which of its columns no question uses."""
    codebook = responses.codebook
    kinds = Counter(kind_in_words(question) for question in codebook)
    return LoadReport(
        rows=len(responses),
        kinds=tuple(kinds.items()),
        special=tuple(codebook.special_columns.items()),
        aside=responses.columns_aside(),
    )


def in_order(codebook: Codebook, names: Sequence[str], order: Order) -> list[str]:
    """Put questions in survey order, by name, by label or by kind (in survey order within each)."""
    if order == "survey":
        return list(names)
    if order == "kind":
        return sorted(names, key=lambda name: kind_in_words(codebook.question(name)))
    if order == "label":
        return sorted(names, key=lambda name: codebook.question(name).label.casefold())
    return sorted(names, key=str.casefold)


def sample_records(
    responses: Responses, name: str, rows: BoolArray | None = None, most: int = 5
) -> tuple[tuple[str, str], ...]:
    """Show what the first respondents who have anything in a question's columns gave: row and values as read."""
    question = responses.codebook.question(name)
    if not question.columns:
        return ()
    columns = [distinct(responses.column(column)) for column in question.columns]
    held = np.logical_or.reduce([part.which(bool) for part in columns])
    held &= True if rows is None else rows
    return tuple(
        (responses.row_name(int(row)), "  ".join(part.texts[int(part.index[row])] or "·" for part in columns))
        for row in np.flatnonzero(held)[:most]
    )


def found(codebook: Codebook, words: str) -> list[str]:
    """Find questions by all of some words, in names, texts, labels, sections or answer labels, any case.

    All questions where there are no words; in survey order.
    """
    wanted = words.casefold().split()
    return [question.name for question in codebook if all(word in _searched(question) for word in wanted)]


def _searched(question: Question) -> str:
    parts = [question.name, question.text, question.label, question.section]
    parts += [answer.label for answer in question.answers] + [net.label for net in question.nets]
    return "\n".join(parts).casefold()


def _answer_counts(question: Question, answers: Answers, often: FloatArray) -> Iterator[AnswerCount]:
    if isinstance(answers, SingleAnswers):
        counts = np.bincount(answers.codes, often, answers.size).astype(np.int64)
        for k, answer in enumerate(question.answers):
            note = "missing" if answer.missing else ""
            yield AnswerCount(code=answer.code, label=answer.label, people=int(counts[k]), note=note)
        behind = zip(answers.reasons, counts[answers.answers :].tolist(), strict=True)
        yield from _behind(behind, answers.unknown)
    elif isinstance(answers, MultiAnswers):
        for k, answer in enumerate(question.answers):
            note = "missing" if answer.missing else "exclusive" if answer.exclusive else ""
            people = int(often[answers.tick(k)].sum())
            yield AnswerCount(code=answer.code, label=answer.label, people=people, note=note)
        yield from _unknown(answers.unknown)
        yield from _behind(_counted(answers.absent, often), {})
    elif isinstance(answers, NumberAnswers):
        yield from _behind(_counted(answers.absent, often), {})


def _counted(reasons: Reasons | None, often: FloatArray) -> Iterator[tuple[Reason, int]]:
    if reasons is not None:
        counts = np.bincount(reasons.codes, often, len(reasons.known) + 1).astype(np.int64)
        yield from zip(reasons.known, counts[1:].tolist(), strict=True)


def _behind(counted: Iterable[tuple[Reason, int]], unknown: Mapping[str, int]) -> Iterator[AnswerCount]:
    """List those without an answer by reason; a code that the codebook does not know is listed by itself."""
    for reason, people in counted:
        if not people:
            continue
        if reason.kind == "unknown code":
            yield from _unknown(unknown)
        elif reason.kind == "missing":
            yield AnswerCount(code=reason.label, label="missing code", people=people, note="missing")
        else:
            yield AnswerCount(code="", label=REASONS[reason.kind], people=people, note="no answer")


def _unknown(unknown: Mapping[str, int]) -> Iterator[AnswerCount]:
    for code, people in unknown.items():
        yield AnswerCount(code=code, label="", people=people, note="not in the codebook")


def _summary(answers: Answers, often: FloatArray) -> tuple[tuple[str, float], ...]:
    if not isinstance(answers, NumberAnswers):
        return ()
    there = ~np.isnan(answers.values)
    values = np.repeat(answers.values[there], often[there].astype(np.int64))
    if not values.size:
        return ()
    names = ("smallest", "lower quartile", "median", "upper quartile", "largest")
    quantiles = np.quantile(values, (0, 0.25, 0.5, 0.75, 1), method="averaged_inverted_cdf")
    return (
        *((name, float(q)) for name, q in zip(names, quantiles, strict=True)),
        ("mean", float(values.mean())),
    )
