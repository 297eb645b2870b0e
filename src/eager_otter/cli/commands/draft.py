"""`eager-otter draft`: a first codebook and plan from bare data."""

from __future__ import annotations

import shlex
from pathlib import Path

import click

from eager_otter.errors import shown_path
from eager_otter.gates.streams import echo
from eager_otter.looks.words import counted


@click.command()
@click.argument("data", type=click.Path(path_type=Path))
@click.option(
    "--into",
    type=click.Path(path_type=Path, file_okay=False),
    help="Write into this folder. Default: the folder of DATA.",
)
@click.option(
    "--dictionary",
    type=click.Path(path_type=Path, dir_okay=False),
    help="A data dictionary with texts and labels: a sheet or CSV, DDI-Codebook (.xml), data package or CSVW (.json).",
)
@click.option("--sheet", help="The sheet of a workbook. Default: the first.")
@click.option("--delimiter", help="The character between the cells of a CSV file. Default: detected.")
@click.option("--encoding", help="The encoding of a CSV file. Default: detected.")
@click.option(
    "--decimal", type=click.Choice([".", ","]), help="The decimal sign of a CSV file. Default: detected."
)
@click.option(
    "--heading-rows",
    type=click.IntRange(1, 2),
    help="How many rows of a CSV file or sheet name the columns. Default: detected.",
)
def draft(
    data: Path,
    into: Path | None,
    sheet: str | None,
    delimiter: str | None,
    encoding: str | None,
    decimal: str | None,
    heading_rows: int | None,
    dictionary: Path | None,
) -> None:
    """Write a first codebook and plan for DATA, guessed from what is in it.

    Kinds of questions, tick batteries, mentions, joined codes, grids, dates, ids and weights are guessed; each
    guess says why in a comment, and what is doubtful is marked with check: and listed here first. Two rows of
    headings are found. Correct codebook.yaml, then run plan.yaml; both work untouched. Labels come from a
    --dictionary, or from a definition given as DATA: triple-s or DDI-Codebook (.xml), data package or CSVW (.json).
    Files that are there are never overwritten.
    """
    from eager_otter.data.opening import Reading
    from eager_otter.drafting.drafting import draft as make_draft
    from eager_otter.drafting.drafting import write_draft
    from eager_otter.gates.terminal import terminal
    from eager_otter.report.draft_view import draft_view

    reading = Reading(
        sheet=sheet,
        delimiter=delimiter,
        encoding=encoding,
        decimal=decimal,  # type: ignore[arg-type]
        heading_rows=heading_rows,  # type: ignore[arg-type]
    )
    folder = into or data.parent
    drafted = make_draft(data, reading, folder=folder, dictionary=dictionary)
    written = write_draft(drafted, folder)
    for path in written:
        echo(shown_path(path))
    terminal(err=True).print("", draft_view(drafted))
    for line in drafted.told:
        echo(f"Dictionary: {line}", err=True)
    plan = shlex.quote(shown_path(written[-1]))
    doubted = sum(bool(guess.doubts) for guess in drafted.guesses)
    first = (
        f'look at the {counted(doubted, "guess", "guesses")} marked "check:" in the codebook, then'
        if doubted
        else "read the codebook, then"
    )
    echo(f"Next: {first}: eager-otter audit {plan}", err=True)
