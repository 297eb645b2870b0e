"""Two questions with the same rows, answered by the same people: what to count of the differences between them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eager_otter.codebook.model import Net, Question
from eager_otter.core.arrays import FloatArray, smallest_unsigned
from eager_otter.core.sums import Finisher, Sums, one_under_another
from eager_otter.core.tally import CodedRows, ValueRows
from eager_otter.data.answers import Answers, NumberAnswers, SingleAnswers
from eager_otter.data.made import score_table
from eager_otter.data.selection import who_answered, who_counts_in
from eager_otter.tables.rows import difference_parts, row_counts

Asked = tuple[Question, Answers]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PairedSums:
    """Sums of differences, one question's figure minus another's: per row, of the values, per difference row.

    `rows` (rows, pairs) are of answers, then nets; None for numbers. `values` (1, pairs) are of scores or numbers; None
    where there are none.
    """

    rows: Sums | None
    values: Sums | None
    differences: tuple[Sums, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PairParts:
    """What to count for one pair of questions.

    Either one joint code with `tables` of differences by code (rows, codes), or a part of values per row. The last
    `scored` of them (0 or 1) is the difference of the values, before it those of `differences` difference rows.
    """

    parts: tuple[CodedRows | ValueRows, ...]
    tables: FloatArray | None
    differences: int
    scored: int

    def read(self, finisher: Finisher, first: int) -> PairedSums:
        """Take the sums of the pair, whose parts start at `first`, out of a finished tally."""
        if self.tables is not None:
            sums = [finisher.scores(first, table[None, :]) for table in self.tables]
        else:
            sums = [finisher.values(first + k) for k in range(len(self.parts))]
        rows = sums[: len(sums) - self.differences - self.scored]
        behind = sums[len(rows) :]
        return PairedSums(
            rows=one_under_another(rows) if rows else None,
            values=behind[-1] if self.scored else None,
            differences=tuple(behind[: self.differences]),
        )


def differences_between(first: Asked, second: Asked, *, everyone: bool) -> PairParts:
    """Say what to count of two questions: both single, both multiple response, or both numbers."""
    one, other = first[1], second[1]
    if isinstance(one, SingleAnswers) and isinstance(other, SingleAnswers):
        return _joint(first[0], one, second[0], other, everyone=everyone)
    if isinstance(one, NumberAnswers) and isinstance(other, NumberAnswers):
        return PairParts(parts=(ValueRows(one.values - other.values),), tables=None, differences=0, scored=1)
    return _row_by_row(first, second, everyone=everyone)


def _joint(
    question: Question, one: SingleAnswers, second: Question, other: SingleAnswers, *, everyone: bool
) -> PairParts:
    """Count both codes as one; every row's difference is then a table of numbers by joint code."""
    mine, its = _by_code(question, one, everyone), _by_code(second, other, everyone)
    scored = int(bool(question.scores()) and bool(second.scores()))
    if scored:
        mine.append(score_table(question, one))
        its.append(score_table(second, other))
    tables = np.array([(a[:, None] - b[None, :]).reshape(-1) for a, b in zip(mine, its, strict=True)])
    size = one.size * other.size
    kind = smallest_unsigned(size)
    codes = one.codes.astype(kind) * kind(other.size) + other.codes.astype(kind)
    return PairParts(
        parts=(CodedRows(codes, size),),
        tables=tables,
        differences=len(question.differences),
        scored=scored,
    )


def _by_code(question: Question, answers: SingleAnswers, everyone: bool) -> list[FloatArray]:
    """Give what each row, then each difference row, is worth by code: NaN for who is not in the base."""
    counts = row_counts(question, answers, everyone=everyone)
    table = counts.indicators[0][list(counts.order)]
    outside = table[-1] == 0.0
    rows: list[FloatArray] = [np.where(outside, np.nan, row) for row in table[:-1]]
    scores = [scored for _, scored in difference_parts(question, answers, everyone=everyone)]
    return rows + [scored[0] for scored in scores if isinstance(scored, np.ndarray)]


def _row_by_row(first: Asked, second: Asked, *, everyone: bool) -> PairParts:
    mine, its = _by_person(*first, everyone=everyone), _by_person(*second, everyone=everyone)
    parts = tuple(ValueRows(a - b) for a, b in zip(mine, its, strict=True))
    return PairParts(parts=parts, tables=None, differences=len(first[0].differences), scored=0)


def _by_person(question: Question, answers: Answers, *, everyone: bool) -> Sequence[FloatArray]:
    """Give what each row, then each difference row, is worth for each person: NaN for who is not in the base."""
    answered = who_answered(question, answers)
    inside = answered | everyone
    rows = [Net(label="", of=(answer.code,)) for answer in question.valid] + list(question.nets)
    values = [np.where(inside, who_counts_in(question, answers, row), np.nan) for row in rows]
    if everyone:
        values.append(np.where(answered, 0.0, 1.0))
    scores = [scored for _, scored in difference_parts(question, answers, everyone=everyone)]
    return values + [scored.values for scored in scores if isinstance(scored, ValueRows)]
