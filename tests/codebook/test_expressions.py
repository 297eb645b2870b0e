"""The expression language: what it accepts, what it means, how it points at mistakes."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.codebook.expression import parse

BOOK = """
questions:
  region: {kind: single, answers: {1: North, 2: East, 3: "New: \\"South\\"", 9: {label: Not stated, missing: true}}}
  letter: {kind: single, answers: {A: Alpha, B: Beta}}
  age: {kind: number}
  heard: {kind: multi, columns: {h_1: Tarn, h_2: Brookfizz, h_9: {label: None of these, exclusive: true}}}
  note: {kind: text}
  Łódź 1: {kind: number, column: age}
"""
NAN = float("nan")
ROWS = {
    "region": [1, 2, 3, 9, NAN],
    "letter": ["A", "B", None, "Alpha", "B"],
    "age": [18, 25.5, NAN, 40, 17],
    "h_1": [1, 0, 1, 0, NAN],
    "h_2": [1, 0, 0, 0, NAN],
    "h_9": [0, 1, 0, 0, NAN],
    "note": ["good", "", "fine", "good", None],
}


@pytest.mark.parametrize(
    ("text", "who"),
    [
        ("region == 1", "1"),
        ("region = 'north'", "1"),
        ("region != 1", "23"),  # whoever gave no answer satisfies no comparison
        ("not region == 1", "2345"),  # … and not turns that round
        ("region == 9", "4"),  # a missing answer can be named
        ("region >= 2", "23"),  # but has no place in the order
        ("region in (1, 3)", "13"),
        ("region in 2..9", "23"),
        ("region not in (1, 3)", "245"),
        ("letter == Beta", None),
        ("letter == 'Beta'", "25"),
        ("letter in ('A', 'B')", "1245"),
        ("age >= 18 and age < 40", "12"),
        ("age in (17..18, 40)", "145"),
        ("age != 18", "245"),
        ("heard mentions 1", "13"),
        ("heard mentions all (1, 2)", "1"),
        ("heard mentions any ('Brookfizz', 'None of these')", "12"),
        ("heard mentions none (1)", "24"),
        ("count of heard == 0", "24"),  # an exclusive answer is no mention
        ("count of heard in 1..2", "13"),
        ("answered heard", "1234"),
        ("answered region and not answered age", "3"),
        ("note == 'good'", "14"),
        ("note != 'good'", "3"),
        ("note in ('good', 'fine')", "134"),
        ("`Łódź 1` > 20 OR REGION == 1", None),
        ("`Łódź 1` > 20 OR region == 1", "124"),
        ("(region == 1 or region == 2) and not (age > 20)", "1"),
    ],
)
def test_who_satisfies_an_expression(small: Callable[..., otter.Survey], text: str, who: str | None) -> None:
    survey = small(BOOK, **ROWS)
    if who is None:
        with pytest.raises(otter.ExpressionError):
            survey.responses.chosen_by(text)
    else:
        found = "".join(str(k + 1) for k in np.flatnonzero(survey.responses.chosen_by(text)))
        assert found == who


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("", "The expression is empty.\n    \n    ^"),
        ("region ==", "Expected a number or a text in quotes; found the end of the expression.\n    region ==\n             ^"),
        ("regoin == 1", "No question 'regoin'. Did you mean 'region'?\n    regoin == 1\n    ^"),
        ("region == 5", "region has no answer '5'. Known: North, East, New: \"South\", Not stated.\n    region == 5\n              ^"),
        ("age == 'x", "The quote ' opened here is not closed.\n    age == 'x\n           ^"),
        ("age = 1 || 2", "The character '|' has no meaning here: write 'or'.\n    age = 1 || 2\n            ^"),
        ("!(age = 1)", "The character '!' has no meaning here: write 'not'.\n    !(age = 1)\n    ^"),
        ("age = 1 % 2", "The character '%' has no meaning here.\n    age = 1 % 2\n            ^"),
        ("age = 1 & 2", "The character '&' has no meaning here: write 'and'.\n    age = 1 & 2\n            ^"),
        ("age == 'old'", "A number is wanted here, for age.\n    age == 'old'\n           ^"),
        ("letter > 1", "The codes of letter are not numbers, so it has no order; name the answers with in (…).\n    letter > 1\n    ^"),
        ("heard == 1", "heard takes several answers; write 'heard mentions any (…)' or 'count of heard'.\n    heard == 1\n    ^"),
        ("age mentions 1", "'mentions' is for multiple-response questions; age is of kind number. Use == or in.\n    age mentions 1\n    ^"),
        ("age in 5..1", "The range runs backwards; write the smaller end first.\n    age in 5..1\n           ^"),
        ("__import__('os')", "Expected a comparison (==, !=, <, <=, >, >=, in, mentions, contains); found '('.\n    __import__('os')\n              ^"),
    ],
)  # fmt: skip
def test_mistakes_are_pointed_at(small: Callable[..., otter.Survey], text: str, message: str) -> None:
    with pytest.raises(otter.ExpressionError) as error:
        small(BOOK, **ROWS).responses.chosen_by(text)
    assert str(error.value) == message


def test_nesting_and_length_are_limited() -> None:
    for hostile in (
        "(" * 5000 + "a == 1" + ")" * 5000,
        "not " * 5000 + "a == 1",
        "a == 1 or " * 5000 + "a == 1",
    ):
        with pytest.raises(otter.ExpressionError):
            parse(hostile)


@given(st.text(max_size=60))
def test_any_text_parses_or_ends_in_an_expression_error(text: str) -> None:
    try:
        parse(text)
    except otter.ExpressionError as error:
        assert 0 <= error.position <= len(error.text)
