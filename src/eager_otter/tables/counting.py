"""Count many questions by one banner: one pass over the respondents for each batch of questions."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from eager_otter.codebook.model import Difference, Question
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.cells import ColumnCells, make_cells
from eager_otter.core.proportions import SharedPairs, match_pairs
from eager_otter.core.sums import Finisher, Sums
from eager_otter.core.tally import CodedRows, Tally, ValueRows, tally
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers
from eager_otter.data.responses import Responses
from eager_otter.tables.banner import BannerColumns, column_group, lay_out
from eager_otter.tables.request import Banner
from eager_otter.tables.rows import RowCounts, difference_parts, left_out_codes, row_counts, scores_of

BATCH_SUMS = 4_000_000  # numbers held at once for one batch of questions: 32 MB


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class QuestionSums:
    """All sums of a question by a banner: its rows (answers, then nets), its base and its values.

    `left_out` tells why people are not in the base: (reason, people) of the Total. `ticks_unknown` counts
    mentions or ticks that no answer stands for.
    """

    question: Question
    answers: Sums | None
    base: Sums
    values: Sums | None
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


class BannerCounting:
    """A banner over a population, ready to count questions."""

    def __init__(self, responses: Responses, population: Population, banner: Banner) -> None:
        self.responses, self.population = responses, population
        self.layout: BannerColumns = lay_out(banner, responses.codebook)
        self._all = bool(population.rows.all())
        groups = [
            column_group(group, responses.codebook.question(group.question), self._chosen(group.question))
            for group in banner.groups
        ]
        self.cells: ColumnCells = make_cells(groups, int(population.rows.sum()))
        self.shared: SharedPairs = match_pairs(self.layout.pairs, self.cells.overlapping())

    def _chosen(self, name: str) -> Answers:
        answers = self.responses.answers(name)
        return answers if self._all else answers.chosen(self.population.rows)

    def counted(self, names: Sequence[str]) -> Iterator[QuestionSums]:
        """Count questions, in the order given. Raises RequestError for open text."""
        cells = sum(some.cells for some in self.cells.sets)
        batch: list[tuple[Question, Answers, RowCounts]] = []
        size = 0
        for name in names:
            question = self.responses.codebook.question(name)
            answers = self._chosen(name)
            counts = row_counts(question, answers)
            extra = [
                part for _, part, _ in difference_parts(question, answers) if isinstance(part, ValueRows)
            ]
            counts = replace(counts, parts=(*counts.parts, *extra))
            need = 3 * cells * sum(part.size for part in counts.parts if isinstance(part, CodedRows))
            if batch and size + need > BATCH_SUMS:
                yield from self._count_batch(batch)
                batch, size = [], 0
            batch.append((question, answers, counts))
            size += need
        if batch:
            yield from self._count_batch(batch)

    def _count_batch(self, batch: Sequence[tuple[Question, Answers, RowCounts]]) -> Iterator[QuestionSums]:
        parts = [part for _, _, counts in batch for part in counts.parts]
        finisher = Finisher(self._tally(parts), self.cells)
        first = 0
        for question, answers, counts in batch:
            yield self._finish(finisher, first, question, answers, counts)
            first += len(counts.parts)

    def _tally(self, parts: Sequence[CodedRows | ValueRows]) -> Tally:
        population = self.population
        return tally(parts, self.cells, weights=population.weights, frequencies=population.frequencies)

    def _finish(
        self, finisher: Finisher, first: int, question: Question, answers: Answers, counts: RowCounts
    ) -> QuestionSums:
        if not counts.indicators:
            return self._finish_values(finisher.values(first), question, answers)
        sums = finisher.counts([(first + k, table) for k, table in enumerate(counts.indicators)])
        sums = sums.rows(counts.order)
        last = len(sums.n) - 1
        base = sums.rows([last])
        scored = None
        if isinstance(answers, SingleAnswers):
            scores = scores_of(question, answers)
            scored = None if scores is None else finisher.scores(first, scores)
            labels, table = left_out_codes(question, answers)
            people = finisher.people(first, table)[:, 0]
            left_out = [(label, int(n)) for label, n in zip(labels, people, strict=True)]
        else:
            left_out = [("no answer", self.population.people - int(base.n[0, 0]))]
        return QuestionSums(
            question=question,
            answers=sums.rows(range(last)),
            base=base,
            values=scored,
            differences=self._differences(finisher, first, question, answers, counts),
            left_out=tuple((label, n) for label, n in left_out if n),
        )

    def _differences(
        self, finisher: Finisher, first: int, question: Question, answers: Answers, counts: RowCounts
    ) -> tuple[tuple[Difference, Sums], ...]:
        own = first + len(counts.indicators)  # parts of values stand behind those of the rows
        found = []
        for difference, _, scores in difference_parts(question, answers):
            if scores is not None:
                found.append((difference, finisher.scores(first, scores)))
            else:
                found.append((difference, finisher.values(own)))
                own += 1
        return tuple(found)

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
            left_out=tuple((label, n) for label, n in reasons if n),
        )


def unknown_counts(answers: Answers) -> dict[str, int]:
    """Give the values of a multiple-response question that no answer stands for, with their counts."""
    return dict(answers.unknown) if isinstance(answers, MultiAnswers) else {}


def everyone(responses: Responses) -> Population:
    """Count everybody, unweighted."""
    return Population(rows=np.ones(len(responses), np.bool_))
