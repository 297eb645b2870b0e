"""Weighted quantiles."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray

TIE = 1e-9  # a cumulated share this near to q equals it


def weighted_quantile(values: FloatArray, weights: FloatArray, q: float) -> float:
    """Give the q-quantile of values (k,) with weights (k,), both in rising order of the values.

    The first value whose cumulated share exceeds q; where a value's cumulated share equals q, the midpoint of it and
    the next value with weight (Hyndman & Fan 1996, type 2). NaN where there is no weight.

    >>> weighted_quantile(np.array([1.0, 2.0, 4.0, 9.0]), np.ones(4), 0.5)
    3.0
    """
    total = weights.sum()
    if not total > 0:
        return float("nan")
    there = weights > 0
    values, share = values[there], np.cumsum(weights[there]) / total
    place = int(np.searchsorted(share, q - TIE))
    place = min(place, values.size - 1)
    if abs(share[place] - q) <= TIE and place + 1 < values.size:
        return float((values[place] + values[place + 1]) / 2.0)
    return float(values[place])
