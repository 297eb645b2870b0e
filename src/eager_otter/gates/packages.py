"""The gate for packages of our own: entries as they are, one behind the other, each with a sum that is checked."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from eager_otter.gates.reading import checked_file, reading


@contextmanager
def new_package(path: Path) -> Iterator[Callable[[str, Any], None]]:
    """Write a package; gives the function that adds an entry, its bytes by its name. Raises OSError."""
    from zipfile import ZipFile

    with ZipFile(path, "w") as package:
        yield package.writestr


@contextmanager
def opened_package(path: Path, what: str) -> Iterator[tuple[Sequence[str], Callable[[str], bytes]]]:
    """Open a package; gives the names of its entries, and the function that reads one.

    Raises FileProblem, also where an entry is not as it was written.
    """
    from zipfile import ZipFile

    checked_file(path, what)
    with reading(path, what), ZipFile(path) as package:
        yield package.namelist(), package.read
