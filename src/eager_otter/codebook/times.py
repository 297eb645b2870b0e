"""Answers that name times, in the languages that ship: quarters, months, weeks, waves, and which way they run."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise
from typing import Literal

from eager_otter.codebook.label_words import answers_among
from eager_otter.dataclass import dataclass
from eager_otter.documents.translated import written
from eager_otter.gates.numbers import whole_of
from eager_otter.patterns import pattern

Run = Literal["none", "forward", "back", "mixed"]  # which way times run; "none" where labels are no times

MONTHS = (
    "january|jan|januar|jänner", "february|feb|februar", "march|mar|märz|mär|mrz", "april|apr", "may|mai",
    "june|jun|juni", "july|jul|juli", "august|aug", "september|sept|sep", "october|oct|oktober|okt", "november|nov",
    "december|dec|dezember|dez",
)  # fmt: skip
WEEKDAYS = (
    "monday|mon|montag|mo", "tuesday|tues|tue|dienstag|di", "wednesday|wed|mittwoch|mi",
    "thursday|thurs|thur|thu|donnerstag|do", "friday|fri|freitag|fr", "saturday|sat|samstag|sonnabend|sa",
    "sunday|sun|sonntag|so",
)  # fmt: skip
SEASONS = ("spring|frühling|frühjahr", "summer|sommer", "autumn|fall|herbst", "winter")
ROUNDS = "wave|round|week|period|month|year|day|cycle|phase|welle|runde|woche|kw|monat|jahr|tag"


def _places(names: Sequence[str]) -> dict[str, int]:
    return {name: place for place, several in enumerate(names, 1) for name in several.split("|")}


PLACES = {"month": _places(MONTHS), "weekday": _places(WEEKDAYS), "season": _places(SEASONS)}
NAMES = frozenset(name for places in PLACES.values() for name in places)
ROUND = {
    "month": 12,
    "weekday": 7,
    "season": 4,
    "quarter": 4,
    "half": 2,
}  # how many come round, without a year
EARLY_WEEK, LATE_WEEK = 13, 40  # on the two sides of a turn of the year
WEEKS = ("week", "woche", "kw", "w")  # come round too, after 52 or 53
SHORT, CENTURY = 99, 2000  # years of two digits are of this century
YEAR = r"(?P<year>(?:19|20)\d\d)"
SHORT_YEAR = r"(?P<year>(?:19|20)\d\d|'?\d\d)"
BETWEEN = r"[\s.,/_-]*"
_MONTH = rf"(?P<month>{'|'.join(MONTHS)})\.?"
FORMS = tuple(
    pattern(form, re.ASCII)
    for form in (
        YEAR,
        rf"q(?:uarter)?\s*(?P<quarter>[1-4])(?:{BETWEEN}{SHORT_YEAR})?",
        rf"{YEAR}{BETWEEN}q(?:uarter)?\s*(?P<quarter>[1-4])",
        rf"(?P<quarter>[1-4])(?:q|\.\s*quartal|(?:st|nd|rd|th)\s+quarter)(?:{BETWEEN}(?:of\s+)?{SHORT_YEAR})?",
        rf"h(?:alf)?\s*(?P<half>[12])(?:{BETWEEN}{SHORT_YEAR})?",
        rf"{YEAR}{BETWEEN}h(?P<half>[12])",
        rf"(?P<half>[12])(?:h|\.\s*halbjahr|(?:st|nd)\s+half)(?:{BETWEEN}(?:of\s+)?{SHORT_YEAR})?",
        rf"{_MONTH}(?:{BETWEEN}{YEAR}|\s?(?P<short>['-]\d\d))?",
        rf"{YEAR}{BETWEEN}{_MONTH}",
        rf"{YEAR}[-/](?P<month>0[1-9]|1[0-2])",
        rf"(?P<month>0?[1-9]|1[0-2])[./-]{YEAR}",
        rf"(?P<weekday>{'|'.join(WEEKDAYS)})\.?",
        rf"{YEAR}{BETWEEN}(?P<season>{'|'.join(SEASONS)})",
        rf"(?P<season>{'|'.join(SEASONS)})(?:{BETWEEN}{YEAR}(?P<over>\s?/\s?\d\d(?:\d\d)?)?)?",
        rf"(?P<rounds>{ROUNDS})[\s_-]*(?:#|no\.?\s*|nr\.?\s*)?(?P<number>\d{{1,4}})(?:[\s,/(-]+{YEAR}\)?)?",
        rf"(?P<rounds>[wrp])(?P<number>\d{{1,3}})(?:[\s,/-]+{YEAR})?",
        rf"{YEAR}{BETWEEN}(?P<rounds>{ROUNDS}|w)\s*(?P<number>\d{{1,3}})",
        rf"{YEAR}-(?P<month>0[1-9]|1[0-2])-(?P<day>0[1-9]|[12]\d|3[01])",
        rf"(?P<day>0?[1-9]|[12]\d|3[01])(?:st|nd|rd|th|\.)?\s+{_MONTH}(?:,?\s+{YEAR})?",
        rf"{_MONTH}\s+(?P<day>0?[1-9]|[12]\d|3[01])(?:st|nd|rd|th)?,\s*{YEAR}",
    )
)


@dataclass(frozen=True, slots=True)
class _Time:
    """A time as its parts: what they are, and their numbers, the largest first."""

    parts: tuple[str, ...]
    numbers: tuple[int, ...]


@lru_cache(maxsize=4096)
def _time_of(label: str) -> _Time | None:
    text = " ".join(label.casefold().replace("’", "'").split()).strip(".:")
    if not any(map(str.isdecimal, text)) and text not in NAMES:
        return None
    for form in FORMS:
        found = form.fullmatch(text)
        if found is not None:
            return _of_parts({name: value for name, value in found.groupdict().items() if value is not None})
    return None


def _of_parts(found: dict[str, str]) -> _Time | None:
    year = whole_of(found.get("year", found.get("short", "")).strip("'-"))
    parts = {} if year is None else {"year": year if year > SHORT else CENTURY + year}
    for name in ("half", "quarter", "season", "month", "weekday", "day"):
        if name in found:
            number = whole_of(found[name])
            parts[name] = PLACES[name][found[name]] if number is None else number
    if "number" in found:
        parts[found["rounds"]] = whole_of(found["number"]) or 0
    if parts.get("season") == len(SEASONS) and year is not None and "over" not in found:
        return None  # the winter that ends in the year, or that which begins in it
    return _Time(tuple(parts), tuple(parts.values()))


def _times_of(labels: Sequence[str]) -> dict[str, _Time] | None:
    """Return the times that labels name, without what is no answer; None where they are not all times of one kind."""
    found: dict[str, _Time] = {}
    for label in answers_among(tuple(map(written, labels))):
        time = _time_of(label)
        if time is None:
            return None
        found[label] = time
    kinds, numbers = {time.parts for time in found.values()}, {time.numbers for time in found.values()}
    if len(found) < 2 or len(kinds) > 1 or len(numbers) < len(found):
        return None
    comes_round = next(iter(kinds)) in {(name,) for name in ROUND}
    return None if comes_round and len(found) < 3 and ROUND[_part(found)] > 4 else found


def _part(times: dict[str, _Time]) -> str:
    return next(iter(times.values())).parts[0]


def times_in_order(labels: Sequence[str]) -> list[str] | None:
    """Put labels that name times in their order, those that are no answer behind; None where they are no times.

    >>> times_in_order(["Q1 2026", "Q2 2026", "Q4 2025"]), times_in_order(["Week 10", "Week 9", "Refused"])
    (['Q4 2025', 'Q1 2026', 'Q2 2026'], ['Week 9', 'Week 10', 'Refused'])
    >>> times_in_order(["Feb-26", "Jan-26", "Dec-25"]), times_in_order(["North", "May"])
    (['Dec-25', 'Jan-26', 'Feb-26'], None)
    """
    times = _times_of(labels)
    if times is None:
        return None
    ordered = sorted(times, key=lambda label: times[label].numbers)
    return ordered + [label for label in labels if written(label) not in times]


def run_of_times(labels: Sequence[str]) -> Run:
    """Tell which way labels run that name times; those that come round, such as weekdays, may begin anywhere.

    >>> run_of_times(["Q4 2025", "Q1 2026"]), run_of_times(["2026", "2025"]), run_of_times(["Sun", "Mon", "Tue"])
    ('forward', 'back', 'forward')
    >>> run_of_times(["Q1 2026", "Q2 2026", "Q4 2025"]), run_of_times(["North", "South"])
    ('mixed', 'none')
    """
    times = _times_of(labels)
    if times is None:
        return "none"
    numbers = [time.numbers for time in times.values()]
    if _one_by_one(numbers):
        return "forward"
    if _one_by_one(numbers[::-1]):
        return "back"
    part, alone = _part(times), [one[0] for one in numbers if len(one) == 1]
    if _goes_round(alone, part):
        return "forward"
    return "back" if _goes_round(alone[::-1], part) else "mixed"


def _one_by_one(numbers: Sequence[tuple[int, ...]]) -> bool:
    return all(one < other for one, other in pairwise(numbers))


def _goes_round(numbers: Sequence[int], part: str) -> bool:
    """Return whether numbers of a part that comes round go on, in steps of much the same size, once round at most."""
    if part in WEEKS:
        turns = [(one, other) for one, other in pairwise(numbers) if other < one]
        return (
            len(turns) == 1
            and turns[0][0] >= LATE_WEEK
            and turns[0][1] <= EARLY_WEEK
            and numbers[-1] < numbers[0]
        )
    if part not in ROUND or not numbers:
        return False
    steps = [(other - one) % ROUND[part] for one, other in pairwise(numbers)]
    return sum(steps) < ROUND[part] and max(steps) <= 2 * min(steps)
