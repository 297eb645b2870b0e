"""Answers what is asked of a finished table."""

from __future__ import annotations

from eager_otter.asking.one_way import side_by_side
from eager_otter.dataclass import dataclass
from eager_otter.tables.explanation import Explanation
from eager_otter.tables.table import Table


@dataclass(frozen=True, slots=True)
class TableAnswers:
    """The answers that every table of a survey can give."""

    def explain(self, table: Table, row: str, column: str, figure: str | None) -> Explanation:
        """Return the working of a cell. Raises UnknownName, RequestError."""
        from eager_otter.asking.explaining import explain  # heavy, and few ask

        return explain(table, row, column, figure)

    def displayed(self, table: Table) -> Table:
        """Lay a one-way table with several figures side by side; any other stays as it is."""
        return side_by_side(table)
