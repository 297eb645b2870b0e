"""Comparisons of medians: the share at most the median of both columns, in each (Mood 1950)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.core.proportions import PairTests, SharedPairs, ShareMethod, test_proportions
from eager_otter.core.quantiles import weighted_quantile
from eager_otter.core.sums import Sums
from eager_otter.dataclass import dataclass

MEASURES = ("n", "w", "w2")


@dataclass(frozen=True, slots=True, eq=False)
class AtMost:
    """Of pairs of columns the median M of those in either, `middle` (pairs,), and the sums of those at most M.

    `answers` and `base` (1, 2 × pairs) hold the first and the second column of each pair side by side; their pair sums
    (1, pairs) are of those in both.
    """

    middle: FloatArray
    answers: Sums
    base: Sums

    @property
    def pairs(self) -> IntArray:
        """The places of the two columns of each pair: (pairs, 2)."""
        return np.arange(2 * self.middle.size, dtype=np.int64).reshape(-1, 2)

    @property
    def shared(self) -> SharedPairs:
        """The pairs that may share people: all of them have pair sums."""
        return SharedPairs(np.arange(self.middle.size))

    @staticmethod
    def in_order(parts: Sequence[tuple[IntArray, AtMost]], pairs: int) -> AtMost:
        """Put parts together, each with the places of its pairs among so many."""
        middle = np.full(pairs, np.nan)
        arrays = {
            name: (np.zeros((3, 1, 2 * pairs)), np.zeros((3, 1, pairs))) for name in ("answers", "base")
        }
        for own, part in parts:
            middle[own] = part.middle
            columns = np.stack([2 * own, 2 * own + 1], axis=1).reshape(-1)
            for name, (single, both) in arrays.items():
                sums: Sums = getattr(part, name)
                for k, measure in enumerate(MEASURES):
                    single[k][:, columns] = getattr(sums, measure)
                    both[k][:, own] = getattr(sums, f"pair_{measure}")
        return AtMost(middle, *(Sums(*single, *both) for single, both in arrays.values()))

    def only(self, pair: int) -> AtMost:
        """Keep one pair."""
        columns = [2 * pair, 2 * pair + 1]
        return AtMost(
            self.middle[[pair]], *(_part(sums, columns, [pair]) for sums in (self.answers, self.base))
        )


def _part(sums: Sums, columns: list[int], pairs: list[int]) -> Sums:
    single = (getattr(sums, name)[:, columns] for name in MEASURES)
    return Sums(*single, *(getattr(sums, f"pair_{name}")[:, pairs] for name in MEASURES))


def _gathered(middle: list[float], gave: list[FloatArray], base: list[FloatArray]) -> AtMost:
    """Put what was summed of each pair together: `gave` and `base` hold n, Σw, Σw² of first, second, both (3, 3)."""

    def sums(arrays: list[FloatArray]) -> Sums:
        one = np.array(arrays).reshape(-1, 3, 3)  # pairs, measures, first | second | both
        single = [one[:, k, :2].reshape(1, -1) for k in range(3)]
        return Sums(*single, *(one[:, k, 2].reshape(1, -1) for k in range(3)))

    return AtMost(np.array(middle), sums(gave), sums(base))


def at_most_of_values(
    s: FloatArray, measures: FloatArray, members: Mapping[int, BoolArray], pairs: IntArray
) -> AtMost:
    """Find M of each pair of columns and sum those at most it up.

    `s` (k,) are values in rising order, `measures` (3, k) n, Σw and Σw² of those who have each; `members` gives by
    column which of them are in it (k,).
    """
    middle, gave, base = [], [], []
    for first, second in pairs.tolist():
        a, b = members[first], members[second]
        m = weighted_quantile(s, measures[1] * (a | b), 0.5)
        sets = np.array([a, b, a & b], np.float64).T
        low = int(np.searchsorted(s, m, side="right")) if not np.isnan(m) else 0
        middle.append(m)
        gave.append(measures[:, :low] @ sets[:low])
        base.append(measures @ sets)
    return _gathered(middle, gave, base)


def at_most_of_scores(scores: FloatArray, sums: Sums, pairs: IntArray, where: IntArray) -> AtMost:
    """Find M of each pair of columns from the sums of the answers with a score, and sum those at most it up.

    `scores` (rows,) are of the rows of `sums`; `where` (pairs,) is the place of a pair among the pair sums, or −1.
    """
    order = np.argsort(scores, kind="stable")
    s = scores[order]
    middle, gave, base = [], [], []
    for (first, second), place in zip(pairs.tolist(), where.tolist(), strict=True):
        both = np.zeros((3, s.size))
        if place >= 0:
            both = np.array([getattr(sums, f"pair_{name}")[order, place] for name in MEASURES])
        sides = [np.array([getattr(sums, name)[order, k] for name in MEASURES]) for k in (first, second)]
        m = weighted_quantile(s, sides[0][1] + sides[1][1] - both[1], 0.5)
        low = int(np.searchsorted(s, m, side="right")) if not np.isnan(m) else 0
        three = np.stack([*sides, both], axis=2)  # measures, scores, first | second | both
        middle.append(m)
        gave.append(three[:, :low].sum(axis=1))
        base.append(three.sum(axis=1))
    return _gathered(middle, gave, base)


def test_medians(at_most: AtMost, method: ShareMethod) -> PairTests:
    """Test whether the shares at most the median M of both differ between the two columns of each pair (Mood 1950).

    By the test of two shares; the statistic is positive where the first column has fewer at most M, so is higher.
    """
    result = test_proportions(at_most.answers, at_most.base, at_most.pairs, at_most.shared, method)
    return PairTests(-result.statistic, result.p_value, result.degrees, result.shared, result.error)
