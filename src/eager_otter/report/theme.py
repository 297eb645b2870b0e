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
    palette: tuple[str, ...] = ("#14505C", "#D98A29", "#7A9E3F", "#8A5A9B", "#5B6B70", "#C44E3D")
    low: str = "#C8763A"  # the ends of a scale: told apart by eyes that see few colours, and in grey
    middle: str = "#D9DCD6"
    high: str = "#1B6A78"

    def ramp(self, count: int) -> tuple[str, ...]:
        """Give colours from the low to the high end of a scale."""
        if count < 2:
            return (self.high,)
        places = [k / (count - 1) for k in range(count)]
        return tuple(
            _mixed(self.low, self.middle, 2 * x) if x <= 0.5 else _mixed(self.middle, self.high, 2 * x - 1)
            for x in places
        )


def is_dark(color: str) -> bool:
    """Tell whether white text reads better on a colour (hex) than black.

    >>> is_dark("#14505C"), is_dark("#D9DCD6")
    (True, False)
    """
    red, green, blue = (int(color[k : k + 2], 16) for k in (1, 3, 5))
    return 0.299 * red + 0.587 * green + 0.114 * blue < 140


def _mixed(one: str, other: str, share: float) -> str:
    """Mix two colours (hex).

    >>> _mixed("#000000", "#FFFFFF", 0.5)
    '#808080'
    """
    parts = [(int(one[k : k + 2], 16), int(other[k : k + 2], 16)) for k in (1, 3, 5)]
    return "#" + "".join(f"{round(a + (b - a) * share):02X}" for a, b in parts)


STANDARD = Theme()
