"""Texts in scripts that are written from right to left, or whose letters join or change places."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator
from typing import Any

from eager_otter.errors import MissingPackage
from eager_otter.gates.outputs import install_line

MISSING = f"This script needs other packages in a PDF: {install_line('pdf')}"
RIGHT_TO_LEFT = re.compile("[\u0590-\u08ff\ufb1d-\ufdff\ufe70-\ufeff]")
OPENING = "([{«"
BRACKETS = dict(zip("([{«)]}»", ")]}»([{«", strict=True))
SHAPED = re.compile(
    "[\u0300-\u036f\u0590-\u08ff\u0900-\u0dff\u0e00-\u0eff\u0f00-\u109f\u1780-\u17ff\ufb1d-\ufdff]"
)


def is_plain(text: str) -> bool:
    """Return whether the letters of a text are side by side in the order in which they are read.

    >>> is_plain("Zürich 東京"), is_plain("مياه"), is_plain("पानी")
    (True, False, False)
    """
    return text.isascii() or SHAPED.search(text) is None


def in_sight_order(text: str) -> Iterator[str]:
    """Cut a text into pieces in the order in which they are from left to right; each is still in reading order.

    >>> list(in_sight_order("Tarn מים and 12"))
    ['Tarn ', 'מים', ' and 12']
    """
    if RIGHT_TO_LEFT.search(text) is None:
        yield text
        return
    try:
        from bidi import get_display
    except ImportError as error:
        raise MissingPackage(MISSING) from error
    seen = _mirrored(str(get_display(text)))
    start = 0
    for piece in _turned_pieces(seen):
        if piece.start() > start:
            yield seen[start : piece.start()]
        yield piece.group()[::-1]
        start = piece.end()
    if start < len(seen):
        yield seen[start:]


def _mirrored(seen: str) -> str:
    """Turn the pairs of brackets that now are the wrong way round, as those between letters read backwards do.

    >>> _mirrored(")Tarn( (x)")
    '(Tarn) (x)'
    """
    characters = list(seen)
    waiting: list[tuple[str, int]] = []  # brackets whose partner has not come, with their places
    for place, character in enumerate(seen):
        partner = BRACKETS.get(character)
        if partner is None:
            continue
        if waiting and waiting[-1][0] == partner:
            _, first = waiting.pop()
            if character in OPENING:
                characters[first], characters[place] = character, partner
        else:
            waiting.append((character, place))
    return "".join(characters)


def _turned_pieces(seen: str) -> Iterator[re.Match[str]]:
    """Find the runs of letters that are read from right to left, with the blanks between them."""
    kinds = "".join(_kind(character) for character in seen)
    for piece in re.finditer("[Rm]*R[Rm]*(?: +[Rm]*R[Rm]*)*", kinds):
        match = re.compile(".*", re.DOTALL).match(seen, piece.start(), piece.end())
        assert match is not None
        yield match


def _kind(character: str) -> str:
    direction = unicodedata.bidirectional(character)
    if direction in ("R", "AL"):
        return "R"
    return "m" if direction == "NSM" else " " if character == " " else "x"


def shaped(text: str, font: str) -> Any:
    """Shape a piece in a font: the letters that join do, marks are where they belong. Widths are of one point."""
    from reportlab.pdfbase.ttfonts import shapeStr, uharfbuzz

    if uharfbuzz is None:
        raise MissingPackage(MISSING)
    return shapeStr(text, font, 1.0, force=True)


def shaped_width(piece: Any) -> float:
    """Return the width of a shaped piece at one point."""
    return float(sum(one.x_advance for one in piece.__shapeData__)) / 1000.0
