"""The gate for what is read: every file comes in here, and whatever is wrong with it becomes one clear message."""

from __future__ import annotations

import hashlib
import json
import os
import re
import stat
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from eager_otter.errors import FileProblem, OtterError, address_of, shown_path
from eager_otter.gates.numbers import number_of, whole_of
from eager_otter.gates.text import fitted, one_line

MEGABYTE = 1_000_000
LONGEST_REASON = 200  # characters of what a library says
MOST_UNPACKED = 1_000 * MEGABYTE  # of an office file
MOST_OF_AN_ENTRY = 800 * MEGABYTE
DENSEST = 200  # times that a part may be larger unpacked than packed, once it is large
LARGE = 50 * MEGABYTE
LARGEST_JSON = 300 * MEGABYTE
MOST_BESIDE = 2_000  # files of a folder that are looked at for one of nearly the same name
NEAR = 0.75  # from here on, one name is taken for a slip in another


def checked_file(path: Path, what: str, *, most: int | None = None, remedy: str = "") -> Path:
    """Check that a path is a file that can be read, of at most so many bytes; gives it.

    `what` is what the file should be ("a YAML file"). Raises FileProblem.
    """
    place = shown_path(path)
    try:
        status = path.stat()
    except FileNotFoundError as error:
        if address_of(path) is not None:
            raise FileProblem(
                f"{place}: is an address, where only responses are read. Copy it to this machine, or name "
                "it under a folder where that storage is mounted."
            ) from error
        raise FileProblem(f"{place}: no such file. {_what_else_is_there(path)}") from error
    except (OSError, ValueError) as error:
        raise FileProblem(f"{fitted(place, LONGEST_REASON)}: cannot be read ({reason_of(error)}).") from error
    if stat.S_ISDIR(status.st_mode):
        raise FileProblem(f"{place}: is a folder; {what} was expected.")
    if not stat.S_ISREG(status.st_mode):
        raise FileProblem(
            f"{place}: is not a file but a device or a pipe; {what} was expected. Save it as a file."
        )
    if most is not None and status.st_size > most:
        size = f"{status.st_size / MEGABYTE:,.0f} MB; at most {most / MEGABYTE:,.0f} MB are read as {what}."
        raise FileProblem(f"{place}: {size} {remedy}".rstrip())
    if not os.access(path, os.R_OK):
        raise FileProblem(f"{place}: cannot be read (permission denied).")
    return path


def _what_else_is_there(path: Path) -> str:
    """Say which file beside it a path that leads nowhere may be meant to be, or that its folder is not there."""
    from difflib import get_close_matches
    from itertools import islice

    folder = path.parent
    try:
        with os.scandir(folder) as entries:
            names = [entry.name for entry in islice(entries, MOST_BESIDE) if entry.is_file()]
    except FileNotFoundError:
        return f"There is no folder {shown_path(folder)} either."
    except (OSError, ValueError):
        names = []
    close = get_close_matches(path.name, names, n=1, cutoff=NEAR)
    return f"Did you mean {close[0]!r}?" if close else "Check the path and the spelling."


def stamp_of(path: Path) -> tuple[int, int]:
    """Return what tells quickly, on any machine, whether a file is still the same: its bytes, its time (ns)."""
    status = path.stat()
    return status.st_size, status.st_mtime_ns


def is_stored(path: Path) -> bool:
    """Return whether a path holds an address, and is none of this machine."""
    return address_of(path) is not None and not path.exists()


def is_file(path: Path) -> bool:
    """Return whether there is a file; no name that can be is no file."""
    return os.path.isfile(path)  # noqa: PTH113 - the method of a path raises for some names


def matching(folder: Path, pattern: str) -> list[Path]:
    """List the files that fit a pattern (`waves/*.csv`) from a folder on, in the order of their names."""
    try:
        return sorted(path for path in folder.glob(pattern) if path.is_file())
    except (OSError, ValueError, NotImplementedError):  # a pattern that cannot be one, or starts at the root
        return []


def is_folder(path: Path) -> bool:
    """Return whether there is a folder; no name that can be is no folder."""
    return os.path.isdir(path)  # noqa: PTH112 - as above


def resolved(path: Path) -> Path:
    """Follow links and dots of a path; one that leads nowhere stays as it is."""
    try:
        return path.resolve()
    except (ValueError, OSError, RuntimeError):
        return path


def relative(path: Path, folder: Path) -> str:
    """Write a path as it is from a folder, with slashes; the whole path where there is no way from there.

    An address is the same from everywhere.
    """
    if is_stored(path):
        return str(address_of(path))
    try:
        return Path(os.path.relpath(path, folder)).as_posix()
    except ValueError:  # another drive
        return str(path)


def read_bytes(path: Path, what: str, *, most: int | None = None) -> bytes:
    """Read a file. Raises FileProblem."""
    checked_file(path, what, most=most)
    with reading(path, what):
        return path.read_bytes()


def read_start(path: Path, what: str, count: int) -> bytes:
    """Read the first bytes of a file of any size. Raises FileProblem."""
    checked_file(path, what)
    with reading(path, what), path.open("rb") as file:
        return file.read(count)


def is_empty(path: Path) -> bool:
    """Return whether a path holds nothing: an empty file, or none that can be looked at."""
    try:
        return path.stat().st_size == 0
    except OSError:
        return True


def state_of(path: Path) -> tuple[int, ...] | None:
    """Return what tells whether a file has been written since, on this machine; None where there is none."""
    try:
        state = path.stat()
    except (OSError, ValueError):
        return None
    return state.st_dev, state.st_ino, state.st_size, state.st_mtime_ns, state.st_ctime_ns


def read_blocks(path: Path, what: str, size: int = 1 << 20) -> Iterator[bytes]:
    """Go through a file of any size in blocks. Raises FileProblem."""
    checked_file(path, what)
    with reading(path, what), path.open("rb") as file:
        while block := file.read(size):
            yield block


def digest_of_bytes(path: Path, what: str) -> str:
    """Return the SHA-256 of all the bytes of a file, in hexadecimal digits. Raises FileProblem."""
    digest = hashlib.sha256()
    for block in read_blocks(path, what):
        digest.update(block)
    return digest.hexdigest()


@contextmanager
def opened_from(path: Path, what: str, start: int) -> Iterator[Any]:
    """Open a file at a byte, for a library that reads on from there; gives None at its end. Raises FileProblem."""
    checked_file(path, what)
    with reading(path, what), path.open("rb") as file:
        file.seek(start)
        at_end = start > 0 and not file.read(1)
        file.seek(start)
        yield None if at_end else file


def read_lines(
    path: Path, what: str, *, encoding: str = "utf-8-sig", errors: str = "strict"
) -> Iterator[str]:
    """Go through the lines of a text of any size, with their ends as they are. Raises FileProblem."""
    checked_file(path, what)
    try:
        with path.open(encoding=encoding, errors=errors, newline="") as file:
            yield from file
    except UnicodeDecodeError as error:
        message = (
            f"{shown_path(path)}: not {encoding.removesuffix('-sig').upper()} text (byte {error.start + 1})."
        )
        raise FileProblem(f"{message} Save the file as UTF-8.") from error
    except (OSError, LookupError) as error:
        raise FileProblem(f"{shown_path(path)}: cannot be read ({reason_of(error)}).") from error


def read_text(path: Path, what: str, *, most: int | None = None) -> str:
    """Read a UTF-8 text, without its byte order mark. Raises FileProblem."""
    content = read_bytes(path, what, most=most)
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content.count(b"\n", 0, error.start) + 1
        raise FileProblem(
            f"{shown_path(path)}: not UTF-8 text (line {line}, byte {error.start + 1}). Save the file as UTF-8."
        ) from error


def packaged_text(package: str, *names: str) -> str:
    """Read a text file that is part of this package."""
    from importlib.resources import files

    return files(package).joinpath(*names).read_text(encoding="utf-8")


def read_json(path: Path, what: str, *, most: int = LARGEST_JSON) -> Any:
    """Read a JSON file: numbers as the texts that they are written as. Raises FileProblem."""
    return parse_json(read_text(path, what, most=most), shown_path(path), what)


class Written(str):
    """A number of JSON as it is written."""

    __slots__ = ()


def plain_number(text: str) -> int | float | str:
    """Return a number of JSON as a number; one that is too large or long stays a text."""
    whole, number = whole_of(text), number_of(text)
    return whole if whole is not None else text if number is None else number


def parse_json(text: str, place: str, what: str, *, number: Callable[[str], Any] = Written) -> Any:
    """Read JSON text; `place` names it, `number` makes of each number, as written, what stands for it.

    A name twice in an object and NaN are mistakes. Raises FileProblem.
    """
    try:
        return json.loads(
            text,
            parse_int=number,
            parse_float=number,
            parse_constant=_refuse_constant,
            object_pairs_hook=_once,
        )
    except (ValueError, RecursionError) as error:
        raise FileProblem(f"{place}: is not {what} ({reason_of(error)}).") from error


def _refuse_constant(name: str) -> None:
    raise ValueError(f"{name} is not a value of JSON")


def _once(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    entries = dict(pairs)
    if len(entries) < len(pairs):
        names = [name for name, _ in pairs]
        twice = next(name for name in names if names.count(name) > 1)
        raise ValueError(f"the name {twice!r} appears twice in an object")
    return entries


@contextmanager
def reading(path: Path | str, what: str, remedy: str = "") -> Iterator[None]:
    """Turn whatever a library raises, panics and lack of memory too, into a FileProblem that names the place.

    `what` is what the file should be; errors of ours go through as they are, with the place that they name.
    """
    place = path if isinstance(path, str) else shown_path(path)
    try:
        yield
    except (OtterError, KeyboardInterrupt, SystemExit, GeneratorExit):
        raise
    except BaseException as error:  # a panic of a library written in Rust is no Exception
        if isinstance(error, MemoryError) or _LACKING.search(str(error)):
            message = f"{place}: needs more memory than there is. Read fewer columns, or split the file."
            raise FileProblem(message) from error
        raise FileProblem(
            f"{place}: cannot be read as {what} ({reason_of(error)}). {remedy}".rstrip()
        ) from error


# what libraries say, under errors of other kinds, where the machine gives them no memory or no thread
_LACKING = re.compile(r"cannot allocate|failed to launch worker thread|resource temporarily", re.IGNORECASE)


def reason_of(error: BaseException) -> str:
    """Return what an error says, shortly."""
    number = getattr(error, "errno", None)
    text = os.strerror(number) if isinstance(number, int) and number > 0 else str(error)
    first = next((line for line in text.splitlines() if line.strip()), "") or type(error).__name__
    return fitted(one_line(first), LONGEST_REASON).rstrip(".")


def check_package(path: Path, what: str) -> None:
    """Refuse a file that is not a package of the kind office programs write, or that unpacks to far too much.

    Sizes are added up from what the package says, before anything is unpacked. Raises FileProblem.
    """
    import zipfile

    checked_file(path, what)
    place = shown_path(path)
    try:
        with zipfile.ZipFile(path) as package:
            entries = package.infolist()
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError, RuntimeError) as error:
        raise FileProblem(f"{place}: is not {what} ({reason_of(error)}).") from error
    for entry in entries:
        large = entry.file_size > LARGE and entry.file_size > DENSEST * max(entry.compress_size, 1)
        if large or entry.file_size > MOST_OF_AN_ENTRY:
            raise FileProblem(
                f"{place}: a part of it unpacks to {entry.file_size / MEGABYTE:,.0f} MB, far more than such a file "
                "holds; save the sheet as CSV."
            )
    unpacked = sum(entry.file_size for entry in entries)
    if unpacked > MOST_UNPACKED:
        raise FileProblem(
            f"{place}: unpacks to {unpacked / MEGABYTE:,.0f} MB; at most {MOST_UNPACKED / MEGABYTE:,.0f} MB are read. "
            "Save the sheet as CSV."
        )


@contextmanager
def package_parts(path: Path, what: str) -> Iterator[Callable[[str], Iterator[bytes]]]:
    """Open a package that has been checked; gives the function that goes through a part of it in blocks.

    A part of which there is none is empty. Raises FileProblem, also where a part is larger than it says.
    """
    import zipfile

    with reading(path, what), zipfile.ZipFile(path) as package:
        sizes = {entry.filename: entry.file_size for entry in package.infolist()}

        def blocks(name: str) -> Iterator[bytes]:
            if name not in sizes:
                return
            with package.open(name) as part:
                while block := part.read(1 << 20):
                    yield block

        yield blocks
