"""Options that several commands share, and how to open what they name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from eager_otter.errors import FileProblem, RequestError

if TYPE_CHECKING:
    from eager_otter.plan.plan import Plan
    from eager_otter.tables.survey import Survey

F = TypeVar("F", bound=Callable[..., Any])

plan_option = click.option(
    "--plan",
    "-p",
    "plan_path",
    type=click.Path(path_type=Path),
    default=Path("plan.yaml"),
    show_default=True,
    help="The plan that names codebook and data.",
)
codebook_option = click.option(
    "--codebook", type=click.Path(path_type=Path), help="A codebook, instead of the plan's; needs --data."
)
data_option = click.option(
    "--data", type=click.Path(path_type=Path), help="A file of responses, instead of the plan's."
)
filter_option = click.option(
    "--filter",
    "filter_text",
    metavar="EXPRESSION",
    help="Count only those who satisfy it, instead of the plan's filter: 'age >= 18 and region == \"North\"'.",
)
everyone_option = click.option(
    "--no-filter", is_flag=True, help="Count everyone: leave the plan's filter out."
)
weight_option = click.option(
    "--weight", metavar="COLUMN", help="Weight by this column, instead of the plan's; 'none' for unweighted."
)


language_option = click.option(
    "--language",
    metavar="LANGUAGE",
    help="Say the fixed words in this language instead of the plan's: en, de, or a catalogue (.yaml).",
)


def people_options(command: F) -> F:
    """Add the options that change whose data a plan counts, and with what weight; `changed` takes what they say."""
    for option in reversed((data_option, filter_option, everyone_option, weight_option)):
        command = option(command)
    return command


def survey_options(command: F) -> F:
    """Add the options that say which survey, who is counted and how weighted."""
    return plan_option(codebook_option(people_options(command)))


def opened(
    plan_path: Path,
    codebook: Path | None,
    data: Path | None,
    filter_text: str | None,
    no_filter: bool,
    weight: str | None,
) -> tuple[Survey, Plan | None]:
    """Open the survey that the options name, and its plan where there is one."""
    from eager_otter.report.report import open_survey, survey_of

    if codebook is not None:
        if data is None:
            raise RequestError("--codebook needs --data: name the file of responses as well.")
        survey, plan = open_survey(codebook, data), None
        if filter_text is not None:
            survey = survey.filtered(filter_text)
        return (survey if weight is None else survey.weighted_by(None if weight == "none" else weight)), plan
    plan = changed(read_named_plan(plan_path), data, filter_text, no_filter, weight)
    survey = survey_of(plan)
    if filter_text is not None:
        tell_idle_filter(survey, filter_text)
    return survey, plan


def tell_idle_filter(survey: Survey, filter_text: str) -> None:
    """Say on stderr when a filter from the command line leaves nobody out."""
    if survey.responses.filtered(filter_text).all():
        click.echo(f"Note: the filter leaves nobody out: {filter_text}", err=True)


def changed(
    plan: Plan, data: Path | None, filter_text: str | None, no_filter: bool, weight: str | None
) -> Plan:
    """Put what the command line says in the place of what the plan says."""
    from eager_otter.data.opening import Reading

    if data is not None:
        plan = replace(plan, data=data, reading=Reading())
    if no_filter:
        plan = replace(plan, filter=None)
    if filter_text is not None:
        plan = replace(plan, filter=filter_text)
    if weight is not None:
        column = None if weight == "none" else weight
        plan = replace(plan, weight=column, codebook=replace(plan.codebook, weight=column))
    return plan


def spoken(plan: Plan, language: str | None) -> Plan:
    """Put the language of the command line in the place of the plan's."""
    from eager_otter.plan.reading import in_language

    return plan if language is None else in_language(plan, language)


def read_named_plan(plan_path: Path) -> Plan:
    """Read the plan that --plan names; say what else there is where the usual one is not there."""
    from eager_otter.plan.reading import read_plan

    if plan_path == Path("plan.yaml") and not plan_path.exists():
        raise FileProblem(
            "plan.yaml: no such file here. Go to the folder of your plan, or name it with --plan, "
            "or name a codebook and data with --codebook and --data."
        )
    return read_plan(plan_path)
