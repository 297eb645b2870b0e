"""Every kind of file: the same survey read from each, written and read back, and hostile files refused."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.data.opening import open_data
from eager_otter.data.triple_s_definition import read_definition
from eager_otter.report.exporting import export_survey

Write = Callable[..., Path]
BOOK = """
respondent: rid
weight: wt
questions:
  region: {kind: single, answers: {1: North, 2: East, 9: {label: Not stated, missing: true}}}
  tried: {kind: multi, columns: {t_1: Tarn, t_2: Brookfizz, t_9: {label: None, exclusive: true}}}
  age: {kind: number, missing: [999]}
  day: {kind: date}
  note: {kind: text}
"""
FRAME = pd.DataFrame(
    {
        "rid": ["007", "8", "9", "10"],
        "region": [1, 2, 9, 1],
        "tried": ["", "", "", ""],
        "t_1": [1, 0, None, 1],
        "t_2": [0, 1, None, 1],
        "t_9": [0, 0, None, 0],
        "age": [20.5, 999, 40, 33],
        "day": ["2026-03-01", "2026-03-02", "", "2026-03-04"],
        "note": ["None", "NA, or 東京", "", 'say "hi"\nŁódź'],
        "wt": [1.5, 1, 0.5, 1],
    }
).drop(columns="tried")


def written(folder: Path, kind: str) -> Path:
    """Write the frame in one of the formats."""
    path = folder / f"data.{kind.split('-', maxsplit=1)[0]}"
    match kind:
        case "csv":
            FRAME.to_csv(path, index=False)
        case "csv-semicolon":
            FRAME.to_csv(path, index=False, sep=";", decimal=",")
        case "csv-utf16":
            FRAME.to_csv(path, index=False, encoding="utf-16")
        case "tsv":
            FRAME.to_csv(path, index=False, sep="\t")
        case "xlsx":
            FRAME.assign(day=pd.to_datetime(FRAME["day"])).to_excel(path, index=False)
        case "ods":
            FRAME.to_excel(path, index=False, engine="odf")
        case "parquet":
            FRAME.to_parquet(path)
        case "json":
            path.write_text(json.dumps(FRAME.replace({np.nan: None}).to_dict("records")), encoding="utf-8")
        case "jsonl":
            path.write_text(FRAME.to_json(orient="records", lines=True, force_ascii=False), encoding="utf-8")
    return path


@pytest.mark.parametrize(
    "kind", ["csv", "csv-semicolon", "csv-utf16", "tsv", "xlsx", "ods", "parquet", "json", "jsonl"]
)
def test_the_same_survey_is_read_from_every_kind_of_file(write: Write, tmp_path: Path, kind: str) -> None:
    book = write("book.yaml", BOOK)
    survey = otter.open_survey(book, written(tmp_path, kind))
    same = otter.open_survey(book, FRAME)
    for name in ("region", "tried", "age"):
        for one, other in zip(survey.table(name).lines, same.table(name).lines, strict=True):
            np.testing.assert_allclose(one.values, other.values)
    assert survey.responses.row_name(0) == "row 1 (rid 007)"
    notes = survey.responses.answers("note").texts.tolist()  # type: ignore[union-attr]
    assert notes[:3] == ["None", "NA, or 東京", ""]
    assert survey.responses.chosen_by("day in '2026-03-01'..'2026-03-02'").tolist() == [
        True,
        True,
        False,
        False,
    ]
    assert survey.responses.chosen_by("note contains 'łódź'").tolist() == [False, False, False, True]


def test_a_sheet_is_chosen_by_name(write: Write, tmp_path: Path) -> None:
    path = tmp_path / "two.xlsx"
    with pd.ExcelWriter(path) as writer:
        pd.DataFrame({"x": [1]}).to_excel(writer, sheet_name="Notes", index=False)
        FRAME.to_excel(writer, sheet_name="Data", index=False)
    book = write("book.yaml", BOOK)
    assert len(otter.open_survey(book, path, reading=otter.Reading(sheet="Data")).responses) == 4
    with pytest.raises(otter.UnknownName, match=r"No sheet 'Dta' in .*two.xlsx. Did you mean 'Data'\?"):
        otter.open_survey(book, path, reading=otter.Reading(sheet="Dta"))
    write("plan.yaml", "data: {file: two.xlsx, sheet: Data}\ncodebook: book.yaml\ntables: [region]\n")
    assert "sheet Data" in otter.run(tmp_path / "plan.yaml").provenance


def test_an_encoding_that_is_guessed_is_told(write: Write, tmp_path: Path) -> None:
    (tmp_path / "latin.csv").write_bytes("a,b\n1,Süd\n".encode("cp1252"))
    book = write("book.yaml", "questions: {a: {kind: single, answers: {1: One}}, b: {kind: text}}")
    survey = otter.open_survey(book, tmp_path / "latin.csv")
    assert "read as cp1252" in str(survey.source)
    assert survey.responses.answers("b").texts.tolist() == ["Süd"]  # type: ignore[union-attr]
    told = otter.open_survey(book, tmp_path / "latin.csv", reading=otter.Reading(encoding="latin-1"))
    assert "read as" not in str(told.source)
    (tmp_path / "odd.csv").write_bytes(b"a,b\n1,\x81\n")
    with pytest.raises(
        otter.FileProblem, match=r"odd.csv: is not UTF-8 text \(line 2, byte 0x81\), and reads as"
    ):
        otter.open_survey(book, tmp_path / "odd.csv")


def test_frequencies_stand_for_people(small: Callable[..., otter.Survey], write: Write) -> None:
    book = "questions:\n  by: {kind: single, answers: {1: P, 2: Q}}\n  q: {kind: single, scale: true, answers: {1: No, 2: Yes}}\n  n: {kind: number, missing: [9]}\n"
    rows = {"by": [1, 1, 2, 2], "q": [1, 2, 1, np.nan], "n": [1, 9, 3, np.nan]}
    times = [3, 5, 0, 4]
    counted = small("frequency: times\n" + book, **rows, times=times).table("q", banner="by")
    plain = small(book, **{name: np.repeat(values, times) for name, values in rows.items()}).table(
        "q", banner="by"
    )
    for one, other in zip(counted.lines, plain.lines, strict=True):
        np.testing.assert_allclose(one.values, other.values)
        assert one.letters == other.letters
    assert counted.notes == plain.notes
    assert (
        "Left out of the base: 9 (missing code 9: 5; blank: 4)."
        in small("frequency: times\n" + book, **rows, times=times).table("n").notes
    )
    with pytest.raises(
        otter.DataError, match=r"must be a whole number from 0 up; it is not in 2 of 4 rows: row 1, row 2"
    ):
        small("frequency: times\n" + book, **rows, times=[1.5, -1, 1, 1]).table("q")


def test_a_large_file_is_read_in_parts_with_the_same_figures(
    write: Write, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from eager_otter.data import csv_file, files

    frame = pd.concat([FRAME] * 3000, ignore_index=True)
    frame["rid"] = range(len(frame))
    frame.to_csv(tmp_path / "d.csv", index=False)
    book = write("book.yaml", BOOK)
    whole = otter.open_survey(book, tmp_path / "d.csv")
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(csv_file, "BLOCK", 65_536)
    parts = otter.open_survey(book, tmp_path / "d.csv")
    for name in ("region", "tried", "age"):
        for one, other in zip(whole.table(name).lines, parts.table(name).lines, strict=True):
            np.testing.assert_array_equal(one.values, other.values)
    frame["age"] = frame["age"].astype(object)
    frame.loc[11_990, "age"] = "old"
    frame.to_csv(tmp_path / "d.csv", index=False)
    with pytest.raises(otter.DataError, match="'old' in row 11991"):
        otter.open_survey(book, tmp_path / "d.csv").table("age")


# --- triple-s -------------------------------------------------------------------------------------------

FIXED = """<?xml version="1.0"?>
<!DOCTYPE sss PUBLIC "-//triple-s//DTD Survey Interchange v1.1//EN" "sss_v11.dtd">
<sss version="1.1"><survey><title>Water &amp; more</title><record ident="A">
<variable ident="1" type="character" use="serial"><name>ID</name><label>Id</label><position start="1" finish="3"/><size>3</size></variable>
<variable ident="2" type="single"><name>Q1</name><label>Region</label><position start="4"/>
 <values><value code="1" score="10">North</value><value code="2" score="20">East</value><value code="9">Refused</value></values></variable>
<variable ident="3" type="multiple"><name>Q2</name><label>Tried</label><position start="5" finish="7"/>
 <values><value code="1">Tarn</value><value code="2">Brookfizz</value><value code="3">Quillwater</value></values></variable>
<variable ident="4" type="multiple"><name>Q3</name><label>Reasons</label><position start="8" finish="11"/>
 <spread subfields="2" width="2"/><values><value code="1">Taste</value><value code="12">Price</value></values></variable>
<variable ident="5" type="quantity"><name>Q4</name><label>Age</label><position start="12" finish="15"/><values><range from="0" to="99.9"/></values></variable>
<variable ident="6" type="logical"><name>Q5</name><label>Buys</label><position start="16"/></variable>
<variable ident="7" type="date"><name>Q6</name><label>Day</label><position start="17" finish="24"/></variable>
<variable ident="8" type="quantity" use="weight"><name>W</name><label>Weight</label><position start="25" finish="27"/></variable>
</record></survey></sss>"""
RECORDS = (
    "001"
    + "1"
    + "110"
    + "0112"
    + "20.5"
    + "1"
    + "20260301"
    + "1.5\n"
    + "002"
    + "2"
    + "000"
    + "12  "
    + "  40"
    + "0"
    + "20260302"
    + "0.5\n"
    + "003"
    + " "
    + "   "
    + "    "
    + "    "
    + " "
    + "        "
    + "1.0\n"
)


def test_a_fixed_width_triple_s_survey_brings_its_codebook(write: Write, tmp_path: Path) -> None:
    from eager_otter.drafting.drafting import draft, write_draft

    write("water.xml", FIXED)
    (tmp_path / "water.asc").write_text(RECORDS, encoding="utf-8")
    write_draft(draft(tmp_path / "water.xml"), tmp_path)
    survey = otter.open_survey(tmp_path / "codebook.yaml", tmp_path / "water.xml")
    assert survey.codebook.title == "Water & more" and survey.weight == "W"
    assert survey.codebook.question("Q1").answers[2].missing
    counts = {name: survey.table(name, figures=["unweighted count"]) for name in ("Q1", "Q2", "Q3", "Q5")}
    assert [t.frame("unweighted count")[("", "Total")].tolist() for t in counts.values()] == [
        [1, 1],
        [1, 1, 0],
        [1, 2],
        [1, 1],
    ]
    assert counts["Q2"].lines[0].values[0] == 2 and survey.table("Q4").value(
        "Mean", "Total"
    ) == pytest.approx(25.375)
    assert survey.responses.chosen_by("Q6 == '2026-03-02'").tolist() == [False, True, False]


def test_codes_among_the_numbers_of_a_quantity_are_no_numbers(write: Write, tmp_path: Path) -> None:
    """A number of which the definition says that it is no answer is missing; one with another meaning is asked for."""
    special = (
        '<value code="40">Do not know</value><value code="20.5">About twenty</value><value code="7">7</value>'
    )
    write("water.xml", FIXED.replace('<range from="0" to="99.9"/>', f'<range from="0" to="99.9"/>{special}'))
    (tmp_path / "water.asc").write_text(RECORDS, encoding="utf-8")
    drafted = otter.draft(tmp_path / "water.xml")
    (guess,) = (guess for guess in drafted.guesses if guess.name == "Q4")
    assert guess.doubts == ("20.5 is 'About twenty': no answer? then write missing: [20.5]",)
    survey = otter.open_survey(otter.codebook_from_text(drafted.codebook), tmp_path / "water.xml")
    assert survey.table("Q4").value("Mean", "Total") == 20.5
    with pytest.warns(otter.Hint, match="in: Q5"):
        otter.export(survey, tmp_path / "again.xml")
    again = otter.codebook_from_text(otter.draft(tmp_path / "again.xml").codebook)
    assert again.question("Q4").missing.codes == ("40",)
    assert otter.open_survey(again, tmp_path / "again.xml").table("Q4").value("Mean", "Total") == 20.5


def test_an_answer_of_a_definition_that_may_be_none_is_asked_for(write: Write, tmp_path: Path) -> None:
    write(
        "water.xml", FIXED.replace('<value code="12">Price</value>', '<value code="12">Do not know</value>')
    )
    (tmp_path / "water.asc").write_text(RECORDS, encoding="utf-8")
    drafted = otter.draft(tmp_path / "water.xml")
    (guess,) = (guess for guess in drafted.guesses if guess.name == "Q3")
    assert guess.doubts == ("is 12 no answer? then add missing: true",)
    book = otter.codebook_from_text(drafted.codebook)
    assert [answer.missing for answer in book.question("Q3").answers] == [False, False]
    assert [answer.missing for answer in book.question("Q1").answers] == [False, False, True]  # Refused
    assert "check: {label: Do not know, missing: true}" in drafted.codebook


def test_an_export_tells_what_the_standard_has_no_place_for(write: Write, tmp_path: Path) -> None:
    book = otter.codebook_from_text(
        "questions:\n"
        "  a: {section: One, kind: single, answers: {1: Yes, 2: No, 8: {label: Other, missing: true}}}\n"
        "  n: {kind: number, missing: [99, '= <1', '200..300']}\n"
    )
    survey = otter.open_survey(book, write("d.csv", "a,n\n1,4\n8,99\n2,<1\n,250\n,201\n"))
    with pytest.warns(otter.Hint) as told:
        otter.export(survey, tmp_path / "out.xml")
    assert [str(one.message) for one in told] == [
        "triple-s has no place for answers that are missing (a); the standard ddi keeps them.",
        "triple-s has no place for missing codes of dates, or that are words (n); the standard ddi keeps them.",
        "triple-s has no place for sections (a); the standard ddi keeps them.",
        "Values that are missing by a range were written blank (n: 2).",
    ]
    assert (tmp_path / "out.csv").read_text(encoding="utf-8-sig").splitlines() == [
        "a,n",
        "1,4",
        "8,99",
        "2,",
        ",",
        ",",
    ]
    with pytest.warns(otter.Hint, match=r"^Values that are missing by a range"):
        otter.export(survey, tmp_path / "codes.csv")
    assert "2,<1" in (tmp_path / "codes.csv").read_text(encoding="utf-8-sig")


@given(st.integers(0, 10_000))
@pytest.mark.slow
def test_what_is_written_as_triple_s_is_read_back_equal(
    tmp_path_factory: pytest.TempPathFactory, seed: int
) -> None:
    from eager_otter.drafting.drafting import draft, write_draft

    rng = np.random.default_rng(seed)
    odd = ["A & B", "<i>", 'say "x"', "Łódź 東京", "a, b; c", "  tab\t", "=1+1", "#no: yes"]
    labels = {code: str(rng.choice(odd)) + str(code) for code in range(1, 5)}
    folder = tmp_path_factory.mktemp("round")
    frame = pd.DataFrame(
        {
            "s": rng.choice([1, 2, 3, 4, np.nan], 30),
            **{
                f"m_{k}": np.where(np.arange(30) % 7 == 0, np.nan, rng.integers(0, 2, 30))
                for k in range(1, 5)
            },
            "x": np.where(rng.random(30) < 0.2, np.nan, rng.normal(0, 1e3, 30).round(3)),
            "t": [str(rng.choice(["", "'", "a,b", 'é"', "None"])) for _ in range(30)],
        }
    )
    entries = ", ".join(f"{code}: {json.dumps(label)}" for code, label in labels.items())
    columns = ", ".join(f"m_{code}: {json.dumps(label)}" for code, label in labels.items())
    book = otter.codebook_from_text(
        f"questions:\n  s: {{kind: single, answers: {{{entries}}}}}\n  m: {{kind: multi, columns: {{{columns}}}}}\n"
        "  x: {kind: number}\n  t: {kind: text}\n"
    )
    survey = otter.open_survey(book, frame)
    export_survey(survey, folder / "out.xml")
    write_draft(draft(folder / "out.xml"), folder)
    back = otter.open_survey(folder / "codebook.yaml", folder / "out.xml")
    for name in ("s", "m"):
        one, other = (s.table(name, figures=["count"]).frame("count") for s in (survey, back))
        assert [" ".join(label.split()) for label in one.index] == list(other.index)
        assert one.to_numpy().tolist() == other.to_numpy().tolist()
    np.testing.assert_array_equal(survey.responses.answers("x").values, back.responses.answers("x").values)  # type: ignore[union-attr]
    texts = [[str(text).strip() for text in s.responses.answers("t").texts] for s in (survey, back)]  # type: ignore[union-attr]
    assert texts[0] == texts[1]


def test_a_csv_export_holds_codes_or_labels_and_only_those_counted(
    survey: otter.Survey, tmp_path: Path
) -> None:
    export_survey(survey.filtered("age >= 60"), tmp_path / "codes.csv")
    export_survey(survey.filtered("age >= 60"), tmp_path / "labels.csv", labels=True)
    codes, labels = (
        pd.read_csv(tmp_path / f"{n}.csv", keep_default_na=False, dtype=str) for n in ("codes", "labels")
    )
    assert len(codes) == len(labels) == int(survey.responses.chosen_by("age >= 60").sum())
    assert set(codes["region"]) == {"1", "2", "3", "4"} and set(labels["region"]) == {
        "North",
        "East",
        "South",
        "West",
    }
    assert set(labels["heard_of_1"]) == {"Tarn", ""} and set(codes["age_band"]) == {"55+"}


@pytest.mark.parametrize(
    ("name", "content", "message"),
    [
        ("bomb.xml", b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a "aaaa">]><sss>&a;</sss>', "declares entities"),
        ("outside.xml", b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><sss>&a;</sss>', "declares entities"),
        ("torn.xml", b"<sss><survey>", "is not XML"),
        ("other.xml", b"<html></html>", "is not a triple-s definition"),
        ("zip.xlsx", b"PK\x03\x04 not a zip", "is not a workbook"),
        ("text.parquet", b"hello", "cannot be read as Parquet"),
        ("torn.json", b'[{"a": 1}', "is not JSON"),
        ("object.json", b'{"a": 1}', "a list of records was expected"),
        ("deep.json", b"[" * 200_000, "is not JSON"),
        ("binary.csv", bytes(range(256)) * 10, "is not a text file"),
        ("wide.csv", ",".join(f"c{k}" for k in range(1_000_000)).encode() + b"\n1\n", "1,000,000 columns; at most 100,000 are read"),
        ("huge.csv", b"a,b\n1,\"" + b"x" * (18 << 20), "a row is longer than 8 MB, or a quote is not closed"),
        ("data.docx", b"x", "no data file ends in '.docx'"),
    ],
)  # fmt: skip
def test_hostile_files_end_in_a_clear_error(tmp_path: Path, name: str, content: bytes, message: str) -> None:
    (tmp_path / name).write_bytes(content)
    with pytest.raises(otter.OtterError, match=message):
        open_data(tmp_path / name).read(["a"])


def test_a_workbook_that_unpacks_beyond_reason_is_refused(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "bomb.xlsx", "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b"0" * 60_000_000)
    with pytest.raises(
        otter.FileProblem, match=r"a part of it unpacks to 60 MB, far more than such a file holds"
    ):
        open_data(tmp_path / "bomb.xlsx")


def test_a_definition_without_its_data_is_told(write: Write) -> None:
    with pytest.raises(
        otter.FileProblem, match=r"its data are not beside it; looked for alone.csv, alone.asc"
    ):
        read_definition(write("alone.xml", FIXED))


def test_numbers_of_json_keep_their_digits_and_look_as_in_other_files(tmp_path: Path) -> None:
    path = tmp_path / "data.json"
    path.write_text(
        '[{"a": 1, "b": -0, "c": 1.0, "d": 1e2, "e": 12345678901234567, "f": -2.50, "g": 1e400, "h": true, "i": null, "j": ""}]',
        encoding="utf-8",
    )
    file = open_data(path)
    assert list(file.read(list(file.names)).to_pylist()[0].values()) == [
        *("1", "0", "1", "100", "12345678901234567", "-2.5", "1e400", "1"),
        None,
        None,
    ]


@pytest.mark.parametrize(("first", "then"), [("d.xml", "d.json"), ("d.json", "d.xml"), ("d.xml", "d.csv"), ("d.json", "d.csv")])  # fmt: skip
def test_the_data_of_one_description_are_not_replaced_by_those_of_another(
    tmp_path: Path, first: str, then: str
) -> None:
    """Else the first would describe others: ticks in one column each, where it says that they are in one."""
    survey = otter.open_survey(otter.codebook_from_text(BOOK), FRAME)
    otter.export(survey, tmp_path / first)
    before = {path.name: path.read_bytes() for path in tmp_path.iterdir()}
    with pytest.raises(otter.FileProblem, match=rf"d\.csv: is the data of {first}"):
        otter.export(survey, tmp_path / then)
    assert {path.name: path.read_bytes() for path in tmp_path.iterdir()} == before
    assert otter.export(survey, tmp_path / then, force=True)
