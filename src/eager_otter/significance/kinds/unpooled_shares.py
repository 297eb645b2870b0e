"""Test of two shares, each with its own variance."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.core.proportions import PairShares
from eager_otter.looks.words import said
from eager_otter.significance.method import ShareTest


class Unpooled(ShareTest):
    """z with the variance p₁(1 − p₁)/e₁ + p₂(1 − p₂)/e₂; pooled where that is 0, and in a thin pair."""

    name = "unpooled"
    rank = 20
    minds_thin = True
    sentence = said(
        "Percents: a z test of two proportions with their own shares (pooled where few are expected)."
    )
    formula = (
        "z = (p₁ − p₂) / √(p₁ (1 − p₁)/e₁ + p₂ (1 − p₂)/e₂), with shares p₁, p₂ and effective bases e₁, e₂."
    )

    def variance(self, pairs: PairShares) -> FloatArray:
        """Add up the columns' own variances."""
        variances = pairs.share * (1.0 - pairs.share) * pairs.inverse
        apart = variances[:, pairs.first] + variances[:, pairs.second]
        return np.where(pairs.thin | (apart <= 0), pairs.pooled_variance, apart)

    def parts(self, pairs: PairShares) -> tuple[FloatArray, FloatArray]:
        """Return p(1 − p)/e of each column with its own share, the pooled one where that decides."""
        one, other = (
            pairs.share[:, k] * (1.0 - pairs.share[:, k]) / e
            for k, e in ((pairs.first, pairs.e1), (pairs.second, pairs.e2))
        )
        by_pooled = pairs.thin | (one + other <= 0)
        return (
            np.where(by_pooled, pairs.spread / pairs.e1, one),
            np.where(by_pooled, pairs.spread / pairs.e2, other),
        )


TESTS = (Unpooled(),)
