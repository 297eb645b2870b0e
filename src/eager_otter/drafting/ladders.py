"""Answers that are steps of a ladder, such as low, medium, high, or hours of the day, in the languages that ship."""

from __future__ import annotations

import re
from collections.abc import Sequence

from eager_otter.drafting.meaning import parted
from eager_otter.drafting.scales import plainly

FEWEST = 2
LADDERS = (  # the words of each step, as `plainly` writes them: ß is ss there
    (r"low|niedrig\w*|gering\w*", r"medium|moderate|average|middle|mittel\w*|mittler\w*", r"high|hoch|hohe\w*"),
    (r"small|klein\w*", r"medium|mid-sized|medium-sized|mittel\w*|mittler\w*", r"large|big|gross\w*"),
    (r"light|leicht\w*|gelegentlich\w*", r"medium|moderate|average|mittel\w*|mittler\w*", r"heavy|schwer\w*|stark\w*"),
    (r"short|kurz\w*", r"medium|average|mittel\w*", r"long|lang\w*"),
    (r"weak|schwach\w*", r"medium|moderate|average|mittel\w*", r"strong|stark\w*"),
    (r"cheap|inexpensive|billig|günstig", r"fair|reasonable|about right|angemessen", r"expensive|teuer"),
    (r"cold|kalt", r"cool|kühl", r"lukewarm|lauwarm", r"warm", r"hot|heiss"),
    (r"still", r"light|lightly sparkling|medium", r"sparkling|classic|strong"),
    (r"beginner|novice|anfänger", r"intermediate|fortgeschritten", r"advanced", r"expert|experte"),
    (r"baby|toddler", r"child|children|kind|kinder", r"teenager|teen|youth|jugendliche?", r"adult|adults|erwachsene?",
     r"senior|seniors|senioren|older adult"),
    (r"xxs", r"xs", r"s", r"m", r"l", r"xl", r"xxl|2xl", r"xxxl|3xl"),
    (r"first|erste[rns]?", r"second|zweite[rns]?", r"third|dritte[rns]?", r"fourth|vierte[rns]?", r"fifth|fünfte[rns]?",
     r"sixth|sechste[rns]?"),
    (r"none|none at all|nothing|nichts|keine?", r"a little|little|not much|ein wenig|wenig", r"some|etwas|einiges",
     r"a moderate amount|a fair amount", r"quite a lot|ziemlich viel", r"a lot|lots|much|viel",
     r"a great deal|sehr viel"),
    (r"not working|unemployed|nicht berufstätig", r"part[- ]time|teilzeit", r"full[- ]time|vollzeit"),
    (r"no(?: formal)? (?:qualifications?|education|schooling)|kein(?:en)? abschluss",
     r"(?:primary|elementary)(?: school| education)?|grundschule",
     r"(?:lower )?secondary(?: school| education)?|hauptschule",
     r"high school|upper secondary(?: school| education)?|realschule",
     r"vocational(?: training| education| qualification)?|apprenticeship|further education|(?:berufs)?ausbildung|lehre",
     r"some college|abitur",
     r"(?:university|college|bachelor'?s?|undergraduate)(?: degree)?|degree|(?:fach)?hochschule|bachelor",
     r"(?:master'?s?|postgraduate)(?: degree)?|master", r"doctorate|ph\.?d\.?|doctoral degree|promotion"),
)  # fmt: skip
SIZES = (
    (2.0, r"too|far too|much too|extremely|zu|viel zu|äusserst"),
    (1.5, r"very|sehr"),
    (0.7, r"fairly|quite|rather|ziemlich|eher"),
    (0.5, r"slightly|a little|a bit|etwas"),
)
SIZE_SHIFT = 0.3
LADDER_STEPS = tuple(
    tuple(re.compile(rf"(?:{words})(?P<rest>(?:\W.*)?)") for words in steps) for steps in LADDERS
)
SIZED = tuple((size, re.compile(rf"(?:{words}) (?P<what>.+)")) for size, words in SIZES)
CLOCK = re.compile(
    r"(?<!\d)(?P<hour>2[0-4]|[01]?\d)(?!\d)(?:[:.](?P<minute>[0-5]\d))?\s*(?P<half>[ap]\.?m\b\.?)?(?P<clock>\s*(?:o'clock|uhr|h)\b)?"
    r"|(?P<named>noon|midday|midnight|mittag|mitternacht)"
)
BEFORE = re.compile(r"\b(?:before|until|till|up to|earlier than|vor|bis)\b|^<")
AFTER = re.compile(r"\b(?:after|later than|nach)\b|^>")
NAMED_HOURS = {"noon": 12.0, "midday": 12.0, "mittag": 12.0, "midnight": 24.0, "mitternacht": 24.0}


def ladder_order(labels: Sequence[str]) -> list[str] | None:
    """Put steps of a ladder in their order, the lowest first, no answer behind; None where they are none.

    >>> ladder_order(["High", "Low", "Medium", "Very high"]), ladder_order(["Heavy user", "Light user", "Medium user"])
    (['Low', 'Medium', 'High', 'Very high'], ['Light user', 'Medium user', 'Heavy user'])
    """
    steps, behind = parted(labels)
    plain = [plainly(label) for label in steps]
    for ladder in LADDER_STEPS if len(steps) >= FEWEST else ():
        found = _places(plain, ladder)
        if found is not None:
            place_of = dict(zip(steps, found, strict=True))
            return sorted(steps, key=place_of.__getitem__) + behind
    return None


def _places(texts: Sequence[str], ladder: Sequence[re.Pattern[str]]) -> list[float] | None:
    """Return where each text stands on a ladder, all with the same words behind; None where one does not."""
    places: list[float] = []
    rests: set[str] = set()
    for text in texts:
        place = _place(text, ladder)
        if place is None:
            return None
        places.append(place[0])
        rests.add(place[1])
    return places if len(rests) == 1 and len(set(places)) == len(places) else None


def _place(text: str, ladder: Sequence[re.Pattern[str]]) -> tuple[float, str] | None:
    """Return where a label stands on a ladder, and what follows the word that says so; None where it is none of it."""
    size, what = next(
        ((size, found["what"]) for size, words in SIZED if (found := words.fullmatch(text)) is not None),
        (1.0, text),
    )
    middle = (len(ladder) - 1) / 2
    for step, words in enumerate(ladder):
        found = words.fullmatch(what) or words.fullmatch(text)
        if found is not None:
            own = size if found.string == what else 1.0
            side = (step > middle) - (step < middle)
            return step + side * (own - 1.0) * SIZE_SHIFT, found["rest"]
    return None


def clock_order(labels: Sequence[str]) -> list[str] | None:
    """Put hours of the day in their order, by when they begin, no answer behind; None where they are none.

    >>> clock_order(["After 6 pm", "Noon to 6 pm", "6-9 am", "9 am-12 pm"])
    ['6-9 am', '9 am-12 pm', 'Noon to 6 pm', 'After 6 pm']
    """
    steps, behind = parted(labels)
    hours = [_hour(plainly(label)) for label in steps]
    if len(steps) < FEWEST or None in hours or len(set(hours)) < len(hours):
        return None
    hour_of = dict(zip(steps, hours, strict=True))
    return sorted(steps, key=lambda label: hour_of[label] or 0.0) + behind


def _hour(text: str) -> float | None:
    """Return the hour at which a time of day begins; None for what names none."""
    found = list(CLOCK.finditer(text))
    told = [one for one in found if one["half"] or one["minute"] or one["clock"] or one["named"]]
    left = re.sub(
        r"\b(?:and|or|to|from|between|later|earlier|und|oder|bis|von|ab|zwischen)\b|\W",
        "",
        CLOCK.sub("", text),
    )
    left = BEFORE.sub("", AFTER.sub("", left))
    if (
        not told
        or re.fullmatch(r"(?:before|until|till|upto|earlierthan|after|laterthan|vor|nach)?", left) is None
    ):
        return None
    first = found[0]
    if first["named"]:
        hour = (
            NAMED_HOURS[first["named"]]
            if len(found) == 1 or first["named"] not in ("midnight", "mitternacht")
            else 0.0
        )
    else:
        half = first["half"] or next((one["half"] for one in told if one["half"]), None)
        hour = float(first["hour"]) + float(first["minute"] or 0) / 60
        if half:
            hour = hour % 12 + (12 if half.startswith("p") else 0)
    before = BEFORE.search(text) is not None and len(found) == 1
    return hour - 0.5 if before else hour + 0.5 if AFTER.search(text) else hour
