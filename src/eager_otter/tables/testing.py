"""From tests of pairs of columns to what is in the cells: letters, and marks for higher and lower."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.corrections import adjusted
from eager_otter.core.letters import alpha_of, higher_than
from eager_otter.core.medians import AtMost
from eager_otter.core.paired import SharedAnswers, SharedValues
from eager_otter.core.proportions import PairTests, SharedPairs
from eager_otter.core.trend import Over, TrendTests
from eager_otter.dataclass import dataclass
from eager_otter.significance.method import Correction
from eager_otter.tables.comparing import NOWHERE, Comparisons
from eager_otter.tables.letters import LetterRows, letter_rows

HIGHER, LOWER = "▲", "▼"
HIGHER_LAX, LOWER_LAX = "△", "▽"

TestKind = Literal["share", "mean", "median", "paired share", "paired mean"]


@dataclass(frozen=True, slots=True, eq=False)
class Tested:
    """The tests of some rows, and what they put into the cells.

    `p_value` and `adjusted` (rows, pairs) are NaN where no test was made or a side is too thin; `letters` has a text
    per row and column. `out` (rows or 1, pairs) is True where a pair was kept out of testing. Tests of the same people
    have `paired`: who is in both bases; `shared` finds the pair sums of columns that share
    people. `idle` (pairs,) is True where a pair is no comparison, as a nearer column is the previous one.
    Tests of medians have `at_most`, what they are made of, and `silent` (rows, pairs): where the medians do not differ
    as the tests say, so that there is no letter.
    """

    kind: TestKind
    tests: PairTests
    comparisons: Comparisons
    p_value: FloatArray
    adjusted: FloatArray
    letters: LetterRows
    out: BoolArray
    idle: BoolArray
    paired: SharedAnswers | SharedValues | None = None
    shared: SharedPairs | None = None
    at_most: AtMost | None = None
    silent: BoolArray | None = None

    def made(self, row: int) -> int:
        """Count the tests made in a row."""
        return int((~np.isnan(self.p_value[row])).sum())

    def impossible(self, row: int) -> int:
        """Count the comparisons in a row that no test can decide, thin columns aside."""
        return int(self.undecided(row).sum())

    def undecided(self, row: int) -> BoolArray:
        """Return which comparisons of a row no test can decide, thin columns aside: (pairs,)."""
        out = self.out[row if len(self.out) > 1 else 0]
        return np.asarray(np.isnan(self.p_value[row]) & ~out & ~self.idle)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Trend:
    """The tests of some rows of whether figures rise or fall: column `at` shows them, over the columns of its group.

    `columns` are all that are compared, `over` those that the tests took.
    """

    at: int
    columns: tuple[int, ...]
    over: Over
    tests: TrendTests | None = None

    def made(self, row: int) -> bool:
        """Return whether a row has a test."""
        return self.tests is not None and not np.isnan(self.tests.p_value[row])

    def mark(self, row: int, levels: Sequence[float]) -> str:
        """Return the mark of a row: rising, falling, or ""."""
        assert self.tests is not None
        p = float(self.tests.p_value[row])
        if not p <= alpha_of(levels[-1]):
            return ""
        return mark_of(float(self.tests.statistic[row]) > 0, strict=p <= alpha_of(levels[0]))


def with_trends(
    letters: tuple[str, ...], trends: Sequence[Trend], row: int, levels: Sequence[float]
) -> tuple[str, ...]:
    """Put the marks of a row's trends into their columns (columns,)."""
    marks = {trend.at: trend.mark(row, levels) for trend in trends}
    return tuple(marks.get(k, text) for k, text in enumerate(letters)) if marks else letters


def decide(
    kind: TestKind,
    tests: PairTests,
    comparisons: Comparisons,
    names: Sequence[str],
    levels: Sequence[float],
    *,
    out: BoolArray,
    idle: BoolArray,
    adjust: Correction,
    spaced: bool,
    paired: SharedAnswers | SharedValues | None = None,
    shared: SharedPairs | None = None,
    at_most: AtMost | None = None,
    silent: BoolArray | None = None,
) -> Tested:
    """Decide tests at one or two levels and write the cells.

    `out` (rows or 1, pairs) is True where a pair takes part in no test, `idle` (pairs,) where it is no comparison;
    `names` are the letters of the columns; `spaced` puts a blank between letters; pairs that are `silent` (rows, pairs)
    give no letter.
    """
    p_value = np.where(out | idle[None, :], np.nan, tests.p_value)
    corrected = adjusted(p_value, comparisons.family, adjust.adjust) if adjust.corrects else p_value
    said = corrected if silent is None else np.where(silent, np.nan, corrected)
    letters = _cells(tests.statistic, said, comparisons, names, levels, spaced=spaced)
    return Tested(
        kind,
        tests,
        comparisons,
        p_value,
        corrected,
        letters,
        out,
        idle,
        paired=paired,
        shared=shared,
        at_most=at_most,
        silent=silent,
    )


def _cells(
    statistic: FloatArray,
    p_value: FloatArray,
    comparisons: Comparisons,
    names: Sequence[str],
    levels: Sequence[float],
    *,
    spaced: bool,
) -> LetterRows:
    lettered = comparisons.at == NOWHERE
    given = p_value if lettered.all() else np.where(lettered[None, :], p_value, np.nan)
    higher = higher_than(statistic, given, comparisons.pairs, levels)
    written = letter_rows(higher, len(p_value), names, spaced=spaced)
    if lettered.all():
        return written
    cells = [list(row) for row in written]
    marked = np.where(lettered[None, :], np.nan, p_value)
    for row, pair in zip(*np.nonzero(marked <= alpha_of(levels[-1])), strict=True):
        strict = marked[row, pair] <= alpha_of(levels[0])
        cells[row][comparisons.at[pair]] = mark_of(bool(statistic[row, pair] > 0), strict=bool(strict))
    return [tuple(row) for row in cells]


def mark_of(higher: bool, *, strict: bool) -> str:
    """Return the mark for a figure that is higher, or lower, than what it is tested against."""
    if strict:
        return HIGHER if higher else LOWER
    return HIGHER_LAX if higher else LOWER_LAX
