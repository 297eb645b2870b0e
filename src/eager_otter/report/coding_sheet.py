"""The workbook in which people code open answers, and what comes of it: data with mention columns, a codebook part."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from eager_otter.codebook.model import Question
from eager_otter.data.coding import CODE, ID, TEXT, TEXTS, TOPIC, TOPICS, Coded
from eager_otter.data.responses import Responses
from eager_otter.drafting.yaml_text import comment, inside, listed, scalar
from eager_otter.gates.writing import write_rows
from eager_otter.looks.theme import STANDARD
from eager_otter.report.sheets import Book

TOPIC_ROWS = 300  # rows of the topic list that the cells of the texts choose from


def write_sheet(
    texts: Sequence[tuple[str, str]], topics: Sequence[tuple[str, str]], mentions: int, title: str, path: Path
) -> None:
    """Write ids and texts with cells for topics, chosen from the list on the second sheet by label."""
    book = Book(path, title)
    theme = STANDARD
    plain = {"font_name": theme.font, "font_size": theme.size, "valign": "top"}
    head = {**plain, "bold": True, "bg_color": theme.reed}
    sheet, listing = book.sheet(TEXTS), book.sheet(TOPICS)
    for column, name in enumerate([ID, TEXT, *(f"{TOPIC} {k}" for k in range(1, mentions + 1))]):
        sheet.text(0, column, name, head)
    for row, (identity, text) in enumerate(texts, 1):
        sheet.text(row, 0, identity, plain)
        sheet.text(row, 1, text, {**plain, "text_wrap": True})
    sheet.choices(1, 2, len(texts), mentions + 1, f"={TOPICS}!$B$2:$B${TOPIC_ROWS}")
    sheet.widths([12, 70, *([24] * mentions)])
    sheet.freeze(1, 2)
    listing.text(0, 0, CODE, head)
    listing.text(0, 1, TOPIC, head)
    for row, (code, label) in enumerate(topics, 1):
        listing.text(row, 0, code, plain)
        listing.text(row, 1, label, plain)
    listing.widths([8, 50])
    listing.freeze(1, 0)
    book.close()


def mention_columns(question: str, coded: Coded) -> list[str]:
    """Name the columns that hold the topics: as many as anybody has."""
    most = max([len(codes) for codes in coded.mentions], default=0) or 1
    return [f"{question}_topic_{k}" for k in range(1, most + 1)]


def write_data(responses: Responses, question: str, coded: Coded, path: Path) -> None:
    """Write all the data with the topics as mention columns behind."""
    added = mention_columns(question, coded)
    names = [name for name in responses.all_columns() if name not in added]
    columns = responses.as_text(names)
    for k in range(len(added)):
        columns.append([codes[k] if k < len(codes) else "" for codes in coded.mentions])
    write_rows(path, [*names, *added], zip(*columns, strict=True))


def codebook_part(question: Question, coded: Coded) -> str:
    """Write the part of a codebook that describes the topics, to be included in the codebook."""
    name = f"{question.name}_topics"
    lines = [
        comment(
            f"The topics of {question.name}, coded. Add to the codebook: include: [{question.name}-topics.yaml]"
        ),
        "questions:",
        f"  {scalar(name)}:",
        f"    text: {scalar(question.text)}",
        f"    label: {scalar(question.label + ', topics')}",
        *([f"    section: {scalar(question.section)}"] if question.section else []),
        "    kind: multi",
        f"    mentions: {listed(mention_columns(question.name, coded))}",
        "    answers:",
        *(f"      {scalar(code)}: {inside(label)}" for code, label in coded.topics),
    ]
    return "\n".join(lines) + "\n"
