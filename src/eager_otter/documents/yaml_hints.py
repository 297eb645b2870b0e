"""What to do about text that is not YAML, in words for people who write codebooks and plans."""

from __future__ import annotations

IN_QUOTES = "put the text in quotes"

# What the parser says, and what most often is behind it; the first that fits counts.
HINTS: tuple[tuple[str, str], ...] = (
    (
        "mapping values are not allowed",
        f"A colon with a blank behind it parts a text: {IN_QUOTES}; else the line is indented too far.",
    ),
    ("tab character", "Indent with blanks, not with tabs."),
    ("cannot start any token", f"A text cannot begin with this character: {IN_QUOTES}."),
    ("undefined alias", f"A text cannot begin with *: {IN_QUOTES}."),
    ("alphabetic or numeric character", f"A text cannot begin with * or &: {IN_QUOTES}."),
    ("sequence entries", f"A text cannot begin with a dash and a blank: {IN_QUOTES}."),
    ("mapping keys are not allowed", f"A text cannot begin with a question mark and a blank: {IN_QUOTES}."),
    (
        "could not find expected ':'",
        "A key needs a colon with a blank behind it; look at the line before as well.",
    ),
    ("end of stream", "The quote opened here is not closed."),
    ("unknown escape character", "A backslash means something else inside double quotes: use single quotes."),
    (
        "expected ',' or",
        f"The bracket opened here is not closed, or a text holds a bracket or quote: {IN_QUOTES}.",
    ),
)
OF_AN_OPENING = ("end of stream", "expected ',' or")  # problems that are mended where something is opened
APOSTROPHE = "Inside single quotes an apostrophe is written twice ('Don''t know'); or use double quotes."
BEHIND_A_QUOTE = "Text stands behind a quote that is closed: put the whole of it in quotes."
DEPTH = "The line is not indented as those it belongs to, or something before it is not closed."


def hint_for(problem: str, before: str, line: str) -> str:
    """Return what to do about a problem that the YAML parser names, in a `line` and `before` what it cannot read there.

    "" where there is nothing to say.

    >>> hint_for("did not find expected key", "text: 'Don'", "text: 'Don't know'")
    "Inside single quotes an apostrophe is written twice ('Don''t know'); or use double quotes."
    """
    if any(words in problem for words in ("expected key", "expected <block end>")):
        if before.endswith("'") and line.count("'") > 2:
            return APOSTROPHE
        return BEHIND_A_QUOTE if before.endswith(("'", '"')) else DEPTH
    return next((hint for words, hint in HINTS if words in problem), "")
