"""Percent of an answer: of those in the column who gave a certain answer, or are in a net."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Cells, Percent
from eager_otter.looks.words import said


class PercentOfAnswer(Percent):
    """100 × weighted count / weighted count of the answer named."""

    name = said("percent of answer")
    rank = 90
    sign = said("% of row")
    setting = "percent of"
    of_what = "weighted count of the answer named"
    note = said("% of row: percent of those in the column who gave {answer}.")

    def base_of(self, cells: Cells) -> FloatArray:
        """Return the count of the answer named."""
        return cells.answers.w[[cells.answer_named()]]


FIGURES = (PercentOfAnswer(),)
