"""Slips in the answers: unknown codes, stray ticks, none beside others, broken routing, numbers far out."""

from __future__ import annotations

from collections.abc import Generator, Iterator, Sequence

import numpy as np

from eager_otter.audit.slip import Severity, Slip, answers_named, note, warning
from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import (
    Answer,
    Banded,
    Derived,
    JoinedColumn,
    MentionColumns,
    Periods,
    Question,
    TickColumns,
)
from eager_otter.core.arrays import BoolArray
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers, TextAnswers
from eager_otter.data.columns import Distinct, distinct
from eager_otter.data.reasons import NO_BAND, UNKNOWN
from eager_otter.data.responses import Responses
from eager_otter.data.selection import reasons_of, who_answered
from eager_otter.gates.numbers import number_of

NAMED = 5
FEWEST_FOR_SPREAD = 20


def people_text(count: int) -> str:
    """Count people in words.

    >>> people_text(1), people_text(1200)
    ('1 respondent', '1,200 respondents')
    """
    return f"{count:,} respondent{'' if count == 1 else 's'}"


def touched(responses: Responses, who: BoolArray) -> tuple[int, tuple[str, ...]]:
    """Count some respondents (respondents,), and name the first."""
    places = np.flatnonzero(who)
    return responses.people(who), tuple(responses.row_name(int(k)) for k in places[:NAMED])


def _unknown_text(answers: SingleAnswers | MultiAnswers) -> str:
    return ", ".join(f"{code} ({count:,})" for code, count in list(answers.unknown.items())[:10])


class AnswerChecks:
    """Goes over the questions one by one, among the respondents that the plan's filter keeps."""

    def __init__(self, responses: Responses, rows: BoolArray) -> None:
        self.responses, self.rows = responses, rows
        rule = responses.codebook.finished
        self.nobody: BoolArray = np.zeros_like(rows)
        self._columns: dict[str, Distinct] = {}  # of the question at hand
        self._shared: dict[str, bool] = {}  # the codebook's missing codes: whether anybody has them
        self.finished = rows if rule is None else responses.chosen_by(rule)

    def slips(self) -> Iterator[Slip]:
        """Go through all slips in the answers."""
        for question in self.responses.codebook:
            answers = self.responses.answers(question.name)
            yield from self._of(question, answers)
            yield from self._routing(question, answers)
            if isinstance(question.source, Derived):
                yield from self._otherwise(question, question.source, answers)
            yield from self._missing_nobody_has(question, answers)
            self._columns.clear()
        for name, shared_slips in self._shared.items():
            if not shared_slips:
                yield self._idle_missing("codebook", name)

    def slip(
        self, slip: str, severity: Severity, question: Question, who: BoolArray, message: str, remedy: str
    ) -> Iterator[Slip]:
        """Return a slip where anybody is touched; {n} in the message stands for how many."""
        count, named = touched(self.responses, who & self.rows)
        if count:
            yield Slip(
                name=slip,
                severity=severity,
                where=question.name,
                message=message.replace("{n}", people_text(count)),
                remedy=remedy,
                count=count,
                respondents=named,
            )

    def _of(self, question: Question, answers: Answers) -> Iterator[Slip]:
        never: set[str] = set()
        match question.source:
            case TickColumns():
                never = yield from self._ticks(question, question.source)
            case MentionColumns(columns):
                yield from self._same_twice(question, [self._distinct(name) for name in columns])
            case JoinedColumn(column, by):
                yield from self._joined_twice(question, self._distinct(column), by)
        match answers:
            case SingleAnswers():
                yield from self._unknown_codes(question, answers)
                yield from self._nobody(question, answers, never)
            case MultiAnswers():
                yield from self._unknown_mentions(question, answers)
                yield from self._none_and_others(question, answers)
                yield from self._nobody(question, answers, never)
            case NumberAnswers() if question.columns and question.is_of.of_values:
                yield from self._far_out(question, answers)
        if not isinstance(answers, TextAnswers) and not (who_answered(question, answers) & self.rows).any():
            yield warning(
                "question nobody answered",
                question.name,
                "Nobody gave a valid answer.",
                "Check the name of its column, its codes and the filter.",
            )

    def _distinct(self, column: str) -> Distinct:
        if column not in self._columns:
            self._columns[column] = distinct(self.responses.column(column))
        return self._columns[column]

    # --- single and multiple ----------------------------------------------------------------------------

    def _unknown_codes(self, question: Question, answers: SingleAnswers) -> Iterator[Slip]:
        unknown = _unknown_text(answers)
        if isinstance(question.source, Banded | Periods):
            yield from self.slip(
                "value in no band", "error", question, answers.with_reason(NO_BAND),
                f"{{n}} gave a value of {question.made_of[0]} that lies in no band: {unknown}.",
                "Widen the bands, or list the value under 'missing' of the number.",
            )  # fmt: skip
        else:
            yield from self.slip(
                "unknown code", "error", question, answers.with_reason(UNKNOWN) if question.columns else self.nobody,
                f"{{n}} gave a code that the codebook does not know (in all rows: {unknown}); "
                "they are out of the base.",
                "Add the code to the answers, or list it under 'missing'.",
            )  # fmt: skip

    def _unknown_mentions(self, question: Question, answers: MultiAnswers) -> Iterator[Slip]:
        if isinstance(question.source, TickColumns) or not answers.unknown:
            return
        unknown = _unknown_text(answers)
        yield Slip(
            name="unknown code",
            severity="error",
            where=question.name,
            message=f"Mentions that the codebook does not know, in all rows: {unknown}; they are not counted.",
            remedy="Add the code to the answers, or list it under 'missing'.",
            count=sum(answers.unknown.values()),
        )

    def _nobody(
        self, question: Question, answers: SingleAnswers | MultiAnswers, never: set[str]
    ) -> Iterator[Slip]:
        nobody = [
            a for a in question.answers if a.code not in never and not self._given(question, answers, a).any()
        ]
        if nobody and len(nobody) < len(question.answers):
            labels = answers_named(nobody[:8])
            yield note(
                "answer nobody gave",
                question.name,
                f"Nobody gave: {labels}.",
                "Nothing, if that can be; else check its code.",
            )

    def _given(self, question: Question, answers: SingleAnswers | MultiAnswers, answer: Answer) -> BoolArray:
        k = question.by_code[answer.code]
        if isinstance(answers, MultiAnswers):
            return np.asarray(answers.tick(k) & self.rows)
        return np.asarray((answers.codes == k) & self.rows)

    def _none_and_others(self, question: Question, answers: MultiAnswers) -> Iterator[Slip]:
        exclusive = [k for k, answer in enumerate(question.answers) if answer.exclusive]
        others = [
            k for k, answer in enumerate(question.answers) if not answer.exclusive and not answer.missing
        ]
        if not exclusive or not others or not question.columns:
            return
        none = np.logical_or.reduce([answers.tick(k) for k in exclusive])
        other = np.logical_or.reduce([answers.tick(k) for k in others])
        labels = ", ".join(question.answers[k].label for k in exclusive)
        yield from self.slip(
            "none beside others", "warning", question, np.asarray(none & other),
            f"{{n}} gave {labels} beside other answers.",
            "Decide which holds and correct the data; both are counted as they stand.",
        )  # fmt: skip

    # --- ticks and mentions -----------------------------------------------------------------------------

    def _ticks(self, question: Question, source: TickColumns) -> Generator[Slip, None, set[str]]:
        """Check tick columns; returns the codes whose column never holds the ticked code but holds others."""
        parts = [self._distinct(column) for _, column in source.columns]
        usual = self._usual_no(source, parts)
        never: set[str] = set()
        stray: BoolArray = np.zeros(len(self.rows), np.bool_)
        values: set[str] = set()
        for (code, column), part, answer in zip(source.columns, parts, question.answers, strict=True):
            words = set(source.ticked) | {answer.label}
            held = {part.texts[k] for k in np.flatnonzero(part.counts())} - {""}
            others = {text for text in held - words - usual if not question.missing.has(text)}
            if held and not held & words and others:
                never.add(code)
                yield from self._never_ticked(question, column, source, part, others)
                continue
            if others:
                values |= others
                stray |= part.which(others.__contains__)
        shown = ", ".join(repr(value) for value in sorted(values)[:8])
        yield from self.slip(
            "stray tick", "warning", question, stray,
            f"{{n}} gave a value that is neither ticked nor not: {shown}; it counts as not ticked.",
            "Add it to 'ticked' or 'unticked', or correct the data.",
        )  # fmt: skip
        return never

    def _usual_no(self, source: TickColumns, parts: Sequence[Distinct]) -> set[str]:
        """Say which values mean no: those declared, else the most frequent one that is not ticked."""
        if source.unticked is not None:
            return set(source.unticked)
        counts: dict[str, int] = {}
        for part in parts:
            for text, count in zip(part.texts, part.counts().tolist(), strict=True):
                if text and text not in source.ticked:
                    counts[text] = counts.get(text, 0) + count
        return {max(counts, key=lambda text: counts[text])} if counts else set()

    def _never_ticked(
        self, question: Question, column: str, source: TickColumns, part: Distinct, others: set[str]
    ) -> Iterator[Slip]:
        who = part.which(others.__contains__)
        ticked, shown = ", ".join(source.ticked), ", ".join(repr(value) for value in sorted(others))
        yield from self.slip(
            "tick never found", "error", question, who,
            f"Column {column} never holds the ticked code {ticked}, but {shown}, with {{n}}.",
            "Correct 'ticked', or the column; as it stands nobody counts as having ticked it.",
        )  # fmt: skip

    def _same_twice(self, question: Question, parts: Sequence[Distinct]) -> Iterator[Slip]:
        names: dict[str, int] = {"": 0}
        columns = []
        for part in parts:
            numbers = np.array([names.setdefault(text, len(names)) for text in part.texts])
            columns.append(numbers[part.index])
        table = np.sort(np.array(columns), axis=0)
        twice = (
            np.logical_or.reduce((table[1:] == table[:-1]) & (table[1:] > 0))
            if len(table) > 1
            else table[0] < 0
        )
        yield from self._twice(question, np.asarray(twice, np.bool_))

    def _joined_twice(self, question: Question, part: Distinct, by: str) -> Iterator[Slip]:
        def repeats(text: str) -> bool:
            pieces = [piece.strip() for piece in text.split(by) if piece.strip()]
            return len(set(pieces)) < len(pieces)

        yield from self._twice(question, part.which(repeats))

    def _twice(self, question: Question, who: BoolArray) -> Iterator[Slip]:
        yield from self.slip(
            "same mention twice", "warning", question, who,
            "{n} gave the same mention twice; it counts once.",
            "Nothing, if it was said twice; else check the coding.",
        )  # fmt: skip

    # --- rules and missing codes -------------------------------------------------------------------------

    def _otherwise(self, question: Question, source: Derived, answers: Answers) -> Iterator[Slip]:
        """Count the people whom the last rule takes in and leaves out."""
        label, rule = source.rules[-1]
        if rule is not None:
            return
        assert isinstance(answers, SingleAnswers)
        taken = self.rows & (answers.codes == question.by_code[label])
        unanswered = np.logical_and.reduce(
            [self.responses.reasons(name).codes != 0 for name in question.made_of] or [self.nobody]
        )
        word = "everyone else" if source.everyone else "otherwise"
        if not taken.any():
            yield warning(
                "otherwise that nobody reaches",
                question.name,
                f"{label!r} ({word}) takes in nobody: the rules before it leave nobody over.",
                "Take it out, or correct the rules.",
            )
            return
        text = f"{label!r} ({word}) takes in {people_text(self.responses.people(taken))}"
        without = self.responses.people(unanswered & (taken if source.everyone else self.rows))
        if without and source.everyone:
            text += f", {without:,} of them without an answer to any question of the rules"
        elif without:
            text += f" and leaves out {people_text(without)} without an answer to any question of the rules"
        yield note(
            "what otherwise takes in",
            question.name,
            f"{text}.",
            "Nothing, if that is meant; 'everyone else' takes everybody who is left, 'otherwise' those who answered.",
        )

    def _missing_nobody_has(self, question: Question, answers: Answers) -> Iterator[Slip]:
        """Tell missing codes of a question's own list that match nobody; remember those of the codebook's."""
        missing = question.missing
        if not question.columns or not missing.names:
            return
        held = self._held(question, answers)
        for name in missing.names:
            if missing.shared:
                self._shared[name] = self._shared.get(name, False) or name in held
            elif name not in held and question.grid is None:
                yield self._idle_missing(question.name, name)

    def _idle_missing(self, where: str, name: str) -> Slip:
        return note(
            "missing code nobody has",
            where,
            f"Nobody has the missing code {name}.",
            "Nothing, if that can be; else check how it is written.",
        )

    def _held(self, question: Question, answers: Answers) -> set[str]:
        """Find the missing entries of a question that anybody has, in any of its columns."""
        missing = question.missing
        if isinstance(answers, SingleAnswers | NumberAnswers):
            reasons = reasons_of(question, answers)
            people = np.bincount(reasons.codes, minlength=len(reasons.known) + 1)[1:]
            labels = {reason.label for reason, n in zip(reasons.known, people, strict=True) if n}
            given = {answer.code for answer in question.answers if answer.missing and answer.label in labels}
            spans = {
                missing.spans[k].text for code in given if (k := missing.span_of(number_of(code))) is not None
            }
            return labels | given | spans
        held: set[str] = set()
        by = question.source.by if isinstance(question.source, JoinedColumn) else None
        for column in question.columns:
            part = self._distinct(column)
            texts = [part.texts[k] for k in np.flatnonzero(part.counts())]
            pieces = [canonical(piece) for text in texts for piece in text.split(by)] if by else texts
            held |= {text for text in pieces if text in missing.codes}
            spanned = [missing.span_of(number_of(text)) for text in pieces] if missing.spans else []
            held |= {missing.spans[k].text for k in spanned if k is not None}
        return held

    # --- routing and numbers ----------------------------------------------------------------------------

    def _routing(self, question: Question, answers: Answers) -> Iterator[Slip]:
        if question.asked is None:
            return
        asked = self.responses.chosen_by(question.asked)
        held = self._holds_something(question, answers)
        rule = question.asked.text
        yield from self.slip(
            "routing broken", "error", question, held & ~asked,
            f"{{n}} answered though not asked (asked if {rule}).",
            "Correct 'asked' or the data; as it stands they are in the base.",
        )  # fmt: skip
        yield from self.slip(
            "asked but blank", "warning", question, asked & ~held & self.finished,
            f"{{n}} left it blank though asked (asked if {rule}).",
            "Check the routing; as it stands they are out of the base.",
        )  # fmt: skip

    def _holds_something(self, question: Question, answers: Answers) -> BoolArray:
        """Return who has anything in the question's columns: an answer, a missing code, an unknown one."""
        if isinstance(answers, SingleAnswers | NumberAnswers):
            reasons = reasons_of(question, answers)
            blank = [k for k, reason in enumerate(reasons.known, 1) if reason.kind in ("blank", "not asked")]
            return ~np.isin(reasons.codes, blank)
        held = who_answered(question, answers)
        for column in question.columns if isinstance(answers, MultiAnswers) else ():
            held = held | self._distinct(column).which(bool)
        return held

    def _far_out(self, question: Question, answers: NumberAnswers) -> Iterator[Slip]:
        """Look for values such as 99 or 9999 that lie far beyond all others: missing codes nobody declared."""
        values = answers.values[self.rows]
        values = values[~np.isnan(values)]
        if values.size < FEWEST_FOR_SPREAD:
            return
        for code in (99, 999, 9999, 99999, 999999, 88, 888, 8888, 98, 998, 9998):
            others = values[values != code]
            if others.size < values.size and others.size and code > 2 * np.abs(others).max():
                yield from self.slip(
                    "number far out", "warning", question, answers.values == code,
                    f"{{n}} gave {code}, where all others reach to {others.max():g}: a missing code?",
                    "List it under 'missing' of this question, if it is one.",
                )  # fmt: skip
