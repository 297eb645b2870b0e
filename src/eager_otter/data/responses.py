"""A survey's responses: columns as read, answers encoded when first asked for, some or all rows."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from eager_otter.codebook.expression import Expression, parse
from eager_otter.codebook.model import Banded, Codebook, Derived, Kind, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.data.answers import Answers, NumberAnswers
from eager_otter.data.columns import SHOWN, distinct, numbers
from eager_otter.data.csv_file import open_csv
from eager_otter.data.encoding import (
    Columns,
    encode_bands,
    encode_multi,
    encode_number,
    encode_rules,
    encode_single,
    encode_text,
)
from eager_otter.data.files import DataFile, Source, read_columns
from eager_otter.data.frame import FrameInMemory
from eager_otter.data.selection import select
from eager_otter.errors import DataError, RequestError, UnknownName

ENCODERS: Mapping[Kind, Callable[[Question, Columns], Answers]] = {
    "single": encode_single,
    "multi": encode_multi,
    "number": encode_number,
    "text": encode_text,
}


@dataclass(slots=True, eq=False)
class Responses:
    """The answers of all respondents that were read; questions are encoded once, when first needed.

    Respondents are numbered by `row`, from 1, as in the file without its header.
    """

    codebook: Codebook
    table: Any  # an Arrow table
    source: Source
    file: DataFile | None = None  # where columns that the codebook does not name can be read
    _encoded: dict[str, Answers] = field(default_factory=dict)
    _weights: dict[str, FloatArray] = field(default_factory=dict)

    @property
    def questions(self) -> Mapping[str, Question]:
        """The questions by name."""
        return self.codebook.questions

    def __len__(self) -> int:
        return int(self.table.num_rows)

    def answers(self, name: str) -> Answers:
        """Give the encoded answers of a question. Raises UnknownName, DataError."""
        if name not in self._encoded:
            self._encoded[name] = self._encode(self.codebook.question(name))
        return self._encoded[name]

    def _encode(self, question: Question) -> Answers:
        match question.source:
            case Banded(of, bands):
                values = self.answers(of)
                assert isinstance(values, NumberAnswers)
                return encode_bands(question, bands, values.values)
            case Derived(rules):
                everyone = np.ones(len(self), np.bool_)
                chosen = [everyone if rule is None else select(rule, self) for _, rule in rules]
                return encode_rules(chosen, len(self))
        columns = {name: self.table.column(name) for name in question.columns}
        return ENCODERS[question.kind](question, columns)

    def chosen_by(self, expression: str | Expression) -> BoolArray:
        """Tell who satisfies a filter: (respondents,). Raises ExpressionError."""
        return select(parse(expression) if isinstance(expression, str) else expression, self)

    def filtered(self, filter_text: str) -> BoolArray:
        """Tell who passes a filter, which must keep someone. Raises ExpressionError, RequestError."""
        rows = self.chosen_by(filter_text)
        if not rows.any():
            raise RequestError(
                f"The filter keeps none of the {len(self):,} respondents: {filter_text}\n"
                "Look at the codes and labels of its questions with: eager-otter questions NAME"
            )
        return rows

    def weights(self, column: str, rows: BoolArray) -> FloatArray:
        """Read and check the weights of the chosen rows: (chosen,), each >= 0.

        Raises UnknownName for a column that is not there, DataError naming the rows where a weight is missing,
        negative or infinite, or where they are all 0.
        """
        if column not in self._weights:
            self._weights[column] = numbers(self._column(column, "weight column"), frozenset(), column)[0]
        values = self._weights[column]
        places = np.flatnonzero(rows)
        kept = values[rows]
        for what, wrong in (
            ("is missing", np.isnan(kept)),
            ("is negative", kept < 0),
            ("is infinite", np.isinf(kept)),
        ):
            if wrong.any():
                raise DataError(self._wrong_weights(column, what, kept, places, np.flatnonzero(wrong)))
        if not (kept > 0).any():
            raise DataError(f"Every weight in column {column!r} is 0, so nobody is left to count.")
        return kept

    def _column(self, name: str, kind: str) -> Any:
        """Give a column as read; one that the codebook does not name is read now."""
        if name in self.table.column_names:
            return self.table.column(name)
        names = self.table.column_names if self.file is None else self.file.names
        if self.file is None or name not in names:
            raise UnknownName(kind, name, names, self.source.name)
        return self.file.read([name]).column(name)

    def _wrong_weights(
        self, column: str, what: str, values: FloatArray, places: IntArray, wrong: IntArray
    ) -> str:
        named = ", ".join(self.row_name(int(places[k])) for k in wrong[:SHOWN])
        more = f" and {wrong.size - SHOWN:,} more" if wrong.size > SHOWN else ""
        found = "" if what == "is missing" else f" (the first is {values[wrong[0]]:g})"
        return (
            f"The weight in column {column!r} {what} in {wrong.size:,} of {values.size:,} rows{found}: {named}{more}. "
            "Correct the weights, leave these rows out with a filter, or run without a weight."
        )

    def row_name(self, row: int) -> str:
        """Name a row (from 0) as people find it: its number from 1 and, where there is one, its id."""
        column = self.codebook.respondent
        if column is None:
            return f"row {row + 1}"
        return f"row {row + 1} ({column} {self.table.column(column)[row].as_py()})"


def open_responses(codebook: Codebook, data: Any) -> Responses:
    """Read the columns that a codebook names, from a CSV file or a pandas frame.

    Raises FileProblem, DataError (columns that are not there, respondent ids that are blank or stand twice).
    """
    if isinstance(data, str | Path):
        file: DataFile = open_csv(Path(data))
    elif hasattr(data, "columns"):
        file = FrameInMemory(data)
    else:
        raise RequestError(f"Data are a CSV path or a pandas frame; got {type(data).__name__}.")
    table = read_columns(file, _columns_of(codebook))
    responses = Responses(codebook, table, file.source(table.num_rows), file)
    if codebook.respondent is not None:
        _check_ids(responses, codebook.respondent)
    return responses


def _columns_of(codebook: Codebook) -> list[str]:
    columns = [name for name in (codebook.respondent, codebook.weight) if name is not None]
    for question in codebook:
        columns += question.columns
    return columns


def _check_ids(responses: Responses, column: str) -> None:
    ids = responses.table.column(column)
    encoded = distinct(ids)
    counts = encoded.counts()
    twice = [k for k in np.flatnonzero(counts > 1) if encoded.texts[k]]
    blank = [k for k, text in enumerate(encoded.texts) if not text]
    blanks = int(sum(counts[k] for k in blank))
    if blanks:
        raise DataError(
            f"The respondent id in column {column!r} is blank in {blanks:,} rows; each row needs one."
        )
    if twice:
        shown = "; ".join(_where(encoded.index, encoded.texts[k], int(k)) for k in twice[:SHOWN])
        more = f"; and {len(twice) - SHOWN:,} more" if len(twice) > SHOWN else ""
        raise DataError(
            f"The respondent id in column {column!r} must be unique; {len(twice):,} stand more than once: "
            f"{shown}{more}. Remove the repeated rows, or take 'respondent' out of the codebook."
        )


def _where(index: Any, text: str, position: int) -> str:
    rows = ", ".join(str(row + 1) for row in np.flatnonzero(index == position)[:SHOWN])
    return f"{text!r} in rows {rows}"
