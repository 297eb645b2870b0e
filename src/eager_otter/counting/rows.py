"""The rows of a question: which codes and bits of the encoded answers each row counts."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.codebook.model import Difference, Net, Question
from eager_otter.core.arrays import FloatArray, packed_bits
from eager_otter.core.tally import CodedRows, CodeRows, Rows, ValueRows
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers
from eager_otter.data.selection import hits_of, in_net, who_counts_in
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.tables.table import RowKind

BITS = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A row that counts people: an answer or a net. `source` is its place among the counted rows.

    `fixed` is the English word that the label says, where it is one of ours ("No answer"); `no_answer` tells the rows
    of those who gave none.
    """

    label: str
    kind: RowKind
    code: str
    indent: int
    source: int
    mention: bool = True
    last: bool = False
    fixed: str = ""
    no_answer: bool = False


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class RowCounts:
    """The counts needed for a question: its parts, and per part what its rows are.

    The counted rows are the valid answers in the codebook's order, then the nets, then the base, whatever part
    they are in: `order` finds them among the rows of all parts.
    """

    parts: tuple[Rows, ...]
    indicators: tuple[CodeRows, ...]
    order: tuple[int, ...]


def rows_of(question: Question) -> tuple[Row, ...]:
    """Lay out the answer and net rows of a question, nets above, below or instead of their members."""
    return _Layout(question).rows()


class _Layout:
    """Places the rows of a question; nets inside nets are indented under them."""

    def __init__(self, question: Question) -> None:
        self.answers = question.valid
        self.nets = {net.label: net for net in question.nets}
        self.place = {answer.code: k for k, answer in enumerate(self.answers)}
        self.net_place = {label: len(self.answers) + k for k, label in enumerate(self.nets)}
        inner = {label for net in question.nets for label in net.inside if net.place != "below"}
        self.outer = [net for net in question.nets if net.place != "below" and net.label not in inner]
        self.taken: set[str] = set()
        self.placed: set[str] = set()

    def rows(self) -> tuple[Row, ...]:
        result: list[Row] = []
        for answer in self.answers:
            if answer.code in self.taken:
                continue
            net = next((net for net in self.outer if answer.code in net.of), None)
            result += [self._answer(answer.code, 0)] if net is None else self._net(net, 0)
        return (
            *result,
            *(self._net_row(net, 0) for net in self.nets.values() if net.label not in self.placed),
        )

    def _answer(self, code: str, indent: int) -> Row:
        self.taken.add(code)
        answer = self.answers[self.place[code]]
        return Row(
            label=answer.label,
            kind="answer",
            code=code,
            indent=indent,
            source=self.place[code],
            mention=not answer.exclusive,
            last=answer.stays_last,
        )

    def _net_row(self, net: Net, indent: int) -> Row:
        self.placed.add(net.label)
        place = self.net_place[net.label]
        return Row(label=net.label, kind="net", code="", indent=indent, source=place, mention=False)

    def _net(self, net: Net, indent: int) -> list[Row]:
        rows = [self._net_row(net, indent)]
        if net.place == "instead":
            self.taken.update(net.of)
            return rows
        for code in sorted((code for code in net.of if code not in self.taken), key=self.place.__getitem__):
            if code in self.taken:  # by a net inside this one, just placed
                continue
            inner = next((self.nets[label] for label in net.inside if code in self.nets[label].of), None)
            rows += [self._answer(code, indent + 1)] if inner is None else self._net(inner, indent + 1)
        return rows


def row_counts(question: Question, answers: Answers, *, everyone: bool = False) -> RowCounts:
    """Say what to count for a question. Raises RequestError for open text.

    With `everyone`, a row for no answer follows the nets, and all are in the base.
    """
    match answers:
        case SingleAnswers():
            counts = _single_counts(question, answers)
            return _with_everyone(counts) if everyone else counts
        case MultiAnswers():
            counts = _multi_counts(question, answers)
            return _with_everyone(counts) if everyone else counts
        case NumberAnswers() if question.is_of.of_values:
            return RowCounts(parts=(ValueRows(answers.values),), indicators=(), order=())
    raise RequestError(f"{question.name} {question.is_of.not_tabulated}.")


def _with_everyone(counts: RowCounts) -> RowCounts:
    """Put the row of those without an answer before the base, and everyone into the base."""
    part = np.searchsorted(
        np.cumsum([len(rows) for rows in counts.indicators]), counts.order[-1], side="right"
    )
    before = sum(len(rows) for rows in counts.indicators[:part])
    rows = list(counts.indicators)
    table, single = rows[part].table, rows[part].codes
    base = table[counts.order[-1] - before - len(single)]
    rows[part] = CodeRows(single, np.vstack([table, 1.0 - base, np.ones_like(base)]))
    end = before + len(counts.indicators[part])
    order = [place if place < end else place + 2 for place in counts.order[:-1]]
    return RowCounts(parts=counts.parts, indicators=tuple(rows), order=(*order, end, end + 1))


def _single_counts(question: Question, answers: SingleAnswers) -> RowCounts:
    positions = [question.by_code[answer.code] for answer in question.valid]
    table = np.zeros((len(question.nets) + 1, answers.size))
    for k, net in enumerate(question.nets):
        hits = np.zeros(answers.size, np.int64)
        hits[[question.by_code[code] for code in net.of]] = 1
        table[k, positions] = in_net(net, hits)[positions]
    table[-1, positions] = 1.0
    rows = CodeRows(np.array(positions, np.int64), table)
    return RowCounts(
        parts=(CodedRows(answers.codes, answers.size),), indicators=(rows,), order=tuple(range(len(rows)))
    )


def _multi_counts(question: Question, answers: MultiAnswers) -> RowCounts:
    positions = [question.by_code[answer.code] for answer in question.valid]
    bits: list[tuple[int, tuple[int, ...]]] = [(row, (position,)) for row, position in enumerate(positions)]
    scattered: list[tuple[int, Net]] = []  # nets that one byte cannot tell
    for row, net in enumerate(question.nets, len(positions)):
        members = tuple(question.by_code[code] for code in net.of)
        if net.how == "any" and len({member // BITS for member in members}) == 1:
            bits.append((row, members))
        else:
            scattered.append((row, net))
    bits.append((len(positions) + len(question.nets), (answers.answers,)))  # the bit after the last answer
    parts: list[Rows] = []
    indicators: list[CodeRows] = []
    order: list[int] = []
    for byte in range(len(answers.packed)):
        rows = [(row, members) for row, members in bits if members[0] // BITS == byte]
        width = min(BITS, answers.answers + 1 - byte * BITS)
        masks = [sum(1 << member % BITS for member in members) for _, members in rows]
        parts.append(CodedRows(answers.packed[byte], 1 << width))
        indicators.append(_any_bit(masks, width))
        order += [row for row, _ in rows]
    for start in range(0, len(scattered), BITS):
        piece = scattered[start : start + BITS]
        inside = np.array([who_counts_in(question, answers, net) for _, net in piece])
        parts.append(CodedRows(packed_bits(inside)[0], 1 << len(piece)))
        indicators.append(_any_bit([1 << bit for bit in range(len(piece))], len(piece)))
        order += [row for row, _ in piece]
    places = np.argsort(np.array(order))
    return RowCounts(parts=tuple(parts), indicators=tuple(indicators), order=tuple(int(k) for k in places))


def _any_bit(masks: Sequence[int], width: int) -> CodeRows:
    codes = np.arange(1 << width)
    table = np.asarray(codes[None, :] & np.array(masks, np.int64).reshape(-1, 1) != 0, np.float64)
    return CodeRows(np.zeros(0, np.int64), table)


def difference_parts(
    question: Question, answers: Answers, *, everyone: bool = False
) -> list[tuple[Difference, FloatArray | ValueRows]]:
    """Say how to count the difference rows of a question: scores +100, 0 and −100.

    A single question's are scores (codes,) of its own codes; of a multiple response each is a part of values. Answers
    of a scale that have no score are on no side, nor between. With `everyone`, those without an answer score 0.
    """
    parts: list[tuple[Difference, FloatArray | ValueRows]] = []
    for difference in question.differences:
        if isinstance(answers, SingleAnswers):
            scores = np.full(answers.size, 0.0 if everyone else np.nan)
            for answer in question.valid:
                scores[question.by_code[answer.code]] = 0.0 if answer.scored else np.nan
            scores[[question.by_code[code] for code in difference.plus]] = 100.0
            scores[[question.by_code[code] for code in difference.minus]] = -100.0
            parts.append((difference, scores))
        elif isinstance(answers, MultiAnswers):
            plus = hits_of(question, answers, difference.plus) > 0
            minus = hits_of(question, answers, difference.minus) > 0
            values = np.where(answers.answered | everyone, 100.0 * plus - 100.0 * minus, np.nan)
            parts.append((difference, ValueRows(values)))
    return parts
