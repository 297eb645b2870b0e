"""The gate for views made of styled lines: written straight to the terminal, without a library that lays views out.

A table has its lines laid out already; what is left is to break titles and notes between words. Loading the library
for grids and panels, and sending lines through it, costs a tenth of all that a command takes to start.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, TextIO

import click
from rich.cells import cell_len, chop_cells

from eager_otter.dataclass import dataclass
from eager_otter.gates.text import held
from eager_otter.patterns import pattern

if TYPE_CHECKING:
    from rich.console import Console, ConsoleOptions, RenderResult

Piece = tuple[str, str]  # a text and its style: "", "bold", "dim", "italic"

USUAL_WIDTH = 80  # characters, where no terminal tells
WITHOUT_STYLES = ("dumb", "unknown")  # kinds of terminals
WORDS = pattern(r"\s*\S+")


@dataclass(frozen=True, slots=True)
class StyledLine:
    """Pieces of text side by side.

    One that `breaks` has one piece: it is broken between words where it is too wide, and at the line breaks it holds,
    with an `indent` of so many blanks before each line. Others have their columns laid out and stay as they are.
    """

    pieces: tuple[Piece, ...] = ()
    indent: int = 0
    breaks: bool = False

    def broken(self, width: int) -> Iterator[tuple[Piece, ...]]:
        """Return the lines that it takes in a view `width` characters wide."""
        if not self.breaks:
            yield _without_blanks([(held(text).replace("\n", " "), style) for text, style in self.pieces])
            return
        ((whole, style),) = self.pieces
        blank = " " * self.indent
        for line in held(whole).split("\n"):
            for text in wrapped(line, max(width - self.indent, 1)):
                yield ((blank + text, style),) if text else ()


@dataclass(frozen=True, slots=True)
class StyledLines:
    """A view made of lines."""

    lines: tuple[StyledLine, ...]

    def broken(self, width: int) -> Iterator[tuple[Piece, ...]]:
        """Return the lines of the view, `width` characters wide, each as its pieces."""
        for line in self.lines:
            yield from line.broken(width)

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        """Take part in a view that is laid out."""
        from rich.segment import Segment

        for pieces in self.broken(options.max_width):
            for text, style in pieces:
                yield Segment(text, console.get_style(style))
            yield Segment.line()


def _without_blanks(pieces: list[Piece]) -> tuple[Piece, ...]:
    """Take away the blanks at the end of a line."""
    kept = list(pieces)
    while kept:
        text, style = kept.pop()
        if text.rstrip():
            return (*kept, (text.rstrip(), style))
    return ()


def line_of(text: str, style: str = "", *, indent: int = 0) -> StyledLine:
    """Return a line with one text, which is broken where it is too wide."""
    return StyledLine(((text, style),), indent, breaks=True)


def wrapped(text: str, width: int) -> list[str]:
    """Break a text between words into lines at most `width` characters wide; longer words are broken too.

    >>> wrapped("a sparkling water", 11), wrapped("unbreakable", 5)
    (['a sparkling', 'water'], ['unbre', 'akabl', 'e'])
    """
    if cell_len(text) <= width:
        return [text.rstrip()]
    lines: list[str] = []
    line = ""
    for word in WORDS.findall(text):
        if cell_len(line + word) <= width:
            line += word
            continue
        if line:
            lines.append(line)
        *full, line = chop_cells(word.lstrip(), width)
        lines += full
    return [*lines, line]


def width_of_terminal() -> int:
    """Return how many characters wide the terminal is, by what it says or by COLUMNS."""
    told = os.environ.get("COLUMNS", "")
    if told.isdecimal() and int(told):
        return int(told)
    for stream in (sys.__stdin__, sys.__stdout__, sys.__stderr__):
        try:
            columns = os.get_terminal_size(stream.fileno()).columns if stream is not None else 0
        except (OSError, ValueError):
            continue
        if columns:
            return columns
    return USUAL_WIDTH


def is_terminal(stream: TextIO) -> bool:
    """Tell whether a stream is a terminal with a person before it, or is said to be one by FORCE_COLOR."""
    forced = os.environ.get("FORCE_COLOR")
    if forced is not None:
        return bool(forced)
    try:
        return stream.isatty()
    except ValueError:  # closed
        return False


def print_lines(view: StyledLines, stream: TextIO | None) -> None:
    """Write a view to a stream, as wide as the terminal, with styles where it is one."""
    if stream is None:  # closed from outside: there is nobody to tell
        return
    styled = is_terminal(stream) and os.environ.get("TERM", "").lower() not in WITHOUT_STYLES
    lines = [
        "".join(_in_style(text, style) if styled else text for text, style in pieces)
        for pieces in view.broken(width_of_terminal())
    ]
    click.echo("".join(f"{line}\n" for line in lines), file=stream, nl=False, color=styled)


def _in_style(text: str, style: str) -> str:
    options: dict[str, Any] = {style: True} if style else {}
    return click.style(text, **options) if style and text else text


def text_of_lines(view: StyledLines, width: int) -> str:
    """Return a view as plain text, without styles or trailing blanks."""
    return "\n".join("".join(text for text, _ in pieces) for pieces in view.broken(width))


def lines_of(*parts: StyledLine | StyledLines) -> StyledLines:
    """Return one view of lines and views, one below the other."""
    lines: list[StyledLine] = []
    for part in parts:
        lines += part.lines if isinstance(part, StyledLines) else [part]
    return StyledLines(tuple(lines))
