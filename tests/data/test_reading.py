"""Reading responses: what comes in, what is refused, and in which words."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import eager_otter as otter
from conftest import message_of

Write = Callable[..., Path]
BOOK = """
respondent: rid
weight: wt
questions:
  region: {kind: single, answers: {1: North, 2: East}}
  age: {kind: number, missing: [999]}
"""
GOOD = "rid,region,age,wt,extra\n1,1,20,1,x\n2,2,,1.5,y\n3,,999,0.5,z\n"


def opened(write: Write, data: str, book: str = BOOK) -> otter.Survey:
    return otter.open_survey(write("book.yaml", book), write("data.csv", data))


def test_a_csv_is_read_by_the_codebook(write: Write) -> None:
    survey = opened(write, GOOD)
    assert survey.table("region").value("Base (unweighted)", "Total") == 2
    assert survey.table("age").value("Mean", "Total") == 20
    assert survey.table("age").notes[1] == "Left out of the base: 2 (missing code 999: 1; blank: 1)."


@pytest.mark.parametrize("delimiter", [";", "\t", "|"])
def test_other_delimiters_and_a_byte_order_mark_are_found(write: Write, delimiter: str) -> None:
    survey = opened(write, "\ufeff" + GOOD.replace(",", delimiter))
    assert len(survey.responses) == 3


def test_line_breaks_quotes_and_words_like_none_are_answers(write: Write) -> None:
    book = 'questions:\n  a: {kind: single, answers: {None: Nothing, NA: Not any, "two\\nlines": Two}}\n  b: {kind: text}\n'
    data = 'a,b\nNone,"one, two"\nNA,"say ""hi"""\n"two\nlines",NULL\n'
    survey = otter.open_survey(write("book.yaml", book), write("data.csv", data))
    assert [
        int(survey.table("a").value(code, "Total", "column percent"))
        for code in ("Nothing", "Not any", "Two")
    ] == [33, 33, 33]
    assert survey.responses.answers("b").texts.tolist() == ["one, two", 'say "hi"', "NULL"]  # type: ignore[union-attr]


def test_a_single_column_keeps_its_blank_lines(write: Write) -> None:
    survey = otter.open_survey(
        write("book.yaml", "questions: {a: {kind: single, answers: {1: One}}}"),
        write("data.csv", "a\n1\n\n1\n"),
    )
    assert len(survey.responses) == 3


@pytest.mark.parametrize(
    ("data", "message"),
    [
        ("", "data.csv: is empty; a header row and one row per respondent are needed."),
        ("rid,region,age,wt\n", "data.csv: has a header but no rows; at least one respondent is needed."),
        ("rid,region,age,wt\n1,1,20,1\n2,2,30\n3,1\n", "data.csv: row 2 has 3 cells where the header has 4, and 1 row more like it. A delimiter inside an answer must be in quotes; check how the file was exported."),
        ("rid,regio,age,wt\n1,1,2,1\n", "data.csv: one of the codebook's columns is not in the data:\n  'region'. Did you mean 'regio'?\nCorrect the codebook's column names, or take the questions out; where only these data did not ask them, list the file under data: files, with 'not asked'."),
        ("rid,region,age,wt\n1,1,old,1\n2,1,x,1\n", "Column 'age' should hold numbers; found 'old' in row 1, 'x' in row 2. Correct the data, or list these values under 'missing' in the codebook."),
        ("rid,region,age,wt\n1,1,2,1\n1,1,2,1\n", "The respondent id in column 'rid' must be unique; 1 appears more than once: '1' in rows 1, 2. Remove the repeated rows, or take 'respondent' out of the codebook."),
        ("rid,region,age,wt\n1,1,2,1\n,1,2,1\n", "The respondent id in column 'rid' is blank in 1 row (row 2); each row needs one. Delete rows that hold nothing, or fill in the ids."),
        ("rid,region,age,wt\n1,1,2,\n2,1,2,1\n", "The weight in column 'wt' is missing in 1 of 2 rows: row 1 (rid 1). Correct the weights, leave these rows out with 'answered wt' in the report's filter (with a question of kind number for the column), or run without a weight."),
        ("rid,region,age,wt\n1,1,2,1\n7,1,2,-2\n", "The weight in column 'wt' is negative in 1 of 2 rows (the first is -2): row 2 (rid 7). Correct the weights, leave these rows out with 'wt >= 0' in the report's filter (with a question of kind number for the column), or run without a weight."),
        ("rid,region,age,wt\n1,1,2,0\n", "Every weight in column 'wt' is 0, so nobody is left to count."),
        ("rid,region,age,wt\n1,Nort,2,1\n", "Column 'region' should hold the codes or labels of region; found 'Nort' in row 1. Did you mean 'North'? Correct the data, or add the answer to the codebook."),
    ],
)  # fmt: skip
def test_data_that_cannot_be_are_refused(write: Write, tmp_path: Path, data: str, message: str) -> None:
    with pytest.raises(otter.OtterError) as error:
        survey = opened(write, data)
        survey.table("age")
        survey.table("region")
    assert message_of(error, tmp_path) == message


@pytest.mark.parametrize(("wrong", "condition"), [("", "answered wt"), ("-2", "wt >= 0")])
def test_the_filter_that_is_told_for_wrong_weights_leaves_them_out(
    write: Write, wrong: str, condition: str
) -> None:
    book = otter.codebook_from_text(
        "weight: wt\nquestions:\n  q: {kind: single, answers: {1: Tarn, 2: Birk}}\n  wt: {kind: number}\n"
    )
    data = write("d.csv", f"q,wt\n1,1.5\n2,{wrong}\n1,0.5\n")
    with pytest.raises(otter.DataError, match=f"with '{condition}' in the report's filter, or run without"):
        otter.open_survey(book, data).table("q")
    table = otter.open_survey(book, data).filtered(condition).table("q", figures=["unweighted count"])
    assert table.frame("unweighted count")[("", "Total")].tolist() == [2, 0]


def test_files_that_are_no_text_are_refused(write: Write, tmp_path: Path) -> None:
    book = write("book.yaml", BOOK)
    (tmp_path / "binary.csv").write_bytes(b"PK\x03\x04\x00\x00")
    with pytest.raises(otter.FileProblem, match=r"binary.csv: is not a text file"):
        otter.open_survey(book, tmp_path / "binary.csv")
    with pytest.raises(otter.FileProblem, match=r"none.csv: no such file"):
        otter.open_survey(book, tmp_path / "none.csv")
    with pytest.raises(otter.FileProblem, match="is a folder"):
        otter.open_survey(book, tmp_path)


def test_an_address_is_told_from_a_path(write: Write) -> None:
    book = write("book.yaml", BOOK)
    with pytest.raises(otter.FileProblem, match="'nowhere' is no kind of storage"):
        otter.open_survey(book, "nowhere://w.csv")
    with pytest.raises(otter.FileProblem, match=r"c:x\.csv: no such file"):
        otter.open_survey(book, "c:x.csv")


def test_unknown_codes_are_left_out_and_counted_in_a_note(small: Callable[..., otter.Survey]) -> None:
    table = small("questions: {a: {kind: single, answers: {1: One, 2: Two}}}", a=[1, 2, 7, 7, np.nan]).table(
        "a"
    )
    assert table.notes[:2] == (
        "Base: the 2 respondents who answered.",
        "Left out of the base: 3 (code unknown to the codebook: 2; blank: 1).",
    )


MULTI = {
    "ticks": "{kind: multi, columns: {t_1: Tarn, t_2: Brookfizz, t_3: {label: None, exclusive: true}}}",
    "yes and no": "{kind: multi, columns: {t_1: Tarn, t_2: Brookfizz, t_3: {label: None, exclusive: true}}, ticked: [Y], unticked: [N]}",
    "mentions": "{kind: multi, mentions: [m1, m2, m3], answers: {1: Tarn, 2: Brookfizz, 3: {label: None, exclusive: true}}}",
    "joined": "{kind: multi, joined: {column: j, by: ';'}, answers: {1: Tarn, 2: Brookfizz, 3: {label: None, exclusive: true}}}",
}


@pytest.mark.parametrize("layout", MULTI)
def test_every_layout_of_a_multiple_response_question_gives_the_same_table(
    small: Callable[..., otter.Survey], layout: str
) -> None:
    lists = [[1], [2, 1], [3], [], [2], [1, 2]]
    columns: dict[str, object] = {"by": [1, 2, 1, 1, 2, 2]}
    for k in (1, 2, 3):
        yes, no = ("Y", "N") if layout == "yes and no" else (1, 0)
        columns[f"t_{k}"] = [None if not given else yes if k in given else no for given in lists]
        columns[f"m{k}"] = [given[k - 1] if len(given) >= k else None for given in lists]
    columns["m3"] = [
        given[0] if len(given) == 2 else None for given in lists
    ]  # the same topic twice counts once
    columns["j"] = [" ; ".join(str(code) for code in given) for given in lists]
    book = f"questions:\n  q: {MULTI[layout]}\n  by: {{kind: single, answers: {{1: A, 2: B}}}}\n"
    table = small(book, **columns).table("q", banner="by", figures=["count"])
    assert table.frame("unweighted base").to_numpy().tolist() == [[5, 2, 3]]
    assert table.frame("count").to_numpy().tolist() == [[3, 1, 2], [3, 0, 3], [1, 1, 0]]


@pytest.mark.parametrize("kind", ["int64", "float64", "Int64", "string", "object", "category"])
def test_codes_are_the_same_whatever_type_a_frame_gives_them(write: Write, kind: str) -> None:
    codes = pd.Series([1, 2, None, 2], dtype="Int64")
    series = codes.fillna(3).astype("int64") if kind == "int64" else codes.astype(kind)
    book = write(
        "book.yaml",
        "questions: {a: {kind: single, answers: {1: One, 2: Two, 3: {label: No, missing: true}}}}",
    )
    table = otter.open_survey(book, pd.DataFrame({"a": series})).table("a", figures=["count"])
    assert table.frame("count")[("", "Total")].tolist() == [1, 2]
