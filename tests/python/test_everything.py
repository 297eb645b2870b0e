"""What the commands do, done from Python: draft, weigh, export, code texts, compare, reports of tables made by hand."""

from __future__ import annotations

import copy
import json
import pickle
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import openpyxl
import pandas as pd
import pytest
import yaml

import eager_otter as otter
from eager_otter.gates.outputs import ENDINGS


@pytest.fixture(scope="module")
def frame(demo: Path) -> pd.DataFrame:
    return pd.read_csv(demo / "responses.csv", dtype=str)


@pytest.fixture(scope="module")
def audit(demo: Path) -> otter.Audit:
    return otter.run_audit(demo / "spoiled" / "plan.yaml")


def test_a_frame_is_drafted_saved_and_run(frame: pd.DataFrame, demo: Path, tmp_path: Path) -> None:
    drafted = otter.draft(frame)
    assert drafted.codebook.split("\n", 1)[1] == otter.draft(demo / "responses.csv").codebook.split("\n", 1)[1]  # fmt: skip
    survey = otter.open_survey(otter.codebook_from_text(drafted.codebook), frame)
    assert len(survey) == len(otter.codebook_from_text(drafted.codebook)) > 20
    written = drafted.save(tmp_path / "new")
    assert [path.name for path in written] == ["codebook.yaml", "plan.yaml", "responses.parquet"]
    report = otter.run(written[1])
    assert [str(report[name]) for name in ("wave", "region")] == [str(survey.table(name, [group.question for group in report.plan.requests[0].banner.groups], bases={"mark below": 75, "no test below": 30})) for name in ("wave", "region")]  # type: ignore[union-attr]  # fmt: skip
    with pytest.raises(otter.FileProblem, match=r"codebook.yaml"):
        drafted.save(tmp_path / "new")
    with pytest.raises(otter.RequestError, match="Data are a path, or a frame"):
        otter.draft(3)


def test_a_weighting_weights_a_survey(survey: otter.Survey) -> None:
    targets = {"gender": {"A woman": 51, "A man": 48, "Another gender": 1}}
    weighting = otter.weigh(survey, targets, mean_where_unanswered=True)
    weighted = survey.weighted_by(weighting)
    table = weighted.table("gender")
    assert [table.value(name, "Total") for name in targets["gender"]] == pytest.approx(
        [51, 48, 1]
    )  # of those who said
    inside = survey.responses.filtered(survey.filter)
    assert weighted.table("status").value("Base (weighted)", "Total") == pytest.approx(
        weighting.weights[inside].sum()
    )
    assert survey.weighted_by("wt").table("gender").value("A man", "Total") != pytest.approx(48)  # as it was
    with pytest.raises(otter.DataError, match="2,400 values were expected, one a row; found 3"):
        survey.responses.with_numbers("w", np.ones(3))


def test_questions_are_found_and_looked_at(survey: otter.Survey) -> None:
    assert [question.name for question in survey.find("heard brand")] == ["heard_of"]
    assert survey.find() == tuple(survey) and survey.find("nothing of that kind") == ()
    seen = survey.overview("region")
    column = survey.responses.filtered(survey.filter)
    assert seen.people == column.sum() and sum(answer.people for answer in seen.answers if not answer.note) == seen.answered  # fmt: skip
    with pytest.raises(
        otter.UnknownName, match=r"No question 'regoin' in the codebook. Did you mean 'region'"
    ):
        survey.overview("regoin")


@pytest.mark.filterwarnings("ignore::eager_otter.Hint")
def test_responses_are_exported_and_open_again(survey: otter.Survey, tmp_path: Path) -> None:
    (csv,) = otter.export(survey, tmp_path / "out.csv")
    exported = pd.read_csv(csv, dtype=str)
    assert len(exported) == survey.population().rows.sum()
    liked = exported.liking.isin(["1", "2", "3", "4", "5"])
    good = (
        exported[liked & (exported.liking == "4")].wt.astype(float).sum()
        / exported[liked].wt.astype(float).sum()
    )
    assert survey.table("liking").value("Good", "Total") == pytest.approx(100 * good, rel=1e-6)
    written = otter.export(survey, tmp_path / "survey.xml")
    assert [path.name for path in written] == ["survey.xml", "survey.csv"]
    again = otter.open_survey(otter.codebook_from_text(otter.draft(written[0]).codebook), written[0])
    assert len(again.responses) == len(exported)
    with pytest.raises(otter.RequestError, match=r"an export ends in .csv, .xml"):
        otter.export(survey, tmp_path / "out.xlsx")


def test_open_texts_are_coded(survey: otter.Survey, tmp_path: Path) -> None:
    sheet = tmp_path / "code.xlsx"
    count = otter.write_texts(
        survey, "likes_open", sheet, topics=[("1", "Taste"), ("2", "Price")], mentions=2
    )
    book = openpyxl.load_workbook(sheet)
    texts = book["Texts"]
    assert texts.max_row - 1 >= count > 100
    texts.cell(2, 3, "Taste")
    book.save(sheet)
    coded = otter.read_texts(survey, "likes_open", sheet)
    assert sum(map(len, coded.mentions)) == 1 and len(coded.uncoded) == count - 1
    data, part = otter.write_coded(
        survey, "likes_open", coded, tmp_path / "coded.csv", tmp_path / "part.yaml"
    )
    assert "Taste" in part.read_text(encoding="utf-8") and len(pd.read_csv(data)) == 2400
    with pytest.raises(otter.FileProblem, match=r"code.xlsx"):
        otter.write_texts(survey, "likes_open", sheet)
    with pytest.raises(otter.RequestError, match="region is of kind single; only open text is coded"):
        otter.write_texts(survey, "region", tmp_path / "no.xlsx")


@pytest.mark.slow
def test_reports_are_compared_with_each_other_and_with_files(demo: Path, tmp_path: Path) -> None:
    report = otter.run(demo / "plan.yaml")
    before = tmp_path / "before" / "tables.csv"
    before.parent.mkdir()
    report.save(before, manifest=True)
    assert otter.compare(report, before).changes == () == otter.compare(before.parent, report).changes
    plan = report.plan
    assert plan is not None
    text = otter.plan_text(plan).replace("percents: pooled", "percents: unpooled")
    changed = otter.run(otter.plan_from_text(text, plan.path.parent))
    found = otter.compare(report, changed)
    assert found.causes and {change.kind for change in found.changes} <= set(found.counts())
    saved = found.save(tmp_path / "changes.json")
    assert len(json.loads(saved.read_text(encoding="utf-8"))["changes"]) == len(found.changes)
    assert found.save(tmp_path / "changes.xlsx").stat().st_size > 4000
    with pytest.raises(otter.RequestError, match=r"x.pdf: a Comparison is written as .xlsx or .json"):
        found.save(tmp_path / "x.pdf")


@pytest.mark.parametrize("ending", ENDINGS)
def test_a_table_is_saved_as_a_report_of_one(survey: otter.Survey, tmp_path: Path, ending: str) -> None:
    table = survey.table("liking", "region")
    path = table.save(tmp_path / f"table{ending}")
    assert path.stat().st_size > 200
    assert path.read_bytes() == otter.report_of([table]).save(tmp_path / f"again{ending}")[0].read_bytes() or ending in (".pdf", ".pptx", ".xlsx")  # fmt: skip


def test_tables_made_by_hand_are_a_report(survey: otter.Survey, tmp_path: Path) -> None:
    tables = [
        survey.table("liking", "region"),
        survey.table("liking", "gender"),
        survey.table("spend", "region"),
    ]
    report = otter.report_of(tables, title="By hand", theme="slate", author="A. Analyst")
    assert [table.id for table in report] == ["liking", "liking-2", "spend"] and report["liking-2"].title == tables[1].title  # fmt: skip
    assert "responses.csv" in report.provenance and "filter: Status is complete" in report.provenance and "weight: wt" in report.provenance  # fmt: skip
    (path,) = report.save(tmp_path / "hand.csv")
    saved = pd.read_csv(path)
    assert set(saved.table) == {"liking", "liking-2", "spend"}
    mixed = otter.report_of([tables[0], survey.weighted_by(None).table("spend")])
    assert "weight: none" in mixed.provenance
    with pytest.raises(otter.RequestError, match="A report needs a table; none was given"):
        otter.report_of([])
    with pytest.raises(otter.RequestError, match="not made from a plan"):
        report.findings()


def things(survey: otter.Survey, report: otter.Report, audit: otter.Audit) -> dict[str, Any]:
    return {
        "survey": survey,
        "codebook": survey.codebook,
        "question": survey["heard_of"],
        "overview": survey.overview("heard_of"),
        "plan": report.plan,
        "report": report,
        "audit": audit,
        "findings": report.findings(most=3),
        "explanation": report["liking"].explain("Good", "Autumn"),
        "comparison": otter.compare(report, report),
        "weighting": otter.weigh(survey, {"wave": {"Spring": 50, "Autumn": 50}}),
        "draft": otter.draft(pd.DataFrame({"area": [1, 2] * 5})),
    }


@pytest.mark.slow
def test_results_show_themselves_in_a_line_in_full_and_in_a_notebook(
    survey: otter.Survey, report: otter.Report, audit: otter.Audit
) -> None:
    for name, thing in things(survey, report, audit).items():
        line, full, html = repr(thing), str(thing), thing._repr_html_()
        assert "\n" not in line and line.startswith("<") and len(line) < 400, name
        assert html.startswith("<pre") and "<script" not in html, name
        words = [word for word in full.split() if word.isalpha()]
        assert len(words) > 4 and all(word in html for word in words[:5]), name
    hostile = otter.codebook_from_text(
        'questions:\n  q: {kind: single, text: "<b>bold</b>", answers: {1: "<script>x"}}\n'
    )
    assert "<b>" not in hostile["q"]._repr_html_() and "&lt;script&gt;x" in hostile["q"]._repr_html_()


def test_mappings_of_survey_codebook_and_report(survey: otter.Survey, report: otter.Report) -> None:
    assert survey["liking"] is survey.codebook["liking"] is survey.questions["liking"]
    assert "liking" in survey and "lking" not in survey and survey["liking"] in survey.codebook
    assert len(survey) == len(list(survey)) == len(survey.codebook) and len(report) == len(list(report)) == len(report.plan or ())  # fmt: skip
    assert survey._ipython_key_completions_() == list(survey.questions) and report._ipython_key_completions_()[0] == report.tables[0].id  # fmt: skip
    for mapping in (survey, report, survey.codebook):
        with pytest.raises(otter.UnknownName, match=r"'lking'.*\. Did you mean 'liking'"):
            mapping["lking"]


@pytest.mark.slow
def test_results_are_copied_and_pickled(
    survey: otter.Survey, report: otter.Report, audit: otter.Audit
) -> None:
    for name, thing in things(survey, report, audit).items():
        for twin in (copy.copy(thing), copy.deepcopy(thing), pickle.loads(pickle.dumps(thing))):
            assert (repr(twin), str(twin)) == (repr(thing), str(thing)), name
    table = pickle.loads(pickle.dumps(survey.table("liking", "region")))
    assert table.explain("Good", "North").value == pytest.approx(
        survey.table("liking", "region").value("Good", "North")
    )
    again = pickle.loads(pickle.dumps(survey))
    assert str(again.table("spend", "region")) == str(survey.table("spend", "region"))


@pytest.mark.slow
def test_tables_are_made_in_threads(demo: Path) -> None:
    alone = otter.open_survey(demo / "codebook.yaml", demo / "responses.csv")
    names = [question.name for question in alone if question.kind in ("single", "multi", "number")] * 2
    expected = [str(alone.table(name, "region")) for name in names]
    shared = otter.open_survey(demo / "codebook.yaml", demo / "responses.csv")
    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(lambda name: str(shared.table(name, "region")), names)) == expected


def test_schemas_and_catalogues_are_those_of_the_commands(run: Any) -> None:
    for kind in ("plan", "codebook", "theme", "words"):
        assert json.loads(run("schema", kind)[1]) == otter.json_schema(kind)
    text = otter.catalogue_text(otter.load_words("de"))
    assert text == run("words", "--language", "de")[1] and yaml.safe_load(text)["language"] == "de"
    with pytest.raises(
        otter.RequestError, match="json_schema: name: expected one of plan, codebook, theme or words"
    ):
        otter.json_schema("plans")  # type: ignore[arg-type]
