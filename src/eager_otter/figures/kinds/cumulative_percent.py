"""Cumulative percent: column percents added up from the top, in the order shown."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Asked, CellRow, Cells, Computed, Percent
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class CumulativePercent(Percent):
    """The sum of the column percents of the answers from the top down to the row."""

    name = said("cumulative percent")
    other_words = ("cumulative %", "cum %", "cum percent")
    rank = 70
    sign = said("cum. %")
    note = said("cum. %: percents added up from the top.")

    def base_of(self, cells: Cells) -> FloatArray:
        """Return the column's base, as of the percents that are added up."""
        return cells.base.w

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Add up the percents of the answers shown, from the top."""
        added = np.full_like(cells.percents, np.nan)
        running = np.zeros(added.shape[1])
        for row in cells.rows_shown():
            if self.has(row):
                running = running + cells.percents[row.source]
                added[row.source] = running
        return [(added, self.base_of(cells))]

    def has(self, row: CellRow) -> bool:
        """Answers have it: a net would count its members twice."""
        return row.kind == "answer"

    def working(self, cell: CellWorking) -> Built:
        """Show the percents that are added up."""
        terms = {f"percent_{k}": value for k, value in enumerate(cell.above, 1)}
        pattern = " + ".join(f"{{{name}}}" for name in terms)
        return cell.worked("sum of the column percents from the top", pattern, **terms)

    def _not_of(self, asked: Asked) -> str:
        if asked.question.is_of.several:
            return "answers that several can be given of do not add up"
        return super()._not_of(asked)


FIGURES = (CumulativePercent(),)
