"""Make a finished table: sums in; figures, letters, marks and notes out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, effective_base, ratio
from eager_otter.core.letters import higher_than
from eager_otter.core.means import Moments, confidence_interval, moments, test_means
from eager_otter.core.proportions import PairTests, SharedPairs, test_proportions
from eager_otter.core.quantiles import weighted_quantile
from eager_otter.core.sums import Sums
from eager_otter.tables.banner import BannerColumns
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.letters import LetterRows, letter_rows
from eager_otter.tables.notes import Facts, notes_of, preview_notes
from eager_otter.tables.order import chosen_rows
from eager_otter.tables.request import (
    CELL_FIGURES,
    SUMMARY_FIGURES,
    BaseRules,
    Figure,
    TableRequest,
)
from eager_otter.tables.rows import Row, rows_of
from eager_otter.tables.table import MARKS, Line, Mark, Table, Viewer, find_column

EDGE = 1e-9  # an effective base this little below a threshold is at it: rounding, not fewer people

NO_ANSWER = "No answer"
SUMMARY_LABELS: Mapping[str, str] = {
    "mean": "Mean",
    "standard deviation": "Standard deviation",
    "standard error": "Standard error",
    "interval low": "Confidence interval, from",
    "interval high": "Confidence interval, to",
    "median": "Median",
    "lower quartile": "Lower quartile",
    "upper quartile": "Upper quartile",
    "smallest": "Smallest",
    "largest": "Largest",
    "sum": "Sum",
    "mean mentions": "Mentions per respondent",
}
CELL_SUMMARIES = (
    "mean",
    "standard deviation",
    "standard error",
    "confidence interval",
    "smallest",
    "largest",
    "sum",
)
LETTERED_SUMMARIES = frozenset({"mean", "mean mentions"})
QUANTILES: Mapping[str, float] = {"median": 0.5, "lower quartile": 0.25, "upper quartile": 0.75}
BASE_LABELS: Mapping[str, str] = {
    "unweighted base": "Base (unweighted)",
    "weighted base": "Base (weighted)",
    "effective base": "Effective base",
}


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Setting:
    """What surrounds a table: the banner, who is counted and how they were chosen."""

    layout: BannerColumns
    shared: SharedPairs
    weighted: bool
    facts: Facts
    viewer: Viewer | None = None


def make_table(request: TableRequest, sums: QuestionSums, setting: Setting) -> Table:
    """Turn the sums of a question into a finished table."""
    return Making(request, sums, setting).table()


def make_preview(request: TableRequest, everybody: Sums, setting: Setting) -> Table:
    """Make a table of bases only, with how many columns there are, how many pairs, and how many are thin."""
    marks = marks_of(everybody, request.rules)[0]
    lines = base_lines(everybody, marks, weighted=setting.weighted)
    title = f"Banner {request.banner.name}".strip()
    notes = preview_notes(request, lines[0], len(setting.layout.pairs), setting.facts)
    table = assembled(request, setting, lines, notes, title=title, people=int(everybody.n[0, 0]))
    return in_shown_order(table, setting.layout.shown)


def assembled(
    request: TableRequest,
    setting: Setting,
    lines: Sequence[Line],
    notes: tuple[str, ...],
    *,
    title: str,
    people: int,
) -> Table:
    """Put a table together from its lines and notes, all columns in the order in which they were counted."""
    return Table(
        id=request.id or request.question,
        title=f"{title} – {request.layer}" if request.layer else title,
        question=request.question,
        columns=setting.layout.columns,
        groups=setting.layout.groups,
        lines=tuple(lines),
        notes=notes,
        digits=request.digits,
        levels=request.levels,
        weighted=setting.weighted,
        people=people,
        layer=request.layer,
        heading=request.heading,
        viewer=setting.viewer,
    )


def base_lines(base: Sums, marks: IntArray, *, weighted: bool) -> list[Line]:
    """Make the base lines: unweighted, and in a weighted table weighted and effective."""
    values = {"unweighted base": base.n[0]}
    if weighted:
        values["weighted base"] = base.w[0]
        values["effective base"] = np.nan_to_num(effective_base(base.w, base.w2)[0])
    none = ("",) * base.n.shape[1]
    return [
        Line(
            label=BASE_LABELS[figure],
            kind="base",
            figure=figure,
            values=line,
            letters=none,
            marks=mark_names(marks),
        )
        for figure, line in values.items()
    ]


def figures_for(question: Question, wanted: tuple[Figure, ...]) -> tuple[Figure, ...]:
    """Choose the figures of a question: those wanted that it can have, else what suits its kind.

    A number has only summaries (mean and standard deviation where none is asked for); other questions have
    percents where none is asked for, and a scale its mean as well.
    """
    can = _possible(question)
    chosen = tuple(figure for figure in wanted if figure in can)
    if question.kind == "number":
        return chosen or ("mean", "standard deviation")
    if not wanted and question.scale:
        return ("column percent", "mean")
    if not any(figure in CELL_FIGURES for figure in chosen) and not (question.scale and chosen):
        return ("column percent", *chosen)
    return chosen


def _possible(question: Question) -> set[Figure]:
    summaries = set(SUMMARY_FIGURES) - {"mean mentions"}
    if question.kind == "number":
        return set(summaries)
    cells: set[Figure] = set(CELL_FIGURES)
    if question.kind == "multi":
        return (cells - {"cumulative percent"}) | {"mean mentions"}
    cells -= {"mention percent"}
    return cells | summaries if question.scale else cells


class Making:
    """Makes the lines of one question: figures, letters, marks."""

    def __init__(self, request: TableRequest, sums: QuestionSums, setting: Setting) -> None:
        self.request, self.sums, self.setting = request, sums, setting
        self.layout = setting.layout
        self.question = sums.question
        self.columns = len(self.layout.columns)
        self.figures = figures_for(self.question, request.figures)
        self.base_marks = marks_of(sums.base, request.rules)[0]

    def table(self) -> Table:
        """Make the whole table."""
        return in_shown_order(self._whole([*self._base_lines(), *self.body()]), self.layout.shown)

    @cached_property
    def percents(self) -> FloatArray:
        """Column percents of the counted rows: (rows, columns)."""
        assert self.sums.answers is not None
        return ratio(100.0 * self.sums.answers.w, self.sums.base.w)

    def body(self) -> list[Line]:
        """Make the lines under the bases."""
        if self.request.value is not None and self.sums.answers is not None:
            return self._cell_lines()
        above, below = self._difference_lines("above"), self._difference_lines("below")
        return [*above, *self._answer_lines(), *below, *self._summary_lines()]

    def _cell_lines(self) -> list[Line]:
        """Sum a third question up in each cell: every row is judged, and tested, on its own values."""
        answers = self.sums.answers
        assert answers is not None
        wanted = [figure for figure in self.request.figures if figure in CELL_SUMMARIES] or ["mean"]
        lines = []
        for row in self._rows(answers):
            if row.source >= len(self.sums.cells):
                continue  # those without an answer are summed up nowhere
            values = self.sums.cells[row.source]
            for line in self.summaries(values, self._summarised(wanted, values)):
                lines.append(replace(line, label=row.label, kind=row.kind, code=row.code, indent=row.indent))
        return lines

    def _whole(self, lines: Sequence[Line]) -> Table:
        request, setting = self.request, self.setting
        notes = notes_of(request, self.sums, lines, setting.facts, self.layout, setting.shared)
        title, people = request.title or self.question.text, int(self.sums.base.n[0, 0])
        return assembled(request, setting, lines, notes, title=title, people=people)

    # --- lines ------------------------------------------------------------------------------------------

    def _base_lines(self) -> list[Line]:
        return base_lines(self.sums.base, self.base_marks, weighted=self.setting.weighted)

    def _answer_lines(self) -> list[Line]:
        answers = self.sums.answers
        wanted = [figure for figure in self.figures if figure in CELL_FIGURES]
        if answers is None or not wanted:
            return []
        figures = {figure: self._cell_figure(figure, answers) for figure in wanted}
        rows = self._rows(answers)
        if "cumulative percent" in figures:
            figures["cumulative percent"] = self._cumulated(rows)
        letters = self._proportion_letters(answers)
        lettered = "column percent" if "column percent" in wanted else wanted[0]
        marks = mark_names(self.base_marks)
        lines: list[Line] = []
        for row in rows:
            for figure in wanted:
                if (figure == "mention percent" and not row.mention) or (
                    figure == "cumulative percent" and row.kind != "answer"
                ):
                    continue
                row_letters = letters[row.source] if figure == lettered else ("",) * self.columns
                lines.append(self._answer_line(row, figure, figures[figure][row.source], row_letters, marks))
        return lines

    def line_of(self, row: Row) -> Line:
        """Make the line of column percents of one answer or net."""
        answers = self.sums.answers
        assert answers is not None
        letters = self._proportion_letters(answers)[row.source]
        return self._answer_line(
            row, "column percent", self.percents[row.source], letters, mark_names(self.base_marks)
        )

    def _rows(self, answers: Sums) -> tuple[Row, ...]:
        rows = list(rows_of(self.question))
        if self.sums.everyone:
            last = len(answers.n) - 1
            rows.append(
                Row(label=NO_ANSWER, kind="answer", code="", indent=0, source=last, mention=False, last=True)
            )
        return chosen_rows(rows, self.question, self.request.rows, np.nan_to_num(self.percents), self._column)

    def _column(self, name: str) -> int:
        return find_column(self.layout.columns, name, f"table {self.request.id or self.question.name!r}")

    def _cumulated(self, rows: Sequence[Row]) -> FloatArray:
        """Add up the percents of the answers shown, from the top."""
        found = np.full_like(self.percents, np.nan)
        running = np.zeros(self.columns)
        for row in rows:
            if row.kind == "answer":
                running = running + self.percents[row.source]
                found[row.source] = running
        return found

    def _answer_line(
        self, row: Row, figure: str, values: FloatArray, letters: tuple[str, ...], marks: tuple[Mark, ...]
    ) -> Line:
        return Line(
            label=row.label,
            kind=row.kind,
            code=row.code,
            indent=row.indent,
            figure=figure,
            values=shown(values, self.base_marks),
            letters=letters,
            marks=marks,
        )

    def _cell_figure(self, figure: str, answers: Sums) -> FloatArray:
        w = answers.w
        match figure:
            case "column percent" | "cumulative percent":
                return self.percents
            case "row percent":
                return ratio(100.0 * w, w[:, :1])
            case "table percent":
                return ratio(100.0 * w, self.sums.base.w[:, :1])
            case "mention percent":
                mentions = [row.source for row in rows_of(self.question) if row.mention]
                return ratio(100.0 * w, w[mentions].sum(axis=0))
            case "index":
                shares = ratio(w, self.sums.base.w)
                return ratio(100.0 * shares, shares[:, :1])
        empty = np.where(self.sums.base.n > 0, 0.0, np.nan)  # a count in an empty column does not exist
        return (w if figure == "count" else answers.n) + empty

    def _summary_lines(self) -> list[Line]:
        wanted = [figure for figure in self.figures if figure in SUMMARY_FIGURES]
        lines: list[Line] = []
        if self.sums.mentions is not None and "mean mentions" in wanted:
            lines += self.summaries(
                self.sums.mentions, {"mean mentions": moments(self.sums.mentions).mean[0]}
            )
        if self.sums.values is not None:
            lines += self.summaries(self.sums.values, self._summarised(wanted, self.sums.values))
        return lines

    def summaries(self, values: Sums, figures: Mapping[str, FloatArray]) -> list[Line]:
        """Make the lines of some summaries of values, judged on their own base."""
        if not figures:
            return []
        marks = np.maximum(marks_of(values, self.request.rules)[0], self._withheld())
        none = ("",) * self.columns
        letters = self._mean_letters(values, marks) if LETTERED_SUMMARIES & set(figures) else none
        return [
            Line(
                label=SUMMARY_LABELS[figure],
                kind="summary",
                figure=figure,
                values=shown(found, marks),
                letters=letters if figure in LETTERED_SUMMARIES else none,
                marks=mark_names(marks),
            )
            for figure, found in figures.items()
        ]

    def _summarised(self, wanted: Sequence[str], values: Sums) -> dict[str, FloatArray]:
        """Work out summaries of values by figure, in the order wanted."""
        found = moments(values)
        figures: dict[str, FloatArray] = {}
        for figure in wanted:
            figures |= self._summary(figure, values, found)
        return figures

    def _summary(self, figure: str, values: Sums, found: Moments) -> dict[str, FloatArray]:
        """Work out a summary of values: one line, or the two ends of a confidence interval."""
        if figure == "confidence interval":
            low, high = confidence_interval(found, self.request.levels[0] if self.request.levels else 95.0)
            return {"interval low": low[0], "interval high": high[0]}
        if figure in QUANTILES:
            return {figure: self._quantile(QUANTILES[figure])}
        if figure == "sum":
            return {"sum": found.mean[0] * values.w[0]}
        if figure in SUMMARIES:
            return {figure: SUMMARIES[figure](found)[0]}
        ends = values.lowest if figure == "smallest" else values.highest
        assert ends is not None
        there = np.where(values.n[0] > 0, 0.0, np.nan)
        return {figure: np.where(np.isfinite(ends[0]), ends[0], 0.0) + values.shift + there}

    def _quantile(self, q: float) -> FloatArray:
        if self.sums.quantile is not None:
            return self.sums.quantile(q)
        assert self.sums.answers is not None
        scores = self.question.scores()
        places = [k for k, answer in enumerate(self.question.valid) if answer.code in scores]
        values = np.array([scores[self.question.valid[k].code] for k in places])
        order = np.argsort(values)
        weights = self.sums.answers.w[places][order]
        return np.array([weighted_quantile(values[order], weights[:, k], q) for k in range(self.columns)])

    def _difference_lines(self, place: str) -> list[Line]:
        """Make the difference rows above or below the answers: means of +100, 0 and −100."""
        if "column percent" not in self.figures:
            return []
        return [
            Line(
                label=difference.label,
                kind="net",
                figure="difference",
                values=shown(moments(sums).mean[0], self.base_marks),
                letters=self._mean_letters(sums, self.base_marks),
                marks=mark_names(self.base_marks),
            )
            for difference, sums in self.sums.differences
            if (difference.place == "above") == (place == "above")
        ]

    def _withheld(self) -> IntArray:
        """Carry the marks of columns that are withheld or untested as a whole over to their summaries."""
        return np.where(self.base_marks >= MARKS.index("not tested"), self.base_marks, 0)

    # --- tests ------------------------------------------------------------------------------------------

    def _proportion_letters(self, answers: Sums) -> LetterRows:
        if not self._tested():
            return [("",) * self.columns] * len(answers.n)
        tests = test_proportions(answers, self.sums.base, self.layout.pairs, self.setting.shared)
        return self._letters(tests, self.base_marks)

    def _mean_letters(self, values: Sums, marks: IntArray) -> tuple[str, ...]:
        if not self._tested():
            return ("",) * self.columns
        return self._letters(test_means(values, self.layout.pairs, self.setting.shared), marks)[0]

    def _tested(self) -> bool:
        return bool(self.request.levels) and len(self.layout.pairs) > 0

    def _letters(self, tests: PairTests, marks: IntArray) -> LetterRows:
        thin = marks >= MARKS.index("not tested")
        pairs = self.layout.pairs
        out = thin[pairs[:, 0]] | thin[pairs[:, 1]]
        p_value = np.where(out[None, :], np.nan, tests.p_value)
        higher = higher_than(replace(tests, p_value=p_value), pairs, self.columns, self.request.levels)
        names = [column.letter for column in self.layout.columns]
        return letter_rows(higher, names, spaced=self.layout.two_letter_names)


def in_shown_order(table: Table, shown_columns: Sequence[int]) -> Table:
    """Put the columns of a table where its banner shows them: the Total first, last or not at all."""
    if list(shown_columns) == list(range(len(table.columns))):
        return table
    place = {column: k for k, column in enumerate(shown_columns)}
    lines = tuple(
        replace(
            line,
            values=line.values[list(shown_columns)],
            letters=tuple(line.letters[k] for k in shown_columns),
            marks=tuple(line.marks[k] for k in shown_columns),
        )
        for line in table.lines
    )
    groups = tuple(
        replace(group, start=place[group.start], stop=place[group.stop - 1] + 1) for group in table.groups
    )
    return replace(table, columns=tuple(table.columns[k] for k in shown_columns), groups=groups, lines=lines)


SUMMARIES: Mapping[str, Callable[[Moments], FloatArray]] = {
    "mean": lambda found: found.mean,
    "standard deviation": lambda found: found.standard_deviation,
    "standard error": lambda found: found.standard_error,
}


def marks_of(base: Sums, rules: BaseRules) -> IntArray:
    """Judge bases by the rules: positions in MARKS, (rows, columns); the severest that fits.

    An empty column carries the mark of its base of 0.
    """
    judged = (
        base.n if rules.judged_on == "unweighted base" else np.nan_to_num(effective_base(base.w, base.w2))
    )
    marks = np.zeros(judged.shape, np.int64)
    for position, threshold in ((1, rules.mark), (2, rules.no_test), (3, rules.withhold)):
        if threshold is not None:
            marks[_below(judged, threshold)] = position
    return marks


def _below(judged: FloatArray, threshold: float) -> BoolArray:
    return np.asarray(judged < threshold - EDGE)


def shown(values: FloatArray, marks: IntArray) -> FloatArray:
    """Take withheld figures out: (columns,), NaN where withheld."""
    return np.where(marks == MARKS.index("withheld"), np.nan, values)


def mark_names(marks: IntArray) -> tuple[Mark, ...]:
    """Name the marks of the columns."""
    return tuple(MARKS[mark] for mark in marks.tolist())
