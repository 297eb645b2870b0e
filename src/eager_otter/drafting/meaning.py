"""The meaning of answers and columns, in the languages that ship: scales and bands in their order, what is asked."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence

from eager_otter.codebook.label_words import LAST, says_no_answer

FEWEST_STEPS = 3
DASHES = str.maketrans({"–": "-", "—": "-", "‑": "-", "_": "-", "’": "'", "`": "'"})


def _words(*patterns: str) -> re.Pattern[str]:
    return re.compile(r"(?:^|\b)(?:" + "|".join(patterns) + r")(?:\b|$)", re.IGNORECASE)


NOT_AT_ALL = _words(r"not at all", r"gar nicht", r"überhaupt nicht", r"definitely not", r"bestimmt nicht")
HARDLY = _words(r"not very", r"not so", r"not really", r"probably not", r"nicht so", r"eher nicht", r"kaum")
NOT = _words(r"not", r"nicht", r"kein\w*")
STRONG = _words(
    r"strongly", r"completely", r"totally", r"fully", r"very", r"definitely", r"absolutely", r"entirely", r"highly",
    r"sehr", r"voll\w*", r"völlig", r"bestimmt", r"ganz", r"absolut",
)  # fmt: skip
EXTREME = _words(
    r"extremely", r"excellent", r"äußerst", r"ausgezeichnet", r"terrible", r"awful", r"hervorragend"
)
MILD = _words(
    r"somewhat", r"slightly", r"tend to", r"fairly", r"quite", r"rather", r"a little", r"a bit", r"probably",
    r"moderately", r"eher", r"ziemlich", r"wahrscheinlich", r"etwas",
)  # fmt: skip
MIDDLE = _words(
    r"neither.*", r"neutral", r"undecided", r"average", r"fair", r"so-so", r"okay", r"ok", r"in between",
    r"about the same",
    r"weder.*", r"teils.*", r"mittelmäßig", r"unentschieden", r"befriedigend",
)  # fmt: skip
WORSE = _words(
    r"disagree\w*", r"dissatisfied", r"unsatisfied", r"unlikely", r"unimportant", r"poor", r"bad", r"difficult",
    r"hard", r"unhappy", r"negative", r"dislike\w*", r"worse", r"unfamiliar", r"uninterested", r"useless",
    r"low", r"terrible",
    r"awful", r"unzufrieden", r"unwahrscheinlich", r"unwichtig", r"schlecht", r"schwierig", r"negativ", r"mangelhaft",
    r"ungenügend",
)  # fmt: skip
BETTER = _words(
    r"agree\w*", r"satisfied", r"likely", r"important", r"good", r"easy", r"happy", r"positive", r"like\w*", r"better",
    r"familiar", r"interested", r"useful", r"high", r"excellent", r"relevant", r"appealing", r"believable", r"unique",
    r"appl(?:y|ies)", r"stimme.*zu", r"trifft.*zu",
    r"zufrieden", r"wahrscheinlich", r"wichtig", r"gut", r"einfach", r"leicht", r"positiv", r"würde",
    r"interessiert", r"bekannt", r"hervorragend", r"ausgezeichnet", r"would", r"will", r"yes", r"ja",
)  # fmt: skip
OFTEN = (
    ("never", "nie", "niemals"),
    ("hardly ever", "almost never", "fast nie"),
    ("rarely", "seldom", "selten"),
    ("less often", "less than once a year", "seltener"),
    ("once a year", "about once a year", "einmal im jahr"),
    ("several times a year", "mehrmals im jahr"),
    ("less than once a month", "weniger als einmal im monat"),
    ("occasionally", "now and then", "gelegentlich"),
    ("sometimes", "manchmal"),
    ("once a month", "about once a month", "monthly", "einmal im monat"),
    ("two or three times a month", "2-3 times a month", "several times a month", "mehrmals im monat"),
    ("once a week", "about once a week", "weekly", "einmal pro woche", "einmal in der woche"),
    ("two or three times a week", "2-3 times a week", "several times a week", "mehrmals pro woche"),
    ("often", "frequently", "oft", "häufig"),
    ("usually", "very often", "meistens", "sehr oft"),
    ("almost always", "fast immer"),
    ("daily", "every day", "once a day", "täglich", "jeden tag"),
    ("several times a day", "more than once a day", "mehrmals täglich"),
    ("always", "immer"),
)
MUCH = (
    ("not at all", "none at all", "nothing at all", "gar nicht", "überhaupt nicht"),
    ("hardly", "hardly at all", "hardly any", "very little", "kaum", "sehr wenig"),
    ("a little", "a little bit", "slightly", "a bit", "little", "ein wenig", "wenig", "etwas"),
    ("somewhat", "to some extent", "moderately", "a moderate amount", "mittelmäßig", "teilweise"),
    ("quite", "quite a bit", "quite a lot", "fairly", "ziemlich"),
    ("a lot", "much", "viel"),
    ("very", "very much", "a great deal", "to a great extent", "sehr", "sehr viel", "stark"),
    ("extremely", "completely", "totally", "entirely", "äußerst", "völlig", "voll und ganz"),
)
HOW_MUCH = {text: place for place, texts in enumerate(MUCH) for text in texts}
LED = re.compile(
    r"(-?\d{1,3})(?:\s*(?:[-–—:.)=]\s*|(?=[(\[]))(\D.*))?", re.DOTALL
)  # "5 - Excellent", "5 (excellent)"
HOW_OFTEN = {text: place for place, texts in enumerate(OFTEN) for text in texts}
NUMBER = re.compile(r"\d+(?:[.,]\d+)?")
OPEN_BELOW = re.compile(r"<|\b(under|below|less than|up to|lt|unter|bis zu|weniger als)\b", re.IGNORECASE)
BAND = re.compile(
    r"""\s*[\[(]?\s*(?:<=?|>=?|\+|≤|≥|under|below|less\ than|up\ to|lt|gt|over|more\ than|unter|bis\ zu|über
    |ab|weniger\ als|mehr\ als)?\s*[€$£]?\s*\d+(?:[.,]\d+)?\s*
    (?:(?:-|–|—|to|bis|,|and\ under)\s*[€$£]?\s*\d+(?:[.,]\d+)?)?\s*
    (?:\+|[\])]|or\ (?:more|over|older|less|under)|and\ (?:more|over|older|under)|und\ (?:mehr|älter|darüber)
    |oder\ mehr)?
    \s*(?:yrs?|years?(?:\ old)?|jahre?|kg|l|cl|€|%|glasses|people|persons?|personen)?\.?\s*(?:or\ (?:more|over|older)
    |and\ (?:over|older)|und\ (?:mehr|älter))?\s*""",
    re.IGNORECASE | re.VERBOSE,
)
DEMOGRAPHICS = tuple(
    _words(*patterns)
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
RECOMMEND = _words(r"recommend\w*", r"weiterempfehl\w*", r"empfehl\w*", r"promoter", r"nps")


def scale_order(labels: Sequence[str]) -> list[str] | None:
    """Put answers of a scale in their order, the lowest first, those without a place behind; None where it is no scale.

    >>> scale_order(["Agree", "Disagree", "Neither", "Strongly agree", "Don't know"])
    ['Disagree', 'Neither', 'Agree', 'Strongly agree', "Don't know"]
    >>> scale_order(["North", "East"]) is None
    True
    """
    behind = [label for label in labels if says_no_answer(label, labels)]
    steps = [label for label in labels if label not in behind]
    places: list[float | None] = [HOW_MUCH.get(_plain(label)) for label in steps]
    if None in places:
        places = [_step(label) for label in steps]
    if len(steps) < FEWEST_STEPS or any(place is None for place in places) or len(set(places)) < len(steps):
        return None
    return [label for _, label in sorted(zip(places, steps, strict=True))] + behind


def led_by_numbers(labels: Sequence[str]) -> dict[str, int] | None:
    """Return the numbers that steps begin with, in their order, those without none; None where they are no steps.

    They are where some are a number alone, or their words tell that they are.

    >>> led_by_numbers(["10 - Very likely", "9", "0 - Not at all", "Refused"])
    {'0 - Not at all': 0, '9': 9, '10 - Very likely': 10}
    >>> led_by_numbers(["1 - Tarn", "2 - Birk", "3 - Fjell"]) is None
    True
    """
    steps = [label for label in labels if not says_no_answer(label, labels)]
    found = [LED.fullmatch(label.strip()) for label in steps]
    if len(steps) < FEWEST_STEPS or any(one is None for one in found):
        return None
    led = {label: int(one[1]) for label, one in zip(steps, found, strict=True) if one is not None}
    words = [one[2] for one in found if one is not None and one[2]]
    numbers_alone = len(words) < len(steps)
    if not words or len(set(led.values())) < len(led) or not (numbers_alone or scale_order(words)):
        return None
    return dict(sorted(led.items(), key=lambda one: one[1]))


def _plain(label: str) -> str:
    return " ".join(label.casefold().split()).strip(" .!")


def _step(label: str) -> float | None:
    text = _plain(label)
    if text in HOW_OFTEN:
        return float(HOW_OFTEN[text])
    if MIDDLE.search(text) and not BETTER.fullmatch(text) and not WORSE.fullmatch(text):
        return 0.0
    worse = WORSE.search(text) is not None
    if not worse and BETTER.search(text) is None and not NOT_AT_ALL.search(text):
        return None
    if NOT_AT_ALL.search(text):
        return 2.2 if worse else -2.2
    if HARDLY.search(text):
        return 1.0 if worse else -1.0
    size = 2.5 if EXTREME.search(text) else 2.0 if STRONG.search(text) else 1.0 if MILD.search(text) else 1.5
    return -size if worse or NOT.search(text) else size


def band_order(labels: Sequence[str]) -> list[str] | None:
    """Put bands in the order of their numbers, those without behind; None where they are none.

    >>> band_order(["25-34", "65+", "<18", "18-24", "Refused"])
    ['<18', '18-24', '25-34', '65+', 'Refused']
    >>> band_order(["1", "2", "3"]) is None
    True
    """
    behind = [label for label in labels if says_no_answer(label, labels)]
    bands = [label for label in labels if label not in behind]
    wide = [label for label in bands if NUMBER.fullmatch(label.strip()) is None]
    if len(bands) < FEWEST_STEPS or len(wide) < len(bands) / 2 or not all(map(BAND.fullmatch, bands)):
        return None
    return sorted(bands, key=_first_number) + behind


def _first_number(label: str) -> tuple[float, bool]:
    found = NUMBER.search(label)
    assert found is not None
    return float(found[0].replace(",", ".")), OPEN_BELOW.search(label) is None


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
