"""The gate to storage that is reached by an address, through fsspec: object storage, web servers, network shares.

An address stands in a path like any other name (`data: s3://waves/autumn.parquet`); see `errors.address_of`. Keys come
from where each kind of storage looks for them, the environment or its own settings, never from the address. What is
called here for any path does for a file of this machine what the gate for reading does.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import UTC, datetime
from errno import ENOSPC
from pathlib import Path
from typing import Any

from eager_otter.dataclass import dataclass
from eager_otter.errors import (
    KEY,
    FileProblem,
    MissingPackage,
    OtterError,
    RequestError,
    address_of,
    shown_path,
)
from eager_otter.gates.reading import checked_file, is_stored, matching, reading, reason_of, stamp_of

# what kinds of storage call a mark of a file's bytes, of one writing of it, and the moment it was changed
MARKS = (
    "md5Hash",
    "Content-MD5",
    "content_md5",
    "Digest",
    "checksum",
    "ETag",
    "etag",
    "VersionId",
    "generation",
)
TIMES = ("LastModified", "last_modified", "Last-Modified", "updated", "mtime", "modified", "created")
MINUTE = "%Y-%m-%d %H:%M"
FRESH = 1.0  # seconds that what was told of a file holds, as asking takes a moment each time
WHAT = "a file of responses"
NEEDED = "Data at an address need the package fsspec. Install it with: pip install 'eager-otter[storage]'"


@dataclass(frozen=True, slots=True)
class Stored:
    """What storage tells of a file: its `size` in bytes (-1: not told), and when it was `changed`, if that is told.

    The `version` are 12 digits of a SHA-256 of its size and of the first mark that the storage keeps of its bytes, or
    of the moment where it keeps none; "" where it tells neither. `state` stands for all that is told.
    """

    size: int
    changed: datetime | None
    version: str
    state: int

    @property
    def changed_text(self) -> str:
        """The day and minute (UTC) when the file was changed; "" where that is not told."""
        return "" if self.changed is None else self.changed.strftime(MINUTE)

    @property
    def stamp(self) -> tuple[int, int]:
        """What tells quickly, from any machine, whether the file is still the same."""
        return self.size, self.state


def data_stamp(path: Path) -> tuple[int, int]:
    """Return what tells quickly, on any machine, whether a file of responses is still the same.

    Raises FileProblem where there is none, MissingPackage, RequestError for keys in an address.
    """
    return stored(path).stamp if is_stored(path) else stamp_of(checked_file(path, WHAT))


def data_matching(folder: Path, pattern: str) -> list[Path]:
    """List the files that fit a pattern, from a folder on or at an address. Raises as `data_stamp` does."""
    path = folder / pattern
    return stored_names(path) if is_stored(path) else matching(folder, pattern)


def local_path(path: Path) -> Path | None:
    """Return the path of an address of this machine (`file:///…`); None for others. Raises as `data_stamp` does."""
    system, name = _system(path)
    return Path(name) if "file" in system.protocol else None


def copy_to(path: Path, copy: Path) -> None:
    """Copy a file at an address to a place on this machine. Raises as `data_stamp` does."""
    system, name = _system(path)
    with _asking(path):
        system.get_file(name, str(copy))


@contextmanager
def opened_data(path: Path) -> Iterator[Any]:
    """Give what a library reads a file from: its path, or a file object for one at an address. Raises likewise."""
    if not is_stored(path):
        yield path
        return
    system, name = _system(path)
    with _asking(path):
        file = system.open(name, "rb", cache_type="none")
    with file:
        yield file


def stored(path: Path) -> Stored:
    """Ask the storage about a file at an address, again after a second only. Raises as `data_stamp` does."""
    last = _TOLD.get(path)
    if last is not None and time.monotonic() - last[0] < FRESH:
        return last[1]
    return stored_anew(path)


def stored_anew(path: Path) -> Stored:
    """Ask the storage about a file at an address, however lately that was done. Raises as `data_stamp` does."""
    found = _stored(path)
    _TOLD[path] = time.monotonic(), found
    return found


_TOLD: dict[Path, tuple[float, Stored]] = {}  # when a file was last asked about, and what was told


def _stored(path: Path) -> Stored:
    system, name = _system(path)
    with _asking(path):
        told = system.info(name)
        if told.get("type") == "directory":
            raise FileProblem(f"{shown_path(path)}: is a folder; {WHAT} was expected.")
        size = told.get("size")
    marks, times = (
        [told[name] for name in names if told.get(name) not in (None, "")] for names in (MARKS, TIMES)
    )
    version = _digits(size, (marks or times)[0]) if marks or times else ""
    return Stored(
        -1 if size is None else int(size),
        _moment(times[0]) if times else None,
        version,
        int(_digits(size, *marks, *times), 16),
    )


def _digits(*told: object) -> str:
    """Return 12 digits that stand for what was told."""
    return hashlib.sha256("\n".join(map(str, told)).encode()).hexdigest()[:12]


def stored_names(pattern: Path) -> list[Path]:
    """List the files whose addresses fit a pattern, in the order of their names. Raises as `data_stamp` does."""
    system, name = _system(pattern)
    with _asking(pattern):
        return sorted(
            Path(system.unstrip_protocol(one)) for one in system.glob(name) if not system.isdir(one)
        )


def _system(path: Path) -> tuple[Any, str]:
    """Return the file system of an address, and what the file is called there."""
    address = address_of(path)
    assert address is not None
    if KEY.search(address):
        raise RequestError(
            f"{shown_path(path)}: has a key before the @. Leave it out, so nobody reads it here: keys come from the "
            "environment, or from the settings of the storage."
        )
    try:
        from fsspec.core import url_to_fs
    except ImportError as error:
        raise MissingPackage(NEEDED) from error
    with _asking(path):
        system, name = url_to_fs(address)
        system.invalidate_cache()  # nothing that was listed before is taken for what is there now
    return system, str(name)


@contextmanager
def _asking(path: Path) -> Iterator[None]:
    """Turn whatever a kind of storage raises into a FileProblem, or a MissingPackage where it is not installed."""
    place = shown_path(path)
    try:
        with reading(place, WHAT):
            yield
    except OtterError as error:
        cause = error.__cause__
        deeper = None if cause is None else cause.__cause__
        if isinstance(cause, FileNotFoundError) and isinstance(deeper, OSError):
            cause = deeper  # a server that does not answer is told as a file that is not there
        if isinstance(cause, FileNotFoundError | IsADirectoryError):
            raise FileProblem(f"{place}: no such file there. Check the address and the spelling.") from cause
        if isinstance(cause, ImportError):
            raise MissingPackage(
                f"{place}: this kind of storage needs another package ({reason_of(cause)})."
            ) from cause
        if isinstance(cause, ValueError) and "protocol" in str(cause).casefold():
            kind = place.partition("://")[0]
            raise FileProblem(
                f"{place}: {kind!r} is no kind of storage that is known; they are s3, gs, abfs, https, file and others."
            ) from cause
        if getattr(cause, "errno", None) == ENOSPC:
            raise FileProblem(f"{place}: there is no room for a copy on this machine.") from cause
        if cause is not None:
            raise FileProblem(
                f"{place}: cannot be reached ({reason_of(cause)}). Check the address, the network, and the keys of the "
                "storage."
            ) from cause
        raise


def _moment(told: Any) -> datetime | None:
    """Return when a file was changed, from what storage tells: a moment, seconds, or a text."""
    from email.utils import parsedate_to_datetime

    try:
        if isinstance(told, int | float):
            return datetime.fromtimestamp(told, UTC)
        if isinstance(told, str):
            told = datetime.fromisoformat(told) if told[:1].isdigit() else parsedate_to_datetime(told)
        if isinstance(told, datetime):
            return told.replace(tzinfo=UTC) if told.tzinfo is None else told.astimezone(UTC)
    except (ValueError, OverflowError, OSError):
        pass
    return None
