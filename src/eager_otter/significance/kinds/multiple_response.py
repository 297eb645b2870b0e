"""The test of a multiple response by a group of columns."""

from __future__ import annotations

from eager_otter.core.association import WholeTableTest
from eager_otter.core.multiple_response import AnswersByColumns, multiple_response_test
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class MultipleResponse(WholeTableMethod[AnswersByColumns]):
    """The sum of chi-squares of "gave it / did not" over the answers, corrected as Rao and Scott do."""

    name = "multiple response"
    of = AnswersByColumns
    rank = 40
    sentence = said(
        "chi-square of all answers together, corrected as respondents could give several (Rao and Scott): "
        "F = {statistic} on {df1} and {df2} degrees of freedom, {p}"
    )
    formula = (
        "F = X²/tr D on (tr D)²/tr D² and (tr D)²/tr D² · (n − 1) degrees of freedom, X² the sum over the answers of "
        "the chi-squares of giving it, D the design effects."
    )

    def test(self, evidence: AnswersByColumns) -> WholeTableTest:
        """Test all answers."""
        return multiple_response_test(evidence, self.name)

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the statistic and its degrees of freedom."""
        statistic = say.number(f"{test.statistic:.2f}")
        df1, df2 = say.number(f"{test.df1:,.1f}"), say.number(f"{test.df2:,.0f}")
        return say(self.sentence, statistic=statistic, df1=df1, df2=df2, p=p)


TESTS = (MultipleResponse(),)
