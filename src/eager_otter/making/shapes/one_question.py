"""One question by the banner."""

from __future__ import annotations

from eager_otter.codebook.model import Codebook
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.wanted import Count
from eager_otter.errors import RequestError
from eager_otter.making.crossings import Controlled
from eager_otter.making.lines import make_table
from eager_otter.making.shapes.shape import Counted, ShapeOfTable
from eager_otter.tables.request import COMPLETE, TableRequest
from eager_otter.tables.shows import OneQuestion
from eager_otter.tables.table import Table


class OneQuestionTable(ShapeOfTable[OneQuestion]):
    """The answers of a question down, the banner across."""

    of = OneQuestion

    def settled(self, request: TableRequest) -> TableRequest:
        """Refuse what goes with several questions. Raises RequestError."""
        if request.base == COMPLETE:
            raise RequestError(f"base: {COMPLETE} is for tables of several questions.")
        return request

    def counts(self, request: TableRequest, layout: BannerColumns, codebook: Codebook) -> list[Count]:
        """Count the question, and once more within one that is controlled for."""
        counts = super().counts(request, layout, codebook)
        control = request.tests.controlling_for
        kinds = {codebook.question(name).kind for name in (*request.shows.questions, control) if name}
        if control and kinds == {"single"} and not request.shows.within:
            counts.append(
                Count(question=request.shows.name, leave_out=request.rows.leave_out, within=(control,))
            )
        return counts

    def make(self, counted: Counted[OneQuestion]) -> Table:
        """Make the table of the question's sums."""
        within = None
        if counted.request.tests.controlling_for:
            control = counted.codebook.question(counted.request.tests.controlling_for)
            within = Controlled(question=control, sums=None if len(counted.sums) < 2 else counted.sums[1])
        return make_table(counted.request, counted.sums[0], counted.setting, within)
