"""How a table shows itself: as text in a terminal, as a piece of HTML in a notebook."""

from __future__ import annotations

from eager_otter.tables.table import Table


class StandardViewer:
    """Shows tables; imports what it needs when first asked."""

    def text(self, table: Table, width: int | None = None) -> str:
        """Lay a table out for a terminal `width` characters wide (None: as wide as the terminal is)."""
        import shutil

        from eager_otter.report.terminal import as_text, table_view

        columns = width or shutil.get_terminal_size((120, 40)).columns
        return as_text(table_view(table, columns), columns)

    def html(self, table: Table) -> str:
        """Lay a table out as a piece of HTML."""
        from eager_otter.report.fragment import table_html

        return table_html(table)
