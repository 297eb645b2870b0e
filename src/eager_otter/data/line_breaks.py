"""Find quotes in a CSV file that were never closed: what looks like rows is inside them."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Iterator

from eager_otter.dataclass import dataclass

FEW_COLUMNS = 5  # of fewer, a line of an answer may have as many delimiters as a row by chance
FEWEST_LINES = 2  # that then look like rows


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


def _rows_in(cell: str, delimiter: str, columns: int) -> int:
    """Count what looks like rows in a cell: whole lines with the delimiters of a row, or ends in the midst of rows."""
    separators = columns - 1
    breaks = cell.count("\n")
    whole = sum(line.count(delimiter) == separators for line in cell.split("\n")[1:-1])
    if columns < FEW_COLUMNS:
        return breaks if separators and whole >= FEWEST_LINES else 0
    return breaks if whole or cell.count(delimiter) == separators * breaks else 0
