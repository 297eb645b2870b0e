"""One place that turns a figure into characters. Every output shows these texts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Decimal

from eager_otter.figures.registry import line_figure
from eager_otter.looks.words import ENGLISH, Words
from eager_otter.tables.request import Digits
from eager_otter.tables.rounding import rounded
from eager_otter.tables.table import Column, Line, Mark, Table

ZERO = "–"
WITHHELD = "··"
NOT_THERE = "n/a"

MARK_SIGNS: dict[Mark, str] = {
    "": "",
    "low base": "*",
    "not tested": "**",
    "withheld": WITHHELD,
    "not asked": "",
    "partly offered": "†",
}


def figure_name(figure: str, words: Words = ENGLISH) -> str:
    """Say the name of a kind of figure; the difference of two percents is called a score.

    >>> figure_name("difference"), figure_name("row percent")
    ('score', 'row percent')
    """
    return words(line_figure(figure).called or figure)


def line_sign(line: Line, words: Words = ENGLISH) -> str:
    """Return the short sign that is written beside the row of a line; that of an interval says its level."""
    return line.shows.sign_in(words, line.level)


def line_label(line: Line, words: Words) -> str:
    """Say the label of a row that is one of our words."""
    named = line.kind in ("summary", "base") and line.fixed == line.shows.label
    return line.shows.label_in(words, line.level) if named else words(line.fixed)


def figure_text(
    value: float,
    figure: str,
    digits: Digits,
    mark: Mark = "",
    *,
    difference: bool = False,
    words: Words = ENGLISH,
) -> str:
    """Write a figure, its numbers signed as in `words`; with `difference`, the difference of two.

    >>> [figure_text(v, "column percent", Digits()) for v in (0.0, 0.4, 11.5)]
    ['–', '<1%', '12%']
    >>> figure_text(float("nan"), "mean", Digits()), figure_text(1234.0, "count", Digits())
    ('n/a', '1,234')
    >>> figure_text(3.2, "column percent", Digits(), difference=True)
    '+3'
    """
    if math.isnan(value):
        return WITHHELD if mark == "withheld" else NOT_THERE
    places, unit = digits.of(figure), line_figure(figure).unit
    number = rounded(value, places)
    if difference or unit == "points":
        return words.number(f"{number:,f}" if number.is_zero() else f"{number:+,f}")
    sign = "%" if unit in ("percent", "limit") else ""
    if unit in ("percent", "count"):
        if value == 0:
            return ZERO
        if number.is_zero():
            return words.number(near_zero(places, sign))
    return words.number(f"{number:,f}{sign}")


def near_zero(digits: int, sign: str) -> str:
    """Write what stands for a figure above zero that rounds to it.

    >>> near_zero(1, "%")
    '<0.1%'
    """
    return f"<{Decimal(1).scaleb(-digits):f}{sign}"


def mark_sign(line: Line, column: int, column_marks: Sequence[Mark]) -> str:
    """Return the sign that follows a figure: on a base that of the column, elsewhere its own.

    A figure carries a sign only where its mark differs from its column's, as when few gave a value.
    """
    mark = line.marks[column]
    if line.signed or (line.kind != "base" and mark != column_marks[column]):
        return "" if math.isnan(line.values[column]) else MARK_SIGNS[mark]
    return ""


def cell_text(table: Table, line: Line, column: int) -> str:
    """Write the figure of a cell with its sign, letters aside; a heading has none."""
    value, mark = float(line.values[column]), line.marks[column]
    figure = line.figure_of(column)
    shows_difference = table.columns[column].difference is not None
    if not figure or line.kind == "heading":
        return ""
    never_there = shows_difference or is_never_there(line, table.columns[column])
    if never_there and math.isnan(value) and mark != "withheld":
        return ""
    text = figure_text(value, figure, table.digits, mark, difference=shows_difference, words=table.words)
    return text + mark_sign(line, column, table.column_marks)


def is_never_there(line: Line, column: Column) -> bool:
    """Return whether a column cannot have what a line shows: a trend, and the Total what is of groups alone."""
    return column.role == "trend" or (line.shows.of_groups and column.role in ("total", "subtotal"))
