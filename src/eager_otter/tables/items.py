"""Several questions in one table: a row per item across the banner, or a column per item."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Question
from eager_otter.core.means import moments
from eager_otter.errors import RequestError, UnknownName
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.making import Making, Setting, assembled, base_lines, in_shown_order, mark_names
from eager_otter.tables.notes import item_notes
from eager_otter.tables.request import Items, Sorting, TableRequest
from eager_otter.tables.rows import rows_of
from eager_otter.tables.table import Column, Group, Line, Table, find_column

MEAN = "mean"
ITEMS = "Items"


def items_table(request: TableRequest, sums: Sequence[QuestionSums], setting: Setting) -> Table:
    """Put the sums of several questions into one table.

    Raises UnknownName for a figure that an item does not have, RequestError where answer lists differ.
    """
    assert request.items is not None
    if request.items.shape == "answers by items":
        return _answers_by_items(request, request.items, sums, setting)
    if request.items.shape == "one under another":
        return _one_under_another(request, request.items, sums, setting)
    return _items_by_columns(request, request.items, sums, setting)


def _one_under_another(
    request: TableRequest, items: Items, sums: Sequence[QuestionSums], setting: Setting
) -> Table:
    """Put whole questions under their headings; bases stand again wherever they change."""
    lines: list[Line] = []
    before: QuestionSums | None = None
    for one in sums:
        making = Making(request, one, setting)
        bases = base_lines(one.base, making.base_marks, weighted=setting.weighted)
        changed = before is None or not np.array_equal(before.base.n, one.base.n)
        heading = _heading(one.question.text, len(setting.layout.columns))
        lines += bases if before is None else []
        lines.append(heading)
        if changed and before is not None:
            lines += bases
        lines += making.body()
        before = one
    return in_shown_order(_table(request, items, lines, setting, sums, alike=False), setting.layout.shown)


def _heading(text: str, columns: int) -> Line:
    return Line(
        label=text,
        kind="heading",
        figure="heading",
        values=np.full(columns, np.nan),
        letters=("",) * columns,
        marks=mark_names(np.zeros(columns, np.int64)),
    )


def _items_by_columns(
    request: TableRequest, items: Items, sums: Sequence[QuestionSums], setting: Setting
) -> Table:
    made = [Making(request, one, setting) for one in sums]
    rows = [
        (one.question, _item_line(making, one, items.figure)) for making, one in zip(made, sums, strict=True)
    ]
    alike = all(np.array_equal(one.base.n, sums[0].base.n) for one in sums)
    if request.rows.sort is not None:
        rows = _sorted(rows, request.rows.sort, setting)
    bases = {
        one.question.name: base_lines(one.base, m.base_marks, weighted=setting.weighted)
        for m, one in zip(made, sums, strict=True)
    }
    lines = list(bases[sums[0].question.name]) if alike else _smallest_base(made, sums)
    for question, line in rows:
        lines.append(line)
        if not alike:  # each item has a base of its own: it stands under the figure
            lines.append(
                replace(bases[question.name][0], label=line.label, code=question.name, kind="answer")
            )
    return in_shown_order(_table(request, items, lines, setting, sums, alike=alike), setting.layout.shown)


def _smallest_base(made: Sequence[Making], sums: Sequence[QuestionSums]) -> list[Line]:
    """Give the smallest base of any item in each column, where the items have different ones."""
    bases = np.array([one.base.n[0] for one in sums])
    places, smallest = bases.argmin(axis=0), bases.min(axis=0)
    marks = np.array([made[int(place)].base_marks[k] for k, place in enumerate(places)])
    return [
        Line(
            label="Smallest base of an item",
            kind="base",
            figure="unweighted base",
            values=smallest,
            letters=("",) * smallest.size,
            marks=mark_names(marks),
        )
    ]


def _item_line(making: Making, sums: QuestionSums, figure: str) -> Line:
    """Take the line of a net, an answer or the mean out of an item's table, under the item's label."""
    question = sums.question
    if figure.casefold() == MEAN:
        if sums.values is None:
            raise RequestError(f"{question.name} has no mean: it is neither a scale nor a number.")
        (line,) = making.summaries(sums.values, {"mean": moments(sums.values).mean[0]})
        return replace(line, label=question.label, kind="answer", code=question.name)
    wanted = next((row for row in rows_of(question) if row.label == _label_of(question, figure)), None)
    if wanted is None:
        known = [row.label for row in rows_of(question)]
        raise UnknownName("net or answer", figure, [*known, MEAN], question.name)
    line = making.line_of(wanted)
    return replace(line, label=question.label, kind="answer", code=question.name, indent=0)


def _label_of(question: Question, figure: str) -> str:
    nets = {net.label.casefold(): net.label for net in question.nets}
    answer = question.find(canonical(figure))
    return nets.get(figure.casefold()) or (answer.label if answer is not None else figure)


def _sorted(
    rows: list[tuple[Question, Line]], sort: Sorting, setting: Setting
) -> list[tuple[Question, Line]]:
    if sort.by == "label":
        return sorted(rows, key=lambda row: row[1].label.casefold(), reverse=not sort.up)
    if sort.by == "code":
        return rows if sort.up else rows[::-1]
    place = find_column(setting.layout.columns, sort.column, "the banner")
    return sorted(rows, key=lambda row: float(np.nan_to_num(row[1].values[place])), reverse=not sort.up)


def _answers_by_items(
    request: TableRequest, items: Items, sums: Sequence[QuestionSums], setting: Setting
) -> Table:
    """Put items side by side: each is a column, its own base on top; their common answers stand down."""
    lists = {tuple((answer.code, answer.label) for answer in one.question.valid) for one in sums}
    if len(lists) > 1:
        odd = next(one.question.name for one in sums if one.question.valid != sums[0].question.valid)
        raise RequestError(
            f"{odd} has other answers than {sums[0].question.name}; items side by side need the same ones."
        )
    untested = replace(request, levels=())
    tables = [Making(untested, one, setting).table() for one in sums]
    columns = tuple(
        Column(
            label=one.question.label,
            group=ITEMS,
            question=one.question.name,
            code=one.question.name,
        )
        for one in sums
    )
    lines = [
        replace(
            line,
            values=np.array([table.lines[k].values[table.loose[0]] for table in tables]),
            letters=("",) * len(tables),
            marks=tuple(table.lines[k].marks[table.loose[0]] for table in tables),
        )
        for k, line in enumerate(tables[0].lines)
    ]
    group = Group(label=ITEMS, start=0, stop=len(columns))
    table = _table(request, items, lines, setting, sums, alike=False)
    return replace(table, columns=columns, groups=(group,), levels=())


def _table(
    request: TableRequest,
    items: Items,
    lines: Sequence[Line],
    setting: Setting,
    sums: Sequence[QuestionSums],
    *,
    alike: bool,
) -> Table:
    title = request.title or request.question
    if items.shape == "items by columns" and not request.title:
        title = f"{title} – {_label_of(sums[0].question, items.figure)}"
    notes = item_notes(
        request, items, lines, sums, setting.facts, setting.layout, setting.shared, alike=alike
    )
    people = int(max(one.base.n[0, 0] for one in sums))
    return assembled(request, setting, lines, notes, title=title, people=people)
