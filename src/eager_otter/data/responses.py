"""A survey's responses: columns as read, answers encoded when first asked for, some or all rows."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import field, replace
from functools import partial
from typing import Any, cast

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
from eager_otter.codebook.unchanged import unchanged
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, people_of
from eager_otter.data import files
from eager_otter.data.answers import Answers, NumberAnswers, size_of
from eager_otter.data.columns import SHOWN, Located, numbers
from eager_otter.data.encoding import (
    encode_bands,
    encode_rules,
)
from eager_otter.data.files import (
    DataFile,
    Fingerprint,
    PartedFile,
    RowsOf,
    Source,
    SourceAhead,
    check_same,
)
from eager_otter.data.kind_of import kind_of
from eager_otter.data.made import combined, computed, equal_bands, equal_edges, in_periods, merged
from eager_otter.data.reasons import NO_GROUP, NOT_ASKED, Reasons, where_none
from eager_otter.data.remark import Remark
from eager_otter.data.selection import reasons_of, select
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, RequestError, UnknownName
from eager_otter.gates.numbers import SMALLEST
from eager_otter.looks.words import counted

EMPTY = pa.table({})
LEAST_KEPT = 2  # encoded questions that are kept, however large
KEPT_REASONS = (
    16  # reasons for no answer take as much memory as the codes: those of the last few questions are kept
)


@dataclass(slots=True, eq=False)
class Responses:
    """The answers of all respondents that were read; questions are encoded once, when first needed.

    Respondents are numbered by `row`, from 1, as in the file without its header.
    """

    codebook: Codebook
    table: Any  # an Arrow table of columns that were read
    came_from: Source | SourceAhead
    rows: int
    file: DataFile | None = None  # where columns that the codebook does not name can be read
    remarks: tuple[Remark, ...] = ()  # what was noticed while it was read
    blank: BoolArray | None = (
        None  # (rows,) rows that hold nothing at all, which are never respondents; None for none
    )
    first: int = 0  # the number (from 0) of its first row in the data, where it is a part of them
    in_parts: bool = False  # whether columns are so long that they are read part by part and not kept
    kept_codes: bool = True  # whether encoded answers are kept: not where they would take too much memory
    room: int = 0  # bytes of answers that are kept then, the last used
    fingerprint: Fingerprint = ()  # of the file when it was opened
    _encoded: dict[str, Answers] = field(default_factory=dict)
    _numbers_read: dict[str, FloatArray] = field(default_factory=dict)
    _reasons: dict[str, Reasons] = field(default_factory=dict)
    _times: FloatArray | None = None
    _parts: list[Responses] = field(default_factory=list)
    _edges: dict[str, FloatArray] = field(default_factory=dict)

    @property
    def source(self) -> Source:
        """Where they came from. Raises FileProblem where the file is another one by now."""
        return self.came_from if isinstance(self.came_from, Source) else self.came_from.get()

    @property
    def known_source(self) -> Source | None:
        """Where they came from; None where that is still to be made."""
        return self.came_from if isinstance(self.came_from, Source) else self.came_from.known

    @property
    def questions(self) -> Mapping[str, Question]:
        """The questions by name."""
        return self.codebook.questions

    def __len__(self) -> int:
        return self.rows

    def answers(self, name: str) -> Answers:
        """Return the encoded answers of a question. Raises UnknownName, DataError."""
        answers = self._encoded.get(name)
        if answers is None:
            answers = self._encode(self.codebook.question(name))
            self._encoded[name] = answers
            if not self.kept_codes:
                self._make_room()
        return answers

    def _make_room(self) -> None:
        """Drop answers that were encoded first until the others fit into the room for them; keep the last two."""
        while len(self._encoded) > LEAST_KEPT and sum(map(size_of, self._encoded.values())) > self.room:
            del self._encoded[next(iter(self._encoded))]

    def _encode(self, question: Question) -> Answers:
        if question.columns:
            return self._encode_part_by_part(question) if self.in_parts else self.encoded(question)
        match question.source:
            case Derived() as derived:
                return self._derived(question, derived)
            case Banded(of, bands):
                return encode_bands(bands, self._numbers(of), self.reasons(of))
            case EqualBands(of, count):
                edges = self.edges(question.name, of, count)
                return equal_bands(edges, self._numbers(of), self.reasons(of))
            case Periods(of, spans):
                return in_periods(spans, self._numbers(of), self.reasons(of))
            case Merged(of) as made:
                return merged(self.questions[of], made, self.answers(of), self.reasons(of))
            case Combined(of) as made_of:
                return combined(question, made_of, self._sources(of), [self.reasons(name) for name in of])
            case Computed(_, of) as computation:
                return computed(computation, self._sources(of), [self.reasons(name) for name in of])
        raise ValueError(f"{question.name} is neither read from columns nor made from questions.")

    def encoded(self, question: Question) -> Answers:
        """Encode a question from its columns. Raises DataError."""
        if any(self.table.schema.get_field_index(name) < 0 for name in question.columns):
            self.load(question.columns)
        columns = {name: self.column(name) for name in question.columns}
        answers: Answers = kind_of(question).encode(question, columns)
        return answers

    def _encode_part_by_part(self, question: Question) -> Answers:
        name, kind, parts = question.name, kind_of(question), self.all_parts()
        pieces = [part._encoded[name] for part in parts if name in part._encoded]
        if len(pieces) < len(parts):
            pieces = []
            for part, table in zip(parts, self.read_in_parts(question.columns), strict=True):
                pieces.append(part.with_table(table).encoded(question))
                if self.kept_codes:
                    part._encoded[name] = pieces[-1]
        answers: Answers = kind.joined(pieces)
        return answers

    def edges(self, name: str, of: str, count: int) -> FloatArray:
        """Return where the bands of equal size of a question end, which all rows together tell: (count − 1,)."""
        if name not in self._edges:
            self._edges[name] = equal_edges(count, self._numbers(of))
        return self._edges[name]

    def known_edges(self) -> Mapping[str, FloatArray]:
        """Return the ends of bands of equal size that have been found, by question."""
        return self._edges

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
        kept = values if rows.all() else values[rows]
        del values
        if kept.size and kept.min() >= SMALLEST and kept.max() < np.inf:  # as they usually are
            return kept
        tests: tuple[tuple[str, Callable[[FloatArray], BoolArray]], ...] = (
            ("is missing", np.isnan),
            ("is negative", lambda kept: kept < 0),
            ("is infinite", np.isinf),
            (f"is not 0 but below {SMALLEST:g}", lambda kept: (kept > 0) & (kept < SMALLEST)),
        )
        for what, test in tests:
            wrong = test(kept)
            if wrong.any():
                raise DataError(
                    self._wrong_weights(column, what, kept, np.flatnonzero(rows), np.flatnonzero(wrong))
                )
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
        read = {column: numbers for column, numbers in self._numbers_read.items() if column != name}
        return replace(self, table=with_column(table, name, pa.array(values)), _numbers_read=read, _parts=[])

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

    def all_parts(self) -> list[Responses]:
        """Return the responses in parts of so many rows, whatever they were read from; the last may have fewer.

        They hold no columns of their own where these are not kept: see `parts_of`.
        """
        if not self._parts:
            starts = range(0, self.rows, files.PART_ROWS)
            self._parts.extend(self._part(first, min(first + files.PART_ROWS, self.rows)) for first in starts)
        return self._parts

    def _part(self, first: int, end: int) -> Responses:
        """Take some rows, from `first` to `end`, not included, with the columns that were read."""
        return Responses(
            self.codebook,
            self.table.slice(first, end - first),
            self.came_from,
            end - first,
            None if self.file is None else RowsOf(self.file, first, end),
            blank=None if self.blank is None else self.blank[first:end],
            first=self.first + first,
            _edges=self._edges,
        )

    def under(self, codebook: Codebook) -> Responses | None:
        """Return the same rows under another codebook, with what is encoded of questions that have not changed.

        None where the codebook has other ids or frequencies, or names columns that were not looked for.
        """
        own = self.codebook
        if (own.respondent, own.frequency) != (codebook.respondent, codebook.frequency):
            return None
        there = set(self.table.column_names) | set(() if self.file is None else self.file.names)
        if not set(columns_of(codebook)) <= there:
            return None
        kept = unchanged(own, codebook)
        return replace(
            self,
            codebook=codebook,
            _encoded={name: answers for name, answers in self._encoded.items() if name in kept},
            _reasons={name: reasons for name, reasons in self._reasons.items() if name in kept},
            _edges={name: edges for name, edges in self._edges.items() if name in kept},
            _parts=[],
        )

    def with_table(self, table: Any) -> Responses:
        """Return the same rows with other columns at hand, nothing of these encoded."""
        return replace(self, table=table, _encoded={}, _numbers_read={}, _reasons={}, _times=None, _parts=[])

    def has_codes(self, name: str) -> bool:
        """Return whether the answers of a question are encoded."""
        return name in self._encoded

    def has_numbers(self, column: str) -> bool:
        """Return whether a column of numbers was read."""
        return column in self._numbers_read

    def forget(self, *, codes: bool) -> None:
        """Drop what was read or made of a part; encoded answers that were read are kept unless `codes`."""
        self.table = EMPTY
        self._reasons.clear()
        self._times = None
        if codes:
            self._numbers_read.clear()
        for name in list(self._encoded):
            if codes or not self.codebook.question(name).columns:
                del self._encoded[name]

    @property
    def file_in_parts(self) -> PartedFile:
        """The file that is read part by part."""
        return cast(PartedFile, self.file)

    def _read(self, file: DataFile, columns: Sequence[str]) -> Any:
        """Read columns of the file that was opened: an Arrow table. Raises FileProblem where it is another one now."""
        self._check_file(file)
        read = file.read(columns)
        self._check_file(file)
        return read

    def read_in_parts(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read columns of the file that was opened, in parts: Arrow tables. Raises FileProblem as above."""
        file = self.file_in_parts
        self._check_file(file)
        yield from file.parts(columns)
        self._check_file(file)

    def _check_file(self, file: DataFile) -> None:
        if self.fingerprint:
            self.fingerprint = check_same(file, self.fingerprint, self.known_source)

    def people(self, who: BoolArray) -> int:
        """Count the respondents that some rows (rows,) stand for."""
        return people_of(who, self.times())

    def column(self, name: str, kind: str = "column") -> Located:
        """Return a column of the data as read; `kind` is what messages call it. Raises UnknownName."""
        sign = "." if self.file is None else self.file.decimal
        return Located(self._column(name, kind), self.first, sign, partial(files.row_text, self.file))

    def load(self, columns: Iterable[str]) -> None:
        """Read columns that are not at hand yet, all in one go, and keep them; nothing where they are not kept."""
        there = set(self.table.column_names)
        absent = [name for name in dict.fromkeys(columns) if name not in there]
        if absent and self.file is not None and not self.in_parts:
            read = self._read(self.file, absent)
            for name in absent:
                self.table = with_column(self.table, name, read.column(name))

    def as_text(self, names: Sequence[str]) -> list[list[str]]:
        """Return columns of the data as texts, "" for blanks; those that were not kept are read again."""
        kept = set(self.table.column_names)
        absent = [name for name in names if name not in kept]
        read = self._read(self.file, absent) if absent and self.file is not None else self.table
        tables = {name: self.table if name in kept else read for name in names}
        columns = [tables[name].column(name).to_pylist() for name in names]
        return [["" if value is None else str(value) for value in column] for column in columns]

    def all_columns(self) -> list[str]:
        """Name all columns of the data, whether the codebook uses them or not."""
        return list(self.table.column_names if self.file is None else self.file.names)

    def columns_aside(self) -> tuple[str, ...]:
        """Name the columns of the file that the codebook does not use."""
        used = set(columns_of(self.codebook))
        return () if self.file is None else tuple(name for name in self.file.names if name not in used)

    def _number_column(self, column: str, kind: str) -> FloatArray:
        if column in self._numbers_read:
            return self._numbers_read[column]
        read = self._numbers_in_parts(column) if self.in_parts else None
        if read is None:
            read = numbers(self.column(column, kind), Missing(), column)[0]
        read.flags.writeable = False
        if self.kept_codes or not self.in_parts:
            self._numbers_read[column] = read
        return read

    def _numbers_in_parts(self, column: str) -> FloatArray | None:
        """Read a column of numbers part by part, which takes less memory; None where it holds something else."""
        if column in self.table.column_names or column not in self.file_in_parts.names:
            return None
        read, first = np.empty(self.rows), 0
        for part in self.read_in_parts([column]):
            located = Located(part.column(column), first, self.file_in_parts.decimal)
            try:
                read[first : first + part.num_rows] = numbers(located, Missing(), column)[0]
            except DataError:  # what is told names all rows
                return None
            first += part.num_rows
        return read

    def _column(self, name: str, kind: str) -> Any:
        """Return a column as read; one that is not at hand is read now."""
        if self.table.schema.get_field_index(name) >= 0:
            return self.table.column(name)
        names = self.all_columns()
        if self.file is None or name not in names:
            raise UnknownName(kind, name, names, self.source.name)
        if self.in_parts:
            return self._read(self.file, [name]).column(name)
        self.load([name])
        return self.table.column(name)

    def _wrong_weights(
        self, column: str, what: str, values: FloatArray, places: IntArray, wrong: IntArray
    ) -> str:
        named = self.named_rows(places[wrong])
        example = "" if what == "is missing" else f" (the first is {values[wrong[0]]:g})"
        return (
            f"The weight in column {column!r} {what} in {wrong.size:,} of {values.size:,} rows{example}: {named}. "
            f"Correct the weights,{self._filter_of_weights(column, what)} or run without a weight."
        )

    def _filter_of_weights(self, column: str, what: str) -> str:
        """Say which filter leaves out the rows whose weight is wrong, which needs a question of that column."""
        numbers = (one for one in self.codebook if one.is_of.of_values and tuple(one.columns) == (column,))
        question = next(numbers, None)
        name = column if question is None else question.name
        filters = {"is missing": f"answered {name}", "is negative": f"{name} >= 0"}
        if what not in filters:
            return ""
        needed = " (with a question of kind number for the column)" if question is None else ""
        return f" leave these rows out with '{filters[what]}' in the report's filter{needed},"

    def row_name(self, row: int) -> str:
        """Name a row (from 0) as people find it: its number from 1 and, where there is one, its id."""
        column = self.codebook.respondent
        text = files.row_text(self.file, self.first + row)
        if column is None:
            return text
        return f"{text} ({column} {self._column(column, 'column')[row].as_py()})"

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


def columns_of(codebook: Codebook) -> list[str]:
    """Return all columns of the data that a codebook names."""
    columns = (column for question in codebook for column in question.columns)
    return list(dict.fromkeys((*codebook.special_columns.values(), *columns)))


def code_bytes(codebook: Codebook) -> int:
    """Return how many bytes the encoded answers of one respondent take."""
    size = 0
    for question in codebook:
        if question.columns:
            kind = question.is_of
            size += (len(question.answers) // 8 + 2) if kind.several else (1 if kind.of_answers else 8)
    return size


def with_column(table: Any, name: str, values: Any) -> Any:
    """Add a column to an Arrow table, which may have none."""
    return table.append_column(name, values) if table.num_columns else pa.table({name: values})
