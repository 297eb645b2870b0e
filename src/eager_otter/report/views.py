"""The view of each thing: in the terminal, by `print`, and in a notebook."""

from __future__ import annotations

import shutil
from functools import singledispatch
from pathlib import Path

from rich.console import Group, RenderableType

from eager_otter.asking.notable import Findings
from eager_otter.asking.survey import Survey
from eager_otter.audit.slip import Audit
from eager_otter.codebook.model import Codebook, Question
from eager_otter.comparing.comparing import Comparison
from eager_otter.data.overview import QuestionOverview, load_report
from eager_otter.drafting.drafting import Draft
from eager_otter.gates.terminal import Text, as_text, html_view
from eager_otter.plan.plan import Plan
from eager_otter.report.audit_view import audit_view
from eager_otter.report.compare_view import compare_view
from eager_otter.report.draft_view import draft_view
from eager_otter.report.explain_view import explain_view
from eager_otter.report.findings_view import findings_view
from eager_otter.report.grids import plain_grid
from eager_otter.report.listing import codebook_view, definition_view, load_view, question_view, requests_view
from eager_otter.report.report import Report, report_of, with_new_headings
from eager_otter.report.saving import save as save_by_ending
from eager_otter.report.view import StandardViewer
from eager_otter.report.weighting_view import weighting_view
from eager_otter.tables.explanation import Explanation
from eager_otter.tables.table import Table
from eager_otter.weighing.weighing import Weighting

NOTEBOOK_WIDTH = 120


def text_of(thing: object) -> str:
    """Lay a thing out for the terminal, as wide as that is."""
    return as_text(view_of(thing), shutil.get_terminal_size((NOTEBOOK_WIDTH, 40)).columns)


def html_of(thing: object) -> str:
    """Lay a thing out as a piece of HTML."""
    return html_view(view_of(thing), NOTEBOOK_WIDTH)


def save(thing: object, path: str | Path, *, force: bool = False) -> Path:
    """Write a thing to a file by its ending: a table as a report of one. Raises RequestError, FileProblem."""
    if not isinstance(thing, Table):
        return save_by_ending(thing, path, force=force)
    viewer = thing.viewer if isinstance(thing.viewer, StandardViewer) else StandardViewer()
    (written,) = report_of([thing], theme=viewer.theme, notes=viewer.notes).save(path, force=force)
    return written


@singledispatch
def view_of(thing: object) -> RenderableType:
    """Return the view of a thing."""
    return Text(repr(thing))


@view_of.register
def _(thing: Survey) -> RenderableType:
    return Group(
        Text(thing.codebook.title, style="bold"),
        load_view(load_report(thing.responses)),
        codebook_view(thing.codebook),
    )


@view_of.register
def _(thing: Codebook) -> RenderableType:
    return Group(Text(thing.title, style="bold"), codebook_view(thing))


@view_of.register
def _(thing: Plan) -> RenderableType:
    return Group(Text(thing.title, style="bold"), requests_view(thing.requests, thing.codebook))


@view_of.register
def _(thing: Report) -> RenderableType:
    grid = plain_grid()
    for head in ("Id", "Title", "Rows", "Columns", "Base"):
        grid.add_column(head, justify="left" if head in ("Id", "Title") else "right")
    for table, heading in with_new_headings(thing.tables):
        if heading:
            grid.add_row(Text(heading, style="bold cyan"))
        grid.add_row(
            Text(table.id),
            Text(table.title),
            str(len(table.body)),
            str(len(table.columns)),
            f"{table.people:,}",
        )
    return Group(Text(thing.shown_title, style="bold"), grid, Text(thing.provenance, style="dim"))


view_of.register(Question)(definition_view)
view_of.register(QuestionOverview)(question_view)
view_of.register(Audit)(audit_view)
view_of.register(Draft)(draft_view)
view_of.register(Comparison)(compare_view)
view_of.register(Weighting)(weighting_view)
view_of.register(Explanation)(explain_view)
view_of.register(Findings)(findings_view)
