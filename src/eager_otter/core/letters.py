"""The columns that a figure is significantly higher than: levels and pairs in, cells out."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.dataclass import dataclass


def alpha_of(level: float) -> float:
    """Return the largest P value that is significant at a confidence percent.

    >>> alpha_of(95.0)
    0.05
    """
    return (100.0 - level) / 100.0


@dataclass(frozen=True, slots=True, eq=False)
class Higher:
    """All that is significantly higher than something else: one entry per row and pair, by row, then column.

    In row `row` (k,) column `column` (k,) is higher than column `than` (k,); `strict` (k,) tells whether at the first
    level already.
    """

    row: IntArray
    column: IntArray
    than: IntArray
    strict: BoolArray


def higher_than(
    statistic: FloatArray, p_value: FloatArray, pairs: IntArray, levels: Sequence[float]
) -> Higher:
    """Return who is significantly higher than whom.

    `statistic` and `p_value` (rows, pairs) are of the pairs (pairs, 2); the statistic is above 0 where the first column
    is higher. `levels` are one or two confidence percents, strictest first; P ≤ (100 − level)/100 is significant.
    """
    row, pair = np.nonzero(p_value <= alpha_of(levels[-1]))
    upward = statistic[row, pair] > 0
    first, second = pairs[pair, 0], pairs[pair, 1]
    column, than = np.where(upward, first, second), np.where(upward, second, first)
    strict = p_value[row, pair] <= alpha_of(levels[0])
    order = np.lexsort((than, column, row))
    return Higher(row[order], column[order], than[order], strict[order])
