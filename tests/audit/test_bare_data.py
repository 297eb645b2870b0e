"""The audit of data that nobody has described: one of each slip in the messy export, none in the clean demo."""

from __future__ import annotations

import csv
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest

import eager_otter as otter

PEOPLE = 1_200


def test_the_messy_export_yields_each_slip_once(demo: Path) -> None:
    audit = otter.audit_data(demo / "spoiled" / "export.csv")
    with (demo / "spoiled" / "export_slips.csv").open(encoding="utf-8") as file:
        wanted = list(csv.DictReader(file))
    assert Counter((slip.name, slip.where) for slip in audit.slips) == Counter(
        (slip["slip"], slip["question"]) for slip in wanted
    )
    found = {slip.name: slip for slip in audit.slips}
    for slip in wanted:
        rows = slip["rows"].split()
        one = found[slip["slip"]]
        if rows and one.respondents:
            assert one.count == len(rows), slip
            assert [name.removeprefix("row ") for name in one.respondents] == rows[:5], slip
        assert one.remedy.endswith(".") and "{n}" not in one.message


def test_the_clean_demo_is_quiet(demo: Path) -> None:
    assert otter.audit_data(demo / "responses.csv").slips == ()


def clean(seed: int) -> pd.DataFrame:
    """Make up answers without a slip."""
    random = np.random.default_rng(seed)
    grid = {f"st_{k}": random.integers(1, 6, PEOPLE) for k in range(1, 9)}
    return pd.DataFrame(
        {
            "rid": np.arange(PEOPLE) + 7_000,
            "minutes": random.normal(20, 4, PEOPLE).clip(9).round(1),
            "region": random.choice(["North", "East", "South-West"], PEOPLE),
            "glasses": random.poisson(6, PEOPLE),
            "spend": random.lognormal(2, 0.8, PEOPLE).round(2),
            "day": random.choice([f"2026-03-{k:02}" for k in range(2, 29)], PEOPLE),
            "heard": random.choice(["Tarn; Birk", "Tarn", "Birk", "Birk; Fjell", "Fjell"], PEOPLE),
            **grid,
        }
    ).astype("string")


Spoil = Callable[[pd.DataFrame], Any]


def put(column: str, rows: list[int], text: str) -> Spoil:
    def spoil(frame: pd.DataFrame) -> None:
        frame.loc[rows, column] = text

    return spoil


def again(frame: pd.DataFrame) -> None:
    for name in frame.columns.difference(["rid", "day"]):
        frame.loc[900, name] = frame.loc[4, name]


def straight(frame: pd.DataFrame) -> None:
    frame.loc[[3, 8, 9], [f"st_{k}" for k in range(1, 9)]] = "2"


@pytest.mark.parametrize(
    ("slip", "where", "spoil", "count"),
    [
        ("id that repeats", "rid", put("rid", [5, 6, 7], "7000"), 4),
        ("id that repeats", "rid", put("rid", [5], "7000"), 2),
        ("answers that differ in spelling", "region", put("region", [1, 2], "South–West"), 2),
        ("answers that differ in spelling", "region", put("region", [1, 2], "north"), 2),
        ("answer given once", "region", put("region", [77], "Nrth"), 1),
        ("code outside the scale", "st_3", put("st_3", [4, 5], "55"), 2),
        ("numbers stored as text", "glasses", put("glasses", [4, 5, 6], "a few"), 3),
        ("numbers stored as text", "spend", put("spend", [4], "1,204.50"), 1),
        ("number far out", "glasses", put("glasses", [40, 41], "999"), 2),
        ("number far out", "spend", put("spend", [40], "99999"), 1),
        ("number far out", "minutes", put("minutes", [40], "900"), 1),
        ("interview too fast", "minutes", put("minutes", [2, 3], "1.5"), 2),
        ("date outside the field period", "day", put("day", [2], "2025-03-09"), 1),
        ("date outside the field period", "day", put("day", [2], "2126-03-09"), 1),
        ("damaged characters", "region", put("region", list(range(100)), "SÃ¼den"), 100),
        ("row that repeats", "data", again, 1),
        ("same answer down a grid", "st", straight, 3),
    ],
)  # fmt: skip
@pytest.mark.parametrize("seed", [1, 2])
def test_a_slip_is_found_where_it_was_made(
    slip: str, where: str, spoil: Spoil, count: int, seed: int
) -> None:
    frame = clean(seed)
    assert otter.audit_data(frame).slips == ()
    spoil(frame)
    found = otter.audit_data(frame).slips
    assert (slip, where, count) in [(one.name, one.where, one.count) for one in found]
    far = (
        {"number far out"} if where == "spend" else set()
    )  # 1,204.50 is as far out as it is with no mark in it
    assert {one.name for one in found} <= {slip, "answer given once", *far}
    assert slip != "numbers stored as text" or where != "spend" or far <= {one.name for one in found}


@pytest.mark.parametrize(
    ("column", "values", "slip"),
    [
        ("wave", ["1"] * PEOPLE, "constant column"),
        ("hint", ["loud", *[None] * (PEOPLE - 1)], "column almost empty"),
        ("why", ["Taste", "Bubbles, many", "Bubbles, many, Taste", "Price", "Price, Taste"] * 240, "ambiguous joined answers"),
    ],
)  # fmt: skip
def test_a_whole_column_may_be_a_slip(column: str, values: list[str | None], slip: str) -> None:
    frame = clean(1)
    frame[column] = pd.array(values, "string")
    assert [one.name for one in otter.audit_data(frame).slips] == [slip]


def test_numbers_that_are_only_skewed_are_no_slip() -> None:
    random = np.random.default_rng(3)
    for numbers in (
        random.lognormal(3, 1.2, PEOPLE),
        random.exponential(20, PEOPLE),
        random.poisson(0.2, PEOPLE),
    ):
        frame = pd.DataFrame({"rid": np.arange(PEOPLE), "n": numbers.round(2)})
        assert not [one for one in otter.audit_data(frame).slips if one.name == "number far out"]


def test_a_second_column_of_ids_is_no_slip_unless_one_repeats() -> None:
    frame = clean(1)
    frame.insert(1, "record", pd.array([str(k) for k in range(PEOPLE)], "string"))
    assert otter.audit_data(frame).slips == ()
    frame.loc[9, "record"] = "8"
    (slip,) = otter.audit_data(frame).slips
    assert (slip.name, slip.where, slip.count) == ("id that repeats", "record", 2)


def with_last_row(**cells: str) -> pd.DataFrame:
    frame = clean(1)
    last = {name: cells.get(name) for name in frame.columns}
    return pd.concat([frame, pd.DataFrame([last]).astype("string")], ignore_index=True)


def total_of(column: str) -> str:
    return f"{clean(1)[column].astype(float).sum():.10g}"


@pytest.mark.parametrize(
    ("cells", "told"),
    [
        ({"rid": "Total", "spend": "sum"}, "spend"),
        ({"region": "Gesamt:", "minutes": "sum"}, "minutes"),
        ({"spend": "sum", "minutes": "sum"}, "minutes, spend"),
        ({"rid": "7000", "region": "North", "spend": "sum"}, ""),  # one sum alone may be chance
        ({"rid": "Total", "spend": "17"}, ""),
    ],
)
def test_a_last_row_of_totals_is_told(cells: dict[str, str], told: str) -> None:
    row = {name: total_of(name) if cell == "sum" else cell for name, cell in cells.items()}
    found = [one for one in otter.audit_data(with_last_row(**row)).slips if one.name == "row of totals"]
    assert len(found) == bool(told)
    if told:
        names = found[0].message.removeprefix("The last row holds the sums of ").partition(", and counts")[0]
        assert set(names.split(", ")) == set(told.split(", "))
        assert found[0].respondents[0].startswith(f"row {PEOPLE + 1}")
