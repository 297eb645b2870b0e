"""Trends over ordered columns: against loops over people, through plan, notes, working, records and the page."""

from __future__ import annotations

import json
from collections.abc import Callable
from math import sqrt
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from test_whole_tables import Columns, columns_of, opened

import eager_otter as otter

Small = Callable[..., otter.Survey]
TREND = otter.TestRules(trend=True)
WAVES = otter.Banner(groups=(otter.BannerGroup(question="wave", trend=True),))
SHOPS = otter.Banner(groups=(otter.BannerGroup(question="shop", trend=True),))


def trend_of(table: otter.Table, row: str, figure: str | None = None) -> tuple[float, float]:
    line = table.line(row, figure)
    assert line.evidence is not None
    (trend,) = line.evidence.trends
    assert trend.tests is not None
    k = line.evidence.row
    return float(trend.tests.statistic[k]), float(trend.tests.p_value[k])


def by_hand(x: np.ndarray, y: np.ndarray, w: np.ndarray, *, share: bool) -> tuple[float, float]:
    """Statistic and P of a trend over columns x (columns, people), person by person."""
    weight = (x * w).sum(axis=1)
    e = weight**2 / (x * w**2).sum(axis=1)
    t = np.arange(1, len(x) + 1)
    figure = (x * w * y).sum(axis=1) / weight
    a = e * (t - (e * t).sum() / e.sum())
    if share:
        p = (e * figure).sum() / e.sum()
        variance = p * (1 - p) * sum(w[i] ** 2 * (a * x[:, i] / weight).sum() ** 2 for i in range(w.size))
        z = (a * figure).sum() / sqrt(variance)
        return z, 2 * float(stats.norm.sf(abs(z)))
    n = x.sum(axis=1)
    v = [
        (w[c] * (y[c] - m) ** 2).sum() / w[c].sum() * k / (k - 1)
        for c, m, k in zip(x.astype(bool), figure, n, strict=True)
    ]
    if (x.sum(axis=0) > 1).any():
        psi = a[:, None] * np.sqrt(e / (e - 1))[:, None] * x * (y - figure[:, None]) / weight[:, None]
        parts = (w**2 * psi**2).sum(axis=1)
        variance = float((w**2 * psi.sum(axis=0) ** 2).sum())
    else:
        parts = a**2 * v / e
        variance = float(parts.sum())
    df = parts.sum() ** 2 / (parts**2 / (e - 1)).sum()
    value = (a * figure).sum() / sqrt(variance)
    return value, 2 * float(stats.t.sf(abs(value), df))


def waves(columns: Columns, there: np.ndarray) -> np.ndarray:
    return np.array([columns["wave"][there] == k for k in (1, 2, 3)], float)


def shops(columns: Columns, there: np.ndarray) -> np.ndarray:
    return np.array([columns[f"s_{k}"][there] == 1 for k in (1, 2, 3)], float)


@given(st.integers(0, 300), st.sampled_from([(WAVES, waves), (SHOPS, shops)]))
def test_trends_are_those_of_loops_over_people(
    seed: int, by: tuple[otter.Banner, Callable[..., np.ndarray]]
) -> None:
    banner, inside = by
    columns = columns_of(seed)
    survey = opened(columns)
    table = survey.table("q", banner=banner)
    there = ~np.isnan(columns["q"])
    x, q, w = inside(columns, there), columns["q"][there], columns["wt"][there]
    for code, label in ((1, "Low"), (2, "Middle"), (3, "High")):
        assert trend_of(table, label) == pytest.approx(by_hand(x, q == code, w, share=True))
    assert trend_of(table, "Mean") == pytest.approx(by_hand(x, q, w, share=False))
    there = ~np.isnan(columns["spend"])
    spend = survey.table("spend", banner=banner)
    expected = by_hand(inside(columns, there), columns["spend"][there], columns["wt"][there], share=False)
    assert trend_of(spend, "Mean") == pytest.approx(expected)


@given(st.integers(0, 300))
def test_unweighted_and_with_nobody_shared_it_is_cochran_and_armitages(seed: int) -> None:
    columns = columns_of(seed, weighted=False)
    table = opened(columns).table("q", banner=WAVES)
    there = ~np.isnan(columns["q"])
    n = np.array([(columns["wave"][there] == k).sum() for k in (1, 2, 3)])
    gave = np.array([((columns["wave"] == k) & (columns["q"] == 3)).sum() for k in (1, 2, 3)])
    t, p = np.array([1, 2, 3]), gave.sum() / n.sum()
    z = (t * (gave - n * p)).sum() / sqrt(p * (1 - p) * ((n * t**2).sum() - (n * t).sum() ** 2 / n.sum()))
    assert trend_of(table, "High") == pytest.approx((z, 2 * stats.norm.sf(abs(z))))


def test_a_turned_order_turns_the_trend_and_a_column_left_out_keeps_its_place(small: Small) -> None:
    columns = columns_of(11)
    survey = opened(columns)
    order = ("Spring", "Autumn", "Winter")
    turned = otter.Banner(groups=(otter.BannerGroup(question="wave", keep=order[::-1], trend=True),))
    for row in ("Low", "Mean"):
        there, back = (trend_of(survey.table("q", banner=banner), row) for banner in (WAVES, turned))
        assert there[0] == pytest.approx(-back[0]) and there[1] == pytest.approx(back[1])
    k = np.repeat([1, 2, 3, 4], [60, 60, 5, 60])
    yes = np.concatenate([np.arange(60) < 20, np.arange(60) < 26, np.arange(5) < 1, np.arange(60) < 40])
    book = "questions:\n  g: {kind: single, scale: true, answers: {1: P, 2: Q, 3: R, 4: S}}\n  q: {kind: single, answers: {1: Y, 2: N}}\n"
    table = small(book, g=k, q=np.where(yes, 1, 2)).table(
        "q", banner="g", tests=TREND, bases=otter.BaseRules(no_test=20)
    )
    n, gave, t = np.array([60, 60, 60]), np.array([20, 26, 40]), np.array([1, 2, 4])
    p = gave.sum() / n.sum()
    z = (t * (gave - n * p)).sum() / sqrt(p * (1 - p) * ((n * t**2).sum() - (n * t).sum() ** 2 / n.sum()))
    assert trend_of(table, "Y")[0] == pytest.approx(z)
    assert table.line("Y").letters[table.column_position("Trend")] == "▲"
    assert table.line("N").letters[table.column_position("Trend")] == "▼"


def test_marks_are_strict_or_lax_and_the_column_holds_nothing_else(small: Small) -> None:
    book = "questions:\n  g: {kind: single, scale: true, answers: {1: P, 2: Q, 3: R}}\n  q: {kind: multi, columns: {a: Up, b: Lax, c: Flat}}\n"
    place = np.repeat([1, 2, 3], 50)

    def gave(*counts: int) -> np.ndarray:
        return np.concatenate([np.arange(50) < count for count in counts]).astype(int)

    survey = small(book, g=place, a=gave(10, 20, 30), b=gave(20, 24, 29), c=gave(25, 20, 25))
    table = survey.table("q", banner="g", tests=TREND, levels=(95, 90))
    at = table.column_position("Trend")
    assert [table.line(row).letters[at] for row in ("Up", "Lax", "Flat")] == ["▲", "△", ""]
    assert all(np.isnan(line.values[at]) for line in table.lines)
    assert table.columns[at].role == "trend" and not table.columns[at].letter
    records = [record for record in table.records() if record.column == "Trend"]
    assert [(record.row, record.figure, record.text, record.value) for record in records] == [
        ("Up", "letters", "▲", None),
        ("Lax", "letters", "△", None),
    ]
    short = [note.short for note in table.notes if note.about == "trend"]
    assert short == [
        "Trend: ▲ rising, ▼ falling significantly, at the 95 % level (△ ▽ at the 90 % level only)."
    ]
    assert "Trends of percents: Cochran and Armitage's test with effective bases." in table.notes
    assert "Trends of means" not in " ".join(table.notes)
    with_mean = survey.table("g", banner="g", tests=TREND)
    assert "Trends of means: a t test" in " ".join(with_mean.notes)


def test_trends_are_among_the_tests_that_are_counted(small: Small) -> None:
    """Nine tests of pairs and three trends; a correction is for pairs, so trends go on being marked by chance."""
    book = "questions:\n  g: {kind: single, scale: true, answers: {1: P, 2: Q, 3: R}}\n  q: {kind: multi, columns: {a: Up, b: Lax, c: Flat}}\n"
    gave = {
        name: np.concatenate([np.arange(50) < count for count in counts]).astype(int)
        for name, counts in {"a": (10, 20, 30), "b": (20, 24, 29), "c": (25, 20, 25)}.items()
    }
    survey = small(book, g=np.repeat([1, 2, 3], 50), **gave)

    def told(table: otter.Table) -> str:
        return next(note for note in table.notes if " made" in note)

    usual = survey.table("q", banner="g", tests=TREND, levels=(75,))
    assert (
        told(usual)
        == "12 tests were made; if nothing differed, about 3 would be marked at the 75 % level by chance."
    )
    without = survey.table("q", banner="g", levels=(75,))
    assert told(without).startswith("9 tests were made; if nothing differed, about 2 would be marked")
    corrected = survey.table("q", banner="g", tests=otter.TestRules(trend=True, adjust="holm"), levels=(75,))
    assert told(corrected) == "12 tests were made."
    off = survey.table("q", banner="g", tests=TREND, levels=(75,), rows=otter.RowRules(untested=("Up",)))
    assert told(off).startswith("8 tests were made")
    method = otter.Report(title="x", tables=(usual, corrected), source=survey.source).method
    (counted,) = [one.text for part in method for one in part.statements if "made in all" in one.text]
    assert counted.startswith("24 tests were made in all")
    assert "about 4 of those that are not corrected" in counted  # a quarter of 12 and of 3


def test_only_groups_with_an_order_and_three_columns_have_one(survey: otter.Survey) -> None:
    table = survey.table("liking", banner=["region", "age_band", "wave"], tests=TREND)
    assert [column.path for column in table.columns if column.role == "trend"] == ["Age: Trend"]
    assert "No trend in Region, Wave: columns have no order, or are fewer than three." in table.notes
    asked = otter.Banner(groups=(otter.BannerGroup(question="region", trend=True),))
    assert [c.path for c in survey.table("liking", banner=asked).columns if c.role == "trend"] == [
        "Region: Trend"
    ]
    assert not any(c.role == "trend" for c in survey.table("liking", banner=asked, levels=()).columns)
    nest = otter.BannerGroup(
        nest=(otter.BannerGroup(question="wave"), otter.BannerGroup(question="age_band")), subtotal=True
    )
    nested = survey.table("liking", banner=otter.Banner(groups=(nest,)), tests=TREND)
    places = [k for k, column in enumerate(nested.columns) if column.role == "trend"]
    assert [nested.columns[k].group for k in places] == ["Spring", "Autumn"]
    spring = survey.filtered('status == "complete" and wave == "1"').table(
        "liking", banner="age_band", tests=TREND
    )
    first = nested.line("Top two").evidence, spring.line("Top two").evidence
    assert first[0] is not None and first[1] is not None
    one, other = (evidence.trends[0].tests for evidence in first)  # per parent
    assert one is not None and other is not None
    np.testing.assert_allclose(one.statistic, other.statistic)
    thin = survey.table("liking", banner="age_band", tests=TREND, bases=otter.BaseRules(no_test=500))
    assert "No trend in Age: fewer than three columns can be tested." in thin.notes
    assert not any(line.letters[-1] for line in thin.lines)


def test_rows_that_are_not_tested_and_what_cannot_be_have_no_mark(small: Small) -> None:
    book = "questions:\n  g: {kind: single, scale: true, answers: {1: P, 2: Q, 3: R}}\n  q: {kind: multi, columns: {a: Up, b: All}}\n  v: {kind: number}\n"
    up = np.concatenate([np.arange(50) < count for count in (10, 20, 30)]).astype(int)
    survey = small(book, g=np.repeat([1, 2, 3], 50), a=up, b=np.ones(150, int), v=np.full(150, 3.0))
    table = survey.table("q", banner="g", tests=TREND)
    assert "1 trend could not be tested." in table.notes
    assert np.isnan(trend_of(table, "All")[1])
    off = survey.table("q", banner="g", tests=TREND, rows=otter.RowRules(untested=("Up",)))
    assert off.line("Up").letters[-1] == "" and table.line("Up").letters[-1] == "▲"
    flat = survey.table("v", banner="g", tests=TREND)
    assert np.isnan(trend_of(flat, "Mean")[1])


def test_a_column_without_deviation_makes_it_the_pooled_variance(small: Small) -> None:
    groups = [[2.0] * 8, [1.0, 3.0, 4.0, 2.5, 3.5], [4.0, 6.0, 5.0, 3.0]]
    book = "questions:\n  g: {kind: single, scale: true, answers: {1: P, 2: Q, 3: R}}\n  v: {kind: number}\n"
    survey = small(
        book, g=[k for k, some in enumerate(groups, 1) for _ in some], v=[x for some in groups for x in some]
    )
    n = np.array([len(some) for some in groups])
    mean, ss = np.array([np.mean(some) for some in groups]), sum(np.var(some) * len(some) for some in groups)
    a = n * (np.arange(1, 4) - (n * np.arange(1, 4)).sum() / n.sum())
    t = (a * mean).sum() / sqrt(ss / (n.sum() - 3) * (a**2 / n).sum())
    expected = (t, 2 * stats.t.sf(abs(t), n.sum() - 3))
    assert trend_of(survey.table("v", banner="g", tests=TREND), "Mean") == pytest.approx(expected)


def test_a_trend_shows_its_working(survey: otter.Survey) -> None:
    table = survey.table("heard_of", banner="age_band", tests=TREND)
    found = table.explain("Quillwater", "Age: Trend")
    assert found.shown == "▼" and found.value is None and not found.tests
    assert found.summary == "Quillwater falls significantly (95 %) over the columns of its group."
    terms = dict(found.terms)
    ages = ("16–24", "25–34", "35–54", "55+")
    slope = sum(terms[f"a of {age}"] * terms[f"p of {age}"] for age in ages)
    z = float(found.worked.partition(" = ")[2].partition(",")[0])
    assert found.worked.startswith(f"{slope:.10g} / ") and z == pytest.approx(
        trend_of(table, "Quillwater")[0]
    )
    assert [terms[f"p of {age}"] for age in ages] == pytest.approx(
        [table.value("Quillwater", age) / 100 for age in ages]
    )
    assert found.also[0].startswith("16–24: t 1, p 0.697491")
    assert "has no significant trend" in table.explain("Tarn", "Trend").summary
    mean = survey.table("liking", banner="age_band", tests=TREND).explain("Mean", "Trend")
    assert "degrees of freedom, P below 0.0001" in mean.worked and mean.formula.startswith("t = Σ a m / √V")


def test_items_and_idle_places_are_refused(survey: otter.Survey, demo: Path) -> None:
    with pytest.raises(otter.RequestError, match="trend: items have no order"):
        survey.items_table("rating", shape="answers by items", tests=TREND)
    plan = demo / "trend.yaml"
    head = "data: responses.csv\ncodebook: codebook.yaml\n"
    for text, told in {
        "tests: {levels: [], trend: true}\ntables: [liking]": "without levels nothing is tested, so trend would do nothing",
        "banners: {m: [{nest: [{question: wave, trend: true}, region]}]}\ntables: [liking]": "trend go with the innermost",
    }.items():
        plan.write_text(head + text, encoding="utf-8")
        with pytest.raises(otter.DocumentError, match=told):
            otter.read_plan(plan)
    plan.write_text(
        head + "banners: {m: [{question: region, trend: true}]}\ntests: {trend: true}\ntables: [liking]\n",
        encoding="utf-8",
    )
    read = otter.read_plan(plan)
    assert read.requests[0].tests.trend and read.requests[0].banner.groups[0].trend
    again = otter.plan_from_text(otter.plan_text(read), demo)
    assert again.requests == read.requests


def test_every_output_shows_the_marks(survey: otter.Survey, demo: Path, tmp_path: Path) -> None:
    plan = demo / "trend.yaml"
    plan.write_text(
        "data: responses.csv\ncodebook: codebook.yaml\nbanners: {m: [age_band]}\ntests: {trend: true}\ntables: [heard_of]\n",
        encoding="utf-8",
    )
    report = otter.run(plan)
    paths = report.save(
        *(tmp_path / f"t.{ending}" for ending in ("xlsx", "html", "csv", "json", "md", "txt", "pdf", "pptx"))
    )
    import openpyxl

    sheet = openpyxl.load_workbook(paths[0])["heard_of"]
    cells = [str(cell.value) for row in sheet.iter_rows() for cell in row if cell.value is not None]
    assert "▼" in cells and "Trend" in cells
    data = json.loads(
        paths[1].read_text(encoding="utf-8").partition('id="data">')[2].partition("</script>")[0]
    )
    trends = [line["trends"][0] for line in data["tables"][0]["lines"].values()]
    assert len(trends) == 11 and all(len(one[3]) == 4 for one in trends)
    for path in paths[2:6]:
        assert "▼" in path.read_text(encoding="utf-8"), path.suffix
