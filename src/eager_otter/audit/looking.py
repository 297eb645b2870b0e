"""The audit's passes over the data: what is seen of each part, and once more whom a slip touches that all rows told."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

import numpy as np

from eager_otter.audit.recoding import recode_seen
from eager_otter.audit.seen import (
    FAR,
    FarSeen,
    QuestionSeen,
    Seen,
    Touched,
    WeightsSeen,
    touched,
)
from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import (
    Banded,
    Derived,
    JoinedColumn,
    MentionColumns,
    Periods,
    Question,
)
from eager_otter.core.arrays import BoolArray, IntArray
from eager_otter.counting.passes import Pass
from eager_otter.counting.population import Choice
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers, TextAnswers
from eager_otter.data.columns import Distinct, as_it_stands, distinct
from eager_otter.data.encoding import answers_with, parted
from eager_otter.data.reasons import NO_BAND, UNKNOWN
from eager_otter.data.responses import Responses
from eager_otter.data.selection import reasons_and_rows, reasons_of, rows_with_answer, who_answered
from eager_otter.dataclass import dataclass
from eager_otter.gates.numbers import number_of


@dataclass(frozen=True, kw_only=True)
class Look(Pass[Seen]):
    """A look at all `questions`, among the respondents whom the plan's filter keeps; looks at the same are equal.

    `kept` are the filters of tables, `mentions` columns that are looked at as they stand; `wave` is the question that
    tells waves apart, "" for none.
    """

    choice: Choice
    kept: tuple[str, ...]
    questions: tuple[str, ...]
    mentions: tuple[str, ...]
    wave: str = ""

    def names(self) -> Iterator[str]:
        """Go through the questions that it needs."""
        yield from self.questions

    def choices(self) -> Iterator[Choice]:
        """Go through the choices of who is counted."""
        yield self.choice

    def as_read(self) -> Iterator[str]:
        """Go through the columns that it needs as they stand in the data."""
        yield from self.mentions

    def of(self, part: Responses) -> Seen:
        """Look at a part."""
        chosen = rows_of(part, self.choice)
        times = part.times()
        rows = chosen if times is None else chosen & (times > 0)
        finished = part.codebook.finished
        done = part.everyone() if finished is None else part.chosen_by(finished)
        waves = part.answers(self.wave) if self.wave else None
        checks = _PartChecks(part, rows, done, waves if isinstance(waves, SingleAnswers) else None)
        return Seen(
            there=part.rows if times is None else int((times > 0).sum()),
            chosen=int(chosen.sum()),
            rows=int(rows.sum()),
            people=part.people(rows),
            kept=tuple(int(np.count_nonzero(part.chosen_by(rule) & rows)) for rule in self.kept),
            unfinished=touched(part, rows & ~done),
            weights=None if self.choice.weight is None else _weights(part, self.choice.weight, rows),
            questions={name: checks.of(part.questions[name]) for name in self.questions},
        )


def rows_of(part: Responses, choice: Choice) -> BoolArray:
    """Choose the rows that pass the plan's filter: (respondents,)."""
    return part.everyone() if choice.filter is None else part.chosen_by(choice.filter)


def _weights(part: Responses, column: str, rows: BoolArray) -> WeightsSeen:
    weights, times = part.weights(column, rows, may_be_nobody=True), part.times()
    often = np.ones_like(weights) if times is None else times[rows]
    return WeightsSeen(
        people=float(often[weights > 0].sum()),
        weights=float((often * weights).sum()),
        squares=float((often * weights**2).sum()),
        largest=float(weights.max(initial=0.0)),
    )


@dataclass(frozen=True, kw_only=True, eq=False)
class LookAgain(Pass[tuple[Touched, ...]]):
    """A look at whom slips touch that only all rows together tell.

    `texts` are for each slip the texts that make it, by column; `heavy` is a column of weights and the limit above
    which they are extreme.
    """

    choice: Choice
    texts: tuple[Mapping[str, frozenset[str]], ...]
    heavy: tuple[str, float] | None

    def names(self) -> Iterator[str]:
        """Go through the questions that it needs."""
        yield from self.choice.names()

    def choices(self) -> Iterator[Choice]:
        """Go through the choices of who is counted."""
        yield self.choice

    def as_read(self) -> Iterator[str]:
        """Go through the columns that it needs as they stand in the data."""
        for columns in self.texts:
            yield from columns

    def of(self, part: Responses) -> tuple[Touched, ...]:
        """Look at a part: whom each of the texts touches, then those of extreme weight."""
        rows, times = rows_of(part, self.choice), part.times()
        rows = rows if times is None else rows & (times > 0)
        people = []
        for columns in self.texts:
            who = [distinct(part.column(name)).which(texts.__contains__) for name, texts in columns.items()]
            people.append(touched(part, np.logical_or.reduce(who) & rows))
        if self.heavy is not None:
            column, limit = self.heavy
            heavy = np.zeros(len(rows), np.bool_)
            heavy[np.flatnonzero(rows)[part.weights(column, rows, may_be_nobody=True) > limit]] = True
            people.append(touched(part, heavy))
        return tuple(people)

    def added(self, one: tuple[Touched, ...], other: tuple[Touched, ...]) -> tuple[Touched, ...]:
        """Add whom the parts that follow hold."""
        return tuple(a + b for a, b in zip(one, other, strict=True))


class _PartChecks:
    """Goes over the questions of a part, among chosen rows (rows,), of whom some `finished`, in `waves`."""

    def __init__(
        self, part: Responses, rows: BoolArray, finished: BoolArray, waves: SingleAnswers | None
    ) -> None:
        self.part, self.rows, self.finished, self.waves = part, rows, finished, waves
        self.all = bool(rows.all())

    def of(self, question: Question) -> QuestionSeen:
        """See what a part holds of a question."""
        answers = self.part.answers(question.name)
        slips: dict[str, BoolArray] = {}
        given, far = None, None
        match question.source:
            case MentionColumns(columns):
                slips["same mention twice"] = _same_twice([self._distinct(name) for name in columns])
            case JoinedColumn(column, by):
                slips["same mention twice"] = _repeats(
                    self._as_it_stands(column), by, answers_with(question, by)
                )
        match answers:
            case SingleAnswers():
                banded = isinstance(question.source, Banded | Periods)
                if banded:
                    slips["value in no band"] = answers.with_reason(NO_BAND)
                elif question.columns:
                    slips["unknown code"] = answers.with_reason(UNKNOWN)
                chosen = answers if self.all else answers.chosen(self.rows)
                given = chosen.rows_of_codes()[: len(question.answers)]
            case MultiAnswers():
                ticks = [answers.tick(k) for k in range(len(question.answers))]
                given = np.array([np.count_nonzero(tick & self.rows) for tick in ticks], np.int64)
                none = none_beside(question)
                if none is not None:
                    exclusive, others = none
                    slips["none beside others"] = np.logical_or.reduce(
                        [ticks[k] for k in exclusive]
                    ) & np.logical_or.reduce([ticks[k] for k in others])
            case NumberAnswers() if question.columns and question.is_of.of_values:
                far = self._far(answers)
        if question.asked is not None:
            asked, held = self.part.chosen_by(question.asked), _holds_something(question, answers)
            slips["routing broken"] = held & ~asked
            slips["asked but blank"] = asked & ~held & self.finished
        taken, without = self._taken(question, answers)
        return QuestionSeen(
            touched={name: touched(self.part, who & self.rows) for name, who in slips.items()},
            valid=self._valid(question, answers),
            unknown=Counter(answers.unknown if isinstance(answers, SingleAnswers | MultiAnswers) else {}),
            given=given,
            held=self._missing_held(question, answers),
            ticks=[Counter(column) for column in answers.held] if isinstance(answers, MultiAnswers) else (),
            taken=taken,
            without=without,
            far=far,
            recode=recode_seen(self.part, question, self.rows),
            by_wave=self._by_wave(question, answers),
        )

    def _by_wave(self, question: Question, answers: Answers) -> IntArray | None:
        """Count the rows of each answer of a scale in each wave."""
        if self.waves is None or not question.scale or not isinstance(answers, SingleAnswers):
            return None
        both = self.waves.codes.astype(np.int64) * answers.size + answers.codes
        counts = np.bincount(both[self.rows], minlength=self.waves.size * answers.size)
        return counts.reshape(self.waves.size, answers.size)[: self.waves.answers, : answers.answers]

    def _valid(self, question: Question, answers: Answers) -> int:
        if self.all:
            return rows_with_answer(question, answers)
        return int(np.count_nonzero(who_answered(question, answers) & self.rows))

    def _distinct(self, column: str) -> Distinct:
        return distinct(self.part.column(column))

    def _as_it_stands(self, column: str) -> Distinct:
        return distinct(as_it_stands(self.part.column(column)))

    def _far(self, answers: NumberAnswers) -> FarSeen:
        valued = self.rows & ~np.isnan(answers.values)
        values = answers.values[valued]
        is_code = np.isin(values, FAR)
        others = values[~is_code]
        return FarSeen(
            values.size,
            {
                int(code): touched(self.part, valued & (answers.values == code))
                for code in np.unique(values[is_code])
            },
            float(np.abs(others).max(initial=-np.inf)),
            float(others.max(initial=-np.inf)),
        )

    def _taken(self, question: Question, answers: Answers) -> tuple[Touched, int]:
        """See whom the last of a question's rules takes in, and how many without an answer it takes or leaves out."""
        source = question.source
        if not isinstance(source, Derived) or source.rules[-1][1] is not None:
            return Touched(), 0
        assert isinstance(answers, SingleAnswers)
        taken = self.rows & (answers.codes == question.by_code[source.rules[-1][0]])
        unanswered: BoolArray = np.zeros_like(self.rows)
        if question.made_of:
            unanswered = np.logical_and.reduce(
                [self.part.reasons(name).codes != 0 for name in question.made_of]
            )
        return touched(self.part, taken), self.part.people(
            unanswered & (taken if source.everyone else self.rows)
        )

    def _missing_held(self, question: Question, answers: Answers) -> frozenset[str]:
        """Find the missing entries of a question that anybody has, in any of its columns."""
        missing = question.missing
        if not question.columns or not missing.names:
            return frozenset()
        if isinstance(answers, SingleAnswers | NumberAnswers):
            reasons, rows = reasons_and_rows(question, answers)
            people = np.bincount(reasons.codes, rows, len(reasons.known) + 1)[1:]
            labels = {reason.label for reason, n in zip(reasons.known, people, strict=True) if n}
            given = {answer.code for answer in question.answers if answer.missing and answer.label in labels}
            spans = {
                missing.spans[k].text for code in given if (k := missing.span_of(number_of(code))) is not None
            }
            return frozenset(labels | given | spans)
        texts = self._texts(question, answers)
        held = {text for text in texts if text in missing.codes}
        spanned = [missing.span_of(number_of(text)) for text in texts] if missing.spans else []
        return frozenset(held | {missing.spans[k].text for k in spanned if k is not None})

    def _texts(self, question: Question, answers: Answers) -> set[str]:
        """Return the codes that any of a question's columns holds."""
        if isinstance(answers, MultiAnswers) and answers.held:
            return {text for column in answers.held for text in column}
        texts: set[str] = set()
        joined = isinstance(question.source, JoinedColumn)
        for column in question.columns:
            part = self._as_it_stands(column) if joined else self._distinct(column)
            texts |= {part.texts[k] for k in np.flatnonzero(part.counts())}
        if isinstance(question.source, JoinedColumn):
            by = question.source.by
            return {
                canonical(piece) for text in texts for piece in parted(text, by, answers_with(question, by))
            }
        return texts


def mention_columns(questions: Sequence[Question]) -> tuple[str, ...]:
    """Name the columns that are looked at as they stand: mentions, and texts with missing codes."""
    return tuple(
        column
        for question in questions
        if isinstance(question.source, MentionColumns | JoinedColumn)
        or (question.is_of.of_texts and question.missing.names)
        for column in question.columns
    )


def none_beside(question: Question) -> tuple[list[int], list[int]] | None:
    """Return the answers that exclude others, and these, by their places; None where there are not both."""
    exclusive = [k for k, answer in enumerate(question.answers) if answer.exclusive]
    others = [k for k, answer in enumerate(question.answers) if not answer.exclusive and not answer.missing]
    return (exclusive, others) if exclusive and others and question.columns else None


def _same_twice(parts: Sequence[Distinct]) -> BoolArray:
    names: dict[str, int] = {"": 0}
    columns = []
    for part in parts:
        numbers = np.array([names.setdefault(text, len(names)) for text in part.texts])
        columns.append(numbers[part.index])
    table = np.sort(np.array(columns), axis=0)
    if len(table) < 2:
        return np.zeros(table.shape[1], np.bool_)
    return np.asarray(np.logical_or.reduce((table[1:] == table[:-1]) & (table[1:] > 0)), np.bool_)


def _repeats(column: Distinct, by: str, whole: frozenset[str]) -> BoolArray:
    def repeats(text: str) -> bool:
        pieces = [piece for piece in parted(text, by, whole) if piece]
        return len(set(pieces)) < len(pieces)

    return column.which(repeats)


def _holds_something(question: Question, answers: Answers) -> BoolArray:
    """Return who has anything in the question's columns: an answer, a missing code, an unknown one."""
    if isinstance(answers, TextAnswers):
        return who_answered(question, answers)
    reasons = reasons_of(question, answers)
    blank = [k for k, reason in enumerate(reasons.known, 1) if reason.kind in ("blank", "not asked")]
    return ~np.isin(reasons.codes, blank)
