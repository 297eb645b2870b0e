"""Lists of answers, as columns of Arrow, frames, JSON and databases hold them: read as texts of joined answers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from eager_otter.errors import DataError

BY = ";"  # what joins them, which a codebook says under joined: by
LISTS = (pa.types.is_list, pa.types.is_large_list, pa.types.is_fixed_size_list)


def is_list(kind: Any) -> bool:
    """Return whether a type of Arrow is one of lists."""
    return any(of(kind) for of in LISTS)


def joined(values: Sequence[Any], written: Callable[[Any], str | None], place: str) -> str | None:
    """Join the answers of a list, each `written` as text; None for a list without any.

    Raises DataError for an answer that holds the sign which joins them.

    >>> joined([1, 3], str, "record 1"), joined([], str, "record 2")
    ('1;3', None)
    """
    texts = [text for value in values if (text := written(value))]
    for text in texts:
        if BY in text:
            raise _holds_sign(text, place)
    return BY.join(texts) or None


def joined_column(column: Any, as_texts: Callable[[Any], Any], place: str) -> Any:
    """Join the lists of a chunked column: texts (rows,), null for a list without an answer.

    `as_texts` makes texts of the values in the lists. Raises DataError as `joined` does.
    """
    return pa.chunked_array([_joined(chunk, as_texts, place) for chunk in column.chunks], pa.string())


def _joined(lists: Any, as_texts: Callable[[Any], Any], place: str) -> Any:
    from pyarrow import compute

    lengths = compute.fill_null(compute.list_value_length(lists), 0).to_numpy(zero_copy_only=False)
    of_row = np.repeat(np.arange(len(lists)), lengths)
    texts = as_texts(pa.chunked_array([compute.list_flatten(lists)])).cast(pa.string()).combine_chunks()
    given = compute.fill_null(compute.not_equal(texts, ""), fill_value=False)
    texts, of_row = texts.filter(given), of_row[given.to_numpy(zero_copy_only=False)]
    with_sign = texts.filter(compute.match_substring(texts, BY))
    if len(with_sign):
        raise _holds_sign(with_sign[0].as_py(), place)
    many = np.bincount(of_row, minlength=len(lists))
    ends = pa.array(np.concatenate([[0], np.cumsum(many)]), pa.int64())
    found = compute.binary_join(pa.LargeListArray.from_arrays(ends, texts), BY)
    return compute.if_else(pa.array(many > 0), found, None)


def _holds_sign(text: str, place: str) -> DataError:
    return DataError(
        f"{place}: a list holds the answer {text!r}. Lists are read as texts joined by {BY!r}, which no answer in them "
        "may hold: replace it in the data."
    )
