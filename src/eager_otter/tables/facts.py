"""How those counted in a table were chosen."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """How those counted were chosen: rows read, filters with what they kept, weight, rows of weight 0."""

    rows: int
    universe: str = ""
    filters: tuple[tuple[str, int], ...] = ()
    weight: str | None = None
    base: str | None = None
    zero_weights: int = 0
    unknown: tuple[tuple[str, int], ...] = ()
