"""The tests and corrections there are, by name. Nothing is imported, so that a command line can list them at once."""

from __future__ import annotations

from typing import Literal

ProportionTest = Literal["pooled", "unpooled", "t", "linear"]
MeanTest = Literal["welch", "pooled"]
Correction = Literal["none", "bonferroni", "holm", "benjamini-hochberg"]
