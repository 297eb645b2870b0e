"""Intervals of shares and of differences."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray, ratio
from eager_otter.core.paired import SharedAnswers, shared_variation
from eager_otter.core.proportions import SharedPairs, share_squares, shares
from eager_otter.core.sums import Sums

Ends = tuple[FloatArray, FloatArray]  # low and high, shaped alike


def wilson_interval(share: FloatArray, effective: FloatArray, level: float) -> Ends:
    """Return the interval of shares (rows, columns), 0 … 1, at a confidence percent, on effective bases (1, columns).

    Wilson (1927): (p + z²/2e ± z√(p(1−p)/e + z²/4e²)) / (1 + z²/e). At a share of 0 the low end is 0, at 1 the high
    end is 1; NaN in an empty column.

    >>> low, high = wilson_interval(np.array([[0.5, 0.0]]), np.array([[100.0, 10.0]]), 95.0)
    >>> low.round(4).tolist(), high.round(4).tolist()
    ([[0.4038, 0.0]], [[0.5962, 0.2775]])
    """
    from scipy.special import ndtri

    z = float(ndtri(0.5 + level / 200.0))
    inverse = ratio(np.ones_like(effective), effective)
    middle = share + z * z * inverse / 2.0
    half = z * np.sqrt(share * (1.0 - share) * inverse + (z * inverse / 2.0) ** 2)
    low, high = ((middle + sign * half) / (1.0 + z * z * inverse) for sign in (-1.0, 1.0))
    return np.where(share == 0.0, 0.0, low) + 0.0 * middle, np.where(share == 1.0, 1.0, high) + 0.0 * middle


def difference_interval(
    share: FloatArray, ends: Ends, first: IntArray, second: IntArray, phi: FloatArray
) -> Ends:
    """Return the interval of the difference of two columns' shares, from their own intervals: (rows, pairs).

    `share` and `ends` are (rows, columns), `first` and `second` (pairs,) columns, `phi` (pairs,) or (rows, pairs) the
    correlation of the two shares by the people in both. Newcombe (1998): d − √((p1−l1)² + (u2−p2)² − 2φ(p1−l1)(u2−p2))
    to d + √((u1−p1)² + (p2−l2)² − 2φ(u1−p1)(p2−l2)).
    """
    low, high = ends
    p1, p2 = share[:, first], share[:, second]
    below1, above1 = p1 - low[:, first], high[:, first] - p1
    below2, above2 = p2 - low[:, second], high[:, second] - p2

    def reach(one: FloatArray, other: FloatArray) -> FloatArray:
        return np.sqrt(np.maximum(one**2 + other**2 - 2.0 * phi * one * other, 0.0))

    gap = p1 - p2
    return gap - reach(below1, above2), gap + reach(above1, below2)


def pair_overlap(base: Sums, pairs: IntArray, shared: SharedPairs) -> FloatArray:
    """Return φ of each pair of columns (pairs,): √(e1·e2)·Σw²b·x1·x2/(W1·W2), 0 where nobody is in both."""
    w2 = np.zeros(len(pairs))
    w2[shared.may] = base.pair_w2[0, shared.sums]
    return overlap_correlation(base, w2, pairs[:, 0], pairs[:, 1])


def overlap_correlation(base: Sums, w2: FloatArray, first: IntArray, second: IntArray) -> FloatArray:
    """Return φ of pairs of columns (pairs,) from Σw² of those in both (pairs,)."""
    squares = base.w2[0, first] * base.w2[0, second]
    return ratio(w2, np.sqrt(squares))  # √(e1·e2)/(W1·W2) = 1/√(Σw²1·Σw²2)


def item_overlap(answers: Sums, base: Sums, pairs: IntArray, shared: SharedAnswers) -> FloatArray:
    """Return φ of pairs of items of the same people (rows, pairs): C/√(V1·V2), 0 where either is 0.

    C = Σw²b1b2(y1−p1)(y2−p2)/(W1·W2), V1 and V2 the same with one item twice; p each item's own share.
    """
    first, second = pairs[:, 0], pairs[:, 1]
    share = shares(answers, base)
    p1, p2 = share[:, first], share[:, second]
    crossed = ratio(shared_variation(shared, p1, p2), base.w[:, first] * base.w[:, second])
    product = share_squares(answers, base, first, p1) * share_squares(answers, base, second, p2)
    return np.where(product > 0, ratio(crossed, np.sqrt(np.maximum(product, 0.0))), 0.0)


def mean_difference_interval(gap: FloatArray, error: FloatArray, degrees: FloatArray, level: float) -> Ends:
    """Return difference ± t·√V of two means (pairs,), V and degrees of freedom those of their test; NaN without one."""
    from scipy.special import stdtrit

    half = stdtrit(degrees, 0.5 + level / 200.0) * error
    return gap - half, gap + half
