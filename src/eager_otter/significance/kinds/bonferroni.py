"""Bonferroni's correction."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray
from eager_otter.core.corrections import bonferroni
from eager_otter.looks.words import said
from eager_otter.significance.method import Correction


class Bonferroni(Correction):
    """Each P value times the number of tests in its family."""

    name = "bonferroni"
    rank = 20
    sentence = said("Bonferroni")
    short = said("Bonferroni")
    in_page = "(p) => p.map((value) => Math.min(1, value * p.length))"

    def adjust(self, p: FloatArray) -> FloatArray:
        """Multiply."""
        return bonferroni(p)


CORRECTIONS = (Bonferroni(),)
