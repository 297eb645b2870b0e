"""Slips between the questionnaires of several files that are one survey: what their codebooks differ in."""

from __future__ import annotations

from eager_otter.audit.slip import Audit, Severity, Slip
from eager_otter.data.waves import Waves
from eager_otter.drafting.questionnaires import DifferenceKind, compare_waves, worst_first
from eager_otter.errors import shown_path
from eager_otter.plan.plan import Plan

WORTH_A_LOOK: tuple[DifferenceKind, ...] = ("scale of other length", "answer added")


def questionnaire_slips(plan: Plan) -> list[Slip]:
    """List what the codebooks of single files differ in from the common one, as far as their changes do not say.

    What would change figures is an error, other answers are warnings, wordings and questions of one file alone notes.
    """
    if not isinstance(plan.data, Waves):
        return []
    slips = []
    for one in worst_first(compare_waves(plan.codebook, plan.data)):
        severity: Severity = "error" if one.serious else "warning" if one.kind in WORTH_A_LOOK else "note"
        slips.append(
            Slip(
                name=one.kind,
                severity=severity,
                where=f"{one.question} ({one.wave})",
                message=f"{one.text[:1].upper()}{one.text[1:]}.",
                remedy=one.remedy or "Nothing, if that is as it was.",
            )
        )
    return slips


def audit_unread(plan: Plan) -> Audit | None:
    """Return the audit of a plan whose files cannot be one survey yet, as something is not said; None where all is."""
    slips = questionnaire_slips(plan)
    if not any(slip.severity == "error" for slip in slips):
        return None
    source = (
        f"{plan.data_name}, not read, as something that would change figures is not said; the lines to write are "
        f"proposed by: eager-otter waves {shown_path(plan.path)}"
    )
    return Audit(title=plan.title, source=source, people=0, slips=tuple(slips), recodes=())
