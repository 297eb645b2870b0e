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
from eager_otter.tables.rounding import p_words, rounded

SIZES = ((0.1, "negligible"), (0.2, "weak"), (0.4, "moderate"))


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

    def sentence(self, level: float, *, every: bool = False) -> str:
        """Say it in plain words, judged at a confidence percent; with `every`, all measures."""
        if self.test is None or self.fitting is None:
            return f"Whole table, {self.group}: no test, as {self.why_not}."
        parts = [f"Whole table, {self.group}: {_test_words(self.test)}; {_verdict(self.test, level)}."]
        if self.test.doubtful:
            parts.append(
                f"Read with care: {self.test.small} of {self.test.cells} expected counts are below 5, the smallest is "
                f"{rounded(self.test.smallest, 1)}."
            )
            if not np.isnan(self.test.exact):
                parts.append(f"Fisher's exact test: P {p_words(self.test.exact)}.")
        parts.append(f"{_measure_words(self.fitting)}: {self.size} ({self.reason}).")
        if every:
            others = [_measure_words(m) for m in self.all.values() if m.name != self.fitting.name]
            parts.append(f"The others: {', '.join(others)}.")
        return " ".join(parts)


def associate(crossing: Crossing, out: BoolArray) -> Association:
    """Test a question by one banner group; columns where `out` (columns,) is True stay out."""
    n, w, w2 = (table[:, ~out] for table in (crossing.n, crossing.w, crossing.w2))
    test = None if crossing.shares_people else whole_table_test(n, w, w2)
    found = {} if test is None else measures(n, w, w2)
    if test is None or not found:
        why = (
            "its columns share people"
            if crossing.shares_people
            else "fewer than two rows or columns hold anybody"
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
        return "Cramér's V", "two rows by two columns"
    if not (rows or shape[0] == 2) or not (columns or shape[1] == 2):
        return "Cramér's V", "at least one side has no order"
    if shape[0] == shape[1]:
        return "Kendall's τ-b", "both sides are ordered, with as many rows as columns"
    return "Stuart's τ-c", "both sides are ordered, with unequal numbers of rows and columns"


def _size(measure: Measure, *, ordered: bool) -> str:
    """Read a measure in plain words (after Rea & Parker 1992)."""
    value = abs(measure.value)
    word = next((word for limit, word in SIZES if value < limit), "strong")
    if not ordered or word == "negligible":
        return f"{word} association"
    way = "further right, the answers tend further down the list" if measure.value > 0 else (
        "further right, the answers tend further up the list"
    )  # fmt: skip
    return f"{word} association; {way}"


def _test_words(test: WholeTableTest) -> str:
    if test.method == "chi-square":
        return (
            f"chi-square {test.statistic:.2f} on {test.df1:g} degrees of freedom, P {p_words(test.p_value)}"
        )
    return (
        f"chi-square of the weighted shares, corrected for the weights (Rao and Scott): F = {test.statistic:.2f} on "
        f"{test.df1:,.1f} and {test.df2:,.0f} degrees of freedom, P {p_words(test.p_value)}"
    )


def _verdict(test: WholeTableTest, level: float) -> str:
    if np.isnan(test.p_value):
        return "no test could be made"
    if test.p_value <= (100.0 - level) / 100.0:
        return f"the columns differ significantly at the {level:g} % level"
    return f"no significant difference between the columns at the {level:g} % level"


def _measure_words(measure: Measure) -> str:
    p = "" if np.isnan(measure.p_value) else f" (P {p_words(measure.p_value)})"
    return f"{measure.name} {rounded(measure.value, 2)}{p}"
