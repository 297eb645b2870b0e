"""The data of tests of the whole table: the answers, values or items of a table, by banner group."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, IntArray
from eager_otter.core.means import moments
from eager_otter.core.sums import Sums
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.counts import BannerCounts, QuestionSums
from eager_otter.counting.passes import ItemsOfPeople
from eager_otter.counting.wanted import Count
from eager_otter.dataclass import dataclass
from eager_otter.figures.figure import AnswerFigure
from eager_otter.figures.registry import figure_called
from eager_otter.looks.words import said
from eager_otter.making.setting import Setting
from eager_otter.tables.association import (
    AnswersCrossing,
    ControlledCrossing,
    Crossing,
    ItemsCrossing,
    MultipleCrossing,
    ValuesCrossing,
    side_order,
)
from eager_otter.tables.base_rules import OFFERED, mark_names
from eager_otter.tables.request import TableRequest
from eager_otter.tables.table import Group


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Controlled:
    """A question that is controlled for, and the sums of the table's question nested in it, where both are single."""

    question: Question
    sums: QuestionSums | None


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Crossed:
    """A question with its sums, as tests of the whole table take them.

    `figures` are those shown, `marks` (columns,) judge the columns, `within` is what is controlled for.
    """

    request: TableRequest
    sums: QuestionSums
    setting: Setting
    figures: Sequence[str]
    marks: IntArray
    within: Controlled | None = None

    @property
    def question(self) -> Question:
        """The question."""
        return self.sums.question

    def why_none(self) -> str:
        """Say why the table cannot be tested as a whole, "" where it can."""
        if self.request.shows.value is not None:
            return said("its cells hold means, not people")
        if self.request.shows.within:
            return said("its rows are nested")
        kind = self.question.is_of
        if kind.of_one_answer and any(self._lacking(group).any() for group in self.setting.layout.groups):
            return said("not all answers were offered to all in its columns")
        return "" if kind.of_answers or kind.of_values else said("it has no answers")

    def crossings(self) -> tuple[Crossing, ...]:
        """Return what is tested, group by group; only answers of single questions where no test was asked for."""
        if self.why_none():
            return ()
        return tuple(crossing for group in self.setting.layout.groups for crossing in self._of_group(group))

    def _lacking(self, group: Group) -> BoolArray:
        """Return which answers were not offered to all in a column of a group where somebody was asked: (answers,)."""
        answers = len(self.question.valid)
        if self.sums.offers is None or self.sums.asked_nobody is None:
            return np.zeros(answers, np.bool_)
        asked = [k for k in _compared(self.setting.layout, group) if not self.sums.asked_nobody[k]]
        return np.asarray((self.sums.offers[:answers, asked] != OFFERED).any(axis=1))

    def _of_group(self, group: Group) -> Iterator[Crossing]:
        columns = _compared(self.setting.layout, group)
        names = mark_names(self.marks)
        common: dict[str, Any] = {
            "group": group.path,
            "marks": tuple(names[k] for k in columns),
            "columns": tuple(self.setting.layout.columns[k].label for k in columns),
            "shares_people": group.start in self.setting.sharing,
        }
        answers, asked = self.sums.answers, self.request.tests.whole_table != "none"
        rows = slice(0, len(self.question.valid))
        shows_answers = any(isinstance(figure_called(name), AnswerFigure) for name in self.figures)
        if answers is not None and self.question.is_of.of_one_answer:
            yield AnswersCrossing(
                **common,
                n=answers.n[rows, columns],
                w=answers.w[rows, columns],
                w2=answers.w2[rows, columns],
                rows_order=side_order(self.question.ordered, len(self.question.valid)),
                columns_order=self.setting.column_order(columns),
                on_demand=not shows_answers and self.sums.values is not None,
            )
        if not asked:
            return
        if answers is not None and self.sums.both is not None:
            there = np.flatnonzero(~self._lacking(group))
            yield MultipleCrossing(
                **common,
                answers=answers.rows(there.tolist()).columns(columns),
                base=self.sums.base.columns(columns),
                both=self.sums.both(columns)[:, there][:, :, there],
            )
        if self.sums.values is not None and not self._lacking(group).any():
            group_moments = moments(self.sums.values.columns(columns))
            if not (shows_answers and common["shares_people"]):
                yield ValuesCrossing(**common, moments=group_moments, on_demand=shows_answers)
        if self.within is not None:
            yield self._controlled(self.within, columns, common)

    def _controlled(
        self, within: Controlled, columns: Sequence[int], common: dict[str, Any]
    ) -> ControlledCrossing:
        """Return the answers within those of the question that is controlled for."""
        label, answers = within.question.label, None if within.sums is None else within.sums.answers
        if answers is None:
            why = said("only single questions can be tested within the answers of another")
            return ControlledCrossing(
                **common, within=label, why_not=why, n=np.zeros((0, 0, 0)), weighted=False
            )
        shape = len(within.question.valid), len(self.question.valid), len(columns)
        return ControlledCrossing(
            **common,
            within=label,
            n=answers.n[: shape[0] * shape[1], columns].reshape(shape),
            weighted=_weighted(self.sums.base),
        )


def items_crossings(
    counting: BannerCounts, counts: Sequence[Count], sums: Sequence[QuestionSums]
) -> tuple[tuple[Crossing, ...], str]:
    """Return what is tested of several items of the same people, whatever the banner, or why nothing is."""
    questions = [one.question for one in sums]
    first = questions[0]
    alike = all(
        [answer.code for answer in one.valid] == [answer.code for answer in first.valid] for one in questions
    )
    if len(questions) < 2 or not alike or any(not one.is_of.of_one_answer for one in questions):
        return (), said("it shows several questions that are not alike")
    yes_no = len(first.valid) == 2
    scales = bool(first.scale) and all(one.scores() == first.scores() for one in questions)
    crossings: list[Crossing] = []
    if yes_no or scales:
        plan = counting.plan.of(tuple(counts))
        items, of_scales = counting.over(ItemsOfPeople(plan=plan, yes_no=yes_no, scales=scales))
        crossings += [ItemsCrossing(items=items)] if items is not None else []
        if of_scales is not None:
            crossings.append(ItemsCrossing(items=of_scales, on_demand=bool(crossings)))
    return tuple(crossings), "" if crossings else said(
        "it shows several questions that are neither yes/no nor scales"
    )


def _compared(layout: BannerColumns, group: Group) -> list[int]:
    """Return the places of the columns of a group that are compared."""
    return [k for k in range(group.start, group.stop) if layout.columns[k].compared]


def _weighted(base: Sums) -> bool:
    """Return whether the weights of a base differ."""
    return bool(np.any(base.w2 * base.n > base.w**2 * (1.0 + 1e-12)))
