"""Nested rows, figures that name another row or column, bases chosen, tables of several questions."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest

import eager_otter as otter
from conftest import RANDOM_BOOK, random_columns
from eager_otter.tables.table import Table
from eager_otter.tables.texts import cell_text

Small = Callable[..., otter.Survey]
BOTH = {"area": {1: "North", 2: "East", 3: "South"}, "liking": {1: "Poor", 2: "Fair", 3: "Good"}}


@pytest.fixture
def data() -> pd.DataFrame:
    return pd.DataFrame(random_columns(31, 300))


@pytest.fixture
def survey(small: Small, data: pd.DataFrame) -> otter.Survey:
    return small(RANDOM_BOOK, **{name: data[name].to_numpy() for name in data})


def made(survey: otter.Survey, question: str, **wanted: object) -> Table:
    (table,) = survey.tables([otter.TableRequest(shows=otter.OneQuestion(question), **wanted)])  # type: ignore[arg-type]
    return table


def banner(*names: str) -> otter.Banner:
    return otter.Banner(groups=tuple(otter.BannerGroup(question=name) for name in names))


def test_nested_rows_count_combinations_among_those_who_answered_both(
    survey: otter.Survey, data: pd.DataFrame
) -> None:
    table = survey.table("liking", banner="tried", within="area")
    assert table.line("Base (weighted)").question == "area × liking" and table.title.endswith(
        " – within area"
    )
    rows = data[data.area.notna() & data.liking.isin([1, 2, 3])]
    tarn = rows[rows.t_1 == 1]
    assert table.value("Base (weighted)", "Tarn") == pytest.approx(tarn.wt.sum())
    for area, name in BOTH["area"].items():
        inside = tarn[tarn.area == area]
        assert table.value(name, "Tarn") == pytest.approx(100 * inside.wt.sum() / tarn.wt.sum())
        for code in BOTH["liking"]:
            expected = 100 * inside.wt[inside.liking == code].sum() / tarn.wt.sum()
            assert table.value(f"{area}/{code}", "Tarn") == pytest.approx(expected)
    assert [(line.label, line.indent) for line in table.body][:4] == [("North", 0), ("Poor", 1), ("Fair", 1), ("Good", 1)]  # fmt: skip


def test_an_answer_that_stays_last_does_so_under_each_head(small: Small) -> None:
    book = """
    questions:
      area: {kind: single, label: Area, answers: {1: North, 2: South}}
      kind: {kind: single, label: Kind of shop, answers: {1: Kiosk, 2: {label: Farm gate, last: true}, 3: Market}}
    """
    survey = small(book, area=[1, 1, 1, 2, 2, 2, 2], kind=[2, 2, 1, 2, 2, 3, 3])
    rows = otter.RowRules(sort=otter.Sorting())
    table = survey.table("kind", within=["area"], rows=rows)
    assert [line.label for line in table.body if line.figure == "column percent"] == [
        *("South", "Market", "Kiosk", "Farm gate"), *("North", "Kiosk", "Market", "Farm gate"),
    ]  # fmt: skip
    deeper = survey.table("kind", within=["area", "kind"])
    assert deeper.title == "Kind of shop – within Kind of shop, within Area"
    assert deeper.body[0].question == "area × kind × kind"


def test_three_levels_and_multiple_response_nest_too(survey: otter.Survey, data: pd.DataFrame) -> None:
    table = survey.table("tried", within=["area", "liking"])
    rows = data[data.area.notna() & data.liking.isin([1, 2, 3]) & data.t_1.notna()]
    expected = rows.wt[(rows.area == 2) & (rows.liking == 3) & (rows.t_2 == 1)].sum() / rows.wt.sum()
    code = survey.questions["tried"].valid[1].code
    assert table.value(f"2/3/{code}", "Total") == pytest.approx(100 * expected)
    assert table.value("East: Good", "Total") >= table.value(f"2/3/{code}", "Total")
    with pytest.raises(otter.RequestError, match="only answers can be nested"):
        survey.table("liking", within="glasses")


def test_percents_of_an_answer_an_outer_head_and_those_who_answered(
    survey: otter.Survey, data: pd.DataFrame
) -> None:
    nest = otter.Banner(groups=(otter.BannerGroup(nest=banner("area", "tried").groups),))
    figures = ("count", "percent of answer", "percent of outer", "percent of answered", "column difference")
    table = made(
        survey,
        "liking",
        banner=nest,
        figures=figures,
        percent_of="2",
        difference_from="East: Tarn",
        base="all",
    )
    frame = {figure: table.frame(figure) for figure in (*figures, "weighted base")}
    counts = frame["count"]
    north = data[data.area == 1]
    for k, brand in enumerate(("Tarn", "Brookfizz"), 1):
        poor = ((north.liking == 1) & (north[f"t_{k}"] == 1)) * north.wt
        place = ("North", brand)
        ratio = counts.loc["Poor", place] / counts.loc["Fair", place]
        assert frame["percent of answer"].loc["Poor", place] == pytest.approx(100 * ratio)
        outer = frame["percent of outer"].loc["Poor", place]
        assert outer == pytest.approx(100 * poor.sum() / north.wt.sum())
        valid = (north[f"t_{k}"] == 1) & north.liking.isin([1, 2, 3])
        share = frame["percent of answered"].loc["Poor", place]
        assert share == pytest.approx(100 * poor.sum() / north.wt[valid].sum())
    shares = 100 * counts / frame["weighted base"].to_numpy()
    gap = shares.loc["Good", ("North", "Tarn")] - shares.loc["Good", ("East", "Tarn")]
    assert frame["column difference"].loc["Good", ("North", "Tarn")] == pytest.approx(gap)
    assert "No answer" not in frame["percent of answered"].index
    with pytest.raises(otter.RequestError, match="needs a nested banner"):
        made(survey, "liking", figures=("percent of outer",))


def test_percentiles_mentions_and_respondents(survey: otter.Survey, data: pd.DataFrame) -> None:
    glasses = survey.weighted_by(None).table("glasses", figures=["percentile 90", "percentile 12.5"])
    for q in (90, 12.5):
        expected = np.nanpercentile(data.glasses, q, method="averaged_inverted_cdf")
        assert glasses.value(f"Percentile {q:g}", "Total") == expected
    ticks = survey.table("ticks", figures=["mentions", "respondents", "mean mentions"])
    answered = data[data.m_1.notna()]
    given = answered[[f"m_{k}" for k in range(1, 10)]].sum(axis=1)
    assert ticks.value("Mentions", "Total") == pytest.approx((given * answered.wt).sum())
    assert ticks.value("Respondents", "Total") == pytest.approx(answered.wt.sum())


def test_bases_digits_headings_and_words_are_as_asked(survey: otter.Survey) -> None:
    table = made(
        survey,
        "liking",
        banner=banner("area"),
        base_rows=("effective base",),
        base_text="tasted it",
        note="Tasted blind.",
        bases=otter.BaseRules(mark=1000),
        digits=otter.Digits(percent=1, of_figures=(("mean", 3),)),
        rows=otter.RowRules(headings=(("1", "Against"), ("Good", ""))),
    )
    assert [line.figure for line in table.bases] == ["effective base"]
    assert cell_text(table, table.bases[0], 0).endswith("*")
    kinds = [(line.kind, line.label) for line in table.body]
    assert kinds[:2] == [("heading", "Against"), ("answer", "Poor")]
    assert kinds[3:5] == [("heading", ""), ("answer", "Good")]
    assert len(cell_text(table, table.body[-1], 0).split(".")[1]) == 3
    assert table.notes[0].startswith("Base: tasted it (") and table.notes[-1] == "Tasted blind."


def test_before_by_after_counts_who_moved_where(small: Small) -> None:
    rng = np.random.default_rng(5)
    one, two = rng.choice([1, 2, 3, 9], 200), rng.choice([1, 2, 3, 9], 200)
    scale = (
        "kind: single, scale: true, answers: {1: Low, 2: Middle, 3: High, 9: {label: Unsure, missing: true}}"
    )
    survey = small(f"questions:\n  one: {{{scale}}}\n  two: {{{scale}}}\n", one=one, two=two)
    table = survey.items_table(["one", "two"], shape="before by after")
    both = (one != 9) & (two != 9)
    square = np.array([[((one == a) & (two == b)).sum() for b in (1, 2, 3)] for a in (1, 2, 3)])
    counts = table.frame("count").loc[["Low", "Middle", "High"]].to_numpy()
    np.testing.assert_array_equal(counts[:, 1:], square)
    assert table.people == both.sum() == square.sum()
    moves = table.frame("count").loc[["Same answer", "Higher after", "Lower after"]].to_numpy()[:, 0]
    np.testing.assert_array_equal(
        moves, [np.trace(square), np.triu(square, 1).sum(), np.tril(square, -1).sum()]
    )
    assert table.value("Higher after", "Total", "table percent") == pytest.approx(100 * moves[1] / both.sum())


def test_a_table_of_key_figures_shows_each_question_its_own_figure(survey: otter.Survey) -> None:
    items = otter.ItemsByColumns(
        items=("liking", "liking", "glasses"),
        figures=("Fair or good", "mean", "median"),
        labels=("", "Liking", ""),
    )
    (table,) = survey.tables([otter.TableRequest(shows=items, banner=banner("area"), title="Key figures")])
    alone = survey.table("liking", banner="area"), survey.table("glasses", banner="area", figures=["median"])
    assert table.value("liking: Fair or good", "East") == alone[0].value("Fair or good", "East")
    assert table.value("Liking", "South") == alone[0].value("Mean", "South")
    assert table.value("glasses: median", "North") == alone[1].value("Median", "North")
    with pytest.raises(otter.RequestError, match="3 items, but 2 figures"):
        replace(items, figures=("mean", "mean"))


def test_an_earlier_report_is_built_on_and_gives_the_same_tables(demo: object) -> None:
    plan = otter.read_plan(f"{demo}/shapes.yaml")
    first = otter.run(plan)
    changed = replace(plan.requests[1], title="Another title")
    again = otter.run(replace(plan, requests=(plan.requests[0], changed, *plan.requests[2:])), before=first)
    kept = [a is b for a, b in zip(first.tables, again.tables, strict=True)]
    assert kept == [True, False, *[True] * (len(kept) - 2)]
    fresh, new = first.tables[1], again.tables[1]
    assert new.title == "Another title" and [line.letters for line in new.lines] == [line.letters for line in fresh.lines]  # fmt: skip
    np.testing.assert_allclose(new.frame("column percent"), fresh.frame("column percent"), rtol=1e-13)
    other = otter.run(replace(plan, filter=None), before=first)
    assert other.tables[0] is not first.tables[0] and other.tables[0].people > first.tables[0].people


@pytest.mark.parametrize(
    ("place", "rows"),
    [
        ("above", [("Any hot", 0), ("Tea", 1), ("Coffee", 1), ("Water", 0)]),
        ("below", [("Tea", 0), ("Coffee", 0), ("Water", 0), ("Any hot", 0)]),
        ("instead", [("Any hot", 0), ("Water", 0)]),
    ],
)
def test_a_net_stands_above_below_or_instead_of_its_answers(
    small: Callable[..., otter.Survey], place: str, rows: list[tuple[str, int]]
) -> None:
    book = f"questions:\n  q: {{kind: single, answers: {{1: Tea, 2: Coffee, 3: Water}}, nets: [{{label: Any hot, of: [1, 2], place: {place}}}]}}\n"
    table = small(book, q=[1, 1, 2, 3]).table("q")
    assert [(line.label, line.indent) for line in table.body] == rows
    assert (table.value("Any hot", "Total"), table.value("Water", "Total")) == (75.0, 25.0)


def test_rows_are_sorted_by_code_label_or_figure_up_and_down(small: Callable[..., otter.Survey]) -> None:
    book = "questions:\n  q: {kind: single, answers: {10: Tea, 2: Coffee, 7: Apple}}\n"
    survey = small(book, q=[10, 10, 2, 2, 2, 7])

    def rows(by: str, up: bool) -> list[str]:
        order = otter.RowRules(sort=otter.Sorting(by=by, up=up))  # type: ignore[arg-type]
        return [line.label for line in survey.table("q", rows=order).body]

    assert rows("code", True) == ["Coffee", "Apple", "Tea"] == rows("code", False)[::-1]
    assert rows("label", True) == ["Apple", "Coffee", "Tea"] == rows("label", False)[::-1]
    assert rows("figure", True) == ["Apple", "Tea", "Coffee"] == rows("figure", False)[::-1]
