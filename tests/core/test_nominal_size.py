"""Seeded simulations: where nothing differs, tests mark about as many pairs as their level says."""

from __future__ import annotations

import numpy as np
import pytest

from eager_otter.core.means import test_means as compare_means
from eager_otter.core.paired import SharedAnswers, SharedValues
from eager_otter.core.paired import test_item_means as compare_item_means
from eager_otter.core.paired import test_item_proportions as compare_item_proportions
from eager_otter.core.proportions import match_pairs
from eager_otter.core.proportions import test_proportions as compare_proportions
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.significance.registry import mean_test, share_test

SAMPLES, PEOPLE = 4_000, 300
NEAR = (0.04, 0.06)  # 4,000 samples at 5 %: a standard error of 0.0034
PAIR = np.array([[0, 1]])


def members(overlap: bool) -> np.ndarray:
    """Who is in two columns (2, people), a third of the people in both where they overlap."""
    place = np.arange(PEOPLE) % 3
    return np.array([place <= 1, place >= 1]) if overlap else np.array([place == 0, place >= 1])


def weights(weighted: bool) -> np.ndarray:
    return np.random.default_rng(1).lognormal(0, 0.5, PEOPLE) if weighted else np.ones(PEOPLE)


def counted(y: np.ndarray, x: np.ndarray, w: np.ndarray) -> Sums:
    """Sums of many samples at once: a row per sample; y (samples, people) says who is counted."""
    both = x[0] & x[1]
    base = [y @ (x * m).T.astype(float) for m in (np.ones_like(w), w, w**2)]
    pair = [y @ (both * m)[:, None] for m in (np.ones_like(w), w, w**2)]
    return Sums(*base, *pair)


def valued(s: np.ndarray, x: np.ndarray, w: np.ndarray) -> ValueSums:
    """The same of values s (samples, people), which everybody has."""
    both, plain = x[0] & x[1], counted(np.ones_like(s), x, w)
    mean = s @ (x * w).T / (x * w).sum(axis=1)
    away = s[:, None, :] - mean[:, :, None]
    squares, w2_squares = ((away**2 * x * w**k).sum(axis=2) for k in (1, 2))
    products = (away[:, 0] * away[:, 1] * both * w**2).sum(axis=1)[:, None]
    extremes = [np.array([[f(row[inside]) for inside in x] for row in s]) for f in (np.min, np.max)]
    own = [getattr(plain, name) for name in ("n", "w", "w2", "pair_n", "pair_w", "pair_w2")]
    return ValueSums(*own, mean, np.zeros_like(mean), squares, w2_squares, products, *extremes)


@pytest.mark.parametrize("overlap", [False, True])
@pytest.mark.parametrize("weighted", [False, True])
def test_shares_of_two_columns(overlap: bool, weighted: bool) -> None:
    x, w = members(overlap), weights(weighted)
    rng = np.random.default_rng(11)
    y = (rng.random((SAMPLES, PEOPLE)) < 0.35).astype(float)
    shared = match_pairs(PAIR, PAIR if overlap else np.zeros((0, 2), np.int64))
    base = counted(np.ones((1, PEOPLE)), x, w)
    for method in ("pooled", "unpooled", "t", "linear"):
        found = compare_proportions(counted(y, x, w), base, PAIR, shared, share_test(method))
        assert NEAR[0] <= (found.p_value <= 0.05).mean() <= NEAR[1] + (method == "unpooled") * 0.01, method


@pytest.mark.parametrize("overlap", [False, True])
@pytest.mark.parametrize("weighted", [False, True])
@pytest.mark.slow
def test_means_of_two_columns(overlap: bool, weighted: bool) -> None:
    x, w = members(overlap), weights(weighted)
    s = np.random.default_rng(12).gamma(4.0, 1.0, (SAMPLES, PEOPLE))
    shared = match_pairs(PAIR, PAIR if overlap else np.zeros((0, 2), np.int64))
    sums = valued(s, x, w)
    for method in ("welch", "pooled"):
        found = compare_means(sums, PAIR, shared, mean_test(method))
        assert NEAR[0] <= (found.p_value <= 0.05).mean() <= NEAR[1], method


@pytest.mark.parametrize("weighted", [False, True])
def test_figures_of_the_same_people(weighted: bool) -> None:
    w = weights(weighted)
    rng = np.random.default_rng(16)
    level = rng.random((SAMPLES, PEOPLE))
    one, other = (rng.random((2, SAMPLES, PEOPLE)) < level).astype(float)
    answered = np.array([rng.random(PEOPLE) < 0.8, rng.random(PEOPLE) < 0.9])  # each item on its own base
    both = answered[0] & answered[1]
    gave = [
        np.stack([y @ (b * w**k) for y, b in zip((one, other), answered, strict=True)], axis=1)
        for k in (0, 1, 2)
    ]
    base = [np.array([[(b * w**k).sum() for b in answered]]) for k in (0, 1, 2)]
    none = np.zeros((SAMPLES, 0))

    def shared(who: np.ndarray) -> np.ndarray:
        return (who * both * w**2).sum(axis=1)[:, None]

    people = SharedAnswers(
        people=np.full((SAMPLES, 1), both.sum()),
        base=np.full((SAMPLES, 1), (both * w**2).sum()),
        both_gave=shared(one * other),
        first_gave=shared(one),
        second_gave=shared(other),
    )
    found = compare_item_proportions(
        Sums(*gave, none, none, none), Sums(*base, none, none, none), PAIR, people
    )
    assert NEAR[0] <= (found.p_value[:, 0] <= 0.05).mean() <= NEAR[1]

    trait = rng.normal(0, 1, (SAMPLES, PEOPLE))
    values = [trait + rng.normal(0, 1, (SAMPLES, PEOPLE)) for _ in range(2)]
    mean = [(s * answered[k] * w).sum(axis=1) / (answered[k] * w).sum() for k, s in enumerate(values)]
    away = [s - m[:, None] for s, m in zip(values, mean, strict=True)]
    squares = [
        np.stack([(a**2 * answered[k] * w**p).sum(axis=1) for k, a in enumerate(away)], axis=1)
        for p in (1, 2)
    ]
    ends = [np.full((SAMPLES, 2), end) for end in (-9.0, 9.0)]
    means = np.stack(mean, axis=1)
    own = [np.repeat(one, SAMPLES, axis=0) for one in base]
    sums = ValueSums(*own, none, none, none, means, np.zeros_like(means), *squares, none, *ends)
    products = SharedValues(people=people.people, products=shared(away[0] * away[1]))
    found = compare_item_means(sums, PAIR, products)
    assert NEAR[0] <= (found.p_value[:, 0] <= 0.05).mean() <= NEAR[1]


def test_an_overlap_taken_for_two_samples_would_mark_far_too_few() -> None:
    x, w = members(overlap=True), np.ones(PEOPLE)
    y = (np.random.default_rng(14).random((SAMPLES, PEOPLE)) < 0.35).astype(float)
    nobody = match_pairs(PAIR, np.zeros((0, 2), np.int64))
    found = compare_proportions(
        counted(y, x, w), counted(np.ones((1, PEOPLE)), x, w), PAIR, nobody, share_test("pooled")
    )
    assert (found.p_value <= 0.05).mean() < 0.02
