"""`eager-otter draft`: a first codebook and plan from bare data."""

from __future__ import annotations

import shlex
from pathlib import Path
from typing import TYPE_CHECKING

import click

from eager_otter.errors import shown_path
from eager_otter.gates.streams import echo
from eager_otter.looks.words import counted

if TYPE_CHECKING:
    from eager_otter.drafting.differences import Differences

CODEBOOK = "codebook.yaml"
FOUND = 1


@click.command(short_help="Write a first codebook and plan for bare data.")
@click.argument("files", nargs=-1, required=True, metavar="DATA...", type=click.Path(path_type=Path))
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
    type=click.IntRange(1, 3),
    help="How many rows of a CSV file or sheet name the columns. Default: detected.",
)
@click.option(
    "--headings-from-row",
    type=click.IntRange(1, 100),
    help="The row of a CSV file or sheet in which the headings begin, below a title. Default: detected.",
)
def draft(
    files: tuple[Path, ...],
    into: Path | None,
    sheet: str | None,
    delimiter: str | None,
    encoding: str | None,
    decimal: str | None,
    heading_rows: int | None,
    headings_from_row: int | None,
    dictionary: Path | None,
) -> int:
    """Write a first codebook and plan for DATA, guessed from what is in it; several files are waves of one survey.

    Kinds of questions, tick batteries, rankings, mentions, joined codes, grids, dates, ids and weights are guessed;
    each guess says why in a comment, and what is doubtful is marked with check: and listed here first. Two or
    three rows of headings are found. Correct codebook.yaml, then run plan.yaml; both work untouched. Labels come from a
    --dictionary, or from a definition given as DATA: triple-s or DDI-Codebook (.xml), data package or CSVW (.json).
    Where the folder has a codebook.yaml, nothing is written: what is new in the data, gone or changed is told (exit
    code 1 where anything is).
    """
    from eager_otter.data.opening import Reading
    from eager_otter.data.waves import path_beside
    from eager_otter.drafting.drafting import draft as make_draft
    from eager_otter.drafting.drafting import write_draft
    from eager_otter.gates.reading import is_file
    from eager_otter.gates.terminal import terminal
    from eager_otter.report.draft_view import draft_view

    reading = Reading(
        sheet=sheet,
        delimiter=delimiter,
        encoding=encoding,
        decimal=decimal,  # type: ignore[arg-type]
        heading_rows=heading_rows,  # type: ignore[arg-type]
        headings_from_row=headings_from_row,
    )
    folder = into or path_beside(files[0]).parent
    data = list(files) if len(files) > 1 else files[0]
    drafted = make_draft(data, reading, folder=folder, dictionary=dictionary)
    if is_file(folder / CODEBOOK):
        return _tell_differences(drafted.differences(folder / CODEBOOK), folder / CODEBOOK)
    written = write_draft(drafted, folder)
    for path in written:
        echo(shown_path(path))
    terminal(err=True).print("", draft_view(drafted), "")
    for line in drafted.told:
        echo(line, err=True)
    plan = shlex.quote(shown_path(written[-1]))
    doubted = sum(bool(guess.doubts) for guess in drafted.guesses)
    first = (
        f'look at the {counted(doubted, "guess", "guesses")} marked "check:" in the codebook, then'
        if doubted
        else "read the codebook, then"
    )
    echo(f"Next: {first}: eager-otter audit {plan}", err=True)
    return 0


def _tell_differences(found: Differences, codebook: Path) -> int:
    """Tell what is different between the data and a codebook that is there: an exit code."""
    if found.new:
        echo(found.new_questions())
    for column in found.gone:
        echo(f"Gone from the data: {column}", err=True)
    for change in found.changed:
        echo(f"Changed: {change.question}: {change.what}", err=True)
    place = shown_path(codebook)
    if not found:
        echo(f"{place} fits the data; nothing was written.", err=True)
        return 0
    new = f"{counted(len(found.new), 'new question')} above, " if found.new else ""
    echo(
        f"{place} is there and was not touched: {new}{counted(len(found.gone), 'column')} gone, "
        f"{counted(len(found.changed), 'question')} changed.",
        err=True,
    )
    return FOUND
