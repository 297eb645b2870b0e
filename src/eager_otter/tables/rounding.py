"""Rounding as a spreadsheet shows it, and P values in words."""

from __future__ import annotations

from decimal import ROUND_HALF_UP, Decimal

LEAST_P = 0.0001  # smaller ones are told as below it


def rounded(value: float, digits: int) -> Decimal:
    """Round half away from zero on the value's 15 significant digits, as a spreadsheet shows it; no minus zero.

    >>> str(rounded(2.5, 0)), str(rounded(-0.2, 0)), str(rounded(1.005, 2))
    ('3', '0', '1.01')
    """
    step = Decimal(1).scaleb(-digits)
    result = Decimal(format(value, ".15g")).quantize(step, ROUND_HALF_UP)
    return abs(result) if result.is_zero() else result


def p_words(p: float) -> str:
    """Write a P value with its sign: "= 0.0457", or "below 0.0001"."""
    text = p_text(p)
    return text if text.startswith("below") else f"= {text}"


def p_text(p: float) -> str:
    """Write a P value: four decimals, or that it is below them.

    >>> p_text(0.04567), p_text(0.00001)
    ('0.0457', 'below 0.0001')
    """
    return "below 0.0001" if p < LEAST_P else f"{rounded(p, 4):f}"
