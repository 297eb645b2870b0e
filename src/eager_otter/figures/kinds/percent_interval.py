"""Interval of the column percent, after Wilson (1927), on the effective base."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.core.arrays import effective_base
from eager_otter.core.intervals import difference_interval, wilson_interval
from eager_otter.core.proportions import shares
from eager_otter.figures.figure import AnswerFigure, Cells, Computed, LineFigure
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import said


class End(LineFigure):
    """One end of the interval: (p + z²/2e ± z √(p (1 − p)/e + z²/4e²)) / (1 + z²/e), e the effective base."""

    unit = "limit"
    digits = "percent"
    difference = "own"
    side_by_side = True
    has_level = True
    plus = ""

    def working(self, cell: CellWorking) -> Built:
        """Show Wilson's formula with the share, z and the effective base."""
        from scipy.special import ndtri

        base, plus = cell.base, self.plus
        return cell.worked(
            f"100 × (p + z²/2e {plus} z √(p (1 − p)/e + z²/4e²)) / (1 + z²/e) (Wilson), p the share, e the effective "
            f"base, z for {cell.level:g} %",
            f"100 × ({{share}} + {{z}}² / (2 × {{effective}}) {plus} "
            "{z} × √( {share} × (1 − {share}) / {effective} + {z}² / (4 × {effective}²) )) / (1 + {z}² / {effective})",
            share=float(cell.sums.w[cell.row, cell.at] / base.w[0, cell.at]),
            effective=float(effective_base(base.w, base.w2)[0, cell.at]),
            z=float(ndtri(0.5 + cell.level / 200.0)),
        )


class Low(End):
    """The lower end."""

    name = said("percent interval low")
    sign = said("{level} % from")
    plus = "−"
    note = said("{level} % from, to: interval of the percent after Wilson, on the effective base.")


class High(End):
    """The upper end."""

    name = said("percent interval high")
    sign = said("{level} % to")
    plus = "+"


class PercentInterval(AnswerFigure):
    """Both ends; where a column shows a difference those of its interval after Newcombe (1998, method 10)."""

    name = "percent interval"
    other_words = ("margin of error", "error margin")
    rank = 130
    ends = (Low(), High())

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Find both ends of each share, and of the difference in a column that shows one."""
        base = cells.base
        share = shares(cells.answers, base)
        low, high = wilson_interval(share, effective_base(base.w, base.w2), cells.level)
        pairs, places = cells.difference_pairs()
        if len(pairs):
            overlap = cells.overlap_of(pairs)
            ends = difference_interval(share, (low, high), pairs[:, 0], pairs[:, 1], overlap)
            low[:, places], high[:, places] = ends
        return [(100.0 * low, None), (100.0 * high, None)]


FIGURES = (PercentInterval(),)
