"""What is read: limits before memory, clear errors for whatever is broken, and nothing swallowed without a word."""

from __future__ import annotations

import io
import json
import random
import time
import zipfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.data.line_breaks import swallowed_rows
from eager_otter.data.opened import open_responses
from eager_otter.data.opening import Reading, open_data
from eager_otter.gates.encodings import not_western
from eager_otter.gates.numbers import number_of, whole_of
from eager_otter.gates.pictures import read_picture
from eager_otter.gates.reading import reading
from hostile.trials import BOOK, checked, data_text, limits, run_in, write_survey

HEAD = b'<worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData>'
FOOT = b"</sheetData></worksheet>"
NO_ID = BOOK.replace("respondent: rid\n", "")


def cell(place: str, text: str) -> bytes:
    return f'<c r="{place}" t="inlineStr"><is><t>{text}</t></is></c>'.encode()


def workbook(path: Path, rows: bytes, shared: bytes = b"") -> Path:
    """Write a workbook whose sheet holds just these rows."""
    held = io.BytesIO()
    book = openpyxl.Workbook()
    book.active.append(["a"])
    book.save(held)
    with zipfile.ZipFile(held) as old, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as new:
        for entry in old.infolist():
            content = old.read(entry)
            if entry.filename == "xl/worksheets/sheet1.xml":
                content = HEAD + rows + FOOT
            if entry.filename == "xl/sharedStrings.xml" and shared:
                content = shared
            new.writestr(entry.filename, content)
    return path


def told(path: Path, seconds: int = 10, memory: int = 1 << 30) -> str:
    """What is told of a file that cannot be read, within limits; "" where it can."""
    with limits(seconds, memory):
        try:
            file = open_data(path)
            file.read(list(file.names)[:5])
        except otter.OtterError as error:
            return str(error).replace(f"{path.parent}/", "")
    return ""


# --- limits ---------------------------------------------------------------------------------------------


def test_a_cell_in_the_last_corner_takes_no_memory(tmp_path: Path) -> None:
    rows = b'<row r="1">' + cell("A1", "x") + b'</row><row r="1048576">' + cell("XFD1048576", "1") + b"</row>"
    assert told(workbook(tmp_path / "corner.xlsx", rows)) == (
        "corner.xlsx, sheet 'Sheet': reaches over 1,048,576 rows and 16,384 columns, 17,179,869,184 cells; at most "
        "30,000,000 are read. Often a stray cell lies far out: delete the rows and columns behind your data, or save the "
        "sheet as CSV."
    )


def test_styled_cells_without_a_value_reach_nowhere(tmp_path: Path) -> None:
    rows = b'<row r="1">' + cell("A1", "x") + b'<c r="XFD1" s="0"/></row><row r="2">' + cell("A2", "1")
    rows += b'</row><row r="1048576"><c r="XFD1048576" s="0"/></row>'
    assert told(workbook(tmp_path / "styled.xlsx", rows)) == ""


@pytest.mark.slow
def test_a_stray_cell_in_the_last_row_is_read_in_seconds(tmp_path: Path) -> None:
    letters = "ABCDEFGHIJ"
    rows = b"".join(
        f'<row r="{k}">'.encode() + b"".join(cell(f"{c}{k}", f"{c}{k}") for c in letters) + b"</row>"
        for k in (1, 2)
    )
    rows += b'<row r="1048576">' + cell("A1048576", "9") + b"</row>"
    began = time.monotonic()
    file = open_data(workbook(tmp_path / "far.xlsx", rows))
    table = file.read(["A1", "J1"])
    assert table.num_rows == 1_048_575 and table.column("A1")[-1].as_py() == "9"
    assert time.monotonic() - began < 30


def test_cells_that_do_not_say_where_they_are_count_too(tmp_path: Path) -> None:
    row = b"<row>" + b"<c><v>1</v></c>" * 400 + b"</row>"
    path = workbook(tmp_path / "unnamed.xlsx", (b"<row>" + cell("A1", "x") + b"</row>") + row * 100)
    from eager_otter.data.sheet_cells import check_cells

    cells = check_cells(path, "Sheet")
    assert (cells.rows, cells.columns) == (101, 400)


@pytest.mark.slow
def test_one_long_text_in_every_cell_is_refused(tmp_path: Path) -> None:
    import xlsxwriter

    letters = bytes(random.Random(1).choices(b"abcdefghij", k=32_000)).decode()
    with xlsxwriter.Workbook(str(tmp_path / "long.xlsx")) as book:
        sheet = book.add_worksheet()
        for row in range(140_000):
            sheet.write_string(row, 0, letters)
    message = told(tmp_path / "long.xlsx", 30)
    assert "its texts take 4,481 MB, more than is read; save the sheet as CSV." in message
    with xlsxwriter.Workbook(str(tmp_path / "once.xlsx")) as book:
        sheet = book.add_worksheet()
        for row in range(140_000):
            sheet.write_string(row, 0, "short" if row else letters[:900])
        sheet.write_string(140_000, 0, letters)
    assert told(tmp_path / "once.xlsx", 30) == ""  # long once is not long everywhere


def test_sheets_of_ods_that_repeat_cells_without_end_are_refused(tmp_path: Path) -> None:
    frame = pd.DataFrame({"a": [1, 2], "b": [3, 4]})
    frame.to_excel(tmp_path / "t.ods", engine="odf", index=False)
    assert told(tmp_path / "t.ods") == ""
    for change, message in (
        (b'table:number-rows-repeated="1048000" table:number-columns-repeated="900"', ""),
        (b'office:value-type="float" office:value="1" table:number-columns-repeated="16000"', "reaches over"),
    ):
        with (
            zipfile.ZipFile(tmp_path / "t.ods") as old,
            zipfile.ZipFile(tmp_path / "u.ods", "w", zipfile.ZIP_DEFLATED) as new,
        ):
            for entry in old.infolist():
                content = old.read(entry)
                if entry.filename == "content.xml":
                    content = content.replace(
                        b"</table:table>",
                        b'<table:table-row table:number-rows-repeated="5000"><table:table-cell '
                        + change
                        + b"/></table:table-row></table:table>",
                    )
                new.writestr(entry.filename, content)
        assert message in told(tmp_path / "u.ods")


@pytest.mark.parametrize(
    ("name", "content", "message"),
    [
        ("deep.json", b"[" * 100_000, "deep.json: is not JSON ("),
        ("digits.json", b'[{"a": ' + b"9" * 5_000 + b"}]", ""),
        ("huge.json", b'[{"a": 1e999}]', ""),
        ("nan.json", b'[{"a": NaN}]', "NaN is not a value of JSON"),
        ("twice.json", b'[{"a": 1, "a": 2}]', "the name 'a' appears twice in an object"),
        ("columns.csv", b"," * 200_000 + b"\n", "columns; at most 100,000 are read"),
        ("alike.csv", b"a," * 60_000 + b"a\n" + b"1," * 60_000 + b"1\n", ""),
        ("long.csv", b'"' + b"x" * 50_000 + b'",b\n1,2\n', "a name of 50,000 characters"),
        ("cell.csv", b"a,b\n1," + b"x" * 9_000_000 + b"\n", ""),
        ("open.csv", b'a,b\n1,"' + b"x,y\n" * 300_000, ""),
        ("nul.csv", b"a,b\n1,\0\n", "is not a text file"),
        ("deep.yaml", b"[" * 100_000, ""),
        ("bomb.xml", b'<!DOCTYPE a [<!ENTITY b "c">]><sss>&b;</sss>', "declares entities"),
        ("deep.xml", b"<a>" * 200_000, "is not XML"),
    ],
)
def test_what_is_beyond_reason_is_told(tmp_path: Path, name: str, content: bytes, message: str) -> None:
    (tmp_path / name).write_bytes(content)
    if name.endswith(".yaml"):
        with limits(20, 1 << 30), pytest.raises(otter.OtterError, match=r"not valid YAML|nests or repeats"):
            otter.read_plan(tmp_path / name)
        return
    found = told(tmp_path / name)
    assert message in found and (found if message else not found)


def test_devices_pipes_and_folders_are_not_read(tmp_path: Path) -> None:
    import os

    os.mkfifo(tmp_path / "pipe.csv")
    (tmp_path / "folder.csv").mkdir()
    (tmp_path / "zero.csv").symlink_to("/dev/zero")
    for name, message in (
        ("pipe", "is not a file but a device or a pipe"),
        ("zero", "is not a file but a device"),
        ("folder", "is a folder"),
    ):
        for yaml in (
            "data: {file}\ncodebook: codebook.yaml\ntables: [liking]\n",
            "data: data.csv\ncodebook: {file}\ntables: [liking]\n",
        ):
            write_survey(tmp_path, plan=yaml.replace("{file}", f"{name}.csv"))
            found = run_in(tmp_path, "run", "-o", "t.md", seconds=20)
            assert found.code == 2 and message in found.err


def test_a_parquet_file_of_more_rows_than_memory_holds_is_refused(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from eager_otter.data import files

    pq.write_table(pa.table({"a": pa.array(np.ones(300_000, np.int8))}), tmp_path / "t.parquet")
    assert told(tmp_path / "t.parquet") == ""
    monkeypatch.setattr(files, "memory", lambda: 500_000)
    assert "holds 300,000 answers, more than this machine's memory" in told(tmp_path / "t.parquet")


def test_a_large_parquet_file_is_read_in_parts_with_the_same_figures(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    from eager_otter.data import files

    write_survey(tmp_path, data=data_text(500))
    pd.read_csv(tmp_path / "data.csv").to_parquet(tmp_path / "data.parquet")
    book = otter.read_codebook(tmp_path / "codebook.yaml")
    whole = (
        otter.open_survey(book, tmp_path / "data.parquet")
        .table("liking", banner="area")
        .frame("column percent")
    )
    monkeypatch.setattr(files, "PART_ROWS", 64)
    parts = (
        otter.open_survey(book, tmp_path / "data.parquet")
        .table("liking", banner="area")
        .frame("column percent")
    )
    pd.testing.assert_frame_equal(whole, parts)


@pytest.mark.parametrize(
    ("values", "shown"),
    [
        (pa.array(["x", "y"]).dictionary_encode(), ["x", "y"]),
        (pa.array([1, 2], pa.decimal128(10, 2)), ["1.00", "2.00"]),
        (pa.array([True, None]), None),
        (pa.array([np.float16(1.5), None], pa.float16()), None),
        (pa.array(["a", "b"], pa.large_string()), ["a", "b"]),
        (pa.array([None, None], pa.null()), [None, None]),
        (pa.array([20_000, 1], pa.date32()), ["2024-10-04", "1970-01-02"]),
        (pa.array([b"a", b"b"]), "values of the type binary"),
        (pa.array([[2, 1], []]), ["2;1", None]),
        (pa.array([[[1]], [[2]]]), "values of the type list"),
        (pa.array([3_600, 1], pa.time32("s")), ["01:00:00", "00:00:01"]),
        (pa.array([1, 2], pa.duration("s")), "values of the type duration"),
    ],
)
def test_every_type_of_a_parquet_column_is_read_or_refused(
    tmp_path: Path, values: pa.Array, shown: object
) -> None:
    pq.write_table(pa.table({"a": values}), tmp_path / "t.parquet")
    if isinstance(shown, str):
        assert f"column 'a' holds {shown}" in told(tmp_path / "t.parquet")
        return
    table = open_data(tmp_path / "t.parquet").read(["a"])
    assert shown is None or table.column("a").to_pylist() == shown
    book = otter.codebook_from_text("questions: {a: {kind: text}}")
    assert len(open_responses(book, tmp_path / "t.parquet").answers("a")) == 2


# --- numbers --------------------------------------------------------------------------------------------


@given(st.text(max_size=30) | st.from_regex(r"[-+]?\d*\.?\d*([eE][-+]?\d+)?", fullmatch=True))
@pytest.mark.slow
def test_numbers_are_what_the_language_says_and_can_be_counted_with(text: str) -> None:
    number = number_of(text)
    if number is None:
        return
    assert text.isascii() and float(text) == number and abs(number) <= 1e150 and np.isfinite(number**2)


@given(st.text(max_size=20) | st.integers().map(str))
def test_whole_numbers_are_of_few_ascii_digits(text: str) -> None:
    number = whole_of(text)
    assert (number is None) == (
        not (
            text.removeprefix("-").isascii()
            and text.removeprefix("-").isdigit()
            and len(text.removeprefix("-")) <= 15
        )
    )
    assert number is None or number == int(text)


@pytest.mark.parametrize(
    "value", ["six", "²", "9" * 400, "1e308", "1e151", "-1e200", "inf", "nan", "1_000", "٣", "0x10"]
)
@pytest.mark.parametrize("column", ["glasses", "wt"])
def test_values_that_cannot_be_counted_with_are_named_with_their_rows(
    tmp_path: Path, value: str, column: str
) -> None:
    lines = data_text().splitlines()
    place = lines[0].split(",").index(column)
    cells = lines[7].split(",")
    cells[place] = value
    lines[7] = ",".join(cells)
    write_survey(tmp_path, data="\n".join(lines) + "\n")
    found = checked(tmp_path, ["run"], may_write=False)
    assert (
        found.code == 2 and f"Column '{column}' should hold numbers" in found.err and "in row 7" in found.err
    )


def test_a_weight_too_small_to_square_is_refused(tmp_path: Path) -> None:
    write_survey(tmp_path, data=data_text().replace("\n5,3,", "\n5,1e-200,"))
    found = checked(tmp_path, ["run"], may_write=False)
    assert found.code == 2 and "is not 0 but below 1e-150 in 1 of 60 rows" in found.err


@pytest.mark.parametrize("text", ["score: 1e999", "score: " + "9" * 500, "score: six"])
def test_numbers_in_a_codebook_beyond_reason_are_mistakes(tmp_path: Path, text: str) -> None:
    book = BOOK.replace("1: Poor,", f"1: {{label: Poor, {text}}},")
    found = checked(write_survey(tmp_path, codebook=book), ["run"], may_write=False)
    assert found.code == 2 and "codebook.yaml:6:" in found.err


# --- what is not plausible ------------------------------------------------------------------------------


def test_an_unclosed_quote_is_told_with_its_line_everywhere(tmp_path: Path) -> None:
    text = data_text().replace("\n6,1,1,1,0,0,6,fresh", '\n6,1,1,1,0,0,6,"fresh')
    text = text.replace("\n57,1,2,1,1,0,1,fresh", '\n57,1,2,1,1,0,1,fresh"')
    write_survey(tmp_path, data=text)
    sentence = "51 lines of the data look like rows but stand within quotes (line 7) and are not counted."
    found = run_in(tmp_path, "run", "-o", "t.md", "-o", "t.json")
    assert found.code == 0 and f"Note: {sentence}" in found.err and "audit: 1 error" in found.err
    assert (tmp_path / "t.md").read_text(encoding="utf-8").count(
        sentence.replace("(", "(")
    ) >= 3  # tables and method
    assert sentence in json.loads((tmp_path / "t.json").read_text(encoding="utf-8"))["tables"][0]["notes"]
    found = run_in(tmp_path, "audit")
    assert found.code == 1 and "quote not closed" in found.out and "line 7" in found.out
    for command in (
        ["look", "liking"],
        ["findings"],
        ["export", "e.csv"],
        ["explain", "liking", "Good", "North"],
    ):
        assert sentence in run_in(tmp_path, *command).err
    assert run_in(tmp_path, "run", "--strict").code == 1


@given(st.integers(5, 9), st.integers(2, 30), st.data())
def test_swallowed_rows_are_found_wherever_the_quote_opens(
    columns: int, rows: int, data: st.DataObject
) -> None:
    lines = [",".join(f"{k}{c}" for c in range(columns)) + "\n" for k in range(rows)]
    first = data.draw(st.integers(0, rows - 2))
    last = data.draw(st.integers(first + 1, rows - 1))
    place = data.draw(st.integers(1, columns - 1))
    parts = lines[first].split(",")
    parts[place] = '"' + parts[place]
    spoiled = [*lines[:first], ",".join(parts), *lines[first + 1 : last]]
    ends = lines[last].rstrip("\n").split(",")
    ends[place] += '"'
    spoiled += [",".join(ends) + "\n", *lines[last + 1 :]]
    found = list(swallowed_rows(spoiled, ",", columns))
    assert [(one.line, one.rows) for one in found] == [(first + 1, last - first)]
    assert list(swallowed_rows(lines, ",", columns)) == []


def test_open_answers_of_several_lines_are_not_taken_for_rows(tmp_path: Path) -> None:
    answer = '"I like it, really.\nFresh, clear, cold\n\nand not, well, sweet"'
    write_survey(tmp_path, data=data_text().replace(",fresh\n", f",{answer}\n"))
    found = run_in(tmp_path, "run", "-o", "t.md")
    assert found.code == 0 and "quotes" not in found.err and "60 rows" in found.err


@pytest.mark.parametrize("ending", [".csv", ".xlsx", ".json", ".parquet", ".ods"])
def test_blank_rows_are_never_respondents(tmp_path: Path, ending: str) -> None:
    frame = pd.read_csv(io.StringIO(data_text()), dtype=str)
    blank = pd.DataFrame([[None] * len(frame.columns)] * 2, columns=frame.columns)
    spoiled = pd.concat([frame[:20], blank, frame[20:]], ignore_index=True)
    path = tmp_path / f"data{ending}"
    match ending:
        case ".csv":
            spoiled.to_csv(path, index=False)
        case ".json":
            spoiled.to_json(path, orient="records")
        case ".parquet":
            spoiled.to_parquet(path)
        case _:
            spoiled.to_excel(path, index=False, engine="odf" if ending == ".ods" else None)
    plan = f"data: data{ending}\ncodebook: codebook.yaml\ntables: [{{question: liking, base: all}}, glasses]\noutputs: [t.csv]\n"
    data = path.read_text(encoding="utf-8") if ending == ".csv" else ""
    write_survey(tmp_path, codebook=NO_ID.replace("weight: wt\n", ""), plan=plan, data=data)
    found = run_in(tmp_path, "run", "-o", "t.md", "-o", "t.csv")
    assert found.code == 0, found.err
    assert "Note: 2 blank rows are left out." in found.err
    table = pd.read_csv(tmp_path / "t.csv")
    assert set(table.value[table.figure == "unweighted base"]) == {60.0}
    assert "2 blank rows are left out." in (tmp_path / "t.md").read_text(encoding="utf-8")
    assert "blank rows" in run_in(tmp_path, "audit").out
    write_survey(tmp_path, codebook=BOOK, plan=plan, data=data)  # now with an id
    found = checked(tmp_path, ["run"], may_write=False)
    assert found.code == 2 and "is blank in 2 rows (row 21, row 22); each row needs one" in found.err


def test_a_blank_weight_in_a_blank_row_is_no_matter_and_a_blank_answer_stays_one(tmp_path: Path) -> None:
    text = data_text(6).replace("\n3,1,2,1,1,0,3,fresh", "\n,,,,,,,\n3,1,,,,,,")
    write_survey(tmp_path, codebook=NO_ID, data=text)
    found = run_in(tmp_path, "run", "-o", "t.csv")
    assert found.code == 0 and "1 blank row is left out." in found.err
    table = pd.read_csv(tmp_path / "t.csv")
    assert set(
        table.value[
            (table.figure == "unweighted base") & (table.table == "liking") & (table.column == "Total")
        ]
    ) == {5.0}
    (tmp_path / "one.csv").write_text("a\n1\n\n2\n", encoding="utf-8")
    book = otter.codebook_from_text("questions: {a: {kind: single, answers: {1: One, 2: Two}}}")
    opened = open_responses(book, tmp_path / "one.csv")
    assert len(opened) == 3 and opened.remarks == () and opened.times() is None


def test_blank_lines_between_rows_are_counted_those_at_the_end_are_not(tmp_path: Path) -> None:
    lines = data_text().splitlines()
    write_survey(tmp_path, data="\r\n".join([*lines[:5], "", "", *lines[5:], "", ""]) + "\r\n")
    found = run_in(tmp_path, "run", "-o", "t.md")
    assert found.code == 0 and "2 blank rows are left out." in found.err and "60 rows" in found.err


def test_cells_with_errors_and_formulas_without_a_result_are_told_where_they_touch(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    sheet = book.active
    for line in data_text().splitlines():
        sheet.append([int(cell) if cell.isdigit() else cell for cell in line.split(",")])
    sheet["D7"].value, sheet["D9"].value = "#N/A", "#DIV/0!"
    sheet["D7"].data_type = sheet["D9"].data_type = "e"
    sheet["G12"].value = "=1+1"
    sheet["J4"].value = "beside"
    book.save(tmp_path / "data.xlsx")
    write_survey(
        tmp_path,
        plan="data: data.xlsx\ncodebook: codebook.yaml\ntables: [liking, glasses, heard]\noutputs: [t.json]\n",
    )
    found = run_in(tmp_path, "run")
    assert found.code == 0, found.err
    errors = "2 cells hold an error (D7 #N/A, D9 #DIV/0!) and are read as blank."
    formula = "1 formula has no stored result (G12) and is read as blank."
    beside = "1 row has cells behind the last named column (row 4), which are not read."
    assert all(f"Note: {text}" in found.err for text in (errors, formula, beside))
    notes = {
        one["id"]: one["notes"]
        for one in json.loads((tmp_path / "t.json").read_text(encoding="utf-8"))["tables"]
    }
    assert errors in notes["liking"] and errors not in notes["glasses"] and errors not in notes["heard"]
    assert formula in notes["glasses"] and formula not in notes["liking"]
    out = run_in(tmp_path, "audit").out
    assert (
        "error in a cell" in out and "formula without a result" in out and "cells beside the columns" in out
    )


# --- triple-s -------------------------------------------------------------------------------------------

DEFINITION = (
    """<sss version="2.0"><survey><record ident="A" {data}>{variables}</record>{more}</survey></sss>"""
)
MULTIPLE = (
    '<variable ident="1" type="multiple"><name>m</name><label>M</label><position start="1" finish="3"/>'
    '<values><value code="{code}">A</value><value code="2">B</value></values></variable>'
)
SINGLE = (
    '<variable ident="2" type="single"><name>s</name><label>S</label><position start="{start}" finish="{finish}"/>'
    '<values><value code="1" score="{score}">A</value></values></variable>'
)


def definition(
    tmp_path: Path, variables: str, rows: str = "1101\n0111\n", more: str = "", data: str = ""
) -> Path:
    path = tmp_path / "s.xml"
    path.write_text(
        DEFINITION.format(variables=variables, more=more, data=data or 'href="s.asc" format="fixed"'),
        encoding="utf-8",
    )
    (tmp_path / "s.asc").write_text(rows, encoding="utf-8")
    return path


@pytest.mark.parametrize(
    ("variables", "message"),
    [
        (
            MULTIPLE.format(code="0"),
            "variable 'm': the codes of a multiple say where their bits are, from 1; found 0.",
        ),
        (MULTIPLE.format(code="-1"), "from 1; found -1."),
        (
            SINGLE.format(start="six", finish="4", score="1"),
            "variable 's': start is 'six'; a whole number was expected.",
        ),
        (SINGLE.format(start="²", finish="4", score="1"), "start is '²'"),
        (SINGLE.format(start="4", finish="9" * 400, score="1"), "finish is '999"),
        (SINGLE.format(start="4", finish="3", score="1"), "its position (4 to 3)"),
        (
            SINGLE.format(start="4", finish="4", score="six"),
            "the score of code '1' is 'six'; a number was expected.",
        ),
        (SINGLE.format(start="4", finish="4", score="1e308"), "the score of code '1' is '1e308'"),
    ],
)
def test_definitions_that_cannot_be_are_told(tmp_path: Path, variables: str, message: str) -> None:
    assert message in told(definition(tmp_path, variables))


def test_two_records_are_refused_and_data_elsewhere_are_not_read(tmp_path: Path) -> None:
    good = SINGLE.format(start="4", finish="4", score="1")
    assert "defines 2 records" in told(definition(tmp_path, good, more="<record><variable/></record>"))
    (tmp_path / "in").mkdir()
    path = definition(tmp_path / "in", good, data='href="../secret.asc" format="fixed"')
    (tmp_path / "secret.asc").write_text("1111\n", encoding="utf-8")
    assert "its data are not beside it; looked for secret.asc" in told(path)


def test_short_records_and_blank_lines_are_told(tmp_path: Path) -> None:
    path = definition(tmp_path, SINGLE.format(start="4", finish="4", score="1"), "1111\n11\n\n1111\n1\n")
    book = otter.codebook_from_text("questions: {s: {kind: single, answers: {1: A}}}")
    opened = open_responses(book, path)
    assert [remark.said() for remark in opened.remarks] == [
        "2 records are shorter than the definition says (line 2, line 5); what is missing there counts as blank.",
        "1 blank row is left out.",
    ] or [remark.slip for remark in opened.remarks] == ["short record", "blank rows"]


# --- encodings, line ends -------------------------------------------------------------------------------

WORDS = {
    "cp1252": [
        "Zürich",
        "Köln",
        "très bon – café",
        "¿por qué?",
        "não",
        "5 €",
        "“quoted”",
        "città",
        "Örebro",
    ],
    "cp1251": ["Москва", "Казань", "Омск"],
    "cp1250": ["Łódź", "Kraków", "Żabka", "Příliš žluťoučký kůň"],
    "cp1253": ["Αθήνα", "Πάτρα"],
    "cp1254": ["İstanbul", "Eskişehir", "Muğla"],
    "cp1255": ["תל אביב", "ירושלים"],
    "shift_jis": ["東京", "大阪", "とてもおいしい"],
    "gb18030": ["北京", "上海", "非常好喝"],
    "big5": ["台北", "高雄"],
    "euc_kr": ["서울", "부산", "아주 좋아요"],
    "koi8_r": ["Москва", "Казань"],
    "mac_roman": ["Zürich", "Köln", "naïve", "café"],
    "cp437": ["Zürich", "Köln"],
}


@pytest.mark.parametrize("encoding", WORDS)
@pytest.mark.parametrize("times", [1, 30])
def test_other_than_western_text_is_asked_about(tmp_path: Path, encoding: str, times: int) -> None:
    words = WORDS[encoding] * times
    path = tmp_path / "t.csv"
    path.write_bytes(("a,b\n" + "".join(f"{k},{word}\n" for k, word in enumerate(words))).encode(encoding))
    if encoding == "cp1252":
        file = open_data(path)
        assert file.read(["b"]).column("b").to_pylist() == words
        assert "read as cp1252" in str(file.source(1))
        return
    message = told(path)
    assert (
        "t.csv: is not UTF-8 text (line 2, byte 0x" in message
        and "encoding: …" in message
        and "cp1251 (Cyrillic)" in message
    )
    read = open_data(path, Reading(encoding=encoding)).read(["b"])
    assert read.column("b").to_pylist() == words


@pytest.mark.parametrize("word", ["Zürich", "Łódź", "Москва", "plain"])
def test_a_single_word_is_enough_where_it_cannot_be_western(word: str) -> None:
    for encoding in ("cp1252", "cp1250", "cp1251"):
        try:
            content = word.encode(encoding)
        except UnicodeEncodeError:
            continue
        assert (not_western(content) is None) == (word in ("Zürich", "plain")), (word, encoding)


def test_line_ends_of_every_kind_are_read(tmp_path: Path) -> None:
    for end in ("\n", "\r\n", "\r"):
        (tmp_path / "t.csv").write_bytes(data_text().replace("\n", end).encode())
        assert open_data(tmp_path / "t.csv").read(["rid", "words"]).num_rows == 60
    records = [{"a": "one\u2028two"}, {"a": "three"}]
    lines = "\n".join(json.dumps(record, ensure_ascii=False) for record in records)
    (tmp_path / "t.jsonl").write_text(lines, encoding="utf-8")
    assert open_data(tmp_path / "t.jsonl").read(["a"]).column("a").to_pylist() == ["one\u2028two", "three"]


def test_commas_that_may_part_thousands_are_asked_about(tmp_path: Path) -> None:
    text = data_text().replace(",", ";").replace(";6;fresh", ";1,234;fresh")
    write_survey(tmp_path, data=text)
    found = checked(tmp_path, ["run"], may_write=False)
    assert found.code == 2 and "Is the comma a decimal sign? Then write decimal: ','" in found.err
    plan = (
        (tmp_path / "plan.yaml")
        .read_text(encoding="utf-8")
        .replace("data: data.csv", "data: {file: data.csv, decimal: ','}")
    )
    (tmp_path / "plan.yaml").write_text(plan, encoding="utf-8")
    assert run_in(tmp_path, "run").code == 0


def test_halves_of_characters_do_not_get_further(tmp_path: Path) -> None:
    (tmp_path / "t.json").write_text('[{"a": "x\\ud800"}, {"a": "😀"}]', encoding="utf-8")
    book = otter.codebook_from_text("questions: {a: {kind: text}}")
    opened = open_responses(book, tmp_path / "t.json")
    assert list(opened.as_text(["a"])[0]) == ["x[U+D800]", "😀"]
    assert [one.slip for one in opened.remarks] == ["half a character"]


# --- catalogues, themes, pictures, fonts, templates -----------------------------------------------------


@pytest.mark.parametrize(
    ("text", "message"),
    [
        (
            "thousands: 5",
            "thousands: a comma, point, apostrophe or blank, or nothing was expected; found '5'.",
        ),
        ("decimal: ','", "thousands and decimal are both ','; numbers could not be read."),
        ("decimal: x", "decimal: expected one of . or ,; found 'x'."),
    ],
)
def test_signs_that_would_change_figures_are_mistakes(tmp_path: Path, text: str, message: str) -> None:
    write_survey(tmp_path)
    (tmp_path / "own.yaml").write_text(f"language: en\n{text}\n", encoding="utf-8")
    found = checked(tmp_path, ["run", "--language", "own.yaml"], may_write=False)
    assert found.code == 2 and message in found.err


def broken_pictures() -> Iterator[tuple[str, bytes]]:
    from PIL import Image

    held = io.BytesIO()
    Image.new("RGB", (20, 10)).save(held, "PNG")
    png = held.getvalue()
    held = io.BytesIO()
    Image.new("RGB", (20, 10)).save(held, "JPEG")
    jpeg = held.getvalue()
    yield from (
        ("text.png", b"not a picture"),
        ("empty.png", b""),
        ("cut.png", png[:40]),
        ("cut.jpg", jpeg[: len(jpeg) // 2]),
    )
    yield "huge.png", png[:16] + b"\x7f\xff\xff\xff" * 2 + png[24:]
    yield "zero.png", png[:16] + b"\0" * 8 + png[24:]


@pytest.mark.parametrize(
    ("name", "content"), list(broken_pictures()), ids=lambda value: value if isinstance(value, str) else ""
)
def test_a_broken_logo_is_a_mistake_of_the_theme(tmp_path: Path, name: str, content: bytes) -> None:
    write_survey(tmp_path, plan=(write_survey(tmp_path) / "plan.yaml").read_text() + "theme: own.yaml\n")
    (tmp_path / name).write_bytes(content)
    (tmp_path / "own.yaml").write_text(f"logo: {name}\n", encoding="utf-8")
    found = checked(tmp_path, ["run", "-o", "t.xlsx"], may_write=False)
    assert found.code == 2 and f"own.yaml:1:7: logo: {name}: a whole PNG or JPEG picture" in found.err


def test_a_picture_that_is_whole_is_measured(tmp_path: Path) -> None:
    from PIL import Image

    for name in ("a.png", "a.jpg"):
        Image.new("RGB", (31, 17)).save(tmp_path / name)
        assert read_picture(tmp_path / name)[1:] == (31, 17)


@pytest.mark.parametrize("output", ["t.pdf", "chart"])
def test_a_broken_font_is_told(tmp_path: Path, output: str) -> None:
    write_survey(tmp_path, plan=(write_survey(tmp_path) / "plan.yaml").read_text() + "theme: own.yaml\n")
    (tmp_path / "own.yaml").write_text("font files: {regular: f.ttf}\n", encoding="utf-8")
    for content in (b"", b"\0\1\0\0" + b"\xff" * 200, b"text"):
        (tmp_path / "f.ttf").write_bytes(content)
        found = checked(tmp_path, ["chart", "liking"] if output == "chart" else ["run", "-o", output])
        assert found.code == 2 and "f.ttf: cannot be read as a TrueType font" in found.err, found


def test_a_broken_template_is_told_and_the_other_outputs_are_written(tmp_path: Path) -> None:
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w") as package:
        package.writestr("[Content_Types].xml", "<Types/>")
    for content, message in (
        (b"", "is not a .pptx template"),
        (held.getvalue(), "cannot be read as a .pptx template"),
    ):
        write_survey(
            tmp_path,
            plan=(write_survey(tmp_path) / "plan.yaml").read_text() + "slides: {template: own.pptx}\n",
        )
        (tmp_path / "own.pptx").write_bytes(content)
        found = run_in(tmp_path, "run", "-o", "t.pptx", "-o", "t.md")
        assert found.code == 2 and f"own.pptx: {message}" in found.err
        assert "Written all the same: t.md." in found.err and (tmp_path / "t.md").exists()


def test_whatever_a_library_raises_becomes_one_message() -> None:
    class Panic(BaseException):
        """As libraries in other languages raise it."""

    raised: list[Callable[[], BaseException]] = [
        lambda: Panic("index out of bounds\nbacktrace"), OverflowError, MemoryError, lambda: RecursionError("deep"),
        lambda: KeyError("x\x1b[31m"), lambda: OSError(5, "Input/output error"),
    ]  # fmt: skip
    for make in raised:
        with pytest.raises(otter.FileProblem) as caught, reading("a.csv", "CSV", "Save it again."):
            raise make()
        assert (
            str(caught.value).startswith("a.csv: ")
            and "\n" not in str(caught.value)
            and "\x1b" not in str(caught.value)
        )
    for lacking in (MemoryError("realloc"), OSError("Unknown error: Failed to launch worker thread: Resource temporarily unavailable")):  # fmt: skip
        with pytest.raises(otter.FileProblem, match=r"^a.csv: needs more memory than there is"), reading("a.csv", "CSV"):  # fmt: skip
            raise lacking
    for left in (KeyboardInterrupt, SystemExit):
        with pytest.raises(left), reading("a.csv", "CSV"):
            raise left
