"""Whole-table tests and measures of association, group by group: the one that fits, why, and what its size means."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field, replace
from typing import Any, Protocol

import numpy as np

from eager_otter.core.analysis_of_variance import ValuesByColumns, enough_values
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.association import Measure, TwoWay, WholeTableTest, two_way
from eager_otter.core.controlled import ControlledTables, controlled_tables
from eager_otter.core.letters import alpha_of
from eager_otter.core.means import Moments
from eager_otter.core.multiple_response import AnswersByColumns, answers_by_columns
from eager_otter.core.same_people import ScaleItems, YesNoItems
from eager_otter.core.sums import Sums
from eager_otter.dataclass import dataclass
from eager_otter.looks.words import ENGLISH, Words, said
from eager_otter.significance.method import Order, WholeTableMethod
from eager_otter.significance.registry import (
    association_measures,
    measures_of,
    methods_for,
    whole_table_methods,
)
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest
from eager_otter.tables.rounding import LEAST_P, p_text, rounded

SIZES = (
    (0.1, said("negligible association")),
    (0.2, said("weak association")),
    (0.4, said("moderate association")),
)
STRONG = said("strong association")


def side_order(ordered: bool, answers: int) -> Order:
    """Return whether a side of a table has an order: a question's own, or that of any two answers.

    >>> side_order(True, 5), side_order(False, 2), side_order(False, 5)
    ('ordered', 'two answers', 'none')
    """
    if answers == 2:
        return "two answers"
    return "ordered" if ordered else "none"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Crossing(ABC):
    """The data of a test of the whole table, but for columns that stay out: a banner group, or all items.

    `marks` (columns,) are those of the `columns`, by label. `shares_people` tells that someone is in two of them, so
    that no test can be made. `within` is the label of a question that is controlled for. One made only `on_demand`
    is beside another of the same group; one that has `why_not` cannot be tested.
    """

    group: str = ""
    marks: tuple[str, ...] = ()
    columns: tuple[str, ...] = ()
    shares_people: bool = False
    within: str = ""
    on_demand: bool = False
    why_not: str = ""

    @abstractmethod
    def evidence(self, kept: BoolArray) -> Evidence:
        """Return what is tested of the columns kept (columns,)."""

    def too_few(self) -> BoolArray:
        """Return the columns that a test cannot take, whatever their base: (columns,)."""
        return np.zeros(len(self.columns), np.bool_)

    @property
    def answers_in_order(self) -> bool:
        """Whether it is of answers that have an order."""
        return False


class Evidence(Protocol):
    """The data that a test of the whole table needs."""

    @property
    def testable(self) -> bool:
        """Whether there is anything to test."""


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class AnswersCrossing(Crossing):
    """The answers of a single question by one banner group: n, Σw and Σw² (answers, columns), and what has an order.

    Whether a side has an order is a fact of its question.
    """

    n: FloatArray
    w: FloatArray
    w2: FloatArray
    rows_order: Order
    columns_order: Order

    def evidence(self, kept: BoolArray) -> TwoWay:
        """Return the table of those columns."""
        return two_way(self.n[:, kept], self.w[:, kept], self.w2[:, kept])

    @property
    def answers_in_order(self) -> bool:
        """Whether the answers have an order."""
        return self.rows_order == "ordered"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class MultipleCrossing(Crossing):
    """The answers of a multiple response by one banner group, and Σw² of those who gave two of them.

    `answers` and `base` are their sums, of the group's columns alone; `both` (columns, answers, answers).
    """

    answers: Sums
    base: Sums
    both: FloatArray

    def evidence(self, kept: BoolArray) -> AnswersByColumns:
        """Return the answers of those columns."""
        return answers_by_columns(
            self.answers.n[:, kept],
            self.answers.w[:, kept],
            self.base.n[0, kept],
            self.base.w[0, kept],
            self.base.w2[0, kept],
            self.both[kept],
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class ValuesCrossing(Crossing):
    """A number, or the scores of a scale, by one banner group: their moments (1, columns)."""

    moments: Moments

    def too_few(self) -> BoolArray:
        """Return the columns with fewer than two values."""
        return ~enough_values(self.moments)

    def evidence(self, kept: BoolArray) -> ValuesByColumns:
        """Return the means of those columns."""
        group_moments = self.moments
        return ValuesByColumns(
            mean=group_moments.mean[0, kept],
            variance=group_moments.variance[0, kept],
            effective=group_moments.effective[0, kept],
            largest=float(group_moments.largest[0, kept].max(initial=0.0)),
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class ControlledCrossing(Crossing):
    """Answers by one banner group for each control answer: n (control answers, answers, columns)."""

    n: FloatArray
    weighted: bool

    def evidence(self, kept: BoolArray) -> ControlledTables:
        """Return the tables of those columns."""
        return controlled_tables(self.n[:, :, kept], weighted=self.weighted)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class ItemsCrossing(Crossing):
    """Several items of the same people: what was added up of them."""

    items: YesNoItems | ScaleItems

    def evidence(self, kept: BoolArray) -> Evidence:
        """Return the items: they have no columns."""
        return self.items


@dataclass(frozen=True, slots=True, kw_only=True)
class Association:
    """The result of a test of a whole table: the measure that fits, with the reason, its size in words, and all others.

    `test` is None where there is nothing to test; `why_not` then says why. `fitting` is None where there is no measure.
    `others` are tests made on demand. `left_out` names the columns that are too thin for tests, `too_few` those with
    fewer than two values. `within` is the label of a question that is controlled for.
    """

    group: str
    test: WholeTableTest | None
    people: int = 0
    fitting: Measure | None = None
    reason: str = ""
    size: str = ""
    all: Mapping[str, Measure] = field(default_factory=dict)
    others: tuple[WholeTableTest, ...] = ()
    why_not: str = ""
    left_out: tuple[str, ...] = ()
    too_few: tuple[str, ...] = ()
    within: str = ""
    on_demand: bool = False

    def sentence(
        self, level: float, *, lax: float | None = None, every: bool = False, words: Words = ENGLISH
    ) -> str:
        """Say it in plain words, judged at a confidence percent; with `every`, all tests and measures.

        The size of an association is put into words only where one is shown, at the laxest level `lax` (None: `level`).
        """
        parts = [self._worded(level, level if lax is None else lax, every=every, say=words)]
        if self.left_out:
            parts.append(words("Left out as too thin: {columns}.", columns=", ".join(self.left_out)))
        if self.too_few:
            text = words("Left out, with fewer than two values: {columns}.", columns=", ".join(self.too_few))
            parts.append(text)
        return " ".join(parts)

    def _where(self, say: Words) -> str:
        """Say which part of the table it is about."""
        head = say("Whole table, {group}", group=self.group) if self.group else say("Whole table")
        if not self.within:
            return head
        return say("{table}, within the answers of {question}", table=head, question=self.within)

    def _worded(self, level: float, lax: float, *, every: bool, say: Words) -> str:
        where = self._where(say)
        if self.test is None:
            return say("{table}: no test, as {reason}.", table=where, reason=say(self.why_not))
        test, verdict = _test_words(self.test, say), _verdict(self.test, level, say)
        text = say("{table}: {test}; {verdict}.", table=where, test=test, verdict=verdict)
        parts = [text if verdict else say("{table}: {test}.", table=where, test=test)]
        if self.test.doubtful:
            care = said(
                "Read with care: {small} of {cells} expected counts are below 5, the smallest is {smallest}."
            )
            smallest = say.number(str(rounded(self.test.smallest, 1)))
            parts.append(say(care, small=self.test.small, cells=self.test.cells, smallest=smallest))
            if not np.isnan(self.test.exact):
                parts.append(say("Fisher's exact test: {p}.", p=p_said(self.test.exact, say)))
        if self.fitting is not None:
            parts.append(self._measured(self.test, self.fitting, lax, say))
        if every and self.fitting is not None:
            others = [_measure_words(m, say) for m in self.all.values() if m.name != self.fitting.name]
            parts.append(say("The others: {measures}.", measures=", ".join(others)))
        if every and self.others:
            tests = ", ".join(_test_words(other, say) for other in self.others)
            parts.append(say("Other tests: {tests}.", tests=tests))
        return " ".join(parts)

    def _measured(self, test: WholeTableTest, fitting: Measure, lax: float, say: Words) -> str:
        shown = test.deciding <= alpha_of(lax)
        none = say("no association was shown")
        size = "; ".join(say(part) for part in self.size.split("; ")) if shown else none
        return f"{_measure_words(fitting, say)}: {size} ({say(self.reason)})."

    def numbers(self, *, every: bool = False) -> Iterator[tuple[str, str, float]]:
        """Go through its results: the name of a test or measure, what is given of it, and the number.

        With `every`, all tests and measures, else those that fit.
        """
        tests = [] if self.test is None else [self.test, *(self.others if every else ())]
        for test in tests:
            yield test.method, "statistic", test.statistic
            yield test.method, "degrees of freedom", test.df1
            yield test.method, "denominator degrees of freedom", test.df2
            yield test.method, "P value", test.p_value
            yield f"{test.method}, Fisher's exact test", "P value", test.exact
        fitting = () if self.fitting is None else (self.fitting,)
        for measure in self.all.values() if every else fitting:
            yield measure.name, "measure", measure.value
            yield measure.name, "P value", measure.p_value


def associate(crossing: Crossing, out: BoolArray) -> Association:
    """Test what is by one banner group, or all items; columns where `out` (columns,) is True stay out."""
    too_few = crossing.too_few() & ~out
    association = Association(
        group=crossing.group,
        test=None,
        left_out=_labels(crossing, out),
        too_few=_labels(crossing, too_few),
        within=crossing.within,
        on_demand=crossing.on_demand,
    )
    if crossing.why_not:
        return replace(association, why_not=crossing.why_not)
    if crossing.shares_people:
        return replace(association, why_not=said("its columns share people"))
    evidence = crossing.evidence(~(out | too_few))
    if not evidence.testable:
        return replace(association, why_not=_too_small(crossing))
    (method, *others) = methods_for(evidence)
    why_not = method.why_not(evidence)
    if why_not:
        return replace(association, why_not=why_not)
    association = replace(
        association, test=method.test(evidence), others=tuple(one.test(evidence) for one in others)
    )
    if not isinstance(crossing, AnswersCrossing) or not isinstance(evidence, TwoWay):
        return association
    return replace(_with_measures(association, crossing, evidence), people=round(float(evidence.n.sum())))


def _with_measures(association: Association, crossing: AnswersCrossing, table: TwoWay) -> Association:
    """Add all measures of association, and which of them fits, why, and what its size means."""
    reasons = (
        (measure, measure.reason(table.n.shape, crossing.rows_order, crossing.columns_order))
        for measure in association_measures()
    )
    fitting, reason = next((measure, reason) for measure, reason in reasons if reason)
    measures = measures_of(table)
    return replace(
        association,
        fitting=measures[fitting.name],
        reason=reason,
        size=_size(measures[fitting.name], ordered=fitting.ordered),
        all=measures,
    )


def _labels(crossing: Crossing, chosen: BoolArray) -> tuple[str, ...]:
    return tuple(label for label, there in zip(crossing.columns, chosen.tolist(), strict=True) if there)


def _too_small(crossing: Crossing) -> str:
    """Say why there is nothing to test."""
    match crossing:
        case ValuesCrossing():
            return said("fewer than two columns have enough values")
        case ItemsCrossing():
            return said("nobody answered every item")
        case _:
            return said("fewer than two rows or columns hold anybody")


def whole_table_notes(
    request: TableRequest, associations: Sequence[Association], why_not: str
) -> tuple[Note, ...]:
    """Write a line for each banner group, where tests of the whole table are asked for; else none.

    `why_not` says why the table cannot be tested at all, in one line; "" where it can.
    """
    wanted, say = request.tests.whole_table, request.words
    if wanted == "none":
        return ()
    shown = [one for one in associations if wanted == "all" or not one.on_demand]
    if why_not or not shown:
        reason = say(why_not or said("no banner group has columns to compare"))
        text = say("{table}: no test, as {reason}.", table=say("Whole table"), reason=reason)
        return (Note(text, "whole table", text),)
    levels = request.levels or (95.0,)
    sentences = [one.sentence(levels[0], lax=levels[-1], every=wanted == "all", words=say) for one in shown]
    return tuple(Note(sentence, "whole table", sentence) for sentence in sentences)


def _size(measure: Measure, *, ordered: bool) -> str:
    """Read a measure in plain words (after Rea & Parker 1992)."""
    value = abs(measure.value)
    word = next((word for limit, word in SIZES if value < limit), STRONG)
    if not ordered or value < SIZES[0][0]:
        return word
    down = said("further right, the answers tend further down the list")
    up = said("further right, the answers tend further up the list")
    return f"{word}; {down if measure.value > 0 else up}"


def p_said(p: float, say: Words) -> str:
    """Say a P value with its sign: "P = 0.0457", or "P below 0.0001"."""
    if p < LEAST_P:
        return say("P below {p}", p=say.number("0.0001"))
    return f"P = {say.number(p_text(p))}"


def _method(test: WholeTableTest) -> WholeTableMethod[Any]:
    return next(one for one in whole_table_methods() if one.name == test.method)


def _test_words(test: WholeTableTest, say: Words) -> str:
    if np.isnan(test.statistic) and _method(test).different:
        return say("no test could be made")
    return _method(test).worded(test, p_said(test.p_value, say), say)


def _verdict(test: WholeTableTest, level: float, say: Words) -> str:
    """Say what comes of a test; "" where nothing is judged."""
    method = _method(test)
    if not method.different or np.isnan(test.statistic):
        return ""
    if np.isnan(test.p_value):
        return say("no test could be made")
    return say(method.different if test.p_value <= alpha_of(level) else method.alike, level=float(level))


def _measure_words(measure: Measure, say: Words) -> str:
    p = "" if np.isnan(measure.p_value) else f" ({p_said(measure.p_value, say)})"
    return f"{say(measure.name)} {say.number(str(rounded(measure.value, 2)))}{p}"
