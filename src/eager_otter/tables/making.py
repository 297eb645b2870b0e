"""Make the lines of a question: sums in; figures, letters and marks out."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace
from functools import cached_property

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, ratio
from eager_otter.core.means import Moments, confidence_interval, moments, test_means
from eager_otter.core.proportions import PairTests, test_proportions
from eager_otter.core.quantiles import weighted_quantile
from eager_otter.core.sums import Sums
from eager_otter.errors import RequestError, UnknownName
from eager_otter.looks.words import said
from eager_otter.tables.association import Crossing
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.finishing import (
    NOT_TESTED,
    Setting,
    base_lines,
    finished,
    heading_line,
    mark_names,
    marks_of,
    shown,
)
from eager_otter.tables.note import Note
from eager_otter.tables.notes import notes_of
from eager_otter.tables.order import chosen_rows
from eager_otter.tables.request import (
    CELL_FIGURES,
    MENTION_FIGURES,
    Figure,
    TableRequest,
    is_summary,
    percentile_of,
    quantile_of,
)
from eager_otter.tables.rows import Row, rows_of
from eager_otter.tables.table import Evidence, Line, Mark, Table, find_column
from eager_otter.tables.testing import Tested, TestKind, decide

NO_ANSWER = said("No answer")
SUMMARY_LABELS: Mapping[str, str] = {
    "mean": said("Mean"),
    "standard deviation": said("Standard deviation"),
    "standard error": said("Standard error"),
    "interval low": said("Confidence interval, from"),
    "interval high": said("Confidence interval, to"),
    "median": said("Median"),
    "lower quartile": said("Lower quartile"),
    "upper quartile": said("Upper quartile"),
    "smallest": said("Smallest"),
    "largest": said("Largest"),
    "sum": said("Sum"),
    "mean mentions": said("Mentions per respondent"),
    "mentions": said("Mentions"),
    "respondents": said("Respondents"),
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
SUMMARIES: Mapping[str, Callable[[Moments], FloatArray]] = {
    "mean": lambda found: found.mean,
    "mean mentions": lambda found: found.mean,
    "standard deviation": lambda found: found.standard_deviation,
    "standard error": lambda found: found.standard_error,
}


def make_table(request: TableRequest, sums: QuestionSums, setting: Setting) -> Table:
    """Turn the sums of a question into a finished table. Raises RequestError, UnknownName."""
    return Making(request, sums, setting).table()


def summary_label(figure: str) -> str:
    """Give the label of a summary row."""
    share = percentile_of(figure)
    return SUMMARY_LABELS[figure] if share is None else f"Percentile {100.0 * share:g}"


def figures_for(question: Question, wanted: tuple[Figure, ...]) -> tuple[Figure, ...]:
    """Choose the figures of a question: those wanted that it can have, else what suits its kind.

    A number has only summaries (mean and standard deviation where none is asked for); other questions have
    percents where none is asked for, and a scale its mean as well.
    """
    chosen = tuple(figure for figure in wanted if _possible(question, figure))
    if question.kind == "number":
        return chosen or ("mean", "standard deviation")
    if not wanted and question.scale:
        return ("column percent", "mean")
    if not any(figure in CELL_FIGURES for figure in chosen) and not (question.scale and chosen):
        return ("column percent", *chosen)
    return chosen


def _possible(question: Question, figure: str) -> bool:
    """Tell whether a question can have a figure."""
    if figure in MENTION_FIGURES:
        return question.kind == "multi"
    if is_summary(figure):
        return question.kind == "number" or question.scale
    never = {"multi": "cumulative percent", "single": "mention percent"}
    return question.kind != "number" and figure != never[question.kind]


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
        request = self.request
        lines = [*self.bases(), *self.body()]
        notes = notes_of(request, self.sums, lines, self.setting.facts, self.layout, self.setting.shared)
        title, people = request.title or self.question.text, int(self.sums.base.n[0, 0])
        table = finished(request, self.setting, lines, notes, title=title, people=people)
        table = replace(table, crossings=self._crossings())
        if request.tests.whole_table == "none":
            return table
        level, every = (request.levels or (95.0,))[0], request.tests.whole_table == "all"
        found = [
            Note(association.sentence(level, every=every, words=request.words), "detail")
            for association in table.associations()
        ]
        return replace(table, notes=(*notes, *found))

    def _crossings(self) -> tuple[Crossing, ...]:
        """Give the answers by each banner group, as whole-table tests take them."""
        answers, question = self.sums.answers, self.question
        if question.kind != "single" or answers is None or self.request.nest:
            return ()
        rows = slice(0, len(question.valid))
        names = mark_names(self.base_marks)
        found = []
        for group in self.layout.groups:
            columns = [k for k in range(group.start, group.stop) if self.layout.columns[k].letter]
            found.append(
                Crossing(
                    group=group.path,
                    n=answers.n[rows, columns],
                    w=answers.w[rows, columns],
                    w2=answers.w2[rows, columns],
                    marks=tuple(names[k] for k in columns),
                    ordered_rows=question.ordered,
                    ordered_columns=any(
                        self.setting.ordered.get(self.layout.columns[k].question, False) for k in columns
                    ),
                    shares_people=group.start in self.setting.sharing,
                )
            )
        return tuple(found)

    @cached_property
    def percents(self) -> FloatArray:
        """Column percents of the counted rows: (rows, columns)."""
        return ratio(100.0 * self._answers.w, self.sums.base.w)

    @property
    def _answers(self) -> Sums:
        if self.sums.answers is None:
            raise RequestError(f"{self.question.name} has no answers to count.")
        return self.sums.answers

    def bases(self) -> list[Line]:
        """Make the base lines."""
        return base_lines(self.request, self.sums.base, self.base_marks, weighted=self.setting.weighted)

    def body(self) -> list[Line]:
        """Make the lines under the bases."""
        if self.request.value is not None and self.sums.answers is not None:
            return self._cell_lines()
        above, below = self._difference_lines("above"), self._difference_lines("below")
        return [*above, *self._answer_lines(), *below, *self._summary_lines()]

    # --- lines ------------------------------------------------------------------------------------------

    def _cell_lines(self) -> list[Line]:
        """Sum a third question up in each cell: every row is judged, and tested, on its own values."""
        wanted = [figure for figure in self.request.figures if figure in CELL_SUMMARIES] or ["mean"]
        lines: list[Line] = []
        for row in self._rows():
            if row.source >= len(self.sums.cells):
                continue  # those without an answer are summed up nowhere
            values = self.sums.cells[row.source]
            lines += self._headings_before(row)
            tested = not self._is_untested(row.code, row.label)
            for line in self.summaries(values, self._summarised(wanted, values), tested=tested):
                lines.append(
                    replace(line, label=row.label, fixed="", kind=row.kind, code=row.code, indent=row.indent)
                )
        return lines

    def _answer_lines(self) -> list[Line]:
        wanted = [figure for figure in self.figures if figure in CELL_FIGURES]
        if self.sums.answers is None or not wanted:
            return []
        rows = self._rows()
        bases = {figure: self._percent_base(figure) for figure in wanted}
        figures = {figure: self._cell_figure(figure, bases[figure], rows) for figure in wanted}
        tested = self._tested_shares
        lettered = "column percent" if "column percent" in wanted else wanted[0]
        marks = mark_names(self.base_marks)
        lines: list[Line] = []
        for row in rows:
            lines += self._headings_before(row)
            for figure in wanted:
                if _has(row, figure):
                    carries = tested if figure == lettered else None
                    of = bases[figure]
                    own = None if of is None else of[row.source if len(of) > 1 else 0]
                    values = figures[figure][row.source]
                    lines.append(self._answer_line(row, figure, values, carries, marks, own))
        return lines

    def _headings_before(self, row: Row) -> list[Line]:
        """Make the heading, or blank line, that stands before an answer."""
        if row.kind != "answer":
            return []
        return [
            heading_line(text, self.columns)
            for name, text in self.request.rows.headings
            if name in (row.code, row.label)
        ]

    def line_of(self, row: Row) -> Line:
        """Make the line of column percents of one answer or net."""
        values, marks = self.percents[row.source], mark_names(self.base_marks)
        of = self.sums.base.w[0]
        return self._answer_line(row, "column percent", values, self._tested_shares, marks, of)

    def _rows(self) -> tuple[Row, ...]:
        """Choose and order the rows shown."""
        percents = np.nan_to_num(self.percents)
        return chosen_rows(self._all_rows(), self.question, self.request.rows, percents, self._column)

    def _all_rows(self) -> list[Row]:
        rows = list(rows_of(self.question))
        if self.sums.everyone:
            last = len(self._answers.n) - 1
            rows.append(
                Row(
                    label=NO_ANSWER,
                    fixed=NO_ANSWER,
                    kind="answer",
                    code="",
                    indent=0,
                    source=last,
                    mention=False,
                    last=True,
                )
            )
        return rows

    def row_called(self, name: str) -> Row:
        """Find an answer or net row by label or code. Raises UnknownName."""
        rows = rows_of(self.question)
        answer = self.question.find(canonical(name))
        for row in rows:
            if row.label.casefold() == name.casefold() or (answer is not None and row.code == answer.code):
                return row
        known = [row.label for row in rows]
        raise UnknownName("net or answer", name, known, self.question.name)

    def _column(self, name: str) -> int:
        columns = [column for column in self.layout.columns if not column.hidden]
        place = find_column(columns, name, f"table {self.request.id or self.question.name!r}")
        return self.layout.columns.index(columns[place])

    def _answer_line(
        self,
        row: Row,
        figure: str,
        values: FloatArray,
        tested: Tested | None,
        marks: tuple[Mark, ...],
        of: FloatArray | None,
    ) -> Line:
        return Line(
            label=row.label,
            fixed=row.fixed,
            kind=row.kind,
            code=row.code,
            indent=row.indent,
            figure=figure,
            values=shown(values, self.base_marks),
            letters=("",) * self.columns if tested is None else tested.letters[row.source],
            marks=marks,
            evidence=Evidence(row=row.source, sums=self._answers, base=self.sums.base, tested=tested, of=of),
        )

    def _percent_base(self, figure: str) -> FloatArray | None:
        """Give what a percent is a percent of: (rows or 1, columns); None for other figures."""
        w, base = self._answers.w, self.sums.base.w
        match figure:
            case "column percent" | "cumulative percent":
                return base
            case "valid percent":
                return base - w[-1:] if self.sums.everyone else base
            case "row percent":
                return np.broadcast_to(w[:, :1], w.shape)
            case "table percent":
                return np.broadcast_to(base[:, :1], base.shape)
            case "mention percent":
                mentions = [row.source for row in rows_of(self.question) if row.mention]
                return np.asarray(w[mentions].sum(axis=0)[None, :])
            case "percent of answer":
                return w[[self.row_called(self.request.percent_of).source]]
            case "percent of outer":
                return np.asarray(base[:, self._outer_columns()])
        return None

    def _cell_figure(self, figure: str, of: FloatArray | None, rows: Sequence[Row]) -> FloatArray:
        """Work out one figure of all counted rows: (rows, columns); `of` is what a percent is a percent of."""
        w, base = self._answers.w, self.sums.base.w
        if figure == "cumulative percent":
            return self._cumulated(rows)
        if of is not None:
            return ratio(100.0 * w, of)
        if figure == "column difference":
            place = self._column(self.request.difference_from)
            return self.percents - self.percents[:, [place]]
        if figure == "index":
            shares = ratio(w, base)
            return ratio(100.0 * shares, shares[:, :1])
        empty = np.where(self.sums.base.n > 0, 0.0, np.nan)  # a count in an empty column does not exist
        return (w if figure == "count" else self._answers.n) + empty

    def _outer_columns(self) -> IntArray:
        """Give, per column, the column of the outer answer it stands under; itself where it stands under none."""
        levels = self.layout.parents
        if not levels:
            raise RequestError("A percent of the outer answer needs a nested banner.")
        if self.request.outer_level > len(levels):
            raise RequestError(
                f"The banner has {len(levels)} outer levels; there is no level {self.request.outer_level}."
            )
        found = np.arange(self.columns)
        chosen = levels if self.request.outer_level == 0 else [levels[self.request.outer_level - 1]]
        for level in chosen:
            places = np.array(level)
            found = np.where(places >= 0, places, found)
        return found

    def _cumulated(self, rows: Sequence[Row]) -> FloatArray:
        """Add up the percents of the answers shown, from the top."""
        found = np.full_like(self.percents, np.nan)
        running = np.zeros(self.columns)
        for row in rows:
            if row.kind == "answer":
                running = running + self.percents[row.source]
                found[row.source] = running
        return found

    # --- summaries --------------------------------------------------------------------------------------

    def _summary_lines(self) -> list[Line]:
        lines: list[Line] = []
        for figure in self.figures:
            if figure in CELL_FIGURES:
                continue
            values = self.sums.mentions if figure in MENTION_FIGURES else self.sums.values
            if values is not None:
                lines += self.summaries(values, self._summarised([figure], values))
        return lines

    def summary_of(self, figure: str) -> Line:
        """Make the line of one summary. Raises RequestError where the question has none."""
        values = self.sums.mentions if figure in MENTION_FIGURES else self.sums.values
        if values is None:
            raise RequestError(f"{self.question.name} has no {figure}: it is neither a scale nor a number.")
        return self.summaries(values, self._summarised([figure], values))[0]

    def summaries(
        self, values: Sums, figures: Mapping[str, FloatArray], *, tested: bool = True
    ) -> list[Line]:
        """Make the lines of some summaries of values, judged on their own base."""
        if not figures:
            return []
        marks = np.maximum(marks_of(values, self.request.rules)[0], self._withheld())
        names = mark_names(marks)
        lines = []
        for figure, found in figures.items():
            carries = None
            if figure in LETTERED_SUMMARIES and tested and not self._is_untested(figure):
                carries = self._tested_means(values, marks)
            lines.append(
                Line(
                    label=summary_label(figure),
                    fixed=summary_label(figure),
                    kind="summary",
                    figure=figure,
                    values=shown(found, marks),
                    letters=("",) * self.columns if carries is None else carries.letters[0],
                    marks=names,
                    evidence=Evidence(row=0, sums=values, base=values, tested=carries),
                )
            )
        return lines

    def _summarised(self, wanted: Sequence[str], values: Sums) -> dict[str, FloatArray]:
        """Work out summaries of values by figure, in the order wanted."""
        found = moments(values)
        figures: dict[str, FloatArray] = {}
        for figure in wanted:
            figures |= self._summary(figure, values, found)
        return figures

    def _summary(self, figure: str, values: Sums, found: Moments) -> dict[str, FloatArray]:
        """Work out a summary of values: one line, or the two ends of a confidence interval."""
        share = quantile_of(figure)
        if figure == "confidence interval":
            low, high = confidence_interval(found, self.request.levels[0] if self.request.levels else 95.0)
            return {"interval low": low[0], "interval high": high[0]}
        if share is not None:
            return {figure: self._quantile(share)}
        if figure in ("sum", "mentions"):
            return {figure: found.mean[0] * values.w[0]}
        if figure == "respondents":
            return {figure: np.where(values.n[0] > 0, values.w[0], np.nan)}
        if figure in SUMMARIES:
            return {figure: SUMMARIES[figure](found)[0]}
        ends = values.lowest if figure == "smallest" else values.highest
        assert ends is not None
        there = np.where(values.n[0] > 0, 0.0, np.nan)
        return {figure: np.where(np.isfinite(ends[0]), ends[0], 0.0) + values.shift + there}

    def _quantile(self, q: float) -> FloatArray:
        if self.sums.quantile is not None:
            return self.sums.quantile(q)
        scores = self.question.scores()
        places = [k for k, answer in enumerate(self.question.valid) if answer.code in scores]
        values = np.array([scores[self.question.valid[k].code] for k in places])
        order = np.argsort(values)
        weights = self._answers.w[places][order]
        return np.array([weighted_quantile(values[order], weights[:, k], q) for k in range(self.columns)])

    def _difference_lines(self, place: str) -> list[Line]:
        """Make the difference rows above or below the answers: means of +100, 0 and −100."""
        if "column percent" not in self.figures:
            return []
        lines = []
        for difference, sums in self.sums.differences:
            if (difference.place == "above") != (place == "above"):
                continue
            untested = self._is_untested(difference.label)
            tested = None if untested else self._tested_means(sums, self.base_marks)
            lines.append(
                Line(
                    label=difference.label,
                    kind="net",
                    figure="difference",
                    values=shown(moments(sums).mean[0], self.base_marks),
                    letters=("",) * self.columns if tested is None else tested.letters[0],
                    marks=mark_names(self.base_marks),
                    evidence=Evidence(row=0, sums=sums, base=sums, tested=tested),
                )
            )
        return lines

    def _withheld(self) -> IntArray:
        """Carry the marks of columns that are withheld or untested as a whole over to their summaries."""
        return np.where(self.base_marks >= NOT_TESTED, self.base_marks, 0)

    # --- tests ------------------------------------------------------------------------------------------

    @cached_property
    def _tested_shares(self) -> Tested | None:
        """Test all answers and nets; None where tests are switched off or nothing can be compared."""
        if not self._tests_wanted():
            return None
        answers = self._answers
        pairs, method = self.layout.comparisons.pairs, self.request.tests.proportions
        tests = test_proportions(answers, self.sums.base, pairs, self.setting.shared, method)
        return self._decided("share", tests, self.base_marks, self._rows_off())

    def _rows_off(self) -> BoolArray:
        """Tell which counted rows the plan takes out of all tests: (rows, 1)."""
        off = np.zeros((len(self._answers.n), 1), np.bool_)
        off[[row.source for row in self._all_rows() if self._is_untested(row.code, row.label)]] = True
        return off

    def _tested_means(self, values: Sums, marks: IntArray) -> Tested | None:
        if not self._tests_wanted():
            return None
        pairs, method = self.layout.comparisons.pairs, self.request.tests.means
        tests = test_means(values, pairs, self.setting.shared, method)
        return self._decided("mean", tests, marks, np.zeros((1, 1), np.bool_))

    def _tests_wanted(self) -> bool:
        return bool(self.request.levels) and len(self.layout.comparisons) > 0

    def _is_untested(self, *names: str) -> bool:
        """Tell whether the plan takes a row, known by some names, out of all tests."""
        wanted = {name.casefold() for name in self.request.rows.untested}
        return bool(wanted) and any(name.casefold() in wanted for name in names if name)

    def _decided(
        self, kind: TestKind, tests: PairTests, marks: IntArray, off: BoolArray, paired: Sums | None = None
    ) -> Tested:
        """Decide tests; pairs with a thin column, and those that are `off` (rows or 1, pairs or 1), stay out."""
        thin = marks >= NOT_TESTED
        pairs = self.layout.comparisons.pairs
        return decide(
            kind,
            tests,
            self.layout.comparisons,
            [column.letter for column in self.layout.columns],
            self.request.levels,
            out=(thin[pairs[:, 0]] | thin[pairs[:, 1]])[None, :] | off,
            adjust=self.request.tests.adjust,
            spaced=self.layout.two_letter_names,
            paired=paired,
            shared=self.setting.shared,
        )


def _has(row: Row, figure: str) -> bool:
    """Tell whether a row has a figure: nets are no mentions and do not add up, no answer is not valid."""
    if figure == "mention percent":
        return row.mention
    if figure == "cumulative percent":
        return row.kind == "answer"
    return figure != "valid percent" or row.fixed != NO_ANSWER
