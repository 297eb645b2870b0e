"""Write files beside their places and put them there only when all are done."""

from __future__ import annotations

import os
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

from eager_otter.errors import FileProblem, shown_path


@contextmanager
def written_beside(paths: Sequence[Path]) -> Iterator[list[Path]]:
    """Give a path beside each of the paths to write to; on success these replace the paths, else they are removed.

    Raises FileProblem where a folder is not there, a path is a folder, or writing fails.
    """
    for path in paths:
        if not path.parent.is_dir():
            raise FileProblem(
                f"{shown_path(path)}: the folder {shown_path(path.parent)} is not there; make it first."
            )
        if path.is_dir():
            raise FileProblem(f"{shown_path(path)}: is a folder; a file is to be written there.")
    beside = [path.with_name(f".{path.stem}.{os.getpid()}.part{path.suffix}") for path in paths]
    try:
        yield beside
        for path, part in zip(paths, beside, strict=True):
            part.replace(path)
    except OSError as error:
        if isinstance(error, FileProblem):
            raise
        named = ", ".join(shown_path(path) for path in paths)
        raise FileProblem(f"{named}: cannot be written ({error.strerror or error}).") from error
    finally:
        for part in beside:
            part.unlink(missing_ok=True)
