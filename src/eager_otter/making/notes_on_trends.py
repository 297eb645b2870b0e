"""Notes on trends: what the marks mean, how they are tested, and which groups have none."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.counting.banner import BannerColumns
from eager_otter.looks.words import Words, said
from eager_otter.significance.method import TrendTest
from eager_otter.significance.registry import trend_tests
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest
from eager_otter.tables.table import Line
from eager_otter.tables.testing import HIGHER, HIGHER_LAX, LOWER, LOWER_LAX, Trend


def trend_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[Note]:
    """Say what was tested for a trend, and where there is none although one was asked for."""
    say = request.words
    trends = {(id(trend.tests), row): (trend, row) for trend, row in _trends(lines)}
    tests = list(trends.values())
    if tests:
        yield Note(_full(request), "trend", _short(request))
        yield from (Note(say(one.sentence), "tests") for one in _methods(lines))
    undecided = sum(
        bool(np.isnan(trend.tests.p_value[row])) for trend, row in tests if trend.tests is not None
    )
    if undecided:
        text = say("{count} {count:trend|trends} could not be tested.", count=undecided)
        yield Note(text, "untested", text)
    yield from _without(request, layout, {trend.at for trend, _ in tests}, say)


def _trends(lines: Sequence[Line]) -> Iterator[tuple[Trend, int]]:
    """Go through the trends behind lines, with the row of each."""
    for line in lines:
        if line.evidence is not None:
            yield from ((trend, line.evidence.row) for trend in line.evidence.trends)


def _methods(lines: Sequence[Line]) -> Iterator[TrendTest]:
    """Name the tests behind the trends of some lines."""
    tested = {line.shows.tested for line in lines if line.evidence and line.evidence.trends}
    of_shares, of_means = trend_tests()
    if tested & {"shares", "counts"}:
        yield of_shares
    if "means" in tested:
        yield of_means


def _full(request: TableRequest) -> str:
    text = said(
        "{marks} A trend runs over all columns of its group in their order; one that is left out keeps its place. "
        "Trends are tested two-sided, without correction for their number."
    )
    return request.words(text, marks=_short(request))


def _short(request: TableRequest) -> str:
    """Say what the marks of a trend mean."""
    say, levels = request.words, request.levels
    strict = said("Trend: {higher} rising, {lower} falling significantly, at the {level} % level")
    text = say(strict, higher=HIGHER, lower=LOWER, level=float(levels[0]))
    if len(levels) == 2:
        lax = said(" ({higher} {lower} at the {level} % level only)")
        text += say(lax, higher=HIGHER_LAX, lower=LOWER_LAX, level=float(levels[1]))
    return f"{text}."


def _without(request: TableRequest, layout: BannerColumns, tested: set[int], say: Words) -> Iterator[Note]:
    """Name the groups that have no trend: their columns have no order, or are too few."""
    columns = {at for at, _ in layout.trends}
    few = [group.path for group in layout.groups if columns & set(range(group.start, group.stop)) - tested]
    if few:
        text = say("No trend in {groups}: fewer than three columns can be tested.", groups=_named(few))
        yield Note(text, "untested", text)
    if request.tests.trend:
        none = [group.path for group in layout.groups if not columns & set(range(group.start, group.stop))]
        if none:
            text = say(
                "No trend in {groups}: columns have no order, or are fewer than three.",
                groups=_named(none),
            )
            yield Note(text, "untested", text)


def _named(groups: Sequence[str]) -> str:
    return ", ".join(dict.fromkeys(name for name in groups if name))
