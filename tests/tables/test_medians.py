"""Medians compared: against scipy and loops over people, letters only where the medians differ that way."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from test_whole_tables import Columns, columns_of, opened

import eager_otter as otter
from eager_otter.tables import testing
from independent import proportion_test

Small = Callable[..., otter.Survey]
MOOD = otter.TestRules(medians="mood")


def compared(table: otter.Table, row: str = "Median") -> testing.Tested:
    line = table.line(row)
    assert line.evidence is not None and line.evidence.tested is not None
    return line.evidence.tested


def median_of(values: np.ndarray, weights: np.ndarray) -> float:
    order = np.argsort(values, kind="stable")
    share = np.cumsum(weights[order]) / weights.sum()
    k = int(np.searchsorted(share, 0.5 - 1e-9))
    above = values[order][values[order] > values[order][k]]
    at = share[values[order] <= values[order][k]][-1]
    return (values[order][k] + above[0]) / 2 if abs(at - 0.5) < 1e-9 and above.size else values[order][k]


def by_hand(columns: Columns, values: np.ndarray, inside: np.ndarray, a: int, b: int) -> tuple[float, float]:
    """z and P of the share at most the median of those in either column, higher medians positive."""
    there = ~np.isnan(values)
    w, s, x = columns["wt"][there], values[there], inside[:, there]
    either = (x[a] + x[b]) > 0
    m = median_of(s[either], w[either])
    people = [(float(w[i]), {k for k in (a, b) if x[k, i]}, bool(s[i] <= m)) for i in range(w.size)]
    z, p = proportion_test([one for one in people if one[1]], a, b)
    return -z, p


@given(st.integers(0, 300), st.sampled_from(["spend", "q"]), st.sampled_from(["wave", "shop"]))
def test_pairs_are_those_of_a_loop_over_people(seed: int, question: str, banner: str) -> None:
    columns = columns_of(seed)
    table = opened(columns).table(question, banner=banner, figures=["median"], tests=MOOD)
    tested = compared(table)
    inside = (
        np.array([columns["wave"] == k for k in (1, 2, 3)])
        if banner == "wave"
        else np.array([columns[f"s_{k}"] == 1 for k in (1, 2, 3)])
    )
    assert tested.comparisons.pairs.tolist() == [[1, 2], [1, 3], [2, 3]]
    for k, (a, b) in enumerate(tested.comparisons.pairs - 1):
        z, p = by_hand(columns, columns[question], inside, a, b)
        found = float(tested.tests.statistic[0, k]), float(tested.tests.p_value[0, k])
        assert found == pytest.approx((z, p), nan_ok=True)


@given(st.integers(0, 300))
def test_unweighted_it_is_moods_test_of_scipy(seed: int) -> None:
    columns = columns_of(seed, weighted=False)
    there = ~np.isnan(columns["spend"])
    one, other = (columns["spend"][there & (columns["wave"] == k)] for k in (1, 2))
    expected = stats.median_test(one, other, ties="below", correction=False)
    tested = compared(opened(columns).table("spend", banner="wave", figures=["median"], tests=MOOD))
    assert tested.tests.p_value[0, 0] == pytest.approx(expected.pvalue)
    assert abs(tested.tests.statistic[0, 0]) == pytest.approx(np.sqrt(expected.statistic))


BOOK = "questions:\n  g: {kind: single, answers: {1: P, 2: Q}}\n  q: {kind: single, scale: true, answers: {1: Low, 2: Middle, 3: High}}\n  v: {kind: number}\n"


def test_a_letter_stands_only_where_the_medians_differ_that_way(small: Small) -> None:
    same = (
        [1] * 20 + [2] * 60 + [3] * 20,
        [1] * 5 + [2] * 50 + [3] * 45,
    )  # both medians are 2, the shares differ
    higher = [1] * 60 + [2] * 40, [1] * 20 + [2] * 40 + [3] * 40
    for lists, letters in ((same, ("", "")), (higher, ("", "A"))):
        survey = small(
            BOOK,
            g=np.repeat([1, 2], [len(one) for one in lists]),
            q=np.concatenate(lists),
            v=np.concatenate(lists),
        )
        for question in ("q", "v"):
            table = survey.table(question, banner="g", figures=["median"], tests=MOOD)
            tested = compared(table)
            assert tested.tests.p_value[0, 0] < 0.05
            assert table.line("Median").letters[1:] == letters
    (test,) = (
        small(BOOK, g=np.repeat([1, 2], 100), q=np.concatenate(same), v=1)
        .table("q", banner="g", figures=["median"], tests=MOOD)
        .explain("Median", "P")
        .tests
    )
    assert test.mark == "" and test.level is None
    assert test.sentence.endswith(
        "the medians themselves do not differ that way, so there is no letter or mark."
    )
    assert "the median of both is 2; shares at most that: 0.8 and 0.55" in test.sentence
    assert test.low is None and "interval" not in test.sentence


@given(st.integers(0, 400))
def test_no_letter_stands_on_the_lower_median(seed: int) -> None:
    columns = columns_of(seed, 90)
    for against in ("each other", "rest"):
        rules = otter.TestRules(medians="mood", against=against)  # type: ignore[arg-type]
        table = opened(columns).table(
            "spend", banner=["wave", "shop"], figures=["median"], tests=rules, levels=(80, 60)
        )
        line = table.line("Median")
        for k, text in enumerate(line.letters):
            for letter in text.replace(" ", "") if against == "each other" else "":
                other = next(c for c, column in enumerate(table.columns) if column.letter == letter.upper())
                assert line.values[k] > line.values[other]


def test_medians_are_compared_on_demand_only(survey: otter.Survey, demo: Path) -> None:
    plain = survey.table("spend", banner="region", figures=["median", "lower quartile", "mean"])
    assert not any(plain.line("Median").letters)
    assert "Not tested: Median, Lower quartile." in plain.notes
    wanted = survey.table("spend", banner="region", figures=["median", "lower quartile"], tests=MOOD)
    assert wanted.line("Median").letters[1:] == ("", "A", "ABD", "")
    assert "Not tested: Lower quartile." in wanted.notes
    assert any(note.startswith("Medians: Mood's test") for note in wanted.notes)
    rules = otter.RowRules(untested=("median",))
    assert not any(
        survey.table("spend", "region", figures=["median"], tests=MOOD, rows=rules).line("Median").letters
    )
    items = survey.items_table(
        ["liking", "recommend"], figures=["median"], shape="one under another", banner="region", tests=MOOD
    )
    assert any(note.startswith("Medians: Mood's test") for note in items.notes)
    with pytest.raises(otter.RequestError, match="medians of the same people are not compared"):
        survey.items_table("rating", shape="answers by items", tests=MOOD)
    plan = demo / "medians.yaml"
    plan.write_text(
        "data: responses.csv\ncodebook: codebook.yaml\ntests: {medians: mood}\ntables: [{question: spend, figures: median}]\n",
        encoding="utf-8",
    )
    read = otter.read_plan(plan)
    assert read.requests[0].tests.medians == "mood"
    assert otter.plan_from_text(otter.plan_text(read), demo).requests == read.requests


def test_a_correction_takes_all_pairs_and_marks_follow_the_rest(survey: otter.Survey) -> None:
    plain = compared(survey.table("spend", "region", figures=["median"], tests=MOOD))
    rules = otter.TestRules(medians="mood", adjust="bonferroni")
    held = compared(survey.table("spend", "region", figures=["median"], tests=rules))
    np.testing.assert_allclose(held.adjusted, np.minimum(plain.p_value * 6, 1.0))
    rest = survey.table(
        "spend", "region", figures=["median"], tests=otter.TestRules(medians="mood", against="rest")
    )
    assert rest.line("Median").letters[1:] == ("▼", "", "▲", "")
    for banner in ("region", "diet"):
        table = survey.table("spend", banner, figures=["median"], tests=MOOD)
        for test in (
            test for column in table.columns[1:] for test in table.explain("Median", column.label).tests
        ):
            one, other = (
                float(part)
                for part in test.sentence.partition("at most that: ")[2].partition(";")[0].split(" and ")
            )
            assert test.statistic == pytest.approx((other - one) / test.error, abs=1e-7)  # type: ignore[operator]
    overlapping = survey.table("spend", "diet", figures=["median"], tests=MOOD).explain("Median", "Sugar")
    assert "in both columns" in overlapping.tests[0].sentence and "V = " in overlapping.tests[0].sentence
