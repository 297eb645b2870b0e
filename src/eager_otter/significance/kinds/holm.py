"""Holm's correction (1979)."""

from __future__ import annotations

from eager_otter.core.arrays import FloatArray
from eager_otter.core.corrections import holm
from eager_otter.looks.words import said
from eager_otter.significance.method import Correction


class Holm(Correction):
    """Steps down from the smallest P value."""

    name = "holm"
    rank = 30
    sentence = said("Holm")
    short = said("Holm")
    in_page = (
        "(p) => { let run = 0; return p.map((value, i) => "
        "{ run = Math.max(run, value * (p.length - i)); return Math.min(1, run); }); }"
    )

    def adjust(self, p: FloatArray) -> FloatArray:
        """Step down."""
        return holm(p)


CORRECTIONS = (Holm(),)
