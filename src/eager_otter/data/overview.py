"""An overview of a survey: each question with its kind, its answers and how many gave them, unweighted."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Literal

import numpy as np

from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.arrays import BoolArray
from eager_otter.data.columns import as_it_stands, distinct
from eager_otter.data.kind import AnswerCount
from eager_otter.data.kind_of import kind_of
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass
from eager_otter.gates.viewed import Viewed

Order = Literal["survey", "name", "label", "kind"]


@dataclass(frozen=True, slots=True, kw_only=True)
class QuestionOverview(Viewed):
    """A question at a glance. `answered` and `people` count respondents, unweighted (a row with a frequency as many).

    `summary` holds smallest, lower quartile, median, upper quartile, largest and mean of a number, none for
    other kinds.

    `question` is its definition, `answers` are codes with labels and how many gave them, those that the codebook does
    not know among them.
    """

    question: Question
    people: int
    answered: int
    answers: tuple[AnswerCount, ...] = ()
    summary: tuple[tuple[str, float], ...] = ()

    def __repr__(self) -> str:
        return f"<QuestionOverview {self.question.name!r}: answered by {self.answered:,} of {self.people:,}>"

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
    kind = kind_of(question)
    return QuestionOverview(
        question=question,
        people=int(often.sum()),
        answered=int(often[kind.answered(question, answers)].sum()),
        answers=tuple(kind.counts(question, answers, often)),
        summary=kind.summary(answers, often),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadReport:
    """A summary of what was read: rows, questions of each kind, id, weight and frequency, and what was left."""

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
    columns = [distinct(as_it_stands(responses.column(column))) for column in question.columns]
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
