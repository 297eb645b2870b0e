"""A chart of a table as a picture: PNG or SVG."""

from __future__ import annotations

import io
import math
import textwrap
import warnings
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.errors import MissingPackage, RequestError
from eager_otter.gates.outputs import install_line
from eager_otter.gates.reading import reading
from eager_otter.gates.text import one_line
from eager_otter.gates.writing import write_bytes, written_beside
from eager_otter.looks.theme import STANDARD, Theme
from eager_otter.report.chart_spec import ChartSpec, chart_of, charts_of
from eager_otter.tables.table import Table
from eager_otter.version import __version__

ENDINGS = (".png", ".svg")
INCHES = (10.0, 6.25)
TITLE_LINE, SUBTITLE_LINE, NOTE_LINE, LEGEND_LINE = 0.3, 0.22, 0.137, 0.24  # inches
BAR, LABEL_LINE, BETWEEN, AROUND = 0.15, 0.15, 0.08, 2.0  # inches: a bar, a line of a label, around them
LABEL_LINES, LEGEND_COLUMNS, LEGEND_LONGEST = 3, 6, 28
USUAL_LEGEND = 3  # rows of a legend for which there is room
LEGEND_KEY = 45.0  # points of a legend's entry that are not its name
WIDEST_CHARACTER = 0.62  # of the size of the type
HATCHES = ("", "///", "...", "xx")  # of series whose colours have stood before
DASHES = ("-", "--", ":", "-.")
MARKERS = ("o", "s", "^", "D")
DOTS = 128  # per inch: 1280 × 800
FONTS = (
    "DejaVu Sans",
    "Noto Sans CJK JP",
    "Droid Sans Fallback",
)  # those after the first where the machine has them


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """A chart of a table: shows itself in a notebook, and is written as .png or .svg.

    `spec` is what is drawn, `theme` how; `provenance` is the line at its foot.
    """

    spec: ChartSpec
    theme: Theme
    provenance: str = ""

    def __repr__(self) -> str:
        return f"<Picture of {self.spec.title!r}: {self.spec.kind}>"

    def _repr_png_(self) -> bytes:
        content = io.BytesIO()
        self._draw_into(content, "png")
        return content.getvalue()

    @checked
    def save(self, path: str | Path, *, force: bool = False) -> Path:
        """Write it as .png or .svg: the same file for the same table.

        Without `force`, a file that was not made by this package is not replaced. Raises RequestError, FileProblem.

        `path` ends in .png or .svg; a file that was not made by this package is replaced only with `force`.
        """
        place = Path(path)
        _check_ending(place)
        with written_beside([place], force=force) as (beside,):
            self.write(beside)
        return place

    def write(self, path: Path) -> None:
        """Draw it into a file, as its ending says. Raises FileProblem, MissingPackage without Matplotlib.

        `path` is where it is written.
        """
        content = io.BytesIO()
        self._draw_into(content, path.suffix.lower().lstrip("."))
        write_bytes(path, content.getbuffer())

    def _own_fonts(self) -> list[str]:
        """Make the fonts of the theme known; gives their names."""
        from matplotlib.font_manager import FontProperties, fontManager

        names = []
        for path in self.theme.font_files or ():
            with reading(path, "a TrueType font that can be drawn with"):
                fontManager.addfont(str(path))
            names.append(FontProperties(fname=str(path)).get_name())
        return list(dict.fromkeys(names))

    def _draw_into(self, target: io.BytesIO, kind: str) -> None:
        try:
            from matplotlib import rc_context
            from matplotlib.backends.backend_agg import FigureCanvasAgg
            from matplotlib.figure import Figure
            from matplotlib.font_manager import fontManager
        except ImportError as error:
            raise MissingPackage(f"Charts need Matplotlib: {install_line('charts')}") from error
        there = {font.name for font in fontManager.ttflist}
        fonts = [*self._own_fonts(), *(name for name in FONTS if name in there)]
        settings: Any = {
            "svg.hashsalt": "otter",
            "svg.fonttype": "none",
            "text.parse_math": False,  # a dollar is a dollar
            "font.family": fonts,
            "font.size": 9,
        }
        with rc_context(settings):
            figure = Figure(figsize=size_of(self.spec), dpi=DOTS, facecolor="white")
            FigureCanvasAgg(figure)
            _draw(figure, self.spec, self.theme, self.provenance)
            with warnings.catch_warnings():  # of characters that no font here has: a box is drawn for them
                warnings.filterwarnings("ignore", message="Glyph .* missing from")
                figure.savefig(target, format=kind, metadata=maker_of_picture(kind))


def maker_of_picture(kind: str) -> dict[str, str | None]:
    """Say in a picture ("png" or "svg") who made it, and no time."""
    maker = f"eager-otter {__version__}"
    return {"Date": None, "Creator": maker} if kind == "svg" else {"Software": maker}


def picture_of(table: Table, theme: Theme = STANDARD, provenance: str = "", *, group: str = "") -> Picture:
    """Draw the columns of a banner group of a table, or the usual ones, and under it where its figures come from.

    Raises RequestError for a table without figures to draw, UnknownName, MissingPackage without Matplotlib.
    """
    spec = chart_of(table, group)
    if spec is None:
        raise RequestError(f"Table {table.id!r} holds no percents, means or scores to draw.")
    return Picture(spec, theme, provenance)


def pictures_of(
    table: Table, theme: Theme = STANDARD, provenance: str = "", *, groups: Sequence[str] = ()
) -> list[Picture]:
    """Draw each chart of a table: of the groups named ("all" for every one), else of those that the table asks for.

    Raises what `picture_of` raises.
    """
    pictures = [Picture(spec, theme, provenance) for spec in charts_of(table, groups)]
    if not pictures:
        raise RequestError(f"Table {table.id!r} holds no percents, means or scores to draw.")
    return pictures


def _check_ending(path: Path) -> None:
    if path.suffix.lower() not in ENDINGS:
        raise RequestError(f"{path.name}: charts are written as .png or .svg.")


def _draw(figure: Any, spec: ChartSpec, theme: Theme, provenance: str) -> None:
    footers = (*spec.notes, *([one_line(provenance)] if provenance else []))
    notes = [line for note in footers for line in textwrap.wrap(note, 175)]
    width, height = figure.get_size_inches()
    title = textwrap.wrap(spec.title, 78)[:2]
    above = 0.3 + TITLE_LINE * len(title) + (SUBTITLE_LINE if spec.subtitle else 0.0)  # inches
    foot = 0.25 + NOTE_LINE * len(notes)
    names = [_cut(series.name, LEGEND_LONGEST) for series in spec.series]
    beside = _legend_columns(names, width * 72)
    rows = math.ceil(len(spec.series) / beside) if len(spec.series) > 1 else 0
    below = foot + LEGEND_LINE * rows + (0.3 if spec.kind == "lines" else 0.1)
    left = 0.06 if spec.kind == "lines" else 0.26
    axes = figure.add_axes((left, below / height, 0.97 - left, 1 - (above + below) / height))
    for depth, text in enumerate(title):
        at = 1 - (0.3 + TITLE_LINE * depth) / height
        figure.text(0.02, at, text, fontsize=14, weight="bold", color=theme.river, va="center")
    if spec.subtitle:
        at = 1 - (0.28 + TITLE_LINE * len(title)) / height
        figure.text(0.02, at, spec.subtitle, fontsize=10, color=theme.quiet, va="center")
    room = (0.97 - left) * width * 72  # points across
    draw = {"bars": _bars, "stacked bars": _stacked, "lines": _lines}[spec.kind]
    draw(axes, spec, theme, room)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    for side in ("left", "bottom"):
        axes.spines[side].set_color(theme.line)
    axes.tick_params(colors=theme.ink, length=0)
    if len(spec.series) > 1:
        figure.legend(
            axes.get_legend_handles_labels()[0],
            names,
            loc="lower center",
            bbox_to_anchor=(0.5, foot / height),
            ncols=beside,
            frameon=False,
            fontsize=9,
        )
    for depth, text in enumerate(reversed(notes)):
        figure.text(0.02, (0.12 + NOTE_LINE * depth) / height, text, fontsize=7, color=theme.quiet)


def _legend_columns(names: Sequence[str], width: float) -> int:
    """Count the columns of a legend that fit beside each other, in `width` points."""
    longest = max(map(len, names)) * 9 * WIDEST_CHARACTER + LEGEND_KEY
    return max(1, min(len(names), LEGEND_COLUMNS, int(width / longest)))


def size_of(spec: ChartSpec) -> tuple[float, float]:
    """Return the size of a picture in inches: higher than usual where its bars or labels need the room."""
    if spec.kind == "lines":
        return INCHES
    bars = len(spec.series) if spec.kind == "bars" else 2
    rows = sum(max(BAR * bars, LABEL_LINE * len(_wrapped(name))) + BETWEEN for name in spec.categories)
    names = [_cut(series.name, LEGEND_LONGEST) for series in spec.series]
    legend = math.ceil(len(names) / _legend_columns(names, INCHES[0] * 72))
    more = LEGEND_LINE * max(legend - USUAL_LEGEND, 0)
    return INCHES[0], max(INCHES[1], rows + AROUND) + more


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"


def _wrapped(name: str) -> list[str]:
    lines = textwrap.wrap(name, 30) or [""]
    return (
        lines
        if len(lines) <= LABEL_LINES
        else [*lines[: LABEL_LINES - 1], _cut(lines[LABEL_LINES - 1] + "……", 30)]
    )


def _labels(axes: Any, names: Sequence[str], places: Sequence[float]) -> None:
    axes.set_yticks(places, ["\n".join(_wrapped(name)) for name in names])
    axes.set_ylim(len(names) - 0.5, -0.6)


def _bars(axes: Any, spec: ChartSpec, theme: Theme, room: float) -> None:
    """Draw a group of bars per category; the figure and its letters are behind each."""
    high, size = 0.82 / len(spec.series), 8.0
    low, top = _limits(spec, room, size)
    gap = (top - low) * 4 / room
    drawn = zip(spec.series, spec.colors(theme), spec.rounds(theme), strict=True)
    for number, (series, color, used) in enumerate(drawn):
        places = [k - 0.41 + high * (number + 0.5) for k in range(len(spec.categories))]
        axes.barh(
            places,
            [v or 0.0 for v in series.values],
            high * 0.92,
            color=color,
            hatch=HATCHES[used % len(HATCHES)],
            edgecolor="white",
            linewidth=0,
            label=series.name,
        )
        for k, place in enumerate(places):
            value = series.values[k] or 0.0
            at, side = (value - gap, "right") if value < 0 else (value + gap, "left")
            axes.text(at, place, series.label(k), va="center", ha=side, fontsize=size)
    _labels(axes, spec.categories, range(len(spec.categories)))
    axes.set_xlim(low, top)
    if spec.lowest < 0:
        axes.axvline(0, color=theme.line, linewidth=1)
        axes.spines["left"].set_visible(False)
    axes.xaxis.set_visible(False)


def _limits(spec: ChartSpec, room: float, size: float) -> tuple[float, float]:
    """Return the ends of an axis of values through zero on which every label has room beside its bar.

    `room` is the length of the axis and `size` that of the type, in points.
    """
    longest = spec.longest_label * size * WIDEST_CHARACTER + 8
    span = max(spec.highest - spec.lowest, 1e-9)
    sides = 2 if spec.lowest < 0 else 1
    unit = span / max(room - sides * longest, room / 4)  # of values, a point
    return spec.lowest - (longest * unit if spec.lowest < 0 else 0.0), spec.highest + longest * unit


def _stacked(axes: Any, spec: ChartSpec, theme: Theme, room: float) -> None:
    """Draw bars stacked to 100 %; a figure is in its piece where that is wide enough.

    Figures with letters whose pieces are narrow are above the bar, one after the other.
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
                need = 0.95 * (len(text) + 1)
                place = min(max(starts[k], above[k]), 100 - need)  # never over the edge
                axes.text(place, k - 0.37, text, ha="left", va="bottom", color=theme.ink, fontsize=7)
                above[k] = place + need
            starts[k] += wide
    _labels(axes, spec.categories, range(len(spec.categories)))
    axes.set_xlim(0, 100)
    axes.xaxis.set_visible(False)


def _lines(axes: Any, spec: ChartSpec, theme: Theme, room: float) -> None:
    """Draw a line per series; labels are moved apart where they would collide."""
    places, colors = range(len(spec.categories)), spec.colors(theme)
    for number, (series, color) in enumerate(zip(spec.series, colors, strict=True)):
        values = [float("nan") if value is None else value for value in series.values]
        used = spec.rounds(theme)[number]
        axes.plot(
            places,
            values,
            marker=MARKERS[used % len(MARKERS)],
            linestyle=DASHES[used % len(DASHES)],
            color=color,
            label=series.name,
        )
    span = max(spec.highest - spec.lowest, 1e-9)
    step, highest = span * 0.045, spec.highest
    for k in places:
        given = [(one.values[k], one, n) for n, one in enumerate(spec.series) if one.values[k] is not None]
        last = spec.lowest - 2 * step
        for value, series, number in sorted(given, key=lambda entry: entry[0] or 0.0):
            last = max(value or 0.0, last + step)
            axes.text(k + 0.02, last + step * 0.35, series.label(k), color=colors[number], fontsize=8.5)
            highest = max(highest, last + step)
    axes.set_ylim(spec.lowest - (0.06 * span if spec.lowest < 0 else 0.0), highest + 0.08 * span)
    if spec.lowest < 0:
        axes.axhline(0, color=theme.line, linewidth=1)
    axes.set_xticks(list(places), ["\n".join(_wrapped(name)) for name in spec.categories])
    behind = (spec.longest_label * 8.5 * WIDEST_CHARACTER + 8) / room  # share of the width that labels need
    across = len(spec.categories) - 1 + 0.2
    axes.set_xlim(-0.2, len(spec.categories) - 1 + max(0.1, across * behind / (1 - behind)))
    axes.grid(axis="y", color=theme.reed)
