"""Several questions in one table: a row per item across the banner, or a column per item."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property
from typing import assert_never

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.core.paired import test_item_means, test_item_proportions
from eager_otter.core.proportions import SharedPairs
from eager_otter.core.quantiles import Cut
from eager_otter.core.sums import Sums, side_by_side
from eager_otter.errors import RequestError, UnknownName
from eager_otter.figures.figure import AnswerFigure
from eager_otter.figures.registry import figure_called, summary_called
from eager_otter.looks.words import said
from eager_otter.tables.association import whole_table_notes
from eager_otter.tables.banner import BannerColumns, letter_name
from eager_otter.tables.base_rules import mark_names, shown, with_differences
from eager_otter.tables.comparing import Leaf, compare
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.finishing import Setting, finished, heading_line
from eager_otter.tables.making import Making
from eager_otter.tables.note import Note
from eager_otter.tables.notes import item_notes
from eager_otter.tables.order import chosen_rows
from eager_otter.tables.pairing import PairedSums
from eager_otter.tables.request import Items, Sorting, TableRequest, TestRules
from eager_otter.tables.rows import Row
from eager_otter.tables.table import Column, Group, Line, Table, find_column
from eager_otter.tables.testing import Tested

ITEMS = said("Items")
SMALLEST_BASE = said("Smallest base of an item")


def items_table(request: TableRequest, sums: Sequence[QuestionSums], setting: Setting) -> Table:
    """Put the sums of several questions into one table.

    Raises UnknownName for a figure that an item does not have, RequestError for one that it cannot have.
    """
    assert request.items is not None
    match request.items.shape:
        case "one under another":
            return _one_under_another(request, request.items, sums, setting)
        case "items by columns":
            return _items_by_columns(request, request.items, sums, setting)
        case "answers by items" | "before by after":
            raise ValueError(f"{request.items.shape} has no banner: it is made of its items alone.")
        case _:
            assert_never(request.items.shape)


def _one_under_another(
    request: TableRequest, items: Items, sums: Sequence[QuestionSums], setting: Setting
) -> Table:
    """Put whole questions under their headings; bases stand again wherever they change."""
    lines: list[Line] = []
    before: QuestionSums | None = None
    for place, one in enumerate(sums):
        making = Making(request, one, setting)
        changed = before is None or not np.array_equal(before.base.n, one.base.n)
        heading = heading_line(items.label_of(place, one.question.text), len(setting.layout.columns))
        lines += making.bases() if before is None else []
        lines.append(heading)
        if changed and before is not None:
            lines += making.bases()
        lines += making.body()
        before = one
    return _table(request, items, lines, setting, sums, alike=False)


def _items_by_columns(
    request: TableRequest, items: Items, sums: Sequence[QuestionSums], setting: Setting
) -> Table:
    made = [Making(request, one, setting) for one in sums]
    rows = [
        (one.question, _item_line(making, items, place))
        for place, (making, one) in enumerate(zip(made, sums, strict=True))
    ]
    alike = all(np.array_equal(one.base.n, sums[0].base.n) for one in sums)
    bases = {one.question.name: making.bases()[0] for making, one in zip(made, sums, strict=True)}
    if request.rows.sort is not None:
        rows = _sorted(rows, request.rows.sort, setting)
    lines = made[0].bases() if alike else _smallest_base(made, sums)
    for question, line in rows:
        lines.append(line)
        if not alike:  # each item has a base of its own: it stands under the figure
            own = bases[question.name]
            lines.append(replace(own, label=line.label, fixed="", code=line.code, kind="answer"))
    return _table(request, items, lines, setting, sums, alike=alike)


def _smallest_base(made: Sequence[Making], sums: Sequence[QuestionSums]) -> list[Line]:
    """Give the smallest base of any item in each column, where the items have different ones."""
    bases = np.array([one.base.n[0] for one in sums])
    places, smallest = bases.argmin(axis=0), bases.min(axis=0)
    marks = np.array([made[int(place)].base_marks[k] for k, place in enumerate(places)])
    marks = with_differences(marks, made[0].layout.difference_pairs)
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


def _item_line(making: Making, items: Items, place: int) -> Line:
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
        label = f"{label}: {making.request.words(figure.casefold()) if summary_called(figure) is not None else figure}"
    return replace(line, label=label, fixed="", kind="answer", code=question.name, indent=0)


def in_common(questions: Sequence[Question]) -> tuple[Question, list[str]]:
    """Give the first of several questions with the nets and differences that all have, and name those left out."""
    first = questions[0]
    nets = [net for net in first.nets if all(net in question.nets for question in questions)]
    differences = [
        one for one in first.differences if all(one in question.differences for question in questions)
    ]
    kept = {*(net.label for net in nets), *(one.label for one in differences)}
    every: dict[str, None] = {}
    for question in questions:
        every |= dict.fromkeys(net.label for net in question.nets)
        every |= dict.fromkeys(one.label for one in question.differences)
    common = replace(first, nets=tuple(nets), differences=tuple(differences))
    return common, [label for label in every if label not in kept]


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


def _table(
    request: TableRequest,
    items: Items,
    lines: Sequence[Line],
    setting: Setting,
    sums: Sequence[QuestionSums],
    *,
    alike: bool,
) -> Table:
    labels = dict.fromkeys(items.label_of(place, one.question.label) for place, one in enumerate(sums))
    title = request.title or ", ".join(labels)
    if items.shape == "items by columns" and not items.figures and not request.title:
        figure = items.figure
        title = (
            f"{title} – {request.words(figure.casefold()) if summary_called(figure) is not None else figure}"
        )
    notes = item_notes(request, items, lines, sums, setting, alike=alike)
    people = int(max(one.base.n[0, 0] for one in sums))
    table = finished(request, setting, lines, notes, title=title, people=people)
    none = whole_table_notes(request, (), said("it shows several questions"))
    return replace(table, notes=(*table.notes, *none))


# --- a column per item ----------------------------------------------------------------------------------


def idle_item_tests(tests: TestRules, items: Items, questions: Sequence[Question]) -> dict[str, str]:
    """Give what test rules say that would do nothing for items side by side, or cannot be: message by key of a plan."""
    found: dict[str, str] = {}
    known = [items.label_of(place, question.label) for place, question in enumerate(questions)]
    if tests.against in ("rest", "total"):
        found["against"] = (
            "the same people stand in all columns, so there is no rest; take it out, or name an item."
        )
    elif tests.against == "column" and tests.control not in (
        *known,
        *(question.name for question in questions),
    ):
        found["against"] = str(UnknownName("item", tests.control, known, "the table (as a control of tests)"))
    if tests.all_parents:
        found["compare"] = "items stand under no parent, so this would do nothing; take it out."
    if tests.rest_of_parent:
        found["rest of"] = "items stand under no parent, so this would do nothing; take it out."
    same = "answers of the same people have one test of {what}, so this would do nothing; take it out."
    if tests.percents != TestRules().percents:
        found["percents"] = same.format(what="percents")
    if tests.means != TestRules().means:
        found["means"] = same.format(what="means")
    return found


def item_columns(request: TableRequest, questions: Sequence[Question]) -> BannerColumns:
    """Lay items out as columns, compared with each other unless the request says otherwise.

    Raises RequestError where answer lists differ, UnknownName for a control that is none of the items.
    """
    assert request.items is not None
    check_alike(questions)
    head = request.words(ITEMS)
    columns = tuple(
        Column(
            label=request.items.label_of(k, question.label),
            group=head,
            letter=letter_name(k + 1),
            question=question.name,
            code=question.name,
        )
        for k, question in enumerate(questions)
    )
    against, control = request.tests.against, -1
    if against in ("rest", "total"):
        against = "each other"  # the same people stand in all columns: there is no rest
    if against == "column":
        known = [*(column.label for column in columns), *(column.code for column in columns)]
        if request.tests.control in known:
            control = find_column(columns, request.tests.control, "the items")
        else:
            against = "each other"
    places = tuple(range(len(columns)))
    leaf = Leaf(block=0, columns=places, against=against, all_parents=False, rest={}, control=control)
    return BannerColumns(
        columns=columns,
        groups=(Group(label=head, start=0, stop=len(columns)),),
        comparisons=compare([leaf], []),
        shown=places,
        blocks=(),
    )


def answers_by_items(
    request: TableRequest,
    sums: Sequence[QuestionSums],
    paired: PairedSums | None,
    layout: BannerColumns,
    setting: Setting,
) -> Table:
    """Put items side by side: each is a column, its own base on top; their common answers stand down."""
    assert request.items is not None
    common, left_out = in_common([one.question for one in sums])
    together = _together(sums, common)
    none = SharedPairs(np.full(len(layout.comparisons), -1))
    setting = replace(setting, layout=layout, shared=none, overlapping=np.zeros((0, 2), np.int64))
    making = _PairedMaking(request, together, setting, paired)
    lines = [replace(line, question=request.question) for line in (*making.bases(), *making.body())]
    table = _table(request, request.items, lines, setting, sums, alike=False)
    if not left_out:
        return table
    told = request.words("Not shown, as not all items have them alike: {rows}.", rows=", ".join(left_out))
    return replace(table, notes=(*table.notes, Note(told, "rows", told)))


def check_alike(questions: Sequence[Question]) -> None:
    """Refuse items that cannot stand side by side. Raises RequestError where answer lists or kinds differ."""
    first = questions[0]
    for question in questions:
        if [(a.code, a.label) for a in question.valid] != [(a.code, a.label) for a in first.valid]:
            raise RequestError(
                f"{question.name} has other answers than {first.name}; items side by side need the same ones."
            )
        if question.kind != first.kind:
            raise RequestError(f"{question.name} is of kind {question.kind}, {first.name} of {first.kind}.")
        if question.scores() != first.scores():
            raise RequestError(
                f"{question.name} has other scores than {first.name}; items side by side need the same ones."
            )


def _together(sums: Sequence[QuestionSums], common: Question) -> QuestionSums:
    """Put the Totals of several questions side by side: the answers, and the nets and differences that all have."""

    def rows_in_common(one: QuestionSums) -> Sums | None:
        if one.answers is None:
            return None
        labels = [net.label for net in one.question.nets]
        answers = len(one.question.valid)
        nets = [answers + labels.index(net.label) for net in common.nets]
        return one.answers.rows([*range(answers), *nets, *range(answers + len(labels), len(one.answers.n))])

    def stacked(parts: Sequence[Sums | None]) -> Sums | None:
        there = [part for part in parts if part is not None]
        return side_by_side(there) if len(there) == len(parts) else None

    base = stacked([one.base for one in sums])
    assert base is not None
    own_differences = [{difference.label: own for difference, own in one.differences} for one in sums]
    differences = [
        (difference, side_by_side([own[difference.label] for own in own_differences]))
        for difference in common.differences
    ]
    quantiles = [one.quantile for one in sums]

    def quantile(q: float) -> list[Cut]:
        return [own(q)[0] for own in quantiles if own is not None]

    return QuestionSums(
        question=common,
        answers=stacked([rows_in_common(one) for one in sums]),
        base=base,
        values=stacked([one.values for one in sums]),
        mentions=stacked([one.mentions for one in sums]),
        quantile=quantile if all(quantiles) else None,
        everyone=sums[0].everyone,
        differences=tuple(differences),
    )


class _PairedMaking(Making):
    """Makes the lines of items side by side: the same people in all columns, each on its own base."""

    def __init__(
        self, request: TableRequest, sums: QuestionSums, setting: Setting, paired: PairedSums | None
    ) -> None:
        super().__init__(request, sums, setting)
        self.paired = paired

    def rows_shown(self) -> tuple[Row, ...]:
        """Choose and order rows by the largest percent of any item, unless a column is named."""
        percents = np.nan_to_num(self.percents)
        largest = np.hstack([percents.max(axis=1, keepdims=True), percents])
        return chosen_rows(self._all_rows(), self.question, self.request.rows, largest, self._place)

    def _place(self, name: str) -> int:
        return 0 if name == Sorting().column else 1 + self._column(name)

    @cached_property
    def _tested_shares(self) -> Tested | None:
        if not self._tests_wanted() or self.paired is None or self.paired.rows is None:
            return None
        shared, pairs = self.paired.rows, self.layout.comparisons.pairs
        tests = test_item_proportions(self.answers, self.sums.base, pairs, shared)
        return self._decided("paired share", tests, self.base_marks, self._rows_off(), shared)

    def _tested_means(self, values: Sums, marks: IntArray) -> Tested | None:
        if not self._tests_wanted() or self.paired is None or values is self.sums.mentions:
            return None
        shared = self.paired.values
        for (_, sums), paired in zip(self.sums.differences, self.paired.differences, strict=True):
            shared = paired if sums is values else shared
        if shared is None:
            return None
        tests = test_item_means(values, self.layout.comparisons.pairs, shared)
        return self._decided("paired mean", tests, marks, np.zeros((1, 1), np.bool_), shared)


# --- before by after ------------------------------------------------------------------------------------


def before_by_after(request: TableRequest, sums: QuestionSums, after: Question, setting: Setting) -> Table:
    """Show who moved from which answer (down) to which (across), with those who stayed and those who moved."""
    assert request.items is not None
    making = Making(request, sums, setting)
    lines = [*making.bases(), *making.body(), *_moves(making, sums.question, after)]
    titled = replace(
        request, title=request.title or f"{sums.question.text} – {request.words('before by after')}"
    )
    return _table(titled, request.items, lines, setting, [sums], alike=True)


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
        found = figure_called(figure)
        values = found.moved(w, base.w[0]) if isinstance(found, AnswerFigure) else None
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
