"""What columns are taken for: each rule at both of its edges, and a draft of any frame that can be used untouched."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from pathlib import Path
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
        ("q", cycled([-2, 1, 2]), "number"),  # steps around 0
        ("q", cycled([-3, -2, -1, 0, 1, 2, 3]), "number"),
        ("q", cycled([-99, 1, 2]), "single"),
        ("q", cycled([-99, -77, *range(1, 13)]), "single"),
        ("q", cycled([-99, -88, -77, -66, 1, 2]), "number"),
        ("q", cycled([-12, 1, 2]), "number"),
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
        ({"q_1": cycled([1, 2]), "q_2": cycled([1, 2, 2]), "q_3": cycled([2, 1, 1])}, {"q": "ticks"}),
        ({"q1": cycled([1, 2]), "q2": cycled([1, 2, 2]), "q3": cycled([2, 1, 1])}, {f"q{k}": "single" for k in (1, 2, 3)}),
        ({"q1": cycled([1, 2]), "q2": cycled([1, 2, 2])}, {"q1": "single", "q2": "single"}),  # two yes-no questions
        ({"q1": cycled(["Yes", "no"]), "q2": cycled(["no", "Yes"])}, {"q": "ticks"}),
        ({"q1": cycled(["no", "n"]), "q2": cycled(["no"])}, {"q1": "single", "q2": "single"}),  # nobody said yes
        ({"q1": cycled(["Tarn", None]), "q2": cycled([None, "Fizz"])}, {"q": "ticks"}),
        ({"q1": cycled(["Tarn", None]), "q2": cycled([None, "Tarn"])}, {"q": "ticks"}),  # a word against nothing
        ({"q1": cycled([3, 1, 2]), "q2": cycled([1, None, 3]), "q3": cycled([None, None, 1])}, {"q": "mentions"}),
        ({"q_1": cycled([3, 1, 2]), "q_2": cycled([3, 1, None])}, {"q": "grid"}),  # the same twice in a row
        ({"q_1": cycled([1, 2, 3, 4]), "q_2": cycled([2, 3, 4, 1])}, {"q": "grid"}),
        ({"q1": cycled([1, 2, 3, 4]), "q2": cycled([2, 3, 4, 1])}, {"q1": "single", "q2": "single"}),
        ({"q_1": cycled([1, 2, 3, 4, 5]), "q_2": cycled([1, 2, 3])}, {"q": "grid"}),  # three of five in common
        ({"q_1": cycled([1, 2, 3, 4, 5]), "q_2": cycled([1, 2])}, {"q_1": "single", "q_2": "single"}),
        ({"q_1": cycled(range(13)), "q_2": cycled(range(13))}, {"q_1": "number", "q_2": "number"}),
        ({"wt": cycled([0.5, 1.5]), "wgt": cycled([0.9, 1.1])}, {"wt": "weight", "wgt": "number"}),
        ({"id": range(40), "serial": range(40, 80)}, {"id": "respondent", "serial": "text"}),
        ({"q": cycled([1, 2]), "ResponseId": [f"R_{k}" for k in range(240)]}, {"q": "single", "ResponseId": "respondent"}),
        ({"q": cycled([1, 2]), "Paid": [f"R_{k}" for k in range(240)]}, {"q": "single", "Paid": "text"}),
        ({"q": [*cycled(["Tarn,Birk", "Birk,Fjell,Alva", "Alva", "Kolm,Tarn", "Fjell,Kolm", "Nive,Birk", "Tarn", "Birk,Tarn"]), "Tarn,Eno"]}, {"q": "joined"}),
        ({"q": [*cycled(["good, really", "bad"]), "so, so", "fine, thanks", "a, b"]}, {"q": "single"}),
        ({"q": cycled(["1;2", "2;3", "3", "1", "2;1;3"])}, {"q": "joined"}),
        ({"q": [*cycled(["1", "2", "3"], 100), "1;2", "2;3"]}, {"q": "joined"}),  # only two are ever joined
        ({"q": [*cycled(["1", "2", "3"], 100), "1;2"]}, {"q": "single"}),  # joined only once
        ({"q": cycled(["good, really", "bad, really", "dull", "good"])}, {"q": "single"}),
        ({"v_2": cycled(["18-29", "30-49", "50+"]), "v_8": cycled(["too dear", "nice", None])}, {"v_2": "single", "v_8": "single"}),
        ({"v_2": cycled(["18-29", "30-49", "50+"]), "v_8": cycled(["50+", None, "30-49"])}, {"v": "mentions"}),
    ],
)  # fmt: skip
def test_columns_that_belong_together(columns: Mapping[str, Sequence[Any]], roles: Mapping[str, str]) -> None:
    assert {name: guess.role for name, guess in guesses(columns).items()} == roles


def test_answers_that_differ_in_spelling_are_to_be_checked() -> None:
    told = "are 'North East' and 'North-East' one answer? then write them alike in the data, or merge them"
    columns = {"place": cycled(["North East", "South", "North-East"]), "taste": cycled(["Good", "Bad"])}
    assert guesses(columns)["place"].doubts == (told,)
    assert guesses(columns)["taste"].doubts == ()
    drafted = otter.draft(pd.DataFrame(columns))
    assert f"# check: {told}" in drafted.codebook
    answers = otter.codebook_from_text(drafted.codebook).question("place").answers
    assert [answer.code for answer in answers] == ["North East", "North-East", "South"]  # none is taken away
    many = [f"{text}{k}" for k in range(7) for text in ("Brand ", "brand ")]
    assert len(guesses({"q": cycled(many)})["q"].doubts) == 4


def test_ticks_under_numbers_alone_may_be_questions_of_their_own() -> None:
    """Names such as q1 number questions as often as answers; a name with a stem of its own does not."""
    words = {f"q{k}": cycled(["Yes", "No"][:: 1 if k % 2 else -1]) for k in (1, 2)}
    guess = guesses(words)["q"]
    assert guess.role == "ticks"
    assert guess.doubts == (
        "are columns q1 to q2 questions of their own? then write each as a single question",
    )
    assert (
        guesses({name.replace("q", "heard"): values for name, values in words.items()})["heard"].doubts == ()
    )
    assert guesses({f"q{k}": cycled(["Yes", ""]) for k in (1, 2, 3)})["q"].doubts == ()


def test_codes_apart_from_a_scale_are_proposed_and_never_live() -> None:
    scale = {"q_1": cycled([1, 2, 3, 4, 5, 98, 99]), "q_2": cycled([1, 2, 3, 4, 5, 99, 98])}
    grid = guesses(scale)["q"]
    assert grid.columns == ("q_1", "q_2") and "98, 99 no answer" in grid.doubts[0]
    drafted = otter.draft(pd.DataFrame(scale))
    book = otter.codebook_from_text(drafted.codebook)
    assert not any(answer.missing for answer in book.question("q.q_1").answers)
    assert "99: 99  # check: {label: 99, missing: true}" in drafted.codebook
    unscored = guesses({"q": cycled([1, 2, 3, 4, 5, 9])})["q"]
    assert unscored.doubts == ("is 9 an answer without a score? then add score: none",)
    assert guesses({"q": cycled([1, 2, 3, 4, 50])})["q"].doubts == ()
    words = otter.draft(pd.DataFrame({"q": cycled(["Good", "Don't know", "Refused"])}))
    answers = otter.codebook_from_text(words.codebook).question("q").answers
    assert {answer.code: answer.missing for answer in answers} == {
        "Good": False,
        "Don't know": False,
        "Refused": True,
    }
    far = guesses({"n": [*range(60), 999, 999]})["n"]
    assert far.role == "number" and far.doubts == ("is 999 no answer? then write missing: [999]",)
    ages = [*range(18, 80), *range(18, 80)]
    aged = guesses({"age": [*ages, 99, 99]})["age"]
    assert aged.role == "number" and aged.doubts == ("is 99 no answer? then write missing: [99]",)
    for rare_or_near in ([99], [82] * 4, [*range(80, 99), 99, 99, 99, 99]):
        assert guesses({"age": [*ages, *rare_or_near]})["age"].doubts == ()


APPLIES = ["Trifft gar nicht zu", "Trifft nicht zu", "Teils, teils", "Trifft zu", "Trifft voll und ganz zu"]


@pytest.mark.parametrize(
    ("answers", "missing", "doubted"),
    [
        (APPLIES, [], []),
        ([*APPLIES, "Weiß nicht"], [], ["Weiß nicht"]),
        (["Gut", "Schlecht", "Trifft nicht zu"], [], ["Trifft nicht zu"]),
        (["Applies fully", "Applies in part", "Does not apply"], [], []),
        (["Once", "Twice", "Does not apply"], [], ["Does not apply"]),
        (["A man", "A woman", "Other / prefer not to say"], [], ["Other / prefer not to say"]),
        (["Frau", "Mann", "Divers / keine Angabe"], [], ["Divers / keine Angabe"]),
        (
            ["Taste", "I would rather not drink at night", "It is refused at my club"],
            [],
            ["It is refused at my club"],
        ),
        (["Red", "Refused", "Prefer not to say", "n/a"], ["Refused", "Prefer not to say", "n/a"], []),
        (["Red", "Refused / don't know", "[No answer]", "Blue"], ["Refused / don't know", "[No answer]"], []),
        (["Red", "I'd rather not say", "Not stated (DK)"], ["I'd rather not say", "Not stated (DK)"], []),
        (
            ["Rot", "Keine Angabe", "k. A.", "Verweigert - weiß nicht"],
            ["Keine Angabe", "k. A.", "Verweigert - weiß nicht"],
            [],
        ),
        (["Red", "Don't know", "Not sure"], [], ["Don't know", "Not sure"]),
        (["Red", "No response", "(Skipped)", "Blue"], [], ["No response", "(Skipped)"]),
        (["Red", "Didn't answer", "Missing value"], [], ["Didn't answer", "Missing value"]),
        (["Rot", "Nicht beantwortet", "Fehlt"], [], ["Nicht beantwortet", "Fehlt"]),
        (["Late", "Missing from the shelf", "No response from the shop"], [], []),
    ],
)
def test_only_what_says_nothing_but_that_is_no_answer_for_sure(
    answers: list[str], missing: list[str], doubted: list[str], tmp_path: Path
) -> None:
    """An answer that is taken for none without a word leaves people out of the base."""
    drafted = otter.draft(pd.DataFrame({"q": cycled(answers)}))
    question = otter.codebook_from_text(drafted.codebook).question("q")
    assert sorted(answer.code for answer in question.answers if answer.missing) == sorted(missing)
    assert sorted(
        answer for answer in answers if any(answer in doubt for doubt in drafted.guesses[0].doubts)
    ) == sorted(doubted)
    texts = "; ".join(f"{code}={label}" for code, label in enumerate(answers, 1))
    pd.DataFrame({"variable": ["q"], "values": [texts]}).to_csv(tmp_path / "labels.csv", index=False)
    codes = pd.DataFrame({"q": cycled([*range(1, len(answers) + 1)])})
    by_code = otter.draft(codes, dictionary=tmp_path / "labels.csv")
    question = otter.codebook_from_text(by_code.codebook).question("q")
    assert sorted(answer.label for answer in question.answers if answer.missing) == sorted(missing)


def test_a_weight_that_some_rows_lack_is_asked_for() -> None:
    """Numbers of its name without a word would leave all figures unweighted."""
    weights = [0.5, 1.25, 1.5, None, 0.75, 1.1] * 40
    guess = guesses({"weight": weights})["weight"]
    assert guess.role == "number"
    assert guess.doubts == (
        "a weight of the sample? then write weight: weight, and a filter that leaves out 40 rows without one",
    )
    assert guesses({"net_weight_g": [None, *range(1, 240)]})["net_weight_g"].doubts == ()


@pytest.mark.parametrize(
    ("yes", "no"), [("quoted", "not quoted"), ("1", "0"), ("1", None), ("Yes", "No"), ("1", "2")]
)
@pytest.mark.parametrize("code", ["-77", "-9", "Refused", "N/A"])
def test_ticks_with_a_code_for_no_answer_stay_ticks_and_it_is_asked_about(
    yes: str, no: str | None, code: str
) -> None:
    columns = {"q_1": cycled([yes, no, no, yes]), "q_2": cycled([no, no, yes]), "q_3": cycled([no, yes])}
    bare = guesses(columns)["q"]
    columns["q_2"][7] = code
    found = guesses(columns)["q"]
    assert (found.role, found.details) == (bare.role, bare.details) and bare.role == "ticks"
    assert found.doubts == (*bare.doubts, f"is {code} no answer? then write missing: [{code}]")


def test_what_else_is_guessed() -> None:
    ticks = guesses({"q1": cycled(["Y", "n"]), "q2": cycled(["n", "Y"])})["q"]
    assert ticks.details == {"ticked": ["Y"], "unticked": ["n"]} and ticks.answers == (
        ("1", "q1"),
        ("2", "q2"),
    )
    assert guesses({"q1": cycled([1, None]), "q2": cycled([1, None])})["q"].details == {
        "ticked": ["1"],
        "unticked": [],
    }
    labels = guesses({"q1": cycled(["Tarn", None]), "q2": cycled([None, "Fizz"])})["q"]
    assert labels.answers == (("1", "Tarn"), ("2", "Fizz"))
    negated = guesses({"q1": cycled(["Tarn", "Not Tarn"]), "q2": cycled(["Not Fizz", "Fizz"])})["q"]
    assert negated.answers == (("1", "Tarn"), ("2", "Fizz"))
    assert negated.details["unticked"] == ["Not Tarn", "Not Fizz"]
    assert guesses({"q": cycled(["1|2", "2|3", "3", "1", "3|2|1"])})["q"].details["by"] == "|"
    assert guesses({"d": cycled(["03/31/2026"])})["d"].details["format"] == "%m/%d/%Y"
    assert "check that day and month" in guesses({"d": cycled(["01/02/2026"])})["d"].doubts[0]
    assert [text for text, _ in guesses({"q": cycled(["10", "9", "x", "B"])})["q"].answers] == [
        "9",
        "10",
        "B",
        "x",
    ]


@pytest.mark.parametrize(
    ("name", "values", "role", "doubt"),
    [
        ("weight", cycled(range(48, 111)), "number", "may weigh people themselves"),
        ("weight_kg", cycled([48.5, 60.2, 81.9]), "number", "may weigh people themselves"),
        ("weight", cycled([0.8, 1.2]), "weight", ""),
        ("weight", cycled([812.5, 1204.1]), "weight", ""),  # they add up to a population
        ("weight", cycled([8.25, 4.5], 40), "number", "a weight of the sample?"),
        ("people", cycled(range(1, 30)), "number", "how many people each row stands for?"),
        ("n", cycled([1.5, 2, 3]), "number", ""),
        ("household_size", cycled([1, 2, 3, 4, 5]), "single", ""),
        ("minutes", [*np.linspace(3, 40, 200).round(2), "<0.5", "."], "number", "is taken for no number"),
        ("spend", ["1,204.50", "812.00", "77.10", "2,000.00"] * 40, "single", ""),
        ("spend", [f"{k:,}.5" for k in range(900, 1100)], "number", "taken for a number with a mark between thousands"),
        ("respid", [*range(100, 139), 138], "text", "an id? some stand more than once"),
        ("recommend", cycled(range(11)), "single", "0 to 10: then add scale: true"),
        ("years", cycled(range(1, 9)), "single", "a number that was asked?"),
        ("status", cycled(["Complete", "Broken off"]), "single", 'then write finished: status == "Complete"'),
        ("Finished", cycled(["False", "True"]), "single", 'then write finished: Finished == "True"'),
        ("completed", cycled([0, 1]), "single", "then write finished: completed == 1"),
        ("interview_status", cycled([1, 2, 3]), "single", "then write finished: interview_status == 1"),
        ("region", cycled([1, 2, 3, -99]), "single", "is -99 no answer? then add missing: true"),
        ("age", [*range(18, 80), -99] * 2, "number", "is -99 no answer? then write missing: [-99]"),
        ("ip", [f"10.0.{k}.{k % 7}" for k in range(120)], "text", ""),
        ("paid", [f"€ {1000 + k:,}.50" for k in range(120)], "number", "'€ 1,000.50' is taken for a number with a unit"),
        ("flat", [f"{k // 2}{'ab'[k % 4 > 1]}" for k in range(240)], "text", "numbers with a sign or unit"),
        ("some", [*(f"{k // 2} kg" for k in range(240)), "none of it"], "text", ""),
        ("least", [f"<{k // 2}" for k in range(120)], "text", "numbers with a sign or unit"),
        ("both", [f"({k // 2})" for k in range(120)], "text", "numbers with a sign or unit"),
        ("mixed", [f"{k} {('kg', 'lb')[k % 2]}" for k in range(120)], "text", "numbers with a sign or unit"),
        ("place", [f"{k // 2}{dict(enumerate(('st', 'nd'), 1)).get(k // 2, 'th')}" for k in range(120)], "text", "numbers with a sign or unit"),
        ("balance", [*range(-60, 80), -999] * 2, "number", ""),
        ("status", cycled(["Complete"]), "single", ""),  # it tells nobody apart
        ("progress", cycled([100]), "single", ""),
    ],
)  # fmt: skip
def test_risky_guesses_are_proposed(name: str, values: Sequence[Any], role: str, doubt: str) -> None:
    guess = guesses({name: values})[name]
    assert guess.role == role
    assert doubt in " ".join(guess.doubts) and bool(doubt) == bool(guess.doubts)


@pytest.mark.parametrize(
    ("columns", "name", "labels"),
    [
        (["Q5. Heard of? [Tarn]", "Q5. Heard of? [Birk]"], "Q5", ["Tarn", "Birk"]),
        (["Q5_1: Tarn", "Q5_2: Birk"], "Q5", ["Tarn", "Birk"]),
        (["Which do you know? - Tarn", "Which do you know? - Lumen - still"], "know", ["Tarn", "Lumen - still"]),
        (["Tarn | Which do you know?", "Birk | Which do you know?"], "know", ["Tarn", "Birk"]),
        (["heard_tarn", "heard_birk"], "heard", ["tarn", "birk"]),
        (["Q3 - Which do you know: Tarn", "Q3 - Which do you know: Birk"], "Q3", ["Tarn", "Birk"]),
        (["Q3: Which do you know? - Tarn", "Q3: Which do you know? - Birk"], "Q3", ["Tarn", "Birk"]),
        (["heardTarn", "heardBirk"], "heard", ["Tarn", "Birk"]),
        (["q3 Tarn", "q3 Birk"], "q3", ["Tarn", "Birk"]),
        (["q3a", "q3b"], "q3", ["q3a", "q3b"]),
        (["Heard of", "Heard of (2)"], "Heard", ["Heard of", "Heard of (2)"]),
    ],
)  # fmt: skip
def test_headings_are_taken_apart(columns: Sequence[str], name: str, labels: Sequence[str]) -> None:
    found = guesses({column: cycled([0, 1, 1]) for column in columns})
    assert [guess.role for guess in found.values()] == ["ticks"]
    (guess,) = found.values()
    assert guess.name.casefold() == name.casefold() and [label for _, label in guess.answers] == labels
    assert guess.columns == tuple(columns)


def test_two_columns_that_are_an_id_together_are_told() -> None:
    columns = {
        "household": [k // 3 for k in range(60)],
        "person": cycled([1, 2, 3], 60),
        "sex": cycled([1, 2], 60),
    }
    assert "household and person together tell respondents apart" in guesses(columns)["household"].doubts[-1]
    repeated = {**columns, "person": cycled([1, 2], 60)}
    assert not any("together" in doubt for guess in guesses(repeated).values() for doubt in guess.doubts)


def test_words_written_beside_a_list_are_told() -> None:
    written = [f"brand {k} of ours" for k in range(ROWS)]
    found = guesses(
        {"rid": range(1000, 1000 + ROWS), "brand": cycled(["Tarn", "Birk", "Other"]), "brand_other": written}
    )
    assert found["brand_other"].role == "text" and found["brand_other"].reason.endswith(
        "written beside brand"
    )


def test_columns_of_other_values_are_no_mentions_however_they_are_filled() -> None:
    half = [k if k % 2 else None for k in range(100, 100 + ROWS)]
    columns = {
        "rid": range(ROWS),
        "q_1": cycled(range(1, 41)),
        "q_2": [None if k is None else k % 37 + 60 for k in half],
    }
    assert {name: guess.role for name, guess in guesses(columns).items() if name != "rid"} == {
        "q_1": "number", "q_2": "number",
    }  # fmt: skip


def test_two_yes_no_questions_side_by_side_stay_two() -> None:
    asked = {"Do you own one?": cycled(["Yes", "No"]), "Do you want one?": cycled(["No", "Yes", "Yes"])}
    assert [guess.role for guess in guesses(asked).values()] == ["single", "single"]
    three = {name: cycled([0, 1]) for name in ("tarn", "birk", "fjell")}
    (guess,) = guesses(three).values()
    assert guess.role == "ticks" and "one question, or several?" in guess.doubts[0]


@pytest.mark.parametrize(
    "steps",
    [
        ["Strongly disagree", "Disagree", "Neither agree nor disagree", "Agree", "Strongly agree"],
        ["Not at all important", "Not very important", "Fairly important", "Very important"],
        ["Never", "Rarely", "Sometimes", "Often", "Always"],
        [
            "Stimme überhaupt nicht zu",
            "Stimme eher nicht zu",
            "Teils, teils",
            "Stimme eher zu",
            "Stimme voll zu",
        ],
        ["Nie", "Selten", "Manchmal", "Oft", "Immer"],
        ["Very poor", "Poor", "Fair", "Good", "Very good", "Excellent"],
        ["<18", "18-24", "25-34", "35 to 54", "55+"],
        ["LT 8 yrs", "8-12 yrs", "13+ yrs"],
        ["[15,25]", "(25,40]", "(40,99]"],
        ["Under 5", "5 to 9", "10 or more"],
        ["Not at all", "A little", "Quite a bit", "Very much"],
        ["gar nicht", "kaum", "etwas", "ziemlich", "sehr"],
        ["0 - Not at all likely", *map(str, range(1, 10)), "10 - Extremely likely"],
        ["1 (poor)", "2", "3", "4", "5 (excellent)"],
        ["-2: Strongly disagree", "-1: Disagree", "1: Agree", "2: Strongly agree"],
    ],
)
def test_answers_stand_in_the_order_of_their_meaning(steps: Sequence[str]) -> None:
    found = guesses({"q": cycled([*steps[::-1], "Other", "Don't know"][: len(steps)])})["q"]
    assert [label for _, label in found.answers] == list(steps)
    behind = guesses({"q": cycled([*steps[::-1], "Don't know"])})["q"]
    assert [label for _, label in behind.answers] == [*steps, "Don't know"]


def test_numbers_that_answers_begin_with_are_their_scores() -> None:
    steps = ["0 - Not at all", *map(str, range(1, 10)), "10 - Extremely", "Don't know"]
    data = pd.DataFrame({"q": cycled(steps)})
    text = otter.draft(data).codebook
    assert '"0 - Not at all": "0 - Not at all"  # score 0, which a scale would use' in text
    live = text.replace(
        "# steps in their order; for a mean write scale: true, and the scores below", "scale: true"
    )
    for label, score in (("0 - Not at all", 0), ("10 - Extremely", 10)):
        live = live.replace(f'"{label}": "{label}"', f'"{label}": {{label: "{label}", score: {score}}}')
    live = live.replace("Don't know: Don't know", "Don't know: {label: Don't know, score: none}")
    table = otter.open_survey(otter.codebook_from_text(live), data).table("q", figures=["mean"])
    assert table.line("Mean").values[0] == 5  # of 0 to 10, as often each


@pytest.mark.parametrize(
    "labels",
    [
        ["1 - Tarn", "2 - Birk", "3 - Fjell"],
        ["1-2 glasses", "3-4 glasses", "5 glasses"],
        ["1 litre", "2 litres", "3"],
    ],
)
def test_numbers_before_what_is_no_step_are_no_scores(labels: list[str]) -> None:
    assert "score" not in otter.draft(pd.DataFrame({"q": cycled(labels)})).codebook


def test_an_answer_that_holds_the_sign_which_joins_answers_stays_whole() -> None:
    cells = cycled(
        ["Taste", "Bubbles, many of them, Taste", "Price, Bubbles, many of them", "Price", "Price, Taste"]
    )
    drafted = otter.draft(pd.DataFrame({"why": cells}))
    (guess,) = drafted.guesses
    assert [label for _, label in guess.answers] == ["Bubbles, many of them", "Price", "Taste"]
    table = otter.open_survey(otter.codebook_from_text(drafted.codebook), pd.DataFrame({"why": cells})).table(
        "why", figures=["count"]
    )
    assert [line.values[0] for line in table.body] == [96, 144, 144]


@pytest.mark.parametrize(
    "columns",
    [
        {"q_1": cycled([0, 1]), "q_2": cycled([1, 0, 1])},
        {"q_1": cycled(["Tarn", None]), "q_2": cycled([None, "None of these", None])},
        {"q": cycled(["Tarn;Birk", "Birk", "Tarn", "None of these"])},
        {"q_1": cycled(["Tarn", "None of these", "Birk"]), "q_2": cycled(["Birk", None, None])},
    ],
    ids=["ticks", "labels", "joined", "mentions"],
)
def test_none_of_these_is_drafted_as_an_answer_that_is_no_mention(columns: dict[str, list[Any]]) -> None:
    frame = pd.DataFrame(columns)
    texts = (
        {}
        if "q_1" not in columns or columns["q_1"][0] != 0
        else {"q_1": "Q: Tarn", "q_2": "Q: None of these"}
    )
    drafted = otter.draft(frame.rename(columns=texts))
    (question,) = otter.codebook_from_text(drafted.codebook)
    assert {answer.label: answer.exclusive for answer in question.answers}["None of these"]
    assert [answer.label for answer in question.answers if answer.exclusive] == ["None of these"]


def test_columns_whose_texts_share_but_a_word_are_questions_of_their_own(tmp_path: Path) -> None:
    rng = np.random.default_rng(2)
    texts = ["How fresh? - Tarn", "How fresh? - Birk", "How often? - At home", "How often? - At work"]
    rows = [f"v{k}" for k in range(4)], texts, *rng.integers(1, 6, (60, 4)).astype(str).tolist()
    path = tmp_path / "export.csv"
    path.write_text("\n".join(",".join(row) for row in rows), encoding="utf-8")
    book = otter.codebook_from_text(otter.draft(path).codebook)
    assert [question.text for question in book] == [text.replace(" - ", " – ") for text in texts]
    assert len({question.grid for question in book}) == 2


def test_a_draft_makes_a_banner_of_questions_with_few_answers() -> None:
    drafted = otter.draft(pd.DataFrame({f"{letter}x": cycled([f"a{k}" for k in range(size)]) for letter, size in zip("abcdefg", (1, 2, 8, 7, 3, 4, 2), strict=True)}))  # fmt: skip
    assert "main: [bx, dx, ex]" in drafted.plan and "each: all" in drafted.plan
    people = {"like": cycled(["a", "b"]), "age_group": cycled(["<30", "30-59", "60+"]), "gender": cycled(["w", "m"]), "wave": cycled(["1", "2"])}  # fmt: skip
    plan = otter.draft(pd.DataFrame(people)).plan
    assert "main: [wave, gender, age_group]" in plan
    assert plan.count("banner: none}") == 3 and plan.index("{question: wave, banner: none}") < plan.index(
        "each: all"
    )
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


@pytest.mark.parametrize(
    ("values", "role", "doubt"),
    [
        ([f"{k % 101}%" for k in range(ROWS)], "number", "'0%' is taken for a number with a unit"),
        ([f"€ {k / 7:.2f}" for k in range(ROWS)], "number", "'€ 0.00' is taken for a number with a unit"),
        ([f"{k / 7:.1f} kg" for k in range(ROWS)], "number", "'0.0 kg' is taken for a number with a unit"),
        ([f"{k // 60:02}:{k % 60:02}" for k in range(ROWS)], "text", "lengths of time such as '00:00'?"),
        ([f"some thought, the {k}th" for k in range(ROWS)], "text", ""),
        ([f"{k * 37:05}" for k in range(ROWS)], "text", ""),  # digits with zeros in front are no numbers
        ([f"{k % 16 + 1:02}" for k in range(ROWS)], "single", ""),
        ([f"{k * 37}" for k in range(ROWS)], "number", ""),
        (cycled(["1", "2", "3", "4", "5", "NA"]), "single", "is NA no answer? then add missing: true"),
        (cycled(["a", "NULL", "b"]), "single", "is NULL no answer? then add missing: true"),
        (cycled(["a", "None", "b"]), "single", ""),  # none of these is an answer
    ],
)
def test_what_programs_write_and_what_people_would_count_with_is_to_be_checked(
    values: list[str], role: str, doubt: str
) -> None:
    guess = guesses({"rid": range(ROWS), "it": values})["it"]
    assert guess.role == role
    assert guess.doubts[0].startswith(doubt) if doubt else guess.doubts == ()


def test_what_surely_says_nothing_is_missing_among_codes_too() -> None:
    book = otter.codebook_from_text(
        otter.draft(pd.DataFrame({"q": cycled(["1", "2", "3", "#N/A"])})).codebook
    )
    assert {one.code: one.missing for one in book.question("q").answers} == {
        "1": False,
        "2": False,
        "3": False,
        "#N/A": True,
    }
