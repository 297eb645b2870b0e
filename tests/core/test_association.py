"""Whole-table tests and measures against SciPy, plain loops over people, and published results."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st
from scipy import stats

import eager_otter as otter
from eager_otter.core.association import Measure, WholeTableTest, two_way
from eager_otter.core.corrections import adjusted, benjamini_hochberg, bonferroni
from eager_otter.significance.registry import measures_of, methods_for

near = partial(pytest.approx, rel=1e-9, abs=1e-12)
counts = st.integers(2, 4).flatmap(
    lambda rows: st.integers(2, 4).flatmap(
        lambda columns: st.lists(
            st.lists(st.integers(0, 9), min_size=columns, max_size=columns), min_size=rows, max_size=rows
        )
    )
)


def people_of(table: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The row and the column of every person in a table of counts."""
    row, column = np.indices(table.shape)
    return np.repeat(row.ravel(), table.ravel()), np.repeat(column.ravel(), table.ravel())


def whole_table_test(n: np.ndarray, w: np.ndarray, w2: np.ndarray) -> WholeTableTest | None:
    table = two_way(n, w, w2)
    return methods_for(table)[0].test(table) if table.testable else None


def measures(n: np.ndarray, w: np.ndarray, w2: np.ndarray) -> dict[str, Measure]:
    return measures_of(two_way(n, w, w2))


@given(counts)
def test_unweighted_tests_and_measures_equal_those_of_scipy(rows: list[list[int]]) -> None:
    table = np.array(rows)
    table = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0]
    assume(min(table.shape, default=0) > 1)
    n = table.astype(float)
    test, found = whole_table_test(n, n, n), measures(n, n, n)
    assert test is not None and test.method == "chi-square"
    expected = stats.chi2_contingency(table, correction=False)
    assert (test.statistic, test.p_value, test.df1) == near(expected[:3])
    assert test.small == (expected[3] < 5).sum() and test.smallest == near(expected[3].min())
    assert found["Cramér's V"].value == near(stats.contingency.association(table, method="cramer"))
    one, other = people_of(table)
    for name, variant in (("Kendall's τ-b", "b"), ("Stuart's τ-c", "c")):
        assert found[name].value == near(stats.kendalltau(one, other, variant=variant).statistic)
    if table.shape == (2, 2):
        assert test.exact == near(stats.fisher_exact(table).pvalue)


@given(counts)
def test_gamma_and_its_error_equal_a_count_of_all_pairs(rows: list[list[int]]) -> None:
    table = np.array(rows)
    table = table[table.sum(axis=1) > 0][:, table.sum(axis=0) > 0]
    assume(min(table.shape, default=0) > 1)
    one, other = people_of(table)
    n = one.size
    sign = np.sign(one[:, None] - one) * np.sign(other[:, None] - other)
    more, less = (sign > 0).sum(), (sign < 0).sum()
    found = measures(*[table.astype(float)] * 3)["Goodman and Kruskal's γ"]
    if more + less:
        assert found.value == near((more - less) / (more + less), abs=1e-12)
    variance = (sign.sum(axis=1) ** 2).sum() - (more - less) ** 2 / n
    if variance > 1e-9:
        assert found.p_value == near(2 * stats.norm.sf(abs(more - less) / (2 * np.sqrt(variance))), abs=1e-12)


def sums_of(row: np.ndarray, column: np.ndarray, w: np.ndarray) -> list[np.ndarray]:
    found = []
    for measure in (np.ones_like(w), w, w**2):
        table = np.zeros((row.max() + 1, column.max() + 1))
        np.add.at(table, (row, column), measure)
        found.append(table)
    return found


def test_the_correction_for_weights_equals_one_worked_person_by_person() -> None:
    rng = np.random.default_rng(3)
    n = 250
    row, column, w = rng.integers(0, 3, n), rng.integers(0, 4, n), rng.uniform(0.2, 3, n)
    test = whole_table_test(*sums_of(row, column, w))
    assert test is not None and test.method == "Rao-Scott"
    share = w / w.sum()
    r = np.array([(share * (row == k)).sum() for k in range(3)])
    c = np.array([(share * (column == k)).sum() for k in range(4)])
    p = np.array([[(share * (row == i) * (column == j)).sum() for j in range(4)] for i in range(3)])
    chi = n * ((p - np.outer(r, c)) ** 2 / np.outer(r, c)).sum()
    influence = np.array([
        [((row[i] == a) - r[a]) * ((column[i] == b) - c[b]) - (p[a, b] - r[a] * c[b]) for a in range(2) for b in range(3)]
        for i in range(n)
    ])  # fmt: skip
    covariance = (influence * (share**2)[:, None]).T @ influence * n / (n - 1)
    simple = np.kron(np.diag(r[:2]) - np.outer(r[:2], r[:2]), np.diag(c[:3]) - np.outer(c[:3], c[:3])) / n
    d = np.linalg.inv(simple) @ covariance
    df = np.trace(d) ** 2 / np.trace(d @ d)
    assert test.statistic == near(chi / np.trace(d)) and test.df1 == near(df)
    assert test.p_value == near(stats.f.sf(chi / np.trace(d), df, df * (n - 1)))
    alike = whole_table_test(*sums_of(row, column, np.full(n, 0.37)))
    plain = whole_table_test(*sums_of(row, column, np.ones(n)))
    assert alike is not None and plain is not None and alike.p_value == near(plain.p_value)


def test_published_results_are_reproduced() -> None:
    tasted = np.array([[3.0, 1.0], [1.0, 3.0]])  # Fisher's cups of tea: two-sided P 0.486
    test = whole_table_test(tasted, tasted, tasted)
    assert test is not None and test.exact == near(34 / 70) and test.doubtful
    table = np.array(
        [[762.0, 327.0, 468.0], [484.0, 239.0, 477.0]]
    )  # Agresti, Introduction (2nd ed.), table 2.5
    test = whole_table_test(table, table, table)
    assert test is not None and round(test.chi_square, 1) == 30.1 and test.df1 == 2 and test.p_value < 0.0001
    p = [0.0001, 0.0004, 0.0019, 0.0095, 0.0201, 0.0278, 0.0298, 0.0344, 0.0459, 0.324, 0.4262, 0.5719, 0.6528, 0.759, 1.0]  # fmt: skip
    family = np.zeros(
        15, np.int64
    )  # Benjamini & Hochberg (1995), section 3.2: four rejected, three by Bonferroni
    assert (adjusted(np.array([p]), family, benjamini_hochberg) <= 0.05).sum() == 4
    assert (adjusted(np.array([p]), family, bonferroni) <= 0.05).sum() == 3


def test_a_table_says_which_measure_fits_and_why(small: Callable[..., otter.Survey]) -> None:
    book = """
    questions:
      place: {kind: single, answers: {1: North, 2: East, 3: South}}
      half: {kind: single, answers: {1: One, 2: Other}}
      liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}
      wish: {kind: single, scale: true, answers: {1: Low, 2: Mid, 3: High}}
      tried: {kind: multi, columns: {t1: Tarn, t2: Skerrow}}
    """
    rng = np.random.default_rng(1)
    liking = rng.integers(1, 4, 300)
    wish = np.clip(liking + rng.integers(-1, 2, 300), 1, 3)
    survey = small(book, place=rng.integers(1, 4, 300), half=rng.integers(1, 3, 300), liking=liking, wish=wish, t1=rng.integers(0, 2, 300), t2=1)  # fmt: skip
    found = survey.table("liking", banner=["place", "half", "wish", "tried"]).associations()
    assert [a.fitting and a.fitting.name for a in found] == [
        "Cramér's V",
        "Stuart's τ-c",
        "Kendall's τ-b",
        None,
    ]
    assert "strong association; further right, the answers tend further down the list" in found[2].sentence(
        95
    )
    assert found[3].sentence(95) == "Whole table, tried: no test, as its columns share people."
    halves = survey.table("half", banner="half").associations()[0]
    assert halves.fitting and halves.fitting.name == "Cramér's V" and halves.fitting.value == near(1)
    rules = otter.TestRules(whole_table="all")
    notes = survey.table("liking", banner="wish", tests=rules).notes
    assert notes[-2].startswith("Whole table, wish: chi-square") and "The others: Cramér's V" in notes[-2]
    thin = otter.BaseRules(no_test=int((liking == 2).sum()) + 1)
    kept = survey.table("wish", banner="liking", bases=thin).associations()[0]
    dropped = [k for k in (1, 2, 3) if (liking == k).sum() < thin.no_test]  # type: ignore[operator]
    assert kept.people == 300 - np.isin(liking, dropped).sum()


@pytest.mark.parametrize("weighted", [False, True])
@pytest.mark.slow
def test_no_association_is_found_as_often_as_the_level_allows(weighted: bool) -> None:
    rng = np.random.default_rng(8)
    found = []
    for _ in range(1500):
        row, column = rng.choice(3, 150, p=[0.5, 0.3, 0.2]), rng.integers(0, 3, 150)
        w = np.where(row == 0, 0.6, 1.8) * rng.uniform(0.5, 1.5, 150) if weighted else np.ones(150)
        test = whole_table_test(*sums_of(row, column, w))
        found.append(test is not None and test.p_value <= 0.05)
    assert 0.035 <= np.mean(found) <= 0.065


def test_all_pairs_are_told_apart_by_direction() -> None:
    rising = np.eye(4) * 10
    assert {m.value for m in measures(rising, rising, rising).values()} == {1.0}
    falling = rising[::-1]
    assert measures(falling, falling, falling)["Kendall's τ-b"].value == -1.0


@given(st.integers(0, 12), st.integers(0, 12), st.integers(0, 12), st.integers(0, 12))
def test_fishers_test_is_that_of_scipy_wherever_the_margins_put_the_cells(
    a: int, b: int, c: int, d: int
) -> None:
    n = np.array([[a, b], [c, d]], float)
    assume(min(*n.sum(axis=0), *n.sum(axis=1)) > 0)
    found = whole_table_test(n, n, n)
    assert found is not None
    assume(found.doubtful)
    assert found.exact == pytest.approx(stats.fisher_exact(n.astype(int)).pvalue)
