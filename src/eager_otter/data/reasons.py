"""Why somebody has no answer to a question: one reason each, the first that holds in a fixed order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, get_args

import numpy as np

from eager_otter.core.arrays import BoolArray, CodeArray, IntArray, smallest_unsigned
from eager_otter.dataclass import dataclass
from eager_otter.looks.words import said

ReasonKind = Literal["not asked", "missing", "unknown code", "no band", "no group", "blank"]
ORDER: tuple[ReasonKind, ...] = get_args(ReasonKind)
REASONS: Mapping[ReasonKind, str] = {  # as notes and the look at a question call them
    "not asked": said("not asked"),
    "missing": said("missing code {code}"),
    "unknown code": said("code unknown to the codebook"),
    "no band": said("in no band or period"),
    "no group": said("in no answer of the merge or rule"),
    "blank": said("blank"),
}


@dataclass(frozen=True, slots=True)
class Reason:
    """Why somebody has no answer; `label` names a missing code: its label, else the code or range as written."""

    kind: ReasonKind
    label: str = ""

    @property
    def place(self) -> int:
        """Its place in the order: of several reasons that hold, the first is given."""
        return ORDER.index(self.kind)


NOT_ASKED = Reason("not asked")
UNKNOWN = Reason("unknown code")
NO_BAND = Reason("no band")
NO_GROUP = Reason("no group")
BLANK = Reason("blank")


@dataclass(frozen=True, slots=True, eq=False)
class Reasons:
    """The reason of each respondent: `codes` (respondents,) is 0 for those who answered, k for the k-th of `known`."""

    codes: CodeArray
    known: tuple[Reason, ...]

    def chosen(self, rows: BoolArray | IntArray) -> Reasons:
        """Keep only some respondents."""
        return Reasons(self.codes[rows], self.known)

    def with_reason(self, reason: Reason, who: BoolArray) -> Reasons:
        """Return some of those without an answer another reason, where it goes before theirs in the order."""
        later = np.array([False, *(one.place > reason.place for one in self.known)])
        changed = who & later[self.codes]
        if not changed.any():
            return self
        known = (*self.known, reason)
        codes = self.codes.astype(smallest_unsigned(len(known)))
        codes[changed] = len(known)
        return Reasons(codes, known)

    def listed(self) -> list[tuple[Reason, int]]:
        """List the reasons, alike ones once, in their order, each with its numbers in `codes`."""
        return sorted(
            ((reason, k) for k, reason in enumerate(self.known, 1)), key=lambda entry: entry[0].place
        )


def first_of(several: Sequence[Reasons]) -> Reasons:
    """Give, of several questions, the reason that goes first; 0 only for those who answered them all."""
    known = list(dict.fromkeys(reason for one in several for reason in one.known))
    known.sort(key=lambda reason: reason.place)
    number = {reason: k for k, reason in enumerate(known, 1)}
    nobody = len(known) + 1
    best: IntArray = np.full(several[0].codes.size, nobody)
    for one in several:
        numbers = np.array([nobody, *(number[reason] for reason in one.known)])
        best = np.minimum(best, numbers[one.codes])
    best[best == nobody] = 0
    return Reasons(best.astype(smallest_unsigned(nobody)), tuple(known))


def where_none(several: Sequence[Reasons], answered: BoolArray, otherwise: Reason) -> Reasons:
    """Return reasons to those who did not answer (respondents,) a question made from several others.

    Whoever answered one of these has the reason `otherwise`, everybody else the first reason of them.
    """
    of_sources = first_of(several)
    any_answered: BoolArray = np.logical_or.reduce([one.codes == 0 for one in several])
    known = (*of_sources.known, otherwise)
    codes = of_sources.codes.astype(smallest_unsigned(len(known)))
    codes[any_answered] = len(known)
    codes[answered] = 0
    return Reasons(codes, known)
