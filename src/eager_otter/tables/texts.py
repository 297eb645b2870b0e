"""One place that turns a figure into characters. Every output shows these texts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Decimal

from eager_otter.looks.words import ENGLISH, Words, said
from eager_otter.tables.request import DIFFERENCES, LIMITS, PERCENTS, Digits, percentile_of
from eager_otter.tables.rounding import rounded
from eager_otter.tables.table import Line, Mark, Table

ZERO = "–"
WITHHELD = "··"
NOT_THERE = "n/a"

COUNTS = ("count", "unweighted count")

FIGURE_SIGNS = {
    "heading": "",
    "figures": "",
    "column percent": "%",
    "row percent": said("row %"),
    "table percent": said("table %"),
    "mention percent": said("mention %"),
    "cumulative percent": said("cum. %"),
    "percent of answered": said("% of answered"),
    "percent of answer": said("% of row"),
    "percent of outer": said("% of head"),
    "column difference": said("± points"),
    "index": said("index"),
    "percent interval low": said("{level} % from"),
    "percent interval high": said("{level} % to"),
    "difference interval low": said("± {level} % from"),
    "difference interval high": said("± {level} % to"),
    "difference": said("score"),
    "count": "n",
    "unweighted count": said("n unw."),
    "mean": said("mean"),
    "standard deviation": said("s.d."),
    "standard error": said("s.e."),
    "interval low": said("from"),
    "interval high": said("to"),
    "median": said("median"),
    "lower quartile": said("q 25"),
    "upper quartile": said("q 75"),
    "smallest": said("min."),
    "largest": said("max."),
    "sum": said("sum"),
    "mean mentions": said("mean"),
    "mentions": "n",
    "respondents": "n",
    "unweighted base": "n",
    "weighted base": "n",
    "effective base": "n",
}
FIGURE_NAMES = (  # said where a page lists the figures that its tables hold
    said("column percent"),
    said("count"),
    said("unweighted count"),
    said("row percent"),
    said("table percent"),
    said("mention percent"),
    said("cumulative percent"),
    said("percent of answered"),
    said("percent of answer"),
    said("percent of outer"),
    said("column difference"),
    said("percent interval low"),
    said("percent interval high"),
    said("difference interval low"),
    said("difference interval high"),
    said("score"),
    said("mean"),
    said("standard deviation"),
    said("standard error"),
    said("interval low"),
    said("interval high"),
    said("lower quartile"),
    said("upper quartile"),
    said("smallest"),
    said("largest"),
    said("mean mentions"),
    said("mentions"),
    said("respondents"),
)
MARK_SIGNS: dict[Mark, str] = {"": "", "low base": "*", "not tested": "**", "withheld": WITHHELD}


def figure_name(figure: str, words: Words = ENGLISH) -> str:
    """Say the name of a kind of figure; the difference of two percents is called a score.

    >>> figure_name("difference"), figure_name("row percent")
    ('score', 'row percent')
    """
    return words("score") if figure == "difference" else words(figure)


def sign_of(figure: str, words: Words = ENGLISH) -> str:
    """Give the short sign of a figure that stands beside its row.

    >>> sign_of("row percent"), sign_of("percentile 90")
    ('row %', 'p 90')
    """
    if percentile_of(figure) is not None:
        return words.number(figure.replace("percentile", "p"))
    return words(FIGURE_SIGNS.get(figure, figure))


def line_sign(line: Line, words: Words = ENGLISH) -> str:
    """Give the short sign of what a line shows, as stands beside its row; that of an interval says its level."""
    if line.level is not None and "{level}" in FIGURE_SIGNS.get(line.figure, ""):
        return words(FIGURE_SIGNS[line.figure], level=line.level)
    return sign_of(line.figure, words)


def line_label(line: Line, words: Words) -> str:
    """Say the label of a row that is one of our words."""
    share = percentile_of(line.figure)
    if share is not None:
        return words("Percentile {percent}", percent=100.0 * share)
    if line.level is not None:
        return words(line.fixed, level=line.level)
    return words(line.fixed)


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
    places = digits.of(figure)
    number = rounded(value, places)
    if difference or figure in DIFFERENCES:
        return words.number(f"{number:,f}" if number.is_zero() else f"{number:+,f}")
    sign = "%" if figure in PERCENTS or figure in LIMITS else ""
    if figure in PERCENTS or figure in COUNTS:
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
    """Give the sign that follows a figure: on a base that of the column, elsewhere its own.

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
    if (
        not figure
        or line.kind == "heading"
        or (shows_difference and math.isnan(value) and mark != "withheld")
    ):
        return ""
    text = figure_text(value, figure, table.digits, mark, difference=shows_difference, words=table.words)
    return text + mark_sign(line, column, table.column_marks)
