"""Figures of every kind against second computations; bases, order of rows, items in one table."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

import eager_otter as otter
from conftest import RANDOM_BOOK, random_columns
from eager_otter.core.quantiles import weighted_quantile
from eager_otter.tables.request import RowRules, Sorting
from independent import moments

Small = Callable[..., otter.Survey]


@pytest.fixture
def random(small: Small) -> tuple[otter.Survey, dict[str, np.ndarray]]:
    columns = random_columns(8, 300)
    return small(RANDOM_BOOK, **columns), columns


def test_percents_of_rows_tables_mentions_and_index(
    random: tuple[otter.Survey, dict[str, np.ndarray]],
) -> None:
    survey, columns = random
    figures = ["count", "column percent", "row percent", "table percent", "mention percent", "index"]
    table = survey.table("ticks", banner="area", figures=figures)  # type: ignore[arg-type]
    frames = {figure: table.frame(figure) for figure in figures}
    w, answered = columns["wt"], ~np.isnan(columns["m_1"])
    inside = [np.ones(300, bool)] + [columns["area"] == k for k in (1, 2, 3)]
    ticks = np.array([columns[f"m_{k}"] == 1 for k in range(1, 10)])
    counts = np.array([[(w * answered * c * t).sum() for c in inside] for t in ticks])
    bases = np.array([(w * answered * c).sum() for c in inside])
    np.testing.assert_allclose(frames["count"].to_numpy()[:9], counts)
    np.testing.assert_allclose(frames["row percent"].to_numpy()[:9], 100 * counts / counts[:, :1])
    np.testing.assert_allclose(frames["table percent"].to_numpy()[:9], 100 * counts / bases[0])
    np.testing.assert_allclose(frames["mention percent"].to_numpy(), 100 * counts / counts.sum(axis=0))
    np.testing.assert_allclose(frames["mention percent"].sum(), 100)
    shares = counts / bases
    np.testing.assert_allclose(frames["index"].to_numpy()[:9], 100 * shares / shares[:, :1])
    assert list(frames["mention percent"].index) == list("ABCDEFGHI")  # nets are no mentions


@given(
    st.lists(st.tuples(st.integers(0, 9), st.integers(1, 4)), min_size=1, max_size=30),
    st.sampled_from([0.25, 0.5, 0.75, 0.1]),
)
def test_weighted_quantiles_equal_those_of_repeated_values(pairs: list[tuple[int, int]], q: float) -> None:
    pairs = sorted(pairs)
    values, weights = (np.array(column, float) for column in zip(*pairs, strict=True))
    repeated = np.repeat(values, weights.astype(int))
    expected = np.quantile(repeated, q, method="averaged_inverted_cdf")
    assert weighted_quantile(values, weights, q) == expected == weighted_quantile(values, 0.37 * weights, q)


def test_summaries_of_a_number_by_column(random: tuple[otter.Survey, dict[str, np.ndarray]]) -> None:
    survey, columns = random
    wanted = ["mean", "median", "upper quartile", "smallest", "largest", "sum", "confidence interval"]
    table = survey.table("glasses", banner="area", figures=wanted, levels=(90,))  # type: ignore[arg-type]
    found = {line.figure: line.values for line in table.body}
    for c, k in enumerate((1, 2, 3), 1):
        there = (columns["area"] == k) & ~np.isnan(columns["glasses"])
        s, w = columns["glasses"][there], columns["wt"][there]
        people = [(float(x), {1}, float(y)) for x, y in zip(w, s, strict=True)]
        mean, variance, e = moments(people, 1)
        half = stats.t.ppf(0.95, e - 1) * np.sqrt(variance / e)
        assert (found["smallest"][c], found["largest"][c]) == (s.min(), s.max())
        assert found["sum"][c] == pytest.approx((w * s).sum())
        assert (found["interval low"][c], found["interval high"][c]) == pytest.approx(
            (mean - half, mean + half)
        )
        order = np.argsort(s)
        share = np.cumsum(w[order]) / w.sum()
        assert found["median"][c] == s[order][np.searchsorted(share, 0.5)]


def test_medians_of_scales_come_from_their_scores(random: tuple[otter.Survey, dict[str, np.ndarray]]) -> None:
    survey, columns = random
    table = survey.table("liking", banner="area", figures=["median", "mean"])
    there = np.isin(columns["liking"], (1, 2, 3))
    s, w = columns["liking"][there], columns["wt"][there]
    order = np.argsort(s)
    expected = s[order][np.searchsorted(np.cumsum(w[order]) / w.sum(), 0.5)]
    assert table.value("Median", "Total") == expected


def test_mentions_per_respondent_count_zero_for_none(small: Small) -> None:
    book = "questions:\n  q: {kind: multi, columns: {t_1: A, t_2: B, t_9: {label: None, exclusive: true}}}\n"
    survey = small(book, t_1=[1, 1, 0, np.nan], t_2=[1, 0, 0, np.nan], t_9=[0, 0, 1, np.nan])
    table = survey.table("q", figures=["column percent", "mean mentions"])
    assert table.value("Mentions per respondent", "Total") == 1.0


def test_a_base_of_everyone_has_a_row_for_no_answer(
    random: tuple[otter.Survey, dict[str, np.ndarray]],
) -> None:
    survey, columns = random
    for name, held in (
        ("liking", np.isin(columns["liking"], (1, 2, 3))),
        ("ticks", ~np.isnan(columns["m_1"])),
    ):
        answered = survey.table(name, banner="area", figures=["count"])
        everyone = survey.table(name, banner="area", figures=["count", "column percent"], base="all")
        assert everyone.lines[0].values[0] == 300
        assert everyone.value("No answer", "Total", "count") == pytest.approx(columns["wt"][~held].sum())
        for line in answered.body:
            np.testing.assert_allclose(everyone.line(line.label, "count").values, line.values)
    assert "Base: all 300 respondents, whether or not they answered." in everyone.notes


def test_a_base_by_expression_rebases_and_says_so(random: tuple[otter.Survey, dict[str, np.ndarray]]) -> None:
    survey, _ = random
    based, filtered = survey.table("liking", base="area == 1"), survey.table("liking", filter="area == 1")
    for one, other in zip(based.lines, filtered.lines, strict=True):
        np.testing.assert_allclose(one.values, other.values)
    assert any("who answered (area is " in note for note in based.notes)


ORDER = """
questions:
  q:
    kind: single
    answers: {1: Other, 2: Few, 3: Many, 4: Some, 5: {label: Zero}, 9: {label: Kept, last: true}}
    nets: [{label: Few or some, of: [2, 4], place: above}, {label: Many or some, of: [3, 4]}]
"""
GIVEN = [1] * 5 + [2] * 1 + [3] * 6 + [4] * 2 + [9] * 4


@pytest.mark.parametrize(
    ("rules", "labels"),
    [
        (RowRules(), "Other|Few or some|Few|Some|Many|Zero|Kept|Many or some"),
        (RowRules(sort=Sorting()), "Many|Few or some|Some|Few|Zero|Other|Kept|Many or some"),
        (RowRules(sort=Sorting(up=True)), "Zero|Few or some|Few|Some|Many|Other|Kept|Many or some"),
        (
            RowRules(sort=Sorting(by="label", up=True)),
            "Few or some|Few|Some|Many|Zero|Other|Kept|Many or some",
        ),
        (RowRules(drop_empty=True, hide=("Kept",)), "Other|Few or some|Few|Some|Many|Many or some"),
        (RowRules(sort=Sorting(), most=2), "Many|Few or some|Some|Many or some"),
        (RowRules(above=15), "Other|Few or some|Many|Kept|Many or some"),
    ],
)
def test_rows_are_chosen_and_ordered(small: Small, rules: RowRules, labels: str) -> None:
    table = small(ORDER, q=GIVEN).table("q", rows=rules)
    assert "|".join(line.label for line in table.body) == labels
    assert table.lines[0].values[0] == len(GIVEN)


def test_answers_left_out_leave_the_base_and_their_nets(small: Small) -> None:
    table = small(ORDER, q=GIVEN).table(
        "q", rows=RowRules(leave_out=("Many", "9")), figures=["column percent"]
    )
    assert table.lines[0].values[0] == 8
    assert table.value("Other", "Total") == pytest.approx(100 * 5 / 8)
    assert table.value("Many or some", "Total") == pytest.approx(100 * 2 / 8)
    assert "Left out, of the base too: Many, Kept." in table.notes


def test_cumulated_percents_follow_the_rows_shown(small: Small) -> None:
    table = small(ORDER, q=GIVEN).table(
        "q", figures=["column percent", "cumulative percent"], rows=RowRules(sort=Sorting())
    )
    percents = [
        line.values[0] for line in table.body if line.figure == "column percent" and line.kind == "answer"
    ]
    cumulated = [line.values[0] for line in table.body if line.figure == "cumulative percent"]
    np.testing.assert_allclose(cumulated, np.cumsum(percents))
    assert cumulated[-1] == pytest.approx(100)


def test_items_across_the_banner_equal_their_own_tables(survey: otter.Survey) -> None:
    made = survey.items_table(
        "statements", banner=["wave", "region"], figure="Agree (top two)", levels=(95, 90)
    )
    for name in survey.codebook.grids["statements"].items:
        own = survey.table(name, banner=["wave", "region"], levels=(95, 90))
        line, wanted = made.line(name, "column percent"), own.line("Agree (top two)", "column percent")
        np.testing.assert_allclose(line.values, wanted.values, rtol=1e-12)
        assert line.letters == wanted.letters
        np.testing.assert_array_equal(made.line(name, "unweighted base").values, own.lines[0].values)
    means = survey.items_table("statements", banner="wave", sort=Sorting())
    totals = [line.values[0] for line in means.body if line.figure == "mean"]
    assert totals == sorted(totals, reverse=True)


def test_items_side_by_side_equal_their_own_tables(survey: otter.Survey) -> None:
    made = survey.items_table("rating", shape="answers by items")
    for k, name in enumerate(survey.codebook.grids["rating"].items):
        own = survey.table(name)
        np.testing.assert_allclose(
            [line.values[k] for line in made.lines], [line.values[0] for line in own.lines]
        )
    with pytest.raises(otter.RequestError, match=r"liking has other answers than intent_before"):
        survey.items_table(["intent_before", "liking"], shape="answers by items")
    with pytest.raises(otter.RequestError, match=r"figure: rating.tarn has no net or answer 'Agree'"):
        survey.items_table("rating", figure="Agree")


def test_cells_sum_up_a_third_question_and_are_judged_on_their_own_values(
    random: tuple[otter.Survey, dict[str, np.ndarray]],
) -> None:
    survey, c = random
    rules = otter.BaseRules(mark=40)
    table = survey.table(
        "ticks", banner="area", value="glasses", figures=["mean", "sum"], bases=rules, levels=(80,)
    )
    w, s, area = c["wt"], c["glasses"], c["area"]
    rows = [c[f"m_{k}"] == 1 for k in range(1, 10)] + [
        (c["m_1"] == 1) | (c["m_9"] == 1),
        (c["m_1"] == 1) | (c["m_2"] == 1),
    ]
    lines = [line for line in table.body if line.figure == "mean"]
    assert [line.label for line in lines] == [*"ABCDEFGHI", "A or I", "A or B"]
    for line, row in zip(lines, rows, strict=True):
        for column in range(4):
            there = row & ~np.isnan(s) & ((area == column) if column else True)
            assert line.values[column] == pytest.approx((w * s)[there].sum() / w[there].sum())
            assert line.marks[column] == ("low base" if there.sum() < 40 else "")
        own = [  # the same means and letters as in a table of the number, filtered to the row
            survey.table(
                "glasses", banner="area", levels=(80,), figures=["mean"], filter=f"ticks mentions {code}"
            ).body[0]
            for code in line.code.split() or []
        ]
        assert not own or (own[0].letters == line.letters)
    assert any("Cells sum up glasses" in note for note in table.notes)
    with pytest.raises(
        otter.RequestError, match="area is of kind single; only numbers and scales can be summed up"
    ):
        survey.table("ticks", value="area")


def test_questions_one_under_another_repeat_their_bases_where_they_change(survey: otter.Survey) -> None:
    names = ["liking", "different", "children"]
    made = survey.items_table(names, banner="wave", shape="one under another", title="Three")
    headings = [line.label for line in made.lines if line.kind == "heading"]
    assert headings == [survey.questions[name].text for name in names]
    bases = [line.values[0] for line in made.lines if line.figure == "unweighted base"]
    assert bases == [survey.table(name).lines[0].values[0] for name in ("liking", "children")]
    own = [line for name in names for line in survey.table(name, banner="wave").body]
    body = [line for line in made.body if line.kind != "heading"]
    for one, other in zip(body, own, strict=True):
        assert (one.label, one.letters) == (other.label, other.letters)
        np.testing.assert_allclose(one.values, other.values)
    assert not any(record.row in headings for record in made.records())
