"""P values from statistics: tails of the normal, Student's, chi-square and F distributions."""

from __future__ import annotations

from math import erfc, sqrt

import numpy as np

from eager_otter.core.arrays import FloatArray

_erfc = np.frompyfunc(erfc, 1, 1)


def two_sided_normal(z: FloatArray) -> FloatArray:
    """P = 2Φ(−|z|) = erfc(|z|/√2); NaN stays NaN.

    The error function is that of the mathematics library, as a table of percents then needs no more than this.
    """
    return np.asarray(_erfc(np.abs(z) / sqrt(2.0)), np.float64)


def two_sided_t(t: FloatArray, degrees: FloatArray) -> FloatArray:
    """P of Student's t on `degrees` of freedom; NaN where either is."""
    from scipy.special import stdtr

    return np.asarray(2.0 * stdtr(degrees, -np.abs(t)))


def chi_square_tail(chi: float, df: float) -> float:
    """P of a chi-square as large, on `df` degrees of freedom."""
    from scipy.special import chdtrc

    return float(chdtrc(df, chi))


def f_tail(f: float, df1: float, df2: float) -> float:
    """P of an F as large, on `df1` and `df2` degrees of freedom."""
    from scipy.special import fdtrc

    return float(fdtrc(df1, df2, f))
