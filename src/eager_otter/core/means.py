"""Means, deviations and tests of means over rows × columns and rows × pairs of columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray, effective_base, ratio
from eager_otter.core.choices import MeanTest
from eager_otter.core.proportions import DEGREES_TOLERANCE, SAME_PEOPLE, PairTests, SharedPairs, two_sided_t
from eager_otter.core.sums import Sums

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


def moments(sums: Sums) -> Moments:
    """Work out means and variances from value sums. Raises ValueError for sums that only count."""
    if sums.ws is None or sums.ws2 is None or sums.lowest is None or sums.highest is None:
        raise ValueError("These sums hold no values, only counts.")
    from_shift = ratio(sums.ws, sums.w)
    spread = np.maximum(ratio(sums.ws2, sums.w) - from_shift**2, 0.0)
    variance = spread * ratio(sums.n, sums.n - 1.0)
    variance[sums.lowest == sums.highest] = 0.0  # all alike: exactly none, whatever rounding says
    variance[sums.n <= 1.0] = np.nan
    largest = np.maximum(np.abs(sums.lowest + sums.shift), np.abs(sums.highest + sums.shift))
    effective = effective_base(sums.w, sums.w2)
    return Moments(sums.n, from_shift + sums.shift, variance, effective, largest)


def confidence_interval(found: Moments, level: float) -> tuple[FloatArray, FloatArray]:
    """Give m ± t·se at a confidence percent, t of e − 1 degrees of freedom: low and high, (rows, columns) each.

    NaN where there is less than 1 degree of freedom.
    """
    from scipy.special import stdtrit

    degrees = found.effective - 1.0
    degrees[~(degrees >= 1.0 - DEGREES_TOLERANCE)] = np.nan
    half = stdtrit(degrees, 0.5 + level / 200.0) * found.standard_error
    return np.asarray(found.mean - half), np.asarray(found.mean + half)


def test_means(sums: Sums, pairs: IntArray, shared: SharedPairs, method: MeanTest = "welch") -> PairTests:
    """Test the means of each row between the two columns of each pair, two-sided.

    Columns that share nobody, e the effective numbers of values: "welch", Welch's t (1947) with degrees of freedom by
    Satterthwaite (1946); "pooled", Student's t with vp = ((e1−1)v1 + (e2−1)v2)/(e1+e2−2) on e1+e2−2 degrees of freedom.
    Columns that share people, whatever the method: the
    linearised variance of a difference of domain means, V = Σw²b[k1·x1(s−m1)/W1 − k2·x2(s−m2)/W2]²,
    k = √(e/(e−1)) (Särndal, Swensson & Wretman 1992). No test (NaN) for fewer than two values in a column, a
    deviation of (almost) 0, an overlap that leaves no variance, or fewer than 1 degree of freedom.
    """
    m = moments(sums)
    a, b = pairs[:, 0], pairs[:, 1]
    v1, v2 = m.variance[:, a], m.variance[:, b]
    e1, e2 = m.effective[:, a], m.effective[:, b]
    part1, part2 = ratio(v1, e1), ratio(v2, e2)
    variance = part1 + part2
    flat = NO_SPREAD * np.maximum(m.largest[:, a], m.largest[:, b])
    undecided = ~((np.sqrt(v1) > flat) & (np.sqrt(v2) > flat))
    in_both = np.zeros(variance.shape, np.bool_)
    if shared.may.size:
        k, where = shared.may, shared.sums
        own1, own2, both = _overlap_parts(sums, m, pairs[k], where)
        people = sums.pair_n[:, where] > 0
        in_both[:, k] = people
        part1[:, k] = np.where(people, own1, part1[:, k])
        part2[:, k] = np.where(people, own2, part2[:, k])
        variance[:, k] = np.where(people, own1 + own2 - 2.0 * both, variance[:, k])
        undecided[:, k] |= people & (variance[:, k] <= SAME_PEOPLE * (own1 + own2))
    with np.errstate(invalid="ignore", divide="ignore"):
        degrees = (part1 + part2) ** 2 / (part1**2 / (e1 - 1.0) + part2**2 / (e2 - 1.0))
        if method == "pooled":
            together = e1 + e2 - 2.0
            alike = ratio((e1 - 1.0) * v1 + (e2 - 1.0) * v2, together) * (1.0 / e1 + 1.0 / e2)
            variance, degrees = np.where(in_both, variance, alike), np.where(in_both, degrees, together)
        undecided |= ~((e1 > 1.0) & (e2 > 1.0) & (degrees >= 1.0 - DEGREES_TOLERANCE))
        t = (m.mean[:, a] - m.mean[:, b]) / np.sqrt(np.where(undecided, np.nan, variance))
    degrees[undecided] = np.nan
    return PairTests(t, two_sided_t(t, degrees), degrees, in_both)


def _overlap_parts(
    sums: Sums, m: Moments, pairs: IntArray, positions: IntArray
) -> tuple[FloatArray, FloatArray, FloatArray]:
    """V1, V2 and the cross term of the linearised variance: each (rows, pairs)."""
    if sums.w2s is None or sums.w2s2 is None or sums.pair_w2s is None or sums.pair_w2s2 is None:
        raise ValueError("These sums hold no values, only counts.")
    a, b = pairs[:, 0], pairs[:, 1]
    mean = m.mean - sums.shift
    with np.errstate(invalid="ignore", divide="ignore"):
        k = np.sqrt(m.effective / (m.effective - 1.0))
    k[~(m.effective > 1.0)] = np.nan
    own = sums.w2s2 - 2.0 * mean * sums.w2s + mean**2 * sums.w2
    scaled = ratio(k, sums.w)
    m1, m2 = mean[:, a], mean[:, b]
    both = (
        sums.pair_w2s2[:, positions]
        - (m1 + m2) * sums.pair_w2s[:, positions]
        + m1 * m2 * sums.pair_w2[:, positions]
    )
    single = scaled**2 * own
    return single[:, a], single[:, b], scaled[:, a] * scaled[:, b] * both
