"""Missing codes: single codes, ranges of numbers or days, and comparisons."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from math import inf

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.periods import day_number, read_day
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.gates.numbers import number_of

Number = Callable[[str], float]  # an end of a range as written in, its number out; raises RequestError

_COMPARISON = re.compile(r"(<=|>=|<|>)\s*(\S.*)\Z")
_ALMOST_NUMBER = re.compile(r"[-+]?\.?\d")
AS_IT_STANDS = "="  # before a text that is not to be read as a comparison or a range
WAYS = {
    "number": "write a code (99), a range (300..9999), a comparison ('>= 100') or a text as it stands ('= <1')",
    "date": "write a day as in the data, a range (1900-01-01..1999-12-31) or a comparison ('< 2000-01-01')",
}


@dataclass(frozen=True, slots=True)
class Span:
    """Numbers, or days since 1970, from `low` to `high`; an open end is not inside. `text` is how it was written."""

    text: str
    low: float = -inf
    high: float = inf
    low_open: bool = False
    high_open: bool = False

    def holds(self, values: FloatArray) -> BoolArray:
        """Return which values lie in it: (respondents,); NaN does not.

        >>> import numpy as np
        >>> Span("> 5", low=5.0, low_open=True).holds(np.array([5.0, 6.0, np.nan])).tolist()
        [False, True, False]
        """
        above = values > self.low if self.low_open else values >= self.low
        return above & (values < self.high if self.high_open else values <= self.high)


@dataclass(frozen=True, slots=True)
class Missing:
    """Values that are no answer to a question: codes as they are in the data, and spans of numbers or days.

    A `shared` list is the codebook's, for every question that says nothing of its own.
    """

    codes: tuple[str, ...] = ()
    spans: tuple[Span, ...] = ()
    shared: bool = False

    def span_of(self, number: float | None) -> int | None:
        """Find the first span that holds a number; None where none does."""
        if number is None:
            return None
        for k, span in enumerate(self.spans):
            above = number > span.low if span.low_open else number >= span.low
            if above and (number < span.high if span.high_open else number <= span.high):
                return k
        return None

    def has(self, code: str) -> bool:
        """Return whether a code, in its one written form, is missing."""
        return code in self.codes or self.span_of(number_of(code)) is not None

    @property
    def names(self) -> tuple[str, ...]:
        """All entries as written: codes, then spans."""
        return (*self.codes, *(span.text for span in self.spans))


NOTHING = Missing()


def read_missing(entries: Sequence[str], kind: str) -> tuple[Missing, list[tuple[int, str]]]:
    """Read a list of missing codes for a kind of question; also the mistakes: (place in the list, message).

    Numbers and dates take comparisons; singles, multiple responses and numbers take ranges of numbers, dates of days.
    A text behind "=" is taken as it stands.

    >>> read_missing(["99", "300..9999", ">= 100"], "number")[0].names
    ('99', '300..9999', '>= 100')
    >>> read_missing(["= <0.5", "< 0"], "number")[0].names
    ('<0.5', '< 0')
    >>> read_missing(["100+"], "number")[1][0][1].partition(";")[0]
    "missing: '100+' can match no number"
    """
    codes: list[str] = []
    spans: list[Span] = []
    mistakes: list[tuple[int, str]] = []
    for k, entry in enumerate(entries):
        try:
            span = _span(entry, kind)
            if span is not None:
                spans.append(span)
            else:
                codes.append(_code(entry, kind))
        except RequestError as error:
            mistakes.append((k, f"missing: {error}"))
    return Missing(tuple(codes), tuple(spans)), mistakes


def _code(entry: str, kind: str) -> str:
    code = canonical(entry)
    if code.startswith(AS_IT_STANDS) and code[1:].strip():
        return canonical(code[1:])
    if kind == "number" and _ALMOST_NUMBER.match(code) and number_of(code) is None:
        raise RequestError(f"{entry!r} can match no number; {WAYS['number']}.")
    return code


def _span(entry: str, kind: str) -> Span | None:
    """Read a range or comparison; None for a plain code. Raises RequestError."""
    number: Number = _day if kind == "date" else _number
    if entry.strip().startswith(AS_IT_STANDS):
        return None
    if match := _COMPARISON.match(entry.strip()):
        sign, end = match[1], number(match[2])
        if kind not in WAYS:
            raise RequestError(
                f"{entry!r} is a comparison, which only numbers and dates can have; name the codes."
            )
        if sign in (">", ">="):
            return Span(entry, low=end, low_open=sign == ">")
        return Span(entry, high=end, high_open=sign == "<")
    first, dots, last = entry.partition("..")
    if not dots:
        return None
    low, high = number(first), number(last)
    if low > high:
        raise RequestError(f"the range {entry!r} runs backwards; write the smaller end first.")
    return Span(entry, low=low, high=high)


def _number(text: str) -> float:
    number = number_of(text.strip())
    if number is None:
        raise RequestError(f"{text.strip()!r} is not a number; {WAYS['number']}.")
    return number


def _day(text: str) -> float:
    try:
        return float(day_number(read_day(text)))
    except RequestError as error:
        raise RequestError(f"{text.strip()!r} is not a day; {WAYS['date']}.") from error
