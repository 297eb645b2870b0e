"""From a banner as wanted to its columns, letters and memberships."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.expression import parse
from eager_otter.codebook.meaning import check_expression
from eager_otter.codebook.model import Answer, Codebook, Net, Question
from eager_otter.core.arrays import BoolArray, IntArray, smallest_unsigned
from eager_otter.core.cells import ColumnGroup, group_from_memberships
from eager_otter.data.answers import Answers, SingleAnswers
from eager_otter.data.responses import Responses
from eager_otter.data.selection import who_counts_in
from eager_otter.errors import RequestError, UnknownName
from eager_otter.tables.request import Banner, BannerGroup
from eager_otter.tables.table import Column, Group

TOTAL = "Total"
ALL = "All"
MOST_COLUMNS = 5_000


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class BannerColumns:
    """The columns of a banner, Total first, and the pairs (pairs, 2) that are compared: those of one parent.

    `shown` gives the order in which the columns stand in a table; the Total may be last, or not there.
    """

    columns: tuple[Column, ...]
    groups: tuple[Group, ...]
    pairs: IntArray
    shown: tuple[int, ...]

    @property
    def two_letter_names(self) -> bool:
        """Whether the banner runs past Z."""
        return any(len(column.letter) > 1 for column in self.columns)


@dataclass(frozen=True, slots=True)
class _Point:
    """One column of a simple group, before it is lettered; the code of an answer, or None for other columns."""

    label: str
    question: str
    code: str
    answer: Answer | None = None
    net: Net | None = None
    rule: str | tuple[str, ...] | None = None


def lay_out(banner: Banner, codebook: Codebook) -> BannerColumns:
    """Name and letter the columns of a banner. Raises UnknownName, RequestError, ExpressionError; needs no data."""
    columns = [Column(label=TOTAL)]
    groups: list[Group] = []
    for wanted in banner.groups:
        _check_only(wanted, codebook)
        if wanted.nest:
            _lay_out_nest(wanted, codebook, columns, groups)
        else:
            _add_group(_label_of(wanted, codebook), points_of(wanted, codebook), columns, groups)
        if len(columns) > MOST_COLUMNS:
            raise RequestError(
                f"The banner has more than {MOST_COLUMNS:,} columns; nest or keep fewer answers."
            )
    everything = tuple(range(1, len(columns)))
    shown = {"first": (0, *everything), "last": (*everything, 0), "none": everything}[banner.total]
    if not shown:
        raise RequestError("A banner without groups needs its Total.")
    return BannerColumns(
        columns=tuple(columns), groups=tuple(groups), pairs=_pairs_within(groups, columns), shown=shown
    )


def _lay_out_nest(
    wanted: BannerGroup, codebook: Codebook, columns: list[Column], groups: list[Group]
) -> None:
    """Add a group per combination of the outer levels, with the levels above as heads of their own."""
    levels = [points_of(level, codebook) for level in wanted.nest]
    for level in wanted.nest:
        _check_only(level, codebook)
    size = int(np.prod([len(level) for level in levels]))
    if size > MOST_COLUMNS:
        raise RequestError(
            f"The nesting has {size:,} columns; at most {MOST_COLUMNS:,} fit. Keep fewer answers."
        )
    names = [_label_of(level, codebook) for level in wanted.nest]
    title = wanted.label or " × ".join(names)
    for path in product(*levels[:-1]):
        labels = tuple(point.label for point in path)
        inner: list[_Point] = list(levels[-1])
        if wanted.subtotal:
            inner.insert(0, _Point(ALL, "", ""))
        _add_group(labels[-1], inner, columns, groups, outer=(title, *labels[:-1]))


def _label_of(group: BannerGroup, codebook: Codebook) -> str:
    if group.label is not None or not group.question:
        return group.label or ""
    return codebook.question(group.question).label


def _add_group(
    label: str,
    points: Sequence[_Point],
    columns: list[Column],
    groups: list[Group],
    outer: tuple[str, ...] = (),
) -> None:
    start = len(columns)
    path = Group(label=label, start=start, stop=start, outer=outer).path
    lettered = sum(bool(column.letter) for column in columns)
    for point in points:
        letter = ""
        if point.question or point.rule is not None:
            lettered += 1
            letter = letter_name(lettered)
        columns.append(
            Column(label=point.label, group=path, letter=letter, question=point.question, code=point.code)
        )
    groups.append(Group(label=label, start=start, stop=len(columns), outer=outer))


def points_of(group: BannerGroup, codebook: Codebook) -> tuple[_Point, ...]:
    """List the columns of a group that is no nesting. Raises UnknownName, RequestError, ExpressionError."""
    if group.nest:
        raise RequestError("A nesting holds groups, not nestings.")
    if not group.question:
        if not group.columns:
            raise RequestError("A banner group needs a question, columns of its own or a nesting.")
        for _, rule in group.columns:
            check_expression(parse(_text_of(rule)), codebook.questions)
        return tuple(_Point(label, "", label, rule=_text_of(rule)) for label, rule in group.columns)
    question = codebook.question(group.question)
    _check_kind(question)
    if group.columns:
        return tuple(_own_point(question, label, rule) for label, rule in group.columns)
    return tuple(
        _Point(
            group.labels.get(part.code, part.label) if isinstance(part, Answer) else part.label,
            question.name,
            part.code if isinstance(part, Answer) else part.label,
            answer=part if isinstance(part, Answer) else None,
            net=part if isinstance(part, Net) else None,
        )
        for part in parts_kept(group, question)
    )


def _text_of(rule: str | tuple[str, ...]) -> str:
    if not isinstance(rule, str):
        raise RequestError("Columns that put answers together need the question that they are of.")
    return rule


def _own_point(question: Question, label: str, rule: str | tuple[str, ...]) -> _Point:
    names = (rule,) if isinstance(rule, str) else rule
    codes = tuple(_answer_of(question, name).code for name in names)
    return _Point(label, question.name, label, rule=codes)


def _check_only(group: BannerGroup, codebook: Codebook) -> None:
    if group.only is not None:
        check_expression(parse(group.only), codebook.questions)


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


def _check_kind(question: Question) -> None:
    if question.kind not in ("single", "multi"):
        raise RequestError(
            f"{question.name} is of kind {question.kind} and cannot be a banner; "
            "cut a number into bands in the codebook and use these."
        )


def parts_kept(group: BannerGroup, question: Question) -> tuple[Answer | Net, ...]:
    """List the answers and nets that make the columns of a group. Raises UnknownName, RequestError."""
    if group.keep is None:
        return question.valid
    nets = {net.label.casefold(): net for net in question.nets}
    kept: list[Answer | Net] = []
    for name in group.keep:
        net = nets.get(name.casefold())
        part: Answer | Net = (
            _answer_of(question, name) if net is None or question.find(canonical(name)) else net
        )
        if part in kept:
            raise RequestError(f"{part.label!r} of {question.name} stands twice among the answers to keep.")
        kept.append(part)
    return tuple(kept)


def _answer_of(question: Question, name: str) -> Answer:
    answer = question.find(canonical(name))
    if answer is None or answer.missing:
        known = [answer.label for answer in question.valid] + [net.label for net in question.nets]
        raise UnknownName("answer", name, known, question.name)
    return answer


# --- who is in which column -----------------------------------------------------------------------------


def column_groups(banner: Banner, responses: Responses, rows: BoolArray) -> Iterator[ColumnGroup]:
    """Tell who of the chosen rows (respondents,) is in which column, a group of columns at a time."""
    for wanted in banner.groups:
        if wanted.nest:
            yield group_from_memberships(_nested(wanted, responses, rows))
            continue
        fast = _by_codes(wanted, responses, rows)
        yield group_from_memberships(_memberships(wanted, responses, rows)) if fast is None else fast


def _by_codes(group: BannerGroup, responses: Responses, rows: BoolArray) -> ColumnGroup | None:
    """Take a group straight from the codes of a single question, where it is no more than answers."""
    if not group.question or group.columns or group.only is not None:
        return None
    question = responses.codebook.question(group.question)
    answers = responses.answers(group.question)
    parts = parts_kept(group, question)
    if not isinstance(answers, SingleAnswers) or any(isinstance(part, Net) for part in parts):
        return None
    positions = [question.by_code[part.code] for part in parts if isinstance(part, Answer)]
    column_of_code = np.full(answers.size, len(positions))
    column_of_code[positions] = np.arange(len(positions))
    codes = answers.codes if rows.all() else answers.codes[rows]
    cell = column_of_code.astype(smallest_unsigned(len(positions)))[codes]
    return ColumnGroup(cell, np.eye(len(positions), len(positions) + 1, dtype=np.bool_))


def _memberships(group: BannerGroup, responses: Responses, rows: BoolArray) -> BoolArray:
    """Tell who is in the columns of a group that is no nesting: (columns, chosen)."""
    points = points_of(group, responses.codebook)
    inside = np.array([_in_point(point, responses)[rows] for point in points])
    if group.only is not None:
        inside &= responses.chosen_by(group.only)[rows]
    return inside


def _in_point(point: _Point, responses: Responses) -> BoolArray:
    if isinstance(point.rule, str):
        return responses.chosen_by(point.rule)
    question, answers = responses.codebook.question(point.question), responses.answers(point.question)
    if point.net is not None:
        return who_counts_in(question, answers, point.net)
    codes = point.rule if point.rule is not None else (point.code,)
    return _gave_any(question, answers, codes)


def _gave_any(question: Question, answers: Answers, codes: Sequence[str]) -> BoolArray:
    return who_counts_in(question, answers, Net(label="", of=tuple(codes)))


def _nested(group: BannerGroup, responses: Responses, rows: BoolArray) -> BoolArray:
    levels = [_memberships(level, responses, rows) for level in group.nest]
    columns: list[BoolArray] = []
    for path in product(*(range(len(level)) for level in levels[:-1])):
        outer = np.ones(int(rows.sum()), np.bool_)
        for place, level in zip(path, levels[:-1], strict=True):
            outer = outer & level[place]
        if group.subtotal:
            columns.append(outer)
        columns += [outer & inner for inner in levels[-1]]
    inside = np.array(columns)
    return inside & responses.chosen_by(group.only)[rows] if group.only is not None else inside


def _pairs_within(groups: Sequence[Group], columns: Sequence[Column]) -> IntArray:
    """Pair the lettered columns of each group; a subtotal carries no letter and is not compared."""
    blocks = []
    for group in groups:
        tested = np.array([k for k in range(group.start, group.stop) if columns[k].letter], np.int64)
        first, second = np.triu_indices(tested.size, 1)
        blocks.append(np.stack([tested[first], tested[second]], axis=1))
    return np.concatenate([np.zeros((0, 2), np.int64), *blocks]).astype(np.int64)
