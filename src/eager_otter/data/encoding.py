"""From columns of responses to encoded answers, question by question."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from datetime import date, datetime
from typing import Any

import numpy as np

from eager_otter.codebook.bands import Band
from eager_otter.codebook.codes import as_number, canonical
from eager_otter.codebook.model import (
    DateColumn,
    JoinedColumn,
    MentionColumns,
    Question,
    RankAmong,
    TickColumns,
)
from eager_otter.codebook.periods import day_number
from eager_otter.core.arrays import BoolArray, FloatArray, smallest_unsigned
from eager_otter.data.answers import (
    BLANK,
    MISSING,
    UNKNOWN,
    MultiAnswers,
    NumberAnswers,
    SingleAnswers,
    TextAnswers,
    pack,
)
from eager_otter.data.columns import Distinct, Located, distinct, numbers
from eager_otter.errors import DataError, nearest

Columns = Mapping[str, Any]  # column name → Arrow column


def encode_single(question: Question, columns: Columns) -> SingleAnswers:
    """Encode a question with one answer per respondent.

    Raises DataError when all codes of the codebook are numbers and a value is neither a number nor a label.
    """
    (name,) = question.columns
    parts = distinct(columns[name])
    place = _places(question)
    behind = len(question.answers)
    unknown: Counter[str] = Counter()
    codes = parts.translated(_translator(place, behind), behind + UNKNOWN)
    _count_unknown(parts, place, unknown)
    _refuse_stray_text(question, name, parts, unknown)
    return SingleAnswers(codes, behind, dict(unknown))


def encode_multi(question: Question, columns: Columns) -> MultiAnswers:
    """Encode a multiple-response question, whatever the layout of its columns."""
    match question.source:
        case TickColumns():
            return _from_ticks(question, question.source, columns)
        case MentionColumns(names):
            return _from_mentions(question, names, columns)
        case JoinedColumn(name, by):
            return _from_joined(question, name, by, columns)
    raise ValueError(f"{question.name} is no multiple-response question read from columns.")


def encode_number(question: Question, columns: Columns) -> NumberAnswers:
    """Encode a number. Raises DataError naming the rows of values that are none."""
    (name,) = question.columns
    values, missing = numbers(columns[name], frozenset(question.missing), name)
    return NumberAnswers(values, missing if missing.any() else None)


def encode_text(question: Question, columns: Columns) -> TextAnswers:
    """Read a text question as it stands."""
    (name,) = question.columns
    column = columns[name]
    texts = (column.column if isinstance(column, Located) else column).to_pylist()
    return TextAnswers(np.array(["" if text is None else str(text) for text in texts], object))


def encode_date(question: Question, columns: Columns) -> NumberAnswers:
    """Encode a date as days since 1970. Raises DataError naming the rows of values that are no dates."""
    assert isinstance(question.source, DateColumn)
    name, pattern = question.source.column, question.source.pattern
    parts = distinct(columns[name])
    days = np.full(len(parts.texts), np.nan)
    wrong: set[str] = set()
    for k, text in enumerate(parts.texts):
        if text and text not in question.missing:
            day = _day(text, pattern)
            if day is None:
                wrong.add(text)
            else:
                days[k] = day
    rows = parts.rows_with(wrong)
    if rows.size:
        shape = f"dates of the form {pattern}" if pattern else "dates such as 2026-03-31"
        raise DataError(
            f"Column {name!r} should hold {shape}; found {parts.named_rows(rows)}. "
            "Say how they are written with 'format' in the codebook (%d.%m.%Y), or list them under 'missing'."
        )
    missing = parts.which(question.missing.__contains__)
    return NumberAnswers(days[parts.index], missing if missing.any() else None)


def _day(text: str, pattern: str | None) -> int | None:
    try:
        if pattern is not None:
            return day_number(datetime.strptime(text, pattern).date())
        return day_number(date.fromisoformat(text[:10] if text[10:11] in ("T", " ") else text))
    except ValueError:
        return None


def encode_rank(question: Question, columns: Columns) -> NumberAnswers:
    """Give the rank of an answer: 1 where the first column holds its code … NaN where none does."""
    assert isinstance(question.source, RankAmong)
    code = question.source.code
    ranks: FloatArray | None = None
    for rank, name in enumerate(question.source.columns, 1):
        held = distinct(columns[name]).which(lambda text: text == code)
        if ranks is None:
            ranks = np.full(held.size, np.nan)
        ranks[held & np.isnan(ranks)] = rank
    assert ranks is not None
    return NumberAnswers(ranks)


def encode_bands(bands: Sequence[Band], values: FloatArray) -> SingleAnswers:
    """Put a number (respondents,) into bands; a value in none counts as unknown, by value."""
    behind = len(bands)
    codes = np.full(values.size, behind + UNKNOWN, smallest_unsigned(behind + UNKNOWN))
    codes[np.isnan(values)] = behind + BLANK
    for k, band in enumerate(bands):
        inside = values >= band.low
        if band.high is not None:
            inside &= (values <= band.high) if band.closed else (values < band.high)
        codes[inside] = k
    stray, counts = np.unique(values[codes == behind + UNKNOWN], return_counts=True)
    unknown = {format(value, ".15g"): int(count) for value, count in zip(stray, counts, strict=True)}
    return SingleAnswers(codes, behind, unknown)


def encode_rules(rules: Sequence[BoolArray], respondents: int) -> SingleAnswers:
    """Give each respondent the first rule that holds; `rules` (respondents,) each, in the order of the answers."""
    behind = len(rules)
    codes = np.full(respondents, behind + BLANK, smallest_unsigned(behind + UNKNOWN))
    for k in range(behind - 1, -1, -1):
        codes[rules[k]] = k
    return SingleAnswers(codes, behind)


def _places(question: Question) -> dict[str, int]:
    """Map every text that may stand for an answer to its position: labels, then missing codes, then codes."""
    behind = len(question.answers)
    place = {canonical(answer.label): k for k, answer in enumerate(question.answers)}
    place |= dict.fromkeys(question.missing, behind + MISSING)
    place |= {answer.code: k for k, answer in enumerate(question.answers)}
    return place


def _count_unknown(parts: Distinct, place: Mapping[str, int], unknown: Counter[str]) -> None:
    strange = np.array([bool(text) and text not in place for text in parts.texts], np.bool_)
    _count_texts(parts, strange, unknown)


def _refuse_stray_text(question: Question, name: str, parts: Distinct, unknown: Mapping[str, int]) -> None:
    """Refuse words where every code is a number: such a column is not what the codebook takes it for."""
    stray = [text for text in unknown if as_number(text) is None]
    if not stray or any(as_number(answer.code) is None for answer in question.answers):
        return
    rows = parts.rows_with(stray)
    labels = [answer.label for answer in question.answers]
    raise DataError(
        f"Column {name!r} should hold the codes or labels of {question.name}; found {parts.named_rows(rows)}."
        f"{nearest(stray[0], labels)} Correct the data, or add the answer to the codebook."
    )


def _from_ticks(question: Question, source: TickColumns, columns: Columns) -> MultiAnswers:
    ticks: list[BoolArray] = []
    answered: BoolArray = np.zeros(len(columns[source.columns[0][1]]), np.bool_)
    unknown: Counter[str] = Counter()
    ticked = set(source.ticked)
    readable = None if source.unticked is None else ticked | set(source.unticked)
    missing = set(question.missing) - ticked
    for (code, name), answer in zip(source.columns, question.answers, strict=True):
        parts = distinct(columns[name])
        yes = np.array(
            [text in ticked or (text in (code, answer.label) and _is_word(text)) for text in parts.texts]
        )
        given = np.array([bool(text) and text not in missing for text in parts.texts])
        if readable is not None:
            strange = given & ~yes & np.array([text not in readable for text in parts.texts])
            _count_texts(parts, strange, unknown)
        ticks.append((yes & given)[parts.index] & (not answer.missing))
        answered |= given[parts.index]
    return MultiAnswers(pack(np.array(ticks), answered), len(ticks), dict(unknown))


def _is_word(text: str) -> bool:
    """Tell whether a tick column's own label stands for a tick: exports of labels hold it, a number never does."""
    return as_number(text) is None


def _count_texts(parts: Distinct, chosen: BoolArray, unknown: Counter[str]) -> None:
    if chosen.any():
        counts = parts.counts()
        unknown.update({parts.texts[k]: int(counts[k]) for k in np.flatnonzero(chosen) if counts[k]})


def _from_mentions(question: Question, names: Sequence[str], columns: Columns) -> MultiAnswers:
    place = _places(question)
    behind = len(question.answers)
    unknown: Counter[str] = Counter()
    ticks: BoolArray | None = None
    for name in names:
        parts = distinct(columns[name])
        codes = parts.translated(_translator(place, behind), behind + UNKNOWN)
        _count_unknown(parts, place, unknown)
        if ticks is None:
            ticks = np.zeros((behind + UNKNOWN + 1, codes.size), np.bool_)
        ticks[codes, np.arange(codes.size)] = True
    assert ticks is not None
    return _answered_if_any(question, ticks[:behind], unknown)


def _translator(place: Mapping[str, int], behind: int) -> Callable[[str], int]:
    return lambda text: place.get(text, behind + UNKNOWN if text else behind + BLANK)


def _from_joined(question: Question, name: str, by: str, columns: Columns) -> MultiAnswers:
    place = _places(question)
    behind = len(question.answers)
    parts = distinct(columns[name])
    counts = parts.counts()
    unknown: Counter[str] = Counter()
    patterns = np.zeros((behind, len(parts.texts)), np.bool_)
    for k, text in enumerate(parts.texts):
        for mention in {canonical(piece) for piece in text.split(by)} - {""}:
            position = place.get(mention, behind + UNKNOWN)
            if position < behind:
                patterns[position, k] = True
            elif position == behind + UNKNOWN and counts[k]:
                unknown[mention] += int(counts[k])
    return _answered_if_any(question, patterns[:, parts.index], unknown)


def _answered_if_any(question: Question, ticks: BoolArray, unknown: Mapping[str, int]) -> MultiAnswers:
    """Pack mentions; whoever gave at least one valid one answered."""
    for k, answer in enumerate(question.answers):
        if answer.missing:
            ticks[k] = False
    return MultiAnswers(pack(ticks, np.logical_or.reduce(ticks)), len(question.answers), dict(unknown))
