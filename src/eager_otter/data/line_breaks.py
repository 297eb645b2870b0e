"""Line breaks within the values of a CSV file; those that were never meant, as a quote was not closed."""

from __future__ import annotations

import csv
from codecs import BOM_UTF8
from collections.abc import Callable, Iterable, Iterator

import numpy as np

from eager_otter.core.arrays import IntArray
from eager_otter.dataclass import dataclass

QUOTE, LINE_FEED, CARRIAGE_RETURN = b'"', 10, 13
FEW_COLUMNS = 5  # of fewer, a line of an answer may have as many delimiters as a row by chance
FEWEST_LINES = 2  # that then look like rows


def has_lone_returns(content: bytes) -> bool:
    """Return whether a carriage return ends a line by itself, which makes more rows than there are line feeds."""
    returns = content.count(b"\r")
    return bool(returns) and returns != content.count(b"\r\n")


def quotes_in(content: bytes, delimiter: str) -> IntArray | None:
    """Find the quotes in rows, by their bytes; None where one neither opens nor closes a value, nor stands for itself.

    >>> quotes_in(b'1,"two"\\n', ",").tolist(), quotes_in(b'1,5" and 6"\\n', ",")
    ([2, 6], None)
    """
    sign = delimiter.encode()
    if len(sign) > 1:
        return None
    data = np.frombuffer(content, np.uint8)
    quotes: IntArray = np.flatnonzero(data == QUOTE[0])
    opening, closing = quotes[::2], quotes[1::2]
    first = len(BOM_UTF8) if content.startswith(BOM_UTF8) else 0
    before = data[opening[opening > first] - 1]
    behind = data[closing[closing < data.size - 1] + 1]
    around = (sign[0], LINE_FEED, QUOTE[0])
    if np.isin(before, around).all() and np.isin(behind, (*around, CARRIAGE_RETURN)).all():
        return quotes
    return None


def breaks_within(content: bytes, delimiter: str) -> IntArray | None:
    """Find the line feeds within quotes, by their bytes, in rows that are whole.

    None where quotes do not tell: one is left open, or stands where none opens or closes a value.

    >>> breaks_within(b'1,"two\\nlines"\\n', ",").tolist()
    [6]
    """
    quotes = quotes_in(content, delimiter)
    if quotes is None or quotes.size % 2:
        return None
    breaks = np.flatnonzero(np.frombuffer(content, np.uint8) == LINE_FEED)
    result: IntArray = breaks[np.searchsorted(quotes, breaks) % 2 == 1]
    return result


@dataclass(frozen=True, slots=True)
class Swallowed:
    """A quoted cell that holds what looks like rows: the line (from 1) at which its row begins, and how many."""

    line: int
    rows: int


def swallowed_rows(lines: Iterable[str], delimiter: str, columns: int) -> Iterator[Swallowed]:
    """Go through the cells of a CSV file that hold what looks like rows of so many columns; `lines` with their ends."""
    reader = csv.reader(lines, delimiter=delimiter)
    before = 0
    try:
        for record in reader:
            if reader.line_num > before + 1:
                rows = sum(_rows_in(cell, delimiter, columns) for cell in record if "\n" in cell)
                if rows:
                    yield Swallowed(before + 1, rows)
            before = reader.line_num
    except csv.Error:  # the cell is longer than any answer
        yield Swallowed(before + 1, max(reader.line_num - before - 1, 1))


def swallowed_within(
    windows: Iterable[bytes], delimiter: str, columns: int, decoded: Callable[[bytes], str]
) -> list[Swallowed] | None:
    """Do what `swallowed_rows` does with windows of whole rows, and look only at rows of several lines.

    None where quotes do not tell which these are.
    """
    found: list[Swallowed] = []
    line = 1
    for content in windows:
        within = breaks_within(content, delimiter)
        if within is None or has_lone_returns(content):
            return None
        for start, end in _rows_around(within, content):
            row = next(swallowed_rows(_lines(decoded(content[start:end])), delimiter, columns), None)
            if row is not None:
                found.append(Swallowed(line + content.count(b"\n", 0, start), row.rows))
        line += content.count(b"\n")
    return found


def _rows_around(within: IntArray, content: bytes) -> Iterator[tuple[int, int]]:
    """Find the rows that hold some line feeds: the first byte of each, and the one behind its last."""
    breaks = np.flatnonzero(np.frombuffer(content, np.uint8) == LINE_FEED)
    ends = np.append(np.setdiff1d(breaks, within, assume_unique=True), len(content))
    for k in np.unique(np.searchsorted(ends, within)).tolist():
        yield (int(ends[k - 1]) + 1 if k else 0), int(ends[k])


def _lines(text: str) -> list[str]:
    return [f"{line}\n" for line in text.split("\n")]


def _rows_in(cell: str, delimiter: str, columns: int) -> int:
    """Count what looks like rows in a cell: whole lines with the delimiters of a row, or ends in the midst of rows."""
    separators = columns - 1
    breaks = cell.count("\n")
    whole = sum(line.count(delimiter) == separators for line in cell.split("\n")[1:-1])
    if columns < FEW_COLUMNS:
        return breaks if separators and whole >= FEWEST_LINES else 0
    return breaks if whole or cell.count(delimiter) == separators * breaks else 0
