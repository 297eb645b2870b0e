"""The array types of the core, and the small arithmetic everything else shares."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
IntArray = npt.NDArray[np.int64]
BoolArray = npt.NDArray[np.bool_]
CodeArray = npt.NDArray[np.unsignedinteger[Any]]
ByteArray = npt.NDArray[np.uint8]


def ratio(top: FloatArray, bottom: FloatArray) -> FloatArray:
    """Divide two arrays that broadcast together; NaN where the divisor is 0.

    >>> ratio(np.array([[1.0, 0.0]]), np.array([4.0, 0.0]))
    array([[0.25,  nan]])
    """
    if np.all(bottom):
        return np.asarray(top / bottom)
    out: FloatArray = np.full(np.broadcast_shapes(np.shape(top), np.shape(bottom)), np.nan)
    np.divide(top, bottom, out=out, where=np.broadcast_to(bottom, out.shape) != 0)
    return out


def effective_base(w: FloatArray, w2: FloatArray) -> FloatArray:
    """Return the effective base (Σw)² / Σw² (Kish 1965): any shape, respondents, NaN where nobody is.

    >>> effective_base(np.array([3.0]), np.array([5.0]))
    array([1.8])
    """
    return ratio(w * w, w2)


def efficiency(weights: FloatArray, frequencies: FloatArray | None = None) -> tuple[float, float]:
    """Return the effective base of weights (k,) > 0, and its share of the unweighted base (Kish 1992).

    A weight stands for `frequencies` (k,) respondents, None for one each.

    >>> efficiency(np.array([1.0, 1.0, 1.0, 3.0])), efficiency(np.array([1.0, 3.0]), np.array([3.0, 1.0]))
    ((3.0, 0.75), (3.0, 0.75))
    """
    times = np.ones_like(weights) if frequencies is None else frequencies
    effective = float((times * weights).sum() ** 2 / (times * weights**2).sum())
    return effective, effective / float(times.sum())


def people_of(rows: BoolArray, frequencies: FloatArray | None) -> int:
    """Count the respondents that some rows (rows,) stand for; `frequencies` (rows,) are None for one each."""
    return int(rows.sum() if frequencies is None else frequencies[rows].sum())


FEW = 4  # codes that are compared one by one, which takes less time than a table, while codes are bytes


def chosen_by(table: BoolArray, codes: CodeArray | IntArray) -> BoolArray:
    """Return who has a code that a table (codes,) says yes to: (respondents,).

    >>> chosen_by(np.array([False, True, False]), np.array([1, 0, 2, 1], np.uint8)).tolist()
    [True, False, False, True]
    """
    yes = np.flatnonzero(table)
    few = yes if 2 * yes.size <= table.size else np.flatnonzero(~table)
    if codes.dtype != np.uint8 or few.size > FEW:
        return np.asarray(table.take(codes))
    inside = np.zeros(codes.shape, np.bool_)
    for code in few.tolist():
        inside |= codes == code
    return inside if few is yes else ~inside


def renumbered(table: CodeArray, codes: CodeArray | IntArray) -> CodeArray:
    """Return the number that a table (codes,) gives each code: (respondents,), of the type of the table.

    Where a table of bytes goes up by one nearly everywhere, as that of answers does, it is added up from its few steps.

    >>> renumbered(np.array([9, 0, 1, 2], np.uint8), np.array([0, 1, 3], np.uint8)).tolist()
    [9, 0, 2]
    """
    if codes.dtype == table.dtype == np.uint8 and table.size:
        away = table - np.arange(table.size, dtype=np.uint8)  # modulo 256, as all that follows
        jumps = np.diff(away)
        steps = np.flatnonzero(jumps)
        if steps.size <= FEW:
            numbers: CodeArray = codes + away[0]
            for step in steps.tolist():
                numbers += np.multiply(codes > step, jumps[step], dtype=np.uint8)
            return numbers
    return np.asarray(table.take(codes))


def packed_bits(rows: Sequence[BoolArray] | BoolArray) -> ByteArray:
    """Pack rows of yes and no (rows, respondents), eight to a byte: bit b of byte k is row 8·k + b.

    NumPy's own function, which goes across the rows, takes forty times as long.

    >>> packed_bits(np.array([[True, False], [True, True]])).tolist()
    [[3, 2]]
    """
    packed = np.zeros((-(-len(rows) // 8), len(rows[0])), np.uint8)
    for k, row in enumerate(rows):
        packed[k // 8] |= bit(row, k)
    return packed


def bit(row: BoolArray, place: int) -> ByteArray:
    """Return the bytes of a row (respondents,) in which it is the bit at a place, modulo 8, and no other."""
    return np.asarray(row.view(np.uint8) * np.uint8(1 << place % 8))


def counts_of(codes: CodeArray | IntArray, size: int, only: Sequence[int] | None = None) -> IntArray:
    """Count the respondents of each code 0 … size-1: (size,). Where `only` some are asked for, others may be 0.

    They are asked for once each.

    >>> counts_of(np.array([2, 0, 2], np.uint8), 3).tolist()
    [1, 0, 2]
    """
    asked = range(size) if only is None else only
    if codes.dtype != np.uint8 or len(asked) > FEW:
        return np.bincount(codes, minlength=size)
    counts, left = np.zeros(size, np.int64), codes.size
    for code in asked:
        counts[code] = np.count_nonzero(codes == code) if left else 0
        left -= int(counts[code])
    return counts


def smallest_unsigned(largest: int) -> type[np.unsignedinteger[Any]]:
    """Name the smallest unsigned type that holds the values 0 to `largest`."""
    if largest < 1 << 8:
        return np.uint8
    return np.uint16 if largest < 1 << 16 else np.uint32
