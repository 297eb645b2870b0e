"""Workings that several figures of values share."""

from __future__ import annotations

import math

from eager_otter.figures.working import Built, CellWorking, number
from eager_otter.looks.words import counted


def in_words(cell: CellWorking, text: str) -> Built:
    """Say in words what has no formula, and over how many values."""
    n, w = cell.total("n"), cell.total("w")
    values = counted(round(n), "value")
    return f"{text}; {values} of weight {number(w)} in all", "", (("values", n), ("weight", w))


def mean(cell: CellWorking, what: str) -> Built:
    """Show a mean as the sum of what it is of over the weights."""
    w = cell.total("w")
    return cell.worked(
        f"{what} / Σ weight", "{values} / {weights}", values=cell.moment("mean") * w, weights=w
    )


def variance(cell: CellWorking) -> str:
    """Compute the variance of the values behind a mean, which its test takes; "" where there is none."""
    moment = cell.moment("variance")
    if math.isnan(moment):
        return ""
    n, w = cell.total("n"), cell.total("w")
    squares, weights, count, less = (number(value) for value in (moment * w * (n - 1.0) / n, w, n, n - 1.0))
    return (
        "variance: Σ weight × (value − mean)² / Σ weight × n / (n − 1) = "
        f"{squares} / {weights} × {count} / {less} = {number(moment)}"
    )
