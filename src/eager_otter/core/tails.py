"""P values from statistics: tails of the normal, Student's, chi-square and F distributions."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray

# erfc by rational approximations of Cody (1969), Mathematics of Computation 23: numerators and denominators, highest
# power first, of x² for small x, of x, and of 1/x² for large x
SMALL, LARGE = 0.46875, 4.0  # where one approximation ends and the next begins
NEAR = (
    (1.85777706184603153e-1, 3.16112374387056560, 1.13864154151050156e2, 3.77485237685302021e2, 3.20937758913846947e3),
    (1.0, 2.36012909523441209e1, 2.44024637934444173e2, 1.28261652607737228e3, 2.84423683343917062e3),
)  # fmt: skip
MIDDLE = (
    (2.15311535474403846e-8, 5.64188496988670089e-1, 8.88314979438837594, 6.61191906371416295e1, 2.98635138197400131e2,
     8.81952221241769090e2, 1.71204761263407058e3, 2.05107837782607147e3, 1.23033935479799725e3),
    (1.0, 1.57449261107098347e1, 1.17693950891312499e2, 5.37181101862009858e2, 1.62138957456669019e3,
     3.29079923573345963e3, 4.36261909014324716e3, 3.43936767414372164e3, 1.23033935480374942e3),
)  # fmt: skip
FAR = (
    (1.63153871373020978e-2, 3.05326634961232344e-1, 3.60344899949804439e-1, 1.25781726111229246e-1,
     1.60837851487422766e-2, 6.58749161529837803e-4),
    (1.0, 2.56852019228982242, 1.87295284992346725, 5.27905102951428412e-1, 6.05183413124413191e-2,
     2.33520497626869185e-3),
)  # fmt: skip


def two_sided_normal(z: FloatArray) -> FloatArray:
    """P = 2Φ(−|z|) = erfc(|z|/√2); NaN stays NaN.

    Made here, so that a table of percents needs no library of special functions.
    """
    x = np.atleast_1d(np.abs(np.asarray(z, np.float64)) / np.sqrt(2.0))
    p = np.full(x.shape, np.nan)
    near, far = x <= SMALL, x > LARGE
    middle = (x > SMALL) & ~far
    p[near] = 1.0 - x[near] * _ratio(NEAR, x[near] ** 2)
    p[middle] = _falling(x[middle]) * _ratio(MIDDLE, x[middle])
    large = np.minimum(x[far], 40.0)  # beyond it P is 0
    inverse = 1.0 / large**2
    p[far] = _falling(large) * (1.0 / np.sqrt(np.pi) - inverse * _ratio(FAR, inverse)) / large
    return np.asarray(p.reshape(np.shape(z)))


def _ratio(polynomials: tuple[tuple[float, ...], tuple[float, ...]], x: FloatArray) -> FloatArray:
    above, below = polynomials
    return np.asarray(np.polyval(above, x) / np.polyval(below, x))


def _falling(x: FloatArray) -> FloatArray:
    """Return exp(−x²), whose square is taken in two parts so that large x cost no digits."""
    whole = np.trunc(x * 16.0) / 16.0
    return np.asarray(np.exp(-whole * whole) * np.exp(-(x - whole) * (x + whole)))


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
