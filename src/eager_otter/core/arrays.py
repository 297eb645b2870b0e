"""The array types of the core, and the small arithmetic everything else shares."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

FloatArray = npt.NDArray[np.float64]
IntArray = npt.NDArray[np.int64]
BoolArray = npt.NDArray[np.bool_]
CodeArray = npt.NDArray[np.unsignedinteger[Any]]


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


def smallest_unsigned(largest: int) -> type[np.unsignedinteger[Any]]:
    """Name the smallest unsigned type that holds the values 0 to `largest`."""
    for kind in (np.uint8, np.uint16):
        if largest <= np.iinfo(kind).max:
            return kind
    return np.uint32
