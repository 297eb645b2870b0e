"""Tell a file that we made by the mark inside, so that only such a file is replaced unasked."""

from __future__ import annotations

import re
import zipfile
import zlib
from collections.abc import Callable, Mapping
from pathlib import Path

CSV_HEADS = (  # of tidy files and of findings
    b"table,title,part,question,row,row_kind,row_code,group,column,letter,figure,value,text,mark",
    b"table,title,layer,row,row_kind,row_code,group,column,letter,figure,value,mark",  # of version 0.1
    b"table,question,row,figure,column,against,value,other,effect,size,p_value,adjusted,base,other_base,sentence,"
    b"technical",
)
LARGEST_PROPERTIES = 1 << 20  # bytes of an office file's properties
START, END = 65_536, 65_536  # where in a file the mark stands
MAKER = rb"eager-otter \d+(?:\.\d+)*\w*"
_STRING = rb'"(?:[^"\\]|\\.)*"'
JSON_HEADS = (  # of a tidy file; of a manifest or comparison; of findings
    rb'\A\{\s*"title": ' + _STRING + rb',\s*"language": ' + _STRING + rb',\s*"provenance": "(?:[^"\\]|\\.)* ' + MAKER
    + rb'",|\A\{\s*"maker": "' + MAKER + rb'",|\A\[\s*\{\s*"table": ' + _STRING + rb',\s*"question": ' + _STRING
    + rb',\s*"row": ' + _STRING + rb',\s*"figure": |\A\[\]\s*\Z'
)  # fmt: skip


def is_ours(path: Path) -> bool:
    """Tell whether a file holds the mark of this package for its kind; an empty file may be replaced."""
    try:
        if path.stat().st_size == 0:
            return True
        return MARKS.get(path.suffix.lower(), _no_mark)(path)
    except OSError:
        return True  # whatever is wrong with it is told when it is written


def _no_mark(path: Path) -> bool:
    """Tell of a kind of file that has no room for a mark: it is never taken for ours."""
    return False


def _begins(pattern: bytes) -> Callable[[Path], bool]:
    """Look for a mark near the start of a file."""
    mark = re.compile(pattern)

    def found(path: Path) -> bool:
        with path.open("rb") as file:
            return mark.search(file.read(START)) is not None

    return found


def _ends(pattern: bytes) -> Callable[[Path], bool]:
    """Look for a mark at the end of a file."""
    mark = re.compile(pattern + rb"\s*\Z")

    def found(path: Path) -> bool:
        with path.open("rb") as file:
            file.seek(max(path.stat().st_size - END, 0))
            return mark.search(file.read(END)) is not None

    return found


def _has_our_head(path: Path) -> bool:
    with path.open("rb") as file:
        line = file.readline(4096).removeprefix(b"\xef\xbb\xbf").rstrip(b"\r\n")
    return line in CSV_HEADS


def _in_package(path: Path) -> bool:
    """Look for the mark in the properties of an office file."""
    mark = re.compile(rb"\S " + MAKER + rb"</dc:description>")
    try:
        with zipfile.ZipFile(path) as package:
            entry = package.getinfo("docProps/core.xml")
            return entry.file_size <= LARGEST_PROPERTIES and mark.search(package.read(entry)) is not None
    except (zipfile.BadZipFile, zlib.error, KeyError, ValueError, NotImplementedError, RuntimeError):
        return False


def _in_parquet(path: Path) -> bool:
    """Look for the mark in what a Parquet file says of itself."""
    import pyarrow as pa
    from pyarrow import parquet

    try:
        told = parquet.read_schema(path).metadata or {}
    except (pa.ArrowException, OSError):
        return False
    return re.search(rb"\S " + MAKER + rb"\Z", told.get(b"provenance", b"")) is not None


MARKS: Mapping[str, Callable[[Path], bool]] = {
    ".xlsx": _in_package,
    ".pptx": _in_package,
    ".html": _begins(rb'<meta name="generator" content="' + MAKER + rb'">'),
    ".pdf": _ends(rb"\n% made with " + MAKER + rb"\n"),
    ".csv": _has_our_head,
    ".json": _begins(JSON_HEADS),
    ".parquet": _in_parquet,
    ".md": _ends(rb"\S " + MAKER.replace(rb"-", rb"\\?-").replace(rb"\.", rb"\\?\.")),
    ".txt": _ends(rb"\S " + MAKER),
    ".png": _begins(rb"Software\0" + MAKER),
    ".svg": _begins(rb"<dc:title>" + MAKER + rb"</dc:title>"),
}
