"""Seeded simulations: where nothing differs, tests mark about as many pairs as their level says."""

from __future__ import annotations

import numpy as np
import pytest

from eager_otter.core.means import test_means as compare_means
from eager_otter.core.paired import paired_means, paired_proportions
from eager_otter.core.proportions import match_pairs
from eager_otter.core.proportions import test_proportions as compare_proportions
from eager_otter.core.sums import Sums

SAMPLES, PEOPLE = 4_000, 300
NEAR = (0.04, 0.06)  # 4,000 samples at 5 %: a standard error of 0.0034
PAIR = np.array([[0, 1]])


def members(overlap: bool) -> np.ndarray:
    """Who is in two columns (2, people), a third of the people in both where they overlap."""
    place = np.arange(PEOPLE) % 3
    return np.array([place <= 1, place >= 1]) if overlap else np.array([place == 0, place >= 1])


def weights(weighted: bool) -> np.ndarray:
    return np.random.default_rng(1).lognormal(0, 0.5, PEOPLE) if weighted else np.ones(PEOPLE)


def counted(y: np.ndarray, x: np.ndarray, w: np.ndarray, s: np.ndarray | None = None) -> Sums:
    """Sums of many samples at once: a row per sample; y (samples, people) says who is counted, s has values."""
    both = x[0] & x[1]
    base = [y @ (x * m).T.astype(float) for m in (np.ones_like(w), w, w**2)]
    pair = [y @ (both * m)[:, None] for m in (np.ones_like(w), w, w**2)]
    if s is None:
        return Sums(*base, *pair)
    valued = [(s**power) @ (x * w**k).T for power, k in ((1, 1), (2, 1), (1, 2), (2, 2))]
    paired = [(s**power) @ (both * w**2)[:, None] for power in (1, 2)]
    extremes = [np.array([[f(row[inside]) for inside in x] for row in s]) for f in (np.min, np.max)]
    return Sums(*base, *pair, *valued, *paired, *extremes)


@pytest.mark.parametrize("overlap", [False, True])
@pytest.mark.parametrize("weighted", [False, True])
def test_shares_of_two_columns(overlap: bool, weighted: bool) -> None:
    x, w = members(overlap), weights(weighted)
    rng = np.random.default_rng(11)
    y = (rng.random((SAMPLES, PEOPLE)) < 0.35).astype(float)
    shared = match_pairs(PAIR, PAIR if overlap else np.zeros((0, 2), np.int64))
    base = counted(np.ones((1, PEOPLE)), x, w)
    for method in ("pooled", "unpooled", "t", "linear"):
        found = compare_proportions(counted(y, x, w), base, PAIR, shared, method)  # type: ignore[arg-type]
        assert NEAR[0] <= (found.p_value <= 0.05).mean() <= NEAR[1] + (method == "unpooled") * 0.01, method


@pytest.mark.parametrize("overlap", [False, True])
@pytest.mark.parametrize("weighted", [False, True])
def test_means_of_two_columns(overlap: bool, weighted: bool) -> None:
    x, w = members(overlap), weights(weighted)
    s = np.random.default_rng(12).gamma(4.0, 1.0, (SAMPLES, PEOPLE))
    shared = match_pairs(PAIR, PAIR if overlap else np.zeros((0, 2), np.int64))
    sums = counted(np.ones((SAMPLES, PEOPLE)), x, w, s)
    for method in ("welch", "pooled"):
        found = compare_means(sums, PAIR, shared, method)  # type: ignore[arg-type]
        assert NEAR[0] <= (found.p_value <= 0.05).mean() <= NEAR[1], method


@pytest.mark.parametrize("weighted", [False, True])
def test_figures_of_the_same_people(weighted: bool) -> None:
    w = weights(weighted)
    rng = np.random.default_rng(13)
    level = rng.random((SAMPLES, PEOPLE))
    one, other = (rng.random((2, SAMPLES, PEOPLE)) < level).astype(float)
    everyone = np.ones((2, PEOPLE), bool)
    for d, compare in (
        (one - other, paired_proportions),
        (rng.normal(0, 1, (SAMPLES, PEOPLE)), paired_means),
    ):
        found = compare(counted(np.ones((SAMPLES, PEOPLE)), everyone, w, d))
        assert NEAR[0] <= (found.p_value[:, 0] <= 0.05).mean() <= NEAR[1]


def test_an_overlap_taken_for_two_samples_would_mark_far_too_few() -> None:
    x, w = members(overlap=True), np.ones(PEOPLE)
    y = (np.random.default_rng(14).random((SAMPLES, PEOPLE)) < 0.35).astype(float)
    nobody = match_pairs(PAIR, np.zeros((0, 2), np.int64))
    found = compare_proportions(counted(y, x, w), counted(np.ones((1, PEOPLE)), x, w), PAIR, nobody)
    assert (found.p_value <= 0.05).mean() < 0.02
