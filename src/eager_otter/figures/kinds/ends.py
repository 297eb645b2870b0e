"""The smallest and the largest value."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Summary, Values
from eager_otter.figures.working import Built, CellWorking
from eager_otter.figures.working_of_values import in_words
from eager_otter.looks.words import said


class Smallest(Summary):
    """The smallest value in the column."""

    name = said("smallest")
    other_words = ("min", "minimum")
    rank = 280
    sign = said("min.")
    label = said("Smallest")
    difference = "none"

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Take the lower end of each column's values."""
        return [values.there(values.sums.lowest)]

    def working(self, cell: CellWorking) -> Built:
        """Say what it is."""
        return in_words(cell, "the smallest value")


class Largest(Summary):
    """The largest value in the column."""

    name = said("largest")
    other_words = ("max", "maximum")
    rank = 290
    sign = said("max.")
    label = said("Largest")
    difference = "none"

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Take the upper end of each column's values."""
        return [values.there(values.sums.highest)]

    def working(self, cell: CellWorking) -> Built:
        """Say what it is."""
        return in_words(cell, "the largest value")


FIGURES = (Smallest(), Largest())
