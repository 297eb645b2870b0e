"""Means: of values or scores, and of the number of mentions."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Summary, Values
from eager_otter.figures.working import Built, CellWorking
from eager_otter.figures.working_of_values import mean, variance
from eager_otter.looks.words import said


class Mean(Summary):
    """Σ weight × value / Σ weight, over those with a value."""

    name = said("mean")
    other_words: tuple[str, ...] = ("average", "avg", "mean score", "arithmetic mean")
    rank = 210
    sign = said("mean")
    label = said("Mean")
    tested = "means"
    drawn_alone = True

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Take the mean of each column."""
        return [values.moments.mean[0]]

    def working(self, cell: CellWorking) -> Built:
        """Show the sum of values over that of weights."""
        return mean(cell, "Σ weight × value")

    def also(self, cell: CellWorking) -> str:
        """Compute the variance, which the test takes."""
        return variance(cell)


class MeanMentions(Mean):
    """The mean number of mentions, 0 for those who named none."""

    name = said("mean mentions")
    other_words = ("average mentions", "mentions per respondent")
    rank = 310
    label = said("Mentions per respondent")
    drawn_alone = False
    of_mentions = True
    of_cells = False


FIGURES = (Mean(), MeanMentions())
