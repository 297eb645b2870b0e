"""What answers say of how often, how long ago and how much, as numbers by which they can be ordered."""

from __future__ import annotations

import re

COUNTS = ("zero|null", "one|ein|eine|einen|einem", "two|zwei", "three|drei", "four|vier", "five|fünf", "six|sechs",
          "seven|sieben", "eight|acht", "nine|neun", "ten|zehn")  # fmt: skip
NUMBER_WORDS = {name: str(number) for number, several in enumerate(COUNTS) for name in several.split("|")}
ALONE = {"only me": "1", "just me": "1", "only myself": "1", "just myself": "1", "i live alone": "1", "live alone": "1",
         "nur ich": "1"}  # fmt: skip
TIMES = {**ALONE, "once": "1 times", "twice": "2 times", "thrice": "3 times", "einmal": "1 times", "zweimal": "2 times",
         "dreimal": "3 times", "viermal": "4 times", "several": "3", "mehrmals": "3 times", "a few": "2.5",
         "a couple of": "2", "ein paar": "2.5", "mehrere": "3"}  # fmt: skip
WORDS = re.compile(rf"\b({'|'.join([*TIMES, *NUMBER_WORDS])})\b")
DAYS = {
    "minute": 1 / 1440, "hour": 1 / 24, "stunde": 1 / 24, "day": 1.0, "week": 7.0, "fortnight": 14.0, "month": 30.5,
    "quarter": 91.5, "year": 365.0, "tag": 1.0, "woche": 7.0, "monat": 30.5, "quartal": 91.5, "jahr": 365.0,
}  # fmt: skip
UNIT_NAMES = "|".join(DAYS)
UNIT = rf"(?P<unit>{UNIT_NAMES})"
NUMBER = r"\d+(?:\.\d+)?"
SPAN = rf"(?P<low>{NUMBER})(?:\s*(?:-|to|or|bis|oder)\s*(?P<high>{NUMBER}))?"
SIZE = (
    r"(?:(?P<less>less (?:often |frequently )?than|fewer than|under|weniger als|seltener als)"
    r"|(?P<more>more (?:often |frequently )?than|over|mehr als|öfter als|häufiger als)"
    r"|about|around|approximately|at least|up to|etwa|ungefähr|mindestens)?"
)
AND_MORE = r"(?P<open>\+|\s+or more|\s+oder mehr|\s+and more)?"
PER = r"(?:a|an|per|each|every|in a|pro|im|in der|am|/)"
RATE = re.compile(
    rf"{SIZE}\s*{SPAN}{AND_MORE}\s*(?:x|times?|days?|mal|tage?|-mal)?\s*{PER}\s*{UNIT}(?:\s+or (?P<oftener>more))?"
)
FEW = {"other": 2.0, "few": 3.0, "couple of": 2.0, "paar": 3.0}
EVERY = re.compile(
    rf"{SIZE}\s*(?:(?P<times>{NUMBER})\s*times?\s+)?(?P<most>(?:on )?most|every|jeden|jede|jedes|alle)\s+"
    rf"(?:(?P<low>{NUMBER}|{'|'.join(FEW)})(?:\s*(?:-|to|or|bis|oder)\s*(?P<high>{NUMBER}))?\s+)?{UNIT}\w*"
)
LY = {"daily": 365.0, "weekly": 365 / 7, "fortnightly": 365 / 14, "monthly": 12.0, "quarterly": 4.0, "yearly": 1.0,
      "annually": 1.0, "täglich": 365.0, "wöchentlich": 365 / 7, "monatlich": 12.0, "jährlich": 1.0,
      "bi-weekly": 365 / 14, "biweekly": 365 / 14, "bi-monthly": 6.0, "bimonthly": 6.0}  # fmt: skip
REGULARLY = re.compile(rf"{SIZE}\s*(?:(?P<times>{NUMBER})\s*(?:times?|x|mal)?\s*)?(?P<how>{'|'.join(LY)})")
NEARLY = re.compile(r"(?:almost|nearly|virtually|fast|beinahe) (?P<rest>.+)")
OR = re.compile(r" or | oder ")
OFTENER = ("more", "more often", "more frequently", "mehr", "öfter", "häufiger")
FEWER = ("less", "less often", "less frequently", "fewer", "weniger", "seltener")
NOT_LATELY = re.compile(
    r"(?:not|nicht) (?:at all )?(?:with)?(?:in|im|in den|during|over) (?:the )?(?:last|past|letzten?) .+"
)
FIRST = re.compile(
    r"(?:(?:this|it)(?: is|'s) )?(?:my |our |the )?(?:first (?:time|visit|purchase)|erster besuch)"
)
NEVER = ("never", "not at all", "nie", "niemals", "gar nicht", "have never", "noch nie")
SELDOM = ("less often", "less frequently", "less", "seltener", "rarely", "selten", "hardly ever", "almost never",
          "fast nie")  # fmt: skip
SELDOM_RATE = 0.2  # times a year: less than any that is named
LATELY_RATE, FIRST_RATE = 0.05, 0.1  # less still: who did it once may not say never
MOST = 0.8  # of the days, or other times, that are named
WITHIN = re.compile(
    rf"(?:with)?(?:in |during |im |in |innerhalb )?(?:the |der |des |den )?(?:last|past|letzten?|vergangenen?)\s+"
    rf"(?:(?P<low>{NUMBER})\s+)?{UNIT}\w*"
)
AGO = re.compile(
    rf"{SIZE}\s*(?:vor\s+)?(?:{SPAN}|an?){AND_MORE}\s*{UNIT}\w*(?:\s+ago)?(?:\s+or (?P<longer>more|longer))?"
    r"(?:\s+ago)?"
)
LENGTH = re.compile(
    rf"{SIZE}\s*(?P<low>{NUMBER})\s*(?P<inner>{UNIT_NAMES})?\w*(?:\s*(?:-|to|or|bis|oder)\s*{NUMBER})?{AND_MORE}\s*"
    rf"{UNIT}?\w*(?:\s+or (?:more|longer)|\s+und (?:mehr|länger))?"
)
LONGER = ("longer ago", "longer", "more than that", "länger her", "vor längerer zeit", "longer than that")
NAMED_DAYS = {"today": 0.0, "heute": 0.0, "yesterday": 1.0, "gestern": 1.0, "this week": 4.0, "diese woche": 4.0,
              "this month": 20.0, "diesen monat": 20.0, "this year": 250.0, "dieses jahr": 250.0}  # fmt: skip
LONG_AGO, NOT_EVER = 1e6, 1e7  # days


def counted_in(label: str) -> str:
    """Write a label plainly, with its numbers and times as digits.

    >>> counted_in("Four or more times."), counted_in("Once or twice a week")
    ('4 or more times', '1 or 2 times a week')
    """
    text = " ".join(label.casefold().split()).strip(" .!").replace("–", "-").replace("—", "-")
    text = WORDS.sub(lambda match: TIMES.get(match[0]) or NUMBER_WORDS[match[0]], text)
    return re.sub(rf"({NUMBER}) times (or|to|-|oder) ({NUMBER} times)", r"\1 \2 \3", text)


def times_a_year(label: str) -> float | None:
    """Return how many times a year an answer means, roughly; None where it tells no such thing.

    >>> [times_a_year(text) for text in ("Never", "Once a month", "2-3 days a week", "Every day", "Red")]
    [0.0, 12.0, 130.35714285714286, 365.0, None]
    """
    return _rate(counted_in(label))


def _rate(text: str) -> float | None:
    """Return how many times a year a text with its numbers as digits means."""
    for known, rate in ((NEVER, 0.0), (SELDOM, SELDOM_RATE)):
        if text in known:
            return rate
    for pattern, rate in ((NOT_LATELY, LATELY_RATE), (FIRST, FIRST_RATE)):
        if pattern.fullmatch(text) is not None:
            return rate
    regular = REGULARLY.fullmatch(text)
    if regular is not None:
        return float(regular["times"] or 1) * LY[regular["how"]] * _size(regular)
    every = EVERY.fullmatch(text)
    if every is not None:
        low = FEW.get(every["low"] or "") or float(every["low"] or 1)
        often = float(every["times"] or 1) * (MOST if "most" in every["most"] else 1.0) * _size(every)
        return often * _a_year(every["unit"]) / ((low + float(every["high"] or low)) / 2)
    found = RATE.fullmatch(text)
    if found is not None:
        low, high = float(found["low"]), float(found["high"] or found["low"])
        size = 1.4 if found["open"] or found["oftener"] else _size(found)
        return (low + high) / 2 * _a_year(found["unit"]) * size
    return _rate_of_parts(text)


def _rate_of_parts(text: str) -> float | None:
    """Return the rate of "almost" something, or of something "or" another, more, or less."""
    nearly = NEARLY.fullmatch(text)
    if nearly is not None:
        rate = _rate(nearly["rest"])
        return None if rate is None else MOST * rate
    parts = OR.split(text)
    if len(parts) != 2:
        return None
    first, other = parts
    rate = _rate(first)
    if rate is None:
        return None
    if other in OFTENER:
        return rate * 1.4
    if other in FEWER:
        return rate * 0.6
    second = _rate(other)
    return None if second is None else (rate + second) / 2


def _a_year(unit: str) -> float:
    """Return how many of a unit a year has."""
    return 12.0 if unit in ("month", "monat") else 365 / DAYS[unit]


def _size(found: re.Match[str]) -> float:
    return 0.6 if found["less"] else 1.4 if found["more"] else 1.0


def days_ago(label: str) -> float | None:
    """Return how many days ago at most an answer means, roughly; None where it tells no such thing.

    >>> [days_ago(text) for text in ("Within the last week", "1-3 months ago", "Longer ago", "Never", "Red")]
    [7.0, 91.5, 1000000.0, 10000000.0, None]
    """
    text = counted_in(label)
    if text in NEVER:
        return NOT_EVER
    if NOT_LATELY.fullmatch(text) is not None:
        return NOT_EVER / 2
    if text in LONGER:
        return LONG_AGO
    if text in NAMED_DAYS:
        return NAMED_DAYS[text]
    within = WITHIN.fullmatch(text)
    if within is not None:
        return float(within["low"] or 1) * DAYS[within["unit"]]
    found = AGO.fullmatch(text)
    if found is None or not ("ago" in text or "vor " in text):
        return None
    size = 1.5 if found["more"] or found["open"] or found["longer"] else 0.9 if found["less"] else 1.0
    return float(found["high"] or found["low"] or 1) * DAYS[found["unit"]] * size


def length_in_days(label: str) -> float | None:
    """Return the shortest length of time that an answer means, in days, a little less for one without a lower end.

    >>> [length_in_days(text) for text in ("6-12 months", "1-2 years", "Less than 6 months", "5 people")]
    [183.0, 365.0, 182.99, None]
    """
    found = LENGTH.fullmatch(counted_in(label))
    unit = None if found is None else found["inner"] or found["unit"]
    if found is None or unit is None:
        return None
    return float(found["low"]) * DAYS[unit] + (-0.01 if found["less"] else 0.01 if found["more"] else 0.0)
