"""Tests of several items of the same people: Cochran's Q of yes/no items, Cronbach's alpha of scales."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.association import WholeTableTest
from eager_otter.core.tails import chi_square_tail
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, eq=False)
class YesNoItems:
    """Yes/no items of those who answered all: `yes` (items,) counts who said yes to each item, `people` all of them.

    `squares` is the sum over people of the square of how many items they said yes to; `lightest` and `heaviest` are the
    ends of the weights of all who were counted.
    """

    yes: FloatArray
    people: float
    squares: float
    lightest: float = 1.0
    heaviest: float = 1.0

    def __add__(self, other: YesNoItems) -> YesNoItems:
        """Add other people."""
        return YesNoItems(
            yes=self.yes + other.yes,
            people=self.people + other.people,
            squares=self.squares + other.squares,
            lightest=min(self.lightest, other.lightest),
            heaviest=max(self.heaviest, other.heaviest),
        )

    @property
    def weighted(self) -> bool:
        """Whether weights differ."""
        return self.heaviest > self.lightest

    @property
    def testable(self) -> bool:
        """Whether there are two items, answered by somebody."""
        return bool(self.yes.size >= 2 and self.people > 0)


@dataclass(frozen=True, eq=False)
class ScaleItems:
    """Scales of those with a score in each: variances of the `items` (items,) and of their `total`, and `people`.

    They are weighted; factors that all share, as n/(n − 1), leave alpha as it is. `weight` is Σw, `means` (items,) are
    those of the items.
    """

    items: FloatArray
    total: float
    people: float
    weight: float
    means: FloatArray

    def __add__(self, other: ScaleItems) -> ScaleItems:
        """Add other people (Chan, Golub & LeVeque 1983)."""
        weight = self.weight + other.weight
        if not self.weight or not other.weight:
            return self if self.weight else other
        mine, theirs = self.weight / weight, other.weight / weight
        gap = other.means - self.means
        return ScaleItems(
            items=mine * self.items + theirs * other.items + mine * theirs * gap**2,
            total=mine * self.total + theirs * other.total + mine * theirs * float(gap.sum()) ** 2,
            people=self.people + other.people,
            weight=weight,
            means=self.means + theirs * gap,
        )

    @property
    def testable(self) -> bool:
        """Whether there are two items, answered by somebody."""
        return bool(self.items.size >= 2 and self.people > 0)


def yes_no_items(
    yes: BoolArray, answered: BoolArray, weights: FloatArray | None, frequencies: FloatArray | None
) -> YesNoItems:
    """Add up yes/no items: `yes` and `answered` (items, respondents); the others (respondents,) or None for 1 each."""
    complete = answered.all(axis=0)
    times = np.ones(complete.size) if frequencies is None else frequencies
    times = np.where(complete, times, 0.0)
    of_person = yes.sum(axis=0)
    ends = (1.0, 1.0)
    if weights is not None:
        ends = float(weights.min(initial=np.inf)), float(weights.max(initial=-np.inf))
    return YesNoItems(
        yes=np.asarray(yes @ times),
        people=float(times.sum()),
        squares=float((times * of_person**2).sum()),
        lightest=ends[0],
        heaviest=ends[1],
    )


def scale_items(scores: FloatArray, weights: FloatArray | None, frequencies: FloatArray | None) -> ScaleItems:
    """Add up scales: `scores` (items, respondents), NaN where a respondent has none; others (respondents,)."""
    complete = ~np.isnan(scores).any(axis=0)
    times = np.ones(complete.size) if frequencies is None else frequencies
    w = (times if weights is None else weights * times)[complete]
    s = scores[:, complete]
    if not w.sum() > 0:
        return ScaleItems(np.zeros(len(scores)), 0.0, 0.0, 0.0, np.zeros(len(scores)))
    means = s @ w / w.sum()
    away = s - means[:, None]
    return ScaleItems(
        items=np.asarray((away**2) @ w / w.sum()),
        total=float((away.sum(axis=0) ** 2) @ w / w.sum()),
        people=float(times[complete].sum()),
        weight=float(w.sum()),
        means=np.asarray(means),
    )


def cochrans_q(items: YesNoItems, method: str) -> WholeTableTest:
    """Test whether the items have the same share of yes (Cochran 1950), unweighted, over those who answered all.

    Q = (k − 1)(k Σ C² − T²)/(k T − Σ R²) on k − 1 degrees of freedom, C by item, R by person, T all yes. NaN where
    nobody's answers differ.
    """
    k, total = float(items.yes.size), float(items.yes.sum())
    spread = k * total - items.squares
    if not spread > 0:
        return WholeTableTest(method=method, statistic=float("nan"))
    q = (k - 1.0) * (k * float((items.yes**2).sum()) - total**2) / spread
    return WholeTableTest(method=method, statistic=q, df1=k - 1.0, p_value=chi_square_tail(q, k - 1.0))


def cronbachs_alpha(items: ScaleItems) -> float:
    """Return k/(k − 1) · (1 − Σ v_item / v_sum) (Cronbach 1951); NaN for one item or a sum that does not vary."""
    k = float(items.items.size)
    if k < 2 or not items.total > 1e-24 * max(1.0, float(items.items.sum())):
        return float("nan")
    return k / (k - 1.0) * (1.0 - float(items.items.sum()) / items.total)
