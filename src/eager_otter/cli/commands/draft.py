"""`eager-otter draft`: a first codebook and plan from bare data."""

from __future__ import annotations

import shlex
from pathlib import Path

import click

from eager_otter.errors import shown_path
from eager_otter.gates.streams import echo


@click.command()
@click.argument("data", type=click.Path(path_type=Path))
@click.option(
    "--into",
    type=click.Path(path_type=Path, file_okay=False),
    help="Write into this folder. Default: the folder of DATA.",
)
@click.option("--sheet", help="The sheet of a workbook. Default: the first.")
@click.option("--delimiter", help="The character between the cells of a CSV file. Default: detected.")
@click.option("--encoding", help="The encoding of a CSV file. Default: detected.")
@click.option(
    "--decimal", type=click.Choice([".", ","]), help="The decimal sign of a CSV file. Default: detected."
)
def draft(
    data: Path,
    into: Path | None,
    sheet: str | None,
    delimiter: str | None,
    encoding: str | None,
    decimal: str | None,
) -> None:
    """Write a first codebook and plan for DATA, guessed from what is in it.

    Kinds of questions, tick batteries, mentions, joined codes, grids, dates, ids and weights are guessed; each
    guess says why in a comment. Correct codebook.yaml, then run plan.yaml; both work untouched. A triple-s
    definition (.xml) brings its codebook with it. Files that are there are never overwritten.
    """
    from collections import Counter

    from eager_otter.data.opening import Reading
    from eager_otter.drafting.drafting import draft as make_draft
    from eager_otter.drafting.drafting import write_draft

    reading = Reading(sheet=sheet, delimiter=delimiter, encoding=encoding, decimal=decimal)  # type: ignore[arg-type]
    folder = into or data.parent
    drafted = make_draft(data, reading, folder=folder)
    written = write_draft(drafted, folder)
    for path in written:
        echo(shown_path(path))
    roles = Counter(guess.role for guess in drafted.guesses)
    echo("Guessed: " + ", ".join(f"{count} {role}" for role, count in roles.items()), err=True)
    plan = shlex.quote(shown_path(written[-1]))
    echo(f"Next: read the comments in the codebook, correct it, then: eager-otter run {plan}", err=True)
