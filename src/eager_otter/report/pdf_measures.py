"""How wide and high the parts of a table are on a page of a PDF."""

from __future__ import annotations

from eager_otter.report.pdf_fonts import Fonts
from eager_otter.tables.table import Table
from eager_otter.tables.texts import cell_text, line_sign

SIZE, SMALL = 7.5, 6.2
ROW, HEAD_LINE = 12.0, 9.5
PADS = (5.0, 3.6, 2.4)  # room beside figures: the widest with which all columns fit on one page
STUB = (90.0, 210.0)  # narrowest and widest
HEAD_WIDTH = 62.0  # a column's label is broken to this width


class MeasuredTable:
    """How wide and high the parts of a table are, in points; `below` where letters stand under figures."""

    def __init__(self, table: Table, fonts: Fonts, width: float, *, below: bool) -> None:
        self.table, self.fonts, self.below = table, fonts, below
        labels = [line for line in table.lines if line.kind != "heading"]
        widest = max(
            fonts.width(line.label, SIZE, bold=line.kind == "net") + 9 * line.indent for line in labels
        )
        self.stub = min(max(widest + PADS[0], STUB[0]), STUB[1])
        self.sign = max(fonts.width(line_sign(line, table.words), SMALL) for line in table.lines) + PADS[0]
        self.texts = [[cell_text(table, line, k) for k in range(len(table.columns))] for line in table.lines]
        self.figure, self.letters, self.heads = [], [], []
        for k, column in enumerate(table.columns):
            bold = any(line.kind == "net" for line in table.lines)
            figure = max(fonts.width(texts[k], SIZE, bold=bold) for texts in self.texts)
            letters = max(fonts.width(line.letters[k], SIZE) for line in table.lines)
            head = fonts.wrapped(column.label, SIZE, max(HEAD_WIDTH, figure))
            self.heads.append(head)
            under = letters if below else 0.0
            self.figure.append(max(figure, under, *(fonts.width(text, SIZE) for text in head)))
            self.letters.append(letters + 3 if letters and not below else 0.0)
        self.labels = [
            fonts.wrapped(line.label, SIZE, self.stub - 9 * line.indent - 2, bold=line.kind == "net")
            for line in table.lines
        ]
        self.notes = [part for note in table.notes for part in fonts.wrapped(note, SMALL, width)]
        self.outer = table.outer_heads()
        self.pad = self._pad(width)
        self.head_lines = max(len(head) for head in self.heads) + 1

    def _pad(self, width: float) -> float:
        columns = sum(self.figure) + sum(self.letters)
        left = width - self.stub - self.sign - columns
        return next((pad for pad in PADS if 2 * pad * len(self.figure) <= left), PADS[0])

    def column(self, k: int) -> float:
        """Give the width of a column with the room beside it."""
        return self.figure[k] + self.letters[k] + 2 * self.pad

    @property
    def head_height(self) -> float:
        """The height of all heads."""
        return HEAD_LINE * (self.head_lines + len(self.outer) + (1 if self.table.groups else 0)) + 6

    def row(self, k: int) -> float:
        """Give the height of a line that begins a row."""
        return ROW + HEAD_LINE * max(len(self.labels[k]) - 1, self._letters_under(k))

    def _letters_under(self, k: int) -> int:
        """Count the lines that letters take under the figures of a line."""
        return int(self.below and any(self.table.lines[k].letters))

    def more_row(self, k: int) -> float:
        """Give the height of a line that shows one more figure of its row."""
        return ROW + HEAD_LINE * self._letters_under(k)
