"""Fit labels into narrow columns: broken at blanks, never cut in silence."""

from __future__ import annotations

import textwrap
import unicodedata
from functools import lru_cache

from eager_otter.gates.text import one_line


def fitted(label: str, width: int) -> list[str]:
    """Break a label into lines of at most `width` characters, inside a word only where one is longer.

    >>> fitted("Corner shop or kiosk", 12)
    ['Corner shop', 'or kiosk']
    """
    return textwrap.wrap(one_line(label), width, break_long_words=True) or [""]


@lru_cache(maxsize=65536)
def text_width(text: str) -> float:
    """Estimate how wide a text is, in widths of a digit: wide East Asian characters count double.

    >>> text_width("iii") < text_width("WWW") < text_width("東京駅")
    True
    """
    return sum(_character_width(character) for character in text)


def _character_width(character: str) -> float:
    if unicodedata.east_asian_width(character) in "WF":
        return 2.0
    if unicodedata.combining(character):
        return 0.0
    if character in "iIjl.,:;'|!()[] ":
        return 0.6
    return 1.3 if character in "mwMW@%" else 1.2 if character.isupper() else 1.0


def lines_needed(text: str, width: float) -> int:
    """Count the lines a text takes in a cell `width` digits wide, broken at blanks."""
    lines, used = 1, 0.0
    for word in text.split():
        need = text_width(word)
        if used and used + 0.6 + need > width:
            lines, used = lines + 1, 0.0
        used += need + (0.6 if used else 0.0)
        while used > width > 0:
            lines, used = lines + 1, used - width
    return lines
