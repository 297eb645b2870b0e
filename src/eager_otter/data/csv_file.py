"""Read CSV files as text, column by column; the codebook decides what the text means."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections.abc import Iterator, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.files import Source, checked_names, source_of
from eager_otter.errors import DataError, FileProblem, RequestError, shown_path

DELIMITERS = (",", ";", "\t", "|")
LONGEST_START = 16 * 1024 * 1024
BLOCK = 8 << 20
UTF16_MARKS = (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)
UNDEFINED_1252 = frozenset(b"\x81\x8d\x8f\x90\x9d")


@dataclass(frozen=True, slots=True)
class CsvFile:
    """A CSV file whose header has been read."""

    path: Path
    names: tuple[str, ...]
    delimiter: str
    encoding: str
    decimal: str
    guessed: bool  # the encoding is a guess: the file is not UTF-8 and nobody said what it is

    @property
    def place(self) -> str:
        """What to call it in a message."""
        return shown_path(self.path)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table. Raises FileProblem, DataError for a file without rows."""
        table = _CsvReader(self, columns).whole()
        if table.num_rows == 0:
            raise DataError(f"{self.place}: has a header but no rows; at least one respondent is needed.")
        return table

    def parts(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns in parts of some megabytes: Arrow tables. Raises as `read` does, later."""
        return _CsvReader(self, columns).parts()

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return source_of(self.path, rows, how=f"read as {self.encoding}" if self.guessed else "")


def open_csv(
    path: Path, *, delimiter: str | None = None, encoding: str | None = None, decimal: str | None = None
) -> CsvFile:
    """Open a CSV file and read its header; delimiter, encoding and decimal sign are found out unless given.

    UTF-8, UTF-16 with its mark, and otherwise Windows-1252, which is then told in the provenance.
    Raises FileProblem for a file that is no text or of an unknown encoding, DataError for one that is empty or
    names a column twice.
    """
    start = _start_of(path)
    if encoding is not None:
        encoding, guessed = _known_encoding(encoding), False
    else:
        encoding, guessed = _encoding_of(path, start)
    text = _decoded(start, encoding, path)
    first_line = text.lstrip("\r\n").split("\n", 1)[0]
    if delimiter is not None and len(delimiter) != 1:
        raise RequestError(f"A delimiter is one character; got {delimiter!r}.")
    delimiter = delimiter or max(DELIMITERS, key=first_line.count)
    csv.field_size_limit(LONGEST_START)
    try:
        header = next(iter(csv.reader(io.StringIO(text), delimiter=delimiter)), [])
    except csv.Error as error:
        raise FileProblem(f"{shown_path(path)}: the header row cannot be read ({error}).") from error
    names = checked_names(header, shown_path(path))
    return CsvFile(path, tuple(names), delimiter, encoding, decimal or _decimal_of(text, delimiter), guessed)


def _start_of(path: Path) -> bytes:
    place = shown_path(path)
    try:
        with path.open("rb") as file:
            start = file.read(LONGEST_START)
    except OSError as error:
        raise FileProblem(f"{place}: cannot be read ({error.strerror}).") from error
    if not start.strip():
        raise DataError(f"{place}: is empty; a header row and one row per respondent are needed.")
    if b"\0" in start[:65536] and not start.startswith(UTF16_MARKS):
        raise FileProblem(f"{place}: is not a text file; save the data as CSV (UTF-8).")
    return start


def _known_encoding(name: str) -> str:
    try:
        return codecs.lookup(name).name
    except LookupError as error:
        raise RequestError(f"No text encoding {name!r}. Usual ones: utf-8, utf-16, cp1252.") from error


def _encoding_of(path: Path, start: bytes) -> tuple[str, bool]:
    """Find the encoding: it, and whether it is a guess."""
    if start.startswith(UTF16_MARKS):
        return "utf-16", False
    line, byte = _first_bad_byte(path)
    if not line:
        return "utf-8", False
    if any(byte in UNDEFINED_1252 for byte in start):
        raise FileProblem(
            f"{shown_path(path)}: not UTF-8 text (line {line}, byte {byte:#04x}), nor Windows-1252. "
            "Save the file as CSV UTF-8, or name its encoding."
        )
    return "cp1252", True


def _decoded(start: bytes, encoding: str, path: Path) -> str:
    decoder = codecs.getincrementaldecoder("utf-8-sig" if encoding == "utf-8" else encoding)()
    try:
        return decoder.decode(start)
    except UnicodeDecodeError as error:
        raise FileProblem(f"{shown_path(path)}: is not {encoding} text (byte {error.start + 1}).") from error


def _decimal_of(text: str, delimiter: str) -> str:
    """Find a decimal comma: numbers such as 3,5 and none such as 3.5, where a comma does not part the cells."""
    if delimiter == ",":
        return "."
    cells = re.findall(
        rf"(?:^|{re.escape(delimiter)})\"?(-?\d+[.,]\d+)\"?(?=$|\r|{re.escape(delimiter)})", text, re.M
    )
    commas = [cell for cell in cells if "," in cell]
    thousands = all(len(cell.split(",")[1]) == 3 for cell in commas)
    return "," if commas and len(commas) == len(cells) and not thousands else "."


class _CsvReader:
    """Reads columns of a CSV file as text, and says in plain words what stops it."""

    def __init__(self, file: CsvFile, columns: Sequence[str]) -> None:
        self.file, self.columns = file, list(columns)
        self.skipped: list[Any] = []

    def whole(self) -> Any:
        from pyarrow import csv as arrow_csv

        try:
            return arrow_csv.read_csv(self.file.path, **self._options())
        except pa.ArrowInvalid as error:
            raise self._problem(error) from error

    def parts(self) -> Iterator[Any]:
        from pyarrow import csv as arrow_csv

        try:
            with arrow_csv.open_csv(self.file.path, **self._options()) as reader:
                for batch in reader:
                    yield pa.Table.from_batches([batch])
        except pa.ArrowInvalid as error:
            raise self._problem(error) from error

    def _options(self, *, slowly: bool = False) -> dict[str, Any]:
        from pyarrow import csv as arrow_csv

        return {
            "read_options": arrow_csv.ReadOptions(
                use_threads=not slowly, block_size=BLOCK, encoding=self.file.encoding
            ),
            "parse_options": arrow_csv.ParseOptions(
                delimiter=self.file.delimiter,
                newlines_in_values=True,
                ignore_empty_lines=len(self.file.names) > 1,
                invalid_row_handler=self._skip if slowly else None,
            ),
            "convert_options": arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(self.columns, pa.string()),
                include_columns=self.columns,
                strings_can_be_null=False,
            ),
        }

    def _skip(self, row: Any) -> str:
        self.skipped.append(row)
        return "skip"

    def _problem(self, error: Exception) -> FileProblem:
        """Read once more, row by row, to name the row that is wrong."""
        from pyarrow import csv as arrow_csv

        place = self.file.place
        if "straddling" in str(error):
            return FileProblem(f"{place}: a row is longer than {BLOCK >> 20} MB, or a quote is not closed.")
        with suppress(pa.ArrowInvalid):
            arrow_csv.read_csv(self.file.path, **self._options(slowly=True))
        if not self.skipped:
            return FileProblem(f"{place}: cannot be read as CSV ({error}).")
        first = self.skipped[0]
        number = f"row {first.number - 1}" if first.number is not None else "a row"
        more = f", and {len(self.skipped) - 1:,} rows more like it" if len(self.skipped) > 1 else ""
        return FileProblem(
            f"{place}: {number} has {first.actual_columns} cells where the header has {len(self.file.names)}{more}. "
            "A delimiter inside an answer must be in quotes; check how the file was exported."
        )


def _first_bad_byte(path: Path) -> tuple[int, int]:
    """Find the first line (from 1) that is not UTF-8, and the byte; 0 where all is."""
    with path.open("rb") as file:
        number = 0
        while lines := file.readlines(1 << 20):
            try:
                b"".join(lines).decode("utf-8")
            except UnicodeDecodeError:
                for line in lines:
                    number += 1
                    try:
                        line.decode("utf-8")
                    except UnicodeDecodeError as error:
                        return number, line[error.start]
            number += len(lines)
    return 0, 0
