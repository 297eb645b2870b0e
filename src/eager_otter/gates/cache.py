"""The gate for the cache: a folder of copies of columns, kept for the next time, that its user can see and empty."""

from __future__ import annotations

import json
import os
import re
import shutil
import time
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from eager_otter.gates.reading import reason_of
from eager_otter.gates.text import size_text

OFF = "off"
FACTS = "facts.json"
MAKER = "eager-otter cache"
COPIES = ".parquet"
PLACE = re.compile(r".+-[0-9a-f]{16}")
UNUSED = 30 * 86_400  # seconds after which what was not used is taken away
MOST = 10 << 30  # bytes of all; above, what was used longest ago is taken away


@dataclass(slots=True, eq=False)
class Cache:
    """A `folder` of kept columns, a place in it for each file of data; `told` says what was kept or could not be."""

    folder: Path
    told: list[str] = field(default_factory=list)

    def place(self, name: str, key: str) -> CachePlace:
        """Return the place of a file of data, by its name and a key of at least 16 hexadecimal digits."""
        safe = re.sub(r"[^\w.-]", "_", name)[:60] or "data"
        return CachePlace(self.folder / f"{safe}-{key[:16]}", self)

    def places(self) -> list[CachePlace]:
        """List the places that are used, the last used first."""
        with suppress(OSError):
            found = [CachePlace(path, self) for path in self.folder.iterdir() if PLACE.fullmatch(path.name)]
            return sorted((one for one in found if one.is_ours()), key=lambda one: -one.used())
        return []

    def empty(self) -> int:
        """Take away what is kept, and nothing else: the number of bytes."""
        size = 0
        for place in self.places():
            size += place.size()
            place.drop()
        with suppress(OSError):
            self.folder.rmdir()  # stays where anything else is in it
        return size

    def tell_of(self, name: str, columns: int, size: int) -> None:
        """Say that columns of a file are kept."""
        many = f"{columns:,} columns" if columns > 1 else "1 column"
        self.told.append(f"Kept for the next time: {many} of {name}, {size_text(size)} (eager-otter cache).")

    def make_room(self) -> None:
        """Take away what was not used for long, and what is too much."""
        total, now = 0, time.time()
        for place in self.places():
            total += place.size()
            if total > MOST or now - place.used() > UNUSED:
                place.drop()


@dataclass(frozen=True, slots=True, eq=False)
class CachePlace:
    """The place of one file of data: a folder `path` with copies and the facts about them."""

    path: Path
    cache: Cache

    def is_ours(self) -> bool:
        """Return whether it was made here."""
        return self.facts() is not None

    def facts(self) -> dict[str, Any] | None:
        """Read the facts; None where there are none that can be read."""
        try:
            found = json.loads((self.path / FACTS).read_text("utf-8"))
        except (OSError, ValueError, RecursionError):
            return None
        return found if isinstance(found, dict) and found.get("maker") == MAKER else None

    def write_facts(self, facts: dict[str, Any]) -> None:
        """Write the facts, all or none. Raises OSError."""
        part = self.path / f"{FACTS}.{os.getpid()}"
        part.write_text(json.dumps({"maker": MAKER, **facts}), "utf-8")
        part.replace(self.path / FACTS)

    def new_copy(self) -> Path:
        """Make the folder, for nobody else to see, and name a file in it that is not there yet. Raises OSError."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self.path.mkdir(mode=0o700, exist_ok=True)
        return self.path / f"{time.time_ns():x}-{os.getpid():x}{COPIES}"

    def whole_copy(self, name: str, size: int) -> Path | None:
        """Return a copy by its name where it is there in its whole size."""
        path = self.path / name
        try:
            return path if Path(name).name == name and path.stat().st_size == size else None
        except (OSError, ValueError):
            return None

    def size_of(self, copy: Path) -> int:
        """Return how many bytes a copy has. Raises OSError."""
        return copy.stat().st_size

    def touch(self) -> None:
        """Note that it was used."""
        with suppress(OSError):
            os.utime(self.path / FACTS)

    def used(self) -> float:
        """Return when it was last used, in seconds since 1970; 0 where that cannot be told."""
        with suppress(OSError):
            return (self.path / FACTS).stat().st_mtime
        return 0.0

    def size(self) -> int:
        """Return how many bytes it takes."""
        return sum(self._sizes())

    def _sizes(self) -> Iterator[int]:
        with suppress(OSError):
            for path in self.path.iterdir():
                with suppress(OSError):
                    yield path.stat().st_size

    def drop(self) -> None:
        """Take it away."""
        shutil.rmtree(self.path, ignore_errors=True)

    def cannot(self, error: OSError) -> None:
        """Say, once, that nothing can be kept."""
        text = (
            f"Nothing is kept for the next time: {self.cache.folder} cannot be written ({reason_of(error)})."
        )
        if text not in self.cache.told:
            self.cache.told.append(text)


def cache_at(text: str | Path | None) -> Cache | None:
    """Return the cache in a folder, None for "off"; without a folder, that of the user on this machine."""
    if text is None:
        return Cache(usual_folder())
    return None if str(text).strip().lower() == OFF else Cache(Path(text).expanduser())


def cache_in(folder: str | Path | Cache | None) -> Cache | None:
    """Return the cache in a folder; None where none is named."""
    return folder if folder is None or isinstance(folder, Cache) else Cache(Path(folder))


def usual_folder() -> Path:
    """Return the folder in which this user's programs keep what they can make again."""
    from platformdirs import user_cache_path

    return user_cache_path("eager-otter", appauthor=False)
