"""Welch's analysis of variance of numbers and scores by a group of columns."""

from __future__ import annotations

from eager_otter.core.analysis_of_variance import ValuesByColumns, analysis_of_variance
from eager_otter.core.association import WholeTableTest
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class WelchsAnalysisOfVariance(WholeTableMethod[ValuesByColumns]):
    """Are all means alike? Welch (1951), on effective numbers of values."""

    name = "Welch's analysis of variance"
    of = ValuesByColumns
    rank = 50
    sentence = said(
        "Welch's analysis of variance of the means: F = {statistic} on {df1} and {df2} degrees of freedom, {p}"
    )
    formula = (
        "F = Σ q (m − m̄)² / (k − 1) / (1 + 2(k − 2)/(k² − 1) · Λ) on k − 1 and (k² − 1)/(3Λ) degrees of freedom, "
        "q = e/v, m̄ = Σ q m / Σ q, Λ = Σ (1 − q/Σ q)² / (e − 1)."
    )

    def test(self, evidence: ValuesByColumns) -> WholeTableTest:
        """Test the means."""
        return analysis_of_variance(evidence, self.name)

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the statistic and its degrees of freedom."""
        statistic = say.number(f"{test.statistic:.2f}")
        df1, df2 = say.number(f"{test.df1:,.0f}"), say.number(f"{test.df2:,.1f}")
        return say(self.sentence, statistic=statistic, df1=df1, df2=df2, p=p)


TESTS = (WelchsAnalysisOfVariance(),)
