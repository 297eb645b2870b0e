"""A column per question, their common answers down, tested as answers of the same people."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import cached_property

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import FloatArray, IntArray
from eager_otter.core.paired import test_item_means, test_item_proportions
from eager_otter.core.proportions import SharedPairs
from eager_otter.core.quantiles import Cut
from eager_otter.core.sums import S, Sums, ValueSums, side_by_side
from eager_otter.counting.counts import QuestionSums
from eager_otter.counting.order import chosen_rows
from eager_otter.counting.pairing import PairedSums
from eager_otter.counting.rows import Row
from eager_otter.figures.figure import Values
from eager_otter.making.lines import Making
from eager_otter.making.notes import figure_notes, net_notes
from eager_otter.making.row_tests import RowTests, all_rows
from eager_otter.making.setting import Setting
from eager_otter.making.shapes.items_across import in_common, item_columns
from eager_otter.making.shapes.shape import Counted, SeveralQuestions, table_of_items
from eager_otter.tables.note import Note
from eager_otter.tables.request import Banner, Sorting, TableRequest
from eager_otter.tables.shows import AnswersByItems
from eager_otter.tables.table import Line, Table
from eager_otter.tables.testing import Tested


class AnswersByItemsTable(SeveralQuestions[AnswersByItems]):
    """Items side by side: each is a column with its own base on top."""

    of = AnswersByItems

    def settled(self, request: TableRequest) -> TableRequest:
        """Leave the banner out: the items are the columns."""
        return replace(super().settled(request), banner=Banner())

    def asked_in(self, names: Sequence[str], line: Line, place: int) -> int:
        """Take the item that is the column."""
        return place

    def make(self, counted: Counted[AnswersByItems]) -> Table:
        """Put items side by side, what all of them have alike. Raises RequestError where answer lists differ."""
        request, sums = counted.request, counted.sums
        questions = [one.question for one in sums]
        layout = item_columns(request, counted.shows, questions)
        common, left_out = in_common(questions)
        none = SharedPairs(np.full(len(layout.comparisons), -1))
        overlapping = np.zeros((0, 2), np.int64)
        setting = replace(counted.setting, layout=layout, shared=none, overlapping=overlapping)
        paired = _paired(counted, layout.comparisons.pairs, common)
        making = _PairedMaking(request, _together(sums, common), setting, paired)
        lines = [replace(line, question=request.shows.name) for line in (*making.bases(), *making.body())]
        table = table_of_items(counted, lines, _read(counted, lines), setting=setting)
        if not left_out:
            return table
        text = request.words("Not shown, as not all items have them alike: {rows}.", rows=", ".join(left_out))
        return replace(table, notes=(*table.notes, Note(text, "rows", text)))


def _paired(counted: Counted[AnswersByItems], pairs: IntArray, common: Question) -> PairedSums | None:
    """Count who is in both items of each pair, what they have in common; None where nothing is tested."""
    if not counted.request.levels or not len(pairs):
        return None
    alike = [replace(one.question, nets=common.nets, differences=common.differences) for one in counted.sums]
    return counted.counting.paired(counted.counts, alike, counted.sums, pairs)


def _read(counted: Counted[AnswersByItems], lines: Sequence[Line]) -> Iterator[Note]:
    """Say what the columns are, and what figures and nets mean."""
    yield Note(counted.request.words("Each column is one item; it has its own base."), "rows")
    yield from figure_notes(counted.request, lines, "answers")
    if any(line.kind == "net" for line in lines):
        yield from net_notes(counted.request, counted.sums[0].question, lines)


def _together(sums: Sequence[QuestionSums], common: Question) -> QuestionSums:
    """Put the Totals of several questions side by side: the answers, and the nets and differences that all have."""

    def rows_in_common(one: QuestionSums) -> Sums | None:
        if one.answers is None:
            return None
        labels = [net.label for net in one.question.nets]
        answers = len(one.question.valid)
        nets = [answers + labels.index(net.label) for net in common.nets]
        return one.answers.rows([*range(answers), *nets, *range(answers + len(labels), len(one.answers.n))])

    def stacked(parts: Sequence[S | None]) -> S | None:
        there = [part for part in parts if part is not None]
        return side_by_side(there) if len(there) == len(parts) else None

    base = stacked([one.base for one in sums])
    assert base is not None
    own_differences = [{difference.label: values for difference, values in one.differences} for one in sums]
    differences = [
        (difference, side_by_side([values[difference.label] for values in own_differences]))
        for difference in common.differences
    ]
    quantiles = [one.quantile for one in sums]

    def quantile(shares: FloatArray) -> list[Cut]:
        return [values(shares[k : k + 1])[0] for k, values in enumerate(quantiles) if values is not None]

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
        self.paired = paired
        super().__init__(request, sums, setting)

    def _tests(self) -> RowTests:
        return _PairedTests(self.request, self.sums, self.setting, self.base_marks, self.paired)

    def rows_shown(self) -> tuple[Row, ...]:
        """Choose and order rows by the largest percent of any item, unless a column is named."""
        percents = np.nan_to_num(self.percents)
        largest = np.hstack([percents.max(axis=1, keepdims=True), percents])
        rows = all_rows(self.request, self.sums)
        return chosen_rows(rows, self.question, self.request.rows, largest, self._place)

    def _place(self, name: str) -> int:
        return 0 if name == Sorting().column else 1 + self._column(name)


class _PairedTests(RowTests):
    """Makes the tests of items side by side, which allow for those in both; medians are not compared."""

    def __init__(
        self,
        request: TableRequest,
        sums: QuestionSums,
        setting: Setting,
        marks: IntArray,
        paired: PairedSums | None,
    ) -> None:
        super().__init__(request, sums, setting, marks)
        self.paired = paired

    @cached_property
    def shares(self) -> Tested | None:
        if not self.wanted or self.paired is None or self.paired.rows is None:
            return None
        shared, pairs = self.paired.rows, self.layout.comparisons.pairs
        tests = test_item_proportions(self.answers, self.sums.base, pairs, shared)
        return self.decided("paired share", tests, self.marks, self.rows_off(), shared)

    def medians(self, values: Values, marks: IntArray) -> Tested | None:
        return None

    def means(self, values: ValueSums, marks: IntArray) -> Tested | None:
        if not self.wanted or self.paired is None or values is self.sums.mentions:
            return None
        shared = self.paired.values
        for (_, sums), paired in zip(self.sums.differences, self.paired.differences, strict=True):
            shared = paired if sums is values else shared
        if shared is None:
            return None
        tests = test_item_means(values, self.layout.comparisons.pairs, shared)
        return self.decided("paired mean", tests, marks, np.zeros((1, 1), np.bool_), shared)
