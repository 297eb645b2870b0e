"""How often each value occurs in each cell of a banner: what quantiles are read from; it can be added over parts.

While there are few different values they are all kept. Where there are many, those that are near each other stand
together in a *range*, with the smallest and the largest of them: all that lies in a range is on one side of a quantile
that does not cut it. A range that one does cut is counted again, value by value, in another pass over the data. So a
count takes no more memory for more people, and its quantiles are those of all values, exactly.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from functools import cached_property

import numpy as np
import numpy.typing as npt

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.core.cells import ColumnCells, join_patterns
from eager_otter.core.medians import AtMost, at_most_of_values
from eager_otter.core.quantiles import Cut, quantile_cut
from eager_otter.dataclass import dataclass

MOST_RANGES = 1 << 17  # of one set of cells that are kept: some 8 MB
ALL_BITS = 64  # of a number: two with the same are equal
LEAST_FINER = 4  # bits that the ranges of another pass share more than those they come from
# leading bits that the values of a range share; the fewest are sign and exponent
BITS = tuple(range(ALL_BITS, 8, -LEAST_FINER))


@dataclass(frozen=True, eq=False)
class CellValues:
    """The values of one set of cells as ranges: `low` and `high` (k,), the same for a single value.

    Each is of the `cell` (k,) beside it. `measures` (3, k) are n, Σw, Σw² of those with a value of the range in the
    cell. `columns` are positions in the banner, `members` (columns, cells) says which cells make them up. The numbers
    of a range share `bits`, at least `least`, however many ranges that makes.
    """

    low: FloatArray
    high: FloatArray
    cell: IntArray
    measures: FloatArray
    columns: IntArray
    members: FloatArray
    bits: int = ALL_BITS
    least: int = 0

    def __add__(self, other: CellValues) -> CellValues:
        return _gathered(self._beside(other), BITS.index(min(self.bits, other.bits)))

    def _beside(self, other: CellValues) -> CellValues:
        members, (mine, theirs) = join_patterns([self.members, other.members])
        return replace(
            self,
            low=np.concatenate([self.low, other.low]),
            high=np.concatenate([self.high, other.high]),
            cell=np.concatenate([mine[self.cell], theirs[other.cell]]),
            measures=np.concatenate([self.measures, other.measures], axis=1),
            members=members,
        )

    def _chosen(self, places: IntArray) -> CellValues:
        return replace(
            self,
            low=self.low[places],
            high=self.high[places],
            cell=self.cell[places],
            measures=self.measures[:, places],
        )

    @property
    def several(self) -> BoolArray:
        """Which ranges hold several values: (k,)."""
        return self.low < self.high

    @cached_property
    def points(self) -> tuple[FloatArray, IntArray, FloatArray]:
        """Values in rising order, their cells and measures: half of a range of several is put on each end.

        So the sums up to any value outside of the ranges are right, and the values next to it are those there are.
        """
        several = self.several
        values = np.concatenate([self.low, self.high[several]])
        order = np.argsort(values, kind="stable")
        measures = np.where(several, self.measures / 2.0, self.measures)
        cell = np.concatenate([self.cell, self.cell[several]])
        return values[order], cell[order], np.concatenate([measures, measures[:, several]], axis=1)[:, order]

    def in_columns(self, cell: IntArray, columns: Iterable[int]) -> BoolArray:
        """Return which of some cells (k,) are in any of some columns of the banner: (k,)."""
        places = np.flatnonzero(np.isin(self.columns, list(columns)))
        return np.asarray(np.logical_or.reduce(self.members[places] > 0)[cell])

    def cut(self, columns: Iterable[int], q: float) -> Cut:
        """Find where the q-quantile cuts the values of those in any of some columns."""
        values, cell, measures = self.points
        inside = self.in_columns(cell, columns)
        return quantile_cut(values[inside], measures[1, inside], q)

    def hidden(self, columns: Iterable[int], q: float) -> BoolArray:
        """Return which ranges of several values (k,) the q-quantile of those in some columns may lie in."""
        wanted = list(columns)
        at = self.cut(wanted, q).at
        inside = self.several & (self.low <= at) & (at <= self.high)
        return inside & self.in_columns(self.cell, wanted) if inside.any() else inside

    def with_finer(self, ranges: FloatArray, finer: CellValues) -> CellValues:
        """Put finer ranges in the place of all that lie within some `ranges` (r, 2)."""
        return self._chosen(np.flatnonzero(~within(self.low, ranges)))._beside(finer)


def _gathered(given: CellValues, level: int) -> CellValues:
    """Put values of one cell together that share so many bits, or fewer where that makes too many ranges.

    Measures (3, k) are added in the order they come in.
    """
    cells, order = given.members.shape[1], _in_order(given.low)
    while True:
        bits = BITS[level]
        prefix = order if bits == ALL_BITS else order >> np.uint64(ALL_BITS - bits)
        place = np.unique(prefix, return_inverse=True)[1].reshape(-1)
        keys, entry = np.unique(place * cells + given.cell, return_inverse=True)
        if keys.size <= MOST_RANGES or level + 1 == len(BITS) or BITS[level + 1] < given.least:
            break
        level += 1
    entry = entry.reshape(-1)
    sums = np.array([np.bincount(entry, measure, keys.size) for measure in given.measures])
    low, high = np.full(keys.size, np.inf), np.full(keys.size, -np.inf)
    np.minimum.at(low, entry, given.low)
    np.maximum.at(high, entry, given.high)
    return replace(given, low=low, high=high, cell=keys % cells, measures=sums, bits=bits)


def _in_order(values: FloatArray) -> npt.NDArray[np.uint64]:
    """Return numbers (k,) as whole ones of 64 bits in the same order, so that near ones share their leading bits."""
    bits = np.ascontiguousarray(values + 0.0).view(np.uint64)  # without negative zeros
    sign = np.uint64(1) << np.uint64(63)
    return np.where(bits & sign, ~bits, bits | sign)


def within(values: FloatArray, ranges: FloatArray) -> BoolArray:
    """Return which values (k,) lie in one of some `ranges` (r, 2) in rising order, both ends included.

    >>> within(np.array([0.0, 1.0, 2.5, 4.0]), np.array([[1.0, 2.0], [3.0, 4.0]])).tolist()
    [False, True, False, True]
    """
    place = np.searchsorted(ranges[:, 0], values, side="right") - 1
    return np.asarray((place >= 0) & (values <= ranges[place, 1]))


def bits_within(ranges: FloatArray) -> int:
    """Return how many bits the ranges share at least that are made of the values within some `ranges` (r, 2)."""
    ends = _in_order(ranges.reshape(-1)).reshape(-1, 2)
    differ = max((int(first ^ last).bit_length() for first, last in ends), default=0)
    return min(ALL_BITS, ALL_BITS - differ + LEAST_FINER)


@dataclass(frozen=True, slots=True, eq=False)
class ValueCounts:
    """How often each value of a number occurs in each cell, set by set."""

    sets: tuple[CellValues, ...]
    columns: int

    def __add__(self, other: ValueCounts) -> ValueCounts:
        return ValueCounts(
            tuple(one + two for one, two in zip(self.sets, other.sets, strict=True)), self.columns
        )

    def hidden_by_cuts(self, shares: FloatArray) -> FloatArray:
        """Find the ranges (r, 2) that shares of weight (columns,) cut: to be counted again before `cuts`."""
        own = [[((k,), q) for k, q in enumerate(shares) if self._owner(k) is one] for one in self.sets]
        return self._hidden(own)

    def hidden_by_medians(self, pairs: IntArray) -> FloatArray:
        """Find the ranges (r, 2) that the median of a pair of columns cuts: to be counted again before `at_most`."""
        return self._hidden([[(pair, 0.5) for pair in pairs[own].tolist()] for own in self._owned(pairs)])

    def _hidden(self, cuts: Sequence[Sequence[tuple[Sequence[int], float]]]) -> FloatArray:
        """Find the ranges that cuts of columns, listed for each set, may lie in: rising, overlapping as one."""
        low, high, hidden = [], [], []
        for one, own in zip(self.sets, cuts, strict=True):
            several = one.several
            low.append(one.low[several])
            high.append(one.high[several])
            cut = np.zeros(several.size, np.bool_)
            for columns, q in own if several.any() else ():
                cut |= one.hidden(columns, q)
            hidden.append(cut[several])
        order = np.argsort(np.concatenate(low), kind="stable")
        if not order.size:
            return np.zeros((0, 2))
        starts_at, ends_at = np.concatenate(low)[order], np.maximum.accumulate(np.concatenate(high)[order])
        first = np.flatnonzero(np.concatenate([[True], starts_at[1:] > ends_at[:-1]]))
        chosen = np.logical_or.reduceat(np.concatenate(hidden)[order], first)
        last = np.append(first[1:], order.size) - 1
        return np.stack([starts_at[first], ends_at[last]], axis=1)[chosen]

    def with_finer(self, ranges: FloatArray, finer: ValueCounts) -> ValueCounts:
        """Return the counts with some ranges (r, 2) as they were counted again."""
        sets = (one.with_finer(ranges, again) for one, again in zip(self.sets, finer.sets, strict=True))
        return ValueCounts(tuple(sets), self.columns)

    def cuts(self, shares: FloatArray) -> list[Cut]:
        """Find where shares of weight (columns,), NaN for none, cut the values of each column."""
        return [self._owner(column).cut((column,), q) for column, q in enumerate(shares.tolist())]

    def at_most(self, pairs: IntArray) -> AtMost:
        """Find who is at most the median of those in either column of each pair (pairs, 2)."""
        results = []
        for of_set, own in zip(self.sets, self._owned(pairs), strict=True):
            if own.size:
                values, cell, measures = of_set.points
                columns = np.unique(pairs[own]).tolist()
                members = {column: of_set.in_columns(cell, (column,)) for column in columns}
                results.append((own, at_most_of_values(values, measures, members, pairs[own])))
        return AtMost.in_order(results, len(pairs))

    def _owner(self, column: int) -> CellValues:
        return next(one for one in self.sets if column in one.columns)

    def _owned(self, pairs: IntArray) -> list[IntArray]:
        """Return for each set the places of the pairs that it counts: those with both columns in it."""
        by_set = [np.isin(pairs, one.columns).all(axis=1) for one in self.sets]
        owner = np.argmax(np.array(by_set), axis=0)
        return [np.flatnonzero(owner == number) for number in range(len(self.sets))]


def value_counts(
    values: FloatArray,
    cells: ColumnCells,
    measures: tuple[FloatArray, FloatArray, FloatArray],
    least: int = 0,
) -> ValueCounts:
    """Count values (respondents,), NaN where there is none, by cell; `measures` are n, w, w² (respondents,) each.

    Ranges of values that this makes once it is added to others share at least so many bits.
    """
    there = ~np.isnan(values)
    known = np.array([measure[there] for measure in measures])
    sets = (
        CellValues(
            values[there],
            values[there],
            one.cell[there].astype(np.int64),
            known,
            one.columns,
            one.members,
            least=least,
        )
        for one in cells.sets
    )
    return ValueCounts(tuple(_gathered(one, 0) for one in sets), cells.columns)
