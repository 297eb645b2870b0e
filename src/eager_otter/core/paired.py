"""Tests of two figures of the same people: items side by side, before against after."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray, effective_base, ratio
from eager_otter.core.means import NO_SPREAD, mean_gaps, moments, small_sample
from eager_otter.core.proportions import (
    ALL_OR_NONE,
    DEGREES_TOLERANCE,
    SAME_PEOPLE,
    PairTests,
    VarianceParts,
    pooled_share,
    share_squares,
    shares,
    thin_pairs,
)
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.core.tails import two_sided_normal, two_sided_t
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, slots=True, eq=False)
class SharedAnswers:
    """The people in the bases of both items of a pair: people, and Σw² by what they gave, each (rows, pairs).

    `both_gave` is of those who gave the row's answer to both, `first_gave` and `second_gave` of all who gave it to that
    one, `base` of all in both bases.
    """

    people: FloatArray
    base: FloatArray
    both_gave: FloatArray
    first_gave: FloatArray
    second_gave: FloatArray

    def only(self, row: int, pair: int) -> SharedAnswers:
        """Keep one row and pair."""
        return SharedAnswers(
            people=self.people[[row], [pair]][None],
            base=self.base[[row], [pair]][None],
            both_gave=self.both_gave[[row], [pair]][None],
            first_gave=self.first_gave[[row], [pair]][None],
            second_gave=self.second_gave[[row], [pair]][None],
        )


@dataclass(frozen=True, slots=True, eq=False)
class SharedValues:
    """People with a value of both items of a pair: their number, and Σw²(s1−m1)(s2−m2), each (1, pairs); m by item."""

    people: FloatArray
    products: FloatArray


def test_item_proportions(answers: Sums, base: Sums, pairs: IntArray, shared: SharedAnswers) -> PairTests:
    """Test the shares of each row between two items of the same people, each on its own base.

    `answers` (rows, items) and `base` (1, items) are sums of the items, `pairs` (pairs, 2) items. z = (p1 − p2)/√V,
    V = Σw²[b1(y1−p)/W1 − b2(y2−p)/W2]², p = (e1·p1 + e2·p2)/(e1 + e2); in a thin pair V is at least
    p(1−p)(1/e1 + 1/e2) − 2Σw²b1b2(y1−p)(y2−p)/(W1·W2). Unweighted, with everybody in both bases, it is McNemar's test
    (1947) without continuity correction. NaN where the pooled share is 0 or 1 or the people shared leave no variance.
    """
    a, b = pairs[:, 0], pairs[:, 1]
    share, e = shares(answers, base), effective_base(base.w, base.w2)[0]
    p1, p2, e1, e2 = share[:, a], share[:, b], e[a], e[b]
    p = pooled_share(p1, p2, e1, e2)
    parts = item_share_parts(answers, base, pairs, shared, p)
    apart, crossed = parts.first + parts.second, parts.cross
    inverse = ratio(np.ones_like(e1), e1) + ratio(np.ones_like(e2), e2)
    least = np.where(thin_pairs(p, e1, e2), p * (1.0 - p) * inverse - 2.0 * crossed, -np.inf)
    variance = np.maximum(apart - 2.0 * crossed, least)
    undecided = ~((p > ALL_OR_NONE) & (p < 1.0 - ALL_OR_NONE)) | ~(variance > SAME_PEOPLE * apart)
    error = np.sqrt(np.where(undecided, np.nan, variance))
    z = (p1 - p2) / error
    return PairTests(z, two_sided_normal(z), np.full_like(z, np.nan), shared.people > 0, error)


def item_share_parts(
    answers: Sums, base: Sums, pairs: IntArray, shared: SharedAnswers, p: FloatArray
) -> VarianceParts:
    """Return the parts of V of `test_item_proportions`: each (rows, pairs)."""
    a, b = pairs[:, 0], pairs[:, 1]
    return VarianceParts(
        first=share_squares(answers, base, a, p),
        second=share_squares(answers, base, b, p),
        cross=ratio(shared_variation(shared, p, p), base.w[:, a] * base.w[:, b]),
    )


def shared_variation(shared: SharedAnswers, p1: FloatArray, p2: FloatArray) -> FloatArray:
    """Return Σw²b1b2(y1−p1)(y2−p2) of each row and pair: (rows, pairs)."""
    return np.asarray(
        shared.both_gave - p2 * shared.first_gave - p1 * shared.second_gave + p1 * p2 * shared.base
    )


def test_item_means(values: ValueSums, pairs: IntArray, shared: SharedValues) -> PairTests:
    """Test the means of two items of the same people, each on its own base.

    `values` (1, items) are sums of values. t = (m1 − m2)/√V on min(e1, e2) − 1 degrees of freedom,
    V = Σw²[k1·b1(s1−m1)/W1 − k2·b2(s2−m2)/W2]², k = √(e/(e−1)). Unweighted, with a value of everybody for both, it is
    the paired t test. NaN where neither item has a deviation, the people shared leave no variance, or there is fewer
    than 1 degree of freedom.
    """
    a, b = pairs[:, 0], pairs[:, 1]
    m, parts = moments(values), item_mean_parts(values, pairs, shared)
    apart = parts.first + parts.second
    variance = apart - 2.0 * parts.cross
    degrees = np.minimum(m.effective[:, a], m.effective[:, b]) - 1.0
    deviation = np.sqrt(m.variance)
    flat = NO_SPREAD * np.maximum(m.largest[:, a], m.largest[:, b])
    spread = (deviation[:, a] > flat) | (deviation[:, b] > flat)
    tested = spread & (degrees >= 1.0 - DEGREES_TOLERANCE) & (variance > SAME_PEOPLE * apart)
    error = np.sqrt(np.where(tested, variance, np.nan))
    t = mean_gaps(values, pairs) / error
    degrees = np.where(np.isnan(t), np.nan, degrees)
    return PairTests(t, two_sided_t(t, degrees), degrees, shared.people > 0, error)


def item_mean_parts(values: ValueSums, pairs: IntArray, shared: SharedValues) -> VarianceParts:
    """Return the parts of V of `test_item_means`: each (1, pairs)."""
    a, b = pairs[:, 0], pairs[:, 1]
    scaled = ratio(small_sample(effective_base(values.w, values.w2)), values.w)
    variance = scaled**2 * values.w2_squares
    return VarianceParts(
        first=variance[:, a], second=variance[:, b], cross=scaled[:, a] * scaled[:, b] * shared.products
    )
