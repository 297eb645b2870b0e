"""Raking: weights that meet targets for several margins (iterative proportional fitting, Deming & Stephan 1940)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray
from eager_otter.dataclass import dataclass

MOST_ROUNDS = 1_000
CLOSE = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class Margin:
    """A margin: the category of each row (rows,) from 0, and the target share of each (categories,).

    The shares add up to 1; a category with share 0 holds nobody in the result.
    """

    categories: IntArray
    shares: FloatArray


@dataclass(frozen=True, slots=True, eq=False)
class Raked:
    """Weights (rows,) of mean 1 over respondents, how many rounds it took, and the worst miss of a share by margin.

    `met` is False where the targets could not be met: with a cap that is too low, or contradicting targets.
    """

    weights: FloatArray
    rounds: int
    misses: tuple[float, ...]
    met: bool


def rake(
    start: FloatArray,
    margins: Sequence[Margin],
    *,
    frequencies: FloatArray | None = None,
    cap: float | None = None,
) -> Raked:
    """Rake starting weights (rows,) > 0 to the margins.

    A row stands for `frequencies` (rows,) respondents, None for one each: so often its weight counts in the shares and
    the mean. With a `cap`, no weight exceeds cap × the mean weight: w = min(cap · mean, start · Π factors), the factors
    fitted with the cap in force (Deville & Särndal 1992, truncated). Converged when every share is met within 1e-9;
    gives up after 1,000 rounds. Raises ValueError for margins that are not as long as the start, or a cap below 1.

    >>> women = Margin(np.array([0, 0, 0, 1]), np.array([0.5, 0.5]))
    >>> rake(np.ones(4), [women]).weights.round(3).tolist()
    [0.667, 0.667, 0.667, 2.0]
    """
    times = np.ones_like(start) if frequencies is None else frequencies
    if any(margin.categories.size != start.size for margin in margins) or times.size != start.size:
        raise ValueError("A margin has another number of rows than the starting weights.")
    if cap is not None and cap < 1:
        raise ValueError("A cap below the mean weight cannot be kept.")
    people = float(times.sum())
    free = start * (people / (times * start).sum())
    limit = np.inf if cap is None else cap
    misses: tuple[float, ...] = ()
    for rounds in range(1, MOST_ROUNDS + 1):
        for margin in margins:
            free = free * _factors(free, margin, times, people, limit)[margin.categories]
        weights = np.minimum(free, limit)
        misses = tuple(_miss(weights, margin, times, people) for margin in margins)
        if max(misses, default=0.0) <= CLOSE:
            return Raked(weights * (people / (times * weights).sum()), rounds, misses, True)
    return Raked(np.minimum(free, limit), MOST_ROUNDS, misses, False)


def _miss(weights: FloatArray, margin: Margin, times: FloatArray, people: float) -> float:
    """Return the largest miss of a share; of all people, as capped weights that fall short no longer add up to them."""
    shares = np.bincount(margin.categories, times * weights, margin.shares.size) / people
    return float(np.abs(shares - margin.shares).max())


def _factors(free: FloatArray, margin: Margin, times: FloatArray, people: float, limit: float) -> FloatArray:
    """Return the factor of each category that brings its capped sum to its target."""
    wanted = margin.shares * people
    if np.isinf(limit):
        weighted = np.bincount(margin.categories, times * free, margin.shares.size)
        return np.divide(wanted, weighted, out=np.zeros_like(weighted), where=weighted > 0)
    inside = [margin.categories == k for k in range(margin.shares.size)]
    return np.array(
        [_capped_factor(free[here], times[here], wanted[k], limit) for k, here in enumerate(inside)]
    )


def _capped_factor(free: FloatArray, times: FloatArray, wanted: float, limit: float) -> float:
    """Solve Σ times · min(limit, g·free) = wanted for g; where even the cap for all is too little, come near it."""
    order = np.argsort(-free, kind="stable")
    order = order[free[order] > 0]
    ordered, often = free[order], times[order]
    if not ordered.size or wanted <= 0:
        return 0.0
    if wanted >= limit * often.sum():
        return float(limit / ordered[-1])
    capped = np.concatenate([[0.0], np.cumsum(often)[:-1]])  # how many of the largest are at the limit
    rest = np.cumsum((often * ordered)[::-1])[::-1]
    factors = (wanted - capped * limit) / rest
    fits = (factors >= 0) & (factors * ordered <= limit * (1 + 1e-12))
    return float(factors[np.flatnonzero(fits)[0]])
