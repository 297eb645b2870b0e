"""A weighting for people: targets before and after in the terminal, as CSV, and a picture of the weights."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
from rich.console import Group, RenderableType

from eager_otter.data.responses import Responses
from eager_otter.errors import MissingPackage
from eager_otter.gates.outputs import install_line
from eager_otter.gates.terminal import Text
from eager_otter.gates.writing import write_bytes, write_rows
from eager_otter.looks.theme import STANDARD
from eager_otter.looks.words import counted
from eager_otter.report.grids import plain_grid
from eager_otter.report.picture import maker_of_picture
from eager_otter.tables.rounding import rounded
from eager_otter.weighing.weighing import TargetLine, Weighting

HEADS = ("part", "question", "answer", "respondents", "before", "target", "after")


def weighting_view(weighting: Weighting) -> RenderableType:
    """Show what a weighting did: every target before and after, then its spread and what it costs."""
    grid = plain_grid()
    for head in ("Question", "Answer", "Respondents", "Before %", "Target %", "After %"):
        grid.add_column(head, justify="left" if head in ("Question", "Answer") else "right")
    before: TargetLine | None = None
    for line in weighting.lines:
        if before is not None and (line.part, line.question) != (before.part, before.question):
            grid.add_section()
        first = before is None or (line.part, line.question) != (before.part, before.question)
        name = f"{line.part}: {line.question}" if line.part else line.question
        figures = (f"{rounded(share, 1):f}" for share in (line.before, line.target, line.after))
        grid.add_row(Text(name if first else ""), Text(line.answer), f"{line.respondents:,}", *figures)
        before = line
    facts = [
        f"{counted(weighting.weighted, 'respondent')} weighted; converged in {counted(weighting.rounds, 'round')}, "
        f"worst target missed by {100 * weighting.worst:.1g} points.",
        f"Weights from {weighting.smallest:.3f} to {weighting.largest:.3f} times the mean.",
        f"Effective base {weighting.effective_base:,.0f}; efficiency {100 * weighting.efficiency:.1f} %.",
    ]
    return Group(
        grid,
        Text(),
        *(Text(fact) for fact in facts),
        *(Text(note, style="yellow") for note in weighting.notes),
    )


def write_lines(weighting: Weighting, path: Path) -> None:
    """Write the targets before and after as CSV; shares in percent."""
    write_rows(path, HEADS, ([getattr(line, head) for head in HEADS] for line in weighting.lines))


def write_weighted(weighting: Weighting, responses: Responses, name: str, path: Path, *, only: bool) -> None:
    """Write the data with the weight as a last column; with `only`, just the ids (or row numbers) and weights."""
    weights = [format(weight, ".10g") for weight in weighting.weights.tolist()]
    identity = responses.codebook.respondent
    if not only:
        heads = [head for head in responses.all_columns() if head != name]
    else:
        heads = [] if identity is None else [identity]
    columns = responses.as_text(heads)
    if only and identity is None:
        heads, columns = ["row"], [[str(k + 1) for k in range(len(responses))]]
    write_rows(path, [*heads, name], zip(*columns, weights, strict=True))


def draw(weighting: Weighting, path: Path) -> None:
    """Draw how the weights are spread, as PNG or SVG. Raises MissingPackage without Matplotlib."""
    try:
        from matplotlib.backends.backend_agg import FigureCanvasAgg
        from matplotlib.figure import Figure
    except ImportError as error:
        raise MissingPackage(f"Pictures need Matplotlib: {install_line('charts')}") from error
    theme = STANDARD
    inside = weighting.weights[weighting.weights > 0]
    figure = Figure(figsize=(8, 4.5), dpi=120)
    FigureCanvasAgg(figure)
    axes = figure.add_axes((0.09, 0.16, 0.88, 0.68))
    ratio = inside / inside.mean()
    axes.hist(ratio, bins=np.linspace(0, max(float(ratio.max()), 2.0) * 1.02, 41).tolist(), color=theme.river)
    axes.axvline(1.0, color=theme.letter, linewidth=1.2)
    axes.text(1.0, axes.get_ylim()[1] * 0.97, " mean", color=theme.letter, va="top")
    axes.set_xlabel("Weight, as a multiple of the mean")
    axes.set_ylabel("Respondents")
    axes.spines[["top", "right"]].set_visible(False)
    figure.text(0.09, 0.93, "How the weights are spread", fontsize=13, fontweight="bold", color=theme.ink)
    figure.text(
        0.09,
        0.875,
        f"{counted(weighting.weighted, 'respondent')}; effective base {weighting.effective_base:,.0f}, "
        f"efficiency {100 * weighting.efficiency:.1f} %; largest weight {weighting.largest:.2f} times the mean",
        fontsize=9,
        color=theme.quiet,
    )
    kind = path.suffix.lower().lstrip(".")
    content = io.BytesIO()
    figure.savefig(content, format=kind, metadata=maker_of_picture(kind))
    write_bytes(path, content.getbuffer())
