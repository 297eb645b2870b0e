"""No correction: each test stands for itself."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray
from eager_otter.looks.words import said
from eager_otter.significance.method import Correction


class Uncorrected(Correction):
    """P values as they are."""

    name = "none"
    short = said("none")
    in_page = "(p) => p"
    rank = 10
    corrects = False

    def adjust(self, p: FloatArray) -> FloatArray:
        """Leave the P values as they are."""
        return p


CORRECTIONS = (Uncorrected(),)
