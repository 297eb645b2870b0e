"""Long CSV files in windows of whole rows, which threads read side by side, as long as it is sure what rows are."""

from __future__ import annotations

import codecs
import csv
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from itertools import islice
from typing import Any

import pyarrow as pa

from eager_otter.data.line_breaks import QUOTE, breaks_within, has_lone_returns, quotes_in
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
    """Whole rows of a file, whose first byte is the one numbered `start` (from 0)."""

    start: int
    content: bytes


def is_by_bytes(encoding: str) -> bool:
    """Return whether a byte 10 is a line feed and nothing else, and other bytes are none, in an encoding."""
    return codecs.lookup(encoding).name.startswith(BY_BYTES)


def windows_of(blocks: Iterable[bytes], longest: int, delimiter: str) -> Iterator[Window]:
    """Join blocks to windows of lines, the last of which may lack its end; stop before a line that is too long.

    A value within quotes is not parted, as long as quotes open and close values and stand nowhere else.
    """
    carried, start = b"", 0
    for block in blocks:
        content = carried + block
        end = _cut(content, delimiter)
        carried = content[end:]
        if end:
            yield Window(start, content[:end])
            start += end
        if len(carried) > longest:
            return
    if carried:
        yield Window(start, carried)


def _cut(content: bytes, delimiter: str) -> int:
    """Return where the last line ends that is over outside of quotes; 0 where there is none."""
    end = content.rfind(b"\n") + 1
    within = content.count(QUOTE, 0, end) % 2 == 1
    if not within or quotes_in(content[:end], delimiter) is None:
        return end
    while end and within:
        before = content.rfind(b"\n", 0, end - 1) + 1
        within = content.count(QUOTE, before, end) % 2 == 0
        end = before
    return end


def rows_by_line(
    windows: Iterable[Window], read: Callable[[bytes, bool, bool], Any], delimiter: str, above: int
) -> Iterator[tuple[int, Any]]:
    """Read windows by threads, in turn: the byte behind each window, and its rows as an Arrow table.

    `read` makes a table of the bytes of a window, and hears whether it is the first, and whether values may hold line
    breaks; it raises ArrowInvalid. `above` are the rows above the first. It ends before the first window of which it is
    not sure what its rows are: where a line is blank, a quote stands within an answer, or a row is wrong. What is left
    is to be read row by row.
    """
    several: list[
        int
    ] = []  # the first bytes of windows with values of several lines, after which more are likely

    def rows_of(window: Window) -> Any:
        lines = _lines_in(window.content)
        if lines is None:
            return None
        rows = lines - (0 if window.start else above)
        ways = (by_quotes, by_lines) if several else (by_lines, by_quotes)
        for way in ways:
            with suppress(pa.ArrowInvalid):
                table = way(window, rows)
                if table is not None:
                    return table
        return None

    def by_lines(window: Window, rows: int) -> Any:
        table = read(window.content, window.start == 0, False)
        return table if table.num_rows == rows and not _ends_in_quotes(window.content, delimiter) else None

    def by_quotes(window: Window, rows: int) -> Any:
        within = breaks_within(window.content, delimiter)
        if within is None or not within.size:
            return None
        several.append(window.start)
        table = read(window.content, window.start == 0, True)
        return table if table.num_rows == rows - within.size else None

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
                table = reading.result()
                if table is None:
                    return
                yield window.start + len(window.content), table
        finally:
            threads.shutdown(wait=True, cancel_futures=True)


def _lines_in(content: bytes) -> int | None:
    """Count the lines; None where one ends in a carriage return alone, which makes more rows than there are lines.

    Whatever else is odd, a blank line or a line break in a value, makes fewer.
    """
    if has_lone_returns(content):
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
