"""Count many questions by one banner: one pass over the respondents for each batch of questions."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial

import numpy as np

from eager_otter.codebook.model import Difference, Net, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.core.cells import ColumnCells, column_membership, make_cells
from eager_otter.core.proportions import SharedPairs, match_pairs
from eager_otter.core.quantiles import weighted_quantile
from eager_otter.core.sums import Finisher, Sums, side_by_side
from eager_otter.core.tally import CodedRows, Tally, ValueRows, tally
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers
from eager_otter.data.made import score_table, values_of
from eager_otter.data.responses import Responses
from eager_otter.data.selection import count_of_mentions, who_counts_in
from eager_otter.errors import RequestError
from eager_otter.tables.banner import BannerColumns, column_groups, lay_out
from eager_otter.tables.nesting import nested_answers, nested_question
from eager_otter.tables.order import without_left_out
from eager_otter.tables.pairing import PairedSums, differences_between
from eager_otter.tables.request import Banner, TestRules
from eager_otter.tables.rows import RowCounts, difference_parts, left_out_codes, row_counts, shift_of

BATCH_SUMS = 4_000_000  # numbers held at once for one batch of questions: 32 MB


Quantile = Callable[[float], FloatArray]  # a share in, the quantile of each column (columns,) out


@dataclass(frozen=True, slots=True, kw_only=True)
class Count:
    """What to count of a question: without some answers, with everyone in the base, with mentions per respondent.

    With `value`, a number or scale is summed up among those in each row as well. `nest` names questions whose answers
    stand over those of the question, outermost first.
    """

    question: str
    leave_out: tuple[str, ...] = ()
    everyone: bool = False
    mentions: bool = False
    value: str | None = None
    nest: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class QuestionSums:
    """All sums of a question by a banner: its rows (answers, then nets), its base and its values.

    `cells` sums a third question up among those in each row (answers, then nets). With `everyone`, a row for no answer
    stands last among `answers`. `quantile` is there for numbers. `left_out` tells
    why people are not in the base, or under `everyone` gave no answer: (reason, people) of the Total.
    """

    question: Question
    answers: Sums | None
    base: Sums
    values: Sums | None
    mentions: Sums | None = None
    quantile: Quantile | None = None
    everyone: bool = False
    cells: tuple[Sums, ...] = ()
    differences: tuple[tuple[Difference, Sums], ...] = ()
    left_out: tuple[tuple[str, int], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Population:
    """Who is counted: the rows that pass all filters, and their weights and frequencies (chosen,), or None."""

    rows: BoolArray
    weights: FloatArray | None = None
    frequencies: FloatArray | None = None

    @property
    def people(self) -> int:
        """How many respondents are counted."""
        return int(self.rows.sum() if self.frequencies is None else self.frequencies.sum())


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Counted:
    """A question on its way: what is wanted, its answers, and the parts to count."""

    count: Count
    question: Question
    answers: Answers
    counts: RowCounts
    differences: Sequence[tuple[Difference, FloatArray | ValueRows]]


class BannerCounting:
    """A banner over a population, ready to count questions."""

    def __init__(
        self,
        responses: Responses,
        population: Population,
        banner: Banner,
        tests: TestRules | None = None,
    ) -> None:
        self.responses, self.population = responses, population
        self.layout: BannerColumns = lay_out(banner, responses.codebook, tests)
        self._all = bool(population.rows.all())
        groups = list(column_groups(self.layout, responses, population.rows))
        pairs = self.layout.comparisons.pairs
        self.cells: ColumnCells = make_cells(groups, int(population.rows.sum()), pairs)
        self.shared: SharedPairs = match_pairs(pairs, self.cells.overlapping())

    @cached_property
    def sharing(self) -> frozenset[int]:
        """Find the groups, by their first column, in which someone is in two of the columns compared."""
        found = set()
        for group in self.layout.groups:
            wanted = {k for k in range(group.start, group.stop) if self.layout.columns[k].letter}
            for cells in self.cells.sets:
                inside = [place for place, k in enumerate(cells.columns.tolist()) if k in wanted]
                if len(inside) > 1 and bool((cells.members[inside].sum(axis=0) > 1).any()):
                    found.add(group.start)
        return frozenset(found)

    def chosen(self, name: str) -> Answers:
        """Give what those counted answered to a question."""
        answers = self.responses.answers(name)
        return answers if self._all else answers.chosen(self.population.rows)

    def counted(self, wanted: Sequence[Count]) -> Iterator[QuestionSums]:
        """Count questions, in the order given. Raises RequestError for open text, UnknownName."""
        cells = sum(some.cells for some in self.cells.sets)
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
        """Give the question to count, and what those chosen answered."""
        question = without_left_out(self.responses.codebook.question(count.question), count.leave_out)
        if not count.nest:
            return question, self.chosen(count.question)
        questions = [*(self.responses.codebook.question(name) for name in count.nest), question]
        answers = [self.chosen(one.name) for one in questions]
        return nested_question(questions), nested_answers(questions, answers)

    def paired(self, wanted: Sequence[Count], pairs: IntArray) -> PairedSums:
        """Sum the differences between questions with the same rows: of each pair (pairs, 2), among those in both bases.

        Raises RequestError for open text, UnknownName.
        """
        asked = [self.asked(count) for count in wanted]
        parts: list[CodedRows | ValueRows] = []
        places = []
        for a, b in pairs.tolist():
            made = differences_between(asked[a], asked[b], everyone=wanted[a].everyone)
            places.append((len(parts), made))
            parts += made.parts
        finisher = Finisher(self._tally(parts), self.cells)
        read = [made.read(finisher, first) for first, made in places]
        numbers = [found.values for found in read]
        return PairedSums(
            rows=None if read[0].rows is None else side_by_side([found.rows for found in read if found.rows]),
            values=None if None in numbers else side_by_side([found for found in numbers if found]),
            differences=tuple(
                side_by_side(some) for some in zip(*(found.differences for found in read), strict=True)
            ),
        )

    def _prepared(self, count: Count) -> _Counted:
        question, answers = self.asked(count)
        counts = row_counts(question, answers, everyone=count.everyone)
        differences = difference_parts(question, answers, everyone=count.everyone)
        extra = [scored for _, scored in differences if isinstance(scored, ValueRows)]
        if count.mentions and isinstance(answers, MultiAnswers):
            extra.append(ValueRows(count_of_mentions(question, answers)))
        if count.value is not None:
            extra += self._values_by_row(question, answers, count.value)
        counts = replace(counts, parts=(*counts.parts, *extra))
        return _Counted(
            count=count, question=question, answers=answers, counts=counts, differences=differences
        )

    def _values_by_row(self, question: Question, answers: Answers, name: str) -> list[ValueRows]:
        """Give the values of a third question among those in each row. Raises RequestError, UnknownName."""
        third = self.responses.codebook.question(name)
        if third.kind != "number" and not third.scale:
            raise RequestError(
                f"{name} is of kind {third.kind}; only numbers and scales can be summed up in cells."
            )
        values = values_of(third, self.chosen(name))
        rows = [Net(label="", of=(answer.code,)) for answer in question.valid] + list(question.nets)
        shift = shift_of(values)
        return [
            ValueRows(np.where(who_counts_in(question, answers, row), values, np.nan), shift) for row in rows
        ]

    def _count_batch(self, batch: Sequence[_Counted]) -> Iterator[QuestionSums]:
        parts = [part for counted in batch for part in counted.counts.parts]
        finisher = Finisher(self._tally(parts), self.cells)
        first = 0
        for counted in batch:
            yield self._finish(finisher, first, counted)
            first += len(counted.counts.parts)

    def _tally(self, parts: Sequence[CodedRows | ValueRows]) -> Tally:
        population = self.population
        return tally(parts, self.cells, weights=population.weights, frequencies=population.frequencies)

    def _finish(self, finisher: Finisher, first: int, counted: _Counted) -> QuestionSums:
        question, answers, counts = counted.question, counted.answers, counted.counts
        if isinstance(answers, NumberAnswers):
            return self._finish_values(finisher.values(first), question, answers)
        sums = finisher.counts([(first + k, table) for k, table in enumerate(counts.indicators)])
        sums = sums.rows(counts.order)
        last = len(sums.n) - 1
        base = sums.rows([last])
        scored = None
        if isinstance(answers, SingleAnswers):
            if question.scores():
                scored = finisher.scores(first, score_table(question, answers)[None, :])
            labels, table = left_out_codes(question, answers)
            people = finisher.people(first, table)[:, 0]
            left_out = [(label, int(n)) for label, n in zip(labels, people, strict=True)]
        else:
            valid = sums.n[last - 1, 0] if counted.count.everyone else self.population.people - base.n[0, 0]
            left_out = [("no answer", int(valid))]
        own = first + len(counts.indicators)  # parts of values stand behind those of the rows
        differences: list[tuple[Difference, Sums]] = []
        for difference, scores in counted.differences:
            if isinstance(scores, ValueRows):
                differences.append((difference, finisher.values(own)))
                own += 1
            else:
                differences.append((difference, finisher.scores(first, scores)))
        mentions = None
        if counted.count.mentions and isinstance(answers, MultiAnswers):
            mentions, own = finisher.values(own), own + 1
        cells = [finisher.values(place) for place in range(own, first + len(counts.parts))]
        return QuestionSums(
            question=question,
            answers=sums.rows(range(last)),
            base=base,
            values=scored,
            mentions=mentions,
            cells=tuple(cells),
            everyone=counted.count.everyone,
            differences=tuple(differences),
            left_out=tuple((label, n) for label, n in left_out if n),
        )

    def _quantile(self, values: FloatArray, q: float) -> FloatArray:
        """Give the q-quantile of a number in each column; not additive, so from the values themselves."""
        order = np.argsort(values, kind="stable")
        order = order[: int((~np.isnan(values)).sum())]
        population = self.population
        weights = np.ones(values.size) if population.weights is None else population.weights
        weights = weights if population.frequencies is None else weights * population.frequencies
        ordered, sorted_weights = values[order], weights[order]
        found = []
        for column in range(self.cells.columns):
            inside = column_membership(self.cells, column)[order]
            found.append(weighted_quantile(ordered[inside], sorted_weights[inside], q))
        return np.array(found)

    def _finish_values(self, values: Sums, question: Question, answers: Answers) -> QuestionSums:
        missing = answers.missing if isinstance(answers, NumberAnswers) else None
        frequencies = self.population.frequencies
        coded = (
            0 if missing is None else int((missing if frequencies is None else missing * frequencies).sum())
        )
        blank = self.population.people - int(values.n[0, 0]) - coded
        reasons = (("missing code", coded), ("no number", blank))
        return QuestionSums(
            question=question,
            answers=None,
            base=values,
            values=values,
            quantile=partial(self._quantile, answers.values) if isinstance(answers, NumberAnswers) else None,
            left_out=tuple((label, n) for label, n in reasons if n),
        )


def unknown_counts(answers: Answers) -> dict[str, int]:
    """Give the values of a multiple-response question that no answer stands for, with their counts."""
    return dict(answers.unknown) if isinstance(answers, MultiAnswers) else {}
