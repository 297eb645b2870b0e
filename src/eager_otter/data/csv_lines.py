"""Long CSV files in windows of whole lines, which threads read side by side, as long as each line is a row."""

from __future__ import annotations

import codecs
import csv
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from itertools import islice
from typing import Any

import pyarrow as pa

from eager_otter.dataclass import dataclass
from eager_otter.gates.machine import processors

BY_BYTES = (
    "utf-8",
    "ascii",
    "cp125",
    "iso8859",
)  # how encodings are called in which a line feed is one byte, always


@dataclass(frozen=True, slots=True)
class Window:
    """Whole lines of a file, whose first byte is the one numbered `start` (from 0)."""

    start: int
    content: bytes


def is_by_bytes(encoding: str) -> bool:
    """Return whether a byte 10 is a line feed and nothing else, and other bytes are none, in an encoding."""
    return codecs.lookup(encoding).name.startswith(BY_BYTES)


def windows_of(blocks: Iterable[bytes], longest: int) -> Iterator[Window]:
    """Join blocks to windows of lines, the last of which may lack its end; stop before a line that is too long."""
    carried, start = b"", 0
    for block in blocks:
        whole, end, rest = (carried + block).rpartition(b"\n")
        carried = rest
        if end:
            yield Window(start, whole + end)
            start += len(whole) + 1
        if len(carried) > longest:
            return
    if carried:
        yield Window(start, carried)


def rows_by_line(
    windows: Iterable[Window], read: Callable[[bytes, bool], Any], delimiter: str, above: int
) -> Iterator[tuple[int, Any]]:
    """Read windows by threads, in turn: the byte behind each window, and its rows as an Arrow table.

    `read` makes a table of the bytes of a window, and hears whether it is the first; it raises ArrowInvalid. `above`
    are the lines above the first row. It ends before the first window of which not every line is sure to be a row:
    where a value holds a line break, a line is blank, or a row is wrong. What is left is to be read row by row.
    """

    def rows_of(window: Window) -> Any:
        return read(window.content, window.start == 0)

    waiting: deque[tuple[Window, Future[Any]]] = deque()
    left = iter(windows)
    at_once = processors()
    with ThreadPoolExecutor(at_once) as threads:
        try:
            while True:
                more = islice(left, at_once + 1 - len(waiting))
                waiting.extend((window, threads.submit(rows_of, window)) for window in more)
                if not waiting:
                    return
                window, reading = waiting.popleft()
                try:
                    table = reading.result()
                except pa.ArrowInvalid:
                    return
                lines = _lines_in(window.content)
                if lines is None or table.num_rows != lines - (0 if window.start else above):
                    return
                if _ends_in_quotes(window.content, delimiter):
                    return
                yield window.start + len(window.content), table
        finally:
            threads.shutdown(wait=True, cancel_futures=True)


def _lines_in(content: bytes) -> int | None:
    """Count the lines; None where one ends in a carriage return alone, which makes more rows than there are lines.

    Whatever else is odd, a blank line or a line break in a value, makes fewer.
    """
    returns = content.count(b"\r")
    if returns and returns != content.count(b"\r\n"):
        return None
    return content.count(b"\n") + (not content.endswith(b"\n"))


def _ends_in_quotes(content: bytes, delimiter: str) -> bool:
    """Return whether the last line, which begins a row, goes on within quotes: the window was cut within a value."""
    last = content[content.rfind(b"\n", 0, -1) + 1 :]
    if b'"' not in last:
        return False
    reader = csv.reader([last.decode("latin-1"), ""], delimiter=delimiter)
    try:
        next(reader)
    except csv.Error:  # a value longer than it takes
        return True
    return reader.line_num > 1
