"""The gate for numbers that are read: one function tells what is a number, and which are too large to count with."""

from __future__ import annotations

import re

LARGEST = 1e150  # so that squares of values and weights, and sums of these, stay finite
SMALLEST = 1e-150  # so that squares of weights do not vanish
MOST_DIGITS = 400  # of a text that may still be a number
MOST_WHOLE_DIGITS = 15  # of a whole number that every program holds exactly
_NUMBER = re.compile(r"[-+]?(\d+(\.\d*)?|\.\d+)([eE][-+]?\d{1,4})?\Z", re.ASCII)
_WHOLE = re.compile(rf"-?\d{{1,{MOST_WHOLE_DIGITS}}}\Z", re.ASCII)


def number_of(text: str) -> float | None:
    """Return the number that a text is; None for other texts, and beyond 1e150.

    >>> number_of("5"), number_of("-2.5e3"), number_of("six"), number_of("²"), number_of("1_000"), number_of("1e308")
    (5.0, -2500.0, None, None, None, None)
    """
    if len(text) > MOST_DIGITS or _NUMBER.match(text) is None:
        return None
    number = float(text)
    return number if abs(number) <= LARGEST else None


def whole_of(text: str) -> int | None:
    """Return the whole number that a text is, in ASCII digits; None for other texts, and above fifteen digits.

    >>> whole_of("12"), whole_of("-1"), whole_of("1.0"), whole_of("٣"), whole_of("9" * 20)
    (12, -1, None, None, None)
    """
    return int(text) if _WHOLE.match(text) else None
