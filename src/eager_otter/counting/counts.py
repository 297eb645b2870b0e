"""Count many questions by one banner: one pass over the respondents for each batch of questions."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from typing import Any

import numpy as np

from eager_otter.codebook.model import Difference, Net, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, people_of
from eager_otter.core.cells import ColumnCells, column_membership, make_cells
from eager_otter.core.medians import AtMost, at_most_of_values
from eager_otter.core.proportions import SharedPairs, match_pairs
from eager_otter.core.quantiles import Cut, quantile_cut
from eager_otter.core.sums import Finisher, Sums, ValueSums
from eager_otter.core.tally import CodedRows, Rows, Tally, ValueRows, tally
from eager_otter.counting.banner import BannerColumns, lay_out
from eager_otter.counting.membership import column_groups
from eager_otter.counting.nesting import nested_answers, nested_question
from eager_otter.counting.order import without_left_out
from eager_otter.counting.pairing import (
    PairedSums,
    answers_beside,
    mean_of,
    pair_parts,
    values_beside,
)
from eager_otter.counting.rows import RowCounts, difference_parts, row_counts
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers
from eager_otter.data.made import score_table, values_of
from eager_otter.data.reasons import Reason, Reasons, first_of
from eager_otter.data.responses import Responses
from eager_otter.data.selection import count_of_mentions, who_answered, who_counts_in
from eager_otter.errors import RequestError
from eager_otter.tables.request import Banner, ColumnRules

BATCH_SUMS = 4_000_000  # numbers held at once for one batch of questions: 32 MB


Quantile = Callable[[float], list[Cut]]  # a share in, the quantile of each column out
Medians = Callable[[IntArray], AtMost]  # pairs of columns in, who is at most the median of both out
Both = Callable[[Sequence[int]], FloatArray]  # columns in, Σw² of who gave two answers out


@dataclass(frozen=True, slots=True, kw_only=True)
class Count:
    """The counts wanted of a question: without some answers, with everyone in the base, with mentions per respondent.

    With `value`, a number or scale is summed up among those in each row as well. `within` names questions whose answers
    are over those of the question, outermost first. With `reasons`, those of everyone who gave no answer are counted
    by their reason; with `beside`, the people that each column shares with that column are.
    """

    question: str
    leave_out: tuple[str, ...] = ()
    everyone: bool = False
    reasons: bool = False
    beside: int | None = None
    mentions: bool = False
    value: str | None = None
    within: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class QuestionSums:
    """All sums of a question by a banner: its rows (answers, then nets), its base and its values.

    `cells` sums a third question up among those in each row (answers, then nets). With `everyone`, a row for no answer
    is last among `answers`; `reasons` (reasons,) has a row for each reason why there is none, where that was asked
    for. `quantile` is there for numbers. `left_out` tells why people are not in the base, or under `everyone` gave no
    answer: (reason, people) of the Total. `beside` is the base of each column among those in one column. `in_no_column`
    tells by banner group how many of the base are in none of its columns, and why. `both` gives Σw² of those in some
    columns who gave two answers of a multiple response: (columns, answers, answers). `medians` is there for numbers.
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Outside:
    """People of a base who are in no column of a banner group: their reasons (None: an answer without a column)."""

    group: str
    people: int
    reasons: tuple[tuple[Reason | None, int], ...]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Population:
    """The people who are counted: rows that pass all filters, their weights and frequencies (chosen,), or None."""

    rows: BoolArray
    weights: FloatArray | None = None
    frequencies: FloatArray | None = None

    @property
    def squares(self) -> FloatArray | None:
        """The squared weight of each row (chosen,), times its frequency; None where all are 1."""
        if self.weights is None:
            return self.frequencies
        return self.weights**2 if self.frequencies is None else self.weights**2 * self.frequencies

    @property
    def people(self) -> int:
        """How many respondents are counted."""
        return int(self.rows.sum() if self.frequencies is None else self.frequencies.sum())


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Counted:
    """A question on its way: what is wanted, its answers, and the parts to count.

    `reasons` are kept only where they are counted; `aside` holds the people who are out of the base, or in no column.
    """

    count: Count
    question: Question
    answers: Answers
    counts: RowCounts
    differences: Sequence[tuple[Difference, FloatArray | ValueRows]]
    reasons: Reasons | None
    aside: Mapping[str, Any]


class BannerCounting:
    """A banner over a population, ready to count questions."""

    def __init__(
        self,
        responses: Responses,
        population: Population,
        banner: Banner,
        rules: ColumnRules | None = None,
    ) -> None:
        self.responses, self.population = responses, population
        self.layout: BannerColumns = lay_out(banner, responses.codebook, rules)
        self._all = bool(population.rows.all())
        groups = list(column_groups(self.layout, responses, population.rows))
        pairs = self.layout.comparisons.pairs
        self.cells: ColumnCells = make_cells(groups, int(population.rows.sum()), pairs)
        self.shared: SharedPairs = match_pairs(pairs, self.cells.overlapping())

    @cached_property
    def sharing(self) -> frozenset[int]:
        """Find the groups, by their first column, in which someone is in two of the columns compared."""
        shared = set()
        for group in self.layout.groups:
            wanted = {k for k in range(group.start, group.stop) if self.layout.columns[k].compared}
            for cells in self.cells.sets:
                inside = [place for place, k in enumerate(cells.columns.tolist()) if k in wanted]
                if len(inside) > 1 and bool((cells.members[inside].sum(axis=0) > 1).any()):
                    shared.add(group.start)
        return frozenset(shared)

    def chosen(self, name: str) -> Answers:
        """Return what those counted answered to a question."""
        answers = self.responses.answers(name)
        return answers if self._all else answers.chosen(self.population.rows)

    def counted(self, wanted: Sequence[Count]) -> Iterator[QuestionSums]:
        """Count questions, in the order given. Raises RequestError for open text, UnknownName."""
        cells = sum(column_set.cells for column_set in self.cells.sets)
        batch: list[_Counted] = []
        size = 0
        for count in wanted:
            counted = self._prepared(count)
            need = 3 * cells * sum(part.size for part in counted.counts.parts if isinstance(part, CodedRows))
            if batch and size + need > BATCH_SUMS:
                yield from self._count_batch(batch)
                batch, size = [], 0
            batch.append(counted)
            size += need
        if batch:
            yield from self._count_batch(batch)

    def everybody(self) -> Sums:
        """Count everybody in each column, whatever they answered: one row."""
        rows = CodedRows(np.zeros(int(self.population.rows.sum()), np.uint8), 1)
        return Finisher(self._tally([rows]), self.cells).counts([(0, np.ones((1, 1)))])

    def asked(self, count: Count) -> tuple[Question, Answers]:
        """Return the question to count, and what those chosen answered."""
        question = without_left_out(self.responses.codebook.question(count.question), count.leave_out)
        if not count.within:
            return question, self.chosen(count.question)
        questions = [*(self.responses.codebook.question(name) for name in count.within), question]
        answers = [self.chosen(one.name) for one in questions]
        return nested_question(questions), nested_answers(questions, answers)

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
        answers = [self.asked(count)[1] for count in wanted]
        parts: list[Rows] = []
        places = []
        for a, b in pairs.tolist():
            first, second = (questions[a], answers[a]), (questions[b], answers[b])
            joint_parts = pair_parts(first, second, everyone=wanted[a].everyone)
            places.append((len(parts), joint_parts))
            parts += joint_parts.parts
        finisher = Finisher(self._tally(parts), self.cells)
        read = []
        for (first_part, joint_parts), (a, b) in zip(places, pairs.tolist(), strict=True):
            valued = zip(_valued(questions[a], sums[a]), _valued(questions[b], sums[b]), strict=True)
            means = [(mean_of(one), mean_of(other)) for one, other in valued]
            read.append(joint_parts.read(finisher, first_part, means))
        rows = [result.rows for result in read if result.rows is not None]
        values = [result.values for result in read if result.values is not None]
        return PairedSums(
            rows=answers_beside(rows) if rows else None,
            values=values_beside(values) if values else None,
            differences=tuple(
                values_beside(differences)
                for differences in zip(*(result.differences for result in read), strict=True)
            ),
        )

    @cached_property
    def _outside(self) -> tuple[tuple[str, IntArray, Reasons | None], ...]:
        """Find, by banner group, the places of those in none of its columns, and why; no groups that hold everybody.

        Columns that are combined or have an expression have no reasons of their own.
        """
        outside = []
        for block, columns in self.layout.lettered_blocks():
            inside = np.zeros(int(self.population.rows.sum()), np.bool_)
            for k in columns:
                inside |= column_membership(self.cells, k)
            if columns and not inside.all():
                head = next(g for g in self.layout.groups if g.start <= columns[0] < g.stop)
                levels = block.wanted.nest or (block.wanted,)
                plain = all(level.question and not level.columns and level.only is None for level in levels)
                names = (
                    dict.fromkeys(level.question for level in levels)
                    if plain and block.wanted.only is None
                    else ()
                )
                reasons = [self.responses.reasons(name).chosen(self.population.rows) for name in names]
                label = head.outer[0] if head.outer else head.label
                places = np.flatnonzero(~inside)
                why = first_of([one.chosen(places) for one in reasons]) if reasons else None
                outside.append((label, places, why))
        return tuple(outside)

    def _in_no_column(self, base: BoolArray) -> tuple[Outside, ...]:
        """Count those of a base (chosen,) who are in no column of a group, and why."""
        times = self.population.frequencies
        outside = []
        for group, places, reasons in self._outside:
            who = base[places]
            place_times = None if times is None else times[places]
            people = people_of(who, place_times)
            if people:
                reasons_given = (
                    ()
                    if reasons is None
                    else tuple(_counted_reasons(reasons, who, place_times, without=True))
                )
                outside.append(Outside(group=group, people=people, reasons=reasons_given))
        return tuple(outside)

    def _prepared(self, count: Count) -> _Counted:
        question, answers = self.asked(count)
        counts = row_counts(question, answers, everyone=count.everyone)
        differences = difference_parts(question, answers, everyone=count.everyone)
        extra: list[Rows] = [scored for _, scored in differences if isinstance(scored, ValueRows)]
        if count.mentions and isinstance(answers, MultiAnswers):
            extra.append(ValueRows(count_of_mentions(question, answers)))
        if count.value is not None:
            extra += self._values_by_row(question, answers, count.value)
        answered = who_answered(question, answers)
        reasons = None if answered.all() else self._reasons(count, question)
        if count.reasons and reasons is not None:
            extra.append(CodedRows(reasons.codes, len(reasons.known) + 1))
        if count.beside is not None:
            inside = column_membership(self.cells, count.beside) & (count.everyone | answered)
            extra.append(CodedRows(inside.astype(np.uint8), 2))
        counts = replace(counts, parts=(*counts.parts, *extra))
        return _Counted(
            count=count,
            question=question,
            answers=answers,
            counts=counts,
            differences=differences,
            reasons=reasons if count.reasons else None,
            aside=self._people_aside(reasons, answered | count.everyone),
        )

    def _reasons(self, count: Count, question: Question) -> Reasons:
        """Say why people have no answer to a question."""
        if count.within:
            names = (*count.within, count.question)
            return first_of([self.responses.reasons(name).chosen(self.population.rows) for name in names])
        whole = (
            self.responses.reasons(count.question)
            if not count.leave_out
            else self.responses.reasons_as(question)
        )
        return whole if self._all else whole.chosen(self.population.rows)

    def _values_by_row(self, question: Question, answers: Answers, name: str) -> list[ValueRows]:
        """Return the values of a third question among those in each row. Raises RequestError, UnknownName."""
        third = self.responses.codebook.question(name)
        if not third.is_of.of_values and not third.scale:
            raise RequestError(
                f"{name} is of kind {third.kind}; only numbers and scales can be summed up in cells."
            )
        values = values_of(third, self.chosen(name))
        rows = [Net(label="", of=(answer.code,)) for answer in question.valid] + list(question.nets)
        return [ValueRows(np.where(who_counts_in(question, answers, row), values, np.nan)) for row in rows]

    def _count_batch(self, batch: Sequence[_Counted]) -> Iterator[QuestionSums]:
        parts = [part for counted in batch for part in counted.counts.parts]
        finisher = Finisher(self._tally(parts), self.cells)
        first = 0
        for counted in batch:
            yield self._finish(finisher, first, counted)
            first += len(counted.counts.parts)

    def _tally(self, parts: Sequence[Rows]) -> Tally:
        population = self.population
        return tally(parts, self.cells, weights=population.weights, frequencies=population.frequencies)

    def _finish(self, finisher: Finisher, first: int, counted: _Counted) -> QuestionSums:
        question, answers, counts = counted.question, counted.answers, counted.counts
        if isinstance(answers, NumberAnswers):
            return self._finish_values(finisher.values(first), counted)
        sums = finisher.counts([(first + k, table) for k, table in enumerate(counts.indicators)])
        sums = sums.rows(counts.order)
        last = len(sums.n) - 1
        base = sums.rows([last])
        scored = None
        if isinstance(answers, SingleAnswers) and question.scores():
            scored = finisher.scores(first, score_table(question, answers))
        values_from = first + len(counts.indicators)  # parts of values follow those of the rows
        differences: list[tuple[Difference, ValueSums]] = []
        for difference, scores in counted.differences:
            if isinstance(scores, ValueRows):
                differences.append((difference, finisher.values(values_from)))
                values_from += 1
            else:
                differences.append((difference, finisher.scores(first, scores)))
        mentions = None
        if counted.count.mentions and isinstance(answers, MultiAnswers):
            mentions, values_from = finisher.values(values_from), values_from + 1
        cells = []
        while values_from < first + len(counts.parts) and isinstance(
            counts.parts[values_from - first], ValueRows
        ):
            cells.append(finisher.values(values_from))
            values_from += 1
        reasons: list[tuple[Reason, Sums]] = []
        if counted.reasons is not None:
            reasons = _reason_rows(finisher, values_from, counted.reasons)
            values_from += 1
        beside = None
        if counted.count.beside is not None:
            beside = finisher.counts([(values_from, np.array([[0.0, 1.0]]))])
        return QuestionSums(
            question=question,
            answers=sums.rows(range(last)),
            base=base,
            values=scored,
            mentions=mentions,
            cells=tuple(cells),
            everyone=counted.count.everyone,
            differences=tuple(differences),
            reasons=tuple(reasons),
            beside=beside,
            both=partial(self._both, question, answers) if isinstance(answers, MultiAnswers) else None,
            **counted.aside,
        )

    def _people_aside(self, reasons: Reasons | None, base: BoolArray) -> dict[str, Any]:
        """Count those who have no answer, by reason, and those of the base who are in no column of a group."""
        times = self.population.frequencies
        left_out: list[tuple[Reason, int]] = []
        if reasons is not None:
            counted = _counted_reasons(reasons, None, times, without=False)
            left_out = [(reason, people) for reason, people in counted if reason is not None]
        outside: tuple[Outside, ...] = ()
        if self._outside:
            outside = self._in_no_column(base)
        return {"left_out": tuple(left_out), "in_no_column": outside}

    def _cuts(self, values: FloatArray, q: float) -> list[Cut]:
        """Find where the q-quantile of a number cuts it in each column; not additive, so from the values themselves."""
        order = np.argsort(values, kind="stable")
        order = order[: int((~np.isnan(values)).sum())]
        population = self.population
        weights = np.ones(values.size) if population.weights is None else population.weights
        weights = weights if population.frequencies is None else weights * population.frequencies
        ordered, sorted_weights = values[order], weights[order]
        cuts = []
        for column in range(self.cells.columns):
            inside = column_membership(self.cells, column)[order]
            cuts.append(quantile_cut(ordered[inside], sorted_weights[inside], q))
        return cuts

    def _both(self, question: Question, answers: Answers, columns: Sequence[int]) -> FloatArray:
        """Sum the squared weights of those in each column who gave both of two answers: (columns, answers, answers)."""
        ticks = np.array(
            [who_counts_in(question, answers, Net(label="", of=(one.code,))) for one in question.valid],
            np.float64,
        )
        squares = self.population.squares
        pairs = []
        for column in columns:
            inside = column_membership(self.cells, column)
            gave = ticks[:, inside]
            pairs.append((gave if squares is None else gave * squares[inside]) @ gave.T)
        return np.array(pairs).reshape(len(columns), len(ticks), len(ticks))

    def _at_most(self, values: FloatArray, pairs: IntArray) -> AtMost:
        """Find who is at most the median of those in either column of each pair (pairs, 2)."""
        members = {k: column_membership(self.cells, k) for k in np.unique(pairs).tolist()}
        population = self.population
        return at_most_of_values(values, population.weights, population.frequencies, members, pairs)

    def _finish_values(self, values: ValueSums, counted: _Counted) -> QuestionSums:
        answers = counted.answers
        assert isinstance(answers, NumberAnswers)
        return QuestionSums(
            question=counted.question,
            answers=None,
            base=values,
            values=values,
            quantile=partial(self._cuts, answers.values),
            medians=partial(self._at_most, answers.values),
            **counted.aside,
        )


def _valued(question: Question, sums: QuestionSums) -> list[ValueSums]:
    """List the sums of values of an item: of the difference rows compared, then of its scores or numbers."""
    by_label = {difference.label: differences for difference, differences in sums.differences}
    differences = [by_label[difference.label] for difference in question.differences]
    return differences + ([] if sums.values is None else [sums.values])


def _counted_reasons(
    reasons: Reasons, who: BoolArray | None, times: FloatArray | None, *, without: bool
) -> Iterator[tuple[Reason | None, int]]:
    """Count some respondents (rows,), or all, by reason, in the order of the reasons, alike ones together.

    With `without`, those who have none come last, as None.
    """
    codes = reasons.codes if who is None else reasons.codes[who]
    weights = times if times is None or who is None else times[who]
    people = np.bincount(codes, weights, len(reasons.known) + 1)
    counts: dict[Reason | None, int] = {}
    for reason, k in reasons.listed():
        counts[reason] = counts.get(reason, 0) + round(float(people[k]))
    if without:
        counts[None] = round(float(people[0]))
    yield from ((reason, count) for reason, count in counts.items() if count)


def _reason_rows(finisher: Finisher, part: int, reasons: Reasons) -> list[tuple[Reason, Sums]]:
    """Sum those without an answer up by reason, in the order of the reasons: a row each that somebody has."""
    by_reason: dict[Reason, FloatArray] = {}
    for reason, k in reasons.listed():
        table = by_reason.setdefault(reason, np.zeros((1, len(reasons.known) + 1)))
        table[0, k] = 1.0
    rows = [(reason, finisher.counts([(part, table)])) for reason, table in by_reason.items()]
    return [(reason, sums) for reason, sums in rows if sums.n[0, 0] > 0]


def unknown_counts(answers: Answers) -> dict[str, int]:
    """Return the values of a multiple-response question that no answer stands for, with their counts."""
    return dict(answers.unknown) if isinstance(answers, MultiAnswers) else {}
