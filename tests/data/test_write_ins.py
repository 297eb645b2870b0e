"""Columns where people wrote their own words: any text is a mention, nothing else of it is guessed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter import define
from eager_otter.data import files

BOOK = """
respondent: id
questions:
  area: {kind: single, column: area, answers: {1: North, 2: South}}
  why:
    kind: multi
    columns: {taste: Taste, price: Price, other: {label: "Other, please say", write in: true}}
    missing: [99]
  words: {kind: text, column: other}
"""
ROWS = [  # taste, price, other, and which of the three are ticked; None for nobody who answered
    ("1", "", "", "a"), ("1", "1", "the bottle", "abc"), ("", "", "my sister", "c"), ("0", "0", "0", ""), ("", "", "", None),
    ("0", "0", "  radio ", "c"), ("", "", "99", None), ("1", "", "99", "a"), ("0", "1", "1", "bc"), ("", "", "0", ""),
]  # fmt: skip


def frame() -> pd.DataFrame:
    columns: dict[str, list[Any]] = {"id": list(range(len(ROWS))), "area": [1, 2] * (len(ROWS) // 2)}
    for k, name in enumerate(("taste", "price", "other")):
        columns[name] = [row[k] or None for row in ROWS]
    return pd.DataFrame(columns)


def counted(survey: otter.Survey, **settings: Any) -> tuple[list[float], int]:
    table = survey.table("why", figures="count", **settings)
    shown = [table.value(label, "Total") for label in ("Taste", "Price", "Other, please say")]
    return shown, table.people


@pytest.mark.parametrize("form", ["frame", "csv", "parquet", "xlsx"])
def test_any_text_is_a_mention(form: str, tmp_path: Path) -> None:
    data: Any = frame()
    if form != "frame":
        path = tmp_path / f"d.{form}"
        {"csv": data.to_csv, "parquet": data.to_parquet, "xlsx": data.to_excel}[form](path, index=False)
        data = path
    survey = otter.open_survey(otter.codebook_from_text(BOOK), data)
    ticked = [row[3] for row in ROWS if row[3] is not None]
    assert counted(survey) == ([sum(letter in one for one in ticked) for letter in "abc"], len(ticked))
    texts = survey.responses.answers("words").texts.tolist()  # type: ignore[union-attr]
    assert [text.strip() for text in texts] == [row[2].strip() for row in ROWS]  # the same column, for coding


@given(st.lists(st.text(alphabet="abc0 19", max_size=3), min_size=4, max_size=30))
def test_a_mention_is_whatever_is_said_but_no(words: list[str]) -> None:
    """Against the words themselves; a column of ticks beside it keeps everybody in the base."""
    data = pd.DataFrame({"id": range(len(words)), "area": 1, "taste": "1", "price": "0", "other": words})
    book = BOOK.replace("missing: [99]", 'unticked: [0, "b"]')
    survey = otter.open_survey(otter.codebook_from_text(book), data.astype("string"))
    said = [
        word for word in words if word.strip() not in ("", "b") and word.strip() not in ("0", "00", "000")
    ]
    assert counted(survey)[0][2] == len(said)


def test_the_audit_finds_nothing_strange_in_own_words(tmp_path: Path) -> None:
    frame().to_csv(tmp_path / "d.csv", index=False)
    (tmp_path / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    plan = tmp_path / "plan.yaml"
    plan.write_text("data: d.csv\ncodebook: codebook.yaml\ntables: [{question: why}]\n", encoding="utf-8")
    assert not {"stray tick", "tick never found"} & {slip.name for slip in otter.run_audit(plan).slips}
    without = BOOK.replace(", write in: true", "")
    (tmp_path / "codebook.yaml").write_text(without, encoding="utf-8")
    assert "stray tick" in {slip.name for slip in otter.run_audit(plan).slips}


SINGLE = """
respondent: id
questions:
  area: {kind: single, column: area, answers: {1: North, 2: South}}
  why: {kind: single, column: why, missing: [refused], answers: {taste: Taste, price: Price, other: {label: Something else, write in: true}}}
  reasons: {kind: multi, joined: {column: reasons, by: ";"}, answers: {a: Taste, b: Price, x: {label: Something else, write in: true}}}
  told: {kind: multi, mentions: [m_1, m_2], answers: {a: Taste, b: Price, x: {label: Something else, write in: true}}}
"""


@given(st.lists(st.sampled_from(["taste", "Price", "the bottle", "", "refused", "my sister", "7", "other", "Something else"]), min_size=3, max_size=30).filter(any))  # fmt: skip
def test_one_answer_stands_for_every_text_that_is_no_other(words: list[str]) -> None:
    """But for numbers, which are codes that the codebook does not know, and what is missing."""
    data = pd.DataFrame(
        {
            "id": range(len(words)), "area": 1, "why": words,
            "reasons": [f"a;{word}" if word else "" for word in words],
            "m_1": words, "m_2": ["a" if word else "" for word in words],
        }
    )  # fmt: skip
    survey = otter.open_survey(otter.codebook_from_text(SINGLE), data.astype("string"))
    own = sum(word in ("the bottle", "my sister", "other", "Something else") for word in words)
    known = sum(word in ("taste", "Price") for word in words)
    single = survey.table("why", figures="count")
    assert (
        (single.people, single.value("Something else", "Total")) == (own + known, own)
        if own + known
        else True
    )
    more = sum(
        word in ("the bottle", "my sister", "Something else", "taste", "other", "refused") for word in words
    )
    for name in ("reasons", "told"):  # whose codes are others: `taste` and `refused` are words there
        table = survey.table(name, figures="count")
        labels = sum(word == "Price" for word in words)
        assert table.value("Something else", "Total") == more
        assert table.value("Price", "Total") == labels and table.value("Taste", "Total") == sum(
            map(bool, words)
        )
    assert dict(survey.responses.answers("told").unknown) == ({"7": words.count("7")} if "7" in words else {})  # type: ignore[union-attr]


def test_what_they_are_is_listed(tmp_path: Path, run: Callable[..., tuple[int, str, str]]) -> None:
    frame().to_csv(tmp_path / "d.csv", index=False)
    (tmp_path / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    code, out, _ = run(
        "questions", "why", "--codebook", tmp_path / "codebook.yaml", "--data", tmp_path / "d.csv"
    )
    (line,) = [line for line in out.splitlines() if "Other" in line]
    assert code == 0 and "own words" in line and "%" in line
    assert "own words" in str(otter.codebook_from_text(BOOK)["why"])


@pytest.mark.parametrize(
    ("book", "before", "after", "message"),
    [
        (BOOK, "write in: true", "write_in: true", "Did you mean 'write in'?"),
        (BOOK, "write in: true", "write in: please", "expected true or false"),
        (BOOK, "write in: true", "write in: true, missing: true", "'other' is missing, so that own words would be no answers"),
        (SINGLE, "taste: Taste", "taste: {label: Taste, write in: true}", "only one answer can stand for own words in a column of codes"),
        (SINGLE, "a: Taste", "a: {label: Taste, write in: true}", "only one answer can stand for own words"),
        (SINGLE, "why: {kind: single, column: why, missing: [refused]", "why: {kind: ranking, ranks: [a, b]", "ranks have no own words"),
    ],
)  # fmt: skip
def test_mistakes_are_told(book: str, before: str, after: str, message: str) -> None:
    with pytest.raises(otter.DocumentError, match=message.replace("?", r"\?")):
        otter.codebook_from_text(book.replace(before, after))


def test_they_are_written_in_python_too() -> None:
    why = define.Multi(columns={"taste": "Taste", "other": define.Answer(label="Other", write_in=True)})
    book = otter.codebook_from_text(BOOK).without_question("why").with_question("why", why)
    assert otter.open_survey(book, frame()).table("why", figures="count").people == 9
    with pytest.raises(otter.RequestError, match="write in"):
        define.Answer(label="Other", write_in="yes")  # type: ignore[arg-type]


def two_waves(folder: Path, not_offered: str) -> Path:
    """Write a plan of two files, in the second of which an answer of `why` was not offered."""
    plan = folder / "plan.yaml"
    plan.write_text(
        "data:\n  question: wave\n  files:\n    - {file: may.csv, label: May}\n"
        f"    - {{file: june.csv, label: June, changes: {{not offered: {{why: [{not_offered}]}}}}}}\n"
        "codebook: codebook.yaml\ntables: [{question: why}]\n",
        encoding="utf-8",
    )
    return plan


def test_words_where_the_answer_was_not_offered_are_refused(tmp_path: Path) -> None:
    frame().to_csv(tmp_path / "may.csv", index=False)
    frame().assign(id=lambda data: data.id + 100).to_csv(tmp_path / "june.csv", index=False)
    (tmp_path / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    code = otter.codebook_from_text(BOOK)["why"].answers[2].code
    with pytest.raises(otter.DataError, match="is listed under 'not offered'"):
        otter.run(two_waves(tmp_path, code))


@pytest.fixture
def in_parts(monkeypatch: pytest.MonkeyPatch) -> Callable[[], None]:
    return lambda: monkeypatch.setattr(files, "PART_ROWS", 3)


def test_parts_count_the_same(tmp_path: Path, in_parts: Callable[[], None]) -> None:
    frame().to_parquet(tmp_path / "d.parquet")
    book = otter.codebook_from_text(BOOK)
    whole = counted(otter.open_survey(book, tmp_path / "d.parquet"), banner="area")
    in_parts()
    assert counted(otter.open_survey(book, tmp_path / "d.parquet"), banner="area") == whole


@pytest.mark.parametrize("text", ["taste", "radio"])
def test_own_words_of_a_single_answer_that_was_not_offered_are_refused(tmp_path: Path, text: str) -> None:
    (tmp_path / "may.csv").write_text("id,area,why,reasons,m_1,m_2\n1,1,the bottle,,,\n", encoding="utf-8")
    (tmp_path / "june.csv").write_text(f"id,area,why,reasons,m_1,m_2\n2,1,{text},,,\n", encoding="utf-8")
    (tmp_path / "codebook.yaml").write_text(SINGLE, encoding="utf-8")
    plan = two_waves(tmp_path, "other")
    if text == "taste":
        assert otter.run(plan).tables[0].people == 2
        return
    with pytest.raises(otter.DataError, match="is listed under 'not offered'"):
        otter.run(plan)


def test_many_texts_among_codes_are_told_what_they_may_be() -> None:
    book = otter.codebook_from_text("questions:\n  why: {kind: single, answers: {1: Taste, 2: Price}}\n")
    for texts, told in ((["1", "a", "b", "c", "d"], True), (["1", "2", "1", "2", "a"], False)):
        survey = otter.open_survey(book, pd.DataFrame({"why": texts}))
        with pytest.raises(otter.DataError, match="should hold the codes or labels of why") as error:
            survey.table("why")
        assert ("write in: true" in str(error.value)) == told


def test_the_audit_says_how_own_words_are_written_where_there_are_many(tmp_path: Path) -> None:
    for texts, told in ((["a bus", "radio", "my aunt", "a leaflet"], True), (["2", "3", "4", "5"], False)):
        ticks = {"taste": ["1", "0"] * 4, "other": [*texts, "", "", "", "1"]}
        pd.DataFrame({"id": range(8), **ticks}).to_csv(tmp_path / "d.csv", index=False)
        book = "respondent: id\nquestions:\n  why: {kind: multi, columns: {taste: Taste, other: Other}}\n"
        (tmp_path / "codebook.yaml").write_text(book, encoding="utf-8")
        plan = tmp_path / "plan.yaml"
        plan.write_text("data: d.csv\ncodebook: codebook.yaml\ntables: [{question: why}]\n", encoding="utf-8")
        (slip,) = [slip for slip in otter.run_audit(plan).slips if slip.name == "stray tick"]
        assert ("write in: true" in slip.remedy) == told
