"""The working of a cell: who is counted, the formula with its numbers, and the test behind each letter."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from eager_otter.core.arrays import effective_base
from eager_otter.core.means import moments
from eager_otter.core.sums import Sums
from eager_otter.errors import RequestError
from eager_otter.looks.words import counted
from eager_otter.tables.request import PERCENTS, quantile_of
from eager_otter.tables.table import Evidence, Line, Table
from eager_otter.tables.texts import cell_text
from eager_otter.tables.workings import TestWorking, number, workings


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One step from all rows read to those in the cell: respondents before and after it."""

    what: str
    before: int
    after: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Explanation:
    """The working of one cell, as data; `str()` gives it in words.

    `summary` says in one plain line what the figure is and what it differs from. `value` is at full precision (None
    where there is none), `shown` the text in the table. `formula` is in symbols, `worked` the same with the numbers of
    `terms` in it; `also` works out the variance of a mean, or tells the values around a quantile.
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
    summary: str = ""
    also: tuple[str, ...] = ()

    def __str__(self) -> str:
        head = f"{self.title}\n{self.row} × {self.column}: {self.figure} {self.shown}".rstrip()
        parts = [head, *([self.summary] if self.summary else []), "Who is counted"]
        width = max((len(step.what) for step in self.steps), default=0)
        parts += [f"  {step.what:<{width}}  {step.before:>9,} → {step.after:,}" for step in self.steps]
        parts += ["The figure", f"  {self.formula}", *([f"  {self.worked}"] if self.worked else [])]
        parts += [f"  {text}" for text in self.also]
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
        tests, notes = workings(self.table, self.line, self.place)
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
            also=self._also(),
            summary=" ".join(part for part in (self._said(), _verdicts(tests)) if part),
        )

    def _also(self) -> tuple[str, ...]:
        """Work out what the figure's tests, or the figure, rest on beside its formula."""
        there = not math.isnan(float(self.line.values[self.place])) and self.column.difference is None
        if there and quantile_of(self.line.figure) is not None:
            return (_around(self),)
        if there and self.line.figure in ("mean", "mean mentions", "difference"):
            return tuple(text for text in (_variance(self),) if text)
        return ()

    def _said(self) -> str:
        """Say the figure in one plain sentence."""
        line, shown, column = self.line, cell_text(self.table, self.line, self.place), self.column.path
        if line.marks[self.place] == "withheld":
            return f"The figure of {line.label} in {column} is withheld: the base is below the threshold."
        if math.isnan(float(line.values[self.place])):
            return f"There is no figure of {line.label} in {column}."
        if self.column.difference is not None:
            return f"{line.label}: {shown} is the difference that {column} shows."
        base = self.evidence.base
        of = f"the {counted(round(float(base.n[0, self.at])), 'respondent')} in {column}"
        if line.figure == "column percent" and line.kind in ("answer", "net") and not self._paired:
            weighted = " (weighted)" if self.table.weighted else ""
            return f"{shown} of {of} are in the row {line.label}{weighted}."
        if line.kind == "base":
            return f"{line.label} of {column}: {shown}."
        if line.figure in PERCENTS:
            return f"{line.label} in {column}: {shown} ({line.figure})."
        return f"{line.label} in {column}: {shown}, over {of}."

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


def _verdicts(tests: Sequence[TestWorking]) -> str:
    """Say in one sentence what a figure is higher or lower than, from what it does not differ, and what is untested."""
    sides: dict[str, list[str]] = {}
    for test in tests:
        if test.p_value is None:
            kind = "not tested against"
        elif test.level is None:
            kind = "not significantly different from"
        else:
            way = "higher" if (test.statistic or 0.0) > 0 else "lower"
            kind = f"significantly {way} ({test.level:g} %) than"
        sides.setdefault(kind, []).append(test.other)
    if not sides:
        return ""
    told = "; ".join(f"{kind} {', '.join(names)}" for kind, names in sides.items())
    return f"It is {told}."


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
        return _cut(working, share)
    if figure in ENDS:
        text = ENDS[figure]
    else:
        raise RequestError(f"The figure {figure!r} has no working that can be shown.")
    n, w = working.total(working.evidence.sums, "n"), working.total(working.evidence.sums, "w")
    return (
        f"{text}; {counted(round(n), 'value')} of weight {number(w)} in all",
        "",
        (("values", n), ("weight", w)),
    )


def _cut(working: _Working, share: float) -> Built:
    """Show where a quantile cuts the values: those around it with their cumulated shares of weight."""
    cut = working.evidence.cuts[working.at]
    formula = (
        f"values in rising order, weights cumulated: the first value whose cumulated share exceeds {share:g}, or "
        "the midpoint of it and the next where it equals it"
    )
    worked = f"({number(cut.at)} + {number(cut.above)}) / 2 = {number(cut.value)}" if cut.middle else ""
    terms = {
        "below": cut.below,
        "share_below": cut.share_below,
        "at": cut.at,
        "share": cut.share,
        "above": cut.above,
    }
    return formula, worked, tuple((name, value) for name, value in terms.items() if not math.isnan(value))


def _around(working: _Working) -> str:
    """Tell the values around the cut of a quantile, with their cumulated shares of weight."""
    cut, sums = working.evidence.cuts[working.at], working.evidence.sums
    n = working.total(sums, "n")
    told = [f"{counted(round(n), 'value')} of weight {number(working.total(sums, 'w'))}"]
    if not math.isnan(cut.below):
        told.append(f"cumulated share {number(cut.share_below)} up to {number(cut.below)}")
    told.append(f"{number(cut.share)} up to {number(cut.at)}")
    if not math.isnan(cut.above):
        told.append(f"the next value is {number(cut.above)}")
    return ", ".join(told)


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


def _variance(working: _Working) -> str:
    """Work out the variance of the values behind a mean, which its test takes; "" where there is none."""
    sums = working.evidence.sums
    variance = float(moments(sums).variance[working.evidence.row, working.at])
    if math.isnan(variance):
        return ""
    n, w = working.total(sums, "n"), working.total(sums, "w")
    numbers = (variance * w * (n - 1.0) / n, w, n, n - 1.0)
    squares, weights, count, less = (number(value) for value in numbers)
    return (
        "variance: Σ weight × (value − mean)² / Σ weight × n / (n − 1) = "
        f"{squares} / {weights} × {count} / {less} = {number(variance)}"
    )


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
