"""Column percent: of everybody in the base and the column."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray, ratio
from eager_otter.figures.figure import Cells, Percent
from eager_otter.looks.words import said


class ColumnPercent(Percent):
    """100 × weighted count / weighted base of the column; the percent that is tested."""

    name = said("column percent")
    other_words = ("column %", "col %", "column pct", "percent", "%")
    rank = 10
    sign = "%"
    head = said("Percent")
    tested = "shares"
    of_moves = True
    of_what = "weighted base of the column"

    def base_of(self, cells: Cells) -> FloatArray:
        """Return the column's base."""
        return cells.base.w

    def moved(self, w: FloatArray, base: FloatArray) -> FloatArray:
        """Of everybody in the column."""
        return ratio(100.0 * w, base)


FIGURES = (ColumnPercent(),)
