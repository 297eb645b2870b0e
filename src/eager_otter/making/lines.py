"""Make the lines of a question: sums in; figures, letters and marks out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import cached_property

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.core.arrays import FloatArray, IntArray, ratio
from eager_otter.core.intervals import pair_overlap
from eager_otter.core.means import moments
from eager_otter.core.proportions import match_pairs
from eager_otter.core.quantiles import Cut, quantile_cut
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.counting.counts import QuestionSums
from eager_otter.counting.order import chosen_rows
from eager_otter.counting.rows import Row, rows_of
from eager_otter.documents.translated import goes_by, names_of
from eager_otter.errors import RequestError
from eager_otter.figures.figure import AnswerFigure, LineFigure, ValueFigure, Values
from eager_otter.figures.registry import MEAN, figure_called, line_figure, summary_called
from eager_otter.making.crossings import Controlled, Crossed
from eager_otter.making.figures import figures_for
from eager_otter.making.finishing import base_lines, finished, heading_line
from eager_otter.making.notes import notes_of
from eager_otter.making.row_tests import RowTests, all_rows
from eager_otter.making.setting import Setting
from eager_otter.significance.registry import mean_test
from eager_otter.tables.association import whole_table_notes
from eager_otter.tables.base_rules import (
    NOT_ASKED,
    NOT_TESTED,
    OFFERED,
    PARTLY_OFFERED,
    mark_names,
    marks_of,
    shown,
    with_offers,
)
from eager_otter.tables.lookup import find_column, find_row
from eager_otter.tables.request import TableRequest, interval_level
from eager_otter.tables.table import Evidence, Line, Table
from eager_otter.tables.testing import Tested, Trend, with_trends


def make_table(
    request: TableRequest, sums: QuestionSums, setting: Setting, within: Controlled | None = None
) -> Table:
    """Turn the sums of a question into a finished table. Raises RequestError, UnknownName.

    `within` are its sums within a question that is controlled for.
    """
    return Making(request, sums, setting, within).table()


class Making:
    """Makes the lines of one question: figures, letters, marks."""

    def __init__(
        self,
        request: TableRequest,
        sums: QuestionSums,
        setting: Setting,
        within: Controlled | None = None,
    ) -> None:
        self.request, self.sums, self.setting, self.within = request, sums, setting, within
        self.layout = setting.layout
        self.question = sums.question
        self.columns = len(self.layout.columns)
        self.figures = figures_for(request, self.question)
        self.base_marks = self._marks(sums.base)
        self.offers = (
            None if sums.offers is None else np.array([self.layout.judged(one) for one in sums.offers])
        )
        if sums.asked_nobody is not None:
            self.base_marks = np.where(sums.asked_nobody, NOT_ASKED, self.base_marks)
        self.tests = self._tests()

    def _tests(self) -> RowTests:
        """Return what tests its rows."""
        return RowTests(self.request, self.sums, self.setting, self.base_marks)

    def _marks(self, base: Sums) -> IntArray:
        """Judge the columns by a base: (columns,); one that shows a difference carries the severer of its two."""
        return self.layout.judged(marks_of(base, self.request.bases)[0])

    def table(self) -> Table:
        """Make the whole table."""
        request = self.request
        lines = [*self.bases(), *self.body()]
        notes = notes_of(request, self.sums, lines, self.setting)
        title, people = request.title or self._usual_title(), int(self.sums.base.n[0, 0])
        table = finished(
            request, self.setting, lines, notes, title=title, people=people, shape="one question"
        )
        crossed = Crossed(
            request=request,
            sums=self.sums,
            setting=self.setting,
            figures=self.figures,
            marks=self.base_marks,
            within=self.within,
        )
        table = replace(table, crossings=crossed.crossings())
        if request.tests.whole_table == "none":
            return table
        table_notes = whole_table_notes(request, table.associations(), crossed.why_none())
        return replace(table, notes=(*table.notes, *table_notes))

    def _usual_title(self) -> str:
        """Return the question's text, and what the cells sum up of another question."""
        if self.request.shows.value is None:
            return self.question.text
        say = self.request.words
        figures = ", ".join(
            say(figure) for figure in self.figures if summary_called(figure) is not None
        ) or say("mean")
        label = self.setting.label_of(self.request.shows.value)
        return say(
            "{title} – {figures} of {question}", title=self.question.text, figures=figures, question=label
        )

    @cached_property
    def percents(self) -> FloatArray:
        """Column percents of the counted rows: (rows, columns)."""
        return ratio(100.0 * self.answers.w, self.sums.base.w)

    @property
    def answers(self) -> Sums:
        """The sums of all counted rows: (rows, columns). Raises RequestError for a question that has no answers."""
        return self.tests.answers

    def bases(self) -> list[Line]:
        """Make the base lines."""
        lines = base_lines(self.request, self.sums.base, self.base_marks, weighted=self.setting.weighted)
        return [replace(line, question=self.question.name) for line in lines]

    def body(self) -> list[Line]:
        """Make the lines under the bases."""
        if self.request.shows.value is not None and self.sums.answers is not None:
            return self._cell_lines()
        above, below = self._difference_lines("above"), self._difference_lines("below")
        return [*above, *self._answer_lines(), *below, *self._summary_lines()]

    # --- lines ------------------------------------------------------------------------------------------

    def _cell_lines(self) -> list[Line]:
        """Sum a third question up in each cell: every row is judged, and tested, on its own values."""
        mean = summary_called(MEAN)
        assert mean is not None
        wanted = [one for one in self._summaries() if one.of_cells] or [mean]
        lines: list[Line] = []
        for row in self.rows_shown():
            if row.source >= len(self.sums.cells):
                continue  # those without an answer are summed up nowhere
            values = self.sums.cells[row.source]
            lines += self._headings_before(row)
            tested = not self.tests.is_untested(row.code, row.label)
            for line in self.summaries(values, wanted, tested=tested):
                lines.append(
                    replace(line, label=row.label, fixed="", kind=row.kind, code=row.code, indent=row.indent)
                )
        return lines

    def _answer_lines(self) -> list[Line]:
        kinds = (figure_called(name) for name in dict.fromkeys(self.figures))
        wanted = [figure for figure in kinds if isinstance(figure, AnswerFigure)]
        if self.sums.answers is None or not wanted:
            return []
        rows = self.rows_shown()
        computed = {figure: figure.compute(self) for figure in wanted}
        lettered = lettered_figure(self.figures)
        marks = self.base_marks
        lines: list[Line] = []
        for row in rows:
            lines += self._headings_before(row)
            for figure in wanted:
                if not figure.has(row):
                    continue
                for shows, (values, of) in zip(figure.lines, computed[figure], strict=True):
                    row_of = None if of is None else of[row.source if len(of) > 1 else 0]
                    lines.append(
                        self._answer_line(
                            row, shows, values[row.source], marks, row_of, lettered=shows.name == lettered
                        )
                    )
        return lines

    @property
    def level(self) -> float:
        """The confidence percent of intervals: the first level of the tests, 95 where there is none."""
        return interval_level(self.request.levels)

    def _headings_before(self, row: Row) -> list[Line]:
        """Make the heading, or blank line, that is before an answer."""
        if row.kind != "answer":
            return []
        return [
            heading_line(text, self.columns)
            for name, text in self.request.rows.headings
            if name in (row.code, *names_of(row.label))
        ]

    def line_of(self, row: Row) -> Line:
        """Make the line of column percents of one answer or net."""
        values, marks = self.percents[row.source], self.base_marks
        of = self.sums.base.w[0]
        return self._answer_line(row, line_figure("column percent"), values, marks, of, lettered=True)

    def rows_shown(self) -> tuple[Row, ...]:
        """Choose and order the rows shown."""
        percents = np.nan_to_num(self.percents)
        return chosen_rows(
            all_rows(self.request, self.sums), self.question, self.request.rows, percents, self._column
        )

    def row_called(self, name: str) -> Row:
        """Find an answer or net row by label or code. Raises UnknownName."""
        answer = self.question.find(canonical(name))
        code = "" if answer is None else answer.code
        return find_row(rows_of(self.question), name, code, self.question.name)

    def _column(self, name: str) -> int:
        columns = [column for column in self.layout.columns if not column.hidden]
        place = find_column(columns, name, f"table {self.request.name!r}")
        return self.layout.columns.index(columns[place])

    def _answer_line(
        self,
        row: Row,
        shows: LineFigure,
        values: FloatArray,
        marks: IntArray,
        of: FloatArray | None,
        *,
        lettered: bool,
    ) -> Line:
        tested = self.tests.shares if lettered else None
        trends = (
            self.tests.trends_of_shares
            if lettered and not self.tests.is_untested(row.code, row.label)
            else ()
        )
        if self.offers is not None and row.source < len(self.offers):
            marks = with_offers(marks, self.offers[row.source])
            trends = tuple(
                trend
                for trend in trends
                if (self.offers[row.source][list(trend.over.columns)] == OFFERED).all()
            )
        letters = ("",) * self.columns if tested is None else tested.letters[row.source]
        if shows.tested == "counts":  # the test is about percents, whose difference may have the other sign
            shows_gap = [column.difference is not None for column in self.layout.columns]
            letters = tuple("" if gap else text for gap, text in zip(shows_gap, letters, strict=True))
        return Line(
            label=row.label,
            fixed=row.fixed,
            kind=row.kind,
            code=row.code,
            indent=row.indent,
            figure=shows.name,
            values=shown(values, marks),
            letters=with_trends(letters, trends, row.source, self.request.levels),
            marks=mark_names(marks),
            evidence=Evidence(
                row=row.source,
                sums=self.answers,
                base=self.sums.base,
                tested=tested,
                trends=trends,
                of=of,
                judged=None if self.offers is None else marks,
            ),
            question=self.question.name,
            level=self.level if shows.has_level else None,
            no_answer=row.no_answer,
            keeps_end=row.last,
        )

    @property
    def base(self) -> Sums:
        """The sums of the base: (1, columns)."""
        return self.sums.base

    @property
    def beside(self) -> Sums | None:
        """The sums of those who are also in the column named, where they were counted."""
        return self.sums.beside

    def mentions(self) -> list[int]:
        """Return the places of the rows that are mentions."""
        return [row.source for row in rows_of(self.question) if row.mention]

    def answer_named(self) -> int:
        """Return the place of the answer that a percent is wanted of."""
        return self.row_called(self.request.percent_of).source

    def column_named(self) -> int:
        """Return the place of the column that a difference is wanted from."""
        return self._column(self.request.difference_from)

    def groups_apart(self) -> list[list[int]]:
        """Return the places of the compared columns of each banner group whose columns share nobody."""
        columns = self.layout.columns
        return [
            [k for k in range(group.start, group.stop) if columns[k].compared]
            for group in self.layout.groups
            if group.start not in self.setting.sharing and columns[group.start].role != "item"
        ]

    def difference_pairs(self) -> tuple[IntArray, IntArray]:
        """Return the pairs (pairs, 2) whose difference a column shows, and the places of these columns."""
        return self.layout.difference_pairs

    def overlap_of(self, pairs: IntArray) -> FloatArray:
        """Return the correlation of pairs of columns that share people."""
        return pair_overlap(self.sums.base, pairs, match_pairs(pairs, self.setting.overlapping))

    @property
    def unanswered(self) -> FloatArray:
        """The weight of those in the base who gave no answer: (1, columns)."""
        if not self.sums.everyone:
            return np.zeros_like(self.sums.base.w)
        return self.answers.w[[len(self.answers.w) - 1 - len(self.sums.reasons)]]

    def outer_columns(self) -> IntArray:
        """Give, per column, the column of the outer answer it is under; itself where it is under none."""
        levels = self.layout.parents
        if not levels:
            raise RequestError("A percent of the outer answer needs a nested banner.")
        if self.request.outer_level > len(levels):
            raise RequestError(
                f"The banner has {len(levels)} outer levels; there is no level {self.request.outer_level}."
            )
        outer = np.arange(self.columns)
        chosen = levels if self.request.outer_level == 0 else [levels[self.request.outer_level - 1]]
        for level in chosen:
            places = np.array(level)
            outer = np.where(places >= 0, places, outer)
        return outer

    # --- summaries --------------------------------------------------------------------------------------

    def _summaries(self) -> list[ValueFigure]:
        """List the figures of values that are wanted, in their order."""
        kinds = (figure_called(name) for name in self.figures)
        return [figure for figure in kinds if isinstance(figure, ValueFigure)]

    def _summary_lines(self) -> list[Line]:
        lines: list[Line] = []
        for figure in self._summaries():
            values = self.sums.mentions if figure.of_mentions else self.sums.values
            if values is not None:
                lines += self.summaries(values, [figure])
        return lines

    def summary_of(self, figure: ValueFigure) -> Line:
        """Make the line of one summary. Raises RequestError where the question has none."""
        values = self.sums.mentions if figure.of_mentions else self.sums.values
        if values is None:
            raise RequestError(
                f"{self.question.name} has no {figure.name}: it is neither a scale nor a number."
            )
        return self.summaries(values, [figure])[0]

    def summaries(
        self, sums: ValueSums, figures: Sequence[ValueFigure], *, tested: bool = True
    ) -> list[Line]:
        """Make the lines of some summaries of values, judged on their own base."""
        if not figures:
            return []
        marks = self._summary_marks(sums)
        names = mark_names(marks)
        values, lines = self._values(sums), []
        for figure in figures:
            for shows, computed in zip(figure.lines, figure.compute(values), strict=True):
                carries: Tested | None = None
                trends: tuple[Trend, ...] = ()
                if shows.tested == "means" and tested and not self.tests.is_untested(shows.name):
                    carries, trends = self.tests.means(sums, marks), self.tests.trends_of_means(sums, marks)
                elif shows.tested == "medians" and tested and not self.tests.is_untested(shows.name):
                    carries = self.tests.medians(values, marks)
                lines.append(
                    Line(
                        label=shows.label,
                        fixed=shows.label,
                        kind="summary",
                        figure=shows.name,
                        values=shown(computed, marks),
                        letters=self._letters(carries, trends),
                        marks=names,
                        evidence=Evidence(
                            row=0,
                            sums=sums,
                            base=sums,
                            tested=carries,
                            trends=trends,
                            cuts=figure.cuts(values),
                            judged=None if self.offers is None else marks,
                        ),
                        question=self.question.name,
                        level=self.level if shows.has_level else None,
                    )
                )
        return lines

    def _values(self, sums: ValueSums) -> Values:
        """Gather what summaries of some values are computed from."""
        pairs, places = self.layout.difference_pairs
        return Values(
            sums=sums,
            level=self.level,
            pairs=pairs,
            places=places,
            shared=lambda column_pairs: match_pairs(column_pairs, self.setting.overlapping),
            means=mean_test(self.request.tests.means),
            cut=self._cuts,
        )

    def _cuts(self, shares: FloatArray) -> list[Cut]:
        """Find where shares of weight (columns,) cut the values of each column."""
        if self.sums.quantile is not None:
            return self.sums.quantile(shares)
        scores = self.question.scores()
        places = [k for k, answer in enumerate(self.question.valid) if answer.code in scores]
        values = np.array([scores[self.question.valid[k].code] for k in places])
        order = np.argsort(values)
        weights = self.answers.w[places][order]
        return [quantile_cut(values[order], weights[:, k], q) for k, q in enumerate(shares.tolist())]

    def _difference_lines(self, place: str) -> list[Line]:
        """Make the difference rows above or below the answers: means of +100, 0 and −100, on those with a score."""
        if "column percent" not in self.figures:
            return []
        return [
            self._difference_line(difference.label, sums)
            for difference, sums in self.sums.differences
            if (difference.place == "above") == (place == "above")
        ]

    def difference_called(self, name: str) -> Line | None:
        """Make the line of the difference of a label (any case), None where the question has no such difference."""
        for difference, sums in self.sums.differences:
            if goes_by(difference.label, name):
                return self._difference_line(difference.label, sums)
        return None

    def _difference_line(self, label: str, sums: ValueSums) -> Line:
        marks = self._summary_marks(sums)
        off = self.tests.is_untested(label)
        tested = None if off else self.tests.means(sums, marks)
        trends = () if off else self.tests.trends_of_means(sums, marks)
        return Line(
            label=label,
            kind="net",
            figure="difference",
            values=shown(moments(sums).mean[0], marks),
            letters=self._letters(tested, trends),
            marks=mark_names(marks),
            evidence=Evidence(
                row=0,
                sums=sums,
                base=sums,
                tested=tested,
                trends=trends,
                judged=None if self.offers is None else marks,
            ),
            question=self.question.name,
        )

    def _letters(self, tested: Tested | None, trends: Sequence[Trend]) -> tuple[str, ...]:
        """Return the letters and marks of a row that is tested alone."""
        letters = ("",) * self.columns if tested is None else tested.letters[0]
        return with_trends(letters, trends, 0, self.request.levels)

    def _summary_marks(self, sums: ValueSums) -> IntArray:
        """Judge the columns by the base of values: (columns,); a column that is thin as a whole is so here as well.

        Values of a scale, or of ticks, of which not all were offered, are in no test either.
        """
        marks = np.maximum(self._marks(sums), np.where(self.base_marks >= NOT_TESTED, self.base_marks, 0))
        if self.offers is None or not self.question.is_of.of_answers:
            return marks
        lacking = (self.offers[: len(self.question.valid)] != OFFERED).any(axis=0)
        return with_offers(marks, np.where(lacking, PARTLY_OFFERED, OFFERED))


def lettered_figure(figures: Sequence[str]) -> str:
    """Choose the figure of answers and nets that carries letters: the percent tested, else a count; "" for none.

    >>> lettered_figure(["row percent", "count"]), lettered_figure(["row percent"])
    ('count', '')
    """
    lines = [shows for name in figures for shows in figure_called(name).lines]
    for tested in ("shares", "counts"):
        figure = next((shows.name for shows in lines if shows.tested == tested), "")
        if figure:
            return figure
    return ""
