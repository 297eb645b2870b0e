"""Columns of Arrow's types as they can be encoded: numbers, texts and days; lists as texts of joined answers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

import pyarrow as pa

from eager_otter.data import files
from eager_otter.data.lists import is_list, joined_column
from eager_otter.errors import DataError

AS_THEY_STAND = (pa.types.is_string, pa.types.is_integer, pa.types.is_floating, pa.types.is_boolean)
AS_TEXTS = (
    pa.types.is_date,
    pa.types.is_null,
    pa.types.is_large_string,
    pa.types.is_decimal,
    pa.types.is_timestamp,
)
NO_FRACTION = r"\.0+$"  # of a second, behind a time of day
READABLE = (*AS_THEY_STAND, *AS_TEXTS, pa.types.is_time)
CATEGORIES = pa.dictionary(pa.int32(), pa.string())


def check_kind(kind: Any, name: str, place: str) -> None:
    """Check that a column of one of Arrow's types can hold answers. Raises DataError."""
    inside = _plain(kind)
    if is_list(inside):
        inside = _plain(inside.value_type)
    if str(inside) != "string_view" and not any(of(inside) for of in READABLE):
        raise DataError(
            f"{place}: column {name!r} holds values of the type {kind}, not answers. Leave it out of the codebook, or "
            "make numbers or texts of it."
        )


def _plain(kind: Any) -> Any:
    """Return the type of the values of categories, or the type itself."""
    while pa.types.is_dictionary(kind):
        kind = kind.value_type
    return kind


def answers_in(column: Any, name: str, place: str) -> Any:
    """Return a column of numbers, texts or days as it can be encoded; lists as texts of joined answers.

    Raises DataError for one without answers.
    """
    kind = column.type
    if pa.types.is_float16(kind):
        return column.cast(pa.float32())
    if any(of(kind) for of in AS_THEY_STAND):
        return column
    check_kind(kind, name, place)
    if is_list(kind):
        of_column = f"{place}: column {name!r}"
        return joined_column(column, lambda values: answers_in(values, name, place), of_column)
    if pa.types.is_time(kind):
        from pyarrow import compute

        return compute.replace_substring_regex(column.cast(pa.string()), NO_FRACTION, "")
    if pa.types.is_dictionary(kind):
        return column if pa.types.is_string(kind.value_type) else answers_in(_decoded(column), name, place)
    return _plain_texts(column) if str(kind) == "string_view" else column.cast(pa.string())


def _decoded(column: Any) -> Any:
    """Write a column of categories out; Arrow itself does not for all types of text."""
    kind = column.type.value_type
    if str(kind) == "string_view":
        parts = [_plain_texts(part.dictionary).take(part.indices) for part in column.chunks]
        return pa.chunked_array(parts, pa.string())
    to = pa.string() if str(kind) == "large_string" else kind
    return pa.chunked_array([part.dictionary.cast(to).take(part.indices) for part in column.chunks], to)


def _plain_texts(column: Any) -> Any:
    """Return texts kept as views as plain ones; Arrow did not cast these from the beginning."""
    try:
        return column.cast(pa.string())
    except pa.ArrowNotImplementedError:
        return pa.array(column.to_pylist(), pa.string())


def alike(column: Any) -> Any:
    """Return a chunked column with categories of texts, if it has any, in the one type that has room for all."""
    kind = column.type
    if kind == CATEGORIES or not (pa.types.is_dictionary(kind) and pa.types.is_string(kind.value_type)):
        return column
    parts = [
        pa.DictionaryArray.from_arrays(part.indices.cast(pa.int32()), part.dictionary)
        for part in column.chunks
    ]
    return pa.chunked_array(parts, CATEGORIES)


def table_alike(table: Any) -> Any:
    """Return a table with its columns as `alike` gives them."""
    return pa.table([alike(column) for column in table.columns], names=table.column_names)


def in_parts(
    batches: Iterable[Any],
    skipped: int,
    rows: int,
    together: Callable[[list[Any]], Any] = pa.Table.from_batches,
) -> Iterator[Any]:
    """Cut batches into tables of so many rows each, after some that are skipped: so many rows in all.

    `together` makes one table of the pieces of a part.
    """
    held: list[Any] = []
    count = 0
    for whole in batches:
        batch = whole
        if skipped:
            dropped = min(skipped, batch.num_rows)
            batch, skipped = batch.slice(dropped), skipped - dropped
        batch = batch.slice(0, rows)
        rows -= batch.num_rows
        while batch.num_rows:
            taken = batch.slice(0, files.PART_ROWS - count)
            batch = batch.slice(taken.num_rows)
            held.append(taken)
            count += taken.num_rows
            if count == files.PART_ROWS:
                yield together(held)
                held, count = [], 0
    if held:
        yield together(held)
