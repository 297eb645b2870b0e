"""What a chart of a table shows: one choice for slides and pictures."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from eager_otter.looks.theme import Theme, is_dark
from eager_otter.report.number_formats import number_format_of, spreadsheet_number
from eager_otter.tables.request import PERCENTS
from eager_otter.tables.table import Line, Table
from eager_otter.tables.texts import MARK_SIGNS, cell_text

ON_A_CHART = ("letters", "against", "marks", "signs")  # notes that a chart is not to be shown without
NARROW = 4  # percent: narrower pieces of a stacked bar of an office program carry no figure
ChartKind = Literal["bars", "stacked bars", "lines"]
MOST_SERIES = 6
TIME = re.compile(  # in the languages that ship
    r"wave|day|week|month|quarter|year|period|date|welle|\btag|woche|monat|quartal|jahr|datum", re.IGNORECASE
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Series:
    """One series: a value per category (None where there is none), its text, and the letters it carries."""

    name: str
    values: tuple[float | None, ...]
    texts: tuple[str, ...]
    letters: tuple[str, ...]

    def label(self, k: int) -> str:
        """Give the text of a point with its letters."""
        return f"{self.texts[k]} {self.letters[k]}".strip()


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartSpec:
    """A chart: bars by answer, bars stacked to 100 % by column, or lines over waves.

    `bases` tells the bases of the columns drawn in a sentence; `notes`, it among them, stand under the chart.
    """

    kind: ChartKind
    title: str
    categories: tuple[str, ...]
    series: tuple[Series, ...]
    percent: bool
    digits: int
    bases: str
    notes: tuple[str, ...]

    def colors(self, theme: Theme) -> tuple[str, ...]:
        """Give a colour for each series: those of a scale for stacked bars, else the palette's in turn."""
        if self.kind == "stacked bars":
            return theme.ramp(len(self.series))
        return tuple(theme.palette[k % len(theme.palette)] for k in range(len(self.series)))

    def label_color(self, color: str, theme: Theme) -> str:
        """Give the colour of the labels of a series: those of stacked bars stand on its own colour."""
        return "#FFFFFF" if self.kind == "stacked bars" and is_dark(color) else theme.ink

    @property
    def figure(self) -> str:
        """The kind of figure that is drawn: a percent or a mean."""
        return "column percent" if self.percent else "mean"

    @property
    def number_format(self) -> str:
        """The number format of what is drawn, for the numbers of `spreadsheet_values`."""
        return number_format_of(1.0, self.figure, self.digits)

    def spreadsheet_values(self, series: Series) -> list[float | None]:
        """Give the values of a series as a spreadsheet holds them: percents as fractions."""
        return [None if value is None else spreadsheet_number(value, self.figure) for value in series.values]

    @property
    def label_format(self) -> str:
        """The number format of labels: a figure in a sliver of a stacked bar cannot be read and is left out."""
        return f'[<{NARROW / 100}]"";0%' if self.kind == "stacked bars" else self.number_format


def chart_of(table: Table) -> ChartSpec | None:
    """Choose the chart of a table: None where it holds nothing to draw.

    A scale, and items side by side, become bars stacked to 100 %, a bar per column; key figures by waves become lines;
    everything else bars, a group per row. The columns are the first banner group's where it has at most six, else the
    Total.
    """
    table = table.logical or table
    columns = _columns(table)
    rows = _rows(table)
    if not rows or not columns:
        return None
    waves = bool(table.groups) and bool(TIME.search(table.groups[0].label)) and len(columns) > 1
    by_items = all(line.code and line.code in _questions(table) for line in rows)
    if waves and by_items:
        timed = [k for k in columns if k not in table.loose]
        return _spec(table, "lines", rows, timed, across=True)
    if _adds_up(table, rows, columns) and (_is_scale(table) or not table.loose):
        return _spec(table, "stacked bars", rows, columns, across=True)
    return _spec(table, "bars", rows, columns, across=False)


def _questions(table: Table) -> set[str]:
    """List the questions of a table of several: its rows carry their names as codes."""
    return {line.code for line in table.lines if "." in line.code or line.code in table.question.split(", ")}


def _columns(table: Table) -> list[int]:
    loose = list(table.loose)
    if not table.groups:
        return loose
    group = table.groups[0]
    own = [k for k in range(group.start, group.stop) if table.columns[k].difference is None]
    if not loose:
        return own[: 2 * MOST_SERIES]
    return own if len(own) <= MOST_SERIES else loose


def _rows(table: Table) -> list[Line]:
    """Take the lines to draw: percents of answers, or what each question of a table shows, else means."""
    percents = [line for line in table.body if line.kind == "answer" and line.figure in PERCENTS]
    first = percents[0].figure if percents else ""
    chosen = [line for line in percents if line.figure == first]
    if chosen:
        return chosen
    return [line for line in table.body if line.figure == "mean"]


def _is_scale(table: Table) -> bool:
    return any(crossing.rows_order == "ordered" for crossing in table.crossings)


def _adds_up(table: Table, rows: Sequence[Line], columns: Sequence[int]) -> bool:
    """Tell whether the rows are parts of a whole in every column."""
    if rows[0].figure != "column percent":
        return False
    sums = [sum(float(line.values[k]) for line in rows) for k in columns]
    there = [total for total in sums if not math.isnan(total)]
    return bool(there) and all(abs(total - 100.0) < 0.5 for total in there)


def _spec(
    table: Table, kind: ChartKind, rows: Sequence[Line], columns: Sequence[int], *, across: bool
) -> ChartSpec:
    """Lay rows and columns out as series and categories; with `across`, a series per row."""
    names = [_column_name(table, k) for k in columns]
    labels = [line.label for line in rows]
    cells = {(r, c): _cell(table, line, k) for r, line in enumerate(rows) for c, k in enumerate(columns)}
    if across:
        series = [_series(labels[r], [cells[r, c] for c in range(len(columns))]) for r in range(len(rows))]
    else:
        series = [_series(names[c], [cells[r, c] for r in range(len(rows))]) for c in range(len(columns))]
    figure = rows[0].figure
    bases = _bases(table, columns)
    return ChartSpec(
        kind=kind,
        title=table.title,
        categories=tuple(names if across else labels),
        series=tuple(series),
        percent=figure in PERCENTS,
        digits=table.digits.of(figure),
        bases=bases,
        notes=_notes(table, bases),
    )


Cell = tuple[float | None, str, str]


def _cell(table: Table, line: Line, k: int) -> Cell:
    value = float(line.values[k])
    return None if math.isnan(value) else value, cell_text(table, line, k), line.letters[k]


def _series(name: str, cells: Sequence[Cell]) -> Series:
    return Series(
        name=name,
        values=tuple(value for value, _, _ in cells),
        texts=tuple(text for _, text, _ in cells),
        letters=tuple(letters for _, _, letters in cells),
    )


def _column_name(table: Table, k: int) -> str:
    """Name a column with its letter and the sign of its mark."""
    column, mark = table.columns[k], table.column_marks[k]
    letter = f" ({column.letter})" if column.letter else ""
    return f"{column.label}{letter}{MARK_SIGNS[mark] if mark != 'withheld' else ' ··'}"


def _bases(table: Table, columns: Sequence[int]) -> str:
    """Tell the bases of the columns drawn."""
    figures = ", ".join(f"{table.columns[k].label} {cell_text(table, table.bases[0], k)}" for k in columns)
    group = next((g for g in table.groups if g.start <= columns[-1] < g.stop), None)
    shown = f", {group.path}" if group is not None and group.path else ""
    return table.words("{base}: {figures}.", base=f"{table.bases[0].label}{shown}", figures=figures)


def _notes(table: Table, bases: str) -> tuple[str, ...]:
    """Give who is counted, the bases of the columns drawn, and the short notes on filter, letters and marks."""
    first = " ".join(note.short for note in table.notes if note.about in ("base", "filter") and note.short)
    rest = (note.short for note in table.notes if note.about in ON_A_CHART and note.short)
    return tuple(text for text in (first, bases, *rest) if text)
