"""A survey's responses: columns as read, answers encoded when first asked for, some or all rows."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import pyarrow as pa

from eager_otter.codebook.expression import Expression, parse
from eager_otter.codebook.missing import Missing
from eager_otter.codebook.model import (
    Banded,
    Codebook,
    Combined,
    Computed,
    Derived,
    EqualBands,
    Merged,
    Periods,
    Question,
)
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, people_of
from eager_otter.data.answers import Answers, NumberAnswers
from eager_otter.data.columns import SHOWN, Located, all_differ, distinct, numbers
from eager_otter.data.csv_file import CsvFile
from eager_otter.data.encoding import (
    encode_bands,
    encode_rules,
)
from eager_otter.data.files import DataFile, RowsOf, Source, check_there, read_columns
from eager_otter.data.kind_of import kind_of
from eager_otter.data.made import combined, computed, equal_bands, in_periods, merged
from eager_otter.data.opening import Reading, open_data
from eager_otter.data.parquet_file import ParquetFile
from eager_otter.data.reasons import NO_GROUP, NOT_ASKED, Reasons, where_none
from eager_otter.data.remark import BLANK_ROWS, Remark, blank_lines, named
from eager_otter.data.selection import reasons_of, select
from eager_otter.errors import DataError, RequestError, UnknownName
from eager_otter.gates.numbers import SMALLEST
from eager_otter.looks.words import counted

PART_ROWS = 1 << 16  # rows are counted in parts of so many, wherever and by however many at a time
COLUMNS_AT_ONCE = 200
KEPT_REASONS = (
    16  # reasons for no answer take as much memory as the codes: those of the last few questions are kept
)


@dataclass(slots=True, eq=False)
class Responses:
    """The answers of all respondents that were read; questions are encoded once, when first needed.

    Respondents are numbered by `row`, from 1, as in the file without its header.
    """

    codebook: Codebook
    table: Any  # an Arrow table
    source: Source
    rows: int
    file: DataFile | None = None  # where columns that the codebook does not name can be read
    remarks: tuple[Remark, ...] = ()  # what was noticed while it was read
    blank: BoolArray | None = (
        None  # (rows,) rows that hold nothing at all, which are never respondents; None for none
    )
    first: int = 0  # the number (from 0) of its first row in the data, where it is a part of them
    _encoded: dict[str, Answers] = field(default_factory=dict)
    _numbers_read: dict[str, FloatArray] = field(default_factory=dict)
    _reasons: dict[str, Reasons] = field(default_factory=dict)
    _times: FloatArray | None = None
    _parts: list[Responses] = field(default_factory=list)

    @property
    def questions(self) -> Mapping[str, Question]:
        """The questions by name."""
        return self.codebook.questions

    def __len__(self) -> int:
        return self.rows

    def answers(self, name: str) -> Answers:
        """Return the encoded answers of a question. Raises UnknownName, DataError."""
        if name not in self._encoded:
            self._encoded[name] = self._encode(self.codebook.question(name))
        return self._encoded[name]

    def _encode(self, question: Question) -> Answers:
        if question.columns:
            answers: Answers = kind_of(question).encode(
                question, {name: self.column(name) for name in question.columns}
            )
            return answers
        match question.source:
            case Derived() as derived:
                return self._derived(question, derived)
            case Banded(of, bands):
                return encode_bands(bands, self._numbers(of), self.reasons(of))
            case EqualBands(of, count):
                return equal_bands(count, self._numbers(of), self.reasons(of))
            case Periods(of, spans):
                return in_periods(spans, self._numbers(of), self.reasons(of))
            case Merged(of) as made:
                return merged(self.questions[of], made, self.answers(of), self.reasons(of))
            case Combined(of) as made_of:
                return combined(question, made_of, self._sources(of), [self.reasons(name) for name in of])
            case Computed(_, of) as computation:
                return computed(computation, self._sources(of), [self.reasons(name) for name in of])
        raise ValueError(f"{question.name} is neither read from columns nor made from questions.")

    def _derived(self, question: Question, derived: Derived) -> Answers:
        """Return the first rule that holds for each respondent.

        `otherwise` takes those left who answered one of the questions that the rules read, `everyone else` all.
        """
        sources = [self.reasons(name) for name in question.made_of]
        chosen: list[BoolArray] = []
        for _, rule in derived.rules:
            if rule is not None:
                chosen.append(select(rule, self))
            elif derived.everyone:
                chosen.append(self.everyone())
            else:
                chosen.append(np.logical_or.reduce([one.codes == 0 for one in sources]))
        answered: BoolArray = np.logical_or.reduce(chosen)
        if not sources:
            return encode_rules(chosen, Reasons((~answered).astype(np.uint8), (NO_GROUP,)))
        return encode_rules(chosen, where_none(sources, answered, NO_GROUP))

    def reasons(self, name: str) -> Reasons:
        """Say why each respondent has no valid answer to a question. Raises UnknownName, DataError."""
        if name not in self._reasons:
            self._reasons[name] = self.reasons_as(self.codebook.question(name))
            if len(self._reasons) > KEPT_REASONS:
                del self._reasons[next(iter(self._reasons))]
        return self._reasons[name]

    def reasons_as(self, question: Question) -> Reasons:
        """Say why each respondent has no answer to a question as a table sees it, with some answers left out."""
        reasons = reasons_of(question, self.answers(question.name))
        if question.asked is None:
            return reasons
        return reasons.with_reason(NOT_ASKED, ~self.chosen_by(question.asked))

    def _numbers(self, name: str) -> FloatArray:
        answers = self.answers(name)
        assert isinstance(answers, NumberAnswers)
        return answers.values

    def _sources(self, names: Sequence[str]) -> dict[str, tuple[Question, Answers]]:
        return {name: (self.questions[name], self.answers(name)) for name in names}

    def everyone(self) -> BoolArray:
        """Choose all respondents: (respondents,)."""
        return np.ones(len(self), np.bool_)

    def chosen_by(self, expression: str | Expression) -> BoolArray:
        """Return who satisfies a filter: (respondents,). Raises ExpressionError."""
        return select(parse(expression) if isinstance(expression, str) else expression, self)

    def filtered(self, filter_text: str | None) -> BoolArray:
        """Return who passes a filter, which must keep someone; None: everyone. Raises ExpressionError, RequestError."""
        if filter_text is None:
            return self.everyone()
        rows = self.chosen_by(filter_text)
        if not rows.any():
            raise RequestError(keeps_nobody(filter_text, len(self)))
        return rows

    def weights(self, column: str, rows: BoolArray, *, may_be_nobody: bool = False) -> FloatArray:
        """Read and check the weights of the chosen rows: (chosen,), each >= 0.

        Raises UnknownName for a column that is not there, DataError naming the rows where a weight is missing,
        negative or infinite, or where they are all 0, unless nobody may be left.
        """
        values = self._number_column(column, "weight column")
        places = np.flatnonzero(rows)
        kept = values[rows]
        for what, wrong in (
            ("is missing", np.isnan(kept)),
            ("is negative", kept < 0),
            ("is infinite", np.isinf(kept)),
            (f"is not 0 but below {SMALLEST:g}", (kept > 0) & (kept < SMALLEST)),
        ):
            if wrong.any():
                raise DataError(self._wrong_weights(column, what, kept, places, np.flatnonzero(wrong)))
        if not may_be_nobody and not (kept > 0).any():
            raise DataError(f"Every weight in column {column!r} is 0, so nobody is left to count.")
        return kept

    def with_numbers(self, name: str, values: FloatArray) -> Responses:
        """Return the responses with one more column of numbers (rows,), or another one of that name.

        Raises DataError for another number of rows.
        """
        if values.shape != (self.rows,):
            raise DataError(f"{name}: {self.rows:,} values were expected, one a row; found {len(values):,}.")
        table = self.table.drop_columns([name]) if name in self.table.column_names else self.table
        table = table.append_column(name, pa.array(values))
        read = {column: numbers for column, numbers in self._numbers_read.items() if column != name}
        return replace(self, table=table, _numbers_read=read, _parts=[])

    def times(self) -> FloatArray | None:
        """Read and check, once, how many respondents each row stands for: (rows,), 0 for blank ones; None for one each.

        Raises UnknownName for a column that is not there, DataError naming the rows that hold no whole number
        from 0 up.
        """
        column = self.codebook.frequency
        if self._times is not None:
            return self._times
        if column is None:
            self._times = None if self.blank is None else np.where(self.blank, 0.0, 1.0)
            return self._times
        values = self._number_column(column, "frequency column")
        values = values if self.blank is None else np.where(self.blank, 0.0, values)
        wrong = np.flatnonzero(~(values >= 0) | (values != np.rint(values)))
        if wrong.size:
            raise DataError(
                f"The frequency in column {column!r} must be a whole number from 0 up; it is not in {wrong.size:,} "
                f"of {values.size:,} rows: {self.named_rows(wrong)}."
            )
        self._times = values
        return values

    def parts(self) -> Iterator[Responses]:
        """Go through the responses in parts of so many rows, whatever they were read from: the last may have fewer."""
        if self.rows <= PART_ROWS:
            yield self
            return
        if not self._parts:
            starts = range(0, self.rows, PART_ROWS)
            self._parts.extend(self._part(first, min(first + PART_ROWS, self.rows)) for first in starts)
        yield from self._parts

    def _part(self, first: int, end: int) -> Responses:
        """Take some rows, from `first` to `end`, not included."""
        return Responses(
            self.codebook,
            self.table.slice(first, end - first),
            self.source,
            end - first,
            None if self.file is None else RowsOf(self.file, first, end),
            blank=None if self.blank is None else self.blank[first:end],
            first=self.first + first,
        )

    def people(self, who: BoolArray) -> int:
        """Count the respondents that some rows (rows,) stand for."""
        return people_of(who, self.times())

    def column(self, name: str, kind: str = "column") -> Located:
        """Return a column of the data as read; `kind` is what messages call it. Raises UnknownName."""
        sign = "." if self.file is None else self.file.decimal
        return Located(self._column(name, kind), self.first, sign)

    def as_text(self, names: Sequence[str]) -> list[list[str]]:
        """Return columns of the data as texts, "" for blanks; those that were not kept are read again."""
        kept = set(self.table.column_names)
        absent = [name for name in names if name not in kept]
        read = self.file.read(absent) if absent and self.file is not None else self.table
        tables = {name: self.table if name in kept else read for name in names}
        columns = [tables[name].column(name).to_pylist() for name in names]
        return [["" if value is None else str(value) for value in column] for column in columns]

    def all_columns(self) -> list[str]:
        """Name all columns of the data, whether the codebook uses them or not."""
        return list(self.table.column_names if self.file is None else self.file.names)

    def columns_aside(self) -> tuple[str, ...]:
        """Name the columns of the file that the codebook does not use."""
        used = set(_columns_of(self.codebook))
        return () if self.file is None else tuple(name for name in self.file.names if name not in used)

    def _number_column(self, column: str, kind: str) -> FloatArray:
        if column not in self._numbers_read:
            self._numbers_read[column] = numbers(self.column(column, kind), Missing(), column)[0]
        return self._numbers_read[column]

    def _column(self, name: str, kind: str) -> Any:
        """Return a column as read; one that the codebook does not name is read now."""
        if self.table.schema.get_field_index(name) >= 0:
            return self.table.column(name)
        names = self.all_columns()
        if self.file is None or name not in names:
            raise UnknownName(kind, name, names, self.source.name)
        return self.file.read([name]).column(name)

    def _wrong_weights(
        self, column: str, what: str, values: FloatArray, places: IntArray, wrong: IntArray
    ) -> str:
        named = self.named_rows(places[wrong])
        example = "" if what == "is missing" else f" (the first is {values[wrong[0]]:g})"
        return (
            f"The weight in column {column!r} {what} in {wrong.size:,} of {values.size:,} rows{example}: {named}. "
            "Correct the weights, leave these rows out with a filter, or run without a weight."
        )

    def row_name(self, row: int) -> str:
        """Name a row (from 0) as people find it: its number from 1 and, where there is one, its id."""
        column = self.codebook.respondent
        number = self.first + row + 1
        if column is None:
            return f"row {number}"
        return f"row {number} ({column} {self.table.column(column)[row].as_py()})"

    def named_rows(self, rows: IntArray) -> str:
        """Name the first of some rows (from 0), and say how many more there are."""
        named = ", ".join(self.row_name(int(row)) for row in rows[:SHOWN])
        return named + (f" and {rows.size - SHOWN:,} more" if rows.size > SHOWN else "")


def keeps_nobody(filter_text: str, rows: int) -> str:
    """Say that a filter keeps none of so many rows."""
    return (
        f"The filter keeps none of the {counted(rows, 'respondent')}: {filter_text}\n"
        "Look at the codes and labels of its questions with: eager-otter questions NAME"
    )


def open_responses(codebook: Codebook, data: Any, reading: Reading | None = None) -> Responses:
    """Read the columns that a codebook names from a file or a pandas frame; large CSV files in parts.

    Raises FileProblem, RequestError, DataError (columns that are not there, respondent ids that are blank or
    stand twice).
    """
    file = open_data(data, reading)
    if isinstance(file, CsvFile | ParquetFile) and file.in_parts:
        responses = _read_in_parts(codebook, file)
    else:
        table = read_columns(file, _columns_of(codebook))
        responses = Responses(codebook, table, file.source(table.num_rows), table.num_rows, file)
        blank = _blank_in(table, table.column_names)
        responses.blank = blank if blank.any() else None
    responses.remarks = tuple(file.remarks(responses.rows))
    if codebook.respondent is not None:
        _check_ids(responses, codebook.respondent)
        responses.blank = None
    else:
        _leave_out_blank_rows(responses, file)
    return responses


def _leave_out_blank_rows(responses: Responses, file: DataFile) -> None:
    """Note the rows of which no column of the file holds anything. Raises DataError where no others are left.

    Those of which the columns that were read hold nothing are looked up in all others.
    """
    blank = responses.blank
    if blank is None or len(file.names) == 1 or not file.paths:
        # in a file of one column a blank is a missing answer; the rows of a frame are there on purpose
        responses.blank = None
        return
    others = [name for name in responses.columns_aside() if name]
    for start in range(0, len(others), COLUMNS_AT_ONCE):
        names, first = others[start : start + COLUMNS_AT_ONCE], 0
        for part in _in_parts(file, names) if blank.any() else ():
            there = slice(first, first + part.num_rows)
            blank[there] &= _blank_in(part, names)
            first += part.num_rows
    if blank.all():
        raise DataError(
            f"{file.place}: all {counted(responses.rows, 'row')} are blank; no respondent is left."
        )
    responses.blank = blank if blank.any() else None
    if blank.any():
        lines = sum(one.count for one in responses.remarks if one.slip == BLANK_ROWS)
        kept = [one for one in responses.remarks if one.slip != BLANK_ROWS]
        responses.remarks = (*kept, blank_lines(int(blank.sum()) + lines))


def _in_parts(file: DataFile, names: Sequence[str]) -> Iterable[Any]:
    return (
        file.parts(names) if isinstance(file, CsvFile | ParquetFile) and file.in_parts else [file.read(names)]
    )


def _blank_in(table: Any, names: Sequence[str]) -> BoolArray:
    """Return which rows of an Arrow table hold nothing in some columns: (rows,)."""
    blank: BoolArray = np.ones(table.num_rows, np.bool_)
    for name in names:
        if not blank.any():
            break
        blank &= _is_blank(table.column(name))
    return blank


def _is_blank(column: Any) -> BoolArray:
    """Return which values of an Arrow column are blank: (rows,)."""
    parts = distinct(column)
    return parts.which(lambda text: not text.strip())


def _columns_of(codebook: Codebook) -> list[str]:
    columns = (column for question in codebook for column in question.columns)
    return list(dict.fromkeys((*codebook.special_columns.values(), *columns)))


def _read_in_parts(codebook: Codebook, file: CsvFile | ParquetFile) -> Responses:
    """Encode a file part by part, so that its text is never in memory as a whole."""
    wanted = _columns_of(codebook)
    check_there(file, wanted)
    questions = [question for question in codebook if question.columns]
    pieces: dict[str, list[Answers]] = {question.name: [] for question in questions}
    kept_names = list(dict.fromkeys(codebook.special_columns.values()))
    kept: list[Any] = []
    blank: list[BoolArray] = []
    first = 0
    for part in file.parts(wanted):
        columns = {name: Located(part.column(name), first, file.decimal) for name in wanted}
        for question in questions:
            question_columns = {name: columns[name] for name in question.columns}
            pieces[question.name].append(kind_of(question).encode(question, question_columns))
        kept.append(part.select(kept_names))
        blank.append(_blank_in(part, wanted))
        first += part.num_rows
    if not first:
        raise DataError(f"{file.place}: has a header but no rows; at least one respondent is needed.")
    table = pa.concat_tables(kept)
    responses = Responses(codebook, table, file.source(first), first, file)
    nothing = np.concatenate(blank)
    responses.blank = nothing if nothing.any() else None
    responses._encoded.update(
        {name: kind_of(responses.codebook.question(name)).joined(parts) for name, parts in pieces.items()}
    )
    return responses


def _check_ids(responses: Responses, column: str) -> None:
    ids = responses.table.column(column)
    if all_differ(ids):
        return
    encoded = distinct(ids)
    first_of = {text: k for k, text in reversed(list(enumerate(encoded.texts)))}
    encoded = replace(encoded, index=np.array([first_of[text] for text in encoded.texts])[encoded.index])
    counts = encoded.counts()
    twice = [k for k in np.flatnonzero(counts > 1) if encoded.texts[k]]
    blank = [k for k, text in enumerate(encoded.texts) if not text]
    blanks = int(sum(counts[k] for k in blank))
    if blanks:
        rows = np.flatnonzero(np.isin(encoded.index, blank))
        named_rows = named([f"row {row + 1:,}" for row in rows.tolist()])
        raise DataError(
            f"The respondent id in column {column!r} is blank in {counted(blanks, 'row')} ({named_rows}); each row "
            "needs one. Delete rows that hold nothing, or fill in the ids."
        )
    if twice:
        shown = "; ".join(_where(encoded.index, encoded.texts[k], int(k)) for k in twice[:SHOWN])
        more = f"; and {len(twice) - SHOWN:,} more" if len(twice) > SHOWN else ""
        raise DataError(
            f"The respondent id in column {column!r} must be unique; {len(twice):,} appear more than once: "
            f"{shown}{more}. Remove the repeated rows, or take 'respondent' out of the codebook."
        )


def _where(index: Any, text: str, position: int) -> str:
    rows = ", ".join(str(row + 1) for row in np.flatnonzero(index == position)[:SHOWN])
    return f"{text!r} in rows {rows}"
