"""`eager-otter compare`: what changed between two saved results."""

from __future__ import annotations

from pathlib import Path

import click

from eager_otter.cli.options import force_option, refuse_given
from eager_otter.errors import RequestError, shown_path
from eager_otter.gates.reading import is_folder
from eager_otter.gates.streams import echo, show

DIFFERENT = 1


@click.command(short_help="Say what changed between two results, and why.")
@click.argument("old", type=click.Path(path_type=Path))
@click.argument("new", type=click.Path(path_type=Path))
@click.option(
    "--tolerance",
    type=float,
    default=0.0,
    show_default=True,
    help="Leave out figures that moved by no more than this (points of percent, units of a mean or count).",
)
@click.option(
    "--most", type=click.IntRange(0), default=40, show_default=True, help="How many changes to list."
)
@click.option("--format", "shape", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option(
    "--output",
    "-o",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write all changes to this .xlsx or .json file as well.",
)
@force_option
def compare(
    old: Path, new: Path, tolerance: float, most: int, shape: str, output: Path | None, force: bool
) -> int:
    """Say what changed from the results in OLD to those in NEW, both tidy files of a report (.csv, .json, .parquet).

    Causes come first, from the manifests beside the two: level, tests, weight, filter, base rules, nets, wording, data;
    where there is none, that is said. Then come figures that moved, letters that flipped, bases and marks that changed;
    tables, rows and columns that came, went or were renamed. OLD and NEW may also be folders that hold a manifest. Exit
    code 0 when nothing differs, 1 when something does.

    \b
    eager-otter compare last-week/tables.csv tables.csv --tolerance 0.5
    eager-otter compare last-week .
    """
    from eager_otter.comparing.comparing import compare_files
    from eager_otter.comparing.manifest import result_in
    from eager_otter.gates.outputs import MANIFEST
    from eager_otter.gates.writing import check_targets, written_beside
    from eager_otter.report.compare_view import as_json, compare_view
    from eager_otter.report.saving import writers_of

    if shape == "json":
        refuse_given("--format json gives all changes", "most")
    if output is not None and output.suffix.lower() not in (".xlsx", ".json"):
        raise RequestError(f"{output.name}: a comparison is written as .xlsx or .json.")
    old, new = (result_in(path) if is_folder(path) else path for path in (old, new))
    read = [*(old, new), *(path.parent / MANIFEST for path in (old, new))]
    if output is not None:
        check_targets([output], inputs=read, force=force)
    comparison = compare_files(old, new, tolerance=tolerance)
    if shape == "json":
        echo(as_json(comparison))
    else:
        show(compare_view(comparison, most=most))
    if output is not None:
        with written_beside([output], inputs=read, force=force) as (part,):
            writers_of(comparison)[output.suffix.lower()](part)
        echo(shown_path(output), err=True)
    return DIFFERENT if comparison.changes or comparison.causes else 0
