"""Answers that have an order stand in it in a draft, whatever order the data give them in; others are left alone."""

from __future__ import annotations

import random
from collections.abc import Sequence
from itertools import pairwise

import pandas as pd
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.codebook.times import run_of_times, times_in_order
from eager_otter.drafting.ladders import clock_order, ladder_order

MONTHS = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
]
TIMES = {
    "quarters": ["Q3 2025", "Q4 2025", "Q1 2026", "Q2 2026"],
    "quarters, the year first": ["2025-Q4", "2026-Q1", "2026-Q2"],
    "quarters, short": ["4Q25", "1Q26", "2Q26"],
    "half years": ["H1 2025", "H2 2025", "H1 2026"],
    "months": ["December 2025", "January 2026", "February 2026", "April 2026"],
    "months, short": ["Dec-25", "Jan-26", "Feb-26", "Apr-26"],
    "months, by number": ["11/2025", "12/2025", "1/2026", "2/2026"],
    "months without a year": MONTHS[1:9],
    "months, German": ["Dezember 2025", "Januar 2026", "März 2026"],
    "weeks": ["Week 9", "Week 10", "Week 48"],
    "weeks of years": ["Week 48 2025", "Week 2 2026", "Week 10 2026"],
    "weeks, German": ["KW 9", "KW 10", "KW 11"],
    "waves": ["Wave 1", "Wave 2", "Wave 9", "Wave 10"],
    "waves, short": ["W1", "W2", "W10"],
    "weekdays": ["Monday", "Tuesday", "Thursday", "Saturday", "Sunday"],
    "weekdays, German": ["Mo", "Di", "Fr", "So"],
    "seasons": ["Spring 2025", "Autumn 2025", "Winter 2025/26", "Spring 2026"],
    "days": ["3 March 2026", "12 March 2026", "1 April 2026"],
    "fiscal quarters, German": ["4. Quartal 2025", "1. Quartal 2026", "2. Quartal 2026"],
}
SCALES = {
    "importance": ["Not at all important", "Slightly important", "Moderately important", "Very important", "Extremely important"],
    "concern": ["Not at all concerned", "Not very concerned", "A little concerned", "Somewhat concerned", "Very concerned"],
    "just right": ["Much too weak", "A little too weak", "Just about right", "A little too strong", "Much too strong"],
    "not enough": ["Not nearly sweet enough", "Not quite sweet enough", "Just about right", "A bit too sweet", "Much too sweet"],
    "how often": ["Less often", "Once or twice a year", "Every 2-3 months", "Once a month", "2-3 times a month", "Once a week", "More than once a week"],
    "how often, in days": ["Never", "Less than weekly", "1-2 days per week", "3-4 days per week", "5 or more days per week"],
    "how often, German": ["Nie", "Seltener", "Einmal im Monat", "Mehrmals im Monat", "Einmal pro Woche", "Täglich"],
    "how often, or more": ["Never", "Rarely or never", "Less often than monthly", "Monthly", "A few times a month", "Weekly or more"],
    "how often, in many ways": [
        "Never", "Not in the last 12 months", "Once a year or less", "Twice yearly", "Every few months", "About once a month",
        "Once every two weeks", "At least once a week", "Most days", "Daily or almost daily", "Several times a day",
    ],
    "how often, visitors": ["This is my first visit", "Less than once a year", "2-3 times a year", "Once every 2 months", "Bi-weekly", "Weekly or more often"],
    "how often, more German": ["Nie", "Selten oder nie", "Seltener als monatlich", "Monatlich", "Alle zwei Wochen", "Mindestens einmal pro Woche", "Fast täglich", "Täglich oder öfter"],
    "importance, German": ["Überhaupt nicht wichtig", "Etwas wichtig", "Sehr wichtig", "Äußerst wichtig"],
    "support": ["Strongly oppose", "Oppose", "Neutral", "Support", "Strongly support"],
    "liking": ["Hated it", "Disliked it", "It was okay", "Liked it", "Loved it"],
    "would": ["Definitely would not", "Probably would not", "Might or might not", "Probably would", "Definitely would"],
    "change": ["Decreased a lot", "Decreased a little", "Stayed the same", "Increased a little", "Increased a lot"],
    "expectations": ["Far below expectations", "Below expectations", "Met expectations", "Above expectations", "Far above expectations"],
    "extent": ["Not at all", "To a small extent", "To some extent", "To a large extent", "Completely"],
}  # fmt: skip
OTHERS = {
    "money": ["Nothing", "Under £5", "£5 to £9.99", "£10 to £19.99", "£20 or more"],
    "money in thousands": ["£0-£9k", "£10k-£19k", "£20k-£49k", "£50k-£99k", "£100k+"],
    "money with commas": ["Less than 10,000", "10,000 to 19,999", "20,000 to 99,999", "100,000 or more"],
    "people": ["None", "1", "2", "3 or more"],
    "times in words": ["Once", "Twice", "Three times", "Four or more times"],
    "hours taken": ["Under 1 hour", "1-2 hours", "3-5 hours", "Over 5 hours"],
    "distance": ["Under 1 km", "1 to 5 km", "6 to 10 km", "Over 10 km"],
    "how long": ["Less than 6 months", "6-12 months", "1-2 years", "3-5 years", "More than 5 years"],
    "how long ago, within": [
        "In the last week",
        "In the last month",
        "In the last 12 months",
        "Not in the last 12 months",
        "Never",
    ],
    "how long ago": [
        "Past 7 days",
        "Past 4 weeks",
        "Past 3 months",
        "Past 12 months",
        "More than a year ago",
        "Never",
    ],
    "levels": ["Very low", "Low", "Medium", "High", "Very high"],
    "sizes": ["Small", "Medium", "Large"],
    "sizes, German": ["Klein", "Mittelgroß", "Groß"],
    "sizes of clothes": ["S", "M", "L", "XL", "XXL"],
    "kinds of drinkers": ["Light drinker", "Medium drinker", "Heavy drinker"],
    "how much": ["None", "A little", "Some", "A lot"],
    "prices": ["Too cheap", "Cheap", "Fair", "Expensive", "Too expensive"],
    "schools": [
        "No formal qualification",
        "Primary school",
        "Secondary school",
        "Vocational training",
        "University degree",
        "Postgraduate degree",
    ],
    "work": ["Not working", "Part-time", "Full-time"],
    "ages in words": ["Child", "Adult", "Senior"],
    "places in a row": ["First", "Second", "Third", "Fourth"],
    "temperatures": ["Cold", "Lukewarm", "Hot"],
    "hours": ["6 am - 9 am", "9 am - 12 pm", "12 pm - 3 pm", "3 pm - 6 pm"],
    "hours, open": ["Before 6 am", "6 am to noon", "Noon to 6 pm", "6 pm to midnight", "After midnight"],
    "hours, German": ["vor 6 Uhr", "6-9 Uhr", "9-12 Uhr", "12-18 Uhr", "nach 18 Uhr"],
    "people at home": ["Only me", "2 people", "3-4 people", "5+ people"],
    "times of day": ["Morning", "Midday", "Afternoon", "Evening", "Night"],
    "yes and no": ["Yes", "No"],
    "shops with numbers": ["Shop 1", "Shop 2", "Shop 10", "Shop 21"],
    "places": ["East", "North", "South", "West"],
}


def drafted(answers: Sequence[str], seed: int = 3, name: str = "q") -> tuple[list[str], str]:
    """Draft a codebook of a column with some answers; return them in its order, and the text of the codebook."""
    draw = random.Random(seed)
    values = [*answers, *draw.choices(answers, k=40 * len(answers))]
    draw.shuffle(values)
    text = otter.draft(
        pd.DataFrame({"id": range(1, len(values) + 1), name: values}).astype("string")
    ).codebook
    return [answer.label for answer in otter.codebook_from_text(text).question(name).answers], text


@pytest.mark.parametrize("kind", [kind for kind in (*TIMES, *OTHERS) if kind != "days"])  # which are dates
def test_times_and_amounts_stand_in_their_order(kind: str) -> None:
    answers = {**TIMES, **OTHERS}[kind]
    found, text = drafted(answers)
    assert found == answers and "scale: true" not in text.replace("# scale: true", "")


@pytest.mark.parametrize("kind", SCALES)
def test_steps_stand_in_their_order_and_are_a_scale(kind: str) -> None:
    answers = SCALES[kind]
    assert drafted(answers)[0] == answers
    assert "scale: true" in drafted(answers)[1]


@given(st.lists(st.integers(0, 23), min_size=3, max_size=12, unique=True), st.randoms())
def test_hours_stand_as_the_day_goes(hours: list[int], draw: random.Random) -> None:
    def written(hour: int) -> str:
        twelve = f"{hour % 12 or 12} {'pm' if hour >= 12 else 'am'}"
        return draw.choice((f"{hour:02d}:00", twelve, f"from {twelve}", f"{hour:02d}:00 to {hour:02d}:59"))

    labels = [written(hour) for hour in sorted(hours)]
    mixed = draw.sample(labels, len(labels))
    assert clock_order([*mixed, "Don't know"]) == [*labels, "Don't know"]


@pytest.mark.parametrize(
    "labels",
    [
        ["Low", "Left", "High"],
        ["Light", "Lemon", "Heavy"],
        ["Low fat", "High"],
        ["Low sugar", "High salt"],
        ["S", "N", "L"],
        ["12", "7"],
    ],
)
def test_other_answers_are_no_ladder_and_no_hours(labels: list[str]) -> None:
    assert ladder_order(labels) is None and clock_order(labels) is None


def test_what_is_no_answer_stands_behind() -> None:
    assert drafted(["Q4 2025", "Q1 2026", "Don't know"])[0] == ["Q4 2025", "Q1 2026", "Don't know"]
    assert drafted(["No", "Yes", "Refused"])[0] == ["Yes", "No", "Refused"]


@pytest.mark.parametrize("values", [["2024", "2025", "2026"], ["202512", "202601", "202602"]])
def test_few_years_or_months_are_codes_that_no_one_asks_about(values: list[str]) -> None:
    found, text = drafted(values, name="year")
    assert found == values and "check:" not in text


@pytest.mark.parametrize("values", [[str(k) for k in range(1940, 2008)], ["2000", "2500", "9999"], ["202513", "202601", "202602"]])  # fmt: skip
def test_other_large_numbers_stay_numbers(values: list[str]) -> None:
    draw = random.Random(2).choices(values, k=3000)
    text = otter.draft(pd.DataFrame({"id": range(3000), "n": draw}).astype("string")).codebook
    assert otter.codebook_from_text(text).question("n").kind == "number"


@pytest.mark.parametrize("kind", TIMES)
@given(draw=st.randoms(use_true_random=False))
@example(draw=random.Random(1))
def test_times_are_ordered_whatever_order_they_come_in(kind: str, draw: random.Random) -> None:
    shuffled = TIMES[kind][:]
    draw.shuffle(shuffled)
    assert times_in_order(shuffled) == TIMES[kind]
    forward = run_of_times(TIMES[kind])
    assert (forward, run_of_times(TIMES[kind][::-1])) == ("forward", "back")


@given(year=st.integers(1990, 2090), first=st.integers(0, 60), count=st.integers(2, 30), data=st.data())
def test_months_of_years_run_as_their_numbers_do(
    year: int, first: int, count: int, data: st.DataObject
) -> None:
    numbers = data.draw(st.lists(st.integers(first, first + 60), min_size=2, max_size=count, unique=True))
    labels = [f"{MONTHS[n % 12]} {year + n // 12}" for n in numbers]
    up = all(one < other for one, other in pairwise(numbers))
    down = all(one > other for one, other in pairwise(numbers))
    assert run_of_times(labels) == ("forward" if up else "back" if down else "mixed")
    assert times_in_order(labels) == [labels[numbers.index(n)] for n in sorted(numbers)]


@pytest.mark.parametrize(
    "labels",
    [["North", "May"], ["April", "June"], ["1", "2", "3"], ["Q1", "Wave 2"], ["Winter 2025", "Spring 2025"], ["Tarn 2025", "Tarn 2026"],
     ["Q1 2026", "Q1 2026"], ["2026"], []],
)  # fmt: skip
def test_other_labels_are_no_times(labels: list[str]) -> None:
    assert times_in_order(labels) is None and run_of_times(labels) == "none"


@pytest.mark.parametrize(
    ("labels", "run"),
    [(["Sun", "Mon", "Tue"], "forward"), (["Oct", "Nov", "Dec", "Jan"], "forward"), (["Jan", "Dec", "Nov", "Oct"], "back"),
     (["Oct", "Jan", "Nov"], "mixed"), (["Mon", "Wed", "Tue"], "mixed"),
     (["Week 48", "Week 49", "Week 1", "Week 2"], "forward"), (["KW 2", "KW 1", "KW 52"], "back"), (["Week 1", "Week 10", "Week 9"], "mixed"), (["Oct", "Jan", "Apr", "Jul"], "forward")],
)  # fmt: skip
def test_times_that_come_round_may_begin_anywhere(labels: list[str], run: str) -> None:
    assert run_of_times(labels) == run
