"""Score: the difference of two percents, as a mean of +100, 0 and −100."""

from __future__ import annotations

from eager_otter.figures.figure import LineFigure
from eager_otter.figures.working import Built, CellWorking
from eager_otter.figures.working_of_values import mean, variance
from eager_otter.looks.words import said


class Score(LineFigure):
    """100 × (weight of plus − weight of minus) / Σ weight, over those with a score; tested as a mean."""

    name = "difference"
    called = said("score")
    sign = said("score")
    digits = "percent"
    source = "values"
    tested = "means"
    drawn_alone = True
    of_score = True

    def working(self, cell: CellWorking) -> Built:
        """Show both weights over all."""
        return mean(cell, "100 × (weight of plus − weight of minus)")

    def also(self, cell: CellWorking) -> str:
        """Compute the variance, which the test takes."""
        return variance(cell)


LINES = (Score(),)
