"""Intervals of the median and other quantiles, after Woodruff (1952)."""

from __future__ import annotations

import re
from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray, effective_base
from eager_otter.figures.figure import LineFigure, ValueFigure, Values
from eager_otter.figures.working import Built, CellWorking, number
from eager_otter.looks.words import Words, said

NAME = re.compile(r"percentile (\d{1,2}(?:\.\d+)?) interval")


class End(LineFigure):
    """One end of the interval: the quantile at the share q ± z√(q(1 − q)/e), e the effective number of values."""

    source = "values"
    tested = "never"
    difference = "none"
    has_level = True
    note = said(
        "Intervals of medians and other quantiles: the quantiles at the ends of an interval of their share (Woodruff)."
    )

    def __init__(self, name: str, share: float, label: str, *, lower: bool) -> None:
        self.name, self.share, self.label, self.lower = name, share, label, lower
        self.sign = said("from") if lower else said("to")

    def label_in(self, words: Words, level: float | None = None) -> str:
        """Say the label of its row."""
        percent = {"percent": 100.0 * self.share} if "{percent}" in self.label else {}
        return words(self.label, level=level or 95.0, **percent)

    def shares(self, effective: FloatArray, level: float) -> FloatArray:
        """Return the shares at which the values are cut, NaN where they are not between 0 and 1."""
        from scipy.special import ndtri

        z = float(ndtri(0.5 + level / 200.0))
        with np.errstate(divide="ignore", invalid="ignore"):
            half = z * np.sqrt(self.share * (1.0 - self.share) / effective)
        shares = self.share - half if self.lower else self.share + half
        return np.where((shares > 0.0) & (shares < 1.0), shares, np.nan)

    def working(self, cell: CellWorking) -> Built:
        """Say at which share the values are cut."""
        effective = cell.moment("effective")
        share = float(self.shares(np.array(effective), cell.level))
        formula = (
            f"the quantile at the share q {self.sign_of_half} z √(q (1 − q)/e) (Woodruff 1952), "
            f"q {number(self.share)}, e the effective number of values, z for {cell.level:g} %"
        )
        return formula, "", (("share", share), ("effective", effective))

    def also(self, cell: CellWorking) -> str:
        """Compute the share."""
        effective, q = cell.moment("effective"), number(self.share)
        share = float(self.shares(np.array(effective), cell.level))
        z = number(abs(share - self.share) / (self.share * (1.0 - self.share) / effective) ** 0.5)
        half = f"{z} × √({q} × (1 − {q}) / {number(effective)})"
        return f"share: {q} {self.sign_of_half} {half} = {number(share)}"

    @property
    def sign_of_half(self) -> str:
        """The sign with which half the interval of the share is taken."""
        return "−" if self.lower else "+"


class QuantileInterval(ValueFigure):
    """Both ends of the interval of a quantile."""

    of_cells = False
    ends: tuple[End, ...] = ()

    def __init__(self, name: str, share: float, low: str, high: str, rank: int = 0) -> None:
        self.name, self.rank = name, rank
        self.ends = (
            End(f"{name} low", share, low, lower=True),
            End(f"{name} high", share, high, lower=False),
        )

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Cut the values of each column at the ends of the interval of the share."""
        effective = effective_base(values.sums.w, values.sums.w2)[0]
        return [self._cut(values, end.shares(effective, values.level)) for end in self.ends]

    def _cut(self, values: Values, shares: FloatArray) -> FloatArray:
        return np.array([cut.value for cut in values.cut(shares)])


def interval_called(name: str) -> QuantileInterval | None:
    """Make the interval of a percentile by its name; None for other names."""
    written = NAME.fullmatch(name)
    if written is None or float(written[1]) <= 0:
        return None
    return QuantileInterval(
        name,
        float(written[1]) / 100.0,
        said("{level} % interval of percentile {percent}, from"),
        said("{level} % interval of percentile {percent}, to"),
    )


FIGURES = (
    QuantileInterval(
        "median interval",
        0.5,
        said("{level} % interval of the median, from"),
        said("{level} % interval of the median, to"),
        275,
    ),
    QuantileInterval(
        "lower quartile interval",
        0.25,
        said("{level} % interval of the lower quartile, from"),
        said("{level} % interval of the lower quartile, to"),
        276,
    ),
    QuantileInterval(
        "upper quartile interval",
        0.75,
        said("{level} % interval of the upper quartile, from"),
        said("{level} % interval of the upper quartile, to"),
        277,
    ),
)
OTHERS = interval_called
