"""Every error this package raises on purpose. Each is also the built-in a stranger would catch.

OtterError
├── FileProblem (OSError)            a file is missing, unreadable or in the way
├── DocumentError (ValueError)       mistakes in a codebook or plan, all of them, with file:line:column
├── ExpressionError (ValueError)     a mistake in an expression, with a caret at the character
├── DataError (ValueError)           the data cannot be what the codebook says they are
├── UnknownName (LookupError)        no question, row, column or figure of that name
├── RequestError (ValueError)        a table that cannot be made as asked
├── MachineProblem (RuntimeError)    memory, a process or a cluster that is not there (any more)
└── MissingPackage (ImportError)     an optional package is needed; the message holds its install line
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from pathlib import Path

from eager_otter.dataclass import dataclass


class OtterError(Exception):
    """The base of all errors raised on purpose by this package."""


class FileProblem(OtterError, OSError):
    """A file that is missing, cannot be read or written, or is in the way."""

    def __str__(self) -> str:
        return str(self.args[0])


class DataError(OtterError, ValueError):
    """Data that cannot be what the codebook says they are."""


class RequestError(OtterError, ValueError):
    """A table, figure or setting that cannot be had."""


class MachineProblem(OtterError, RuntimeError):
    """The work could not be finished: too little memory, or a process or cluster that is gone."""


class Hint(UserWarning):
    """Something in a call that does nothing, or is better written otherwise today."""


class MissingPackage(OtterError, ImportError):
    """An optional package is not installed."""


class UnknownName(OtterError, LookupError):
    """A name that is not there; the message offers the nearest ones that are, or says in a sentence what is `meant`."""

    def __init__(self, kind: str, name: str, known: Iterable[str], where: str = "", meant: str = "") -> None:
        self.kind, self.name, self.known, self.where, self.meant = kind, str(name), tuple(known), where, meant
        super().__init__(kind, self.name, self.known, where, meant)  # all of it, so that it survives pickling

    def __str__(self) -> str:
        place = f" in {self.where}" if self.where else ""
        offered = f" {self.meant}" if self.meant else nearest(self.name, self.known)
        return f"No {self.kind} {self.name!r}{place}.{offered}"


class ExpressionError(OtterError, ValueError):
    """A mistake in an expression. `position` counts characters from 0."""

    def __init__(self, message: str, text: str, position: int) -> None:
        self.message, self.text, self.position = message, text, min(position, len(text))
        super().__init__(message, text, position)

    def __str__(self) -> str:
        return f"{self.message}\n    {self.text}\n    {' ' * self.position}^"


LONGEST_EXCERPT = 160  # characters of a line that a message shows


@dataclass(frozen=True, slots=True, order=True)
class Problem:
    """One mistake in a file: where it is (line and column count from 1, 0 = the file as a whole) and what."""

    file: str
    line: int
    column: int
    message: str
    excerpt: str = ""

    def __str__(self) -> str:
        place = f"{self.file}:{self.line}:{self.column}" if self.line else self.file
        if not self.excerpt:
            return f"{place}: {self.message}" if place else self.message
        number = str(self.line)
        excerpt, column = _around(self.excerpt, self.column)
        caret = " " * (len(number) + 5 + column - 1) + "^"
        return f"{place}: {self.message}\n  {number} | {excerpt}\n{caret}"


def _around(line: str, column: int) -> tuple[str, int]:
    """Cut a long line to what is around a column (from 1): the part, and where the column is in it."""
    if len(line) <= LONGEST_EXCERPT:
        return line, column
    start = max(0, min(column - 1 - LONGEST_EXCERPT // 2, len(line) - LONGEST_EXCERPT))
    cut = line[start : start + LONGEST_EXCERPT]
    before, behind = "…" if start else "", "…" if start + LONGEST_EXCERPT < len(line) else ""
    return f"{before}{cut}{behind}", column - start + len(before)


MOST_TOLD = 100  # mistakes of thousands that are most often one, made again and again


class DocumentError(OtterError, ValueError):
    """All the mistakes found in a codebook and a plan: `problems`; as text, the first hundred of them."""

    def __init__(self, problems: Sequence[Problem]) -> None:
        self.problems = tuple(sorted(set(problems)))
        super().__init__(self.problems)

    def __str__(self) -> str:
        if len(self.problems) == 1:
            return str(self.problems[0])
        told = "\n".join(map(str, self.problems[:MOST_TOLD]))
        left = len(self.problems) - MOST_TOLD
        more = f"\nThere are {left:,} more, which are told when these are mended." if left > 0 else ""
        return f"{len(self.problems):,} mistakes.\n{told}{more}"


MOST_NAMES = 12


def one_of(names: Sequence[str]) -> str:
    """Write names as a choice.

    >>> one_of(["a"]), one_of(["a", "b", "c"])
    ('a', 'a, b or c')
    """
    *others, last = names
    return f"{', '.join(others)} or {last}" if others else last


def nearest(name: str, known: Sequence[str]) -> str:
    """Offer the nearest known name, or the list where it is short: a sentence with a blank before it, or "".

    Of known names with commas between them, say how several are written.

    >>> nearest("regoin", ["region", "age", "liking"])
    " Did you mean 'region'?"
    >>> nearest("xyz", ["region", "age"])
    ' Known: region, age.'
    >>> nearest("region, Age", ["region", "age", "liking"])
    ' Both are known: name each by itself, in a file as a list: [region, age].'
    """
    from difflib import get_close_matches

    by_lower: dict[str, str] = {}
    for candidate in known:
        by_lower.setdefault(candidate.casefold(), candidate)
    pieces = [piece.strip().casefold() for piece in name.split(",")]
    if len(pieces) > 1 and by_lower.keys() >= set(pieces):
        listed = ", ".join(by_lower[piece] for piece in pieces)
        all_of = "All" if pieces[2:] else "Both"
        return f" {all_of} are known: name each by itself, in a file as a list: [{listed}]."
    close = get_close_matches(name.casefold(), list(by_lower), n=2, cutoff=0.6)
    if close:
        return f" Did you mean {' or '.join(repr(by_lower[match]) for match in close)}?"
    if 0 < len(known) <= MOST_NAMES:
        return f" Known: {', '.join(known)}."
    return ""


# of object storage, web servers and others, as a path holds it, with one slash; no letter of a drive
ADDRESS = re.compile(r"(?:^|/)([a-z][a-z0-9+.-]+):/(?!/)")
KEY = re.compile(r"://[^/@]*:[^/]*@")  # a name and a key; a name alone, as of a container, is none


def address_of(path: Path) -> str | None:
    """Return the address that stands in a path, None where there is none: `s3://waves/autumn.parquet`.

    A path has one slash where an address has two, and may begin with the folder of the plan that names it. The address
    of a file of this machine, `file:///waves/autumn.parquet`, has three.
    """
    text = path.as_posix()
    found = ADDRESS.search(text)
    if found is None:
        return None
    kind, rest = found[1], text[found.end() :]
    return f"{kind}:///{rest}" if kind in ("file", "local") else f"{kind}://{rest}"


COPIES: dict[
    Path, Path
] = {}  # of copies on this machine: the addresses they are of, by which they are called


def name_of(path: Path) -> str:
    """Return the name of a file: the last part of its path, without what may follow it in an address, after a `?`.

    A copy of a file at an address has the name of that.
    """
    path = COPIES.get(path, path)
    return path.name if address_of(path) is None else path.name.partition("?")[0]


def shown_path(path: Path) -> str:
    """Return a path as a person would type it: relative to the working folder where that is shorter.

    Of an address, no keys are shown: neither those before an @ nor what follows a ?. A copy of a file at an address is
    shown as that.
    """
    address = address_of(COPIES.get(path, path))
    if address is not None and (
        path in COPIES or not path.exists()
    ):  # the gate for reading is higher than errors
        return KEY.sub("://", address).partition("?")[0]
    try:
        return str(path.resolve().relative_to(Path.cwd()))
    except (ValueError, OSError, RuntimeError):  # elsewhere, or no path that can be
        return str(path).replace("\0", "\\0")
