"""The manifest of a report, made: digests, settings, versions, the audit in short, the figures of each table."""

from __future__ import annotations

import dataclasses
import os
import platform
from collections.abc import Iterator, Mapping, Sequence
from importlib.metadata import version
from pathlib import Path
from typing import Protocol

from eager_otter.asking.survey import Survey
from eager_otter.audit.auditing import audit_plan
from eager_otter.audit.slip import Audit
from eager_otter.codebook.model import Codebook, Question
from eager_otter.codebook.translating import as_written
from eager_otter.comparing.manifest import (
    AcceptedEntry,
    AuditEntry,
    DataEntry,
    FileEntry,
    Manifest,
    QuestionEntry,
    TableEntry,
    digest,
    file_digest,
    joined_to,
)
from eager_otter.data.files import Source
from eager_otter.errors import RequestError
from eager_otter.gates.outputs import MANIFEST
from eager_otter.gates.writing import write_text, written_beside
from eager_otter.looks.theme import Theme
from eager_otter.looks.words import Words
from eager_otter.plan.plan import Plan
from eager_otter.plan.writing import plan_text
from eager_otter.tables.table import Table
from eager_otter.version import __version__

COUNTING = ("numpy", "pyarrow", "scipy")  # packages whose version may touch a last digit


class Reported(Protocol):
    """The part of a report that a manifest records: its attributes are those of `Report`."""

    @property
    def title(self) -> str: ...  # noqa: D102
    @property
    def author(self) -> str: ...  # noqa: D102
    @property
    def tables(self) -> tuple[Table, ...]: ...  # noqa: D102
    @property
    def source(self) -> Source: ...  # noqa: D102
    @property
    def filter(self) -> str | None: ...  # noqa: D102
    @property
    def weight(self) -> str | None: ...  # noqa: D102
    @property
    def plan(self) -> Plan | None: ...  # noqa: D102
    @property
    def survey(self) -> Survey | None: ...  # noqa: D102
    @property
    def theme(self) -> Theme: ...  # noqa: D102
    @property
    def audit(self) -> Audit | None: ...  # noqa: D102
    @property
    def audited(self) -> Audit | None: ...  # noqa: D102
    @property
    def words(self) -> Words: ...  # noqa: D102


def manifest_of(report: Reported, outputs: Mapping[str, Path]) -> Manifest:
    """Make the manifest of a report whose outputs are written: their names, and where they lie now.

    Raises RequestError for a report that was not made from a plan.
    """
    plan, survey = report.plan, report.survey
    if plan is None or survey is None:
        raise RequestError("This report was not made from a plan, so it has no manifest.")
    audit = report.audited or report.audit or audit_plan(plan, survey)
    source, book = report.source, as_written(plan.codebook)
    return Manifest(
        title=report.title,
        author=report.author,
        language=report.words.language,
        versions={"eager-otter": __version__, "python": platform.python_version()}
        | {name: version(name) for name in COUNTING},
        data=DataEntry(file=source.name, digest=source.mark, rows=source.rows, last_changed=source.changed),
        codebook=FileEntry(file="" if book.path is None else book.path.name, digest=book.digest[:16]),
        plan=FileEntry(file=plan.path.name, digest=_plan_digest(plan)),
        theme=FileEntry(
            file=Path(plan.theme_name).name,
            digest=digest(repr(report.theme).encode()) if plan.theme_name else "",
        ),
        filter=report.filter,
        weight=report.weight,
        respondents=int(survey.population().rows.sum()),
        audit=_audit_entry(audit),
        questions={name: _question_entry(book.question(name)) for name in _questions(report.tables, book)},
        tables=[_table_entry(table, book, report.filter) for table in report.tables],
        outputs=[FileEntry(file=name, digest=file_digest(path)) for name, path in outputs.items()],
    )


def save_manifest(report: Reported, outputs: Sequence[Path], *, force: bool = False) -> Path:
    """Write the manifest of a report beside files that were made of it, the first of which says where; gives its path.

    It joins those of other reports whose outputs lie in the folder. Raises RequestError for a report that was not made
    from a plan, FileProblem where a file is there that is not ours (without `force`), or where it cannot be written.
    """
    folder = outputs[0].parent
    path = folder / MANIFEST
    names = {os.path.relpath(output, folder): output for output in outputs}
    with written_beside([path], force=force) as (part,):
        file = joined_to(folder, manifest_of(report, names), f"eager-otter {__version__}")
        write_text(part, file.text())
    return path


def _plan_digest(plan: Plan) -> str:
    """Return a digest of a plan's file, or of the plan spelled out where it has none."""
    return file_digest(plan.path) or digest(plan_text(plan).encode())


def _audit_entry(audit: Audit) -> AuditEntry:
    accepted = [
        AcceptedEntry(slip=one.name, where=one.where, because=one.accepted)
        for one in audit.slips
        if one.accepted
    ]
    return AuditEntry(counts=audit.counts(), accepted=accepted, unknown=audit.unknown)


def _questions(tables: Sequence[Table], book: Codebook) -> list[str]:
    """List all questions whose answers tables count, down or across, in the codebook's order."""
    named = {name for table in tables for name in _questions_of(table)}
    sources = book.sources()
    every = {source for name in named if name in book.questions for source in sources[name]}
    return [name for name in book.questions if name in every]


def _questions_of(table: Table) -> Iterator[str]:
    yield from (line.question for line in table.lines if line.question)
    yield from (line.code for line in table.lines if line.kind == "answer")
    yield from (column.question for column in table.counted if column.question)


def _question_entry(question: Question) -> QuestionEntry:
    """Describe a question: what may change its figures apart from what only changes its words."""
    nets = {
        net.label: f"{net.how}{f' {net.least}' if net.how == 'least' else ''} of {', '.join(net.of)}"
        for net in question.nets
    }
    nets |= {one.label: f"{', '.join(one.plus)} minus {', '.join(one.minus)}" for one in question.differences}
    rules = [dataclasses.replace(answer, label="") for answer in question.answers]
    asked = "" if question.asked is None else question.asked.text
    definition = repr((question.kind, question.source, rules, question.missing, question.scale, asked))
    return QuestionEntry(
        text=question.text,
        label=question.label,
        answers={answer.code: answer.label for answer in question.answers},
        definition=digest(definition.encode()),
        nets=nets,
    )


def _table_entry(table: Table, book: Codebook, of_all: str | None) -> TableEntry:
    """Describe how a table was made; its filters are those beside the one of all tables."""
    facts = table.facts
    steps = [] if facts is None else facts.filters[0 if of_all is None else 1 :]
    tests = dataclasses.asdict(table.tests)
    bases = dataclasses.asdict(table.base_rules)
    return TableEntry(
        id=table.id,
        title=table.title,
        questions=[name for name in dict.fromkeys(_questions_of(table)) if name in book.questions],
        filters=[step.expression for step in steps],
        base=table.base,
        weight=None if facts is None else facts.weight,
        levels=list(table.levels),
        tests={name: value if isinstance(value, bool) else str(value) for name, value in tests.items()},
        bases={
            name: float(value) if isinstance(value, int | float) else value for name, value in bases.items()
        },
        figures=_figures_digest(table),
    )


def _figures_digest(table: Table) -> str:
    """Return a digest of a table's figures, to twelve digits, their letters and marks, and where they are."""
    parts = [repr([(column.group, column.label, column.letter) for column in table.columns])]
    for line in table.lines:
        figures = " ".join(f"{value:.12g}" for value in line.values.tolist())
        parts.append(repr((line.question, line.kind, line.code, line.label, line.figure, figures)))
        parts.append(repr((line.letters, line.marks)))
    return digest("\n".join(parts).encode())
