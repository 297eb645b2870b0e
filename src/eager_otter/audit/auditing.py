"""Run the audit of a plan: answers, definitions, filters, weights, unfinished interviews."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase

from eager_otter.asking.survey import Survey
from eager_otter.audit.answers import AnswerSlips, tick_texts
from eager_otter.audit.definitions import definition_slips, times_compared_back, unequal_nets
from eager_otter.audit.looking import Look, LookAgain, mention_columns
from eager_otter.audit.questionnaires import questionnaire_slips
from eager_otter.audit.recoding import recode_of
from eager_otter.audit.seen import NAMED, Seen, Touched, WeightsSeen
from eager_otter.audit.slip import SEVERITIES, Audit, Severity, Slip, note, warning
from eager_otter.audit.turned import turned_scales, wave_question
from eager_otter.codebook.expression import parse
from eager_otter.codebook.model import TickColumns
from eager_otter.counting.passes import Passing
from eager_otter.counting.population import Choice
from eager_otter.counting.running import OverAll
from eager_otter.data.remark import Remark
from eager_otter.data.responses import Responses, keeps_nobody
from eager_otter.data.waves import Waves
from eager_otter.errors import RequestError
from eager_otter.looks.words import counted, first_of
from eager_otter.plan.plan import Acceptance, Plan

HEAVIEST = 8.0  # times the mean weight
LEAST_EFFICIENT = 0.5


def audit_plan(plan: Plan, survey: Survey) -> Audit:
    """Check the data of a survey against codebook and plan.

    Raises what counting would raise: bad weights, a filter without people.
    """
    book, responses = plan.codebook, survey.responses
    choice = Choice(filter=plan.filter, weight=plan.weight)
    over = OverAll(survey.runner, responses, choice, survey.counting)
    filters = _filters_of_tables(plan)
    seen = over(look_at(plan))
    if plan.filter is not None and not seen.chosen:
        raise RequestError(keeps_nobody(plan.filter, len(responses)))
    if seen.weights is not None and plan.weight is not None and not seen.weights.people:
        responses.weights(plan.weight, responses.filtered(plan.filter))  # says that all are 0
    again = _seen_again(plan, seen, over)
    answers = AnswerSlips(book, responses.row_name, again, isinstance(plan.data, Waves))
    slips = [
        *questionnaire_slips(plan),
        *definition_slips(book),
        *unequal_nets(plan),
        *times_compared_back(plan),
        *answers.slips(seen.questions),
        *turned_scales(plan, seen.questions),
        *_filters(plan, filters, seen),
        *_interviews(plan, answers, seen),
        *_weights(plan, answers, seen),
        *_columns(responses),
        *(remarked(remark) for remark in responses.remarks),
    ]
    accepted = [_accepted(slip, plan.accepted) for slip in slips]
    order = {severity: k for k, severity in enumerate(SEVERITIES)}
    ordered = sorted(accepted, key=lambda slip: (bool(slip.accepted), order[slip.severity]))
    recodes = [(book.questions[name], one.recode) for name, one in seen.questions.items()]
    return Audit(
        title=plan.title,
        source=str(responses.source),
        people=seen.people,
        slips=(*ordered, *_idle(plan.accepted, slips)),
        recodes=tuple(recode_of(book, question, one) for question, one in recodes if one is not None),
    )


def look_at(plan: Plan) -> Look:
    """Return what the audit of a plan counts of every part of the data."""
    return Look(
        choice=Choice(filter=plan.filter, weight=plan.weight),
        kept=tuple(_filters_of_tables(plan)),
        questions=tuple(plan.codebook.questions),
        mentions=mention_columns(list(plan.codebook)),
        wave=wave_question(plan),
    )


EXTREME = ("", None)  # stands for those of extreme weight among whom was looked at again


def _seen_again(plan: Plan, seen: Seen, over: Passing) -> Mapping[tuple[str, int | None], Touched]:
    """See whom slips touch that only all rows together tell: values in tick columns, extreme weights."""
    wanted: dict[tuple[str, int | None], Mapping[str, frozenset[str]]] = {}
    for question in plan.codebook:
        if isinstance(question.source, TickColumns):
            names = [column for _, column in question.source.columns]
            texts = tick_texts(question, seen.questions[question.name])
            wanted |= {(question.name, k): {names[k]: others} for k, others in texts.never.items()}
            if texts.stray:
                wanted[question.name, None] = {names[k]: others for k, others in texts.stray.items()}
    heavy = None
    if plan.weight is not None and seen.weights is not None:
        limit = HEAVIEST * seen.weights.mean
        heavy = (plan.weight, limit) if seen.weights.largest > limit else None
    if not wanted and heavy is None:
        return {}
    look = LookAgain(
        choice=Choice(filter=plan.filter, weight=plan.weight), texts=tuple(wanted.values()), heavy=heavy
    )
    keys = [*wanted, *([EXTREME] if heavy is not None else [])]
    people: tuple[Touched, ...] = over(look)
    return dict(zip(keys, people, strict=True))


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


def _filters_of_tables(plan: Plan) -> dict[str, str]:
    """Return the filters of tables, with the first table that has each."""
    filters: dict[str, str] = {}
    for request in plan.requests:
        if request.filter is not None:
            filters.setdefault(request.filter, request.id)
    return filters


def _filters(plan: Plan, filters: Mapping[str, str], seen: Seen) -> Iterator[Slip]:
    if plan.filter is not None and seen.rows == seen.there:
        yield _idle_filter("filter", plan.filter)
    for (text, table), kept in zip(filters.items(), seen.kept, strict=True):
        if kept == seen.rows:
            yield _idle_filter(f"table {table}", text)
        elif not kept:
            yield Slip(
                name="filter that keeps nobody",
                severity="error",
                where=f"table {table}",
                message=f"The filter keeps nobody: {text}",
                remedy="Check its codes and its and/or.",
            )


def _idle_filter(where: str, text: str) -> Slip:
    return warning(
        "filter that keeps everyone",
        where,
        f"The filter leaves nobody out: {text}",
        "Check its codes and its and/or, or take it out.",
    )


def _interviews(plan: Plan, answers: AnswerSlips, seen: Seen) -> Iterator[Slip]:
    """Ask about unfinished interviews where the filter does not settle them."""
    finished = plan.codebook.finished
    if finished is None or (plan.filter is not None and finished.names() & parse(plan.filter).names()):
        return
    yield from answers.slip(
        "unfinished interviews", "warning", "filter", seen.unfinished,
        f"{{n}} counted with an unfinished interview (finished: {finished.text}).",
        f"Write into the plan: filter: {finished.text}; or accept that they count.",
    )  # fmt: skip


def _weights(plan: Plan, answers: AnswerSlips, seen: Seen) -> Iterator[Slip]:
    if plan.weight is None or seen.weights is None:
        return
    kept = _kept(seen.weights)
    extreme = answers.again.get(EXTREME)
    if extreme is not None:
        times = seen.weights.largest / seen.weights.mean
        yield from answers.slip(
            "extreme weight", "warning", plan.weight, extreme,
            f"{{n}} with a weight of more than {HEAVIEST:g} times the mean; the heaviest has {times:.1f} times. "
            f"The weighting keeps {100 * kept:.0f} % of the sample's precision.",
            "Check how the weights were made, or cap them.",
        )  # fmt: skip
    elif kept < LEAST_EFFICIENT:
        yield warning(
            "inefficient weights",
            plan.weight,
            f"The weighting keeps {100 * kept:.0f} % of the sample's precision.",
            "Check the targets of the weighting, or cap the weights.",
        )


def _kept(weights: WeightsSeen) -> float:
    """Return the share of the sample's precision that weights keep: the effective base over the base (Kish 1992)."""
    return weights.weights**2 / (weights.people * weights.squares)


def _columns(responses: Responses) -> Iterator[Slip]:
    """Name the columns of the data that the codebook leaves aside, and an encoding that was guessed."""
    aside = responses.columns_aside()
    if aside:
        yield replace(
            note(
                "columns left aside",
                "data",
                f"In no question: {counted(len(aside), 'column')} of the data: {first_of(aside, 12)}.",
                "Nothing, if they are not needed.",
            ),
            found=tuple(aside),
        )
    if responses.source.how.startswith("read as "):
        yield note(
            "encoding guessed",
            "data",
            f"The file is not UTF-8; it was {responses.source.how}.",
            "Name the encoding in the plan, or save the file as UTF-8.",
        )


def remarked(remark: Remark) -> Slip:
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
