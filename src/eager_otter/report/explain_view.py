"""The working of a cell in the terminal."""

from __future__ import annotations

from rich.console import Group, RenderableType
from rich.padding import Padding

from eager_otter.gates.terminal import Text
from eager_otter.report.grids import plain_grid
from eager_otter.tables.explanation import Explanation


def explain_view(explanation: Explanation) -> RenderableType:
    """Lay the working of a cell out: who is counted, the figure, the tests."""
    head = Text.assemble(
        (f"{explanation.row} × {explanation.column}", "bold"),
        f"   {explanation.figure} ",
        (explanation.shown or "nothing shown", "bold"),
    )
    steps = plain_grid()
    steps.add_column("Who is counted")
    steps.add_column("Before", justify="right")
    steps.add_column("After", justify="right")
    for step in explanation.steps:
        steps.add_row(Text(step.what), f"{step.before:,}", f"{step.after:,}")
    parts: list[RenderableType] = [
        Text(explanation.title, style="dim"),
        head,
        Text(explanation.summary),
        Text(),
        steps,
        Text(),
    ]
    parts += [Text("The figure", style="bold"), _inset(explanation.formula)]
    parts += [_inset(explanation.worked)] if explanation.worked else []
    parts += [_inset(text) for text in explanation.also]
    parts += [Text(), Text("Tests", style="bold")] if explanation.tests or explanation.notes else []
    for test in explanation.tests:
        style = "bold" if test.mark else ""
        parts.append(_inset(test.sentence, style))
    parts += [_inset(note, "dim") for note in explanation.notes]
    return Group(*parts)


def _inset(text: str, style: str = "") -> RenderableType:
    return Padding(Text(text, style=style), (0, 0, 0, 2))
