"""The tally: the additive sums behind tables, made in one pass over the respondents.

All that a table needs of the data is additive: numbers of people, Σw, Σw² and, for values, Σws, Σws², Σw²s
and Σw²s², per code × cell. So `tally` can be called on parts of the data (chunks, files, machines) and the
results added with `+` (the smallest and largest value, kept beside them, by the smaller and the larger).
`sums.py` turns a finished tally into rows × columns.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import prod

import numpy as np

from eager_otter.core.arrays import CodeArray, FloatArray, IntArray, smallest_unsigned
from eager_otter.core.cells import ColumnCells, join_patterns

BLOCK = 32_768  # respondents at a time: what one pass needs stays in the processor's cache
SHARED_CODES = 256  # several small questions are counted as one code up to this many combinations

PEOPLE, WEIGHT, WEIGHT2, VALUE, VALUE2, WEIGHT2_VALUE, WEIGHT2_VALUE2, LOWEST, HIGHEST = range(9)


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
    bundles = bundles_of(parts)
    values = [(k, part) for k, part in enumerate(parts) if isinstance(part, ValueRows)]
    counts, sums = _Counts(bundles, columns), _ValueSums(values, columns)
    for start in range(0, respondents, BLOCK):
        block = slice(start, min(start + BLOCK, respondents))
        cells = [some.cell[block].astype(np.intp) for some in columns.sets]
        measures = _Measures(weights, frequencies, block)
        counts.add(block, cells, measures)
        sums.add(block, cells, measures)
    by_set = []
    for position, some in enumerate(columns.sets):
        of_part: dict[int, FloatArray] = dict(sums.of_set(position))
        for bundle, total in zip(bundles, counts.of_set(position), strict=True):
            for place, (k, part) in enumerate(bundle.parts):
                of_part[k] = bundle.margin(total, place, part.size, some.cells)
        by_set.append(tuple(of_part[k] for k in range(len(parts))))
    shifts = tuple(part.shift if isinstance(part, ValueRows) else 0.0 for part in parts)
    return Tally(tuple(some.members for some in columns.sets), tuple(by_set), shifts)


class _Measures:
    """What is added up for each respondent of a block: n, w and w², times the frequency; None stands for 1."""

    def __init__(self, weights: FloatArray | None, frequencies: FloatArray | None, block: slice) -> None:
        w = None if weights is None else np.ascontiguousarray(weights[block], np.float64)
        n = None if frequencies is None else np.ascontiguousarray(frequencies[block], np.float64)
        self.n = n
        self.weighted = w is not None
        if w is None:
            self.w = self.w2 = n
        else:
            self.w = w if n is None else n * w
            self.w2 = w * w if n is None else n * w * w

    @property
    def passes(self) -> list[FloatArray | None]:
        """List the terms that differ: all three, or n alone where w = w² = 1."""
        return [self.n, self.w, self.w2] if self.weighted else [self.n]


@dataclass(frozen=True, slots=True, eq=False)
class Bundle:
    """Small questions that share one code: the mixed-radix number of their codes."""

    parts: tuple[tuple[int, CodedRows], ...]

    @property
    def size(self) -> int:
        """How many shared codes there are."""
        return prod(part.size for _, part in self.parts)

    def codes(self, start: int, stop: int) -> CodeArray:
        """Give the shared codes of the respondents from `start` to `stop`, not included."""
        kind = smallest_unsigned(self.size)
        codes = self.parts[0][1].codes[start:stop]
        for _, part in self.parts[1:]:
            codes = np.multiply(codes, kind(part.size), dtype=kind)
            codes += part.codes[start:stop].astype(kind, copy=False)
        return codes

    def margin(self, total: FloatArray, position: int, size: int, cells: int) -> FloatArray:
        """Take one question's own sums (measures, codes, cells) out of the shared ones."""
        before = prod(part.size for _, part in self.parts[:position])
        after = self.size // (before * size)
        shaped = total.reshape(total.shape[0], before, size, after, cells)
        return np.asarray(shaped.sum(axis=(1, 3)))


def bundles_of(parts: Sequence[CodedRows | ValueRows]) -> list[Bundle]:
    """Pack small questions together, smallest first, while their shared code stays small."""
    bundles: list[Bundle] = []
    open_parts: list[tuple[int, CodedRows]] = []
    size = 1
    coded = [(k, part) for k, part in enumerate(parts) if isinstance(part, CodedRows)]
    for k, part in sorted(coded, key=lambda pair: pair[1].size):
        if open_parts and size * part.size > SHARED_CODES:
            bundles.append(Bundle(tuple(open_parts)))
            open_parts, size = [], 1
        open_parts.append((k, part))
        size *= part.size
    if open_parts:
        bundles.append(Bundle(tuple(open_parts)))
    return bundles


class _Counts:
    """n, Σw, Σw² per set, bundle and code × cell."""

    def __init__(self, bundles: Sequence[Bundle], columns: ColumnCells) -> None:
        self._bundles, self._cells = bundles, [some.cells for some in columns.sets]
        self._totals = [[np.zeros((3, bundle.size * cells)) for bundle in bundles] for cells in self._cells]
        self._weighted = True

    def add(self, block: slice, cells: Sequence[IntArray], measures: _Measures) -> None:
        passes = measures.passes
        self._weighted = measures.weighted
        index = np.empty(block.stop - block.start, np.intp)
        for k, bundle in enumerate(self._bundles):
            codes = bundle.codes(block.start, block.stop).astype(np.intp)
            for totals, cell, count in zip(self._totals, cells, self._cells, strict=True):
                np.multiply(codes, count, out=index)
                np.add(index, cell, out=index)
                for measure, term in enumerate(passes):
                    totals[k][measure] += np.bincount(index, term, bundle.size * count)

    def of_set(self, position: int) -> list[FloatArray]:
        totals = self._totals[position]
        if self._weighted:
            return totals
        return [np.repeat(total[:1], 3, axis=0) for total in totals]  # w = w² = 1: one and the same sum


class _ValueSums:
    """The nine sums and extremes of each number question, per set and cell."""

    def __init__(self, values: Sequence[tuple[int, ValueRows]], columns: ColumnCells) -> None:
        self._values, self._cells = values, [some.cells for some in columns.sets]
        self._totals = [[np.zeros((9, 1, cells)) for _ in values] for cells in self._cells]
        for totals in self._totals:
            for total in totals:
                total[LOWEST], total[HIGHEST] = np.inf, -np.inf

    def of_set(self, position: int) -> list[tuple[int, FloatArray]]:
        return [(k, total) for (k, _), total in zip(self._values, self._totals[position], strict=True)]

    def add(self, block: slice, cells: Sequence[IntArray], measures: _Measures) -> None:
        for k, (_, part) in enumerate(self._values):
            terms = _value_terms(part.values[block], part.shift, measures)
            for totals, cell, count in zip(self._totals, cells, self._cells, strict=True):
                terms.add_to(totals[k][:, 0], cell, count)


@dataclass(frozen=True, slots=True, eq=False)
class _ValueTerms:
    """What the respondents of a block add to the sums of a number; 0 for whoever gave none."""

    sums: dict[int, FloatArray]
    same: dict[int, int]  # sums that equal another
    lowest: FloatArray
    highest: FloatArray

    def add_to(self, total: FloatArray, cell: IntArray, cells: int) -> None:
        for measure, term in self.sums.items():
            total[measure] += np.bincount(cell, term, cells)
        for measure, same in self.same.items():
            total[measure] = total[same]
        np.minimum.at(total[LOWEST], cell, self.lowest)
        np.maximum.at(total[HIGHEST], cell, self.highest)


def _value_terms(values: FloatArray, shift: float, measures: _Measures) -> _ValueTerms:
    absent = np.isnan(values)
    s = np.where(absent, 0.0, values - shift)
    n = (~absent).astype(np.float64)
    if measures.n is not None:
        n *= measures.n
    counted = n > 0
    lowest, highest = np.where(counted, s, np.inf), np.where(counted, s, -np.inf)
    if not measures.weighted:
        sums = {PEOPLE: n, WEIGHT: n, VALUE: n * s, VALUE2: n * s * s}
        same = {WEIGHT2: WEIGHT, WEIGHT2_VALUE: VALUE, WEIGHT2_VALUE2: VALUE2}
        return _ValueTerms(sums, same, lowest, highest)
    assert measures.w is not None and measures.w2 is not None
    w, w2 = np.where(absent, 0.0, measures.w), np.where(absent, 0.0, measures.w2)
    sums = {
        PEOPLE: n,
        WEIGHT: w,
        WEIGHT2: w2,
        VALUE: w * s,
        VALUE2: w * s * s,
        WEIGHT2_VALUE: w2 * s,
        WEIGHT2_VALUE2: w2 * s * s,
    }
    return _ValueTerms(sums, {}, lowest, highest)
