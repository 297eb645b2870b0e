"""The meaning of labels, in the languages that ship: no answer, other, good and bad, and times."""

from __future__ import annotations

import re
from collections.abc import Sequence

from eager_otter.documents.translated import written


def _any_of(*patterns: str) -> re.Pattern[str]:
    return re.compile("|".join(patterns), re.IGNORECASE)


TIME = _any_of(r"wave|day|week|month|quarter|year|period|date", r"welle|\btag|woche|monat|quartal|jahr|datum")
NO_ANSWER = _any_of(
    r"\b(don['’]?t know|do not know|not sure|unsure|no opinion|no answer|no view|cannot say|can['’]?t say|refus\w*"
    r"|prefer not|not stated|not applicable|not answered|n/a)\b",
    r"\b(weiß|weiss) (ich )?nicht\b|\bkeine (angabe|meinung|antwort|ahnung)\b|\bk\. ?a\.|\bverweiger\w*"
    r"|\bnicht sicher\b|\bunsicher\b|\bkann ich nicht sagen\b|\btrifft nicht zu\b|\bmöchte ich nicht sagen\b",
)
LAST = _any_of(
    r"(another|other|others|some other|something else|elsewhere|none|nothing|nobody|nowhere|no (usual|particular)"
    r"|don'?t know|not sure|no answer|refused|prefer not)\b",
    r"(andere[rsn]?|sonstige[rsn]?|etwas anderes|woanders|kein[er]?s? (davon|dieser|von diesen)|nichts( davon)?|niemand"
    r"|nirgends|(weiß|weiss) nicht|keine angabe|verweigert)\b",
)
GOOD = _any_of(
    r"\b(very good|excellent|good|agree|satisfied|likely|like|definitely|important|always|easy|strongly agree|love"
    r"|high|best|better)\b",
    r"\b(sehr gut|ausgezeichnet|gut|stimme (voll |eher )?zu|zufrieden|wahrscheinlich|bestimmt|wichtig|immer|einfach)\b",
)
BAD = _any_of(
    r"\b(very poor|poor|bad|disagree|dissatisfied|unlikely|dislike|definitely not|unimportant|not important|never"
    r"|difficult|hard|hate|low|worst|worse|terrible|not at all|hardly)\b",
    r"\b(sehr schlecht|schlecht|stimme (gar |eher |überhaupt )?nicht zu|unzufrieden|unwahrscheinlich|bestimmt nicht"
    r"|unwichtig|nie|schwierig|überhaupt nicht|gar nicht)\b",
)


def says_no_answer(label: str) -> bool:
    """Return whether a label looks like no answer.

    >>> says_no_answer("Don't know"), says_no_answer("Weiß nicht"), says_no_answer("Very good")
    (True, True, False)
    """
    return bool(NO_ANSWER.search(written(label)))


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
