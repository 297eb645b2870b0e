"""From columns of responses to encoded answers, question by question."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from datetime import date
from typing import Any

import numpy as np

from eager_otter.codebook.bands import Band
from eager_otter.codebook.codes import canonical
from eager_otter.codebook.missing import Missing
from eager_otter.codebook.model import (
    CodeColumn,
    DateColumn,
    JoinedColumn,
    MentionColumns,
    NumberColumn,
    Question,
    RankAmong,
    TickColumns,
)
from eager_otter.codebook.periods import day_number, day_written
from eager_otter.core.arrays import (
    BoolArray,
    CodeArray,
    FloatArray,
    IntArray,
    bit,
    chosen_by,
    renumbered,
    smallest_unsigned,
)
from eager_otter.data.answers import MultiAnswers, NumberAnswers, SingleAnswers, TextAnswers, pack
from eager_otter.data.columns import (
    SHOWN,
    Distinct,
    Located,
    as_it_stands,
    as_minutes,
    distinct,
    numbers,
    pointed,
    with_decimal,
    without_missing,
    without_thousands,
    without_units,
)
from eager_otter.data.lists import IN_BRACKETS, entries
from eager_otter.data.reasons import BLANK, NO_BAND, UNKNOWN, Reason, Reasons
from eager_otter.errors import DataError, nearest
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import first_of

Columns = Mapping[str, Any]  # column name → Arrow column
MANY_TEXTS = 4  # that are no answers, and may be people's own words


def encode_single(question: Question, columns: Columns) -> SingleAnswers:
    """Encode a question with one answer per respondent.

    Raises DataError when all codes of the codebook are numbers and a value is neither a number nor a label.
    """
    (name,) = question.columns
    parts = distinct(columns[name])
    places = _Places(question)
    unknown: Counter[str] = Counter()
    codes = parts.translated(places.of, places.largest)
    places.count_unknown(parts, unknown)
    _refuse_lost_zeros(question, (name,), unknown)
    _refuse_stray_text(question, name, parts, unknown)
    return SingleAnswers(codes, len(question.answers), places.reasons, dict(unknown))


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
    column = columns[name]
    source = question.source
    if isinstance(source, NumberColumn):
        if source.decimal:
            column = with_decimal(column, source.decimal)
        if source.time is not None:
            column = as_minutes(column, source.time, question.missing.codes)
        if source.units:
            column = without_units(column, source.units, question.missing.codes)
    if isinstance(source, CodeColumn | NumberColumn) and source.thousands:
        column = without_thousands(column, source.thousands)
    values, which = numbers(column, question.missing, name)
    return NumberAnswers(values, _reasons_of_numbers(question, values, which))


def _reasons_of_numbers(question: Question, values: FloatArray, which: CodeArray | None) -> Reasons | None:
    """Say why there is no value: `which` of the missing entries, else blank; None where all left it blank."""
    if which is None:
        return None
    names = question.missing.names
    codes = which.astype(smallest_unsigned(len(names) + 1))
    codes[np.isnan(values) & (which == 0)] = len(names) + 1
    return Reasons(codes, (*(Reason("missing", name) for name in names), BLANK))


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
    missing = question.missing
    for k, text in enumerate(parts.texts):
        if text and text not in missing.codes:
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
    without, spanned = without_missing(days, Missing(spans=missing.spans))
    which = np.zeros(days.size, smallest_unsigned(len(missing.names)))
    which += (
        0 if spanned is None else np.where(spanned > 0, spanned + len(missing.codes), 0).astype(which.dtype)
    )
    for k, text in enumerate(parts.texts):
        if text in missing.codes:
            which[k] = missing.codes.index(text) + 1
    values = without[parts.index]
    return NumberAnswers(
        values, _reasons_of_numbers(question, values, which[parts.index] if which.any() else None)
    )


def _day(text: str, pattern: str | None) -> int | None:
    if pattern is not None:
        day = day_written(text, pattern)
        return None if day is None else day_number(day)
    try:
        return day_number(date.fromisoformat(text[:10] if text[10:11] in ("T", " ") else text))
    except ValueError:
        return None


def encode_rank(question: Question, columns: Columns) -> NumberAnswers:
    """Return the rank of an answer: 1 where the first column holds its code … NaN where none does."""
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


def encode_bands(bands: Sequence[Band], values: FloatArray, absent: Reasons) -> SingleAnswers:
    """Put a number (respondents,) into bands; a value in none is counted, by value.

    `absent` says why the number is not there where it is not.
    """
    behind = len(bands)
    reasons = (*absent.known, NO_BAND)
    codes = placed_behind(behind, absent)
    stray_code = behind + len(absent.known)
    codes[absent.codes == 0] = stray_code
    for k, band in enumerate(bands):
        inside = values >= band.low
        if band.high is not None:
            inside &= (values <= band.high) if band.closed else (values < band.high)
        codes[inside] = k
    stray, counts = np.unique(values[codes == stray_code], return_counts=True)
    unknown = {format(value, ".15g"): int(count) for value, count in zip(stray, counts, strict=True)}
    return SingleAnswers(codes, behind, reasons, unknown)


def placed_behind(answers: int, absent: Reasons) -> CodeArray:
    """Return the code of the reason of each respondent without an answer, behind so many answers; 0 for others."""
    largest = answers + len(absent.known)
    codes = absent.codes.astype(smallest_unsigned(largest))
    codes[codes > 0] += np.array(answers - 1, codes.dtype)
    return codes


def encode_rules(rules: Sequence[BoolArray], absent: Reasons) -> SingleAnswers:
    """Return the first rule that holds for each respondent; `rules` (respondents,) each, in the order of the answers.

    `absent` says why no rule holds for all others.
    """
    codes = placed_behind(len(rules), absent)
    for k in range(len(rules) - 1, -1, -1):
        codes[rules[k]] = k
    return SingleAnswers(codes, len(rules), absent.known)


class _Places:
    """The place of a text that may be an answer of a question: labels, then missing codes, then codes.

    Behind the answers come the reasons: missing codes without an answer, spans, unknown codes, blanks.
    """

    def __init__(self, question: Question) -> None:
        self.behind = len(question.answers)
        missing = question.missing
        codes = [code for code in missing.codes if code not in question.by_code]
        spans = [span.text for span in missing.spans]
        self.reasons = (*(Reason("missing", name) for name in (*codes, *spans)), UNKNOWN, BLANK)
        self.missing, self.first_span = missing, self.behind + len(codes)
        self.question = question
        labels = Counter(canonical(answer.label) for answer in question.answers)
        self.shared = {label for label, count in labels.items() if count > 1} - set(question.by_code)
        self.known = {canonical(answer.label): k for k, answer in enumerate(question.answers)}
        self.known |= {code: k for k, code in enumerate(codes, self.behind)}
        self.known |= {answer.code: k for k, answer in enumerate(question.answers)}
        self.own_words = next((k for k, answer in enumerate(question.answers) if answer.write_in), None)
        self.unknown, self.blank = self.largest - 1, self.largest

    @property
    def largest(self) -> int:
        """The last code there is: that of blanks."""
        return self.behind + len(self.reasons) - 1

    def of(self, text: str) -> int:
        """Find the code of a text in its one written form. Raises DataError for a label that several answers have."""
        if not text:
            return self.blank
        if text in self.shared and text not in self.missing.codes:
            codes = [answer.code for answer in self.question.answers if canonical(answer.label) == text]
            raise DataError(
                f"The data of {self.question.name} hold {text!r}, which several answers are called: "
                f"{first_of(codes, SHOWN)}. Give them labels of their own in the codebook, or export codes."
            )
        place = self.known.get(text)
        if place is None and self.missing.spans:
            span = self.missing.span_of(number_of(text))
            place = None if span is None else self.first_span + span
        if place is None and self.own_words is not None and number_of(text) is None:
            return self.own_words
        return self.unknown if place is None else place

    def count_unknown(self, parts: Distinct, unknown: Counter[str]) -> None:
        """Count the texts of a column that are not known."""
        strange = np.array([self.of(text) == self.unknown for text in parts.texts], np.bool_)
        _count_texts(parts, strange, unknown)


def _reasons_by_column(
    question: Question, places: _Places, coded: Sequence[CodeArray], answered: BoolArray
) -> Reasons | None:
    """Say why those gave no answer who gave none in any column: the reason that goes first.

    `coded` (respondents,) per column are codes of `places`. None where all of them left everything blank.
    """
    if answered.all():
        return None
    known = tuple(
        sorted(
            dict.fromkeys(
                (*(Reason("missing", a.label) for a in question.answers if a.missing), *places.reasons)
            ),
            key=lambda reason: reason.place,
        )
    )
    number = {reason: k for k, reason in enumerate(known, 1)}
    table = np.full(places.largest + 1, number[BLANK])
    for k, answer in enumerate(question.answers):
        if answer.missing:
            table[k] = number[Reason("missing", answer.label)]
    for k, reason in enumerate(places.reasons, places.behind):
        table[k] = number[reason]
    table = table.astype(smallest_unsigned(len(known)))
    codes = table[coded[0]]
    for column in coded[1:]:
        codes = np.minimum(codes, table[column])
    codes[answered] = 0
    return Reasons(codes, known)


def _refuse_lost_zeros(question: Question, names: Sequence[str], unknown: Mapping[str, int]) -> None:
    """Refuse codes that are those of the codebook without their leading zeros."""
    full = {
        answer.code.lstrip("0") or "0": answer.code for answer in question.answers if answer.code[:1] == "0"
    }
    text = next((text for text in unknown if text in full), None)
    if text is not None:
        where = f"Column {names[0]!r}" if len(names) == 1 else f"The columns of {question.name}"
        raise DataError(
            f"{where}: found {text!r} where {question.name} has the code {full[text]!r}: the leading zeros were lost "
            "when the data were read as numbers. Read them as text (with pandas: "
            f"dtype={{{names[0]!r}: str}}), or write the codes in the codebook without zeros."
        )


def own_words_hint(texts: Collection[str]) -> str:
    """Say how own words are written, where many texts that are no answers may be some; "" elsewhere."""
    if sum(number_of(text) is None for text in texts) < MANY_TEXTS:
        return ""
    return " If people's own words stand there, write the answer as {label: …, write in: true}."


def _refuse_stray_text(question: Question, name: str, parts: Distinct, unknown: Mapping[str, int]) -> None:
    """Refuse words where every code is a number: such a column is not what the codebook takes it for."""
    stray = [text for text in unknown if number_of(text) is None]
    if not stray or any(number_of(answer.code) is None for answer in question.answers):
        return
    rows = parts.rows_with(stray)
    labels = [answer.label for answer in question.answers]
    raise DataError(
        f"Column {name!r} should hold the codes or labels of {question.name}; found {parts.named_rows(rows)}."
        f"{nearest(stray[0], labels)} Correct the data, or add the answer to the codebook.{own_words_hint(stray)}"
    )


def _from_ticks(question: Question, source: TickColumns, columns: Columns) -> MultiAnswers:
    rows, size = len(columns[source.columns[0][1]]), len(question.answers)
    packed = np.zeros((size // 8 + 1, rows), np.uint8)
    answered: BoolArray = np.zeros(rows, np.bool_)
    unknown: Counter[str] = Counter()
    ticked = set(source.ticked)
    readable = None if source.unticked is None else ticked | set(source.unticked)
    entries = _TickReasons(question, ticked)
    coded: list[tuple[CodeArray, CodeArray | IntArray]] = []
    held: list[dict[str, int]] = []
    for k, ((code, name), answer) in enumerate(zip(source.columns, question.answers, strict=True)):
        parts = distinct(columns[name])
        yes = np.array(
            [
                source.has_words(text)
                if answer.write_in
                else text in ticked or (text in (code, answer.label) and _is_word(text))
                for text in parts.texts
            ]
        )
        which = np.array([entries.of(text) for text in parts.texts])
        given = which == 0
        if readable is not None and not answer.write_in:
            strange = given & ~yes & np.array([text not in readable for text in parts.texts])
            _count_texts(parts, strange, unknown)
            which[strange] = entries.unknown
        coded.append((which.astype(entries.kind), parts.index))
        held.append(parts.counts_of_some(range(len(parts.texts))))
        if not answer.missing:
            packed[k // 8] |= bit(chosen_by(yes & given, parts.index), k)
        if not answered.all():
            answered |= chosen_by(which == 0, parts.index)
    packed[size // 8] |= bit(answered, size)
    return MultiAnswers(packed, size, dict(unknown), entries.reasons(coded, answered), held)


class _TickReasons:
    """Why a tick column says nothing: a missing code, a value that is neither ticked nor not, or a blank."""

    def __init__(self, question: Question, ticked: set[str]) -> None:
        self.missing, self.ticked = question.missing, ticked
        self.known = (*(Reason("missing", name) for name in question.missing.names), UNKNOWN, BLANK)
        self.unknown = len(self.known) - 1
        self.kind = smallest_unsigned(len(self.known))

    def of(self, text: str) -> int:
        """Return the number of the reason, from 1; 0 for a text that says something."""
        if not text:
            return len(self.known)
        if text in self.ticked:
            return 0
        if text in self.missing.codes:
            return self.missing.codes.index(text) + 1
        span = self.missing.span_of(number_of(text)) if self.missing.spans else None
        return 0 if span is None else len(self.missing.codes) + span + 1

    def reasons(
        self, coded: Sequence[tuple[CodeArray, CodeArray | IntArray]], answered: BoolArray
    ) -> Reasons | None:
        """Give, to whoever says nothing in any column, the reason that goes first; None where all left it blank.

        `coded` are for each column the reason of each distinct text, and the text of each row.
        """
        if answered.all():
            return None
        nothing = np.flatnonzero(~answered)
        first = np.full(nothing.size, len(self.known), self.kind)
        for which, index in coded:
            numbers = np.where(which == 0, len(self.known), which).astype(self.kind)
            np.minimum(first, renumbered(numbers, index[nothing]), out=first)
        codes = np.zeros(answered.size, self.kind)
        codes[nothing] = first
        return Reasons(codes, self.known)


def _is_word(text: str) -> bool:
    """Return whether a tick column's own label stands for a tick: exports of labels hold it, a number never does."""
    return number_of(text) is None


def _count_texts(parts: Distinct, chosen: BoolArray, unknown: Counter[str]) -> None:
    if chosen.any():
        unknown.update(parts.counts_of_some(np.flatnonzero(chosen).tolist()))


def _from_mentions(question: Question, names: Sequence[str], columns: Columns) -> MultiAnswers:
    places = _Places(question)
    unknown: Counter[str] = Counter()
    ticks: BoolArray | None = None
    coded: list[CodeArray] = []
    for name in names:
        parts = distinct(columns[name])
        codes = parts.translated(places.of, places.largest)
        places.count_unknown(parts, unknown)
        if ticks is None:
            ticks = np.zeros((places.largest + 1, codes.size), np.bool_)
        if codes.dtype == np.uint8:
            for place in range(places.behind):
                ticks[place] |= codes == place
        else:
            ticks[codes, np.arange(codes.size)] = True
        coded.append(codes)
    assert ticks is not None
    _refuse_lost_zeros(question, names, unknown)
    return _answered_if_any(question, ticks[: places.behind], unknown, places, coded)


def answers_with(question: Question, by: str) -> frozenset[str]:
    """Return the codes and labels of a question that hold the sign which joins answers."""
    texts = (text for answer in question.answers for text in (answer.code, answer.label))
    return frozenset(canonical(text) for text in texts if by in text)


def parted(text: str, by: str, whole: frozenset[str] = frozenset()) -> list[str]:
    """Part a cell at the sign that joins answers, but not the answers that hold it themselves.

    A list that is written out is parted into what it lists.

    >>> parted("Price, Bubbles, many of them,Taste", ",", frozenset({"Bubbles, many of them"}))
    ['Price', 'Bubbles, many of them', 'Taste']
    """
    if by == IN_BRACKETS:
        return entries(text)
    pieces = [piece.strip() for piece in text.split(by)]
    if not whole:
        return pieces
    known = {_joined_again(answer.split(by), by): answer for answer in whole}
    most = max(answer.count(by) for answer in whole) + 1
    found: list[str] = []
    while pieces:
        sizes = (
            size for size in range(min(most, len(pieces)), 1, -1) if _joined_again(pieces[:size], by) in known
        )
        size = next(sizes, 1)
        found.append(known[_joined_again(pieces[:size], by)] if size > 1 else pieces[0])
        pieces = pieces[size:]
    return found


def _joined_again(pieces: Sequence[str], by: str) -> str:
    return by.join(piece.strip() for piece in pieces)


def _from_joined(question: Question, name: str, by: str, columns: Columns) -> MultiAnswers:
    places, column = _Places(question), columns[name]
    parts = distinct(as_it_stands(column))
    counts = parts.counts()
    sign = column.decimal if isinstance(column, Located) and column.decimal not in by else "."
    unknown: Counter[str] = Counter()
    patterns = np.zeros((places.behind, len(parts.texts)), np.bool_)
    whole = answers_with(question, by)
    given = [
        sorted({pointed(canonical(piece), sign) for piece in parted(text, by, whole)} - {""})
        for text in parts.texts
    ]
    coded = np.full((max(map(len, given), default=0) or 1, len(parts.texts)), places.blank)
    for k, mentions in enumerate(given):
        for j, mention in enumerate(mentions):
            position = coded[j, k] = places.of(mention)
            if position < places.behind:
                patterns[position, k] = True
            elif position == places.unknown and counts[k]:
                unknown[mention] += int(counts[k])
    _refuse_lost_zeros(question, (name,), unknown)
    return _answered_if_any(
        question,
        patterns.take(parts.index, axis=1),
        unknown,
        places,
        [column[parts.index] for column in coded],
    )


def _answered_if_any(
    question: Question,
    ticks: BoolArray,
    unknown: Mapping[str, int],
    places: _Places,
    coded: Sequence[CodeArray],
) -> MultiAnswers:
    """Pack mentions; whoever gave at least one valid one answered."""
    for k, answer in enumerate(question.answers):
        if answer.missing:
            ticks[k] = False
    answered = np.logical_or.reduce(ticks)
    absent = _reasons_by_column(question, places, coded, answered)
    return MultiAnswers(pack(ticks, answered), len(question.answers), dict(unknown), absent)
