"""Cochran's Q of yes/no items of the same people."""

from __future__ import annotations

from eager_otter.core.association import WholeTableTest
from eager_otter.core.same_people import YesNoItems, cochrans_q
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class CochransQ(WholeTableMethod[YesNoItems]):
    """Do the items have the same share of yes? For weights that are all equal."""

    name = "Cochran's Q"
    of = YesNoItems
    rank = 70
    sentence = said("Cochran's Q of the items {statistic} on {df} {df:degree|degrees} of freedom, {p}")
    formula = (
        "Q = (k − 1)(k Σ C² − T²)/(k T − Σ R²) on k − 1 degrees of freedom, C by item, R by person, T in all."
    )
    different = said("the items differ significantly at the {level} % level")
    alike = said("no significant difference between the items at the {level} % level")

    def why_not(self, evidence: YesNoItems) -> str:
        """Refuse weights that differ."""
        return said("weighted tables have no Cochran's Q") if evidence.weighted else ""

    def test(self, evidence: YesNoItems) -> WholeTableTest:
        """Test those who answered every item."""
        return cochrans_q(evidence, self.name)

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the statistic and its degrees of freedom."""
        statistic = say.number(f"{test.statistic:.2f}")
        return say(self.sentence, statistic=statistic, df=int(test.df1), p=p)


TESTS = (CochransQ(),)
