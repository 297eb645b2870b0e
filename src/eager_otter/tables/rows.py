"""The rows of a question: which codes and bits of the encoded answers each row counts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from eager_otter.codebook.model import Net, Question
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.core.tally import CodedRows, ValueRows
from eager_otter.data.answers import BEHIND, Answers, MultiAnswers, NumberAnswers, SingleAnswers
from eager_otter.errors import RequestError
from eager_otter.tables.table import RowKind

Part = CodedRows | ValueRows
BITS = 8


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A row that counts people: an answer or a net. `source` is its place among the counted rows."""

    label: str
    kind: RowKind
    code: str
    indent: int
    source: int


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class RowCounts:
    """What to count for a question: its parts, and per part an indicator (rows, codes).

    The counted rows are the valid answers in the codebook's order, then the nets, then the base, whatever part
    they are in: `order` finds them among the rows of all parts.
    """

    parts: tuple[Part, ...]
    indicators: tuple[FloatArray, ...]
    order: tuple[int, ...]


def rows_of(question: Question) -> tuple[Row, ...]:
    """Lay out the answer and net rows of a question, nets above, below or instead of their members."""
    answers = question.valid
    place = {answer.code: k for k, answer in enumerate(answers)}
    net_place = {net.label: len(answers) + k for k, net in enumerate(question.nets)}

    def answer_row(code: str, indent: int) -> Row:
        answer = answers[place[code]]
        return Row(label=answer.label, kind="answer", code=code, indent=indent, source=place[code])

    def net_row(net: Net) -> Row:
        return Row(label=net.label, kind="net", code="", indent=0, source=net_place[net.label])

    taken: set[str] = set()
    rows: list[Row] = []
    for answer in answers:
        if answer.code in taken:
            continue
        net = _net_here(question.nets, answer.code)
        if net is None:
            rows.append(answer_row(answer.code, 0))
            taken.add(answer.code)
            continue
        members = [code for code in net.of if code not in taken]
        taken.update(members)
        rows.append(net_row(net))
        if net.place == "above":
            rows += [answer_row(code, 1) for code in sorted(members, key=place.__getitem__)]
    placed = {row.source for row in rows}
    rows += [net_row(net) for net in question.nets if net_place[net.label] not in placed]
    return tuple(rows)


def _net_here(nets: Sequence[Net], code: str) -> Net | None:
    """Find the net, above or instead of its members, whose members are shown from this answer on."""
    return next((net for net in nets if net.place != "below" and code in net.of), None)


def row_counts(question: Question, answers: Answers) -> RowCounts:
    """Say what to count for a question. Raises RequestError for open text."""
    match answers:
        case SingleAnswers():
            return _single_counts(question, answers)
        case MultiAnswers():
            return _multi_counts(question, answers)
        case NumberAnswers():
            return RowCounts(parts=(ValueRows(answers.values, _shift(answers)),), indicators=(), order=())
    raise RequestError(f"{question.name} is open text and cannot be tabulated; code it into answers first.")


def _shift(answers: NumberAnswers) -> float:
    """Choose what is taken off before squaring: a whole number amid the values, whatever their order."""
    values = answers.values[~np.isnan(answers.values)]
    return float(np.rint(values.min() / 2 + values.max() / 2)) if values.size else 0.0


def _single_counts(question: Question, answers: SingleAnswers) -> RowCounts:
    positions = [question.by_code[answer.code] for answer in question.valid]
    rows = len(positions) + len(question.nets) + 1
    table = np.zeros((rows, answers.size))
    table[np.arange(len(positions)), positions] = 1.0
    for k, net in enumerate(question.nets, len(positions)):
        table[k, [question.by_code[code] for code in net.of]] = 1.0
    table[-1, positions] = 1.0
    return RowCounts(
        parts=(CodedRows(answers.codes, answers.size),), indicators=(table,), order=tuple(range(rows))
    )


def _multi_counts(question: Question, answers: MultiAnswers) -> RowCounts:
    positions = [question.by_code[answer.code] for answer in question.valid]
    wanted: list[tuple[int, ...]] = [(position,) for position in positions]
    wanted += [tuple(question.by_code[code] for code in net.of) for net in question.nets]
    wanted.append((answers.answers,))  # who answered: the bit after the last answer
    bits = answers.answers + 1
    by_byte: list[list[tuple[int, tuple[int, ...]]]] = [[] for _ in range(len(answers.packed))]
    scattered: list[tuple[int, tuple[int, ...]]] = []  # nets whose members are in several bytes
    for row, members in enumerate(wanted):
        bytes_met = {member // BITS for member in members}
        (by_byte[bytes_met.pop()] if len(bytes_met) == 1 else scattered).append((row, members))
    parts: list[Part] = []
    indicators: list[FloatArray] = []
    order: list[int] = []
    for byte, rows in enumerate(by_byte):
        width = min(BITS, bits - byte * BITS)
        masks = [sum(1 << member % BITS for member in members) for _, members in rows]
        parts.append(CodedRows(answers.packed[byte], 1 << width))
        indicators.append(_any_bit(masks, width))
        order += [row for row, _ in rows]
    for start in range(0, len(scattered), BITS):
        some = scattered[start : start + BITS]
        packed = np.packbits(
            np.array([_ticked_any(answers, members) for _, members in some]), axis=0, bitorder="little"
        )
        parts.append(CodedRows(packed[0], 1 << len(some)))
        indicators.append(_any_bit([1 << bit for bit in range(len(some))], len(some)))
        order += [row for row, _ in some]
    places = np.argsort(np.array(order))
    return RowCounts(parts=tuple(parts), indicators=tuple(indicators), order=tuple(int(k) for k in places))


def _any_bit(masks: Sequence[int], width: int) -> FloatArray:
    codes = np.arange(1 << width)
    return np.asarray(codes[None, :] & np.array(masks, np.int64).reshape(-1, 1) != 0, np.float64)


def _ticked_any(answers: MultiAnswers, members: Sequence[int]) -> BoolArray:
    ticked = answers.tick(members[0])
    for member in members[1:]:
        ticked = ticked | answers.tick(member)
    return ticked


def scores_of(question: Question, answers: SingleAnswers) -> FloatArray | None:
    """Give the score of each code (1, codes) of a scale, NaN where it has none; None for other questions."""
    scores = question.scores()
    if not scores:
        return None
    row = np.full((1, answers.size), np.nan)
    for code, score in scores.items():
        row[0, question.by_code[code]] = score
    return row


def left_out_codes(question: Question, answers: SingleAnswers) -> tuple[list[str], FloatArray]:
    """List what keeps people out of the base of a single question, with an indicator (reasons, codes)."""
    reasons = [(answer.label, k) for k, answer in enumerate(question.answers) if answer.missing]
    behind = ("no answer", "missing code", "code unknown to the codebook")
    reasons += [(behind[k], answers.answers + k) for k in range(BEHIND)]
    table = np.zeros((len(reasons), answers.size))
    for row, (_, code) in enumerate(reasons):
        table[row, code] = 1.0
    return [label for label, _ in reasons], table
