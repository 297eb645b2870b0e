"""Waiting for files to be saved."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from threading import Event
from typing import Any

from eager_otter.errors import MissingPackage
from eager_otter.gates.outputs import install_line
from eager_otter.gates.reading import is_empty, is_folder, resolved, state_of

STEP, TOGETHER = 20, 60  # milliseconds: between two looks at what came, and that changes are gathered for
MOMENTS = 16  # of that length, about a second, that a file which is being saved is waited for
LOOK_AGAIN = 500  # milliseconds after which the files are looked at, whether or not a change was told

States = dict[Path, tuple[int, ...] | None]


def states_of(files: Iterable[Path]) -> States:
    """Return the state of files: what is other once they are saved; None for one that is not there."""
    return {path: state_of(path) for path in files}


def wait_for_change(states: States, stop: Event) -> bool:
    """Wait until one of some files is in another state than it was; False where `stop` was set.

    Their folders are watched, as many programs write a new file beside the old one and rename it. As some network
    drives tell of no change, and a file may have been saved meanwhile, the files are looked at now and then as well.
    Raises MissingPackage.
    """
    try:
        from watchfiles import watch
    except ImportError as error:
        raise MissingPackage(f"A live page needs another package: {install_line('live')}") from error
    if states_of(states) != states:
        return _saved(states, stop)
    wanted = {path for file in states for path in (file.absolute(), resolved(file))}
    folders = {path.parent for path in wanted if is_folder(path.parent)}
    of_interest: Callable[[Any, str], bool] = lambda _, path: Path(path) in wanted  # noqa: E731
    for _ in watch(
        *folders,
        watch_filter=of_interest,
        debounce=TOGETHER,
        step=STEP,
        stop_event=stop,
        rust_timeout=LOOK_AGAIN,
        yield_on_timeout=True,
        recursive=False,
    ):
        if states_of(states) != states:
            return _saved(states, stop)
    return False


def _saved(states: States, stop: Event) -> bool:
    """Wait a moment for files that are empty or gone, as they are while some programs save them; False on `stop`."""
    for _ in range(MOMENTS):
        if stop.is_set():
            return False
        if not any(is_empty(path) for path, state in states.items() if state is not None):
            break
        stop.wait(TOGETHER / 1000)
    return True
