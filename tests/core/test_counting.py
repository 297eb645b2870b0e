"""The core: tallies that add up, and tests of columns against independent computation."""

from __future__ import annotations

import math
from dataclasses import fields
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.proportion import proportions_ztest
from statsmodels.stats.weightstats import CompareMeans, DescrStatsW

from eager_otter.core import cells as cells_module
from eager_otter.core.arrays import effective_base
from eager_otter.core.cells import (
    ColumnCells,
    ColumnGroup,
    column_membership,
    group_from_memberships,
    make_cells,
    plan_sets,
)
from eager_otter.core.means import moments as core_moments
from eager_otter.core.means import test_means as means_tested
from eager_otter.core.proportions import match_pairs
from eager_otter.core.proportions import test_proportions as proportions_tested
from eager_otter.core.sums import Finisher
from eager_otter.core.tally import CodedRows, ProductRows, Tally, ValueRows, tally
from eager_otter.significance.registry import mean_test as mean_method
from eager_otter.significance.registry import share_test
from independent import mean_test, moments, proportion_test


class Case:
    """Random people: an answer code 0..3 (3 = none), a value, weights, one plain and one overlapping group."""

    def __init__(self, seed: int, people: int) -> None:
        rng = np.random.default_rng(seed)
        self.codes = rng.integers(0, 4, people).astype(np.uint8)
        self.values = np.where(rng.random(people) < 0.1, np.nan, rng.normal(1e6, 2.0, people))
        self.weights = rng.uniform(0.1, 4.0, people)
        self.plain = rng.integers(0, 4, people).astype(np.uint8)  # 3: in none of the three columns
        self.inside = rng.random((3, people)) < 0.5
        self.people = people

    def cells(self, rows: slice = slice(None)):
        groups = [
            ColumnGroup(self.plain[rows], np.eye(3, 4, dtype=bool)),
            group_from_memberships(self.inside[:, rows]),
        ]
        return make_cells(groups, len(self.plain[rows]))

    def tally(self, rows: slice = slice(None), **changes):
        parts = [CodedRows(self.codes[rows], 4), ValueRows(self.values[rows])]
        weights = changes.get("weights", self.weights)
        return tally(parts, self.cells(rows), weights=None if weights is None else weights[rows])

    def sums(self, counted=None):
        finisher = Finisher(counted or self.tally(), self.cells())
        table = np.array([[1.0, 0, 0, 0], [0, 1, 1, 0], [1, 1, 1, 0]])
        return finisher, finisher.counts([(0, table)]), finisher.values(1)

    def columns_of(self, k: int) -> set[int]:
        own = {0} | ({1 + int(self.plain[k])} if self.plain[k] < 3 else set())
        return own | {4 + c for c in range(3) if self.inside[c, k]}


PAIRS = np.array([(1, 2), (1, 3), (2, 3), (4, 5), (4, 6), (5, 6)])


@given(st.integers(0, 10_000), st.integers(2, 60), st.integers(1, 59))
def test_tallies_of_parts_add_up_to_the_tally_of_the_whole(seed: int, people: int, cut: int) -> None:
    case = Case(seed, people)
    cut = min(cut, people - 1)
    added = case.tally(slice(0, cut)) + case.tally(slice(cut, None))
    whole = case.tally()
    columns = case.cells()
    for pick in ("n", "w", "w2"):
        parts = getattr(Finisher(added, columns).counts([(0, np.eye(4))]), pick)
        np.testing.assert_allclose(parts, getattr(Finisher(whole, columns).counts([(0, np.eye(4))]), pick))
    one, other = (Finisher(some, columns).values(1) for some in (added, whole))
    for pick in ("n", "lowest", "highest", "squares", "w2_squares", "pair_products"):
        np.testing.assert_allclose(getattr(one, pick), getattr(other, pick), rtol=1e-9, atol=1e-9)
    np.testing.assert_allclose(core_moments(one).mean, core_moments(other).mean, rtol=1e-14)


@given(st.integers(0, 10_000), st.floats(0.01, 50))
def test_weights_times_a_constant_change_no_share_no_effective_base_and_no_test(seed: int, k: float) -> None:
    case = Case(seed, 50)
    found = []
    for weights in (case.weights, case.weights * k):
        finisher, answers, values = case.sums(case.tally(weights=weights))
        shared = match_pairs(PAIRS, finisher.pairs)
        base = answers.rows([2])
        tests = proportions_tested(answers, base, PAIRS, shared, share_test("pooled"))
        means = means_tested(values, PAIRS, shared, mean_method("welch"))
        found.append([answers.w / base.w, effective_base(base.w, base.w2), tests.p_value, means.p_value])
    for one, other in zip(*found, strict=True):
        np.testing.assert_allclose(one, other, rtol=1e-7)


@given(st.integers(0, 10_000))
def test_weights_of_one_equal_no_weights(seed: int) -> None:
    case = Case(seed, 40)
    _, weighted, values = case.sums(case.tally(weights=np.ones(40)))
    _, plain, plain_values = case.sums(case.tally(weights=None))
    for pick in ("n", "w", "w2", "pair_n", "pair_w2"):
        np.testing.assert_array_equal(getattr(weighted, pick), getattr(plain, pick))
    np.testing.assert_allclose(core_moments(values).variance, core_moments(plain_values).variance)


def test_frequencies_count_as_so_many_equal_people() -> None:
    case = Case(3, 30)
    times = np.random.default_rng(1).integers(0, 4, 30).astype(float)
    often = np.repeat(np.arange(30), times.astype(int))
    parts = [CodedRows(case.codes, 4), ValueRows(case.values)]
    counted = tally(parts, case.cells(), weights=case.weights, frequencies=times)
    groups = [
        ColumnGroup(case.plain[often], np.eye(3, 4, dtype=bool)),
        group_from_memberships(case.inside[:, often]),
    ]
    columns = make_cells(groups, often.size)
    long = tally([CodedRows(case.codes[often], 4)], columns, weights=case.weights[often])
    short = Finisher(counted, case.cells()).counts([(0, np.eye(4))])
    spread = Finisher(long, columns).counts([(0, np.eye(4))])
    np.testing.assert_allclose(short.n, spread.n)
    np.testing.assert_allclose(short.w2, spread.w2)


@pytest.mark.parametrize("seed", range(6))
def test_proportion_tests_agree_with_a_loop_over_people(seed: int) -> None:
    case = Case(seed, 90)
    finisher, answers, _ = case.sums()
    shared = match_pairs(PAIRS, finisher.pairs)
    tests = proportions_tested(answers, answers.rows([2]), PAIRS, shared, share_test("pooled"))
    people = [
        (float(case.weights[k]), case.columns_of(k), case.codes[k] == 0)
        for k in range(90)
        if case.codes[k] < 3
    ]
    for pair, (a, b) in enumerate(PAIRS):
        z, p = proportion_test(people, int(a), int(b))
        assert tests.statistic[0, pair] == pytest.approx(z, abs=1e-9)
        assert tests.p_value[0, pair] == pytest.approx(p, abs=1e-9)
    assert tests.shared[0].tolist() == [False] * 3 + [True] * 3


def test_unweighted_proportions_agree_with_statsmodels() -> None:
    case = Case(11, 400)
    finisher, answers, _ = case.sums(case.tally(weights=None))
    base = answers.rows([2])
    tests = proportions_tested(
        answers, base, PAIRS[:3], match_pairs(PAIRS[:3], finisher.pairs), share_test("pooled")
    )
    for pair, (a, b) in enumerate(PAIRS[:3]):
        z, p = proportions_ztest(answers.n[0, [a, b]], base.n[0, [a, b]])
        assert tests.statistic[0, pair] == pytest.approx(z, abs=1e-9)
        assert tests.p_value[0, pair] == pytest.approx(p, abs=1e-9)


@pytest.mark.parametrize("seed", range(6))
def test_means_agree_with_a_loop_over_people(seed: int) -> None:
    case = Case(seed, 90)
    finisher, _, values = case.sums()
    found = core_moments(values)
    tests = means_tested(values, PAIRS, match_pairs(PAIRS, finisher.pairs), mean_method("welch"))
    people = [
        (float(case.weights[k]), case.columns_of(k), float(case.values[k]))
        for k in range(90)
        if not np.isnan(case.values[k])
    ]
    for column in range(1, 7):
        mean, variance, effective = moments(people, column)
        assert found.mean[0, column] == pytest.approx(mean, rel=1e-12)
        assert found.variance[0, column] == pytest.approx(variance, rel=1e-8)
        assert found.effective[0, column] == pytest.approx(effective)
    for pair, (a, b) in enumerate(PAIRS):
        t, p = mean_test(people, int(a), int(b))
        assert tests.statistic[0, pair] == pytest.approx(t, abs=1e-7)
        assert tests.p_value[0, pair] == pytest.approx(p, abs=1e-7)


def test_unweighted_means_agree_with_scipy_and_weighted_ones_with_statsmodels() -> None:
    case = Case(21, 200)
    finisher, _, values = case.sums(case.tally(weights=None))
    tests = means_tested(values, PAIRS[:1], match_pairs(PAIRS[:1], finisher.pairs), mean_method("welch"))
    there = ~np.isnan(case.values)
    one, two = (case.values[there & (case.plain == k)] for k in (0, 1))
    expected = stats.ttest_ind(one, two, equal_var=False)
    assert tests.statistic[0, 0] == pytest.approx(expected.statistic, abs=1e-9)
    assert tests.p_value[0, 0] == pytest.approx(expected.pvalue, abs=1e-9)
    _, p, df = CompareMeans(DescrStatsW(one), DescrStatsW(two)).ttest_ind(usevar="unequal")
    assert (tests.p_value[0, 0], tests.degrees[0, 0]) == pytest.approx((p, df), abs=1e-7)


def test_no_test_where_all_or_none_answer_and_where_neither_column_has_spread() -> None:
    everyone = np.zeros(8, np.uint8)
    values = np.array([1.0, 1, 1, 1, 3, 3, 3, 3])
    groups = [ColumnGroup(np.repeat([0, 1], 4).astype(np.uint8), np.eye(2, dtype=bool))]
    columns = make_cells(groups, 8)
    finisher = Finisher(tally([CodedRows(everyone, 2), ValueRows(values)], columns), columns)
    pair = np.array([(1, 2)])
    shared = match_pairs(pair, finisher.pairs)
    answers = finisher.counts([(0, np.array([[1.0, 0], [0, 1], [1, 1]]))])
    assert np.isnan(
        proportions_tested(answers, answers.rows([2]), pair, shared, share_test("pooled")).p_value
    ).all()
    assert np.isnan(means_tested(finisher.values(1), pair, shared, mean_method("welch")).p_value).all()


def test_columns_of_the_same_people_are_never_tested() -> None:
    inside = np.ones((2, 20), bool)
    columns = make_cells([group_from_memberships(inside)], 20)
    codes = np.arange(20).astype(np.uint8) % 2
    finisher = Finisher(tally([CodedRows(codes, 2)], columns), columns)
    pair = np.array([(1, 2)])
    answers = finisher.counts([(0, np.array([[1.0, 0], [1, 1]]))])
    tests = proportions_tested(
        answers, answers.rows([1]), pair, match_pairs(pair, finisher.pairs), share_test("pooled")
    )
    assert np.isnan(tests.p_value).all() and tests.shared.all()


@given(st.integers(0, 2**32 - 1), st.integers(1, 60), st.booleans(), st.booleans())
def test_columns_cut_into_pieces_give_the_sums_of_columns_counted_whole(
    seed: int, people: int, weighted: bool, often: bool
) -> None:
    rng = np.random.default_rng(seed)
    inside = rng.random((5, people)) < 0.5
    part = [rng.integers(0, 3, people).astype(np.uint8), rng.normal(1e6, 1, people), rng.normal(0, 1, people)]
    part[1][rng.random(people) < 0.2] = np.nan
    weights = rng.random(people) * (rng.random(people) < 0.9) if weighted else None
    frequencies = rng.integers(0, 4, people).astype(float) if often else None
    plain = ColumnGroup((np.arange(people) % 2).astype(np.uint8), np.eye(2, dtype=bool)[:, : min(people, 2)])
    compared = np.array([(1, 2), (3, 4), (4, 7), (5, 6)])
    cut = int(rng.integers(0, people + 1))

    def columns(rows: slice) -> ColumnCells:
        groups = [ColumnGroup(plain.cell[rows], plain.members), group_from_memberships(inside[:, rows])]
        planned = plan_sets([(2, 2), (5, 32)], compared)
        return make_cells(groups, part[0][rows].size, compared, planned)

    def tallied(rows: slice) -> Tally:
        rows_of = [
            CodedRows(part[0][rows], 3),
            ValueRows(part[1][rows]),
            ProductRows(part[1][rows], part[2][rows]),
        ]
        given_weights, given_often = (None if each is None else each[rows] for each in (weights, frequencies))
        return tally(rows_of, columns(rows), weights=given_weights, frequencies=given_often)

    def counted(whole: ColumnCells, sums: Tally) -> list[Any]:
        finisher = Finisher(sums, whole)
        order = np.lexsort(finisher.pairs.T[::-1])
        scores = np.array([1.0, np.nan, 3.0])
        of_rows = [finisher.counts([(0, np.eye(3))]), finisher.scores(0, scores), finisher.values(1)]
        arrays = [(field.name, getattr(one, field.name)) for one in of_rows for field in fields(one)]
        ordered = [array[:, order] if name.startswith("pair_") else array for name, array in arrays]
        centre = (float(np.nanmean(part[1])) if np.isfinite(part[1]).any() else 0.0, 0.0), (0.0, 0.0)
        members = [column_membership(whole, k) for k in range(whole.columns)]
        return [finisher.pairs[order], members, finisher.products(2, centre), *ordered]

    everyone = slice(0, people)
    in_one = counted(columns(everyone), tallied(everyone))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(cells_module, "MOST_CELLS", -1)
        patch.setattr(cells_module, "PIECE", 2)
        whole = columns(everyone)
        in_pieces = counted(whole, tallied(everyone))
        in_parts = counted(whole, tallied(slice(0, cut)) + tallied(slice(cut, people)))
    for others in (in_pieces, in_parts):
        for one, other in zip(in_one, others, strict=True):
            np.testing.assert_allclose(one, other, rtol=1e-7, atol=1e-7)


@given(st.integers(0, 10_000), st.integers(1, 300), st.floats(1e-3, 1e6))
def test_sums_of_weights_do_not_depend_on_the_order_of_rows_nor_on_what_is_counted_beside(
    seed: int, people: int, scale: float
) -> None:
    """To the last bit; and they are right to 13 digits, against sums without any rounding."""
    rng = np.random.default_rng(seed)
    weights = rng.lognormal(0, 1, people) * scale
    codes = [rng.integers(0, size, people).astype(np.uint8) for size in (3, 7, 5, 9)]
    cell = rng.integers(0, 4, people).astype(np.uint8)
    order = rng.permutation(people)

    def counted(chosen: list[int], rows: np.ndarray) -> Tally:
        columns = make_cells(
            [ColumnGroup(cell[rows], np.eye(4, dtype=bool))], people, planned=plan_sets([(4, 4)])
        )
        parts = [CodedRows(codes[k][rows], (3, 7, 5, 9)[k]) for k in chosen]
        return tally(parts, columns, weights=weights[rows]).ordered()

    alone = counted([1], np.arange(people)).sums[0][0]
    for chosen in ([1, 0], [2, 1], [0, 1, 2, 3]):
        beside = counted(chosen, order).sums[0][chosen.index(1)]
        np.testing.assert_array_equal(alone, beside)
    for measure, terms in ((1, weights), (2, weights**2)):
        totals = [math.fsum(terms[codes[1] == code]) for code in range(7)]
        np.testing.assert_allclose(alone[measure].sum(axis=1), totals, rtol=1e-13, atol=1e-13 * terms.max())


def test_cells_are_planned_from_what_is_possible_and_not_from_what_some_data_hold() -> None:
    planned = plan_sets([(3, 4), (3, 8), (12, 4096)])
    assert [one.columns.tolist() for one in planned] == [[0, 1, 2, 3, 4, 5, 6], list(range(7, 19))]
    many = plan_sets([(10, 1 << 10), (14, 1 << 14)], np.array([(1, 2), (11, 24), (12, 13)]))
    assert [pair for one in many for pair in one.pairs.tolist()] == [[1, 2], [12, 13], [11, 24]]
    assert {column for one in many for column in one.columns.tolist()} == set(range(25))


@given(st.lists(st.sampled_from([(1, 2), (3, 4), (3, 5), (4, 5), (5, 7)]), max_size=8), st.randoms())
def test_pairs_to_compare_may_be_named_in_any_order_and_twice(
    pairs: list[tuple[int, int]], random: Any
) -> None:
    turned = np.array([pair if random.random() < 0.5 else pair[::-1] for pair in pairs], np.int64).reshape(
        -1, 2
    )
    ordered = np.array(sorted(set(pairs)), np.int64).reshape(-1, 2)
    for groups in ([(2, 2), (5, 32)], [(2, 2), (5, 1 << 30)]):
        for one, other in zip(plan_sets(groups, turned), plan_sets(groups, ordered), strict=True):
            assert one.columns.tolist() == other.columns.tolist()
            assert one.pairs.tolist() == other.pairs.tolist()
