"""Banners by the names of questions: side by side, and nested."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

from eager_otter.codebook.model import Codebook
from eager_otter.errors import UnknownName
from eager_otter.tables.request import Banner, BannerGroup

WITHIN = " within "  # between the inner and the outer question of a nesting
CROSSED = re.compile(r"\s*[*/>&+]\s*|\s+(?:x|by|and)\s+", re.IGNORECASE)  # what others put between questions


def levels_of(name: str) -> list[str]:
    """Return the names of the questions that a name nests, the outermost first: "wave within region"."""
    return [level.strip() for level in reversed(name.split(WITHIN))]


def nesting_meant(name: str, book: Codebook) -> str:
    """Say how questions that stand in one name are nested, or placed side by side; "" where it holds none."""
    levels = [level.strip() for level in CROSSED.split(name)]
    if len(levels) < 2 or not all(level in book.questions for level in levels):
        return ""
    nested = WITHIN.join(reversed(levels))
    return f"A nesting is written {nested!r}; what stands side by side is named one by one."


def _banner_named(name: str, banners: Mapping[str, Banner], codebook: Codebook) -> Banner:
    levels = levels_of(name)
    for level in levels:
        if level not in codebook.questions:
            meant = nesting_meant(level, codebook)
            raise UnknownName("banner or question", level, [*banners, *codebook.questions], meant=meant)
    groups = tuple(BannerGroup(question=level) for level in levels)
    return Banner(groups=groups if len(groups) == 1 else (BannerGroup(nest=groups),))


def banner_called(names: Sequence[str], banners: Mapping[str, Banner], codebook: Codebook) -> Banner:
    """Put together what names stand for, side by side: one of the `banners`, a question, or "inner within outer".

    Raises UnknownName for a name that is none of these.
    """
    parts = [banners.get(name) or _banner_named(name, banners, codebook) for name in names]
    if len(parts) == 1:
        return parts[0]
    return Banner(groups=tuple(group for part in parts for group in part.groups))
