"""Bases: how many people a column's figures rest on."""

from __future__ import annotations

from eager_otter.figures.figure import LineFigure
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class UnweightedBase(LineFigure):
    """The number of those in the base and the column."""

    name = "unweighted base"
    sign = "n"
    label = said("Base (unweighted)")
    digits = "whole"
    source = "base"
    difference = "none"

    def working(self, cell: CellWorking) -> Built:
        """Show the number."""
        return cell.counted("number of those in the base and the column", "n")


class WeightedBase(LineFigure):
    """Σ weight of those in the base and the column."""

    name = "weighted base"
    sign = "n"
    label = said("Base (weighted)")
    digits = "count"
    source = "base"
    difference = "none"

    def working(self, cell: CellWorking) -> Built:
        """Show the sum."""
        return cell.counted("Σ weight of those in the base and the column", "w")


class EffectiveBase(LineFigure):
    """(Σ weight)² / Σ weight² (Kish 1965): how many unweighted people would give figures as precise."""

    name = "effective base"
    sign = "n"
    label = said("Effective base")
    digits = "effective"
    source = "base"
    difference = "none"

    def working(self, cell: CellWorking) -> Built:
        """Show both sums."""
        weights, squares = cell.total_of_base("w"), cell.total_of_base("w2")
        return cell.worked(
            "(Σ weight)² / Σ weight²", "{weights}² / {squares}", weights=weights, squares=squares
        )


LINES = (UnweightedBase(), WeightedBase(), EffectiveBase())
