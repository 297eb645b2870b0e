"""Standard deviation of the values, and standard error of their mean."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Summary, Values
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said

NOTE = said(
    "Deviations are of the weighted values, times n / (n − 1) with n the unweighted number of values."
)


class StandardDeviation(Summary):
    """√v, v = Σ weight × (value − mean)² / Σ weight × n / (n − 1), n the unweighted number of values."""

    name = said("standard deviation")
    other_words = ("sd", "std", "stdev", "stddev", "st dev", "std dev", "deviation")
    rank = 220
    sign = said("s.d.")
    label = said("Standard deviation")
    difference = "none"
    note = NOTE

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Take the deviation of each column."""
        return [values.moments.standard_deviation[0]]

    def working(self, cell: CellWorking) -> Built:
        """Show the squares, weights and numbers of values."""
        n, w = cell.total("n"), cell.total("w")
        return cell.worked(
            "√( Σ weight × (value − mean)² / Σ weight × n / (n − 1) )",
            "√( {squares} / {weights} × {n} / {less} )",
            squares=cell.moment("variance") * w * (n - 1.0) / n,
            weights=w,
            n=n,
            less=n - 1.0,
        )


class StandardError(Summary):
    """√(v / e), e the effective number of values."""

    name = said("standard error")
    other_words = ("se", "stderr", "std error", "std err")
    rank = 230
    sign = said("s.e.")
    label = said("Standard error")
    difference = "none"
    note = NOTE

    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Take the error of each column's mean."""
        return [values.moments.standard_error[0]]

    def working(self, cell: CellWorking) -> Built:
        """Show the deviation and the effective number of values."""
        return cell.worked(
            "standard deviation / √ effective number of values",
            "{deviation} / √{effective}",
            deviation=cell.moment("standard_deviation"),
            effective=cell.moment("effective"),
        )


FIGURES = (StandardDeviation(), StandardError())
