"""Intervals of medians and other quantiles, against a count of people and by how often they hold the true value."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from scipy.stats import norm

import eager_otter as otter

Small = Callable[..., otter.Survey]
BOOK = """
weight: wt
questions:
  area: {kind: single, answers: {1: North, 2: East}}
  glasses: {kind: number}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}
"""


def quantile(values: np.ndarray, w: np.ndarray, q: float) -> float:
    """The first value whose cumulated share exceeds q, or the midpoint of it and the next where it equals it."""
    order = np.argsort(values, kind="stable")
    values, shares = values[order], np.cumsum(w[order]) / w.sum()
    place = int(np.argmax(shares >= q - 1e-9))
    equal = abs(shares[place] - q) <= 1e-9 and place + 1 < len(values)
    return float((values[place] + values[place + 1]) / 2) if equal else float(values[place])


@pytest.mark.parametrize(
    ("figure", "q"),
    [("median", 0.5), ("lower quartile", 0.25), ("upper quartile", 0.75), ("percentile 90", 0.9)],
)
@pytest.mark.parametrize("level", [95.0, 80.0])
def test_ends_are_the_quantiles_at_the_ends_of_the_interval_of_the_share(
    small: Small, figure: str, q: float, level: float
) -> None:
    rng = np.random.default_rng(1)
    area, values, w = (
        rng.integers(1, 3, 160),
        rng.integers(0, 40, 160).astype(float),
        rng.uniform(0.3, 3, 160),
    )
    table = small(BOOK, area=area, glasses=values, liking=[1] * 160, wt=w).table("glasses", "area", figures=[figure, f"{figure} interval"], levels=(level,))  # fmt: skip
    for code, name in ((1, "North"), (2, "East")):
        own, weights = values[area == code], w[area == code]
        e = weights.sum() ** 2 / (weights**2).sum()
        half = norm.ppf(0.5 + level / 200) * np.sqrt(q * (1 - q) / e)
        low, high = (line for line in table.lines if line.figure.startswith(f"{figure} interval"))
        place = table.column_position(name)
        assert low.values[place] == quantile(own, weights, q - half)
        assert high.values[place] == quantile(own, weights, q + half)
        assert low.values[place] <= table.value(figure.capitalize(), name) <= high.values[place]
    assert low.label.startswith(f"{level:g} % interval of ") and low.label.endswith(", from")
    told = table.explain(low.label, "North")
    assert "Woodruff" in told.formula and told.value == low.values[table.column_position("North")]
    left, _, right = told.also[0].removeprefix("share: ").rpartition(" = ")
    shares = eval(left.replace("×", "*").replace("−", "-").replace("√", "np.sqrt"), {"np": np})
    assert shares == pytest.approx(float(right), rel=1e-8) and float(right) == pytest.approx(
        dict(told.terms)["share"]
    )


def test_an_end_whose_share_is_not_between_0_and_1_is_not_there(small: Small) -> None:
    table = small(BOOK, area=[1] * 3 + [2] * 3, glasses=[1, 2, 3, 4, 5, 6], liking=[1] * 6, wt=[1] * 6).table("glasses", "area", figures=["percentile 90 interval"])  # fmt: skip
    low, high = (line for line in table.lines if line.kind == "summary")
    assert not np.isnan(low.values).any() and np.isnan(high.values[1:]).all()


def test_a_scale_has_them_too_a_nominal_question_not(small: Small) -> None:
    survey = small(BOOK, area=[1, 2] * 30, glasses=[1] * 60, liking=[1, 2, 3] * 20, wt=[1] * 60)
    table = survey.table("liking", "area", figures=["median interval"])
    assert [line.values[0] for line in table.lines if line.kind == "summary"] == [2.0, 2.0]
    with pytest.raises(otter.RequestError, match="neither a number nor a scale"):
        survey.table("area", "liking", figures=["median interval"])


@pytest.mark.slow
def test_the_true_median_is_held_about_as_often_as_the_level_says() -> None:
    rng = np.random.default_rng(9)
    held = []
    book = otter.codebook_from_text("questions:\n  glasses: {kind: number}\n")
    import pandas as pd

    for _ in range(400):
        survey = otter.open_survey(book, pd.DataFrame({"glasses": rng.gamma(2.0, 3.0, 60)}))
        low, high = (
            line.values[0]
            for line in survey.table("glasses", figures=["median interval"]).lines
            if line.kind == "summary"
        )
        held.append(low <= 5.035 <= high)
    assert 0.92 <= np.mean(held) <= 0.985
