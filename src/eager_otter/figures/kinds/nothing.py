"""Lines without a figure of their own: headings, and rows that hold another figure in each column."""

from __future__ import annotations

from eager_otter.figures.figure import LineFigure
from eager_otter.figures.working import Built, CellWorking


class Heading(LineFigure):
    """A heading, or a blank line: it holds nothing."""

    name = "heading"
    source = ""
    difference = "none"

    def working(self, cell: CellWorking) -> Built:
        """Say that nothing is there."""
        return "a heading holds no figure", "", ()


class Several(Heading):
    """A row of a one-way table with its figures side by side: each column says which it holds."""

    name = "figures"


LINES = (Heading(), Several())
