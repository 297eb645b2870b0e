"""What a draft found in data, in the terminal: what has to be checked first, then the kinds of questions."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rich.console import Group, RenderableType

from eager_otter.drafting.drafting import Draft
from eager_otter.drafting.facts import Guess
from eager_otter.gates.terminal import Text
from eager_otter.looks.words import counted
from eager_otter.report.grids import plain_grid

MOST_DOUBTS = 12
EXAMPLES = 3
OF_COLUMNS = {"ticks": "answer", "ranking": "answer", "mentions": "mention", "grid": "item"}
KINDS = {
    "respondent": "id of the respondent",
    "weight": "weight",
    "frequency": "people a row stands for",
    "single": "single answers",
    "ticks": "several answers, a column each",
    "mentions": "several answers, first to last",
    "joined": "several answers in a cell",
    "ranking": "rankings",
    "grid": "grids",
    "number": "numbers",
    "date": "dates",
    "text": "open answers",
    "empty": "nothing in them, left out",
}


def draft_view(drafted: Draft) -> RenderableType:
    """Show what was found: at most a screen, what has to be checked first."""
    return Group(*_parts(drafted.guesses))


def _parts(guesses: Sequence[Guess]) -> Iterator[RenderableType]:
    doubts = [(guess, doubt) for guess in guesses for doubt in guess.doubts]
    if doubts:
        grid = plain_grid()
        grid.add_column("To check", no_wrap=True, overflow="ellipsis", max_width=24)
        grid.add_column("", ratio=1)
        for guess, doubt in doubts[:MOST_DOUBTS]:
            grid.add_row(Text(guess.name, style="bold yellow"), Text(doubt))
        yield grid
        if len(doubts) > MOST_DOUBTS:
            yield Text(f"and {len(doubts) - MOST_DOUBTS:,} more: search the codebook for check:", style="dim")
        yield ""
    grid = plain_grid()
    grid.add_column("Found", no_wrap=True, min_width=max(map(len, KINDS.values())))
    grid.add_column("Questions", justify="right", no_wrap=True, min_width=9)
    grid.add_column("Columns", justify="right", no_wrap=True, min_width=7)
    grid.add_column("", ratio=1, overflow="fold")
    for role, kind in KINDS.items():
        own = [guess for guess in guesses if guess.role == role]
        if own:
            shown = ", ".join(map(_named, own[:EXAMPLES])) + (" …" if len(own) > EXAMPLES else "")
            columns = sum(len(guess.columns) for guess in own)
            grid.add_row(kind, f"{len(own):,}", f"{columns:,}", Text(shown, style="dim"))
    yield grid


def _named(guess: Guess) -> str:
    if guess.role in OF_COLUMNS:
        what = "rank" if guess.details.get("of") == "ranks" else OF_COLUMNS[guess.role]
        return f"{guess.name} ({counted(len(guess.columns), what)})"
    return guess.name
