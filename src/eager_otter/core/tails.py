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
    """P = I(ν/(ν + t²); ν/2, 1/2) of Student's t on ν `degrees` of freedom; NaN where either is, or ν is not above 0.

    Made here, as that of the normal. With v = ν/2·ln((ν + u²)/(ν + t²)), the integral of the density over all u above
    |t| is one of e^−v/√(t² − ν·expm1(−2v/ν)) over v from 0, which the double exponential rule adds up (Takahasi and
    Mori 1974, Publications of the Research Institute for Mathematical Sciences 9); near 0, a series is (DLMF 8.17.8).
    """
    size, free = np.broadcast_arrays(np.abs(np.asarray(t, np.float64)), np.asarray(degrees, np.float64))
    p = np.full(size.shape, np.nan)
    endless = np.isinf(free)
    p[endless] = two_sided_normal(size[endless])
    known = (free > 0.0) & ~endless
    near = known & (size < NEAR_T) & (size < np.sqrt(np.maximum(free, 0.0)))
    p[near] = 1.0 - _central_t(size[near], free[near])
    for rule, within in ((BELOW_FAR_T, size < FAR_T), (FROM_FAR_T, size >= FAR_T)):
        places = np.flatnonzero(known & ~near & within)
        for some in np.split(places, range(T_AT_ONCE, places.size, T_AT_ONCE)):
            p.flat[some] = _tails_of_t(size.flat[some], free.flat[some], rule)
    return p


def _double_exponential(first: int, last: int, step: float) -> FloatArray:
    """Return the nodes v of a rule for ∫₀^∞ e^−v·f(v) dv, and their weights: (2, nodes)."""
    x = np.arange(first, last + 1) * step
    nodes = np.exp(x - np.exp(-x))
    return np.stack([nodes, step * nodes * (1.0 + np.exp(-x)) * np.exp(-nodes)])


NEAR_T = 0.1  # below it, the integrand over the tail has a singularity too near
FAR_T = 1.0  # from it on, fewer nodes do
BELOW_FAR_T, FROM_FAR_T = _double_exponential(-43, 38, 0.1), _double_exponential(-22, 23, 1 / 6)
T_AT_ONCE = 1_000
LARGEST_T = 1e150  # its square is a number
# of Γ(z + 1/2)/Γ(z) = √z·(1 − 1/8z + 1/128z² + …) for large z: DLMF 5.11.13
GAMMA_RATIO = (
    869 / 4194304, -399 / 262144, -21 / 32768, 5 / 1024, 1 / 128, -1 / 8, 1.0,
)  # fmt: skip
LARGE_Z = 40.0


def _tails_of_t(t: FloatArray, free: FloatArray, rule: FloatArray) -> FloatArray:
    """Return both tails beyond t (tests,) by a rule of nodes and weights."""
    nodes, weights = rule
    square, nu = np.minimum(t, LARGEST_T) ** 2, free[:, None]
    sums = (weights / np.sqrt(square[:, None] - nu * np.expm1(-2.0 * nodes / nu))).sum(axis=1)
    both = 2.0 * _density_at_zero(free) * np.exp((1.0 - free) / 2.0 * np.log1p(square / free)) * sums
    return np.asarray(np.where(np.isinf(t), 0.0, both))


def _central_t(t: FloatArray, free: FloatArray) -> FloatArray:
    """Return what lies between −t and t, both (tests,), t² < ν: all terms are above 0, and fall by half and more."""
    share, half = t**2 / (free + t**2), (free + 1.0) / 2.0
    term = total = np.ones_like(t)
    k = 0
    while bool((term > 1e-17 * total).any()):
        term = term * share * (half + k) / (1.5 + k)
        total = total + term
        k += 1
    return np.asarray(2.0 * t * _density_at_zero(free) * np.exp(-half * np.log1p(t**2 / free)) * total)


def _density_at_zero(free: FloatArray) -> FloatArray:
    """Return Γ((ν + 1)/2)/(√(πν)·Γ(ν/2)): (tests,)."""
    z = free / 2.0
    factor = np.ones_like(z)
    while bool((small := z < LARGE_Z).any()):
        factor = np.where(small, factor * z / (z + 0.5), factor)
        z = np.where(small, z + 1.0, z)
    return np.asarray(factor * np.sqrt(z / (np.pi * free)) * np.polyval(GAMMA_RATIO, 1.0 / z))


def chi_square_tail(chi: float, df: float) -> float:
    """P of a chi-square as large, on `df` degrees of freedom."""
    from scipy.special import chdtrc

    return float(chdtrc(df, chi))


def f_tail(f: float, df1: float, df2: float) -> float:
    """P of an F as large, on `df1` and `df2` degrees of freedom."""
    from scipy.special import fdtrc

    return float(fdtrc(df1, df2, f))
