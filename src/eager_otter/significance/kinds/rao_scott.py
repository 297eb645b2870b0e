"""Rao and Scott's test of a whole table, for weights that differ."""

from __future__ import annotations

from eager_otter.core.association import TwoWay, WholeTableTest, rao_scott_test
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class RaoScott(WholeTableMethod[TwoWay]):
    """Chi-square of the weighted shares with the second-order correction (1981, 1984), as F (Thomas & Rao 1987)."""

    name = "Rao-Scott"
    of = TwoWay
    rank = 20
    sentence = said(
        "chi-square of the weighted shares, corrected for the weights (Rao and Scott): F = {statistic} on {df1} and "
        "{df2} degrees of freedom, {p}"
    )
    formula = (
        "F = χ²/tr D on (tr D)²/tr D² and (tr D)²/tr D² · (n − 1) degrees of freedom, D the design effects."
    )

    def fits(self, evidence: TwoWay) -> bool:
        """Whether it fits: weights differ."""
        return evidence.weighted

    def test(self, evidence: TwoWay) -> WholeTableTest:
        """Test the weighted shares."""
        return rao_scott_test(evidence, self.name)

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the statistic and its degrees of freedom."""
        statistic = say.number(f"{test.statistic:.2f}")
        df1, df2 = say.number(f"{test.df1:,.1f}"), say.number(f"{test.df2:,.0f}")
        return say(self.sentence, statistic=statistic, df1=df1, df2=df2, p=p)


TESTS = (RaoScott(),)
