"""Every test there is, against SciPy, statsmodels or plain loops; corrections, marks, groups, rows switched off."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from itertools import combinations

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from statsmodels.stats.contingency_tables import mcnemar
from statsmodels.stats.multitest import multipletests
from statsmodels.stats.proportion import proportions_ztest

import eager_otter as otter
from conftest import RANDOM_BOOK, random_columns
from eager_otter.core.corrections import adjusted
from eager_otter.significance.registry import correction
from eager_otter.tables.table import Line, Table
from independent import item_mean_test, item_share_test, mean_test, proportion_test

Small = Callable[..., otter.Survey]
near = partial(pytest.approx, rel=1e-9, abs=1e-12)


def line_of(table: Table, label: str, figure: str = "column percent") -> Line:
    return next(line for line in table.lines if (line.label, line.figure) == (label, figure))


def p_values(table: Table, label: str, figure: str = "column percent") -> dict[tuple[str, str], float]:
    """P of each comparison of a row by the labels of its two columns."""
    evidence = line_of(table, label, figure).evidence
    assert evidence is not None and evidence.tested is not None and table.comparisons is not None
    names = [column.label for column in table.counted]
    pairs = [(names[a], names[b]) for a, b in table.comparisons.pairs]
    return dict(zip(pairs, evidence.tested.p_value[evidence.row], strict=True))


@pytest.fixture
def unweighted(small: Small) -> tuple[otter.Survey, pd.DataFrame]:
    columns = random_columns(3, 400)
    survey = small(RANDOM_BOOK, **columns).weighted_by(None)
    return survey, pd.DataFrame(columns)


def test_proportions_by_each_method_equal_those_of_statsmodels(
    unweighted: tuple[otter.Survey, pd.DataFrame],
) -> None:
    survey, data = unweighted
    rows = data[data.liking.isin([1, 2, 3])]
    counts = [(rows.liking[rows.area == k] == 1).sum() for k in (1, 2)]
    sizes = [(rows.area == k).sum() for k in (1, 2)]
    shares = np.array(counts) / sizes
    z = proportions_ztest(counts, sizes)[0]
    expected = {
        "pooled": proportions_ztest(counts, sizes)[1],
        "unpooled": 2
        * stats.norm.sf(abs(np.diff(shares)[0]) / np.sqrt((shares * (1 - shares) / sizes).sum())),
        "t": 2 * stats.t.sf(abs(z), sum(sizes) - 2),
    }
    for method, p in expected.items():
        table = survey.table("liking", banner="area", tests=otter.TestRules(percents=method))  # type: ignore[arg-type]
        assert p_values(table, "Poor")["North", "East"] == near(p, abs=1e-12)


def test_the_linear_test_holds_whether_or_not_columns_share_people(small: Small) -> None:
    columns = random_columns(5, 250)
    survey = small(RANDOM_BOOK, **columns)
    linear = otter.TestRules(percents="linear")
    table = survey.table("liking", banner="area", tests=linear)
    valid = np.isin(columns["liking"], [1, 2, 3])
    w, area, y = columns["wt"][valid], columns["area"][valid], columns["liking"][valid] == 3
    x1, x2 = area == 1, area == 3
    e = [(w * x).sum() ** 2 / (w**2 * x).sum() for x in (x1, x2)]
    p1, p2 = ((w * x * y).sum() / (w * x).sum() for x in (x1, x2))
    p = (e[0] * p1 + e[1] * p2) / sum(e)
    v = (w**2 * (y - p) ** 2 * (x1 / (w * x1).sum() - x2 / (w * x2).sum()) ** 2).sum()
    assert min(e) * min(p, 1 - p) > 5  # no thin pair
    assert p_values(table, "Good")["North", "South"] == near(2 * stats.norm.sf(abs(p1 - p2) / v**0.5))
    overlapping = survey.table("liking", banner="tried")
    assert p_values(survey.table("liking", banner="tried", tests=linear), "Good") == p_values(
        overlapping, "Good"
    )


def test_a_t_test_of_shares_of_overlapping_columns_counts_those_in_either(small: Small) -> None:
    columns = random_columns(6, 130)
    survey = small(RANDOM_BOOK, **columns)
    table = survey.table("liking", banner="tried", tests=otter.TestRules(percents="t"))
    plain = survey.table("liking", banner="tried")
    line, evidence = line_of(table, "Fair"), line_of(plain, "Fair").evidence
    assert line.evidence and line.evidence.tested and evidence and evidence.tested
    inside = np.array([columns[f"t_{k}"] == 1 for k in (1, 2)]) & np.isin(columns["liking"], [1, 2, 3])
    w = columns["wt"][inside.any(axis=0)]
    z = evidence.tested.tests.statistic[evidence.row, 0]
    expected = 2 * stats.t.sf(abs(z), w.sum() ** 2 / (w**2).sum() - 2)
    assert line.evidence.tested.p_value[line.evidence.row, 0] == near(expected)


def test_means_with_a_pooled_variance_equal_students_test(
    unweighted: tuple[otter.Survey, pd.DataFrame],
) -> None:
    survey, data = unweighted
    table = survey.table("glasses", banner="area", tests=otter.TestRules(means="pooled"))
    groups = [data.glasses[data.area == k].dropna() for k in (1, 2, 3)]
    found = p_values(table, "Mean", "mean")
    for (a, b), names in zip(
        combinations(range(3), 2), combinations(["North", "East", "South"], 2), strict=True
    ):
        assert found[names] == near(stats.ttest_ind(groups[a], groups[b]).pvalue)


@pytest.mark.parametrize("against", ["rest", "total"])
def test_the_rest_is_everyone_in_the_base_who_is_not_in_the_column(small: Small, against: str) -> None:
    columns = random_columns(7, 90)
    survey = small(RANDOM_BOOK, **columns)
    table = survey.table("liking", banner=["area", "tried"], tests=otter.TestRules(against=against))  # type: ignore[arg-type]
    valid = np.isin(columns["liking"], [1, 2, 3])
    found = list(p_values(table, "Good").items())
    evidence = line_of(table, "Good").evidence
    assert evidence and evidence.tested
    memberships = [columns["area"] == k for k in (1, 2, 3)] + [columns[f"t_{k}"] == 1 for k in (1, 2, 3)]
    for k, inside in enumerate(memberships):
        people = [
            (float(columns["wt"][i]), {0} if inside[i] else {1}, bool(columns["liking"][i] == 3))
            for i in np.flatnonzero(valid)
        ]
        z, p = proportion_test(people, 0, 1)
        assert evidence.tested.p_value[evidence.row, k] == near(p)
        mark = line_of(table, "Good").letters[1 + k]
        assert mark == ("" if p > 0.05 else "▲" if z > 0 else "▼")
    assert found and [c.letter for c in table.columns] == ["", *"ABCDEF"]
    assert len(table.columns) == 7  # the columns of the rest are counted, not shown
    values = [(float(columns["wt"][i]), {0} if memberships[0][i] else {1}, float(columns["liking"][i])) for i in np.flatnonzero(valid)]  # fmt: skip
    means = line_of(table, "Mean", "mean").evidence
    assert means and means.tested and means.tested.p_value[0, 0] == near(mean_test(values, 0, 1)[1])


def nested(**kwargs: object) -> otter.Banner:
    levels = (otter.BannerGroup(question="area"), otter.BannerGroup(question="liking"))
    return otter.Banner(groups=(otter.BannerGroup(nest=levels, **kwargs),))  # type: ignore[arg-type]


def test_in_a_nest_columns_are_compared_within_their_parent_unless_all_are_wanted(small: Small) -> None:
    survey = small(RANDOM_BOOK, **random_columns(2, 400))
    compared = {}
    for name, rules in {
        "parent": otter.TestRules(),
        "all": otter.TestRules(all_parents=True),
        "first": otter.TestRules(against="first"),
        "previous": otter.TestRules(against="previous"),
        "control": otter.TestRules(against="column", control="Fair"),
        "elsewhere": otter.TestRules(against="column", control="North: Good"),
    }.items():
        table = survey.table("ticks", banner=nested(), tests=rules)
        assert table.comparisons is not None
        pairs = [(table.counted[a], table.counted[b]) for a, b in table.comparisons.pairs]
        compared[name] = [(a.group, a.label, b.group, b.label) for a, b in pairs]
    assert len(compared["parent"]) == 9 and len(compared["all"]) == 36
    north = [pair[1::2] for pair in compared["first"] if pair[0] == "North"]
    assert north == [("Fair", "Poor"), ("Good", "Poor")]
    # against the nearest before it that anybody is in: candidates, nearest first
    before = [("Fair", "Poor"), ("Good", "Fair"), ("Good", "Poor")]
    assert [p[1::2] for p in compared["previous"] if p[0] == "East"] == before
    assert [p[1::2] for p in compared["control"] if p[0] == "South"] == [("Poor", "Fair"), ("Good", "Fair")]
    assert all(pair[0] == pair[2] for pair in compared["control"])
    assert len(compared["elsewhere"]) == 8 and all(p[2:] == ("North", "Good") for p in compared["elsewhere"])


def test_the_rest_within_a_parent_leaves_other_parents_out(small: Small) -> None:
    columns = random_columns(4, 300)
    survey = small(RANDOM_BOOK, **columns)
    rules = otter.TestRules(against="rest", rest_of_parent=True)
    table = survey.table("ticks", banner=nested(), tests=rules)
    evidence = line_of(table, "A").evidence
    assert evidence is not None and table.comparisons is not None
    first, rest = table.comparisons.pairs[0]
    answered = ~np.isnan(columns["m_1"])
    inside = answered & (columns["area"] == 1)
    assert evidence.base.n[0, first] == (inside & (columns["liking"] == 1)).sum()
    assert evidence.base.n[0, rest] == (inside & (columns["liking"] != 1)).sum()


def test_a_control_of_another_group_is_counted_beside_the_columns_it_shares_people_with(small: Small) -> None:
    columns = random_columns(9, 200)
    survey = small(RANDOM_BOOK, **columns)
    groups = (otter.BannerGroup(question="area", against="column", control="Tarn"), otter.BannerGroup(question="tried", hide=("Tarn",)))  # fmt: skip
    table = survey.table("liking", banner=otter.Banner(groups=groups))
    assert [column.label for column in table.columns] == ["Total", "North", "East", "South", "Brookfizz", "Quillwater"]  # fmt: skip
    valid = np.flatnonzero(np.isin(columns["liking"], [1, 2, 3]))
    people = [
        (float(columns["wt"][i]), {k for k, x in enumerate([columns["area"][i] == 1, columns["t_1"][i] == 1]) if x}, bool(columns["liking"][i] == 2))
        for i in valid
    ]  # fmt: skip
    assert p_values(table, "Fair")["North", "Tarn"] == near(proportion_test(people, 0, 1)[1])
    assert any("Area: each column against Tarn" in note or "area: each column against Tarn" in note for note in table.notes)  # fmt: skip
    with pytest.raises(otter.UnknownName, match="No column 'Trn' in the banner"):
        survey.table("liking", banner="area", tests=otter.TestRules(against="column", control="Trn"))


def test_a_column_of_differences_shows_and_tests_one_column_against_another(small: Small) -> None:
    survey = small(RANDOM_BOOK, **random_columns(1, 300))
    group = otter.BannerGroup(question="area", differences=(("Gap", "North", "3"),))
    table = survey.table("liking", banner=otter.Banner(groups=(group,)))
    for label, figure in (("Poor", "column percent"), ("Mean", "mean")):
        gap = table.value(label, "North", figure) - table.value(label, "South", figure)
        assert table.value(label, "Gap", figure) == near(gap)
    assert np.isnan(table.value("Base (unweighted)", "Gap"))
    assert "Gap: North against South." in table.notes


@given(
    st.lists(st.lists(st.one_of(st.floats(0, 1), st.just(np.nan)), min_size=7, max_size=7), min_size=1),
    st.lists(st.integers(0, 2), min_size=7, max_size=7),
    st.sampled_from([("bonferroni", "bonferroni"), ("holm", "holm"), ("benjamini-hochberg", "fdr_bh")]),
)
@pytest.mark.slow
def test_corrections_equal_those_of_statsmodels(
    rows: list[list[float]], family: list[int], names: tuple[str, str]
) -> None:
    found = adjusted(np.array(rows), np.array(family), correction(names[0]).adjust)
    for row, values in zip(found, np.array(rows), strict=True):
        for number in set(family):
            chosen = np.flatnonzero((np.array(family) == number) & ~np.isnan(values))
            if chosen.size:
                expected = multipletests(values[chosen], method=names[1])[1]
                np.testing.assert_allclose(row[chosen], expected, atol=1e-15)
    assert np.array_equal(np.isnan(found), np.isnan(np.array(rows)))


def test_a_correction_takes_the_rows_of_one_group_as_a_family(small: Small) -> None:
    survey = small(RANDOM_BOOK, **random_columns(11, 500))
    plain = survey.table("liking", banner=["area", "tried"])
    holm = survey.table("liking", banner=["area", "tried"], tests=otter.TestRules(adjust="holm"))
    raw, line = list(p_values(plain, "Good").values()), line_of(holm, "Good").evidence
    assert line and line.tested
    for group in (slice(0, 3), slice(3, 6)):
        expected = multipletests(raw[group], method="holm")[1]
        np.testing.assert_allclose(line.tested.adjusted[line.row, group], expected)
    assert any("after Holm" in note for note in holm.notes)


PAIRED_BOOK = """
weight: wt
questions:
  before: {kind: single, scale: true, label: Before, answers: {1: Low, 2: Middle, 3: High}, nets: [{label: Not low, of: [2, 3]}]}
  after: {kind: single, scale: true, label: After, answers: {1: Low, 2: Middle, 3: High}, nets: [{label: Not low, of: [2, 3]}]}
  mine: {kind: multi, label: Mine, columns: "a_{code}", answers: {1: Tarn, 2: Skerrow}}
  yours: {kind: multi, label: Yours, columns: "b_{code}", answers: {1: Tarn, 2: Skerrow}}
"""


@pytest.fixture
def paired() -> dict[str, np.ndarray]:
    rng = np.random.default_rng(12)
    columns: dict[str, np.ndarray] = {"wt": rng.uniform(0.3, 2, 160)}
    columns["before"] = rng.choice([1, 2, 3, np.nan], 160, p=[0.4, 0.3, 0.2, 0.1])
    columns["after"] = rng.choice([1, 2, 3, np.nan], 160, p=[0.2, 0.3, 0.4, 0.1])
    for name in ("a_1", "a_2", "b_1", "b_2"):
        columns[name] = rng.integers(0, 2, 160)
    return columns


def test_items_that_everybody_answered_are_tested_as_mcnemar_and_the_paired_t_test_do(
    small: Small, paired: dict[str, np.ndarray]
) -> None:
    survey = small(PAIRED_BOOK.split("  mine", maxsplit=1)[0], **paired).weighted_by(None)
    table = survey.items_table(["before", "after"], shape="answers by items", base="complete answers")
    a, b = paired["before"], paired["after"]
    both = ~np.isnan(a) & ~np.isnan(b)
    for label, codes in (("Low", [1]), ("High", [3]), ("Not low", [2, 3])):
        x, y = np.isin(a[both], codes), np.isin(b[both], codes)
        square = [[(x & y).sum(), (x & ~y).sum()], [(~x & y).sum(), (~x & ~y).sum()]]
        expected = mcnemar(square, exact=False, correction=False).pvalue
        assert p_values(table, label)["Before", "After"] == near(expected)
        assert table.value(label, "Before") == near(100 * x.mean())  # the figures rest on them too
    mean = p_values(table, "Mean", "mean")["Before", "After"]
    assert mean == near(stats.ttest_rel(a[both], b[both]).pvalue)
    assert {table.value("Base (unweighted)", column) for column in ("Before", "After")} == {both.sum()}
    assert all(any(name in note for note in table.notes) for name in ("McNemar", "paired t test"))
    assert "Base: the respondents who answered every item (" in " ".join(table.notes)


@pytest.mark.parametrize("weight", ["wt", None])
def test_items_on_different_bases_are_tested_as_they_are_printed(
    small: Small, paired: dict[str, np.ndarray], weight: str | None
) -> None:
    survey = small(PAIRED_BOOK.split("  mine", maxsplit=1)[0], **paired).weighted_by(weight)
    table = survey.items_table(["before", "after"], shape="answers by items", levels=[95, 80])
    w = paired["wt"] if weight else np.ones(len(paired["wt"]))
    given = [[None if np.isnan(v) else float(v) for v in paired[name]] for name in ("before", "after")]
    for label, codes in (("Low", {1}), ("High", {3}), ("Not low", {2, 3})):
        people = [
            (float(x), *(None if v is None else float(v in codes) for v in pair))
            for x, *pair in zip(w, *given, strict=True)
        ]
        gap, _, p = item_share_test(people)
        assert p_values(table, label)["Before", "After"] == near(p)
        assert table.value(label, "Before") - table.value(label, "After") == near(100 * gap)
    gap, t, p = item_mean_test([(float(x), *pair) for x, *pair in zip(w, *given, strict=True)])
    assert p_values(table, "Mean", "mean")["Before", "After"] == near(p)
    (working,) = table.explain("Mean", "Before").tests
    assert (working.difference, working.statistic) == (near(gap), near(t))
    assert working.error == near(gap / t) and working.error > 0


def test_multiple_response_items_are_paired_answer_by_answer(
    small: Small, paired: dict[str, np.ndarray]
) -> None:
    survey = small(PAIRED_BOOK, **paired)
    table = survey.items_table(["mine", "yours"], shape="answers by items")
    w = paired["wt"]
    people = [
        (float(x), *(None if np.isnan(v) else float(v) for v in pair))
        for x, *pair in zip(w, paired["a_1"], paired["b_1"], strict=True)
    ]
    assert p_values(table, "Tarn")["Mine", "Yours"] == near(item_share_test(people)[2])
    with pytest.raises(otter.RequestError, match="before has other answers than mine"):
        survey.items_table(["mine", "before"], shape="answers by items")


def test_no_answer_can_be_kept_out_of_the_tests_of_items_side_by_side(
    small: Small, paired: dict[str, np.ndarray]
) -> None:
    survey = small(PAIRED_BOOK, **paired)
    items = otter.AnswersByItems(items=("before", "after"))
    wanted = otter.TableRequest(shows=items, base="all", levels=(50.0,))
    (tested,) = survey.tables([wanted])
    (kept_out,) = survey.tables([replace(wanted, rows=otter.RowRules(untested=("No answer",)))])
    assert not np.isnan(list(p_values(tested, "No answer").values())).any()
    assert np.isnan(list(p_values(kept_out, "No answer").values())).all()
    assert not any(line_of(kept_out, "No answer").letters)
    assert p_values(kept_out, "High") == p_values(tested, "High")
    assert "Not tested, as asked: No answer." in kept_out.notes


def test_rows_and_groups_can_be_taken_out_of_tests_and_the_notes_say_so(small: Small) -> None:
    survey = small(RANDOM_BOOK, **random_columns(21, 600))
    groups = (otter.BannerGroup(question="area", label="Area", against="nothing"), otter.BannerGroup(question="tried", label="Tried"))  # fmt: skip
    table = survey.table(
        "liking",
        banner=otter.Banner(groups=groups),
        levels=[90, 50],
        rows=otter.RowRules(untested=("Poor", "mean")),
    )
    assert not any("".join(line_of(table, "Poor").letters)) and not any(
        line_of(table, "Mean", "mean").letters
    )
    assert not any(letters for line in table.body for letters in line.letters[1:4])
    assert any(letters for line in table.body for letters in line.letters[4:])
    assert "Not tested, as asked: Poor, Mean." in table.notes and "No tests in: Area." in table.notes
    made = sum(int((~np.isnan(list(p_values(table, row).values()))).sum()) for row in ("Fair", "Good", "Fair or good"))  # fmt: skip
    assert any(note.startswith(f"{made} tests were made; if nothing differed, about") for note in table.notes)


def test_what_no_test_can_decide_is_counted_in_a_note(small: Small) -> None:
    survey = small(
        "questions:\n  by: {kind: single, answers: {1: P, 2: Q}}\n  q: {kind: single, answers: {1: All, 2: Nobody}}\n",
        by=[1, 2] * 20,
        q=[1] * 40,
    )
    notes = survey.table("q", banner="by").notes
    assert any(
        note.startswith("2 comparisons could not be tested: all or nobody gave the answer") for note in notes
    )
