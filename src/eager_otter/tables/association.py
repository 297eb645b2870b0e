"""Whole-table tests and measures of association, group by group: the one that fits, why, and what its size means."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.association import (
    Measure,
    MeasureName,
    WholeTableTest,
    measures,
    whole_table_test,
    without_empty,
)
from eager_otter.core.letters import alpha_of
from eager_otter.looks.words import ENGLISH, Words, said
from eager_otter.tables.rounding import LEAST_P, p_text, rounded

SIZES = (
    (0.1, said("negligible association")),
    (0.2, said("weak association")),
    (0.4, said("moderate association")),
)
STRONG = said("strong association")
NAMES: Mapping[MeasureName, str] = {
    "Cramér's V": said("Cramér's V"),
    "Kendall's τ-b": said("Kendall's τ-b"),
    "Stuart's τ-c": said("Stuart's τ-c"),
    "Goodman and Kruskal's γ": said("Goodman and Kruskal's γ"),
}


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Crossing:
    """The answers of a single question by one banner group: n, Σw and Σw² (answers, columns), and what has an order.

    `marks` (columns,) are those of the columns; `shares_people` tells that someone is in two of its columns,
    so that no whole-table test can be made.
    """

    group: str
    n: FloatArray
    w: FloatArray
    w2: FloatArray
    ordered_rows: bool
    ordered_columns: bool
    shares_people: bool
    marks: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Association:
    """What a whole table says: its test, the measure that fits with the reason, its size in words, and all measures.

    `test` and `fitting` are None where there is nothing to test; `why_not` then says why.
    """

    group: str
    people: int
    test: WholeTableTest | None
    fitting: Measure | None
    reason: str
    size: str
    all: Mapping[MeasureName, Measure]
    why_not: str = ""

    def sentence(self, level: float, *, every: bool = False, words: Words = ENGLISH) -> str:
        """Say it in plain words, judged at a confidence percent; with `every`, all measures."""
        say = words
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
        size = "; ".join(say(part) for part in self.size.split("; "))
        parts.append(f"{_measure_words(self.fitting, say)}: {size} ({say(self.reason)}).")
        if every:
            others = [_measure_words(m, say) for m in self.all.values() if m.name != self.fitting.name]
            parts.append(say("The others: {measures}.", measures=", ".join(others)))
        return " ".join(parts)


def associate(crossing: Crossing, out: BoolArray) -> Association:
    """Test a question by one banner group; columns where `out` (columns,) is True stay out."""
    n, w, w2 = (table[:, ~out] for table in (crossing.n, crossing.w, crossing.w2))
    test = None if crossing.shares_people else whole_table_test(n, w, w2)
    found = {} if test is None else measures(n, w, w2)
    if test is None or not found:
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
        )
    (kept,) = without_empty(n)
    name, reason = _fitting(kept.shape, crossing.ordered_rows, crossing.ordered_columns)
    return Association(
        group=crossing.group,
        people=round(float(n.sum())),
        test=test,
        fitting=found[name],
        reason=reason,
        size=_size(found[name], ordered=name != "Cramér's V"),
        all=found,
    )


def _fitting(shape: tuple[int, ...], rows: bool, columns: bool) -> tuple[MeasureName, str]:
    """Choose the measure that fits; a side of two counts as ordered."""
    if shape == (2, 2):
        return "Cramér's V", said("two rows by two columns")
    if not (rows or shape[0] == 2) or not (columns or shape[1] == 2):
        return "Cramér's V", said("at least one side has no order")
    if shape[0] == shape[1]:
        return "Kendall's τ-b", said("both sides are ordered, with as many rows as columns")
    return "Stuart's τ-c", said("both sides are ordered, with unequal numbers of rows and columns")


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
    statistic, p = say.number(f"{test.statistic:.2f}"), p_said(test.p_value, say)
    if test.method == "chi-square":
        told = said("chi-square {statistic} on {df} degrees of freedom, {p}")
        return say(told, statistic=statistic, df=float(test.df1), p=p)
    corrected = said(
        "chi-square of the weighted shares, corrected for the weights (Rao and Scott): F = {statistic} on {df1} and "
        "{df2} degrees of freedom, {p}"
    )
    df1, df2 = say.number(f"{test.df1:,.1f}"), say.number(f"{test.df2:,.0f}")
    return say(corrected, statistic=statistic, df1=df1, df2=df2, p=p)


def _verdict(test: WholeTableTest, level: float, say: Words) -> str:
    if np.isnan(test.p_value):
        return say("no test could be made")
    if test.p_value <= alpha_of(level):
        return say("the columns differ significantly at the {level} % level", level=float(level))
    told = said("no significant difference between the columns at the {level} % level")
    return say(told, level=float(level))


def _measure_words(measure: Measure, say: Words) -> str:
    p = "" if np.isnan(measure.p_value) else f" ({p_said(measure.p_value, say)})"
    return f"{say(NAMES[measure.name])} {say.number(str(rounded(measure.value, 2)))}{p}"
