"""The marks inside files that we made, by which they are told from others."""

from __future__ import annotations

import re
import zlib
from collections.abc import Callable
from pathlib import Path

CSV_HEADS = (  # of tidy files and of findings
    b"table,title,part,question,row,row_kind,row_code,group,column,letter,figure,value,text,mark",
    b"table,title,layer,row,row_kind,row_code,group,column,letter,figure,value,mark",  # of version 0.1
    b"table,question,row,figure,column,against,value,other,effect,size,p_value,adjusted,base,other_base,sentence,"
    b"technical",
)
LARGEST_PROPERTIES = 1 << 20  # bytes of an office file's properties
START, END = 65_536, 65_536  # where in a file the mark is
MAKER = rb"eager-otter \d+(?:\.\d+)*\w*"
_STRING = rb'"(?:[^"\\]|\\.)*"'
JSON_HEADS = (  # of a tidy file; of a manifest or comparison; of findings
    rb'\A\{\s*"title": ' + _STRING + rb',\s*"language": ' + _STRING + rb',\s*"provenance": "(?:[^"\\]|\\.)* ' + MAKER
    + rb'",|\A\{\s*"maker": "' + MAKER + rb'",|\A\[\s*\{\s*"table": ' + _STRING + rb',\s*"question": ' + _STRING
    + rb',\s*"row": ' + _STRING + rb',\s*"figure": |\A\[\]\s*\Z'
)  # fmt: skip


def begins_with(pattern: bytes) -> Callable[[Path], bool]:
    """Look for a mark near the start of a file."""

    def found(path: Path) -> bool:
        with path.open("rb") as file:
            return re.search(pattern, file.read(START)) is not None

    return found


def ends_with(pattern: bytes) -> Callable[[Path], bool]:
    """Look for a mark at the end of a file."""

    def found(path: Path) -> bool:
        with path.open("rb") as file:
            file.seek(max(path.stat().st_size - END, 0))
            return re.search(pattern + rb"\s*\Z", file.read(END)) is not None

    return found


def has_our_head(path: Path) -> bool:
    """Look for the header of a tidy file or of findings."""
    with path.open("rb") as file:
        line = file.readline(4096).removeprefix(b"\xef\xbb\xbf").rstrip(b"\r\n")
    return line in CSV_HEADS


def in_package(path: Path) -> bool:
    """Look for the mark in the properties of an office file."""
    import zipfile

    mark = re.compile(rb"\S " + MAKER + rb"</dc:description>")
    try:
        with zipfile.ZipFile(path) as package:
            entry = package.getinfo("docProps/core.xml")
            return entry.file_size <= LARGEST_PROPERTIES and mark.search(package.read(entry)) is not None
    except (zipfile.BadZipFile, zlib.error, KeyError, ValueError, NotImplementedError, RuntimeError):
        return False


def in_parquet(path: Path) -> bool:
    """Look for the mark in what a Parquet file says of itself."""
    import pyarrow as pa
    from pyarrow import parquet

    try:
        metadata = parquet.read_schema(path).metadata or {}
    except (pa.ArrowException, OSError):
        return False
    return re.search(rb"\S " + MAKER + rb"\Z", metadata.get(b"provenance", b"")) is not None
