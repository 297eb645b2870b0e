"""Means, deviations and tests of means over rows × columns and rows × pairs of columns."""

from __future__ import annotations

from functools import cached_property
from typing import Protocol

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray, effective_base, ratio
from eager_otter.core.proportions import (
    DEGREES_TOLERANCE,
    SAME_PEOPLE,
    PairTests,
    SharedPairs,
    VarianceParts,
    either_base,
)
from eager_otter.core.sums import ValueSums
from eager_otter.core.tails import two_sided_t
from eager_otter.dataclass import dataclass

NO_SPREAD = 1e-12  # a deviation this small beside the largest value is rounding, not spread


@dataclass(frozen=True, slots=True, eq=False)
class Moments:
    """Figures of a number per row × column: all (rows, columns), NaN where not defined.

    mean = Σws/Σw; variance = (Σw(s−m)²/Σw)·n/(n−1), n the unweighted number of values, not defined for
    n = 1; effective = (Σw)²/Σw² over those with a value; standard_error = √(variance/effective).
    """

    n: FloatArray
    mean: FloatArray
    variance: FloatArray
    effective: FloatArray
    largest: FloatArray  # absolute value

    @property
    def standard_deviation(self) -> FloatArray:
        """√variance."""
        return np.sqrt(self.variance)

    @property
    def standard_error(self) -> FloatArray:
        """√(variance / effective number of values)."""
        return np.sqrt(ratio(self.variance, self.effective))


def moments(sums: ValueSums) -> Moments:
    """Compute means and variances from sums of values."""
    mean = np.where(sums.w > 0, sums.mean + sums.rest, np.nan)
    variance = ratio(sums.squares, sums.w) * ratio(sums.n, sums.n - 1.0)
    variance[sums.lowest == sums.highest] = 0.0  # all alike: exactly none, whatever rounding says
    variance[sums.n <= 1.0] = np.nan
    largest = np.maximum(np.abs(sums.lowest), np.abs(sums.highest))
    return Moments(sums.n, mean, variance, effective_base(sums.w, sums.w2), largest)


def mean_gaps(sums: ValueSums, pairs: IntArray) -> FloatArray:
    """Return m1 − m2 of each row and pair of columns, to the last digit: (rows, pairs), NaN where a column is empty."""
    a, b = pairs[:, 0], pairs[:, 1]
    gap = (sums.mean[:, a] - sums.mean[:, b]) + (sums.rest[:, a] - sums.rest[:, b])
    return np.where((sums.w[:, a] > 0) & (sums.w[:, b] > 0), gap, np.nan)


def confidence_interval(column_moments: Moments, level: float) -> tuple[FloatArray, FloatArray]:
    """Return m ± t·se at a confidence percent, t of e − 1 degrees of freedom: low and high, (rows, columns) each.

    NaN where there is less than 1 degree of freedom.
    """
    from scipy.special import stdtrit

    degrees = column_moments.effective - 1.0
    degrees[~(degrees >= 1.0 - DEGREES_TOLERANCE)] = np.nan
    half = stdtrit(degrees, 0.5 + level / 200.0) * column_moments.standard_error
    return np.asarray(column_moments.mean - half), np.asarray(column_moments.mean + half)


@dataclass(frozen=True, eq=False)
class PairMeans:
    """Inputs of a test of two means: variances v1, v2 and effective numbers of values e1, e2, each (rows, pairs)."""

    v1: FloatArray
    v2: FloatArray
    e1: FloatArray
    e2: FloatArray

    @cached_property
    def pooled(self) -> FloatArray:
        """((e1 − 1)v1 + (e2 − 1)v2)/(e1 + e2 − 2)."""
        squares = (self.e1 - 1.0) * self.v1 + (self.e2 - 1.0) * self.v2
        return ratio(squares, self.e1 + self.e2 - 2.0)

    @cached_property
    def pooled_variance(self) -> FloatArray:
        """The pooled variance times (1/e1 + 1/e2)."""
        return self.pooled * (ratio(np.ones_like(self.e1), self.e1) + ratio(np.ones_like(self.e2), self.e2))

    def satterthwaite(self, part1: FloatArray, part2: FloatArray) -> FloatArray:
        """Return (V1 + V2)² / (V1²/(e1 − 1) + V2²/(e2 − 1)) of the parts of a variance."""
        with np.errstate(invalid="ignore", divide="ignore"):
            squares = part1**2 / (self.e1 - 1.0) + part2**2 / (self.e2 - 1.0)
            return np.asarray((part1 + part2) ** 2 / squares)


class MeanMethod(Protocol):
    """How the means of columns that share nobody are tested."""

    def variance(self, pairs: PairMeans, /) -> FloatArray:
        """Return the variance of the difference of two means: (rows, pairs)."""

    def degrees(self, pairs: PairMeans, /) -> FloatArray:
        """Return the degrees of freedom: (rows, pairs)."""


def test_means(sums: ValueSums, pairs: IntArray, shared: SharedPairs, method: MeanMethod) -> PairTests:
    """Test the means of each row between the two columns of each pair, two-sided.

    Columns that share nobody are tested by the `method`. Columns that share people, whatever the method: the linearised
    variance of a difference of domain means, V = Σw²b[k1·x1(s−m1)/W1 − k2·x2(s−m2)/W2]², k = √(e/(e−1)) (Särndal,
    Swensson & Wretman 1992), e the effective numbers of values. Where one of the two columns has no deviation, whatever
    the method: V = vp·Σw²b(x1/W1 − x2/W2)², vp = ((e1−1)v1 + (e2−1)v2)/(e1+e2−2), which is the pooled test where nobody
    is shared, else on eU − 2 degrees of freedom, eU the effective base of those in either. No test (NaN) for fewer than
    two values in a column, where neither has a deviation, where the overlap leaves no variance, or for fewer than 1
    degree of freedom.
    """
    m = moments(sums)
    a, b = pairs[:, 0], pairs[:, 1]
    v1, v2 = m.variance[:, a], m.variance[:, b]
    e1, e2 = m.effective[:, a], m.effective[:, b]
    flat = NO_SPREAD * np.maximum(m.largest[:, a], m.largest[:, b])
    alike1, alike2 = np.sqrt(v1) <= flat, np.sqrt(v2) <= flat
    taken = PairMeans(v1, v2, e1, e2)
    in_both = np.zeros(v1.shape, np.bool_)
    variance, degrees = np.array(method.variance(taken)), np.array(method.degrees(taken))
    apart = variance.copy()
    together = e1 + e2 - 2.0
    pooled_variance, pooled_apart = taken.pooled_variance.copy(), taken.pooled_variance
    if shared.may.size:
        k, where = shared.may, shared.sums
        parts = overlap_parts(sums, pairs[k], where)
        own1, own2, both = parts.first, parts.second, parts.cross
        people = sums.pair_n[:, where] > 0
        in_both[:, k] = people
        pair = PairMeans(v1[:, k], v2[:, k], e1[:, k], e2[:, k])
        degrees[:, k] = np.where(people, pair.satterthwaite(own1, own2), degrees[:, k])
        variance[:, k] = np.where(people, own1 + own2 - 2.0 * both, variance[:, k])
        apart[:, k] = np.where(people, own1 + own2, apart[:, k])
        crossed = sums.pair_w2[:, where] / (sums.w[:, a[k]] * sums.w[:, b[k]])
        pooled_variance[:, k] -= np.where(people, 2.0 * taken.pooled[:, k] * crossed, 0.0)
        together[:, k] = np.where(people, either_base(sums, pairs[k], where) - 2.0, together[:, k])
    by_pooled = alike1 ^ alike2
    variance = np.where(by_pooled, pooled_variance, variance)
    apart = np.where(by_pooled, pooled_apart, apart)
    degrees = np.where(by_pooled, together, degrees)
    undecided = (alike1 & alike2) | ~((e1 > 1.0) & (e2 > 1.0) & (degrees >= 1.0 - DEGREES_TOLERANCE))
    undecided |= ~(variance > SAME_PEOPLE * apart)
    error = np.sqrt(np.where(undecided, np.nan, variance))
    t = mean_gaps(sums, pairs) / error
    degrees = np.where(np.isnan(t), np.nan, degrees)
    return PairTests(t, two_sided_t(t, degrees), degrees, in_both, error)


def overlap_parts(sums: ValueSums, pairs: IntArray, positions: IntArray) -> VarianceParts:
    """Return the parts of the linearised variance of `test_means` for columns that share people: each (rows, pairs).

    `positions` are those of the pairs among the pair sums.
    """
    a, b = pairs[:, 0], pairs[:, 1]
    scaled = ratio(small_sample(effective_base(sums.w, sums.w2)), sums.w)
    single = scaled**2 * sums.w2_squares
    cross = scaled[:, a] * scaled[:, b] * sums.pair_products[:, positions]
    return VarianceParts(first=single[:, a], second=single[:, b], cross=cross)


def small_sample(effective: FloatArray) -> FloatArray:
    """Return k = √(e/(e − 1)) of effective numbers of values; NaN for 1 and fewer."""
    with np.errstate(invalid="ignore", divide="ignore"):
        k = np.sqrt(effective / (effective - 1.0))
    k[~(effective > 1.0)] = np.nan
    return np.asarray(k)
