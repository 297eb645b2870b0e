"""The tally: the additive sums behind tables, made in one pass over the respondents.

All that a table needs of the data is additive: numbers of people, Σw, Σw² and, for values, Σws, Σws², Σw²s
and Σw²s², per code × cell. So `tally` can be called on parts of the data (chunks, files, machines) and the
results added with `+` (the smallest and largest value, kept beside them, by the smaller and the larger).
`sums.py` turns a finished tally into rows × columns.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import BoolArray, CodeArray, FloatArray, IntArray, smallest_unsigned
from eager_otter.core.cells import CellSet, ColumnCells, join_patterns

BLOCK = 32_768  # respondents at a time: what one pass needs stays in the processor's cache
SHARED_CODES = 256  # several small questions are counted as one code up to this many combinations

PEOPLE, WEIGHT, WEIGHT2, VALUE, VALUE2, WEIGHT2_VALUE, WEIGHT2_VALUE2, LOWEST, HIGHEST = range(9)
ADDED = slice(0, LOWEST)


@dataclass(frozen=True, slots=True, eq=False)
class CodedRows:
    """Rows read from one small code per respondent: `codes` (respondents,) holds 0 … size-1."""

    codes: CodeArray
    size: int

    def __post_init__(self) -> None:
        if self.codes.ndim != 1:
            raise ValueError(f"One code per respondent expected; got shape {self.codes.shape}.")
        if self.codes.size and int(self.codes.max()) >= self.size:
            raise ValueError(f"Code {int(self.codes.max())} found where codes run from 0 to {self.size - 1}.")


@dataclass(frozen=True, slots=True, eq=False)
class ValueRows:
    """A number per respondent: `values` (respondents,), NaN where there is none.

    `shift` is taken off every value before it is squared, so that large values of small spread keep their
    digits; parts of one survey must use the same shift.
    """

    values: FloatArray
    shift: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Tally:
    """Sums per set of cells and question part.

    `sums[s][q]` is (measures, codes, cells): measures n, Σw, Σw² for coded rows; for values, over one code,
    n, Σw, Σw², Σws, Σws², Σw²s, Σw²s², and the smallest and largest s (∞ and −∞ in an empty cell).
    `members[s]` (columns, cells) says which columns each cell is in.
    """

    members: tuple[FloatArray, ...]
    sums: tuple[tuple[FloatArray, ...], ...]
    shifts: tuple[float, ...]

    def __add__(self, other: Tally) -> Tally:
        """Add the tally of another part of the data. The same questions and columns, in the same order.

        Raises ValueError when the two were not made of the same questions and columns.
        """
        if self.shifts != other.shifts or [len(m) for m in self.members] != [len(m) for m in other.members]:
            raise ValueError("Only tallies of the same questions, shifts and columns can be added.")
        members: list[FloatArray] = []
        sums: list[tuple[FloatArray, ...]] = []
        for mine, its, my_sums, its_sums in zip(
            self.members, other.members, self.sums, other.sums, strict=True
        ):
            union, (my_place, its_place) = join_patterns([mine, its])
            members.append(union)
            sums.append(
                tuple(
                    _joined(_spread(a, my_place, union.shape[1]), _spread(b, its_place, union.shape[1]))
                    for a, b in zip(my_sums, its_sums, strict=True)
                )
            )
        return Tally(tuple(members), tuple(sums), self.shifts)


def _spread(sums: FloatArray, places: IntArray, cells: int) -> FloatArray:
    out = np.zeros((*sums.shape[:2], cells))
    if len(sums) > LOWEST:
        out[LOWEST], out[HIGHEST] = np.inf, -np.inf
    out[:, :, places] = sums
    return out


def _joined(mine: FloatArray, its: FloatArray) -> FloatArray:
    total = mine + its
    if len(total) > LOWEST:
        total[LOWEST] = np.minimum(mine[LOWEST], its[LOWEST])
        total[HIGHEST] = np.maximum(mine[HIGHEST], its[HIGHEST])
    return total


def tally(
    parts: Sequence[CodedRows | ValueRows],
    columns: ColumnCells,
    *,
    weights: FloatArray | None = None,
    frequencies: FloatArray | None = None,
) -> Tally:
    """Count question parts by banner cells.

    `weights` (respondents,) are >= 0 and `frequencies` (respondents,) whole numbers of people per row; either
    may be None for 1. Raises ValueError when lengths differ.
    """
    respondents = columns.sets[0].cell.size
    for part in parts:
        found = part.codes.size if isinstance(part, CodedRows) else part.values.size
        if found != respondents:
            raise ValueError(f"A question has {found} respondents where the banner has {respondents}.")
    coded = [k for k, part in enumerate(parts) if isinstance(part, CodedRows)]
    bundles = _bundles(parts, coded)
    measures = _Measures(weights, frequencies)
    all_sums = []
    for cells in columns.sets:
        sums: list[FloatArray] = [np.empty(0)] * len(parts)
        for bundle, total in zip(bundles, _count_bundles(bundles, cells, measures), strict=True):
            for position, (k, part) in enumerate(bundle.parts):
                sums[k] = bundle.margin(total, position, part.size, cells.cells)
        for k, part in enumerate(parts):
            if isinstance(part, ValueRows):
                sums[k] = _sum_values(part, cells, measures)
        all_sums.append(tuple(sums))
    shifts = tuple(part.shift if isinstance(part, ValueRows) else 0.0 for part in parts)
    return Tally(tuple(cells.members for cells in columns.sets), tuple(all_sums), shifts)


class _Measures:
    """What is added up for each respondent: n, w and w², times the frequency."""

    def __init__(self, weights: FloatArray | None, frequencies: FloatArray | None) -> None:
        w = None if weights is None else np.ascontiguousarray(weights, np.float64)
        n = None if frequencies is None else np.ascontiguousarray(frequencies, np.float64)
        self.frequency = n
        self.weight = w
        if w is None:
            self.passes: list[FloatArray | None] = [n]
        elif n is None:
            self.passes = [None, w, w * w]
        else:
            self.passes = [n, n * w, n * w * w]

    def columns(self, chosen: BoolArray) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Give n, Σw and Σw² terms of the chosen respondents."""
        n = np.ones(int(chosen.sum())) if self.frequency is None else self.frequency[chosen]
        if self.weight is None:
            return n, n, n
        w = self.weight[chosen]
        return n, n * w, n * w * w


@dataclass(frozen=True, slots=True, eq=False)
class _Bundle:
    """Small questions that share one code: the mixed-radix number of their codes."""

    parts: tuple[tuple[int, CodedRows], ...]

    @property
    def size(self) -> int:
        return int(np.prod([part.size for _, part in self.parts]))

    def codes(self, start: int, stop: int) -> CodeArray:
        kind = smallest_unsigned(self.size)
        codes = self.parts[0][1].codes[start:stop]
        for _, part in self.parts[1:]:
            codes = np.multiply(codes, kind(part.size), dtype=kind)
            codes += part.codes[start:stop].astype(kind, copy=False)
        return codes

    def margin(self, total: FloatArray, position: int, size: int, cells: int) -> FloatArray:
        """Take one question's own sums (measures, codes, cells) out of the shared ones."""
        before = int(np.prod([part.size for _, part in self.parts[:position]]))
        shaped = total.reshape(total.shape[0], before, size, -1, cells)
        return np.asarray(shaped.sum(axis=(1, 3)))


def _bundles(parts: Sequence[CodedRows | ValueRows], coded: Sequence[int]) -> list[_Bundle]:
    """Pack neighbouring small questions together, smallest first, while the shared code stays small."""
    bundles: list[_Bundle] = []
    open_parts: list[tuple[int, CodedRows]] = []
    size = 1
    pairs = [(k, part) for k in coded if isinstance(part := parts[k], CodedRows)]
    for k, part in sorted(pairs, key=lambda pair: pair[1].size):
        if open_parts and size * part.size > SHARED_CODES:
            bundles.append(_Bundle(tuple(open_parts)))
            open_parts, size = [], 1
        open_parts.append((k, part))
        size *= part.size
    if open_parts:
        bundles.append(_Bundle(tuple(open_parts)))
    return bundles


def _count_bundles(bundles: Sequence[_Bundle], cells: CellSet, measures: _Measures) -> list[FloatArray]:
    """Add up n, Σw, Σw² per code × cell, a block of respondents at a time."""
    totals = [np.zeros((len(measures.passes), bundle.size * cells.cells)) for bundle in bundles]
    for start in range(0, cells.cell.size, BLOCK):
        stop = min(start + BLOCK, cells.cell.size)
        weights = [None if term is None else term[start:stop] for term in measures.passes]
        for bundle, total in zip(bundles, totals, strict=True):
            size = total.shape[1]
            bins = smallest_unsigned(size)
            index = np.multiply(bundle.codes(start, stop), bins(cells.cells), dtype=bins)
            index += cells.cell[start:stop].astype(bins, copy=False)
            wide = index.astype(np.intp)
            for measure, term in enumerate(weights):
                total[measure] += np.bincount(wide, term, size)
    if len(measures.passes) == 1:  # unweighted: w = w² = 1, so the three sums are one and the same
        return [np.repeat(total, 3, axis=0) for total in totals]
    return totals


def _sum_values(part: ValueRows, cells: CellSet, measures: _Measures) -> FloatArray:
    """Add up the sums of a number per cell, with its extremes: (9, 1, cells)."""
    sums = np.zeros((9, 1, cells.cells))
    sums[LOWEST], sums[HIGHEST] = np.inf, -np.inf
    present = ~np.isnan(part.values)
    cell = cells.cell[present].astype(np.intp)
    s = part.values[present] - part.shift
    n, w, w2 = measures.columns(present)
    terms = {PEOPLE: n, WEIGHT: w, VALUE: w * s, VALUE2: w * s * s}
    if measures.weight is None:
        doubles = {WEIGHT2: WEIGHT, WEIGHT2_VALUE: VALUE, WEIGHT2_VALUE2: VALUE2}
    else:
        doubles = {}
        terms |= {WEIGHT2: w2, WEIGHT2_VALUE: w2 * s, WEIGHT2_VALUE2: w2 * s * s}
    for measure, term in terms.items():
        sums[measure, 0] = np.bincount(cell, term, cells.cells)
    for measure, same in doubles.items():
        sums[measure] = sums[same]
    counted = n > 0
    np.minimum.at(sums[LOWEST, 0], cell[counted], s[counted])
    np.maximum.at(sums[HIGHEST, 0], cell[counted], s[counted])
    return sums
