"""Whole-table tests and measures of association, group by group: the one that fits, why, and what its size means."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.association import Measure, WholeTableTest, two_way
from eager_otter.core.letters import alpha_of
from eager_otter.looks.words import ENGLISH, Words, said
from eager_otter.significance.method import Order
from eager_otter.significance.registry import (
    association_measures,
    measures_of,
    whole_table_method,
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
    """Tell whether a side of a table has an order: a question's own, or that of any two answers.

    >>> side_order(True, 5), side_order(False, 2), side_order(False, 5)
    ('ordered', 'two answers', 'none')
    """
    if answers == 2:
        return "two answers"
    return "ordered" if ordered else "none"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Crossing:
    """The answers of a single question by one banner group: n, Σw and Σw² (answers, columns), and what has an order.

    `marks` (columns,) are those of the `columns`, by label; whether a side has an order is a fact of its question.
    `shares_people` tells that someone is in two of its columns, so that no whole-table test can be made.
    """

    group: str
    n: FloatArray
    w: FloatArray
    w2: FloatArray
    rows_order: Order
    columns_order: Order
    shares_people: bool
    marks: tuple[str, ...]
    columns: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Association:
    """What a whole table says: its test, the measure that fits with the reason, its size in words, and all measures.

    `test` and `fitting` are None where there is nothing to test; `why_not` then says why. `left_out` names the columns
    that are too thin for tests.
    """

    group: str
    people: int
    test: WholeTableTest | None
    fitting: Measure | None
    reason: str
    size: str
    all: Mapping[str, Measure]
    why_not: str = ""
    left_out: tuple[str, ...] = ()

    def sentence(
        self, level: float, *, lax: float | None = None, every: bool = False, words: Words = ENGLISH
    ) -> str:
        """Say it in plain words, judged at a confidence percent; with `every`, all measures.

        The size of an association is put into words only where one is shown, at the laxest level `lax` (None: `level`).
        """
        text = self._told(level, level if lax is None else lax, every=every, say=words)
        if not self.left_out:
            return text
        return f"{text} {words('Left out as too thin: {columns}.', columns=', '.join(self.left_out))}"

    def _told(self, level: float, lax: float, *, every: bool, say: Words) -> str:
        if self.test is None or self.fitting is None:
            told = said("Whole table, {group}: no test, as {reason}.")
            return say(told, group=self.group, reason=say(self.why_not))
        test, verdict = _test_words(self.test, say), _verdict(self.test, level, say)
        whole = said("Whole table, {group}: {test}; {verdict}.")
        parts = [say(whole, group=self.group, test=test, verdict=verdict)]
        if self.test.doubtful:
            care = said(
                "Read with care: {small} of {cells} expected counts are below 5, the smallest is {smallest}."
            )
            smallest = say.number(str(rounded(self.test.smallest, 1)))
            parts.append(say(care, small=self.test.small, cells=self.test.cells, smallest=smallest))
            if not np.isnan(self.test.exact):
                parts.append(say("Fisher's exact test: {p}.", p=p_said(self.test.exact, say)))
        shown = self.test.deciding <= alpha_of(lax)
        size = (
            "; ".join(say(part) for part in self.size.split("; "))
            if shown
            else say("no association was shown")
        )
        parts.append(f"{_measure_words(self.fitting, say)}: {size} ({say(self.reason)}).")
        if every:
            others = [_measure_words(m, say) for m in self.all.values() if m.name != self.fitting.name]
            parts.append(say("The others: {measures}.", measures=", ".join(others)))
        return " ".join(parts)


def associate(crossing: Crossing, out: BoolArray) -> Association:
    """Test a question by one banner group; columns where `out` (columns,) is True stay out."""
    n, w, w2 = (table[:, ~out] for table in (crossing.n, crossing.w, crossing.w2))
    left_out = tuple(label for label, thin in zip(crossing.columns, out.tolist(), strict=True) if thin)
    table = two_way(n, w, w2)
    method = None if crossing.shares_people else whole_table_method(table)
    if method is None:
        why = (
            said("its columns share people")
            if crossing.shares_people
            else said("fewer than two rows or columns hold anybody")
        )
        return Association(
            group=crossing.group,
            people=round(float(n.sum())),
            test=None,
            fitting=None,
            reason="",
            size="",
            all={},
            why_not=why,
            left_out=left_out,
        )
    reasons = (
        (measure, measure.reason(table.n.shape, crossing.rows_order, crossing.columns_order))
        for measure in association_measures()
    )
    fitting, reason = next((measure, reason) for measure, reason in reasons if reason)
    found = measures_of(table)
    return Association(
        group=crossing.group,
        people=round(float(n.sum())),
        test=method.test(table),
        fitting=found[fitting.name],
        reason=reason,
        size=_size(found[fitting.name], ordered=fitting.ordered),
        all=found,
        left_out=left_out,
    )


def whole_table_notes(
    request: TableRequest, associations: Sequence[Association], why_not: str
) -> tuple[Note, ...]:
    """Write a line for each banner group, where tests of the whole table are asked for; else none.

    `why_not` says why the table cannot be tested at all, in one line; "" where it can.
    """
    wanted, say = request.tests.whole_table, request.words
    if wanted == "none":
        return ()
    if why_not or not associations:
        reason = say(why_not or said("no banner group has columns to compare"))
        told = say("Whole table: no test, as {reason}.", reason=reason)
        return (Note(told, "whole table", told),)
    levels = request.levels or (95.0,)
    sentences = [
        one.sentence(levels[0], lax=levels[-1], every=wanted == "all", words=say) for one in associations
    ]
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


def _test_words(test: WholeTableTest, say: Words) -> str:
    method = next(one for one in whole_table_methods() if one.name == test.method)
    return method.told(test, p_said(test.p_value, say), say)


def _verdict(test: WholeTableTest, level: float, say: Words) -> str:
    if np.isnan(test.p_value):
        return say("no test could be made")
    if test.p_value <= alpha_of(level):
        return say("the columns differ significantly at the {level} % level", level=float(level))
    told = said("no significant difference between the columns at the {level} % level")
    return say(told, level=float(level))


def _measure_words(measure: Measure, say: Words) -> str:
    p = "" if np.isnan(measure.p_value) else f" ({p_said(measure.p_value, say)})"
    return f"{say(measure.name)} {say.number(str(rounded(measure.value, 2)))}{p}"
