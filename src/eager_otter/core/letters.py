"""Which columns a figure is significantly higher than: levels and pairs in, true/false per column out."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray


def higher_than(
    statistic: FloatArray, p_value: FloatArray, pairs: IntArray, columns: int, levels: Sequence[float]
) -> list[BoolArray]:
    """Tell for each level who is significantly higher than whom: (rows, columns, columns).

    `statistic` and `p_value` (rows, pairs) are of the pairs (pairs, 2); the statistic is above 0 where the first column
    is higher. `levels` are confidence percents, strictest first; P ≤ (100 − level)/100 is significant. `[r, i, j]` is
    True where row r of column i is significantly higher than column j.
    """
    rows = p_value.shape[0]
    results = []
    for level in levels:
        table = np.zeros((rows, columns, columns), np.bool_)
        significant = p_value <= (100.0 - level) / 100.0
        row, pair = np.nonzero(significant)
        upward = statistic[row, pair] > 0
        first, second = pairs[pair, 0], pairs[pair, 1]
        table[row, np.where(upward, first, second), np.where(upward, second, first)] = True
        results.append(table)
    return results
