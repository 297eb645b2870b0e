"""`eager-otter waves`: what differs between the questionnaires of several files."""

from __future__ import annotations

from pathlib import Path

import click

from eager_otter.cli.options import NAMED_AFTER, read_named_plan
from eager_otter.gates.streams import echo, show

FOUND = 1


@click.command(short_help="Compare the questionnaires of several files.")
@click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.yaml"), metavar="[PLAN]")
@click.option("--format", "shape", type=click.Choice(["text", "json"]), default="text", show_default=True)
def waves(plan: Path, shape: str) -> int:
    """Compare the questionnaires of a PLAN (default: plan.yaml) of several files with its codebook.

    Of each file that has a codebook of its own: codes that have another label, labels that have another code, answers
    and questions that came or went, scales of other length, columns that are called otherwise, wordings; the worst
    first, and the 'changes' to look at and to write beside the file. Nothing is matched before that is written.

    Exit code 0 when nothing that would change figures is left unsaid, 1 when something is, 2 for wrong input.
    """
    from eager_otter.report.waves_view import as_json, compared_waves, waves_view

    compared = compared_waves(read_named_plan(plan, NAMED_AFTER))
    if shape == "json":
        echo(as_json(compared))
    else:
        show(waves_view(compared))
    return FOUND if any(one.serious for one in compared) else 0
