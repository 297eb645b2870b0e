"""The respondents behind a cell."""

from __future__ import annotations

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Net, Question
from eager_otter.core.arrays import BoolArray, IntArray
from eager_otter.core.cells import column_membership
from eager_otter.counting.order import NO_ANSWER
from eager_otter.counting.part import BannerCounting
from eager_otter.counting.wanted import Count
from eager_otter.data.answers import Answers, NumberAnswers
from eager_otter.data.made import values_of
from eager_otter.data.selection import who_answered, who_counts_in
from eager_otter.documents.translated import goes_by
from eager_otter.tables.request import TableRequest
from eager_otter.tables.table import Line, Table


def people_in_cell(
    counting: BannerCounting,
    request: TableRequest,
    count: Count,
    table: Table,
    line: Line,
    place: int,
    row: tuple[str, str],
) -> IntArray:
    """List the rows of the data (from 0) behind a cell.

    They are those in the row and column or, for a summary or base, all it rests on. A column of a difference is
    for the people of both of its columns. `row` is the code and the label of the answer or net that the row is of.
    """
    question, answers = counting.asked(count)
    inside = _in_base(question, answers, line)
    if count.everyone and line.kind != "summary":
        inside = np.ones_like(inside)
    if request.shows.value is None and line.kind in ("answer", "net") and line.shows.in_row:
        is_answer = line.code or line.fixed != NO_ANSWER or not count.everyone
        inside &= _in_row(question, answers, row) if is_answer else ~who_answered(question, answers)
    if request.shows.value is not None and line.kind in ("answer", "net"):
        third = counting.responses.codebook.question(request.shows.value)
        inside &= _in_row(question, answers, row) & ~np.isnan(values_of(third, counting.chosen(third.name)))
    inside &= _in_column(counting, table, place)
    return np.flatnonzero(counting.population.rows)[inside]


def _in_column(counting: BannerCounting, table: Table, place: int) -> BoolArray:
    column = table.columns[place]
    if column.difference is not None:
        a, b = column.difference
        return column_membership(counting.cells, a) | column_membership(counting.cells, b)
    if table.shape == "answers by items":  # everybody is in all columns
        return np.ones(int(counting.population.rows.sum()), np.bool_)
    return column_membership(counting.cells, column.number)


def _in_base(question: Question, answers: Answers, line: Line) -> BoolArray:
    if line.kind == "summary" and (question.scale or isinstance(answers, NumberAnswers)):
        return ~np.isnan(values_of(question, answers))
    if isinstance(answers, NumberAnswers):
        return ~np.isnan(answers.values)
    return who_answered(question, answers)


def _in_row(question: Question, answers: Answers, row: tuple[str, str]) -> BoolArray:
    code, label = row
    net = next((net for net in question.nets if goes_by(net.label, label)), None)
    if net is None:
        answer = question.find(code or canonical(label))
        net = Net(label="", of=() if answer is None else (answer.code,))
    return who_counts_in(question, answers, net)
