"""The rows of a table that are shown, and their order."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, assert_never

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Answer, Question
from eager_otter.core.arrays import FloatArray
from eager_otter.counting.rows import Row
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError, UnknownName
from eager_otter.figures.registry import summary_figures
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import said
from eager_otter.tables.request import RowRules, Sorting, TableRequest

ALL_ROWS = RowRules()
RULES_OF_ANSWERS = ("sort", "hide", "leave_out", "most", "above", "drop_empty", "headings")
NO_ANSWER = said("No answer")


@dataclass(frozen=True, slots=True)
class _Block:
    """A row with the rows indented under it."""

    row: Row
    inside: tuple[_Block, ...]


def without_left_out(question: Question, names: Sequence[str]) -> Question:
    """Return the question as a table sees it that leaves answers out of its base: these are no answers there.

    Raises UnknownName, and RequestError for a multiple-response question, where it would not be clear who is left.
    """
    if not names:
        return question
    if not question.is_of.of_one_answer:
        raise RequestError(
            f"{question.name} is of kind {question.kind}; only answers of single questions can be left out of the "
            "base. Hide them, or set a base."
        )
    out = {answer.code for answer in answers_named(question, names)}
    answers = tuple(replace(a, missing=True) if a.code in out else a for a in question.answers)
    nets = (replace(net, of=tuple(code for code in net.of if code not in out)) for net in question.nets)
    differences = (
        replace(
            d, plus=tuple(c for c in d.plus if c not in out), minus=tuple(c for c in d.minus if c not in out)
        )
        for d in question.differences
    )
    return replace(
        question, answers=answers, nets=tuple(net for net in nets if net.of), differences=tuple(differences)
    )


def answers_named(question: Question, names: Sequence[str]) -> list[Answer]:
    """Find answers by code or label. Raises UnknownName."""
    answers = []
    for name in names:
        answer = question.find(canonical(name))
        if answer is None:
            raise UnknownName("answer", name, [answer.label for answer in question.answers], question.name)
        answers.append(answer)
    return answers


def chosen_rows(
    rows: Sequence[Row],
    question: Question,
    rules: RowRules,
    percents: FloatArray,
    column: Callable[[str], int],
) -> tuple[Row, ...]:
    """Choose and order rows; `percents` (rows by source, columns) are column percents, `column` finds one by name.

    Nets below the answers keep their place under them.
    """
    if rules == ALL_ROWS:
        return tuple(rows)
    hidden = {answer.code for name in rules.hide if (answer := question.find(canonical(name))) is not None}
    names = {name.casefold() for name in rules.hide}
    blocks = _blocks([row for row in rows if not _is_hidden(row, hidden, names)])
    if rules.drop_empty or rules.above is not None:
        blocks = _kept(blocks, rules, percents[:, 0])
    if rules.sort is not None:
        blocks = _sorted(blocks, _key(rules.sort, percents, column), up=rules.sort.up)
    if rules.most is not None:
        blocks = _first(blocks, rules.most)
    return tuple(row for block in blocks for row in _flat(block))


def _is_hidden(row: Row, codes: set[str], names: set[str]) -> bool:
    """Return whether an answer is out of view: by its code or, where it is none, by what its row is called."""
    if row.no_answer:
        return NO_ANSWER.casefold() in names or row.label.casefold() in names
    return row.kind == "answer" and row.code in codes


def says_no_answer_row(name: str) -> bool:
    """Return whether a name means a row of those who gave no answer, one for all or one of a reason."""
    return name.casefold().startswith(NO_ANSWER.casefold())


def check_rows(request: TableRequest, questions: Sequence[Question]) -> None:
    """Refuse rules for rows that would do nothing, or name an answer that none of the questions has.

    Raises UnknownName, RequestError.
    """
    rules = request.rows
    if all(question.is_of.of_values for question in questions):
        named = [name for name in RULES_OF_ANSWERS if getattr(rules, name) != getattr(ALL_ROWS, name)]
        if named:
            raise RequestError(
                f"{questions[0].name} is a number and has no answers, so rules for rows ({', '.join(named)}) would do "
                "nothing."
            )
    where = ", ".join(question.name for question in questions[:3])
    for name in rules.hide:
        known = [answer.label for question in questions for answer in question.valid]
        there = any(question.find(canonical(name)) is not None for question in questions)
        if not there and not (request.base == "all" and says_no_answer_row(name)):
            raise UnknownName("answer", name, known, where)
    for name, what in ((name, "untested") for name in rules.untested):
        _check_row(request, questions, name, f"row ({what})", where)
    for name, _ in rules.headings:
        _check_row(request, questions, name, "answer (headings)", where)


def _check_row(
    request: TableRequest, questions: Sequence[Question], name: str, kind: str, where: str
) -> None:
    if request.shows.within or (request.base == "all" and says_no_answer_row(name)):
        return
    known: list[str] = [one.name for one in summary_figures()]
    for question in questions:
        known += question.row_names()
    lower = {one.casefold() for one in known} | {a.code for question in questions for a in question.valid}
    if name.casefold() not in lower and name not in lower:
        raise UnknownName(kind, name, known, where)


def _blocks(rows: Sequence[Row]) -> tuple[_Block, ...]:
    blocks: list[_Block] = []
    k = 0
    while k < len(rows):
        stop = k + 1
        while stop < len(rows) and rows[stop].indent > rows[k].indent:
            stop += 1
        blocks.append(_Block(rows[k], _blocks(rows[k + 1 : stop])))
        k = stop
    return tuple(blocks)


def _flat(block: _Block) -> list[Row]:
    return [block.row, *(row for inner in block.inside for row in _flat(inner))]


def _kept(blocks: tuple[_Block, ...], rules: RowRules, total: FloatArray) -> tuple[_Block, ...]:
    def stays(block: _Block) -> bool:
        if block.row.kind != "answer":
            return True
        percent = total[block.row.source]
        return not (rules.drop_empty and percent == 0) and (rules.above is None or percent > rules.above)

    return tuple(_Block(block.row, _kept(block.inside, rules, total)) for block in blocks if stays(block))


def _key(sort: Sorting, percents: FloatArray, column: Callable[[str], int]) -> Callable[[Row], Any]:
    match sort.by:
        case "label":
            return lambda row: row.label.casefold()
        case "code":
            return lambda row: (number_of(row.code) is None, number_of(row.code) or 0.0, row.code)
        case "figure":
            place = column(sort.column)
            return lambda row: float(percents[row.source, place])
        case _:
            assert_never(sort.by)


def _sorted(blocks: tuple[_Block, ...], key: Callable[[Row], Any], *, up: bool) -> tuple[_Block, ...]:
    """Sort blocks; nets without members and rows that stay last keep the end, in their old order."""
    inside = [_Block(block.row, _sorted(block.inside, key, up=up)) for block in blocks]
    ends = [block for block in inside if block.row.last or (block.row.kind == "net" and not block.inside)]
    moving = [block for block in inside if block not in ends]
    return (*sorted(moving, key=lambda block: key(block.row), reverse=not up), *ends)


def _first(blocks: tuple[_Block, ...], most: int) -> tuple[_Block, ...]:
    """Keep the first so many answers, wherever they are; nets that lose all their members go with them."""
    left = most

    def kept(several: tuple[_Block, ...]) -> tuple[_Block, ...]:
        nonlocal left
        result = []
        for block in several:
            if block.row.kind == "answer":
                if left > 0:
                    left -= 1
                    result.append(block)
                continue
            inside = kept(block.inside)
            if inside or not block.inside:
                result.append(_Block(block.row, inside))
        return tuple(result)

    return kept(blocks)
