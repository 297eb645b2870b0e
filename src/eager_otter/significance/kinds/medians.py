"""Tests of two medians: none, or Mood's."""

from __future__ import annotations

from eager_otter.looks.words import said
from eager_otter.significance.method import MedianTest


class NotTested(MedianTest):
    """Medians are not compared."""

    name = "none"
    rank = 10
    tests = False


class Mood(MedianTest):
    """The test of the share at most M, the median of those in either column (Mood 1950)."""

    name = "mood"
    rank = 20
    sentence = said(
        "Medians: Mood's test of the shares at most the median of those in either column; a letter is shown only where "
        "the two medians differ that way."
    )
    formula = (
        "Mood's test: M is the median of those in either column; tested are the shares p₁, p₂ at most M in each, as "
        "percents are. Fewer at most M is higher; a letter is shown only where the two medians differ that way."
    )


TESTS = (NotTested(), Mood())
