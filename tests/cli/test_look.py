"""`look`: the plan's own tables, others by its defaults, and any setting of a table for this once."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable
from pathlib import Path

import pytest

import eager_otter as otter

Run = Callable[..., tuple[int, str, str]]


def records(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text)))


@pytest.mark.slow
def test_a_table_of_the_plan_is_shown_as_the_report_has_it(
    run: Run, demo: Path, report: otter.Report
) -> None:
    code, whole, _ = run("run", "-o", "-", "--format", "csv", cwd=demo)
    assert code == 0
    of_table: dict[str, list[dict[str, str]]] = {}
    for one in records(whole):
        of_table.setdefault(one["table"], []).append(one)
    assert list(of_table) == [table.id for table in report]
    for table in report:
        code, out, _ = run("look", table.id, "-o", "-", "--format", "csv")
        assert code == 0 and records(out) == of_table[table.id], table.id


def test_a_pattern_shows_all_that_fit_one_under_another(run: Run, demo: Path, report: otter.Report) -> None:
    code, out, _ = run("look", "rating*", cwd=demo)
    titles = [table.title for table in report if table.id.startswith("rating")]
    assert code == 0 and len(titles) > 2
    places = [out.index(f"{title}\n") for title in titles]
    assert places == sorted(places)
    assert run("look", "bought_at", "-o", "-")[1].count("Where did you") == 1  # the id, not all that begin so
    code, out, _ = run("look", "preference.*")
    assert code == 0 and out.count("Base (unweighted)") > 1


@pytest.mark.parametrize(
    ("words", "entry"),
    [
        (["liking", "-b", "region"], {"question": "liking", "banner": ["region"], "figures": ["column percent", "count", "mean", "standard deviation"]}),
        (["liking", "-b", "none", "--figure", "mean"], {"question": "liking", "banner": "none", "figures": ["mean"]}),
        (["age_band", "-b", "main", "-b", "diet"], {"question": "age_band", "banner": "both"}),
        (["diet", "-b", "region within wave"], {"question": "diet", "banner": "nested"}),
        (["diet", "-b", "Region within Wave"], {"question": "diet", "banner": "nested"}),
        (["How often do you eat out?" , "-b", "region"], None),
        (["heard_of", "-b", "region", "--set", "sort=up", "--set", "hide=[Tarn, None of these]", "--set", "base=all"], {"question": "heard_of", "banner": ["region"], "sort": "up", "hide": ["Tarn", "None of these"], "base": "all"}),
        (["heard_of", "--level", "99", "--digits", "1", "--set", "tests={adjust: holm}"], None),
        (["heard_of", "--level", "99", "--digits", "1"], {"question": "heard_of", "sort": "down", "tests": {"levels": [99]}, "digits": {"percent": 1}}),
        (["heard_of", "--level", "0"], {"question": "heard_of", "sort": "down", "tests": "none"}),
        (["spend", "--set", "filter=spend < 50"], {"question": "spend", "filter": "spend < 50", "figures": ["mean", "median", "lower quartile", "upper quartile", "largest"], "title": "Spend in the last month (below 200)"}),
        (["statements", "--set", "as=answers by items", "--set", "figure=", "--set", "sort="], {"grid": "statements", "as": "answers by items"}),
        (["drunk_month", "--set", "repeat=region"], {"question": "drunk_month", "repeat": "region"}),
    ],
)  # fmt: skip
def test_what_options_say_is_what_an_entry_of_the_plan_would_say(
    run: Run, demo: Path, tmp_path: Path, words: list[str], entry: dict[str, object] | None
) -> None:
    code, out, err = run("look", *words, "-o", "-", "--format", "csv", cwd=demo)
    if entry is None:
        assert code == 2 and err.startswith("Error: ") and not out
        return
    said = otter.read_plan(demo / "plan.yaml").definition()
    banners = {
        **said["banners"],
        "both": [*said["banners"]["main"], "diet"],
        "nested": [{"nest": ["wave", "region"]}],
        "region": ["region"],
    }
    alone = {**said, "banners": banners, "tables": [{"id": "x", **entry}]}
    plan = otter.plan_of({**alone, "banners": banners, "defaults": said["defaults"]}, folder=demo)
    otter.run(plan).save(tmp_path / "x.csv")
    wanted = records((tmp_path / "x.csv").read_text(encoding="utf-8"))
    assert code == 0, err
    without = [[{**one, "table": ""} for one in some] for some in (records(out), wanted)]
    assert without[0] == without[1] and wanted


def test_several_tables_are_shown_in_the_order_named_each_once(run: Run, demo: Path) -> None:
    alone = {name: run("look", name, cwd=demo)[1] for name in ("liking", "heard_of", "named")}
    code, out, _ = run("look", "liking", "heard_of", "liking", "named")
    assert code == 0 and out == "\n".join(alone.values())
    asked = ["-b", "region", "--set", "sort=up"]
    code, out, _ = run("look", "heard_of", "diet", "heard*", *asked)
    assert out == "\n".join(run("look", name, *asked)[1] for name in ("heard_of", "diet"))
    code, out, err = run("look", "user", "type")
    assert (code, out) == (2, "") and "Error: 'user type' is one label: put it in quotes." in err


def test_labels_find_their_question_and_say_so(run: Run, demo: Path) -> None:
    code, out, err = run("look", "user type", "-b", "Region", cwd=demo)
    assert code == 0 and "Note: 'user type' is user_type." in err and "North" in out
    code, _, err = run("look", "Age", cwd=demo)
    assert code == 2 or "is age" in err  # one question, or it names all that are called so
    code, _, err = run("look", "Satisfacton")
    assert code == 2 and err.startswith("Error: No question or table 'Satisfacton'.")


@pytest.mark.parametrize(
    ("words", "message"),
    [
        (["main"], "main is a banner, not a table: name a question with --banner main"),
        (["heard_of", "--set", "srot=down"], "unknown key 'srot'. Did you mean 'sort'?"),
        (["heard_of", "--set", "sort=dwon"], "expected one of figure, label, code, up, down; found 'dwon'. Did you mean 'down'?"),
        (["heard_of", "--set", "sort"], "--set takes KEY=VALUE, as in --set sort=down; found 'sort'."),
        (["heard_of", "--set", "hide=[x"], "--set hide: the value is not valid YAML: '[x'."),
        (["heard_of", "--set", "hide=Trn"], "heard_of has no answer 'Trn'. Did you mean 'Tarn'?"),
        (["spend", "--set", "sort=down"], "spend is a number and has no answers, so this would do nothing"),
        (["heard_of", "--level", "99", "--set", "tests={adjust: holm}"], "tests is said twice"),
        (["heard_of", "-b", "regio within wave"], "No banner or question 'regio'. Did you mean 'region'?"),
        (["heard_of", "-b", "wave*region"], "No banner or question 'wave*region'. A nesting is written 'region within wave'"),
        (["heard_of", "-b", "wave x region > age_group"], "A nesting is written 'age_group within region within wave'"),
        (["-b", "wave by region"], "No banner or question 'wave by region'. A nesting is written 'region within wave'"),
        (["heard_of", "-b", "x"], "No banner or question 'x'."),
        (["heard_of", "-b", "by"], "No banner or question 'by'."),
        (["heard_of", "by"], "No question or table 'by'."),
        (["heard_of", "by", "region"], "A banner is named with --banner: heard_of --banner region"),
        (["liking", "--figure", "avg"], "No figure 'avg'. Did you mean 'mean'?"),
        (["liking", "--figure", "Std. Dev."], "No figure 'Std. Dev.'. Did you mean 'standard deviation'?"),
        (["liking", "--figure", "meen"], "No figure 'meen'. Did you mean 'mean' or 'median'?"),
        (["liking", "--figure", "kurtosis"], "No figure 'kurtosis'. Known: column percent, count,"),
        (["heard_of", "-b", "spend"], "spend is of kind number and cannot be a banner"),
        (["intent", "-b", "region"], "banner: the items are the columns, so this would do nothing"),
        (["likes_open"], "likes_open is open text and cannot be tabulated"),
        (["heard_of", "--format", "csv"], "--format goes with -o -"),
        (["heard_of", "-o", "-", "--format", "xlsx"], "the standard output takes txt, html, csv, json or md; found 'xlsx'."),
        (["heard_of", "-o", "x.csv", "--format", "csv"], "--format goes with -o -; a file is written by its ending."),
        (["heard_of", "-o", "x.doc"], "no output ends in '.doc'"),
        (["heard_of", "--filter", "age", "ge", "35"], "What holds blanks or < > ( ) stands in quotes: --filter 'age >= 35'"),
        (["rating*", "-b", "region"], "Error: Table 'ratings-side-by-side': banner: the items are the columns, so this would do nothing"),
        (["liking", "spend", "--set", "sort=down"], "Error: Table 'spend': sort: spend is a number and has no answers"),
        (["liking", "diet", "--set", "srot=down"], "Error: Table 'liking': unknown key 'srot'. Did you mean 'sort'?"),
        (["--set", "sort=up"], "Without a name the shape of a banner is shown, so --set would do nothing"),
    ],
)  # fmt: skip
def test_mistakes_on_the_command_line_are_told_as_such(
    run: Run, demo: Path, words: list[str], message: str
) -> None:
    code, out, err = run("look", *words, cwd=demo)
    assert (code, out) == (2, "") and message in err and "Traceback" not in err and "plan.yaml:" not in err


def test_every_text_output_goes_to_the_standard_output_as_to_a_file(
    run: Run, demo: Path, tmp_path: Path
) -> None:
    for ending in ("txt", "csv", "json", "md", "html"):
        code, out, _ = run("look", "liking", "-b", "region", "-o", "-", "--format", ending, cwd=demo)
        path = tmp_path / f"tables.{ending}"
        assert code == 0 and run("look", "liking", "-b", "region", "-o", path)[0] == 0
        assert out.replace("\r\n", "\n") == path.read_text(encoding="utf-8").replace("\r\n", "\n")
        code, whole, _ = run("run", "--only", "liking", "-o", "-", "--format", ending)
        assert code == 0 and whole
    assert json.loads(run("look", "liking", "-o", "-", "--format", "json")[1])["tables"][0]["id"] == "liking"
    assert run("run", "-o", "-", "-o", "x.csv")[0] == 2
    assert run("run", "--format", "csv")[0] == 2


def test_without_a_plan_codebook_and_data_will_do(run: Run, demo: Path, tmp_path: Path) -> None:
    where = ["--codebook", demo / "codebook.yaml", "--data", demo / "responses.csv"]
    code, out, _ = run("look", "liking", "-b", "region", "-o", "-", "--format", "csv", *where, cwd=tmp_path)
    survey = otter.open_survey(demo / "codebook.yaml", demo / "responses.csv")
    table = survey.table("liking", "region")
    found = [one for one in records(out) if one["figure"] == "column percent"]
    values = [
        value for line in table.lines if line.figure == "column percent" for value in line.values.tolist()
    ]
    assert code == 0 and [float(one["value"]) for one in found] == pytest.approx(values)


def test_the_language_and_the_banner_of_a_table_can_be_another(run: Run, demo: Path) -> None:
    code, out, _ = run("look", "heard_of", "--language", "de", cwd=demo)
    assert code == 0 and "Gesamt" in out and "Basis (ungewichtet)" in out
    assert (
        next(iter(otter.read_plan(demo / "plan.yaml").banners)) == "main"
    )  # the default, where none is named
    shapes = [run("look", *words)[1] for words in ([], ["--banner", "main"])]
    assert shapes[0] == shapes[1] and "Banner main" in shapes[0]


GRID_OF_WORDS = """
questions:
  area: {kind: single, answers: {1: North, 2: South}}
  takes:
    kind: grid
    text: How do you take it?
    items: {still: {column: k_1, label: Still}, fizzy: {column: k_2, label: Fizzy}}
    answers: {1: With ice, 2: With lemon, 3: As it is}
"""


def test_a_grid_without_scores_is_shown_item_by_item_or_by_an_answer(run: Run, tmp_path: Path) -> None:
    """It has no mean, which a grid with scores is shown by."""
    rows = [f"{k % 2 + 1},{k % 3 + 1},{k % 5 % 3 + 1}" for k in range(120)]
    (tmp_path / "d.csv").write_text("\n".join(["area,k_1,k_2", *rows]))
    (tmp_path / "book.yaml").write_text(GRID_OF_WORDS)
    named = ("--codebook", "book.yaml", "--data", "d.csv", "-b", "area")
    code, out, _ = run("look", "takes", *named, cwd=tmp_path)
    titles = [line for line in out.splitlines() if line.startswith("How do you take it?")]
    assert code == 0 and titles == ["How do you take it? – Still", "How do you take it? – Fizzy"]
    assert out.count("As it is") == 2
    code, out, _ = run("look", "takes", *named, "--set", "figure=With lemon")
    assert code == 0 and "How do you take it? – With lemon" in out and "Still" in out and "Fizzy" in out
    code, _, err = run("look", "takes", *named, "--set", "figure=mean")
    assert (
        code == 2
        and "Name an answer or net as the figure, or, where its answers are steps, write scale: true" in err
    )


def test_a_ranking_is_shown_by_the_questions_made_of_it(run: Run, demo: Path) -> None:
    code, out, _ = run("look", "preference", "-b", "wave", cwd=demo)
    titles = [
        line.partition(" – ")[2] for line in out.splitlines() if line.startswith("Which would you choose")
    ]
    ranks = [f"rank of {one}" for one in ("Tarn", "Brookfizz", "Quillwater", "Fenbubble", "Skerrow")]
    assert code == 0 and titles == ["ranked first", "in the top 2", *ranks]
    assert run("look", "preference.first", "-b", "wave")[1] in out
    code, _, err = run("look", "preferenc")
    assert code == 2 and err.startswith("Error: No question or table 'preferenc'.")


def test_the_shape_of_a_nesting_is_shown_as_that_of_a_banner(run: Run, demo: Path) -> None:
    code, out, err = run("look", "-b", "region within wave", cwd=demo)
    assert code == 0, err
    table = run("look", "diet", "-b", "region within wave", cwd=demo)[1]
    shown, asked = (
        [line.split() for line in text.splitlines() if line.startswith("Base (unweighted)")]
        for text in (out, table)
    )
    assert shown and shown == asked
