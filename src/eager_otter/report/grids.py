"""The grids in which lists are shown in the terminal: a rule under the head, nothing else."""

from __future__ import annotations

from rich import box
from rich.table import Table as Grid


def plain_grid(head: str = "bold") -> Grid:
    """Make a grid without columns yet; `head` is the style of its heads."""
    return Grid(box=box.SIMPLE_HEAD, show_edge=False, pad_edge=False, title_justify="left", header_style=head)
