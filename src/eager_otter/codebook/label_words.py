"""The meaning of labels, in the languages that ship: no answer, other, good and bad, and times."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache

from eager_otter.documents.translated import written
from eager_otter.patterns import pattern


def _any_of(*patterns: str) -> re.Pattern[str]:
    return pattern("|".join(patterns), re.IGNORECASE)


TIME = _any_of(r"wave|day|week|month|quarter|year|period|date", r"welle|\btag|woche|monat|quartal|jahr|datum")
NO_ANSWER = _any_of(
    r"\b(don['’]?t know|do not know|not sure|unsure|no opinion|no answer|no view|cannot say|can['’]?t say|refus\w*"
    r"|prefer not|not stated|not applicable|not answered|n/a)\b",
    r"\b(weiß|weiss) (ich )?nicht\b|\bkeine (angabe|meinung|antwort|ahnung)\b|\bk\. ?a\.|\bverweiger\w*"
    r"|\bnicht sicher\b|\bunsicher\b|\bkann ich nicht sagen\b|\bmöchte ich nicht sagen\b",
)
NOT_APPLYING = _any_of(  # no answer, unless it is a step of a scale of what applies
    r"\b(does not|doesn['’]?t|do not|don['’]?t) apply\b",
    r"\bnot relevant\b",
    r"\btrifft (auf mich )?nicht zu\b",
    r"\bnicht relevant\b",
)
APPLYING = _any_of(r"\bappl(y|ies)\b", r"\brelevant\b", r"\btrifft\b.*\bzu\b")
REFUSED = _any_of(  # a whole label, or a part of one, that says that there is no answer
    r"(i(['’]d| would)? )?(prefer|(would |['’]d )?rather) not( to)?( (say|answer|disclose|state|tell))?( (this|that))?",
    r"refus(ed|al|es)( to (say|answer|disclose|state))?|no answer( given)?|not (answered|stated|asked|applicable)|n/a",
    r"keine angaben?|k\. ?a\.?|verweiger\w*|nicht gefragt|möchte (ich )?(das )?nicht (sagen|angeben)",
)
UNSURE = _any_of(
    r"(i )?(don['’]?t|do not) know|dk|(i['’]?m )?not sure|unsure|(can['’]?t|cannot) say|no opinion|do not read( out)?",
    r"(weiß|weiss)( ich)? nicht|keine (meinung|ahnung)|nicht vorlesen",
)
LEFT_OPEN = _any_of(  # a whole label that says so most often, and may be an answer to some questions
    r"no (response|reply)|unanswered|did(n['’]?t| not) (answer|respond|reply)|(question )?skipped|(left )?blank",
    r"missing( (value|answer|data))?|(system )?missing|not (available|ascertained|reported|recorded)",
    r"nicht beantwortet|ohne (angabe|antwort)|übersprungen|fehlt|fehlende(r wert|s? angaben?)",
)
PARTS = pattern(r"(?<!\bn)/|[,;()\[\]{}|–—*]|\s-\s|\b(?:or|and|oder|und)\b", re.IGNORECASE)
LAST = _any_of(
    r"(another|other|others|some other|something else|elsewhere|none|nothing|nobody|nowhere|no (usual|particular)"
    r"|don'?t know|not sure|no answer|refused|prefer not)\b",
    r"(andere[rsn]?|sonstige[rsn]?|etwas anderes|woanders|kein[er]?s? (davon|dieser|von diesen)|nichts( davon)?|niemand"
    r"|nirgends|(weiß|weiss) nicht|keine angabe|verweigert)\b",
)
NONE = _any_of(  # a whole label that no other answer goes with
    r"none( of (these|those|them|the (above|others))( (brand|product|answer|option)s?)?)?|no (brands?|others?)",
    r"(nothing|neither|not any)( of (these|them))?"
    r"|(i )?(do|did|have)( not|n['’]?t) (\w+ )?\w+ any( of (these|them))?( (brand|product)s?)?",
    r"kein(e[rsn]?|s)?( davon| dieser( marken)?| von diesen)|nichts( davon| hiervon)?|weder noch|keine marken?",
)
GOOD = _any_of(
    r"\b(very good|excellent|good|agree|satisfied|likely|like|definitely|important|always|easy|strongly agree|love"
    r"|high|best|better)\b",
    r"\b(sehr gut|ausgezeichnet|gut|(stimme|trifft) (voll (und ganz )?|eher )?zu"
    r"|zufrieden|wahrscheinlich|bestimmt|wichtig|immer|einfach)\b",
)
BAD = _any_of(
    r"\b(very poor|poor|bad|disagree|dissatisfied|unlikely|dislike|definitely not|unimportant|not important|never"
    r"|difficult|hard|hate|low|worst|worse|terrible|not at all|hardly)\b",
    r"\b(sehr schlecht|schlecht|(stimme|trifft) (gar |eher |überhaupt )?nicht zu|unzufrieden|unwahrscheinlich"
    r"|bestimmt nicht|unwichtig|nie|schwierig|überhaupt nicht|gar nicht)\b",
)


AROUND = " .:#()[]"  # what stands around a label, or a part of one, that says it all


def says_no_answer(label: str, among: Sequence[str] = ()) -> bool:
    """Return whether a label looks like no answer; `among` are all labels of its question.

    >>> says_no_answer("Don't know"), says_no_answer("Weiß nicht"), says_no_answer("Very good")
    (True, True, False)
    >>> says_no_answer("Trifft nicht zu"), says_no_answer("Trifft nicht zu", ["Trifft zu", "Trifft nicht zu"])
    (True, False)
    >>> says_no_answer("[No response]"), says_no_answer("No response from the shop")
    (True, False)
    """
    text = written(label)
    if NO_ANSWER.search(text) or LEFT_OPEN.fullmatch(text.strip(AROUND)) or surely_no_answer(label):
        return True
    others = (written(other) for other in among if other != label)
    return NOT_APPLYING.search(text) is not None and not any(map(APPLYING.search, others))


@lru_cache(maxsize=64)
def answers_among(labels: tuple[str, ...]) -> tuple[str, ...]:
    """Return the labels, as they are written, that do not look like no answer.

    >>> answers_among(("Good", "Bad", "Don't know"))
    ('Good', 'Bad')
    """
    return tuple(label for label in labels if not says_no_answer(label, labels))


def surely_no_answer(label: str) -> bool:
    """Return whether the whole of a label says that there is no answer; "don't know" alone may be one.

    >>> [surely_no_answer(label) for label in ("Refused", "[Prefer not to say]", "Don't know / no answer", "n/a")]
    [True, True, True, True]
    >>> [surely_no_answer(label) for label in ("Don't know", "Other / prefer not to say", "Delivery was refused")]
    [False, False, False]
    """
    parts = [part for part in (part.strip(AROUND) for part in PARTS.split(written(label))) if part]
    refused = [REFUSED.fullmatch(part) is not None for part in parts]
    return any(refused) and all(no or UNSURE.fullmatch(part) for no, part in zip(refused, parts, strict=True))


def says_none(label: str) -> bool:
    """Return whether the whole of a label says that none of the other answers is meant.

    >>> [says_none(label) for label in ("None of these", "[None]", "Keine davon", "I haven't tried any of them")]
    [True, True, True, True]
    >>> says_none("Nothing special"), says_none("Non-alcoholic"), says_none("I do not like any sugar in it")
    (False, False, False)
    """
    return NONE.fullmatch(written(label).strip(AROUND)) is not None


def direction(labels: Sequence[str]) -> int:
    """Tell from the labels at its ends which way a list runs: 1 bad to good, −1 good to bad, 0 where they do not tell.

    >>> direction(["Very poor", "Fair", "Very good"]), direction(["Stimme zu", "Stimme nicht zu"])
    (1, -1)
    """
    ends = [_worth(labels[0]), _worth(labels[-1])] if labels else [0, 0]
    return ends[1] if ends[0] == -ends[1] else 0


def _worth(label: str) -> int:
    text = written(label)
    if BAD.search(text):
        return -1
    return 1 if GOOD.search(text) else 0


def says_time(label: str) -> bool:
    """Return whether a label says that its answers are waves, or other times.

    >>> says_time("Wave"), says_time("Region"), says_time("Befragungswelle")
    (True, False, True)
    """
    return TIME.search(written(label)) is not None
