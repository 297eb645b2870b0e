"""Index: the column percent in percent of the Total's."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.core.arrays import ratio
from eager_otter.figures.figure import CellFigure, Cells, Computed
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class Index(CellFigure):
    """100 × column percent / percent of the Total."""

    name = said("index")
    rank = 120
    sign = said("index")
    digits = "percent"
    tested = "never"
    needs_total = True
    note = said("index: 100 × column percent / percent of the Total.")

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Divide the shares by those of the Total."""
        share = ratio(cells.answers.w, cells.base.w)
        return [(ratio(100.0 * share, share[:, :1]), None)]

    def working(self, cell: CellWorking) -> Built:
        """Show both percents."""
        return cell.worked(
            "100 × column percent / percent of the Total",
            "100 × {percent} / {total}",
            percent=cell.percent(cell.at),
            total=cell.percent(0),
        )


FIGURES = (Index(),)
