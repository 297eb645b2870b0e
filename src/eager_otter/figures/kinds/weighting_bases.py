"""The cost of weighting, and the power of a base: design effect, efficiency, smallest detectable difference."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, effective_base, ratio
from eager_otter.core.sums import Sums
from eager_otter.figures.figure import BaseLine
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import Words, said

POWER = 0.8
LARGEST_POINTS = 100.0


class DesignEffect(BaseLine):
    """n / e: how many respondents are as good as one unweighted (Kish 1965)."""

    name = said("design effect")
    short = "design effect"
    rank = 40
    on_demand = True
    sign = said("deff")
    label = said("Design effect of the weights")

    def compute(self, base: Sums, level: float) -> FloatArray:
        """Divide the unweighted by the effective base."""
        return np.asarray(ratio(base.n, effective_base(base.w, base.w2))[0])

    def working(self, cell: CellWorking) -> Built:
        """Show the three sums."""
        return cell.worked(
            "respondents / effective base, which is (Σ weight)² / Σ weight²",
            "{n} × {squares} / {weights}²",
            n=cell.total_of_base("n"),
            squares=cell.total_of_base("w2"),
            weights=cell.total_of_base("w"),
        )


class Efficiency(BaseLine):
    """100 · e / n: what the weights leave of the precision."""

    name = said("efficiency")
    short = "efficiency"
    rank = 50
    on_demand = True
    sign = said("eff.")
    label = said("Efficiency of the weights")
    unit = "limit"
    digits = "percent"

    def compute(self, base: Sums, level: float) -> FloatArray:
        """Divide the effective by the unweighted base, in percent."""
        return np.asarray(ratio(100.0 * effective_base(base.w, base.w2), base.n)[0])

    def working(self, cell: CellWorking) -> Built:
        """Show the three sums."""
        return cell.worked(
            "100 × effective base / respondents, the effective base (Σ weight)² / Σ weight²",
            "100 × {weights}² / ({squares} × {n})",
            weights=cell.total_of_base("w"),
            squares=cell.total_of_base("w2"),
            n=cell.total_of_base("n"),
        )


class SmallestDetectableDifference(BaseLine):
    """(z at 1 − α/2 + z at .80) · √(p(1 − p) · (Σw²/W² of the column + of the rest)), p one half, in points."""

    name = said("smallest detectable difference")
    short = "smallest detectable difference"
    rank = 60
    on_demand = True
    sign = said("± points")
    label = said("Smallest detectable difference")
    of_groups = True
    has_level = True
    note = said(
        "Smallest detectable difference: in points, of a percent near 50 in the column from that of everyone else, "
        "which 4 of 5 samples would find at the {level} % level."
    )

    def compute(self, base: Sums, level: float) -> FloatArray:
        """Compare each column with everybody else in the Total; none where that is beyond 100 points."""
        w, w2 = base.w[0], base.w2[0]
        variance = ratio(w2, w**2) + ratio(w2[0] - w2, (w[0] - w) ** 2)
        points = 100.0 * _quantiles(level) * np.sqrt(0.25 * variance)
        points[0] = np.nan
        return np.where(points <= LARGEST_POINTS, points, np.nan)

    def working(self, cell: CellWorking) -> Built:
        """Show the sums of the column and of the rest."""
        total_w, total_w2 = float(cell.base.w[0, 0]), float(cell.base.w2[0, 0])
        w, w2 = cell.total_of_base("w"), cell.total_of_base("w2")
        return cell.worked(
            "100 × (z₁ + z₂) × √(0.25 × (Σw²/W² of the column + Σw²/W² of the rest)), z₁ for "
            f"{cell.level:g} %, z₂ for a power of 80 %",
            "100 × {z} × √( 0.25 × ({w2} / {w}² + {rest2} / {rest}²) )",
            z=_quantiles(cell.level),
            w2=w2,
            w=w,
            rest2=total_w2 - w2,
            rest=total_w - w,
        )

    def label_in(self, words: Words, level: float | None = None) -> str:
        """Say the label of its row; the note says the level."""
        return words(self.label)


def _quantiles(level: float) -> float:
    """Return z at 1 − α/2 plus z at the power."""
    from scipy.special import ndtri

    return float(ndtri(0.5 + level / 200.0) + ndtri(POWER))


LINES = (DesignEffect(), Efficiency(), SmallestDetectableDifference())
