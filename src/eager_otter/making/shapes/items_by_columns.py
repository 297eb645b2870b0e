"""A row per question, one figure of each, across the banner."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import assert_never

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.counting.counts import QuestionSums
from eager_otter.errors import UnknownName
from eager_otter.figures.registry import summary_called
from eager_otter.looks.words import said
from eager_otter.making.lines import Making
from eager_otter.making.notes import figure_notes, what_rows_show
from eager_otter.making.setting import Setting
from eager_otter.making.shapes.shape import Counted, SeveralQuestions, table_of_items
from eager_otter.tables.base_rules import mark_names
from eager_otter.tables.lookup import find_column
from eager_otter.tables.note import Note
from eager_otter.tables.request import Sorting
from eager_otter.tables.shows import ItemsByColumns
from eager_otter.tables.table import Line, Table

SMALLEST_BASE = said("Smallest base of an item")


class ItemsByColumnsTable(SeveralQuestions[ItemsByColumns]):
    """A net, an answer or a summary of each question in a row."""

    of = ItemsByColumns

    def row_named(self, shows: ItemsByColumns, line: Line, asked: int) -> tuple[str, str]:
        """Return the answer or net whose percent is shown of the item."""
        return "", shows.figure_of(asked)

    def make(self, counted: Counted[ItemsByColumns]) -> Table:
        """Take the figure named of each question; where their bases differ, each is shown under its figure.

        Raises UnknownName for a figure that an item does not have, RequestError for one that it cannot have.
        """
        request, items, sums = counted.request, counted.shows, counted.sums
        makings = [Making(request, one, counted.setting) for one in sums]
        rows = [
            (one.question, _item_line(making, items, place))
            for place, (making, one) in enumerate(zip(makings, sums, strict=True))
        ]
        alike = all(np.array_equal(one.base.n, sums[0].base.n) for one in sums)
        bases = {one.question.name: making.bases()[0] for making, one in zip(makings, sums, strict=True)}
        if request.rows.sort is not None:
            rows = _sorted(rows, request.rows.sort, counted.setting)
        lines = makings[0].bases() if alike else _smallest_base(makings, sums)
        for question, line in rows:
            lines.append(line)
            if not alike:
                item_bases = bases[question.name]
                lines.append(replace(item_bases, label=line.label, fixed="", code=line.code, kind="answer"))
        return table_of_items(counted, lines, _read(counted, lines, alike=alike), title=_title(counted))


def _title(counted: Counted[ItemsByColumns]) -> str:
    """Name the questions and the one figure that is shown of them; "" where each has its own."""
    items, say = counted.shows, counted.request.words
    if items.figures:
        return ""
    labels = dict.fromkeys(items.label_of(k, one.question.label) for k, one in enumerate(counted.sums))
    summary = summary_called(items.figure)
    return f"{', '.join(labels)} – {items.figure if summary is None else say(summary.name)}"


def _read(counted: Counted[ItemsByColumns], lines: Sequence[Line], *, alike: bool) -> Iterator[Note]:
    """Say what the rows show, and where their bases are."""
    say = counted.request.words
    sentence = "" if alike else " " + say("Its own base is under it.")
    text = say("Each row shows {what}.", what=what_rows_show(counted.shows, lines, say))
    yield Note(text + sentence, "rows", text)
    yield from figure_notes(counted.request, lines, "answers")


def _smallest_base(makings: Sequence[Making], sums: Sequence[QuestionSums]) -> list[Line]:
    """Return the smallest base of any item in each column, where the items have different ones.

    Items of which nobody in the column was asked are set aside, where others were.
    """
    bases = np.array([one.base.n[0] for one in sums])
    aside = [
        np.zeros(bases.shape[1], np.bool_) if one.asked_nobody is None else one.asked_nobody for one in sums
    ]
    places = np.where(aside, np.inf, bases).argmin(axis=0)
    smallest = bases[places, np.arange(bases.shape[1])]
    marks = np.array([makings[int(place)].base_marks[k] for k, place in enumerate(places)])
    marks = makings[0].layout.judged(marks)
    return [
        Line(
            label=SMALLEST_BASE,
            fixed=SMALLEST_BASE,
            kind="base",
            figure="unweighted base",
            values=smallest,
            letters=("",) * smallest.size,
            marks=mark_names(marks),
            signed=True,
        )
    ]


def _item_line(making: Making, items: ItemsByColumns, place: int) -> Line:
    """Take the line of a net, an answer, a difference or a summary out of an item's table, under the item's label."""
    question, figure = making.question, items.figure_of(place)
    label = items.label_of(place, question.label)
    difference, summary = making.difference_called(figure), summary_called(figure)
    if summary is not None:
        line = making.summary_of(summary)
    elif difference is not None:
        line = difference
    else:
        try:
            line = making.line_of(making.row_called(figure))
        except UnknownName as error:
            known = [*error.known, *(one.label for one in question.differences), "mean"]
            raise UnknownName("net or answer", figure, known, question.name) from None
    if items.figures and not (items.labels and items.labels[place]):
        named = line.label if summary is None else making.request.words(figure.casefold())
        label = f"{label}: {named}"
    return replace(line, label=label, fixed="", kind="answer", code=question.name, indent=0)


def _sorted(
    rows: list[tuple[Question, Line]], sort: Sorting, setting: Setting
) -> list[tuple[Question, Line]]:
    match sort.by:
        case "label":
            return sorted(rows, key=lambda row: row[1].label.casefold(), reverse=not sort.up)
        case "code":
            return rows if sort.up else rows[::-1]
        case "figure":
            at = find_column(setting.layout.columns, sort.column, "the banner")
            return sorted(rows, key=lambda row: float(np.nan_to_num(row[1].values[at])), reverse=not sort.up)
        case _:
            assert_never(sort.by)
