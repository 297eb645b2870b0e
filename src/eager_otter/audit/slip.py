"""A slip that the audit found: what is wrong where, how often, with whom, and the way out."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from eager_otter.codebook.model import Answer, Question
from eager_otter.dataclass import dataclass
from eager_otter.gates.viewed import Saved
from eager_otter.looks.words import counted

Severity = Literal["error", "warning", "note"]
SEVERITIES: tuple[Severity, ...] = ("error", "warning", "note")


@dataclass(frozen=True, slots=True, kw_only=True)
class Slip:
    """A slip that the audit found.

    `name` says what it is, `where` the question, column or part of the plan it is in; `count` respondents (or
    rows) are touched, the first of whom are named in `respondents`. `accepted` holds the plan's reason to let it
    be, "" where there is none. `found` lists the codes or columns that the codebook does not know.

    `severity` is "error", "warning" or "note"; `message` says what is wrong, `remedy` what to do.
    """

    name: str
    severity: Severity
    where: str
    message: str
    remedy: str
    count: int = 0
    respondents: tuple[str, ...] = ()
    accepted: str = ""
    found: tuple[str, ...] = ()


def warning(name: str, where: str, message: str, remedy: str) -> Slip:
    """Make a warning that touches no respondents one by one."""
    return Slip(name=name, severity="warning", where=where, message=message, remedy=remedy)


def note(name: str, where: str, message: str, remedy: str) -> Slip:
    """Make a note: nothing that has to be done."""
    return Slip(name=name, severity="note", where=where, message=message, remedy=remedy)


def answers_named(answers: Iterable[Answer]) -> str:
    """Name answers by label and code."""
    return ", ".join(f"{answer.label} ({answer.code})" for answer in answers)


def by_score(question: Question, answers: Iterable[Answer]) -> list[Answer]:
    """Put answers of a scale that have scores in their order, the lowest first."""
    scores = question.scores()
    return sorted(answers, key=lambda answer: scores[answer.code])


@dataclass(frozen=True, slots=True, kw_only=True)
class RecodeLine:
    """One line of a recode table: a new answer, what went into it, and how many respondents."""

    answer: str
    source: str
    count: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Recode:
    """How a question was made from another: old × new, and what was not placed."""

    question: str
    source: str
    lines: tuple[RecodeLine, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Audit(Saved):
    """All slips, the worst first, and the recode tables.

    `title` is that of the plan, `source` tells where the data came from, `people` how many respondents were looked at;
    `slips` and `recodes` are what was found and made.
    """

    title: str
    source: str
    people: int
    slips: tuple[Slip, ...]
    recodes: tuple[Recode, ...]

    @property
    def unknown(self) -> dict[str, list[str]]:
        """The codes of each question, and the columns ("data"), that the codebook does not know."""
        return {slip.where: list(slip.found) for slip in self.slips if slip.found}

    def __repr__(self) -> str:
        counts = ", ".join(
            f"{count} {what}" if what == "accepted" else counted(count, what)
            for what, count in self.counts().items()
            if count
        )
        return f"<Audit {self.title!r}: {counts or 'no slips'}>"

    @property
    def open(self) -> tuple[Slip, ...]:
        """The errors and warnings that nobody has accepted."""
        return tuple(f for f in self.slips if f.severity != "note" and not f.accepted)

    def counts(self) -> dict[str, int]:
        """Count the slips by severity, accepted ones apart."""
        counts = dict.fromkeys(SEVERITIES, 0) | {"accepted": 0}
        for slip in self.slips:
            counts["accepted" if slip.accepted else slip.severity] += 1
        return counts
