"""One plan, many reports: what each counts is what a filter counts, in a folder of its own."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
import yaml

import eager_otter as otter

Run = Callable[..., tuple[int, str, str]]
Write = Callable[[str, str], Path]

BOOK = """
questions:
  region: {kind: single, label: Region, answers: {1: North, 2: "East / West", 3: Nowhere, 9: {label: Abroad, missing: true}}}
  liking: {kind: single, label: Liking, answers: {1: Poor, 2: Good}}
  heard: {kind: multi, label: Heard, columns: {h_1: Tarn, h_2: Birk}, ticked: [1]}
  age: {kind: number}
"""
DATA = "region,liking,h_1,h_2,age,w\n" + "".join(
    f"{1 + k % 2},{1 + k % 3 % 2},{k % 2},{int(k % 5 == 0)},{20 + k},{1 + k % 4}\n" for k in range(60)
)
PLAN = """
title: All
data: data.csv
codebook: book.yaml
for each: region
filter: age < 70
banners: {main: [heard]}
tables: [liking]
outputs: [out.csv, {file: out.html, notes: full}]
"""


@pytest.fixture
def plan(tmp_path: Path, write: Write) -> Path:
    write("data.csv", DATA)
    write("book.yaml", BOOK)
    return write("plan.yaml", PLAN)


def test_each_report_is_that_of_its_people(plan: Path) -> None:
    plans = otter.plans_for_each(plan)
    assert list(plans) == ["North", "East / West", "Nowhere"]
    whole = otter.open_survey(plan.parent / "book.yaml", plan.parent / "data.csv")
    for code, label, folder in ((1, "North", "North"), (2, "East / West", "East-West")):
        report = otter.run(plans[label])
        table = whole.filtered(f"age < 70 and region == {code}").table("liking", "heard")
        for mine, theirs in zip(report.table("liking").lines, table.lines, strict=True):
            np.testing.assert_array_equal(mine.values, theirs.values)
            assert mine.letters == theirs.letters
        assert report.title == f"All – {label}"
        assert [path.relative_to(plan.parent).as_posix() for path in report.outputs] == [
            f"{folder}/out.csv", f"{folder}/out.html",
        ]  # fmt: skip
        assert list(report.output_notes) == [plan.parent / folder / "out.html"]


def test_answers_of_several_are_each_of_those_who_gave_them(plan: Path) -> None:
    read = otter.read_plan(plan).with_definition({**yaml.safe_load(PLAN), "for each": "heard"})
    tarn, birk = (otter.run(one).table("liking").people for one in otter.plans_for_each(read).values())
    whole = otter.open_survey(plan.parent / "book.yaml", plan.parent / "data.csv").filtered("age < 70")
    assert (tarn, birk) == tuple(
        whole.filtered(f"age < 70 and heard mentions any ({k})").table("liking").people for k in (1, 2)
    )


def test_a_report_may_differ_in_weight_banner_and_labels(plan: Path, write: Write) -> None:
    each = {
        "question": "region",
        "keep": ["North", 2],
        "differs": {
            "North": {
                "title": "The north", "weight": "w", "filter": "age < 50", "outputs": ["north.csv"],
                "banners": {"main": [{"question": "heard", "labels": {1: "Tarn water"}}]},
            }
        },
    }  # fmt: skip
    write("plan.yaml", yaml.safe_dump({**yaml.safe_load(PLAN), "for each": each}, sort_keys=False))
    plans = otter.plans_for_each(plan)
    north = otter.run(plans["North"])
    assert north.title == "The north" and north.weight == "w"
    assert [column.label for column in north.table("liking").columns] == ["Total", "Tarn water", "Birk"]
    assert [path.name for path in north.outputs] == ["north.csv"]
    assert north.table("liking").people == sum(20 + k < 50 for k in range(60) if k % 2 == 0)
    other = otter.run(plans["East / West"])
    assert other.weight is None and other.title == "All – East / West"
    read = otter.read_plan(plan)
    assert otter.plan_from_text(otter.plan_text(read), plan.parent).for_each == read.for_each


def test_the_command_makes_all_that_have_people(plan: Path, run: Run) -> None:
    code, out, err = run("run", cwd=plan.parent)
    assert code == 0 and out.split()[::3] == [
        "North/out.csv",
        "North/out.html",
        "East-West/out.csv",
        "East-West/out.html",
    ]
    assert "nobody is in Nowhere, so there is no report of it" in err
    made = {path.relative_to(plan.parent).as_posix() for path in plan.parent.rglob("*") if path.is_file()}
    assert {"North/manifest.json", "East-West/manifest.json"} <= made and not (
        plan.parent / "Nowhere"
    ).exists()
    plan.write_text(
        PLAN.replace("each: region", "each: {question: region, differs: {North: {title: N}}}"),
        encoding="utf-8",
    )
    code, out, _ = run("run", "-o", "one.csv", "--filter", "liking == 1")
    assert code == 0 and out.split()[::3] == ["North/one.csv", "East-West/one.csv"]


def test_labels_that_would_share_a_folder_are_told_apart(plan: Path, write: Write) -> None:
    write("book.yaml", BOOK.replace('"East / West"', '"north"'))
    assert [one.outputs[0].parent.name for one in otter.plans_for_each(plan).values()] == [
        "North-1",
        "north-2",
        "Nowhere",
    ]


@pytest.mark.parametrize(
    ("each", "message"),
    [
        ("nowhere", "no question 'nowhere'"),
        ("age", "age is of kind number and has no answers"),
        ("{question: region, keep: [Nrth]}", "no answer 'Nrth'"),
        (
            "{question: region, keep: [North], differs: {Nowhere: {title: x}}}",
            "not among the answers to keep",
        ),
        ("{question: region, differs: {North: {data: x.csv}}}", "data is the same for all reports"),
        ("{question: region, differs: {Abroad: {title: x}}}", "is missing and makes no column"),
    ],
)
def test_what_cannot_be_for_each_is_told(plan: Path, each: str, message: str) -> None:
    plan.write_text(PLAN.replace("for each: region", f"for each: {each}"), encoding="utf-8")
    with pytest.raises(otter.DocumentError, match=message):
        otter.read_plan(plan)


def test_mistakes_in_what_differs_are_told_before_any_data_are_read(plan: Path, run: Run) -> None:
    text = PLAN.replace(
        "for each: region", "for each: {question: region, differs: {North: {tables: [likng]}}}"
    )
    plan.write_text(text, encoding="utf-8")
    code, _, err = run("run", cwd=plan.parent)
    assert code == 2 and "no question 'likng'" in err and not (plan.parent / "North").exists()


def test_one_report_is_not_made_of_a_plan_of_many_nor_many_of_one(plan: Path) -> None:
    with pytest.raises(
        otter.RequestError, match=r"each answer of region: run each of `plans_for_each\(plan\)`"
    ):
        otter.run(plan)
    plan.write_text(PLAN.replace("for each: region\n", ""), encoding="utf-8")
    with pytest.raises(otter.RequestError, match="The plan makes one report"):
        otter.plans_for_each(plan)


def test_what_the_command_line_says_goes_for_all_reports(plan: Path, run: Run) -> None:
    """Also for those that differ, which are read anew."""
    text = PLAN.replace("each: region", "each: {question: region, differs: {North: {title: N}}}")
    plan.write_text(text, encoding="utf-8")
    assert run("run", "-o", "one.json", "--filter", "liking == 1", "--weight", "w", cwd=plan.parent)[0] == 0
    whole = otter.open_survey(plan.parent / "book.yaml", plan.parent / "data.csv").weighted_by("w")
    for folder, code in (("North", 1), ("East-West", 2)):
        made = json.loads((plan.parent / folder / "one.json").read_text(encoding="utf-8"))["records"]
        bases = [r["value"] for r in made if r["figure"] == "weighted base" and r["column"] == "Total"]
        counted = whole.filtered(f"age < 70 and liking == 1 and region == {code}").table("liking", "heard")
        assert bases == [counted.lines[1].values[0]]


def test_the_standard_output_takes_one_report_and_says_so(plan: Path, run: Run) -> None:
    code, out, err = run("run", "plan.yaml", "-o", "-", cwd=plan.parent)
    assert (code, out) == (2, "")
    assert err == (
        "Error: The plan makes a report for each answer of region, and the standard output takes one. Name a file, of "
        "which each report has its own, or narrow a copy of the plan without 'for each'.\n"
    )
