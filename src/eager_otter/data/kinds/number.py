"""Numbers, and dates as days."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.codebook.kinds import Kind
from eager_otter.codebook.model import Question, RankAmong
from eager_otter.codebook.periods import day_text
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.answers import NumberAnswers, joined_reasons
from eager_otter.data.encoding import encode_date, encode_number, encode_rank
from eager_otter.data.kind import (
    AnswerCount,
    Columns,
    KindOfAnswers,
    Texts,
    Variable,
    counted_reasons,
    without_answer,
)
from eager_otter.gates.numbers import number_of

SUMMARY = ("smallest", "lower quartile", "median", "upper quartile", "largest")


class Number(KindOfAnswers[NumberAnswers]):
    """A number."""

    name: Kind = "number"

    def encode(self, question: Question, columns: Columns) -> NumberAnswers:
        """Encode a number, or the rank of an answer."""
        if isinstance(question.source, RankAmong):
            return encode_rank(question, columns)
        return encode_number(question, columns)

    def joined(self, pieces: Sequence[NumberAnswers]) -> NumberAnswers:
        """Put values behind one another."""
        values = np.concatenate([piece.values for piece in pieces])
        absent = joined_reasons(
            [piece.absent for piece in pieces], [np.isnan(piece.values) for piece in pieces]
        )
        return NumberAnswers(values, absent)

    def answered(self, question: Question, answers: NumberAnswers) -> BoolArray:
        """Return who has a value."""
        return ~np.isnan(answers.values)

    def texts(self, question: Question, answers: NumberAnswers, *, labels: bool) -> Texts:
        """Write the value; among codes also that of a missing one."""
        values = ["" if math.isnan(value) else format(value, ".15g") for value in answers.values.tolist()]
        return values if labels else _with_missing_codes(values, question, answers)

    def variable(self, question: Question, answers: NumberAnswers) -> Variable:
        """Write a quantity, whatever its values are written as elsewhere; its missing codes, where they are numbers."""
        special = tuple(code for code in question.missing.codes if number_of(code) is not None)
        texts = Number.texts(self, question, answers, labels=False)
        left_out = set(question.missing.codes) - set(special)
        return Variable(
            type="quantity", texts=["" if text in left_out else text for text in texts], special=special
        )

    def counts(self, question: Question, answers: NumberAnswers, often: FloatArray) -> Iterator[AnswerCount]:
        """Count those without a value."""
        return without_answer(counted_reasons(answers.absent, often), {})

    def summary(self, answers: NumberAnswers, often: FloatArray) -> tuple[tuple[str, float], ...]:
        """Return smallest, quartiles, median, largest and mean."""
        there = ~np.isnan(answers.values)
        values = np.repeat(answers.values[there], often[there].astype(np.int64))
        if not values.size:
            return ()
        quantiles = np.quantile(values, (0, 0.25, 0.5, 0.75, 1), method="averaged_inverted_cdf")
        return (
            *((name, float(q)) for name, q in zip(SUMMARY, quantiles, strict=True)),
            ("mean", float(values.mean())),
        )


class Date(Number):
    """A day, as days since 1970."""

    name: Kind = "date"

    def encode(self, question: Question, columns: Columns) -> NumberAnswers:
        """Encode a date."""
        return encode_date(question, columns)

    def texts(self, question: Question, answers: NumberAnswers, *, labels: bool) -> Texts:
        """Write the day; among codes also that of a missing one."""
        days = ["" if math.isnan(value) else day_text(value) for value in answers.values.tolist()]
        return days if labels else _with_missing_codes(days, question, answers)

    def variable(self, question: Question, answers: NumberAnswers) -> Variable:
        """Write a date without signs."""
        texts = [text.replace("-", "") for text in self.texts(question, answers, labels=True)]
        return Variable(type="date", texts=texts)


def _with_missing_codes(texts: Texts, question: Question, answers: NumberAnswers) -> Texts:
    """Write its code where an answer is missing by a code; values that are missing by a range are not kept."""
    if answers.absent is None:
        return texts
    codes = set(question.missing.codes)
    written = [
        "",
        *(one.label if one.kind == "missing" and one.label in codes else "" for one in answers.absent.known),
    ]
    return [text or written[k] for text, k in zip(texts, answers.absent.codes.tolist(), strict=True)]


KINDS = (Number(), Date())
