"""Two questions: who moved from which answer, down, to which, across."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.sums import Sums
from eager_otter.figures.figure import AnswerFigure
from eager_otter.figures.registry import figure_called
from eager_otter.looks.words import said
from eager_otter.making.lines import Making
from eager_otter.making.notes import figure_notes, row_notes
from eager_otter.making.shapes.shape import Counted, SeveralQuestions, table_of_items
from eager_otter.tables.base_rules import mark_names, shown
from eager_otter.tables.note import Note
from eager_otter.tables.request import Banner, BannerGroup, TableRequest
from eager_otter.tables.shows import BeforeByAfter
from eager_otter.tables.table import Line, Table


class BeforeByAfterTable(SeveralQuestions[BeforeByAfter]):
    """The answer before down, the answer after across, of those who answered both times; nothing is tested."""

    of = BeforeByAfter

    def settled(self, request: TableRequest) -> TableRequest:
        """Take the question after as banner, those who answered it as base, and figures of people who moved."""
        after = request.shows.questions[1]
        kept = tuple(
            figure for figure in request.figures if figure_called(figure).of_moves or not request.inherited
        )
        request = super().settled(request)
        return replace(
            request,
            banner=Banner(groups=(BannerGroup(question=after),)),
            figures=kept or ("table percent", "count"),
            base=f"answered `{after}`",
            base_text=request.base_text or said("answered both times"),
            levels=(),
        )

    def questions(self, request: TableRequest) -> tuple[str, ...]:
        """Count the question before alone."""
        return super().questions(request)[:1]

    def make(self, counted: Counted[BeforeByAfter]) -> Table:
        """Show who moved from which answer to which, with those who stayed and those who moved."""
        (sums,), after = counted.sums, counted.codebook.question(counted.shows.questions[1])
        making = Making(counted.request, sums, counted.setting)
        lines = [*making.bases(), *making.body(), *_moves(making, sums.question, after)]
        title = f"{sums.question.text} – {counted.request.words('before by after')}"
        return table_of_items(counted, lines, _read(counted, lines), title=title)


def _read(counted: Counted[BeforeByAfter], lines: Sequence[Line]) -> Iterator[Note]:
    """Say what is down and across."""
    move = counted.request.words(
        "Down: the answer before. Across: the answer after, given by the same people."
    )
    yield Note(move, "rows", move)
    yield from row_notes(counted.request, counted.sums[0].question, [], counted.setting)
    yield from figure_notes(counted.request, lines, "answers")


def _moves(making: Making, before: Question, after: Question) -> list[Line]:
    """Add up those who gave the same answer, and for scales those who went up and down, in each column."""
    answers, base = making.sums.answers, making.sums.base
    assert answers is not None
    columns = making.layout.columns
    across = [k for k, column in enumerate(columns) if column.question == after.name]
    lines = []
    for label, moved in _moved(before, after, [columns[k].code for k in across]).items():
        w = np.zeros(len(columns))
        w[across] = (answers.w[: len(before.valid), across] * moved).sum(axis=0)
        w[0] = w.sum()
        lines += _move_lines(making, label, w, base)
    return lines


def _moved(before: Question, after: Question, codes: Sequence[str]) -> dict[str, BoolArray]:
    """Tell by kind of move which answer before (down) goes with which after (across): scales by their scores."""
    if before.scale and after.scale:
        down = np.array([before.scores().get(answer.code, np.nan) for answer in before.valid])[:, None]
        across = np.array([after.scores().get(code, np.nan) for code in codes])[None, :]
        return {
            said("Same answer"): down == across,
            said("Higher after"): across > down,
            said("Lower after"): across < down,
        }
    same = np.array([[answer.code == code for code in codes] for answer in before.valid])
    return {said("Same answer"): same, said("Another answer"): ~same}


def _move_lines(making: Making, label: str, w: FloatArray, base: Sums) -> list[Line]:
    lines = []
    for figure in making.figures:
        kind = figure_called(figure)
        values = kind.moved(w, base.w[0]) if isinstance(kind, AnswerFigure) else None
        if values is None:
            continue
        lines.append(
            Line(
                label=label,
                fixed=label,
                kind="net",
                figure=figure,
                values=shown(values, making.base_marks),
                letters=("",) * w.size,
                marks=mark_names(making.base_marks),
                question=making.question.name,
            )
        )
    return lines
