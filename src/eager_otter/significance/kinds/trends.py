"""Tests of a trend over ordered columns."""

from __future__ import annotations

from eager_otter.looks.words import said
from eager_otter.significance.method import TrendTest

OVER = "a = e (t − Σ e t / Σ e), t the place of a column, e its effective base"


class TrendOfShares(TrendTest):
    """Cochran and Armitage's test, on effective bases."""

    name = "trend of percents"
    rank = 10
    sentence = said("Trends of percents: Cochran and Armitage's test with effective bases.")
    formula = (
        "z = Σ a p / √V, V = p (1 − p) Σ w² (Σ a x / W)², p = Σ e p / Σ e over the columns; " + OVER + "."
    )


class TrendOfMeans(TrendTest):
    """The same contrast of means, with Welch and Satterthwaite's degrees of freedom."""

    name = "trend of means"
    rank = 20
    sentence = said(
        "Trends of means: a t test of the means weighted by the places of their columns, each with its own variance."
    )
    formula = (
        "t = Σ a m / √V, V = Σ a² v / e (for columns that share people Σ w² (Σ a k x (s − m) / W)²) on "
        "(Σ V_c)² / Σ (V_c² / (e − 1)) degrees of freedom; " + OVER + "."
    )


TESTS = (TrendOfShares(), TrendOfMeans())
