"""`eager-otter chart`: a table as a picture."""

from __future__ import annotations

from collections.abc import Container, Sequence
from fnmatch import fnmatchcase
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from eager_otter.cli import completing
from eager_otter.cli.options import (
    changed,
    force_option,
    language_option,
    manifest_option,
    people_options,
    plan_option,
    read_named_plan,
    spoken,
    tell_who_is_counted,
)
from eager_otter.errors import OtterError, UnknownName, shown_path
from eager_otter.gates.streams import echo
from eager_otter.gates.text import file_name

if TYPE_CHECKING:
    from eager_otter.plan.plan import Plan
    from eager_otter.report.picture import Picture
    from eager_otter.report.report import Report
    from eager_otter.tables.table import Table


@click.command(short_help="Draw tables of the plan as pictures.")
@click.argument("tables", nargs=-1, required=True, metavar="TABLE…", shell_complete=completing.tables)
@click.option(
    "--folder",
    type=click.Path(path_type=Path),
    default=Path(),
    help="Where the pictures go; each is named by its table's id. Default: here.",
)
@click.option(
    "--group",
    "groups",
    multiple=True,
    metavar="GROUP",
    help="Draw the columns of this banner group, by its label or question; may be given several times; 'all' for every "
    "one. Default: as the plan says, else the first with at most six columns, else the Total.",
)
@click.option("--format", "kind", type=click.Choice(["png", "svg"]), default="png", show_default=True)
@manifest_option
@force_option
@plan_option
@language_option
@people_options
def chart(
    tables: tuple[str, ...],
    folder: Path,
    groups: tuple[str, ...],
    kind: str,
    manifest: bool,
    force: bool,
    plan_path: Path,
    language: str | None,
    **people: Any,
) -> int:
    """Draw tables of the plan as pictures: bars, stacked bars for scales and items, lines for key figures by wave.

    TABLE is a table's id (`eager-otter run --list`), with * for several. A table that cannot be drawn does not stop
    the others.

    \b
    eager-otter chart heard_of liking
    eager-otter chart 'rating*' --format svg --folder charts
    eager-otter chart liking --group region --group age_band
    """
    from eager_otter.gates.outputs import MANIFEST
    from eager_otter.gates.writing import check_targets, new_folder, write_each
    from eager_otter.plan.reading import only_tables
    from eager_otter.report.running import run

    plan = spoken(changed(read_named_plan(plan_path), **people), language)
    known, problems = _known(plan, tables)
    if not known:
        raise problems[0]
    report = run(only_tables(plan, known))
    assert report.survey is not None
    tell_who_is_counted(report.survey, plan, people["filter_text"])
    pictures: dict[Path, Picture] = {}
    for table in report.tables:
        try:
            pictures |= _pictures(table, report, groups, folder, kind, taken=pictures)
        except OtterError as error:
            problems.append(error)
    with new_folder(folder):
        beside = [folder / MANIFEST] if manifest else []
        check_targets([*pictures, *beside], inputs=report.inputs, force=force)
        writers = [(path, picture.write) for path, picture in pictures.items()]
        drawn, unwritten = write_each(writers, inputs=report.inputs, force=force)
        problems += unwritten
        for path in drawn:
            echo(shown_path(path))
        if manifest and drawn:
            from eager_otter.report.manifest import save_manifest

            echo(shown_path(save_manifest(report, drawn, force=force)), err=True)
    for problem in problems:
        echo(f"Error: {problem}", err=True)
    return 2 if problems else 0


def _known(plan: Plan, names: Sequence[str]) -> tuple[list[str], list[OtterError]]:
    """Part the names that fit tables of a plan from those that fit none, each of these with its problem."""
    known, problems = [], list[OtterError]()
    ids = [request.id for request in plan.requests]
    for name in names:
        if any(fnmatchcase(one, name) for one in ids):
            known.append(name)
        else:
            problems.append(UnknownName("table", name, ids, "the plan"))
    return known, problems


def _pictures(
    table: Table, report: Report, groups: Sequence[str], folder: Path, kind: str, *, taken: Container[Path]
) -> dict[Path, Picture]:
    """Lay out the charts of a table, each under a path that no other has. Raises OtterError."""
    from eager_otter.report.picture import pictures_of

    pictures = pictures_of(table, report.theme, report.provenance, groups=groups)
    asked = bool(groups or table.chart_groups)
    by_path: dict[Path, Picture] = {}
    for picture in pictures:
        ending = f"-{file_name(picture.spec.group).lower()}" if asked and picture.spec.group else ""
        stem, number = f"{file_name(table.id)}{ending}", 2
        path = folder / f"{stem}.{kind}"
        while path in by_path or path in taken:
            path, number = folder / f"{stem}-{number}.{kind}", number + 1
        by_path[path] = picture
    return by_path
