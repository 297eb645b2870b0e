"""Codes told apart by comparing bytes are those that a table would tell."""

from __future__ import annotations

from typing import Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from eager_otter.core.arrays import chosen_by, counts_of, renumbered
from eager_otter.data.columns import blanks_in, distinct

SIZES = st.integers(1, 300)


@st.composite
def tables_and_codes(draw: st.DrawFn) -> tuple[list[int], Any]:
    """A number for each code, mostly one more than that of the code before, and codes of respondents."""
    size = draw(SIZES)
    table = [draw(st.integers(0, 255))]
    steps = draw(st.dictionaries(st.integers(0, size - 1), st.integers(0, 255), max_size=6))
    for k in range(size - 1):
        table.append((table[-1] + steps.get(k, 1)) % 256)
    kind = np.uint8 if size <= 256 and draw(st.booleans()) else np.uint16
    codes = draw(st.lists(st.integers(0, size - 1), max_size=40))
    return table, np.array([*codes, *range(size)], kind)


@given(tables_and_codes(), st.data())
def test_codes_are_told_apart_as_by_a_table(made: tuple[list[int], Any], data: st.DataObject) -> None:
    table, codes = made
    before = codes.copy()
    numbers = renumbered(np.array(table, np.uint8), codes)
    assert numbers.dtype == np.uint8 and numbers.tolist() == [table[code] for code in codes.tolist()]
    yes = data.draw(st.lists(st.booleans(), min_size=len(table), max_size=len(table)))
    assert chosen_by(np.array(yes), codes).tolist() == [yes[code] for code in codes.tolist()]
    assert counts_of(codes, len(table)).tolist() == [codes.tolist().count(k) for k in range(len(table))]
    assert codes.tolist() == before.tolist()


@given(
    st.integers(-300, 300),
    st.lists(st.none() | st.integers(0, 5000), max_size=40),
    st.sampled_from([pa.int8(), pa.int16(), pa.int64(), pa.float64(), pa.string()]),
    st.integers(0, 9),
)
def test_a_column_is_its_distinct_texts(low: int, given: list[int | None], kind: Any, skipped: int) -> None:
    """Whole numbers with blanks anywhere, of any type, also of a slice whose blanks lie over other numbers."""
    span = 100 if kind == pa.int8() else 6000
    values = [
        None if one is None else max(-128, min(127, low + one)) if span == 100 else low + one for one in given
    ]
    texts = [None if one is None else str(one) for one in values]
    column = pa.array(texts if kind == pa.string() else values, kind)[skipped:]
    parts = distinct(column)
    assert [parts.texts[k] for k in parts.index.tolist()] == [one or "" for one in texts[skipped:]]
    held = [one or "" for one in texts[skipped:]]
    assert dict(zip(parts.texts, parts.counts().tolist(), strict=True)) == {
        one: held.count(one) for one in parts.texts
    }
    some = list(range(0, len(parts.texts), 2))
    assert parts.counts_of_some(some) == {
        parts.texts[k]: held.count(parts.texts[k]) for k in some if parts.texts[k] in held
    }


@pytest.mark.parametrize("blank", [[], [0], [0, 1, 2]])
def test_what_lies_under_blanks_is_not_seen(blank: list[int]) -> None:
    values = np.array([5, 6, 7], np.int16)
    under = values.copy()
    under[blank] = [30_000, -30_000, 1][: len(blank)]
    valid = np.packbits([k not in blank for k in range(3)], bitorder="little").tobytes()
    column = pa.Array.from_buffers(pa.int16(), 3, [pa.py_buffer(valid), pa.py_buffer(under.tobytes())])
    parts = distinct(column)
    assert [parts.texts[k] for k in parts.index] == [
        "" if k in blank else str(v) for k, v in enumerate(values)
    ]


@given(
    st.lists(
        st.none() | st.sampled_from(["", " ", "\t ", "\u2003", "\x1f", "a", " b", "é ", "0"]), max_size=30
    ),
    st.sampled_from(["texts", "long texts", "categories", "numbers", "whole", "nulls", "flags"]),
    st.integers(0, 9),
)
def test_blanks_are_nulls_no_numbers_and_spaces(given: list[str | None], kind: str, skipped: int) -> None:
    match kind:
        case "texts" | "long texts":
            column = pa.array(given, pa.string() if kind == "texts" else pa.large_string())
        case "categories":
            column = pa.array(given, pa.string()).dictionary_encode()
        case "numbers":
            column = pa.array([None if text is None else float("nan" if not text else "0") for text in given])
            column = column.cast(pa.float64())
            given = [None if text is None else "x" * bool(text) for text in given]
        case "nulls":
            column, given = pa.nulls(len(given)), [None] * len(given)
        case _:
            column = pa.array([None if text is None else 1 for text in given], pa.int16())
            column = column.cast(pa.bool_()) if kind == "flags" else column
            given = [None if text is None else "1" for text in given]
    expected = [text is None or not text.strip() for text in given][skipped:]
    assert blanks_in(column[skipped:]).tolist() == expected
    assert (
        blanks_in(pa.chunked_array([column[skipped:], column[:skipped]])).tolist()[: len(expected)]
        == expected
    )
