"""The layout of the pages of a PDF: tables cut where no page holds them, several short ones on one page."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.report.pdf_measures import NOTE_LINE, ROW, MeasuredTable
from eager_otter.tables.table import Table

BETWEEN = 16.0  # points between two tables on one page
UNDER_LINES = 13.0  # points between the last line of a table and its notes


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class TablePart:
    """A part of a table that is kept together on a page: some of its columns, some of its lines; its height."""

    measured: MeasuredTable
    columns: tuple[int, ...]
    lines: tuple[int, ...]
    part: int
    parts: int = 1

    @property
    def table(self) -> Table:
        """The table."""
        return self.measured.table

    @property
    def height(self) -> float:
        """How high it is on the page, in points: title, heads, lines, notes."""
        measured = self.measured
        lines = sum(height for _, height in measured.heights(self.lines))
        notes = NOTE_LINE * len(self.notes)
        return measured.title_height + self.head_height + lines + UNDER_LINES + notes

    @property
    def head_height(self) -> float:
        """The height of the heads of its columns, in points."""
        return self.measured.head_height(self.columns)

    @property
    def notes(self) -> list[str]:
        """The lines of notes under it: all under the whole table, or its last part; the short ones under the others."""
        return self.measured.notes if self.part == self.parts else self.measured.repeated


Pages = list[list[TablePart]]


def pages_of(tables: Sequence[MeasuredTable], width: float, height: float) -> Pages:
    """Spread tables over pages that have `width` × `height` points for them.

    A table that fits on a page is not cut; the next is under it where there is room. A new heading begins a page.
    Raises RequestError for a column that is wider than a page.
    """
    pages: Pages = []
    left, heading = 0.0, ""
    for measured in tables:
        begins = measured.table.heading != heading
        heading = measured.table.heading
        for part in _parts(measured, width, height):
            if not pages or begins or part.height > left:
                pages.append([])
                left = height
            pages[-1].append(part)
            left -= part.height + BETWEEN
            begins = False
    return pages


def _parts(measured: MeasuredTable, width: float, height: float) -> list[TablePart]:
    """Cut a table into what pages hold: first its columns, then its lines."""
    chunks = list(_column_chunks(measured, width))
    rows = list(_line_chunks(measured, height))
    parts = [
        TablePart(measured=measured, columns=columns, lines=lines, part=0)
        for columns in chunks
        for lines in rows
    ]
    return [replace(part, part=k, parts=len(parts)) for k, part in enumerate(parts, 1)]


def _column_chunks(measured: MeasuredTable, width: float) -> Iterator[tuple[int, ...]]:
    """Gather columns that fit side by side, whole groups where they do; the Total is in every part."""
    table = measured.table
    room = width - (measured.stub + measured.sign + sum(measured.column(k) for k in table.loose))
    chunk: list[int] = []
    used = 0.0
    for group in table.groups:
        columns = list(range(group.start, group.stop))
        need = sum(measured.column(k) for k in columns)
        if chunk and used + need > room:
            yield _with_total(table, chunk)
            chunk, used = [], 0.0
        for k in columns:
            column_width = measured.column(k)
            if column_width > room:
                raise RequestError(
                    f"Table {table.id!r}: column {table.columns[k].label!r} is wider than a page."
                )
            if chunk and used + column_width > room:
                yield _with_total(table, chunk)
                chunk, used = [], 0.0
            chunk.append(k)
            used += column_width
    yield _with_total(table, chunk)


def _with_total(table: Table, chunk: Sequence[int]) -> tuple[int, ...]:
    return tuple(sorted({*table.loose, *chunk}))


def _line_chunks(measured: MeasuredTable, height: float) -> Iterator[tuple[int, ...]]:
    """Gather lines that fit on a page under the bases; the figures of one row stay together."""
    table = measured.table
    leading = table.leading
    heads = measured.head_height(range(len(table.columns)))
    top = measured.title_height + heads + sum(measured.row(k) for k in leading)
    room = height - top - UNDER_LINES - min(measured.notes_height, height / 3)
    blocks: list[list[int]] = []
    for k, line in enumerate(table.lines):
        if k in leading:
            continue
        before = table.lines[k - 1] if k else None
        if blocks and (line.continues(before) or (before is not None and before.kind == "heading")):
            blocks[-1].append(k)
        else:
            blocks.append([k])
    chunk: list[int] = []
    used = 0.0
    for block in blocks:
        need = sum(height for _, height in measured.heights(block))
        if chunk and used + need > max(room, 3 * ROW):
            yield (*leading, *chunk)
            chunk, used = [], 0.0
        chunk += block
        used += need
    yield (*leading, *chunk)
