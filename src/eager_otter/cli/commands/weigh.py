"""`eager-otter weigh`: make a weight by raking to targets."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import click

from eager_otter.cli.options import force_option
from eager_otter.errors import RequestError, shown_path
from eager_otter.gates.streams import echo, show


@click.command(short_help="Make a weight that meets targets.")
@click.argument("targets", type=click.Path(path_type=Path))
@click.option(
    "--output", "-o", type=click.Path(path_type=Path), help="Default: DATA-weighted.csv beside the data."
)
@click.option(
    "--name", default="weight", show_default=True, metavar="COLUMN", help="What to call the weight."
)
@click.option("--only-weights", is_flag=True, help="Write ids and weights only, not all the data.")
@click.option(
    "--report", type=click.Path(path_type=Path), help="Write the targets before and after to this CSV."
)
@click.option(
    "--picture", type=click.Path(path_type=Path), help="Draw the spread of the weights: .png or .svg."
)
@force_option
def weigh(
    targets: Path,
    output: Path | None,
    name: str,
    only_weights: bool,
    report: Path | None,
    picture: Path | None,
    force: bool,
) -> None:
    """Make a weight that meets the TARGETS of a small YAML file, by raking (rim weighting).

    \b
    plan: plan.yaml              # or data: and codebook:
    filter: status == "complete" # else the plan's
    cap: 4                       # no weight above 4 times the mean
    targets:
      gender: {A woman: 51, A man: 49}
      age_band: {16-24: 14, 25-34: 17, 35-54: 33, 55+: 36}

    Shares add up to 100; 'given as: counts' takes counts. 'within: wave' rakes each wave for itself. Prints every
    target before and after, and what the weighting costs in precision.
    """
    from eager_otter.data.opened import open_responses
    from eager_otter.data.waves import Waves, path_beside
    from eager_otter.gates.writing import check_targets, written_beside
    from eager_otter.plan.reading import read_plan
    from eager_otter.report.weighting_view import draw, weighting_view, write_lines, write_weighted
    from eager_otter.weighing.reading import in_file, read_targets
    from eager_otter.weighing.weighing import WrongTargets
    from eager_otter.weighing.weighing import weigh as make_weights

    document, part, wanted = read_targets(targets)
    if part.plan is not None and (part.data is not None or part.codebook is not None):
        raise RequestError(
            f"{shown_path(targets)}: a plan names data and codebook; take these out, or the plan."
        )
    folder = targets.parent
    reading = plan_filter = None
    inputs: list[Path] = [targets]
    if part.data is not None and part.codebook is not None:
        from eager_otter.codebook.reading import read_codebook

        data: Path | Waves
        book, data = read_codebook(folder / part.codebook), folder / str(part.data)
        inputs += [*book.files, data]
    elif part.plan is not None:
        plan = read_plan(folder / part.plan)
        book, data, reading, plan_filter = plan.codebook, plan.data, plan.reading, plan.filter
        inputs += plan.inputs
    else:
        raise RequestError(
            f"{shown_path(targets)}: says not of which data. Name a plan (plan: plan.yaml), or data and codebook."
        )
    beside = path_beside(data)
    target = output or beside.with_name(f"{beside.stem}-weighted.csv")
    places = [path for path in (target, report, picture) if path is not None]
    check_endings(target, report, picture)
    check_targets(places, inputs=inputs, force=force)
    responses = open_responses(replace(book, weight=wanted.start), data, reading)
    try:
        weighting = make_weights(responses, wanted, responses.filtered(part.filter or plan_filter))
    except WrongTargets as error:
        raise in_file(error, document) from error
    show(weighting_view(weighting))
    read = [*inputs, *(() if responses.file is None else responses.file.paths)]
    with written_beside(places, inputs=read, force=force) as parts:
        part_of = dict(zip(places, parts, strict=True))
        write_weighted(weighting, responses, name, part_of[target], only=only_weights)
        if report is not None:
            write_lines(weighting, part_of[report])
        if picture is not None:
            draw(weighting, part_of[picture])
    for path in places:
        echo(shown_path(path))


def check_endings(target: Path, report: Path | None, picture: Path | None) -> None:
    """Refuse files whose endings say that they hold something else. Raises RequestError."""
    for path in (target, report):
        if path is not None and path.suffix.lower() != ".csv":
            raise RequestError(f"{path.name}: weights and their report are written as .csv.")
    if picture is not None and picture.suffix.lower() not in (".png", ".svg"):
        raise RequestError(f"{picture.name}: the picture of the weights is written as .png or .svg.")
