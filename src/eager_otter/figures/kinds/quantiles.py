"""Median, quartiles and percentiles (Hyndman & Fan 1996, type 2)."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.core.quantiles import Cut
from eager_otter.figures.figure import Summary, Values
from eager_otter.figures.working import Built, CellWorking, number
from eager_otter.looks.words import Words, counted, said

PERCENTILE = re.compile(r"percentile (\d{1,2}(?:\.\d+)?)")


class Quantile(Summary):
    """The first value whose cumulated share of weight exceeds `share`; the midpoint of it and the next at equality."""

    share: float = 0.5
    of_cells = False
    note = said(
        "Medians and other quantiles are the first value whose cumulated share of weight exceeds theirs, or the "
        "midpoint of it and the next where it equals it."
    )

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Cut the values of each column."""
        return [np.array([cut.value for cut in self.cuts(values)])]

    def cuts(self, values: Values) -> tuple[Cut, ...]:
        """Return where it cuts the values of each column."""
        return values.cuts(self.share)

    def working(self, cell: CellWorking) -> Built:
        """Show where it cuts the values: those around it with their cumulated shares of weight."""
        cut = cell.cut
        assert cut is not None
        formula = (
            f"values in rising order, weights cumulated: the first value whose cumulated share exceeds {self.share:g}, "
            "or the midpoint of it and the next where it equals it"
        )
        worked = f"({number(cut.at)} + {number(cut.above)}) / 2 = {number(cut.value)}" if cut.middle else ""
        terms = {
            "below": cut.below,
            "share_below": cut.share_below,
            "at": cut.at,
            "share": cut.share,
            "above": cut.above,
        }
        return formula, worked, tuple((name, value) for name, value in terms.items() if not math.isnan(value))

    def also(self, cell: CellWorking) -> str:
        """Return the values around the cut, with their cumulated shares of weight."""
        cut = cell.cut
        assert cut is not None
        parts = [f"{counted(round(cell.total('n')), 'value')} of weight {number(cell.total('w'))}"]
        if not math.isnan(cut.below):
            parts.append(f"cumulated share {number(cut.share_below)} up to {number(cut.below)}")
        parts.append(f"{number(cut.share)} up to {number(cut.at)}")
        if not math.isnan(cut.above):
            parts.append(f"the next value is {number(cut.above)}")
        return ", ".join(parts)


class Median(Quantile):
    """The quantile of one half."""

    name = said("median")
    other_words = ("50th percentile",)
    rank = 250
    sign = said("median")
    label = said("Median")
    share = 0.5
    tested = "medians"


class LowerQuartile(Quantile):
    """The quantile of one quarter."""

    name = said("lower quartile")
    other_words = ("q1", "first quartile", "25th percentile")
    rank = 260
    sign = said("q 25")
    label = said("Lower quartile")
    share = 0.25


class UpperQuartile(Quantile):
    """The quantile of three quarters."""

    name = said("upper quartile")
    other_words = ("q3", "third quartile", "75th percentile")
    rank = 270
    sign = said("q 75")
    label = said("Upper quartile")
    share = 0.75


class Percentile(Quantile):
    """Any percentile, named by its number: "percentile 90"."""

    def __init__(self, name: str, percent: float) -> None:
        self.name, self.percent, self.share = name, percent, percent / 100.0
        self.label = f"Percentile {percent:g}"

    def sign_in(self, words: Words, level: float | None = None) -> str:
        """Say its short sign, with the number as the language writes it."""
        return words.number(self.name.replace("percentile", "p"))

    def label_in(self, words: Words, level: float | None = None) -> str:
        """Say the label of its row."""
        return words("Percentile {percent}", percent=self.percent)


def percentile_called(name: str) -> Percentile | None:
    """Make the percentile of a name; None for other names, and for a percentile of 0."""
    written = PERCENTILE.fullmatch(name)
    return None if written is None or float(written[1]) <= 0 else Percentile(name, float(written[1]))


FIGURES = (Median(), LowerQuartile(), UpperQuartile())
OTHERS = percentile_called
