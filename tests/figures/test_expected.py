"""Expected counts and standardised residuals, against scipy, statsmodels and a loop over people."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats.contingency import expected_freq
from statsmodels.stats.contingency_tables import Table

import eager_otter as otter

Small = Callable[..., otter.Survey]
BOOK = """
weight: wt
questions:
  area: {kind: single, answers: {1: North, 2: East, 3: South}}
  shop: {kind: multi, columns: {s_1: Corner, s_2: Market}}
  q: {kind: single, answers: {1: Low, 2: Middle, 3: High}, nets: [{label: Upper, of: [2, 3]}]}
"""
FIGURES = ("count", "expected count", "standardised residual")
AREAS = ("North", "East", "South")


def opened(seed: int, people: int = 200, *, weighted: bool) -> tuple[otter.Survey, pd.DataFrame]:
    rng = np.random.default_rng(seed)
    frame = pd.DataFrame(
        {
            "area": rng.integers(1, 4, people),
            "q": rng.choice([1, 2, 3, np.nan], people, p=[0.4, 0.3, 0.2, 0.1]),
        }
    )
    frame["s_1"], frame["s_2"] = rng.integers(0, 2, people), rng.integers(0, 2, people)
    frame["wt"] = rng.uniform(0.4, 2.5, people) if weighted else 1.0
    return otter.open_survey(otter.codebook_from_text(BOOK), frame), frame


def figures_of(
    table: otter.Table, figure: str, rows: tuple[str, ...] = ("Low", "Middle", "High")
) -> np.ndarray:
    return np.array([[table.value(row, area, figure) for area in AREAS] for row in rows])


@given(st.integers(0, 500))
def test_unweighted_they_are_those_of_scipy_and_statsmodels(seed: int) -> None:
    survey, frame = opened(seed, weighted=False)
    table = survey.table("q", "area", figures=FIGURES)
    counts = pd.crosstab(frame.q, frame.area).to_numpy()
    np.testing.assert_allclose(figures_of(table, "expected count"), expected_freq(counts))
    np.testing.assert_allclose(
        figures_of(table, "standardised residual"), Table(counts, shift_zeros=False).standardized_resids
    )


@given(st.integers(0, 500))
@pytest.mark.slow
def test_weighted_they_are_those_of_a_loop_over_people(seed: int) -> None:
    survey, frame = opened(seed, weighted=True)
    table = survey.table("q", "area", figures=FIGURES)
    there = frame[frame.q.notna()]
    for row, code in (("Low", [1]), ("High", [3]), ("Upper", [2, 3])):
        for k, area in enumerate(AREAS, 1):
            inside, rest = there[there.area == k], there[there.area != k]
            gave = there[there.q.isin(code)]
            assert table.value(row, area, "expected count") == pytest.approx(
                inside.wt.sum() * gave.wt.sum() / there.wt.sum()
            )
            p1, p2 = ((part.wt * part.q.isin(code)).sum() / part.wt.sum() for part in (inside, rest))
            e1, e2 = (part.wt.sum() ** 2 / (part.wt**2).sum() for part in (inside, rest))
            p = (e1 * p1 + e2 * p2) / (e1 + e2)
            z = (p1 - p2) / np.sqrt(p * (1 - p) * (1 / e1 + 1 / e2))
            assert table.value(row, area, "standardised residual") == pytest.approx(z)


def test_expected_counts_keep_the_margins_of_what_was_counted() -> None:
    survey, _ = opened(4, weighted=True)
    table = survey.table("q", "area", figures=FIGURES)
    counts, expected = figures_of(table, "count"), figures_of(table, "expected count")
    np.testing.assert_allclose(expected.sum(axis=0), counts.sum(axis=0))
    np.testing.assert_allclose(expected.sum(axis=1), counts.sum(axis=1))


def test_where_columns_share_people_and_in_the_total_there_is_none(small: Small) -> None:
    survey, _ = opened(5, weighted=False)
    table = survey.table("q", ["shop", "area"], figures=FIGURES)
    for name in ("Corner", "Market", "Total"):
        assert np.isnan(table.value("Low", name, "expected count")) and np.isnan(
            table.value("Low", name, "standardised residual")
        )
    assert not np.isnan(table.value("Low", "North", "expected count"))
    shown = str(table).splitlines()
    row = next(line for line in shown if "exp." in line)
    assert row.split()[1:3] == ["n/a", "n/a"], (
        "the Total is blank, columns that share people say that there is none"
    )


def test_their_workings_give_them(small: Small) -> None:
    survey, _ = opened(6, weighted=True)
    table = survey.table("q", "area", figures=FIGURES)
    for figure in FIGURES[1:]:
        worked = table.explain("High", "East", figure)
        told = float(worked.worked.rpartition("= ")[2].replace(",", ""))
        assert told == pytest.approx(table.value("High", "East", figure), rel=1e-8)
        pattern = (
            worked.worked.rpartition(" = ")[0]
            .replace("×", "*")
            .replace("−", "-")
            .replace("√", "np.sqrt")
            .replace(",", "")
        )
        assert eval(pattern, {"np": np}) == pytest.approx(told, rel=1e-6)


def test_a_table_without_a_banner_and_a_number_cannot_have_them(small: Small) -> None:
    survey, _ = opened(7, weighted=False)
    with pytest.raises(otter.RequestError, match="needs a banner group"):
        survey.table("q", figures=["expected count"])
