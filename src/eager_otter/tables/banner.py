"""From a banner as wanted to its columns, letters and memberships."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Answer, Codebook, Question
from eager_otter.core.arrays import IntArray, smallest_unsigned
from eager_otter.core.cells import ColumnGroup, group_from_memberships
from eager_otter.data.answers import Answers, MultiAnswers, SingleAnswers
from eager_otter.errors import RequestError, UnknownName
from eager_otter.tables.request import Banner, BannerGroup
from eager_otter.tables.table import Column, Group

TOTAL = "Total"


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class BannerColumns:
    """The columns of a banner, Total first, and the pairs (pairs, 2) that are compared: those within a group."""

    columns: tuple[Column, ...]
    groups: tuple[Group, ...]
    pairs: IntArray

    @property
    def two_letter_names(self) -> bool:
        """Whether the banner runs past Z."""
        return any(len(column.letter) > 1 for column in self.columns)


def lay_out(banner: Banner, codebook: Codebook) -> BannerColumns:
    """Name and letter the columns of a banner. Raises UnknownName, RequestError; needs no data."""
    columns = [Column(label=TOTAL)]
    groups = []
    for wanted in banner.groups:
        question = codebook.question(wanted.question)
        answers = answers_kept(wanted, question)
        label = wanted.label or question.label
        start = len(columns)
        for answer in answers:
            columns.append(
                Column(
                    label=wanted.labels.get(answer.code, answer.label),
                    group=label,
                    letter=letter_name(len(columns)),
                    question=question.name,
                    code=answer.code,
                )
            )
        groups.append(Group(label=label, start=start, stop=len(columns)))
    return BannerColumns(columns=tuple(columns), groups=tuple(groups), pairs=_pairs_within(groups))


def letter_name(number: int) -> str:
    """Name the k-th banner column: A to Z, then AA, AB and so on.

    >>> [letter_name(k) for k in (1, 26, 27, 703)]
    ['A', 'Z', 'AA', 'AAA']
    """
    name = ""
    while number > 0:
        number, rest = divmod(number - 1, 26)
        name = chr(ord("A") + rest) + name
    return name


def answers_kept(group: BannerGroup, question: Question) -> tuple[Answer, ...]:
    """List the answers that make the columns of a group. Raises UnknownName, RequestError."""
    if question.kind not in ("single", "multi"):
        raise RequestError(
            f"{question.name} is of kind {question.kind} and cannot be a banner; "
            "cut a number into bands in the codebook and use these."
        )
    if group.keep is None:
        return question.valid
    kept = []
    for name in group.keep:
        answer = question.find(canonical(name))
        if answer is None or answer.missing:
            known = [answer.label for answer in question.valid]
            raise UnknownName("answer", name, known, f"{question.name}")
        if answer in kept:
            raise RequestError(f"{answer.label!r} of {question.name} stands twice among the answers to keep.")
        kept.append(answer)
    return tuple(kept)


def column_group(group: BannerGroup, question: Question, answers: Answers) -> ColumnGroup:
    """Tell who is in which column of a group."""
    positions = [question.by_code[answer.code] for answer in answers_kept(group, question)]
    if isinstance(answers, MultiAnswers):
        return group_from_memberships(np.array([answers.tick(position) for position in positions]))
    if not isinstance(answers, SingleAnswers):
        raise RequestError(f"{question.name} cannot be a banner.")
    column_of_code = np.full(answers.size, len(positions))
    column_of_code[positions] = np.arange(len(positions))
    cell = column_of_code.astype(smallest_unsigned(len(positions)))[answers.codes]
    return ColumnGroup(cell, np.eye(len(positions), len(positions) + 1, dtype=np.bool_))


def _pairs_within(groups: Sequence[Group]) -> IntArray:
    blocks = [
        np.stack(np.triu_indices(group.stop - group.start, 1), axis=1) + group.start for group in groups
    ]
    return np.concatenate([np.zeros((0, 2), np.int64), *blocks]).astype(np.int64)
