"""Tell a file that we made from one that somebody else did, so that only ours is overwritten without asking."""

from __future__ import annotations

import zipfile
from pathlib import Path

from eager_otter.errors import FileProblem, shown_path

MAKER = b"eager-otter"
TIDY_HEADS = (
    b"table,title,part,question,row,row_kind,row_code,group,column,letter,figure,value,text,mark",
    b"table,title,layer,row,row_kind,row_code,group,column,letter,figure,value,mark",  # of version 0.1
)
START, END = 65_536, 65_536  # where in a file the maker's name stands


def check_ours(path: Path) -> None:
    """Refuse to overwrite a file that we did not make. Raises FileProblem."""
    if path.exists() and not is_ours(path):
        raise FileProblem(
            f"{shown_path(path)}: is there already and was not made by eager-otter; it is not overwritten. "
            "Name another file, move it away, or give --force."
        )


def is_ours(path: Path) -> bool:
    """Tell whether a file was made by this package; an empty one may be overwritten."""
    try:
        if path.suffix.lower() in (".xlsx", ".pptx"):
            return _in_package(path)
        size = path.stat().st_size
        with path.open("rb") as file:
            start = file.read(START)
            file.seek(max(size - END, 0))
            ends = start + file.read(END)
    except OSError:
        return True  # whatever is wrong with it is told when it is written
    return size == 0 or MAKER in ends or start.lstrip(b"\xef\xbb\xbf").startswith(TIDY_HEADS)


def _in_package(path: Path) -> bool:
    """Look for the maker's name in the properties of an office file."""
    try:
        with zipfile.ZipFile(path) as package:
            names = [name for name in package.namelist() if name.startswith("docProps/")]
            return any(MAKER in package.read(name) for name in names)
    except (zipfile.BadZipFile, KeyError):
        return path.stat().st_size == 0
