"""Data with a definition beside them: DDI-Codebook, data packages, CSVW; written and read back."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.data.opening import open_data
from laws import LAW_BOOK, law_columns

DDI = """<?xml version="1.0" encoding="UTF-8"?>
<codeBook xmlns="ddi:codebook:2_5" version="2.5">
 <stdyDscr><citation><titlStmt><titl>Sparkling water</titl></titlStmt></citation></stdyDscr>
 <fileDscr><fileTxt><fileName>answers.dat</fileName></fileTxt></fileDscr>
 <dataDscr>
  <varGrp ID="G1" type="multipleResp" name="heard" var="V3 V4"><txt>Which have you heard of?</txt></varGrp>
  <var ID="V1" name="rid"><location StartPos="1" EndPos="3"/><labl>Number</labl></var>
  <var ID="V2" name="liking" intrvl="discrete"><location StartPos="4" EndPos="5"/><labl>Liking</labl>
   <qstn><qstnLit>How much do you like it?</qstnLit></qstn>
   <catgry><catValu>1</catValu><labl>Poor</labl></catgry><catgry><catValu>2</catValu><labl>Fair</labl></catgry>
   <catgry><catValu>3</catValu><labl>Good</labl></catgry>
   <catgry missing="Y"><catValu>99</catValu><labl>No reply</labl></catgry></var>
  <var ID="V3" name="h1"><location StartPos="6" EndPos="6"/><labl>Tarn</labl>
   <catgry><catValu>0</catValu><labl>No</labl></catgry><catgry><catValu>1</catValu><labl>Yes</labl></catgry></var>
  <var ID="V4" name="h2"><location StartPos="7" width="1"/><labl>Birk</labl>
   <catgry><catValu>0</catValu><labl>No</labl></catgry><catgry><catValu>1</catValu><labl>Yes</labl></catgry></var>
  <var ID="V5" name="wt" wgt="wgt" dcml="2" intrvl="contin"><location StartPos="8" EndPos="10"/><labl>Weight</labl>
   <varFormat type="numeric"/></var>
 </dataDscr>
</codeBook>
"""


def records(people: int) -> list[str]:
    return [
        f"{k:03}{[1, 2, 3, 99][k % 4]:>2}{k % 2}{int(k % 3 == 0)}{50 + k % 100:03}"
        for k in range(1, people + 1)
    ]


def test_fixed_width_data_of_a_ddi_codebook(tmp_path: Path) -> None:
    (tmp_path / "book.xml").write_text(DDI, encoding="utf-8")
    (tmp_path / "answers.dat").write_text("\n".join(records(120)) + "\n", encoding="utf-8")
    drafted = otter.draft(tmp_path / "book.xml")
    plan = drafted.save(tmp_path)[1]
    book = otter.codebook_from_text(drafted.codebook)
    assert book.respondent == "rid" and book.weight == "wt"
    liking = book.question("liking")
    assert [(a.label, a.missing) for a in liking.answers] == [
        ("Poor", False),
        ("Fair", False),
        ("Good", False),
        ("No reply", True),
    ]
    heard = book.question("heard")
    assert heard.text == "Which have you heard of?" and [a.label for a in heard.answers] == ["Tarn", "Birk"]
    assert open_data(tmp_path / "book.xml").read(["wt"]).column("wt").to_pylist()[:2] == ["0.51", "0.52"]
    table = otter.run(plan).table("heard")
    weights = {k: (50 + k % 100) / 100 for k in range(1, 121)}
    share = 100 * sum(w for k, w in weights.items() if k % 2) / sum(weights.values())
    assert table.value("Tarn", "Total") == pytest.approx(share)


def test_short_and_blank_records_of_fixed_width_are_told(tmp_path: Path) -> None:
    (tmp_path / "book.xml").write_text(DDI, encoding="utf-8")
    lines = records(30)
    lines[4] = lines[4][:8]
    (tmp_path / "answers.dat").write_text("\n".join([*lines[:10], "", *lines[10:]]) + "\n", encoding="utf-8")
    file = open_data(tmp_path / "book.xml")
    assert file.read(["rid"]).num_rows == 30
    assert {one.slip: one.count for one in file.remarks(30)} == {"short record": 1, "blank rows": 1}


@pytest.mark.parametrize(
    ("text", "error", "message"),
    [
        ("<codeBook/>", otter.DataError, "describes no variables"),
        ("<other/>", otter.DataError, "is not a triple-s definition"),
        ("<codeBook", otter.FileProblem, "is not XML"),
        (DDI.replace('StartPos="1"', 'StartPos="x"'), otter.DataError, "its place in a record cannot be"),
        (DDI.replace("answers.dat", "gone.dat"), otter.FileProblem, "its data are not beside it; looked for gone.dat"),
        (DDI.replace('<?xml version="1.0" encoding="UTF-8"?>', '<!DOCTYPE a [<!ENTITY x "y">]>'), otter.FileProblem, "declares entities"),
    ],
)  # fmt: skip
def test_codebooks_that_cannot_be_read(
    tmp_path: Path, text: str, error: type[Exception], message: str
) -> None:
    (tmp_path / "book.xml").write_text(text, encoding="utf-8")
    (tmp_path / "answers.dat").write_text("\n".join(records(5)), encoding="utf-8")
    with pytest.raises(error, match=message):
        otter.draft(tmp_path / "book.xml")


PACKAGE: dict[str, Any] = {
    "resources": [
        {
            "path": "d.csv",
            "dialect": {"delimiter": ";"},
            "schema": {
                "missingValues": ["", "-9"],
                "fields": [
                    {"name": "rid", "type": "integer"},
                    {"name": "sex", "title": "Sex", "type": "string", "categories": [{"value": "1", "label": "Woman"}, {"value": "2", "label": "Man"}]},
                    {"name": "brand", "description": "Which brand?", "type": "string", "constraints": {"enum": ["Tarn", "Birk"]}},
                    {"name": "glasses", "type": "number", "title": "Glasses"},
                ],
            },
        }
    ]
}  # fmt: skip
CSVW = {
    "@context": "http://www.w3.org/ns/csvw",
    "url": "d.csv",
    "dialect": {"delimiter": ";"},
    "tableSchema": {
        "columns": [
            {"name": "rid", "datatype": "integer"},
            {"name": "sex", "titles": ["Sex"]},
            {"name": "brand", "dc:description": "Which brand?"},
            {
                "name": "glasses",
                "titles": {"en": "Glasses"},
                "datatype": {"base": "integer"},
                "null": ["", "-9"],
            },
        ]
    },
}


@pytest.mark.parametrize("description", [PACKAGE, CSVW])
def test_descriptions_of_csv_files(tmp_path: Path, description: dict[str, Any]) -> None:
    rows = [
        f"{k + 500};{k % 2 + 1};{'Tarn' if k % 3 else 'Birk'};{-9 if k % 5 == 0 else k}" for k in range(60)
    ]
    (tmp_path / "d.csv").write_text("\n".join(["rid;sex;brand;glasses", *rows]), encoding="utf-8")
    (tmp_path / "about.json").write_text(json.dumps(description), encoding="utf-8")
    drafted = otter.draft(tmp_path / "about.json")
    book = otter.codebook_from_text(drafted.codebook)
    assert book.question("brand").text == "Which brand?" and book.question("glasses").text == "Glasses"
    report = otter.run(drafted.save(tmp_path)[1])
    mean = np.mean([k for k in range(60) if k % 5])
    assert report.table("glasses").value("Mean", "Total") == pytest.approx(mean)
    assert str(report.source).startswith("d.csv, defined by about.json")
    if description is PACKAGE:
        assert [answer.label for answer in book.question("sex").answers] == ["Woman", "Man"]
    by_dictionary = otter.draft(tmp_path / "d.csv", dictionary=tmp_path / "about.json")
    assert by_dictionary.codebook.partition("respondent:")[2] == drafted.codebook.partition("respondent:")[2]


@pytest.mark.parametrize(
    ("change", "message"),
    [
        ({"resources": []}, "describes 0 tables"),
        ({"resources": [{"path": "a.csv"}, {"path": "b.csv"}]}, r"describes 2 tables \(a.csv, b.csv\)"),
        ({"resources": [{"path": "../d.csv", "schema": {"fields": [{"name": "rid"}]}}]}, "outside its folder"),
        ({"resources": [{"path": "https://there/d.csv", "schema": {"fields": [{"name": "rid"}]}}]}, "names no CSV file"),
        ({"resources": [{"path": "gone.csv", "schema": {"fields": [{"name": "rid"}]}}]}, "looked for gone.csv"),
        ({"resources": [{"path": "d.csv"}]}, "has no schema"),
        ({"resources": [{"path": "d.csv", "schema": {"fields": [{"name": "other"}]}}]}, "describes none of the columns"),
    ],
)  # fmt: skip
def test_descriptions_that_cannot_be_used(tmp_path: Path, change: dict[str, Any], message: str) -> None:
    (tmp_path / "d.csv").write_text("rid\n1\n", encoding="utf-8")
    (tmp_path / "datapackage.json").write_text(json.dumps(change), encoding="utf-8")
    with pytest.raises(otter.OtterError, match=message):
        otter.draft(tmp_path / "datapackage.json")


def reasons(survey: otter.Survey) -> dict[str, int]:
    """Count the missing codes of the glasses."""
    absent = survey.responses.answers("glasses").absent  # type: ignore[union-attr]
    return {one.label: int((absent.codes == k).sum()) for k, one in enumerate(absent.known, 1)}


def test_sections_hold_what_is_in_the_groups_within(tmp_path: Path) -> None:
    section = '<varGrp ID="S1" type="section" var="V2" varGrp="G1"><labl>Brands</labl></varGrp>'
    (tmp_path / "book.xml").write_text(
        DDI.replace('  <var ID="V1"', f'{section}<var ID="V1"', 1), encoding="utf-8"
    )
    (tmp_path / "answers.dat").write_text("\n".join(records(20)) + "\n", encoding="utf-8")
    book = otter.codebook_from_text(otter.draft(tmp_path / "book.xml").codebook)
    assert {question.name: question.section for question in book} == {"liking": "Brands", "heard": "Brands"}


@pytest.mark.parametrize(("name", "options"), [("out.xml", {"standard": "ddi"}), ("out.json", {})])
@given(seed=st.integers(0, 10_000))
@settings(max_examples=5, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
def test_what_is_written_is_read_back_with_the_same_counts(
    tmp_path: Path, name: str, options: dict[str, Any], seed: int
) -> None:
    book = LAW_BOOK.replace("{kind: single, label: Area", "{section: You & yours, kind: single, label: Area")
    book = book.replace("{kind: multi, label: Tried", "{section: Brands, kind: multi, label: Tried")
    survey = otter.open_survey(otter.codebook_from_text(book), pd.DataFrame(law_columns(seed, 300)))
    with pytest.warns(otter.Hint, match=rf"written blank \(glasses: {reasons(survey)['200..900']}\)"):
        otter.export(survey, tmp_path / name, force=True, **options)
    drafted = otter.draft(tmp_path / name)
    back = otter.open_survey(otter.codebook_from_text(drafted.codebook), tmp_path / name)
    assert back.codebook.weight == "wt"
    assert [back.codebook.question(q).section for q in ("area", "tried", "liking")] == [
        "You & yours",
        "Brands",
        "",
    ]
    assert reasons(back)["99"] == reasons(survey)["99"] > 0
    for question in survey.codebook:
        again = back.codebook.question(question.name)
        assert again.kind == question.kind, question.name
        assert [(a.code, a.label) for a in again.answers if not a.missing] == [
            (a.code, a.label) for a in question.answers if not a.missing
        ] or question.kind == "multi"
        one, other = (
            s.table(question.name, figures=["mean" if question.kind == "number" else "count"])
            for s in (survey, back)
        )
        mine, theirs = ({line.label: line.values[0] for line in table.body} for table in (one, other))
        for label in {answer.label for answer in again.valid} or {"Mean"}:
            np.testing.assert_allclose(
                theirs[label], mine[label], rtol=1e-9, err_msg=f"{question.name} {label}"
            )


def test_exports_that_cannot_be(tmp_path: Path) -> None:
    survey = otter.open_survey(otter.codebook_from_text(LAW_BOOK), pd.DataFrame(law_columns(1, 50)))
    for name, options, message in (
        ("a.json", {"labels": True}, "leave out the labels"),
        ("a.json", {"standard": "ddi"}, r"ends in \.xml"),
        ("a.xml", {"standard": "sdmx"}, "expected one of triple-s or ddi"),
        ("a.dat", {}, "data package"),
    ):
        with pytest.raises(otter.RequestError, match=message):
            otter.export(survey, tmp_path / name, **options)  # type: ignore[arg-type]
    assert not list(tmp_path.iterdir())
