"""The notable differences of a report: in the terminal, as JSON, as rows."""

from __future__ import annotations

from collections.abc import Sequence

from rich.console import Group, RenderableType

from eager_otter.asking.notable import FINDINGS_NOTE, Notable
from eager_otter.gates.terminal import Text
from eager_otter.gates.text import as_json as json_text
from eager_otter.report.grids import plain_grid

FIELDS = (
    "table", "question", "row", "figure", "column", "against", "value", "other", "effect", "size", "p_value",
    "adjusted", "base", "other_base", "sentence", "technical",
)  # fmt: skip


def findings_view(notable: Sequence[Notable]) -> RenderableType:
    """List notable differences, the largest first."""
    if not notable:
        return Text("No difference is both significant after correction and large enough.")
    grid = plain_grid()
    grid.add_column("Effect", justify="right")
    grid.add_column("Size", no_wrap=True)
    grid.add_column("What differs", ratio=1)
    grid.add_column("Table", style="dim", overflow="fold")
    for one in notable:
        text = Text.assemble(one.sentence, "\n", (one.technical, "dim"))
        grid.add_row(f"{one.effect:+.2f}", Text(one.size), text, Text(one.table))
    return Group(grid, Text(), Text(FINDINGS_NOTE, style="dim"))


def as_json(notable: Sequence[Notable]) -> str:
    """Return notable differences as a JSON list."""
    return json_text([_fields(one) for one in notable], indent=2)


def as_rows(notable: Sequence[Notable]) -> list[list[object]]:
    """Return notable differences as rows under FIELDS."""
    return [list(_fields(one).values()) for one in notable]


def _fields(one: Notable) -> dict[str, object]:
    every = one.as_dict()
    return {name: every[name] for name in FIELDS}
