"""Tests of whole tables beyond chi-square, each against a second computation, and as records."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.contingency_tables import StratifiedTable, cochrans_q
from statsmodels.stats.oneway import anova_oneway

import eager_otter as otter
from eager_otter.comparing.comparing import compare_files
from eager_otter.tables.association import Association

Small = Callable[..., otter.Survey]
ALL = otter.TestRules(whole_table="all")
FITTING = otter.TestRules(whole_table="fitting")
BOOK = """
weight: wt
questions:
  area: {kind: single, label: Area, answers: {1: North, 2: East, 3: South, 4: West}}
  wave: {kind: single, label: Wave, answers: {1: Spring, 2: Autumn, 3: Winter}}
  shop: {kind: multi, label: Shop, columns: {s_1: Corner, s_2: Market, s_3: Online}}
  q: {kind: single, scale: true, answers: {1: Low, 2: Middle, 3: High}}
  spend: {kind: number}
  know: {kind: grid, items: {a: {column: know_a}, b: {column: know_b}, c: {column: know_c}}, answers: {1: "Yes", 2: "No"}}
  rate:
    kind: grid
    scale: true
    items: {a: {column: rate_a}, b: {column: rate_b}, c: {column: rate_c}, d: {column: rate_d}}
    answers: {1: Poor, 2: Fair, 3: Good}
"""
Columns = dict[str, np.ndarray]


def columns_of(seed: int, people: int = 240, *, weighted: bool = True) -> Columns:
    rng = np.random.default_rng(seed)
    data: Columns = {
        "area": rng.integers(1, 4, people).astype(float),  # nobody is in the West
        "wave": rng.choice([1, 2, 3], people, p=[0.5, 0.3, 0.2]).astype(float),
        "q": rng.choice([1, 2, 3, np.nan], people, p=[0.4, 0.3, 0.2, 0.1]),
        "spend": np.where(rng.random(people) < 0.2, np.nan, rng.gamma(2.0, 5.0, people).round(2)),
        "wt": rng.uniform(0.4, 2.5, people) if weighted else np.ones(people),
    }
    for k in (1, 2, 3):
        data[f"s_{k}"] = (rng.random(people) < 0.15 + 0.1 * data["area"] * (k == 1)).astype(float)
    for name in ("a", "b", "c"):
        data[f"know_{name}"] = rng.choice([1, 2, np.nan], people, p=[0.5, 0.4, 0.1])
    liking = rng.normal(size=people)
    for name in ("a", "b", "c", "d"):
        answer = np.clip(np.round(2 + 0.6 * liking + 0.6 * rng.normal(size=people)), 1, 3)
        data[f"rate_{name}"] = np.where(rng.random(people) < 0.1, np.nan, answer)
    return data


def opened(columns: Mapping[str, np.ndarray]) -> otter.Survey:
    import pandas as pd

    return otter.open_survey(otter.codebook_from_text(BOOK), pd.DataFrame(dict(columns)))


def only(table: otter.Table) -> Association:
    (one,) = table.associations()
    return one


def results(association: Association) -> tuple[float, ...]:
    test = association.test
    assert test is not None
    return test.statistic, test.df1, test.df2, test.p_value


def told(table: otter.Table) -> list[str]:
    return [str(note) for note in table.notes if note.about == "whole table"]


@given(st.integers(0, 300))
def test_the_likelihood_ratio_is_that_of_scipy_and_given_on_demand(seed: int) -> None:
    columns = columns_of(seed, weighted=False)
    table = opened(columns).table("q", banner="area", tests=ALL)
    one = next(one for one in table.associations() if one.fitting is not None)
    there = ~np.isnan(columns["q"])
    counts = np.array(
        [[((columns["q"] == a) & (columns["area"] == c) & there).sum() for c in (1, 2, 3)] for a in (1, 2, 3)]
    )
    g = stats.chi2_contingency(counts, correction=False, lambda_="log-likelihood")
    (ratio,) = one.others
    assert (ratio.statistic, ratio.df1, ratio.p_value) == pytest.approx((g.statistic, g.dof, g.pvalue))
    assert f"likelihood-ratio chi-square G² {g.statistic:.2f} on 4 degrees of freedom" in told(table)[0]
    fitting = opened(columns).table("q", banner="area", tests=FITTING)
    assert "G²" not in told(fitting)[0] and len(told(fitting)) == 1


def test_a_cell_of_nobody_adds_nothing_to_the_likelihood_ratio(small: Small) -> None:
    area, q = [1] * 30 + [2] * 30, [1] * 30 + [1] * 10 + [2] * 20
    survey = small(
        "questions:\n  g: {kind: single, answers: {1: P, 2: Q}}\n  q: {kind: single, answers: {1: Y, 2: N}}\n",
        g=area,
        q=q,
    )
    (ratio,) = only(survey.table("q", banner="g", tests=ALL)).others
    expected = 2 * (30 * np.log(30 / 20) + 10 * np.log(10 / 20) + 20 * np.log(20 / 10))
    assert ratio.statistic == pytest.approx(expected)


def by_hand(columns: Columns, answers: tuple[str, ...]) -> tuple[float, float, float]:
    """F and its degrees of freedom of a multiple response by area, person by person."""
    base = np.any([~np.isnan(columns[name]) for name in ("s_1", "s_2", "s_3")], axis=0)
    w = columns["wt"][base] / columns["wt"][base].sum()
    x = np.array([columns["area"][base] == c for c in (1, 2, 3)], float)
    y = np.array([columns[name][base] == 1 for name in answers], float)
    n, p_c, p_r = base.sum(), x @ w, y @ w
    h = np.einsum("ri,ci,i->rc", y, x, w) - np.outer(p_r, p_c)
    chi = n * sum(
        h[r, c] ** 2 / (p_c[c] * p_r[r] * (1 - p_r[r])) for r in range(len(answers)) for c in range(3)
    )
    covariance = np.zeros((len(answers) * 2,) * 2)
    for i in range(n):
        z = (np.outer(y[:, i] - p_r, x[:, i] - p_c) - h)[:, :2].reshape(-1)
        covariance += w[i] ** 2 * np.outer(z, z)
    simple = np.kron(np.diag(p_r * (1 - p_r)), np.diag(p_c[:2]) - np.outer(p_c[:2], p_c[:2])) / n
    d = np.linalg.inv(simple) @ covariance * n / (n - 1)
    df = np.trace(d) ** 2 / np.trace(d @ d)
    return chi / np.trace(d), df, df * (n - 1)


@given(st.integers(0, 300), st.booleans())
def test_a_multiple_response_is_tested_as_person_by_person(seed: int, weighted: bool) -> None:
    columns = columns_of(seed, weighted=weighted)
    f, df1, df2 = by_hand(columns, ("s_1", "s_2", "s_3"))
    table = opened(columns).table("shop", banner="area", tests=FITTING)
    assert results(only(table)) == pytest.approx((f, df1, df2, stats.f.sf(f, df1, df2)))
    (line,) = told(table)
    assert (
        line.startswith("Whole table, Area: chi-square of all answers together") and f"F = {f:.2f} on" in line
    )
    assert "association" not in line  # no size in words


@given(st.integers(0, 300))
def test_with_one_answer_it_is_the_weighted_test_of_its_table(seed: int) -> None:
    columns = columns_of(seed)
    both = dict(columns, s_2=np.zeros(240), s_3=np.zeros(240), q=np.where(columns["s_1"] == 1, 1.0, 2.0))
    survey = opened(both)
    single = next(
        one for one in survey.table("q", banner="area", tests=FITTING).associations() if one.fitting
    )
    assert results(only(survey.table("shop", banner="area", tests=FITTING))) == pytest.approx(results(single))


def test_an_answer_of_everybody_is_left_out_and_thin_expected_counts_are_told() -> None:
    columns = columns_of(4)
    columns["s_2"], columns["s_3"] = np.ones(240), np.where(np.arange(240) < 3, 1.0, 0.0)
    table = opened(columns).table("shop", banner="area", tests=FITTING)
    f, df1, df2 = by_hand(columns, ("s_1", "s_3"))
    assert results(only(table)) == pytest.approx((f, df1, df2, stats.f.sf(f, df1, df2)))
    assert "Read with care: 3 of 12 expected counts are below 5" in told(table)[0]


@given(st.integers(0, 300))
def test_means_are_tested_by_welchs_analysis_of_variance(seed: int) -> None:
    columns = columns_of(seed, weighted=False)
    there = ~np.isnan(columns["spend"])
    groups = [columns["spend"][there & (columns["area"] == c)] for c in (1, 2, 3)]
    welch = anova_oneway(groups, use_var="unequal")
    table = opened(columns).table("spend", banner="area", tests=FITTING)
    assert results(only(table)) == pytest.approx((welch.statistic, *welch.df, welch.pvalue))
    assert only(table).too_few == ("West",)
    assert told(table)[0].endswith("Left out, with fewer than two values: West.")


@given(st.integers(0, 300))
def test_of_two_columns_the_analysis_of_variance_is_the_t_test_squared(seed: int) -> None:
    survey = opened(columns_of(seed))
    kept = otter.Banner(groups=(otter.BannerGroup(question="area", keep=("North", "East")),))
    table = survey.table("spend", banner=kept, tests=FITTING)
    (test,) = table.explain("Mean", "North").tests
    f, df1, df2, p = results(only(table))
    assert (f, df1, df2, p) == pytest.approx((test.statistic**2, 1, test.degrees, test.p_value))


def test_a_column_without_deviation_makes_it_the_pooled_one_way_f(small: Small) -> None:
    groups = [[5.0] * 6, [4.0, 6.0, 7.0, 9.0, 3.0], [8.0, 9.0, 12.0, 7.0]]
    book = "questions:\n  g: {kind: single, answers: {1: P, 2: Q, 3: R}}\n  v: {kind: number}\n"
    survey = small(
        book,
        g=[k for k, some in enumerate(groups, 1) for _ in some],
        v=[value for some in groups for value in some],
    )
    pooled = stats.f_oneway(*groups)
    expected = (pooled.statistic, 2, 12, pooled.pvalue)
    assert results(only(survey.table("v", banner="g", tests=FITTING))) == pytest.approx(expected)
    flat = small(book, g=[1, 1, 2, 2], v=[5.0, 5.0, 6.0, 6.0]).table("v", banner="g", tests=FITTING)
    assert told(flat) == ["Whole table, g: no test could be made. Left out, with fewer than two values: R."]


def test_scores_are_tested_on_demand_or_where_the_table_shows_no_answers() -> None:
    survey = opened(columns_of(7))
    kinds = {
        wanted: [
            line.partition(": ")[2].split(" ")[0]
            for line in told(survey.table("q", banner="area", **wanted_of))
        ]
        for wanted, wanted_of in {
            "all": {"tests": ALL},
            "fitting": {"tests": FITTING},
            "means": {"tests": FITTING, "figures": ["mean"]},
        }.items()
    }
    assert kinds == {"all": ["chi-square", "Welch's"], "fitting": ["chi-square"], "means": ["Welch's"]}


def controlled(survey: otter.Survey, question: str = "q", **more: object) -> list[Association]:
    rules = otter.TestRules(whole_table="fitting", controlling_for="wave")
    table = survey.table(question, banner="area", tests=rules, **more)  # type: ignore[arg-type]
    return [one for one in table.associations() if one.within]


@given(st.integers(0, 300))
def test_control_answers_are_allowed_for_as_statsmodels_does(seed: int) -> None:
    columns = columns_of(seed, weighted=False)
    kept = {name: column[(columns["area"] < 3) & (columns["q"] < 3)] for name, column in columns.items()}
    tables = [
        np.array(
            [
                [((kept["q"] == a) & (kept["area"] == c) & (kept["wave"] == k)).sum() for c in (1, 2)]
                for a in (1, 2)
            ]
        )
        for k in (1, 2, 3)
    ]
    expected = StratifiedTable(tables).test_null_odds(correction=False)
    (one,) = controlled(opened(kept))
    assert one.test is not None and one.test.df1 == 1
    assert (one.test.statistic, one.test.p_value) == pytest.approx((expected.statistic, expected.pvalue))


@given(st.integers(0, 300))
@pytest.mark.slow
def test_one_control_answer_gives_chi_square_less_one_person(seed: int) -> None:
    columns = columns_of(seed, weighted=False)
    columns["wave"] = np.ones(240)
    survey = opened(columns)
    (one,), plain = controlled(survey), survey.table("q", banner="area", tests=FITTING).associations()[0]
    assert one.test is not None and plain.test is not None
    people = plain.people
    assert one.test.statistic == pytest.approx(plain.test.statistic * (people - 1) / people)
    assert one.test.df1 == plain.test.df1


def test_what_cannot_be_controlled_for_is_told() -> None:
    survey = opened(columns_of(3))
    (weighted,), (several,) = controlled(survey), controlled(survey, "shop")
    assert weighted.sentence(95) == (
        "Whole table, Area, within the answers of Wave: no test, as weighted tables have no Cochran–Mantel–Haenszel test."
    )
    assert "only single questions can be tested within the answers of another" in several.sentence(95)
    with pytest.raises(otter.RequestError, match="goes with a test of the whole table"):
        otter.TestRules(controlling_for="wave")


@given(st.integers(0, 300))
@pytest.mark.slow
def test_yes_no_items_have_cochrans_q_over_those_who_answered_all(seed: int) -> None:
    columns = columns_of(seed, weighted=False)
    answers = np.array([columns[f"know_{name}"] for name in "abc"])
    complete = ~np.isnan(answers).any(axis=0)
    expected = cochrans_q((answers[:, complete] == 1).T.astype(int))
    for shape in ("items by columns", "answers by items", "one under another"):
        more = {"figure": "Yes"} if shape == "items by columns" else {}
        one = only(opened(columns).items_table("know", shape=shape, tests=FITTING, **more))  # type: ignore[arg-type]
        assert results(one)[:2] == pytest.approx((expected.statistic, expected.df))
        assert results(one)[3] == pytest.approx(expected.pvalue)
        assert f"Cochran's Q of the items {expected.statistic:.2f} on 2 degrees" in one.sentence(95)
    weighted = only(opened(columns_of(seed)).items_table("know", figure="Yes", tests=FITTING))
    assert weighted.sentence(95) == "Whole table: no test, as weighted tables have no Cochran's Q."


def test_q_is_missing_where_nobody_says_different_things(small: Small) -> None:
    book = "questions:\n  know: {kind: grid, items: {a: {column: a}, b: {column: b}}, answers: {1: 'Yes', 2: 'No'}}\n"
    table = small(book, a=[1, 2, 1], b=[1, 2, 1]).items_table("know", figure="Yes", tests=FITTING)
    assert told(table) == ["Whole table: no test could be made."]
    assert only(table).test is not None and np.isnan(only(table).test.statistic)  # type: ignore[union-attr]


def test_a_row_counted_twice_is_two_people(small: Small) -> None:
    book = """
frequency: f
questions:
  know: {kind: grid, items: {a: {column: a}, b: {column: b}, c: {column: c}}, answers: {1: "Yes", 2: "No"}}
"""
    rows = {"a": [1, 1, 2, 1], "b": [1, 2, 2, 2], "c": [2, 2, 1, 1]}
    times = [3, 2, 4, 1]
    short = small(book, **rows, f=times)
    long = small(book, **{name: np.repeat(some, times) for name, some in rows.items()}, f=[1] * 10)
    one, other = (only(survey.items_table("know", figure="Yes", tests=FITTING)) for survey in (short, long))
    assert results(one)[:2] == pytest.approx(results(other)[:2])
    expected = cochrans_q(np.array([np.repeat(some, times) == 1 for some in rows.values()]).T.astype(int))
    assert results(one)[0] == pytest.approx(expected.statistic)


@given(st.integers(0, 300), st.booleans())
def test_a_grid_of_scales_has_cronbachs_alpha(seed: int, weighted: bool) -> None:
    columns = columns_of(seed, weighted=weighted)
    answers = np.array([columns[f"rate_{name}"] for name in "abcd"])
    complete = ~np.isnan(answers).any(axis=0)
    covariance = np.cov(answers[:, complete], aweights=columns["wt"][complete])
    alpha = 4 / 3 * (1 - np.trace(covariance) / covariance.sum())
    one = only(opened(columns).items_table("rate", tests=FITTING))
    assert results(one)[0] == pytest.approx(alpha)
    assert one.sentence(95) == f"Whole table: Cronbach's alpha of the items {alpha:.2f}."


def test_alpha_is_missing_where_the_sum_does_not_vary(small: Small) -> None:
    book = """
questions:
  rate: {kind: grid, scale: true, items: {a: {column: a}, b: {column: b}}, answers: {1: Low, 2: Mid, 3: High}}
"""
    same = small(book, a=[1, 3, 1, 3], b=[3, 1, 3, 1]).items_table("rate", tests=FITTING)
    assert told(same) == ["Whole table: Cronbach's alpha of the items n/a."]
    nobody = small(book, a=[1, 3, np.nan], b=[np.nan, np.nan, 1]).items_table("rate", tests=FITTING)
    assert told(nobody) == ["Whole table: no test, as nobody answered every item."]


PLAN = """
data: responses.csv
codebook: codebook.yaml
weight: none
banners: {main: [region]}
tests: {whole table: all}
tidy: {whole tables: true}
tables:
  - {question: liking, repeat: wave}
  - {question: heard_of, tests: {whole table: none}}
  - {grid: statements}
outputs: [tables.csv, tables.json, tables.parquet]
"""


def test_records_hold_whole_tables_on_request(demo: Path, tmp_path: Path) -> None:
    plan = demo / "whole.yaml"
    plan.write_text(PLAN, encoding="utf-8")
    report = otter.run(plan)
    records = [
        record
        for record in report.table("liking").records(whole_table=True)
        if record.row_kind == "whole table"
    ]
    assert list(report.table("liking").records()) == [
        record
        for record in report.table("liking").records(whole_table=True)
        if record.row_kind != "whole table"
    ]
    numbers = {(record.row, record.figure): record.value for record in records}
    associations = report.table("liking").associations()
    assert {record.group for record in records} == {"Region"}
    chi = associations[0].test
    assert chi is not None
    assert numbers["chi-square", "statistic"] == chi.statistic
    assert numbers["chi-square", "P value"] == chi.p_value
    assert numbers["chi-square", "degrees of freedom"] == chi.df1
    assert {name for name, _ in numbers} == {
        "chi-square", "likelihood ratio", "Cramér's V", "Kendall's τ-b", "Stuart's τ-c", "Goodman and Kruskal's γ",
        "Welch's analysis of variance", "Cochran-Mantel-Haenszel within Wave",
    }  # fmt: skip
    assert not any("within" in record.row for record in report.table("liking-1").records(whole_table=True))
    assert all(
        record.row_kind != "whole table" for record in report.table("heard_of").records(whole_table=True)
    )
    paths = [tmp_path / f"tables.{ending}" for ending in ("csv", "json", "parquet")]
    report.save(*paths)
    for path in paths:
        comparison = compare_files(paths[0], path)
        assert not comparison.changes and comparison.figures > 100
    assert "Cronbach's alpha" in paths[0].read_text(encoding="utf-8")


def test_spelled_out_the_plan_asks_for_the_same(demo: Path) -> None:
    plan = demo / "whole.yaml"
    plan.write_text(PLAN, encoding="utf-8")
    read = otter.read_plan(plan)
    again = otter.plan_from_text(otter.plan_text(read), demo)
    assert again.requests == read.requests and again.tidy == read.tidy
    assert [request.tests.controlling_for for request in read.requests] == ["wave", "", "", "", ""]


@pytest.mark.parametrize(
    ("tests", "message"),
    [
        ("{controlling for: wave}", "controlling for: goes with whole table: fitting or all"),
        (
            "{whole table: fitting, controlling for: heard_of}",
            "heard_of is of kind multi; a single question is expected",
        ),
        ("{whole table: fitting, controlling for: waves}", "no question 'waves'"),
    ],
)
def test_what_a_plan_says_of_controls_is_checked(demo: Path, tests: str, message: str) -> None:
    plan = demo / "whole.yaml"
    plan.write_text(PLAN.replace("{whole table: all}", tests), encoding="utf-8")
    with pytest.raises(otter.DocumentError, match=message):
        otter.read_plan(plan)
