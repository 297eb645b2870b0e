"""Percent of an outer head: of everybody under the same head of a nested banner."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Asked, Cells, Percent
from eager_otter.looks.words import said


class PercentOfOuter(Percent):
    """100 × weighted count / weighted base under the outer head."""

    name = said("percent of outer")
    rank = 100
    sign = said("% of head")
    setting = "outer level"
    needs_total = True
    of_what = "weighted base under the outer head"
    note = said(
        "% of head: percent of everybody under the same outer head; a column under none is its own head."
    )

    def base_of(self, cells: Cells) -> FloatArray:
        """Return the base of the outer head that each column is under."""
        return np.asarray(cells.base.w[:, cells.outer_columns()])

    def _not_of(self, asked: Asked) -> str:
        reason = super()._not_of(asked)
        return reason or ("" if asked.nested_banner else "it needs a nested banner")


FIGURES = (PercentOfOuter(),)
