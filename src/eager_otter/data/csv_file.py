"""Read CSV files as text, column by column; the codebook decides what the text means."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import field
from functools import lru_cache, partial
from itertools import islice
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from eager_otter.data.csv_lines import is_by_bytes, rows_by_line, windows_of
from eager_otter.data.described import Described
from eager_otter.data.files import Source, checked_names, digest_ahead, is_long, source_of
from eager_otter.data.headings import MOST_ROWS, ROWS_LOOKED_AT, Headings, below_title, read_headings
from eager_otter.data.line_breaks import Swallowed, swallowed_rows, swallowed_within
from eager_otter.data.remark import Remark, blank_lines, named
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, FileProblem, RequestError, name_of, shown_path
from eager_otter.gates.encodings import USUAL, WESTERN, not_western
from eager_otter.gates.reading import opened_from, read_blocks, read_lines, read_start, reading, stamp_of
from eager_otter.looks.words import counted, said

if TYPE_CHECKING:
    from eager_otter.gates.unpacking import Unpacked

DELIMITERS = (",", ";", "\t", "|")
LONGEST_START = 16 * 1024 * 1024
BLOCK = 8 << 20
WINDOW = BLOCK  # bytes that a thread reads at a time
UTF16_MARKS = (codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)
LINE_END = re.compile("\r\n|[\r\n]")
LONGEST_WHOLE = 40  # characters before the decimal sign of a number, with what stands before it
LINES_COUNTED = 40  # in which the sign between cells is counted
WHAT = "CSV"
TEXT_FILE = "a CSV file"


@dataclass(frozen=True, slots=True)
class CsvFile:
    """A CSV file whose header has been read."""

    path: Path
    names: tuple[str, ...]
    delimiter: str
    encoding: str
    decimal: str
    guessed: bool  # the encoding is a guess: the file is not UTF-8 and nobody said what it is
    headings: Headings = field(default_factory=lambda: Headings(()))
    titles: int = 0  # rows that hold something above the headings
    above: int = 1  # rows above the first respondent, blank ones as well
    described: Mapping[str, Described] = field(default_factory=dict)  # what a definition beside it says
    definition: Path | None = None
    unpacked: Unpacked | None = None  # where it came packed

    @property
    def place(self) -> str:
        """Its name in a message."""
        return shown_path(self._whole)

    @property
    def _whole(self) -> Path:
        return self.path if self.unpacked is None else self.unpacked.packed

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from."""
        return (self._whole,) if self.definition is None else (self._whole, self.definition)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table. Raises FileProblem, DataError for a file without rows."""
        with reading(self.path, WHAT):
            table = _CsvReader(self, columns).whole()
        if table.num_rows == 0:
            raise DataError(f"{self.place}: has a header but no rows; at least one respondent is needed.")
        return table

    def in_a_row(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns in parts of some megabytes: Arrow tables. Raises as `read` does, later."""
        digest_ahead(self._whole)
        with reading(self.path, WHAT):
            yield from _CsvReader(self, columns).parts()

    @property
    def is_long(self) -> bool:
        """Whether it is so large that it is better read once only."""
        return is_long(self.path)

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell of blank lines, and of quotes that were not closed: fewer rows were read than the file has lines."""
        yield from self.headings.remarks()
        filled, blank = self._count_lines()
        if self.titles:
            blank -= self.above - self.headings.count - self.titles  # those around the title
        if blank and len(self.names) > 1:
            yield blank_lines(blank)
        if rows >= filled - self.headings.count - self.titles:
            return
        remarks = self._swallowed_rows()
        if remarks:
            lost, where = sum(one.rows for one in remarks), [f"line {one.line:,}" for one in remarks]
            yield Remark(
                slip="quote not closed",
                text=said(
                    "{count} {count:line|lines} of the data {count:looks|look} like {count:a row|rows} but "
                    "{count:stands|stand} within quotes ({where}) and {count:is|are} not counted."
                ),
                values={"count": lost, "where": named(where)},
                remedy="Close the quote on that line, or double quotes that belong to an answer, and export again.",
                count=lost,
                severe=True,
            )

    def _swallowed_rows(self) -> list[Swallowed]:
        """Find what looks like rows within quotes: in rows of several lines, or in all where these cannot be told."""
        if is_by_bytes(self.encoding):
            read = _Measured(read_blocks(self.path, TEXT_FILE, BLOCK))
            windows = _Measured(window.content for window in windows_of(read, BLOCK, self.delimiter))
            found = swallowed_within(
                windows,
                self.delimiter,
                len(self.names),
                partial(str, encoding=self.encoding, errors="replace"),
            )
            if found is not None and windows.size == read.size:
                return found
        lines = read_lines(self.path, TEXT_FILE, encoding=self.encoding, errors="replace")
        return list(swallowed_rows(lines, self.delimiter, len(self.names)))

    def _count_lines(self) -> tuple[int, int]:
        """Count the lines that hold something, and the blank ones between them, not those at the end."""
        if not self.encoding.startswith(("utf-16", "utf-32")):
            ends, last, blank = 0, b"\n", False
            for block in read_blocks(self.path, TEXT_FILE, BLOCK):
                text = block if b"\r" not in block else block.replace(b"\r\n", b"\n").replace(b"\r", b"\n")
                blank = blank or b"\n\n" in text or (last == text[:1] == b"\n")
                ends, last = ends + text.count(b"\n"), text[-1:]
            if not blank:
                return ends + (last != b"\n"), 0
        filled = between = since = 0
        for line in read_lines(self.path, TEXT_FILE, encoding=self.encoding, errors="replace"):
            if line.strip("\r\n"):
                filled, between, since = filled + 1, between + since, 0
            else:
                since += 1
        return filled, between

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        how = f"read as {self.encoding}" if self.guessed else ""
        if self.definition is not None:
            how = f"defined by {self.definition.name}{', ' if how else ''}{how}"
        return source_of(self._whole, rows, how=how)


def open_csv(
    path: Path,
    *,
    delimiter: str | None = None,
    encoding: str | None = None,
    decimal: str | None = None,
    heading_rows: int | None = None,
    headings_from_row: int | None = None,
) -> CsvFile:
    """Open a CSV file and read its headings; delimiter, encoding and decimal sign are found out unless given.

    UTF-8, UTF-16 with its mark, and otherwise Windows-1252, which is then told in the provenance.
    Raises FileProblem for a file that is no text or of an unknown encoding, DataError for one that is empty.
    """
    start = read_start(path, TEXT_FILE, LONGEST_START)
    if encoding is not None:
        encoding, guessed = _known_encoding(encoding), False
    else:
        encoding, guessed = _encoding_of(path, start)
    text = _decoded(start, encoding, path)
    if not text.strip():
        raise DataError(f"{shown_path(path)}: is empty; a header row and one row per respondent are needed.")
    first_line = LINE_END.split(text.lstrip("\r\n"), maxsplit=1)[0]
    if delimiter is not None and (len(delimiter) != 1 or delimiter in '"\r\n'):
        raise RequestError(f"A delimiter is one character, not a quote or a line end; got {delimiter!r}.")
    delimiter = delimiter or _delimiter_of(first_line, text)
    csv.field_size_limit(LONGEST_START)
    try:
        lines = csv.reader(io.StringIO(text, newline=None), delimiter=delimiter)
        first = list(islice(lines, ROWS_LOOKED_AT + MOST_ROWS))
    except csv.Error as error:
        raise FileProblem(f"{shown_path(path)}: the header row cannot be read ({error}).") from error
    start_row = headings_from_row or 1
    all_filled = [k for k, row in enumerate(first, 1) if row]
    filled = [k for k in all_filled if k >= start_row]
    place = shown_path(path)
    if not filled:
        raise DataError(f"{place}: has nothing from row {start_row:,} on, where headings were expected.")
    headings = read_headings([first[k - 1] for k in filled], heading_rows, place)
    if headings_from_row is None and heading_rows is None:
        headings = below_title(headings, first)
    names = tuple(checked_names(headings.names, place))
    sign = decimal or _decimal_of(text, delimiter)
    titles, above = len(all_filled) - len(filled), filled[headings.count - 1]
    return CsvFile(path, names, delimiter, encoding, sign, guessed, headings, titles, above)


def _delimiter_of(first_line: str, text: str) -> str:
    """Find the sign between cells: the commonest in the first line, or in those below where that is a title."""
    found = max(DELIMITERS, key=first_line.count)
    lines = [
        line for line in LINE_END.split(text, maxsplit=LINES_COUNTED + 1)[:LINES_COUNTED] if line.strip()
    ]

    def usual(sign: str) -> int:
        return sorted(line.count(sign) for line in lines)[len(lines) // 2]

    below = max(DELIMITERS, key=usual)
    return below if first_line.count(below) == 0 and usual(below) > 1 and usual(found) == 0 else found


def _known_encoding(name: str) -> str:
    try:
        known = codecs.lookup(name)
    except (LookupError, ValueError) as error:
        raise RequestError(
            f"No text encoding {name!r}. Usual ones: utf-8, utf-16, cp1252, {USUAL}."
        ) from error
    if not getattr(known, "_is_text_encoding", True):
        raise RequestError(
            f"{name!r} is not an encoding of text. Usual ones: utf-8, utf-16, cp1252, {USUAL}."
        )
    return known.name


def _encoding_of(path: Path, start: bytes) -> tuple[str, bool]:
    """Find the encoding: it, and whether it is a guess. Raises FileProblem where it has to be named."""
    if start.startswith(UTF16_MARKS):
        return "utf-16", False
    place = shown_path(path)
    if b"\0" in start[:65536]:
        raise FileProblem(f"{place}: is not a text file; save the data as CSV (UTF-8).")
    line, byte, lines = _first_bad_lines(path)
    if not line:
        return "utf-8", False
    doubt = not_western(lines)
    if doubt is None:
        return WESTERN, True
    maybe = f"It may be {doubt.maybe}. " if doubt.maybe else ""
    raise FileProblem(
        f"{place}: is not UTF-8 text (line {line}, byte {byte:#04x}), and reads as {doubt.example!r} in Windows-1252. "
        f"{maybe}Name its encoding (data: {{file: {name_of(path)}, encoding: …}} in the plan, --encoding for a draft), "
        f"or save it as CSV UTF-8. Usual ones: {USUAL}."
    )


def _decoded(start: bytes, encoding: str, path: Path) -> str:
    try:
        decoder = codecs.getincrementaldecoder("utf-8-sig" if encoding == "utf-8" else encoding)()
        return decoder.decode(start)
    except (UnicodeError, LookupError, TypeError) as error:
        byte = f" (byte {error.start + 1})" if isinstance(error, UnicodeDecodeError) else ""
        raise FileProblem(
            f"{shown_path(path)}: is not {encoding} text{byte}; name another encoding."
        ) from error


def _decimal_of(text: str, delimiter: str) -> str:
    """Find a decimal comma: numbers such as 3,5 and none such as 3.5, where a comma does not part the cells.

    A sign with three digits behind may part thousands as well, as the point of 1.204,50 does: it tells nothing.
    """
    if delimiter == "," or any(len(behind) != 3 for behind in _decimals(text, ".", delimiter)):
        return "."
    return "," if any(len(behind) != 3 for behind in _decimals(text, ",", delimiter)) else "."


def _decimals(text: str, sign: str, delimiter: str) -> Iterator[str]:
    """Find the cells that are numbers with a sign: the digits behind it. Signs are found first, as that is fast."""
    other = re.escape("," if sign == "." else ".")
    before = re.compile(rf'[\n{re.escape(delimiter)}]"?-?(?:\d+|\d{{1,3}}(?:{other}\d{{3}})+)\Z')
    behind = re.compile(rf'(\d+)"?(?=\Z|[\r\n{re.escape(delimiter)}])')
    for found in re.finditer(rf"{re.escape(sign)}\d", text):
        place = found.start()
        head = text[place - LONGEST_WHOLE : place] if place > LONGEST_WHOLE else f"\n{text[:place]}"
        digits = behind.match(text, place + 1) if before.search(head) else None
        if digits:
            yield digits[1]


class _Measured:
    """Goes through blocks of bytes, and tells the `size` of all so far."""

    def __init__(self, blocks: Iterable[bytes]) -> None:
        self.blocks, self.size = blocks, 0

    def __iter__(self) -> Iterator[bytes]:
        for block in self.blocks:
            self.size += len(block)
            yield block


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
        """Read by threads as long as it is sure what the rows are, what is left row by row."""
        done = 0
        if len(self.file.names) > 1 and is_by_bytes(self.file.encoding):
            windows = windows_of(read_blocks(self.file.path, TEXT_FILE, WINDOW), WINDOW, self.file.delimiter)
            for end, table in rows_by_line(windows, self._window, self.file.delimiter, self.file.above):
                done = end
                yield table
        yield from self._row_by_row(done)

    def _window(self, content: bytes, first: bool, breaks: bool) -> Any:
        """Read whole rows, whose values may hold line `breaks`. Raises ArrowInvalid."""
        from pyarrow import csv as arrow_csv

        names = self._all_names(self.file.above if first else 0)
        options = self._options(names=names, whole=len(content), breaks=breaks)
        return arrow_csv.read_csv(pa.BufferReader(content), **options)

    def _row_by_row(self, start: int) -> Iterator[Any]:
        """Read what is left from a byte on, which begins a row."""
        from pyarrow import csv as arrow_csv

        with opened_from(self.file.path, TEXT_FILE, start) as left:
            if left is None:
                return
            options = self._options(names=self._all_names(0)) if start else self._options()
            try:
                with arrow_csv.open_csv(left, **options) as reader:
                    for batch in reader:
                        yield pa.Table.from_batches([batch])
            except pa.ArrowInvalid as error:
                raise self._problem(error) from error

    def _options(
        self,
        *,
        slowly: bool = False,
        names: Mapping[str, Any] | None = None,
        whole: int = 0,
        breaks: bool = False,
    ) -> dict[str, Any]:
        """Say how to read: `slowly` row by row, with other `names` of columns, or a `whole` window of so many bytes.

        Values of a window may hold line `breaks`, or else are taken to hold none.
        """
        from pyarrow import csv as arrow_csv

        path = self.file.path
        return {
            "read_options": arrow_csv.ReadOptions(
                use_threads=not (slowly or whole),
                block_size=whole + 1 if whole else BLOCK,
                encoding=self.file.encoding,
                **(self._own_names() if names is None else names),
            ),
            "parse_options": arrow_csv.ParseOptions(
                delimiter=self.file.delimiter,
                # lines are parted faster without
                newlines_in_values=breaks or (not whole and _has_quotes(path, stamp_of(path))),
                ignore_empty_lines=len(self.file.names) > 1,
                invalid_row_handler=self._skip if slowly else None,
            ),
            "convert_options": arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(self.columns, pa.string()),
                include_columns=self.columns,
                strings_can_be_null=False,
            ),
        }

    def _own_names(self) -> dict[str, Any]:
        """Name the columns where their names are not just the first row."""
        headings = self.file.headings
        if headings.count == 1 and not (headings.repeated or headings.idle or self.file.titles):
            return {}
        return self._all_names(self.file.above)

    def _all_names(self, above: int) -> dict[str, Any]:
        """Name all columns, below so many rows."""
        return {"column_names": list(self.file.names), "skip_rows_after_names": above}

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
        more = f", and {counted(len(self.skipped) - 1, 'row')} more like it" if len(self.skipped) > 1 else ""
        return FileProblem(
            f"{place}: {number} has {first.actual_columns} cells where the header has {len(self.file.names)}{more}. "
            "A delimiter inside an answer must be in quotes; check how the file was exported."
        )


@lru_cache(maxsize=8)
def _has_quotes(path: Path, stamp: tuple[int, int]) -> bool:
    """Return whether a file, as it is, holds a quote anywhere, which line breaks within a cell need."""
    return any(b'"' in block for block in read_blocks(path, TEXT_FILE, BLOCK))


MOST_BAD = 400_000  # bytes of lines that are looked at to tell their encoding


def _first_bad_lines(path: Path) -> tuple[int, int, bytes]:
    """Find the first line (from 1) that is not UTF-8, its byte, and more such lines; 0 where all is UTF-8."""
    first, byte, number = 0, 0, 0
    bad: list[bytes] = []
    size = 0
    whole = codecs.getincrementaldecoder("utf-8")()
    try:
        for block in read_blocks(path, TEXT_FILE, BLOCK):
            whole.decode(block)
        whole.decode(b"", final=True)
    except UnicodeDecodeError:
        pass
    else:
        return 0, 0, b""
    for lines in _line_blocks(read_blocks(path, TEXT_FILE)):
        try:
            lines.decode("utf-8")
        except UnicodeDecodeError:
            for k, line in enumerate(lines.split(b"\n"), number + 1):
                try:
                    line.decode("utf-8")
                except UnicodeDecodeError as error:
                    if not first:
                        first, byte = k, line[error.start]
                    bad.append(line)
                    size += len(line)
            if size > MOST_BAD:
                break
        number += lines.count(b"\n")
    return first, byte, b"\n".join(bad)[: 2 * MOST_BAD]


def _line_blocks(blocks: Iterable[bytes]) -> Iterator[bytes]:
    """Join blocks of bytes to blocks of whole lines."""
    carried = b""
    for block in blocks:
        whole, end, rest = (carried + block).rpartition(b"\n")
        carried = rest
        if end:
            yield whole + end
    if carried:
        yield carried
