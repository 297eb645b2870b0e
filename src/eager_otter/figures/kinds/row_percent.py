"""Row percent: of everybody in the base who gave the row's answer."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Cells, Percent
from eager_otter.looks.words import said


class RowPercent(Percent):
    """100 × weighted count / weighted count of the row in the Total."""

    name = said("row percent")
    other_words = ("row %", "row pct")
    rank = 40
    sign = said("row %")
    needs_total = True
    of_moves = True
    of_what = "weighted count of the row in the Total"
    note = said(
        "row %: percent of all in the base who gave the row's answer; columns that leave people out do not add to 100."
    )

    def base_of(self, cells: Cells) -> FloatArray:
        """Each row's count in the Total."""
        w = cells.answers.w
        return np.broadcast_to(w[:, :1], w.shape)


FIGURES = (RowPercent(),)
