"""Test of two shares with the linearised variance, also right where weights go with the answers."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.core.proportions import PairShares, share_squares
from eager_otter.looks.words import said
from eager_otter.significance.method import POOLED_SHARE, ShareTest


class Linear(ShareTest):
    """z with V = Σ w² b (y − p)² (x₁/W₁ − x₂/W₂)² (Särndal, Swensson & Wretman 1992); pooled in a thin pair."""

    name = "linear"
    rank = 40
    minds_thin = True
    sentence = said("Percents: a z test of two proportions with the linearised variance.")
    formula = (
        "z = (p₁ − p₂) / √V, V = Σ w² (y − p)² (x₁/W₁ − x₂/W₂)² over those in the base: y is 1 for the answer, "
        f"x 1 for the column, W its weighted base; {POOLED_SHARE}."
    )

    def variance(self, pairs: PairShares) -> FloatArray:
        """Add up the squares of both columns."""
        first, second = self._squares(pairs)
        return np.where(pairs.thin, pairs.pooled_variance, first + second)

    def parts(self, pairs: PairShares) -> tuple[FloatArray, FloatArray]:
        """Return the squares of each column, the pooled variance where that decides."""
        first, second = self._squares(pairs)
        return (
            np.where(pairs.thin, pairs.spread / pairs.e1, first),
            np.where(pairs.thin, pairs.spread / pairs.e2, second),
        )

    def _squares(self, pairs: PairShares) -> tuple[FloatArray, FloatArray]:
        first = share_squares(pairs.answers, pairs.base, pairs.first, pairs.pooled)
        return first, share_squares(pairs.answers, pairs.base, pairs.second, pairs.pooled)


TESTS = (Linear(),)
