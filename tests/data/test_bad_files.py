"""What is wrong with a file of responses is told where it is, and how to mend it; never a traceback."""

from __future__ import annotations

import json
from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from pathlib import Path

import openpyxl
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pyarrow import parquet

import eager_otter as otter
from conftest import message_of
from eager_otter.codebook.reading import codebook_from_text
from eager_otter.data.opening import Reading, open_data

Write = Callable[..., Path]
BOOK = "questions:\n  a: {kind: single, answers: {1: Yes, 2: No}}\n"


def told(path: Path, columns: tuple[str, ...] = ("a",), reading: Reading | None = None) -> str:
    """What is told of a file that cannot be read."""
    with pytest.raises(otter.OtterError) as error:
        file = open_data(path) if reading is None else open_data(path, reading)
        file.read(list(columns))
    return message_of(error, path.parent)


@pytest.mark.parametrize(
    ("name", "text", "message"),
    [
        ("none.json", "[]", "none.json: has no records; at least one respondent is needed."),
        ("list.json", '[{"a": [1, [2]]}]', "list.json: record 1: 'a' holds an object, or a list within a list, not an answer."),
        ("object.jsonl", '{"a": 1}\n{"a": {"b": 1}}\n', "object.jsonl: record 2: 'a' holds an object, or a list within a list, not an answer."),
        ("words.jsonl", '{"a": 1}\nhello\n', "words.jsonl, line 2: is not JSON (Expecting value: line 1 column 1 (char 0))."),
        ("rows.json", "[[1, 2]]", "rows.json: a list of records was expected, one object per respondent."),
        ("blank.csv", "\n\n", "blank.csv: is empty; a header row and one row per respondent are needed."),
        ("mark.csv", "\ufeff \n", "mark.csv: is empty; a header row and one row per respondent are needed."),
        ("head.tsv", "a\tb\n", "head.tsv: has a header but no rows; at least one respondent is needed."),
    ],
)  # fmt: skip
def test_text_files_that_hold_no_responses(write: Write, name: str, text: str, message: str) -> None:
    assert told(write(name, text)) == message


def test_bytes_that_are_no_text(tmp_path: Path) -> None:
    for name, content, start in (
        ("cut.json", b'[{"a": "caf\xe9"}]', "cut.json: not UTF-8 text (line 1, byte 12)."),
        ("odd.csv", b"a,b\n1,\x81\xe9\n", "odd.csv: is not UTF-8 text (line 2, byte 0x81), and reads as"),
    ):
        (tmp_path / name).write_bytes(content)
        assert told(tmp_path / name).startswith(start)


@pytest.mark.parametrize(
    ("reading", "message"),
    [
        (Reading(delimiter=";;"), "A delimiter is one character, not a quote or a line end; got ';;'."),
        (
            Reading(encoding="utf-7-bis"),
            "No text encoding 'utf-7-bis'. Usual ones: utf-8, utf-16, cp1252, cp1251 (Cyrillic), cp1250 (Central European), cp1253 (Greek), cp1254 (Turkish), shift_jis, gb18030.",
        ),
        (Reading(encoding="ascii"), "data.csv: is not ascii text (byte 7); name another encoding."),
    ],
)
def test_ways_of_reading_that_cannot_be(write: Write, reading: Reading, message: str) -> None:
    assert told(write("data.csv", "a,b\n1,é\n"), reading=reading) == message


def test_a_workbook_tells_what_its_sheet_lacks(tmp_path: Path) -> None:
    path = tmp_path / "book.xlsx"
    book = openpyxl.Workbook()
    book.active.title = "Empty"
    header = book.create_sheet("Header")
    header.append(["a", "b"])
    book.save(path)
    for sheet, message in {
        "Empty": "book.xlsx, sheet 'Empty': is empty; a header row and respondents are needed.",
        "Header": "book.xlsx, sheet 'Header': has a header but no rows; at least one respondent is needed.",
        "Headr": "No sheet 'Headr' in book.xlsx. Did you mean 'Header'?",
    }.items():
        assert told(path, reading=Reading(sheet=sheet)) == message


def test_cells_of_a_workbook_become_the_text_that_a_reader_sees(tmp_path: Path) -> None:
    path = tmp_path / "cells.xlsx"
    book = openpyxl.Workbook()
    values = [
        True,
        False,
        3,
        2.5,
        "x",
        date(2026, 3, 1),
        datetime(2026, 3, 1, 12, 30),
        time(9, 5),
        timedelta(hours=2),
    ]
    book.active.append([f"c{k}" for k in range(len(values))] + [None, None])
    book.active.append(values)
    book.active.append([None] * 3)  # blank rows at the end are none
    book.save(path)
    file = open_data(path)
    assert list(file.names) == [f"c{k}" for k in range(len(values))]
    (row,) = file.read(list(file.names)).to_pylist()
    found = list(row.values())
    assert found[:7] == ["1", "0", "3", "2.5", "x", "2026-03-01", "2026-03-01 12:30:00"]
    assert found[7].startswith("09:05") and "2" in found[8]


def test_parquet_without_rows_or_with_lists_of_lists(tmp_path: Path) -> None:
    parquet.write_table(pa.table({"a": pa.array([], pa.int64())}), tmp_path / "none.parquet")
    parquet.write_table(pa.table({"a": [[[1]], [[2]]]}), tmp_path / "lists.parquet")
    assert told(tmp_path / "none.parquet") == "none.parquet: has no rows; at least one respondent is needed."
    assert (
        told(tmp_path / "lists.parquet")
        == "lists.parquet: column 'a' holds values of the type list<element: list<element: int64>>, not answers. Leave it out of the codebook, or make numbers or texts of it."
    )


def test_a_frame_without_rows_or_with_things_that_are_no_answers() -> None:
    book = codebook_from_text(BOOK)
    with pytest.raises(otter.DataError, match="The frame has no rows; at least one respondent is needed"):
        otter.open_survey(book, pd.DataFrame({"a": []}))
    for things, what in (
        (
            [{"x": 1}, {"x": 2}],
            "the frame: column 'a' holds values of the type struct<x: int64>, not answers",
        ),
        ([[[1]], [[2]]], "the frame: column 'a' holds values of the type list<item: list<item: int64>>"),
    ):
        with pytest.raises(otter.DataError, match=what):
            otter.open_survey(book, pd.DataFrame({"a": things})).table("a")
    with pytest.raises(otter.DataError, match="Column 'a' should hold"):
        otter.open_survey(book, pd.DataFrame({"a": [1j, 2]})).table("a")
    mixed = otter.open_survey(book, pd.DataFrame({"a": [1, "Yes", "2", None]}))
    assert round(mixed.table("a").value("Yes", "Total"), 6) == 66.666667  # codes and labels in one column


answers = st.lists(st.sampled_from(["1", "2", "", "9", "Yes", "No"]), min_size=1, max_size=25)


@given(answers)
@pytest.mark.slow
def test_every_format_gives_the_same_counts_and_the_same_reasons(codes: list[str]) -> None:
    """A record is a record, whatever file it came in."""
    import tempfile

    book = codebook_from_text(
        "questions:\n  a: {kind: single, answers: {1: Yes, 2: No, 8: {label: Refused, missing: true}}}\n"
    )
    frame = pd.DataFrame({"a": codes, "rid": [str(k) for k in range(len(codes))]})
    with tempfile.TemporaryDirectory() as folder:
        place = Path(folder)
        frame.to_csv(place / "d.csv", index=False)
        frame.to_csv(place / "d.tsv", index=False, sep="\t")
        frame.to_excel(place / "d.xlsx", index=False)
        frame.to_parquet(place / "d.parquet", index=False)
        (place / "d.json").write_text(json.dumps(frame.to_dict("records")), encoding="utf-8")
        lines = "\n".join(json.dumps(record) for record in frame.to_dict("records"))
        (place / "d.jsonl").write_text(lines, encoding="utf-8")
        told_of: list[object] = []
        for path in sorted(place.iterdir()):
            survey = otter.open_survey(book, path)
            table = survey.table("a", base="all")
            values = {line.label: float(line.values[0]) for line in table.lines if line.kind != "base"}
            notes = [note for note in table.notes if note.startswith(("No answer", "Base"))]
            told_of.append((values, notes, table.people))
    assert all(one == told_of[0] for one in told_of)
    expected = 100.0 * sum(code in ("1", "Yes") for code in codes) / len(codes)
    assert told_of[0][0]["Yes"] == pytest.approx(expected)  # type: ignore[index]


@pytest.mark.parametrize(
    ("columns", "message"),
    [
        ({"code": ["1"], "label": ["Fresh"]}, "the columns 'code' and 'topic' are wanted"),
        ({"code": ["1", None], "topic": ["Fresh", "New"]}, "row 3: a topic needs both a code and a label"),
        ({"code": ["1", "1"], "topic": ["Fresh", "New"]}, "row 3: the topic 'New' or its code 1 appears twice"),
        ({"code": ["1", "2"], "topic": ["Fresh", "Fresh"]}, "row 3: the topic 'Fresh' or its code 2 appears twice"),
        ({"code": [None], "topic": [None]}, "there are no topics; write a code and a label for each"),
    ],
)  # fmt: skip
def test_topic_lists_that_cannot_be(columns: dict[str, list[str]], message: str, tmp_path: Path) -> None:
    survey = otter.open_survey(
        codebook_from_text("respondent: rid\nquestions:\n  why: {kind: text}\n"),
        pd.DataFrame({"rid": [1, 2], "why": ["so fresh", "new"]}),
    )
    from eager_otter.data.coding import read_coded

    texts = pd.DataFrame({"id": ["1", "2"], "text": ["so fresh", "new"], "topic 1": [None, None]})
    path = tmp_path / "coded.xlsx"
    with pd.ExcelWriter(path) as writer:
        texts.to_excel(writer, sheet_name="Texts", index=False)
        pd.DataFrame(columns).to_excel(writer, sheet_name="Topics", index=False)
    with pytest.raises(otter.OtterError) as error:
        read_coded(survey.responses, "why", path)
    assert message in str(error.value)


def test_rows_that_were_sorted_apart_are_told(tmp_path: Path) -> None:
    from eager_otter.data.coding import read_coded, texts_to_code

    book = codebook_from_text("questions:\n  why: {kind: text}\n  a: {kind: single, answers: {1: Yes}}\n")
    survey = otter.open_survey(book, pd.DataFrame({"why": ["so fresh", "new", None], "a": [1, 1, 1]}))
    assert texts_to_code(survey.responses, "why") == [("1", "so fresh"), ("2", "new")]
    with pytest.raises(otter.RequestError, match="a is of kind single; only open text is coded"):
        texts_to_code(survey.responses, "a")
    path = tmp_path / "coded.xlsx"
    for ids, texts, message in (
        (["1", "2"], ["new", "so fresh"], "row 2: the text is not that of '1'; were the rows sorted apart?"),
        (["1", "1"], ["so fresh", "so fresh"], "row 3: the id '1' appears twice"),
        (["1", "7"], ["so fresh", "new"], "row 3: the id '7' has no text in the data"),
    ):
        with pd.ExcelWriter(path) as writer:
            frame = pd.DataFrame({"id": ids, "text": texts, "topic 1": ["Fresh", "Fresh"]})
            frame.to_excel(writer, sheet_name="Texts", index=False)
            pd.DataFrame({"code": [1], "topic": ["Fresh"]}).to_excel(writer, sheet_name="Topics", index=False)
        with pytest.raises(otter.DataError) as error:
            read_coded(survey.responses, "why", path)
        assert message in str(error.value)
