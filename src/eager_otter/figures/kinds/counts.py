"""Counts of the people in a row and column: weighted, and as they are."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import CellFigure, Cells, Computed
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class Count(CellFigure):
    """Σ weight of those in the row and the column."""

    name = said("count")
    other_words = ("n", "frequency", "freq", "weighted count", "counts")
    rank = 20
    sign = "n"
    head = said("Count")
    unit = "count"
    digits = "count"
    tested = "counts"
    of_moves = True

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Take the counts; in an empty column there is none."""
        return [(cells.answers.w + _empty(cells), None)]

    def moved(self, w: FloatArray, _base: FloatArray) -> FloatArray:
        """Take the weight of those who moved."""
        return w

    def working(self, cell: CellWorking) -> Built:
        """Show the sum."""
        return cell.counted("Σ weight of those in the row and the column", "w")


class UnweightedCount(CellFigure):
    """The number of those in the row and the column."""

    name = said("unweighted count")
    other_words = ("unweighted n", "raw count")
    rank = 30
    sign = said("n unw.")
    head = said("Count (unweighted)")
    unit = "count"
    digits = "whole"
    tested = "counts"
    of_moves = True

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Take the numbers of people; in an empty column there is none."""
        return [(cells.answers.n + _empty(cells), None)]

    def working(self, cell: CellWorking) -> Built:
        """Show the number."""
        return cell.counted("number of those in the row and the column", "n")


def _empty(cells: Cells) -> FloatArray:
    """Return NaN for columns in whose base nobody is, else 0: (1, columns)."""
    return np.where(cells.base.n > 0, 0.0, np.nan)


FIGURES = (Count(), UnweightedCount())
