"""Pearson's chi-square test of a whole table, for weights that are all equal."""

from __future__ import annotations

from eager_otter.core.association import TwoWay, WholeTableTest, chi_square_test
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class ChiSquare(WholeTableMethod[TwoWay]):
    """Pearson's chi-square, with Fisher's exact test beside it in a 2×2 table of small expected counts."""

    name = "chi-square"
    of = TwoWay
    rank = 10
    sentence = said("chi-square {statistic} on {df} {df:degree|degrees} of freedom, {p}")
    formula = "χ² = Σ (n − expected)² / expected on (R − 1)(C − 1) degrees of freedom."

    def fits(self, evidence: TwoWay) -> bool:
        """Whether it fits: weights do not differ."""
        return not evidence.weighted

    def test(self, evidence: TwoWay) -> WholeTableTest:
        """Test the numbers of people."""
        return chi_square_test(evidence, self.name)

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the statistic and its degrees of freedom."""
        statistic = say.number(f"{test.statistic:.2f}")
        return say(self.sentence, statistic=statistic, df=int(test.df1), p=p)


TESTS = (ChiSquare(),)
