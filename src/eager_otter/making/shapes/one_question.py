"""One question by the banner."""

from __future__ import annotations

from eager_otter.errors import RequestError
from eager_otter.making.lines import make_table
from eager_otter.making.shapes.shape import Counted, ShapeOfTable
from eager_otter.tables.request import COMPLETE, TableRequest
from eager_otter.tables.table import Table


class OneQuestion(ShapeOfTable):
    """The answers of a question down, the banner across."""

    def settled(self, request: TableRequest) -> TableRequest:
        """Refuse what goes with several questions. Raises RequestError."""
        if request.base == COMPLETE:
            raise RequestError(f"base: {COMPLETE} is for tables of several questions.")
        return request

    def questions(self, request: TableRequest) -> tuple[str, ...]:
        """Name the question."""
        return (request.question,)

    def make(self, counted: Counted) -> Table:
        """Make the table of the question's sums."""
        return make_table(counted.request, counted.sums[0], counted.setting)
