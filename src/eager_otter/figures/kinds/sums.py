"""Sums: of values, of mentions, and of respondents."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Summary, Values
from eager_otter.figures.working import Built, CellWorking, number
from eager_otter.looks.words import said


class Sum(Summary):
    """Σ weight × value."""

    name = said("sum")
    other_words: tuple[str, ...] = ("total", "sum of values")
    rank = 300
    sign = said("sum")
    label = said("Sum")

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Multiply the mean of each column by its weight."""
        return [values.moments.mean[0] * values.sums.w[0]]

    def working(self, cell: CellWorking) -> Built:
        """Show the sum."""
        value = cell.moment("mean") * cell.total("w")
        return "Σ weight × value", number(value), (("value", value),)


class Mentions(Sum):
    """The weighted number of mentions."""

    name = said("mentions")
    other_words = ("responses", "total mentions", "number of mentions")
    rank = 320
    sign = "n"
    label = said("Mentions")
    digits = "count"
    tested = ""
    of_mentions = True
    of_cells = False


class Respondents(Summary):
    """The weighted number of those in the base."""

    name = said("respondents")
    rank = 330
    sign = "n"
    label = said("Respondents")
    digits = "count"
    tested = ""
    of_mentions = True
    of_cells = False

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Take the weight of each column; where nobody is, there is none."""
        return [np.where(values.sums.n[0] > 0, values.sums.w[0], np.nan)]

    def working(self, cell: CellWorking) -> Built:
        """Show the sum of weights."""
        return cell.counted("Σ weight of those in the base and the column", "w")


FIGURES = (Sum(), Mentions(), Respondents())
