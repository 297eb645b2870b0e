"""What was found out about long files, remembered in the cache while they are the same."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterable, Sequence
from dataclasses import field
from pathlib import Path
from typing import Any

from eager_otter.data.files import AT_REST, digest_of, know_digest
from eager_otter.dataclass import dataclass
from eager_otter.errors import FileProblem
from eager_otter.gates.cache import Cache
from eager_otter.gates.reading import is_stored, state_of
from eager_otter.version import __version__

WORTH = 4 << 20  # bytes of files from which on what was found out about them is remembered
QUERIES = (".sql",)  # what they read may change while they do not

States = tuple[tuple[int, ...], ...]


@dataclass(slots=True, eq=False)
class Known:
    """Numbers that were found out about the answers in some files, by what they tell; nothing without a `cache`.

    `states` are those of the files at `paths` before anything was read of them.
    """

    cache: Cache | None = None
    key: str = ""
    paths: tuple[Path, ...] = ()
    states: States = ()
    found: dict[str, int] = field(default_factory=dict)

    def get(self, fact: str) -> int | None:
        """Return a number that was found out before; None where it was not."""
        return self.found.get(fact)

    def learn(self, fact: str, number: int) -> None:
        """Remember a number, where the files are as they were, and long enough that a change would show."""
        self.found[fact] = number
        if self.cache is None:
            return
        try:
            digests = [digest_of(path) for path in self.paths]
        except FileProblem:
            return
        if states_of(self.paths) != self.states:  # looked at last: what was found out is of these bytes
            return
        entry = {"states": self.states, "digests": digests, "found": self.found}
        self.cache.note_found({self.key: entry})


def states_of(paths: Iterable[Path]) -> States:
    """Return what tells whether files have been written since; () where one is not there."""
    states = [state_of(path) for path in paths]
    return () if None in states else tuple(state for state in states if state is not None)


def known_of(paths: Sequence[Path], how: Iterable[object], cache: Cache | None) -> Known:
    """Return what is known of some files that are read in some way; nothing of small ones, or without a cache.

    It holds for files with the same times, if these were old enough to be sure, or with the same bytes.
    """
    now = time.time_ns()
    if cache is None or not paths or any(is_stored(path) or path.suffix.lower() in QUERIES for path in paths):
        return Known()
    states = states_of(paths)
    if not states or sum(state[2] for state in states) < WORTH:
        return Known()
    places = [str(path.absolute()) for path in paths]
    key = hashlib.sha256(repr((__version__, places, *how)).encode()).hexdigest()
    found = _still_true(cache.found().get(key), paths, states)
    if any(now - max(state[-2:]) <= AT_REST for state in states):
        cache = None  # a change could leave the times as they are: nothing is learnt yet
    return Known(cache, key, tuple(paths), states, found)


def _still_true(entry: Any, paths: Sequence[Path], states: States) -> dict[str, int]:
    """Return the numbers of an entry where its files are still the same."""
    try:
        digests = [str(digest) for digest in entry["digests"]]
        found = {str(fact): int(number) for fact, number in entry["found"].items()}
        if tuple(tuple(map(int, state)) for state in entry["states"]) == states:
            for path, state, digest in zip(paths, states, digests, strict=True):
                know_digest(path, state, digest)
        elif [digest_of(path) for path in paths] != digests:
            return {}
    except (FileProblem, KeyError, TypeError, ValueError, AttributeError):
        return {}
    return found
