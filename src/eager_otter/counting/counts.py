"""The sums of questions by a banner, read out of the states of all parts of the data."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from functools import cached_property, partial
from typing import Any

import numpy as np

from eager_otter.codebook.model import Codebook, Difference, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.core.cells import CellSet, ColumnCells, cell_set
from eager_otter.core.medians import AtMost
from eager_otter.core.proportions import SharedPairs, match_pairs
from eager_otter.core.quantiles import Cut
from eager_otter.core.sums import Finisher, Sums, ValueSums
from eager_otter.core.value_counts import ValueCounts
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.offers import nobody_asked, offers_in
from eager_otter.counting.pairing import PairedSums
from eager_otter.counting.part import EVERYBODY, Aside, BannerState, People
from eager_otter.counting.passes import AnswersOfPairs, BothAnswers, Passing, Values
from eager_otter.counting.population import Steps
from eager_otter.counting.wanted import BannerPlan, Count
from eager_otter.data.reasons import Reason
from eager_otter.dataclass import dataclass
from eager_otter.tables.table import Group

Quantile = Callable[[FloatArray], list[Cut]]  # a share (columns,) or NaN in, where it cuts each column out
Medians = Callable[[IntArray], AtMost]  # pairs of columns in, who is at most the median of both out
Both = Callable[[Sequence[int]], FloatArray]  # columns in, Σw² of who gave two answers out


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class QuestionSums:
    """All sums of a question by a banner: its rows (answers, then nets), its base and its values.

    `cells` sums a third question up among those in each row (answers, then nets). With `everyone`, a row for no answer
    is last among `answers`; `reasons` (reasons,) has a row for each reason why there is none, where that was asked
    for. `quantile` is there for numbers. `left_out` tells why people are not in the base, or under `everyone` gave no
    answer: (reason, people) of the Total. `beside` is the base of each column among those in one column. `in_no_column`
    tells by banner group how many of the base are in none of its columns, and why. `both` gives Σw² of those in some
    columns who gave two answers of a multiple response: (columns, answers, answers). `medians` is there for numbers.
    `unknown` counts, over all rows read, the codes of a multiple response that the codebook does not know. `offers`
    (answers and nets, columns) tells what was offered to those in a column (see `offers_in`), `asked_nobody` (columns,)
    where nobody was asked; None where all waves asked and offered the same.
    """

    question: Question
    answers: Sums | None
    base: Sums
    values: ValueSums | None
    mentions: ValueSums | None = None
    quantile: Quantile | None = None
    everyone: bool = False
    cells: tuple[ValueSums, ...] = ()
    differences: tuple[tuple[Difference, ValueSums], ...] = ()
    left_out: tuple[tuple[Reason, int], ...] = ()
    reasons: tuple[tuple[Reason, Sums], ...] = ()
    beside: Sums | None = None
    in_no_column: tuple[Outside, ...] = ()
    both: Both | None = None
    medians: Medians | None = None
    unknown: Mapping[str, int] = field(default_factory=dict)
    offers: IntArray | None = None
    asked_nobody: BoolArray | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Outside:
    """People of a base who are in no column of a banner group: their reasons (None: an answer without a column)."""

    group: str
    people: int
    reasons: tuple[tuple[Reason | None, int], ...]


class BannerCounts:
    """A banner with all that was counted by it.

    `state` is that of all parts of the data; `over` goes over these once more, for what only some tables need.
    """

    def __init__(self, plan: BannerPlan, state: BannerState, codebook: Codebook, over: Passing) -> None:
        self.plan, self.codebook, self.over = plan, codebook, over
        self._state = state
        self._kept_values: dict[Count, ValueCounts] = {}
        tally = state.tally.ordered()
        nobody = np.zeros(0, np.uint8)
        sets: list[CellSet] = [
            cell_set(nobody, members, planned)
            for members, planned in zip(tally.members, plan.sets, strict=True)
        ]
        self.cells = ColumnCells(tuple(sets), len(plan.layout.columns))
        self._finisher = Finisher(tally, self.cells)
        self.shared: SharedPairs = match_pairs(plan.layout.comparisons.pairs, self.cells.overlapping())

    @property
    def layout(self) -> BannerColumns:
        """The columns of the banner."""
        return self.plan.layout

    @property
    def steps(self) -> Steps:
        """How many people were left at each step of choosing them."""
        return self._state.steps

    @cached_property
    def sharing(self) -> frozenset[int]:
        """Find the groups, by their first column, in which someone is in two of the columns compared."""
        return frozenset(group.start for group in self.layout.groups if self._shares(group))

    def _shares(self, group: Group) -> bool:
        wanted = {k for k in range(group.start, group.stop) if self.layout.columns[k].compared}
        for cells in self.cells.sets:
            inside = [place for place, k in enumerate(cells.columns.tolist()) if k in wanted]
            if len(inside) > 1 and bool((cells.members[inside].sum(axis=0) > 1).any()):
                return True
        return False

    def everybody(self) -> Sums:
        """Return everybody in each column, whatever they answered: one row."""
        return self._finisher.rows(EVERYBODY)

    @cached_property
    def _places(self) -> dict[Count, tuple[int, int]]:
        """Where the parts of each count begin in the tally, and which of the counts it is."""
        places, at = {}, EVERYBODY + 1
        for number, (count, state) in enumerate(zip(self.plan.counts, self._state.counts, strict=True)):
            places[count] = at, number
            at += state.parts
        return places

    def sums(self, count: Count) -> QuestionSums:
        """Return all sums of a question that was counted."""
        at, number = self._places[count]
        counted = self._state.counts[number]
        question, finisher = count.asked(self.codebook), self._finisher
        aside: dict[str, Any] = {
            "left_out": _left_out(counted.aside.left_out),
            "in_no_column": self._in_no_column(counted.aside),
            "unknown": counted.aside.unknown,
            **self._offers(question),
        }
        if question.is_of.of_values:
            values = finisher.values(at)
            return QuestionSums(
                question=question,
                answers=None,
                base=values,
                values=values,
                quantile=partial(self._cuts, count),
                medians=partial(self._at_most, count),
                **aside,
            )
        rows, several = finisher.rows(at), question.is_of.several
        last = len(rows.n) - 1
        scored = (
            finisher.scores(at, _scores(question, last + 1)) if question.scores() and not several else None
        )
        values_from = at + 1
        differences: list[tuple[Difference, ValueSums]] = []
        for difference in question.differences:
            if several:
                differences.append((difference, finisher.values(values_from)))
                values_from += 1
            else:
                scores = _difference_scores(question, difference, last + 1, everyone=count.everyone)
                differences.append((difference, finisher.scores(at, scores)))
        mentions = None
        if count.mentions and several:
            mentions, values_from = finisher.values(values_from), values_from + 1
        cells = []
        if count.value is not None:
            behind = values_from + len(question.valid) + len(question.nets)
            cells, values_from = [finisher.values(k) for k in range(values_from, behind)], behind
        beside = None
        if count.beside is not None:
            beside, values_from = finisher.rows(values_from), values_from + 1
        return QuestionSums(
            question=question,
            answers=rows.rows(range(last)),
            base=rows.rows([last]),
            values=scored,
            mentions=mentions,
            cells=tuple(cells),
            everyone=count.everyone,
            differences=tuple(differences),
            reasons=()
            if counted.reasons is None
            else _reason_rows(finisher.rows(values_from), counted.reasons),
            beside=beside,
            both=partial(self._both, count) if several else None,
            **aside,
        )

    def _offers(self, question: Question) -> dict[str, Any]:
        """Tell what was offered to those in each column, where not all waves asked and offered the same."""
        if question.offered is None:
            return {}
        waves = self.codebook.question(question.offered.question)
        at, _ = self._places[Count(question=waves.name)]
        rows = self._finisher.rows(at).n
        place = {answer.code: k for k, answer in enumerate(waves.valid)}
        people = rows[[place[code] for code in question.offered.waves]]
        return {"offers": offers_in(question, people), "asked_nobody": nobody_asked(question, people)}

    def _in_no_column(self, aside: Aside) -> tuple[Outside, ...]:
        """Say how many of a base are in no column of a group, and why."""
        outside = []
        for number, (_, columns) in enumerate(self.layout.lettered_blocks()):
            people, reasons = aside.outside.get(number, (0, None))
            if not people:
                continue
            head = next(g for g in self.layout.groups if g.start <= columns[0] < g.stop)
            outside.append(
                Outside(
                    group=head.outer[0] if head.outer else head.label,
                    people=people,
                    reasons=() if reasons is None else _in_order(reasons),
                )
            )
        return tuple(outside)

    def paired(
        self,
        wanted: Sequence[Count],
        questions: Sequence[Question],
        sums: Sequence[QuestionSums],
        pairs: IntArray,
    ) -> PairedSums:
        """Sum up those who are in the bases of both items of each pair (pairs, 2).

        `questions` are the items as they are compared, with the same rows, and `sums` what was counted of them.
        """
        counted = self.over(
            AnswersOfPairs(plan=self.plan.of(tuple(wanted)), pairs=pairs, questions=tuple(questions))
        )
        valued = [
            list(zip(_valued(questions[a], sums[a]), _valued(questions[b], sums[b]), strict=True))
            for a, b in pairs.tolist()
        ]
        return counted.read(valued)

    def _values(self, count: Count, hidden: Callable[[ValueCounts], FloatArray]) -> ValueCounts:
        """Count the values of a number, and those in `hidden` ranges again until there are none."""
        if count not in self._kept_values:
            self._kept_values[count] = self.over(Values(plan=self.plan.of((count,))))
        values = self._kept_values[count]
        while (ranges := hidden(values)).size:
            finer = self.over(Values(plan=self.plan.of((count,)), ranges=ranges))
            self._kept_values[count] = values = values.with_finer(ranges, finer)
        return values

    def _cuts(self, count: Count, shares: FloatArray) -> list[Cut]:
        """Find where shares of weight, one for all columns or (columns,), cut a number in each column."""
        each = np.broadcast_to(shares, len(self.layout.columns))
        return self._values(count, lambda values: values.hidden_by_cuts(each)).cuts(each)

    def _at_most(self, count: Count, pairs: IntArray) -> AtMost:
        """Find who is at most the median of those in either column of each pair (pairs, 2)."""
        return self._values(count, lambda values: values.hidden_by_medians(pairs)).at_most(pairs)

    def _both(self, count: Count, columns: Sequence[int]) -> FloatArray:
        """Sum the squared weights of those in each column who gave both of two answers: (columns, answers, answers)."""
        return self.over(BothAnswers(plan=self.plan.of((count,)), columns=tuple(columns)))


def _scores(question: Question, rows: int) -> FloatArray:
    """Return the score of each row (rows,), NaN where it has none."""
    scores, by_code = np.full(rows, np.nan), question.scores()
    for k, answer in enumerate(question.valid):
        scores[k] = by_code.get(answer.code, np.nan)
    return scores


def _difference_scores(
    question: Question, difference: Difference, rows: int, *, everyone: bool
) -> FloatArray:
    """Return the scores +100, 0 and −100 of each row (rows,); the row of those without an answer is last but one."""
    scores = np.full(rows, np.nan)
    for k, answer in enumerate(question.valid):
        scores[k] = 0.0 if answer.scored else np.nan
        if answer.code in difference.plus or answer.code in difference.minus:
            scores[k] = 100.0 if answer.code in difference.plus else -100.0
    if everyone:
        scores[-2] = 0.0
    return scores


def _valued(question: Question, sums: QuestionSums) -> list[ValueSums]:
    """List the sums of values of an item: of the difference rows compared, then of its scores or numbers."""
    by_label = {difference.label: differences for difference, differences in sums.differences}
    differences = [by_label[difference.label] for difference in question.differences]
    return differences + ([] if sums.values is None else [sums.values])


def _in_order(people: People) -> tuple[tuple[Reason | None, int], ...]:
    """List people by reason, in the order of the reasons; those who have none last."""
    ordered = sorted(
        people.items(), key=lambda entry: (entry[0] is None, 0 if entry[0] is None else entry[0].place)
    )
    return tuple((reason, count) for reason, count in ordered if count)


def _left_out(people: People) -> tuple[tuple[Reason, int], ...]:
    return tuple((reason, count) for reason, count in _in_order(people) if reason is not None)


def _reason_rows(rows: Sums, reasons: Sequence[Reason]) -> tuple[tuple[Reason, Sums], ...]:
    """Give the rows of those without an answer, in the order of the reasons: a row each that somebody has."""
    order = sorted(range(len(reasons)), key=lambda k: reasons[k].place)
    return tuple((reasons[k], rows.rows([k])) for k in order if rows.n[k, 0] > 0)
