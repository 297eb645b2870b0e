"""`eager-otter run`: make the report of a plan."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from dataclasses import fields, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from eager_otter.cli import completing
from eager_otter.cli.options import (
    NAMED_AFTER,
    STDOUT,
    cache_option,
    changed,
    force_option,
    language_option,
    machine_options,
    notes_option,
    people_options,
    read_named_plan,
    refuse_given,
    spoken,
    stdout_format_option,
    tell_who_is_counted,
    written_out,
)
from eager_otter.errors import OtterError, RequestError, one_of, shown_path
from eager_otter.gates.outputs import ENDINGS, SETTINGS_OF_OUTPUTS, endings_that_show
from eager_otter.gates.streams import echo, show
from eager_otter.gates.text import size_text
from eager_otter.looks.words import counted, first_of

if TYPE_CHECKING:
    from eager_otter.audit.slip import Audit
    from eager_otter.plan.plan import Plan
    from eager_otter.tables.note import NotesLength

FOUND = 1


@click.command(short_help="Make the report of a plan.")
@click.argument("plan", type=click.Path(path_type=Path), default=Path("plan.yaml"))
@click.option(
    "--output",
    "-o",
    "outputs",
    multiple=True,
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write this file instead of the plan's outputs; may be given several times; - is the standard output. "
    f"By its ending: {' '.join(ENDINGS)}",
)
@click.option(
    "--only",
    multiple=True,
    metavar="ID",
    shell_complete=completing.tables,
    help="Make only this table; may be given several times, with *.",
)
@click.option("--list", "listing", is_flag=True, help="List the tables that would be made, and make none.")
@click.option(
    "--spell-out",
    type=click.Path(path_type=Path),
    metavar="FILE",
    help="Write the plan with every table spelled out, beside the plan, and make no table.",
)
@stdout_format_option
@force_option
@click.option(
    "--strict", is_flag=True, help="Stop with exit code 1, and write nothing, when the audit finds errors."
)
@click.option(
    "--no-file-date", is_flag=True, help="Do not say in the outputs when the data file was last changed."
)
@notes_option
@language_option
@cache_option
@people_options
@machine_options
def run(
    plan: Path,
    outputs: tuple[Path, ...],
    only: tuple[str, ...],
    listing: bool,
    spell_out: Path | None,
    shape: str | None,
    force: bool,
    strict: bool,
    no_file_date: bool,
    notes: NotesLength | None,
    language: str | None,
    workers: int | None,
    memory: str | None,
    cluster: str | None,
    **people: Any,
) -> int:
    """Make the report of a PLAN (default: plan.yaml) and write its outputs.

    The plan and its codebook are checked first; every mistake in them is listed with file, line and column
    before any data are read, and nothing is written. What the audit finds in the data is counted on stderr.
    """
    from eager_otter.plan.reading import only_tables

    if listing:
        refuse_given(
            "--list makes no table",
            "outputs",
            "spell_out",
            "shape",
            "force",
            "strict",
            "no_file_date",
            "notes",
            "data",
            "weight",
            "language",
            *MACHINE,
        )
    if spell_out is not None:
        refuse_given(
            "--spell-out makes no table",
            "outputs",
            "shape",
            "force",
            "strict",
            "no_file_date",
            "notes",
            *MACHINE,
        )

    def as_asked(one: Plan) -> Plan:
        """Change a plan as the command line says."""
        one = spoken(changed(one, **people), language)
        if no_file_date:
            one = replace(one, file_date=False)
        return only_tables(one, only) if only else one

    read = read_named_plan(plan, NAMED_AFTER)
    checked = as_asked(read)
    if listing:
        from eager_otter.report.listing import requests_view

        show(requests_view(checked.requests, checked.codebook))
        return 0
    if spell_out is not None:
        _spell_out(checked, spell_out)
        return 0
    machine = {"workers": workers, "memory": memory, "cluster": cluster}
    if outputs == (Path(STDOUT),):
        if checked.for_each is not None:
            raise RequestError(
                f"The plan makes a report for each answer of {checked.for_each.question}, and the standard output "
                "takes one. Name a file, of which each report has its own, or narrow a copy of the plan without "
                "'for each'."
            )
        return _shown(checked, shape, people["filter_text"], notes, machine)
    if shape is not None or Path(STDOUT) in outputs:
        raise RequestError("The standard output (-o -) stands alone, and --format goes with it.")
    settings: dict[str, Any] = {
        "force": force,
        "strict": strict,
        "filter_text": people["filter_text"],
        "new_data": people["data"] is not None,
        "notes": notes,
        "machine": machine,
    }
    if checked.for_each is None:
        return make_and_save(checked, outputs, **settings)
    return _each(read, outputs, as_asked, settings)


def _shown(
    plan: Plan,
    shape: str | None,
    filter_text: str | None,
    notes: NotesLength | None,
    machine: Mapping[str, Any],
) -> int:
    """Make a report and write it on the standard output: the exit code."""
    from eager_otter.report.running import run as make_report

    report = make_report(plan, **machine)
    assert report.survey is not None
    tell_who_is_counted(report.survey, plan, filter_text)
    written_out(report, STDOUT, shape, notes)
    return 0


def _each(
    plan: Plan, outputs: tuple[Path, ...], as_asked: Callable[[Plan], Plan], settings: Mapping[str, Any]
) -> int:
    """Make a report for each answer of a question, each in a folder of its own: the exit code of the worst.

    `as_asked` changes each plan as the command line says.
    """
    from eager_otter.gates.writing import new_folder
    from eager_otter.report.each import in_folder, labels_with_people, plans_for_each

    plans = {label: as_asked(own) for label, own in plans_for_each(plan).items()}
    there = labels_with_people(as_asked(plan))
    code = 0
    for label, own in plans.items():
        if label not in there:
            echo(f"Note: nobody is in {label}, so there is no report of it.", err=True)
            continue
        wanted = in_folder(outputs, plan, label) if outputs else own.outputs
        with ExitStack() as folders:
            for folder in dict.fromkeys(path.parent for path in wanted):
                folders.enter_context(new_folder(folder))
            code = max(code, make_and_save(replace(own, outputs=wanted), (), **settings))
    return code


MACHINE = ("workers", "memory", "cluster")


def _spell_out(plan: Plan, path: Path) -> None:
    """Write a plan in full; a file that is there is not overwritten."""
    from eager_otter.gates.writing import check_new, write_text, written_beside
    from eager_otter.plan.writing import plan_text

    check_new([path])
    text = plan_text(replace(plan, path=path))
    with written_beside([path], inputs=plan.inputs, force=False) as (part,):
        write_text(part, text)
    echo(shown_path(path))


def make_and_save(
    plan: Plan,
    outputs: tuple[Path, ...],
    *,
    force: bool = False,
    strict: bool = False,
    filter_text: str | None = None,
    new_data: bool = False,
    notes: NotesLength | None = None,
    machine: Mapping[str, Any] | None = None,
) -> int:
    """Make a report with a progress line, write it, and tell where it lies: an exit code.

    With `strict`, errors of the audit stop it before anything is written. `machine` says who counts: see `run`. Of
    `new_data`, such as those of a next wave, it is told what the codebook does not know.
    """
    from eager_otter.audit.auditing import audit_plan
    from eager_otter.cli.progress import progress_line
    from eager_otter.gates.outputs import MANIFEST
    from eager_otter.report.method import unshown_in
    from eager_otter.report.opening import survey_of
    from eager_otter.report.running import run_audited

    check_before(plan, outputs, force=force)
    with progress_line() as tell:
        try:
            report = run_audited(plan, tell, machine or {}, lambda estimate: echo(str(estimate), err=True))
        except OtterError:
            if strict and _stopped(audit_plan(plan, survey_of(plan)), plan):  # which may tell the reason
                return FOUND
            raise
        audited = report.audited
        assert report.survey is not None and audited is not None
        if strict and _stopped(audited, plan):
            return FOUND
        tell_who_is_counted(report.survey, plan, filter_text)
        written = report.save(*outputs, progress=tell, force=force, notes=notes, manifest=True)
        tell_audit(audited, plan)
    for note in unknown_in(audited, plan) if new_data else ():
        echo(f"Note: {note}", err=True)
    for note in () if outputs else idle_of_outputs(plan, [path.suffix.lower() for path in written]):
        echo(f"Note: {note}", err=True)
    unshown = unshown_in(report.tables)
    if unshown:
        echo(
            f"Note: {counted(unshown, 'character')} of the texts cannot be shown; a code such as [U+001B] stands for "
            "each.",
            err=True,
        )
    echo(f"{counted(len(report.tables), 'table')} from {report.source}", err=True)
    for path in written:
        echo(f"{shown_path(path)}  ({size_text(path.stat().st_size)})")
    echo(f"{shown_path(written[0].parent / MANIFEST)}: what the report was made of", err=True)
    return 0


def _stopped(audit: Audit, plan: Plan) -> bool:
    """Tell that errors of the audit stop a run, if there are any."""
    if not audit.counts()["error"]:
        return False
    tell_audit(audit, plan)
    echo("Stopped, as --strict was given; nothing was written.", err=True)
    return True


def check_before(plan: Plan, outputs: tuple[Path, ...], *, force: bool) -> None:
    """Refuse, before anything is read or made, outputs that a report may not be written to. Raises OtterError."""
    from eager_otter.data.files import Source
    from eager_otter.gates.outputs import MANIFEST
    from eager_otter.report.report import Report

    wanted = list(outputs or plan.outputs)
    if wanted:
        not_made = Report(title=plan.title, tables=(), source=Source(name="", rows=0), plan=plan)
        not_made.check_outputs([*wanted, wanted[0].parent / MANIFEST], force=force)


def idle_of_outputs(plan: Plan, endings: Sequence[str]) -> Iterator[str]:
    """Say what a plan says of outputs that it does not write."""
    from eager_otter.plan.plan import Plan

    usual = {one.name: one.default for one in fields(Plan)}
    for key in SETTINGS_OF_OUTPUTS:
        wanted = endings_that_show(key)
        if getattr(plan, key) != usual[key] and not set(wanted) & set(endings):
            yield f"{key}: no output of the plan ends in {one_of(wanted)}, so this does nothing."


def unknown_in(audit: Audit, plan: Plan) -> Iterator[str]:
    """Say what data hold that the codebook does not know."""
    for where, found in audit.unknown.items():
        what = (
            "columns in no question"
            if where == "data"
            else f"codes of {where} that the codebook does not know"
        )
        yield f"{plan.data_name} has {what}: {first_of(found, 8)}."


def tell_audit(audit: Audit, plan: Plan) -> None:
    """Say on stderr how many errors and warnings the audit found, if any."""
    counts = audit.counts()
    slips = [
        f"{counts[name]:,} {name}{'' if counts[name] == 1 else 's'}"
        for name in ("error", "warning")
        if counts[name]
    ]
    if slips:
        shown = shown_path(plan.path)
        name = "" if shown == "plan.yaml" else f" {shown}"
        echo(f"audit: {', '.join(slips)}; see eager-otter audit{name}", err=True)
