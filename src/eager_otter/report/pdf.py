"""A report as PDF: contents with page numbers and links, bookmarks, tables split with heads, stub and bases repeated.

The whole report is laid out first, so that page numbers are known when the contents are drawn.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from eager_otter import __version__
from eager_otter.errors import MissingPackage, RequestError
from eager_otter.report.pdf_fonts import MISSING, Fonts
from eager_otter.report.pdf_measures import HEAD_LINE, ROW, SIZE, SMALL, MeasuredTable
from eager_otter.report.report import Report, with_new_headings
from eager_otter.tables.table import Group, Line, Table
from eager_otter.tables.texts import line_sign

PAPERS = {"A4": (841.9, 595.3), "Letter": (792.0, 612.0)}  # landscape, in points
MARGIN = 36.0
TITLE, NOTE_LINE = 13.0, 8.2


def write(report: Report, path: Path) -> None:
    """Write a report as .pdf, landscape, on the paper of its theme.

    Raises MissingPackage, RequestError for a table no page can hold.
    """
    _Document(report).write(path)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Page:
    """A part of a table that one page holds: some of its columns, some of its lines."""

    table: Table
    columns: tuple[int, ...]
    lines: tuple[int, ...]
    part: int
    parts: int = 1


class _Document:
    def __init__(self, report: Report) -> None:
        theme = report.theme
        self.report, self.theme, self.say = report, theme, report.words
        self.width, self.height = PAPERS[theme.paper]
        self.fonts = Fonts(theme.font_files)
        self._colors: dict[str, Any] = {}
        self._waiting: list[tuple[str, float, str, float, float, str]] = []  # texts of the page
        self.room = self.width - 2 * MARGIN
        self.measured = {
            table.id: MeasuredTable(table, self.fonts, self.room, below=theme.letters == "below")
            for table in report.tables
        }

    def write(self, path: Path) -> None:
        try:
            from reportlab.pdfgen.canvas import Canvas
        except ImportError as error:
            raise MissingPackage(MISSING) from error
        pages = [page for table in self.report.tables for page in self._pages(table)]
        contents = list(self._contents_pages())
        first: dict[str, int] = {}
        for number, page in enumerate(pages, len(contents) + 1):
            first.setdefault(page.table.id, number)
        total = len(contents) + len(pages)
        canvas = Canvas(str(path), pagesize=(self.width, self.height), invariant=1, pageCompression=1)
        canvas.setTitle(self.report.shown_title)
        canvas.setCreator(f"eager-otter {__version__}")
        canvas.setSubject(self.report.provenance)
        for number, tables in enumerate(contents, 1):
            self._draw_contents(canvas, tables, first, number, total)
        heading = ""
        for number, page in enumerate(pages, len(contents) + 1):
            if page.part == 1:
                if page.table.heading not in ("", heading):
                    canvas.bookmarkPage(f"part-{number}")
                    canvas.addOutlineEntry(page.table.heading, f"part-{number}", 0)
                heading = page.table.heading
                canvas.bookmarkPage(page.table.id)
                canvas.addOutlineEntry(page.table.title, page.table.id, 1 if heading else 0)
            self._draw_table(canvas, page, number, total)
        canvas.save()
        with path.open("ab") as file:  # a comment, where the maker is found without reading the whole file
            file.write(f"% made with eager-otter {__version__}\n".encode("ascii"))

    # --- laying out -------------------------------------------------------------------------------------

    def _pages(self, table: Table) -> list[_Page]:
        """Cut a table into pages: first its columns, then its lines."""
        measured = self.measured[table.id]
        chunks = list(self._column_chunks(table, measured))
        rows = list(self._line_chunks(table, measured))
        found = [(columns, lines) for columns in chunks for lines in rows]
        return [
            _Page(table=table, columns=columns, lines=lines, part=k, parts=len(found))
            for k, (columns, lines) in enumerate(found, 1)
        ]

    def _column_chunks(self, table: Table, measured: MeasuredTable) -> Iterator[tuple[int, ...]]:
        """Gather columns that fit side by side, whole groups where they do; the Total stands on every page."""
        loose = table.loose
        fixed = measured.stub + measured.sign + sum(measured.column(k) for k in loose)
        room = self.room - fixed
        chunk: list[int] = []
        used = 0.0
        for group in table.groups:
            columns = list(range(group.start, group.stop))
            need = sum(measured.column(k) for k in columns)
            if chunk and used + need > room:
                yield self._with_total(table, chunk)
                chunk, used = [], 0.0
            for k in columns:
                own = measured.column(k)
                if own > room:
                    raise RequestError(
                        f"Table {table.id!r}: column {table.columns[k].label!r} is wider than a page."
                    )
                if chunk and used + own > room:
                    yield self._with_total(table, chunk)
                    chunk, used = [], 0.0
                chunk.append(k)
                used += own
        yield self._with_total(table, chunk)

    def _with_total(self, table: Table, chunk: Sequence[int]) -> tuple[int, ...]:
        return tuple(sorted({*table.loose, *chunk}))

    def _line_chunks(self, table: Table, measured: MeasuredTable) -> Iterator[tuple[int, ...]]:
        """Gather lines that fit on a page under the bases; the figures of one row stay together."""
        leading = table.leading
        notes = NOTE_LINE * min(len(measured.notes), 30) + 10
        top = 42.0 + measured.head_height + sum(measured.row(k) for k in leading)
        room = self.height - 2 * MARGIN - top - notes - 12
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
            need = sum(measured.row(k) for k in block)
            if chunk and used + need > max(room, 3 * ROW):
                yield (*leading, *chunk)
                chunk, used = [], 0.0
            chunk += block
            used += need
        yield (*leading, *chunk)

    def _contents_pages(self) -> Iterator[list[Table | str]]:
        """Spread the contents over pages: headings and tables."""
        room = int((self.height - 2 * MARGIN - 60) // 13)
        entries: list[Table | str] = []
        for table, heading in with_new_headings(self.report.tables):
            entries += [heading, table] if heading else [table]
        for start in range(0, len(entries), room):
            yield entries[start : start + room]

    # --- drawing ----------------------------------------------------------------------------------------

    def _text(
        self,
        x: float,
        y: float,
        text: str,
        size: float = SIZE,
        *,
        bold: bool = False,
        color: str = "",
        right: bool = False,
    ) -> float:
        """Put a text on the page at its left (or right) end; gives its width."""
        width = self.fonts.width(text, size, bold=bold)
        at = x - width if right else x
        for font, run, wide in self.fonts.runs(text, bold=bold):
            self._waiting.append((font, size, color or self.theme.ink, at, y, run))
            at += wide * size
        return width

    def _end_page(self, canvas: Any) -> None:
        """Draw all texts of the page, in reading order and over what is filled, and go on to the next."""
        found = canvas.beginText()
        look: tuple[str, float, str] | None = None
        for font, size, color, x, y, run in self._waiting:
            if look is None or look[:2] != (font, size):
                found.setFont(font, size)
            if look is None or look[2] != color:
                found.setFillColor(self._color(color))
            look = font, size, color
            found.setTextOrigin(round(x, 2), round(y, 2))
            found.textOut(run)
        canvas.drawText(found)
        canvas.showPage()
        self._waiting.clear()

    def _fill(self, canvas: Any, color: str) -> None:
        """Set the colour of what is filled next."""
        canvas.setFillColor(self._color(color))

    def _color(self, color: str) -> Any:
        """Read a colour (hex), each once."""
        from reportlab.lib.colors import HexColor

        if color not in self._colors:
            self._colors[color] = HexColor(color)
        return self._colors[color]

    def _frame(self, number: int, total: int, running: str) -> None:
        """Draw the running head and the foot of a page."""
        quiet = self.theme.quiet
        self._text(MARGIN, self.height - MARGIN + 8, self._cut(running, self.room), SMALL, color=quiet)
        self._text(MARGIN, MARGIN - 16, self._cut(self.report.provenance, self.room - 80), SMALL, color=quiet)
        self._text(
            self.width - MARGIN,
            MARGIN - 16,
            self.say("Page {page} of {pages}", page=number, pages=total),
            SMALL,
            color=quiet,
            right=True,
        )

    def _cut(self, text: str, width: float, size: float = SMALL) -> str:
        lines = self.fonts.wrapped(text, size, width)
        return lines[0] if len(lines) == 1 else f"{lines[0]} …"

    def _draw_contents(
        self, canvas: Any, entries: Sequence[Table | str], first: dict[str, int], number: int, total: int
    ) -> None:
        self._frame(number, total, self.report.shown_title)
        y = self.height - MARGIN - 16
        title = self.report.shown_title
        self._text(
            MARGIN,
            y,
            title if number == 1 else self.say("{title} (continued)", title=title),
            TITLE,
            bold=True,
            color=self.theme.river,
        )
        if number == 1:
            if self.theme.logo is not None:
                place = (self.width - MARGIN - 110, y - 6)
                size = {
                    "width": 110,
                    "height": 34,
                    "preserveAspectRatio": True,
                    "anchor": "ne",
                    "mask": "auto",
                }
                canvas.drawImage(str(self.theme.logo), *place, **size)
            canvas.bookmarkPage("contents")
            canvas.addOutlineEntry(self.say("Contents"), "contents", 0)
        for x, text in (
            (self.width - MARGIN - 60, self.say("Base")),
            (self.width - MARGIN, self.say("Page")),
        ):
            self._text(x, y - 13, text, SMALL, color=self.theme.quiet, right=True)
        y -= 28
        for entry in entries:
            if isinstance(entry, str):
                self._text(MARGIN, y, entry, SIZE + 1, bold=True, color=self.theme.river)
            else:
                shown = self._cut(entry.title, self.room - 150, SIZE + 0.5)
                width = self._text(MARGIN + 8, y, shown, SIZE + 0.5)
                self._text(
                    self.width - MARGIN - 60,
                    y,
                    self.say.whole(entry.people),
                    SMALL,
                    color=self.theme.quiet,
                    right=True,
                )
                self._text(self.width - MARGIN, y, str(first[entry.id]), SIZE + 0.5, right=True)
                box = (MARGIN + 8, y - 2, max(MARGIN + 8 + width, self.width - MARGIN), y + 9)
                canvas.linkRect("", entry.id, box, relative=0, thickness=0)
            y -= 13
        self._end_page(canvas)

    def _draw_table(self, canvas: Any, page: _Page, number: int, total: int) -> None:
        table, measured = page.table, self.measured[page.table.id]
        self._frame(number, total, " · ".join(part for part in (self.report.title, table.heading) if part))
        more = ""
        if page.part > 1:
            more = self.say(" (continued, part {part} of {parts})", part=page.part, parts=page.parts)
        y = self.height - MARGIN - 16
        for text in self.fonts.wrapped(table.title + more, TITLE, self.room, bold=True)[:2]:
            self._text(MARGIN, y, text, TITLE, bold=True, color=self.theme.river)
            y -= 16
        places = self._places(page, measured)
        y = self._draw_heads(canvas, page, measured, places, y + 2)
        before: Line | None = None
        for k in page.lines:
            y = self._draw_line(canvas, page, measured, places, k, before, y)
            before = table.lines[k]
        canvas.setStrokeColor(self.theme.line)
        canvas.line(MARGIN, y + ROW - 3, self._end(page, places, measured), y + ROW - 3)
        if page.part < page.parts:
            self._text(MARGIN, y - 1, self.say("continued on the next page"), SMALL, color=self.theme.quiet)
        y -= 12
        self._draw_notes(measured, y)
        self._end_page(canvas)

    def _draw_notes(self, measured: MeasuredTable, y: float) -> None:
        """Draw the notes; where they are longer than the page has room for, the type is set smaller."""
        room = y - MARGIN + 4
        step = min(NOTE_LINE, room / max(len(measured.notes), 1))
        for note in measured.notes:
            self._text(MARGIN, y, note, min(SMALL, step * 0.76), color=self.theme.quiet)
            y -= step

    def _places(self, page: _Page, measured: MeasuredTable) -> dict[int, float]:
        """Give the left edge of each column."""
        x = MARGIN + measured.stub + measured.sign
        places = {}
        for k in page.columns:
            places[k] = x
            x += measured.column(k)
        return places

    def _end(self, page: _Page, places: dict[int, float], measured: MeasuredTable) -> float:
        last = page.columns[-1]
        return places[last] + measured.column(last)

    def _draw_heads(
        self, canvas: Any, page: _Page, measured: MeasuredTable, places: dict[int, float], y: float
    ) -> float:
        table = page.table
        end = self._end(page, places, measured)
        bottom = y - measured.head_height
        self._fill(canvas, self.theme.reed)
        canvas.rect(MARGIN, bottom, end - MARGIN, measured.head_height, stroke=0, fill=1)
        y -= HEAD_LINE
        for level in [*measured.outer, list(table.groups)]:
            if level:
                self._draw_level(canvas, level, measured, places, y)
                y -= HEAD_LINE
        for k in page.columns:
            right = places[k] + measured.pad + measured.figure[k]
            head = measured.heads[k]
            for depth, text in enumerate(head):
                line_y = bottom + 4 + HEAD_LINE * (len(head) - depth)
                self._text(right, line_y, text, right=True, bold=not table.columns[k].letter)
            self._text(right, bottom + 4, table.columns[k].letter, color=self.theme.letter, right=True)
        return bottom - ROW + 3

    def _draw_level(
        self, canvas: Any, level: Sequence[Group], measured: MeasuredTable, places: dict[int, float], y: float
    ) -> None:
        for group in level:
            columns = [k for k in range(group.start, group.stop) if k in places]
            if not columns:
                continue
            left = places[columns[0]]
            right = places[columns[-1]] + measured.column(columns[-1])
            name = group.label
            if columns[0] != group.start:
                name = self.say("{title} (continued)", title=name)
            self._text(
                left + measured.pad,
                y,
                self._cut(name, right - left - 2 * measured.pad, SIZE),
                bold=True,
            )
            canvas.setStrokeColor(self.theme.river)
            canvas.line(left + 2, y - 2.5, right - 2, y - 2.5)

    def _draw_line(
        self,
        canvas: Any,
        page: _Page,
        measured: MeasuredTable,
        places: dict[int, float],
        k: int,
        before: Line | None,
        y: float,
    ) -> float:
        line = page.table.lines[k]
        end = self._end(page, places, measured)
        high = measured.row(k)
        if line.kind == "base":
            self._fill(canvas, self.theme.sand)
            canvas.rect(MARGIN, y - 3 - (high - ROW), end - MARGIN, high, stroke=0, fill=1)
        if line.kind == "heading":
            self._text(MARGIN, y, line.label, bold=True, color=self.theme.river)
            return y - ROW
        bold = line.kind == "net"
        color = self.theme.quiet if line.kind == "base" else self.theme.ink
        if not line.continues(before):
            for depth, text in enumerate(measured.labels[k]):
                self._text(MARGIN + 2 + 9 * line.indent, y - HEAD_LINE * depth, text, bold=bold, color=color)
        self._text(
            MARGIN + measured.stub,
            y,
            line_sign(line, page.table.words),
            SMALL,
            color=self.theme.quiet,
        )
        for column in page.columns:
            right = places[column] + measured.pad + measured.figure[column]
            self._text(right, y, measured.texts[k][column], bold=bold, color=color, right=True)
            letters = line.letters[column]
            if letters and measured.below:
                under = y - HEAD_LINE + 1
                self._text(right, under, letters, bold=True, color=self.theme.letter, right=True)
            elif letters:
                self._text(right + 2.5, y, letters, bold=True, color=self.theme.letter)
        return y - high if not line.continues(before) else y - measured.more_row(k)
