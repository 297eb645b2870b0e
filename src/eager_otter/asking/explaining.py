"""The working of a cell: who is counted, the formula with its numbers, and the test behind each letter."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import cached_property

from eager_otter.asking.trend_working import TrendWorking
from eager_otter.asking.workings import workings
from eager_otter.errors import RequestError
from eager_otter.figures.working import CellWorking, number
from eager_otter.looks.words import counted
from eager_otter.tables.explanation import Explanation, Step, TestWorking
from eager_otter.tables.table import Evidence, Line, Table
from eager_otter.tables.texts import cell_text


def explain(table: Table, row: str, column: str, figure: str | None = None) -> Explanation:
    """Compute the explanation of a cell.

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
        self.at = self.column.number  # its place among the columns counted

    def explanation(self) -> Explanation:
        value = float(self.line.values[self.place])
        formula, worked, terms = self._figure()
        tests, notes = (
            ((), ()) if self.column.role == "trend" else workings(self.table, self.line, self.place)
        )
        return Explanation(
            table=self.table.id,
            title=self.table.title,
            row=self.line.label,
            column=self.column.path,
            figure=self.line.figure,
            shown=self._shown(),
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

    def _shown(self) -> str:
        """Return the text of the cell: of a trend its mark."""
        if self.column.role == "trend":
            return self.line.letters[self.place]
        return cell_text(self.table, self.line, self.place)

    def _also(self) -> tuple[str, ...]:
        """Compute what the figure's tests, or the figure, rest on beside its formula."""
        if self.column.role == "trend":
            return self._trend.columns()
        there = not math.isnan(float(self.line.values[self.place])) and self.column.difference is None
        text = self.line.shows.also(self._cell) if there else ""
        return (text,) if text else ()

    @cached_property
    def _cell(self) -> CellWorking:
        """Gather what the cell rests on."""
        line, evidence = self.line, self.evidence
        above = [one for one in self.table.lines[: self._row + 1] if one.figure == line.figure]
        return CellWorking(
            value=float(line.values[self.place]),
            row=evidence.row,
            at=self.at,
            sums=evidence.sums,
            base=evidence.base,
            of=math.nan if evidence.of is None else float(evidence.of[self.at]),
            cut=evidence.cuts[self.at] if evidence.cuts else None,
            level=line.level or 95.0,
            group=self._group(),
            above=tuple(self._percent_of(one) for one in above if one.evidence is not None),
        )

    def _group(self) -> tuple[int, ...]:
        """Return the places, as counted, of the compared columns of the cell's banner group."""
        columns = self.table.columns
        return tuple(
            columns[k].number
            for group in self.table.groups
            if group.start <= self.place < group.stop
            for k in range(group.start, group.stop)
            if columns[k].compared
        )

    @property
    def _row(self) -> int:
        """Its place among the table's lines."""
        return next(k for k, line in enumerate(self.table.lines) if line is self.line)

    def _percent_of(self, line: Line) -> float:
        evidence = line.evidence
        if evidence is None or evidence.of is None:
            return math.nan
        return 100.0 * float(evidence.sums.w[evidence.row, self.at]) / float(evidence.of[self.at])

    def _said(self) -> str:
        """Say the figure in one plain sentence."""
        if self.column.role == "trend":
            return self._trend.said()
        line, shown, column = self.line, cell_text(self.table, self.line, self.place), self.column.path
        if line.marks[self.place] == "withheld":
            return f"The figure of {line.label} in {column} is withheld: the base is below the threshold."
        if line.marks[self.place] == "not asked":
            return f"There is no figure of {line.label} in {column}: it was not asked, or not offered, there."
        if math.isnan(float(line.values[self.place])):
            return f"There is no figure of {line.label} in {column}."
        if self.column.difference is not None:
            return f"{line.label}: {shown} is the difference that {column} shows."
        base = self.evidence.base
        of = f"the {counted(round(float(base.n[0, self.at])), 'respondent')} in {column}"
        if line.shows.tested == "shares" and line.kind in ("answer", "net") and not self._paired:
            weighted = " (weighted)" if self.table.weighted else ""
            return f"{shown} of {of} are in the row {line.label}{weighted}."
        if line.kind == "base":
            return f"{line.label} of {column}: {shown}."
        if line.shows.unit == "percent":
            return f"{line.label} in {column}: {shown} ({line.figure})."
        return f"{line.label} in {column}: {shown}, over {of}."

    @cached_property
    def _trend(self) -> TrendWorking:
        """Compute the trend that the cell marks."""
        return TrendWorking(self.table, self.line, self.place)

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
        if self.column.role == "trend":
            return steps
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
        return self.table.shape == "answers by items"

    # --- the figure -------------------------------------------------------------------------------------

    def _figure(self) -> tuple[str, str, tuple[tuple[str, float], ...]]:
        if self.column.role == "trend":
            return self._trend.working()
        if self.line.marks[self.place] == "withheld":
            return "withheld, as the base is below the threshold", "", ()
        if self.line.marks[self.place] == "not asked":
            return "it was not asked of anybody in the column, or not offered to anybody", "", ()
        if self.column.difference is not None:
            return self._difference()
        if math.isnan(float(self.line.values[self.place])):
            return "there is no such figure: nobody is in the column, or too few to work it out", "", ()
        return self.line.shows.working(self._cell)

    def _difference(self) -> tuple[str, str, tuple[tuple[str, float], ...]]:
        a, b = self.column.difference or (0, 0)
        names = [self.table.counted[k].path for k in (a, b)]
        shown = {column.number: place for place, column in enumerate(self.table.columns)}
        value = float(self.line.values[self.place])
        formula = f"{self.line.figure} of {names[0]} − {self.line.figure} of {names[1]}"
        if a not in shown or b not in shown or math.isnan(value):
            return formula, "", ()
        first, second = (float(self.line.values[shown[k]]) for k in (a, b))
        terms = ((names[0], first), (names[1], second))
        return formula, f"{number(first)} − {number(second)} = {number(value)}", terms


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
    text = "; ".join(f"{kind} {', '.join(names)}" for kind, names in sides.items())
    return f"It is {text}."
