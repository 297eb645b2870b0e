"""An audit for people, in the terminal, and for machines, as JSON."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict

from rich.console import Group, RenderableType
from rich.padding import Padding

from eager_otter.audit.slip import Audit, Recode, Slip
from eager_otter.gates.terminal import Text
from eager_otter.gates.text import as_json as json_text
from eager_otter.looks.words import counted
from eager_otter.report.grids import plain_grid

STYLES = {"error": "bold red", "warning": "bold yellow", "note": "cyan"}
LONGEST_CELL = 90


def audit_view(audit: Audit, *, recodes: bool = False) -> RenderableType:
    """Lay the slips out, the worst first, with the way out of each; recode tables below where wanted."""
    parts: list[RenderableType] = [
        Text(f"Audit of {audit.title}" if audit.title else "Audit", style="bold"),
        Text(
            f"{counted(audit.people, 'respondent')}; {audit.source}" if audit.people else audit.source,
            style="dim",
        ),
        Text(),
    ]
    for slip in audit.slips:
        parts += _slip(slip)
    if recodes:
        for recode in audit.recodes:
            parts += [Text(), _recode(recode)]
        parts.append(Text())
    counts = audit.counts()
    words = [
        f"{counts[name]} {name}{'' if counts[name] == 1 else 's'}" for name in ("error", "warning", "note")
    ]
    words += [f"{counts['accepted']} accepted"] if counts["accepted"] else []
    parts.append(Text(", ".join(words), style="bold"))
    return Group(*parts)


def _slip(slip: Slip) -> Iterator[RenderableType]:
    word = "accepted" if slip.accepted else slip.severity
    style = "dim" if slip.accepted else STYLES[slip.severity]
    yield Text.assemble((f"{word:9}", style), (slip.where, "bold"), f"  {slip.name}")
    yield Padding(Text(slip.message), (0, 0, 0, 9))
    if slip.respondents:
        more = f" … {slip.count - len(slip.respondents):,} more" if slip.count > len(slip.respondents) else ""
        yield Padding(Text(", ".join(slip.respondents) + more, style="dim"), (0, 0, 0, 9))
    last = f"Accepted: {slip.accepted}" if slip.accepted else f"→ {slip.remedy}"
    yield Padding(Text(last, style="italic"), (0, 0, 0, 9))


def _recode(recode: Recode) -> RenderableType:
    grid = plain_grid("dim")
    grid.title = Text(f"{recode.question}, made from {recode.source}", style="bold")
    grid.add_column("New")
    grid.add_column("From", max_width=LONGEST_CELL)
    grid.add_column("People", justify="right")
    for line in recode.lines:
        style = "yellow" if line.answer.startswith("(") else ""
        grid.add_row(Text(line.answer, style=style), Text(line.source, style=style), f"{line.count:,}")
    return grid


def as_json(audit: Audit) -> str:
    """Return the audit as JSON: slips, recodes and counts."""
    return json_text({**asdict(audit), "counts": audit.counts()}, indent=2)
