"""`eager-otter texts`: send open answers out to be coded, and read the coded sheet back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from eager_otter.cli import completing
from eager_otter.cli.options import force_option, inputs_of, opened, refuse_given, source_options
from eager_otter.errors import RequestError, shown_path
from eager_otter.gates.streams import echo


@click.command(short_help="Code open answers into topics, in a workbook.")
@click.argument("question", shell_complete=completing.questions)
@click.option(
    "--to", "sheet", type=click.Path(path_type=Path), help="Write the texts to this workbook (.xlsx)."
)
@click.option(
    "--topics", type=click.Path(path_type=Path), help="A CSV file of topics to begin with: code, topic."
)
@click.option(
    "--mentions", type=click.IntRange(1, 20), default=4, show_default=True, help="Topics a text may have."
)
@click.option("--coded", type=click.Path(path_type=Path), help="Read this coded workbook back.")
@force_option
@source_options
def texts(
    question: str,
    sheet: Path | None,
    topics: Path | None,
    mentions: int,
    coded: Path | None,
    force: bool,
    **where: Any,
) -> None:
    """Code the open answers of QUESTION into topics, in a spreadsheet.

    \b
    eager-otter texts likes_open --to to-code.xlsx       the texts, and an empty topic list beside
    eager-otter texts likes_open --coded to-code.xlsx    the data with the topics, and a part for the codebook

    Whoever codes writes the topics on the second sheet and chooses them by label beside each text. Coming back,
    unknown topics, moved rows and double ids are refused; texts without a topic are counted.
    """
    from eager_otter.data.waves import path_beside
    from eager_otter.gates.text import file_name
    from eager_otter.gates.writing import check_targets
    from eager_otter.report.coding import read_texts, write_coded, write_texts

    if (sheet is None) == (coded is None):
        raise RequestError("Say either --to (write the texts out) or --coded (read them back).")
    if coded is not None:
        refuse_given("Topics are read from the coded sheet", "topics", "mentions")
    survey, plan = opened(**where, whole=True)
    read = [*inputs_of(survey, plan), *(path for path in (topics, coded) if path is not None)]
    if sheet is not None:
        count = write_texts(
            survey, question, sheet, topics=_topics(topics), mentions=mentions, inputs=read, force=force
        )
        echo(f"{shown_path(sheet)}  ({count:,} texts)")
        return
    assert coded is not None
    data = path_beside(where["data"] if plan is None else plan.data)
    places = [data.with_name(f"{data.stem}-coded.csv"), data.with_name(f"{file_name(question)}-topics.yaml")]
    check_targets(places, inputs=read, force=True)
    codes = read_texts(survey, question, coded)
    write_coded(survey, question, codes, *places, inputs=read, force=force)
    for path in places:
        echo(shown_path(path))
    echo(f"{len(codes.uncoded):,} texts have no topic, {len(codes.twice):,} have one twice.", err=True)


def _topics(path: Path | None) -> list[tuple[str, str]]:
    if path is None:
        return []
    from eager_otter.data.opening import open_data

    file = open_data(path)
    if not {"code", "topic"} <= set(file.names):
        raise RequestError(f"{shown_path(path)}: the columns 'code' and 'topic' are wanted.")
    table = file.read(["code", "topic"]).to_pydict()
    return [(str(code), str(topic)) for code, topic in zip(table["code"], table["topic"], strict=True)]
