"""The working of a trend: the columns it runs over, their figures and weights, the statistic, the verdict."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from eager_otter.core.arrays import effective_base
from eager_otter.core.letters import alpha_of
from eager_otter.figures.working import Built, number
from eager_otter.significance.registry import trend_tests
from eager_otter.tables.rounding import p_words
from eager_otter.tables.table import Evidence, Line, Table
from eager_otter.tables.testing import Trend

TERMS = ("t", "", "e", "a")  # of each column: its place, its share or mean, its effective base, its weight


class TrendWorking:
    """The working of the mark, or the blank, of a row in a column of trends."""

    def __init__(self, table: Table, line: Line, place: int) -> None:
        self.table, self.line = table, line
        self.at = table.columns[place].number

    @cached_property
    def _found(self) -> tuple[Evidence, Trend] | None:
        """Find the trend of the row, whichever of its figures carries it."""
        for line in self.table.lines:
            if line.row == self.line.row and line.evidence is not None:
                for trend in line.evidence.trends:
                    if trend.at == self.at:
                        return line.evidence, trend
        return None

    def said(self) -> str:
        """Say in a sentence what comes of it."""
        if self._found is None:
            return (
                f"{self.line.label} has no trend here: it is not tested, or fewer than three columns can be."
            )
        evidence, trend = self._found
        assert trend.tests is not None
        p = float(trend.tests.p_value[evidence.row])
        if np.isnan(p):
            return f"No trend of {self.line.label} can be tested: all or nobody, or no spread."
        way = "rises" if trend.tests.statistic[evidence.row] > 0 else "falls"
        level = next((level for level in self.table.levels if p <= alpha_of(level)), None)
        if level is None:
            return f"{self.line.label} has no significant trend over the columns of its group."
        return f"{self.line.label} {way} significantly ({level:g} %) over the columns of its group."

    def columns(self) -> tuple[str, ...]:
        """Return what the trend takes of each column, a line each."""
        by_column: dict[str, list[str]] = {}
        for term, value in self.working()[2]:
            sign, _, column = term.partition(" of ")
            by_column.setdefault(column, []).append(f"{sign} {number(value)}")
        return tuple(f"{column}: {', '.join(values)}" for column, values in by_column.items())

    def working(self) -> Built:
        """Return the formula, the same with its numbers, and these: place, figure, effective base, weight by column."""
        if self._found is None or self._found[1].tests is None:
            return "no trend", "", ()
        evidence, trend = self._found
        tests, row = trend.tests, evidence.row
        assert tests is not None
        shares = self.line.shows.tested != "means"
        of_shares, of_means = trend_tests()
        method = of_shares if shares else of_means
        columns = trend.over.columns
        figures = evidence.figures()[columns] / (100.0 if shares else 1.0)
        effective = effective_base(evidence.base.w, evidence.base.w2)[0][columns]
        terms: list[tuple[str, float]] = []
        for k, column in enumerate(columns.tolist()):
            name = self.table.counted[column].label
            values = (trend.over.places[k], figures[k], effective[k], tests.weights[k])
            terms += [
                (f"{sign or ('p' if shares else 'm')} of {name}", float(value))
                for sign, value in zip(TERMS, values, strict=True)
            ]
        statistic = float(tests.statistic[row])
        if np.isnan(statistic):
            return method.formula, "", tuple(terms)
        degrees = "" if shares else f" on {number(float(tests.degrees[0]))} degrees of freedom"
        worked = (
            f"{number(float(tests.slope[row]))} / {number(float(tests.error[row]))} = {number(statistic)}{degrees}, "
            f"P {p_words(float(tests.p_value[row]))}"
        )
        return method.formula, worked, tuple(terms)
