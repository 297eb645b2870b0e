"""The last steps that all tables share once their figures are computed: base lines, marks, the order of columns."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from eager_otter.core.arrays import IntArray
from eager_otter.core.sums import Sums
from eager_otter.figures.registry import base_lines as all_base_lines
from eager_otter.making.notes import preview_notes
from eager_otter.making.setting import Setting
from eager_otter.tables.base_rules import mark_names, marks_of
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest, interval_level
from eager_otter.tables.table import Evidence, Line, Table, TableShape
from eager_otter.tables.texts import line_label


def make_preview(request: TableRequest, everybody: Sums, setting: Setting) -> Table:
    """Make a table of bases only, with how many columns there are, how many pairs, and how many are thin."""
    marks = setting.layout.judged(marks_of(everybody, request.bases)[0])
    lines = base_lines(request, everybody, marks, weighted=setting.weighted)
    title = request.words("Banner {name}", name=request.banner.name).strip()
    notes = preview_notes(request, lines[0], setting.layout, setting.facts)
    return finished(
        request, setting, lines, notes, title=title, people=int(everybody.n[0, 0]), shape="banner"
    )


def finished(
    request: TableRequest,
    setting: Setting,
    lines: Sequence[Line],
    notes: tuple[Note, ...],
    *,
    title: str,
    people: int,
    shape: TableShape,
) -> Table:
    """Put a table together from its lines and notes, its columns in the order in which they are shown."""
    layout, say = setting.layout, request.words
    columns = tuple(
        replace(column, label=say(column.fixed)) if column.fixed else column for column in layout.columns
    )
    table = Table(
        id=request.name,
        title=f"{title} – {request.part}" if request.part else title,
        question=request.shows.name,
        shape=shape,
        columns=columns,
        groups=layout.groups,
        lines=tuple(replace(line, label=line_label(line, say)) if line.fixed else line for line in lines),
        notes=notes,
        digits=request.digits,
        levels=request.levels,
        weighted=setting.weighted,
        people=people,
        part=request.part,
        heading=request.heading,
        viewer=setting.viewer,
        asker=setting.asker,
        counted=columns,
        comparisons=layout.comparisons,
        facts=setting.facts,
        base_rules=request.bases,
        tests=request.tests,
        base=request.base_text or request.base,
        words=say,
        chart_groups=request.chart_groups,
    )
    return _in_shown_order(_with_differences(table), layout.shown)


def base_lines(request: TableRequest, base: Sums, marks: IntArray, *, weighted: bool) -> list[Line]:
    """Make the base lines wanted: unweighted, and in a weighted table weighted and effective; others on demand."""
    level = interval_level(request.levels)
    there = [line for line in all_base_lines() if weighted or not line.weighted_only]
    named = [line for line in there if line.name in request.base_rows]
    wanted = named or [line for line in there if not line.on_demand]
    none = ("",) * base.n.shape[1]
    return [
        Line(
            label=line.label,
            fixed=line.label,
            kind="base",
            figure=line.name,
            values=line.compute(base, level),
            level=level if line.has_level else None,
            letters=none,
            marks=mark_names(marks),
            signed=k == 0,
            evidence=Evidence(row=0, sums=base, base=base),
        )
        for k, line in enumerate(wanted)
    ]


def _with_differences(table: Table) -> Table:
    """Fill the columns that show one column minus another, and empty those of trends; bases have no difference."""
    places = [k for k, column in enumerate(table.columns) if column.difference is not None]
    trends = [k for k, column in enumerate(table.columns) if column.role == "trend"]
    if not places and not trends:
        return table
    lines = []
    for line in table.lines:
        values = line.values.astype(np.float64, copy=True)
        for k in places:
            a, b = table.columns[k].difference or (0, 0)
            how = line.shows.difference
            if how != "own":
                subtracted = how == "subtracted" and line.kind != "base" and not line.signed
                values[k] = values[a] - values[b] if subtracted else np.nan
        values[trends] = np.nan
        lines.append(replace(line, values=values))
    return replace(table, lines=tuple(lines))


def _in_shown_order(table: Table, shown_columns: Sequence[int]) -> Table:
    """Put the columns of a table where its banner shows them: the Total first, last or not at all."""
    if list(shown_columns) == list(range(len(table.columns))):
        return table
    chosen = list(shown_columns)
    place = {column: k for k, column in enumerate(shown_columns)}
    lines = tuple(
        replace(
            line,
            values=line.values[chosen],
            letters=tuple(line.letters[k] for k in chosen),
            marks=tuple(line.marks[k] for k in chosen),
        )
        for line in table.lines
    )
    groups = tuple(
        replace(group, start=place[group.start], stop=place[group.stop - 1] + 1) for group in table.groups
    )
    return replace(table, columns=tuple(table.columns[k] for k in chosen), groups=groups, lines=lines)


def heading_line(text: str, columns: int) -> Line:
    """Make a heading, or a blank line, over the lines that follow."""
    blank: Any = ("",) * columns
    return Line(
        label=text,
        kind="heading",
        figure="heading",
        values=np.full(columns, np.nan),
        letters=blank,
        marks=blank,
    )
