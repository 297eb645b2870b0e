"""Scales: answers that are steps, by the words they are made of, in the languages that ship."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence

from eager_otter.codebook.label_words import answers_among
from eager_otter.drafting.amounts import times_a_year

FEWEST_STEPS = 3


def words_of(*patterns: str) -> re.Pattern[str]:
    """Return what finds any of some patterns as whole words."""
    return re.compile(r"(?:^|\b)(?:" + "|".join(patterns) + r")(?:\b|$)", re.IGNORECASE)


# the words stand here as `plainly` writes labels: ß is ss there
NOT_AT_ALL = words_of(r"not at all", r"gar nicht", r"überhaupt nicht", r"definitely not", r"bestimmt nicht")
HARDLY = words_of(r"not very", r"not so", r"not really", r"probably not", r"nicht so", r"eher nicht", r"kaum")
NOT = words_of(r"not", r"nicht", r"kein\w*")
STRONG = words_of(
    r"strongly", r"completely", r"totally", r"fully", r"very", r"definitely", r"absolutely", r"entirely", r"highly",
    r"a lot", r"much", r"far", r"significantly", r"greatly", r"viel", r"deutlich",
    r"sehr", r"voll\w*", r"völlig", r"bestimmt", r"ganz", r"absolut",
)  # fmt: skip
EXTREME = words_of(
    r"extremely",
    r"excellent",
    r"äusserst",
    r"ausgezeichnet",
    r"terrible",
    r"awful",
    r"hervorragend",
    r"great",
    r"fantastic",
    r"perfect",
    r"lov\w+",
    r"hated?",
)
MILD = words_of(
    r"somewhat", r"tend to", r"fairly", r"quite", r"rather", r"probably", r"moderately", r"eher", r"ziemlich",
    r"wahrscheinlich",
)  # fmt: skip
SLIGHT = words_of(r"slightly", r"a little", r"a bit", r"etwas", r"ein wenig")
STRENGTHS = ((EXTREME, 2.5), (STRONG, 2.0), (MILD, 1.0), (SLIGHT, 0.5))  # the first that is found counts
DEGREES = (  # before the same words: how much of it
    ("not at all", "überhaupt nicht", "gar nicht", "in no way"),
    ("not", "nicht", "not really", "un"),
    ("not very", "not so", "not particularly", "hardly", "nicht so", "nicht sehr", "kaum"),
    ("a little", "slightly", "a bit", "ein wenig", "etwas", "only slightly"),
    ("somewhat", "moderately", "to some extent", "teilweise", "mittelmässig"),
    ("fairly", "quite", "rather", "reasonably", "ziemlich", "eher"),
    ("",),
    ("very", "highly", "sehr"),
    ("extremely", "completely", "totally", "entirely", "äusserst", "völlig", "absolut"),
)
DEGREE = {words: place for place, several in enumerate(DEGREES) for words in several}
RIGHT = re.compile(r"(?:just )?(?:about )?right|(?:genau )?richtig|gerade richtig|ideal")
TOO = re.compile(
    r"(?:(?P<size>much|far|way|a lot|viel|slightly|a little|a bit|somewhat|etwas) )?(?:too|zu) (?P<what>.+)"
)
NOT_ENOUGH = re.compile(
    r"(?:not|nicht) (?:(?P<size>nearly|at all|quite|annähernd|ganz) )?(?P<what>.+?)(?: enough| genug)?"
)
LITTLE = words_of(
    r"cheap", r"small", r"short", r"little", r"few", r"slow", r"weak", r"light", r"thin", r"low", r"dry", r"bland",
    r"mild", r"soft", r"early", r"cold", r"billig", r"klein", r"kurz", r"wenig\w*", r"langsam", r"schwach", r"leicht",
    r"dünn", r"niedrig", r"früh", r"kalt",
)  # fmt: skip
SIZES = {
    None: 2,
    "much": 3,
    "far": 3,
    "way": 3,
    "a lot": 3,
    "viel": 3,
    "nearly": 3,
    "annähernd": 3,
    "at all": 3,
}
MIDDLE = words_of(
    r"neither.*", r"neutral", r"undecided", r"average", r"fair", r"so-so", r"okay", r"ok", r"in between",
    r"(?:stayed |about |much )?the same", r"no change", r"unchanged", r"might or might not", r"may or may not",
    r"(?:met|as) expect\w*", r"(?:gleich|unverändert)(?: geblieben)?", r"wie erwartet",
    r"weder.*", r"teils.*", r"mittelmässig", r"unentschieden", r"befriedigend",
)  # fmt: skip
WORSE = words_of(
    r"disagree\w*", r"dissatisfied", r"unsatisfied", r"unlikely", r"unimportant", r"poor", r"bad", r"difficult",
    r"hard", r"unhappy", r"negative", r"dislike\w*", r"worse", r"unfamiliar", r"uninterested", r"useless",
    r"low", r"terrible", r"awful", r"decreas\w*", r"declin\w*", r"worsen\w*", r"fallen", r"fell", r"less", r"fewer",
    r"below", r"lower", r"gesunken", r"weniger", r"verschlechtert",
    r"unzufrieden", r"unwahrscheinlich", r"unwichtig", r"schlecht", r"schwierig", r"negativ", r"mangelhaft",
    r"ungenügend", r"oppos\w+", r"reject\w*", r"hated?", r"least favou?rite",
)  # fmt: skip
BETTER = words_of(
    r"agree\w*", r"satisfied", r"likely", r"important", r"good", r"easy", r"happy", r"positive", r"like\w*", r"better",
    r"familiar", r"interested", r"useful", r"high", r"excellent", r"relevant", r"appealing", r"believable", r"unique",
    r"appl(?:y|ies)", r"increas\w*", r"improv\w*", r"risen", r"rose", r"more", r"above", r"higher", r"great",
    r"fantastic", r"perfect", r"gestiegen", r"mehr", r"verbessert", r"stimme.*zu", r"trifft.*zu",
    r"zufrieden", r"wahrscheinlich", r"wichtig", r"gut", r"einfach", r"leicht", r"positiv", r"würde",
    r"interessiert", r"bekannt", r"hervorragend", r"ausgezeichnet", r"would", r"will", r"yes", r"ja",
    r"support\w*", r"lov\w+", r"most favou?rite",
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
    (
        "a little",
        "a little bit",
        "slightly",
        "a bit",
        "little",
        "to a small extent",
        "to a little extent",
        "ein wenig",
        "wenig",
        "etwas",
    ),
    ("somewhat", "to some extent", "moderately", "a moderate amount", "mittelmässig", "teilweise"),
    ("quite", "quite a bit", "quite a lot", "fairly", "ziemlich"),
    ("a lot", "much", "viel"),
    (
        "very",
        "very much",
        "a great deal",
        "to a great extent",
        "to a large extent",
        "sehr",
        "sehr viel",
        "stark",
    ),
    ("extremely", "completely", "totally", "entirely", "äusserst", "völlig", "voll und ganz"),
)
HOW_MUCH = {text: place for place, texts in enumerate(MUCH) for text in texts}
LED = re.compile(
    r"(-?\d{1,3})(?:\s*(?:[-–—:.)=]\s*|(?=[(\[]))(\D.*))?", re.DOTALL
)  # "5 - Excellent", "5 (excellent)"
HOW_OFTEN = {text: place for place, texts in enumerate(OFTEN) for text in texts}


def scale_order(labels: Sequence[str]) -> list[str] | None:
    """Put answers of a scale in their order, the lowest first, those without a place behind; None where it is no scale.

    >>> scale_order(["Agree", "Disagree", "Neither", "Strongly agree", "Don't know"])
    ['Disagree', 'Neither', 'Agree', 'Strongly agree', "Don't know"]
    >>> scale_order(["North", "East"]) is None
    True
    """
    places = scale_places(labels)
    if places is None:
        return None
    behind = [label for label in labels if label not in places]
    return sorted(places, key=places.__getitem__) + behind


def scale_places(labels: Sequence[str]) -> dict[str, float] | None:
    """Return the places on a scale of labels that are answers, by what their words say; None where it is no scale.

    >>> scale_places(["Not concerned", "Very concerned", "A little concerned"])
    {'Not concerned': 1, 'Very concerned': 7, 'A little concerned': 3}
    """
    steps = answers_among(tuple(labels))
    if len(steps) < FEWEST_STEPS:
        return None
    for places_of in (
        _each(lambda label: HOW_MUCH.get(plainly(label))),
        _each(_step),
        _each(times_a_year),
        _degrees,
        _amounts,
    ):
        found = places_by(steps, places_of(steps))
        if found is not None:
            return found
    return None


def places_by(labels: Sequence[str], found: Iterable[float | None]) -> dict[str, float] | None:
    """Return the places found for labels, one after the other; None where one has none, or two have the same."""
    places: dict[str, float] = {}
    for label, place in zip(labels, found, strict=False):
        if place is None:
            return None
        places[label] = place
    return places if len(labels) == len(set(places.values())) else None


Places = Iterable[float | None]  # of labels, in their order; None for one that has no place


def _each(place_of: Callable[[str], float | None]) -> Callable[[Sequence[str]], Places]:
    return lambda labels: map(place_of, labels)


def _degrees(labels: Sequence[str]) -> Places:
    """Place labels that say the same in several degrees: not concerned, a little concerned, very concerned."""
    words = [plainly(label).split() for label in labels]
    shared = min(map(len, words))
    common = next((k for k in range(shared, 0, -1) if len({tuple(one[-k:]) for one in words}) == 1), 0)
    return [DEGREE.get(" ".join(one[:-common])) if common else None for one in words]


def _amounts(labels: Sequence[str]) -> Places:
    """Place labels around what is just right: too cheap, about right, too expensive."""
    plain = [plainly(label) for label in labels]
    sides = [TOO.fullmatch(text) for text in plain]
    whats = list(dict.fromkeys(found["what"] for found in sides if found is not None))
    if not whats or len(whats) > 2 or not any(map(RIGHT.fullmatch, plain)):
        return [None] * len(plain)
    high = next((what for what in whats if not LITTLE.search(what)), whats[-1])

    def place(text: str, too: re.Match[str] | None) -> float | None:
        if RIGHT.fullmatch(text):
            return 0.0
        found = too or NOT_ENOUGH.fullmatch(text)
        if found is None or (too is None and found["what"] != high):
            return None
        size = float(SIZES.get(found["size"], 1))
        return size if too is not None and found["what"] == high else -size

    return [place(text, too) for text, too in zip(plain, sides, strict=True)]


def led_by_numbers(labels: Sequence[str]) -> dict[str, int] | None:
    """Return the numbers that steps begin with, in their order, those without none; None where they are no steps.

    They are where some are a number alone, or their words tell that they are.

    >>> led_by_numbers(["10 - Very likely", "9", "0 - Not at all", "Refused"])
    {'0 - Not at all': 0, '9': 9, '10 - Very likely': 10}
    >>> led_by_numbers(["1 - Tarn", "2 - Birk", "3 - Fjell"]) is None
    True
    """
    steps = answers_among(tuple(labels))
    found = [LED.fullmatch(label.strip()) for label in steps]
    if len(steps) < FEWEST_STEPS or any(one is None for one in found):
        return None
    led = {label: int(one[1]) for label, one in zip(steps, found, strict=True) if one is not None}
    words = [one[2] for one in found if one is not None and one[2]]
    numbers_alone = len(words) < len(steps)
    if not words or len(set(led.values())) < len(led) or not (numbers_alone or scale_order(words)):
        return None
    return dict(sorted(led.items(), key=lambda one: one[1]))


def plainly(label: str) -> str:
    """Return a label in small letters, without what stands around it."""
    return " ".join(label.casefold().split()).strip(" .!")


def _step(label: str) -> float | None:
    text = plainly(label)
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
    size = next((size for words, size in STRENGTHS if words.search(text)), 1.5)
    return -size if worse or NOT.search(text) else size
