"""No setting without an effect: each is a mistake with its place and reason, or a hint, wherever it can be written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import eager_otter as otter

Write = Callable[..., Path]
Run = Callable[..., tuple[int, str, str]]

MISTAKES = [
    ("{question: spend, sort: down}", "sort: spend is a number and has no answers, so this would do nothing"),
    ("{question: spend, hide: [1]}", "hide: spend is a number and has no answers"),
    ("{question: spend, most: 3}", "most: spend is a number and has no answers"),
    ("{question: liking, percent of: Good}", "percent of only does something with the figure percent of answer"),
    ("{question: liking, difference from: Total}", "difference from only does something with the figure column difference or difference interval"),
    ("{question: liking, outer level: 1}", "outer level only does something with the figure percent of outer"),
    ("{question: liking, no answer: by reason}", "no answer: by reason needs base: all"),
    ("{question: liking, base: complete answers}", "base: complete answers is for tables of several questions"),
    ("{question: liking, tests: none, untested: [Good]}", "nothing is tested here, so untested would do nothing"),
    ("{question: liking, tests: {levels: [], adjust: holm}}", "without levels nothing is tested, so adjust would do nothing"),
    ("{question: liking, tests: {against: rest, compare: all parents}}", "compare: all parents goes with against: each other only"),
    ("{question: liking, bases: {judged on: effective base}}", "judged on says how thresholds are judged; give one"),
    ("{grid: rating, figure: mean, hide: [1]}", "hide: each row is an item, so this would do nothing"),
    ("{grid: rating, figure: mean, most: 3}", "most: each row is an item"),
    ("{grid: rating, figure: mean, figures: [count]}", "a table of items by columns shows the one figure named as its 'figure'"),
    ("{grid: rating, as: answers by items, banner: b}", "banner: the items are the columns"),
    ("{grid: rating, as: answers by items, figure: mean}", "figure: the items are the columns"),
    ("{items: [{question: liking, figure: mean}, recommend], as: one under another}", "figure goes with as: items by columns, not with one under another"),
    ("{items: [intent_before, intent_after], as: before by after, base: all}", "base: the answers after are the columns"),
    ("{items: [intent_before, intent_after], as: before by after, tests: {levels: 95}}", "tests: the answers after are the columns"),
    ("{each: [spend], sort: down}", "sort: all of these are numbers and have no answers"),
    ("{each: [liking, recommend], hide: [Nowhere]}", "no question here has an answer 'Nowhere'"),
    ("{question: region, figures: [mean]}", "region cannot have the figure 'mean': it is neither a number nor a scale."),
    ("{question: spend, figures: [column percent, mean]}", "spend cannot have the figure 'column percent': a number has no answers"),
    ("{question: bought_at, value: spend, figures: [count, mean]}", "bought_at cannot have the figure 'count': its cells sum up spend"),
    ("{question: region, figures: [confidence interval]}", "region cannot have the figure 'confidence interval'"),
    ("{question: bought_at, figures: [cumulative percent]}", "answers that several can be given of do not add up"),
    ("{question: liking, figures: [percent of outer]}", "liking cannot have the figure 'percent of outer': it needs a nested banner"),
    ("{question: liking, within: region, figures: [mean]}", "nested rows have no scores"),
]  # fmt: skip


@pytest.mark.parametrize(("table", "message"), MISTAKES)
def test_a_setting_that_would_do_nothing_is_a_mistake(
    demo: Path, write: Write, table: str, message: str
) -> None:
    head = f"data: nowhere.csv\ncodebook: {demo}/codebook.yaml\nbanners: {{b: [region], c: [gender]}}\n"
    with pytest.raises(otter.DocumentError) as error:
        otter.read_plan(write("plan.yaml", f"{head}tables:\n  - {table}\n"))
    assert message in str(error.value)
    assert "plan.yaml:5:" in str(error.value)  # with its place


@pytest.mark.parametrize(
    ("banner", "message"),
    [
        ("{question: region, labels: {South: S}, keep: [North, East]}", "'South' is not among the answers to keep, so its label would do nothing"),
        ("{label: Own, columns: {Old: age > 60}, labels: {1: X}}", "labels rename answers of a question"),
        ("{label: Own, columns: {Old: age > 60}, keep: [1]}", "columns say already what is shown; take keep out"),
        ("{nest: [{question: region, against: rest}, wave]}", "differences, against and trend go with the innermost question"),
        ("{nest: [{question: region, differences: {N: [North, South]}}, wave]}", "differences, against and trend go with the innermost question"),
    ],
)  # fmt: skip
def test_a_setting_of_a_banner_that_would_do_nothing_is_a_mistake(
    demo: Path, write: Write, banner: str, message: str
) -> None:
    text = f"data: nowhere.csv\ncodebook: {demo}/codebook.yaml\nbanners:\n  b:\n    - {banner}\ntables: [liking]\n"
    with pytest.raises(otter.DocumentError) as error:
        otter.read_plan(write("plan.yaml", text))
    assert message in str(error.value)


def test_what_version_0_1_wrote_is_read_and_told_how_to_write_today(demo: Path, write: Write) -> None:
    text = (
        f"data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\n"
        "bases: {mark below: 30, no test below: 30}\n"
        "tables:\n  - {question: usual, figures: [valid percent], base: all, layer: Spring, digits: {valid percent: 1}}\n"
    )
    plan = otter.read_plan(write("plan.yaml", text))
    assert plan.requests[0].figures == ("percent of answered",) and plan.requests[0].part == "Spring"
    assert [(hint.line, hint.message) for hint in plan.hints] == [
        (3, "mark below 30 does nothing, as no test below 30 goes before it; take it out."),
        (5, "the figure 'valid percent' is called 'percent of answered' now; write that."),
        (5, "'layer' is called 'part' now; write that."),
    ]
    (table,) = otter.run(plan).tables
    assert table.digits.of("percent of answered") == 1 and table.part == "Spring"


def test_inherited_figures_that_a_question_cannot_have_are_left_out_and_the_list_says_so(
    run: Run, demo: Path, write: Write
) -> None:
    text = (
        f"data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\ndefaults: {{figures: [column percent, mean]}}\n"
        "tables: [region, liking, spend, {each: [bought_at], figures: [column percent, median]}]\n"
    )
    path = write("plan.yaml", text)
    shown = {table.question: {line.figure for line in table.body} for table in otter.run(path).tables}
    assert shown == {
        "region": {"column percent"},
        "liking": {"column percent", "mean"},
        "spend": {"mean"},
        "bought_at": {"column percent"},
    }
    _, out, _ = run("run", path, "--list")
    listed = " ".join(out.split())
    assert "left out: mean (it is neither a number nor a scale)" in listed
    assert "left out: median (it is neither a number nor a scale)" in listed
    assert "left out: column percent (a number has no answers" in listed


@pytest.mark.parametrize(
    ("call", "message"),
    [
        (lambda s: s.table("region", figures=["mean"]), "region cannot have the figure 'mean': it is neither a number nor a scale."),
        (lambda s: s.table("spend", rows=otter.RowRules(most=3)), "most: spend is a number and has no answers, so this would do nothing; take it out."),
        (lambda s: s.table("liking", rows=otter.RowRules(hide=("Nowhere",))), "No answer 'Nowhere' in liking."),
        (lambda s: s.table("liking", rows=otter.RowRules(untested=("Goood",))), "untested[0]: liking has no row 'Goood'. Did you mean 'Good'?"),
        (lambda s: s.table("liking", rows=otter.RowRules(headings=(("Goood", "H"),))), "headings.Goood: liking has no row 'Goood'. Did you mean 'Good'?"),
        (lambda s: otter.TableRequest(shows=otter.OneQuestion("q"), percent_of="x"), "percent_of does nothing without the figure percent of answer"),
        (lambda s: otter.TableRequest(shows=otter.OneQuestion("q"), outer_level=2), "outer_level does nothing without the figure percent of outer"),
        (lambda s: otter.TestRules(against="first", all_parents=True), "Columns of all parents can be compared with each other only"),
    ],
)  # fmt: skip
def test_python_refuses_what_would_do_nothing(
    survey: otter.Survey, call: Callable[[otter.Survey], object], message: str
) -> None:
    with pytest.raises(otter.OtterError) as error:
        call(survey)
    assert message in str(error.value)


def test_ways_of_reading_that_do_nothing_for_a_file_are_refused(run: Run, demo: Path, tmp_path: Path) -> None:
    code, _, err = run("draft", demo / "responses.csv", "--into", tmp_path / "d", "--sheet", "A")
    assert (
        code == 2
        and "responses.csv: sheet would do nothing for a file that ends in .csv; leave it out." in err
    )
    assert not (tmp_path / "d").exists()


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["look", "--banner", "region", "--figure", "count"], "Without a name the shape of a banner is shown, so --figure would do nothing; leave it out."),
        (["look", "liking", "--by", "region"], "--by is called --banner now; write that."),
        (["findings", "--by", "wave"], "--by is called --waves now; write that."),
        (["look", "liking", "--codebook", "codebook.yaml", "--data", "responses.csv", "--no-filter"], "With --codebook there is no plan, so --no-filter would do nothing; leave it out."),
        (["run", "--list", "--force"], "--list makes no table, so --force would do nothing; leave it out."),
        (["run", "--spell-out", "x.yaml", "-o", "y.csv"], "--spell-out makes no table, so --output would do nothing; leave it out."),
        (["compare", "tables.csv", "tables.csv", "--format", "json", "--most", "3"], "--format json gives all changes, so --most would do nothing; leave it out."),
        (["questions", "--weight", "wt"], "No such option"),
        (["questions", "--no-filter"], "No such option"),
        (["texts", "likes_open", "--coded", "x.xlsx", "--mentions", "3"], "Topics are read from the coded sheet, so --mentions would do nothing"),
    ],
)  # fmt: skip
def test_options_of_commands_that_would_do_nothing_are_refused(
    run: Run, demo: Path, arguments: list[str], message: str
) -> None:
    code, _, err = run(*arguments, cwd=demo)
    assert code == 2 and message in err and "Traceback" not in err
