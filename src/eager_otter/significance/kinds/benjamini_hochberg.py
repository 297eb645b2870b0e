"""Benjamini and Hochberg's correction (1995), which holds the share of false marks."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray
from eager_otter.core.corrections import benjamini_hochberg
from eager_otter.looks.words import said
from eager_otter.significance.method import Correction


class BenjaminiHochberg(Correction):
    """Steps up from the largest P value; valid under independence or positive dependence."""

    name = "benjamini-hochberg"
    rank = 40
    sentence = said("Benjamini and Hochberg (the share of false marks, not the chance of any)")
    short = said("Benjamini–Hochberg")

    def adjust(self, p: FloatArray) -> FloatArray:
        """Step up."""
        return benjamini_hochberg(p)


CORRECTIONS = (BenjaminiHochberg(),)
