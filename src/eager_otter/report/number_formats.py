"""Number formats under which a spreadsheet, or a chart, shows a number as every other output writes it."""

from __future__ import annotations

from eager_otter.figures.registry import line_figure
from eager_otter.looks.words import ENGLISH, Words
from eager_otter.tables.rounding import rounded
from eager_otter.tables.texts import ZERO, near_zero


def spreadsheet_number(value: float, figure: str, *, difference: bool = False) -> float:
    """Return the number that a spreadsheet holds for a figure: a percent as a fraction, all else as it is.

    A difference of two percents is in points and stays so. Fifteen digits are kept, which is what a spreadsheet shows.

    >>> spreadsheet_number(14.5, "column percent"), spreadsheet_number(3.5, "mean")
    (0.145, 3.5)
    """
    fraction = not difference and line_figure(figure).unit in ("percent", "limit")
    return float(f"{value / 100.0 if fraction else value:.15g}")


def number_format_of(value: float, figure: str, digits: int, sign: str = "", words: Words = ENGLISH) -> str:
    """Return the number format under which a spreadsheet shows the text that every other output shows.

    It is for the number that `spreadsheet_number` gives.

    >>> number_format_of(11.0, "column percent", 0)
    '[=0]"–";[<0.005]"<1%";#,##0%'
    >>> number_format_of(62.0, "unweighted base", 0, "*")
    '#,##0"*"'
    """
    places = "#,##0" + ("." + "0" * digits if digits else "")
    after = f'"{sign}"' if sign else ""
    unit = line_figure(figure).unit
    if unit in ("percent", "count"):
        percent = "%" if unit == "percent" else ""
        least = half_step(digits + 2 if percent else digits)
        zero = words.number(near_zero(digits, percent))
        return f'[=0]"{ZERO}";[<{least}]"{zero}";{places}{percent}{after}'
    if unit == "limit":
        return f"{places}%{after}"
    if value < 0 and rounded(value, digits).is_zero():
        return f"{places}{after};{places}{after}"  # no minus sign for what rounds to zero
    return places + after


def difference_format_of(value: float, digits: int, sign: str = "") -> str:
    """Return the number format of a difference: with its sign, but none where it rounds to zero.

    >>> difference_format_of(3.2, 0)
    '+#,##0;-#,##0;0'
    """
    places = "#,##0" + ("." + "0" * digits if digits else "")
    zero = "0" + ("." + "0" * digits if digits else "")
    after = f'"{sign}"' if sign else ""
    if rounded(value, digits).is_zero():
        return f"{zero}{after};{zero}{after};{zero}{after}"
    return f"+{places}{after};-{places}{after};{zero}{after}"


def half_step(digits: int) -> str:
    """Return half of the smallest number shown at some digits: what rounds to zero lies below it."""
    return "0." + "0" * digits + "5"
