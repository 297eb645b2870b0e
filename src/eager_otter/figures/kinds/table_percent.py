"""Table percent: of everybody in the Total."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, ratio
from eager_otter.figures.figure import Cells, Percent
from eager_otter.looks.words import said


class TablePercent(Percent):
    """100 × weighted count / weighted base of the Total."""

    name = said("table percent")
    other_words = ("table %", "total %", "total percent", "cell percent")
    rank = 50
    sign = said("table %")
    needs_total = True
    of_moves = True
    of_what = "weighted base of the Total"
    note = said("table %: percent of the Total's base.")

    def base_of(self, cells: Cells) -> FloatArray:
        """Return the Total's base."""
        base = cells.base.w
        return np.broadcast_to(base[:, :1], base.shape)

    def moved(self, w: FloatArray, base: FloatArray) -> FloatArray:
        """Of everybody in the table."""
        return ratio(100.0 * w, base[:1])


FIGURES = (TablePercent(),)
