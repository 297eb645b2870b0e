"""The working of one cell: what its figure rests on, and the formula with the numbers in it."""

from __future__ import annotations

import math

from eager_otter.core.means import moments
from eager_otter.core.quantiles import Cut
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.dataclass import dataclass

Built = tuple[
    str, str, tuple[tuple[str, float], ...]
]  # the formula, the same with numbers, the terms by name


def number(value: float) -> str:
    """Write a number with as many digits as working by hand needs.

    >>> number(30.927835051546392), number(412.0), number(0.00001234567)
    ('30.92783505', '412', '1.234567e-05')
    """
    if math.isnan(value):
        return "n/a"
    return f"{value:,.0f}" if value == round(value) and abs(value) < 1e15 else f"{value:.10g}"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class CellWorking:
    """The evidence of one cell: its `value`, and row `row` and column `at` of the sums behind it and of its base.

    `of` is what a percent is a percent of (NaN for other figures), `cut` where a quantile cuts the values, `level` the
    confidence percent of an interval; `above` holds the column percents of the rows from the top down to this one,
    `group` the places of the compared columns of its banner group.
    """

    value: float
    row: int
    at: int
    sums: Sums
    base: Sums
    of: float
    cut: Cut | None
    level: float
    above: tuple[float, ...]
    group: tuple[int, ...] = ()

    def total(self, name: str) -> float:
        """Take one sum of the cell: "n", "w" or "w2"."""
        return float(getattr(self.sums, name)[self.row, self.at])

    def total_of_base(self, name: str) -> float:
        """Take one sum of the column's base."""
        return float(getattr(self.base, name)[0, self.at])

    def moment(self, name: str) -> float:
        """Take one moment of the values in the cell: "mean", "variance" and so on."""
        assert isinstance(self.sums, ValueSums)
        return float(getattr(moments(self.sums), name)[self.row, self.at])

    def percent(self, column: int) -> float:
        """Compute the row's percent in a column counted."""
        return 100.0 * float(self.sums.w[self.row, column] / self.base.w[0, column])

    def worked(self, formula: str, pattern: str, **terms: float) -> Built:
        """Put numbers into a pattern; the result comes last."""
        text = pattern.format(**{name: number(term) for name, term in terms.items()})
        return formula, f"{text} = {number(self.value)}", tuple(terms.items())

    def counted(self, formula: str, name: str) -> Built:
        """Show one sum of the cell, which is the figure."""
        value = self.total(name)
        return formula, number(value), (("value", value),)
