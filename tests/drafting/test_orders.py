"""Rankings and days in bare data: what is drafted is read as it was meant, and what is not sure is marked."""

from __future__ import annotations

import datetime
from collections.abc import Sequence
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter

ROWS = 200
NAMES = ("Tarn", "Brookfizz", "Quillwater", "Fenbubble", "Skerrow")


def orders(answers: int, most: int, rows: int = ROWS, seed: int = 5) -> list[list[int]]:
    """Draw for each respondent the answers (from 0) in their order; how many somebody puts in order differs."""
    rng = np.random.default_rng(seed)
    return [rng.permutation(answers)[: rng.integers(0, most + 1)].tolist() for _ in range(rows)]


def by_rank(drawn: Sequence[Sequence[int]], most: int, values: Sequence[object]) -> list[list[object]]:
    return [[values[order[k]] if k < len(order) else None for order in drawn] for k in range(most)]


def by_answer(drawn: Sequence[Sequence[int]], answers: int) -> list[list[object]]:
    return [[order.index(one) + 1 if one in order else None for order in drawn] for one in range(answers)]


def frame(names: Sequence[str], columns: Sequence[Sequence[object]]) -> pd.DataFrame:
    data = {"id": range(1000, 1000 + len(columns[0])), **dict(zip(names, columns, strict=True))}
    return pd.DataFrame({name: pd.array(values, dtype=object) for name, values in data.items()}).astype(
        "string"
    )


def guess_of(data: pd.DataFrame) -> otter.Guess:
    (guess,) = [one for one in otter.draft(data).guesses if one.role != "respondent"]
    return guess


def mean_ranks(data: pd.DataFrame) -> dict[str, float]:
    """Draft, and work out the mean rank of each answer from what was drafted."""
    book = otter.codebook_from_text(otter.draft(data).codebook)
    survey = otter.open_survey(book, data)
    ranks = [name for name in book.questions if ".rank_" in name]
    return {str(book.question(name).label): survey.table(name).value("Mean", "Total") for name in ranks}


FULL, SOME = orders(5, 5), orders(5, 3)
LAYOUTS = {
    "choices called so": (["pref_rank_1", "pref_rank_2", "pref_rank_3"], by_rank(SOME, 3, NAMES)),
    "a heading with brackets": ([f"Q7. Which do you like best? [Rank {k}]" for k in (1, 2, 3)], by_rank(SOME, 3, NAMES)),
    "codes at each rank": (["pref_1", "pref_2", "pref_3"], by_rank([o + [x for x in range(5) if x not in o] for o in SOME], 3, range(1, 6))),
    "the rank of each answer": ([f"Q8. Rank these [{name}]" for name in NAMES], by_answer(SOME, 5)),
    "all ranks of each answer": ([f"Q8. Rank these [{name}]" for name in NAMES], by_answer([o + [x for x in range(5) if x not in o] for o in FULL], 5)),
}  # fmt: skip


@pytest.mark.parametrize("name", LAYOUTS)
def test_a_ranking_is_read_as_it_was_meant(name: str) -> None:
    data = frame(*LAYOUTS[name])
    assert guess_of(data).role == "ranking"
    columns = LAYOUTS[name][1]
    if "of each answer" in name:
        right = {one: np.nanmean(np.array(values, float)) for one, values in zip(NAMES, columns, strict=True)}
    else:
        held = [value for values in columns for value in values if value is not None]
        labels = sorted({*held}, key=str)
        places = {
            str(one): [k for k, values in enumerate(columns, 1) for value in values if value == one]
            for one in labels
        }
        right = {one: float(np.mean(ranks)) for one, ranks in places.items()}
    found = mean_ranks(data)
    assert found.keys() == right.keys()
    assert all(found[one] == pytest.approx(right[one], abs=1e-12) for one in right)


@pytest.mark.parametrize(
    ("names", "columns", "role", "doubt"),
    [
        (["p_1", "p_2", "p_3"], by_rank([[*o, *({*range(5)} - {*o})] for o in SOME], 3, range(1, 6)), "ranking", "is their order no ranking?"),
        (["p_1", "p_2", "p_3"], by_answer([[*o, *({*range(3)} - {*o})] for o in orders(3, 3)], 3), "ranking", "does p_1 hold the rank of an answer?"),
        (["rank_1", "rank_2"], by_rank(orders(4, 2), 2, range(1, 5)), "ranking", ""),
        (["p_1", "p_2", "p_3"], by_rank(SOME, 3, range(1, 6)), "mentions", ""),  # ever less filled
        (["first mention 1", "first mention 2", "first mention 3"], by_rank(SOME, 3, range(1, 6)), "mentions", ""),
        (["p_1", "p_2"], by_rank([[*o, *({*range(4)} - {*o})] for o in orders(4, 2)], 2, range(1, 5)), "grid", ""),  # two only
    ],
)  # fmt: skip
def test_what_is_not_sure_of_an_order_is_to_be_checked(
    names: list[str], columns: list[list[object]], role: str, doubt: str
) -> None:
    guess = guess_of(frame(names, columns))
    assert guess.role == role
    assert guess.doubts[0].startswith(doubt) if doubt else guess.doubts == ()


def test_one_row_with_the_same_twice_is_no_ranking_by_code() -> None:
    columns = by_rank([[*o, *({*range(5)} - {*o})] for o in SOME], 3, range(1, 6))
    assert guess_of(frame(["p_1", "p_2", "p_3"], columns)).role == "ranking"
    columns[1][7] = columns[0][7]
    assert guess_of(frame(["p_1", "p_2", "p_3"], columns)).role == "grid"
    told = [f"pref_rank_{k}" for k in (1, 2, 3)]
    assert (
        guess_of(frame(told, columns)).role == "ranking"
    )  # one row of many is a slip, where the headings say ranks
    for row in range(10, 20):
        columns[1][row] = columns[0][row]
    assert guess_of(frame(told, columns)).role == "grid"
    few = [values[:29] for values in by_rank([[*o, *({*range(5)} - {*o})] for o in SOME], 3, range(1, 6))]
    assert guess_of(frame(["p_1", "p_2", "p_3"], few)).role == "grid"


def test_the_ranking_of_the_demo_is_drafted_as_one(demo: Path) -> None:
    text = otter.draft(demo / "responses.csv").codebook
    assert "kind: ranking\n    ranks: [pref_1, pref_2, pref_3]\n" in text


FORMS = [
    "%d.%m.%Y", "%m/%d/%Y", "%d/%m/%Y", "%Y/%m/%d", "%d-%m-%Y", "%d-%b-%Y", "%d %B %Y", "%b %d, %Y", "%d.%m.%y", "%Y%m%d",
]  # fmt: skip
TIMES = [
    "",
    " %H:%M",
    " %H:%M:%S",
    " %I:%M %p",
    ", %H:%M",
    "T%H:%M:%S.%f",
    " %I:%M:%S %p GMT+1",
    " %H:%M Uhr",
]


@given(
    form=st.sampled_from([day + time for day in FORMS for time in TIMES]),
    minutes=st.lists(st.integers(0, 60 * 24 * 300), min_size=40, max_size=80, unique=True),
)
def test_days_are_read_as_they_were_written(form: str, minutes: list[int]) -> None:
    first = datetime.datetime(2026, 1, 1, 8)
    moments = [first + datetime.timedelta(minutes=one) for one in minutes]
    sure = any(moment.day > 12 for moment in moments)
    data = frame(["when"], [[moment.strftime(form) for moment in moments]])
    guess = guess_of(data)
    assert guess.role == "date"
    assert ("time of day is left aside" in guess.reason) == ("%M" in form)
    told = "check that day and month are not the other way round"
    turned = (form[:2] in ("%d", "%m") and "/" in form) or form.startswith("%d-%m")
    assert (told in guess.doubts) == (turned and not sure)
    if told not in guess.doubts:
        survey = otter.open_survey(otter.codebook_from_text(otter.draft(data).codebook), data)
        days = [moment.date().isoformat() for moment in moments]
        counted = survey.filtered(f'when >= "{min(days)}"').filtered(f'when <= "{max(days)}"')
        assert counted.population().people == len(days)
        assert survey.filtered(f'when == "{days[0]}"').population().people == days.count(days[0])


def test_the_order_of_day_and_month_is_seen_in_any_row() -> None:
    """Six hundred moments of early days come first in order of text; one late day tells."""
    first = datetime.datetime(2026, 1, 2)
    early = [(first + datetime.timedelta(minutes=k)).strftime("%m/%d/%Y %H:%M") for k in range(900)]
    late = [f"12/{day}/2026 10:00" for day in range(13, 31)] * 40
    guess = guess_of(frame(["when"], [early + late]))
    assert guess.details["format"] == "%m/%d/%Y" and guess.doubts == ()


@pytest.mark.parametrize(
    "values",
    [
        ["1.2.3", "2.0.1"],
        ["12:30", "14:05"],
        ["31.02.2026", "01.03.2026"],
        ["40 May 2026"],
        ["31.12.2026 or so", "01.03.2026"],
        ["31.12.2026 10:003", "01.03.2026"],
    ],
)
def test_what_is_no_day_stays_what_it_is(values: list[str]) -> None:
    data = frame(["it"], [[values[k % len(values)] for k in range(60)]])
    assert guess_of(data).role in ("single", "text")


def test_items_of_a_grid_have_names_that_tell() -> None:
    names = [f"Q4. How satisfied are you with [{item}]" for item in ("The range", "Prices", "Staff")]
    grid = frame(names, [[(k * m) % 5 + 1 for k in range(60)] for m in (1, 2, 3)])
    book = otter.codebook_from_text(otter.draft(grid).codebook)
    assert list(book.questions)[:3] == ["Q4.range", "Q4.Prices", "Q4.Staff"]
    plain = frame(["q4_1", "q4_2", "q4_3"], [[(k * m) % 5 + 1 for k in range(60)] for m in (1, 2, 3)])
    assert list(otter.codebook_from_text(otter.draft(plain).codebook).questions)[:3] == [
        "q4.q4_1",
        "q4.q4_2",
        "q4.q4_3",
    ]


@pytest.mark.parametrize(
    ("form", "doubts"),
    [
        ("%d/%m/%Y", ("check that day and month are not the other way round",)),
        ("%m-%d-%Y %H:%M", ("check that day and month are not the other way round",)),
        ("%d.%m.%Y", ()),
        ("%d.%m.%y", ("years are written with two digits",)),
        (
            "%d/%m/%y",
            ("check that day and month are not the other way round", "years are written with two digits"),
        ),
    ],
)
def test_days_that_may_be_months_are_to_be_checked(form: str, doubts: tuple[str, ...]) -> None:
    days = [datetime.datetime(2026, 1 + k % 12, 1 + (k * 5) % 12, 9, 30) for k in range(80)]
    assert guess_of(frame(["when"], [[day.strftime(form) for day in days]])).doubts == doubts


def test_a_write_in_beside_ticks_that_hold_their_own_label_is_no_answer_and_no_rank() -> None:
    """Of "Other" and what was written there, the second is a question of its own, even where all wrote the same."""
    headings = [
        f"Which of these do you grow? - Selected Choice - {one}" for one in ("Roses", "Herbs", "Other")
    ]
    rng = np.random.default_rng(8)
    ticks: list[list[object]] = [
        [name if rng.random() < 0.4 else None for _ in range(200)] for name in ("Roses", "Herbs", "Other")
    ]
    written: list[object] = ["moss" if value and k % 2 else None for k, value in enumerate(ticks[2])]
    data = frame([*headings, "Which of these do you grow? - Other - Text"], [*ticks, written])
    found = {guess.role: guess for guess in otter.draft(data).guesses}
    assert found["ticks"].columns == tuple(headings)
    assert found["single"].columns == ("Which of these do you grow? - Other - Text",)


def test_the_codebook_counts_the_guesses_to_check_as_the_command_does(tmp_path: Path) -> None:
    """A guess of which two things are to be checked is one guess."""
    days = [f"{k % 12 + 1:02}/{k % 9 + 1:02}/26" for k in range(80)]
    data = frame(
        ["when", "p_1", "p_2", "p_3"], [days, *([((k + m) % 3) + 1 for k in range(80)] for m in range(3))]
    )
    drafted = otter.draft(data)
    assert sorted(len(guess.doubts) for guess in drafted.guesses) == [0, 1, 2]
    assert '# 2 guesses to check: search for "check:".' in drafted.codebook
