"""Take headings apart: the stem that columns of one question share, and the answer or item that each is of."""

from __future__ import annotations

import re
from collections.abc import Iterator

from eager_otter.dataclass import dataclass
from eager_otter.drafting.markup import unmarked

SEPARATORS = (" - ", " – ", " — ", " | ", ": ", " / ", " > ")
CODE = re.compile(
    r"[A-Za-z]{0,4}\d{1,3}[A-Za-z]?(?:[._]\d{1,3})?"
)  # of a question: it tells less than its words
LEADING_CODE = re.compile(rf"({CODE.pattern})\s*[.:)]?\s+(?=\S)|([A-Za-z]{{0,4}}\d{{1,3}})[.:)](?=\S)")
BRACKET = re.compile(r"(.+?)\s*\[(.+)\]\s*\Z", re.DOTALL)
NUMBERED_TEXT = re.compile(r"([A-Za-z]{0,6}\d{1,3})[_.\-](\d{1,3}|[a-z])(?:[:.)]\s*|\s+)(\S.*)\Z", re.DOTALL)
NUMBERED = re.compile(r"(.+?)([_. ]?)(\d+)\Z", re.DOTALL)
LETTERED = re.compile(r"(.*[\d_. ])([a-z])\Z|(.*[A-Za-z])([a-z])\Z", re.DOTALL)
REPEATED = re.compile(r"(.+) \((\d+)\)\Z", re.DOTALL)
CAMEL = re.compile(r"([a-z]{2,})([A-Z]\w*)\Z")
PLAIN_NAME = re.compile(r"[^\W\d]\w{0,39}\Z")
STOP_WORDS = frozenset(
    [
        "a",
        "an",
        "and",
        "are",
        "at",
        "be",
        "by",
        "did",
        "do",
        "does",
        "for",
        "from",
        "had",
        "has",
        "have",
        "how",
        "i",
        "in",
        "is",
        "it",
        "many",
        "much",
        "of",
        "on",
        "or",
        "please",
        "that",
        "the",
        "these",
        "this",
        "to",
        "was",
        "were",
        "what",
        "when",
        "where",
        "which",
        "who",
        "why",
        "with",
        "would",
        "you",
        "your",
        "following",
        "der",
        "die",
        "das",
        "den",
        "dem",
        "ein",
        "eine",
        "und",
        "oder",
        "ist",
        "sind",
        "wie",
        "was",
        "welche",
        "welcher",
        "welches",
        "wer",
        "wo",
        "warum",
        "haben",
        "hat",
        "sie",
        "ihr",
        "ihre",
        "im",
        "in",
        "von",
        "zu",
        "für",
        "mit",
        "auf",
        "bitte",
    ]
)
LONGEST_NAME = 24


@dataclass(frozen=True, slots=True)
class Split:
    """One way to take a heading apart; columns belong together that have the same `way` and `stem`.

    `item` is the answer that the column is of, or its number. With `near`, only columns side by side belong together.
    """

    way: str
    stem: str
    item: str
    near: bool = False


def splits(heading: str) -> Iterator[Split]:
    """Go through the ways to take a heading apart, the surest first."""
    text = " ".join(unmarked(heading).split())
    if found := BRACKET.match(text):
        yield Split("bracket", found[1], found[2])
    if found := NUMBERED_TEXT.match(text):
        yield Split("numbered text", found[1], found[3])
    signs = [sign for sign in SEPARATORS if sign in text]
    for sign in sorted(signs, key=lambda sign: CODE.fullmatch(text.rpartition(sign)[0].strip()) is not None):
        left, _, right = text.rpartition(sign)
        yield Split(f"behind {sign}", left.strip(), right.strip())
        first, _, rest = text.partition(sign)
        yield Split(f"before {sign}", rest.strip(), first.strip(), near=True)
        yield Split(f"first {sign}", first.strip(), rest.strip())
    if found := REPEATED.match(text):
        yield Split("repeated", found[1], found[2])
    elif found := NUMBERED.match(text):
        yield Split("numbered", found[1] + found[2], found[3], near=not found[2] and len(found[1]) < 2)
    if found := LETTERED.match(text):
        yield Split("lettered", found[1] or found[3], found[2] or found[4], near=True)
    yield Split("repeated", text, "1", near=True)
    parted = any(sign in text for sign in SEPARATORS)  # then a word alone tells nothing: How fresh? - Tarn
    for sign in () if parted else ("_", ".", " "):
        first, between, rest = text.partition(sign)
        if between and rest.strip() and len(first) > 1 and not rest.endswith("?"):
            yield Split(f"word {sign}", first + sign, rest.strip(), near=True)
            left, _, last = text.rpartition(sign)
            if left != first:
                yield Split(f"last word {sign}", left + sign, last, near=True)
    if found := CAMEL.match(text):
        yield Split("camel", found[1], found[2], near=True)


def text_of(heading: str) -> str:
    """Return a heading without the number of its question.

    >>> text_of("Q5. How old are you?"), text_of("age"), text_of("12) Where?")
    ('How old are you?', 'age', 'Where?')
    """
    text = " ".join(unmarked(heading).split())
    found = LEADING_CODE.match(text)
    return text[found.end() :].lstrip("-–— ") or text if found else text


def own_name(name: str, taken: set[str]) -> str:
    """Return a name that is not taken yet, whatever its case, with a number behind it where need be; it is taken then.

    >>> taken = {"a", "a_2"}
    >>> own_name("A", taken), own_name("b", taken)
    ('A_3', 'b')
    """
    own, number = name, 2
    while own.casefold() in taken:
        own, number = f"{name}_{number}", number + 1
    taken.add(own.casefold())
    return own


def short_name(heading: str) -> str:
    """Return a short name for a heading: itself where it is one, the number of its question, or its words that tell.

    >>> short_name("q5_1"), short_name("Q5. How old are you?"), short_name("Which brands have you heard of?")
    ('q5_1', 'Q5', 'brands_heard')
    """
    text = " ".join(unmarked(heading).split()).rstrip("_. :-")
    if PLAIN_NAME.match(text):
        return text
    found = LEADING_CODE.match(text)
    code = (found[1] or found[2]) if found else ""
    if code and code[0].isalpha():
        return code.replace(".", "_")
    if code and len(text) > found.end() + 1:  # type: ignore[union-attr]
        return f"q{code.replace('.', '_')}"
    words = [word for word in re.findall(r"\w+", text.lower()) if word not in STOP_WORDS]
    name = ""
    for word in words:
        if name and len(name) + len(word) >= LONGEST_NAME:
            break
        name = f"{name}_{word}" if name else word[:LONGEST_NAME]
    name = name or re.sub(r"\W+", "_", text.lower()).strip("_")[:LONGEST_NAME]
    return name if PLAIN_NAME.match(name) else f"q_{name}".rstrip("_")
