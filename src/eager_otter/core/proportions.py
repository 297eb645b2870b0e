"""Column-proportion tests, two-sided, over rows × pairs of columns."""

from __future__ import annotations

from functools import cached_property
from typing import Protocol

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, effective_base, ratio
from eager_otter.core.sums import Sums
from eager_otter.core.tails import two_sided_normal, two_sided_t
from eager_otter.dataclass import dataclass

ALL_OR_NONE = 1e-12  # no test where the pooled share is this near to 0 or 1
DEGREES_TOLERANCE = 1e-9
FEW = 5.0  # a pair is thin where fewer are expected to give the answer, or not to
SAME_PEOPLE = 1e-12  # no test where the overlap leaves no more than this of the variance


@dataclass(frozen=True, slots=True, eq=False)
class PairTests:
    """Tests of pairs of columns. `statistic`, `p_value`: (rows, pairs), NaN where there is no test.

    The statistic is positive where the first column of the pair is higher. `shared` (rows or 1, pairs) is
    True where someone was in both columns and the overlap-corrected variance was used. `degrees` is NaN for
    a z test. `error` (rows, pairs) is the standard error of the difference, of shares (0 … 1) or means.
    """

    statistic: FloatArray
    p_value: FloatArray
    degrees: FloatArray
    shared: BoolArray
    error: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class SharedPairs:
    """The tested pairs that may share people: `where` (pairs,) is the position in the pair sums, or -1."""

    where: IntArray

    def only(self, kept: IntArray) -> SharedPairs:
        """Keep only some of the tested pairs, in the order given."""
        return SharedPairs(self.where[kept])

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
    places = [place.get((int(min(a, b)), int(max(a, b))), -1) for a, b in pairs]
    return SharedPairs(np.array(places, np.int64).reshape(len(pairs)))


@dataclass(frozen=True, eq=False)
class PairShares:
    """The inputs of a test of two shares: the sums of rows and their base, and pairs (pairs, 2) of columns."""

    answers: Sums
    base: Sums
    pairs: IntArray

    @property
    def first(self) -> IntArray:
        """The first column of each pair."""
        return self.pairs[:, 0]

    @property
    def second(self) -> IntArray:
        """The second column of each pair."""
        return self.pairs[:, 1]

    @cached_property
    def share(self) -> FloatArray:
        """The shares: (rows, columns)."""
        return shares(self.answers, self.base)

    @cached_property
    def effective(self) -> FloatArray:
        """The effective bases: (columns,)."""
        return np.asarray(effective_base(self.base.w, self.base.w2)[0])

    @cached_property
    def inverse(self) -> FloatArray:
        """One over the effective bases: (columns,), NaN where nobody is."""
        return ratio(np.ones_like(self.base.w[0]), self.effective)

    @property
    def e1(self) -> FloatArray:
        """The effective base of the first column of each pair."""
        return np.asarray(self.effective[self.first])

    @property
    def e2(self) -> FloatArray:
        """The effective base of the second column of each pair."""
        return np.asarray(self.effective[self.second])

    @cached_property
    def pooled(self) -> FloatArray:
        """The pooled share: (rows, pairs)."""
        return pooled_share(self.share[:, self.first], self.share[:, self.second], self.e1, self.e2)

    @property
    def spread(self) -> FloatArray:
        """p(1 − p), p the pooled share: (rows, pairs)."""
        return np.asarray(self.pooled * (1.0 - self.pooled))

    @cached_property
    def thin(self) -> BoolArray:
        """The thin pairs: (rows, pairs)."""
        return thin_pairs(self.pooled, self.e1, self.e2)

    @cached_property
    def pooled_variance(self) -> FloatArray:
        """p(1 − p)(1/e1 + 1/e2), p the pooled share: (rows, pairs)."""
        return self.spread * (self.inverse[self.first] + self.inverse[self.second])


class ShareMethod(Protocol):
    """How the shares of columns that share nobody are tested; with `on_t` on Student's t."""

    @property
    def on_t(self) -> bool:
        """Whether the statistic is Student's, on e1 + e2 − 2 degrees of freedom."""

    def variance(self, pairs: PairShares, /) -> FloatArray:
        """Return the variance of the difference of two shares: (rows, pairs)."""


def test_proportions(
    answers: Sums, base: Sums, pairs: IntArray, shared: SharedPairs, method: ShareMethod
) -> PairTests:
    """Test the shares of each row between the two columns of each pair.

    `answers` are sums of the rows, `base` the sums (one row) of the question's base, `pairs` (pairs, 2) column
    positions. Columns that share nobody are tested by the `method`, on e1 + e2 − 2 degrees of freedom where it says so,
    e the effective bases. Columns that share people, whatever the method: V = Σw²b(y−p)²(x1/W1 − x2/W2)², the
    linearised variance of a difference of two domain shares under the hypothesis of no difference (Särndal, Swensson &
    Wretman 1992; Wolter 2007), p = (e1·p1 + e2·p2)/(e1+e2), on eU − 2 degrees of freedom where the method has such, eU
    the effective base of those in either. In a thin pair, where e·p or e·(1−p) is below 5
    in either column, that is p(1−p)·Σw²b(x1/W1 − x2/W2)². Shares within 1e-12 of 0 or 1 are taken as 0 or 1. No
    test (NaN) for an empty column, where the pooled share is 0 or 1, where the overlap leaves no variance, or for
    fewer than 1 degree of freedom.
    """
    taken = PairShares(answers, base, pairs)
    pooled, thin = taken.pooled, taken.thin
    variance = np.array(method.variance(taken))
    undecided = ~((pooled > ALL_OR_NONE) & (pooled < 1.0 - ALL_OR_NONE))
    degrees = np.where(method.on_t, taken.e1 + taken.e2 - 2.0, np.nan)[None, :]
    in_both = np.zeros((1, len(pairs)), np.bool_)
    if shared.may.size:
        k, m = shared.may, shared.sums
        variance_shared, apart = _overlap_variance(answers, base, pairs[k], m, pooled[:, k], thin[:, k])
        people = base.pair_n[0, m] > 0
        in_both[0, k] = people
        variance[:, k] = np.where(people, variance_shared, variance[:, k])
        undecided[:, k] |= people & ~(variance_shared > SAME_PEOPLE * apart)
        if method.on_t:
            degrees[0, k] = np.where(people, either_base(base, pairs[k], m)[0] - 2.0, degrees[0, k])
    if method.on_t:
        undecided |= ~(degrees >= 1.0 - DEGREES_TOLERANCE)
    error = np.sqrt(np.where(undecided, np.nan, variance))
    z = (taken.share[:, taken.first] - taken.share[:, taken.second]) / error
    degrees = np.where(np.isnan(z), np.nan, degrees)
    p_value = two_sided_t(z, degrees) if method.on_t else two_sided_normal(z)
    return PairTests(z, p_value, degrees, in_both, error)


def shares(answers: Sums, base: Sums) -> FloatArray:
    """Divide the rows' weights by the base's: 0 … 1, (rows, columns); next to 0 or 1 they are 0 or 1."""
    share = ratio(answers.w, base.w)
    share[share < ALL_OR_NONE] = 0.0
    share[share > 1.0 - ALL_OR_NONE] = 1.0
    return share


def pooled_share(p1: FloatArray, p2: FloatArray, e1: FloatArray, e2: FloatArray) -> FloatArray:
    """Return (e1·p1 + e2·p2) / (e1 + e2): (rows, pairs)."""
    return ratio(e1 * p1 + e2 * p2, e1 + e2)


def thin_pairs(pooled: FloatArray, e1: FloatArray, e2: FloatArray) -> BoolArray:
    """Return the pairs in which fewer than 5 are expected to give the answer, or not to, in either column."""
    smaller = np.fmin(e1, e2)
    return np.asarray(smaller * np.minimum(pooled, 1.0 - pooled) < FEW - DEGREES_TOLERANCE)


def share_squares(answers: Sums, base: Sums, column: IntArray, p: FloatArray) -> FloatArray:
    """Σw²b(y−p)²x / W² of one column of each pair: (rows, pairs). As y² = y, (y−p)² = (1−2p)y + p²."""
    squared = (1.0 - 2.0 * p) * answers.w2[:, column] + p * p * base.w2[:, column]
    return ratio(squared, base.w[:, column] ** 2)


def either_base(base: Sums, pairs: IntArray, positions: IntArray) -> FloatArray:
    """Return the effective base of those in either of two columns, for pairs at `positions`: (rows, pairs)."""
    a, b = pairs[:, 0], pairs[:, 1]
    w = base.w[:, a] + base.w[:, b] - base.pair_w[:, positions]
    return effective_base(w, base.w2[:, a] + base.w2[:, b] - base.pair_w2[:, positions])


def _overlap_variance(
    answers: Sums, base: Sums, pairs: IntArray, positions: IntArray, p: FloatArray, thin: BoolArray
) -> tuple[FloatArray, FloatArray]:
    """V of `test_proportions`, and what it would be with nobody shared; (rows, pairs)."""
    parts = overlap_parts(answers, base, pairs, positions, p, thin)
    apart = parts.first + parts.second
    return apart - 2.0 * parts.cross, apart


@dataclass(frozen=True, slots=True, eq=False)
class VarianceParts:
    """The parts of the variance of a difference, V = first + second − 2·cross: each (rows, pairs).

    `first` and `second` come from the two columns, `cross` from those who are in both.
    """

    first: FloatArray
    second: FloatArray
    cross: FloatArray


def overlap_parts(
    answers: Sums, base: Sums, pairs: IntArray, positions: IntArray, p: FloatArray, thin: BoolArray
) -> VarianceParts:
    """Return the parts of V of `test_proportions` for columns that share people, `positions` among the pair sums."""
    a, b = pairs[:, 0], pairs[:, 1]
    crossed = base.w[0, a] * base.w[0, b]
    both = (1.0 - 2.0 * p) * answers.pair_w2[:, positions] + p * p * base.pair_w2[:, positions]
    spread, inverse = p * (1.0 - p), ratio(base.w2[0], base.w[0] ** 2)
    return VarianceParts(
        first=np.where(thin, spread * inverse[a], share_squares(answers, base, a, p)),
        second=np.where(thin, spread * inverse[b], share_squares(answers, base, b, p)),
        cross=np.where(thin, spread * base.pair_w2[:, positions] / crossed, both / crossed),
    )
