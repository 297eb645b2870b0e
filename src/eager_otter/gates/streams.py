"""The gate for stdout and stderr: nothing that a terminal would obey; plain signs where an encoding lacks others."""

from __future__ import annotations

import codecs
import os
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

from eager_otter.gates.reading import read_blocks
from eager_otter.gates.text import held

if TYPE_CHECKING:
    from rich.console import Console, RenderableType

PLAIN_SIGNS = {  # for encodings that lack them
    **dict.fromkeys("─━╌═‐‑‒–—−", "-"),
    **dict.fromkeys("│┃║", "|"),
    **dict.fromkeys("┌┐└┘├┤┬┴┼╭╮╯╰╶╴", "+"),
    "▲": "^", "▼": "v", "●": "*", "■": "#", "•": "*", "·": ".", "…": "...", "→": "->", "←": "<-", "×": "x", "≥": ">=",
    "≤": "<=", "≠": "!=", "≈": "~", "±": "+/-", "√": "sqrt", "²": "2", "³": "3", "“": '"', "”": '"', "„": '"', "‘": "'",
    "’": "'", "§": "par.", "\u2003": " ", "\u202f": " ", "\u2009": " ", "\xa0": " ", "α": "alpha", "χ": "chi",
    "Σ": "sum", "σ": "sigma", "€": "EUR",
}  # fmt: skip
ERRORS = "eager-otter-plain-signs"


def show(view: RenderableType) -> None:
    """Show a view on stdout."""
    page([view])


def page(views: Iterable[RenderableType], *, paged: bool = False) -> None:
    """Show views on stdout; `paged`, through the pager where a person looks on."""
    from eager_otter.gates.styled import StyledLines, is_terminal, print_lines

    paged = paged and sys.stdout is not None and is_terminal(sys.stdout)
    if not paged:
        for view in views:
            if isinstance(view, StyledLines):
                print_lines(view, sys.stdout)
            else:
                _console().print(view)
        return
    os.environ.setdefault("LESS", "-RFX")  # colours; nothing to leave where all fits
    console = _console()
    with console.pager(styles=True):
        for view in views:
            console.print(view)


def _console() -> Console:
    from eager_otter.gates.terminal import terminal  # needs a library that most commands can do without

    return terminal()


def pass_on(path: Path) -> None:
    """Write the bytes of a file of ours on stdout."""
    if sys.stdout is None:
        return
    sys.stdout.flush()
    for block in read_blocks(path, "file"):
        sys.stdout.buffer.write(block)
    sys.stdout.buffer.flush()


def echo(text: str, *, err: bool = False, end: str = "\n") -> None:
    """Print a text on stdout, or on stderr."""
    stream = sys.stderr if err else sys.stdout
    if stream is not None:  # where it was closed from outside, there is nobody to tell
        stream.write(held(text) + end)
        stream.flush()


def ready_streams() -> None:
    """Let stdout and stderr write plain signs for those that their encoding lacks."""
    codecs.register_error(ERRORS, _plainly)
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors=ERRORS)


def _plainly(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    unheld = error.object[error.start : error.end]
    shown = "".join(PLAIN_SIGNS.get(character, "?") for character in unheld)
    return shown.encode(error.encoding, "replace").decode(error.encoding, "replace"), error.end
