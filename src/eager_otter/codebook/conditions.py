"""An expression in a reader's words: labels of questions and answers instead of code."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Literal, assert_never

from eager_otter.codebook.expression import (
    Answered,
    Both,
    Compare,
    Comparison,
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
    parse,
    tokens_of,
)
from eager_otter.codebook.meaning import numeric_codes
from eager_otter.codebook.model import Question
from eager_otter.codebook.periods import day_text
from eager_otter.dataclass import dataclass
from eager_otter.looks.words import Words, said

LISTED = 8  # answers named at most; of more, the first ones and how many others there are
Lead = Literal["who", "whose"]

NUMBERS: dict[Comparison, str] = {
    "==": said("{question} is {value}"),
    "!=": said("{question} is not {value}"),
    "<": said("{question} is below {value}"),
    "<=": said("{question} is {value} or less"),
    ">": said("{question} is above {value}"),
    ">=": said("{question} is {value} or more"),
}
DAYS: dict[Comparison, str] = {
    "==": NUMBERS["=="],
    "!=": NUMBERS["!="],
    "<": said("{question} is before {value}"),
    "<=": said("{question} is {value} or before"),
    ">": said("{question} is after {value}"),
    ">=": said("{question} is {value} or after"),
}
LEADS: dict[Lead, str] = {"who": said("who {clause}"), "whose": said("whose {clause}")}


class Conditions:
    """Says expressions to readers: in the analyst's own words (`own`: text by expression), else made of labels."""

    def __init__(
        self, questions: Mapping[str, Question], words: Words, wording: Mapping[str, str] | None = None
    ) -> None:
        self.questions, self.words = questions, words
        self.own = {_plain(expression): text for expression, text in (wording or {}).items()}

    def said(self, text: str) -> str:
        """Say what a filter or base asks: "Status is complete", "those who named Tarn (Heard of)".

        Raises ExpressionError for a text that is no expression.
        """
        written = self.own.get(_plain(text))
        if written is not None:
            return written
        clauses, joint = self._clauses(parse(text).node)
        if all(clause.lead == "whose" for clause in clauses):
            return _joined([clause.text for clause in clauses], joint, self.words)
        return self.words("those {who}", who=self._led(clauses, joint))

    def people(self, expression: Expression) -> str:
        """Say whom an expression chooses: "those whose Status is complete"; the analyst's own words as they are."""
        written = self.own.get(_plain(expression.text))
        if written is not None:
            return written
        return self.words("those {who}", who=self._led(*self._clauses(expression.node)))

    def _led(self, clauses: Sequence[_Clause], joint: Joint) -> str:
        """Put "who" or "whose" before clauses, once where one fits all."""
        leads = {clause.lead for clause in clauses}
        if len(leads) == 1:
            joined = _joined([clause.text for clause in clauses], joint, self.words)
            return self.words(LEADS[leads.pop()], clause=joined)
        each = [self.words(LEADS[clause.lead], clause=clause.text) for clause in clauses]
        return _joined(each, joint, self.words)

    def _clauses(self, node: Node) -> tuple[list[_Clause], Joint]:
        """Return the parts of an expression at its top, and how they are joined."""
        if isinstance(node, Both):
            return [self._inner(part) for part in node.parts], "and"
        if isinstance(node, Either):
            return [self._inner(part) for part in node.parts], "or"
        return [self._clause(node)], "and"

    def _inner(self, node: Node) -> _Clause:
        """Return a part of a longer expression; one that has parts of its own is in brackets."""
        if not isinstance(node, Both | Either):
            return self._clause(node)
        clauses, joint = self._clauses(node)
        if all(clause.lead == "whose" for clause in clauses):
            return _Clause(f"({_joined([c.text for c in clauses], joint, self.words)})", "whose")
        return _Clause(self.words("are among those ({who})", who=self._led(clauses, joint)), "who")

    def _clause(
        self, node: Compare | Within | Mentions | Contains | Answered | Not | Both | Either
    ) -> _Clause:
        say = self.words
        match node:
            case Compare(operand, sign, value):
                return self._comparison(operand, sign, value)
            case Within(operand, items):
                return self._within(operand, items, negated=False)
            case Mentions(operand, how, values):
                return self._mentions(operand, how, values)
            case Contains(operand, value):
                label = self._label(operand)
                return _Clause(say("{question} contains “{text}”", question=label, text=value.text), "whose")
            case Answered(operand):
                return _Clause(say("answered {question}", question=self._label(operand)), "who")
            case Not(part):
                return self._negated(part)
            case Both() | Either():
                return self._inner(node)
        assert_never(node)

    def _negated(self, part: Node) -> _Clause:
        say = self.words
        if isinstance(part, Within):
            return self._within(part.operand, part.items, negated=True)
        if isinstance(part, Answered):
            return _Clause(say("did not answer {question}", question=self._label(part.operand)), "who")
        if isinstance(part, Mentions) and part.how == "any":
            return self._mentions(part.operand, "none", part.values)
        clauses, joint = self._clauses(part)
        return _Clause(say("are not those ({who})", who=self._led(clauses, joint)), "who")

    def _label(self, operand: Operand) -> str:
        label = self.questions[operand.name].label
        return self.words("number of answers to {question}", question=label) if operand.count else label

    def _comparison(self, operand: Operand, sign: Comparison, value: Value) -> _Clause:
        question = self.questions[operand.name]
        if operand.count or not question.is_of.of_answers:
            texts = DAYS if question.is_of.of_days else NUMBERS
            text = self.words(texts[sign], question=self._label(operand), value=self._value(value))
            return _Clause(text, "whose")
        if sign in ("==", "!="):
            return self._answers(question, [self._answer(question, value)], negated=sign == "!=")
        return self._answers(question, list(_beyond(question, sign, value)), negated=False)

    def _within(self, operand: Operand, items: Sequence[Value | Range], *, negated: bool) -> _Clause:
        question = self.questions[operand.name]
        if operand.count or not question.is_of.of_answers:
            named = [self._span(item) if isinstance(item, Range) else self._value(item) for item in items]
            return self._is(self._label(operand), named, negated=negated)
        named = []
        for item in items:
            named += [self._answer(question, item)] if isinstance(item, Value) else _between(question, item)
        return self._answers(question, named, negated=negated)

    def _mentions(
        self, operand: Operand, how: Literal["any", "all", "none"], values: Sequence[Value]
    ) -> _Clause:
        say, question = self.words, self.questions[operand.name]
        answers = [question.find(value.text) for value in values]
        codes = {answer.code for answer in answers if answer is not None}
        named = [self._answer(question, value) for value in values]
        if how == "any" and codes == {answer.code for answer in question.valid if not answer.exclusive}:
            return _Clause(say("named at least one ({question})", question=question.label), "who")
        if len(named) == 1 and how != "none":
            return _Clause(
                say("named {answers} ({question})", answers=named[0], question=question.label), "who"
            )
        texts = {
            "any": said("named {answers} ({question})"),
            "all": said("named all of {answers} ({question})"),
            "none": said("named none of {answers} ({question})"),
        }
        joint: Joint = "or" if how == "any" else "and"
        return _Clause(
            say(texts[how], answers=_joined(self._some(named), joint, say), question=question.label), "who"
        )

    def _answer(self, question: Question, value: Value) -> str:
        answer = question.find(value.text)
        return value.text if answer is None else answer.label

    def _answers(self, question: Question, named: Sequence[str], *, negated: bool) -> _Clause:
        return self._is(question.label, named, negated=negated)

    def _is(self, label: str, named: Sequence[str], *, negated: bool) -> _Clause:
        text = said("{question} is not {value}") if negated else said("{question} is {value}")
        answers = _joined(self._some(list(dict.fromkeys(named))), "or", self.words)
        return _Clause(self.words(text, question=label, value=answers or self.words("none")), "whose")

    def _some(self, named: Sequence[str]) -> list[str]:
        """Return at most so many names as a reader takes in; of more, the first ones and the number of others."""
        if len(named) <= LISTED:
            return list(named)
        more = len(named) - LISTED + 2
        return [*named[: LISTED - 2], self.words("{count} {count:other|others}", count=more)]

    def _span(self, span: Range) -> str:
        low, high = (
            day_text(end) if span.days else self.words.number(f"{end:,g}") for end in (span.low, span.high)
        )
        return self.words("{low} to {high}", low=low, high=high)

    def _value(self, value: Value) -> str:
        return value.text if value.number is None else self.words.number(value.text)


Joint = Literal["and", "or"]


@dataclass(frozen=True, slots=True)
class _Clause:
    """A part of a sentence on people: after "who", or after "whose"."""

    text: str
    lead: Lead


def _joined(parts: Sequence[str], joint: Joint, words: Words) -> str:
    """Join parts as a sentence does: "A, B or C"."""
    if len(parts) < 2:
        return "".join(parts)
    text = said("{some} and {last}") if joint == "and" else said("{some} or {last}")
    return words(text, some=", ".join(parts[:-1]), last=parts[-1])


def _plain(text: str) -> str:
    """Return an expression without what makes no difference to it: blanks, the kind of quotes."""
    return " ".join(tokens_of(text))


def _beyond(question: Question, sign: Comparison, value: Value) -> Iterator[str]:
    """Go through the answers whose code is on the asked side of a number."""
    number = value.number
    assert number is not None, "checked with the expression"
    numbers = numeric_codes(question)
    for answer in question.valid:
        code = numbers.get(answer.code)
        if code is not None and (
            (sign == "<" and code < number)
            or (sign == "<=" and code <= number)
            or (sign == ">" and code > number)
            or (sign == ">=" and code >= number)
        ):
            yield answer.label


def _between(question: Question, span: Range) -> list[str]:
    numbers = numeric_codes(question)
    return [
        answer.label
        for answer in question.valid
        if answer.code in numbers and span.low <= numbers[answer.code] <= span.high
    ]
