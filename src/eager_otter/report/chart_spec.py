"""The contents of a chart of a table: one choice for slides, workbooks and pictures."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Literal

from eager_otter.core.sums import Sums
from eager_otter.dataclass import dataclass
from eager_otter.figures.registry import line_figure, line_figures
from eager_otter.gates.text import one_line
from eager_otter.looks.theme import Theme, is_dark
from eager_otter.report.number_formats import number_format_of, spreadsheet_number
from eager_otter.tables.lookup import find_group
from eager_otter.tables.request import EVERY_GROUP
from eager_otter.tables.table import Group, Line, Table
from eager_otter.tables.texts import MARK_SIGNS, cell_text, figure_text

OF_TESTS, OF_SIGNS = ("letters", "against"), ("marks", "signs")  # what is not to be shown without its note
NARROW = 4  # percent: narrower pieces of a stacked bar of an office program carry no figure
ChartKind = Literal["bars", "stacked bars", "lines"]
MOST_SERIES = 6  # columns of a banner group that is drawn unasked


@dataclass(frozen=True, slots=True, kw_only=True)
class Series:
    """One series: a value per category (None where there is none), its text, and the letters it carries."""

    name: str
    values: tuple[float | None, ...]
    texts: tuple[str, ...]
    letters: tuple[str, ...]

    def label(self, k: int) -> str:
        """Return the text of a point with its letters."""
        return f"{self.texts[k]} {self.letters[k]}".strip()


@dataclass(frozen=True, slots=True, kw_only=True)
class ChartSpec:
    """A chart: bars by answer, bars stacked to 100 % by column, or lines over waves.

    All values are of one `figure`: percents (0 to 100), means, or scores (the difference of two percents, which may be
    below zero). `group` is the banner group whose columns are drawn, "" for the Total; `subtitle` says so. `bases`
    tells the bases of what is drawn in a sentence; `notes`, it among them, are under the chart. A part of a larger
    chart knows the `whole`, whose axis it has.
    """

    kind: ChartKind
    title: str
    subtitle: str
    group: str
    categories: tuple[str, ...]
    series: tuple[Series, ...]
    figure: str
    digits: int
    bases: str
    notes: tuple[str, ...]
    whole: ChartSpec | None = None

    @property
    def percent(self) -> bool:
        """Whether percents are drawn."""
        return line_figure(self.figure).unit == "percent"

    @property
    def lowest(self) -> float:
        """The lowest value drawn, at most 0: where the axis of values begins."""
        return min(0.0, *self._there())

    @property
    def highest(self) -> float:
        """The highest value drawn, at least 0."""
        return max(0.0, *self._there())

    def _there(self) -> list[float]:
        series = (self.whole or self).series
        return [0.0, *(v for one in series for v in one.values if v is not None)]

    @property
    def longest_label(self) -> int:
        """The number of characters of the longest figure with its letters."""
        whole = self.whole or self
        return max(len(series.label(k)) for series in whole.series for k in range(len(whole.categories)))

    def colors(self, theme: Theme) -> tuple[str, ...]:
        """Return a colour for each series: those of a scale for stacked bars, else the palette's and tints of it."""
        if self.kind == "stacked bars":
            return theme.ramp(len(self.series))
        return tuple(theme.series_color(k) for k in range(len(self.series)))

    def rounds(self, theme: Theme) -> tuple[int, ...]:
        """Return for each series how often the palette was used up before it: those of a round share a pattern."""
        if self.kind == "stacked bars":
            return (0,) * len(self.series)
        return tuple(k // len(theme.palette) for k in range(len(self.series)))

    def label_color(self, color: str, theme: Theme) -> str:
        """Return the colour of the labels of a series: those of stacked bars are on its own colour."""
        return "#FFFFFF" if self.kind == "stacked bars" and is_dark(color) else theme.ink

    @property
    def number_format(self) -> str:
        """The number format of what is drawn, for the numbers of `spreadsheet_values`."""
        return number_format_of(1.0, self.figure, self.digits)

    def spreadsheet_values(self, series: Series) -> list[float | None]:
        """Return the values of a series as a spreadsheet holds them: percents as fractions."""
        return [None if value is None else spreadsheet_number(value, self.figure) for value in series.values]

    @property
    def label_format(self) -> str:
        """The number format of labels: a figure in a sliver of a stacked bar cannot be read and is left out."""
        return f'[<{NARROW / 100}]"";0%' if self.kind == "stacked bars" else self.number_format

    def split(self, most: int) -> list[ChartSpec]:
        """Spread the categories over several charts of at most so many bars; a chart of lines stays whole."""
        if self.kind == "lines":
            return [self]
        per_category = len(self.series) if self.kind == "bars" else 2
        step = max(1, most // per_category)
        parts = math.ceil(len(self.categories) / step)
        step = math.ceil(len(self.categories) / parts)
        return [self._some(start, start + step) for start in range(0, len(self.categories), step)]

    def _some(self, start: int, stop: int) -> ChartSpec:
        series = tuple(
            replace(
                one,
                values=one.values[start:stop],
                texts=one.texts[start:stop],
                letters=one.letters[start:stop],
            )
            for one in self.series
        )
        return replace(self, categories=self.categories[start:stop], series=series, whole=self)


def chart_of(table: Table, group: str = "") -> ChartSpec | None:
    """Choose the chart of a table: None where it holds nothing to draw.

    A scale, and items side by side, become bars stacked to 100 %, a bar per column; key figures by waves become lines;
    everything else bars, a group per row. The columns are those of `group` (a label or question of the banner) or,
    where none is named, of the first group with at most six columns, else the Total. Raises UnknownName.
    """
    table = table.logical or table
    columns = _columns(table, group)
    rows, left_out = _rows(table)
    if not rows or not columns:
        return None
    drawn = next((one for one in table.groups if one.start <= columns[-1] < one.stop), None)
    waves = drawn is not None and drawn.over_time and len(columns) > 1
    by_items = all(line.code and line.code in _questions(table) for line in rows)
    if waves and by_items:
        timed = [k for k in columns if k not in table.loose]
        return _spec(table, "lines", rows, timed, drawn, left_out, across=True)
    if _adds_up(table, rows, columns) and (_is_scale(table) or not table.loose):
        return _spec(table, "stacked bars", rows, columns, drawn, left_out, across=True)
    return _spec(table, "bars", rows, columns, drawn, left_out, across=False)


def charts_of(table: Table, groups: Sequence[str] = ()) -> list[ChartSpec]:
    """Return the charts of a table: for the groups named, else for those that the table asks for, else the usual one.

    "all" stands for every group of the banner. Raises UnknownName.
    """
    wanted = list(groups or table.chart_groups)
    if EVERY_GROUP in wanted:
        wanted = [one.path for one in (table.logical or table).groups]
    specs = (chart_of(table, group) for group in wanted or [""])
    return [spec for spec in specs if spec is not None]


def _questions(table: Table) -> set[str]:
    """List the questions of a table of several: its rows carry their names as codes."""
    return {line.code for line in table.lines if "." in line.code or line.code in table.question.split(", ")}


def _columns(table: Table, wanted: str) -> list[int]:
    loose = list(table.loose)
    if wanted:
        return _shown(table, find_group(table.groups, table.columns, wanted, f"table {table.id!r}"))
    if not table.groups:
        return loose
    group_columns = _shown(table, table.groups[0])
    if not loose:
        return group_columns
    return group_columns if len(group_columns) <= MOST_SERIES else loose


def _shown(table: Table, group: Group) -> list[int]:
    return [k for k in range(group.start, group.stop) if table.columns[k].role not in ("difference", "trend")]


def _rows(table: Table) -> tuple[list[Line], list[Line]]:
    """Take the lines to draw, all of one figure, and those of other figures that cannot share an axis.

    They are percents of answers, or what each question of a table shows, else means, else scores.
    """
    answers = [line for line in table.body if line.kind == "answer" and line.shows.unit == "percent"]
    items = [line for line in table.body if line.kind == "answer" and line.code in _questions(table)]
    figures = [line for line in items if line.shows.source != "base"]
    if figures:
        chosen = [line for line in figures if line.figure == figures[0].figure]
        return chosen, [line for line in figures if line.figure != figures[0].figure]
    if answers:
        return [line for line in answers if line.figure == answers[0].figure], []
    for shown in line_figures():
        rows = [line for line in table.body if line.figure == shown.name and shown.drawn_alone]
        if rows:
            return rows, []
    return [], []


def _is_scale(table: Table) -> bool:
    return any(crossing.answers_in_order for crossing in table.crossings)


def _adds_up(table: Table, rows: Sequence[Line], columns: Sequence[int]) -> bool:
    """Return whether the rows are parts of a whole in every column."""
    if rows[0].shows.tested != "shares":
        return False
    sums = [sum(float(line.values[k]) for line in rows) for k in columns]
    there = [total for total in sums if not math.isnan(total)]
    return bool(there) and all(abs(total - 100.0) < 0.5 for total in there)


def _spec(
    table: Table,
    kind: ChartKind,
    rows: Sequence[Line],
    columns: Sequence[int],
    group: Group | None,
    left_out: Sequence[Line],
    *,
    across: bool,
) -> ChartSpec:
    """Lay rows and columns out as series and categories; with `across`, a series per row."""
    names = [_column_name(table, k) for k in columns]
    labels = [line.label for line in rows]
    cells = {(r, c): _cell(table, line, k) for r, line in enumerate(rows) for c, k in enumerate(columns)}
    if across:
        series = [_series(labels[r], [cells[r, c] for c in range(len(columns))]) for r in range(len(rows))]
    else:
        series = [_series(names[c], [cells[r, c] for r in range(len(rows))]) for c in range(len(columns))]
    figure, path = rows[0].figure, "" if group is None else group.path
    items = all(table.columns[k].code == table.columns[k].question != "" for k in columns)
    bases = _bases(table, rows, columns, path)
    return ChartSpec(
        kind=kind,
        title=one_line(table.title),
        subtitle=one_line(table.words("by {groups}", groups=path)) if path and not items else "",
        group=path,
        categories=tuple(map(one_line, names if across else labels)),
        series=tuple(series),
        figure=figure,
        digits=table.digits.of(figure),
        bases=one_line(bases),
        notes=tuple(
            map(one_line, (*_notes(table, bases, left_out), *_notes_on_signs(table, rows, columns, group)))
        ),
    )


Cell = tuple[float | None, str, str]


def _cell(table: Table, line: Line, k: int) -> Cell:
    value = float(line.values[k])
    return None if math.isnan(value) else value, cell_text(table, line, k), line.letters[k]


def _series(name: str, cells: Sequence[Cell]) -> Series:
    return Series(
        name=one_line(name),
        values=tuple(value for value, _, _ in cells),
        texts=tuple(text for _, text, _ in cells),
        letters=tuple(letters for _, _, letters in cells),
    )


def _column_name(table: Table, k: int) -> str:
    """Name a column with its letter and the sign of its mark."""
    column, mark = table.columns[k], table.column_marks[k]
    letter = f" ({column.letter})" if column.letter else ""
    return f"{column.label}{letter}{MARK_SIGNS[mark] if mark != 'withheld' else ' ··'}"


def _bases(table: Table, rows: Sequence[Line], columns: Sequence[int], group: str) -> str:
    """Return the bases of what is drawn in the columns drawn: of all rows, of the values, or the smallest of items."""
    say, first = table.words, table.bases[0]
    base_sums: dict[int, Sums] = {
        id(line.evidence.base): line.evidence.base for line in rows if line.evidence
    }
    label = first.label
    texts = {k: cell_text(table, first, k) for k in columns}
    if len(base_sums) == 1 and first.evidence is not None and id(first.evidence.base) not in base_sums:
        ((base),) = base_sums.values()
        label = say("Respondents with a value")
        texts = {
            k: figure_text(
                float(base.n[0, table.columns[k].number]), "unweighted base", table.digits, words=say
            )
            for k in columns
        }
    figures = ", ".join(f"{table.columns[k].label} {texts[k]}" for k in columns)
    return say("{base}: {figures}.", base=f"{label}{f', {group}' if group else ''}", figures=figures)


def _notes(table: Table, bases: str, left_out: Sequence[Line]) -> Iterator[str]:
    """Go through who is counted, past which filter, and the bases of what is drawn."""
    first = " ".join(note.short for note in table.notes if note.about in ("base", "filter") and note.short)
    if first:
        yield first
    yield bases
    if left_out:
        rows = ", ".join(line.label for line in left_out)
        yield table.words("Not drawn, as in other units: {rows}.", rows=rows)


def _notes_on_signs(
    table: Table, rows: Sequence[Line], columns: Sequence[int], group: Group | None
) -> Iterator[str]:
    """Go through the short notes on letters, marks and signs: of those that are drawn, not of all in the table."""
    cells = [(line, k) for line in rows for k in columns]
    marks = {table.column_marks[k] for k in columns} | {line.marks[k] for line, k in cells}
    drawn = {"", *(MARK_SIGNS[mark] for mark in marks), *(cell_text(table, line, k) for line, k in cells)}
    lettered = any(table.columns[k].letter or line.letters[k] for line, k in cells)
    for note in table.notes:
        of_tests = note.about in OF_TESTS and (lettered or group is not None)
        if note.short and (of_tests or (note.about in OF_SIGNS and note.sign in drawn)):
            yield note.short
