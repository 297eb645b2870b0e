"""Intervals that say their level, whole-table tests that say what they left out, one-way tables side by side."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import openpyxl
import pytest
from scipy import stats
from statsmodels.stats.proportion import confint_proportions_2indep, proportion_confint

import eager_otter as otter
from conftest import RANDOM_BOOK, random_columns
from eager_otter.tables.texts import cell_text, line_sign

Small = Callable[..., otter.Survey]
BOOK = "questions:\n  g: {kind: single, label: G, answers: {1: P, 2: Q, 3: R}}\n  q: {kind: single, answers: {1: Yes, 2: No}}\n"
GROUP = otter.BannerGroup(question="g", differences=(("P − Q", "P", "Q"),))


def yes_no(*columns: tuple[int, int]) -> dict[str, list[int]]:
    g = [k for k, (people, _) in enumerate(columns, 1) for _ in range(people)]
    q = [answer for people, yes in columns for answer in [1] * yes + [2] * (people - yes)]
    return {"g": g, "q": q}


@pytest.mark.parametrize(("levels", "level"), [((95.0, 90.0), 95), ((80.0,), 80), ((), 95)])
def test_an_interval_is_at_the_first_level_and_says_so(
    small: Small, levels: tuple[float, ...], level: int
) -> None:
    survey = small(BOOK, **yes_no((40, 10), (60, 0), (30, 30)))
    wanted = ["column percent", "percent interval"]
    table = survey.table("q", banner=otter.Banner(groups=(GROUP,)), figures=wanted, levels=levels)
    low, high = table.line("Yes", "percent interval low"), table.line("Yes", "percent interval high")
    assert [line_sign(line) for line in (low, high)] == [f"{level} % from", f"{level} % to"]
    for column, (people, yes) in zip("ABC", [(40, 10), (60, 0), (30, 30)], strict=True):
        expected = proportion_confint(yes, people, alpha=1 - level / 100, method="wilson")
        found = [table.value("Yes", column, line.figure) / 100 for line in (low, high)]
        assert found == pytest.approx(expected, abs=1e-12)
    gap = confint_proportions_2indep(10, 40, 0, 60, compare="diff", method="newcomb", alpha=1 - level / 100)
    found = [table.value("Yes", "P − Q", line.figure) / 100 for line in (low, high)]
    assert found == pytest.approx(gap, abs=1e-9)  # in a column of a difference, that of the difference
    place = table.column_position("B")
    assert cell_text(table, low, place) == "0%"  # not the sign for nobody
    assert any(f"{level} % from, to: interval of the percent after Wilson" in note for note in table.notes)


def test_the_interval_of_a_mean_says_its_level_and_that_of_a_difference_is_its_tests(small: Small) -> None:
    survey = small(RANDOM_BOOK, **random_columns(3, 200)).weighted_by(None)
    group = otter.BannerGroup(question="area", differences=(("Gap", "North", "East"),))
    table = survey.table(
        "glasses", banner=otter.Banner(groups=(group,)), figures=["mean", "confidence interval"], levels=[90]
    )
    labels = [line.label for line in table.body]
    assert labels == ["Mean", "90 % interval of the mean, from", "90 % interval of the mean, to"]
    columns = random_columns(3, 200)
    there = ~np.isnan(columns["glasses"])
    one, other = (columns["glasses"][there & (columns["area"] == k)] for k in (1, 2))
    own = stats.t.interval(0.9, one.size - 1, one.mean(), stats.sem(one))
    assert [table.value(label, "North") for label in labels[1:]] == pytest.approx(own)
    gap = stats.ttest_ind(one, other, equal_var=False).confidence_interval(0.9)
    assert [table.value(label, "Gap") for label in labels[1:]] == pytest.approx((gap.low, gap.high))


def test_the_interval_of_a_difference_from_a_column_allows_for_those_in_both(small: Small) -> None:
    columns = random_columns(8, 220)
    survey = small(RANDOM_BOOK, **columns)
    request = otter.TableRequest(
        shows=otter.OneQuestion("liking"),
        banner=otter.Banner(groups=(otter.BannerGroup(question="tried"),)),
        figures=("column percent", "column difference", "difference interval"),
    )
    (table,) = survey.tables([request])
    valid = np.isin(columns["liking"], [1, 2, 3])
    w, y = columns["wt"][valid], columns["liking"][valid] == 3
    x = columns["t_1"][valid] == 1

    def wilson(inside: np.ndarray) -> tuple[float, float, float, float]:
        own = w[inside]
        p, e = (own * y[inside]).sum() / own.sum(), own.sum() ** 2 / (own**2).sum()
        low, high = proportion_confint(p * e, e, method="wilson")
        return p, low, high, (own**2).sum()

    p1, l1, u1, s1 = wilson(x)
    p2, l2, u2, s2 = wilson(np.ones_like(x))
    phi = (w[x] ** 2).sum() / np.sqrt(s1 * s2)
    low = p1 - p2 - np.sqrt((p1 - l1) ** 2 + (u2 - p2) ** 2 - 2 * phi * (p1 - l1) * (u2 - p2))
    high = p1 - p2 + np.sqrt((u1 - p1) ** 2 + (p2 - l2) ** 2 - 2 * phi * (u1 - p1) * (p2 - l2))
    found = [table.value("Good", "Tarn", f"difference interval {end}") for end in ("low", "high")]
    assert found == pytest.approx([100 * low, 100 * high])
    assert np.isnan(table.value("Good", "Total", "difference interval low"))


def notes_on(table: object, start: str = "Whole table") -> list[str]:
    return [note for note in table.notes if note.startswith(start)]  # type: ignore[attr-defined]


FITTING = otter.TestRules(whole_table="fitting")


def test_order_is_a_fact_of_the_question_whatever_columns_stay(small: Small) -> None:
    # three areas without an order, one of them too thin: the two that stay are still no ordered pair
    area = [1] * 60 + [2] * 60 + [3] * 5
    liking = ([1] * 30 + [2] * 20 + [3] * 10) + ([1] * 10 + [2] * 20 + [3] * 30) + [1] * 5
    book = "questions:\n  area: {kind: single, label: Area, answers: {1: North, 2: East, 3: South}}\n  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}\n"
    survey = small(book, area=area, liking=liking)
    table = survey.table("liking", banner="area", tests=FITTING, bases=otter.BaseRules(no_test=20))
    (told,) = notes_on(table)
    assert "at least one side has no order" in told and "Cramér's V" in told
    assert told.endswith("Left out as too thin: South.")
    kept = otter.Banner(groups=(otter.BannerGroup(question="area", keep=("North", "East")),))
    (told,) = notes_on(survey.table("liking", banner=kept, tests=FITTING))
    assert "each side is ordered or has two answers, with unequal numbers of rows and columns" in told
    assert "Stuart's τ-c" in told and "both sides are ordered" not in told


def test_a_size_is_put_into_words_only_where_an_association_is_shown(small: Small) -> None:
    def told(*columns: tuple[int, int], levels: tuple[float, ...] = (95.0,)) -> str:
        table = small(BOOK, **yes_no(*columns)).table("q", banner="g", tests=FITTING, levels=levels)
        return notes_on(table)[0]

    assert "moderate association" in told((100, 20), (100, 50), (100, 50))
    assert "no association was shown" in told((100, 50), (100, 54), (100, 50))
    weak = told((100, 40), (100, 52), (100, 52), levels=(99.0, 80.0))
    assert (
        "no significant difference between the columns at the 99 % level" in weak
        and "weak association" in weak
    )
    assert "no association was shown" in told((4, 0), (4, 3), (4, 4))  # expected counts too small to trust


def test_every_table_asked_for_has_one_line_that_says_why_there_is_no_test(survey: otter.Survey) -> None:
    reasons = {
        ("liking", ""): "Whole table: no test, as no banner group has columns to compare.",
    }
    for (question, by), told in reasons.items():
        assert notes_on(survey.table(question, banner=by or (), tests=FITTING)) == [told]
    nested = survey.table("region", banner="wave", within="gender", tests=FITTING)
    assert notes_on(nested) == ["Whole table: no test, as its rows are nested."]
    cells = survey.table("region", banner="wave", value="spend", tests=FITTING)
    assert notes_on(cells) == ["Whole table: no test, as its cells hold means, not people."]
    items = survey.items_table(["recommend", "liking"], shape="one under another", tests=FITTING)
    assert notes_on(items) == ["Whole table: no test, as it shows several questions that are not alike."]
    overlapping = survey.table("region", banner="drunk_month", tests=FITTING)
    assert notes_on(overlapping)[0].endswith("no test, as its columns share people.")


def test_a_one_way_table_has_its_figures_side_by_side_in_the_order_asked_for(
    survey: otter.Survey, tmp_path: Path
) -> None:
    wanted = ["count", "column percent", "percent of answered"]
    table = survey.table("usual", base="all", figures=wanted)
    shown = table.displayed
    assert [column.label for column in shown.columns] == ["Count", "Percent", "% of answered"]
    answered = survey.table("usual").value("Base (unweighted)", "Total")
    bases = shown.line("Base (unweighted)").values
    assert bases.tolist() == [table.people, table.people, answered]
    row = shown.line("Tarn")
    assert row.values.tolist() == [table.value("Tarn", "Total", figure) for figure in wanted]
    assert cell_text(shown, shown.line("No answer"), 2) == ""  # not a percent of those who answered
    turned = survey.table("usual", base="all", figures=wanted[::-1]).displayed
    assert [column.label for column in turned.columns] == ["% of answered", "Percent", "Count"]
    records = table.frame(None)  # the tidy form stays one record a figure of the Total
    assert set(records.column) == {"Total"} and set(records.figure) >= set(wanted)
    assert table.explain("Tarn", "Total", "percent of answered").value == table.value(
        "Tarn", "Total", "percent of answered"
    )
    text = str(table)
    assert text.splitlines()[1].split() == ["Count", "Percent", "%", "of", "answered"]
    by_wave = survey.table("usual", banner="wave", figures=wanted)
    assert by_wave.displayed is by_wave or by_wave.displayed.columns == by_wave.columns


def test_the_workbook_shows_a_one_way_table_side_by_side(demo: Path, tmp_path: Path) -> None:
    plan = otter.plan_from_text(
        "data: responses.csv\ncodebook: codebook.yaml\ntables: [{question: usual, id: one, base: all, figures: [count, column percent, percent of answered]}]\n",
        demo,
    )
    otter.run(plan).save(tmp_path / "t.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx")["one"]
    rows = [[cell.value for cell in row] for row in sheet.iter_rows()]
    head = next(row for row in rows if "Count" in row)
    assert [value for value in head if value] == ["Count", "Percent", "% of answered"]
    tarn = next(row for row in rows if row and row[0] == "Tarn")
    assert len([value for value in tarn if isinstance(value, (int, float))]) == 3
