"""The gate for the cache: a folder of copies of columns, kept for the next time, that its user can see and empty."""

from __future__ import annotations

import hashlib
import json
import os
import re
import time
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import field
from pathlib import Path
from typing import Any

from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.gates.reading import digest_of_bytes, reason_of
from eager_otter.gates.text import size_text
from eager_otter.patterns import pattern

OFF = "off"
FACTS = "facts"
WRITTEN = "written"  # the file that notes what commands wrote
FOUND = "found"  # the file that notes what was found out about files of data
TYPED = "typed"  # the file that holds lines typed at the prompt
WHAT = "a file that was written"
MOST_NOTED = 1_000  # of what is noted in a file, the last
MAKER = "eager-otter cache"
COPIES = ".zip"
END = 1 << 16  # bytes at the end of a copy that tell what is where
PLACE = pattern(r".+-[0-9a-f]{16}")
OURS = pattern(r"[0-9a-f]+-[0-9a-f]+\.zip|facts(\.\d+)?|copy(\.\w+){0,4}|counts-[0-9a-f]{32}(\.\d+)?")
COUNTS = pattern(r"counts-[0-9a-f]{32}")
MOST_COUNTS = 50  # of one file of data that are remembered, the last used
LARGEST_COUNTS = 8 << 20  # bytes of one of them
ENDING = pattern(r"\.[A-Za-z]\w{0,9}")
ABANDONED = 3_600  # seconds after which a copy that was begun is not written any more
UNUSED = 30 * 86_400  # seconds after which what was not used is taken away
MOST = 10 << 30  # bytes of all; above, what was used longest ago is taken away


@dataclass(slots=True, eq=False)
class Cache:
    """A folder of kept columns, a place in it for each file of data; `told` says what was kept or could not be.

    It also knows again what commands wrote into files that have no room for a mark, such as CSV, and what was found out
    about files of data.

    `named` is the folder that was asked for; None: that of the user on this machine, which takes a while to tell.
    """

    named: Path | None
    told: list[str] = field(default_factory=list)

    @property
    def most_of_one(self) -> int:
        """The most bytes that one copy of a file may take."""
        return MOST // 2

    @property
    def folder(self) -> Path:
        """The folder, whether it is there or not."""
        return self.named or usual_folder()

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
        for name in (WRITTEN, FOUND, TYPED):
            with suppress(OSError):
                notes = (self.folder / name).stat().st_size
                (self.folder / name).unlink()
                size += notes
        for place in self.places():
            size += place.size()
            place.drop()
        with suppress(OSError):
            self.folder.rmdir()  # stays where anything else is in it
        return size

    def note_written(self, paths: Sequence[Path]) -> None:
        """Note files as they have just been written, so that they are known as ours while nobody changes them."""
        with suppress(OSError):
            self._note(WRITTEN, {str(path): digest_of_bytes(path, WHAT) for path in paths})

    def is_as_written(self, path: Path) -> bool:
        """Return whether a file holds, byte for byte, what was noted when it was written."""
        with suppress(OSError):
            noted = self.written().get(str(path))
            return noted is not None and noted == digest_of_bytes(path, WHAT)
        return False

    def written(self) -> dict[str, str]:
        """Read what was noted of files that were written: a digest by path."""
        return {path: str(digest) for path, digest in self._noted(WRITTEN).items()}

    def note_found(self, entries: dict[str, Any]) -> None:
        """Note what was found out about files of data, by a key that tells which they are and how they are read."""
        self._note(FOUND, entries)

    def found(self) -> dict[str, Any]:
        """Read what was found out about files of data."""
        return self._noted(FOUND)

    def _note(self, name: str, entries: dict[str, Any]) -> None:
        with suppress(OSError):
            noted = {key: value for key, value in self._noted(name).items() if key not in entries} | entries
            self.folder.mkdir(parents=True, exist_ok=True)
            _write_marked(self.folder / name, dict(list(noted.items())[-MOST_NOTED:]))

    def _noted(self, name: str) -> dict[str, Any]:
        """Read what was noted in a file; nothing where that is not as it was noted."""
        noted = _marked(self.folder / name)
        return {str(key): value for key, value in noted.items()} if isinstance(noted, dict) else {}

    def typed_lines(self) -> Path | None:
        """Return the file of lines that were typed, for nobody else to see; None where it cannot be written."""
        path = self.folder / TYPED
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.touch(mode=0o600)
        except OSError:
            return None
        return path

    def typed_size(self) -> int:
        """Return how many bytes the lines take that were typed; 0 for none."""
        with suppress(OSError):
            return (self.folder / TYPED).stat().st_size
        return 0

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
        """Return whether it was made here: a folder with nothing but what we put into one."""
        with suppress(OSError):
            names = [path.name for path in self.path.iterdir()]
            return bool(names) and all(map(OURS.fullmatch, names))
        return False

    def facts(self) -> dict[str, Any] | None:
        """Read the facts; None where there are none that are as they were written."""
        found = _marked(self.path / FACTS)
        return found if isinstance(found, dict) else None

    def write_facts(self, facts: dict[str, Any]) -> None:
        """Write the facts, all or none. Raises OSError."""
        _write_marked(self.path / FACTS, facts)

    def remembered(self, key: str) -> Any:
        """Read what was counted under a key of hexadecimal digits; None where there is nothing as it was written."""
        path = self._counts(key)
        found = _marked(path)
        if found is not None:
            with suppress(OSError):
                os.utime(path)
        return found

    def remember(self, key: str, counted: Any) -> None:
        """Write what was counted under a key, if that is not too much; the last used are kept. Raises OSError."""
        _write_marked(self._counts(key), counted, most=LARGEST_COUNTS)
        kept = sorted(self._all_counts(), key=lambda path: -path.stat().st_mtime)
        for path in kept[MOST_COUNTS:]:
            path.unlink(missing_ok=True)

    def remembered_counts(self) -> int:
        """Return how many counts are remembered."""
        with suppress(OSError):
            return len(self._all_counts())
        return 0

    def _all_counts(self) -> list[Path]:
        return [path for path in self.path.iterdir() if COUNTS.fullmatch(path.name)]

    def _counts(self, key: str) -> Path:
        return self.path / f"counts-{key[:32]}"

    def make(self) -> None:
        """Make the folder, for nobody else to see. Raises OSError."""
        self.path.parent.mkdir(parents=True, exist_ok=True)
        self.path.mkdir(mode=0o700, exist_ok=True)

    def copy_of(self, name: str) -> Path:
        """Name the file that holds a copy of a whole file of data, with the endings of that."""
        endings = [ending for ending in Path(name).suffixes[-2:] if ENDING.fullmatch(ending)]
        return self.path / f"copy{''.join(endings)}"

    def new_copy(self) -> Path:
        """Make the folder, and name a file in it that is not there yet. Raises OSError."""
        self.make()
        return self.path / f"{time.time_ns():x}-{os.getpid():x}{COPIES}"

    def whole_copy(self, name: str, size: int, digest: str) -> Path | None:
        """Return a copy by its name where its size and end are those it had; its entries have sums of their own."""
        path = self.path / name
        try:
            return path if Path(name).name == name and self.measures(path) == (size, digest) else None
        except (OSError, ValueError):
            return None

    def measures(self, copy: Path) -> tuple[int, str]:
        """Return how many bytes a copy has, and a digest of its end, which tells what is where. Raises OSError."""
        size = copy.stat().st_size
        with copy.open("rb") as file:
            file.seek(max(size - END, 0))
            return size, hashlib.sha256(file.read()).hexdigest()

    def tidy(self) -> None:
        """Take away copies that the facts do not name and nobody is writing any more; all, where there are no facts."""
        named = {entry[0] for entry in (self.facts() or {}).get("copies") or ()}
        with suppress(OSError):
            for path in self.path.glob(f"*{COPIES}"):
                if path.name not in named and (
                    path.name.endswith(f"-{os.getpid():x}{COPIES}")
                    or time.time() - path.stat().st_mtime > ABANDONED
                ):
                    path.unlink(missing_ok=True)
        with suppress(OSError):
            self.path.rmdir()  # stays where anything is in it

    def note_use(self) -> None:
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
        import shutil

        shutil.rmtree(self.path, ignore_errors=True)

    def cannot(self, error: OSError) -> None:
        """Say, once, that nothing can be kept."""
        text = (
            f"Nothing is kept for the next time: {self.cache.folder} cannot be written ({reason_of(error)})."
        )
        if text not in self.cache.told:
            self.cache.told.append(text)


def _marked(path: Path) -> Any:
    """Read what was written behind a mark; None where there is nothing that is as it was written."""
    try:
        mark, _, text = path.read_text("utf-8").partition("\n")
        return json.loads(text) if mark == _mark(text) else None
    except (OSError, ValueError, RecursionError):
        return None


def _write_marked(path: Path, content: Any, most: int | None = None) -> None:
    """Write something behind a mark, all or none, for nobody else to see; not above so many bytes. Raises OSError."""
    part = path.with_name(f"{path.name}.{os.getpid()}")
    text = json.dumps(content)
    if most is not None and len(text) > most:
        return
    part.write_text(f"{_mark(text)}\n{text}", "utf-8")
    part.chmod(0o600)
    part.replace(path)


def _mark(text: str) -> str:
    """Return the first line of facts, by which they are known as ours, and as undamaged."""
    return f"{MAKER} {hashlib.sha256(text.encode()).hexdigest()}"


def cache_at(text: str | Path | None) -> Cache | None:
    """Return the cache in a folder, None for "off"; without a folder, that of the user on this machine."""
    if text is None:
        return Cache(None)
    return (
        None if str(text).strip().lower() == OFF else cache_in(Path(text).expanduser() if str(text) else text)
    )


def cache_in(folder: str | Path | Cache | None) -> Cache | None:
    """Return the cache in a folder; None where none is named. Raises RequestError for an empty name."""
    if not str(folder).strip():
        raise RequestError("The cache needs the name of a folder.")
    return folder if folder is None or isinstance(folder, Cache) else Cache(Path(folder))


def usual_folder() -> Path:
    """Return the folder in which this user's programs keep what they can make again."""
    from platformdirs import user_cache_path

    return user_cache_path("eager-otter", appauthor=False)
