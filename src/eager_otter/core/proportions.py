"""Column-proportion tests, two-sided, over rows × pairs of columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, effective_base, ratio
from eager_otter.core.choices import ProportionTest
from eager_otter.core.sums import Sums

ALL_OR_NONE = 1e-12  # no test where the pooled share is this near to 0 or 1
DEGREES_TOLERANCE = 1e-9
SAME_PEOPLE = 1e-12  # no test where the overlap leaves no more than this of the variance


@dataclass(frozen=True, slots=True, eq=False)
class PairTests:
    """Tests of pairs of columns. `statistic`, `p_value`: (rows, pairs), NaN where there is no test.

    The statistic is positive where the first column of the pair is higher. `shared` (rows or 1, pairs) is
    True where someone was in both columns and the overlap-corrected variance was used. `degrees` is NaN for
    a z test.
    """

    statistic: FloatArray
    p_value: FloatArray
    degrees: FloatArray
    shared: BoolArray


def two_sided_normal(z: FloatArray) -> FloatArray:
    """P = 2Φ(−|z|); NaN stays NaN."""
    from scipy.special import ndtr

    return np.asarray(2.0 * ndtr(-np.abs(z)))


def two_sided_t(t: FloatArray, degrees: FloatArray) -> FloatArray:
    """P of Student's t on `degrees` of freedom; NaN where either is."""
    from scipy.special import stdtr

    return np.asarray(2.0 * stdtr(degrees, -np.abs(t)))


@dataclass(frozen=True, slots=True, eq=False)
class SharedPairs:
    """Which of the tested pairs may share people: `where` (pairs,) is the position in the pair sums, or -1."""

    where: IntArray

    @property
    def may(self) -> IntArray:
        """Positions, among the tested pairs, of those that may share people."""
        return np.flatnonzero(self.where >= 0)

    @property
    def sums(self) -> IntArray:
        """Positions of the same pairs in the pair sums."""
        return self.where[self.may]


def match_pairs(pairs: IntArray, overlapping: IntArray) -> SharedPairs:
    """Find each tested pair (pairs, 2) among the overlapping ones (any order within a pair)."""
    place = {(int(min(a, b)), int(max(a, b))): k for k, (a, b) in enumerate(overlapping)}
    found = [place.get((int(min(a, b)), int(max(a, b))), -1) for a, b in pairs]
    return SharedPairs(np.array(found, np.int64).reshape(len(pairs)))


def test_proportions(
    answers: Sums, base: Sums, pairs: IntArray, shared: SharedPairs, method: ProportionTest = "pooled"
) -> PairTests:
    """Test the shares of each row between the two columns of each pair.

    `answers` are sums of the rows, `base` the sums (one row) of the question's base, `pairs` (pairs, 2) column
    positions. Columns that share nobody, e the effective bases: "pooled", z with the variance
    p(1−p)(1/e1 + 1/e2), p = (e1·p1 + e2·p2)/(e1+e2); "unpooled", p1(1−p1)/e1 + p2(1−p2)/e2 (pooled where that is 0);
    "t", pooled on e1 + e2 − 2 degrees of freedom; "linear", the variance that follows. Columns that share people,
    whatever the method: V = Σw²b(y−p)²(x1/W1 − x2/W2)², the linearised variance of a difference of two domain shares
    under the hypothesis of no difference (Särndal, Swensson & Wretman 1992; Wolter 2007), under "t" on eU − 2 degrees
    of freedom, eU the effective base of those in either. No test (NaN) for an empty column, where the pooled share is
    within 1e-12 of 0 or 1, where the overlap leaves no variance, or for fewer than 1 degree of freedom.
    """
    a, b = pairs[:, 0], pairs[:, 1]
    share = ratio(answers.w, base.w)
    e = effective_base(base.w, base.w2)[0]
    p1, p2, e1, e2 = share[:, a], share[:, b], e[a], e[b]
    pooled = ratio(e1 * p1 + e2 * p2, e1 + e2)
    variance = _apart_variance(answers, base, pairs, pooled, method)
    undecided = ~((pooled > ALL_OR_NONE) & (pooled < 1.0 - ALL_OR_NONE))
    degrees = np.where(method == "t", e1 + e2 - 2.0, np.nan)[None, :]
    in_both = np.zeros((1, len(pairs)), np.bool_)
    if shared.may.size:
        k, m = shared.may, shared.sums
        both_n = base.pair_n[0, m]
        variance_shared, apart = _overlap_variance(answers, base, pairs[k], m, pooled[:, k])
        people = both_n > 0
        in_both[0, k] = people
        variance[:, k] = np.where(people, variance_shared, variance[:, k])
        undecided[:, k] |= people & (variance_shared <= SAME_PEOPLE * apart)
        if method == "t":
            degrees[0, k] = np.where(people, _either_base(base, pairs[k], m) - 2.0, degrees[0, k])
    if method == "t":
        undecided |= ~(degrees >= 1.0 - DEGREES_TOLERANCE)
    variance[undecided] = np.nan
    with np.errstate(invalid="ignore"):
        z = (p1 - p2) / np.sqrt(variance)
    degrees = np.where(np.isnan(z), np.nan, degrees)
    p_value = two_sided_t(z, degrees) if method == "t" else two_sided_normal(z)
    return PairTests(z, p_value, degrees, in_both)


def _apart_variance(
    answers: Sums, base: Sums, pairs: IntArray, pooled: FloatArray, method: ProportionTest
) -> FloatArray:
    """Give the variance of the difference of two shares of columns that share nobody: (rows, pairs)."""
    a, b = pairs[:, 0], pairs[:, 1]
    if method == "linear":
        return _squares(answers, base, a, pooled) + _squares(answers, base, b, pooled)
    inverse = ratio(np.ones_like(base.w[0]), effective_base(base.w, base.w2)[0])
    variance: FloatArray = pooled * (1.0 - pooled) * (inverse[a] + inverse[b])
    if method == "unpooled":
        share = ratio(answers.w, base.w)
        own = share * (1.0 - share) * inverse
        apart = own[:, a] + own[:, b]
        variance = np.where(apart > 0, apart, variance)
    return variance


def _squares(answers: Sums, base: Sums, column: IntArray, p: FloatArray) -> FloatArray:
    """Σw²b(y−p)²x / W² of one column of each pair: (rows, pairs). As y² = y, (y−p)² = (1−2p)y + p²."""
    squared = (1.0 - 2.0 * p) * answers.w2[:, column] + p * p * base.w2[:, column]
    return ratio(squared, base.w[:, column] ** 2)


def _either_base(base: Sums, pairs: IntArray, positions: IntArray) -> FloatArray:
    """Give the effective base of those in either column of each pair: (pairs,)."""
    a, b = pairs[:, 0], pairs[:, 1]
    w = base.w[0, a] + base.w[0, b] - base.pair_w[0, positions]
    return effective_base(w, base.w2[0, a] + base.w2[0, b] - base.pair_w2[0, positions])


def _overlap_variance(
    answers: Sums, base: Sums, pairs: IntArray, positions: IntArray, p: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """V of the docstring above, and what it would be with nobody shared; (rows, pairs)."""
    a, b = pairs[:, 0], pairs[:, 1]
    apart = _squares(answers, base, a, p) + _squares(answers, base, b, p)
    both = (1.0 - 2.0 * p) * answers.pair_w2[:, positions] + p * p * base.pair_w2[:, positions]
    return apart - 2.0 * both / (base.w[0, a] * base.w[0, b]), apart
