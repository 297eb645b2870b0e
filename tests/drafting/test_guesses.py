"""What columns are taken for: each rule at both of its edges, and a draft of any frame that can be used untouched."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter

ROWS = 240
RNG = np.random.default_rng(11)


def cycled(values: Sequence[Any], rows: int = ROWS) -> list[Any]:
    return [values[k % len(values)] for k in range(rows)]


def guesses(columns: Mapping[str, Sequence[Any]]) -> dict[str, otter.Guess]:
    """What a frame of some columns is taken for, by name; it begins with an id that is none of them."""
    texts = {
        name: [None if value is None else str(value) for value in values] for name, values in columns.items()
    }
    return {guess.name: guess for guess in otter.draft(pd.DataFrame(texts, dtype="string")).guesses}


@pytest.mark.parametrize(
    ("name", "values", "role"),
    [
        ("q", cycled(range(1, 13)), "single"),  # up to twelve codes
        ("q", cycled(range(1, 14)), "number"),
        ("q", cycled([-1, 1, 2]), "single"),
        ("q", cycled([-2, 1, 2]), "number"),
        ("q", cycled([1, 2, 999]), "single"),
        ("q", cycled([1, 2, 1000]), "number"),
        ("q", cycled([1.5, 2, 3]), "number"),
        ("q", [1, 1, 2, 2], "single"),  # each code twice
        ("q", [1, 1, 2, 2, 3, 4, 5], "number"),
        ("q", cycled([f"answer {k:02}" for k in range(30)]), "single"),
        ("q", cycled([f"answer {k:02}" for k in range(31)]), "text"),
        ("q", cycled(["a" * 60, "b"]), "single"),
        ("q", cycled(["a" * 61, "b"]), "text"),
        ("q", [*cycled(["a", "b", "c"], 9)], "single"),
        ("q", [*cycled(["a", "b", "c", "d"], 9)], "text"),  # hardly one repeats
        ("q", [None] * ROWS, "empty"),
        ("respid", range(5), "respondent"),
        ("q", range(1, 32), "respondent"),  # the first column, different in more than thirty rows
        ("q", range(1, 31), "number"),
        ("respid", [1, 2, 3, 3, 4], "number"),
        ("wt", cycled([0.5, 1, 1.5]), "weight"),
        ("my_weight_2", cycled([0, 1, 1.5]), "weight"),
        ("weightless", cycled([0.5, 1, 1.5]), "number"),
        ("wt", cycled([-0.5, 1, 1.5]), "number"),
        ("wt", cycled([0.5, 1, None]), "number"),
        ("wt", cycled([0]), "single"),  # nobody would be counted
        ("freq", cycled([0]), "single"),
        ("freq", cycled(range(40)), "frequency"),
        ("freq", cycled([1.5, 2]), "number"),
        ("freq", cycled([*range(40), None]), "number"),
        ("freq_today", cycled(range(40)), "number"),
        ("when", cycled(["2026-03-31", "2026-04-01T10:00"]), "date"),
        ("when", cycled(["2026-03-31", "2026-02-30"]), "single"),
        ("when", cycled(["31.12.2025", "01.02.2026"]), "date"),
        ("when", cycled(["12/31/2025", "02/01/2026"]), "date"),
        ("when", cycled(["20251231", "20260201"]), "date"),
        ("when", cycled(["31.12.1825", "01.02.1826"]), "single"),
    ],
)  # fmt: skip
def test_a_column_alone(name: str, values: Sequence[Any], role: str) -> None:
    assert guesses({name: values})[name].role == role


@pytest.mark.parametrize(
    ("columns", "roles"),
    [
        ({"q1": cycled([0, 1]), "q2": cycled([1, 1, 0])}, {"q": "ticks"}),
        ({"q_1": cycled([1, None]), "q_2": cycled([None, None, 1])}, {"q": "ticks"}),
        ({"q1": cycled([1, 2]), "q2": cycled([1, 2, 2]), "q3": cycled([2, 1, 1])}, {"q": "ticks"}),
        ({"q1": cycled([1, 2]), "q2": cycled([1, 2, 2])}, {"q1": "single", "q2": "single"}),  # two yes-no questions
        ({"q1": cycled(["Yes", "no"]), "q2": cycled(["no", "Yes"])}, {"q": "ticks"}),
        ({"q1": cycled(["no", "n"]), "q2": cycled(["no"])}, {"q1": "single", "q2": "single"}),  # nobody said yes
        ({"q1": cycled(["Tarn", None]), "q2": cycled([None, "Fizz"])}, {"q": "ticks"}),
        ({"q1": cycled(["Tarn", None]), "q2": cycled([None, "Tarn"])}, {"q1": "single", "q2": "single"}),
        ({"q1": cycled([3, 1, 2]), "q2": cycled([1, None, 3]), "q3": cycled([None, None, 1])}, {"q": "mentions"}),
        ({"q1": cycled([3, 1, 2]), "q2": cycled([3, 1, None])}, {"q": "grid"}),  # the same twice in a row
        ({"q1": cycled([1, 2, 3, 4]), "q2": cycled([2, 3, 4, 1])}, {"q": "grid"}),
        ({"q1": cycled([1, 2, 3, 4, 5]), "q2": cycled([1, 2, 3])}, {"q": "grid"}),  # three of five in common
        ({"q1": cycled([1, 2, 3, 4, 5]), "q2": cycled([1, 2])}, {"q1": "single", "q2": "single"}),
        ({"q1": cycled(range(13)), "q2": cycled(range(13))}, {"q1": "number", "q2": "number"}),
        ({"wt": cycled([1, 2]), "wgt": cycled([2, 3])}, {"wt": "weight", "wgt": "number"}),
        ({"id": range(40), "serial": range(40, 80)}, {"id": "respondent", "serial": "text"}),
        ({"q": cycled(["1;2", "2;3", "3", "1", "2;1;3"])}, {"q": "joined"}),
        ({"q": [*cycled(["1", "2", "3"], 100), "1;2"]}, {"q": "single"}),  # joined only once
        ({"q": cycled(["good, really", "bad, really", "dull", "good"])}, {"q": "single"}),
    ],
)  # fmt: skip
def test_columns_that_belong_together(columns: Mapping[str, Sequence[Any]], roles: Mapping[str, str]) -> None:
    assert {name: guess.role for name, guess in guesses(columns).items()} == roles


def test_what_else_is_guessed() -> None:
    scale = {"q1": cycled([1, 2, 3, 4, 5, 98, 99]), "q2": cycled([1, 2, 3, 4, 5, 99, 98])}
    grid = guesses(scale)["q"]
    assert grid.details == {"scale": True, "missing": ("98", "99")} and grid.columns == ("q1", "q2")
    assert guesses({"q1": cycled([1, 2, 4]), "q2": cycled([1, 2, 4])})["q"].details == {"scale": False, "missing": ()}  # fmt: skip
    assert (
        guesses({"q1": cycled([1, 2, 3]), "q2": cycled([2, 3, 1])})["q"].details["scale"] is False
    )  # three are few
    single = guesses({"q": cycled([1, 2, 3, 4, 99])})["q"]
    assert single.details == {"missing": ("99",)} and "a scale? then add scale: true" in single.reason
    assert guesses({"q": cycled([1, 2, 3, 4, 50])})["q"].details == {"missing": ()}
    assert guesses({"q": cycled(["Good", "Don't know"])})["q"].details == {"missing": ("Don't know",)}
    ticks = guesses({"q1": cycled(["Y", "n"]), "q2": cycled(["n", "Y"])})["q"]
    assert ticks.details == {"ticked": "Y", "unticked": "n"} and ticks.answers == (("1", "q1"), ("2", "q2"))
    assert guesses({"q1": cycled([1, None]), "q2": cycled([1, None])})["q"].details == {"ticked": "1", "unticked": None}  # fmt: skip
    labels = guesses({"q1": cycled(["Tarn", None]), "q2": cycled([None, "Fizz"])})["q"]
    assert labels.answers == (("1", "Tarn"), ("2", "Fizz"))
    assert guesses({"q": cycled(["1|2", "2|3", "3", "1", "3|2|1"])})["q"].details == {"by": "|"}
    assert guesses({"d": cycled(["03/31/2026"])})["d"].details == {"format": "%m/%d/%Y"}
    assert "check that day and month" in guesses({"d": cycled(["01/02/2026"])})["d"].reason
    assert [text for text, _ in guesses({"q": cycled(["10", "9", "x", "B"])})["q"].answers] == [
        "9",
        "10",
        "B",
        "x",
    ]


def test_a_draft_makes_a_banner_of_questions_with_few_answers() -> None:
    drafted = otter.draft(pd.DataFrame({f"{letter}x": cycled([f"a{k}" for k in range(size)]) for letter, size in zip("abcdefg", (1, 2, 8, 7, 3, 4, 2), strict=True)}))  # fmt: skip
    assert "main: [bx, dx, ex]" in drafted.plan and "each: all" in drafted.plan
    assert "banners" not in otter.draft(pd.DataFrame({"n": np.linspace(0.5, 99, 50)})).plan


# --- a law ----------------------------------------------------------------------------------------------

DAYS = st.dates(datetime.date(1950, 1, 1), datetime.date(2050, 1, 1)).map(
    lambda day: day.strftime("%d.%m.%Y")
)
CELLS = st.one_of(
    st.integers(-3, 15), st.floats(-5, 2000, width=32), st.sampled_from(["Yes", "no", "1;2", "2;3", "Tarn", "a: b", "- #x", "{}", "null"]),
    st.text("ab:;,#'\" é0", max_size=6), DAYS, st.none(),
)  # fmt: skip
NAMES = st.lists(st.one_of(st.sampled_from(["q1", "q2", "q_3", "wt", "id", "freq", "when", "a: b", "no", "1"]), st.text("ab:.#' 12", min_size=1, max_size=5)), min_size=1, max_size=6, unique=True)  # fmt: skip


@given(st.data())
def test_a_draft_of_any_frame_opens_it_and_drops_no_column(data: st.DataObject) -> None:
    names = [name for name in data.draw(NAMES) if name.strip() == name]
    if not names:
        return
    rows = data.draw(st.integers(1, 14))
    few = data.draw(st.lists(CELLS, min_size=1, max_size=4))
    columns = {name: data.draw(st.lists(st.one_of(st.sampled_from(few), CELLS), min_size=rows, max_size=rows)) for name in names}  # fmt: skip
    frame = pd.DataFrame({name: pd.array([None if one is None else str(one) for one in values], dtype="string") for name, values in columns.items()})  # fmt: skip
    drafted = otter.draft(frame)
    assert sorted(column for guess in drafted.guesses for column in guess.columns) == sorted(names)
    if all(guess.role in ("empty", "respondent", "weight", "frequency") for guess in drafted.guesses):
        return  # a codebook needs a question
    codebook = otter.codebook_from_text(drafted.codebook)
    read = {column for question in codebook for column in question.columns} | set(codebook.special_columns.values())  # fmt: skip
    assert read == set(names) - {guess.name for guess in drafted.guesses if guess.role == "empty"}
    survey = otter.open_survey(codebook, frame)
    for question in codebook:
        if question.kind == "single" and not question.is_of.not_tabulated:
            seen = survey.overview(question.name)
            answers = sum(answer.people for answer in seen.answers if not answer.note)
            assert answers == seen.answered
