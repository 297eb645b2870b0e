"""Columns on their own: ids, weights, dates, numbers, joined codes, answers, open texts."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np

from eager_otter.codebook.expression import day_of
from eager_otter.codebook.periods import TIME_OF_DAY, day_written
from eager_otter.data.columns import BOUNDS, COMMA_DECIMALS, FEWEST_POINTED, POINTED_THOUSANDS
from eager_otter.data.encoding import parted
from eager_otter.data.lists import IN_BRACKETS, entries, is_written
from eager_otter.drafting.answers import Listed, is_reserved, listed_answers
from eager_otter.drafting.facts import Facts, Guess, Role, doubted, in_order, spread
from eager_otter.drafting.headings import text_of
from eager_otter.drafting.meaning import asks_to_recommend, last_behind
from eager_otter.looks.words import counted

FEW = 12  # whole numbers with at most this many values are taken for codes
NEARLY_UNIQUE = 0.9
MOST_RESERVED = 3  # negative codes that may stand for no answer
FEW_TIMES = 36  # months
FIRST_YEAR, LAST_YEAR = 1990, 2100
FEW_WORDS = 30  # texts with at most this many values are taken for answers
LONGEST_ANSWER = 60
DAYS = (
    "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y", "%m-%d-%Y", "%Y/%m/%d", "%Y.%m.%d", "%Y%m%d", "%d %b %Y",
    "%d-%b-%Y", "%d %B %Y", "%b %d, %Y", "%B %d, %Y", "%d.%m.%y", "%d/%m/%y", "%m/%d/%y", "%d-%b-%y",
)  # fmt: skip
ISO_DAY = re.compile(r"\d{4}-\d\d-\d\d(?:[T ]|\Z)")
LIKE_A_DAY = re.compile(
    r"\d{1,4}[./ -](?:\d{1,2}|[A-Za-z]{3,9})[./ -]\d{2,4}(?:\b|T)|[A-Za-z]{3,9} \d{1,2}, \d{4}(?:\b|T)|\d{8}(?:\D|\Z)"
)
JOINTS = (";", "|", ",", "/")
MOST_JOINED = 60
ONCE = 0.15  # share of the answers joined in cells that may stand there once only
SAMPLE = 500  # texts of a column that are looked at to tell what it holds
THOUSANDS = (",", "'", " ")
LENGTH_OF_TIME = re.compile(r"\d{1,3}:\d\d(?::\d\d)?")
NUMBER_WITH_A_SIGN = re.compile(
    r"[^\w\s]{0,3} ?[-+]?\d+(?:[.,' ]\d{3})*(?:[.,]\d+)? ?(?:[^\w\s]{1,3}|[^\W\d_]{1,4})?"
)
NUMBER_WITH_UNIT = re.compile(
    r"-?(?P<before>[^\w\s]{0,3}) ?[-+]?(?P<number>\d+(?:[,' ]\d{3})*(?:\.\d+)?|\d{1,3}(?:\.?\d{3})*,\d+)"
    r" ?(?P<behind>[^\w\s]{1,3}|[^\W\d_]{2,4}|[ghlm]|)"
)
NO_UNITS = frozenset((*BOUNDS, "#", "+", "-", "?", ".", ",", "*", "am", "pm", "st", "nd", "rd", "th"))
OF_NUMBERS = (  # texts that a person would count with
    (LENGTH_OF_TIME, "lengths of time such as {}? then write kind: number and time: h:m:s, h:m or m:s"),
    (
        NUMBER_WITH_A_SIGN,
        "numbers with a sign or unit, such as {}? then write kind: number and unit: …, or write them without it",
    ),
)
TWICE = re.compile(r"\..*\.")
THREE_BEHIND = re.compile(r"-?[1-9]\d{0,2},\d{3}")  # of which the comma may part thousands
FEWEST_OF_A_LABEL, LABEL_SHARE, FEWEST_LABELS = 5, 0.02, 3  # rows, share of rows, and how many labels
MOST_OWN_WORDS = 0.35  # share of rows with people's own words beside labels
SELDOM_TWICE = 2.0  # rows that hold the same own words, on average, at most
SHORT_REPLY = re.compile(  # what many write below an open question
    r"\W*(?:no|none|nothing|nope|no comments?|yes|ok|okay|good|fine|nein|nichts|keine?|ja|gut|thanks?|danke)\W*",
    re.IGNORECASE,
)
OTHER_LABEL = re.compile(r"other\b|something else|sonstige|ander[er]|etwas anderes", re.IGNORECASE)
STRAY = 0.1  # share of rows that may hold another text in a column of numbers
MEAN_OF_WEIGHTS = (0.8, 1.25)
FEWEST_WEIGHED = 1_000  # people that weights which add up to a population stand for
WEIGHT_NAME = re.compile(
    r"(?:.*[_ ])?(?:wt|wgt|weight|weights|weighting|gewicht)(?:[_ ]?(?:\d+|final|total|all))?\Z",
    re.IGNORECASE,
)
WEIGHT_WORDS = re.compile(r"\b(?:weight(?:s|ing)?|gewicht\w*)\b", re.IGNORECASE)
BODY_WORDS = re.compile(r"\b(?:kg|kilo\w*|pounds|lbs?|body|körper\w*|stone)\b", re.IGNORECASE)
ID_NAME = re.compile(
    r"(?:.*[_ ])?(?:id|rid|respid|uuid|serial|respondent|record|caseid|respno|resp|case|key)"
    r"(?:[_ ]?(?:no|nr|number|id))?\Z",
    re.IGNORECASE,
)
NAMES_SOMETHING = re.compile(  # digits that are no amount
    r"(?:.*[_ ])?(?:id|uuid|serial)(?:[_ ]?(?:no|nr|number))?\Z"
    r"|.*\b(?:post ?codes?|postal codes?|zip(?: ?codes?)?|plz|postleitzahl\w*)\W*\Z"
    r"|.*\b(?:(?:tele)?phone(?: number)?|telefon\w*)\W*\Z",
    re.IGNORECASE,
)
ID_AT_THE_END = re.compile(r".*[a-z]I[dD]\Z")  # such as ResponseId
ID_TEXT = re.compile(r"(?!-?\d+[.,]\d)[^\s,;<>]+")
FREQUENCY_NAME = re.compile(r"(?:freq|frequency)\Z", re.IGNORECASE)
MAYBE_FREQUENCY = re.compile(r"(?:n|people|respondents|count|cases)\Z", re.IGNORECASE)
COUNT_WORDS = re.compile(
    r"\b(?:how (?:many|old|long)|number of|minutes|years|year|times|wie (?:viele?|alt|lange)|anzahl)\b",
    re.IGNORECASE,
)


def alone(facts: Facts, *, first: bool) -> Guess:
    """Say what one column is; the `first` of the data may be an id whatever its name."""
    if not facts.texts:
        return _guess(facts, "empty", "nothing in it")
    lists = _of_lists(facts)
    if lists is not None:
        return lists
    whole = facts.filled == facts.rows
    named = ID_NAME.match(facts.name) is not None or ID_AT_THE_END.match(facts.name) is not None
    if (
        (named or (first and facts.rows > FEW_WORDS))
        and len(facts.texts) > NEARLY_UNIQUE * facts.rows
        and all(map(ID_TEXT.fullmatch, facts.texts))
    ):
        if len(facts.texts) == facts.rows > 1 and whole:
            return _guess(facts, "respondent", "a different value in every row")
        if named and len(facts.texts) < facts.rows:
            return doubted(
                _guess(facts, "text", f"{len(facts.texts):,} different values in {facts.rows:,} rows"),
                "an id? some stand more than once, or are blank",
            )
    if facts.thousands and not facts.about.labels and _are_parted(facts):
        signs = {"thousands": ".", **({"decimal": ","} if any("," in text for text in facts.words) else {})}
        parted = _guess(facts, "number", "numbers with points between thousands", details=signs)
        return doubted(parted, "the points are taken for marks between thousands, so that 1.204 is 1204")
    counts_people = facts.all_numbers and facts.numbers.min() >= 0 and facts.numbers.max() > 0
    if counts_people:
        weighing = _weighing(facts) if whole else _weighing_some(facts)
        if weighing is not None:
            return weighing
    ways = (
        _described, _date, _written_lists, _joined, _numeric, _comma_decimals, _parted_numbers, _nearly_numbers, _words,
    )  # fmt: skip
    return next(guess for way in ways if (guess := way(facts)) is not None)


def _guess(facts: Facts, role: Role, reason: str, **more: Any) -> Guess:
    section = {"section": facts.about.section} if facts.about.section else {}
    details: Mapping[str, Any] = {"text": text_of(facts.heading), **section, **more.pop("details", {})}
    return Guess(role=role, name=facts.name, columns=(facts.name,), reason=reason, details=details, **more)


def _weighing(facts: Facts) -> Guess | None:
    """Take a column for weights or frequencies where its name says so, or propose it where that is likely."""
    if FREQUENCY_NAME.match(facts.name) and facts.all_whole:
        return _guess(
            facts,
            "frequency",
            "whole numbers under a name that says count: rows that stand for several people",
        )
    words = facts.name.replace("_", " ") + " " + facts.heading
    if MAYBE_FREQUENCY.match(facts.name) and facts.all_whole and facts.numbers.min() >= 1:
        return doubted(
            _number(facts), f"how many people each row stands for? then write frequency: {facts.name}"
        )
    if facts.about.weight:
        return _guess(facts, "weight", f"as {facts.about.origin} has it")
    if not WEIGHT_NAME.match(facts.name) and not WEIGHT_WORDS.search(words):
        return None
    sums = float(np.dot(facts.numbers, facts.counts))
    mean = sums / facts.filled
    low, high = MEAN_OF_WEIGHTS
    like_one = low <= mean <= high or (mean > high and sums >= FEWEST_WEIGHED and not facts.all_whole)
    if BODY_WORDS.search(words) or (facts.all_whole and mean > high):
        return doubted(
            _number(facts), "numbers that may weigh people themselves, not the sample: not used as a weight"
        )
    if WEIGHT_NAME.match(facts.name) and like_one:
        what = f"a mean of {mean:.2f}" if mean <= high else f"a sum of {sums:,.0f}"
        return _guess(facts, "weight", f"numbers from 0 up with {what}, under a name that says weight")
    return doubted(
        _number(facts), f"a weight of the sample? its mean is {mean:.3g}; then write weight: {facts.name}"
    )


def _weighing_some(facts: Facts) -> Guess | None:
    """Propose a column as a weight that some rows lack, often those of unfinished interviews."""
    if facts.all_whole or not (facts.about.weight or WEIGHT_NAME.match(facts.name)):
        return None
    lacking = counted(facts.rows - facts.filled, "row")
    return doubted(
        _number(facts),
        f"a weight of the sample? then write weight: {facts.name}, and a filter that leaves out {lacking} without one",
    )


def _number(facts: Facts) -> Guess:
    low, high = facts.numbers.min(), facts.numbers.max()
    many = f"{len(facts.texts):,} different numbers from {low:g} to {high:g}"
    return _guess(facts, "number", many if high > low else f"{low:g} in every row that holds anything")


def _described(facts: Facts) -> Guess | None:
    """Take a column as a dictionary describes it: its labels, or its kind."""
    about = facts.about
    kinds: dict[str, Role] = {"number": "number", "text": "text", "date": "date", "single": "single"}
    if about.labels:
        if about.kind == "number" or (facts.all_numbers and len(facts.texts) > len(about.labels) + FEW):
            missing = tuple(code for code in facts.texts if code in about.labels or code in about.missing)
            if not facts.all_numbers or len(missing) == len(facts.texts):
                return None
            return _guess(
                facts,
                "number",
                f"numbers, some with a label, as {about.origin} has it",
                details={"missing": missing},
            )
        listed = listed_answers(facts.texts, about.labels, about.missing)
        unknown = [
            code
            for code, _ in listed.answers
            if code not in about.labels and code not in about.labels.values()
        ]
        guess = _guess(
            facts, "single", f"as {about.origin} has it", answers=listed.answers, details={"listed": listed},
            doubts=listed.doubts(),
        )  # fmt: skip
        return doubted(guess, f"{', '.join(unknown[:8])} has no label in {about.origin}" if unknown else "")
    role = kinds.get(about.kind)
    if role == "number" and facts.all_numbers:
        return _guess(facts, "number", f"as {about.origin} has it", details={"missing": about.missing})
    if role == "text":
        return _guess(facts, "text", f"as {about.origin} has it")
    return None


# --- numbers --------------------------------------------------------------------------------------------


def _numeric(facts: Facts) -> Guess | None:
    if not facts.all_numbers:
        return None
    if any(len(text) > 1 and text[0] == "0" and text.isdecimal() for text in facts.texts):
        guess = _words(facts)  # such as the codes of places: 02034 is no number
        return replace(guess, reason=f"digits, some with a zero in front; {guess.reason}")
    reserved = _reserved(facts)
    times = _are_times(facts)
    few = times or (
        facts.all_whole
        and len(facts.texts) <= FEW + len(reserved)
        and (reserved or facts.numbers.min() >= -1)
        and facts.numbers.max() < 1000
    )
    if not few or len(facts.texts) > max(2, facts.filled / 2):
        named = NAMES_SOMETHING.match(facts.name) or ID_AT_THE_END.match(facts.name)
        if facts.all_whole and (named or NAMES_SOMETHING.match(facts.heading)):
            reason = (
                f"{len(facts.texts):,} different whole numbers under a name that says they are no amounts"
            )
            return _guess(facts, "text", reason)
        return _far_codes(facts)
    missing = facts.about.missing
    of_times = Listed(answers=tuple((text, text) for text in facts.texts), missing=missing)
    listed = of_times if times else listed_answers(facts.texts, {}, missing)
    if len(facts.texts) == 1:
        listed = replace(listed, maybe_missing=())  # there is nothing that it stands apart from
    words = facts.heading
    what = ("different month or year", "different months or years") if times else ("different whole number",)
    counts = not times and COUNT_WORDS.search(words) is not None
    scale = listed.scale and not counts
    recommends = asks_to_recommend(words) and set(facts.texts) <= {str(k) for k in range(11)}
    return _guess(
        facts, "single",
        f"{counted(len(facts.texts), *what)}; taken for codes"
        + (" (a scale? then add scale: true)" if scale else ""),
        answers=listed.answers, details={"listed": listed},
        doubts=(
            *listed.doubts(),
            *(["0 to 10: then add scale: true, and a net such as 9 and 10"] if recommends else []),
            *(["a number that was asked? then write kind: number"] if counts else []),
        ),
    )  # fmt: skip


def _are_times(facts: Facts) -> bool:
    """Return whether few whole numbers are years next to each other, or months such as 202603."""
    low, high = facts.numbers.min(), facts.numbers.max()
    if not facts.all_whole or len(facts.texts) > FEW_TIMES or not all(map(str.isdecimal, facts.texts)):
        return False
    if low >= FIRST_YEAR and high <= LAST_YEAR:
        return bool(high - low < FEW)
    months = facts.numbers % 100
    years = facts.numbers // 100
    return bool(((months >= 1) & (months <= 12) & (years >= FIRST_YEAR) & (years <= LAST_YEAR)).all())


def _reserved(facts: Facts) -> list[str]:
    """Return negative numbers of a column that may stand for no answer; none where they are steps, as of -2 to 2."""
    below = [text for text in facts.texts if text.startswith("-")]
    steps = {text[1:] for text in below} <= set(facts.texts)
    return below if len(below) <= MOST_RESERVED and all(map(is_reserved, below)) and not steps else []


def _far_codes(facts: Facts) -> Guess:
    """Take a column for numbers; codes such as 999 far beyond all others are proposed as missing."""
    guess = _number(facts)
    known = [code for code in facts.about.missing if code in facts.texts]
    if known and len(known) < len(facts.texts):
        return replace(guess, details={**guess.details, "missing": tuple(known)})
    if len(facts.texts) < 3 or not facts.all_whole:
        return guess
    reserved = _reserved(facts)
    if reserved:
        shown = ", ".join(reserved)
        return doubted(guess, f"is {shown} no answer? then write missing: [{shown}]")
    *others, top = (float(number) for number in facts.numbers)
    nines = re.fullmatch(r"9{2,6}|9{1,5}[78]|8{2,6}", facts.texts[-1]) is not None
    far = top > 2 * max(map(abs, others)) or _stands_apart(others, top)
    if nines and far and facts.counts[-1] > 1:
        return doubted(guess, f"is {facts.texts[-1]} no answer? then write missing: [{facts.texts[-1]}]")
    return guess


def _stands_apart(others: Sequence[float], top: float) -> bool:
    """Return whether a number, such as an age of 99, is much further above all others than they are apart."""
    return top - others[-1] > 3 * max(high - low for low, high in pairwise(others))


def _parted_numbers(facts: Facts) -> Guess | None:
    """Find numbers with a mark between thousands, such as 1,204.50."""
    words = facts.words
    if not words or not all(map(thousands_parted, words[:SAMPLE])) or len(facts.texts) <= FEW:
        return None
    mark = next(sign for sign in THOUSANDS if sign in words[0])
    guess = _guess(facts, "number", f"numbers with {mark!r} between thousands", details={"thousands": mark})
    return doubted(guess, f"{words[0]!r} is taken for a number with a mark between thousands")


def _comma_decimals(facts: Facts) -> Guess | None:
    """Find numbers with a decimal comma, such as 3,5 and 1.204,50, in a file that has none."""
    words = facts.words
    details = _signs_in(words) if len(facts.texts) > FEW and all(map(COMMA_DECIMALS.fullmatch, words)) else {}
    if "decimal" not in details:
        return None
    guess = _guess(facts, "number", "numbers with a decimal comma", details=details)
    return doubted(guess, f"{words[0]!r} is taken for a number with a decimal comma")


def _are_parted(facts: Facts) -> bool:
    """Return whether all values are numbers, some with points between thousands; many of them are different."""
    words = facts.words
    return len(facts.texts) > FEW and all(map(POINTED_THOUSANDS.fullmatch, spread(words, SAMPLE)))


def _numbers_with_unit(facts: Facts) -> Guess | None:
    """Find numbers with one and the same unit before or behind them, such as $12.50 or 80 kg."""
    found = [NUMBER_WITH_UNIT.fullmatch(text) for text in spread(facts.texts, SAMPLE)]
    parts = [one.groupdict() for one in found if one is not None]
    units = {part["before"] or part["behind"] for part in parts} - {""}
    twice = any(part["before"] and part["behind"] for part in parts)
    if len(parts) < len(found) or len(units) != 1 or units & NO_UNITS or twice:
        return None
    (unit,) = units
    details = {"unit": unit, **_signs_in([part["number"] for part in parts])}
    guess = _guess(facts, "number", f"numbers with the unit {unit!r}", details=details)
    return doubted(guess, f"{facts.texts[0]!r} is taken for a number with a unit")


def _signs_in(numbers: Sequence[str]) -> dict[str, str]:
    """Return the decimal sign of some numbers, where it is a comma, and what parts their thousands."""
    signed = [text for text in numbers if not text.isdecimal()]
    commas = [text for text in signed if COMMA_DECIMALS.fullmatch(text)]
    whole = all(text in commas or POINTED_THOUSANDS.fullmatch(text) for text in signed)
    if whole and not all(map(THREE_BEHIND.fullmatch, commas)):
        return {"decimal": ",", **({"thousands": "."} if any("." in text for text in signed) else {})}
    if (
        whole
        and len(set(signed)) >= FEWEST_POINTED
        and (len(signed) < len(numbers) or any(map(TWICE.search, signed)))
    ):
        return {"thousands": "."}
    marks = [sign for sign in THOUSANDS if any(sign in text for text in numbers)]
    return {"thousands": marks[0]} if len(marks) == 1 else {}


def _nearly_numbers(facts: Facts) -> Guess | None:
    """Find numbers among which a few rows hold another text, such as a dot or <0.5; these are listed as missing."""
    words = facts.words
    distinct_numbers = len(facts.texts) - len(words)
    if not words or len(words) > FEW or distinct_numbers <= FEW:
        return None
    rows = sum(facts.often(text) for text in words)
    if rows > STRAY * facts.filled:
        return None
    shown = ", ".join(repr(text) for text in words)
    guess = _guess(
        facts,
        "number",
        f"{distinct_numbers:,} different numbers, and {shown}",
        details={"missing": tuple(words)},
    )
    return doubted(guess, f"{shown} of {counted(rows, 'row')} is taken for no number")


# --- dates, joined codes, words -------------------------------------------------------------------------


def _date(facts: Facts) -> Guess | None:
    sample = spread(facts.texts, SAMPLE)
    if all(ISO_DAY.match(text) and day_of(text[:10]) is not None for text in sample):
        return _guess(facts, "date", "days written as 2026-03-31")
    if LIKE_A_DAY.match(sample[0]) is None:
        return None
    fitting = [form for form in DAYS if _is_day(sample[0], form)]
    fitting = [pattern for pattern in fitting if all(_is_day(text, pattern) for text in sample)]
    if not fitting:
        return None
    form = fitting[0]
    timed = "; the time of day is left aside" if any(map(TIME_OF_DAY.search, sample)) else ""
    guess = _guess(facts, "date", f"days written as {form}{timed}", details={"format": form})
    return doubted(
        guess,
        "check that day and month are not the other way round" if len(fitting) > 1 else "",
        "years are written with two digits" if "%y" in form else "",
    )


def _is_day(text: str, pattern: str) -> bool:
    day = day_written(text, pattern)
    return day is not None and 1900 <= day.year <= 2100


def _of_lists(facts: Facts) -> Guess | None:
    """Take lists for several answers, as they are."""
    by = facts.about.joined_by
    pieces = {piece for text in facts.texts for piece in text.split(by)} if by else set()
    return _several(facts, pieces, by) if 1 <= len(pieces) <= MOST_JOINED else None


def _written_lists(facts: Facts) -> Guess | None:
    """Find lists that are written out, as scripts write them into cells: ['Tarn', 'Birk']."""
    if not all(map(is_written, spread(facts.texts, SAMPLE))):
        return None
    pieces = {piece for text in facts.texts for piece in entries(text)}
    return _several(facts, pieces, IN_BRACKETS) if 1 <= len(pieces) <= MOST_JOINED else None


def _several(facts: Facts, pieces: Collection[str], by: str) -> Guess:
    values, labels = last_behind(sorted(pieces, key=in_order)), facts.about.labels
    return _guess(
        facts, "joined", f"lists of {counted(len(values), 'value')}", details={"by": by},
        answers=tuple((value, labels.get(value, value)) for value in values),
    )  # fmt: skip


def _joined(facts: Facts) -> Guess | None:
    for by in JOINTS:
        if by not in facts.together:
            continue
        several = sum(count for text, count in zip(facts.texts, facts.counts, strict=True) if by in text)
        if several < 2:
            continue
        whole = frozenset(always_together(facts.texts, by))
        pieces: Counter[str] = Counter()
        for text, count in zip(facts.texts, facts.counts, strict=True):
            for piece in filter(None, parted(text, by, whole)):
                pieces[piece] += count
        values = last_behind(sorted(pieces, key=in_order))
        if (
            2 <= len(values) < len(facts.texts)
            and len(values) <= MOST_JOINED
            and max(map(len, values)) <= LONGEST_ANSWER
            and sum(count == 1 for count in pieces.values()) <= ONCE * len(values)
            and _stand_alone(facts, by, several)
        ):
            labels = facts.about.labels
            guess = _guess(
                facts, "joined", f"{len(values)} values joined by {by!r}; taken for several answers in a cell",
                answers=tuple((value, labels.get(value, value)) for value in values), details={"by": by},
            )  # fmt: skip
            rare = several < 0.1 * facts.filled
            return doubted(
                guess,
                *(
                    f"{one!r} is taken for one answer, as its parts only stand together"
                    for one in sorted(whole)
                ),
                f"only {several:,} rows join answers" if rare else "",
            )
    return None


def _stand_alone(facts: Facts, by: str, several: int) -> bool:
    """Return whether joined texts are more than numbers with a comma, or answers with a stroke in them."""
    joined = [text for text in facts.texts if by in text]
    if by == "," and all(re.fullmatch(r"-?\d{1,3}(?:,\d+)+(?:\.\d+)?", text) for text in joined):
        alone_too = {text for text in facts.texts if by not in text}
        return {piece for text in joined for piece in text.split(by)} <= alone_too
    if several >= 0.1 * facts.filled:
        return True
    single = {text.strip() for text in facts.texts if by not in text}
    return all(piece.strip() in single for text in joined for piece in text.split(by) if piece.strip())


def always_together(texts: Sequence[str], by: str) -> Iterator[str]:
    """Find pieces that only ever stand side by side: one answer that holds the sign itself."""
    follows: dict[str, set[str]] = {}
    before: dict[str, set[str]] = {}
    seen: Counter[tuple[str, str]] = Counter()
    for text in texts:
        pieces = ["", *parted(text, by), ""]
        for one, other in pairwise(pieces):
            follows.setdefault(one, set()).add(other)
            before.setdefault(other, set()).add(one)
            seen[one, other] += 1
    for (one, other), count in seen.items():
        if one and other and count > 1 and follows[one] == {other} and before[other] == {one}:
            yield (
                f"{one}{by} {other}" if any(f"{one}{by} " in text for text in texts) else f"{one}{by}{other}"
            )


def thousands_parted(text: str) -> bool:
    """Return whether a text is a number with a mark between thousands.

    >>> thousands_parted("1,204.50"), thousands_parted("1,2")
    (True, False)
    """
    return re.fullmatch(r"-?\d{1,3}(?:[,' ]\d{3})+(?:\.\d+)?", text) is not None


def _labels_and_own_words(facts: Facts) -> Guess | None:
    """Find a few labels that nearly all gave, and what others wrote in their own words."""
    enough = max(FEWEST_OF_A_LABEL, LABEL_SHARE * facts.filled)
    often = {text: count for text, count in zip(facts.texts, facts.counts, strict=True) if count >= enough}
    rest = [text for text in facts.texts if text not in often]
    left = facts.filled - sum(often.values())
    if (
        not FEWEST_LABELS <= len(often) <= FEW_WORDS
        or max(map(len, often)) > LONGEST_ANSWER
        or not 0 < left <= MOST_OWN_WORDS * facts.filled
        or left > SELDOM_TWICE * len(rest)
        or 2 * sum(SHORT_REPLY.fullmatch(text) is not None for text in often) >= len(often)
    ):
        return None
    listed = listed_answers(list(often), {}, facts.about.missing)
    other = next((code for code, label in listed.answers if OTHER_LABEL.match(label)), "")
    answers = listed.answers if other else (*listed.answers, ("Other", "Other"))
    guess = _guess(
        facts, "single", f"{counted(len(often), 'label')}, and {counted(len(rest), 'other text')}",
        answers=answers, details={"listed": listed, "write in": other or "Other"}, doubts=listed.doubts(),
    )  # fmt: skip
    return doubted(guess, f"texts such as {rest[0]!r} are taken for people's own words")


def _words(facts: Facts) -> Guess:
    longest = max(map(len, facts.texts))
    repeated = len(facts.texts) <= max(2, facts.filled / 3)
    if len(facts.texts) <= FEW_WORDS and longest <= LONGEST_ANSWER and repeated:
        listed = listed_answers(facts.texts, {}, facts.about.missing)
        reason = f"{counted(len(facts.texts), 'different text')}; taken for answers"
        return _guess(
            facts,
            "single",
            reason,
            answers=listed.answers,
            details={"listed": listed},
            doubts=listed.doubts(),
        )
    for way in (_numbers_with_unit, _labels_and_own_words):
        found = way(facts)
        if found is not None:
            return found
    guess = _guess(facts, "text", f"{len(facts.texts):,} different texts; taken for open answers")
    sample = () if facts.all_numbers else spread(facts.texts, SAMPLE)
    fitting = [doubt for shape, doubt in OF_NUMBERS if sample and all(map(shape.fullmatch, sample))]
    return doubted(guess, *(doubt.format(repr(facts.texts[0])) for doubt in fitting[:1]))
