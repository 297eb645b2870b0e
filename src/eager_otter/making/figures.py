"""The figures that a table can have, and the reasons against the others."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.codebook.model import Question
from eager_otter.errors import RequestError
from eager_otter.figures.figure import AnswerFigure, Asked
from eager_otter.figures.registry import all_figures, figure_called
from eager_otter.tables.request import Figure, TableRequest


def why_not(request: TableRequest, question: Question, figure: str) -> str:
    """Say why a table of a question cannot have a figure; "" where it can. Needs no data."""
    kind, shows = figure_called(figure), request.shows
    if shows.value is not None:
        fitting = [one.name for one in all_figures() if one.of_cells]
        return "" if kind.of_cells else f"its cells sum up {shows.value}, which takes {', '.join(fitting)}"
    if shows.one_figure:
        return "a table of items by columns shows the one figure named as its 'figure'"
    if shows.of_moves and not kind.of_moves:
        return f"before by after takes {', '.join(one.name for one in all_figures() if one.of_moves)}"
    asked = Asked(
        question=question,
        without_total=shows.items_across,
        grouped=bool(request.banner.groups),
        nested_rows=bool(shows.within),
        nested_banner=any(group.nest for group in request.banner.groups),
    )
    return kind.why_not(asked)


def figures_for(request: TableRequest, question: Question) -> tuple[Figure, ...]:
    """Choose the figures of a question: those wanted that it can have, else what suits its kind.

    A number has only summaries (mean and standard deviation where none is asked for); other questions have
    percents where none is asked for, and a scale its mean as well. Raises RequestError for a figure that the request
    names for this table and the question cannot have.
    """
    if not request.inherited:
        refuse_figures(request, [question])
    chosen = tuple(figure for figure in request.figures if not why_not(request, question, figure))
    if question.is_of.of_values:
        return chosen or ("mean", "standard deviation")
    if not request.figures and question.scale and not request.shows.within:
        return ("column percent", "mean")
    if not any(isinstance(figure_called(figure), AnswerFigure) for figure in chosen):
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
