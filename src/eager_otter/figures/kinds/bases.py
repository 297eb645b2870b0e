"""Bases: how many people a column's figures rest on."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, effective_base
from eager_otter.core.sums import Sums
from eager_otter.figures.figure import BaseLine
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class UnweightedBase(BaseLine):
    """The number of those in the base and the column."""

    name = "unweighted base"
    sign = "n"
    label = said("Base (unweighted)")
    digits = "whole"

    short = "unweighted"
    rank = 10

    def compute(self, base: Sums, level: float) -> FloatArray:
        """Count the people."""
        return np.asarray(base.n[0])

    def working(self, cell: CellWorking) -> Built:
        """Show the number."""
        return cell.counted("number of those in the base and the column", "n")


class WeightedBase(BaseLine):
    """Σ weight of those in the base and the column."""

    name = "weighted base"
    sign = "n"
    label = said("Base (weighted)")
    digits = "count"

    short = "weighted"
    rank = 20
    weighted_only = True

    def compute(self, base: Sums, level: float) -> FloatArray:
        """Add up the weights."""
        return np.asarray(base.w[0])

    def working(self, cell: CellWorking) -> Built:
        """Show the sum."""
        return cell.counted("Σ weight of those in the base and the column", "w")


class EffectiveBase(BaseLine):
    """(Σ weight)² / Σ weight² (Kish 1965): how many unweighted people would give figures as precise."""

    name = "effective base"
    sign = "n"
    label = said("Effective base")
    digits = "effective"

    short = "effective"
    rank = 30
    weighted_only = True

    def compute(self, base: Sums, level: float) -> FloatArray:
        """Divide the square of the weights by their squares; 0 in an empty column."""
        return np.asarray(np.nan_to_num(effective_base(base.w, base.w2)[0]))

    def working(self, cell: CellWorking) -> Built:
        """Show both sums."""
        weights, squares = cell.total_of_base("w"), cell.total_of_base("w2")
        return cell.worked(
            "(Σ weight)² / Σ weight²", "{weights}² / {squares}", weights=weights, squares=squares
        )


LINES = (UnweightedBase(), WeightedBase(), EffectiveBase())
