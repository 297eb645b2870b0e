"""A one-way table as people read it: its figures side by side, a column each, in the order asked for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.core.sums import Sums
from eager_otter.figures.figure import BaseLine
from eager_otter.figures.registry import line_figure
from eager_otter.tables.request import interval_level
from eager_otter.tables.table import Column, Line, Table


def side_by_side(table: Table) -> Table:
    """Lay the figures of a one-way table side by side; any other table, or one with a single figure, stays as it is."""
    figures = list(
        dict.fromkeys(
            line.figure for line in table.lines if line.kind in ("answer", "net") and line.shows.side_by_side
        )
    )
    if len(table.columns) != 1 or len(figures) < 2:
        return table
    columns = tuple(
        Column(
            label=_head(table, figure),
            role="figure",
            group=table.columns[0].group,
            question=table.columns[0].question,
            number=table.columns[0].number,
        )
        for figure in figures
    )
    lines: list[Line] = []
    for row_lines in _rows(table.lines):
        by_figure = {line.figure: line for line in row_lines}
        if row_lines[0].kind == "base":
            lines.append(_base(row_lines[0], figures, table))
        elif set(by_figure) & set(figures):
            lines.append(_joined(row_lines[0], [by_figure.get(figure) for figure in figures]))
        else:
            lines += [_joined(line, [line, *([None] * (len(figures) - 1))]) for line in row_lines]
    return replace(
        table,
        shape="one way",
        columns=columns,
        lines=tuple(lines),
        logical=table,
    )


def _rows(lines: Sequence[Line]) -> list[list[Line]]:
    """Put the lines of a row together; bases and headings stay alone."""
    rows: list[list[Line]] = []
    for line in lines:
        if rows and line.kind in ("answer", "net") and line.continues(rows[-1][-1]):
            rows[-1].append(line)
        else:
            rows.append([line])
    return rows


def _head(table: Table, figure: str) -> str:
    shown, level = line_figure(figure), interval_level(table.levels)
    return table.words(shown.head) if shown.head else shown.sign_in(table.words, level)


def _joined(row: Line, parts: Sequence[Line | None]) -> Line:
    """Put the figures of a row into one line; a column whose figure the row does not have stays empty."""
    nothing = np.array([np.nan])
    return replace(
        row,
        figure="figures" if row.kind in ("answer", "net") else row.figure,
        values=np.concatenate([nothing if part is None else part.values for part in parts]),
        letters=tuple("" if part is None else part.letters[0] for part in parts),
        marks=tuple(row.marks[0] if part is None else part.marks[0] for part in parts),
        parts=tuple(parts),
        level=None,
    )


def _base(line: Line, figures: Sequence[str], table: Table) -> Line:
    """Repeat a base over the figures; percents of those who answered have their own."""
    answered = [_answered(line, table) if figure == "percent of answered" else None for figure in figures]
    values = [float(line.values[0]) if base is None else base for base in answered]
    parts = tuple(replace(line, values=np.array([value])) for value in values)
    return replace(
        line,
        values=np.array(values),
        letters=line.letters * len(figures),
        marks=line.marks * len(figures),
        parts=parts,
    )


def _answered(line: Line, table: Table) -> float | None:
    """Return a base of those who answered alone, where the base holds others too; None where it does not."""
    rows = {
        one.evidence.row: one.evidence.sums.rows([one.evidence.row])
        for one in table.lines
        if one.no_answer and one.evidence is not None
    }
    without = list(rows.values())
    if not without or line.evidence is None:
        return None
    return _without(line, without, interval_level(table.levels))


def _without(line: Line, without: Sequence[Sums], level: float) -> float | None:
    """Compute a base again with some people taken off it; None for a line that is no base of people."""
    assert line.evidence is not None
    base, shows = line.evidence.base, line.shows

    def left(name: str) -> FloatArray:
        return np.asarray(getattr(base, name)[:, :1] - sum(getattr(one, name)[:, :1] for one in without))

    if not isinstance(shows, BaseLine) or shows.on_demand:
        return None
    none = np.zeros((1, 0))
    answered = Sums(left("n"), left("w"), left("w2"), none, none, none)
    return float(shows.compute(answered, level)[0])
