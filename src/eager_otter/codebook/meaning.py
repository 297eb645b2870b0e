"""The meaning of the names and values of an expression in a codebook: which question, which answers.

Rules that hold wherever an expression is used:

- a value is an answer's code or, failing that, its label (any case);
- `<`, `<=`, `>`, `>=` and ranges go by the number of the code, and never by answers flagged as missing;
- a respondent without an answer satisfies no comparison, not even `!=`; `not (…)` turns that round;
- a multiple-response question is asked with `mentions`, never compared.
"""

from __future__ import annotations

from collections.abc import Mapping

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
from eager_otter.codebook.model import Question
from eager_otter.errors import ExpressionError, RequestError, nearest
from eager_otter.gates.numbers import number_of


def check_expression(expression: Expression, questions: Mapping[str, Question]) -> None:
    """Check every name and value. Raises ExpressionError, which points at the first that has no meaning."""
    _check(expression.node, _Meaning(expression.text, questions))


def question_of(operand: Operand, questions: Mapping[str, Question], text: str) -> Question:
    """Find the question an operand names. Raises ExpressionError with the nearest names."""
    question = questions.get(operand.name)
    if question is None:
        message = f"No question {operand.name!r}.{nearest(operand.name, tuple(questions))}"
        raise ExpressionError(message, text, operand.position)
    return question


def code_of(question: Question, value: Value, text: str) -> str:
    """Find the code of the answer a value names. Raises ExpressionError with the nearest labels."""
    try:
        answer = question.find(value.text)
    except RequestError as error:
        raise ExpressionError(str(error), text, value.position) from error
    if answer is None:
        known = [answer.label for answer in question.answers]
        hint = nearest(value.text, known) or nearest(value.text, [answer.code for answer in question.answers])
        message = f"{question.name} has no answer {value.text!r}.{hint}"
        raise ExpressionError(message, text, value.position)
    return answer.code


def numeric_codes(question: Question) -> dict[str, float]:
    """Return the number of each valid code that is one."""
    numbers = {answer.code: number_of(answer.code) for answer in question.valid}
    return {code: number for code, number in numbers.items() if number is not None}


class _Meaning:
    def __init__(self, text: str, questions: Mapping[str, Question]) -> None:
        self.text, self.questions = text, questions

    def question(self, operand: Operand) -> Question:
        return question_of(operand, self.questions, self.text)

    def error(self, message: str, position: int) -> ExpressionError:
        return ExpressionError(message, self.text, position)


def _check(node: Node, meaning: _Meaning) -> None:
    if isinstance(node, Both | Either):
        for part in node.parts:
            _check(part, meaning)
    elif isinstance(node, Not):
        _check(node.part, meaning)
    elif isinstance(node, Answered):
        meaning.question(node.operand)
    elif isinstance(node, Mentions):
        _check_mentions(node, meaning)
    elif isinstance(node, Contains):
        question = meaning.question(node.operand)
        if not question.is_of.of_texts or node.operand.count:
            raise meaning.error(
                f"'contains' is for open text; {question.name} is of kind {question.kind}.",
                node.operand.position,
            )
    elif isinstance(node, Compare):
        _check_comparison(node, meaning)
    else:
        _check_within(node, meaning)


def _check_mentions(node: Mentions, meaning: _Meaning) -> None:
    question = meaning.question(node.operand)
    if not question.is_of.several or node.operand.count:
        raise meaning.error(
            f"'mentions' is for multiple-response questions; {question.name} is of kind {question.kind}. "
            "Use == or in.",
            node.operand.position,
        )
    for value in node.values:
        code_of(question, value, meaning.text)


def _check_comparison(node: Compare, meaning: _Meaning) -> None:
    question = _comparable(node.operand, meaning)
    if _is_number(node.operand, question):
        _need_number(question, node.value, meaning)
    elif question.is_of.of_days:
        _need_day(question, node.value, meaning)
    elif question.is_of.of_texts:
        if node.sign not in ("==", "!="):
            raise meaning.error(f"{question.name} is text; only == and != fit.", node.operand.position)
    elif node.sign in ("==", "!="):
        code_of(question, node.value, meaning.text)
    else:
        _need_ordered(question, node.operand, meaning)
        _need_number(question, node.value, meaning)


def _check_within(node: Within, meaning: _Meaning) -> None:
    question = _comparable(node.operand, meaning)
    for item in node.items:
        if isinstance(item, Range) or question.is_of.of_days:
            _check_item(item, question, meaning)
        if isinstance(item, Range):
            if not question.is_of.of_days and not _is_number(node.operand, question):
                _need_ordered(question, node.operand, meaning)
        elif _is_number(node.operand, question):
            _need_number(question, item, meaning)
        elif question.kind not in ("text", "date"):
            code_of(question, item, meaning.text)


def _check_item(item: Value | Range, question: Question, meaning: _Meaning) -> None:
    """Keep days to dates and numbers to numbers."""
    if isinstance(item, Value):
        _need_day(question, item, meaning)
    elif item.days != (question.is_of.of_days):
        wanted = "days such as '2026-03-31'" if question.is_of.of_days else "numbers"
        raise meaning.error(
            f"{question.name} is of kind {question.kind}; its range takes {wanted}.", item.position
        )


def _need_day(question: Question, value: Value, meaning: _Meaning) -> None:
    if day_of(value.text) is None:
        raise meaning.error(
            f"A day in quotes is wanted here, for {question.name}: '2026-03-31'.", value.position
        )


def _comparable(operand: Operand, meaning: _Meaning) -> Question:
    question = meaning.question(operand)
    if operand.count and not question.is_of.several:
        raise meaning.error(
            f"'count of' is for multiple-response questions; {question.name} is of kind {question.kind}.",
            operand.position,
        )
    if question.is_of.several and not operand.count:
        raise meaning.error(
            f"{question.name} takes several answers; write '{question.name} mentions any (…)' or "
            f"'count of {question.name}'.",
            operand.position,
        )
    return question


def _is_number(operand: Operand, question: Question) -> bool:
    return operand.count or question.is_of.of_values


def _need_number(question: Question, value: Value, meaning: _Meaning) -> None:
    if value.number is None:
        raise meaning.error(f"A number is wanted here, for {question.name}.", value.position)


def _need_ordered(question: Question, operand: Operand, meaning: _Meaning) -> None:
    if question.is_of.of_texts or not numeric_codes(question):
        raise meaning.error(
            f"The codes of {question.name} are not numbers, so it has no order; name the answers with in (…).",
            operand.position,
        )
