"""Data dictionaries in the usual shapes: which column is which is guessed and told, labels and missing codes are kept."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.drafting.dictionary import read_dictionary

Rows = Sequence[Sequence[str]]
DATA: Rows = [
    ["rid", "sex", "heard_1", "heard_2", "liking", "glasses"],
    *([str(900 + k), "12"[k % 2], "10"[k % 3 > 0], "01"[k % 2], "123459"[k % 6], str(k % 30) if k % 9 else "999"]
      for k in range(60)),
]  # fmt: skip
PER_VARIABLE: Rows = [
    ["Variable", "Question", "Values", "Missing"],
    ["sex", "Are you a woman or a man?", "1=Woman; 2=Man", ""],
    ["heard_1", "Have you heard of: Tarn", "1: Yes\n0: No", ""],
    ["heard_2", "Have you heard of: Birk", "1: Yes\n0: No", ""],
    ["liking", "How much do you like it?", "1 = Not at all good | 2 = Poor | 3 = Fair | 4 = Good | 5 = Very good | 9 = Don't know", ""],
    ["glasses", "Glasses last week", "", "999"],
    ["gone", "A question nobody exported", "", ""],
]  # fmt: skip
PER_ANSWER: Rows = [
    ["name", "label", "value", "value label", "missing?"],
    ["sex", "Are you a woman or a man?", "1", "Woman", ""],
    ["", "", "2", "Man", ""],
    ["heard_1", "Have you heard of: Tarn", "1", "Yes", ""],
    ["heard_1", "Have you heard of: Tarn", "0", "No", ""],
    ["heard_2", "Have you heard of: Birk", "1", "Yes", ""],
    ["", "", "0", "No", ""],
    ["liking", "How much do you like it?", "1", "Not at all good", ""],
    *(["", "", code, label, ""] for code, label in (("2", "Poor"), ("3", "Fair"), ("4", "Good"), ("5", "Very good"), ("9", "Don't know"))),
    ["glasses", "Glasses last week", "999", "No reply", "yes"],
]  # fmt: skip


def csv_of(path: Path, rows: Rows) -> Path:
    path.write_text("\n".join(",".join(f'"{cell}"' for cell in row) for row in rows) + "\n", encoding="utf-8")
    return path


def book_of(path: Path, *sheets: Rows) -> Path:
    book = openpyxl.Workbook()
    for k, rows in enumerate(sheets):
        sheet = book.active if k == 0 else book.create_sheet(f"Sheet {k + 1}")
        for row in rows:
            sheet.append([cell or None for cell in row])
    book.save(path)
    return path


def two_sheets(folder: Path) -> Path:
    variables = [["Column", "Question text"], *(row[:2] for row in PER_VARIABLE[1:])]
    answers = [["Variable", "Code", "Answer", "Missing"]]
    name = ""
    for row in PER_ANSWER[1:]:
        name = row[0] or name
        answers.append([name, *row[2:]])
    return book_of(folder / "dictionary.xlsx", variables, answers, [["Made by"], ["somebody"]])


SHAPES: dict[str, Callable[[Path], Path]] = {
    "a row per variable": lambda folder: csv_of(folder / "dictionary.csv", PER_VARIABLE),
    "a row per answer": lambda folder: csv_of(folder / "dictionary.csv", PER_ANSWER),
    "a sheet": lambda folder: book_of(folder / "dictionary.xlsx", PER_ANSWER),
    "two sheets": two_sheets,
    "below a title": lambda folder: book_of(
        folder / "dictionary.xlsx", [["Codebook of spring"], [""], ["version", "3"], *PER_VARIABLE]
    ),
    "below a long title": lambda folder: book_of(
        folder / "dictionary.xlsx", [["All that was asked", "", "", "", "sent on Monday"], *PER_ANSWER]
    ),
}


@pytest.mark.parametrize("shape", SHAPES)
def test_a_dictionary_brings_texts_labels_and_missing_codes(tmp_path: Path, shape: str) -> None:
    data = csv_of(tmp_path / "responses.csv", DATA)
    drafted = otter.draft(data, dictionary=SHAPES[shape](tmp_path))
    book = otter.codebook_from_text(drafted.codebook)
    sex = book.question("sex")
    assert sex.text == "Are you a woman or a man?"
    assert [(answer.code, answer.label) for answer in sex.answers] == [("1", "Woman"), ("2", "Man")]
    heard = next(question for question in book if question.kind == "multi")
    assert heard.columns == ("heard_1", "heard_2") and [answer.label for answer in heard.answers] == [
        "Tarn",
        "Birk",
    ]
    liking = book.question("liking")
    assert liking.scale and liking.scores()["5"] == 5 and "9" not in liking.scores()
    survey = otter.open_survey(book, data)
    spoken = [k % 30 for k in range(60) if k % 9]
    assert survey.table("glasses", figures=["mean"]).value("Mean", "Total") == pytest.approx(
        sum(spoken) / len(spoken)
    )
    assert otter.run(saved(drafted, tmp_path)).table("heard").people == 60
    assert any("from" in line for line in drafted.told)


def saved(drafted: otter.Draft, folder: Path) -> Path:
    (folder / "out").mkdir(exist_ok=True)
    (folder / "out" / "responses.csv").write_bytes((folder / "responses.csv").read_bytes())
    return drafted.save(folder / "out")[1]


def test_labels_say_what_is_no_answer_and_what_may_be(tmp_path: Path) -> None:
    rows = [["variable", "values"], ["q", "1=Tarn; 2=Birk; 8=Don't know; 9=Refused"]]
    data = csv_of(tmp_path / "responses.csv", [["q"], *([code] for code in "1289" * 9)])
    drafted = otter.draft(data, dictionary=csv_of(tmp_path / "d.csv", rows))
    answers = otter.codebook_from_text(drafted.codebook).question("q").answers
    assert {answer.label: answer.missing for answer in answers} == {
        "Tarn": False, "Birk": False, "Don't know": False, "Refused": True,
    }  # fmt: skip
    assert drafted.guesses[0].doubts == ("is 8 no answer? then add missing: true",)


def test_what_is_only_in_one_of_them_is_told(tmp_path: Path) -> None:
    dictionary = read_dictionary(csv_of(tmp_path / "d.csv", PER_VARIABLE), ["RID", "Sex", "more"])
    assert list(dictionary.columns) == ["Sex"]  # whatever the case
    assert any(
        line.startswith("5 in the dictionary and not in the data: heard_1") for line in dictionary.told
    )
    assert any(line == "2 in the data and not in the dictionary: RID, more." for line in dictionary.told)


def test_a_dictionary_of_other_data_is_refused(tmp_path: Path) -> None:
    data = csv_of(tmp_path / "responses.csv", [["a", "b"], ["1", "2"]])
    with pytest.raises(otter.DataError, match="describes none of the columns"):
        otter.draft(data, dictionary=csv_of(tmp_path / "d.csv", PER_VARIABLE))
    with pytest.raises(otter.FileProblem):
        otter.draft(data, dictionary=tmp_path / "nothing.csv")


LABELS = st.text("abcdé ", min_size=1, max_size=8).map(str.strip).filter(bool)


@given(st.dictionaries(st.integers(-9, 99).map(str), LABELS, min_size=2, max_size=6), st.sampled_from(["; ", " | ", "\n"]), st.sampled_from(["=", " = ", ": "]))  # fmt: skip
def test_answers_in_a_cell_are_read_as_they_were_written(
    tmp_path_factory: pytest.TempPathFactory, labels: dict[str, str], between: str, sign: str
) -> None:
    cell = between.join(f"{code}{sign}{label}" for code, label in labels.items())
    path = csv_of(tmp_path_factory.mktemp("d") / "d.csv", [["variable", "values"], ["q", cell]])
    assert dict(read_dictionary(path, ["q"]).columns["q"].labels) == labels
