"""The gate for text that goes out: what an output cannot hold is replaced by what it is called, "[U+001B]".

Survey text may hold anything. Line breaks and tabs are text; other control characters, signs that turn the direction of
what follows, and code points that are no characters are not.
"""

from __future__ import annotations

import json
import re
from typing import Any

from eager_otter.patterns import pattern

NOT_CHARACTERS = "\ud800-\udfff\ufdd0-\ufdef" + "".join(
    f"{chr(plane | 0xFFFE)}{chr(plane | 0xFFFF)}" for plane in range(0, 0x110000, 0x10000)
)
OVERRIDES = "\u202d\u202e"  # turn all that follows, whatever its script
OPENERS, CLOSERS = (
    "\u202a\u202b\u2066\u2067\u2068",
    {"\u202c": "\u202a\u202b", "\u2069": "\u2066\u2067\u2068"},
)
_UNHELD = pattern(f"[\0-\x08\x0b-\x1f\x7f-\x9f{OVERRIDES}{OPENERS}{''.join(CLOSERS)}{NOT_CHARACTERS}]")
_UNSAID = pattern(f"[\x7f-\x9f\u2028\u2029{OVERRIDES}{OPENERS}{''.join(CLOSERS)}{NOT_CHARACTERS}]")  # in JSON
_LINE_ENDS = pattern("\r\n|[\r\x85\u2028\u2029]")

LONGEST_CELL = 32_767  # characters that a cell of a workbook holds
LONGEST_CHART_TITLE = 250  # characters that every office program shows
REFERENCE = pattern(r"=?[^!]+!\$?[A-Z]+\$?\d+")
LONGEST_FILE_NAME = 80  # characters, without the ending
NOT_IN_FILE_NAMES = pattern(r'[\0-\x1f\x7f-\x9f<>:"/\\|?*\s]+')
RESERVED = pattern(r"(?:con|prn|aux|nul|com\d|lpt\d)(?:\.|$)", re.IGNORECASE)  # on some systems


def held(text: str) -> str:
    r"""Return a text as every output can hold it: line ends as \n, what cannot be shown by its code point.

    >>> held("a\x0bb"), held("c\x1b[2J"), held("\u202eabc"), held("one\r\ntwo")
    ('a[U+000B]b', 'c[U+001B][2J', '[U+202E]abc', 'one\ntwo')
    """
    if text.isascii() and text.isprintable():
        return text
    text = _LINE_ENDS.sub("\n", text)
    if _UNHELD.search(text) is None:
        return text
    return _UNHELD.sub(lambda match: _code_of(match[0]), _without_stray_turns(text))


def escaped(text: str) -> str:
    """Return a text for HTML: as `held` gives it, and never as markup.

    >>> escaped("<b> & 'c'")
    '&lt;b&gt; &amp; &#x27;c&#x27;'
    """
    from html import escape

    return escape(held(text))


def one_line(text: str) -> str:
    """Return a text as `held` does, on one line.

    >>> one_line(" two\\nlines ")
    'two lines'
    """
    return " ".join(held(text).split())


def replaced_in(text: str) -> int:
    r"""Count the characters of a text that `held` replaces.

    >>> replaced_in("plain"), replaced_in("a\x0bb\ud800")
    (0, 2)
    """
    if text.isascii() and text.isprintable():
        return 0
    plain = _LINE_ENDS.sub("\n", text)
    return sum(1 for sign in _UNHELD.findall(plain) if sign not in OPENERS and sign not in CLOSERS) + (
        sum(map(plain.count, (*OPENERS, *CLOSERS))) if _turns_stray(plain) else 0
    )


def all_held(value: Any) -> Any:
    """Return a value of texts, numbers, lists and mappings with each text as `held` gives it."""
    if isinstance(value, str):
        return held(value)
    if isinstance(value, dict):
        return {all_held(key): all_held(entry) for key, entry in value.items()}
    return [all_held(entry) for entry in value] if isinstance(value, list | tuple) else value


def as_shown_json(value: object) -> str:
    """Write a value as JSON in one line with each text as `held` gives it, for what is shown to readers."""
    text = json.dumps(value, ensure_ascii=False, separators=(",", ":"))
    if not any(escape in text for escape in ("\\u00", "\\r", "\\b", "\\f")) and _UNSAID.search(text) is None:
        return text
    return json.dumps(all_held(value), ensure_ascii=False, separators=(",", ":"))


def as_json(value: object, *, indent: int | None = None) -> str:
    r"""Write a value as JSON in which characters that cannot be shown are written as escapes, so that none is lost.

    >>> print(as_json({"a": "\x9b \ud800 é"}))
    {"a": "\u009b \ud800 é"}
    """
    text = json.dumps(value, ensure_ascii=False, indent=indent)
    return _UNSAID.sub(lambda match: _escaped(match[0]), text)


def fitted(text: str, most: int) -> str:
    """Cut a text to a length, and say so.

    >>> fitted("Sparkling water", 10)
    'Sparkling…'
    """
    return text if len(text) <= most else f"{text[: most - 1].rstrip()}…"


def shortened(text: str, most: int) -> str:
    """Cut a text to a length, and say how much is missing.

    >>> shortened("x" * 50, 40)
    'xxxxxxxxxxxxxxxxx … [33 more characters]'
    """
    if len(text) <= most:
        return text
    kept = most - len(f" … [{len(text):,} more characters]")
    return f"{text[:kept]} … [{len(text) - kept:,} more characters]"


def title_of_chart(text: str) -> str:
    """Return a title that the workbook library does not take for a reference to a cell ("Wow!A1"), on one line.

    An invisible sign parts what it would take for one.
    """
    plain = fitted(one_line(text), LONGEST_CHART_TITLE)
    return plain.replace("!", "!\u2060") if REFERENCE.match(plain) else plain


def file_name(text: str) -> str:
    """Return a name that a file may have on any system, whatever a text holds: no folders, no odd signs, not too long.

    >>> file_name("../x"), file_name("Age: 55+"), file_name("..")
    ('x', 'Age-55+', 'table')
    """
    import unicodedata
    import zlib

    plain = NOT_IN_FILE_NAMES.sub("-", unicodedata.normalize("NFC", held(text))).strip("-. ")
    if RESERVED.match(plain):
        plain = f"-{plain}"
    if len(plain.encode()) > LONGEST_FILE_NAME:  # two long names that begin alike stay apart
        ending = f"-{zlib.crc32(text.encode('utf-8', 'replace')):08x}"
        plain = plain.encode()[: LONGEST_FILE_NAME - len(ending)].decode("utf-8", "ignore") + ending
    return plain or "table"


def _escaped(character: str) -> str:
    units = character.encode("utf-16-be", "surrogatepass")
    return "".join(f"\\u{units[k] << 8 | units[k + 1]:04x}" for k in range(0, len(units), 2))


def _code_of(character: str) -> str:
    """Name a character by its code point; signs that turn the direction and close again are left."""
    left = character in OPENERS or character in CLOSERS
    return character if left else f"[U+{ord(character):04X}]"


def _turns_stray(text: str) -> bool:
    """Return whether signs that turn the direction do not close, so that what is behind would turn as well."""
    opened: list[str] = []
    for character in text:
        if character in OPENERS:
            opened.append(character)
        elif character in CLOSERS and (not opened or opened.pop() not in CLOSERS[character]):
            return True
    return bool(opened)


def _without_stray_turns(text: str) -> str:
    if not _turns_stray(text):
        return text
    turning = f"[{OPENERS}{''.join(CLOSERS)}]"
    return re.sub(turning, lambda match: f"[U+{ord(match[0]):04X}]", text)


def size_text(size: int) -> str:
    """Return a file's size for people.

    >>> size_text(900), size_text(1_500_000)
    ('1 kB', '1.5 MB')
    """
    return f"{max(1, round(size / 1000)):,} kB" if size < 1_000_000 else f"{size / 1_000_000:,.1f} MB"
