"""How often each value occurs in each cell of a banner: what quantiles are read from; it can be added over parts."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.core.cells import ColumnCells, join_patterns
from eager_otter.core.medians import AtMost, at_most_of_values
from eager_otter.core.quantiles import Cut, quantile_cut


@dataclass(frozen=True, slots=True, eq=False)
class CellValues:
    """The values of one set of cells: `values` (k,) in rising order, each in the `cell` (k,) beside it.

    `measures` (3, k) are n, Σw, Σw² of those with the value in the cell. `columns` are positions in the banner,
    `members` (columns, cells) says which cells make them up.
    """

    values: FloatArray
    cell: IntArray
    measures: FloatArray
    columns: IntArray
    members: FloatArray

    def __add__(self, other: CellValues) -> CellValues:
        members, (mine, theirs) = join_patterns([self.members, other.members])
        return gathered(
            np.concatenate([self.values, other.values]),
            np.concatenate([mine[self.cell], theirs[other.cell]]),
            np.concatenate([self.measures, other.measures], axis=1),
            self.columns,
            members,
        )

    def inside(self, column: int) -> BoolArray:
        """Return which values are in a column of the banner: (k,)."""
        place = int(np.flatnonzero(self.columns == column)[0])
        return np.asarray(self.members[place][self.cell] > 0)


def gathered(
    values: FloatArray, cell: IntArray, measures: FloatArray, columns: IntArray, members: FloatArray
) -> CellValues:
    """Put equal values (k,) of one cell together; measures (3, k) are added in the order they come in."""
    cells = members.shape[1]
    distinct, place = np.unique(values, return_inverse=True)
    keys, entry = np.unique(place.reshape(-1) * cells + cell, return_inverse=True)
    sums = np.array([np.bincount(entry.reshape(-1), measure, keys.size) for measure in measures])
    return CellValues(distinct[keys // cells], keys % cells, sums, columns, members)


@dataclass(frozen=True, slots=True, eq=False)
class ValueCounts:
    """How often each value of a number occurs in each cell, set by set."""

    sets: tuple[CellValues, ...]
    columns: int

    def __add__(self, other: ValueCounts) -> ValueCounts:
        return ValueCounts(
            tuple(one + two for one, two in zip(self.sets, other.sets, strict=True)), self.columns
        )

    def cuts(self, q: float) -> list[Cut]:
        """Find where the q-quantile cuts the values of each column."""
        cuts = []
        for column in range(self.columns):
            of_set = next(one for one in self.sets if column in one.columns)
            inside = of_set.inside(column)
            cuts.append(quantile_cut(of_set.values[inside], of_set.measures[1, inside], q))
        return cuts

    def at_most(self, pairs: IntArray) -> AtMost:
        """Find who is at most the median of those in either column of each pair (pairs, 2)."""
        by_set = [np.isin(pairs, one.columns).all(axis=1) for one in self.sets]
        owner = np.argmax(np.array(by_set), axis=0)
        results = []
        for number, of_set in enumerate(self.sets):
            own = np.flatnonzero(owner == number)
            if own.size:
                members = {column: of_set.inside(column) for column in np.unique(pairs[own]).tolist()}
                results.append((own, at_most_of_values(of_set.values, of_set.measures, members, pairs[own])))
        return AtMost.in_order(results, len(pairs))


def value_counts(
    values: FloatArray, cells: ColumnCells, measures: tuple[FloatArray, FloatArray, FloatArray]
) -> ValueCounts:
    """Count values (respondents,), NaN where there is none, by cell; `measures` are n, w, w² (respondents,) each."""
    there = ~np.isnan(values)
    known = np.array([measure[there] for measure in measures])
    return ValueCounts(
        tuple(
            gathered(values[there], one.cell[there].astype(np.int64), known, one.columns, one.members)
            for one in cells.sets
        ),
        cells.columns,
    )
