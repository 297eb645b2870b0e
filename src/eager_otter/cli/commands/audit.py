"""`eager-otter audit`: check data against codebook and plan before any table is read."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import click

from eager_otter.cli.options import NAMED_AFTER, changed, people_options, read_named_plan, tell_hints
from eager_otter.gates.streams import echo, show

FOUND = 1


@click.command(short_help="Check data against codebook and plan, or bare data.")
@click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.yaml"), metavar="[PLAN | DATA]")
@click.option("--format", "shape", type=click.Choice(["text", "json"]), default="text", show_default=True)
@click.option(
    "--recodes", is_flag=True, help="Show how banded, merged and derived questions were made as well."
)
@people_options
def audit(
    plan: Path,
    shape: str,
    recodes: bool,
    **people: Any,
) -> int:
    """Check the data of a PLAN (default: plan.yaml) against its codebook, or bare DATA: the slips that cost a night.

    Codes nobody knows, stray ticks, "none" beside others, broken routing, gaps between bands, nets on the wrong
    end, filters that filter nothing, weights that cannot be right. Of DATA that nobody has described: answers that
    differ in spelling only, values and dates far out, ids and rows that repeat, interviews too fast, the same answer
    down a grid, numbers stored as text, damaged characters, and more. A slip can be accepted in the plan:

    \b
    accept:
      - {slip: none beside others, where: heard_of, because: asked that way}

    Exit code 0 when nothing but notes and accepted slips is left, 1 when something is, 2 for wrong input.
    """
    from eager_otter.data.opening import is_data
    from eager_otter.report.running import run_audit

    if is_data(plan):
        if any(value for value in people.values()):
            raise click.UsageError("A filter or weight goes with a plan; bare data are looked over whole.")
        from eager_otter.audit.data_checks import audit_data

        result = audit_data(plan)
    else:
        wanted = changed(read_named_plan(plan, NAMED_AFTER), **people)
        tell_hints(wanted)
        result = run_audit(wanted)
    if shape == "json":
        from eager_otter.report.audit_view import as_json

        echo(as_json(result))
    else:
        from eager_otter.report.audit_view import audit_view

        show(audit_view(result, recodes=recodes))
    return FOUND if result.open else 0
