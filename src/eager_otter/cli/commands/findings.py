"""`eager-otter findings`: the notable differences of a report."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from eager_otter.cli.options import (
    NAMED_AFTER,
    changed,
    force_option,
    manifest_option,
    people_options,
    read_named_plan,
    renamed_option,
    tell_who_is_counted,
)
from eager_otter.errors import RequestError, shown_path
from eager_otter.gates.streams import echo, show


@click.command(short_help="Rank the notable differences of a plan's tables.")
@click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.yaml"))
@click.option(
    "--waves",
    metavar="QUESTION",
    help="Set every table by this question of waves, each wave against the one before.",
)
@click.option(
    "--most", type=click.IntRange(1), default=25, show_default=True, help="How many to give at most."
)
@click.option(
    "--least",
    type=float,
    default=0.2,
    show_default=True,
    help="The smallest effect: 0.2 small, 0.5 medium, 0.8 large.",
)
@click.option(
    "--level", type=float, metavar="PERCENT", help="Confidence level after correction. Default: the plan's."
)
@click.option("--only", multiple=True, metavar="ID", help="Look at this table only; several times, with *.")
@click.option("--format", "shape", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option(
    "--output",
    "-o",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write them to this .csv or .json file as well.",
)
@renamed_option("--by", "--waves")
@manifest_option
@force_option
@people_options
def findings(
    plan: Path,
    waves: str | None,
    most: int,
    least: float,
    level: float | None,
    only: tuple[str, ...],
    shape: str,
    output: Path | None,
    manifest: bool,
    force: bool,
    **people: Any,
) -> None:
    """Rank the notable differences in the tables of a PLAN (default: plan.yaml), the largest effect first.

    Each cell is tested against everyone else and corrected for all cells looked at; thin bases stay out.

    \b
    eager-otter findings
    eager-otter findings --waves wave --least 0.1
    """
    from dataclasses import replace

    from eager_otter.gates.outputs import MANIFEST
    from eager_otter.gates.writing import check_targets, written_beside
    from eager_otter.plan.reading import only_tables
    from eager_otter.report.findings_view import as_json, findings_view
    from eager_otter.report.opening import survey_of
    from eager_otter.report.report import Report
    from eager_otter.report.saving import writers_of

    if manifest and output is None:
        raise RequestError("--manifest is written beside a file: name one with --output.")
    if output is not None and output.suffix.lower() not in (".csv", ".json"):
        raise RequestError(f"{output.name}: findings are written as .csv or .json.")
    checked = changed(read_named_plan(plan, NAMED_AFTER), **people)
    if only:
        checked = only_tables(checked, only)
    if output is not None:
        beside = [output.parent / MANIFEST] if manifest else []
        check_targets([output, *beside], inputs=checked.inputs, force=force)
    survey = survey_of(replace(checked, findings=0))
    tell_who_is_counted(survey, checked, people["filter_text"])
    report = Report(
        title=checked.title,
        tables=(),
        source=survey.source,
        filter=checked.filter,
        weight=checked.weight,
        plan=checked,
        survey=survey,
        theme=checked.theme,
        words=checked.words,
    )
    notable = report.findings(waves=waves, most=most, least=least, level=level)
    if shape == "json":
        echo(as_json(notable))
    else:
        show(findings_view(notable))
    if output is not None:
        with written_beside([output], inputs=report.inputs, force=force) as (part,):
            writers_of(notable)[output.suffix.lower()](part)
        echo(shown_path(output), err=True)
    if manifest and output is not None:
        from eager_otter.report.manifest import save_manifest

        checked_report = replace(report, tables=tuple(survey.tables(checked.requests)))
        echo(shown_path(save_manifest(checked_report, [output], force=force)), err=True)
