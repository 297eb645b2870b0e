"""Native charts in a workbook: each under its table, drawn from cells of one sheet that holds what is drawn."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from eager_otter.gates.text import title_of_chart
from eager_otter.looks.theme import Theme
from eager_otter.report.chart_spec import ChartSpec, Series, charts_of
from eager_otter.report.sheets import Book, Sheet, Style, plain_style, title_style
from eager_otter.tables.table import Table

WIDTH = 860  # pixels
HEAD, FOOT, LINE = 150, 40, 300  # title and legend; bases; the height of lines over waves
BAR = {"bars": 17, "stacked bars": 34}  # pixels of a bar
GAP, TALLEST = 8, 4000
ROW = 20  # pixels of a row without a height of its own
MOST_LABELLED = 4  # lines: of more, only the last points are labelled
LABEL_ROOM = 0.013  # of the axis, for a character of a label
DASHES = ("solid", "dash", "round_dot", "dash_dot")  # of series whose colours have stood before
USUAL_COLUMN = 64  # pixels of a column without a width of its own


class WorkbookCharts:
    """Puts charts under tables, and at the end, on a sheet of its own, what they draw."""

    def __init__(self, book: Book, theme: Theme) -> None:
        self.book, self.theme = book, theme
        self.name = book.free_name(book.say("Chart data"))
        self.drawn: list[tuple[int, ChartSpec]] = []
        self.row = 0

    def draw(self, sheet: Sheet, table: Table, row: int) -> int:
        """Draw the charts of a table, one under the other, from a row of its sheet on; gives the row behind them."""
        for spec in charts_of(table):
            self.drawn.append((self.row, spec))
            chart = self._chart(spec, self.row + 1)
            self.row += len(spec.categories) + 3
            height = _height(spec)
            chart.set_size({"width": WIDTH, "height": height})
            sheet.chart(row, 0, chart, spec.title)
            row += math.ceil(height / ROW) + 1
        return row

    def write_data(self) -> None:
        """Write the sheet of what is drawn, where anything is."""
        if not self.drawn:
            return
        sheet = self.book.named(self.name)
        for row, spec in self.drawn:
            self._write_block(sheet, row, spec)
        widest = max(len(spec.series) for _, spec in self.drawn)
        sheet.widths([46, *[14] * widest])
        sheet.print_set_up(title=self.name, rows=None, columns=0, breaks=(), wide=1)
        sheet.print_area(self.row, widest + 1)

    def _write_block(self, sheet: Sheet, row: int, spec: ChartSpec) -> None:
        """Write what a chart draws: categories down, series across."""
        plain = plain_style(self.theme)
        head: Style = {**plain, "bold": True, "bg_color": self.theme.reed, "text_wrap": True}
        sheet.text(row, 0, spec.title, {**title_style(self.theme), "font_size": self.theme.size})
        sheet.text(row + 1, 0, "", head)
        for column, series in enumerate(spec.series, 1):
            sheet.text(row + 1, column, series.name, {**head, "align": "right"})
        number = {**plain, "num_format": spec.number_format}
        for place, category in enumerate(spec.categories, row + 2):
            sheet.text(place, 0, category, plain)
            for column, series in enumerate(spec.series, 1):
                value = spec.spreadsheet_values(series)[place - row - 2]
                if value is not None:
                    sheet.number(place, column, value, number)

    def _chart(self, spec: ChartSpec, top: int) -> Any:
        kinds = {
            "bars": {"type": "bar"},
            "stacked bars": {"type": "bar", "subtype": "percent_stacked"},
            "lines": {"type": "line"},
        }
        chart = self.book.chart(kinds[spec.kind])
        first, last = top + 1, top + len(spec.categories)
        drawn = zip(spec.series, spec.colors(self.theme), spec.rounds(self.theme), strict=True)
        for column, (series, color, used) in enumerate(drawn, 1):
            chart.add_series(
                {
                    "name": [self.name, top, column],
                    "categories": [self.name, first, 0, last, 0],
                    "values": [self.name, first, column, last, column],
                    "data_labels": self._labels(spec, series, color),
                    **_looks(spec, color, used, self.theme.ink),
                }
            )
        self._axes(chart, spec)
        chart.set_title(
            {
                "name": title_of_chart(" – ".join(filter(None, (spec.title, spec.subtitle)))),
                "overlay": False,
                "name_font": self._font(11, self.theme.river, bold=True),
            }
        )
        if len(spec.series) > 1:
            chart.set_legend({"position": "bottom", "font": self._font(9)})
        else:
            chart.set_legend({"none": True})
        chart.show_na_as_empty_cell()
        return chart

    def _axes(self, chart: Any, spec: ChartSpec) -> None:
        """Percents start from zero; the bases are at the axis along the bottom."""
        bases = {"name": title_of_chart(spec.bases), "name_font": self._font(8, self.theme.quiet)}
        quiet = {"line": {"none": True}, "major_gridlines": {"visible": False}, "major_tick_mark": "none"}
        numbers: dict[str, Any] = {"num_font": self._font(9), "num_format": spec.number_format}
        categories: dict[str, Any] = {"num_font": self._font(9), "line": {"color": self.theme.line}}
        share, unit = 1 + spec.longest_label * LABEL_ROOM, 100.0 if spec.percent else 1.0
        if spec.lowest < 0:
            categories["label_position"] = "low"  # not over the bars that hang below zero
        else:
            numbers["min"] = 0
        if spec.kind == "bars":
            numbers["max"] = max(spec.highest, 1e-9) * share / unit
            numbers |= {"min": spec.lowest * share / unit} if spec.lowest < 0 else {}
        if spec.kind == "lines":
            grid = {"visible": True, "line": {"color": self.theme.reed}}
            chart.set_x_axis({**categories, **bases})
            chart.set_y_axis({**numbers, "line": {"none": True}, "major_gridlines": grid})
        else:
            chart.set_x_axis({**numbers, **quiet, **bases, "label_position": "none"})
            chart.set_y_axis({**categories, "reverse": True, "crossing": "max"})

    def _labels(self, spec: ChartSpec, series: Series, color: str) -> dict[str, Any]:
        """Label every point with its figure, and with its letters those that carry some."""
        ink = spec.label_color(color, self.theme)
        labels: dict[str, Any] = {
            "value": True,
            "num_format": spec.label_format,
            "font": self._font(8, ink),
        }
        if spec.kind == "bars":
            labels["position"] = "outside_end"
        if spec.kind == "lines":
            labels["position"] = "above"
        series_labels: list[dict[str, Any] | None] = [
            {"value": series.label(k), "font": self._font(8, ink)}
            if series.letters[k] and value is not None
            else None
            for k, value in enumerate(series.values)
        ]
        if spec.kind == "lines" and len(spec.series) > MOST_LABELLED:
            series_labels = [
                *({"delete": True} for _ in series_labels[:-1]),
                series_labels[-1],
            ]  # labels of many lines would collide
        if any(series_labels):
            labels["custom"] = series_labels
        return labels

    def _font(self, size: int, color: str = "", *, bold: bool = False) -> dict[str, Any]:
        return {"name": self.theme.font, "size": size, "color": color or self.theme.ink, "bold": bold}


def columns_under(widths: Sequence[float]) -> int:
    """Count the columns that a chart lies over, from the widths of the first ones in characters.

    >>> columns_under([30.0]), columns_under([200.0, 10.0])
    (12, 1)
    """
    pixels, count = 0.0, 0
    while pixels < WIDTH:
        pixels += 7 * widths[count] + 5 if count < len(widths) else USUAL_COLUMN
        count += 1
    return count


def _looks(spec: ChartSpec, color: str, used: int, outline: str) -> dict[str, Any]:
    if spec.kind == "lines":
        filled = {"fill": {"color": color}, "border": {"color": color}}
        line = {"color": color, "width": 2, "dash_type": DASHES[used % len(DASHES)]}
        return {"line": line, "marker": {"type": "circle", "size": 6, **filled}}
    gap = 40 if spec.kind == "stacked bars" else 45
    border = {"color": outline} if used else {"none": True}
    return {"fill": {"color": color}, "border": border, "gap": gap}


def _height(spec: ChartSpec) -> int:
    """Return the height of a chart in pixels, by its bars."""
    if spec.kind == "lines":
        return LINE + HEAD
    bars = len(spec.categories) * (len(spec.series) if spec.kind == "bars" else 1)
    room = bars * BAR[spec.kind] + GAP * len(spec.categories)
    return min(HEAD + FOOT + room, TALLEST)
