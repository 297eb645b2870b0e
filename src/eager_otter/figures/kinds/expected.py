"""Expected counts, and standardised residuals: how far a cell is from what no association would give."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import FloatArray, effective_base, ratio
from eager_otter.core.proportions import ALL_OR_NONE, pooled_share
from eager_otter.figures.figure import Asked, CellFigure, Cells, Computed
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class OfGroup(CellFigure):
    """A figure of the columns of a banner group, of those that share nobody; other columns have none."""

    tested = "never"
    difference = "none"
    of_groups = True

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Compute it group by group."""
        values = np.full_like(cells.answers.w, np.nan)
        for places in cells.groups_apart():
            values[:, places] = self.of_group(cells, places)
        return [(values, None)]

    @abstractmethod
    def of_group(self, cells: Cells, places: Sequence[int]) -> FloatArray:
        """Compute it for the columns of a group: (rows, places)."""

    def _not_of(self, asked: Asked) -> str:
        reason = super()._not_of(asked)
        return reason or ("" if asked.grouped else "it needs a banner group, whose columns it compares")


class ExpectedCount(OfGroup):
    """Weighted base of the column × the row's count in the group / weighted base of the group."""

    name = said("expected count")
    other_words = ("expected",)
    rank = 150
    sign = said("exp.")
    digits = "count"
    note = said(
        "exp.: the count expected where the row is the same in all columns of the group; none where they share people."
    )

    def of_group(self, cells: Cells, places: Sequence[int]) -> FloatArray:
        """Return W_c · N_r / W of the people in the group."""
        w, base = cells.answers.w[:, places], cells.base.w[:, places]
        return ratio(w.sum(axis=1, keepdims=True) * base, base.sum(axis=1, keepdims=True))

    def working(self, cell: CellWorking) -> Built:
        """Show the three sums."""
        places = list(cell.group)
        return cell.worked(
            "weighted base of the column × count of the row in the group / weighted base of the group",
            "{base} × {row} / {group}",
            base=cell.total_of_base("w"),
            row=float(cell.sums.w[cell.row, places].sum()),
            group=float(cell.base.w[0, places].sum()),
        )


class StandardisedResidual(OfGroup):
    """The pooled z of the column against the rest of its group (Haberman 1973, on effective bases)."""

    name = said("standardised residual")
    other_words = ("residual", "standardized residual")
    rank = 160
    sign = said("resid.")
    note = said(
        "resid.: standardised residual, the pooled z of the column against the rest of its group; none where they "
        "share people."
    )

    def of_group(self, cells: Cells, places: Sequence[int]) -> FloatArray:
        """Return (p₁ − p₂)/√(p(1 − p)(1/e₁ + 1/e₂)), 2 the rest of the group."""
        w, base, base2 = cells.answers.w[:, places], cells.base.w[:, places], cells.base.w2[:, places]
        share, rest = ratio(w, base), ratio(_others(w), _others(base))
        e1, e2 = effective_base(base, base2), effective_base(_others(base), _others(base2))
        pooled = pooled_share(share, rest, e1, e2)
        decided = (pooled > ALL_OR_NONE) & (pooled < 1.0 - ALL_OR_NONE)
        inverse = ratio(np.ones_like(e1), e1) + ratio(np.ones_like(e2), e2)
        error = np.sqrt(np.where(decided, pooled * (1.0 - pooled) * inverse, np.nan))
        return np.asarray((share - rest) / error)

    def working(self, cell: CellWorking) -> Built:
        """Show both shares and effective bases, and the pooled share."""
        others = [place for place in cell.group if place != cell.at]
        w, w2 = cell.base.w[0], cell.base.w2[0]
        p1, p2 = (
            float(cell.sums.w[cell.row, columns].sum() / w[columns].sum()) for columns in ([cell.at], others)
        )
        e1, e2 = (float(w[columns].sum() ** 2 / w2[columns].sum()) for columns in ([cell.at], others))
        return cell.worked(
            "(p₁ − p₂) / √(p (1 − p) (1/e₁ + 1/e₂)), 2 the rest of the group, p = (e₁p₁ + e₂p₂) / (e₁ + e₂)",
            "({p1} − {p2}) / √({p} × (1 − {p}) × (1/{e1} + 1/{e2}))",
            p1=p1,
            p2=p2,
            p=(e1 * p1 + e2 * p2) / (e1 + e2),
            e1=e1,
            e2=e2,
        )


def _others(sums: FloatArray) -> FloatArray:
    """Add up, for each column, all others: (rows, columns)."""
    return np.asarray(sums.sum(axis=1, keepdims=True) - sums)


FIGURES = (ExpectedCount(), StandardisedResidual())
