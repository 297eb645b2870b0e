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
    in_page = (
        "(p) => { let run = 1; const out = p.slice(); for (let i = p.length - 1; i >= 0; i--) "
        "{ run = Math.min(run, (p[i] * p.length) / (i + 1)); out[i] = Math.min(1, run); } return out; }"
    )

    def adjust(self, p: FloatArray) -> FloatArray:
        """Step up."""
        return benjamini_hochberg(p)


CORRECTIONS = (BenjaminiHochberg(),)
