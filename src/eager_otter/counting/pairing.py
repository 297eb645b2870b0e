"""Two questions with the same rows, answered by the same people: what to count of those who are in both bases."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.codebook.model import Net, Question
from eager_otter.core.arrays import FloatArray, smallest_unsigned
from eager_otter.core.paired import SharedAnswers, SharedValues
from eager_otter.core.sums import Finisher, ValueSums
from eager_otter.core.tally import CodedRows, ProductRows, Rows, ValueRows
from eager_otter.counting.rows import difference_parts, row_counts
from eager_otter.data.answers import Answers, NumberAnswers, SingleAnswers
from eager_otter.data.made import score_table
from eager_otter.data.reasons import BLANK
from eager_otter.data.selection import who_answered, who_counts_in
from eager_otter.dataclass import dataclass

Asked = tuple[Question, Answers]
Mean = tuple[float, float]  # a mean as a sum of two numbers


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PairedSums:
    """The answers of the people in the bases of both items of each pair: per row, as values, per difference row.

    `rows` are answers, then nets; None for numbers. `values` are scores or numbers; None where there are none.
    """

    rows: SharedAnswers | None
    values: SharedValues | None
    differences: tuple[SharedValues, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class PairParts:
    """The counts needed for one pair of questions.

    `parts` come one after the other: of the rows, then of difference rows, then of the values. `rows` and `values` read
    them out of a finished tally: the first part of each is `parts[0]` where all share one joint code.
    """

    parts: tuple[Rows, ...]
    rows: tuple[_RowCells, ...]
    differences: tuple[_ValueCells, ...]
    values: _ValueCells | None

    def read(self, finisher: Finisher, first: int, means: Sequence[tuple[Mean, Mean]]) -> PairedSums:
        """Take the sums of the pair, whose parts start at `first`, out of a finished tally.

        `means` are those of both items, of each difference row and last of the values, as far as there are any.
        """
        rows = [row.read(finisher, first) for row in self.rows]
        valued = [*self.differences, *([] if self.values is None else [self.values])]
        shared = [
            cells.read(finisher, first, means_of) for cells, means_of in zip(valued, means, strict=True)
        ]
        return PairedSums(
            rows=_under_one_another(rows) if rows else None,
            values=shared[-1] if self.values is not None else None,
            differences=tuple(shared[: len(self.differences)]),
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _RowCells:
    """A row of two items in a joint code: for each code whether it is in both bases, and who gave the answer."""

    part: int
    base: FloatArray
    first: FloatArray
    second: FloatArray

    def read(self, finisher: Finisher, start: int) -> FloatArray:
        """Return people in both bases, then Σw² of these, of those who gave both, the first, the second: (5,)."""
        n, _, w2 = finisher.by_code(start + self.part, self.base.size)
        inside = self.base
        both = inside * self.first * self.second
        return np.array(
            [n @ inside, w2 @ inside, w2 @ both, w2 @ (inside * self.first), w2 @ (inside * self.second)]
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _ValueCells:
    """The values of two items: by joint code, NaN where there is none, or, without codes, a part of products."""

    part: int
    first: FloatArray | None = None
    second: FloatArray | None = None

    def read(self, finisher: Finisher, start: int, means: tuple[Mean, Mean]) -> SharedValues:
        """Return those with both values, and Σw²(s1−m1)(s2−m2)."""
        if self.first is None or self.second is None:
            products, people = finisher.products(start + self.part, means)
        else:
            n, _, w2 = finisher.by_code(start + self.part, self.first.size)
            there = ~np.isnan(self.first) & ~np.isnan(self.second)
            away = [
                (side[there] - mean) - rest
                for side, (mean, rest) in zip((self.first, self.second), means, strict=True)
            ]
            products, people = float((w2[there] * away[0] * away[1]).sum()), float(n[there].sum())
        return SharedValues(people=np.array([[people]]), products=np.array([[products]]))


def _under_one_another(rows: Sequence[FloatArray]) -> SharedAnswers:
    table = np.array(rows)
    people, base, both, first, second = (table[:, [k]] for k in range(5))
    return SharedAnswers(people=people, base=base, both_gave=both, first_gave=first, second_gave=second)


def answers_beside(several: Sequence[SharedAnswers]) -> SharedAnswers:
    """Put the pairs of several side by side: (rows, pairs)."""
    return SharedAnswers(
        people=np.hstack([one.people for one in several]),
        base=np.hstack([one.base for one in several]),
        both_gave=np.hstack([one.both_gave for one in several]),
        first_gave=np.hstack([one.first_gave for one in several]),
        second_gave=np.hstack([one.second_gave for one in several]),
    )


def values_beside(several: Sequence[SharedValues]) -> SharedValues:
    """Put the pairs of several side by side: (1, pairs)."""
    return SharedValues(
        people=np.hstack([one.people for one in several]),
        products=np.hstack([one.products for one in several]),
    )


def mean_of(sums: ValueSums) -> Mean:
    """Return the mean of the Total as a sum of two numbers."""
    return float(sums.mean[0, 0]), float(sums.rest[0, 0])


def without_own_reasons(answers: Answers) -> Answers:
    """Put all reasons for no answer of a single question into one, so that its codes are the same for any data."""
    if not isinstance(answers, SingleAnswers):
        return answers
    kind = smallest_unsigned(answers.answers)
    return SingleAnswers(np.minimum(answers.codes, answers.answers).astype(kind), answers.answers, (BLANK,))


def pair_parts(first: Asked, second: Asked, *, everyone: bool) -> PairParts:
    """Say what to count of two questions: both single, both multiple response, or both numbers."""
    one, other = first[1], second[1]
    if isinstance(one, SingleAnswers) and isinstance(other, SingleAnswers):
        return _joint(first[0], one, second[0], other, everyone=everyone)
    if isinstance(one, NumberAnswers) and isinstance(other, NumberAnswers):
        parts = (ProductRows(one.values, other.values),)
        return PairParts(parts=parts, rows=(), differences=(), values=_ValueCells(part=0))
    return _row_by_row(first, second, everyone=everyone)


def _joint(
    question: Question, one: SingleAnswers, second: Question, other: SingleAnswers, *, everyone: bool
) -> PairParts:
    """Count both codes as one; what a row or value is of each item is then a table by joint code."""
    size = one.size * other.size
    kind = smallest_unsigned(size)
    codes = one.codes.astype(kind) * kind(other.size) + other.codes.astype(kind)
    mine, theirs = (_rows_by_code(*asked, everyone=everyone) for asked in ((question, one), (second, other)))

    def joint(a: FloatArray, b: FloatArray) -> tuple[FloatArray, FloatArray]:
        return np.repeat(a, other.size), np.tile(b, one.size)

    in_one, in_other = joint(mine[-1], theirs[-1])
    rows = []
    for a, b in zip(mine[:-1], theirs[:-1], strict=True):
        gave, gave_other = joint(a, b)
        rows.append(_RowCells(part=0, base=in_one * in_other, first=gave, second=gave_other))
    differences = [
        _ValueCells(part=0, first=sides[0], second=sides[1])
        for (_, a), (_, b) in zip(
            difference_parts(question, one, everyone=everyone),
            difference_parts(second, other, everyone=everyone),
            strict=True,
        )
        if not isinstance(a, ValueRows) and not isinstance(b, ValueRows) and (sides := joint(a, b))
    ]
    values = None
    if question.scores() and second.scores():
        scored = joint(score_table(question, one), score_table(second, other))
        values = _ValueCells(part=0, first=scored[0], second=scored[1])
    return PairParts(
        parts=(CodedRows(codes, size),), rows=tuple(rows), differences=tuple(differences), values=values
    )


def _rows_by_code(question: Question, answers: SingleAnswers, *, everyone: bool) -> FloatArray:
    """Return what codes each row counts, the base last: (rows + 1, codes) of 0 and 1."""
    counts = row_counts(question, answers, everyone=everyone)
    return counts.indicators[0].dense()[list(counts.order)]


OUT, NO, YES = range(3)  # of one row of one item: not in the base, did not give the answer, gave it
STATES = 3


def _row_by_row(first: Asked, second: Asked, *, everyone: bool) -> PairParts:
    """Count each row for itself: a code for what both items say of it."""
    mine, theirs = _states(*first, everyone=everyone), _states(*second, everyone=everyone)
    parts: list[Rows] = []
    rows = []
    inside, gave = np.array([0.0, 1.0, 1.0]), np.array([0.0, 0.0, 1.0])
    for a, b in zip(mine, theirs, strict=True):
        rows.append(
            _RowCells(
                part=len(parts),
                base=np.repeat(inside, STATES) * np.tile(inside, STATES),
                first=np.repeat(gave, STATES),
                second=np.tile(gave, STATES),
            )
        )
        parts.append(CodedRows((a * STATES + b).astype(np.uint8), STATES * STATES))
    differences = []
    for (_, one), (_, other) in zip(
        difference_parts(*first, everyone=everyone), difference_parts(*second, everyone=everyone), strict=True
    ):
        assert isinstance(one, ValueRows) and isinstance(other, ValueRows)
        differences.append(_ValueCells(part=len(parts)))
        parts.append(ProductRows(one.values, other.values))
    return PairParts(parts=tuple(parts), rows=tuple(rows), differences=tuple(differences), values=None)


def _states(question: Question, answers: Answers, *, everyone: bool) -> list[FloatArray]:
    """Return the state of each person in each row, answers, then nets, then, of everyone, no answer."""
    answered = who_answered(question, answers)
    inside = answered | everyone
    rows = [Net(label="", of=(answer.code,)) for answer in question.valid] + list(question.nets)
    gave = [who_counts_in(question, answers, row) for row in rows]
    if everyone:
        gave.append(~answered)
    return [np.where(inside, np.where(row, YES, NO), OUT) for row in gave]
