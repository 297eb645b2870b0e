"""A table in the terminal: the groups of its banner side by side, as many as fit, the rest below.

Group heads that span columns are beyond what terminal table libraries lay out, so the lines are made here.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

from rich.cells import cell_len, set_cell_size

from eager_otter.dataclass import dataclass
from eager_otter.gates.styled import StyledLine, StyledLines, line_of, lines_of
from eager_otter.gates.text import one_line
from eager_otter.report.labels import fitted
from eager_otter.tables.note import NotesLength
from eager_otter.tables.table import Line, Table
from eager_otter.tables.texts import cell_text, line_sign

LABEL_WIDTH = 40
HEAD_WIDTH = 14
GAP = 2  # blanks between columns
BETWEEN = 4  # blanks between groups
NARROWEST = 24  # room for columns that is used however narrow the terminal is
STYLES = {"heading": "bold", "base": "dim", "net": "bold", "summary": "italic", "answer": ""}


@dataclass(frozen=True, slots=True)
class _Panel:
    """Some banner columns under one head."""

    head: str
    columns: tuple[int, ...]


def table_view(table: Table, width: int, notes: NotesLength = "short") -> StyledLines:
    """Lay a table out for a terminal that is `width` characters wide, its `notes` in short or in full."""
    table = table.displayed
    cells = _Cells(table)
    total = [_Panel("", table.loose)] if table.loose else []
    used = cells.panel_width(table.loose) + BETWEEN if table.loose else 0
    room = max(width - cells.stub_width - used, NARROWEST)
    last = bool(total) and bool(table.groups) and table.loose[0] > table.groups[0].start
    lines = [line_of(table.title, "bold")]
    for panels in _chunks(list(_panels(table, cells, room)), cells, room):
        lines += [*_chunk_lines(cells, [*panels, *total] if last else [*total, *panels]), StyledLine()]
    lines += [line_of(note, "dim", indent=2) for note in table.notes_shown(notes)]
    return lines_of(*lines)


class _Cells:
    """The texts of a table and how wide they are."""

    def __init__(self, table: Table) -> None:
        self.table = table
        self.lines = table.lines
        self.labels = [_label(line, before) for line, before in _with_before(table.lines)]
        self.signs = [line_sign(line, table.words) for line in table.lines]
        self.label_width = max(cell_len(label) for label in self.labels)
        self.sign_width = max(cell_len(sign) for sign in self.signs)
        columns = range(len(table.columns))
        self.figures = [[cell_text(table, line, k) for line in table.lines] for k in columns]
        self.heads = [[*fitted(column.label, HEAD_WIDTH), column.letter] for column in table.columns]
        self.head_height = max(len(head) for head in self.heads)
        self._figure_width = [
            max(cell_len(text) for text in [*texts, *head])
            for texts, head in zip(self.figures, self.heads, strict=True)
        ]
        self._letter_width = [max(len(line.letters[k]) for line in table.lines) for k in columns]

    @property
    def stub_width(self) -> int:
        return self.label_width + GAP + self.sign_width

    def column_width(self, k: int) -> int:
        return self._figure_width[k] + (1 + self._letter_width[k] if self._letter_width[k] else 0)

    def panel_width(self, columns: Sequence[int]) -> int:
        return sum(self.column_width(k) for k in columns) + GAP * (len(columns) - 1)

    def head(self, k: int, level: int) -> str:
        """Return one line of a column's head, set above its figures."""
        above = self.head_height - len(self.heads[k])
        text = self.heads[k][level - above] if level >= above else ""
        return self._set(k, text, "")

    def cell(self, k: int, row: int) -> str:
        return self._set(k, self.figures[k][row], self.lines[row].letters[k])

    def _set(self, k: int, figure: str, letters: str) -> str:
        text = " " * (self._figure_width[k] - cell_len(figure)) + figure
        return text + (f" {letters.ljust(self._letter_width[k])}" if self._letter_width[k] else "")


def _with_before(lines: Sequence[Line]) -> Iterator[tuple[Line, Line | None]]:
    return zip(lines, [None, *lines[:-1]], strict=True)


def _label(line: Line, before: Line | None) -> str:
    """Return a row's label on its first line only; a heading has a line to itself."""
    if line.kind == "heading" or line.continues(before):
        return ""
    return _cut("  " * line.indent + one_line(line.label), LABEL_WIDTH)


def _cut(text: str, width: int) -> str:
    return text if cell_len(text) <= width else set_cell_size(text, width - 1).rstrip() + "…"


def _panels(table: Table, cells: _Cells, room: int) -> Iterator[_Panel]:
    """Make a panel of each group, several of a group too wide for the room."""
    for group in table.groups:
        columns: list[int] = []
        for k in range(group.start, group.stop):
            if columns and cells.panel_width([*columns, k]) + BETWEEN > room:
                yield _Panel(one_line(group.path), tuple(columns))
                columns = []
            columns.append(k)
        yield _Panel(one_line(group.path), tuple(columns))


def _chunks(panels: Sequence[_Panel], cells: _Cells, room: int) -> Iterator[list[_Panel]]:
    """Gather panels that fit side by side; at least one chunk, which may hold the Total alone."""
    chunk: list[_Panel] = []
    used = 0
    for panel in panels:
        need = cells.panel_width(panel.columns) + BETWEEN
        if chunk and used + need > room:
            yield chunk
            chunk, used = [], 0
        chunk.append(panel)
        used += need
    yield chunk


def _chunk_lines(cells: _Cells, panels: Sequence[_Panel]) -> Iterator[StyledLine]:
    blank = " " * (cells.stub_width + BETWEEN)
    between = " " * BETWEEN
    if any(panel.head for panel in panels):
        heads = between.join(_group_head(cells, panel) for panel in panels)
        yield StyledLine(((blank + heads, "bold"),))
    for level in range(cells.head_height):
        heads = between.join(_row_of(panel, lambda k, level=level: cells.head(k, level)) for panel in panels)  # type: ignore[misc]
        if heads.strip():
            yield StyledLine(((blank + heads, ""),))
    previous = "base"
    for row, line in enumerate(cells.lines):
        if (line.kind != previous and previous == "base") or (line.kind == "heading" and previous != "base"):
            yield StyledLine()
        previous = line.kind
        if line.kind == "heading":
            yield line_of(line.label, STYLES[line.kind])
            continue
        texts = between.join(_row_of(panel, lambda k, row=row: cells.cell(k, row)) for panel in panels)  # type: ignore[misc]
        label = cells.labels[row]
        label += " " * (cells.label_width - cell_len(label) + GAP)
        sign = cells.signs[row].ljust(cells.sign_width)
        yield StyledLine(((label, STYLES[line.kind]), (sign, "dim"), (between + texts, STYLES[line.kind])))


def _group_head(cells: _Cells, panel: _Panel) -> str:
    """Write a group's name over its columns, with a rule to its end."""
    width = cells.panel_width(panel.columns)
    name = _cut(panel.head, width)
    rest = width - cell_len(name)
    if not name or rest < 2:
        return name + " " * rest
    return f"{name} {'─' * (rest - 1)}"


def _row_of(panel: _Panel, text: Callable[[int], str]) -> str:
    return (" " * GAP).join(text(k) for k in panel.columns)
