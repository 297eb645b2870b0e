"""Percent of answered: of those in the column who answered, where the base holds others too."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import CellRow, Cells, Percent
from eager_otter.looks.words import said


class PercentOfAnswered(Percent):
    """100 × weighted count / weighted number of those who answered."""

    name = said("percent of answered")
    rank = 80
    sign = said("% of answered")
    of_what = "weighted number of those who answered"
    note = said("% of answered: percent of those who answered.")

    def base_of(self, cells: Cells) -> FloatArray:
        """Return the column's base without those who gave no answer."""
        return cells.base.w - cells.unanswered

    def has(self, row: CellRow) -> bool:
        """Rows of no answer have none."""
        return not row.no_answer


FIGURES = (PercentOfAnswered(),)
