"""From a finished tally to sums per row × column: plain matrix products, no data touched."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields, replace
from typing import Self, TypeVar

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray
from eager_otter.core.cells import ColumnCells
from eager_otter.core.tally import (
    FIRST_1,
    FIRST_2,
    HIGHEST,
    LOWEST,
    MEAN,
    MEAN_1,
    MEAN_2,
    PEOPLE,
    PRODUCT,
    REST,
    REST_1,
    REST_2,
    SQUARES,
    WEIGHT,
    WEIGHT2,
    WEIGHT2_FIRST,
    WEIGHT2_SQUARES,
    Tally,
)
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, slots=True, eq=False)
class Sums:
    """n, Σw, Σw² of some rows: each (rows, columns), and the same for the pairs that share people: (rows, pairs)."""

    n: FloatArray
    w: FloatArray
    w2: FloatArray
    pair_n: FloatArray
    pair_w: FloatArray
    pair_w2: FloatArray

    def rows(self, chosen: IntArray | Sequence[int]) -> Self:
        """Keep some rows, in the order given."""
        return replace(
            self, **{field.name: getattr(self, field.name)[list(chosen)] for field in fields(self)}
        )

    def columns(self, chosen: IntArray | Sequence[int]) -> Self:
        """Keep some columns, in the order given, and no pairs."""
        kept = {field.name: getattr(self, field.name) for field in fields(self)}
        return replace(
            self,
            **{name: a[:, :0] if name in PAIRS else a[:, list(chosen)] for name, a in kept.items()},
        )


@dataclass(frozen=True, slots=True, eq=False)
class ValueSums(Sums):
    """Sums of rows of values, with what their moments and tests take.

    The mean m is the sum of two numbers, `mean` + `rest` (0 in an empty column); `squares` is Σw(s−m)², `w2_squares`
    Σw²(s−m)², `lowest` and `highest` the smallest and largest s (∞ and −∞ where nobody has one), each (rows, columns);
    `pair_products` (rows, pairs) is Σw²(s−m1)(s−m2) over those in both columns of a pair.
    """

    mean: FloatArray
    rest: FloatArray
    squares: FloatArray
    w2_squares: FloatArray
    pair_products: FloatArray
    lowest: FloatArray
    highest: FloatArray


PAIRS = ("pair_n", "pair_w", "pair_w2", "pair_products")
SINGLE = ("n", "w", "w2", "mean", "rest", "squares", "w2_squares", "lowest", "highest")
S = TypeVar("S", bound=Sums)


def side_by_side(parts: Sequence[S]) -> S:
    """Put the Totals (column 0) of several sums of the same rows side by side: (rows, parts), no pairs."""
    first = parts[0]
    none = np.zeros((len(first.n), 0))
    totals = {
        field.name: none
        if field.name in PAIRS
        else np.stack([getattr(part, field.name)[:, 0] for part in parts], axis=1)
        for field in fields(first)
    }
    return replace(first, **totals)


def stacked(parts: Sequence[Sums]) -> Sums:
    """Put rows that count people under one another: all of the same columns and pairs."""
    if len(parts) == 1:
        return parts[0]
    names = [field.name for field in fields(Sums)]
    return Sums(*(np.concatenate([getattr(part, name) for part in parts]) for name in names))


class Finisher:
    """Reads sums per row × column out of a tally. One finisher serves all questions of a banner."""

    def __init__(self, counted: Tally, columns: ColumnCells) -> None:
        self._tally = counted
        self._columns = columns.columns
        self._owned: list[tuple[IntArray, FloatArray]] = []  # per set: the banner columns it answers for, M'
        self._pairs: list[FloatArray] = []
        self._sides: list[
            tuple[FloatArray, list[int], list[int]]
        ] = []  # per set: M', and the columns of its pairs
        self.pairs = columns.overlapping()
        seen: set[int] = set()
        for cells, members in zip(columns.sets, counted.members, strict=True):
            unseen = [k for k, column in enumerate(cells.columns) if int(column) not in seen]
            seen.update(int(column) for column in cells.columns)
            self._owned.append((cells.columns[unseen], np.ascontiguousarray(members[unseen].T)))
            place = {int(column): k for k, column in enumerate(cells.columns)}
            first = [place[int(a)] for a, _ in cells.pairs]
            second = [place[int(b)] for _, b in cells.pairs]
            self._pairs.append(np.ascontiguousarray((members[first] * members[second]).T))
            self._sides.append((np.ascontiguousarray(members.T), first, second))

    def rows(self, part: int) -> Sums:
        """Return the sums of a part whose codes are rows, as they are."""
        everything = np.arange(self._tally.sums[0][part].shape[1])
        return self.counts([(part, everything)])

    def counts(self, parts: Sequence[tuple[int, FloatArray | IntArray]]) -> Sums:
        """Sum the rows of a question: for each of its parts, its position and what its rows are.

        That is an indicator (rows, codes), or the code of each row (rows,).
        """
        singles = np.concatenate([self._product(part, table, (0, 1, 2)) for part, table in parts], axis=1)
        pairs = np.concatenate([self._pair_product(part, table, (0, 1, 2)) for part, table in parts], axis=1)
        return Sums(*singles, *pairs)

    def people(self, part: int, table: FloatArray) -> FloatArray:
        """Count people only, unweighted, without pairs: (rows, columns) for an indicator (rows, codes)."""
        (n,) = self._product(part, table, (0,))
        return np.asarray(n)

    def scores(self, part: int, scores: FloatArray) -> ValueSums:
        """Sum the scores of a coded part: `scores` (codes,), NaN where a code has none; one row."""
        scored = np.flatnonzero(~np.isnan(scores))
        column_scores = scores[scored][:, None]
        n, w, w2 = self._product(part, scored, (0, 1, 2))  # each (scored codes, columns)
        pair_n, pair_w, pair_w2 = self._pair_product(part, scored, (0, 1, 2))
        total = w.sum(axis=0)
        divisor = np.where(total > 0, total, 1.0)
        mean = (w * column_scores).sum(axis=0) / divisor
        rest = (w * (column_scores - mean)).sum(axis=0) / divisor
        away = (column_scores - mean) - rest
        first, second = self.pairs[:, 0], self.pairs[:, 1]
        given = n > 0
        lowest = np.where(given, column_scores, np.inf).min(axis=0, initial=np.inf)
        highest = np.where(given, column_scores, -np.inf).max(axis=0, initial=-np.inf)
        return ValueSums(
            n.sum(axis=0)[None],
            total[None],
            w2.sum(axis=0)[None],
            pair_n.sum(axis=0)[None],
            pair_w.sum(axis=0)[None],
            pair_w2.sum(axis=0)[None],
            mean=mean[None],
            rest=rest[None],
            squares=(w * away**2).sum(axis=0)[None],
            w2_squares=(w2 * away**2).sum(axis=0)[None],
            pair_products=(pair_w2 * away[:, first] * away[:, second]).sum(axis=0)[None],
            lowest=lowest[None],
            highest=highest[None],
        )

    def values(self, part: int) -> ValueSums:
        """Sum a number question: one row."""
        single = {name: np.zeros((1, self._columns)) for name in SINGLE}
        pairs: list[FloatArray] = []
        for sums, (columns, members), sides, both in zip(
            self._tally.sums, self._owned, self._sides, self._pairs, strict=True
        ):
            inside = _ValueCells(sums[part][:, 0])
            if columns.size:
                for name, array in inside.by_column(members).items():
                    single[name][0, columns] = array
            pairs.append(inside.by_pair(*sides, both))
        pair_n, pair_w, pair_w2, products = np.concatenate(pairs, axis=1)[:, None]
        return ValueSums(**single, pair_n=pair_n, pair_w=pair_w, pair_w2=pair_w2, pair_products=products)

    def products(
        self, part: int, means: tuple[tuple[float, float], tuple[float, float]]
    ) -> tuple[float, float]:
        """Return Σw²(s1−m1)(s2−m2) over everybody with both values, and how many they are.

        `means` are those to centre on, each as a sum of two numbers.
        """
        total = people = 0.0
        for sums, (columns, members) in zip(self._tally.sums, self._owned, strict=True):
            if 0 not in columns:
                continue
            inside = members[:, columns.tolist().index(0)] > 0
            cells = sums[part][:, 0, inside]
            (mean1, rest1), (mean2, rest2) = means
            by1 = (cells[MEAN_1] - mean1) + (cells[REST_1] - rest1)
            by2 = (cells[MEAN_2] - mean2) + (cells[REST_2] - rest2)
            product = (
                cells[PRODUCT] + by1 * cells[FIRST_2] + by2 * cells[FIRST_1] + by1 * by2 * cells[WEIGHT2]
            )
            total += float(product[cells[WEIGHT] > 0].sum())
            people += float(cells[PEOPLE].sum())
        return total, people

    def by_code(self, part: int, codes: int) -> FloatArray:
        """Return n, Σw and Σw² of everybody (the Total) by code: (3, codes)."""
        return np.asarray(self._product(part, np.arange(codes), (0, 1, 2))[:, :, 0])

    def _product(self, part: int, table: FloatArray | IntArray, measures: Sequence[int]) -> FloatArray:
        chosen = _slice_of(measures)
        out = np.zeros((len(measures), table.shape[0], self._columns))
        for sums, (columns, members) in zip(self._tally.sums, self._owned, strict=True):
            if columns.size:
                out[:, :, columns] = _rows_by_columns(table, sums[part][chosen], members)
        return out

    def _pair_product(self, part: int, table: FloatArray | IntArray, measures: Sequence[int]) -> FloatArray:
        chosen = _slice_of(measures)
        blocks = [
            _rows_by_columns(table, sums[part][chosen], members)
            for sums, members in zip(self._tally.sums, self._pairs, strict=True)
        ]
        return np.concatenate(blocks, axis=2)


class _ValueCells:
    """The measures of a part of values by cell, (measures, cells), put together into columns."""

    def __init__(self, cells: FloatArray) -> None:
        self.cells = cells

    def _means(self, members: FloatArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Return the mean of each column as a sum of two numbers (columns,), and that of each cell minus it."""
        cells, weight = self.cells, self.cells[WEIGHT]
        total = weight @ members
        divisor = np.where(total > 0, total, 1.0)
        mean = (weight * cells[MEAN]) @ members / divisor
        gap = (cells[MEAN][:, None] - mean) + cells[REST][:, None]
        rest = (weight[:, None] * members * gap).sum(axis=0) / divisor
        return mean, rest, gap - rest

    def by_column(self, members: FloatArray) -> dict[str, FloatArray]:
        """Put cells together into columns: `members` (cells, columns) is 0 or 1."""
        cells = self.cells
        mean, rest, gap = self._means(members)
        inside = members > 0
        squares = cells[SQUARES][:, None] + cells[WEIGHT][:, None] * gap**2
        lowest, highest = (np.broadcast_to(cells[end][:, None], inside.shape) for end in (LOWEST, HIGHEST))
        return {
            "n": cells[PEOPLE] @ members,
            "w": cells[WEIGHT] @ members,
            "w2": cells[WEIGHT2] @ members,
            "mean": mean,
            "rest": rest,
            "squares": (members * squares).sum(axis=0),
            "w2_squares": (members * self._products(gap, gap)).sum(axis=0),
            "lowest": np.where(inside, lowest, np.inf).min(axis=0, initial=np.inf),
            "highest": np.where(inside, highest, -np.inf).max(axis=0, initial=-np.inf),
        }

    def by_pair(
        self, members: FloatArray, first: Sequence[int], second: Sequence[int], both: FloatArray
    ) -> FloatArray:
        """Sum those in both columns of each pair up: n, Σw, Σw², Σw²(s−m1)(s−m2), (4, pairs).

        `first` and `second` (pairs,) are places among the columns of `members` (cells, columns), `both` (cells, pairs)
        tells the cells in both.
        """
        if not both.shape[1]:
            return np.zeros((4, 0))
        gap = self._means(members)[2]
        counts = self.cells[[PEOPLE, WEIGHT, WEIGHT2]] @ both
        return np.vstack([counts, (both * self._products(gap[:, first], gap[:, second])).sum(axis=0)])

    def _products(self, one: FloatArray, other: FloatArray) -> FloatArray:
        """Return Σw²(s−m1)(s−m2) of each cell, whose mean is `one` above m1 and `other` above m2: (cells, columns)."""
        cells = self.cells
        return np.asarray(
            cells[WEIGHT2_SQUARES][:, None]
            + cells[WEIGHT2_FIRST][:, None] * (one + other)
            + cells[WEIGHT2][:, None] * one * other
        )


def _rows_by_columns(table: FloatArray | IntArray, sums: FloatArray, members: FloatArray) -> FloatArray:
    """Put codes together into rows, and cells into columns: (measures, rows, columns).

    `table` is (rows, codes), or the code of each row (rows,); `sums` (measures, codes, cells), `members`
    (cells, columns); the smaller product is first.
    """
    if table.ndim == 1:
        return np.asarray(sums[:, table] @ members)
    rows, codes = table.shape
    return np.asarray((table @ sums) @ members if rows < codes else table @ (sums @ members))


def _slice_of(measures: Sequence[int]) -> slice | list[int]:
    """Return measures that lie side by side as a slice, which copies nothing."""
    first = measures[0]
    return (
        slice(first, first + len(measures))
        if list(measures) == list(range(first, first + len(measures)))
        else list(measures)
    )
