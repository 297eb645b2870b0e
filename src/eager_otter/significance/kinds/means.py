"""Tests of two means: Welch's, and Student's with the pooled variance."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, ratio
from eager_otter.core.means import PairMeans
from eager_otter.looks.words import said
from eager_otter.significance.method import MeanTest


class Welch(MeanTest):
    """Welch's t (1947) with degrees of freedom by Satterthwaite (1946)."""

    name = "welch"
    rank = 10
    sentence = said("{what}: Welch's t test.")
    formula = (
        "t = (m₁ − m₂) / √(V₁ + V₂), V₁ = v₁/e₁, V₂ = v₂/e₂, with means m, variances v and effective numbers of "
        "values e, on (V₁ + V₂)² / (V₁²/(e₁ − 1) + V₂²/(e₂ − 1)) degrees of freedom."
    )

    def variance(self, pairs: PairMeans) -> FloatArray:
        """Return v₁/e₁ + v₂/e₂."""
        first, second = self.parts(pairs)
        return first + second

    def degrees(self, pairs: PairMeans) -> FloatArray:
        """Return (V₁ + V₂)² / (V₁²/(e₁ − 1) + V₂²/(e₂ − 1))."""
        return pairs.satterthwaite(*self.parts(pairs))

    def parts(self, pairs: PairMeans) -> tuple[FloatArray, FloatArray]:
        """Return v/e of each column."""
        return ratio(pairs.v1, pairs.e1), ratio(pairs.v2, pairs.e2)


class Pooled(MeanTest):
    """Student's t with v = ((e₁ − 1)v₁ + (e₂ − 1)v₂)/(e₁ + e₂ − 2), on e₁ + e₂ − 2 degrees of freedom."""

    name = "pooled"
    rank = 20
    sentence = said("{what}: Student's t test with the pooled variance.")
    formula = "t = (m₁ − m₂) / √(v (1/e₁ + 1/e₂)), v = ((e₁ − 1) v₁ + (e₂ − 1) v₂) / (e₁ + e₂ − 2)."

    def variance(self, pairs: PairMeans) -> FloatArray:
        """Return v(1/e₁ + 1/e₂)."""
        return pairs.pooled_variance

    def degrees(self, pairs: PairMeans) -> FloatArray:
        """Return e₁ + e₂ − 2."""
        return pairs.e1 + pairs.e2 - 2.0

    def parts(self, pairs: PairMeans) -> tuple[FloatArray, FloatArray]:
        """Return v/e of each column."""
        return np.asarray(ratio(pairs.pooled, pairs.e1)), np.asarray(ratio(pairs.pooled, pairs.e2))


TESTS = (Welch(), Pooled())
