"""Answers that ask for own words, in the ways that platforms write them, are part of their question in a draft."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence

import pandas as pd
import pytest

import eager_otter as otter

STEM = "Q1: How did you hear of us? (Select all that apply)"
SAY = "Other (please specify)"
ROWS = 300
Column = Callable[[random.Random], Sequence[str]]


def ticks(*values: str) -> Column:
    return lambda draw: draw.choices(values, k=ROWS)


def words(draw: random.Random) -> Sequence[str]:
    return [draw.choice(["", "", f"own words {draw.randint(1, 90)}"]) for _ in range(ROWS)]


def few_words(draw: random.Random) -> Sequence[str]:
    return draw.choices(["", "", "radio", "my sister", "a bus"], k=ROWS)


def labels(*names: str) -> dict[str, Column]:
    return {f"{STEM} - {name}": ticks(name, "") for name in names}


KINDS: dict[str, tuple[Mapping[str, Column], int, int]] = {  # columns, answers of the question, of them in own words
    "labels, the words beside": ({**labels("Friends", "Poster", SAY), f"{STEM} - {SAY} - Text": words}, 3, 0),
    "labels, the words between": ({**labels("Friends", "Poster", SAY), f"{STEM} - {SAY} - Text": words, **labels("None of these")}, 4, 0),
    "labels, and a shorter one": ({**labels("Friends", "Poster"), f"{STEM} - {SAY}": ticks("Other", "")}, 3, 0),
    "words for the label": ({**labels("Friends", "Poster"), f"{STEM} - {SAY}": words}, 3, 1),
    "words for the label, between": ({**labels("Friends", "Poster"), f"{STEM} - {SAY}": words, **labels("None of these")}, 4, 1),
    "few words for the label": ({**labels("Friends", "Poster", "Web"), f"{STEM} - {SAY}": few_words}, 4, 1),
    "brackets": ({f"{STEM} [{name}]": ticks(name, "") for name in ("Friends", "Poster")} | {f"{STEM} [{SAY}]": words}, 3, 1),
    "0 and 1": ({f"{STEM} - {name}": ticks("0", "1") for name in ("Friends", "Poster", SAY)} | {f"{STEM} - {SAY} - Text": words}, 3, 0),
    "yes and no": ({f"{STEM} - {name}": ticks("Yes", "No") for name in ("Friends", "Poster", SAY)} | {f"{STEM} - {SAY} - Text": words}, 3, 0),
    "1 or nothing": ({f"{STEM} - {name}": ticks("1", "") for name in ("Friends", "Poster")} | {f"{STEM} - {SAY}": words}, 3, 1),
    "0 and 1, no tick of its own": ({f"{STEM} - {name}": ticks("0", "1") for name in ("Friends", "Poster")} | {f"{STEM} - {SAY}": words}, 3, 1),
    "something else": ({f"{STEM} - {name}": ticks("0", "1") for name in ("Friends", "Something else")} | {f"{STEM} - Something else (please specify)": words}, 2, 0),
    "something else, in brackets": ({f"{STEM} [{name}]": ticks("0", "1") for name in ("Friends", "Something else")} | {f"{STEM} [Something else (please specify)]": words}, 2, 0),
    "another other": ({f"{STEM} - {name}": ticks("0", "1") for name in ("Friends", "Other")} | {f"{STEM} - Please say which": words}, 2, 0),
    "names with words": ({"q1_1": ticks("0", "1"), "q1_2": ticks("0", "1"), "q1_97": ticks("0", "1"), "q1_97_specify": words}, 3, 0),
    "names with an other": ({"q1_1": ticks("0", "1"), "q1_2": ticks("0", "1"), "q1_other": ticks("0", "1"), "q1_other_specify": words}, 3, 0),
    "names": ({"q1_1": ticks("0", "1"), "q1_2": ticks("0", "1"), "q1_97": ticks("0", "1"), "q1_97_text": words}, 3, 0),
}  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
def test_own_words_are_an_answer_where_nothing_else_is_their_tick(kind: str) -> None:
    columns, answers, own = KINDS[kind]
    draw = random.Random(kind)
    data = pd.DataFrame(
        {"id": [f"R{k}" for k in range(ROWS)], **{name: make(draw) for name, make in columns.items()}}
    )
    drafted = otter.draft(data.astype("string"))
    book = otter.codebook_from_text(drafted.codebook)
    (multi,) = [question for question in book if question.kind == "multi"]
    assert not any("How did" in answer.label for answer in multi.answers)
    assert len(multi.answers) == answers and sum(answer.write_in for answer in multi.answers) == own
    rest = [question for question in book if question.kind != "multi" and question.name != "id"]
    assert len(rest) == len(columns) - answers and all(
        question.kind in ("text", "single") for question in rest
    )
    survey = otter.open_survey(book, data)
    shown = survey.table(multi.name, figures="count")
    for answer, name in zip(multi.answers, multi.columns, strict=True):
        said = data[name].fillna("").isin(["", "0", "No"])
        assert shown.value(answer.label, "Total") == (~said).sum(), name


OFTEN = ["Tarn", "Birk", "Skerrow", "None"]
SINGLES: dict[
    str, tuple[list[str], float, int, str]
] = {  # labels, share of own words, kinds of these, the answer drafted
    "own words": (OFTEN, 0.1, 60, "Other"),
    "many own words": (OFTEN, 0.3, 200, "Other"),
    "beside a label for them": ([*OFTEN, "Something else"], 0.1, 60, "Something else"),
    "half in own words": (OFTEN, 0.6, 200, ""),
    "the same words again and again": (OFTEN, 0.3, 31, ""),
    "short replies to an open question": (["no", "None", "good", "nothing"], 0.2, 90, ""),
    "two labels": (["Tarn", "Birk"], 0.1, 60, ""),
}


@pytest.mark.parametrize("kind", SINGLES)
def test_a_few_labels_and_own_words_are_a_single_response(kind: str) -> None:
    labels, share, kinds, other = SINGLES[kind]
    draw = random.Random(kind)
    own = [f"what I say, {k}" for k in range(kinds)]
    texts = [draw.choice(own) if draw.random() < share else draw.choice(labels) for _ in range(600)]
    data = pd.DataFrame({"id": [f"R{k}" for k in range(600)], "q": texts}).astype("string")
    drafted = otter.draft(data)
    book = otter.codebook_from_text(drafted.codebook)
    if not other:
        assert book["q"].kind == "text"
        return
    shown = otter.open_survey(book, data).table("q", figures="count")
    said = sum(text.startswith("what I say") or text == other for text in texts)
    assert shown.value(other, "Total") == said and shown.people == 600
    assert [answer.label for answer in book["q"].answers if answer.write_in] == [other]
    assert {answer.label for answer in book["q"].answers} == {*labels, other}
    assert any("own words" in doubt for guess in drafted.guesses for doubt in guess.doubts)
