"""Tests of two shares with their pooled share: normal, and Student's."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray
from eager_otter.core.proportions import PairShares
from eager_otter.looks.words import said
from eager_otter.significance.method import POOLED_SHARE, ShareTest


class Pooled(ShareTest):
    """z with the variance p(1 − p)(1/e₁ + 1/e₂)."""

    name = "pooled"
    rank = 10
    sentence = said("Percents: a z test of two proportions with their pooled share.")
    formula = f"z = (p₁ − p₂) / √(p (1 − p) (1/e₁ + 1/e₂)), {POOLED_SHARE}."

    def variance(self, pairs: PairShares) -> FloatArray:
        """Return p(1 − p)(1/e₁ + 1/e₂)."""
        return pairs.pooled_variance

    def parts(self, pairs: PairShares) -> tuple[FloatArray, FloatArray]:
        """Return p(1 − p)/e of each column."""
        return pairs.spread / pairs.e1, pairs.spread / pairs.e2


class PooledOnT(Pooled):
    """The same on Student's t with e₁ + e₂ − 2 degrees of freedom."""

    name = "t"
    rank = 30
    on_t = True
    sentence = said("Percents: a t test of two proportions with their pooled share.")
    formula = f"t = (p₁ − p₂) / √(p (1 − p) (1/e₁ + 1/e₂)) on e₁ + e₂ − 2 degrees of freedom, {POOLED_SHARE}."


TESTS = (Pooled(), PooledOnT())
