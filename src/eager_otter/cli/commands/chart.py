"""`eager-otter chart`: a table as a picture."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from eager_otter.cli.options import (
    changed,
    language_option,
    people_options,
    plan_option,
    read_named_plan,
    spoken,
    tell_who_is_counted,
)
from eager_otter.errors import shown_path


@click.command()
@click.argument("tables", nargs=-1, required=True, metavar="TABLE…")
@click.option(
    "--folder",
    type=click.Path(path_type=Path),
    default=Path(),
    help="Where the pictures go; each is named by its table's id. Default: here.",
)
@click.option("--format", "kind", type=click.Choice(["png", "svg"]), default="png", show_default=True)
@plan_option
@language_option
@people_options
def chart(
    tables: tuple[str, ...],
    folder: Path,
    kind: str,
    plan_path: Path,
    language: str | None,
    **people: Any,
) -> None:
    """Draw tables of the plan as pictures: bars, stacked bars for scales and items, lines for key figures by wave.

    TABLE is a table's id (`eager-otter run --list`), with * for several.

    \b
    eager-otter chart heard_of liking
    eager-otter chart 'rating*' --format svg --folder charts
    """
    from eager_otter.plan.reading import only_tables
    from eager_otter.report.picture import write_chart
    from eager_otter.report.places import written_beside
    from eager_otter.report.report import run

    plan = spoken(changed(read_named_plan(plan_path), **people), language)
    report = run(only_tables(plan, tables))
    assert report.survey is not None
    tell_who_is_counted(report.survey, plan, people["filter_text"])
    paths = [folder / f"{table.id}.{kind}" for table in report.tables]
    with written_beside(paths) as beside:
        for table, path in zip(report.tables, beside, strict=True):
            write_chart(table, path, report.theme, report.provenance)
    for path in paths:
        click.echo(shown_path(path))
