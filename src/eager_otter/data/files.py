"""Read response files as text, column by column; the codebook decides what the text means."""

from __future__ import annotations

import csv
import hashlib
import io
from collections.abc import Iterable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.errors import DataError, FileProblem, nearest, shown_path

DELIMITERS = (",", ";", "\t", "|")
LONGEST_HEADER = 16 * 1024 * 1024
SHOWN = 5


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """Where responses came from: for the line at the foot of every output.

    `changed` is the day and minute (UTC) the file was last changed, `fingerprint` the first 12 digits of the
    SHA-256 of its bytes; both "" for data from memory.
    """

    name: str
    rows: int
    changed: str = ""
    fingerprint: str = ""

    def __str__(self) -> str:
        parts = [self.name, f"{self.rows:,} rows"]
        if self.changed:
            parts.append(f"file of {self.changed} UTC")
        if self.fingerprint:
            parts.append(f"SHA-256 {self.fingerprint}…")
        return ", ".join(parts)


def read_responses(path: Path, wanted: Iterable[str]) -> tuple[Any, Source]:
    """Read the wanted columns of a CSV file as text: an Arrow table, and where it came from.

    Raises FileProblem for a file that is missing or not readable as CSV, DataError for columns that are not
    there or a file without rows.
    """
    header, delimiter = _header(path)
    columns = _found(header, list(dict.fromkeys(wanted)), shown_path(path))
    table = _read_csv(path, columns, delimiter, len(header))
    if table.num_rows == 0:
        raise DataError(f"{shown_path(path)}: has a header but no rows; at least one respondent is needed.")
    return table, _source(path, table.num_rows)


def from_frame(frame: Any, wanted: Iterable[str]) -> tuple[Any, Source]:
    """Take the wanted columns of a pandas frame: an Arrow table, and what to call it.

    Raises DataError for columns that are not there, a frame without rows, or a column of mixed values.
    """
    names = [str(name) for name in frame.columns]
    columns = _found(names, list(dict.fromkeys(wanted)), "the frame")
    if len(frame) == 0:
        raise DataError("The frame has no rows; at least one respondent is needed.")
    by_name = dict(zip(names, frame.columns, strict=True))
    arrays = [_from_series(frame[by_name[name]], name) for name in columns]
    return pa.table(arrays, names=columns), Source(name="data in memory", rows=len(frame))


def _from_series(series: Any, name: str) -> Any:
    try:
        return pa.array(series, from_pandas=True)
    except (pa.ArrowInvalid, pa.ArrowTypeError):
        pass
    try:  # numbers and text side by side: codes and labels in one column
        texts = [None if blank else str(value) for value, blank in zip(series, series.isna(), strict=True)]
        return pa.array(texts, pa.string())
    except (TypeError, ValueError, pa.ArrowInvalid) as error:
        raise DataError(
            f"Column {name!r} of the frame holds values that are neither numbers nor text."
        ) from error


def _source(path: Path, rows: int) -> Source:
    digest = hashlib.sha256()
    with path.open("rb") as file:
        while block := file.read(1 << 20):
            digest.update(block)
    changed = datetime.fromtimestamp(path.stat().st_mtime, UTC).strftime("%Y-%m-%d %H:%M")
    return Source(name=path.name, rows=rows, changed=changed, fingerprint=digest.hexdigest()[:12])


def _header(path: Path) -> tuple[list[str], str]:
    place = shown_path(path)
    try:
        with path.open("rb") as file:
            start = file.read(LONGEST_HEADER)
    except FileNotFoundError as error:
        raise FileProblem(f"{place}: no such file. Check the path and the spelling.") from error
    except IsADirectoryError as error:
        raise FileProblem(f"{place}: is a folder; a CSV file was expected.") from error
    except OSError as error:
        raise FileProblem(f"{place}: cannot be read ({error.strerror}).") from error
    if not start.strip():
        raise DataError(f"{place}: is empty; a header row and one row per respondent are needed.")
    if b"\0" in start[:65536]:
        raise FileProblem(f"{place}: is not a text file; save the data as CSV (UTF-8).")
    try:
        text = start.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if error.start < len(start) - 4:
            raise _not_utf8(path) from error
        text = start[: error.start].decode("utf-8-sig")
    first_line = text.lstrip("\r\n").split("\n", 1)[0]
    delimiter = max(DELIMITERS, key=first_line.count)
    csv.field_size_limit(LONGEST_HEADER)
    try:
        header = next(iter(csv.reader(io.StringIO(text), delimiter=delimiter)), [])
    except csv.Error as error:
        raise FileProblem(f"{place}: the header row cannot be read ({error}).") from error
    return _checked_header(header, place), delimiter


def _checked_header(header: Sequence[str], place: str) -> list[str]:
    names = list(header)
    twice = sorted({name for name in names if names.count(name) > 1}) if len(set(names)) < len(names) else []
    if twice:
        shown = ", ".join(repr(name) for name in twice[:SHOWN])
        raise DataError(f"{place}: the header names {shown} more than once; each column needs its own name.")
    return names


def _found(header: Sequence[str], wanted: Sequence[str], place: str) -> list[str]:
    known = set(header)
    absent = [name for name in wanted if name not in known]
    if absent:
        lines = [f"{place}: {len(absent)} of the codebook's columns are not in the data:"]
        if len(absent) == 1:
            lines = [f"{place}: one of the codebook's columns is not in the data:"]
        lines += [f"  {name!r}.{nearest(name, header)}" for name in absent[:20]]
        if len(absent) > 20:
            lines.append(f"  and {len(absent) - 20:,} more")
        lines.append("Correct the codebook's column names, or take the questions out.")
        raise DataError("\n".join(lines))
    return list(wanted)


def _read_csv(path: Path, columns: Sequence[str], delimiter: str, width: int) -> Any:
    from pyarrow import csv as arrow_csv

    skipped: list[Any] = []

    def skip(row: Any) -> str:
        skipped.append(row)
        return "skip"

    def read(*, slowly: bool) -> Any:
        return arrow_csv.read_csv(
            path,
            read_options=arrow_csv.ReadOptions(use_threads=not slowly, block_size=8 << 20),
            parse_options=arrow_csv.ParseOptions(
                delimiter=delimiter,
                newlines_in_values=True,
                ignore_empty_lines=width > 1,
                invalid_row_handler=skip if slowly else None,
            ),
            convert_options=arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(columns, pa.string()),
                include_columns=list(columns),
                strings_can_be_null=False,
            ),
        )

    try:
        return read(slowly=False)
    except pa.ArrowInvalid as first:
        if "UTF8" in str(first) or "UTF-8" in str(first):
            raise _not_utf8(path) from first
        with suppress(pa.ArrowInvalid):
            read(slowly=True)
        raise FileProblem(_unreadable(path, width, skipped, str(first))) from first


def _unreadable(path: Path, width: int, skipped: Sequence[Any], reason: str) -> str:
    place = shown_path(path)
    if not skipped:
        return f"{place}: cannot be read as CSV ({reason})."
    first = skipped[0]
    number = f"row {first.number - 1}" if first.number is not None else "a row"
    more = f", and {len(skipped) - 1:,} rows more like it" if len(skipped) > 1 else ""
    return (
        f"{place}: {number} has {first.actual_columns} cells where the header has {width}{more}. "
        "A delimiter inside an answer must be in quotes; check how the file was exported."
    )


def _not_utf8(path: Path) -> FileProblem:
    line, byte = _first_bad_byte(path)
    return FileProblem(
        f"{shown_path(path)}: not UTF-8 text (line {line}, byte {byte:#04x}). Save the file as CSV UTF-8."
    )


def _first_bad_byte(path: Path) -> tuple[int, int]:
    with path.open("rb") as file:
        for number, line in enumerate(file, 1):
            try:
                line.decode("utf-8")
            except UnicodeDecodeError as error:
                return number, line[error.start]
    return 0, 0
