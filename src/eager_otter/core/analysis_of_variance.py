"""Welch's analysis of variance of the means of several columns, on effective numbers of values."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.association import WholeTableTest
from eager_otter.core.means import NO_SPREAD, Moments
from eager_otter.core.tails import f_tail
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, eq=False)
class ValuesByColumns:
    """Means, variances and effective numbers of values of columns that share nobody: (columns,) each.

    `largest` is the largest absolute value of any.
    """

    mean: FloatArray
    variance: FloatArray
    effective: FloatArray
    largest: float

    @property
    def testable(self) -> bool:
        """Whether there are two columns to compare."""
        return self.mean.size >= 2


def enough_values(column_moments: Moments) -> BoolArray:
    """Return the columns that an analysis of variance takes: two values and an effective number above 1; (columns,)."""
    return np.asarray((column_moments.n[0] >= 2) & (column_moments.effective[0] > 1.0))


def analysis_of_variance(table: ValuesByColumns, method: str) -> WholeTableTest:
    """Test whether all means are the same (Welch 1951), e the effective numbers of values in place of n.

    Where a column has no deviation, the one-way F with the pooled variance ((e − 1)v summed, over Σe − k) on k − 1 and
    Σe − k degrees of freedom. NaN where no column has a deviation.
    """
    m, v, e = table.mean, table.variance, table.effective
    k = float(m.size)
    flat = np.sqrt(v) <= NO_SPREAD * table.largest
    if flat.all():
        f = df2 = float("nan")
    elif flat.any():
        df2 = float(e.sum()) - k
        pooled = float(((e - 1.0) * v).sum()) / df2
        middle = float((e * m).sum() / e.sum())
        f = float((e * (m - middle) ** 2).sum()) / (k - 1.0) / pooled
    else:
        precision = e / v
        middle = float((precision * m).sum() / precision.sum())
        lost = float(((1.0 - precision / precision.sum()) ** 2 / (e - 1.0)).sum())
        between = float((precision * (m - middle) ** 2).sum()) / (k - 1.0)
        f = between / (1.0 + 2.0 * (k - 2.0) / (k**2 - 1.0) * lost)
        df2 = (k**2 - 1.0) / (3.0 * lost)
    df1 = float("nan") if np.isnan(f) else k - 1.0
    return WholeTableTest(method=method, statistic=f, df1=df1, df2=df2, p_value=f_tail(f, df1, df2))
