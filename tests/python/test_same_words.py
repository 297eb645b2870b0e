"""Python in a plan's words: every table of the demo's plans is made again by a call, and objects, mappings and words agree."""

from __future__ import annotations

import warnings
from collections.abc import Callable
from pathlib import Path
from typing import Any, get_args

import pandas as pd
import pytest
import yaml

import eager_otter as otter
from eager_otter.asking.given import ItemsSettings, TableSettings
from eager_otter.documents.part import fields_of
from eager_otter.documents.yaml_nodes import read_yaml
from eager_otter.figures.names import BaseName, FigureName
from eager_otter.figures.registry import all_figures, base_lines
from eager_otter.plan.file import ItemsFile, SettingsPart, TableFile


def shown(table: otter.Table) -> tuple[str, tuple[str, ...], str]:
    return str(table), table.notes, table.title


@pytest.mark.parametrize("name", ["plan.yaml", "shapes.yaml"])
@pytest.mark.slow
def test_all_tables_of_a_plan_can_be_asked_for_in_python(demo: Path, name: str) -> None:
    report = otter.run(demo / name)
    assert report.plan is not None and report.survey is not None
    spelled = yaml.safe_load(otter.plan_text(report.plan))
    usual = {key: spelled[key] for key in ("tests", "bases") if key in spelled} | {
        "digits": spelled.get("defaults", {}).get("digits")
    }
    entries = [
        {**usual, "banner": spelled["defaults"].get("banner"), **entry}
        for entry in spelled["tables"]
        if "heading" not in entry
    ]
    for entry in entries:
        if entry.get("as") in ("answers by items", "before by after"):
            del entry["banner"]
        if entry.get("as") == "before by after":
            del entry["tests"]
    tables = report.survey.tables(entries)
    assert len(tables) == len(report.tables)
    for entry, table, planned in zip(entries, tables, report.tables, strict=True):
        assert shown(table) == shown(planned), entry
        words = {
            key.replace(" ", "_"): value
            for key, value in entry.items()
            if key not in ("as", "items", "grid", "question", "part")
        }
        if "question" in entry and "part" not in entry:  # the same as keywords
            assert shown(report.survey.table(entry["question"], **words)) == shown(planned)


def test_objects_mappings_and_words_ask_for_the_same(survey: otter.Survey) -> None:
    wanted = survey.request(
        "liking",
        otter.Banner(groups=(otter.BannerGroup(nest=(otter.BannerGroup(question="wave"), otter.BannerGroup(question="gender"))),)),
        tests=otter.TestRules(against="rest", percents="unpooled"),
        bases=otter.BaseRules(mark=75, no_test=30),
        rows=otter.RowRules(sort=otter.Sorting(), hide=("Fair",), drop_empty=True),
        digits=otter.Digits(percent=1),
        figures=("count",),
        levels=(90.0,),
    )  # fmt: skip
    for given in (
        {"banner": [["wave", "gender"]], "tests": {"against": "rest", "percents": "unpooled"}, "bases": {"mark below": 75, "no test below": 30}, "sort": "down", "hide": "Fair", "empty_rows": "drop", "digits": 1, "figures": "count", "levels": 90},
        {"banner": {"groups": [{"nest": ["wave", {"question": "gender"}]}]}, "tests": {"levels": [90], "against": "rest", "percents": "unpooled"}, "bases": {"mark": 75, "no_test": 30}, "rows": {"sort": "down", "hide": ["Fair"], "drop empty": True}, "digits": {"percent": 1}, "figures": ["count"]},
    ):  # fmt: skip
        assert survey.request("liking", **given) == wanted  # type: ignore[arg-type]
    assert survey.request("liking", tests="rest") == survey.request("liking", tests={"against": "rest"})
    assert survey.request("liking", tests="none").levels == survey.request("liking", levels=[]).levels == ()
    assert survey.request("liking", banner="region") == survey.request("liking", banner=["region"]) == survey.request("liking", banner=pd.Series(["region"]))  # type: ignore[arg-type]  # fmt: skip


def test_settings_take_what_a_plan_takes() -> None:
    group = otter.BannerGroup
    for given, made in (
        (otter.RowRules(sort="down", hide="Other"), otter.RowRules(sort=otter.Sorting(), hide=("Other",))),  # type: ignore[arg-type]
        (otter.RowRules(sort="label"), otter.RowRules(sort=otter.Sorting(by="label", up=True))),  # type: ignore[arg-type]
        (otter.Banner(groups=["region", ["wave", "gender"]]), otter.Banner(groups=(group(question="region"), group(nest=(group(question="wave"), group(question="gender")))))),  # type: ignore[arg-type]
        (otter.BannerGroup(question="region", keep=[1, "South"]), group(question="region", keep=("1", "South"))),  # type: ignore[arg-type]
        (otter.Digits(of_figures={"mean": 1}), otter.Digits(of_figures=(("mean", 1),))),  # type: ignore[arg-type]
        (otter.TableRequest(shows="liking", figures="count", levels=90, bases={"no test": 30}, tests="rest"), otter.TableRequest(shows=otter.OneQuestion("liking"), figures=("count",), levels=(90.0,), bases=otter.BaseRules(no_test=30), tests=otter.TestRules(against="rest"))),  # type: ignore[arg-type]
    ):  # fmt: skip
        assert given == made


def test_a_survey_of_a_plan_knows_its_banners_by_name(report: otter.Report) -> None:
    assert report.survey is not None and report.plan is not None
    table = report.survey.table("liking", banner="main")
    assert [column.label for column in table.columns] == [column.label for column in report.tables[0].columns]
    both = report.survey.request("liking", banner=["main", "diet"]).banner.groups
    assert both[:-1] == report.plan.banners["main"].groups and both[-1].question == "diet"


def test_several_tables_of_one_entry(survey: otter.Survey) -> None:
    tables = survey.tables(
        ["liking", {"question": "spend", "banner": ["region"], "repeat": "wave"}, {"each": ["rating.*"]}]
    )
    assert [table.id for table in tables[1:4]] == ["spend", "spend-1", "spend-2"] and len(tables) == 4 + len(survey.codebook.grids["rating"].items)  # fmt: skip
    assert tables[2].value("Mean", "North") == survey.table("spend", "region", filter="wave == 1").value("Mean", "North")  # fmt: skip


def test_what_would_do_nothing_is_hinted_at(survey: otter.Survey) -> None:
    with pytest.warns(
        otter.Hint, match="mark below 30 does nothing, as no test below 50 goes before it"
    ) as told:
        survey.table("liking", "region", bases={"mark below": 30, "no test below": 50})
    assert told[0].filename == __file__
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        survey.table("liking", "region", bases={"mark below": 50, "no test below": 30})


def test_codebook_and_plan_are_made_of_mappings_as_of_files(demo: Path) -> None:
    def written(name: str) -> Any:
        return read_yaml(demo / name).data

    book, read = otter.codebook_of(written("codebook.yaml")), otter.read_codebook(demo / "codebook.yaml")
    for question in read:
        twin = book[question.name]
        assert all(getattr(twin, name) == getattr(question, name) for name in ("text", "kind", "answers", "nets", "differences", "source", "section"))  # fmt: skip
    for name in ("plan.yaml", "shapes.yaml"):
        assert otter.plan_of(written(name), folder=demo).requests == otter.read_plan(demo / name).requests
    settings = {"data": "responses.csv", "banners": {"main": ["region"]}, "tables": ["liking"]}
    report = otter.run(otter.plan_of(settings, codebook=book, folder=demo))
    assert report["liking"].value("Good", "North") > 0
    tuples = {
        "questions": {
            "q": {"kind": "single", "answers": {1: "Yes", 2: "No"}, "nets": ({"label": "Any", "of": (1, 2)},)}
        }
    }
    assert [answer.code for answer in otter.codebook_of(tuples)["q"].answers] == ["1", "2"]


@pytest.mark.parametrize(
    ("made", "message"),
    [
        (lambda: otter.codebook_of({"questions": {"q": {"kind": "sinlge", "answers": {1: "a"}}}}), "questions.q: kind: expected one of single, multi, number, text, grid, date, ranking; found 'sinlge'. Did you mean 'single'?"),
        (lambda: otter.codebook_of({"questoins": {}}), "questoins: unknown key 'questoins'. Did you mean 'questions'?"),
        (lambda: otter.codebook_of({"questions": {"q": {"kind": "single", "answers": {1: "a"}, "nets": [{"label": "x", "of": [3]}]}}}), "questions.q.nets[0].of[0]: net 'x': no answer '3'. Known: 1, a."),
        (lambda: otter.plan_of({"data": "d.csv", "tables": ["q", {"question": "p", "figures": ["cuont"]}]}, codebook=otter.codebook_of({"questions": {"p": {"kind": "single", "answers": {1: "a"}}}})), "2 mistakes.\ntables[0]: no question 'q' in the codebook. Known: p.\ntables[1].figures[0]: no figure 'cuont'. Did you mean 'count'?"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_mapping_is_told_by_its_place(made: Callable[[], object], message: str) -> None:
    with pytest.raises(otter.DocumentError) as error:
        made()
    assert str(error.value) == message


def test_typed_settings_and_names_are_those_of_plan_and_registry() -> None:
    def keys(part: Any) -> set[str]:
        return {one.key.replace(" ", "_") for one in fields_of(part).values()}

    only_plans = {"part", "layer", "banner"}  # what a spelled-out plan writes, and a parameter of its own
    assert set(ItemsSettings.__annotations__) - {"levels", "rows"} == keys(SettingsPart) - only_plans | {
        "title",
        "id",
    }
    assert set(TableSettings.__annotations__) - {"levels", "rows"} == keys(TableFile) - only_plans - {
        "question"
    }
    assert keys(ItemsFile) - keys(SettingsPart) == {"grid", "items", "as", "figure", "id", "title"}
    assert get_args(FigureName) == tuple(figure.name for figure in all_figures())
    assert get_args(BaseName) == tuple(line.short for line in base_lines())
    assert otter.percentile(12.5) == "percentile 12.5"
    with pytest.raises(otter.RequestError, match="above 0, up to 100; found 0"):
        otter.percentile(0)
