"""Weighted quantiles."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from eager_otter.core.arrays import FloatArray

TIE = 1e-9  # a cumulated share this near to q equals it


class Cut(NamedTuple):
    """The cut of a quantile: the last value wholly below it, the value that reaches it, and the next one.

    `share_below` and `share` are the cumulated shares of weight up to `below` and up to `at`. `middle` tells that the
    share equals the quantile's, which then is the midpoint of `at` and `above`. Values that are not there are NaN.
    """

    below: float
    share_below: float
    at: float
    share: float
    above: float
    middle: bool

    @property
    def value(self) -> float:
        """The quantile."""
        return (self.at + self.above) / 2.0 if self.middle else self.at


NOTHING_TO_CUT = Cut(np.nan, np.nan, np.nan, np.nan, np.nan, False)


def quantile_cut(values: FloatArray, weights: FloatArray, q: float) -> Cut:
    """Find where the q-quantile of values (k,) with weights (k,), both in rising order of the values, cuts them.

    The first value whose cumulated share exceeds q; where a value's cumulated share equals q, the midpoint of it and
    the next value with weight (Hyndman & Fan 1996, type 2). All NaN where there is no weight, or q is NaN.

    >>> quantile_cut(np.array([1.0, 2.0, 4.0, 9.0]), np.ones(4), 0.5)
    Cut(below=1.0, share_below=0.25, at=2.0, share=0.5, above=4.0, middle=True)
    """
    total = weights.sum()
    if not total > 0 or np.isnan(q):
        return NOTHING_TO_CUT
    there = weights > 0
    values, share = values[there], np.cumsum(weights[there]) / total
    place = min(int(np.searchsorted(share, q - TIE)), values.size - 1)
    at = values[place]
    first = int(np.searchsorted(values, at, side="left"))  # equal values are one
    last = int(np.searchsorted(values, at, side="right")) - 1
    middle = bool(abs(share[last] - q) <= TIE) and last + 1 < values.size
    return Cut(
        below=float(values[first - 1]) if first else np.nan,
        share_below=float(share[first - 1]) if first else 0.0,
        at=float(at),
        share=float(share[last]),
        above=float(values[last + 1]) if last + 1 < values.size else np.nan,
        middle=middle,
    )


def weighted_quantile(values: FloatArray, weights: FloatArray, q: float) -> float:
    """Return the q-quantile of values (k,) with weights (k,), both in rising order of the values: see `quantile_cut`.

    NaN where there is no weight.

    >>> weighted_quantile(np.array([1.0, 2.0, 4.0, 9.0]), np.ones(4), 0.5)
    3.0
    """
    return quantile_cut(values, weights, q).value
