"""`eager-otter look`: one quick table in the terminal."""

from __future__ import annotations

from typing import Any

import click

from eager_otter.cli.options import (
    FigureOption,
    notes_option,
    opened,
    refuse_given,
    renamed_option,
    survey_options,
)
from eager_otter.tables.note import NotesLength


@click.command()
@click.argument("question", required=False)
@click.option(
    "--banner",
    "-b",
    "banners",
    multiple=True,
    metavar="NAME",
    help="A question, or a banner of the plan, whose columns are wanted; several are placed side by side.",
)
@renamed_option("--by", "--banner")
@click.option(
    "--figure",
    "figures",
    multiple=True,
    metavar="FIGURE",
    cls=FigureOption,
)
@click.option(
    "--level",
    "levels",
    multiple=True,
    type=float,
    metavar="PERCENT",
    help="Confidence level of the letters, one or two, strictest first; 0 for no tests. Default: the plan's.",
)
@click.option("--digits", type=click.IntRange(0, 10), help="Decimal places of percents.")
@notes_option
@survey_options
def look(
    question: str | None,
    banners: tuple[str, ...],
    figures: tuple[str, ...],
    levels: tuple[float, ...],
    digits: int | None,
    notes: NotesLength | None,
    **where: Any,
) -> None:
    """Show one QUESTION by a banner in the terminal, with the plan's filter, weight, tests and base rules.

    Without a QUESTION, show the shape of the banner: its columns, letters and bases, and which are thin.

    \b
    eager-otter look liking --banner region --banner age_band
    eager-otter look heard_of --banner wave --filter 'age >= 35'
    eager-otter look --banner main
    """
    from dataclasses import replace

    from eager_otter.asking.survey import banner_called
    from eager_otter.errors import RequestError
    from eager_otter.figures.registry import check_figure
    from eager_otter.report.terminal import table_view
    from eager_otter.tables.request import TableRequest, check_levels
    from eager_otter.tables.shows import OneQuestion

    if question is None:
        refuse_given("Without a QUESTION the shape of a banner is shown", "figures", "digits")
    survey, plan = opened(**where)
    request = plan.standard if plan is not None else TableRequest()
    grid = survey.codebook.grids.get(question or "")
    if grid is not None:
        raise RequestError(f"{question} is a grid; look at one of its items: {', '.join(grid.items)}.")
    for figure in figures:
        check_figure(figure)
    wanted = banner_called(banners, {} if plan is None else plan.banners, survey.codebook)
    if figures:
        request = replace(request, inherited=False)
    if levels:
        request = replace(request, levels=() if levels == (0.0,) else levels)
        check_levels(request.levels)
    if question is None:
        if not wanted.groups:
            raise RequestError("Name a question, or a banner to see its shape, with --banner.")
        _print(table_view, survey.preview(wanted, request.bases, request.levels), survey, notes)
        return
    if digits is not None:
        request = replace(request, digits=replace(request.digits, percent=digits))
    request = replace(
        request,
        shows=OneQuestion(question),
        banner=wanted,
        figures=figures or request.figures,
    )
    (table,) = survey.tables([request])
    _print(table_view, table, survey, notes or ("short" if plan is None else plan.notes))


def _print(table_view: Any, table: Any, survey: Any, notes: NotesLength | None) -> None:
    from eager_otter.gates.terminal import terminal

    console = terminal()
    console.print(table_view(table, console.width, notes or "short"))
    terminal(err=True).print(f"  Data: {survey.source}", style="dim", markup=False)
