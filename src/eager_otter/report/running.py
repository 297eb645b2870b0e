"""A plan made into its report, or audited."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from eager_otter.asking.survey import Survey
from eager_otter.audit.auditing import audit_plan, look_at
from eager_otter.audit.questionnaires import audit_unread
from eager_otter.audit.slip import Audit
from eager_otter.codebook.expression import parse
from eager_otter.codebook.unchanged import alike_as_a_whole, unchanged
from eager_otter.counting.estimate import Estimate, Estimating
from eager_otter.counting.running import Along, Runner, runner_for
from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.errors import RequestError
from eager_otter.gates.cache import Cache, cache_in
from eager_otter.gates.machine import bytes_in
from eager_otter.plan.plan import Plan
from eager_otter.plan.reading import read_plan
from eager_otter.report.opening import survey_again, survey_of
from eager_otter.report.report import Progress, Report, report_of_plan
from eager_otter.report.view import StandardViewer
from eager_otter.tables.table import Table


@checked
def run(
    plan: str | Path | Plan,
    *,
    progress: Progress | None = None,
    before: Report | None = None,
    workers: int | None = None,
    memory: int | str | None = None,
    cluster: Any = None,
    cache: str | Path | Cache | None = None,
) -> Report:
    """Make the report of a plan; write it with `Report.save()`.

    `plan` is one, or the path of one; `progress` receives what is being done, how much of it is done, of how much, and
    before long work about what that will take.

    `before` is an earlier report: while data and codebook are the same, nothing is read again, and only tables that are
    wanted differently are made again.

    A long file of data is counted by `workers` processes (None: as many as there are processors, where that is worth
    it), or on a `cluster`: the address of a Dask scheduler, or a client of it. `memory` is what may be kept of the data
    meanwhile ("500 MB", or bytes; None: as fits the machine). Figures do not depend on any of these.

    With a `cache`, columns of files that are slow to read are kept in that folder for the next time: see `open_survey`.

    Raises FileProblem, DocumentError (every mistake in plan and codebook, before data are read), DataError,
    RequestError, ExpressionError.
    """
    if not isinstance(plan, Plan):
        plan = read_plan(plan)
    if cache is not None:
        plan = replace(plan, cache=cache_in(cache))
    told = None if progress is None else partial(_told, progress)
    machine = _Machine(workers=workers, memory=memory, cluster=cluster, told=told)
    return _made(plan, progress, before, machine, audited=plan.audit)


def _told(progress: Progress, estimate: Estimate) -> None:
    progress(str(estimate), 0, estimate.rows)


def run_audited(
    plan: Plan, progress: Progress, machine: Mapping[str, Any], told: Callable[[Estimate], None]
) -> Report:
    """Make the report of a plan with the audit in `audited`, whether or not its outputs show it; see `run`.

    `machine` says who counts, by the names that `run` has for it; `told` is told about what long work will take.
    """
    return _made(plan, progress, None, _Machine(**machine, told=told, once=True), audited=True)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Machine:
    """Who counts, as asked for: see `run`. `told` is told about what it will take; `once`: no tables follow later."""

    workers: int | None = None
    memory: int | str | None = None
    cluster: Any = None
    told: Callable[[Estimate], None] | None = None
    once: bool = False


def _made(
    plan: Plan, progress: Progress | None, before: Report | None, machine: _Machine, *, audited: bool
) -> Report:
    """Make a report; see `run`. What the audit counts is counted along with the tables, where it is `audited`."""
    if progress is not None:
        progress(f"Reading {plan.data_name}", 0, 1)
    if plan.for_each is not None:
        raise RequestError(
            f"The plan makes a report for each answer of {plan.for_each.question}: run each of `plans_for_each(plan)`."
        )
    earlier = None
    if before is not None and before.plan is not None and before.survey is not None:
        earlier = survey_again(before.survey, before.plan, plan)
    survey = earlier
    if survey is None:
        survey = survey_of(plan, None if machine.memory is None else bytes_in(machine.memory))
    else:  # opening one sees to it that somebody is counted
        survey.population()
    survey = replace(
        survey,
        runner=_runner(survey, machine.workers, machine.cluster, once=machine.once),
        counting=None if progress is None else partial(progress, "Counting rows"),
    )
    ready = {} if before is None or earlier is None else _tables_before(before, plan)
    missing = [request for request in plan.requests if request.id not in ready]
    done = None if progress is None else _counting(progress, len(missing))
    counting = survey
    if machine.told is not None:
        counting = replace(counting, runner=Estimating(counting.runner, machine.told))
    if audited:
        counting = replace(counting, runner=Along(counting.runner, look_at(plan)))
    new = counting.tables(missing, done) if missing else []
    by_id = ready | {request.id: table for request, table in zip(missing, new, strict=True)}
    report = report_of_plan(plan, survey, [by_id[request.id] for request in plan.requests])
    if audited:
        audit = audit_plan(plan, counting)
        report = replace(report, audit=audit if plan.audit else None, audited=audit)
    if not plan.findings:
        return report
    if progress is not None:
        progress("Looking for notable differences", len(missing), len(missing))
    return replace(report, notable=report.findings(most=plan.findings))


def _runner(survey: Survey, workers: int | None, cluster: Any, *, once: bool = False) -> Runner:
    """Choose who counts. Raises RequestError, MachineProblem, MissingPackage."""
    if workers is not None and (not isinstance(workers, int) or isinstance(workers, bool) or workers < 1):
        raise RequestError(f"Workers are a whole number from 1 up; found {workers!r}.")
    if cluster is None:
        return runner_for(workers, survey.responses, once=once)
    if workers is not None:
        raise RequestError("A cluster has its own workers; leave workers out, or the cluster.")
    from eager_otter.counting.cluster import cluster_at

    return cluster_at(cluster)


def _tables_before(before: Report, plan: Plan) -> dict[str, Table]:
    """Return the tables of an earlier report that are wanted again, by id, where the same people are counted alike."""
    old = before.plan
    if old is None or _counted_alike(old) != _counted_alike(plan):
        return {}
    if not alike_as_a_whole(old.codebook, plan.codebook):
        return {}
    same = unchanged(old.codebook, plan.codebook) | set(plan.codebook.grids)
    if plan.filter is not None and not same.issuperset(parse(plan.filter).names()):
        return {}
    known = {request.id: (request, table) for request, table in zip(old.requests, before.tables, strict=True)}
    viewer = StandardViewer(plan.theme, plan.notes)
    reusable = {}
    for request in plan.requests:
        before_this, table = known.get(request.id, (None, None))
        if table is not None and before_this == request and same.issuperset(request.questions_named()):
            reusable[request.id] = table if table.viewer == viewer else replace(table, viewer=viewer)
    return reusable


def _counted_alike(plan: Plan) -> tuple[object, ...]:
    """Return what a table takes from its plan beside its own request."""
    return plan.filter, plan.weight, plan.conditions


@checked
def run_audit(plan: str | Path | Plan) -> Audit:
    """Check the data of a `plan` against its codebook: all slips, the worst first, and the recode tables.

    Several files whose codebooks differ in what nobody has said are not read: these differences are the slips then.

    Raises what `run` raises.
    """
    checked = plan if isinstance(plan, Plan) else read_plan(plan)
    unread = audit_unread(checked)
    if unread is not None:
        return unread
    survey = survey_of(checked)
    return audit_plan(checked, replace(survey, runner=_runner(survey, None, None, once=True)))


def _counting(progress: Progress, tables: int) -> Callable[[int], None]:
    return lambda done: progress("Making tables", done, tables)
