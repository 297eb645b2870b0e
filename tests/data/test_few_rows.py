"""Few rows are read without the functions of Arrow, which take longer to load; what is read is the same."""

from __future__ import annotations

import math
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from eager_otter.codebook.missing import Missing
from eager_otter.data import columns
from eager_otter.data.columns import distinct, numbers
from eager_otter.errors import DataError

CELLS = st.one_of(
    st.none(),
    st.sampled_from(
        [
            "",
            " ",
            "1",
            "1.0",
            "01",
            "-0",
            "1.50",
            "+2",
            ".5",
            "5.",
            "1e3",
            "nan",
            "inf",
            "1_0",
            "North",
            "é",
            "99",
        ]
    ),
    st.integers(-(10**20), 10**20).map(str),
    st.floats(allow_nan=False, allow_infinity=False).map(repr),
    st.decimals(allow_nan=False, allow_infinity=False).map(str),
    st.text("019.-\n", max_size=5),
    st.text(st.characters(exclude_categories=["Cs"]), max_size=4),
)


def both(few: pytest.MonkeyPatch, act: object) -> list[object]:
    """Return what comes of something as few rows are read, and as many are."""
    results = []
    for rows in (columns.FEW_ROWS, 0):
        few.setattr(columns, "FEW_ROWS", rows)
        try:
            results.append(act())  # type: ignore[operator]
        except DataError as error:
            results.append(str(error))
    return results


@settings(max_examples=60)
@given(st.lists(CELLS, max_size=8))
@example(["9" * 400])
@example(["1\n2"])
@example(["1", "1.2.3"])
@example(["1", "٣"])
def test_few_rows_are_read_as_many_are(cells: list[str | None]) -> None:
    array = pa.array(cells, pa.string())

    def texts() -> list[str]:
        found = distinct(array)
        return [found.texts[place] for place in found.index.tolist()]

    def values() -> object:
        read, which = numbers(array, Missing(("99",)), "spend")
        return [np.float64(value).tobytes() for value in read], None if which is None else which.tolist()

    with pytest.MonkeyPatch.context() as few:
        one, other = both(few, texts)
        assert one == other
    with pytest.MonkeyPatch.context() as few:
        one, other = both(few, values)
        assert one == other


@settings(max_examples=100)
@given(st.lists(CELLS, max_size=4), st.lists(CELLS, max_size=3), st.integers(1, 5), st.booleans())
@example(["1", "99", None], ["nan"], 3, True)
@example(["1", "", "2"], [], 4, True)
@example(["1", "", "2"], [], 4, False)
@example(["1.5", "2"], ["no number"], 4, False)
@example([":"], ["1e200"], 1, False)
@example([None], ["99"], 1, False)
def test_numbers_of_a_dictionary_are_those_of_its_rows(
    cells: list[str | None], unused: list[str | None], times: int, few: bool
) -> None:
    """Also where it holds texts that no row has, blank rows, and far fewer texts than rows."""
    texts = list(dict.fromkeys(text for text in [*unused, *cells] if text is not None))
    rows = cells * times
    places = pa.array([None if text is None else texts.index(text) for text in rows], pa.int32())
    array = pa.DictionaryArray.from_arrays(places, pa.array(texts, pa.string()))

    def read(column: Any) -> object:
        try:
            values, which = numbers(column, Missing(("99",)), "spend")
        except DataError as error:
            return str(error)
        return [
            np.float64(value + 0.0).tobytes() for value in values
        ], None if which is None else which.tolist()

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(columns, "FEW_ROWS", columns.FEW_ROWS if few else 0)
        assert read(array) == read(pa.array(rows, pa.string()))
        assert read(array.slice(len(cells))) == read(pa.array(rows[len(cells) :], pa.string()))


TELLS = """
import sys
from eager_otter.cli.main import main
sys.argv[1:] = {line}
try:
    main()
except SystemExit as end:
    assert not end.code, end.code
print(*sorted({{"pyarrow.compute", "pyarrow.parquet"}} & set(sys.modules)), file=sys.stderr)
"""


def loaded_by(line: str, folder: Path, **settings: str) -> list[str]:
    """Return what a command loads of the libraries that a look can do without."""
    code = TELLS.format(line=line.split())
    environment = {**os.environ, **settings}
    done = subprocess.run(
        [sys.executable, "-c", code],
        cwd=folder,
        env=environment,
        capture_output=True,
        check=True,
        text=True,
    )
    return done.stderr.splitlines()[-1].split()


@pytest.mark.parametrize("line", ["look heard_of -b region", "look liking", "questions", "run --list"])
def test_a_look_at_few_rows_loads_no_functions_of_arrow(demo: Path, line: str) -> None:
    """They are more than a twentieth of all that a command loads."""
    assert loaded_by(line, demo) == []


def lengthened(demo: Path, folder: Path, times: int) -> Path:
    """Copy the demo with so many more times its rows, each with an id of its own."""
    shutil.copytree(demo, folder)
    with (folder / "responses.csv").open("a", encoding="utf-8") as file:
        rows = (demo / "responses.csv").read_text("utf-8").splitlines()[1:]
        for time in range(times):
            file.writelines(f"{time}{row}\n" for row in rows)
    return folder


def test_a_look_at_some_thousand_rows_loads_none_either(demo: Path, tmp_path: Path) -> None:
    assert loaded_by("look heard_of -b region", lengthened(demo, tmp_path / "longer", 4)) == []


def test_of_many_values_most_are_taken_by_arrow(monkeypatch: pytest.MonkeyPatch) -> None:
    """What is taken one by one takes longer; it is worth it only while little else is read."""
    monkeypatch.setattr(columns, "_taken", columns._Taken())
    column = pa.array([f"{k}.5" for k in range(10_000)])
    one_by_one = []
    for _ in range(20):
        before = columns._taken.count
        assert numbers(column, Missing(), "spend")[0].tolist() == [k + 0.5 for k in range(10_000)]
        one_by_one.append(columns._taken.count > before)
    assert one_by_one == [True] * sum(one_by_one) + [False] * (20 - sum(one_by_one))
    assert 10 <= sum(one_by_one) <= 16


def test_a_second_look_at_a_long_file_loads_no_more_than_at_a_short_one(demo: Path, tmp_path: Path) -> None:
    folder = lengthened(demo, tmp_path / "long", 9)
    kept = {"EAGER_OTTER_CACHE": str(tmp_path / "kept")}
    loaded_by("look heard_of -b region", folder, **kept)
    assert list((tmp_path / "kept").rglob("*.zip"))
    assert loaded_by("look heard_of -b region", folder, **kept) == []


def test_a_look_at_parquet_loads_its_reader_alone(demo: Path, tmp_path: Path) -> None:
    folder = tmp_path / "parquet"
    shutil.copytree(demo, folder)
    pd.read_csv(demo / "responses.csv", dtype={"rid": str}).to_parquet(folder / "responses.parquet")
    plan = (demo / "plan.yaml").read_text("utf-8").replace("responses.csv", "responses.parquet")
    (folder / "plan.yaml").write_text(plan, "utf-8")
    assert loaded_by("look heard_of -b region", folder) == ["pyarrow.parquet"]


@given(
    st.one_of(
        st.tuples(st.sampled_from([pa.int8(), pa.uint8()]), st.lists(st.none() | st.integers(0, 127))),
        st.tuples(st.just(pa.int64()), st.lists(st.none() | st.integers(-(2**63), 2**63 - 1))),
        st.tuples(st.just(pa.uint64()), st.lists(st.none() | st.integers(0, 2**64 - 1))),
        st.tuples(st.just(pa.float32()), st.lists(st.none() | st.floats(width=32, allow_infinity=False))),
        st.tuples(st.just(pa.float64()), st.lists(st.none() | st.floats(-1e150, 1e150))),
    ),
    st.integers(0, 3),
)
def test_numbers_of_any_type_are_the_numbers(of_type: tuple[Any, list[float | None]], first: int) -> None:
    kind, values = of_type
    read, which = numbers(pa.array(values, kind).slice(first), Missing(("99",)), "spend")
    expected = [math.nan if value is None or value == 99 else float(value) for value in values[first:]]
    assert [str(number) for number in read] == [str(np.float64(number)) for number in expected]
    assert (which is None) == (99 not in values[first:])


@pytest.mark.parametrize("value", [1e151, -math.inf])
def test_a_number_that_is_too_large_is_told(value: float) -> None:
    with pytest.raises(DataError, match=r"'spend' should hold numbers.*row 2"):
        numbers(pa.array([1.0, value]), Missing(), "spend")
