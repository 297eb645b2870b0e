"""Looks shared by the outputs."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True, kw_only=True)
class Theme:
    """Colours (hex) and fonts. Every mark is also text, so that nothing rests on colour."""

    font: str = "Arial"
    size: int = 10
    ink: str = "#1B2A30"
    quiet: str = "#5B6B70"
    river: str = "#14505C"
    reed: str = "#DCE9E6"
    sand: str = "#F4F0E6"
    line: str = "#9DB2B5"
    letter: str = "#9A3412"


STANDARD = Theme()
