"""A progress line on stderr, where stderr is a terminal."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def progress_line() -> Iterator[Callable[[str, int, int], None]]:
    """Show what is being done and how far it is; silent where nobody is watching."""
    from rich.progress import (
        BarColumn,
        MofNCompleteColumn,
        Progress,
        TextColumn,
        TimeElapsedColumn,
        TimeRemainingColumn,
    )

    from eager_otter.gates.terminal import terminal

    console = terminal(err=True)
    columns = (
        TextColumn("{task.description}", markup=False),
        BarColumn(),
        MofNCompleteColumn(),
        TimeElapsedColumn(),
        TextColumn("left:"),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=console, transient=True, disable=not console.is_terminal) as bar:
        task = bar.add_task("Starting", total=1)

        doing = "Starting"

        def tell(what: str, done: int, of: int) -> None:
            nonlocal doing
            if what != doing:  # the time that is left is that of this work
                bar.reset(task, total=of)
                doing = what
            bar.update(task, description=what, completed=done, total=of)

        yield tell
