"""The working of a cell: who is counted, the formula with its numbers, and the test behind each letter."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, assert_never

import numpy as np

from eager_otter.core.arrays import effective_base
from eager_otter.core.intervals import (
    difference_interval,
    item_overlap,
    mean_difference_interval,
    overlap_correlation,
    wilson_interval,
)
from eager_otter.core.letters import alpha_of
from eager_otter.core.means import mean_gaps, moments
from eager_otter.core.paired import SharedAnswers
from eager_otter.core.proportions import shares
from eager_otter.core.sums import Sums
from eager_otter.errors import RequestError
from eager_otter.tables.banner import REST
from eager_otter.tables.base_rules import NOT_TESTED, marks_of
from eager_otter.tables.comparing import NOWHERE
from eager_otter.tables.request import TestRules, quantile_of
from eager_otter.tables.rounding import p_words
from eager_otter.tables.table import MARKS, Evidence, Line, Table
from eager_otter.tables.testing import Tested
from eager_otter.tables.texts import cell_text


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One step from all rows read to those in the cell: respondents before and after it."""

    what: str
    before: int
    after: int


@dataclass(frozen=True, slots=True, kw_only=True)
class TestWorking:
    """One comparison of the cell with another column: both figures, bases, the statistic and the verdict.

    `figure` and `other_figure` are percents or means, `difference` the first minus the second, in points or units;
    `effective` and `other_effective` the effective bases; `shared` is the number of respondents in both. `error` is the
    standard error of the difference, as the test takes it; `low` and `high` are the ends of its interval at the first
    level. Numbers are None where there is no test.
    """

    __test__ = False  # not a test case, whatever its name

    other: str
    figure: float | None
    other_figure: float | None
    effective: float | None
    other_effective: float | None
    shared: int
    difference: float | None
    error: float | None
    low: float | None
    high: float | None
    statistic: float | None
    degrees: float | None
    p_value: float | None
    adjusted: float | None
    mark: str
    sentence: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Explanation:
    """The working of one cell, as data; `str()` gives it in words.

    `value` is at full precision (None where there is none), `shown` the text in the table. `formula` is in symbols,
    `worked` the same with the numbers of `terms` in it.
    """

    table: str
    title: str
    row: str
    column: str
    figure: str
    shown: str
    value: float | None
    steps: tuple[Step, ...]
    formula: str
    worked: str
    terms: tuple[tuple[str, float], ...]
    tests: tuple[TestWorking, ...]
    notes: tuple[str, ...] = ()

    def __str__(self) -> str:
        head = f"{self.title}\n{self.row} × {self.column}: {self.figure} {self.shown}".rstrip()
        parts = [head, "Who is counted"]
        width = max((len(step.what) for step in self.steps), default=0)
        parts += [f"  {step.what:<{width}}  {step.before:>9,} → {step.after:,}" for step in self.steps]
        parts += ["The figure", f"  {self.formula}", *([f"  {self.worked}"] if self.worked else [])]
        parts.append("Tests")
        parts += [f"  {test.sentence}" for test in self.tests]
        parts += [f"  {note}" for note in self.notes]
        return "\n".join(parts)

    def as_dict(self) -> dict[str, Any]:
        """Give it as plain mappings and lists, as for JSON."""
        from dataclasses import asdict

        return asdict(self)


def explain(table: Table, row: str, column: str, figure: str | None = None) -> Explanation:
    """Work out the explanation of a cell.

    `row` is a row's label or code, `column` a column's label, `group: label`, code or letter; `figure` may be left out
    where the row has one. Raises UnknownName, RequestError.
    """
    table = table.logical or table
    return _Working(table, table.line(row, figure), table.column_position(column)).explanation()


def number(value: float) -> str:
    """Write a number with as many digits as working by hand needs.

    >>> number(30.927835051546392), number(412.0), number(0.00001234567)
    ('30.92783505', '412', '1.234567e-05')
    """
    if math.isnan(value):
        return "n/a"
    return f"{value:,.0f}" if value == round(value) and abs(value) < 1e15 else f"{value:.10g}"


class _Working:
    def __init__(self, table: Table, line: Line, place: int) -> None:
        if line.evidence is None:
            raise RequestError(f"Row {line.label!r} holds no figure that can be explained.")
        self.table, self.line, self.place = table, line, place
        self.evidence: Evidence = line.evidence
        self.column = table.columns[place]
        self.at = table.shown[place]  # its place among the columns counted

    def explanation(self) -> Explanation:
        value = float(self.line.values[self.place])
        formula, worked, terms = self._figure()
        tests, notes = self._tests()
        return Explanation(
            table=self.table.id,
            title=self.table.title,
            row=self.line.label,
            column=self.column.path,
            figure=self.line.figure,
            shown=cell_text(self.table, self.line, self.place),
            value=None if math.isnan(value) else value,
            steps=tuple(self._steps()),
            formula=formula,
            worked=worked,
            terms=terms,
            tests=tests,
            notes=notes,
        )

    # --- who is counted ---------------------------------------------------------------------------------

    def _steps(self) -> list[Step]:
        """Go from the rows read to those in the cell."""
        facts, base = self.table.facts, self.evidence.base
        steps: list[Step] = []
        now = 0
        if facts is not None:
            now = facts.rows
            steps.append(Step(what="respondents read", before=now, after=now))
            for step in facts.filters:
                what = f"base: {step.expression}" if step is facts.base else f"filter: {step.expression}"
                steps.append(Step(what=what, before=now, after=step.kept))
                now = step.kept
            if facts.zero_weights:
                steps.append(Step(what="weight above 0", before=now, after=now - facts.zero_weights))
                now -= facts.zero_weights
        total = round(float(base.n[0, 0])) if not self._paired else round(float(base.n[0, self.at]))
        what = "everyone in the base" if self.table.base == "all" else "base: with a valid answer or value"
        steps.append(Step(what=what, before=now, after=total))
        if not self._paired and self.column.difference is None:
            inside = round(float(base.n[0, self.at]))
            steps.append(Step(what=f"column: {self.column.path}", before=total, after=inside))
            total = inside
        counts_people = self.evidence.sums is not base and self.column.difference is None
        if counts_people and self.line.marks[self.place] != "withheld":
            gave = round(float(self.evidence.sums.n[self.evidence.row, self.at]))
            steps.append(Step(what=f"row: {self.line.label}", before=total, after=gave))
        return steps

    @property
    def _paired(self) -> bool:
        """Whether the columns are items: then each has a base of its own, and none is the Total."""
        return self.table.counted[0].letter != ""

    # --- the figure -------------------------------------------------------------------------------------

    def _figure(self) -> tuple[str, str, tuple[tuple[str, float], ...]]:
        if self.line.marks[self.place] == "withheld":
            return "withheld, as the base is below the threshold", "", ()
        if self.column.difference is not None:
            return self._difference()
        if math.isnan(float(self.line.values[self.place])):
            return "there is no such figure: nobody is in the column, or too few to work it out", "", ()
        if self.line.figure in _FIGURES:
            return _FIGURES[self.line.figure](self)
        return _words(self)

    def _difference(self) -> tuple[str, str, tuple[tuple[str, float], ...]]:
        a, b = self.column.difference or (0, 0)
        names = [self.table.counted[k].path for k in (a, b)]
        shown = {k: place for place, k in enumerate(self.table.shown)}
        value = float(self.line.values[self.place])
        formula = f"{self.line.figure} of {names[0]} − {self.line.figure} of {names[1]}"
        if a not in shown or b not in shown or math.isnan(value):
            return formula, "", ()
        first, second = (float(self.line.values[shown[k]]) for k in (a, b))
        terms = ((names[0], first), (names[1], second))
        return formula, f"{number(first)} − {number(second)} = {number(value)}", terms

    def total(self, sums: Sums, name: str) -> float:
        """Take one sum of the cell."""
        return float(getattr(sums, name)[self.evidence.row, self.at])

    def worked(
        self, formula: str, pattern: str, **terms: float
    ) -> tuple[str, str, tuple[tuple[str, float], ...]]:
        """Put numbers into a pattern; the result stands behind."""
        value = float(self.line.values[self.place])
        text = pattern.format(**{name: number(term) for name, term in terms.items()})
        return formula, f"{text} = {number(value)}", tuple(terms.items())

    # --- tests ------------------------------------------------------------------------------------------

    def _tests(self) -> tuple[tuple[TestWorking, ...], tuple[str, ...]]:
        line = self._tested_line()
        if self.column.letter == "" and self.column.difference is None:
            return (), (f"{self.column.path} is not tested.",)
        if line is None or line.evidence is None or line.evidence.tested is None:
            return (), (self._why_no_tests(),)
        tested, row = line.evidence.tested, line.evidence.row
        comparisons = tested.comparisons
        found = []
        for k, (a, b) in enumerate(comparisons.pairs.tolist()):
            at = int(comparisons.at[k])
            if tested.idle[k]:
                continue
            if at == self.at or (at == NOWHERE and self.at in (a, b)):
                found.append(self._test(line, tested, row, k, flipped=at == NOWHERE and b == self.at))
        if not found:
            return (), ("The column is compared with no other.",)
        made = [test for test in found if test.p_value is not None]
        shared = {bool(test.shared) for test in made}
        return tuple(found), tuple(_formulas(tested, self.table.tests, shared))

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

    def _test(self, line: Line, tested: Tested, row: int, pair: int, *, flipped: bool) -> TestWorking:
        a, b = tested.comparisons.pairs[pair].tolist()
        mine, other = (b, a) if flipped else (a, b)
        p_value, statistic = tested.p_value[row, pair], tested.tests.statistic[row, pair]
        statistic = -statistic if flipped else statistic
        evidence = line.evidence
        assert evidence is not None
        figures, effective, shared = _two_sides(tested, evidence, pair, (mine, other))
        degrees = float(tested.tests.degrees[row if len(tested.tests.degrees) > 1 else 0, pair])
        scale = 100.0 if tested.kind in ("share", "paired share") else 1.0
        level = self.table.levels[0] if self.table.levels else 95.0
        ends = _ends(tested, evidence, row, pair, level)
        if flipped:
            ends = (-ends[1], -ends[0])
        return self._verdict(
            tested,
            other=self._other_name(tested, pair, other),
            figures=figures,
            effective=effective,
            shared=shared,
            statistic=float(statistic),
            error=scale * float(tested.tests.error[row, pair]),
            ends=ends,
            degrees=degrees,
            p_value=float(p_value),
            adjusted=float(tested.adjusted[row, pair]),
            lettered=int(tested.comparisons.at[pair]) == NOWHERE,
            why=self._why_untested(tested, evidence, row, pair, (mine, other)),
        )

    def _other_name(self, tested: Tested, pair: int, other: int) -> str:
        column = self.table.counted[other]
        against = tested.comparisons.against[pair]
        if against in ("rest", "total"):
            where = "under the same head" if self.table.tests.rest_of_parent else "in the table"
            rest = f"the rest (everyone {where} who is not in the column)"
            return f"the Total, by way of {rest}" if against == "total" else rest
        return f"{column.path} ({column.letter})" if column.letter else column.path

    def _why_untested(
        self, tested: Tested, evidence: Evidence, row: int, pair: int, sides: tuple[int, int]
    ) -> str:
        """Say why a pair has no P value; "" where it has one."""
        if not np.isnan(tested.p_value[row, pair]):
            return ""
        marks = marks_of(evidence.base, self.table.rules)[0]
        for side in sides:
            if marks[side] >= NOT_TESTED:
                name = self.table.counted[side].path if self.table.counted[side].fixed != REST else "the rest"
                return f"the base of {name} is {MARKS[marks[side]]} by the minimum bases"
        if tested.out[row if len(tested.out) > 1 else 0, pair]:
            return "the row is taken out of all tests"
        match tested.kind:
            case "share":
                return "all or nobody gave the answer, or the two columns are the same people"
            case "paired share":
                return "all or nobody gave the answer, or nobody answered the two differently"
            case "mean":
                return "there are too few values, or no spread among them"
            case "paired mean":
                return "there are too few values, or no spread among their differences"
            case _:
                assert_never(tested.kind)

    def _verdict(
        self,
        tested: Tested,
        *,
        other: str,
        figures: tuple[float, float],
        effective: tuple[float, float],
        shared: int,
        statistic: float,
        error: float,
        ends: tuple[float, float],
        degrees: float,
        p_value: float,
        adjusted: float,
        lettered: bool,
        why: str,
    ) -> TestWorking:
        levels = self.table.levels
        percent = tested.kind in ("share", "paired share")
        texts = [f"{number(round(value, 6))}{' %' if percent else ''}" for value in figures]
        bases = f"effective bases {number(round(effective[0], 6))} and {number(round(effective[1], 6))}"
        both = _both_text(tested, shared)
        difference = figures[0] - figures[1]
        mark = _mark(statistic, adjusted, levels, lettered=lettered)
        if why:
            sentence = f"Against {other}: not tested, as {why}."
        else:
            name = "t" if not math.isnan(degrees) else "z"
            freedom = f" on {number(round(degrees, 4))} degrees of freedom" if name == "t" else ""
            unit = " points" if percent else ""
            level = f"{levels[0] if levels else 95.0:g} % interval"
            between = f"{number(round(ends[0], 6))} to {number(round(ends[1], 6))}"
            gap = f"difference {number(round(difference, 6))}{unit} ({level} {between})"
            corrected = (
                ""
                if self.table.tests.adjust == "none"
                else f", corrected {p_words(adjusted).removeprefix('= ')}"
            )
            sentence = (
                f"Against {other}: {texts[0]} and {texts[1]}, {gap}, {bases}, {both}; "
                f"standard error of the difference {number(error)}; "
                f"{name} = {statistic:.4f}{freedom}, P {p_words(p_value)}{corrected}: "
                f"{_outcome(statistic, adjusted, levels, lettered=lettered)}."
            )
        there = not why

        def kept(value: float) -> float | None:
            return float(value) if there and not math.isnan(value) else None

        return TestWorking(
            other=other,
            figure=kept(figures[0]),
            other_figure=kept(figures[1]),
            effective=kept(effective[0]),
            other_effective=kept(effective[1]),
            shared=shared,
            difference=kept(difference),
            error=kept(error),
            low=kept(ends[0]),
            high=kept(ends[1]),
            statistic=kept(statistic),
            degrees=kept(degrees),
            p_value=kept(p_value),
            adjusted=kept(adjusted),
            mark=mark,
            sentence=sentence,
        )


def _both_text(tested: Tested, shared: int) -> str:
    if tested.paired is not None:
        return f"{shared:,} answered both"
    return f"{shared:,} in both columns" if shared else "nobody in both"


def _two_sides(
    tested: Tested, evidence: Evidence, pair: int, sides: tuple[int, int]
) -> tuple[tuple[float, float], tuple[float, float], int]:
    """Give both figures, both effective bases and how many are in both."""
    base, values = evidence.base, evidence.figures()
    effective = np.nan_to_num(effective_base(base.w, base.w2)[0])
    shared = (
        _shared(tested, base, pair) if tested.paired is None else round(float(tested.paired.people[0, pair]))
    )
    a, b = sides
    return (float(values[a]), float(values[b])), (float(effective[a]), float(effective[b])), shared


def _ends(tested: Tested, evidence: Evidence, row: int, pair: int, level: float) -> tuple[float, float]:
    """Give the interval of the difference of a pair, first column minus second, in points or units."""
    pairs = tested.comparisons.pairs[[pair]]
    first, second = pairs[:, 0], pairs[:, 1]
    base = evidence.base
    match tested.kind:
        case "mean" | "paired mean":
            gap = mean_gaps(evidence.sums, pairs)[row]
            degrees = tested.tests.degrees[[row if len(tested.tests.degrees) > 1 else 0], [pair]]
            low, high = mean_difference_interval(gap, tested.tests.error[[row], [pair]], degrees, level)
            return float(low[0]), float(high[0])
        case "share" | "paired share":
            own = evidence.sums.rows([row])
            share = shares(own, base)
            if isinstance(tested.paired, SharedAnswers):
                phi = item_overlap(own, base, pairs, tested.paired.only(row, pair))
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


def _mark(statistic: float, p: float, levels: tuple[float, ...], *, lettered: bool) -> str:
    reached = [level for level in levels if p <= alpha_of(level)]
    if not reached or (lettered and statistic < 0):
        return ""
    strict = levels[0] in reached
    if lettered:
        return "letter" if strict else "small letter"
    return ("higher" if statistic > 0 else "lower") + ("" if strict else " (lax)")


def _outcome(statistic: float, p: float, levels: tuple[float, ...], *, lettered: bool) -> str:
    """Say in words what a test comes to."""
    alphas = [alpha_of(level) for level in levels]
    reached = [k for k, alpha in enumerate(alphas) if p <= alpha]
    if not reached:
        return f"above {' and '.join(f'{alpha:g}' for alpha in alphas)}, so no significant difference"
    way = "higher" if statistic > 0 else "lower"
    at = f"significantly {way} at the {levels[reached[0]]:g} % level"
    if not lettered:
        return f"{at}, so it carries a mark"
    if statistic < 0:
        return f"{at}, so the other column carries the letter"
    return f"{at}, so it carries the {'letter' if reached[0] == 0 else 'small letter'}"


def _formulas(tested: Tested, rules: TestRules, shared: set[bool]) -> list[str]:
    """Give the formulas of the tests made, for columns that share nobody and for those that share people."""
    if not shared:
        return []
    if tested.paired is not None:
        return [PAIRED_FORMULAS[tested.kind]]
    apart, overlap = (
        (SHARE_FORMULAS[rules.proportions], OVERLAP_FORMULA)
        if tested.kind == "share"
        else (MEAN_FORMULAS[rules.means], MEAN_FORMULAS["overlap"])
    )
    wanted = ([apart] if False in shared else []) + ([overlap] if True in shared else [])
    return list(dict.fromkeys(wanted))


POOLED = "p = (e₁p₁ + e₂p₂) / (e₁ + e₂), with shares p₁, p₂ and effective bases e₁, e₂"
SHARE_FORMULAS: Mapping[str, str] = {
    "pooled": f"z = (p₁ − p₂) / √(p (1 − p) (1/e₁ + 1/e₂)), {POOLED}.",
    "unpooled": "z = (p₁ − p₂) / √(p₁ (1 − p₁)/e₁ + p₂ (1 − p₂)/e₂), with shares p₁, p₂ and effective bases e₁, e₂.",
    "t": f"t = (p₁ − p₂) / √(p (1 − p) (1/e₁ + 1/e₂)) on e₁ + e₂ − 2 degrees of freedom, {POOLED}.",
    "linear": "z = (p₁ − p₂) / √V, V = Σ w² (y − p)² (x₁/W₁ − x₂/W₂)² over those in the base: y is 1 for the answer, "
    f"x 1 for the column, W its weighted base; {POOLED}.",
}
OVERLAP_FORMULA = (
    SHARE_FORMULAS["linear"]
    + " Where fewer than 5 are expected to give the answer, or not to, in either column, "
    "V = p (1 − p) Σ w² (x₁/W₁ − x₂/W₂)²."
)
MEAN_FORMULAS: Mapping[str, str] = {
    "welch": "t = (m₁ − m₂) / √(v₁/e₁ + v₂/e₂), with means m, variances v and effective numbers of values e.",
    "pooled": "t = (m₁ − m₂) / √(v (1/e₁ + 1/e₂)), v = ((e₁ − 1) v₁ + (e₂ − 1) v₂) / (e₁ + e₂ − 2).",
    "overlap": "t = (m₁ − m₂) / √V, V = Σ w² (k₁x₁(s − m₁)/W₁ − k₂x₂(s − m₂)/W₂)² over those with a value s, "
    "k = √(e/(e − 1)).",
}
PAIRED_FORMULAS: Mapping[str, str] = {
    "paired share": "z = (p₁ − p₂) / √V, V = Σ w² (b₁(y₁ − p)/W₁ − b₂(y₂ − p)/W₂)² over all in either base: b is 1 "
    f"for those in the item's base, y for the answer, W the item's weighted base; {POOLED}. Where fewer than 5 are "
    "expected to give the answer, or not to, V is at least p (1 − p) (1/e₁ + 1/e₂) less what those in both share.",
    "paired mean": "t = (m₁ − m₂) / √V, V = Σ w² (k₁b₁(s₁ − m₁)/W₁ − k₂b₂(s₂ − m₂)/W₂)² over all with a value s of "
    "either item, k = √(e/(e − 1)), on the smaller e − 1 degrees of freedom.",
}


# --- formulas -------------------------------------------------------------------------------------------

Built = tuple[str, str, tuple[tuple[str, float], ...]]


def _percent(what: str, of: str) -> Callable[[_Working], Built]:
    def build(working: _Working) -> Built:
        evidence = working.evidence
        assert evidence.of is not None
        return working.worked(
            f"100 × {what} / {of}",
            "100 × {count} / {base}",
            count=working.total(evidence.sums, "w"),
            base=float(evidence.of[working.at]),
        )

    return build


def _words(working: _Working) -> Built:
    """Say in words what has no formula: quantiles and ends."""
    figure = working.line.figure
    share = quantile_of(figure)
    if share is not None:
        text = (
            f"values in rising order, weights cumulated: the first value whose cumulated share exceeds {share:g}, or "
            "the midpoint of it and the next where it equals it"
        )
    elif figure in ENDS:
        text = ENDS[figure]
    else:
        raise RequestError(f"The figure {figure!r} has no working that can be shown.")
    n, w = working.total(working.evidence.sums, "n"), working.total(working.evidence.sums, "w")
    return f"{text}; {number(n)} values of weight {number(w)} in all", "", (("values", n), ("weight", w))


ENDS = {
    "smallest": "the smallest value",
    "largest": "the largest value",
    "difference interval low": "lower end of Newcombe's interval of the percent minus that of the column named",
    "difference interval high": "upper end of Newcombe's interval of the percent minus that of the column named",
}


def _cumulative(working: _Working) -> Built:
    values = []
    for line in working.table.lines:
        if line.figure == "cumulative percent" and line.evidence is not None and line.evidence.of is not None:
            own = line.evidence.sums.w[line.evidence.row, working.at]
            values.append(100.0 * float(own) / float(line.evidence.of[working.at]))
        if line is working.line:
            break
    terms = {f"percent_{k}": value for k, value in enumerate(values, 1)}
    return working.worked(
        "sum of the column percents from the top", " + ".join(f"{{{name}}}" for name in terms), **terms
    )


def _index(working: _Working) -> Built:
    w, base = working.evidence.sums.w[working.evidence.row], working.evidence.base.w[0]
    return working.worked(
        "100 × column percent / percent of the Total",
        "100 × {percent} / {total}",
        percent=100.0 * float(w[working.at] / base[working.at]),
        total=100.0 * float(w[0] / base[0]),
    )


def _column_difference(working: _Working) -> Built:
    w, base = working.evidence.sums.w[working.evidence.row], working.evidence.base.w[0]
    own = 100.0 * float(w[working.at] / base[working.at])
    return working.worked(
        "column percent − percent of the column named",
        "{percent} − {other}",
        percent=own,
        other=own - float(working.line.values[working.place]),
    )


def _one_sum(formula: str, name: str) -> Callable[[_Working], Built]:
    def build(working: _Working) -> Built:
        value = working.total(working.evidence.sums, name)
        return formula, number(value), (("value", value),)

    return build


def _mean(working: _Working) -> Built:
    sums = working.evidence.sums
    w = working.total(sums, "w")
    ws = float(moments(sums).mean[working.evidence.row, working.at]) * w
    what = (
        "100 × (weight of plus − weight of minus)"
        if working.line.figure == "difference"
        else "Σ weight × value"
    )
    return working.worked(f"{what} / Σ weight", "{values} / {weights}", values=ws, weights=w)


def _total_value(working: _Working) -> Built:
    sums = working.evidence.sums
    w = working.total(sums, "w")
    value = float(moments(sums).mean[working.evidence.row, working.at]) * w
    return "Σ weight × value", number(value), (("value", value),)


def _deviation(working: _Working) -> Built:
    sums = working.evidence.sums
    found, n, w = moments(sums), working.total(sums, "n"), working.total(sums, "w")
    variance = float(found.variance[working.evidence.row, working.at])
    squares = variance * w * (n - 1.0) / n
    return working.worked(
        "√( Σ weight × (value − mean)² / Σ weight × n / (n − 1) )",
        "√( {squares} / {weights} × {n} / {less} )",
        squares=squares,
        weights=w,
        n=n,
        less=n - 1.0,
    )


def _error(working: _Working) -> Built:
    found = moments(working.evidence.sums)
    place = (working.evidence.row, working.at)
    return working.worked(
        "standard deviation / √ effective number of values",
        "{deviation} / √{effective}",
        deviation=float(found.standard_deviation[place]),
        effective=float(found.effective[place]),
    )


def _interval(sign: str) -> Callable[[_Working], Built]:
    def build(working: _Working) -> Built:
        found = moments(working.evidence.sums)
        place = (working.evidence.row, working.at)
        mean, error = float(found.mean[place]), float(found.standard_error[place])
        quantile = abs(float(working.line.values[working.place]) - mean) / error
        return working.worked(
            f"mean {sign} t × standard error, t on {number(float(found.effective[place]) - 1.0)} degrees of freedom",
            f"{{mean}} {sign} {{t}} × {{error}}",
            mean=mean,
            t=quantile,
            error=error,
        )

    return build


def _wilson(sign: float) -> Callable[[_Working], Built]:
    def build(working: _Working) -> Built:
        from scipy.special import ndtri

        evidence, line = working.evidence, working.line
        level = line.level or 95.0
        base = evidence.base
        p = float(evidence.sums.w[evidence.row, working.at] / base.w[0, working.at])
        e = float(effective_base(base.w, base.w2)[0, working.at])
        plus = "+" if sign > 0 else "−"
        return working.worked(
            f"100 × (p + z²/2e {plus} z √(p (1 − p)/e + z²/4e²)) / (1 + z²/e) (Wilson), p the share, e the effective "
            f"base, z for {level:g} %",
            f"100 × ({{share}} + {{z}}² / (2 × {{effective}}) {plus} "
            "{z} × √( {share} × (1 − {share}) / {effective} + {z}² / (4 × {effective}²) )) / (1 + {z}² / {effective})",
            share=p,
            effective=e,
            z=float(ndtri(0.5 + level / 200.0)),
        )

    return build


def _effective(working: _Working) -> Built:
    base = working.evidence.base
    return working.worked(
        "(Σ weight)² / Σ weight²",
        "{weights}² / {squares}",
        weights=float(base.w[0, working.at]),
        squares=float(base.w2[0, working.at]),
    )


_FIGURES: Mapping[str, Callable[[_Working], Built]] = {
    "column percent": _percent("weighted count", "weighted base of the column"),
    "row percent": _percent("weighted count", "weighted count of the row in the Total"),
    "table percent": _percent("weighted count", "weighted base of the Total"),
    "mention percent": _percent("weighted count", "weighted count of all mentions in the column"),
    "percent of answered": _percent("weighted count", "weighted number of those who answered"),
    "percent of answer": _percent("weighted count", "weighted count of the answer named"),
    "percent of outer": _percent("weighted count", "weighted base under the outer head"),
    "cumulative percent": _cumulative,
    "index": _index,
    "column difference": _column_difference,
    "count": _one_sum("Σ weight of those in the row and the column", "w"),
    "unweighted count": _one_sum("number of those in the row and the column", "n"),
    "unweighted base": _one_sum("number of those in the base and the column", "n"),
    "weighted base": _one_sum("Σ weight of those in the base and the column", "w"),
    "respondents": _one_sum("Σ weight of those in the base and the column", "w"),
    "effective base": _effective,
    "mean": _mean,
    "mean mentions": _mean,
    "difference": _mean,
    "sum": _total_value,
    "mentions": _total_value,
    "standard deviation": _deviation,
    "standard error": _error,
    "interval low": _interval("−"),
    "interval high": _interval("+"),
    "percent interval low": _wilson(-1.0),
    "percent interval high": _wilson(1.0),
}
