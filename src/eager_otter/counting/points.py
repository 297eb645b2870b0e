"""The columns of one banner group: what each stands for, and who is in it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.expression import parse
from eager_otter.codebook.meaning import check_expression
from eager_otter.codebook.model import Answer, Codebook, Net, Question
from eager_otter.core.arrays import BoolArray, smallest_unsigned
from eager_otter.core.cells import ColumnGroup
from eager_otter.data.answers import Answers, SingleAnswers
from eager_otter.data.responses import Responses
from eager_otter.data.selection import who_counts_in
from eager_otter.dataclass import dataclass
from eager_otter.documents.translated import joined, names_of, written
from eager_otter.errors import RequestError, UnknownName
from eager_otter.tables.request import BannerGroup


@dataclass(frozen=True, slots=True)
class Point:
    """One column of a simple group, before it is lettered; the code of an answer, or None for other columns."""

    label: str
    question: str
    code: str
    answer: Answer | None = None
    net: Net | None = None
    rule: str | tuple[str, ...] | None = None
    hidden: bool = False

    @property
    def lettered(self) -> bool:
        """Whether it is compared with others: all but subtotals and columns out of view."""
        return not self.hidden and (bool(self.question) or self.rule is not None)


def points_of(group: BannerGroup, codebook: Codebook) -> tuple[Point, ...]:
    """List the columns of a group that is no nesting, those out of view last.

    Raises UnknownName, RequestError, ExpressionError.
    """
    points = _all_points(group, codebook)
    names = [{*names_of(point.label), point.code} for point in points]
    for name in group.hide:
        if not any(name in known for known in names):
            raise UnknownName("column", name, [point.label for point in points], "the banner group")
    out = set(group.hide)
    marked = [
        replace(point, hidden=True) if out & known else point
        for point, known in zip(points, names, strict=True)
    ]
    return tuple(sorted(marked, key=lambda point: point.hidden))


def _all_points(group: BannerGroup, codebook: Codebook) -> tuple[Point, ...]:
    if group.nest:
        raise RequestError("A nesting holds groups, not nestings.")
    if not group.question:
        if not group.columns:
            raise RequestError("A banner group needs a question, columns of its own or a nesting.")
        for _, rule in group.columns:
            check_expression(parse(_text_of(rule)), codebook.questions)
        return tuple(Point(label, "", written(label), rule=_text_of(rule)) for label, rule in group.columns)
    question = codebook.question(group.question)
    _check_kind(question)
    if group.rolling is not None:
        return tuple(_rolling(group, question, group.rolling))
    if group.columns:
        return tuple(_own_point(question, label, rule) for label, rule in group.columns)
    return tuple(
        Point(
            group.labels.get(part.code, part.label) if isinstance(part, Answer) else part.label,
            question.name,
            part.code if isinstance(part, Answer) else part.label,
            answer=part if isinstance(part, Answer) else None,
            net=part if isinstance(part, Net) else None,
        )
        for part in parts_kept(group, question)
    )


def _rolling(group: BannerGroup, question: Question, size: int) -> Iterator[Point]:
    """Go through the answers of a question, so many at a time, each time one later. Raises RequestError."""
    answers = [part for part in parts_kept(group, question) if isinstance(part, Answer)]
    if group.columns or not question.is_of.of_one_answer:
        raise RequestError(
            "rolling: columns of several answers each go with a single question, and no columns."
        )
    if not 2 <= size <= len(answers):
        raise RequestError(
            f"rolling: {size} answers a column were asked for; from 2 to the {len(answers)} of {question.name} can be."
        )
    for end in range(size, len(answers) + 1):
        held = answers[end - size : end]
        ends = [group.labels.get(one.code, one.label) for one in (held[0], held[-1])]
        yield Point(
            joined(" – ", ends), question.name, held[-1].code, rule=tuple(answer.code for answer in held)
        )


def _text_of(rule: str | tuple[str, ...]) -> str:
    if not isinstance(rule, str):
        raise RequestError("Columns that put answers together need the question that they are of.")
    return rule


def _own_point(question: Question, label: str, rule: str | tuple[str, ...]) -> Point:
    names = (rule,) if isinstance(rule, str) else rule
    codes = tuple(_answer_of(question, name).code for name in names)
    return Point(label, question.name, written(label), rule=codes)


def check_only(group: BannerGroup, codebook: Codebook) -> None:
    """Check the expression that narrows a group. Raises ExpressionError."""
    if group.only is not None:
        check_expression(parse(group.only), codebook.questions)


def _check_kind(question: Question) -> None:
    if not question.is_of.of_answers:
        raise RequestError(
            f"{question.name} is of kind {question.kind} and cannot be a banner; "
            "cut a number into bands in the codebook and use these."
        )


def parts_kept(group: BannerGroup, question: Question) -> tuple[Answer | Net, ...]:
    """List the answers and nets that make the columns of a group. Raises UnknownName, RequestError."""
    if group.keep is None:
        return question.valid
    nets = {name.casefold(): net for net in question.nets for name in names_of(net.label)}
    kept: list[Answer | Net] = []
    for name in group.keep:
        net = nets.get(name.casefold())
        part: Answer | Net = (
            _answer_of(question, name) if net is None or question.find(canonical(name)) else net
        )
        if part in kept:
            raise RequestError(f"{part.label!r} of {question.name} appears twice among the answers to keep.")
        kept.append(part)
    return tuple(kept)


def _answer_of(question: Question, name: str) -> Answer:
    answer = question.find(canonical(name))
    if answer is None or answer.missing:
        known = [answer.label for answer in question.valid] + [net.label for net in question.nets]
        raise UnknownName("answer", name, known, question.name)
    return answer


def by_codes(group: BannerGroup, responses: Responses, rows: BoolArray) -> ColumnGroup | None:
    """Take a group straight from the codes of a single question, where it is no more than answers."""
    if not group.question or group.columns or group.only is not None or group.rolling is not None:
        return None
    question = responses.codebook.question(group.question)
    answers = responses.answers(group.question)
    points = points_of(group, responses.codebook)
    if not isinstance(answers, SingleAnswers) or any(point.net is not None for point in points):
        return None
    positions = [question.by_code[point.code] for point in points]
    column_of_code = np.full(answers.size, len(positions))
    column_of_code[positions] = np.arange(len(positions))
    codes = answers.codes if rows.all() else answers.codes[rows]
    cell = column_of_code.astype(smallest_unsigned(len(positions)))[codes]
    return ColumnGroup(cell, np.eye(len(positions), len(positions) + 1, dtype=np.bool_))


def memberships(group: BannerGroup, responses: Responses, rows: BoolArray) -> BoolArray:
    """Return who is in the columns of a group that is no nesting: (columns, chosen)."""
    points = points_of(group, responses.codebook)
    inside = np.array([_in_point(point, responses)[rows] for point in points])
    if group.only is not None:
        inside &= responses.chosen_by(group.only)[rows]
    return inside


def _in_point(point: Point, responses: Responses) -> BoolArray:
    if isinstance(point.rule, str):
        return responses.chosen_by(point.rule)
    question, answers = responses.codebook.question(point.question), responses.answers(point.question)
    if point.net is not None:
        return who_counts_in(question, answers, point.net)
    codes = point.rule if point.rule is not None else (point.code,)
    return _gave_any(question, answers, codes)


def _gave_any(question: Question, answers: Answers, codes: Sequence[str]) -> BoolArray:
    return who_counts_in(question, answers, Net(label="", of=tuple(codes)))
