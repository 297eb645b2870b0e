"""Interval of the column percent minus that of a column named, after Newcombe (1998, method 10)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import effective_base
from eager_otter.core.intervals import difference_interval, overlap_correlation, wilson_interval
from eager_otter.core.proportions import shares
from eager_otter.figures.figure import AnswerFigure, Cells, Computed, LineFigure
from eager_otter.figures.working import Built, CellWorking
from eager_otter.figures.working_of_values import in_words
from eager_otter.looks.words import said


class End(LineFigure):
    """One end of the interval."""

    unit = "points"
    digits = "percent"
    difference = "none"
    has_level = True
    which = ""

    def working(self, cell: CellWorking) -> Built:
        """Say what it is the end of."""
        return in_words(
            cell, f"{self.which} end of Newcombe's interval of the percent minus that of the column named"
        )


class Low(End):
    """The lower end."""

    name = said("difference interval low")
    sign = said("± {level} % from")
    which = "lower"
    note = said("± {level} % from, to: interval of the difference from {column} after Newcombe, in points.")


class High(End):
    """The upper end."""

    name = said("difference interval high")
    sign = said("± {level} % to")
    which = "upper"


class DifferenceInterval(AnswerFigure):
    """Both ends, from Wilson's intervals of both percents, with the correlation of columns that share people."""

    name = "difference interval"
    rank = 140
    setting = "difference from"
    needs_total = True
    ends = (Low(), High())

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Find both ends of each difference; the column named has none from itself."""
        base, beside = cells.base, cells.beside
        assert beside is not None
        place = cells.column_named()
        columns = np.arange(base.w.shape[1])
        named = np.full(columns.size, place)
        share = shares(cells.answers, base)
        overlap = overlap_correlation(base, beside.w2[0], columns, named)
        ends = wilson_interval(share, effective_base(base.w, base.w2), cells.level)
        low, high = difference_interval(share, ends, columns, named, overlap)
        low[:, place] = high[:, place] = np.nan
        return [(100.0 * low, None), (100.0 * high, None)]


FIGURES = (DifferenceInterval(),)
