"""What differs between the questionnaires of several files, in the terminal and as JSON."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import asdict

from rich.console import Group, RenderableType
from rich.padding import Padding

from eager_otter.data.waves import Waves
from eager_otter.drafting.questionnaires import Questionnaire, compare_waves, worst_first
from eager_otter.errors import RequestError
from eager_otter.gates.terminal import Text
from eager_otter.gates.text import as_json as json_text
from eager_otter.looks.words import counted
from eager_otter.plan.plan import Plan
from eager_otter.report.grids import plain_grid


def compared_waves(plan: Plan) -> tuple[Questionnaire, ...]:
    """Compare the codebook of each file of a plan with the plan's. Raises RequestError where no file has one."""
    if not isinstance(plan.data, Waves):
        raise RequestError(
            "The plan has one file of data; waves are compared where it lists several (data: files)."
        )
    if not any(wave.codebook for wave in plan.data.waves):
        raise RequestError(
            "No file of the plan has a codebook of its own to compare; name it beside the file (codebook: spring.yaml)."
            " What the data hold that the codebook does not know is told by: eager-otter audit"
        )
    return compare_waves(plan.codebook, plan.data)


def waves_view(compared: Sequence[Questionnaire]) -> RenderableType:
    """Show what differs, the worst first, then the changes to write beside each file."""
    return Group(*_parts(compared))


def _parts(compared: Sequence[Questionnaire]) -> Iterator[RenderableType]:
    differences = worst_first(compared)
    if not differences:
        yield Text(f"{counted(len(compared), 'questionnaire')} compared: nothing differs that is not said.")
        return
    grid = plain_grid()
    grid.add_column("What differs", no_wrap=True)
    grid.add_column("Wave", no_wrap=True)
    grid.add_column("Question", no_wrap=True, overflow="ellipsis", max_width=24)
    grid.add_column("", ratio=1, overflow="fold")
    for one in differences:
        style = "bold red" if one.serious else "cyan"
        grid.add_row(Text(one.kind, style=style), Text(one.wave), Text(one.question), Text(one.text))
    yield grid
    remedies = dict.fromkeys((one.kind, one.remedy) for one in differences if one.remedy)
    yield ""
    for kind, remedy in remedies:
        yield Text(f"{kind}: {remedy}", style="dim")
    for each in compared:
        if each.is_proposal:
            yield ""
            yield Text(f"Beside {each.wave.name} in the plan, once looked at:", style="bold")
            yield Padding(Text(each.proposal()), (0, 0, 0, 2))


def as_json(compared: Sequence[Questionnaire]) -> str:
    """Return what differs as JSON: differences, worst first, and the changes proposed, by the label of the wave."""
    return json_text(
        {
            "differences": [{**asdict(one), "serious": one.serious} for one in worst_first(compared)],
            "changes": {one.wave.label: one.changes.given() for one in compared},
        },
        indent=2,
    )
