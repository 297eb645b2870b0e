"""The handling of data by a kind of question: one object that encodes, joins, looks at, and exports its answers."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, Generic, TypeVar

import numpy as np

from eager_otter.codebook.kinds import Kind
from eager_otter.codebook.model import Answer, Question
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.answers import Answers
from eager_otter.data.reasons import REASONS, Reason, Reasons
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.looks.words import most_frequent

A = TypeVar("A", bound=Answers)
Columns = Mapping[str, Any]  # column name → Arrow column
Texts = list[str]


@dataclass(frozen=True, slots=True, kw_only=True)
class Field:
    """One column of an export: a question, or the answer of a multiple-response question."""

    name: str
    texts: Texts


@dataclass(frozen=True, slots=True, kw_only=True)
class Variable:
    """A question as triple-s has it: `type` of the standard, a text per respondent, and the number of each code.

    `special` are the codes among the numbers of a quantity that are no answer.
    """

    type: str
    texts: Texts
    numbers: Mapping[str, int] | None = None
    special: tuple[str, ...] = ()


OWN_WORDS = "own words"  # what is said of an answer that stands for any text


def own_words(answer: Answer) -> str:
    """Say that an answer is given in people's own words; "" for others."""
    return OWN_WORDS if answer.write_in else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswerCount:
    """An answer and how many gave it; `note` says what is special about it ("missing", "exclusive", …)."""

    code: str
    label: str
    people: int
    note: str = ""


class KindOfAnswers(ABC, Generic[A]):
    """A kind of question: what its answers are, how they come in, are looked at, and go out."""

    name: Kind

    @abstractmethod
    def encode(self, question: Question, columns: Columns) -> A:
        """Encode a question from its columns. Raises DataError where they cannot be what the codebook says."""

    @abstractmethod
    def joined(self, pieces: Sequence[A]) -> A:
        """Put the answers of parts of the data behind one another, in the order of the rows."""

    @abstractmethod
    def answered(self, question: Question, answers: A) -> BoolArray:
        """Return who gave at least one valid answer: (respondents,)."""

    def texts(self, question: Question, answers: A, *, labels: bool) -> Texts:
        """Write the answer of each respondent, by code or label; "" where there is none."""
        raise NotImplementedError

    def fields(self, question: Question, answers: A, *, labels: bool) -> Iterator[Field]:
        """Return the columns of an export, by codes or labels."""
        yield Field(name=question.name, texts=self.texts(question, answers, labels=labels))

    @abstractmethod
    def variable(self, question: Question, answers: A) -> Variable:
        """Return the question as triple-s has it. Raises RequestError where the standard cannot hold it."""

    def counts(self, question: Question, answers: A, often: FloatArray) -> Iterator[AnswerCount]:
        """Count who gave each answer, and who gave none and why; `often` (respondents,) people are behind a row."""
        return iter(())

    def summary(self, answers: A, often: FloatArray) -> tuple[tuple[str, float], ...]:
        """Sum values up: smallest, quartiles, median, largest, mean; () for what has no values."""
        return ()


def counted_reasons(reasons: Reasons | None, often: FloatArray) -> Iterator[tuple[Reason, int]]:
    """Count those without an answer by reason."""
    if reasons is not None:
        counts = np.bincount(reasons.codes, often, len(reasons.known) + 1).astype(np.int64)
        yield from zip(reasons.known, counts[1:].tolist(), strict=True)


def without_answer(
    counted: Iterable[tuple[Reason, int]], unknown: Mapping[str, int]
) -> Iterator[AnswerCount]:
    """List those without an answer by reason; a code that the codebook does not know is listed by itself."""
    for reason, people in counted:
        if not people:
            continue
        if reason.kind == "unknown code":
            yield from unknown_codes(unknown)
        elif reason.kind == "missing":
            yield AnswerCount(code=reason.label, label="missing code", people=people, note="missing")
        else:
            yield AnswerCount(code="", label=REASONS[reason.kind], people=people, note="no answer")


def unknown_codes(unknown: Mapping[str, int]) -> Iterator[AnswerCount]:
    """List the codes that the codebook does not know."""
    for code, people in most_frequent(unknown):
        yield AnswerCount(code=code, label="", people=people, note="not in the codebook")


def numbered(question: Question) -> dict[str, int]:
    """Return the number that each code has in triple-s: itself where all are whole numbers from 1 up.

    Raises RequestError for codes that the standard has no room for.
    """
    codes = [answer.code for answer in question.answers]
    if codes_fit(question):
        numbers = {code: int(code) for code in codes}
        if max(numbers.values()) > 9_999 and question.is_of.several:
            raise RequestError(
                f"{question.name}: codes above 9,999 make strings of bits too long for triple-s."
            )
        return numbers
    return {code: k for k, code in enumerate(codes, 1)}


def codes_fit(question: Question) -> bool:
    """Return whether all codes are whole numbers from 1 up, as triple-s has them."""
    codes = [answer.code for answer in question.answers]
    return all(code.isascii() and code.isdigit() and not code.startswith("0") for code in codes)
