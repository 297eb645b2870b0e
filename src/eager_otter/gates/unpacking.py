"""The gate for packed files: their one table is unpacked into a folder that goes when nothing needs it any more."""

from __future__ import annotations

import gzip
import shutil
import zipfile
import zlib
from pathlib import Path
from typing import IO

from eager_otter.dataclass import dataclass
from eager_otter.errors import FileProblem, shown_path
from eager_otter.gates.reading import checked_file, reason_of
from eager_otter.gates.temporary import TemporaryFolder

PACKED = (".gz", ".zip")
TABLES = (".csv", ".tsv", ".txt")
BLOCK = 1 << 20
DENSEST = 1_000  # times that a table may be larger than it was packed
ALWAYS = 1 << 26  # bytes that may be unpacked whatever they were packed to


@dataclass(frozen=True, slots=True, eq=False)
class Unpacked:
    """A table that was unpacked: where the packed file is, where the table is, and the folder that holds it."""

    packed: Path
    table: Path
    folder: TemporaryFolder


def unpacked(path: Path) -> Unpacked:
    """Unpack a .gz file, or the one table of a .zip file.

    Raises FileProblem for a file that is damaged, locked or far too dense, or that holds no table or several.
    """
    checked_file(path, "a packed file")
    place, folder = shown_path(path), TemporaryFolder()
    try:
        if path.suffix.lower() == ".gz":
            table = folder.path / (path.stem or "table.csv")
            if table.suffix.lower() not in TABLES:
                raise FileProblem(
                    f"{place}: what is packed is read where it ends in {', '.join(TABLES)}; unpack it."
                )
            with gzip.open(path) as packed:
                _copy(packed, table, path)
        else:
            table = _from_zip(path, folder)
    except FileProblem:
        raise
    except (
        OSError,
        EOFError,
        zlib.error,
        zipfile.BadZipFile,
        NotImplementedError,
        RuntimeError,
        ValueError,
    ) as error:
        raise FileProblem(f"{place}: cannot be unpacked ({reason_of(error)}). Unpack it by hand.") from error
    return Unpacked(path, table, folder)


def _from_zip(path: Path, folder: TemporaryFolder) -> Path:
    place = shown_path(path)
    with zipfile.ZipFile(path) as package:
        entries = [
            entry
            for entry in package.infolist()
            if not entry.is_dir() and not entry.filename.startswith("__MACOSX/")
        ]
        tables = [entry for entry in entries if Path(entry.filename).suffix.lower() in TABLES]
        if len(tables) != 1:
            names = ", ".join(entry.filename for entry in (tables or entries)[:5]) or "nothing"
            raise FileProblem(
                f"{place}: holds {names}; one file that ends in {', '.join(TABLES)} was expected. Unpack it, and name "
                "the one that is meant."
            )
        if tables[0].flag_bits & 1:
            raise FileProblem(f"{place}: is locked with a password; unpack it by hand.")
        table = folder.path / f"table{Path(tables[0].filename).suffix.lower()}"
        with package.open(tables[0]) as packed:
            _copy(packed, table, path)
    return table


def _copy(packed: gzip.GzipFile | IO[bytes], table: Path, path: Path) -> None:
    most = max(ALWAYS, DENSEST * path.stat().st_size)
    with table.open("wb") as file:
        written = 0
        while block := packed.read(BLOCK):
            written += len(block)
            if written > most:
                raise FileProblem(f"{shown_path(path)}: unpacks to more than {most >> 20:,} MB; refused.")
            if shutil.disk_usage(table.parent).free < 2 * BLOCK:
                raise FileProblem(
                    f"{shown_path(path)}: there is no room to unpack it; name another folder in TMPDIR."
                )
            file.write(block)
