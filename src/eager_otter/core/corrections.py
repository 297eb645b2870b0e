"""Corrections of P values for many comparisons."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray


def adjusted(p_value: FloatArray, family: IntArray, adjust: Callable[[FloatArray], FloatArray]) -> FloatArray:
    """Adjust P values (rows, pairs); a family is the pairs of one row with the same number in `family` (pairs,).

    Pairs without a P value (NaN) belong to no family. `adjust` corrects P values (rows, tests) of families, one a row.

    >>> p = np.array([[0.01, 0.04, 0.03, np.nan]])
    >>> adjusted(p, np.zeros(4, np.int64), holm)
    array([[0.03, 0.06, 0.06,  nan]])
    """
    result = np.full_like(p_value, np.nan)
    for number in np.unique(family):
        members = np.flatnonzero(family == number)
        result[:, members] = adjust(p_value[:, members])
    return result


def bonferroni(p: FloatArray) -> FloatArray:
    """Multiply P values (rows, tests) by the number of tests made in their row, to 1 at most."""
    tests = (~np.isnan(p)).sum(axis=1, keepdims=True)
    return np.asarray(np.minimum(p * tests, 1.0))


def holm(p: FloatArray) -> FloatArray:
    """Step down from the smallest P value of each row (Holm 1979): (rows, tests)."""
    order, rising, tests = _ordered(p)
    left = tests - np.arange(p.shape[1])[None, :]
    return _back(np.minimum(np.fmax.accumulate(rising * left, axis=1), 1.0), order, rising)


def benjamini_hochberg(p: FloatArray) -> FloatArray:
    """Step up from the largest P value of each row (Benjamini & Hochberg 1995): (rows, tests)."""
    order, rising, tests = _ordered(p)
    scaled = rising * tests / (1.0 + np.arange(p.shape[1])[None, :])
    smallest = np.fmin.accumulate(scaled[:, ::-1], axis=1)[:, ::-1]
    return _back(np.minimum(smallest, 1.0), order, rising)


def _ordered(p: FloatArray) -> tuple[IntArray, FloatArray, FloatArray]:
    """Return the order of each row, the P values rising (NaN last), and how many there are."""
    order = np.argsort(p, axis=1, kind="stable")
    tests = (~np.isnan(p)).sum(axis=1, keepdims=True).astype(np.float64)
    return order, np.take_along_axis(p, order, axis=1), tests


def _back(stepped: FloatArray, order: IntArray, rising: FloatArray) -> FloatArray:
    result = np.empty_like(stepped)
    np.put_along_axis(result, order, np.where(np.isnan(rising), np.nan, stepped), axis=1)
    return result
