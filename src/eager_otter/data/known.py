"""What was found out about long files, remembered in the cache while they are the same."""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import field
from pathlib import Path
from typing import Any

from eager_otter.data.files import AT_REST, States, all_states, are_same, digest_of
from eager_otter.dataclass import dataclass
from eager_otter.errors import FileProblem
from eager_otter.gates.cache import Cache
from eager_otter.gates.copying import lasts
from eager_otter.gates.reading import is_stored
from eager_otter.version import __version__

WORTH = 4 << 20  # bytes of files from which on what was found out about them is remembered
QUERIES = (".sql",)  # what they read may change while they do not


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
    held: bool = False  # whether what is learnt is written down later, when the digests of the files are made

    def get(self, fact: str) -> int | None:
        """Return a number that was found out before; None where it was not."""
        return self.found.get(fact)

    def learn(self, fact: str, number: int) -> None:
        """Remember a number, where the files are as they were, and long enough that a change would show."""
        self.found[fact] = number
        if not self.held:
            self.note()

    def release(self) -> None:
        """Write down what was learnt while the digests of the files were made."""
        self.held = False
        if self.found:
            self.note()

    def note(self) -> None:
        """Write down what is known, of the files as they are, if they are still those that were opened."""
        if self.cache is None:
            return
        try:
            digests = [digest_of(path) for path in self.paths]
        except FileProblem:
            return
        if all_states(self.paths) != self.states:  # looked at last: what was found out is of these bytes
            return
        entry = {"states": self.states, "digests": digests, "found": self.found}
        self.cache.note_found({self.key: entry})


def known_of(paths: Sequence[Path], how: Iterable[object], cache: Cache | None) -> Known:
    """Return what is known of some files that are read in some way; nothing of small ones, or without a cache.

    It holds for files with the same times, if these were old enough to be sure, or with the same bytes.
    """
    now = time.time_ns()
    if cache is None or not paths or not all(map(_can_be_known, paths)):
        return Known()
    states = all_states(paths)
    if not states or sum(state[2] for state in states) < WORTH:
        return Known()
    places = [str(path.absolute()) for path in paths]
    key = hashlib.sha256(repr((__version__, places, *how)).encode()).hexdigest()
    sure = all(now - max(state[-2:]) > AT_REST for state in states)
    # where a change could leave the times as they are, nothing is learnt yet
    known = Known(cache if sure else None, key, tuple(paths), states)
    with suppress(FileProblem, KeyError, TypeError, ValueError, AttributeError):
        before, digests, found = _in(cache.found()[key])
        if are_same(paths, before, digests):
            known.found = found
            if before != states:
                known.note()  # so that the next time their bytes need not be read
    return known


def _can_be_known(path: Path) -> bool:
    """Return whether a file is there the next time, and the answers are in it."""
    return not is_stored(path) and lasts(path) and path.suffix.lower() not in QUERIES


def _in(entry: Any) -> tuple[States, list[str], dict[str, int]]:
    """Return the states, digests and numbers of an entry. Raises KeyError, TypeError, ValueError, AttributeError."""
    states = tuple(tuple(map(int, state)) for state in entry["states"])
    found = {str(fact): int(number) for fact, number in entry["found"].items()}
    return states, [str(digest) for digest in entry["digests"]], found
