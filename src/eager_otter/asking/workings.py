"""The comparisons behind a cell, worked out: both figures, what the test takes of them, the statistic, the verdict."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import assert_never

import numpy as np

from eager_otter.core.arrays import IntArray, effective_base
from eager_otter.core.intervals import (
    difference_interval,
    item_overlap,
    mean_difference_interval,
    overlap_correlation,
    wilson_interval,
)
from eager_otter.core.letters import alpha_of
from eager_otter.core.means import PairMeans, mean_gaps, moments
from eager_otter.core.means import overlap_parts as mean_overlap_parts
from eager_otter.core.medians import AtMost
from eager_otter.core.paired import SharedAnswers, SharedValues, item_mean_parts, item_share_parts
from eager_otter.core.proportions import (
    ALL_OR_NONE,
    PairShares,
    overlap_parts,
    pooled_share,
    shares,
)
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.counting.laying import REST
from eager_otter.dataclass import dataclass
from eager_otter.figures.working import number
from eager_otter.significance.method import POOLED_SHARE
from eager_otter.significance.registry import correction, mean_test, median_test, share_test
from eager_otter.tables.base_rules import NOT_TESTED, marks_of
from eager_otter.tables.comparing import NOWHERE
from eager_otter.tables.explanation import TestWorking
from eager_otter.tables.request import TestRules, interval_level
from eager_otter.tables.rounding import p_words
from eager_otter.tables.table import MARKS, Evidence, Line, Mark, Table
from eager_otter.tables.testing import Tested

Parts = tuple[float, float, float]


def workings(table: Table, line: Line, place: int) -> tuple[tuple[TestWorking, ...], tuple[str, ...]]:
    """Compute the comparisons of a line's cell in the column at a place; gives them, and the formulas or why none."""
    return _Workings(table, line, place).all()


class _Workings:
    def __init__(self, table: Table, line: Line, place: int) -> None:
        self.table, self.line = table, line
        self.column = table.columns[place]
        self.at = self.column.number  # its place among the columns counted

    def all(self) -> tuple[tuple[TestWorking, ...], tuple[str, ...]]:
        line = self._tested_line()
        if self.column.role in ("total", "subtotal"):
            return (), (f"{self.column.path} is not tested.",)
        if line is None or line.evidence is None or line.evidence.tested is None:
            return (), (self._why_no_tests(),)
        tested, row = line.evidence.tested, line.evidence.row
        comparisons = tested.comparisons
        workings = []
        for k, (a, b) in enumerate(comparisons.pairs.tolist()):
            at = int(comparisons.at[k])
            if tested.idle[k]:
                continue
            if at == self.at or (at == NOWHERE and self.at in (a, b)):
                workings.append(
                    self._test(line.evidence, tested, row, k, flipped=at == NOWHERE and b == self.at)
                )
        if not workings:
            return (), ("The column is compared with no other.",)
        tests_made = [test for test in workings if test.p_value is not None]
        shared = {bool(test.shared) for test in tests_made}
        return tuple(workings), tuple(_formulas(tested, self.table.tests, shared))

    def _tested_line(self) -> Line | None:
        """Find the line of the same row that carries the tests."""
        if self.line.evidence is not None and self.line.evidence.tested is not None:
            return self.line
        same = (
            line
            for line in self.table.lines
            if line.row == self.line.row and line.evidence is not None and line.evidence.tested is not None
        )
        return next(same, None)

    def _why_no_tests(self) -> str:
        if not self.table.levels:
            return "No significance tests were made: they are switched off."
        if self.line.kind == "base":
            return "Bases are not tested."
        return "This row is not tested."

    def _test(self, evidence: Evidence, tested: Tested, row: int, pair: int, *, flipped: bool) -> TestWorking:
        a, b = tested.comparisons.pairs[pair].tolist()
        mine, other = (b, a) if flipped else (a, b)
        sign = -1.0 if flipped else 1.0
        figures, effective, shared = _two_sides(tested, evidence, pair, (mine, other))
        why = self._why_untested(tested, evidence, row, pair, (mine, other))
        name = self._other_name(tested, pair, other)
        adjusted = float(tested.adjusted[row, pair])
        silent = tested.silent is not None and bool(tested.silent[row, pair])
        reached = [
            level for level in self.table.levels if not (why or silent) and adjusted <= alpha_of(level)
        ]
        lettered = int(tested.comparisons.at[pair]) == NOWHERE
        statistic = sign * float(tested.tests.statistic[row, pair])
        percent = tested.kind in ("share", "paired share")
        low, high = _ends(tested, evidence, row, pair, interval_level(self.table.levels))
        ends = (-high, -low) if flipped else (low, high)
        taken = _taken(tested, evidence, row, pair, self.table.tests)
        taken = taken.flipped() if flipped else taken

        def kept(value: float | None) -> float | None:
            return None if why or value is None or math.isnan(value) else float(value)

        working = TestWorking(
            other=name,
            figure=kept(figures[0]),
            other_figure=kept(figures[1]),
            effective=kept(effective[0]),
            other_effective=kept(effective[1]),
            shared=shared,
            difference=kept(figures[0] - figures[1]),
            error=kept((100.0 if percent else 1.0) * float(tested.tests.error[row, pair])),
            low=kept(ends[0]),
            high=kept(ends[1]),
            statistic=kept(statistic),
            degrees=kept(float(tested.tests.degrees[row if len(tested.tests.degrees) > 1 else 0, pair])),
            p_value=kept(float(tested.p_value[row, pair])),
            adjusted=kept(adjusted),
            variance=kept(taken.variance),
            other_variance=kept(taken.other_variance),
            pooled=kept(taken.pooled),
            parts=None if why else taken.parts,
            level=reached[0] if reached else None,
            mark=_mark(statistic, reached, self.table.levels, lettered=lettered),
            sentence=f"Against {name}: not tested, as {why}." if why else "",
        )
        if why:
            return working
        sentence = self._sentence(working, tested, taken, lettered=lettered, silent=silent)
        return replace(working, sentence=sentence)

    def _sentence(
        self, working: TestWorking, tested: Tested, taken: _Taken, *, lettered: bool, silent: bool
    ) -> str:
        """Say a test in words, with all numbers that it takes."""
        percent = tested.kind in ("share", "paired share")
        levels = self.table.levels
        texts = [
            _short(value) + (" %" if percent else "") for value in (working.figure, working.other_figure)
        ]
        gap = f"difference {_short(working.difference)}{' points' if percent else ''}"
        between = f" ({interval_level(levels):g} % interval {_short(working.low)} to {_short(working.high)})"
        if working.low is None:
            between = ""
        bases = f"effective bases {_short(working.effective)} and {_short(working.other_effective)}"
        name, freedom = "z", ""
        if working.degrees is not None:
            unit = "degree" if working.degrees == 1 else "degrees"
            name, freedom = "t", f" on {_short(working.degrees, 4)} {unit} of freedom"
        corrected = ""
        if correction(self.table.tests.adjust).corrects and working.adjusted is not None:
            corrected = f", corrected {p_words(working.adjusted).removeprefix('= ')}"
        assert working.error is not None and working.statistic is not None and working.p_value is not None
        significant = working.adjusted is not None and working.adjusted <= alpha_of(levels[-1])
        parts = [
            f"Against {working.other}: {texts[0]} and {texts[1]}, {gap}{between}, {bases}, "
            f"{_both_text(tested, working.shared)}",
            *_middle_text(taken),
            *_taken_text(working),
            f"standard error of the difference {number(working.error)}",
            f"{name} = {working.statistic:.4f}{freedom}, P {p_words(working.p_value)}{corrected}: "
            f"{SILENT if significant and silent else _outcome(working, levels, lettered=lettered)}.",
        ]
        return "; ".join(parts)

    def _other_name(self, tested: Tested, pair: int, other: int) -> str:
        column = self.table.counted[other]
        against = tested.comparisons.against[pair]
        if against in ("rest", "total"):
            where = "under the same head" if self.table.tests.rest_of_parent else "in the table"
            rest = f"the rest (everyone {where} who is not in the column)"
            return f"the Total, by way of {rest}" if against == "total" else rest
        return f"{column.path} ({column.letter})" if column.letter else column.path

    def _name(self, column: int) -> str:
        counted = self.table.counted[column]
        return counted.path if counted.fixed != REST else "the rest"

    def _why_untested(
        self, tested: Tested, evidence: Evidence, row: int, pair: int, sides: tuple[int, int]
    ) -> str:
        """Say why a pair has no P value; "" where it has one."""
        if not np.isnan(tested.p_value[row, pair]):
            return ""
        marks = evidence.judged
        if marks is None:
            marks = marks_of(evidence.base, self.table.base_rules)[0]
        thin = [side for side in sides if marks[side] >= NOT_TESTED]
        if thin:
            return " and ".join(_why_off(MARKS[marks[side]], self._name(side)) for side in thin)
        if tested.out[row if len(tested.out) > 1 else 0, pair]:
            return "the row is taken out of all tests"
        empty = [side for side in sides if evidence.base.n[0, side] == 0]
        if empty:
            return " and ".join(f"nobody is in {self._name(side)}" for side in empty)
        reasons = self._why_undecided(tested, evidence, row, sides)
        return next(reasons, "the people who are in both leave no variance of the difference")

    def _why_undecided(
        self, tested: Tested, evidence: Evidence, row: int, sides: tuple[int, int]
    ) -> Iterator[str]:
        """Go through what can keep a test from being made, thin bases aside, the first reason first."""
        base, row_sums = evidence.base, evidence.sums.rows([row])
        first, second = (np.array([side]) for side in sides)
        effective = effective_base(base.w, base.w2)[0]
        match tested.kind:
            case "share" | "paired share":
                share = shares(row_sums, base)
                pooled = float(
                    pooled_share(share[:, first], share[:, second], effective[first], effective[second])[0, 0]
                )
                if pooled <= ALL_OR_NONE:
                    yield "nobody in either column gave the answer"
                if pooled >= 1.0 - ALL_OR_NONE:
                    yield "everybody in both columns gave the answer"
                if tested.kind == "paired share":
                    yield "nobody answered the two differently"
                if share_test(self.table.tests.percents).on_t and sum(effective[list(sides)]) - 2.0 < 1.0:
                    yield "fewer than 1 degree of freedom is left"
                yield "the two columns are the same people"
            case "median":
                yield "as many are at most the median of both columns as are in them, or nobody is"
            case "mean" | "paired mean":
                row_moments = moments(evidence.values.rows([row]))
                for side in sides:
                    if row_sums.n[0, side] < 2:
                        text = "1 value" if row_sums.n[0, side] == 1 else "no values"
                        yield f"{self._name(side)} has {text}, and a test needs two"
                for side in sides:
                    if not row_moments.effective[0, side] > 1.0:
                        yield f"the effective number of values of {self._name(side)} is not above 1"
                if all(row_moments.variance[0, side] == 0.0 for side in sides):
                    yield "all values in each of the two columns are alike"
                if tested.kind == "paired mean":
                    yield "everybody differs by the same amount between the two"
                yield "the two columns are the same people"
            case _:
                assert_never(tested.kind)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Taken:
    """The inputs of a test of two columns: variances of means, or the pooled share; the parts of its own variance.

    Of medians the `middle` of both columns, and the shares `at_most` it.
    """

    variance: float | None = None
    other_variance: float | None = None
    pooled: float | None = None
    parts: Parts | None = None
    middle: float | None = None
    at_most: tuple[float, float] = (math.nan, math.nan)

    def flipped(self) -> _Taken:
        """Return the same of the columns the other way round."""
        parts = None if self.parts is None else (self.parts[1], self.parts[0], self.parts[2])
        return replace(
            self,
            variance=self.other_variance,
            other_variance=self.variance,
            parts=parts,
            at_most=self.at_most[::-1],
        )


def _taken(tested: Tested, evidence: Evidence, row: int, pair: int, rules: TestRules) -> _Taken:
    """Compute what a test takes; its parts only where they make the variance that it took."""
    if tested.at_most is not None:
        return _taken_of_medians(tested.at_most.only(pair), rules)
    pairs, row_sums = tested.comparisons.pairs[[pair]], evidence.sums.rows([row])
    where = int(tested.shared.where[pair]) if tested.shared is not None else -1
    positions = np.array([where]) if where >= 0 and evidence.base.pair_n[0, where] > 0 else None
    match tested.kind:
        case "share" | "paired share":
            taken = _taken_of_shares(row_sums, evidence.base, pairs, positions, tested, row, pair, rules)
        case "mean" | "paired mean" | "median":
            taken = _taken_of_means(evidence.values.rows([row]), pairs, positions, tested, rules)
        case _:
            assert_never(tested.kind)
    if taken.parts is None:
        return taken
    variance = taken.parts[0] + taken.parts[1] - 2.0 * taken.parts[2]
    same = math.isclose(variance, float(tested.tests.error[row, pair]) ** 2, rel_tol=1e-6)
    return taken if same else replace(taken, parts=None)


def _taken_of_medians(at_most: AtMost, rules: TestRules) -> _Taken:
    """Compute what Mood's test takes: the shares at most the median of both columns."""
    taken = PairShares(at_most.answers, at_most.base, at_most.pairs)
    pooled, thin = taken.pooled, taken.thin
    first, second = share_test(rules.percents).parts(taken)
    cross = np.zeros_like(pooled)
    if at_most.base.pair_n[0, 0] > 0:
        place = np.zeros(1, np.int64)
        parts = overlap_parts(at_most.answers, at_most.base, at_most.pairs, place, pooled, thin)
        first, second, cross = parts.first, parts.second, parts.cross
    share = taken.share[0]
    return _Taken(
        pooled=float(pooled[0, 0]),
        parts=(float(first[0, 0]), float(second[0, 0]), float(cross[0, 0])),
        middle=float(at_most.middle[0]),
        at_most=(float(share[0]), float(share[1])),
    )


def _taken_of_shares(
    row_sums: Sums,
    base: Sums,
    pairs: IntArray,
    positions: IntArray | None,
    tested: Tested,
    row: int,
    pair: int,
    rules: TestRules,
) -> _Taken:
    taken = PairShares(row_sums, base, pairs)
    pooled, thin = taken.pooled, taken.thin
    if isinstance(tested.paired, SharedAnswers):
        parts = item_share_parts(row_sums, base, pairs, tested.paired.only(row, pair), pooled)
        first, second, cross = parts.first, parts.second, parts.cross
    elif positions is not None:
        parts = overlap_parts(row_sums, base, pairs, positions, pooled, thin)
        first, second, cross = parts.first, parts.second, parts.cross
    else:
        first, second = share_test(rules.percents).parts(taken)
        cross = np.zeros_like(pooled)
    return _Taken(
        pooled=float(pooled[0, 0]), parts=(float(first[0, 0]), float(second[0, 0]), float(cross[0, 0]))
    )


def _taken_of_means(
    row_sums: ValueSums, pairs: IntArray, positions: IntArray | None, tested: Tested, rules: TestRules
) -> _Taken:
    row_moments = moments(row_sums)
    (a, b) = pairs[0].tolist()
    variance, other = float(row_moments.variance[0, a]), float(row_moments.variance[0, b])
    e1, e2 = float(row_moments.effective[0, a]), float(row_moments.effective[0, b])
    taken = _Taken(variance=variance, other_variance=other)
    if isinstance(tested.paired, SharedValues):
        pair = int(np.flatnonzero((tested.comparisons.pairs == pairs[0]).all(axis=1))[0])
        shared = SharedValues(tested.paired.people[:, [pair]], tested.paired.products[:, [pair]])
        parts = item_mean_parts(row_sums, pairs, shared)
    elif positions is not None:
        parts = mean_overlap_parts(row_sums, pairs, positions)
    else:
        pair_of = (np.array([[value]]) for value in (variance, other, e1, e2))
        one, two = mean_test(rules.means).parts(PairMeans(*pair_of))
        return replace(taken, parts=(float(one[0, 0]), float(two[0, 0]), 0.0))
    ends = (float(parts.first[0, 0]), float(parts.second[0, 0]), float(parts.cross[0, 0]))
    return replace(taken, parts=ends)


def _taken_text(working: TestWorking) -> Iterator[str]:
    """Go through what a test takes beside figures and bases."""
    if working.pooled is not None:
        yield f"pooled share {number(working.pooled)}"
    if working.variance is not None and working.other_variance is not None:
        yield f"variances {number(working.variance)} and {number(working.other_variance)}"
    if working.parts is not None and working.parts[2] != 0.0:
        first, second, cross = (number(part) for part in working.parts)
        yield f"variance of the difference V = {first} + {second} − 2 × {cross}"


def _middle_text(taken: _Taken) -> Iterator[str]:
    """Say what a test of medians is made of."""
    if taken.middle is not None:
        first, second = (number(share) for share in taken.at_most)
        yield f"the median of both is {number(taken.middle)}; shares at most that: {first} and {second}"


def _short(value: float | None, digits: int = 6) -> str:
    return number(math.nan if value is None else round(value, digits))


def _both_text(tested: Tested, shared: int) -> str:
    if tested.paired is not None:
        return f"{shared:,} answered both"
    return f"{shared:,} in both columns" if shared else "nobody in both"


def _two_sides(
    tested: Tested, evidence: Evidence, pair: int, sides: tuple[int, int]
) -> tuple[tuple[float, float], tuple[float, float], int]:
    """Return both figures, both effective bases and how many are in both."""
    base, values = evidence.base, evidence.figures()
    effective = np.nan_to_num(effective_base(base.w, base.w2)[0])
    shared = (
        _shared(tested, base, pair) if tested.paired is None else round(float(tested.paired.people[0, pair]))
    )
    a, b = sides
    return (float(values[a]), float(values[b])), (float(effective[a]), float(effective[b])), shared


def _ends(tested: Tested, evidence: Evidence, row: int, pair: int, level: float) -> tuple[float, float]:
    """Return the interval of the difference of a pair, first column minus second, in points or units."""
    pairs = tested.comparisons.pairs[[pair]]
    first, second = pairs[:, 0], pairs[:, 1]
    base = evidence.base
    match tested.kind:
        case "median":
            return math.nan, math.nan
        case "mean" | "paired mean":
            gap = mean_gaps(evidence.values, pairs)[row]
            degrees = tested.tests.degrees[[row if len(tested.tests.degrees) > 1 else 0], [pair]]
            low, high = mean_difference_interval(gap, tested.tests.error[[row], [pair]], degrees, level)
            return float(low[0]), float(high[0])
        case "share" | "paired share":
            row_sums = evidence.sums.rows([row])
            share = shares(row_sums, base)
            if isinstance(tested.paired, SharedAnswers):
                phi = item_overlap(row_sums, base, pairs, tested.paired.only(row, pair))
            else:
                w2 = np.zeros(1)
                where = int(tested.shared.where[pair]) if tested.shared is not None else -1
                if where >= 0:
                    w2[0] = base.pair_w2[0, where]
                phi = overlap_correlation(base, w2, first, second)
            ends = wilson_interval(share, effective_base(base.w, base.w2), level)
            low, high = difference_interval(share, ends, first, second, phi)
            return 100.0 * float(low[0, 0]), 100.0 * float(high[0, 0])
        case _:
            assert_never(tested.kind)


def _shared(tested: Tested, base: Sums, pair: int) -> int:
    where = int(tested.shared.where[pair]) if tested.shared is not None else -1
    return round(float(base.pair_n[0, where])) if where >= 0 else 0


def _mark(statistic: float, reached: list[float], levels: tuple[float, ...], *, lettered: bool) -> str:
    if not reached or (lettered and statistic < 0):
        return ""
    strict = levels[0] in reached
    if lettered:
        return "letter" if strict else "small letter"
    return ("higher" if statistic > 0 else "lower") + ("" if strict else " (lax)")


def _outcome(working: TestWorking, levels: tuple[float, ...], *, lettered: bool) -> str:
    """Say in words what a test comes to."""
    if working.level is None:
        alphas = (f"{alpha_of(level):g}" for level in levels)
        return f"above {' and '.join(alphas)}, so no significant difference"
    statistic = working.statistic or 0.0
    way = "higher" if statistic > 0 else "lower"
    at = f"significantly {way} at the {working.level:g} % level"
    if not lettered:
        return f"{at}, so it carries a mark"
    if statistic < 0:
        return f"{at}, so the other column carries the letter"
    return f"{at}, so it carries the {'letter' if working.level == levels[0] else 'small letter'}"


def _formulas(tested: Tested, rules: TestRules, shared: set[bool]) -> list[str]:
    """Return the formulas of the tests made, for columns that share nobody and for those that share people."""
    if not shared:
        return []
    if tested.paired is not None:
        return [PAIRED_FORMULAS[tested.kind], INTERVALS[tested.kind]]
    if tested.kind == "median":
        return [median_test(rules.medians).formula, share_test(rules.percents).formula]
    apart, overlap = (
        (share_test(rules.percents).formula, OVERLAP_FORMULA)
        if tested.kind == "share"
        else (mean_test(rules.means).formula, MEAN_OVERLAP_FORMULA)
    )
    wanted = ([apart] if False in shared else []) + ([overlap] if True in shared else [])
    return [*dict.fromkeys(wanted), INTERVALS[tested.kind]]


SILENT = "the medians themselves do not differ that way, so there is no letter or mark"
OVERLAP_FORMULA = (
    share_test("linear").formula
    + " Where fewer than 5 are expected to give the answer, or not to, in either column, "
    "V = p (1 − p) Σ w² (x₁/W₁ − x₂/W₂)²."
)
MEAN_OVERLAP_FORMULA = (
    "t = (m₁ − m₂) / √V, V = Σ w² (k₁x₁(s − m₁)/W₁ − k₂x₂(s − m₂)/W₂)² over those with a value s, "
    "k = √(e/(e − 1))."
)
OF_SHARES = (
    "Interval: of a difference of shares after Newcombe (1998, method 10), from Wilson's interval of each."
)
OF_MEANS = "Interval: difference ± t × standard error, on the test's degrees of freedom."
INTERVALS: Mapping[str, str] = {
    "share": OF_SHARES,
    "paired share": OF_SHARES,
    "mean": OF_MEANS,
    "paired mean": OF_MEANS,
}
PAIRED_FORMULAS: Mapping[str, str] = {
    "paired share": "z = (p₁ − p₂) / √V, V = Σ w² (b₁(y₁ − p)/W₁ − b₂(y₂ − p)/W₂)² over all in either base: b is 1 "
    f"for those in the item's base, y for the answer, W the item's weighted base; {POOLED_SHARE}. Where fewer than 5 "
    "are expected to give the answer, or not to, V is at least p (1 − p) (1/e₁ + 1/e₂) less what those in both share.",
    "paired mean": "t = (m₁ − m₂) / √V, V = Σ w² (k₁b₁(s₁ − m₁)/W₁ − k₂b₂(s₂ − m₂)/W₂)² over all with a value s of "
    "either item, k = √(e/(e − 1)), on the smaller e − 1 degrees of freedom.",
}


def _why_off(mark: Mark, column: str) -> str:
    """Say why a column with a mark is in no test."""
    if mark == "not asked":
        return f"nobody in {column} was asked it, or offered it"
    if mark == "partly offered":
        return f"not everybody in {column} was offered all of it"
    return f"the base of {column} is {mark} by the minimum bases"
