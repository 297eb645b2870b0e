"""The meaning of answers and columns, in the languages that ship: bands and times in their order, what is asked."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence

from eager_otter.codebook.label_words import LAST, answers_among, says_no_answer
from eager_otter.drafting.amounts import counted_in, days_ago, length_in_days
from eager_otter.drafting.scales import FEWEST_STEPS, places_by, plainly, words_of

DASHES = str.maketrans({"–": "-", "—": "-", "‑": "-", "_": "-", "’": "'", "`": "'"})
NUMBER = re.compile(r"\d{1,3}(?:,\d{3})+|\d+(?:[.,]\d+)?")
THOUSANDS = re.compile(r"\d{1,3}(?:,\d{3})+")
NOTHING = re.compile(r"none|nothing|zero|no|0|never|no \w+|kein\w*|keine \w+|nie")
OPEN_ABOVE = re.compile(
    r"\+|\b(?:(?:or|and) (?:more|over|older)|over|more than|above|über|mehr als|und (?:mehr|älter)|oder mehr)\b"
)
USUAL_ORDERS = (
    (("early morning", "am frühen morgen"), ("morning", "in the morning", "morgens", "vormittag", "vormittags"),
     ("midday", "noon", "lunchtime", "mittag", "mittags"),
     ("afternoon", "in the afternoon", "nachmittag", "nachmittags"),
     ("evening", "in the evening", "abend", "abends"), ("night", "at night", "late evening", "nacht", "nachts")),
    (("yes", "ja", "true"), ("no", "nein", "false")),
)  # fmt: skip
OPEN_BELOW = re.compile(r"<|\b(under|below|less than|up to|lt|unter|bis zu|weniger als)\b", re.IGNORECASE)
BAND = re.compile(
    r"""\s*[\[(]?\s*(?:<=?|>=?|\+|≤|≥|under|below|less\ than|up\ to|lt|gt|over|more\ than|unter|bis\ zu|über
    |ab|weniger\ als|mehr\ als)?\s*[€$£]?\s*(?:\d{1,3}(?:,\d{3})+|\d+(?:[.,]\d+)?)k?\s*[€$£]?\s*
    (?:(?:-|–|—|to|or|bis|oder|,|and\ under)\s*[€$£]?\s*(?:\d{1,3}(?:,\d{3})+|\d+(?:[.,]\d+)?))?\s*
    (?:\+|[\])]|or\ (?:more|over|older|less|under)|and\ (?:more|over|older|under)|und\ (?:mehr|älter|darüber)
    |oder\ mehr)?
    k?\s*(?:[^\W\d]{1,12}(?:\ old|\ alt)?|€|%)?\.?\s*(?:or\ (?:more|over|older)
    |and\ (?:over|older)|und\ (?:mehr|älter))?\s*""",
    re.IGNORECASE | re.VERBOSE,
)
DEMOGRAPHICS = tuple(
    words_of(*patterns)
    for patterns in (
        (r"wave", r"quarter", r"welle", r"quartal"),
        (r"gender", r"sex", r"geschlecht"),
        (r"age(?:[ _]?(?:group|band|class)\w*)?", r"ages", r"how old", r"alter(?:sgruppe)?", r"wie alt", r"ageband",
         r"agegroup"),
        (r"region", r"area", r"state", r"county", r"country", r"live", r"bundesland", r"wohn\w*", r"land"),
        (r"income", r"einkommen", r"social grade", r"education", r"bildung", r"schul\w*"),
        (r"household", r"haushalt", r"children", r"kinder", r"married", r"marital", r"occupation", r"working",
         r"beruf"),
        (r"town", r"city", r"urban", r"settlement", r"ort"),
    )
)  # fmt: skip
RECOMMEND = words_of(r"recommend\w*", r"weiterempfehl\w*", r"empfehl\w*", r"promoter", r"nps")


def parted(labels: Sequence[str]) -> tuple[list[str], list[str]]:
    """Return the labels that are answers, and those that look like none."""
    answers = answers_among(tuple(labels))
    return list(answers), [label for label in labels if label not in answers]


def band_order(labels: Sequence[str]) -> list[str] | None:
    """Put bands in the order of their numbers, those without behind; None where they are none.

    >>> band_order(["25-34", "65+", "<18", "18-24", "Refused"])
    ['<18', '18-24', '25-34', '65+', 'Refused']
    >>> band_order(["1", "2", "3"]) is None
    True
    """
    answers, behind = parted(labels)
    counted: dict[str, str] = {}
    for label in answers:
        text = counted_in(label)
        if NOTHING.fullmatch(text) is None:
            if BAND.fullmatch(text) is None:
                return None
            counted[label] = text
    wide = [text for text in counted.values() if NUMBER.fullmatch(text) is None]
    ended = any(map(OPEN_ABOVE.search, wide))
    if len(answers) < FEWEST_STEPS or not (len(wide) >= len(answers) / 2 or ended):
        return None
    return sorted(answers, key=lambda label: _first_number(counted.get(label, "0"))) + behind


def _first_number(text: str) -> tuple[float, bool]:
    found = NUMBER.search(text)
    assert found is not None
    number = found[0].replace(",", "") if THOUSANDS.fullmatch(found[0]) else found[0].replace(",", ".")
    thousands = text[found.end() : found.end() + 1] == "k"
    return float(number) * (1_000 if thousands else 1), OPEN_BELOW.search(text) is None


def time_order(labels: Sequence[str]) -> list[str] | None:
    """Put answers of how long ago, or for how long, in their order, the shortest first; None where they are none.

    >>> time_order(["1-3 months ago", "Never", "Within the last week", "Longer ago"])
    ['Within the last week', '1-3 months ago', 'Longer ago', 'Never']
    >>> time_order(["1-2 years", "More than 2 years", "Less than 6 months", "6-12 months"])
    ['Less than 6 months', '6-12 months', '1-2 years', 'More than 2 years']
    """
    rest, behind = parted(labels)
    for way in (days_ago, length_in_days):
        days = places_by(rest, map(way, rest))
        if days is not None and len(rest) >= FEWEST_STEPS:
            return sorted(days, key=days.__getitem__) + behind
    return None


def day_order(labels: Sequence[str]) -> list[str] | None:
    """Put times of day, or yes and no, in their order, no answer behind; None where they are none.

    >>> day_order(["Evening", "Morning", "Night"]), day_order(["No", "Yes", "Don't know"])
    (['Morning', 'Evening', 'Night'], ['Yes', 'No', "Don't know"])
    """
    rest, behind = parted(labels)
    for several in USUAL_ORDERS:
        places = {word: place for place, words in enumerate(several) for word in words}
        if len(rest) > 1 and all(plainly(label) in places for label in rest):
            return sorted(rest, key=lambda label: places[plainly(label)]) + behind
    return None


def last_behind(labels: Sequence[str]) -> list[str]:
    """Put answers such as "other" and "none of these" behind all others, and what is no answer behind those.

    >>> last_behind(["Don't know", "Other", "Price", "Taste"])
    ['Price', 'Taste', 'Other', "Don't know"]
    """
    return sorted(labels, key=lambda label: (says_no_answer(label, labels), LAST.match(label) is not None))


def demographic_place(text: str) -> int | None:
    """Return the place of a question among those that usually make a banner; None for one that does not."""
    plain = re.sub(r"[_.\-]+", " ", text)
    return next((k for k, words in enumerate(DEMOGRAPHICS) if words.search(plain)), None)


def asks_to_recommend(text: str) -> bool:
    """Return whether a question asks how likely somebody is to recommend something."""
    return RECOMMEND.search(text.replace("_", " ")) is not None


def twins(texts: Sequence[str]) -> list[list[str]]:
    """Group texts that differ in case, blanks or dashes only."""
    alike: dict[str, list[str]] = defaultdict(list)
    for text in texts:
        alike[" ".join(text.translate(DASHES).replace("-", " ").casefold().split())].append(text)
    return [group for group in alike.values() if len(group) > 1]
