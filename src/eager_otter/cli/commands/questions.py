"""`eager-otter questions`: list, search, and look at one question."""

from __future__ import annotations

from typing import Any

import click

from eager_otter.cli import completing
from eager_otter.cli.options import filter_option, opened, source_options
from eager_otter.gates.streams import echo
from eager_otter.looks.words import counted


@click.command(short_help="List, search and look at questions.")
@click.argument("words", nargs=-1, shell_complete=completing.questions)
@click.option("--codes", is_flag=True, help="Show every question found in full: codes, labels and counts.")
@click.option(
    "--sort",
    "order",
    type=click.Choice(["survey", "name", "label", "kind"]),
    default="survey",
    show_default=True,
)
@click.option("--show", type=click.Choice(["both", "names", "labels"]), default="both", show_default=True)
@source_options
@filter_option
def questions(
    words: tuple[str, ...], codes: bool, order: str, show: str, filter_text: str | None, **where: Any
) -> None:
    """List the questions of a survey, or those that hold all WORDS in name, text, labels or section.

    The exact name of a question shows it in full: codes, labels and how many people gave each answer
    (everyone in the data, unweighted, or with --filter those who satisfy it), and what the first of them gave as it
    is in the data.

    \b
    eager-otter questions
    eager-otter questions brand heard
    eager-otter questions heard_of --filter 'status == "complete"'
    """
    from eager_otter.data.overview import found, in_order, load_report, overview, sample_records
    from eager_otter.errors import UnknownName
    from eager_otter.report.listing import load_view, question_view, questions_view

    survey, _ = opened(filter_text=filter_text, whole=True, **where)
    rows = survey.responses.filtered(filter_text)
    from eager_otter.gates.terminal import terminal

    console = terminal()
    joined = " ".join(words)
    if joined in survey.questions:
        console.print(
            question_view(
                overview(survey.responses, joined, rows), sample_records(survey.responses, joined, rows)
            )
        )
        return
    names = found(survey.codebook, joined)
    if not names:
        raise UnknownName("question with the words", joined, tuple(survey.questions))
    ordered = in_order(survey.codebook, names, order)  # type: ignore[arg-type]
    overviews = [overview(survey.responses, name, rows) for name in ordered]
    if codes:
        for one in overviews:
            console.print(question_view(one), "")
    else:
        console.print(questions_view(overviews, sections=order == "survey", show=show))
        if not words:
            terminal(err=True).print(load_view(load_report(survey.responses)))
        echo(f"{len(names)} of {counted(len(survey.questions), 'question')}; {survey.source}", err=True)
