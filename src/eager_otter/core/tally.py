"""The tally: the additive sums behind tables, made in one pass over the respondents.

All that a table needs of the data is additive: numbers of people, Σw, Σw² per code × cell and, for values, their mean
and squared deviations per cell. So `tally` can be called on parts of the data (chunks, files, machines) and the
results added with `+`: counts by addition, means and deviations by the pairwise formula of Chan, Golub & LeVeque
(1983), so that neither a far-out value in another cell nor large values of small spread cost digits.
`sums.py` turns a finished tally into rows × columns.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from math import prod
from typing import Literal

import numpy as np

from eager_otter.core.arrays import BoolArray, CodeArray, FloatArray, IntArray, smallest_unsigned
from eager_otter.core.cells import ColumnCells, join_patterns
from eager_otter.dataclass import dataclass

BLOCK = 32_768  # respondents at a time: what one pass needs stays in the processor's cache
SPAN = 65_536  # respondents over which sums of weights are exact, whatever they are counted together with
LOW_SUM_BITS = 26  # of the sums of what a weight has beyond its high part: two of them fit into one number
SHARED_CODES = 256  # several small questions are counted as one code up to this many combinations

PEOPLE, WEIGHT, WEIGHT2 = range(3)
# of values, beside these: the mean c as a sum of two numbers, Σw(s−c)², Σw²(s−c), Σw²(s−c)², the smallest and largest s
MEAN, REST, SQUARES, WEIGHT2_FIRST, WEIGHT2_SQUARES, LOWEST, HIGHEST = range(3, 10)
VALUE_MEASURES = 10
# of two values a person: the mean of each as a sum of two numbers, Σw²(s1−c1), Σw²(s2−c2), Σw²(s1−c1)(s2−c2)
MEAN_1, REST_1, MEAN_2, REST_2, FIRST_1, FIRST_2, PRODUCT = range(3, 10)


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
    """A number per respondent: `values` (respondents,), NaN where there is none."""

    values: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class ProductRows:
    """Two numbers per respondent, `first` and `second` (respondents,): those count who have both."""

    first: FloatArray
    second: FloatArray


Rows = CodedRows | ValueRows | ProductRows


@dataclass(frozen=True, slots=True, eq=False)
class CodeRows:
    """The rows that are read from a code: first those of a single code each, then those of several.

    `codes` (k,) are the codes of the first, `table` (r, codes) holds 0 or 1, or other amounts, for each row after them.
    """

    codes: IntArray
    table: FloatArray

    def __len__(self) -> int:
        return len(self.codes) + len(self.table)

    def of(self, sums: FloatArray) -> FloatArray:
        """Put sums by code together into rows: (measures, codes, cells) in, (measures, rows, cells) out."""
        if not len(self.codes):
            return np.asarray(self.table @ sums)
        return np.concatenate([sums[:, self.codes], self.table @ sums], axis=1)

    def dense(self) -> FloatArray:
        """Return all rows as one table: (rows, codes)."""
        single = np.zeros((len(self.codes), self.table.shape[1]))
        single[np.arange(len(self.codes)), self.codes] = 1.0
        return np.vstack([single, self.table])


@dataclass(frozen=True, slots=True, eq=False)
class Tally:
    """Sums per set of cells and question part.

    `sums[s][q]` is (measures, codes, cells): measures n, Σw, Σw² for coded rows; for values and products, over one
    code, ten measures, as the constants above name them (the smallest and largest value are ∞ and −∞ in an empty cell).
    `members[s]` (columns, cells) says which columns each cell is in, `kinds` what each question part is.
    """

    members: tuple[FloatArray, ...]
    sums: tuple[tuple[FloatArray, ...], ...]
    kinds: tuple[PartKind, ...]

    def __add__(self, other: Tally) -> Tally:
        """Add the tally of another part of the data. The same questions and columns, in the same order.

        Raises ValueError when the two were not made of the same questions and columns.
        """
        shapes = [[len(m) for m in one.members] for one in (self, other)]
        rows = [[[sums.shape[:2] for sums in parts] for parts in one.sums] for one in (self, other)]
        if self.kinds != other.kinds or shapes[0] != shapes[1] or rows[0] != rows[1]:
            raise ValueError("Only tallies of the same questions and columns can be added.")
        members: list[FloatArray] = []
        sums: list[tuple[FloatArray, ...]] = []
        for mine, theirs, my_sums, its_sums in zip(
            self.members, other.members, self.sums, other.sums, strict=True
        ):
            union, (my_place, its_place) = join_patterns([mine, theirs])
            members.append(union)
            sums.append(
                tuple(
                    MERGES[kind](
                        _spread(kind, a, my_place, union.shape[1]),
                        _spread(kind, b, its_place, union.shape[1]),
                    )
                    for kind, a, b in zip(self.kinds, my_sums, its_sums, strict=True)
                )
            )
        return Tally(tuple(members), tuple(sums), self.kinds)

    def with_rows(self, part: int, places: Sequence[int], rows: int) -> Tally:
        """Return the same tally with the rows of a part at other places, among so many rows."""
        if list(places) == list(range(rows)):
            return self
        sums = []
        for of_set in self.sums:
            wider = np.zeros((of_set[part].shape[0], rows, of_set[part].shape[2]))
            wider[:, list(places)] = of_set[part]
            sums.append((*of_set[:part], wider, *of_set[part + 1 :]))
        return Tally(self.members, tuple(sums), self.kinds)

    def ordered(self) -> Tally:
        """Return the same tally with the cells of each set in the order of their patterns."""
        orders = [np.lexsort(members[::-1]) for members in self.members]
        return Tally(
            tuple(members[:, order] for members, order in zip(self.members, orders, strict=True)),
            tuple(
                tuple(sums[:, :, order] for sums in parts)
                for parts, order in zip(self.sums, orders, strict=True)
            ),
            self.kinds,
        )


def no_rows(sums: FloatArray) -> FloatArray:
    """Return sums of no rows by the cells of some sums: (3, 0, cells)."""
    return np.zeros((3, 0, sums.shape[2]))


def _spread(kind: PartKind, sums: FloatArray, places: IntArray, cells: int) -> FloatArray:
    if places.size == cells:  # the union of both is ordered as the first one is
        inverse = np.empty(cells, np.int64)
        inverse[places] = np.arange(cells)
        return sums[:, :, inverse]
    out = _empty(kind, cells) if kind != "codes" else np.zeros((*sums.shape[:2], cells))
    out[:, :, places] = sums
    return out


def _empty(kind: PartKind, cells: int) -> FloatArray:
    """Return the measures of a part of values in which nobody has been counted yet: (measures, 1, cells)."""
    out = np.zeros((VALUE_MEASURES, 1, cells))
    if kind == "values":
        out[LOWEST], out[HIGHEST] = np.inf, -np.inf
    return out


def _merged_codes(mine: FloatArray, theirs: FloatArray) -> FloatArray:
    return mine + theirs


def _merged_values(mine: FloatArray, theirs: FloatArray) -> FloatArray:
    """Merge means and squared deviations about them (Chan, Golub & LeVeque 1983), and the ends."""
    total = mine + theirs
    mean, rest, gap, share = _merged_means(mine, theirs, MEAN, REST)
    total[MEAN], total[REST] = mean, rest
    total[SQUARES] = mine[SQUARES] + theirs[SQUARES] + gap**2 * mine[WEIGHT] * share
    first = np.zeros_like(gap)
    squares = np.zeros_like(gap)
    for part, by in ((mine, gap * share), (theirs, -gap * (1.0 - share))):
        first += part[WEIGHT2_FIRST] - by * part[WEIGHT2]
        squares += part[WEIGHT2_SQUARES] - 2.0 * by * part[WEIGHT2_FIRST] + by**2 * part[WEIGHT2]
    total[WEIGHT2_FIRST], total[WEIGHT2_SQUARES] = first, squares
    total[LOWEST] = np.minimum(mine[LOWEST], theirs[LOWEST])
    total[HIGHEST] = np.maximum(mine[HIGHEST], theirs[HIGHEST])
    return total


def _merged_products(mine: FloatArray, theirs: FloatArray) -> FloatArray:
    total = mine + theirs
    total[MEAN_1], total[REST_1], gap1, share = _merged_means(mine, theirs, MEAN_1, REST_1)
    total[MEAN_2], total[REST_2], gap2, _ = _merged_means(mine, theirs, MEAN_2, REST_2)
    sums = np.zeros((3, *gap1.shape))
    for part, away in ((mine, share), (theirs, share - 1.0)):
        by1, by2 = gap1 * away, gap2 * away
        sums[0] += part[FIRST_1] - by1 * part[WEIGHT2]
        sums[1] += part[FIRST_2] - by2 * part[WEIGHT2]
        sums[2] += part[PRODUCT] - by1 * part[FIRST_2] - by2 * part[FIRST_1] + by1 * by2 * part[WEIGHT2]
    total[FIRST_1], total[FIRST_2], total[PRODUCT] = sums
    return total


def _merged_means(
    mine: FloatArray, theirs: FloatArray, mean: int, rest: int
) -> tuple[FloatArray, FloatArray, FloatArray, FloatArray]:
    """Merge two means: the new one as a sum of two numbers, its − mine, and its share of the weight; (1, cells) each.

    Where one side is empty, the other's mean is taken and the gap is 0.
    """
    weight = mine[WEIGHT] + theirs[WEIGHT]
    share = np.divide(theirs[WEIGHT], weight, out=np.zeros_like(weight), where=weight > 0)
    gap = (theirs[mean] - mine[mean]) + (theirs[rest] - mine[rest])
    gap[(mine[WEIGHT] == 0) | (theirs[WEIGHT] == 0)] = 0.0
    high = np.where(mine[WEIGHT] > 0, mine[mean], theirs[mean])
    low = np.where(mine[WEIGHT] > 0, mine[rest], theirs[rest]) + gap * share
    joined = high + low
    return joined, low - (joined - high), gap, share


PartKind = Literal["codes", "values", "products"]
MERGES: Mapping[PartKind, Callable[[FloatArray, FloatArray], FloatArray]] = {
    "codes": _merged_codes,
    "values": _merged_values,
    "products": _merged_products,
}
KINDS: Mapping[type, PartKind] = {CodedRows: "codes", ValueRows: "values", ProductRows: "products"}


def _people_in(part: Rows) -> int:
    match part:
        case CodedRows():
            return int(part.codes.size)
        case ValueRows():
            return int(part.values.size)
        case ProductRows():
            return int(part.first.size)


def tally(
    parts: Sequence[Rows],
    columns: ColumnCells,
    *,
    weights: FloatArray | None = None,
    frequencies: FloatArray | None = None,
    rows: Sequence[CodeRows | None] | None = None,
) -> Tally:
    """Count question parts by banner cells: by code or, where `rows` says for a part what its rows are, by row.

    `weights` (respondents,) are >= 0 and `frequencies` (respondents,) whole numbers of people per row; either
    may be None for 1. Raises ValueError when lengths differ.
    """
    respondents = columns.sets[0].cell.size
    for part in parts:
        people = _people_in(part)
        if people != respondents:
            raise ValueError(f"A question has {people} respondents where the banner has {respondents}.")
    bundles = bundles_of(parts)
    values = [(k, part) for k, part in enumerate(parts) if not isinstance(part, CodedRows)]
    counts, sums = _Counts(bundles, columns, rows or [None] * len(parts)), _ValueSums(values, columns)
    for start in range(0, max(respondents, 1), SPAN):
        span = slice(start, min(start + SPAN, respondents))
        counts.add(span, columns, _Measures(weights, frequencies, span))
    for start in range(0, respondents if values else 0, BLOCK):
        block = slice(start, min(start + BLOCK, respondents))
        cells = [column_set.cell[block].astype(np.intp) for column_set in columns.sets]
        sums.add(block, cells, _Measures(weights, frequencies, block))
    by_set = []
    for position in range(len(columns.sets)):
        of_part: dict[int, FloatArray] = {**sums.of_set(position), **counts.of_set(position)}
        by_set.append(tuple(of_part[k] for k in range(len(parts))))
    kinds = tuple(KINDS[type(part)] for part in parts)
    return Tally(tuple(column_set.members for column_set in columns.sets), tuple(by_set), kinds)


class _Measures:
    """The amounts added up for each respondent of a block: n, w and w², times the frequency; None stands for 1."""

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


@dataclass(frozen=True, slots=True, eq=False)
class _Parted:
    """Amounts as whole numbers of a `unit`: a high part, and a low part in units 2^−`bits` of that.

    Sums of both over a span are below 2^53 and 2^26 units, so they are exact in any order (after Demmel & Nguyen 2015).
    What is cut off is below 2^−46 of the largest amount a person.
    """

    unit: float
    bits: int
    high: FloatArray
    low: FloatArray

    @staticmethod
    def of(amounts: FloatArray) -> _Parted:
        rows = max(int(amounts.size), 2)
        row_bits = int(rows - 1).bit_length()
        high_bits, low_bits = 53 - row_bits, LOW_SUM_BITS - row_bits
        unit = float(np.ldexp(1.0, int(np.frexp(float(amounts.max(initial=0.0)))[1]) - high_bits))
        low = amounts / unit
        high = np.floor(low)
        low -= high
        low *= 2.0**low_bits
        return _Parted(unit, low_bits, high, np.floor(low, out=low))

    def total(self, high: FloatArray, low: FloatArray) -> FloatArray:
        """Return the sum of amounts from those of both parts."""
        return np.asarray((high + np.ldexp(low, -self.bits)) * self.unit)


class _Passes:
    """The terms to be added up over a span, so that sums are exact: n, then the parts of w and w² where they differ."""

    def __init__(self, measures: _Measures) -> None:
        self.parted: tuple[_Parted, _Parted] | None = None
        self.terms: list[FloatArray | None] = [measures.n]
        if measures.weighted:
            assert measures.w is not None and measures.w2 is not None
            w, w2 = _Parted.of(measures.w), _Parted.of(measures.w2)
            self.parted = w, w2
            self.terms += [w.high, w2.high, w.low * 2.0**LOW_SUM_BITS + w2.low]

    def sums(self, added: FloatArray) -> FloatArray:
        """Return n, Σw, Σw² of added terms: (terms, …) in, (3, …) out."""
        if self.parted is None:
            return np.repeat(added, 3, axis=0)  # w = w² = 1: one and the same sum
        n, high, high2, both = added
        low = np.floor(np.ldexp(both, -LOW_SUM_BITS))
        w, w2 = self.parted
        return np.array([n, w.total(high, low), w2.total(high2, both - np.ldexp(low, LOW_SUM_BITS))])


@dataclass(frozen=True, slots=True, eq=False)
class Bundle:
    """Small questions that share one code: the mixed-radix number of their codes."""

    parts: tuple[tuple[int, CodedRows], ...]

    @property
    def size(self) -> int:
        """How many shared codes there are."""
        return prod(part.size for _, part in self.parts)

    def codes(self, start: int, stop: int) -> CodeArray:
        """Return the shared codes of the respondents from `start` to `stop`, not included."""
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


def bundles_of(parts: Sequence[Rows]) -> list[Bundle]:
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
    """n, Σw, Σw² per set, part and code or row × cell, added up span by span."""

    def __init__(
        self, bundles: Sequence[Bundle], columns: ColumnCells, rows: Sequence[CodeRows | None]
    ) -> None:
        self._rows, self._bundles = rows, bundles
        self._totals: list[dict[int, FloatArray]] = [{} for _ in columns.sets]

    def of_set(self, position: int) -> dict[int, FloatArray]:
        """Return the sums of each part by a set of cells: (3, codes, cells)."""
        return self._totals[position]

    def add(self, span: slice, columns: ColumnCells, measures: _Measures) -> None:
        passes = _Passes(measures)
        for bundle in self._bundles:
            codes = bundle.codes(span.start, span.stop)
            for totals, one in zip(self._totals, columns.sets, strict=True):
                size = bundle.size * one.cells
                kind = smallest_unsigned(size)  # the smallest takes the least time
                index = np.multiply(codes, kind(one.cells), dtype=kind)
                index += one.cell[span].astype(kind, copy=False)
                index = index.astype(np.intp)
                added = np.array([np.bincount(index, term, size) for term in passes.terms], np.float64)
                kept = []
                for place, (k, part) in enumerate(bundle.parts):
                    by_code, rows = bundle.margin(added, place, part.size, one.cells), self._rows[k]
                    kept.append(by_code if rows is None else rows.of(by_code))
                ends = np.cumsum([rows.shape[1] for rows in kept])[:-1]
                sums = np.split(passes.sums(np.concatenate(kept, axis=1)), ends, axis=1)
                for (k, _), total in zip(bundle.parts, sums, strict=True):
                    totals[k] = totals[k] + total if k in totals else total


class _ValueSums:
    """The measures of each part of values or products, per set and cell, merged block by block."""

    def __init__(self, values: Sequence[tuple[int, ValueRows | ProductRows]], columns: ColumnCells) -> None:
        self._values, self._cells = values, [column_set.cells for column_set in columns.sets]
        self._totals = [[_empty(KINDS[type(part)], cells) for _, part in values] for cells in self._cells]

    def of_set(self, position: int) -> dict[int, FloatArray]:
        return {k: total for (k, _), total in zip(self._values, self._totals[position], strict=True)}

    def add(self, block: slice, cells: Sequence[IntArray], measures: _Measures) -> None:
        for k, (_, part) in enumerate(self._values):
            first = part.first if isinstance(part, ProductRows) else part.values
            there = ~np.isnan(first[block])
            if isinstance(part, ProductRows):
                there &= ~np.isnan(part.second[block])
            terms = _Terms.of(there, measures)
            given = first[block][terms.there] if isinstance(part, ValueRows) else first[:0]
            for totals, cell, count in zip(self._totals, cells, self._cells, strict=True):
                if isinstance(part, ProductRows):
                    values = first[block], part.second[block]
                    totals[k] = _merged_products(totals[k], terms.products(*values, cell, count))
                else:
                    totals[k] = _merged_values(totals[k], terms.values(first[block], given, cell, count))


@dataclass(frozen=True, slots=True, eq=False)
class _Terms:
    """The amounts added by respondents of a block with a value: n, w and w² (respondents,), 0 for all others."""

    there: BoolArray
    n: FloatArray
    w: FloatArray
    w2: FloatArray

    @staticmethod
    def of(there: BoolArray, measures: _Measures) -> _Terms:
        n = there.astype(np.float64) if measures.n is None else np.where(there, measures.n, 0.0)
        if not measures.weighted:
            return _Terms(there & (n > 0), n, n, n)
        assert measures.w is not None and measures.w2 is not None
        w, w2 = np.where(there, measures.w, 0.0), np.where(there, measures.w2, 0.0)
        return _Terms(there & (n > 0), n, w, w2)

    def values(self, values: FloatArray, given: FloatArray, cell: IntArray, cells: int) -> FloatArray:
        """Sum values up by cell, of which those `given` are there: (measures, 1, cells)."""
        total = self._counts("values", cell, cells)
        s = values if given.size == values.size else np.where(self.there, values, 0.0)
        total[MEAN, 0], total[REST, 0], away = self._centred(s, cell, total[WEIGHT, 0])
        total[SQUARES, 0] = np.bincount(cell, self.w * away * away, cells)
        if self.w2 is self.w:  # w = w² = 1 a person
            total[WEIGHT2_SQUARES] = total[SQUARES]
        else:
            first = self.w2 * away
            total[WEIGHT2_FIRST, 0] = np.bincount(cell, first, cells)
            total[WEIGHT2_SQUARES, 0] = np.bincount(cell, first * away, cells)
        inside = cell if given.size == cell.size else cell[self.there]
        np.minimum.at(total[LOWEST, 0], inside, given)
        np.maximum.at(total[HIGHEST, 0], inside, given)
        return total

    def products(self, first: FloatArray, second: FloatArray, cell: IntArray, cells: int) -> FloatArray:
        """Sum two values up by cell: (measures, 1, cells)."""
        total = self._counts("products", cell, cells)
        weight = total[WEIGHT, 0]
        one, other = np.where(self.there, first, 0.0), np.where(self.there, second, 0.0)
        total[MEAN_1, 0], total[REST_1, 0], away1 = self._centred(one, cell, weight)
        total[MEAN_2, 0], total[REST_2, 0], away2 = self._centred(other, cell, weight)
        total[FIRST_1, 0] = np.bincount(cell, self.w2 * away1, cells)
        total[FIRST_2, 0] = np.bincount(cell, self.w2 * away2, cells)
        total[PRODUCT, 0] = np.bincount(cell, self.w2 * away1 * away2, cells)
        return total

    def _counts(self, kind: PartKind, cell: IntArray, cells: int) -> FloatArray:
        total = _empty(kind, cells)
        total[PEOPLE, 0] = np.bincount(cell, self.n, cells)
        total[WEIGHT, 0] = total[PEOPLE, 0] if self.w is self.n else np.bincount(cell, self.w, cells)
        total[WEIGHT2, 0] = total[WEIGHT, 0] if self.w2 is self.w else np.bincount(cell, self.w2, cells)
        return total

    def _centred(
        self, s: FloatArray, cell: IntArray, weight: FloatArray
    ) -> tuple[FloatArray, FloatArray, FloatArray]:
        """Return the mean of each cell as a sum of two numbers (cells,), and how far each value is from it."""
        divisor = np.where(weight > 0, weight, 1.0)
        mean = np.bincount(cell, self.w * s, weight.size) / divisor
        away = s - mean[cell]
        rest = np.bincount(cell, self.w * away, weight.size) / divisor
        return mean, rest, away - rest[cell]
