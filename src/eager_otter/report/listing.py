"""The questions of a survey in the terminal: a list by section, or one in full."""

from __future__ import annotations

from collections.abc import Sequence

from rich import box
from rich.console import Group, RenderableType
from rich.table import Table as Grid
from rich.text import Text

from eager_otter.data.overview import AnswerCount, QuestionOverview
from eager_otter.tables.request import Digits
from eager_otter.tables.texts import figure_text, rounded


def questions_view(overviews: Sequence[QuestionOverview]) -> RenderableType:
    """List questions, one a line, under the heads of their sections."""
    grid = Grid(box=box.SIMPLE_HEAD, show_edge=False, pad_edge=False, header_style="bold")
    for head in ("Name", "Kind"):
        grid.add_column(head, no_wrap=True, overflow="fold")
    grid.add_column("Answers", justify="right")
    grid.add_column("Answered", justify="right")
    grid.add_column("Text", ratio=1)
    section = None
    for found in overviews:
        if found.question.section != section:
            section = found.question.section
            if section:
                grid.add_row(Text(section, style="bold cyan"))
        count = str(len(found.question.answers)) if found.question.answers else ""
        grid.add_row(
            Text(found.question.name),
            Text(found.kind, style="dim"),
            count,
            f"{found.answered:,}",
            Text(found.question.text),
        )
    return grid


def question_view(found: QuestionOverview) -> RenderableType:
    """Show one question in full: text, codes with labels and counts, nets, routing, or the spread of a number."""
    question = found.question
    parts: list[RenderableType] = [Text(question.text, style="bold")]
    facts = [
        f"name {question.name}",
        f"kind {found.kind}",
        f"answered by {found.answered:,} of {found.people:,}",
    ]
    facts += [f"section {question.section}"] if question.section else []
    parts.append(Text("  ".join(facts), style="dim"))
    if question.asked is not None:
        parts.append(Text(f"asked if {question.asked.text}", style="dim"))
    if found.answers:
        parts += [Text(), _answers_grid(found)]
    if found.summary:
        parts += [Text(), _summary_grid(found)]
    if question.nets:
        parts += [Text(), Text("Nets", style="bold")]
        parts += [Text(f"  {net.label}: {', '.join(net.of)}") for net in question.nets]
    if question.columns:
        parts.append(Text(f"read from {_some(question.columns)}", style="dim"))
    return Group(*parts)


def _answers_grid(found: QuestionOverview) -> Grid:
    grid = Grid(box=box.SIMPLE_HEAD, show_edge=False, pad_edge=False, header_style="bold")
    grid.add_column("Code", justify="right")
    grid.add_column("Answer")
    grid.add_column("People", justify="right")
    grid.add_column("% of answered", justify="right")
    grid.add_column("")
    for answer in found.answers:
        note = Text(answer.note, style="yellow" if answer.note == "not in the codebook" else "dim")
        grid.add_row(
            Text(answer.code), Text(answer.label), f"{answer.people:,}", _percent(answer, found), note
        )
    return grid


def _percent(answer: AnswerCount, found: QuestionOverview) -> str:
    if answer.note not in ("", "exclusive") or not found.answered:
        return ""
    return figure_text(100.0 * answer.people / found.answered, "column percent", Digits())


def _summary_grid(found: QuestionOverview) -> Grid:
    grid = Grid(box=box.SIMPLE_HEAD, show_edge=False, pad_edge=False, header_style="bold")
    for name, _ in found.summary:
        grid.add_column(name, justify="right")
    grid.add_row(*(f"{rounded(value, 2).normalize():,f}" for _, value in found.summary))
    return grid


def _some(names: Sequence[str], most: int = 6) -> str:
    shown = ", ".join(names[:most])
    return shown if len(names) <= most else f"{shown} and {len(names) - most} more columns"
