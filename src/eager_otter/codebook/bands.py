"""Bands: a number question cut into labelled ranges, labels written from the edges."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.gates.numbers import whole_of
from eager_otter.patterns import pattern

_RANGE = pattern(r"\s*(-?\d+)\s*(?:[-–]|\.\.|to)\s*(-?\d+)\s*\Z")
_OPEN = pattern(r"\s*(-?\d+)\s*\+\s*\Z")
_ONE = pattern(r"\s*(-?\d+)\s*\Z")


@dataclass(frozen=True, slots=True)
class Band:
    """A range of numbers. `high` is inside for whole-number ranges, outside for edges; None is open."""

    low: float
    high: float | None
    closed: bool
    label: str


def whole_number_bands(ranges: Sequence[str]) -> tuple[Band, ...]:
    """Read inclusive whole-number ranges such as `18-24` and `55+`.

    Raises RequestError for a range that cannot be read, runs backwards, or overlaps another.

    >>> [band.label for band in whole_number_bands(["18-24", "25-34", "35+"])]
    ['18–24', '25–34', '35+']
    """
    bands = [_whole_number_band(text) for text in ranges]
    ordered = sorted(bands, key=lambda band: band.low)
    for lower, upper in pairwise(ordered):
        if lower.high is None or upper.low <= lower.high:
            raise RequestError(
                f"The bands {lower.label} and {upper.label} both hold {upper.low:g}; "
                "ranges include both their ends, so each value may be in one band only."
            )
    return tuple(bands)


def _whole_number_band(text: str) -> Band:
    if match := _RANGE.match(text):
        low, high = _edge(match[1], text), _edge(match[2], text)
        if low > high:
            raise RequestError(f"The band {text!r} runs backwards; write the smaller number first.")
        return Band(low, high, True, f"{low}–{high}")
    if match := _OPEN.match(text):
        low = _edge(match[1], text)
        return Band(low, None, True, f"{low}+")
    if match := _ONE.match(text):
        low = _edge(match[1], text)
        return Band(low, low, True, str(low))
    raise RequestError(f"The band {text!r} is not a range such as 18-24 or 55+.")


def _edge(written: str, text: str) -> int:
    number = whole_of(written)
    if number is None:
        raise RequestError(f"The band {text!r} needs whole numbers of at most fifteen digits, such as 18-24.")
    return number


def edge_bands(edges: Sequence[float]) -> tuple[Band, ...]:
    """Cut at edges: each band holds its lower edge, not its upper; the last is open.

    Raises RequestError when there are fewer than two edges or they do not rise.

    >>> [band.label for band in edge_bands([0, 5, 20])]
    ['0 to under 5', '5 to under 20', '20 or more']
    """
    if len(edges) < 2:
        raise RequestError("Bands need at least two edges.")
    for lower, upper in pairwise(edges):
        if upper <= lower:
            raise RequestError(f"Edges must rise; {upper:g} comes after {lower:g}.")
    closed = [Band(low, high, False, f"{low:g} to under {high:g}") for low, high in pairwise(edges)]
    return (*closed, Band(edges[-1], None, False, f"{edges[-1]:g} or more"))


def gaps(bands: Sequence[Band]) -> list[tuple[float, float]]:
    """List the whole numbers that fall between two ranges: (first, last) of each gap.

    >>> gaps(whole_number_bands(["18-24", "26-30", "40+"]))
    [(25.0, 25.0), (31.0, 39.0)]
    """
    ordered = sorted((band for band in bands if band.closed), key=lambda band: band.low)
    return [
        (lower.high + 1.0, upper.low - 1.0)
        for lower, upper in pairwise(ordered)
        if lower.high is not None and upper.low > lower.high + 1
    ]
