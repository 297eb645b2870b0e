"""Column-proportion tests, two-sided, over rows × pairs of columns."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, effective_base, ratio
from eager_otter.core.sums import Sums

ALL_OR_NONE = 1e-12  # no test where the pooled share is this near to 0 or 1
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


def test_proportions(answers: Sums, base: Sums, pairs: IntArray, shared: SharedPairs) -> PairTests:
    """Test the shares of each row between the two columns of each pair.

    `answers` are sums of the rows, `base` the sums (one row) of the question's base, `pairs` (pairs, 2) column
    positions. Columns that share nobody: z with the pooled share and effective bases,
    p = (e1·p1 + e2·p2)/(e1+e2), z = (p1−p2)/√(p(1−p)(1/e1+1/e2)). Columns that share people: the linearised
    variance V = Σw²b(y−p)²(x1/W1 − x2/W2)² of a difference of two domain shares under the hypothesis of no
    difference (Särndal, Swensson & Wretman 1992; Wolter 2007). No test (NaN) for an empty column, where the
    pooled share is within 1e-12 of 0 or 1, or where the overlap leaves no variance.
    """
    a, b = pairs[:, 0], pairs[:, 1]
    share = ratio(answers.w, base.w)
    e = effective_base(base.w, base.w2)[0]
    p1, p2, e1, e2 = share[:, a], share[:, b], e[a], e[b]
    pooled = ratio(e1 * p1 + e2 * p2, e1 + e2)
    variance = pooled * (1.0 - pooled) * (ratio(np.ones_like(e1), e1) + ratio(np.ones_like(e2), e2))
    undecided = ~((pooled > ALL_OR_NONE) & (pooled < 1.0 - ALL_OR_NONE))
    in_both = np.zeros((1, len(pairs)), np.bool_)
    if shared.may.size:
        k, m = shared.may, shared.sums
        both_n = base.pair_n[0, m]
        variance_shared, apart = _overlap_variance(answers, base, pairs[k], m, pooled[:, k])
        people = both_n > 0
        in_both[0, k] = people
        variance[:, k] = np.where(people, variance_shared, variance[:, k])
        undecided[:, k] |= people & (variance_shared <= SAME_PEOPLE * apart)
    variance[undecided] = np.nan
    with np.errstate(invalid="ignore"):
        z = (p1 - p2) / np.sqrt(variance)
    return PairTests(z, two_sided_normal(z), np.full_like(z, np.nan), in_both)


def _overlap_variance(
    answers: Sums, base: Sums, pairs: IntArray, positions: IntArray, p: FloatArray
) -> tuple[FloatArray, FloatArray]:
    """V of the docstring above, and what it would be with nobody shared; (rows, pairs)."""
    a, b = pairs[:, 0], pairs[:, 1]
    w1, w2 = base.w[0, a], base.w[0, b]

    def squared(yes: FloatArray, everyone: FloatArray) -> FloatArray:  # Σw²(y−p)², as y² = y
        return (1.0 - 2.0 * p) * yes + p * p * everyone

    apart = (
        squared(answers.w2[:, a], base.w2[:, a]) / w1**2 + squared(answers.w2[:, b], base.w2[:, b]) / w2**2
    )
    both = squared(answers.pair_w2[:, positions], base.pair_w2[:, positions])
    return apart - 2.0 * both / (w1 * w2), apart
