"""Which figures a table can have, and why not."""

from __future__ import annotations

from collections.abc import Sequence
from typing import get_args

from eager_otter.codebook.model import Question
from eager_otter.errors import RequestError
from eager_otter.tables.request import (
    CELL_FIGURES,
    MENTION_FIGURES,
    Figure,
    PlainSummary,
    Shape,
    TableRequest,
    is_summary,
)

CELL_SUMMARIES = tuple(figure for figure in get_args(PlainSummary) if figure not in MENTION_FIGURES)
NEEDS_TOTAL = (
    "row percent",
    "table percent",
    "index",
    "percent of outer",
    "column difference",
    "difference interval",
)
MOVE_FIGURES = ("count", "table percent", "column percent", "row percent", "unweighted count")


def why_not(request: TableRequest, question: Question, figure: Figure) -> str:
    """Say why a table of a question cannot have a figure; "" where it can. Needs no data."""
    if request.value is not None:
        if figure in CELL_SUMMARIES:
            return ""
        return f"its cells sum up {request.value}, which takes {', '.join(CELL_SUMMARIES)}"
    if request.items is not None:
        reason = _not_of_items(request.items.shape, figure)
        if reason:
            return reason
    if figure in MENTION_FIGURES:
        return "" if question.kind == "multi" else "only a multiple-response question has mentions"
    if is_summary(figure):
        if question.kind == "number" or (question.scale and not request.within):
            return ""
        return "it is neither a number nor a scale" if not request.within else "nested rows have no scores"
    if question.kind == "number":
        return (
            "a number has no answers, only summaries such as mean and median; cut it into bands for percents"
        )
    nested_multi = question.kind == "multi"
    if figure == "cumulative percent" and nested_multi:
        return "answers that several can be given of do not add up"
    if figure == "mention percent" and question.kind != "multi":
        return "only a multiple-response question has mentions"
    if figure == "percent of outer" and not any(group.nest for group in request.banner.groups):
        return "it needs a nested banner"
    return ""


def _not_of_items(shape: Shape, figure: Figure) -> str:
    match shape:
        case "items by columns":
            return "a table of items by columns shows the one figure named as its 'figure'"
        case "answers by items":
            return "items side by side have no Total" if figure in NEEDS_TOTAL else ""
        case "before by after":
            return "" if figure in MOVE_FIGURES else f"before by after takes {', '.join(MOVE_FIGURES)}"
        case "one under another":
            return ""


def figures_for(request: TableRequest, question: Question) -> tuple[Figure, ...]:
    """Choose the figures of a question: those wanted that it can have, else what suits its kind.

    A number has only summaries (mean and standard deviation where none is asked for); other questions have
    percents where none is asked for, and a scale its mean as well. Raises RequestError for a figure that the request
    names for this table and the question cannot have.
    """
    if not request.inherited:
        refuse_figures(request, [question])
    chosen = tuple(figure for figure in request.figures if not why_not(request, question, figure))
    if question.kind == "number":
        return chosen or ("mean", "standard deviation")
    if not request.figures and question.scale and not request.within:
        return ("column percent", "mean")
    if not any(figure in CELL_FIGURES for figure in chosen):
        kept = chosen and (question.scale or not request.inherited)
        return chosen if kept else ("column percent", *chosen)
    return chosen


def refuse_figures(request: TableRequest, questions: Sequence[Question]) -> None:
    """Raise RequestError for a figure that none of the questions of a table can have."""
    for figure in request.figures:
        reasons = [why_not(request, question, figure) for question in questions]
        if all(reasons):
            named = ", ".join(question.name for question in questions[:3])
            raise RequestError(f"{named} cannot have the figure {figure!r}: {reasons[0]}.")


def left_out_figures(request: TableRequest, question: Question) -> list[tuple[Figure, str]]:
    """List the figures that a table inherits and cannot have, with the reason."""
    reasons = ((figure, why_not(request, question, figure)) for figure in request.figures)
    return [(figure, reason) for figure, reason in reasons if reason]
