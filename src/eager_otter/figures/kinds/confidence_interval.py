"""Confidence interval of a mean: m ± t · standard error, on e − 1 degrees of freedom."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.core.arrays import FloatArray
from eager_otter.core.intervals import mean_difference_interval
from eager_otter.core.means import confidence_interval, mean_gaps, test_means
from eager_otter.figures.figure import LineFigure, ValueFigure, Values
from eager_otter.figures.kinds.deviations import NOTE
from eager_otter.figures.working import Built, CellWorking, number
from eager_otter.looks.words import said


class End(LineFigure):
    """One end of the interval."""

    source = "values"
    tested = "never"
    difference = "own"
    has_level = True
    plus = ""

    def working(self, cell: CellWorking) -> Built:
        """Show mean, t and error."""
        mean, error = cell.moment("mean"), cell.moment("standard_error")
        degrees = number(cell.moment("effective") - 1.0)
        return cell.worked(
            f"mean {self.plus} t × standard error, t on {degrees} degrees of freedom",
            f"{{mean}} {self.plus} {{t}} × {{error}}",
            mean=mean,
            t=abs(cell.value - mean) / error,
            error=error,
        )


class Low(End):
    """The lower end."""

    name = said("interval low")
    sign = said("from")
    label = said("{level} % interval of the mean, from")
    plus = "−"
    note = NOTE


class High(End):
    """The upper end."""

    name = said("interval high")
    sign = said("to")
    label = said("{level} % interval of the mean, to")
    plus = "+"


class ConfidenceInterval(ValueFigure):
    """Both ends; in a column that shows a difference of two means, those of the difference."""

    name = "confidence interval"
    other_words = ("ci", "interval")
    rank = 240
    ends = (Low(), High())

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Find both ends of each mean, and of the difference in a column that shows one."""
        low, high = (end[0] for end in confidence_interval(values.moments, values.level))
        if len(values.pairs):
            tests = test_means(values.sums, values.pairs, values.shared(values.pairs), values.means)
            low[values.places], high[values.places] = mean_difference_interval(
                mean_gaps(values.sums, values.pairs)[0], tests.error[0], tests.degrees[0], values.level
            )
        return [low, high]


FIGURES = (ConfidenceInterval(),)
