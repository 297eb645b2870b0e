"""Minimum bases: how columns are judged, and what is shown of them."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, effective_base
from eager_otter.core.sums import Sums
from eager_otter.tables.request import BaseRules
from eager_otter.tables.table import MARKS, Mark

EDGE = 1e-9  # an effective base this little below a threshold is at it: rounding, not fewer people
OFFERED, PARTLY_OFFERED, NOT_OFFERED = range(
    3
)  # what was offered to the people of a column: see `with_offers`
NOT_TESTED, WITHHELD, NOT_ASKED, PARTLY = range(MARKS.index("not tested"), len(MARKS))


def marks_of(base: Sums, rules: BaseRules) -> IntArray:
    """Judge bases by the rules: positions in MARKS, (rows, columns); the severest that fits.

    An empty column carries the mark of its base of 0.
    """
    judged = (
        base.n if rules.judged_on == "unweighted base" else np.nan_to_num(effective_base(base.w, base.w2))
    )
    marks = np.zeros(judged.shape, np.int64)
    for position, threshold in ((1, rules.mark), (2, rules.no_test), (3, rules.withhold)):
        if threshold is not None:
            marks[_below(judged, threshold)] = position
    return marks


def with_differences(marks: IntArray, differences: tuple[IntArray, IntArray]) -> IntArray:
    """Let each column that shows a difference carry the severer mark of its two: (columns,).

    `differences` are the pairs of columns (p, 2) and the places of the columns that show them (p,).
    """
    pairs, places = differences
    judged = marks.copy()
    judged[places] = np.maximum(marks[pairs[:, 0]], marks[pairs[:, 1]])
    return judged


def _below(judged: FloatArray, threshold: float) -> BoolArray:
    return np.asarray(judged < threshold - EDGE)


def shown(values: FloatArray, marks: IntArray) -> FloatArray:
    """Take figures out that are withheld, or of a question that was not asked: (columns,), NaN there."""
    return np.where((marks == WITHHELD) | (marks == NOT_ASKED), np.nan, values)


def with_offers(marks: IntArray, offers: IntArray) -> IntArray:
    """Judge columns by what was offered to those in them as well, `offers` (columns,): all of it, not to all, nothing.

    What was withheld stays withheld.
    """
    judged = np.where((offers == PARTLY_OFFERED) & (marks != WITHHELD), PARTLY, marks)
    return np.where(offers == NOT_OFFERED, NOT_ASKED, judged)


def mark_names(marks: IntArray) -> tuple[Mark, ...]:
    """Name the marks of the columns."""
    return tuple(MARKS[mark] for mark in marks.tolist())
