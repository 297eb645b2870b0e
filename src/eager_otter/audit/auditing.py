"""Run the audit of a plan: answers, definitions, filters, weights, unfinished interviews."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import assert_never

import numpy as np

from eager_otter.audit.answers import NAMED, AnswerChecks, people_text, touched
from eager_otter.audit.definitions import definition_slips, unequal_nets
from eager_otter.audit.slip import (
    SEVERITIES,
    Audit,
    Recode,
    RecodeLine,
    Severity,
    Slip,
    note,
    warning,
)
from eager_otter.codebook.expression import parse
from eager_otter.codebook.model import Banded, Derived, EqualBands, Merged, Periods, Question
from eager_otter.codebook.periods import day_text
from eager_otter.core.arrays import BoolArray, IntArray, efficiency
from eager_otter.data.answers import MultiAnswers, NumberAnswers, SingleAnswers, TextAnswers
from eager_otter.data.remark import Remark
from eager_otter.data.responses import Responses
from eager_otter.looks.words import counted
from eager_otter.plan.plan import Acceptance, Plan

HEAVIEST = 8.0  # times the mean weight
LEAST_EFFICIENT = 0.5


def audit_plan(plan: Plan, responses: Responses) -> Audit:
    """Check data against codebook and plan. Raises what counting would raise: bad weights, a filter without people."""
    rows, times = responses.filtered(plan.filter), responses.times()
    rows = rows if times is None else rows & (times > 0)
    slips = [
        *definition_slips(plan.codebook),
        *unequal_nets(plan),
        *AnswerChecks(responses, rows).slips(),
        *_filters(plan, responses, rows),
        *_interviews(plan, responses, rows),
        *_weights(plan, responses, rows),
        *_columns(responses),
        *(_remarked(remark) for remark in responses.remarks),
    ]
    accepted = [_accepted(slip, plan.accepted) for slip in slips]
    order = {severity: k for k, severity in enumerate(SEVERITIES)}
    ordered = sorted(accepted, key=lambda slip: (bool(slip.accepted), order[slip.severity]))
    return Audit(
        title=plan.title,
        source=str(responses.source),
        people=responses.people(rows),
        slips=(*ordered, *_idle(plan.accepted, slips)),
        recodes=tuple(_recodes(responses, rows)),
    )


def _accepted(slip: Slip, acceptances: Sequence[Acceptance]) -> Slip:
    for acceptance in acceptances:
        if acceptance.slip == slip.name and fnmatchcase(slip.where, acceptance.where):
            return replace(slip, accepted=acceptance.because)
    return slip


def _idle(acceptances: Sequence[Acceptance], slips: Sequence[Slip]) -> Iterator[Slip]:
    """Name acceptances that meet no slip any more."""
    for acceptance in acceptances:
        if not any(acceptance.slip == f.name and fnmatchcase(f.where, acceptance.where) for f in slips):
            yield note(
                "accepted, not found",
                acceptance.where,
                f"The plan accepts {acceptance.slip!r} here, but there is none.",
                "Take the line out of 'accept'.",
            )


def _filters(plan: Plan, responses: Responses, rows: BoolArray) -> Iterator[Slip]:
    if plan.filter is not None and rows.all():
        yield _idle_filter("filter", plan.filter)
    seen: set[str] = set()
    for request in plan.requests:
        if request.filter is None or request.filter in seen:
            continue
        seen.add(request.filter)
        kept = responses.chosen_by(request.filter)
        if kept[rows].all():
            yield _idle_filter(f"table {request.id}", request.filter)
        elif not kept[rows].any():
            yield Slip(
                name="filter that keeps nobody",
                severity="error",
                where=f"table {request.id}",
                message=f"The filter keeps nobody: {request.filter}",
                remedy="Check its codes and its and/or.",
            )


def _idle_filter(where: str, text: str) -> Slip:
    return warning(
        "filter that keeps everyone",
        where,
        f"The filter leaves nobody out: {text}",
        "Check its codes and its and/or, or take it out.",
    )


def _interviews(plan: Plan, responses: Responses, rows: BoolArray) -> Iterator[Slip]:
    """Ask about unfinished interviews where the filter does not settle them."""
    finished = plan.codebook.finished
    if finished is None:
        return
    settled = plan.filter is not None and bool(finished.names() & parse(plan.filter).names())
    unfinished = rows & ~responses.chosen_by(finished)
    if not settled and unfinished.any():
        count, named = touched(responses, unfinished)
        yield Slip(
            name="unfinished interviews",
            severity="warning",
            where="filter",
            message=f"{people_text(count)} counted with an unfinished interview (finished: {finished.text}).",
            remedy=f"Write into the plan: filter: {finished.text}; or accept that they count.",
            count=count,
            respondents=named,
        )


def _weights(plan: Plan, responses: Responses, rows: BoolArray) -> Iterator[Slip]:
    if plan.weight is None:
        return
    weights = responses.weights(plan.weight, rows)
    mean = float(weights[weights > 0].mean())
    heavy = np.zeros(len(rows), np.bool_)
    heavy[np.flatnonzero(rows)[weights > HEAVIEST * mean]] = True
    _, kept = efficiency(weights[weights > 0])
    if heavy.any():
        count, named = touched(responses, heavy)
        yield Slip(
            name="extreme weight",
            severity="warning",
            where=plan.weight,
            message=(
                f"{people_text(count)} with a weight of more than {HEAVIEST:g} times the mean; the heaviest has "
                f"{weights.max() / mean:.1f} times. "
                f"The weighting keeps {100 * kept:.0f} % of the sample's precision."
            ),
            remedy="Check how the weights were made, or cap them.",
            count=count,
            respondents=named,
        )
    elif kept < LEAST_EFFICIENT:
        yield warning(
            "inefficient weights",
            plan.weight,
            f"The weighting keeps {100 * kept:.0f} % of the sample's precision.",
            "Check the targets of the weighting, or cap the weights.",
        )


def _columns(responses: Responses) -> Iterator[Slip]:
    """Name the columns of the data that the codebook leaves aside, and an encoding that was guessed."""
    aside = responses.columns_aside()
    if aside:
        shown = ", ".join(aside[:12]) + (f" and {len(aside) - 12:,} more" if len(aside) > 12 else "")
        yield note(
            "columns left aside",
            "data",
            f"In no question: {counted(len(aside), 'column')} of the data: {shown}.",
            "Nothing, if they are not needed.",
        )
    if responses.source.how.startswith("read as "):
        yield note(
            "encoding guessed",
            "data",
            f"The file is not UTF-8; it was {responses.source.how}.",
            "Name the encoding in the plan, or save the file as UTF-8.",
        )


def _remarked(remark: Remark) -> Slip:
    """Make a slip of what was noticed while the data were read."""
    severity: Severity = "error" if remark.severe else "warning"
    return Slip(
        name=remark.slip,
        severity=severity,
        where=", ".join(remark.columns[:NAMED]) or "data",
        message=remark.said(),
        remedy=remark.remedy,
        count=remark.count,
    )


# --- recode tables --------------------------------------------------------------------------------------


def _recodes(responses: Responses, rows: BoolArray) -> Iterator[Recode]:
    for question in responses.codebook:
        match question.source:
            case Banded(of) | EqualBands(of) | Periods(of):
                yield Recode(
                    question=question.name, source=of, lines=tuple(_banded(responses, question, of, rows))
                )
            case Merged(of) if question.is_of.of_one_answer:
                yield Recode(
                    question=question.name, source=of, lines=tuple(_merged(responses, question, of, rows))
                )
            case Derived():
                made_of = ", ".join(question.made_of)
                yield Recode(
                    question=question.name, source=made_of, lines=tuple(_derived(responses, question, rows))
                )


def _banded(responses: Responses, question: Question, of: str, rows: BoolArray) -> Iterator[RecodeLine]:
    """Return each band's lowest and highest value and its count; then the values in none."""
    answers, numbers = responses.answers(question.name), responses.answers(of)
    assert isinstance(answers, SingleAnswers) and isinstance(numbers, NumberAnswers)
    for k, answer in enumerate(question.answers):
        inside = rows & (answers.codes == k)
        values = numbers.values[inside]
        source = (
            f"{_value(question, values.min())} to {_value(question, values.max())}"
            if values.size
            else "no value"
        )
        yield RecodeLine(answer=answer.label, source=source, count=responses.people(inside))
    left = rows & (answers.codes >= len(question.answers)) & ~np.isnan(numbers.values)
    if left.any():
        shown, places = np.unique(numbers.values[left], return_inverse=True)
        counts = _people_by(responses, places, left)
        listed = ", ".join(
            f"{_value(question, v)} ({n})" for v, n in list(zip(shown, counts, strict=True))[:8]
        )
        yield RecodeLine(answer="(not placed)", source=listed, count=responses.people(left))


def _value(question: Question, value: float) -> str:
    if isinstance(question.source, Periods):
        return day_text(value)
    return format(value, ".6g")


def _merged(responses: Responses, question: Question, of: str, rows: BoolArray) -> Iterator[RecodeLine]:
    """Return old × new: for each new answer the old ones with their counts; then the old ones in none."""
    old, new = responses.answers(of), responses.answers(question.name)
    assert isinstance(old, SingleAnswers) and isinstance(new, SingleAnswers)
    labels = [answer.label for answer in responses.questions[of].answers]
    for k, answer in enumerate(question.answers):
        inside = rows & (new.codes == k)
        text = _counted(responses, old, inside, labels)
        yield RecodeLine(answer=answer.label, source=text, count=responses.people(inside))
    left = rows & (new.codes >= len(question.answers)) & (old.codes < len(labels))
    if left.any():
        text = _counted(responses, old, left, labels)
        yield RecodeLine(answer="(not placed)", source=text, count=responses.people(left))


def _people_by(responses: Responses, codes: IntArray, who: BoolArray) -> list[int]:
    """Count the respondents that some rows stand for by code: `codes` are those of `who` (rows,)."""
    times = responses.times()
    counts = np.bincount(codes, None if times is None else times[who])
    return [int(count) for count in counts]


def _counted(responses: Responses, answers: SingleAnswers, who: BoolArray, labels: Sequence[str]) -> str:
    """List the answers that some gave, with their counts."""
    counts = _people_by(responses, answers.codes[who].astype(np.int64), who)
    return ", ".join(f"{label} ({n:,})" for label, n in zip(labels, counts, strict=False) if n)


def _derived(responses: Responses, question: Question, rows: BoolArray) -> Iterator[RecodeLine]:
    """Return source × new: for each new answer its rule, and what those in it gave to each question of the rules."""
    assert isinstance(question.source, Derived)
    new = responses.answers(question.name)
    assert isinstance(new, SingleAnswers)
    last = "everyone else" if question.source.everyone else "otherwise"
    for k, (label, rule) in enumerate(question.source.rules):
        inside = rows & (new.codes == k)
        text = f"{last if rule is None else rule.text}: {_sources(responses, question, inside)}"
        yield RecodeLine(answer=label, source=text, count=responses.people(inside))
    left = rows & (new.codes >= len(question.answers))
    if left.any():
        text = f"no rule holds: {_sources(responses, question, left)}"
        yield RecodeLine(answer="(not placed)", source=text, count=responses.people(left))


def _sources(responses: Responses, question: Question, who: BoolArray) -> str:
    """Say what some respondents gave to the questions that a question is made of: answers and counts, or ends."""
    many = len(question.made_of) > 1
    parts = []
    for name in question.made_of:
        given = _given(responses, name, who) if who.any() else "nobody"
        parts.append(f"{name} {given}" if many else given)
    return "; ".join(parts)


def _given(responses: Responses, name: str, who: BoolArray) -> str:
    source, answers = responses.questions[name], responses.answers(name)
    reasons = responses.reasons(name)
    parts: list[str] = []
    match answers:
        case SingleAnswers():
            labels = [answer.label for answer in source.answers]
            parts += [_counted(responses, answers, who & (reasons.codes == 0), labels)]
        case MultiAnswers():
            counts = [
                (answer.label, responses.people(answers.tick(k) & who))
                for k, answer in enumerate(source.answers)
            ]
            parts += [f"{label} ({n:,})" for label, n in counts if n]
        case NumberAnswers():
            valued = who & (reasons.codes == 0)
            values = answers.values[valued]
            if values.size:
                low, high = (
                    day_text(v) if source.is_of.of_days else f"{v:.6g}" for v in (values.min(), values.max())
                )
                parts.append(f"{low} to {high} ({responses.people(valued):,})")
        case TextAnswers():
            texts = responses.people(who & (reasons.codes == 0))
            parts += [f"a text ({texts:,})"] if texts else []
        case _:
            assert_never(answers)
    without = responses.people(who & (reasons.codes != 0))
    parts += [f"no answer ({without:,})"] if without else []
    return ", ".join(part for part in parts if part)
