"""How a table shows itself: as text in a terminal, as a piece of HTML or a chart in a notebook."""

from __future__ import annotations

from typing import TYPE_CHECKING

from eager_otter.dataclass import dataclass
from eager_otter.looks.theme import STANDARD, Theme
from eager_otter.tables.note import NotesLength
from eager_otter.tables.table import Table

if TYPE_CHECKING:
    from eager_otter.report.picture import Picture


@dataclass(frozen=True, slots=True)
class StandardViewer:
    """Shows tables in the looks of a theme; imports what it needs when first asked."""

    theme: Theme = STANDARD
    notes: NotesLength = "short"

    def text(self, table: Table, width: int | None = None) -> str:
        """Lay a table out for a terminal `width` characters wide (None: as wide as the terminal is)."""
        import shutil

        from eager_otter.gates.styled import text_of_lines
        from eager_otter.report.terminal import table_view

        columns = width or shutil.get_terminal_size((120, 40)).columns
        return text_of_lines(table_view(table, columns, self.notes), columns)

    def html(self, table: Table) -> str:
        """Lay a table out as a piece of HTML."""
        from eager_otter.report.fragment import table_html

        return table_html(table, self.theme, self.notes)

    def picture(self, table: Table, group: str = "") -> Picture:
        """Draw a table: the columns of a banner group, or the usual ones.

        Raises RequestError for a table without figures to draw, UnknownName, MissingPackage without Matplotlib.
        """
        from eager_otter.report.picture import picture_of

        return picture_of(table, self.theme, group=group)
