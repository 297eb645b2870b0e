"""Days in periods: weeks, months, quarters, years, or ranges of days with labels."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import suppress
from datetime import date, datetime, timedelta
from itertools import pairwise
from typing import Literal, assert_never

from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.patterns import pattern as compiled

EPOCH = date(1970, 1, 1)
MOST_PERIODS = 2_000
TIME_OF_DAY = compiled(r"[,T]?\s*(?<!\d)\d{1,2}:\d\d(?!\d).*")  # behind a day, with all that follows it
MONTHS = (
    "January", "February", "March", "April", "May", "June",
    "July", "August", "September", "October", "November", "December",
)  # fmt: skip

Unit = Literal["week", "month", "quarter", "year"]


@dataclass(frozen=True, slots=True)
class Period:
    """A span of days, both ends inside; days since 1970."""

    code: str
    label: str
    first: int
    last: int


def day_number(day: date) -> int:
    """Count the days since 1 January 1970.

    >>> day_number(date(1970, 1, 2)), day_number(date(2026, 3, 1))
    (1, 20513)
    """
    return (day - EPOCH).days


def day_text(number: float) -> str:
    """Write a day counted since 1 January 1970 as 2026-03-31.

    >>> day_text(20513.0)
    '2026-03-01'
    """
    return (EPOCH + timedelta(days=round(number))).isoformat()


def day_written(text: str, pattern: str) -> date | None:
    """Return the day that a text is, written as a pattern of strptime says; a time of day behind it is left aside.

    >>> day_written("05.10.2026", "%d.%m.%Y"), day_written("2026/10/05 9:12:33 am GMT+1", "%Y/%m/%d")
    (datetime.date(2026, 10, 5), datetime.date(2026, 10, 5))
    >>> day_written("05.10.2026 or so", "%d.%m.%Y") is None
    True
    """
    front = TIME_OF_DAY.sub("", text)
    for written in dict.fromkeys((text, front) if ":" in pattern else (front, text)):  # the likelier first
        with suppress(ValueError):
            return datetime.strptime(written, pattern).date()
    return None


def read_day(text: str) -> date:
    """Read a day written as 2026-03-31. Raises RequestError for anything else."""
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise RequestError(f"{text!r} is not a day; write it as 2026-03-31.") from error


def periods_by(unit: Unit, first: date, last: date) -> tuple[Period, ...]:
    """List the weeks (from Monday), months, quarters or years from the first day to the last.

    Raises RequestError when the last day comes before the first, or there would be too many.

    >>> [period.label for period in periods_by("quarter", date(2025, 11, 3), date(2026, 2, 1))]
    ['Q4 2025', 'Q1 2026']
    """
    if last < first:
        raise RequestError(f"The periods end ({last}) before they begin ({first}).")
    periods = []
    for period in _from(unit, first):
        if period.first > day_number(last):
            break
        periods.append(period)
        if len(periods) > MOST_PERIODS:
            raise RequestError(f"More than {MOST_PERIODS:,} periods; take longer ones.")
    return tuple(periods)


def periods_in(ranges: Mapping[str, str]) -> tuple[Period, ...]:
    """Read labelled ranges of days such as `2026-03-01..2026-03-31`.

    Raises RequestError for a range that cannot be read, runs backwards or overlaps another.
    """
    periods = []
    for label, text in ranges.items():
        start, dots, end = text.partition("..")
        if not dots:
            raise RequestError(
                f"{label}: {text!r} is not a range of days; write it as 2026-03-01..2026-03-31."
            )
        first, last = day_number(read_day(start)), day_number(read_day(end))
        if last < first:
            raise RequestError(f"{label}: the range runs backwards; write the earlier day first.")
        periods.append(Period(label, label, first, last))
    ordered = sorted(periods, key=lambda period: period.first)
    for one, next_one in pairwise(ordered):
        if next_one.first <= one.last:
            raise RequestError(
                f"{one.label} and {next_one.label} share days; each day may be in one range only."
            )
    return tuple(periods)


def _from(unit: Unit, day: date) -> Iterator[Period]:
    start = _start(unit, day)
    while start.year < date.max.year - 1:
        following = _next(unit, start)
        code, label = _name(unit, start)
        yield Period(code, label, day_number(start), day_number(following) - 1)
        start = following


def _start(unit: Unit, day: date) -> date:
    match unit:
        case "week":
            return day - timedelta(days=day.weekday())
        case "month":
            return day.replace(day=1)
        case "quarter":
            return date(day.year, 3 * ((day.month - 1) // 3) + 1, 1)
        case "year":
            return date(day.year, 1, 1)
        case _:
            assert_never(unit)


def _next(unit: Unit, start: date) -> date:
    if unit == "week":
        return start + timedelta(days=7)
    months = {"month": 1, "quarter": 3, "year": 12}[unit]
    over, month = divmod(start.month - 1 + months, 12)
    return date(start.year + over, month + 1, 1)


def _name(unit: Unit, start: date) -> tuple[str, str]:
    match unit:
        case "week":
            year, week, _ = start.isocalendar()
            return f"{year}-W{week:02d}", f"Week {week}, {year}"
        case "month":
            return f"{start:%Y-%m}", f"{MONTHS[start.month - 1]} {start.year}"
        case "quarter":
            quarter = (start.month - 1) // 3 + 1
            return f"{start.year}-Q{quarter}", f"Q{quarter} {start.year}"
        case "year":
            return str(start.year), str(start.year)
        case _:
            assert_never(unit)
