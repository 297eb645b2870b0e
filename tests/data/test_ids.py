"""Ids of respondents: whatever they are, those that are blank or appear twice are refused, and only those."""

from __future__ import annotations

import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter import define
from eager_otter.codebook.codes import canonical

BOOK = otter.codebook_of({"respondent": "id", "questions": {"q": define.Number()}})
TEXTS = st.text("01.5 -aé\u00a0", max_size=4)


def refused(ids: pa.Array) -> str:
    """What is said of ids, "" where they are taken."""
    try:
        survey = otter.open_survey(BOOK, pa.table({"id": ids, "q": pa.array([1.0] * len(ids))}))
    except otter.DataError as error:
        return str(error)
    assert len(survey.responses) == len(ids)
    return ""


@given(st.lists(TEXTS, min_size=1, max_size=5))
def test_texts_are_ids_where_none_is_blank_and_no_code_appears_twice(texts: list[str]) -> None:
    codes = [canonical(text) for text in texts]
    wanted = "is blank" if "" in codes else "must be unique" if len(set(codes)) < len(codes) else ""
    found = refused(pa.array(texts))
    assert wanted in found and bool(wanted) == bool(found)
    assert refused(pa.array(texts, pa.large_string())) == refused(pa.chunked_array([texts[:1], texts[1:]], pa.string())) == found  # fmt: skip


@given(st.lists(st.one_of(st.integers(-3, 3), st.integers(-(2**62), 2**62), st.none()), min_size=1, max_size=5))  # fmt: skip
def test_numbers_are_ids_in_the_same_way(numbers: list[int | None]) -> None:
    wanted = "is blank" if None in numbers else "must be unique" if len(set(numbers)) < len(numbers) else ""
    found = refused(pa.array(numbers, pa.int64()))
    assert wanted in found and bool(wanted) == bool(found)


@pytest.mark.parametrize(
    ("ids", "message"),
    [
        (pd.Series(["a", "b", "a"], dtype="category"), "'a' in rows 1, 3"),
        (pd.Series([1.0, 2.0, 1.0]), "'1' in rows 1, 3"),
        (pd.Series(["1", "1.0", "2"]), "'1' in rows 1, 2"),
        (pd.Series(["01", "1", "2"]), ""),
        (pd.Series([1.5, 2.5, 3.5]), ""),
    ],
)
def test_ids_of_frames(ids: pd.Series, message: str) -> None:
    found = refused(pa.array(ids))
    assert message in found and bool(message) == bool(found)
