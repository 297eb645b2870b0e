"""From a finished tally to sums per row × column: plain matrix products, no data touched."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray
from eager_otter.core.cells import ColumnCells
from eager_otter.core.tally import HIGHEST, LOWEST, Tally


@dataclass(frozen=True, slots=True, eq=False)
class Sums:
    """n, Σw, Σw² of some rows: each (rows, columns), and the same for the pairs that share people: (rows, pairs).

    For value rows also Σws, Σws², Σw²s, Σw²s² and the smallest and largest s (∞ and −∞ where nobody has one);
    None for rows that only count. `s` is measured from `shift`.
    """

    n: FloatArray
    w: FloatArray
    w2: FloatArray
    pair_n: FloatArray
    pair_w: FloatArray
    pair_w2: FloatArray
    ws: FloatArray | None = None
    ws2: FloatArray | None = None
    w2s: FloatArray | None = None
    w2s2: FloatArray | None = None
    pair_w2s: FloatArray | None = None
    pair_w2s2: FloatArray | None = None
    lowest: FloatArray | None = None
    highest: FloatArray | None = None
    shift: float = 0.0

    def rows(self, chosen: IntArray | Sequence[int]) -> Sums:
        """Keep some rows, in the order given."""
        kept: dict[str, Any] = {
            field.name: None if (array := getattr(self, field.name)) is None else array[list(chosen)]
            for field in fields(self)
            if field.name != "shift"
        }
        return Sums(**kept, shift=self.shift)

    def shifted(self, shift: float) -> Sums:
        """Measure the values from another point: the same figures."""
        if (
            self.ws is None
            or self.ws2 is None
            or self.w2s is None
            or self.w2s2 is None
            or shift == self.shift
        ):
            return replace(self, shift=shift)
        by = self.shift - shift
        pair_w2s, pair_w2s2 = self.pair_w2s, self.pair_w2s2
        if pair_w2s is not None and pair_w2s2 is not None:
            pair_w2s2 = pair_w2s2 + 2.0 * by * pair_w2s + by**2 * self.pair_w2
            pair_w2s = pair_w2s + by * self.pair_w2
        return replace(
            self,
            ws=self.ws + by * self.w,
            ws2=self.ws2 + 2.0 * by * self.ws + by**2 * self.w,
            w2s=self.w2s + by * self.w2,
            w2s2=self.w2s2 + 2.0 * by * self.w2s + by**2 * self.w2,
            pair_w2s=pair_w2s,
            pair_w2s2=pair_w2s2,
            lowest=None if self.lowest is None else self.lowest + by,
            highest=None if self.highest is None else self.highest + by,
            shift=shift,
        )


def side_by_side(parts: Sequence[Sums]) -> Sums:
    """Put the Totals (column 0) of several sums of the same rows side by side: (rows, parts), no pairs."""
    alike = [part.shifted(parts[0].shift) for part in parts]
    kept: dict[str, Any] = {}
    for name in ("n", "w", "w2", "ws", "ws2", "w2s", "w2s2", "lowest", "highest"):
        arrays = [getattr(part, name) for part in alike]
        kept[name] = (
            None if any(a is None for a in arrays) else np.stack([array[:, 0] for array in arrays], axis=1)
        )
    none = np.zeros((len(parts[0].n), 0))
    return Sums(**kept, pair_n=none, pair_w=none, pair_w2=none, shift=parts[0].shift)


def one_under_another(parts: Sequence[Sums]) -> Sums:
    """Put rows of several sums of the same columns and shift under one another; pairs are left out."""
    kept: dict[str, Any] = {}
    for name in ("n", "w", "w2", "ws", "ws2", "w2s", "w2s2", "lowest", "highest"):
        arrays = [getattr(part, name) for part in parts]
        kept[name] = None if any(array is None for array in arrays) else np.concatenate(arrays)
    none = np.zeros((len(kept["n"]), 0))
    return Sums(**kept, pair_n=none, pair_w=none, pair_w2=none, shift=parts[0].shift)


class Finisher:
    """Reads sums per row × column out of a tally. One finisher serves all questions of a banner."""

    def __init__(self, counted: Tally, columns: ColumnCells) -> None:
        self._tally = counted
        self._columns = columns.columns
        self._owned: list[tuple[IntArray, FloatArray]] = []  # per set: the banner columns it answers for, M'
        self._pairs: list[FloatArray] = []
        self.pairs = columns.overlapping()
        seen: set[int] = set()
        for cells, members in zip(columns.sets, counted.members, strict=True):
            own = [k for k, column in enumerate(cells.columns) if int(column) not in seen]
            seen.update(int(column) for column in cells.columns)
            self._owned.append((cells.columns[own], np.ascontiguousarray(members[own].T)))
            place = {int(column): k for k, column in enumerate(cells.columns)}
            first = [place[int(a)] for a, _ in cells.pairs]
            second = [place[int(b)] for _, b in cells.pairs]
            self._pairs.append(np.ascontiguousarray((members[first] * members[second]).T))

    def counts(self, parts: Sequence[tuple[int, FloatArray]]) -> Sums:
        """Sum the rows of a question: for each of its parts, `(position, indicator (rows, codes))`."""
        singles = np.concatenate([self._product(part, table, (0, 1, 2)) for part, table in parts], axis=1)
        pairs = np.concatenate([self._pair_product(part, table, (0, 1, 2)) for part, table in parts], axis=1)
        return Sums(*singles, *pairs)

    def people(self, part: int, table: FloatArray) -> FloatArray:
        """Count people only, unweighted, without pairs: (rows, columns) for an indicator (rows, codes)."""
        (n,) = self._product(part, table, (0,))
        return np.asarray(n)

    def scores(self, part: int, scores: FloatArray) -> Sums:
        """Sum the scores of a coded part: `scores` (rows, codes), NaN where a code has none."""
        has = (~np.isnan(scores)).astype(np.float64)
        s = np.where(np.isnan(scores), 0.0, scores)
        n, w, w2 = self._product(part, has, (0, 1, 2))
        pair_n, pair_w, pair_w2 = self._pair_product(part, has, (0, 1, 2))
        ws, w2s = self._product(part, s, (1, 2))
        ws2, w2s2 = self._product(part, s * s, (1, 2))
        (pair_w2s,) = self._pair_product(part, s, (2,))
        (pair_w2s2,) = self._pair_product(part, s * s, (2,))
        lowest, highest = self._score_extremes(part, scores)
        pairs = (pair_n, pair_w, pair_w2)
        return Sums(n, w, w2, *pairs, ws, ws2, w2s, w2s2, pair_w2s, pair_w2s2, lowest, highest)

    def values(self, part: int) -> Sums:
        """Sum a number question: one row."""
        one = np.ones((1, 1))
        n, w, w2, ws, ws2, w2s, w2s2 = self._product(part, one, range(7))
        pair_n, pair_w, pair_w2, pair_w2s, pair_w2s2 = self._pair_product(part, one, (0, 1, 2, 5, 6))
        lowest, highest = self._value_extremes(part)
        shift = self._tally.shifts[part]
        pairs = (pair_n, pair_w, pair_w2)
        return Sums(n, w, w2, *pairs, ws, ws2, w2s, w2s2, pair_w2s, pair_w2s2, lowest, highest, shift)

    def _score_extremes(self, part: int, scores: FloatArray) -> tuple[FloatArray, FloatArray]:
        scored = np.flatnonzero(~np.isnan(scores[0]))
        one_each = np.eye(scores.shape[1])[scored]
        (n,) = self._product(part, one_each, (0,))
        given, own = n > 0, scores[0, scored][:, None]
        lowest = np.where(given, own, np.inf).min(axis=0, initial=np.inf)
        return lowest[None, :], np.where(given, own, -np.inf).max(axis=0, initial=-np.inf)[None, :]

    def _value_extremes(self, part: int) -> tuple[FloatArray, FloatArray]:
        lowest, highest = np.full((1, self._columns), np.inf), np.full((1, self._columns), -np.inf)
        for sums, (columns, members) in zip(self._tally.sums, self._owned, strict=True):
            for column, inside in zip(columns, members.T > 0, strict=True):
                lowest[0, column] = sums[part][LOWEST, 0, inside].min(initial=np.inf)
                highest[0, column] = sums[part][HIGHEST, 0, inside].max(initial=-np.inf)
        return lowest, highest

    def _product(self, part: int, table: FloatArray, measures: Sequence[int]) -> FloatArray:
        chosen = _slice_of(measures)
        out = np.zeros((len(measures), table.shape[0], self._columns))
        for sums, (columns, members) in zip(self._tally.sums, self._owned, strict=True):
            if columns.size:
                out[:, :, columns] = table @ (sums[part][chosen] @ members)
        return out

    def _pair_product(self, part: int, table: FloatArray, measures: Sequence[int]) -> FloatArray:
        chosen = _slice_of(measures)
        blocks = [
            table @ (sums[part][chosen] @ members)
            for sums, members in zip(self._tally.sums, self._pairs, strict=True)
        ]
        return np.concatenate(blocks, axis=2)


def _slice_of(measures: Sequence[int]) -> slice | list[int]:
    """Give measures that lie side by side as a slice, which copies nothing."""
    first = measures[0]
    return (
        slice(first, first + len(measures))
        if list(measures) == list(range(first, first + len(measures)))
        else list(measures)
    )
