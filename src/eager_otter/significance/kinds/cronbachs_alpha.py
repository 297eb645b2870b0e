"""Cronbach's alpha of the scales of a grid."""

from __future__ import annotations

import math

from eager_otter.core.association import WholeTableTest
from eager_otter.core.same_people import ScaleItems, cronbachs_alpha
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import WholeTableMethod


class CronbachsAlpha(WholeTableMethod[ScaleItems]):
    """How well the items of a grid hang together: nothing is tested."""

    name = "Cronbach's alpha"
    of = ScaleItems
    rank = 80
    sentence = said("Cronbach's alpha of the items {value}")
    formula = "α = k/(k − 1) · (1 − Σ v_item / v_sum), k items."
    different = alike = ""

    def test(self, evidence: ScaleItems) -> WholeTableTest:
        """Measure those who have a score in every item."""
        return WholeTableTest(method=self.name, statistic=cronbachs_alpha(evidence))

    def worded(self, test: WholeTableTest, p: str, say: Words) -> str:
        """Say the measure."""
        value = "n/a" if math.isnan(test.statistic) else say.number(f"{test.statistic:.2f}")
        return say(self.sentence, value=value)


TESTS = (CronbachsAlpha(),)
