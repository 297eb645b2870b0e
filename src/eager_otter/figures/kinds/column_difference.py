"""Column difference: the percent minus that of a column named, in points."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.figures.figure import CellFigure, Cells, Computed
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class ColumnDifference(CellFigure):
    """Column percent minus the percent of the column named."""

    name = said("column difference")
    rank = 110
    sign = said("± points")
    unit = "points"
    digits = "percent"
    tested = "never"
    setting = "difference from"
    needs_total = True
    note = said("± points: the percent minus that of {column}, in points.")

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Take off the percent of the column named."""
        return [(cells.percents - cells.percents[:, [cells.column_named()]], None)]

    def working(self, cell: CellWorking) -> Built:
        """Show both percents."""
        percent = cell.percent(cell.at)
        formula = "column percent − percent of the column named"
        return cell.worked(formula, "{percent} − {other}", percent=percent, other=percent - cell.value)


FIGURES = (ColumnDifference(),)
