"""The gate for what is written: beside its place first, then put there, whole or not at all."""

from __future__ import annotations

import contextlib
import csv
import io
import itertools
import os
import platform
import re
import shutil
import signal
import stat
import time
import zlib
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path
from typing import TYPE_CHECKING, TextIO

from eager_otter.errors import FileProblem, OtterError, shown_path
from eager_otter.gates.outputs import is_ours
from eager_otter.gates.reading import is_file, reason_of

if TYPE_CHECKING:
    from eager_otter.gates.cache import Cache

DAY = 86_400.0  # seconds
HOST = f"{zlib.crc32(platform.node().encode()):08x}"  # a folder may be shared by several machines
PART = re.compile(r"\.otter-([0-9a-f]{8})-(\d+)-\d+\.(?:part|kept)(?:\.\w+)?")
NOTED: ContextVar[Cache | None] = ContextVar("what knows files without a mark again", default=None)
LONGEST_SHOWN = 200  # characters of a path that cannot be one

Writer = Callable[[Path], None]

_numbers = itertools.count()


def check_targets(targets: Sequence[Path], *, inputs: Iterable[Path] = (), force: bool) -> None:
    """Refuse places that cannot be written, before any work: what is read, what is named twice, other people's files.

    `inputs` are the files that are read. Without `force`, a file that is there and was not made by this package is not
    replaced, nor one that has other names (hard links), which would keep the old contents. Raises FileProblem.
    """
    seen: set[Path] = set()
    sources = [path for path in inputs if is_file(path)]
    for path in targets:
        real = _checked_place(path)
        if real in seen:
            raise FileProblem(f"{shown_path(path)}: is named twice as a file to write; name each once.")
        seen.add(real)
        if any(_same(real, source) for source in sources):
            raise FileProblem(
                f"{shown_path(path)}: is read by this command and cannot be written by it; name another file."
            )
        if not force and real.exists():
            _check_free(path, real)


def check_new(targets: Sequence[Path]) -> None:
    """Refuse places where anything is, ours too: for files that people go on to change. Raises FileProblem."""
    for path in targets:
        if _checked_place(path, may_lack_folder=True).exists():
            raise FileProblem(
                f"{shown_path(path)}: is there already and is not overwritten, as people may have changed it. "
                "Name another place, or move it away."
            )


def _checked_place(path: Path, *, may_lack_folder: bool = False) -> Path:
    """Return the file that a path means, links followed. Raises FileProblem where no file can be written."""
    try:
        with contextlib.suppress(FileNotFoundError):
            path.lstat()
        real = path.resolve()
        if real.is_symlink():  # a link that leads to itself, which newer versions of Python leave as it is
            real.stat()
        if not real.parent.is_dir() and not may_lack_folder:
            raise FileProblem(
                f"{shown_path(path)}: the folder {shown_path(path.parent)} is not there; make it first."
            )
        if real.is_dir():
            raise FileProblem(f"{shown_path(path)}: is a folder; a file is to be written there.")
        if real.exists() and not real.is_file():
            raise FileProblem(f"{shown_path(path)}: is not a file that can be replaced; name another place.")
        if real.parent.is_dir() and not os.access(real.parent, os.W_OK | os.X_OK):
            raise FileProblem(
                f"{shown_path(path)}: nothing can be written into the folder {shown_path(path.parent)}; name another."
            )
    except FileProblem:
        raise
    except (OSError, ValueError, RuntimeError) as error:
        raise FileProblem(
            f"{_short(path)}: cannot be written ({reason_of(error)}); name another file."
        ) from error
    return real


def _short(path: Path) -> str:
    text = str(path).replace("\0", "\\0")
    return text if len(text) <= LONGEST_SHOWN else f"{text[:LONGEST_SHOWN]}…"


def _check_free(path: Path, real: Path) -> None:
    noted = NOTED.get()
    if not is_ours(real) and (noted is None or not noted.is_as_written(real)):
        raise FileProblem(
            f"{shown_path(path)}: is there already and does not say that eager-otter made it; it is not overwritten. "
            "Name another file, move it away, or give --force (in Python: force=True)."
        )
    names = real.stat().st_nlink
    if names > 1:
        raise FileProblem(
            f"{shown_path(path)}: is one of {names} names of the same file (hard links); the others would keep the old "
            "contents. Remove it first, or give --force (in Python: force=True)."
        )


def _note(paths: Sequence[Path]) -> None:
    """Note what was written without a mark, where a command has said what knows such files again."""
    noted = NOTED.get()
    if noted is not None and (unmarked := [path.resolve() for path in paths if not is_ours(path)]):
        noted.note_written(unmarked)


def _same(real: Path, source: Path) -> bool:
    try:
        return real == source.resolve() or (real.exists() and real.samefile(source))
    except OSError:
        return False


@contextmanager
def written_beside(
    paths: Sequence[Path], *, inputs: Iterable[Path] = (), force: bool
) -> Iterator[list[Path]]:
    """Return a path beside each of the paths to write to; on success these replace the paths, else they are removed.

    All appear together or, where writing one fails, none does. Links are followed, and a file keeps its mode. Parts
    that a killed run left are removed. Raises what `check_targets` raises, FileProblem where writing fails.
    """
    check_targets(paths, inputs=inputs, force=force)
    with _parts(paths) as parts:
        yield parts
        with _failing_clearly(paths):
            _put(parts, [path.resolve() for path in paths])
        _note(paths)


def write_each(
    writers: Sequence[tuple[Path, Writer]], *, inputs: Iterable[Path] = (), force: bool
) -> tuple[list[Path], list[OtterError]]:
    """Write files that do not depend on each other: what one writer cannot write does not stop the others.

    Each writer is given the path of a part; when all have had their turn, those that were written are put in their
    places. Gives the paths written, and what was wrong with the others. Raises what `check_targets` raises.
    """
    paths = [path for path, _ in writers]
    check_targets(paths, inputs=inputs, force=force)
    problems: list[OtterError] = []
    faults: list[Exception] = []
    whole: list[tuple[Path, Path]] = []
    with _parts(paths) as parts:
        for (path, write), part in zip(writers, parts, strict=True):
            try:
                with _failing_clearly([path]):
                    write(part)
                    _flush(part)
            except OtterError as error:
                problems.append(error)
                _remove(part)  # makes room, where that was what lacked
            except Exception as fault:  # noqa: BLE001 - raised when the others are written
                faults.append(fault)
            else:
                whole.append((path, part))
        for path, part in whole:
            with _failing_clearly([path]):
                _put([part], [path.resolve()])
    _note([path for path, _ in whole])
    if faults:
        raise faults[0]
    return [path for path, _ in whole], problems


def write_bytes(path: Path, content: bytes | memoryview) -> None:
    """Write a part that a library made in memory."""
    path.write_bytes(content)


def write_text(path: Path, text: str) -> None:
    """Write a part as UTF-8, with the line ends of the text on every machine; what UTF-8 cannot hold is shown as ?."""
    path.write_bytes(text.encode("utf-8", "replace"))


def write_parts(path: Path, texts: Iterable[str]) -> None:
    """Write a part text by text, so that only one is in memory at a time; otherwise as `write_text` does."""
    with path.open("w", encoding="utf-8", errors="replace", newline="\n") as file:
        file.writelines(texts)


def write_rows(path: Path, names: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
    """Write a part as CSV: UTF-8, commas, a header and rows, quotes where they must be."""
    with path.open("w", encoding="utf-8", errors="replace", newline="") as file:
        writer = csv.writer(_Lines(file), lineterminator="\r\n")  # so that either sign in a cell is quoted
        writer.writerow(names)
        writer.writerows(rows)


def csv_line(cells: Sequence[object]) -> str:
    """Return a line of CSV as `write_rows` writes it, with its end."""
    line = io.StringIO()
    csv.writer(_Lines(line), lineterminator="\r\n").writerow(cells)
    return line.getvalue()


class _Lines:
    """Writes the lines of a CSV file with one kind of end."""

    def __init__(self, file: TextIO) -> None:
        self.file = file

    def write(self, line: str) -> int:
        """Write a line that ends in two signs with one."""
        return self.file.write(f"{line[:-2]}\n")


@contextmanager
def new_folder(folder: Path) -> Iterator[None]:
    """Make a folder, and those above it, where it is not there; what was made is removed where the block fails.

    Raises FileProblem where it cannot be made.
    """
    folders: list[Path] = []
    try:
        for path in reversed([folder, *folder.parents]):
            if not path.exists():
                path.mkdir()
                folders.append(path)
        if not folder.is_dir():
            raise FileProblem(f"{shown_path(folder)}: is not a folder; name another.")
    except (OSError, ValueError) as error:
        if isinstance(error, FileProblem):
            raise
        raise FileProblem(
            f"{_short(folder)}: the folder cannot be made ({reason_of(error)}); name another."
        ) from error
    try:
        yield
    except BaseException:
        for path in reversed(folders):
            with contextlib.suppress(OSError):
                path.rmdir()
        raise


@contextmanager
def _failing_clearly(paths: Sequence[Path]) -> Iterator[None]:
    """Turn what the system says of writing into one message."""
    try:
        yield
    except OtterError:
        raise
    except (OSError, UnicodeError) as error:
        named = ", ".join(shown_path(path) for path in paths)
        raise FileProblem(f"{named}: cannot be written ({reason_of(error)}).") from error


@contextmanager
def _parts(paths: Sequence[Path]) -> Iterator[list[Path]]:
    """Return the parts to write; those that are still there at the end are removed."""
    folders = [path.resolve().parent for path in paths]
    for folder in dict.fromkeys(folders):
        _remove_left_parts(folder)
    beside = [
        folder / f".otter-{HOST}-{os.getpid()}-{next(_numbers)}.part{path.suffix}"
        for folder, path in zip(folders, paths, strict=True)
    ]
    try:
        with _failing_clearly(paths):
            yield beside
    finally:
        with _undisturbed():
            for part in beside:
                _remove(part)


@contextmanager
def _undisturbed() -> Iterator[None]:
    """Let no Ctrl-C fall into a block that tidies up."""
    try:
        before = signal.signal(signal.SIGINT, signal.SIG_IGN)
    except ValueError:  # not in the main thread, where none falls
        yield
        return
    try:
        yield
    finally:
        signal.signal(signal.SIGINT, before)


def _remove(part: Path) -> None:
    with contextlib.suppress(OSError):
        part.unlink(missing_ok=True)


def _flush(part: Path) -> None:
    """See that a part is on the disk before it takes the place of what was there."""
    with part.open("rb+") as file:
        os.fsync(file.fileno())


def _put(parts: Sequence[Path], places: Sequence[Path]) -> None:
    """Put the parts in their places; where one cannot be put, those before it are as they were."""
    for part in parts:
        _flush(part)
    kept: list[tuple[Path, Path | None]] = []
    with _undisturbed():
        try:
            for part, place in zip(parts, places, strict=True):
                if place.exists():
                    with contextlib.suppress(OSError):
                        part.chmod(stat.S_IMODE(place.stat().st_mode))
                kept.append((place, _kept(place) if len(parts) > 1 else None))
                part.replace(place)
        except OSError:
            for place, old in reversed(kept[:-1]):
                if old is None:
                    _remove(place)
                else:
                    old.replace(place)
            raise
        finally:
            for _, old in kept:
                if old is not None:
                    _remove(old)


def _kept(place: Path) -> Path | None:
    """Keep what is at a place under another name until all are put; None where nothing is there."""
    if not place.exists():
        return None
    old = place.with_name(f".otter-{HOST}-{os.getpid()}-{next(_numbers)}.kept{place.suffix}")
    try:
        os.link(place, old)
    except OSError:
        shutil.copy2(place, old)
    return old


def _remove_left_parts(folder: Path) -> None:
    """Remove the parts of runs that are no more."""
    try:
        names = [path.name for path in folder.iterdir() if path.name.startswith(".otter-")]
    except OSError:
        return
    for name in names:
        match = PART.fullmatch(name)
        if match is not None and _is_left(folder / name, match[1], int(match[2])):
            _remove(folder / name)


def _is_left(part: Path, host: str, process: int) -> bool:
    """Return whether the process that wrote a part is gone; one of another machine counts as gone after a day."""
    if os.name == "nt" or host != HOST:  # where a process cannot be asked
        with contextlib.suppress(OSError):
            return time.time() - part.stat().st_mtime > DAY
        return False
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return True
    except OSError:
        return False  # somebody else's
    return False
