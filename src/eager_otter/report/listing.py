"""The questions of a survey in the terminal: a list by section, or one in full."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rich.console import Group, RenderableType
from rich.table import Table as Grid

from eager_otter.codebook.model import Codebook, Question
from eager_otter.codebook.periods import day_text
from eager_otter.data.kind import OWN_WORDS, AnswerCount
from eager_otter.data.overview import LoadReport, QuestionOverview, kind_in_words
from eager_otter.gates.terminal import Text
from eager_otter.looks.words import counted
from eager_otter.making.figures import left_out_figures
from eager_otter.report.grids import plain_grid
from eager_otter.tables.request import Digits, TableRequest
from eager_otter.tables.rounding import rounded
from eager_otter.tables.texts import figure_text


def questions_view(
    overviews: Sequence[QuestionOverview], *, sections: bool = True, show: str = "both"
) -> RenderableType:
    """List questions, one a line, under the heads of their sections where wanted.

    `show` says what to name them by: "names", "labels", or "both" (name and text).
    """
    grid = plain_grid()
    for head in (*(["Name"] if show != "labels" else []), "Kind"):
        grid.add_column(head, no_wrap=True, overflow="fold")
    grid.add_column("Answers", justify="right")
    grid.add_column("Answered", justify="right")
    if show != "names":
        grid.add_column("Label" if show == "labels" else "Text", ratio=1)
    section = None
    for overview in overviews:
        question = overview.question
        if sections and question.section != section:
            section = question.section
            if section:
                grid.add_row(Text(section, style="bold cyan"))
        cells = [Text(question.name)] if show != "labels" else []
        cells += [
            Text(overview.kind, style="dim"),
            Text(str(len(question.answers)) if question.answers else ""),
        ]
        cells.append(Text(f"{overview.answered:,}"))
        if show != "names":
            cells.append(Text(question.label if show == "labels" else question.text))
        grid.add_row(*cells)
    return grid


def requests_view(requests: Sequence[TableRequest], codebook: Codebook) -> RenderableType:
    """List the tables of a plan: id, question, banner, figures, filter and what else is their own.

    Figures that a table inherits and cannot have are told with the reason.
    """
    grid = plain_grid()
    for head in ("Id", "Question", "Banner", "Figures", "Of its own"):
        grid.add_column(
            head, ratio=1 if head == "Of its own" else None, overflow="fold", no_wrap=head == "Id"
        )
    heading = ""
    for request in requests:
        if request.heading != heading:
            heading = request.heading
            grid.add_row(Text(heading, style="bold cyan"))
        filters = [f"filter {request.filter}"] if request.filter else []
        filters += [f"base {request.base}"] if request.base != "answered" else []
        filters += ["sorted"] if request.rows.sort else []
        filters += ["no tests"] if not request.levels else []
        out = _left_out(request, codebook)
        filters += [f"left out: {figure} ({reason})" for figure, reason in out]
        cells = (
            request.id,
            _questions(request),
            request.banner.name or "Total only",
            ", ".join(figure for figure in request.figures if figure not in dict(out)),
            "; ".join(filters),
        )
        grid.add_row(*(Text(cell) for cell in cells))
    return Group(grid, Text(counted(len(requests), "table"), style="bold"))


def _questions(request: TableRequest) -> str:
    """Name the question of a table; of several, the first and how many more."""
    names = dict.fromkeys(request.shows.questions)
    first, *rest = names
    return f"{first} and {len(rest)} more" if len(rest) > 1 else ", ".join(names)


def _left_out(request: TableRequest, codebook: Codebook) -> list[tuple[str, str]]:
    """List the figures that no question of a table can have, with the reason of the first."""
    names = request.shows.questions
    by_question = [dict(left_out_figures(request, codebook.question(name))) for name in names]
    return [
        (figure, reason)
        for figure, reason in by_question[0].items()
        if all(figure in one for one in by_question)
    ]


def load_view(report: LoadReport) -> RenderableType:
    """Say in a few lines what was read and what was left aside."""
    kinds = ", ".join(f"{count} {kind}" for kind, count in report.kinds)
    lines = [
        f"{counted(report.rows, 'row')}; {counted(sum(count for _, count in report.kinds), 'question')}: {kinds}"
    ]
    lines += [f"{what}: column {name}" for what, name in report.special]
    if report.aside:
        lines.append(f"left aside, as no question uses them: {_some(report.aside, 12)}")
    return Group(*(Text(line, style="dim") for line in lines))


def codebook_view(codebook: Codebook) -> RenderableType:
    """List the questions of a codebook, one a line, under the heads of their sections."""
    grid = plain_grid()
    grid.add_column("Name", no_wrap=True, overflow="fold")
    grid.add_column("Kind", no_wrap=True)
    grid.add_column("Answers", justify="right")
    grid.add_column("Text", ratio=1)
    section = ""
    for question in codebook:
        if question.section and question.section != section:
            grid.add_row(Text(question.section, style="bold cyan"))
        section = question.section
        answers = str(len(question.answers)) if question.answers else ""
        grid.add_row(
            Text(question.name), Text(kind_in_words(question), style="dim"), answers, Text(question.text)
        )
    return grid


def definition_view(question: Question) -> RenderableType:
    """Show how one question is defined: text, codes with labels, nets, routing, where it is read from."""
    facts = [f"name {question.name}", f"kind {kind_in_words(question)}"]
    facts += [f"section {question.section}"] if question.section else []
    parts: list[RenderableType] = [Text(question.text, style="bold"), Text("  ".join(facts), style="dim")]
    if question.asked is not None:
        parts.append(Text(f"asked if {question.asked.text}", style="dim"))
    if question.answers:
        grid = plain_grid()
        grid.add_column("Code", justify="right")
        grid.add_column("Answer")
        grid.add_column("")
        for answer in question.answers:
            said = {
                "missing": answer.missing,
                "exclusive": answer.exclusive,
                "stays last": answer.last,
                OWN_WORDS: answer.write_in,
            }
            notes = [what for what, true in said.items() if true]
            notes += [] if answer.score is None else [f"score {answer.score:g}"]
            grid.add_row(Text(answer.code), Text(answer.label), Text(", ".join(notes), style="dim"))
        parts += [Text(), grid]
    return Group(*parts, *_made_of(question))


def question_view(overview: QuestionOverview, records: Sequence[tuple[str, str]] = ()) -> RenderableType:
    """Show one question in full: text, codes with labels and counts, nets, routing, or the spread of a number.

    `records` are some respondents and what they gave, as read.
    """
    question = overview.question
    parts: list[RenderableType] = [Text(question.text, style="bold")]
    facts = [
        f"name {question.name}",
        f"kind {overview.kind}",
        f"answered by {overview.answered:,} of {overview.people:,}",
    ]
    facts += [f"section {question.section}"] if question.section else []
    parts.append(Text("  ".join(facts), style="dim"))
    if question.asked is not None:
        parts.append(Text(f"asked if {question.asked.text}", style="dim"))
    if overview.answers:
        parts += [Text(), _answers_grid(overview)]
    if overview.summary:
        parts += [Text(), _summary_grid(overview)]
    parts += [
        *_made_of(question),
        *(
            Text(f"  {row}: {values}", style="dim", no_wrap=True, overflow="ellipsis")
            for row, values in records
        ),
    ]
    return Group(*parts)


def _made_of(question: Question) -> Iterator[RenderableType]:
    """Return the nets and differences of a question, and the columns or questions that it comes from."""
    if question.nets:
        yield from (Text(), Text("Nets", style="bold"))
    for net in question.nets:
        yield Text(f"  {net.label}: {', '.join(net.of)}")
    for one in question.differences:
        yield Text(f"  {one.label}: {', '.join(one.plus)} minus {', '.join(one.minus)}")
    if question.columns:
        yield Text(f"read from {_some(question.columns)}", style="dim")
    if question.made_of:
        yield Text(f"made from {_some(question.made_of)}", style="dim")


def _answers_grid(overview: QuestionOverview) -> Grid:
    grid = plain_grid()
    grid.add_column("Code", justify="right")
    grid.add_column("Answer")
    grid.add_column("People", justify="right")
    grid.add_column("% of answered", justify="right")
    grid.add_column("")
    for answer in overview.answers:
        note = Text(answer.note, style="yellow" if answer.note == "not in the codebook" else "dim")
        grid.add_row(
            Text(answer.code), Text(answer.label), f"{answer.people:,}", _percent(answer, overview), note
        )
    return grid


def _percent(answer: AnswerCount, overview: QuestionOverview) -> str:
    if answer.note not in ("", "exclusive", OWN_WORDS) or not overview.answered:
        return ""
    return figure_text(100.0 * answer.people / overview.answered, "column percent", Digits())


def _summary_grid(overview: QuestionOverview) -> Grid:
    grid = plain_grid()
    for name, _ in overview.summary:
        grid.add_column(name, justify="right")
    grid.add_row(*(_summary_text(overview, value) for _, value in overview.summary))
    return grid


def _summary_text(overview: QuestionOverview, value: float) -> str:
    if overview.question.is_of.of_days:
        return day_text(value)
    return f"{rounded(value, 2).normalize():,f}"


def _some(names: Sequence[str], most: int = 6) -> str:
    shown = ", ".join(names[:most])
    return shown if len(names) <= most else f"{shown} and {len(names) - most} more columns"
