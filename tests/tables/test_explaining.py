"""The working of a cell: its numbers give the figure, its sentences the verdict, its people the count."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from math import sqrt
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from scipy import stats

import eager_otter as otter
from conftest import by_hand
from eager_otter.asking.explaining import explain
from eager_otter.asking.workings import number
from eager_otter.figures.registry import all_figures, base_lines
from eager_otter.making.figures import why_not
from eager_otter.plan.reading import only_tables
from eager_otter.tables.texts import cell_text

Run = Callable[..., tuple[int, str, str]]


@pytest.fixture(scope="module")
def shapes(demo: Path) -> otter.Report:
    return otter.run(demo / "shapes.yaml")


@pytest.mark.slow
def test_the_numbers_of_every_working_give_the_figure(survey: otter.Survey) -> None:
    banner, digits = otter.Banner(groups=(otter.BannerGroup(question="region"),)), otter.Digits(percent=3)
    tables = []
    for name in ("liking", "bought_at", "spend"):
        request = otter.TableRequest(shows=otter.OneQuestion(name), banner=banner, digits=digits)
        question = survey.questions[name]
        own = tuple(
            f
            for f in (one.name for one in all_figures())
            if f != "percent of answer" and not why_not(request, question, f)
        )
        every_base = tuple(line.name for line in base_lines())
        tables += survey.tables([replace(request, figures=own, base_rows=every_base)])
    seen = set()
    for table in tables:
        for line in table.lines:
            if line.kind == "heading":
                continue
            for place, column in enumerate(table.columns):
                found = table.explain(line.path, column.label, line.figure)
                assert found.shown == cell_text(table, table.line(line.path, line.figure), place)
                assert found.formula
                if found.worked and found.value is not None:
                    left, right = by_hand(found.worked)
                    assert left == pytest.approx(right, rel=1e-8, abs=1e-8)
                    assert right == pytest.approx(found.value, rel=1e-8)
                    seen.add(line.figure)
    assert {"column percent", "mean", "standard deviation", "interval low", "index", "effective base"} <= seen
    assert {"mention percent", "cumulative percent", "mentions", "difference"} - {"difference"} <= seen
    assert {line.name for line in base_lines()} <= seen


def test_what_has_no_formula_is_told_in_words_with_what_it_rests_on(survey: otter.Survey) -> None:
    table = survey.table(
        "spend", "region", figures=["smallest", "mean", "confidence interval", "median interval"]
    )
    people, weight = (table.value(f"Base ({kind})", "North") for kind in ("unweighted", "weighted"))
    median = survey.table("spend", "region", figures=["median"]).explain("Median", "North")
    assert list(dict(median.terms)) == ["below", "share_below", "at", "share", "above"]
    assert median.formula.startswith("values in rising order") and median.value == dict(median.terms)["at"]
    total = survey.table("spend", "region", figures=["sum"]).explain("Sum", "North")
    assert (total.formula, total.value) == ("Σ weight × value", dict(total.terms)["value"])
    smallest = table.explain("Smallest", "North")
    assert smallest.formula.endswith(f"; {people:.0f} values of weight {weight:.10g} in all")
    assert dict(smallest.terms) == pytest.approx({"values": people, "weight": weight})
    effective = table.value("Effective base", "North")
    low = table.explain("95 % interval of the mean, from", "North")
    degrees = float(low.formula.partition("t on ")[2].partition(" degrees")[0].replace(",", ""))
    assert degrees == pytest.approx(effective - 1)
    t = dict(low.terms)["t"]
    assert t == pytest.approx(stats.t.ppf(0.975, effective - 1))
    ends = [table.explain(f"95 % interval of the median, {end}", "North") for end in ("from", "to")]
    for end, sign in zip(ends, (-1, 1), strict=True):
        share = 0.5 + sign * stats.norm.ppf(0.975) * sqrt(0.25 / effective)
        assert dict(end.terms) == pytest.approx({"share": share, "effective": effective})
        left, right = by_hand(end.also[0].partition(": ")[2])
        assert left == pytest.approx(right) == pytest.approx(share)


def test_a_test_worked_by_hand_gives_its_statistic_and_verdict(shapes: otter.Report) -> None:
    table = shapes.table("headings")
    for row in ("Good", "Very good", "Top two"):
        for column in "GHIJ":
            found = table.explain(row, column)
            letters = table.frame("letters").loc[row].to_numpy()[table.column_position(column)]
            for test in found.tests:
                p1, p2 = test.figure / 100, test.other_figure / 100  # type: ignore[operator]
                e1, e2 = test.effective, test.other_effective
                p = (e1 * p1 + e2 * p2) / (e1 + e2)  # type: ignore[operator]
                z = (p1 - p2) / sqrt(p * (1 - p) * (1 / e1 + 1 / e2))  # type: ignore[operator]
                assert test.statistic == pytest.approx(z)
                assert test.p_value == pytest.approx(2 * stats.norm.sf(abs(z)))
                letter = test.other[-2]
                carried = {"letter": letter, "small letter": letter.lower(), "": ""}[test.mark]
                assert (carried in letters) if carried else (letter.upper() not in letters.upper())
                assert f"P {'below 0.0001' if test.p_value < 0.0001 else '= ' + format(round(test.p_value, 4), '.4f')}" in test.sentence  # type: ignore[operator,arg-type]  # fmt: skip


@pytest.mark.slow
def test_every_number_of_a_test_can_be_worked_by_hand(shapes: otter.Report, demo: Path) -> None:
    """Means, scores and percents, of columns apart, of columns that share people and of items of the same people."""
    report = otter.run(only_tables(otter.read_plan(demo / "plan.yaml"), ["liking", "reasons-by-brand", "recommend", "ratings-side-by-side", "spend", "intent"]))  # fmt: skip
    seen = set()
    for table in report.tables:
        for line in table.lines:
            if line.evidence is None or line.evidence.tested is None:
                continue
            for place in range(len(table.columns)):
                for test in explain(table, line.path, table.columns[place].path, line.figure).tests:
                    if test.error is None:
                        continue
                    percent = test.pooled is not None
                    unit = 100.0 if percent else 1.0
                    assert test.statistic == pytest.approx(test.difference / test.error)  # type: ignore[operator]
                    law = stats.norm.sf(abs(test.statistic)) if test.degrees is None else stats.t.sf(abs(test.statistic), test.degrees)  # type: ignore[arg-type]  # fmt: skip
                    assert test.p_value == pytest.approx(2 * law, rel=1e-6, abs=1e-12)
                    if test.parts is None:
                        continue
                    first, second, both = test.parts
                    assert (test.error / unit) ** 2 == pytest.approx(first + second - 2 * both, rel=1e-6)
                    if not percent and not both:
                        e1, e2, v1, v2 = (
                            test.effective,
                            test.other_effective,
                            test.variance,
                            test.other_variance,
                        )
                        assert (first, second) == pytest.approx((v1 / e1, v2 / e2))  # type: ignore[operator]
                        assert test.degrees == pytest.approx((first + second) ** 2 / (first**2 / (e1 - 1) + second**2 / (e2 - 1)))  # type: ignore[operator]  # fmt: skip
                        assert f"variances {number(v1)} and {number(v2)}" in test.sentence  # type: ignore[arg-type]
                    if both:
                        told = f"V = {number(first)} + {number(second)} − 2 × {number(both)}"
                        assert told in test.sentence
                    seen.add((percent, bool(both)))
    assert seen == {(True, True), (True, False), (False, True), (False, False)}


def test_a_median_shows_the_values_around_its_cut(small: Callable[..., otter.Survey]) -> None:
    book = "questions:\n  by: {kind: single, answers: {1: P, 2: Q, 3: R}}\n  x: {kind: number}\nweight: w\n"
    values = [1.0, 2.0, 4.0, 9.0, 3.0, 3.0, 5.0, 7.0, 8.0]
    survey = small(
        book, by=[1, 1, 1, 1, 2, 2, 2, 2, 3], x=values, w=[1.0, 1.0, 1.0, 1.0, 1.0, 1.5, 2.0, 0.5, 1.0]
    )
    table = survey.table("x", banner="by", figures=["median", "mean"])
    even, odd, alone = (explain(table, "Median", column) for column in "PQR")
    assert (even.value, even.worked) == (3.0, "(2 + 4) / 2 = 3")
    assert even.also == (
        "4 values of weight 4, cumulated share 0.25 up to 1, 0.5 up to 2, the next value is 4",
    )
    assert odd.also == ("4 values of weight 5, 0.5 up to 3, the next value is 5",) and odd.value == 4.0
    assert alone.also == ("1 value of weight 1, 1 up to 8",) and alone.value == 8.0
    spread = explain(table, "Mean", "P").also[0]
    assert spread.endswith(f"= {number(np.var(values[:4], ddof=1))}")
    left, right = by_hand(spread.rpartition("(n − 1) = ")[2])
    assert left == pytest.approx(right)


@pytest.mark.parametrize(
    ("columns", "row", "why"),
    [
        ({"by": [1, 1, 2, 2], "q": [1, 1, 1, 1]}, "Yes", "everybody in both columns gave the answer"),
        ({"by": [1, 1, 2, 2], "q": [1, 1, 1, 1]}, "No", "nobody in either column gave the answer"),
        ({"by": [1, 1, 1, 1], "q": [1, 2, 1, 2]}, "Yes", "nobody is in By: Q"),
        ({"by": [1, 1, 1, 2], "q": [1, 2, 1, 2]}, "Mean", "By: Q has 1 value, and a test needs two"),
        ({"by": [1, 1, 2, 2], "q": [1, 1, 2, 2]}, "Mean", "all values in each of the two columns are alike"),
        ({"by": [1, 1, 2, 2], "q": [1, 2, 2, 1]}, "Yes", ""),
    ],
)
def test_the_one_reason_that_kept_a_pair_from_being_tested_is_told(
    small: Callable[..., otter.Survey], columns: dict[str, list[int]], row: str, why: str
) -> None:
    book = "questions:\n  by: {kind: single, label: By, answers: {1: P, 2: Q}}\n  q: {kind: single, scale: true, answers: {1: 'Yes', 2: 'No'}}\n"
    (test,) = small(book, **columns).table("q", banner="by").explain(row, "P").tests
    assert (
        (test.sentence == f"Against By: Q (B): not tested, as {why}.") if why else (test.p_value is not None)
    )


def test_both_thin_bases_are_named(survey: otter.Survey) -> None:
    table = survey.table("heard_of", banner="region", bases=otter.BaseRules(no_test=600))
    told = explain(table, "Tarn", "East").tests[2].sentence
    assert told == "Against Region: West (D): not tested, as the base of Region: East is not tested by the minimum bases and the base of Region: West is not tested by the minimum bases."  # fmt: skip


def test_a_working_begins_with_one_plain_line(demo: Path, run: Run) -> None:
    report = otter.run(only_tables(otter.read_plan(demo / "plan.yaml"), ["heard_of", "liking", "spend", "drunk_month-1"]))  # fmt: skip
    cells = {
        ("heard_of", "Tarn", "Age: 35–54"): "77% of the 708 respondents in Age: 35–54 are in the row Tarn (weighted). It is significantly lower (95 %) than Age: 16–24 (I), Age: 25–34 (J); not significantly different from Age: 55+ (L).",
        ("heard_of", "Tarn", "Total"): "80% of the 2,328 respondents in Total are in the row Tarn (weighted).",
        ("spend", "Median", "East"): "Median in Region: East: 7.75, over the 368 respondents in Region: East.",
        ("drunk_month-1", "Tarn", "Autumn"): "The figure of Tarn in Wave: Autumn is withheld: the base is below the threshold. It is not tested against Wave: Spring (A).",
    }  # fmt: skip
    for (table, row, column), summary in cells.items():
        found = report.explain(table, row, column)
        assert found.summary == summary and str(found).splitlines()[2] == summary
    code, out, _ = run(
        "explain", "heard_of", "Tarn", "Age: 35–54", "--plan", str(demo / "plan.yaml"), cwd=demo
    )
    assert code == 0 and " ".join(out.split()).index("77% of the 708") < " ".join(out.split()).index(
        "Who is counted"
    )


@pytest.mark.slow
def test_who_is_counted_goes_down_to_the_people_in_the_cell(demo: Path) -> None:
    report = otter.run(demo / "plan.yaml")
    cells = [
        ("heard_of", "Tarn", "Autumn", None),
        ("liking", "Top two", "Age: 55+", "count"),
        ("liking", "Mean", "North", "mean"),
        ("reasons-by-brand", "Taste", "B", None),
        ("spend", "Mean", "Women", "mean"),
        ("ratings", "rating.tarn", "South", None),
        ("intent", "Probably", "Intent after", None),
        ("liking", "Base (unweighted)", "West", None),
    ]
    data = pd.read_csv(demo / "responses.csv", dtype=str, keep_default_na=False)
    for table, row, column, figure in cells:
        found = report.explain(table, row, column, figure)
        assert all(a.after == b.before for a, b in zip(found.steps, found.steps[1:], strict=False))
        people = report.records(table, row, column, figure)
        assert len(people) == found.steps[-1].after, (table, row)
        pd.testing.assert_frame_equal(
            people.drop(columns="row").reset_index(drop=True),
            data.iloc[people["row"] - 1].reset_index(drop=True).astype(object),
            check_dtype=False,
        )
    autumn = data[(data.status == "complete") | (data.status == "1")]
    assert set(people["rid"]) <= set(autumn.rid)


@pytest.mark.slow
def test_every_kind_of_row_is_explained_and_its_people_are_found(demo: Path) -> None:
    shapes = only_tables(otter.read_plan(demo / "shapes.yaml"), ["nested-rows", "mentions", "stacked", "trend", "by-wave*"])  # fmt: skip
    usual = only_tables(otter.read_plan(demo / "plan.yaml"), ["spend-by-place", "ratings", "recommend"])
    for plan in (shapes, usual):
        report = otter.run(plan)
        for table in report.tables:
            seen = set()
            for line in table.lines:
                name = line.path
                if line.evidence is None or name in seen:
                    continue
                seen.add(name)
                for column in (table.columns[0], table.columns[-1]):
                    where = f"{column.group}: {column.label}" if column.group else column.label
                    found = table.explain(name, where)
                    if found.worked and found.value is not None:
                        left, right = by_hand(found.worked)
                        assert left == pytest.approx(right, rel=1e-8, abs=1e-8)
                    if column is table.columns[-1] and len(seen) % 4 == 1:
                        people = report.records(table.id, name, where)
                        assert len(people) == found.steps[-1].after, (table.id, name, where)


def test_what_is_not_tested_says_why(survey: otter.Survey, shapes: otter.Report) -> None:
    table = survey.table("heard_of", banner="region", bases=otter.BaseRules(no_test=450))
    sentences = [test.sentence for test in table.explain("Tarn", "North").tests]
    assert sentences[-1] == "Against Region: West (D): not tested, as the base of Region: West is not tested by the minimum bases."  # fmt: skip
    off = survey.table("heard_of", banner="region", rows=otter.RowRules(untested=("Tarn",)))
    assert "taken out of all tests" in off.explain("Tarn", "North").tests[0].sentence
    assert survey.table("heard_of", banner="region", levels=()).explain("Tarn", "A").notes == (
        "No significance tests were made: they are switched off.",
    )
    assert shapes.table("spend").explain("Median", "A").notes == ("This row is not tested.",)
    assert table.explain("Tarn", "Total").notes == ("Total is not tested.",)
    rest = shapes.table("rest-and-control").explain("Skerrow", "West").tests
    assert len(rest) == 1 and rest[0].mark == "higher" and "the rest (everyone in the table" in rest[0].other
    control = shapes.table("rest-and-control").explain("Skerrow", "55+").tests
    assert [test.other for test in control] == ["Age against 16–24: 16–24"]
    paired = shapes.table("comparison").explain("Mean", "A")
    assert "2,328 answered both" in paired.tests[0].sentence and "paired" not in paired.notes[0]
    gap = shapes.table("trend").explain("Like the idea", "Change")
    assert by_hand(gap.worked)[0] == pytest.approx(gap.value) and len(gap.tests) == 1


def test_a_withheld_cell_is_not_explained_away(survey: otter.Survey) -> None:
    table = survey.table("heard_of", banner="region", bases=otter.BaseRules(withhold=600))
    found = table.explain("Tarn", "West")
    assert (found.value, found.shown, found.worked) == (None, "··", "")
    assert "78" not in str(found).split("Tests")[0]
    assert all(not step.what.startswith("row:") for step in found.steps)


def test_the_command_explains_in_words_or_json_and_writes_the_records(
    run: Run, demo: Path, tmp_path: Path
) -> None:
    plan = ["--plan", str(demo / "plan.yaml")]
    code, out, err = run("explain", "heard_of", "Tarn", "Autumn", *plan, "--records", str(tmp_path / "r.csv"), cwd=tmp_path)  # fmt: skip
    assert code == 0 and "row: Tarn" in out and "carries the letter" in " ".join(out.split())
    assert len(pd.read_csv(tmp_path / "r.csv")) == 990 and "990 respondents" in err
    code, out, _ = run("explain", "liking", "Mean", "Autumn", *plan, "--format", "json", cwd=tmp_path)
    told = json.loads(out)
    assert code == 0 and told["figure"] == "mean" and np.isclose(told["value"], told["terms"][0][1] / told["terms"][1][1])  # fmt: skip
    for arguments, message in {
        ("heard_off", "Tarn", "A"): "No table 'heard_off' in the plan. Did you mean 'heard_of'?",
        ("heard_of", "Tran", "A"): "No row 'Tran' in table 'heard_of'. Did you mean 'Tarn'?",
        ("heard_of", "Tarn", "Autum"): "No column 'Autum' in table 'heard_of'. Did you mean 'Autumn'?",
    }.items():
        code, out, err = run("explain", *arguments, *plan, cwd=tmp_path)
        assert code == 2 and out == "" and message in err
