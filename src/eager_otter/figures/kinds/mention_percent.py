"""Mention percent: of all mentions in the column."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.figures.figure import Asked, CellRow, Cells, Percent
from eager_otter.looks.words import said


class MentionPercent(Percent):
    """100 × weighted count / weighted count of all mentions in the column; nets and exclusive answers are none."""

    name = said("mention percent")
    rank = 60
    sign = said("mention %")
    of_what = "weighted count of all mentions in the column"
    note = said("mention %: percent of all mentions; nets and exclusive answers are none.")

    def base_of(self, cells: Cells) -> FloatArray:
        """Count the mentions in each column."""
        return np.asarray(cells.answers.w[cells.mentions()].sum(axis=0)[None, :])

    def has(self, row: CellRow) -> bool:
        """Mentions have it."""
        return row.mention

    def _not_of(self, asked: Asked) -> str:
        if asked.question.kind not in ("multi", "number"):
            return "only a multiple-response question has mentions"
        return super()._not_of(asked)


FIGURES = (MentionPercent(),)
