"""All figures, found in `figures.kinds`: by name, in their order."""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from types import ModuleType

from eager_otter.discovery import modules_in
from eager_otter.errors import UnknownName, nearest
from eager_otter.figures import kinds
from eager_otter.figures.figure import BaseLine, Figure, LineFigure, ValueFigure

OLD_NAMES = {"valid percent": "percent of answered"}  # as version 0.1 called them
MEAN = "mean"  # what is shown of values where nothing else is asked for
EXAMPLE = "percentile 90"  # of the figures that there are without end


@cache
def all_figures() -> tuple[Figure, ...]:
    """List the figures that can be asked for, in their order; percentiles aside, which there are without end."""
    figures = [figure for module in _modules() for figure in getattr(module, "FIGURES", ())]
    return tuple(sorted(figures, key=lambda figure: figure.rank))


@cache
def figure_called(name: str) -> Figure:
    """Find a figure by its name, also one of version 0.1. Raises UnknownName."""
    figure = _named().get(today_name(name)) or _other(name)
    if figure is None:
        known = [*_named(), EXAMPLE]
        meant = _by_other_words().get(_plain(name), "")
        listed = "" if nearest(name, known) else f"Known: {', '.join(known)}."
        raise UnknownName("figure", name, known, meant=f"Did you mean {meant!r}?" if meant else listed)
    return figure


def is_figure(name: str) -> bool:
    """Return whether there is a figure of a name."""
    return today_name(name) in _named() or _other(name) is not None


@cache
def line_figure(name: str) -> LineFigure:
    """Find what a line holds by its name ("percent interval low", "unweighted base"). Raises UnknownName."""
    figure = _lines().get(today_name(name)) or _other(name) or _line_of_other(name)
    if not isinstance(figure, LineFigure):
        raise UnknownName("figure", name, [*_lines(), EXAMPLE])
    return figure


def line_figures() -> tuple[LineFigure, ...]:
    """List all kinds of lines: those of figures in their order, then scores and bases."""
    return tuple(_lines().values())


def place_of(line: LineFigure) -> float:
    """Return the place of a kind of line among all; percentiles stand by their share behind the others."""
    places = _places()
    return places[line.name] if line.name in places else len(places) + float(getattr(line, "share", 0.0))


@cache
def base_lines() -> tuple[BaseLine, ...]:
    """List the bases, and what follows from them, in their order."""
    return tuple(sorted((one for one in _lines().values() if isinstance(one, BaseLine)), key=_rank_of_base))


def _rank_of_base(line: BaseLine) -> int:
    return line.rank


def summary_figures() -> tuple[ValueFigure, ...]:
    """List the figures of values, in their order; percentiles aside."""
    return tuple(figure for figure in all_figures() if isinstance(figure, ValueFigure))


def summary_called(name: str) -> ValueFigure | None:
    """Find a figure of values by its name, in any case; None where there is none of that name.

    >>> summary_called("Mean").name, summary_called("Top two")
    ('mean', None)
    """
    key = name.casefold()
    figure = figure_called(key) if is_figure(key) else None
    return figure if isinstance(figure, ValueFigure) else None


def today_name(name: str) -> str:
    """Return the name of a figure today, where version 0.1 called it otherwise.

    >>> today_name("valid percent"), today_name("mean")
    ('percent of answered', 'mean')
    """
    return OLD_NAMES.get(name, name)


def check_figure(name: str) -> str:
    """Refuse a figure that is not known. Raises UnknownName."""
    figure_called(name)
    return name


def figures_with(setting: str) -> tuple[str, ...]:
    """Name the figures that a setting goes with."""
    return _by_setting().get(setting, ())


@cache
def _modules() -> tuple[ModuleType, ...]:
    return modules_in(kinds)


@cache
def _by_setting() -> dict[str, tuple[str, ...]]:
    settings = dict.fromkeys(figure.setting for figure in all_figures())
    return {
        setting: tuple(figure.name for figure in all_figures() if figure.setting == setting)
        for setting in settings
    }


@cache
def _named() -> dict[str, Figure]:
    return {figure.name: figure for figure in all_figures()}


@cache
def _by_other_words() -> dict[str, str]:
    """Return the names of figures by other words for them."""
    return {_plain(word): figure.name for figure in all_figures() for word in figure.other_words}


def _plain(name: str) -> str:
    """Return a name in small letters, without signs between its words."""
    return " ".join(name.casefold().replace("_", " ").replace("-", " ").replace(".", " ").split())


@cache
def _lines() -> dict[str, LineFigure]:
    others: Iterator[LineFigure] = (line for module in _modules() for line in getattr(module, "LINES", ()))
    return {line.name: line for figure in all_figures() for line in figure.lines} | {
        line.name: line for line in others
    }


@cache
def _places() -> dict[str, int]:
    return {name: place for place, name in enumerate(_lines())}


def _line_of_other(name: str) -> LineFigure | None:
    """Find an end of an interval of which there are without end."""
    figure = _other(name.removesuffix(" low").removesuffix(" high"))
    return next((line for line in figure.lines if line.name == name), None) if figure is not None else None


@cache
def _other(name: str) -> Figure | None:
    """Make a figure that there are without end, as percentiles, of its name."""
    for module in _modules():
        figure: Figure | None = module.OTHERS(name) if hasattr(module, "OTHERS") else None
        if figure is not None:
            return figure
    return None
