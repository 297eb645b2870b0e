"""`eager-otter look`: tables in the terminal, those of the plan or others, for a moment."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from eager_otter.cli import completing
from eager_otter.cli.options import (
    FigureOption,
    cache_option,
    changed,
    data_beside_codebook,
    kept_in,
    language_option,
    notes_option,
    parted_words,
    read_named_plan,
    refuse_given,
    renamed_option,
    spoken,
    stdout_format_option,
    survey_options,
    tell_who_is_counted,
)
from eager_otter.errors import RequestError, UnknownName
from eager_otter.gates.reading import is_file
from eager_otter.tables.note import NotesLength

if TYPE_CHECKING:
    from eager_otter.asking.survey import Survey
    from eager_otter.cli.main import Process
    from eager_otter.plan.plan import Plan
    from eager_otter.tables.table import Table


BETWEEN = ("by", "x", "*", "against", "across")  # words that others put before a banner
LOOKED_AT = "survey and plan of the last look"


@click.command(short_help="Show tables in the terminal, for a moment.")
@click.argument(
    "names", nargs=-1, metavar="[TABLE | QUESTION]...", shell_complete=completing.tables_and_questions
)
@click.option(
    "--banner",
    "-b",
    "banners",
    multiple=True,
    metavar="NAME",
    shell_complete=completing.banners_and_questions,
    help="A banner of the plan, a question, or 'region within wave' for a nesting; several are placed side by side. "
    "Default: that of the table, else the plan's first; none for the Total alone.",
)
@renamed_option("--by", "--banner")
@click.option(
    "--set",
    "typed",
    multiple=True,
    metavar="KEY=VALUE",
    help="Any setting of a table in a plan, for this once: --set sort=down --set 'hide=[None of these]'; nothing "
    "behind the = takes the plan's away.",
)
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
@click.option(
    "--output",
    "-o",
    "output",
    metavar="FILE",
    help="Write the tables to a file instead, by its ending; - writes text to the standard output, see --format.",
)
@stdout_format_option
@click.option("--pager", is_flag=True, help="Page through what is longer than the terminal.")
@notes_option
@language_option
@cache_option
@survey_options
def look(
    names: tuple[str, ...],
    banners: tuple[str, ...],
    typed: tuple[str, ...],
    figures: tuple[str, ...],
    levels: tuple[float, ...],
    digits: int | None,
    output: str | None,
    shape: str | None,
    pager: bool,
    notes: NotesLength | None,
    language: str | None,
    **where: Any,
) -> None:
    """Show tables in the terminal, with the plan's filter, weight, tests and base rules.

    A TABLE is the id of one in the plan, or a pattern (rating*): it is shown as the plan says, with what the options
    say instead. A QUESTION or grid that the plan has no table of has the plan's defaults; its label will do. Without
    a name, the shape of a banner is shown: its columns, letters and bases, and which are thin.

    \b
    eager-otter look heard_of
    eager-otter look heard_of liking 'rating*'
    eager-otter look liking --banner region --banner age_band --set base=all
    eager-otter look heard_of --banner 'region within wave' --filter 'age >= 35'
    eager-otter look --banner main
    """
    if not names:
        refuse_given(
            "Without a name the shape of a banner is shown",
            "figures", "digits", "typed", "output", "shape", "language",
        )  # fmt: skip
        _show_shape(banners, levels, notes, where)
        return
    settings = _settings(typed, figures, levels, digits)
    try:
        plan = spoken(_asked_plan(names, banners, settings, where), language)
    except UnknownName as error:
        if error.name.casefold() in BETWEEN and error.name in names[:-1]:
            banner = names[names.index(error.name) + 1]
            raise RequestError(
                f"{error}\nA banner is named with --banner: {names[0]} --banner {banner}"
            ) from error
        if is_file(Path(error.name)):
            hint = f"{error.name} is a file: data are named with --data, with a --codebook, and a plan with --plan."
            raise RequestError(f"{error}\n{hint}") from error
        if len(names) > 1:
            raise RequestError(f"{error}{parted_words(names)}") from error
        raise
    survey = _survey(plan, where)
    from eager_otter.report.opening import tables_alone

    tables = tables_alone(survey, plan)
    if output is not None:
        _write(plan, survey, tables, output, shape, notes)
        return
    if shape is not None:
        raise RequestError("--format goes with -o -, which writes to the standard output.")
    from eager_otter.gates.streams import page
    from eager_otter.gates.styled import StyledLine, lines_of, width_of_terminal
    from eager_otter.report.terminal import table_view

    width = width_of_terminal()
    between = StyledLine()
    views = (table_view(table, width, notes or plan.notes) for table in tables)
    page((lines_of(between, view) if k else view for k, view in enumerate(views)), paged=pager)
    _say_where_from(survey)


def _settings(
    typed: tuple[str, ...], figures: tuple[str, ...], levels: tuple[float, ...], digits: int | None
) -> dict[str, Any]:
    """Put together the settings of the tables, as a plan writes them. Raises RequestError, UnknownName."""
    from eager_otter.figures.registry import check_figure
    from eager_otter.plan.asked_for import settings_typed
    from eager_otter.tables.request import check_levels

    settings = dict(settings_typed(typed))
    for key, given in (("figures", figures), ("tests", levels), ("digits", digits is not None)):
        if given and key in settings:
            raise RequestError(f"{key} is said twice: by --set {key} and by an option of its own.")
    for figure in figures:
        check_figure(figure)
    if figures:
        settings["figures"] = list(figures)
    if levels:
        wanted = () if levels == (0.0,) else levels
        check_levels(wanted)
        settings["tests"] = {"levels": list(wanted)} if wanted else "none"
    if digits is not None:
        settings["digits"] = {"percent": digits}
    return settings


def _asked_plan(
    names: tuple[str, ...], banners: tuple[str, ...], settings: dict[str, Any], where: dict[str, Any]
) -> Plan:
    """Read the plan, or make one of codebook and data, with the tables asked for."""
    from eager_otter.plan.asked_for import AskedFor
    from eager_otter.plan.reading import plan_of_files_for, read_plan_for

    asked = AskedFor(names=names, banners=banners, settings=settings)
    codebook, data = where["codebook"], where["data"]
    if codebook is None:
        plan = read_named_plan(where["plan_path"], read=lambda path: read_plan_for(asked, path))
        return changed(plan, data, where["filter_text"], where["no_filter"], where["weight"])
    plan = replace(plan_of_files_for(asked, codebook, data_beside_codebook(data)), cache=kept_in())
    return changed(plan, None, where["filter_text"], no_filter=False, weight=where["weight"])


def _survey(plan: Plan, where: dict[str, Any]) -> Survey:
    """Open the survey of a plan, and say who is counted."""
    from eager_otter.report.opening import survey_again, survey_of

    process: Process = click.get_current_context().obj
    before, of = process.left.pop(LOOKED_AT, (None, None))
    survey = None if before is None else survey_again(before, of, plan)
    if survey is None:
        survey = survey_of(plan, for_tables_alone=True)
    if process.goes_on:
        process.left[LOOKED_AT] = survey, plan
    tell_who_is_counted(survey, plan, where["filter_text"])
    return survey


def _show_shape(
    banners: tuple[str, ...], levels: tuple[float, ...], notes: NotesLength | None, where: dict[str, Any]
) -> None:
    """Show the columns, letters and bases of a banner."""
    from eager_otter.asking.banners import banner_called
    from eager_otter.cli.options import opened
    from eager_otter.gates.streams import show
    from eager_otter.gates.styled import width_of_terminal
    from eager_otter.report.terminal import table_view
    from eager_otter.tables.request import TableRequest, check_levels

    survey, plan = opened(**where)
    standard = plan.standard if plan is not None else TableRequest()
    wanted = banner_called(banners, {} if plan is None else plan.banners, survey.codebook)
    wanted = wanted if banners else standard.banner
    if not wanted.groups:
        raise RequestError("Name a question or table, or a banner to see its shape, with --banner.")
    asked = standard.levels if not levels else () if levels == (0.0,) else levels
    check_levels(asked)
    width = width_of_terminal()
    show(table_view(survey.preview(wanted, standard.bases, asked), width, notes or "short"))
    _say_where_from(survey)


def _say_where_from(survey: Survey) -> None:
    from eager_otter.gates.styled import line_of, lines_of, print_lines

    print_lines(lines_of(line_of(f"Data: {survey.source}", "dim", indent=2)), sys.stderr)


def _write(
    plan: Plan,
    survey: Survey,
    tables: list[Table],
    output: str,
    shape: str | None,
    notes: NotesLength | None,
) -> None:
    """Write tables to a file, or to the standard output."""
    from eager_otter.cli.options import written_out
    from eager_otter.report.report import report_of_plan

    report = report_of_plan(plan, survey, tables)
    written_out(report, output, shape, notes)
