"""Headings as they are exported: repeated, blank, in two or three rows; rows of headings that are no respondents."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
import openpyxl
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.data import files
from eager_otter.data.headings import heading_rows_of, told_apart
from eager_otter.data.opening import Reading, open_data

PEOPLE = [
    [str(100 + k), "Woman" if k % 2 else "Man", "Tarn" if k % 3 else "", str(20 + k)] for k in range(30)
]
CODES = ["rid", "q1", "q2_1", "q3"]
TEXTS = ["", "What is your gender?", "Which do you know? - Tarn", "How old are you?"]
MERGED = (
    ["rid", "1. Gender", "2. Which do you know?", "", "3. Age"],
    ["", "Response", "Tarn", "Birk", "Response"],
)


def written(folder: Path, rows: Sequence[Sequence[str]], ending: str, above: str = "") -> Path:
    path = folder / f"export.{ending}"
    if ending == "csv":
        text = "\n".join(",".join(f'"{cell}"' if " " in cell else cell for cell in row) for row in rows)
        path.write_text(above + text + "\n", encoding="utf-8")
    else:
        book = openpyxl.Workbook()
        for row in rows:
            book.active.append([cell or None for cell in row])
        book.save(path)
    return path


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_two_rows_of_headings(tmp_path: Path, ending: str) -> None:
    path = written(tmp_path, [CODES, TEXTS, *PEOPLE], ending)
    file = open_data(path, Reading(heading_rows=2))
    assert list(file.names) == CODES
    table = file.read(["rid", "q1", "q3"])
    assert table.num_rows == 30 and table.column("rid").to_pylist() == [row[0] for row in PEOPLE]
    merged = written(tmp_path, [*MERGED, *([*row, "x"] for row in PEOPLE)], ending)
    names = open_data(merged, Reading(heading_rows=2)).names
    assert list(names) == [
        "rid", "1. Gender - Response", "2. Which do you know? - Tarn", "2. Which do you know? - Birk", "3. Age - Response",
    ]  # fmt: skip


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
def test_a_row_of_headings_that_became_a_respondent_is_told(tmp_path: Path, ending: str) -> None:
    path = written(tmp_path, [CODES, TEXTS, *PEOPLE], ending)
    (remark,) = open_data(path).remarks(31)
    assert remark.slip == "heading counted as a respondent" and remark.severe
    assert "heading rows: 2" in remark.remedy
    assert not list(open_data(path, Reading(heading_rows=2)).remarks(30))
    assert not list(open_data(path, Reading(heading_rows=1)).remarks(31))  # somebody said that it is none
    clean = written(tmp_path, [CODES, *PEOPLE], ending)
    assert not list(open_data(clean).remarks(30))


def test_a_draft_reads_two_rows_of_headings_and_says_so_in_its_plan(tmp_path: Path) -> None:
    path = written(tmp_path, [CODES, TEXTS, *PEOPLE], "csv")
    drafted = otter.draft(path)
    drafted.save(tmp_path)
    assert "data: {file: export.csv, heading rows: 2}" in drafted.plan
    report = otter.run(tmp_path / "plan.yaml")
    assert report.table("q1").people == 30
    assert report.plan is not None and report.plan.codebook.question("q1").text == "What is your gender?"
    again = otter.run(otter.read_plan(tmp_path / "plan.yaml").save(tmp_path / "again.yaml"))
    assert again.table("q1").people == 30


FOR_PROGRAMS = [f'{{"id":{k}}}' for k in range(4)]
QUOTED = [f'"{{""id"":{k}}}"' for k in range(4)]  # as they stand in CSV


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
@pytest.mark.parametrize("place", [1, 2], ids=["second", "third"])
@pytest.mark.parametrize("texts", [[TEXTS], []], ids=["with texts", "names alone"])
def test_a_row_for_programs_is_one_of_headings(
    tmp_path: Path, ending: str, place: int, texts: list[list[str]]
) -> None:
    above = [CODES, *texts]
    above.insert(min(place, len(above)), QUOTED if ending == "csv" else FOR_PROGRAMS)
    path = written(tmp_path, [*above, *PEOPLE], ending)
    opened = open_data(path)
    (remark,) = opened.remarks(30 + len(above) - 1)
    assert remark.count == len(above) - 1 and remark.severe
    assert f"heading rows: {len(above)}" in remark.remedy
    file = open_data(path, Reading(heading_rows=len(above)))
    assert list(file.names) == CODES and not list(file.remarks(30))
    assert file.read(["rid"]).column("rid").to_pylist() == [row[0] for row in PEOPLE]
    drafted = otter.draft(path)
    assert f"heading rows: {len(above)}" in drafted.plan
    if texts:
        assert otter.codebook_from_text(drafted.codebook).question("q1").text == "What is your gender?"


def test_a_row_for_programs_below_the_headings_that_were_named_is_told(tmp_path: Path) -> None:
    path = written(tmp_path, [CODES, TEXTS, QUOTED, *PEOPLE], "csv")
    (remark,) = open_data(path, Reading(heading_rows=2)).remarks(31)
    assert remark.said().startswith(
        "1 row at the top of the data looks like headings, and is counted as a respondent."
    )
    assert "heading rows: 3" in remark.remedy


def test_headings_with_line_breaks_are_read_in_three_rows(tmp_path: Path) -> None:
    texts = ["", '"What is\nyour gender?"', '"Which do you know?\n\n- Tarn"', '"How old\r\nare you?"']
    path = tmp_path / "export.csv"
    rows = [CODES, texts, QUOTED, *PEOPLE]
    path.write_text("\r\n".join(",".join(row) for row in rows) + "\r\n", encoding="utf-8", newline="")
    otter.draft(path).save(tmp_path)
    report = otter.run(tmp_path / "plan.yaml")
    assert report.table("q1").people == 30
    assert report.plan is not None and report.plan.codebook.question("q1").text == "What is your gender?"


THREE = (
    ["rid", "Q1", "", "", "Q2", "", "Q3", "Q4"],
    ["", "How fresh?", "", "", "How often?", "", "Anything else?", ""],
    ["", "Tarn", "Birk", "Fjell", "At home", "At work", "", "Gender"],
)


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
@pytest.mark.parametrize("names", [None, ["rid", *(f"v{k}" for k in range(7))]], ids=["merged", "with names"])
def test_three_rows_of_headings(tmp_path: Path, ending: str, names: list[str] | None) -> None:
    rng = np.random.default_rng(3)
    people = [
        [f"p{k}", *map(str, rng.integers(1, 6, 5)), "no" if k % 2 else "yes", "m" if k % 3 else "w"]
        for k in range(60)
    ]
    path = written(tmp_path, [names or THREE[0], *THREE[1:], *people], ending)
    assert [
        one.count for one in open_data(path).remarks(62) if one.slip == "heading counted as a respondent"
    ] == [2]
    otter.draft(path).save(tmp_path)
    report = otter.run(tmp_path / "plan.yaml")
    assert report.plan is not None and report.plan.reading is not None
    assert report.plan.reading.heading_rows == 3 and report.source.rows == 60
    book = report.plan.codebook
    items = [(*question.text.split(" – "), question.label) for question in book if question.grid]
    assert items == [
        ("How fresh?", "Tarn", "Tarn"), ("How fresh?", "Birk", "Birk"), ("How fresh?", "Fjell", "Fjell"),
        ("How often?", "At home", "At home"), ("How often?", "At work", "At work"),
    ]  # fmt: skip
    assert [question.text for question in book if not question.grid] == [
        "Anything else?",
        "Gender",
    ]


def test_a_word_below_many_headings_tells_nothing(tmp_path: Path) -> None:
    heads = (
        ["id", "Gender?", "Region?", "", "Wave?", "Best thing?"],
        ["", "Response", "Response", "Other (please specify)", "Response", "Open answer"],
    )
    people = [
        [str(k), "wm"[k % 2], "NSE"[k % 3], "" if k % 9 else "abroad", "12"[k % 2], "x"] for k in range(60)
    ]
    book = otter.codebook_from_text(otter.draft(written(tmp_path, [*heads, *people], "csv")).codebook)
    assert [question.text for question in book] == [
        "Gender?", "Region?", "Region? - Other (please specify)", "Wave?", "Best thing? - Open answer",
    ]  # fmt: skip


TITLES = {
    "a line": [["Export of spring"]],
    "lines and a blank": [["Export of spring"], ["made on Monday"], []],
    "cells": [["Export of spring", "", "", ""], ["", "", "", ""]],
    "blanks first": [[], [], ["Export of spring"]],
}


@pytest.mark.parametrize("ending", ["csv", "xlsx"])
@pytest.mark.parametrize("title", TITLES)
@pytest.mark.parametrize("heads", [[CODES], [CODES, TEXTS]], ids=["names", "names and texts"])
def test_headings_below_a_title(tmp_path: Path, ending: str, title: str, heads: list[list[str]]) -> None:
    path = written(tmp_path, [*TITLES[title], *heads, *PEOPLE], ending)
    opened = open_data(path)
    (remark,) = [one for one in opened.remarks(40) if one.slip == "title read as headings"]
    row = len(TITLES[title]) + 1
    assert remark.severe and f"row {row}," in remark.said() and f"headings from row: {row} " in remark.remedy
    drafted = otter.draft(path)
    assert f"headings from row: {row}" in drafted.plan
    drafted.save(tmp_path)
    report = otter.run(tmp_path / "plan.yaml")
    assert report.source.rows == report.table("q1").people == 30
    file = open_data(path, report.plan.reading if report.plan else None)
    assert list(file.names) == CODES and not list(file.remarks(30))
    with pytest.raises(
        otter.DataError, match=rf"The headings seem to stand in row {row}\. Write headings from row: {row} "
    ):
        otter.open_survey(tmp_path / "codebook.yaml", path)


def test_a_title_with_another_sign_between_cells_than_the_file(tmp_path: Path) -> None:
    path = tmp_path / "export.csv"
    rows = [";".join(row) for row in (CODES, *PEOPLE)]
    path.write_text("\n".join(["Spring, all of it", "", *rows]) + "\n", encoding="utf-8")
    otter.draft(path).save(tmp_path)
    assert otter.run(tmp_path / "plan.yaml").table("q1").people == 30


@pytest.mark.parametrize("title", TITLES)
@pytest.mark.parametrize("texts", [[], [TEXTS], [TEXTS, QUOTED], [["", '"Your\ngender?"', "Known?", ""]]])
def test_long_files_are_read_from_below_title_and_headings(
    tmp_path: Path, title: str, texts: list[list[str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    path = written(tmp_path, [*TITLES[title], CODES, *texts, *PEOPLE], "csv")
    reading = Reading(headings_from_row=len(TITLES[title]) + 1, heading_rows=(1, 2, 3)[len(texts)])  # type: ignore[arg-type]
    whole = open_data(path, reading).read(CODES)
    monkeypatch.setattr(files, "IN_PARTS_FROM", 0)
    file = open_data(path, reading)
    assert isinstance(file, files.FileInARow)
    assert pa.concat_tables(file.in_a_row(CODES)).to_pylist() == whole.to_pylist()
    assert whole.column("rid").to_pylist() == [row[0] for row in PEOPLE]
    assert not list(file.remarks(30))


def test_first_rows_that_are_no_title(tmp_path: Path) -> None:
    for above in (
        [["id", "", "", ""]],
        [["", "Group", "", ""]],
        [["one", "two", "", ""]],
        [["1", "2", "3", "4"]],
    ):
        path = written(tmp_path, [*above, ["5", "6", "7", "8"], *PEOPLE], "csv")
        assert not [one for one in open_data(path).remarks(31) if one.slip == "title read as headings"], above
    blank = written(tmp_path, [CODES, *PEOPLE], "csv", above="\n\n")
    assert not [one for one in open_data(blank).remarks(30) if one.slip == "title read as headings"]
    merged = written(tmp_path, [*MERGED, *([*row, "x"] for row in PEOPLE)], "csv")
    assert not [one for one in open_data(merged).remarks(31) if one.slip == "title read as headings"]


def test_rows_of_headings_that_cannot_be(tmp_path: Path) -> None:
    for ending in ("csv", "xlsx"):
        path = written(tmp_path, [CODES, *PEOPLE[:2]], ending)
        with pytest.raises(otter.DataError, match="has nothing from row 9 on, where headings were expected"):
            open_data(path, Reading(headings_from_row=9))
    with pytest.raises(otter.RequestError, match="expected a row from 1 to 100; found the number 0"):
        Reading(headings_from_row=0)


@pytest.mark.parametrize(("rows", "which"), [(1, "second"), (2, "third")])
def test_a_row_of_headings_that_is_not_there(tmp_path: Path, rows: int, which: str) -> None:
    path = written(tmp_path, [CODES, TEXTS][:rows], "csv")
    with pytest.raises(otter.DataError, match=f"has no {which} row of headings"):
        open_data(path, Reading(heading_rows=3))


@pytest.mark.parametrize("above", ["", "\n", "\n\n"])
def test_columns_with_the_same_heading_are_told_apart_and_told(tmp_path: Path, above: str) -> None:
    rows = [
        ["age", "Heard of", "Heard of", "", "Heard of"],
        ["31", "Tarn", "", "a", ""],
        ["42", "", "Birk", "", "Fjell"],
    ]
    path = written(tmp_path, rows, "csv", above)
    file = open_data(path)
    assert list(file.names) == ["age", "Heard of", "Heard of (2)", "column 4", "Heard of (3)"]
    table = file.read(list(file.names))
    assert table.num_rows == 2 and table.column("Heard of (2)").to_pylist() == ["", "Birk"]
    assert table.column("Heard of (3)").to_pylist() == ["", "Fjell"]
    (remark,) = [one for one in file.remarks(2) if one.slip == "heading stands twice"]
    assert remark.count == 3 and "Heard of (2)" in remark.said() and not remark.of_tables


@pytest.mark.parametrize("heads", [[CODES], [CODES, TEXTS]], ids=["names", "names and texts"])
def test_a_delimiter_at_the_end_of_each_line_is_no_column_to_ask_about(
    tmp_path: Path, heads: list[list[str]]
) -> None:
    rows = [[*row, "", ""] for row in (*heads, *PEOPLE)]
    reading = Reading(heading_rows=len(heads))  # type: ignore[arg-type]
    file = open_data(written(tmp_path, rows, "csv"), reading)
    assert not list(file.remarks(30)) and len(file.names) >= 4
    assert file.read(CODES).column("rid").to_pylist() == [row[0] for row in PEOPLE]
    rows[9][-1] = "something"
    file = open_data(written(tmp_path, rows, "csv"), reading)
    assert [one.slip for one in file.remarks(30)] == ["heading stands twice"]


def test_heading_rows_would_do_nothing_for_parquet(tmp_path: Path) -> None:
    data = tmp_path / "d.parquet"
    data.write_bytes(b"")
    with pytest.raises(otter.RequestError, match="heading rows would do nothing"):
        open_data(data, Reading(heading_rows=2))


@given(st.lists(st.sampled_from(["", "a", "b", "a (2)", "column 1", "column 2"]), min_size=1, max_size=9))
def test_all_columns_get_a_name_of_their_own(headings: list[str]) -> None:
    names, repeated = told_apart(headings)
    assert len(set(names)) == len(names) and all(names)
    first = {heading: k for k, heading in reversed(list(enumerate(headings))) if heading}
    assert all(names[k] == heading for heading, k in first.items())  # the first of each keeps its heading
    assert [name for name in names if name in repeated] == repeated


@given(st.integers(2, 6), st.integers(8, 40), st.data())
def test_respondents_are_not_taken_for_headings(columns: int, people: int, data: st.DataObject) -> None:
    cells = st.sampled_from(["1", "2", "3", "Yes", "No", "", "7.5"])
    rows = [[data.draw(cells) for _ in range(columns)] for _ in range(3)]
    drawn = [rows[k % 3] for k in range(people)]
    assert heading_rows_of([[f"q{k}" for k in range(columns)], *drawn]) == 1


LATER_ROWS = "\n".join(
    f"{k},{'MF'[k % 2]},{18 + k * 7 % 60},{['North', 'South'][k % 3 > 0]},{k % 5 + 1}" for k in range(2, 60)
)


@pytest.mark.parametrize("kind", ["csv", "xlsx"])
def test_data_without_a_row_of_names_are_told(tmp_path: Path, kind: str) -> None:
    path = tmp_path / f"d.{kind}"
    rows = [line.split(",") for line in f"1,M,44,North,3\n{LATER_ROWS}".splitlines()]
    if kind == "csv":
        path.write_text("\n".join(map(",".join, rows)) + "\n")
    else:
        book = openpyxl.Workbook()
        for row in rows:
            book.active.append([int(cell) if cell.isdigit() else cell for cell in row])
        book.save(path)
    (slip,) = [one for one in otter.audit_data(path).slips if one.name == "respondent read as headings"]
    assert slip.severity == "error" and "'1', 'M', '44', 'North', '3'" in slip.message
    assert any("looks like a respondent who is not counted" in line for line in otter.draft(path).told)


@pytest.mark.parametrize(
    "head",
    [
        "id,sex,age,area,liking",
        "1,2,3,4,5",  # codes that name columns
        "id,M,44,North,liking",  # two of five are no answers
        "id,M,age,area,3",
    ],
)
def test_names_of_columns_are_no_respondent(tmp_path: Path, head: str) -> None:
    path = tmp_path / "d.csv"
    path.write_text(f"{head}\n{LATER_ROWS}\n")
    assert "respondent read as headings" not in {slip.name for slip in otter.audit_data(path).slips}


def test_few_rows_tell_nothing_of_their_headings(tmp_path: Path) -> None:
    path = tmp_path / "d.csv"
    path.write_text("5,3,1\n1,2,3\n4,4,4\n")
    assert otter.audit_data(path).slips == ()


@pytest.mark.parametrize(
    ("text", "told"),
    [
        (f"1,M,18,North,{{}}\n{LATER_ROWS}\n", True),  # numbers that ascend, but words as well
        ("1,2,3,4\n" + "1,0,1,0\n0,0,1,1\n" * 20, False),  # codes that name columns of ticks
        ("4,1,3,2\n" + "1,0,1,0\n3,2,1,4\n" * 20, True),
        (f"1,M,44,area,liking\n{LATER_ROWS}\n", False),
    ],
)
def test_numbers_above_numbers_may_be_codes(tmp_path: Path, text: str, told: bool) -> None:
    path = tmp_path / "d.csv"
    path.write_text(text.replace("{}", "77"))
    assert ("respondent read as headings" in {slip.name for slip in otter.audit_data(path).slips}) is told
