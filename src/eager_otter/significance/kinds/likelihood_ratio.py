"""The likelihood-ratio chi-square of a whole table, on demand."""

from __future__ import annotations

from eager_otter.core.association import TwoWay, WholeTableTest, likelihood_ratio_test
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class LikelihoodRatio(WholeTableMethod[TwoWay]):
    """G² = 2 Σ O ln(O/E), for weights that are all equal."""

    name = "likelihood ratio"
    of = TwoWay
    rank = 30
    on_demand = True
    sentence = said("likelihood-ratio chi-square G² {statistic} on {df} {df:degree|degrees} of freedom, {p}")
    formula = "G² = 2 Σ n ln(n / expected) on (R − 1)(C − 1) degrees of freedom."

    def fits(self, evidence: TwoWay) -> bool:
        """Whether it fits: weights do not differ."""
        return not evidence.weighted

    def test(self, evidence: TwoWay) -> WholeTableTest:
        """Test the numbers of people."""
        return likelihood_ratio_test(evidence, self.name)

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the statistic and its degrees of freedom."""
        statistic = say.number(f"{test.statistic:.2f}")
        return say(self.sentence, statistic=statistic, df=int(test.df1), p=p)


TESTS = (LikelihoodRatio(),)
