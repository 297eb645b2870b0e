"""Centred sums, thin pairs, columns without deviation, intervals: each against exact or independent computation."""

from __future__ import annotations

import time
from fractions import Fraction
from math import sqrt

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.proportion import confint_proportions_2indep, proportion_confint, proportions_ztest

from eager_otter.core.association import WholeTableTest, two_way
from eager_otter.core.cells import group_from_memberships, make_cells
from eager_otter.core.intervals import difference_interval, mean_difference_interval, wilson_interval
from eager_otter.core.means import moments
from eager_otter.core.means import test_means as compare_means
from eager_otter.core.proportions import SharedPairs, match_pairs
from eager_otter.core.proportions import test_proportions as compare_proportions
from eager_otter.core.sums import Finisher, Sums
from eager_otter.core.tally import CodedRows, ProductRows, ValueRows, tally
from eager_otter.significance.registry import mean_test, methods_for, share_test

PAIR = np.array([[1, 2]])


def summed(
    values: np.ndarray, inside: np.ndarray, weights: np.ndarray | None = None
) -> tuple[Sums, SharedPairs]:
    """Sums of a number by columns (Total first), and which of the first two columns share people."""
    columns = make_cells([group_from_memberships(inside)], values.size)
    finisher = Finisher(tally([ValueRows(values)], columns, weights=weights), columns)
    return finisher.values(0), match_pairs(PAIR, finisher.pairs)


def counted(
    gave: np.ndarray, inside: np.ndarray, weights: np.ndarray | None = None
) -> tuple[Sums, Sums, SharedPairs]:
    """Sums of an answer and of its base by columns (Total first)."""
    columns = make_cells([group_from_memberships(inside)], gave.size)
    finisher = Finisher(tally([CodedRows(gave.astype(np.uint8), 2)], columns, weights=weights), columns)
    sums = finisher.counts([(0, np.array([[0.0, 1.0], [1.0, 1.0]]))])
    return sums.rows([0]), sums.rows([1]), match_pairs(PAIR, finisher.pairs)


def exact_variance(values: np.ndarray, weights: np.ndarray) -> float:
    """(Σw(s−m)²/Σw)·n/(n−1) in fractions."""
    s, w = [Fraction(float(v)) for v in values], [Fraction(float(v)) for v in weights]
    mean = sum(a * b for a, b in zip(w, s, strict=True)) / sum(w)
    squares = sum(a * (b - mean) ** 2 for a, b in zip(w, s, strict=True))
    return float(squares / sum(w) * len(s) / (len(s) - 1))


@pytest.mark.parametrize("level", [0.0, 1e6, 1e8])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_scores_as_large_as_a_hundred_million_keep_their_deviation(level: float, seed: int) -> None:
    rng = np.random.default_rng(seed)
    inside = rng.random((2, 300)) < 0.6
    values, weights = level + rng.integers(0, 11, 300).astype(float), rng.uniform(0.2, 4, 300)
    found = moments(summed(values, inside, weights)[0])
    for column, who in enumerate([np.ones(300, bool), *inside]):
        expected = sqrt(exact_variance(values[who], weights[who]))
        assert found.standard_deviation[0, column] == pytest.approx(expected, rel=1e-9)


@pytest.mark.parametrize("far", [9999999999.0, 1e15, -1e12])
def test_a_far_out_value_in_another_column_changes_nothing_here(far: float) -> None:
    rng = np.random.default_rng(4)
    inside = np.zeros((3, 200), bool)
    inside[0, :80], inside[1, 80:160], inside[2, 160:] = True, True, True
    values = rng.integers(1, 6, 200).astype(float)
    plain, shared = summed(values, inside)
    values[170] = far
    spoiled, _ = summed(values, inside)
    one, other = moments(plain), moments(spoiled)
    np.testing.assert_array_equal(one.standard_deviation[0, 1:3], other.standard_deviation[0, 1:3])
    tests = [compare_means(sums, PAIR, shared, mean_test("welch")) for sums in (plain, spoiled)]
    assert tests[0].p_value[0, 0] == tests[1].p_value[0, 0] > 0


@given(st.integers(0, 10_000), st.integers(1, 99), st.floats(0, 1e8))
def test_parts_merged_pairwise_give_the_products_and_deviations_of_the_whole(
    seed: int, cut: int, level: float
) -> None:
    rng = np.random.default_rng(seed)
    first, second = level + rng.normal(0, 3, (2, 100))
    first[rng.random(100) < 0.2] = np.nan
    weights, inside = rng.uniform(0.1, 3, 100), rng.random((2, 100)) < 0.5

    def counts(rows: slice):
        columns = make_cells([group_from_memberships(inside[:, rows])], inside[:, rows].shape[1])
        parts = [ValueRows(first[rows]), ProductRows(first[rows], second[rows])]
        return tally(parts, columns, weights=weights[rows]), columns

    whole, columns = counts(slice(None))
    added = counts(slice(0, cut))[0] + counts(slice(cut, None))[0]
    one, other = Finisher(whole, columns), Finisher(added, columns)
    found = [moments(finisher.values(0)).variance for finisher in (one, other)]
    np.testing.assert_allclose(found[0], found[1], rtol=1e-9)
    there = ~np.isnan(first)
    means = [(w * s).sum() / w.sum() for s, w in ((first[there], weights[there]), (second, weights))]
    expected = (weights**2 * (first - means[0]) * (second - means[1]))[there].sum()
    for finisher in (one, other):
        products, people = finisher.products(1, ((means[0], 0.0), (means[1], 0.0)))
        assert people == there.sum()
        assert products == pytest.approx(expected, rel=1e-6, abs=1e-6)


def test_nobody_of_twenty_against_eight_percent_is_no_finding_where_columns_share_people() -> None:
    # 20 people of a brand, of whom 5 drink the other one too; 0 of them gave the answer, 23 of 285 did
    inside = np.zeros((2, 300), bool)
    inside[0, :20], inside[1, 15:] = True, True
    gave = np.zeros(300, bool)
    gave[50:73] = True
    answers, base, shared = counted(gave, inside)
    found = compare_proportions(answers, base, PAIR, shared, share_test("pooled"))
    assert found.p_value[0, 0] == pytest.approx(0.18, abs=0.01)
    p1, p2, p = 0.0, 23 / 285, 23 / 305
    x = inside[0] / 20 - inside[1] / 285
    assert found.p_value[0, 0] == pytest.approx(
        2 * stats.norm.sf(abs(p1 - p2) / sqrt(p * (1 - p) * (x**2).sum()))
    )
    linear = compare_proportions(answers, base, PAIR, shared, share_test("linear"))
    assert linear.p_value[0, 0] == found.p_value[0, 0]


@pytest.mark.parametrize("method", ["unpooled", "linear"])
@pytest.mark.parametrize(
    ("small", "large"), [((1, 30), (40, 300)), ((29, 30), (299, 300)), ((0, 10), (9, 200))]
)
def test_a_thin_pair_is_tested_with_the_pooled_variance(
    method: str, small: tuple[int, int], large: tuple[int, int]
) -> None:
    inside = np.zeros((2, small[1] + large[1]), bool)
    inside[0, : small[1]], inside[1, small[1] :] = True, True
    gave = np.zeros(inside.shape[1], bool)
    gave[: small[0]], gave[small[1] : small[1] + large[0]] = True, True
    answers, base, shared = counted(gave, inside)
    found = compare_proportions(answers, base, PAIR, shared, share_test(method))
    expected = proportions_ztest([small[0], large[0]], [small[1], large[1]])
    assert (found.statistic[0, 0], found.p_value[0, 0]) == pytest.approx(expected, abs=1e-12)


def test_unpooled_is_itself_where_enough_are_expected() -> None:
    inside = np.repeat(np.eye(2, dtype=bool), 100, axis=1)
    gave = np.zeros(200, bool)
    gave[:30], gave[100:150] = True, True
    answers, base, shared = counted(gave, inside)
    found = compare_proportions(answers, base, PAIR, shared, share_test("unpooled"))
    assert found.statistic[0, 0] == pytest.approx(-0.2 / sqrt(0.3 * 0.7 / 100 + 0.5 * 0.5 / 100))


def test_unpooled_with_both_variances_0_is_the_pooled_test() -> None:
    inside = np.repeat(np.eye(2, dtype=bool), 40, axis=1)
    gave = np.repeat([True, False], 40)  # all here, nobody there: p(1 − p) is 0 in both
    answers, base, shared = counted(gave, inside)
    found = compare_proportions(answers, base, PAIR, shared, share_test("unpooled"))
    assert found.statistic[0, 0] == pytest.approx(1 / sqrt(0.25 * (1 / 40 + 1 / 40)))


def test_a_share_of_one_less_a_rounding_error_is_taken_as_one() -> None:
    base = Sums(*[np.array([[200.0, 100.0, 100.0]])] * 3, *[np.zeros((1, 0))] * 3)
    nearly = Sums(*[np.array([[150.0, 100.0 * (1 - 1e-16 * 3), 50.0]])] * 3, *[np.zeros((1, 0))] * 3)
    shared = match_pairs(PAIR, np.zeros((0, 2), np.int64))
    found = compare_proportions(nearly, base, PAIR, shared, share_test("unpooled"))
    exact = Sums(*[np.array([[150.0, 100.0, 50.0]])] * 3, *[np.zeros((1, 0))] * 3)
    assert (
        found.p_value[0, 0]
        == compare_proportions(exact, base, PAIR, shared, share_test("unpooled")).p_value[0, 0]
        > 0
    )


@pytest.mark.filterwarnings("ignore:Precision loss")  # SciPy's, about the column where all are alike
@pytest.mark.parametrize("method", ["welch", "pooled"])
def test_a_unanimous_column_is_tested_with_the_pooled_variance(method: str) -> None:
    inside = np.repeat(np.eye(2, dtype=bool), 30, axis=1)
    values = np.concatenate([np.full(30, 5.0), np.tile([3.0, 4.0, 5.0], 10)])
    sums, shared = summed(values, inside)
    found = compare_means(sums, PAIR, shared, mean_test(method))
    expected = stats.ttest_ind(values[:30], values[30:])
    assert (found.statistic[0, 0], found.p_value[0, 0]) == pytest.approx(tuple(expected))
    assert found.degrees[0, 0] == 58


def test_a_unanimous_column_that_shares_people_with_another_is_tested_too() -> None:
    rng = np.random.default_rng(6)
    inside = np.zeros((2, 60), bool)
    inside[0, :25], inside[1, 20:] = True, True  # 5 are in both
    values = np.where(np.arange(60) < 25, 4.0, rng.integers(1, 6, 60))
    weights = rng.uniform(0.5, 2, 60)
    sums, shared = summed(values, inside, weights)
    found = compare_means(sums, PAIR, shared, mean_test("welch"))
    total = [(weights * x).sum() for x in inside]
    e = [t**2 / (weights**2 * x).sum() for t, x in zip(total, inside, strict=True)]
    m = moments(sums)
    vp = (e[1] - 1) * m.variance[0, 2] / (sum(e) - 2)
    v = vp * (weights**2 * (inside[0] / total[0] - inside[1] / total[1]) ** 2).sum()
    either = weights[inside.any(axis=0)]
    assert found.statistic[0, 0] == pytest.approx((m.mean[0, 1] - m.mean[0, 2]) / sqrt(v))
    assert found.degrees[0, 0] == pytest.approx(either.sum() ** 2 / (either**2).sum() - 2)


def test_wilson_intervals_agree_with_statsmodels() -> None:
    counts, sizes = np.array([0, 1, 13, 40, 40]), np.array([20, 30, 40, 41, 40])
    low, high = wilson_interval(counts[None] / sizes, sizes[None].astype(float), 90.0)
    for k, (count, size) in enumerate(zip(counts, sizes, strict=True)):
        expected = proportion_confint(count, size, alpha=0.1, method="wilson")
        assert (low[0, k], high[0, k]) == pytest.approx(expected, abs=1e-12)
    assert low[0, 0] == 0.0 and high[0, 4] == 1.0  # exactly, at nobody and at all
    assert np.isnan(wilson_interval(np.array([[np.nan]]), np.array([[0.0]]), 95.0)).all()


@pytest.mark.parametrize(("one", "other"), [((5, 40), (30, 60)), ((0, 20), (0, 20)), ((3, 20), (5, 180))])
def test_newcombe_intervals_of_separate_columns_agree_with_statsmodels(
    one: tuple[int, int], other: tuple[int, int]
) -> None:
    share = np.array([[one[0] / one[1], other[0] / other[1]]])
    ends = wilson_interval(share, np.array([[float(one[1]), float(other[1])]]), 95.0)
    first, second = np.array([0]), np.array([1])
    low, high = difference_interval(share, ends, first, second, np.zeros(1))
    expected = confint_proportions_2indep(*one, *other, compare="diff", method="newcomb")
    assert (low[0, 0], high[0, 0]) == pytest.approx(expected, abs=1e-9)


def test_an_overlap_narrows_the_interval_of_a_difference() -> None:
    share = np.array([[0.3, 0.5]])
    ends = wilson_interval(share, np.array([[100.0, 100.0]]), 95.0)
    widths = []
    for phi in (0.0, 0.4, 1.0):
        low, high = difference_interval(share, ends, np.array([0]), np.array([1]), np.array([phi]))
        widths.append(high[0, 0] - low[0, 0])
    assert widths[0] > widths[1] > widths[2] >= 0


def test_the_interval_of_a_difference_of_means_is_that_of_its_test() -> None:
    rng = np.random.default_rng(8)
    one, other = rng.normal(3, 1, 40), rng.normal(3.4, 2, 50)
    inside = np.zeros((2, 90), bool)
    inside[0, :40], inside[1, 40:] = True, True
    sums, shared = summed(np.concatenate([one, other]), inside)
    found = compare_means(sums, PAIR, shared, mean_test("welch"))
    gap = np.array([one.mean() - other.mean()])
    low, high = mean_difference_interval(gap, found.error[0], found.degrees[0], 95.0)
    expected = stats.ttest_ind(one, other, equal_var=False).confidence_interval(0.95)
    assert (low[0], high[0]) == pytest.approx((expected.low, expected.high))


def whole_table_test(n: np.ndarray, w: np.ndarray, w2: np.ndarray) -> WholeTableTest | None:
    table = two_way(n, w, w2)
    return methods_for(table)[0].test(table) if table.testable else None


def test_fisher_is_worked_out_only_where_chi_square_cannot_be_trusted() -> None:
    large = np.array(
        [[1e7, 1.1e7], [0.9e7, 1e7]]
    )  # 40 million people: all tables of these margins would take long
    start = time.perf_counter()
    found = whole_table_test(large, large, large)
    assert found is not None and np.isnan(found.exact) and not found.doubtful
    assert found.deciding == found.p_value and time.perf_counter() - start < 5
    thin = np.array([[3.0, 1.0], [1.0, 6.0]])
    exact = whole_table_test(thin, thin, thin)
    assert exact is not None and exact.doubtful
    assert exact.exact == pytest.approx(stats.fisher_exact(thin).pvalue) and exact.deciding == exact.exact
    several = np.array([[3.0, 1.0, 2.0], [1.0, 2.0, 1.0]])
    doubtful = whole_table_test(several, several, several)
    assert doubtful is not None and np.isnan(doubtful.deciding)  # neither test can be trusted
