"""Cramér's V."""

from __future__ import annotations

from eager_otter.core.association import TwoWay, cramers_v
from eager_otter.looks.words import said
from eager_otter.significance.method import AssociationMeasure, Order


class CramersV(AssociationMeasure):
    """√(χ²/(N · min(R − 1, C − 1))), for sides without an order and every 2×2 table."""

    name = said("Cramér's V")
    rank = 10
    ordered = False

    def value(self, table: TwoWay) -> float:
        """Measure the weighted shares."""
        return cramers_v(table)

    def reason(self, shape: tuple[int, ...], rows: Order, columns: Order) -> str:
        """Say which of the two holds."""
        if shape == (2, 2):
            return said("two rows by two columns")
        return said("at least one side has no order") if "none" in (rows, columns) else ""


MEASURES = (CramersV(),)
