"""Pairs compared when somebody asks: intervals of differences and difference rows, against loops over people."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from math import sqrt

import numpy as np
import pytest
from statsmodels.stats.proportion import proportion_confint

import eager_otter as otter
from independent import item_mean_test

Small = Callable[..., otter.Survey]
RNG = np.random.default_rng(15)
PEOPLE = 260
ITEMS = """
weight: wt
questions:
  a: {kind: single, scale: true, label: Then, answers: {1: Poor, 2: Fair, 3: Good}, nets: [{label: Gap, difference: {plus: [3], minus: [1]}}]}
  b: {kind: single, scale: true, label: Now, answers: {1: Poor, 2: Fair, 3: Good}, nets: [{label: Gap, difference: {plus: [3], minus: [1]}}]}
  m: {kind: multi, label: At home, columns: {m1: Tarn, m2: Skerrow, m3: Fizz}, nets: [{label: Lead, difference: {plus: [1], minus: [2]}}]}
  n: {kind: multi, label: Outside, columns: {n1: Tarn, n2: Skerrow, n3: Fizz}, nets: [{label: Lead, difference: {plus: [1], minus: [2]}}]}
"""


def drawn() -> dict[str, np.ndarray]:
    """Answers of which some are missing, tied to each other, with weights."""
    a = RNG.integers(1, 4, PEOPLE).astype(float)
    b = np.where(RNG.random(PEOPLE) < 0.6, a, RNG.integers(1, 4, PEOPLE))
    ticks = {f"{side}{k}": (RNG.random(PEOPLE) < 0.2 * k).astype(float) for side in "mn" for k in (1, 2, 3)}
    a[RNG.random(PEOPLE) < 0.15] = np.nan
    b[RNG.random(PEOPLE) < 0.1] = np.nan
    for side, share in (("m", 0.1), ("n", 0.2)):
        missing = RNG.random(PEOPLE) < share
        for k in (1, 2, 3):
            ticks[f"{side}{k}"][missing] = np.nan
    return {"a": a, "b": b, **ticks, "wt": RNG.uniform(0.3, 2.5, PEOPLE)}


def newcombe(sides: Sequence[tuple[float, float]], phi: float, level: float) -> tuple[float, float]:
    """The interval of p1 − p2 in points, of (share, effective base) twice."""
    (p1, _), (p2, _) = sides
    (l1, u1), (l2, u2) = (
        proportion_confint(p * e, e, alpha=1 - level / 100, method="wilson") for p, e in sides
    )
    low = p1 - p2 - sqrt((p1 - l1) ** 2 + (u2 - p2) ** 2 - 2 * phi * (p1 - l1) * (u2 - p2))
    high = p1 - p2 + sqrt((u1 - p1) ** 2 + (p2 - l2) ** 2 - 2 * phi * (u1 - p1) * (p2 - l2))
    return 100 * low, 100 * high


@pytest.mark.parametrize("level", [95.0, 80.0])
def test_the_interval_between_two_items_allows_for_who_answers_both(small: Small, level: float) -> None:
    columns = drawn()
    survey = small(ITEMS, **columns)
    table = survey.items_table(["a", "b"], shape="answers by items", levels=(level,))
    w = columns["wt"]
    there = [~np.isnan(columns[name]) for name in "ab"]
    for code, label in ((1, "Poor"), (2, "Fair"), (3, "Good")):
        y = [(columns[name] == code).astype(float) for name in "ab"]
        share = [(w * own)[inside].sum() / w[inside].sum() for own, inside in zip(y, there, strict=True)]
        apart = [
            np.where(inside, w * (own - p) / w[inside].sum(), 0.0)
            for own, p, inside in zip(y, share, there, strict=True)
        ]
        phi = float(apart[0] @ apart[1] / sqrt((apart[0] @ apart[0]) * (apart[1] @ apart[1])))
        effective = [w[inside].sum() ** 2 / (w[inside] ** 2).sum() for inside in there]
        (test,) = table.explain(label, "Now").tests
        sides = list(zip(share, effective, strict=True))
        if test.difference * (share[0] - share[1]) < 0:
            sides.reverse()
        assert test.difference == pytest.approx(100 * (sides[0][0] - sides[1][0]))
        assert (test.low, test.high) == pytest.approx(newcombe(sides, phi, level))


@pytest.mark.parametrize("items", [["a", "b"], ["m", "n"]])
@pytest.mark.parametrize("base", ["all", None])
def test_difference_rows_of_items_are_tested_on_the_base_asked_for(
    small: Small, items: list[str], base: str
) -> None:
    columns = drawn()
    survey = small(ITEMS, **columns)
    table = survey.items_table(items, shape="answers by items", base=base)  # type: ignore[arg-type]
    label = "Gap" if items == ["a", "b"] else "Lead"

    def score(name: str) -> list[float | None]:
        if name in columns:
            own = columns[name]
            values, there = 100.0 * (own == 3) - 100.0 * (own == 1), ~np.isnan(own)
        else:
            values = 100.0 * (columns[f"{name}1"] == 1) - 100.0 * (columns[f"{name}2"] == 1)
            there = ~np.isnan(columns[f"{name}1"])
        return [
            float(v) if t else (0.0 if base == "all" else None) for v, t in zip(values, there, strict=True)
        ]

    people = list(zip(columns["wt"].tolist(), *(score(name) for name in items), strict=True))
    gap, t, p = item_mean_test(people)
    (test,) = table.explain(label, "Now" if label == "Gap" else "Outside").tests
    assert abs(test.difference) == pytest.approx(abs(gap))
    assert abs(test.statistic) == pytest.approx(abs(t)) and test.p_value == pytest.approx(p)
    assert np.sign(test.difference * test.statistic) == 1


def test_the_interval_between_overlapping_columns_and_their_order(small: Small) -> None:
    columns = drawn()
    survey = small(ITEMS, **columns)
    table = survey.table("a", "m")
    w, inside_base = columns["wt"], ~np.isnan(columns["a"])
    for code, row in ((1, "Poor"), (3, "Good")):
        for first, one in ((1, "Tarn"), (2, "Skerrow")):
            for test in table.explain(row, one).tests:
                second = {"Tarn": 1, "Skerrow": 2, "Fizz": 3}[test.other.split(": ")[1].split(" (")[0]]
                sides = []
                for k in (first, second):
                    own = inside_base & (columns[f"m{k}"] == 1)
                    sides.append(((w * (columns["a"] == code))[own].sum() / w[own].sum(), w[own].sum() ** 2 / (w[own] ** 2).sum()))  # fmt: skip
                both = inside_base & (columns[f"m{first}"] == 1) & (columns[f"m{second}"] == 1)
                squares = [(w[inside_base & (columns[f"m{k}"] == 1)] ** 2).sum() for k in (first, second)]
                phi = (w[both] ** 2).sum() / sqrt(squares[0] * squares[1])
                assert test.difference == pytest.approx(100 * (sides[0][0] - sides[1][0]))
                assert (test.low, test.high) == pytest.approx(newcombe(sides, float(phi), 95.0))


def test_an_answer_left_out_is_in_no_net_and_no_difference(small: Small) -> None:
    book = """
    questions:
      q: {kind: single, answers: {1: Yes, 2: Perhaps, 3: No}, nets: [{label: Only no, of: [3]}, {label: Sure, of: [1, 3]}, {label: Lead, difference: {plus: [1], minus: [3]}}]}
    """
    survey = small(book, q=[1, 1, 1, 2, 3, 3, 3, 3])
    whole = survey.table("q")
    assert (whole.value("Lead", "Total"), whole.value("Sure", "Total")) == pytest.approx((-12.5, 87.5))
    table = survey.table("q", leave_out="No")
    assert [line.label for line in table.body] == ["Yes", "Perhaps", "Sure", "Lead"]
    assert (table.value("Lead", "Total"), table.value("Sure", "Total")) == pytest.approx((75.0, 75.0))


def test_an_answer_without_a_score_is_on_no_side_of_a_difference(small: Small) -> None:
    book = """
    questions:
      q: {kind: single, scale: true, answers: {1: Bad, 2: Middling, 3: Good, 4: {label: Never tried, score: none}}, nets: [{label: Lead, difference: {plus: [3], minus: [1]}}]}
    """
    given = [1, 2, 3, 3, 3, 4, 4, 4, 4]
    table = small(book, q=given).table("q", figures=["column percent", "mean"])
    assert table.value("Lead", "Total") == pytest.approx(100 * (3 - 1) / 5)
