"""Measures of association of two orders: Kendall's τ-b, Stuart's τ-c, Goodman and Kruskal's γ."""

from __future__ import annotations

from eager_otter.core.association import TwoWay
from eager_otter.looks.words import said
from eager_otter.significance.method import AssociationMeasure, Order


class RankAssociation(AssociationMeasure):
    """A measure made of pairs of people alike and unlike in their order, with the P of Brown & Benedetti (1977)."""

    def p_value(self, table: TwoWay) -> float:
        """Return the P value of as many pairs alike as unlike."""
        return table.order.p_value


class KendallsTauB(RankAssociation):
    """(P − Q)/√((1 − Σp_r²)(1 − Σp_c²)), for as many rows as columns."""

    name = said("Kendall's τ-b")
    rank = 20

    def value(self, table: TwoWay) -> float:
        """Divide by the pairs that are not tied."""
        return float(table.order.total / table.order.untied)

    def reason(self, shape: tuple[int, ...], rows: Order, columns: Order) -> str:
        """Say what orders a square table has."""
        if shape[0] != shape[1]:
            return ""
        if "two answers" in (rows, columns):
            return said("each side is ordered or has two answers, with as many rows as columns")
        return said("both sides are ordered, with as many rows as columns")


class StuartsTauC(RankAssociation):
    """m(P − Q)/(m − 1), m = min(R, C), for unequal numbers of rows and columns."""

    name = said("Stuart's τ-c")
    rank = 30

    def value(self, table: TwoWay) -> float:
        """Scale by the shorter side."""
        least = min(table.n.shape)
        return float(least * table.order.total / (least - 1))

    def reason(self, shape: tuple[int, ...], rows: Order, columns: Order) -> str:
        """Say what orders an oblong table has."""
        if "two answers" in (rows, columns):
            return said("each side is ordered or has two answers, with unequal numbers of rows and columns")
        return said("both sides are ordered, with unequal numbers of rows and columns")


class Gamma(RankAssociation):
    """(P − Q)/(P + Q): told beside others, as it leaves tied pairs out."""

    name = said("Goodman and Kruskal's γ")
    rank = 40

    def value(self, table: TwoWay) -> float:
        """Divide by the pairs that are alike or unlike; NaN where there is none."""
        pairs = table.order.more + table.order.less
        return table.order.total / pairs if pairs > 0 else float("nan")

    def reason(self, shape: tuple[int, ...], rows: Order, columns: Order) -> str:
        """Fit no table: another says more."""
        return ""


MEASURES = (KendallsTauB(), StuartsTauC(), Gamma())
