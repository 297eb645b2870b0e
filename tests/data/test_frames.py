"""Frames of all kinds: pandas, Polars, Arrow, and whatever gives itself as a stream of Arrow."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter

BOOK = """
weight: w
questions:
  area: {kind: single, label: Area, answers: {"01": North, "02": South, "10": East}}
  liking: {kind: single, scale: true, label: Liking, answers: {1: Poor, 2: Good}}
  tried: {kind: multi, label: Tried, columns: {t1: Tarn, t2: Fizz}}
  brands: {kind: multi, label: Brands, joined: {column: codes, by: ";"}, answers: {"01": Tarn, "02": Fizz}}
  spend: {kind: number, label: Spend}
"""
CODEBOOK = otter.codebook_from_text(BOOK)


@dataclass
class Stream:
    """Something of which only the Arrow stream is known."""

    table: Any

    def __arrow_c_stream__(self, requested_schema: object = None) -> object:
        return self.table.__arrow_c_stream__(requested_schema)


def columns(size: int, seed: int) -> dict[str, list[Any]]:
    rng = np.random.default_rng(seed)

    def picked(*values: Any) -> list[Any]:
        return [values[k] for k in rng.integers(0, len(values), size)]

    return {
        "area": picked("01", "02", "10", None),
        "liking": picked(1, 2, None),
        "t1": picked(0, 1, None),
        "t2": picked(0, 1),
        "codes": picked("01", "01;02", "02", None),
        "spend": picked(1.5, 2.25, 3.0, None),
        "w": picked(0.5, 1.0, 2.0),
    }


FRAMES: dict[str, Callable[[dict[str, list[Any]]], Any]] = {
    "pandas": pd.DataFrame,
    "pandas with categories": lambda c: pd.DataFrame(c).astype({"area": "category", "codes": "category", "liking": "category"}),
    "pandas with nullable types": lambda c: pd.DataFrame(c).convert_dtypes(),
    "pandas with Arrow types": lambda c: pd.DataFrame(c).convert_dtypes(dtype_backend="pyarrow"),
    "pandas, all text": lambda c: pd.DataFrame({k: [None if v is None else str(v) for v in values] for k, values in c.items()}),
    "pandas, another index": lambda c: pd.DataFrame(c, index=range(100, 100 + len(c["w"]))),
    "Polars": pl.DataFrame,
    "Polars with categories": lambda c: pl.DataFrame(c).with_columns(pl.col("area").cast(pl.Categorical), pl.col("codes").cast(pl.Enum(["01", "02", "01;02"]))),
    "Arrow table": pa.table,
    "Arrow batch": pa.RecordBatch.from_pydict,
    "Arrow in chunks": lambda c: pa.concat_tables([pa.table(c).slice(0, 3), pa.table(c).slice(3)]),
    "any stream of Arrow": lambda c: Stream(pa.table(c)),
}  # fmt: skip


def tables(data: Any) -> list[str]:
    survey = otter.open_survey(CODEBOOK, data)
    return [str(survey.table(name, "liking")) for name in ("area", "tried", "brands", "spend")]


@pytest.mark.parametrize("kind", FRAMES)
@given(size=st.integers(8, 40), seed=st.integers(0, 1000))
@pytest.mark.slow
def test_all_frames_of_the_same_answers_give_the_same_tables(kind: str, size: int, seed: int) -> None:
    data = columns(size, seed)
    for name, sound in (("liking", [1, 2]), ("area", ["01", "02"]), ("codes", ["01", "02"]), ("spend", [1.5, 3.0]), ("t1", [1, 1])):  # fmt: skip
        data[name][:2] = sound
    assert tables(FRAMES[kind](data)) == tables(pa.table(data))


@pytest.mark.parametrize(("name", "column"), [("area", "area"), ("brands", "codes")])
def test_codes_that_lost_their_leading_zeros_are_told_as_such(name: str, column: str) -> None:
    data = pd.DataFrame(columns(20, 1) | {column: [1, 2] * 10})
    with pytest.raises(otter.DataError) as error:
        otter.open_survey(CODEBOOK, data).table(name)
    assert str(error.value) == (
        f"Column {column!r}: found '1' where {name} has the code '01': the leading zeros were lost when the data were "
        f"read as numbers. Read them as text (with pandas: dtype={{{column!r}: str}}), or write the codes in the "
        "codebook without zeros."
    )


def refused(data: Any) -> str:
    with pytest.raises(otter.OtterError) as error:
        otter.open_survey(CODEBOOK, data).table("liking")
    return str(error.value)


def test_frames_that_cannot_be_taken_say_why() -> None:
    data = columns(6, 2)
    twice = pd.DataFrame(data).rename(columns={"t2": "t1"})
    assert (
        refused(twice) == "the frame: the header names 't1' more than once; each column needs its own name."
    )
    assert refused(pa.table(list(data.values()), names=["x"] * len(data))).startswith("the frame: the header names 'x' more than once")  # fmt: skip
    heads = pd.DataFrame(data)
    heads.columns = pd.MultiIndex.from_product([["wave 1"], heads.columns])
    assert refused(heads).startswith("The columns of the frame have heads of 2 levels; each column needs one name. Join them, as in frame.columns = ")  # fmt: skip
    assert refused(pl.DataFrame(data | {"liking": [[[1]]] * 6})).startswith("the frame: column 'liking' holds values of the type")  # fmt: skip
    assert refused(pl.DataFrame(data).head(0)) == "The frame has no rows; at least one respondent is needed."
    assert (
        refused({"liking": [1]})
        == "Data are a path, or a frame (of pandas, Polars or Arrow); found a mapping."
    )
    with pytest.raises(
        otter.RequestError, match="A frame is read already, so ways of reading a file would do nothing"
    ):
        otter.open_survey(CODEBOOK, pd.DataFrame(data), reading=otter.Reading(sheet="Data"))


def test_whole_numbers_as_column_names_are_found_as_written() -> None:
    book = otter.codebook_from_text(
        "questions:\n  q: {kind: single, column: '7', answers: {1: Yes, 2: No}}\n"
    )
    for name in (7, 7.0, "7"):
        assert otter.open_survey(book, pd.DataFrame({name: [1, 2, 1]})).table("q").value("Yes", "Total") > 66
