"""The working of a cell in the terminal."""

from __future__ import annotations

from rich.console import Group, RenderableType
from rich.padding import Padding

from eager_otter.gates.terminal import Text
from eager_otter.report.grids import plain_grid
from eager_otter.tables.explanation import Explanation


def explain_view(found: Explanation) -> RenderableType:
    """Lay the working of a cell out: who is counted, the figure, the tests."""
    head = Text.assemble(
        (f"{found.row} × {found.column}", "bold"),
        f"   {found.figure} ",
        (found.shown or "nothing shown", "bold"),
    )
    steps = plain_grid()
    steps.add_column("Who is counted")
    steps.add_column("Before", justify="right")
    steps.add_column("After", justify="right")
    for step in found.steps:
        steps.add_row(Text(step.what), f"{step.before:,}", f"{step.after:,}")
    parts: list[RenderableType] = [
        Text(found.title, style="dim"),
        head,
        Text(found.summary),
        Text(),
        steps,
        Text(),
    ]
    parts += [Text("The figure", style="bold"), _inset(found.formula)]
    parts += [_inset(found.worked)] if found.worked else []
    parts += [_inset(text) for text in found.also]
    parts += [Text(), Text("Tests", style="bold")] if found.tests or found.notes else []
    for test in found.tests:
        style = "bold" if test.mark else ""
        parts.append(_inset(test.sentence, style))
    parts += [_inset(note, "dim") for note in found.notes]
    return Group(*parts)


def _inset(text: str, style: str = "") -> RenderableType:
    return Padding(Text(text, style=style), (0, 0, 0, 2))
