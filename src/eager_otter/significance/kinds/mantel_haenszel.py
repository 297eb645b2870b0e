"""The test of a table within the answers of a third question, after Cochran, Mantel and Haenszel."""

from __future__ import annotations

from eager_otter.core.association import WholeTableTest
from eager_otter.core.controlled import ControlledTables, mantel_haenszel_test
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class CochranMantelHaenszel(WholeTableMethod[ControlledTables]):
    """General association within the control answers, for weights that are all equal."""

    name = "Cochran-Mantel-Haenszel"
    of = ControlledTables
    rank = 60
    sentence = said(
        "Cochran–Mantel–Haenszel chi-square {statistic} on {df} {df:degree|degrees} of freedom, {p}"
    )
    formula = "Q = Gᵀ V⁻ G, G = Σ (O − E), on as many degrees of freedom as V has rank."
    different = said("associated at the {level} % level once the control answers are allowed for")
    alike = said("no association is shown at the {level} % level once the control answers are allowed for")

    def why_not(self, evidence: ControlledTables) -> str:
        """Refuse weights that differ."""
        return said("weighted tables have no Cochran–Mantel–Haenszel test") if evidence.weighted else ""

    def test(self, evidence: ControlledTables) -> WholeTableTest:
        """Test the numbers of people."""
        return mantel_haenszel_test(evidence, self.name)

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the statistic and its degrees of freedom."""
        statistic = say.number(f"{test.statistic:.2f}")
        return say(self.sentence, statistic=statistic, df=int(test.df1), p=p)


TESTS = (CochranMantelHaenszel(),)
