"""The names of figures as types, for editors and type checkers; a test compares them with the registry."""

from __future__ import annotations

from typing import Literal, NewType, TypeAlias

from eager_otter.errors import RequestError

FigureName: TypeAlias = Literal[
    "column percent",
    "count",
    "unweighted count",
    "row percent",
    "table percent",
    "mention percent",
    "cumulative percent",
    "percent of answered",
    "percent of answer",
    "percent of outer",
    "column difference",
    "index",
    "percent interval",
    "difference interval",
    "expected count",
    "standardised residual",
    "mean",
    "standard deviation",
    "standard error",
    "confidence interval",
    "median",
    "lower quartile",
    "upper quartile",
    "median interval",
    "lower quartile interval",
    "upper quartile interval",
    "smallest",
    "largest",
    "sum",
    "mean mentions",
    "mentions",
    "respondents",
]
BaseName: TypeAlias = Literal[
    "unweighted", "weighted", "effective", "design effect", "efficiency", "smallest detectable difference"
]
PercentileName = NewType("PercentileName", str)


def percentile(percent: float) -> PercentileName:
    """Name a percentile as a figure; `percent` runs from above 0 to 100. Raises RequestError.

    >>> percentile(90)
    'percentile 90'
    """
    if isinstance(percent, bool) or not isinstance(percent, int | float) or not 0 < percent <= 100:
        raise RequestError(f"A percentile is a number above 0, up to 100; found {percent!r}.")
    return PercentileName(f"percentile {percent:g}")
