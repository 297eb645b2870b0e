"""The tests of a question's rows: of percents, means, medians and trends, decided by the rules of the table."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property

import numpy as np

from eager_otter.core.analysis_of_variance import enough_values
from eager_otter.core.arrays import BoolArray, IntArray
from eager_otter.core.means import moments, test_means
from eager_otter.core.medians import AtMost, at_most_of_scores, test_medians
from eager_otter.core.paired import SharedAnswers, SharedValues
from eager_otter.core.proportions import PairTests, test_proportions
from eager_otter.core.sums import Sums, ValueSums, stacked
from eager_otter.core.trend import over_columns, trend_of_means, trend_of_shares
from eager_otter.counting.counts import QuestionSums
from eager_otter.counting.laying import LEAST_OF_TREND
from eager_otter.counting.order import NO_ANSWER
from eager_otter.counting.rows import Row, rows_of
from eager_otter.documents.translated import names_of
from eager_otter.errors import RequestError
from eager_otter.figures.figure import Values
from eager_otter.making.notes_on_bases import reason_said
from eager_otter.making.setting import Setting
from eager_otter.significance.registry import correction, mean_test, median_test, share_test
from eager_otter.tables.base_rules import NOT_TESTED, OFFERED
from eager_otter.tables.request import TableRequest
from eager_otter.tables.testing import Tested, TestKind, Trend, decide


class RowTests:
    """Makes the tests of one question's rows; `marks` (columns,) judge the columns by the question's base."""

    def __init__(self, request: TableRequest, sums: QuestionSums, setting: Setting, marks: IntArray) -> None:
        self.request, self.sums, self.setting, self.marks = request, sums, setting, marks
        self.layout, self.question = setting.layout, sums.question
        asked = (
            sums.base.n[0] if sums.asked_nobody is None else np.where(sums.asked_nobody, 0, sums.base.n[0])
        )
        self.idle = self.layout.comparisons.idle(asked)

    @property
    def answers(self) -> Sums:
        """The sums of all counted rows: (rows, columns). Raises RequestError for a question that has no answers."""
        if self.sums.answers is None:
            raise RequestError(f"{self.question.name} has no answers to count.")
        return self._all_answers

    @cached_property
    def _all_answers(self) -> Sums:
        """The sums of all counted rows: answers, nets, no answer, and the reasons for it."""
        assert self.sums.answers is not None
        return stacked([self.sums.answers, *(reason_sums for _, reason_sums in self.sums.reasons)])

    @cached_property
    def shares(self) -> Tested | None:
        """Test all answers and nets; None where tests are switched off or nothing can be compared."""
        if not self.wanted:
            return None
        answers = self.answers
        pairs, method = self.layout.comparisons.pairs, share_test(self.request.tests.percents)
        tests = test_proportions(answers, self.sums.base, pairs, self.setting.shared, method)
        return self.decided("share", tests, self.marks, self.rows_off())

    def rows_off(self) -> BoolArray:
        """Return which rows are in no test of a pair, by the plan or for what was offered: (rows, pairs or 1)."""
        off = np.zeros((len(self.answers.n), 1), np.bool_)
        off[
            [row.source for row in all_rows(self.request, self.sums) if self.is_untested(row.code, row.label)]
        ] = True
        if self.sums.offers is None:
            return off
        pairs = self.layout.comparisons.pairs
        lacking = np.zeros(self.answers.n.shape, np.bool_)
        lacking[: len(self.sums.offers)] = self.sums.offers != OFFERED
        return np.asarray(off | lacking[:, pairs[:, 0]] | lacking[:, pairs[:, 1]])

    def means(self, values: ValueSums, marks: IntArray) -> Tested | None:
        """Test means judged by their marks (columns,)."""
        if not self.wanted:
            return None
        pairs, method = self.layout.comparisons.pairs, mean_test(self.request.tests.means)
        tests = test_means(values, pairs, self.setting.shared, method)
        return self.decided("mean", tests, marks, np.zeros((1, 1), np.bool_))

    def medians(self, values: Values, marks: IntArray) -> Tested | None:
        """Test medians where that was asked for; a letter is shown only where the medians differ as the test says."""
        if not self.wanted or not median_test(self.request.tests.medians).tests:
            return None
        pairs, method = self.layout.comparisons.pairs, share_test(self.request.tests.percents)
        at_most = self._at_most(pairs)
        tests = test_medians(at_most, method)
        medians = np.array([cut.value for cut in values.cuts(0.5)])
        gap = medians[pairs[:, 0]] - medians[pairs[:, 1]]
        silent = np.sign(gap)[None, :] != np.sign(tests.statistic)
        none = np.zeros((1, 1), np.bool_)
        return self.decided("median", tests, marks, none, at_most=at_most, silent=silent)

    def _at_most(self, pairs: IntArray) -> AtMost:
        """Find who is at most the median of those in either column of each pair."""
        if self.sums.medians is not None:
            return self.sums.medians(pairs)
        scores = self.question.scores()
        places = [k for k, answer in enumerate(self.question.valid) if answer.code in scores]
        values = np.array([scores[self.question.valid[k].code] for k in places])
        return at_most_of_scores(values, self.answers.rows(places), pairs, self.setting.shared.where)

    @cached_property
    def trends_of_shares(self) -> tuple[Trend, ...]:
        """Test whether the percents of all answers and nets rise or fall, in each group that has a column of trends."""
        trends = self._trends(self.marks, self.sums.base)
        return tuple(
            replace(trend, tests=trend_of_shares(self.answers, self.sums.base, trend.over))
            for trend in trends
        )

    def trends_of_means(self, values: ValueSums, marks: IntArray) -> tuple[Trend, ...]:
        """Test whether means rise or fall, in each group that has a column of trends."""
        trends = self._trends(np.where(enough_values(moments(values)), marks, NOT_TESTED), values)
        return tuple(replace(trend, tests=trend_of_means(values, trend.over)) for trend in trends)

    def _trends(self, marks: IntArray, base: Sums) -> list[Trend]:
        """Say which columns each trend runs over: those that can be tested, if there are enough."""
        out = np.flatnonzero((marks >= NOT_TESTED) | (base.n[0] == 0))
        trends = []
        for at, columns in self.layout.trends:
            over = over_columns(np.array(columns), self.setting.overlapping).without(out)
            if len(over.columns) >= LEAST_OF_TREND:
                trends.append(Trend(at=at, columns=columns, over=over))
        return trends

    @property
    def wanted(self) -> bool:
        """Whether anything is to be tested."""
        return bool(self.request.levels) and len(self.layout.comparisons) > 0

    def is_untested(self, *names: str) -> bool:
        """Return whether the plan takes a row, known by some names, out of all tests."""
        wanted = {name.casefold() for name in self.request.rows.untested}
        every = [one for name in names if name for one in names_of(name)]
        return bool(wanted) and any(name.casefold() in wanted for name in every)

    def decided(
        self,
        kind: TestKind,
        tests: PairTests,
        marks: IntArray,
        off: BoolArray,
        paired: SharedAnswers | SharedValues | None = None,
        *,
        at_most: AtMost | None = None,
        silent: BoolArray | None = None,
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
            idle=self.idle,
            adjust=correction(self.request.tests.adjust),
            spaced=self.layout.two_letter_names,
            paired=paired,
            shared=self.setting.shared,
            at_most=at_most,
            silent=silent,
        )


def all_rows(request: TableRequest, sums: QuestionSums) -> list[Row]:
    """Lay out all counted rows: answers, nets, and those who gave no answer."""
    rows = list(rows_of(sums.question))
    if not sums.everyone or sums.answers is None:
        return rows
    last = len(sums.answers.n) - 1
    say = request.words
    if not request.reason_rows:
        return [*rows, _no_answer_row(NO_ANSWER, NO_ANSWER, last)]
    for k, (reason, _) in enumerate(sums.reasons, last + 1):
        label = say("No answer: {reason}", reason=reason_said(reason, say))
        rows.append(_no_answer_row(label, "", k))
    return rows


def _no_answer_row(label: str, fixed: str, source: int) -> Row:
    return Row(
        label=label,
        fixed=fixed,
        kind="answer",
        code="",
        indent=0,
        source=source,
        mention=False,
        last=True,
        no_answer=True,
    )
