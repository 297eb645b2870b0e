"""The small language of filters, routing and derived answers: text in, a tree out; nothing is run as code.

age >= 18 and region in (1, 2) and not heard_of mentions any (1, 3)

either       = both ("or" both)*
both         = negated ("and" negated)*
negated      = "not" negated | "(" either ")" | test
test         = "answered" name
             | operand ("==" | "=" | "!=" | "<" | "<=" | ">" | ">=") value
             | operand ["not"] "in" (range | "(" (value | range) ("," (value | range))* ")")
             | name "mentions" ["any" | "all" | "none"] (value | "(" value ("," value)* ")")
             | name "contains" "quoted text"
operand      = name | "count of" name
range        = number ".." number | "day" ".." "day"
value        = number | "quoted text"
name         = letters, digits, _ and . | `any name in backquotes`
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from datetime import date
from typing import Literal, TypeVar

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.periods import day_number
from eager_otter.dataclass import dataclass
from eager_otter.errors import ExpressionError
from eager_otter.gates.numbers import number_of

T = TypeVar("T")

LONGEST = 20_000
DEEPEST = 100

Comparison = Literal["==", "!=", "<", "<=", ">", ">="]
How = Literal["any", "all", "none"]


@dataclass(frozen=True, slots=True)
class Value:
    """A number or quoted text, as written; `number` is None for text."""

    text: str
    number: float | None
    position: int


@dataclass(frozen=True, slots=True)
class Range:
    """An inclusive range of numbers, or of days (counted since 1970)."""

    low: float
    high: float
    position: int
    days: bool = False


@dataclass(frozen=True, slots=True)
class Operand:
    """A question, or the number of answers given to it (`count of q`)."""

    name: str
    count: bool
    position: int


@dataclass(frozen=True, slots=True)
class Compare:
    """`operand sign value`."""

    operand: Operand
    sign: Comparison
    value: Value


@dataclass(frozen=True, slots=True)
class Within:
    """`operand in (items)`."""

    operand: Operand
    items: tuple[Value | Range, ...]


@dataclass(frozen=True, slots=True)
class Mentions:
    """`name mentions any (values)`."""

    operand: Operand
    how: How
    values: tuple[Value, ...]


@dataclass(frozen=True, slots=True)
class Contains:
    """`name contains "text"`, in any case."""

    operand: Operand
    value: Value


@dataclass(frozen=True, slots=True)
class Answered:
    """`answered name`."""

    operand: Operand


@dataclass(frozen=True, slots=True)
class Not:
    """`not part`."""

    part: Node


@dataclass(frozen=True, slots=True)
class Both:
    """`part and part …`."""

    parts: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Either:
    """`part or part …`."""

    parts: tuple[Node, ...]


Node = Compare | Within | Mentions | Contains | Answered | Not | Both | Either


@dataclass(frozen=True, slots=True)
class Expression:
    """A parsed expression with its text."""

    text: str
    node: Node

    def operands(self) -> Iterator[Operand]:
        """Go through the questions that the expression names."""
        yield from _operands(self.node)

    def names(self) -> set[str]:
        """Name the questions in it."""
        return {operand.name for operand in self.operands()}


def _operands(node: Node) -> Iterator[Operand]:
    if isinstance(node, Both | Either):
        for part in node.parts:
            yield from _operands(part)
    elif isinstance(node, Not):
        yield from _operands(node.part)
    else:
        yield node.operand


def as_operand(name: str) -> str:
    """Write the name of a question as it stands in an expression: in backquotes where it is not plain.

    >>> as_operand("liking"), as_operand("statements.taste"), as_operand("first wave")
    ('liking', 'statements.taste', '`first wave`')
    """
    tokens = _TOKEN.fullmatch(name)
    return (
        name
        if tokens is not None and tokens["name"] == name and name.casefold() not in KEYWORDS
        else f"`{name}`"
    )


@dataclass(frozen=True, slots=True)
class _Token:
    kind: str  # name, quoted name, number, text, sign, end
    text: str
    position: int


_TOKEN = re.compile(
    r"""\s*(?:
      (?P<number>-?(?:\d+(?:\.(?!\.)\d*)?|\.(?!\.)\d+)(?![\w]))
    | (?P<name>[^\W\d]\w*(?:\.\w+)*)
    | (?P<backquoted>`[^`\n]+`)
    | (?P<text>"[^"\n]*"|'[^'\n]*')
    | (?P<sign>\.\.|==|!=|<=|>=|<>|=|<|>|\(|\)|,)
    )""",
    re.VERBOSE,
)
KEYWORDS = {"and", "or", "not", "in", "mentions", "contains", "any", "all", "none", "answered", "count", "of"}


def parse(text: str) -> Expression:
    """Parse an expression. Raises ExpressionError, which points at the character, when it is not one.

    >>> parse("age >= 18 and not region in (1, 2)").names() == {"age", "region"}
    True
    """
    if len(text) > LONGEST:
        raise ExpressionError(f"The expression is longer than {LONGEST:,} characters.", text[:80] + "…", 80)
    parser = _Parser(text, list(_tokens(text)))
    return Expression(text, parser.whole())


def tokens_of(text: str) -> Iterator[str]:
    """Go through the words and signs of an expression, text in quotes without the kind of its quotes.

    Raises ExpressionError for a character without meaning.

    >>> list(tokens_of("age>=18 and name == 'Ann'"))
    ['age', '>=', '18', 'and', 'name', '==', '"Ann"']
    """
    for token in _tokens(text):
        if token.kind != "end":
            yield f'"{token.text[1:-1]}"' if token.kind == "text" else token.text


def _instead_of(character: str) -> str:
    """Say which word stands for a sign that other languages have."""
    words = {"&": "and", "|": "or", "!": "not"}
    return f": write {words[character]!r}" if character in words else ""


def _tokens(text: str) -> Iterator[_Token]:
    position = 0
    end = len(text.rstrip())
    while position < end:
        match = _TOKEN.match(text, position)
        if match is None:
            start = position + len(text[position:]) - len(text[position:].lstrip())
            character = text[start]
            if character in "\"'`":
                message = f"The quote {character} opened here is not closed."
            elif character.isdigit():
                message = (
                    "A number followed by letters; put a name that starts with a digit in backquotes: `1st`."
                )
            else:
                message = f"The character {character!r} has no meaning here{_instead_of(character)}."
            raise ExpressionError(message, text, start)
        kind = str(match.lastgroup)
        token = match.group(kind)
        if kind == "name" and token.casefold() in KEYWORDS:
            kind, token = "keyword", token.casefold()
        yield _Token(kind, token, match.start(match.lastgroup or 0))
        position = match.end()
    yield _Token("end", "the end of the expression", len(text))


def day_of(text: str) -> float | None:
    """Return a day written as 2026-03-31 as days since 1970, None for other text.

    >>> day_of("1970-01-11"), day_of("soon")
    (10.0, None)
    """
    try:
        return float(day_number(date.fromisoformat(text.strip())))
    except ValueError:
        return None


class _Parser:
    def __init__(self, text: str, tokens: list[_Token]) -> None:
        self.text, self.tokens, self.at, self.depth = text, tokens, 0, 0

    @property
    def now(self) -> _Token:
        return self.tokens[self.at]

    def whole(self) -> Node:
        if self.now.kind == "end":
            raise ExpressionError("The expression is empty.", self.text, 0)
        node = self.either()
        if self.now.kind != "end":
            raise self.expected("'and', 'or' or the end of the expression")
        return node

    def expected(self, what: str) -> ExpressionError:
        shown = self.now.text if self.now.kind == "end" else repr(self.now.text)
        return ExpressionError(f"Expected {what}; found {shown}.", self.text, self.now.position)

    def take(self, *texts: str) -> str | None:
        if self.now.kind in ("sign", "keyword") and self.now.text in texts:
            self.at += 1
            return self.tokens[self.at - 1].text
        return None

    def need(self, text: str, what: str) -> None:
        if self.take(text) is None:
            raise self.expected(what)

    def either(self) -> Node:
        return self._chain("or", self.both, Either)

    def both(self) -> Node:
        return self._chain("and", self.negated, Both)

    def _chain(self, word: str, part: Callable[[], Node], kind: type[Either] | type[Both]) -> Node:
        parts = [part()]
        while self.take(word):
            parts.append(part())
        return parts[0] if len(parts) == 1 else kind(tuple(parts))

    def negated(self) -> Node:
        self.depth += 1
        if self.depth > DEEPEST:
            raise ExpressionError("The expression is nested too deeply.", self.text, self.now.position)
        node: Node
        if self.take("not"):
            node = Not(self.negated())
        elif self.take("("):
            node = self.either()
            self.need(")", "')'")
        else:
            node = self.test()
        self.depth -= 1
        return node

    def test(self) -> Node:
        if self.take("answered"):
            return Answered(self.name(count=False))
        operand = self.operand()
        sign = self.take("==", "=", "!=", "<>", "<=", ">=", "<", ">")
        if sign:
            signs: dict[str, Comparison] = {"=": "==", "<>": "!="}
            return Compare(operand, signs.get(sign, sign), self.value())  # type: ignore[arg-type]
        if self.take("in"):
            return Within(operand, self.items())
        if self.take("not"):
            self.need("in", "'in' after 'not'")
            return Not(Within(operand, self.items()))
        if self.take("mentions"):
            how = self.take("any", "all", "none") or "any"
            values = self.list_of(self.value)
            return Mentions(operand, how, values)  # type: ignore[arg-type]
        if self.take("contains"):
            return Contains(operand, self.value())
        raise self.expected("a comparison (==, !=, <, <=, >, >=, in, mentions, contains)")

    def operand(self) -> Operand:
        if self.take("count"):
            self.need("of", "'of' after 'count'")
            return self.name(count=True)
        return self.name(count=False)

    def name(self, *, count: bool) -> Operand:
        token = self.now
        if token.kind == "name":
            self.at += 1
            return Operand(token.text, count, token.position)
        if token.kind == "backquoted":
            self.at += 1
            return Operand(token.text[1:-1], count, token.position)
        raise self.expected("the name of a question")

    def value(self) -> Value:
        token = self.now
        if token.kind == "number":
            number = number_of(token.text)
            if number is None:
                raise ExpressionError("This number is too large to count with.", self.text, token.position)
            self.at += 1
            return Value(canonical(token.text), number, token.position)
        if token.kind == "text":
            self.at += 1
            return Value(token.text[1:-1], None, token.position)
        raise self.expected("a number or a text in quotes")

    def value_or_range(self) -> Value | Range:
        value = self.value()
        if not self.take(".."):
            return value
        upper = self.value()
        low, high = value.number, upper.number
        days = low is None and high is None
        if days:
            low, high = day_of(value.text), day_of(upper.text)
        if low is None or high is None:
            raise ExpressionError(
                "A range a..b takes two numbers, or two days such as '2026-03-31'.", self.text, value.position
            )
        if low > high:
            raise ExpressionError(
                "The range runs backwards; write the smaller end first.", self.text, value.position
            )
        return Range(low, high, value.position, days)

    def items(self) -> tuple[Value | Range, ...]:
        return self.list_of(self.value_or_range)

    def list_of(self, part: Callable[[], T]) -> tuple[T, ...]:
        if not self.take("("):
            return (part(),)
        parts = [part()]
        while self.take(","):
            parts.append(part())
        self.need(")", "',' or ')'")
        return tuple(parts)
