"""How wide and high the parts of a table are on a page of a PDF."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from eager_otter.report.pdf_fonts import Fonts
from eager_otter.tables.table import Table
from eager_otter.tables.texts import cell_text, line_sign

SIZE, SMALL = 7.5, 6.2
ROW, HEAD_LINE = 12.0, 9.5
PADS = (5.0, 3.6, 2.4, 1.6)  # room beside figures: the widest with which all columns fit on one page
STUB = (90.0, 210.0)  # narrowest and widest
TITLE, TITLE_LINE, TITLE_LINES = 11.0, 13.5, 2
NOTE_LINE = 8.2
NUMBER_WIDTH = 48.0  # room for the number of a table beside its title
HEAD_WIDTH = 62.0  # a column's label is broken to this width


class MeasuredTable:
    """How wide and high the parts of a table are, in points; `below` where letters are under figures."""

    def __init__(
        self, table: Table, fonts: Fonts, width: float, *, below: bool, notes: Sequence[str]
    ) -> None:
        self.table, self.fonts, self.below = table, fonts, below
        labels = [line for line in table.lines if line.kind != "heading"]
        widest = max(
            fonts.width(line.label, SIZE, bold=line.kind == "net") + 9 * line.indent for line in labels
        )
        self.stub = min(max(widest + PADS[0], STUB[0]), STUB[1])
        self.sign = max(fonts.width(line_sign(line, table.words), SMALL) for line in table.lines) + PADS[0]
        self.texts = [[cell_text(table, line, k) for k in range(len(table.columns))] for line in table.lines]
        self.figure, self.letters, self.heads, self.head_widths = [], [], [], []
        bold = [line.kind == "net" for line in table.lines]
        for k, column in enumerate(table.columns):
            figure = max(
                fonts.width(texts[k], SIZE, bold=net) for texts, net in zip(self.texts, bold, strict=True)
            )
            letters = max(fonts.width(line.letters[k], SIZE) for line in table.lines)
            head = fonts.wrapped(column.label, SIZE, max(HEAD_WIDTH, figure))
            self.heads.append(head)
            under = letters if below else 0.0
            beside = letters + 3 if letters and not below else 0.0
            bold_head = not column.letter
            self.head_widths.append(max(fonts.width(text, SIZE, bold=bold_head) for text in head))
            self.figure.append(max(figure, under, self.head_widths[-1] - beside))
            self.letters.append(beside)
        self.labels = [
            fonts.wrapped(line.label, SIZE, self.stub - 9 * line.indent - 2, bold=line.kind == "net")
            for line in table.lines
        ]
        self.notes = [part for note in notes for part in fonts.wrapped(note, SMALL, width)]
        short = table.notes_shown("short")
        self.repeated = [part for note in short for part in fonts.wrapped(note, SMALL, width)]
        if len(self.repeated) > len(self.notes):
            self.repeated = self.notes
        self.outer = table.outer_heads()
        self._make_even(width)
        self.pad = self._pad(width)
        self.title_room = width - NUMBER_WIDTH
        titles = fonts.wrapped(table.title, TITLE, self.title_room, bold=True)
        self.title_lines = min(len(titles), TITLE_LINES)

    def _make_even(self, width: float) -> None:
        """Make all columns of groups equally wide, or those of each group, where the table still fits on the page."""
        groups = [list(range(group.start, group.stop)) for group in self.table.groups]
        for sets in ([[k for group in groups for k in group]], groups):
            figure, letters = list(self.figure), list(self.letters)
            for columns in filter(None, sets):
                widest, lettered = max(figure[k] for k in columns), max(letters[k] for k in columns)
                for k in columns:
                    figure[k], letters[k] = widest, lettered
            need = sum(figure) + sum(letters) + 2 * PADS[-1] * len(figure)
            if need <= width - self.stub - self.sign:
                self.figure, self.letters = figure, letters
                return

    def _pad(self, width: float) -> float:
        columns = sum(self.figure) + sum(self.letters)
        left = width - self.stub - self.sign - columns
        return next((pad for pad in PADS if 2 * pad * len(self.figure) <= left), PADS[0])

    def reach(self, k: int) -> float:
        """Return how far a column's head reaches over the letters, being wider than the figures."""
        return min(max(self.head_widths[k] - self.figure[k], 0.0), self.letters[k])

    def column(self, k: int) -> float:
        """Return the width of a column with the room beside it."""
        return self.figure[k] + self.letters[k] + 2 * self.pad

    def head_height(self, columns: Iterable[int]) -> float:
        """Return the height of the heads of some columns, with their letters and groups."""
        own = max(len(self.heads[k]) for k in columns) + 1
        return HEAD_LINE * (own + len(self.outer) + (1 if self.table.groups else 0)) + 6

    @property
    def title_height(self) -> float:
        """The height of the title."""
        return TITLE_LINE * self.title_lines + 4

    @property
    def notes_height(self) -> float:
        """The height of the notes."""
        return NOTE_LINE * len(self.notes)

    def heights(self, lines: Sequence[int]) -> Iterator[tuple[int, float]]:
        """Go through lines that are under one another, each with its height."""
        before = None
        for k in lines:
            line = self.table.lines[k]
            yield k, self.more_row(k) if line.continues(before) else self.row(k)
            before = line

    def row(self, k: int) -> float:
        """Return the height of a line that begins a row."""
        return ROW + HEAD_LINE * max(len(self.labels[k]) - 1, self._letters_under(k))

    def _letters_under(self, k: int) -> int:
        """Count the lines that letters take under the figures of a line."""
        return int(self.below and any(self.table.lines[k].letters))

    def more_row(self, k: int) -> float:
        """Return the height of a line that shows one more figure of its row."""
        return ROW + HEAD_LINE * self._letters_under(k)
