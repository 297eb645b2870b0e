"""A chart of a table as a picture: PNG or SVG."""

from __future__ import annotations

import io
import textwrap
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from eager_otter.errors import FileProblem, MissingPackage, RequestError, shown_path
from eager_otter.looks.theme import STANDARD, Theme
from eager_otter.report.chart_spec import ChartSpec, chart_of
from eager_otter.report.places import written_beside
from eager_otter.tables.table import Table

ENDINGS = (".png", ".svg")
INCHES = (10.0, 6.25)
DOTS = 128  # per inch: 1280 × 800
FONTS = (
    "DejaVu Sans",
    "Noto Sans CJK JP",
    "Droid Sans Fallback",
)  # those after the first where the machine has them


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """A chart of a table: shows itself in a notebook, and is written as .png or .svg."""

    spec: ChartSpec
    theme: Theme
    provenance: str = ""

    def __repr__(self) -> str:
        return f"<Picture of {self.spec.title!r}: {self.spec.kind}>"

    def _repr_png_(self) -> bytes:
        held = io.BytesIO()
        self._write(held, "png")
        return held.getvalue()

    def save(self, path: str | Path) -> Path:
        """Write it as .png or .svg: the same file for the same table. Raises RequestError, FileProblem."""
        place = Path(path)
        _check_ending(place)
        with written_beside([place]) as (beside,):
            self._write(beside, place.suffix.lower().lstrip("."))
        return place

    def _own_fonts(self) -> list[str]:
        """Make the fonts of the theme known; gives their names."""
        from matplotlib.font_manager import FontProperties, fontManager

        names = []
        for path in self.theme.font_files or ():
            try:
                fontManager.addfont(str(path))
            except (RuntimeError, OSError) as error:
                raise FileProblem(
                    f"{shown_path(path)}: is no TrueType font that can be drawn with."
                ) from error
            names.append(FontProperties(fname=str(path)).get_name())
        return list(dict.fromkeys(names))

    def _write(self, target: Path | io.BytesIO, kind: str) -> None:
        try:
            from matplotlib import rc_context
            from matplotlib.backends.backend_agg import FigureCanvasAgg
            from matplotlib.figure import Figure
            from matplotlib.font_manager import fontManager
        except ImportError as error:
            raise MissingPackage("Charts need Matplotlib: pip install 'eager-otter[charts]'") from error
        there = {font.name for font in fontManager.ttflist}
        fonts = [*self._own_fonts(), *(name for name in FONTS if name in there)]
        settings: Any = {
            "svg.hashsalt": "otter",
            "svg.fonttype": "none",
            "font.family": fonts,
            "font.size": 9,
        }
        with rc_context(settings):
            figure = Figure(figsize=INCHES, dpi=DOTS, facecolor="white")
            FigureCanvasAgg(figure)
            _draw(figure, self.spec, self.theme, self.provenance)
            metadata: Any = {"Date": None} if kind == "svg" else {"Software": None}
            figure.savefig(target, format=kind, metadata=metadata)


def picture_of(table: Table, theme: Theme = STANDARD, provenance: str = "") -> Picture:
    """Draw a table, and under it where its figures come from.

    Raises RequestError for a table without figures to draw, MissingPackage without Matplotlib.
    """
    spec = chart_of(table)
    if spec is None:
        raise RequestError(f"Table {table.id!r} holds no percents or means to draw.")
    return Picture(spec, theme, provenance)


def write_chart(table: Table, path: Path, theme: Theme = STANDARD, provenance: str = "") -> None:
    """Draw a table as .png or .svg: the same file for the same table.

    Raises RequestError for another ending or a table without figures to draw, MissingPackage without Matplotlib.
    """
    _check_ending(path)
    picture_of(table, theme, provenance)._write(path, path.suffix.lower().lstrip("."))


def _check_ending(path: Path) -> None:
    if path.suffix.lower() not in ENDINGS:
        raise RequestError(f"{path.name}: charts are written as .png or .svg.")


def _draw(figure: Any, spec: ChartSpec, theme: Theme, provenance: str) -> None:
    told = (*spec.notes, *([provenance] if provenance else []))
    notes = [line for note in told for line in textwrap.wrap(note, 175)]
    foot = 0.04 + 0.022 * len(notes)
    legend = 0.07 if len(spec.series) > 1 else 0.02
    title = textwrap.wrap(spec.title, 78)[:2]
    top = 0.95 - 0.05 * len(title)
    left = 0.06 if spec.kind == "lines" else 0.26
    axes = figure.add_axes((left, foot + legend + 0.03, 0.96 - left, top - foot - legend - 0.03))
    for depth, text in enumerate(title):
        figure.text(
            0.02, 0.95 - 0.05 * depth, text, fontsize=14, weight="bold", color=theme.river, va="center"
        )
    draw = {"bars": _bars, "stacked bars": _stacked, "lines": _lines}[spec.kind]
    draw(axes, spec, theme)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(theme.line)
    axes.tick_params(colors=theme.ink, length=0)
    if len(spec.series) > 1:
        figure.legend(
            loc="lower center",
            bbox_to_anchor=(0.5, foot),
            ncols=min(len(spec.series), 6),
            frameon=False,
            fontsize=9,
        )
    for depth, text in enumerate(reversed(notes)):
        figure.text(0.02, 0.02 + 0.022 * depth, text, fontsize=7, color=theme.quiet)


def _labels(axes: Any, names: Sequence[str], places: Sequence[float]) -> None:
    axes.set_yticks(places, ["\n".join(textwrap.wrap(name, 30)[:3]) for name in names])
    axes.invert_yaxis()


def _bars(axes: Any, spec: ChartSpec, theme: Theme) -> None:
    """Draw a group of bars per category; the figure and its letters stand behind each."""
    high = 0.82 / len(spec.series)
    size = max(5.5, min(9.0, 150 * high / max(len(spec.categories), 1)))
    largest = max((v for series in spec.series for v in series.values if v is not None), default=1.0)
    for number, (series, color) in enumerate(zip(spec.series, spec.colors(theme), strict=True)):
        places = [k - 0.41 + high * (number + 0.5) for k in range(len(spec.categories))]
        axes.barh(places, [v or 0.0 for v in series.values], high * 0.92, color=color, label=series.name)
        for k, place in enumerate(places):
            value = series.values[k]
            axes.text(
                max(value or 0.0, 0.0) + largest * 0.008, place, series.label(k), va="center", fontsize=size
            )
    _labels(axes, spec.categories, range(len(spec.categories)))
    lowest = min((v for series in spec.series for v in series.values if v is not None), default=0.0)
    axes.set_xlim(min(lowest, 0.0), max(largest, 1e-9) * 1.14)
    axes.xaxis.set_visible(False)


def _stacked(axes: Any, spec: ChartSpec, theme: Theme) -> None:
    """Draw bars stacked to 100 %; a figure stands in its piece where that is wide enough.

    Figures with letters whose pieces are narrow stand above the bar, one after the other.
    """
    starts = [0.0] * len(spec.categories)
    above = [0.0] * len(spec.categories)  # where the next figure above a bar may begin
    for series, color in zip(spec.series, spec.colors(theme), strict=True):
        widths = [value or 0.0 for value in series.values]
        axes.barh(range(len(widths)), widths, 0.7, left=starts, color=color, label=series.name)
        ink = spec.label_color(color, theme)
        for k, wide in enumerate(widths):
            text, middle = series.label(k), starts[k] + wide / 2
            if wide >= 1.15 * len(text):
                axes.text(middle, k, text, ha="center", va="center", color=ink, fontsize=8.5)
            elif series.letters[k]:
                place = max(starts[k], above[k])
                axes.text(place, k - 0.37, text, ha="left", va="bottom", color=theme.ink, fontsize=7)
                above[k] = place + 0.95 * (len(text) + 1)
            starts[k] += wide
    _labels(axes, spec.categories, range(len(spec.categories)))
    axes.set_xlim(0, 100)
    axes.xaxis.set_visible(False)


def _lines(axes: Any, spec: ChartSpec, theme: Theme) -> None:
    """Draw a line per series; labels at the last point are moved apart where they would collide."""
    places, colors = range(len(spec.categories)), spec.colors(theme)
    for series, color in zip(spec.series, colors, strict=True):
        values = [float("nan") if value is None else value for value in series.values]
        axes.plot(places, values, marker="o", color=color, label=series.name)
    largest = max((v for series in spec.series for v in series.values if v is not None), default=1.0)
    axes.set_ylim(0, largest * 1.15)
    step = largest * 0.045
    for k in places:
        given = [(one.values[k], one, n) for n, one in enumerate(spec.series) if one.values[k] is not None]
        last = -step
        for value, series, number in sorted(given, key=lambda entry: entry[0] or 0.0):
            last = max(value or 0.0, last + step)
            axes.text(k + 0.02, last + step * 0.35, series.label(k), color=colors[number], fontsize=8.5)
    axes.set_xticks(list(places), list(spec.categories))
    axes.set_xlim(-0.2, len(spec.categories) - 0.6)
    axes.grid(axis="y", color=theme.reed)
