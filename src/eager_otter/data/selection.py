"""Evaluate expressions over encoded answers: an expression in, true or false per respondent out."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Protocol

import numpy as np

from eager_otter.codebook.expression import (
    Answered,
    Both,
    Compare,
    Contains,
    Either,
    Expression,
    Mentions,
    Node,
    Not,
    Operand,
    Range,
    Value,
    Within,
    day_of,
)
from eager_otter.codebook.meaning import check_expression, code_of, numeric_codes
from eager_otter.codebook.model import Net, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, chosen_by, renumbered, smallest_unsigned
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers, TextAnswers
from eager_otter.data.kind_of import kind_of
from eager_otter.data.reasons import BLANK, Reason, Reasons

SIGNS: Mapping[str, Callable[[FloatArray, float], BoolArray]] = {
    "==": operator.eq,
    "!=": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}


class AnswerSource(Protocol):
    """A source of questions and their encoded answers."""

    @property
    def questions(self) -> Mapping[str, Question]:
        """The questions by name."""

    def answers(self, name: str) -> Answers:
        """Return the encoded answers of a question."""


def select(expression: Expression, source: AnswerSource) -> BoolArray:
    """Return who satisfies an expression: (respondents,). Raises ExpressionError for names without a meaning.

    Whoever gave no answer satisfies no comparison, not even `!=`.
    """
    check_expression(expression, source.questions)
    return _Selection(expression.text, source).of(expression.node)


class _Selection:
    def __init__(self, text: str, source: AnswerSource) -> None:
        self.text, self.source = text, source

    def of(self, node: Node) -> BoolArray:
        match node:
            case Both(parts):
                return _all_of(self.of(part) for part in parts)
            case Either(parts):
                return ~_all_of(~self.of(part) for part in parts)
            case Not(part):
                return ~self.of(part)
            case Answered(operand):
                return who_answered(self._question(operand), self.source.answers(operand.name))
            case Mentions():
                return self._mentions(node)
            case Contains(operand, value):
                answers = self.source.answers(operand.name)
                assert isinstance(answers, TextAnswers)
                wanted = value.text.casefold()
                return np.array([wanted in text.casefold() for text in answers.texts], np.bool_)
            case Compare():
                return self._compare(node)
            case Within():
                return self._within(node)

    def _question(self, operand: Operand) -> Question:
        return self.source.questions[operand.name]

    def _mentions(self, node: Mentions) -> BoolArray:
        question = self._question(node.operand)
        answers = self.source.answers(node.operand.name)
        assert isinstance(answers, MultiAnswers)
        ticks = [answers.tick(question.by_code[code_of(question, value, self.text)]) for value in node.values]
        if node.how == "all":
            return _all_of(iter(ticks))
        given = ~_all_of(~tick for tick in ticks)
        return answers.answered & ~given if node.how == "none" else given

    def _compare(self, node: Compare) -> BoolArray:
        answers = self.source.answers(node.operand.name)
        question = self._question(node.operand)
        compare = SIGNS[node.sign]
        if isinstance(answers, TextAnswers):
            same = (answers.texts == node.value.text) & (answers.texts != "")
            return np.asarray(same if node.sign == "==" else (answers.texts != "") & ~same, np.bool_)
        if isinstance(answers, SingleAnswers):
            if node.sign in ("==", "!="):
                code = code_of(question, node.value, self.text)
                return _with_codes(question, answers, [code], others=node.sign == "!=")
            number = _number(node.value)
            codes = [
                code
                for code, value in numeric_codes(question).items()
                if compare(np.array([value]), number).all()
            ]
            return _with_codes(question, answers, codes)
        values = _values(question, answers)
        return np.asarray(compare(values, _number(node.value)) & ~np.isnan(values))

    def _within(self, node: Within) -> BoolArray:
        answers = self.source.answers(node.operand.name)
        question = self._question(node.operand)
        if isinstance(answers, SingleAnswers):
            codes: list[str] = []
            for item in node.items:
                codes += self._codes(question, item)
            return _with_codes(question, answers, codes)
        if isinstance(answers, TextAnswers):
            texts = [item.text for item in node.items if isinstance(item, Value)]
            return np.asarray(np.isin(answers.texts.astype(str), texts) & (answers.texts != ""))
        values = _values(question, answers)
        return ~_all_of(~_inside(values, item) for item in node.items)

    def _codes(self, question: Question, item: Value | Range) -> list[str]:
        if isinstance(item, Value):
            return [code_of(question, item, self.text)]
        return [code for code, number in numeric_codes(question).items() if item.low <= number <= item.high]


def who_answered(question: Question, answers: Answers) -> BoolArray:
    """Return who gave at least one valid answer: (respondents,)."""
    return np.asarray(kind_of(question).answered(question, answers))


def all_answered(question: Question, answers: Answers) -> bool:
    """Return whether every respondent gave at least one valid answer."""
    return rows_with_answer(question, answers) == len(answers)


def rows_with_answer(question: Question, answers: Answers) -> int:
    """Count the respondents who gave at least one valid answer."""
    if isinstance(answers, SingleAnswers):
        return int(answers.rows_of_codes()[reasons_by_code(question, answers).codes == 0].sum())
    return int(np.count_nonzero(who_answered(question, answers)))


def reasons_by_code(question: Question, answers: SingleAnswers) -> Reasons:
    """Say which reason each code of a question stands for: `codes` of the result is (codes,), 0 for a valid answer."""
    labels = {k: Reason("missing", a.label) for k, a in enumerate(question.answers) if a.missing}
    known = tuple(dict.fromkeys((*labels.values(), *answers.reasons)))
    number = {reason: k for k, reason in enumerate(known, 1)}
    table = np.zeros(answers.size, smallest_unsigned(len(known)))
    for k, reason in (*labels.items(), *enumerate(answers.reasons, answers.answers)):
        table[k] = number[reason]
    return Reasons(table, known)


def reasons_and_rows(question: Question, answers: Answers) -> tuple[Reasons, FloatArray | None]:
    """Say why there is no answer: of each code, with how many rows have it, or of each row (None: one row each)."""
    if isinstance(answers, SingleAnswers):
        return reasons_by_code(question, answers), answers.rows_of_codes().astype(np.float64)
    return reasons_of(question, answers), None


def reasons_of(question: Question, answers: Answers) -> Reasons:
    """Say why each respondent has no valid answer to a question, from its own columns."""
    if isinstance(answers, SingleAnswers):
        by_code = reasons_by_code(question, answers)
        return Reasons(renumbered(by_code.codes, answers.codes), by_code.known)
    absent = None if isinstance(answers, TextAnswers) else answers.absent
    if absent is not None:
        return absent
    return Reasons((~who_answered(question, answers)).astype(np.uint8), (BLANK,))


def who_counts_in(question: Question, answers: Answers, net: Net) -> BoolArray:
    """Return who counts in a net: (respondents,). Only those who answered do, also in a net of none."""
    return np.asarray(who_answered(question, answers) & in_net(net, hits_of(question, answers, net.of)))


def hits_of(question: Question, answers: Answers, codes: Sequence[str]) -> IntArray:
    """Count how many of some answers each respondent gave: (respondents,)."""
    positions = [question.by_code[code] for code in codes]
    if isinstance(answers, SingleAnswers):
        chosen = np.zeros(answers.size, np.int64)
        chosen[positions] = 1
        return np.asarray(chosen[answers.codes])
    assert isinstance(answers, MultiAnswers)
    hits = np.zeros(len(answers), np.int64)
    for position in positions:
        hits += answers.tick(position)
    return hits


def in_net(net: Net, hits: IntArray) -> BoolArray:
    """Tell from the number of a net's answers that were given whether it counts; of those who answered."""
    if net.how == "none":
        return np.asarray(hits == 0)
    return np.asarray(hits >= {"any": 1, "least": net.least, "all": len(net.of)}[net.how])


def count_of_mentions(question: Question, answers: MultiAnswers) -> FloatArray:
    """Count each respondent's mentions, exclusive answers aside: (respondents,), NaN where nobody answered."""
    total = np.zeros(len(answers))
    for k, answer in enumerate(question.answers):
        if not answer.exclusive:
            total += answers.tick(k)
    total[~answers.answered] = np.nan
    return total


def _values(question: Question, answers: Answers) -> FloatArray:
    if isinstance(answers, NumberAnswers):
        return answers.values
    assert isinstance(answers, MultiAnswers)
    return count_of_mentions(question, answers)


def _with_codes(
    question: Question, answers: SingleAnswers, codes: Iterable[str], *, others: bool = False
) -> BoolArray:
    """Return who gave one of the answers or, with `others`, a valid answer that is none of them."""
    chosen = np.zeros(answers.size, np.bool_)
    chosen[[question.by_code[code] for code in codes]] = True
    if others:
        valid = np.array([not answer.missing for answer in question.answers], np.bool_)
        chosen[: answers.answers] = valid & ~chosen[: answers.answers]
    return chosen_by(chosen, answers.codes)


def _inside(values: FloatArray, item: Value | Range) -> BoolArray:
    if isinstance(item, Range):
        return np.asarray((values >= item.low) & (values <= item.high))
    return np.asarray(values == _number(item))


def _number(value: Value) -> float:
    """Return the number of a value, or the number of its day; check_expression has seen to it that it has one."""
    number = value.number if value.number is not None else day_of(value.text)
    assert number is not None
    return number


def _all_of(parts: Iterable[BoolArray]) -> BoolArray:
    result: BoolArray | None = None
    for part in parts:
        result = part if result is None else result & part
    assert result is not None
    return result
