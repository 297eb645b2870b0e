"""Headings as they are exported: repeated, blank, in two rows; a row of headings that is no respondent."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.data.headings import looks_like_headings, told_apart
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


def test_a_second_row_that_is_not_there(tmp_path: Path) -> None:
    path = written(tmp_path, [CODES], "csv")
    with pytest.raises(otter.DataError, match="has no second row of headings"):
        open_data(path, Reading(heading_rows=2))
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
    assert not looks_like_headings([[f"q{k}" for k in range(columns)], *drawn])
