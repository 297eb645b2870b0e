"""Numbers of so many values that not all are kept: medians, their intervals and tests are those of all values."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.core import value_counts
from eager_otter.counting.passes import Values
from eager_otter.counting.running import InTurn
from eager_otter.data import files

BOOK = """
weight: wt
questions:
  wave: {kind: single, label: Wave, answers: {1: Spring, 2: Summer, 3: Autumn}}
  tried: {kind: multi, label: Tried, columns: {t_1: Tarn, t_2: Brookfizz, t_3: Quillwater}, ticked: [1], unticked: [0]}
  spend: {kind: number, label: Spend}
"""
FIGURES = [
    "median",
    "lower quartile",
    "upper quartile",
    "percentile 90",
    "median interval",
    "percentile 90 interval",
]
REQUEST = {
    "question": "spend",
    "banner": ["wave", "tried"],
    "figures": FIGURES,
    "tests": {"medians": "mood"},
}


def spends(rng: np.random.Generator, people: int, how: str) -> Any:
    """Draw amounts: spread over many sizes and both signs, close to each other, or few besides many."""
    match how:
        case "wide":
            return rng.choice([-1, 1], people) * 10.0 ** rng.uniform(-140, 140, people)
        case "narrow":
            return 1000 + rng.uniform(0, 1e-9, people)
        case "ties":
            return np.where(rng.random(people) < 0.7, rng.integers(0, 3, people), rng.uniform(0, 3, people))
        case _:
            return rng.lognormal(3, 1, people).round(2)


def drawn(seed: int, people: int, how: str) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    columns = {"wave": rng.integers(1, 4, people), "wt": rng.integers(1, 4, people) / 2.0}
    columns |= {f"t_{k}": (rng.random(people) < 0.4).astype(int) for k in (1, 2, 3)}
    columns["spend"] = np.where(rng.random(people) < 0.1, np.nan, spends(rng, people, how))
    return pd.DataFrame(columns)


class Noting:
    """Counts in turn, and notes the passes for values and how many ranges they kept."""

    def __init__(self) -> None:
        self.kept: list[int] = []

    def count(self, one_pass: Any, responses: Any, tell: Any = None) -> Any:
        state = InTurn().count(one_pass, responses, tell)
        if isinstance(one_pass, Values):
            self.kept.append(max(one.low.size for one in state.sets))
        return state


@given(
    st.integers(0, 10_000),
    st.integers(1, 400),
    st.sampled_from(["wide", "narrow", "ties", "usual"]),
    st.sampled_from([1, 7, 30]),
    st.integers(20, 100),
)
@settings(max_examples=25, suppress_health_check=[HealthCheck.too_slow])
def test_ranges_of_values_change_no_quantile_and_no_letter(
    seed: int, people: int, how: str, most: int, rows: int
) -> None:
    frame, book = drawn(seed, people, how), otter.codebook_from_text(BOOK)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", rows)
        survey = otter.open_survey(book, frame).weighted_by("wt")
        (whole,) = survey.tables([REQUEST])
        patch.setattr(value_counts, "MOST_RANGES", most)
        (counted,) = survey.tables([REQUEST])
    assert [(one.figure, one.letters, one.marks) for one in counted.lines] == [
        (one.figure, one.letters, one.marks) for one in whole.lines
    ]
    for one, other in zip(counted.lines, whole.lines, strict=True):
        np.testing.assert_array_equal(one.values, other.values, err_msg=one.figure)
    assert counted.notes == whole.notes


def test_medians_are_those_of_the_people_of_each_column() -> None:
    """An independent computation, from the frame: sorted by value, weights cumulated."""
    frame, book = drawn(3, 3000, "usual"), otter.codebook_from_text(BOOK)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", 250)
        patch.setattr(value_counts, "MOST_RANGES", 60)
        survey = otter.open_survey(book, frame).weighted_by("wt")
        table = survey.table("spend", banner=["wave"], figures=["median"])
    (line,) = [line for line in table.lines if line.figure == "median"]
    for wave, value in enumerate(line.values[1:].tolist(), 1):
        own = frame[(frame.wave == wave) & frame.spend.notna()].sort_values("spend")
        share = own.wt.cumsum() / own.wt.sum()
        assert value == own.spend[share > 0.5].iloc[0]


def test_memory_does_not_grow_with_the_number_of_values(monkeypatch: pytest.MonkeyPatch) -> None:
    """Twenty times the people, all with another value, are counted in as many ranges, and in a few passes."""
    monkeypatch.setattr(files, "PART_ROWS", 500)
    monkeypatch.setattr(value_counts, "MOST_RANGES", 600)
    kept = {}
    for people in (2_000, 40_000):
        noting = Noting()
        survey = otter.open_survey(otter.codebook_from_text(BOOK), drawn(5, people, "narrow"))
        replace(survey, runner=noting).table("spend", banner=["wave", "tried"], figures=["median"])
        kept[people] = noting.kept
    assert all(2 <= len(passes) <= 8 for passes in kept.values())
    assert max(kept[40_000]) <= 600
