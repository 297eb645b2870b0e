"""The small numbers of `docs/statistics.md`, worked on data that give them."""

from __future__ import annotations

from math import sqrt
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from scipy import stats

import eager_otter as otter

TEXT = (Path(__file__).parents[2] / "docs" / "statistics.md").read_text(encoding="utf-8").replace("\n", " ")
BOOK = """
questions:
  region: {kind: single, answers: {1: North, 2: East}}
  drinks: {kind: multi, columns: {d_1: Tarn, d_2: Brookfizz}}
  likes: {kind: single, answers: {1: Yes, 0: No}}
"""


def survey(**columns: list[int]) -> otter.Survey:
    rows = max(len(values) for values in columns.values())
    usual = {"region": [1] * rows, "d_1": [1] * rows, "d_2": [0] * rows, "likes": [0] * rows}
    return otter.open_survey(otter.codebook_from_text(BOOK), pd.DataFrame({**usual, **columns}))


def two_regions(north: tuple[int, int], east: tuple[int, int]) -> otter.Table:
    """So many of so many say yes in each of two regions."""
    regions = [1] * north[1] + [2] * east[1]
    likes = [1] * north[0] + [0] * (north[1] - north[0]) + [1] * east[0] + [0] * (east[1] - east[0])
    return survey(region=regions, likes=likes).table("likes", banner="region", levels=(95,))


def p_of(table: otter.Table) -> float:
    explained = str(table.explain("Yes", "North"))
    return float(explained.partition("P = ")[2].split()[0].rstrip(".,;:"))


@pytest.mark.parametrize(
    ("north", "east", "said", "letters"),
    [
        ((120, 300), (90, 300), "(P = 0.010)", "B"),
        ((90, 300), (105, 300), "(P = 0.19)", ""),
    ],
)
def test_what_a_letter_means(north: tuple[int, int], east: tuple[int, int], said: str, letters: str) -> None:
    table = two_regions(north, east)
    share, other = north[0] / north[1], east[0] / east[1]
    pooled = (north[0] + east[0]) / (north[1] + east[1])
    z = (share - other) / sqrt(pooled * (1 - pooled) * (1 / north[1] + 1 / east[1]))
    p = 2 * stats.norm.sf(abs(z))
    assert p_of(table) == pytest.approx(p, abs=0.0006)
    assert said in TEXT and f"{p:.3f}".startswith(said.removeprefix("(P = ").rstrip(")"))
    assert f"{north[0]} of {north[1]}" in TEXT and f"{east[0]} of {east[1]}" in TEXT
    shown = table.frame().query("row == 'Yes' and column == 'North' and figure == 'letters'")["text"]
    assert shown.tolist() == ([letters] if letters else [])


def test_bases_and_their_intervals() -> None:
    for base, points in ((20, 22), (100, 10), (400, 5), (1000, 3)):
        assert round(100 * 1.96 * sqrt(0.25 / base)) == points
        assert f"| {base:,} | ± {points} points |" in TEXT


def test_the_effective_base() -> None:
    frame = pd.DataFrame({"region": [1] * 200, "d_1": 1, "d_2": 0, "likes": 1, "wt": [1] * 100 + [3] * 100})
    weighted = otter.open_survey(otter.codebook_from_text("weight: wt\n" + BOOK), frame)
    bases = weighted.table("likes", figures=["count"]).frame().query("row_kind == 'base'")["value"].tolist()
    assert bases == [200, 400, 160]
    assert "weigh 400" in TEXT and "as precise as 160 unweighted ones" in TEXT


def test_overlap() -> None:
    """200 and 200 people of whom 100 are in both: 60, 40 and 40 say yes of the one, of both, of the other."""
    tarn = [1] * 200 + [0] * 100
    both = [0] * 100 + [1] * 200
    likes = [1] * 60 + [0] * 40 + [1] * 40 + [0] * 60 + [1] * 40 + [0] * 60
    table = survey(d_1=tarn, d_2=both, likes=likes).table("likes", banner="drinks", levels=(95,))
    explained = str(table.explain("Yes", "Tarn"))
    found = float(explained.partition("z = ")[2].split()[0].rstrip(".,;"))
    apart = 0.1 / sqrt(0.45 * 0.55 * 2 / 200)
    assert f"z = {apart:.2f};" in TEXT
    assert f"z = {found:.2f}." in TEXT
    y, in_one, in_other = (np.array(values) for values in (likes, tarn, both))
    variance = float((((y - 0.45) * (in_one / 200 - in_other / 200)) ** 2).sum())
    assert found == pytest.approx(0.1 / sqrt(variance), abs=0.0001)


def test_many_comparisons() -> None:
    pairs = len(list(zip(*np.triu_indices(4, 1), strict=True)))
    assert pairs == 6 and pairs * 10 * 0.05 == 3
    assert "Four columns make six pairs. Ten rows make sixty tests, of which three" in TEXT
