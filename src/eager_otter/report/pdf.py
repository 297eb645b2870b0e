"""A report as PDF: contents with page numbers and links, bookmarks, tables split with heads, stub and bases repeated.

The whole report is laid out first, so that page numbers are known when the contents are drawn.
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Literal

from eager_otter.errors import MissingPackage
from eager_otter.gates.reading import reading
from eager_otter.gates.text import one_line
from eager_otter.gates.writing import write_bytes
from eager_otter.looks.words import said
from eager_otter.report.contents import contents_titles
from eager_otter.report.pdf_fonts import MISSING, Fonts
from eager_otter.report.pdf_layout import BETWEEN, TablePart, pages_of
from eager_otter.report.pdf_measures import (
    HEAD_LINE,
    NOTE_LINE,
    ROW,
    SIZE,
    SMALL,
    TITLE,
    TITLE_LINE,
    MeasuredTable,
)
from eager_otter.report.plain import statement_text
from eager_otter.report.report import Report, with_new_headings
from eager_otter.report.summary import MAIN_FINDINGS, summary_of
from eager_otter.tables.table import Group, Line, Table
from eager_otter.tables.texts import line_sign
from eager_otter.version import __version__

PAPERS = {"A4": (841.9, 595.3), "Letter": (792.0, 612.0)}  # landscape, in points
MARGIN = 36.0
LOGO_ROOM = 120.0
METHOD, SUMMARY, METHOD_LINE = "method", "summary", 11.0
TITLES = {METHOD: said("Method"), SUMMARY: MAIN_FINDINGS}
TextKind = Literal["heading", "text", "quiet"]


def write(report: Report, path: Path) -> None:
    """Write a report as .pdf, landscape, on the paper of its theme.

    Raises MissingPackage, RequestError for a table no page can hold.
    """
    _Document(report).write(path)


class _Document:
    def __init__(self, report: Report) -> None:
        theme = report.theme
        self.report, self.theme, self.say = report, theme, report.words
        self.width, self.height = PAPERS[theme.paper]
        self.fonts = Fonts(theme.font_files)
        self.total = 0
        self.numbers = {table.id: number for number, table in enumerate(report.tables, 1)}
        self.titles = dict(zip(self.numbers, contents_titles(report.tables), strict=True))
        self._colors: dict[str, Any] = {}
        self._waiting: list[tuple[str, float, str, float, float, str]] = []  # texts of the page
        self.room = self.width - 2 * MARGIN
        self.measured = [
            MeasuredTable(
                table,
                self.fonts,
                self.room,
                below=theme.letters == "below",
                notes=table.notes_shown(report.notes),
            )
            for table in report.tables
        ]

    def write(self, path: Path) -> None:
        try:
            from reportlab.pdfgen.canvas import Canvas
        except ImportError as error:
            raise MissingPackage(MISSING) from error
        pages = pages_of(self.measured, self.room, self.height - 2 * MARGIN)
        contents, method = list(self._contents_pages()), list(self._text_pages(self._method_texts()))
        summary = list(self._text_pages(self._summary_texts()))
        first: dict[str, int] = {}
        start = len(contents) + len(summary) + 1
        for number, page in enumerate(pages, start):
            for part in page:
                first.setdefault(_destination(part.table.id), number)
        first[METHOD], first[SUMMARY] = start + len(pages), len(contents) + 1
        self.total = first[METHOD] + len(method) - 1
        content = io.BytesIO()
        canvas = Canvas(
            content,
            pagesize=(self.width, self.height),
            invariant=1,
            pageCompression=1,
            lang=self.say.language,
        )
        self._describe(canvas)
        for number, entries in enumerate(contents, 1):
            self._draw_contents(canvas, entries, first, number)
        for number, lines in enumerate(summary, first[SUMMARY]):
            self._draw_texts(canvas, lines, number, SUMMARY, begins=number == first[SUMMARY])
        heading = ""
        for number, page in enumerate(pages, start):
            heading = self._draw_page(canvas, page, number, heading)
        for number, lines in enumerate(method, first[METHOD]):
            self._draw_texts(canvas, lines, number, METHOD, begins=number == first[METHOD])
        canvas.save()
        content.write(
            f"% made with eager-otter {__version__}\n".encode("ascii")
        )  # a comment, at the end of the file
        write_bytes(path, content.getbuffer())

    def _describe(self, canvas: Any) -> None:
        """Say in the document's properties what it is, whose, and of when its data are."""
        report = self.report
        canvas.setTitle(one_line(report.shown_title))
        canvas.setAuthor(one_line(report.author) or f"eager-otter {__version__}")
        canvas.setCreator(f"eager-otter {__version__}")
        canvas.setSubject(one_line(report.provenance))
        day = "".join(character for character in report.source.changed if character.isdigit())
        if day:
            canvas.setDateFormatter(lambda *_: f"D:{day}00Z")

    # --- laying out -------------------------------------------------------------------------------------

    def _contents_pages(self) -> Iterator[list[Table | str]]:
        """Spread the contents over pages: headings and tables."""
        room = int((self.height - 2 * MARGIN - 60) // 13)
        entries: list[Table | str] = []
        for table, heading in with_new_headings(self.report.tables):
            entries += [heading, table] if heading else [table]
        entries = [*([SUMMARY] if self.report.notable else []), *entries, METHOD]
        page: list[Table | str] = []
        used = 0
        for entry in entries:
            lines = len(self._entry_lines(entry))
            if page and used + lines > room:
                yield page
                page, used = [], 0
            page.append(entry)
            used += lines
        yield page

    def _entry_lines(self, entry: Table | str) -> list[str]:
        """Break a line of the contents to the room that it has."""
        text = self.say(TITLES.get(entry, entry)) if isinstance(entry, str) else self.titles[entry.id]
        return self.fonts.wrapped(text, SIZE + 0.5, self.room - 150)

    def _method_texts(self) -> Iterator[tuple[str, TextKind]]:
        """Go through the method part: headings and statements."""
        for part in self.report.method:
            yield from (("", "text"), (part.title, "heading"))
            yield from ((statement_text(one), "text") for one in part.statements)

    def _summary_texts(self) -> Iterator[tuple[str, TextKind]]:
        """Go through the main findings: headings of sections, sentences, and the technical part under each."""
        for section in summary_of(self.report):
            yield from (("", "text"), (section.heading, "heading"))
            for one in section.findings:
                yield from ((one.sentence, "text"), (one.technical, "quiet"))

    def _text_pages(self, texts: Iterator[tuple[str, TextKind]]) -> Iterator[list[tuple[str, TextKind]]]:
        """Spread texts over pages, broken into lines."""
        lines = [
            (line, kind) for text, kind in texts for line in self.fonts.wrapped(text, SIZE, self.room) or [""]
        ]
        room = int((self.height - 2 * MARGIN - 24) // METHOD_LINE)
        for start in range(0, len(lines), room):
            yield lines[start : start + room]

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
        text = canvas.beginText()
        look: tuple[str, float, str] | None = None
        for font, size, color, x, y, run in self._waiting:
            if look is None or look[:2] != (font, size):
                text.setFont(font, size)
            if look is None or look[2] != color:
                text.setFillColor(self._color(color))
            look = font, size, color
            text.setTextOrigin(round(x, 2), round(y, 2))
            text.textOut(run)
        canvas.drawText(text)
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

    def _frame(self, number: int, running: str) -> None:
        """Draw the running head and the foot of a page."""
        quiet = self.theme.quiet
        self._text(MARGIN, self.height - MARGIN + 8, self._cut(running, self.room), SMALL, color=quiet)
        self._text(MARGIN, MARGIN - 16, self._cut(self.report.provenance, self.room - 80), SMALL, color=quiet)
        self._text(
            self.width - MARGIN,
            MARGIN - 16,
            self.say("Page {page} of {pages}", page=number, pages=self.total),
            SMALL,
            color=quiet,
            right=True,
        )

    def _cut(self, text: str, width: float, size: float = SMALL, *, bold: bool = False) -> str:
        """Return as much of a text as a line holds."""
        if self.fonts.width(text, size, bold=bold) <= width:
            return text
        room = width - self.fonts.width(" …", size, bold=bold)
        return f"{self.fonts.wrapped(text, size, room, bold=bold)[0]} …"

    def _draw_contents(
        self, canvas: Any, entries: Sequence[Table | str], first: dict[str, int], number: int
    ) -> None:
        self._frame(number, self.report.shown_title)
        y = self.height - MARGIN - 16
        title = self.report.shown_title
        title = title if number == 1 else self.say("{title} (continued)", title=title)
        room = self.room - (LOGO_ROOM if self.theme.logo is not None and number == 1 else 0)
        self._text(
            MARGIN,
            y,
            self._cut(title, room, TITLE, bold=True),
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
                with reading(self.theme.logo, "a picture"):
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
            if isinstance(entry, str) and entry not in TITLES:
                self._text(MARGIN, y, entry, SIZE + 1, bold=True, color=self.theme.river)
            else:
                self._draw_entry(canvas, entry, first, y)
            y -= 13 * (len(self._entry_lines(entry)) if not isinstance(entry, str) else 1)
        self._end_page(canvas)

    def _draw_entry(self, canvas: Any, entry: Table | str, first: dict[str, int], y: float) -> None:
        """Draw a line of the contents: number, title, base and page of a table, or where the method part is."""
        right, quiet = self.width - MARGIN, self.theme.quiet
        if isinstance(entry, str):
            place = entry
        else:
            place = _destination(entry.id)
            self._text(MARGIN + 18, y, str(self.numbers[entry.id]), SMALL, color=quiet, right=True)
            self._text(right - 60, y, self.say.whole(entry.people), SMALL, color=quiet, right=True)
        for depth, text in enumerate(self._entry_lines(entry)):
            self._text(MARGIN + 24, y - 13 * depth, text, SIZE + 0.5)
        self._text(right, y, str(first[place]), SIZE + 0.5, right=True)
        canvas.linkRect("", place, (MARGIN + 8, y - 2, right, y + 9), relative=0, thickness=0)

    def _draw_page(self, canvas: Any, page: Sequence[TablePart], number: int, heading: str) -> str:
        """Draw the tables of a page, with bookmarks where they begin; gives the heading that they end under."""
        running = (self.report.title, page[0].table.heading)
        self._frame(number, " · ".join(part for part in running if part))
        y = self.height - MARGIN - 10
        for part in page:
            table = part.table
            if part.part == 1:
                if table.heading not in ("", heading):
                    canvas.bookmarkPage(f"part-{number}")
                    canvas.addOutlineEntry(one_line(table.heading), f"part-{number}", 0)
                heading = table.heading
                canvas.bookmarkHorizontalAbsolute(_destination(table.id), y + TITLE)
                canvas.addOutlineEntry(
                    one_line(self.titles[table.id]), _destination(table.id), 1 if heading else 0
                )
            self._draw_table(canvas, part, y)
            y -= part.height + BETWEEN
        self._end_page(canvas)
        return heading

    def _draw_texts(
        self, canvas: Any, lines: Sequence[tuple[str, TextKind]], number: int, place: str, *, begins: bool
    ) -> None:
        """Draw a page of texts under their title."""
        title = self.say(TITLES[place])
        self._frame(number, self.report.shown_title)
        y = self.height - MARGIN - 10
        shown = title if begins else self.say("{title} (continued)", title=title)
        self._text(MARGIN, y, shown, TITLE, bold=True, color=self.theme.river)
        if begins:
            canvas.bookmarkPage(place)
            canvas.addOutlineEntry(title, place, 0)
        colors = {"heading": self.theme.river, "text": self.theme.ink, "quiet": self.theme.quiet}
        for text, kind in lines:
            y -= METHOD_LINE
            self._text(MARGIN, y, text, bold=kind == "heading", color=colors[kind])
        self._end_page(canvas)

    def _draw_table(self, canvas: Any, part: TablePart, y: float) -> None:
        table, measured = part.table, part.measured
        more = ""
        if part.part > 1:
            more = self.say(" (continued, part {part} of {parts})", part=part.part, parts=part.parts)
        whole = self.fonts.wrapped(table.title, TITLE, measured.title_room, bold=True)
        titles = whole[: measured.title_lines]
        titles[-1] += "" if len(titles) == len(whole) else " …"
        number = self.say("Table {number}", number=self.numbers[table.id])
        self._text(self.width - MARGIN, y, number, SMALL, color=self.theme.quiet, right=True)
        for k, text in enumerate(titles):
            shown = f"{text}{more}" if k == len(titles) - 1 else text
            self._text(
                MARGIN,
                y,
                self._cut(shown, measured.title_room, TITLE, bold=True),
                TITLE,
                bold=True,
                color=self.theme.river,
            )
            y -= TITLE_LINE
        places = self._places(part, measured)
        y = self._draw_heads(canvas, part, measured, places, y + 7)
        before: Line | None = None
        for k in part.lines:
            y = self._draw_line(canvas, part, measured, places, k, before, y)
            before = table.lines[k]
        canvas.setStrokeColor(self.theme.line)
        canvas.line(MARGIN, y + ROW - 3, self._end(part, places, measured), y + ROW - 3)
        if part.part < part.parts:
            more = self.say("continued on the next page")
            self._text(self.width - MARGIN, y + 3, more, SMALL, color=self.theme.quiet, right=True)
        self._draw_notes(part.notes, y - 1)

    def _draw_notes(self, notes: Sequence[str], y: float) -> None:
        """Draw the notes; where they are longer than the page has room for, the type is set smaller."""
        room = y - MARGIN + 8
        step = min(NOTE_LINE, room / max(len(notes), 1))
        for note in notes:
            self._text(MARGIN, y, note, min(SMALL, step * 0.76), color=self.theme.quiet)
            y -= step

    def _places(self, part: TablePart, measured: MeasuredTable) -> dict[int, float]:
        """Return the left edge of each column."""
        x = MARGIN + measured.stub + measured.sign
        places = {}
        for k in part.columns:
            places[k] = x
            x += measured.column(k)
        return places

    def _end(self, part: TablePart, places: dict[int, float], measured: MeasuredTable) -> float:
        last = part.columns[-1]
        return places[last] + measured.column(last)

    def _draw_heads(
        self, canvas: Any, part: TablePart, measured: MeasuredTable, places: dict[int, float], y: float
    ) -> float:
        table = part.table
        end = self._end(part, places, measured)
        bottom = y - part.head_height
        self._fill(canvas, self.theme.reed)
        canvas.rect(MARGIN, bottom, end - MARGIN, part.head_height, stroke=0, fill=1)
        y -= HEAD_LINE
        for level in [*measured.outer, list(table.groups)]:
            if level:
                self._draw_level(canvas, level, measured, places, y)
                y -= HEAD_LINE
        for k in part.columns:
            right = places[k] + measured.pad + measured.figure[k] + measured.reach(k)
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
                self._cut(name, right - left - 2 * measured.pad, SIZE, bold=True),
                bold=True,
            )
            canvas.setStrokeColor(self.theme.river)
            canvas.line(left + 2, y - 2.5, right - 2, y - 2.5)

    def _draw_line(
        self,
        canvas: Any,
        part: TablePart,
        measured: MeasuredTable,
        places: dict[int, float],
        k: int,
        before: Line | None,
        y: float,
    ) -> float:
        line = part.table.lines[k]
        end = self._end(part, places, measured)
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
            line_sign(line, part.table.words),
            SMALL,
            color=self.theme.quiet,
        )
        for column in part.columns:
            right = places[column] + measured.pad + measured.figure[column]
            self._text(right, y, measured.texts[k][column], bold=bold, color=color, right=True)
            letters = line.letters[column]
            if letters and measured.below:
                under = y - HEAD_LINE + 1
                self._text(right, under, letters, bold=True, color=self.theme.letter, right=True)
            elif letters:
                self._text(right + 2.5, y, letters, bold=True, color=self.theme.letter)
        return y - high if not line.continues(before) else y - measured.more_row(k)


def _destination(table: str) -> str:
    """Name where a table begins, so that no other destination has its name."""
    return f"table-{table}"
