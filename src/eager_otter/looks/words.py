"""The fixed words of tables and reports (base, total, notes …), in English or as a catalogue gives them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from functools import lru_cache
from math import inf
from typing import TYPE_CHECKING

from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.gates.numbers import number_of

if TYPE_CHECKING:
    from babel.core import Locale

CATEGORIES = ("zero", "one", "two", "few", "many", "other")  # of plurals, in the order of the Unicode CLDR
SWAP = "\0"
BETWEEN_FORMS = "|"


def said(text: str) -> str:
    """Mark an English text as one that is said later, through `Words`; it comes back as it is."""
    return text


def counted(count: int, one: str, many: str = "") -> str:
    """Write a number of things in English, for messages that are not translated; `many` is the plural, else with an s.

    >>> counted(1, "row"), counted(1200, "row"), counted(0, "entry", "entries")
    ('1 row', '1,200 rows', '0 entries')
    """
    return f"{count:,} {one if count == 1 else many or one + 's'}"


def first_of(names: Sequence[str], most: int) -> str:
    """Write at most so many names in one line, and how many there are beyond these.

    >>> first_of(["a", "b"], 2), first_of(["a", "b", "c"], 2), first_of([], 2)
    ('a, b', 'a, b and 1 more', '')
    """
    return ", ".join(names[:most]) + (f" and {len(names) - most:,} more" if len(names) > most else "")


def most_frequent(counts: Mapping[str, int]) -> list[tuple[str, int]]:
    """Order codes by how often they were found, the most frequent first; ties by their numbers, then their texts.

    >>> most_frequent({"10": 2, "9": 2, "x": 2, "7": 5})
    [('7', 5), ('9', 2), ('10', 2), ('x', 2)]
    """

    def place(code: str) -> tuple[int, float, str]:
        number = number_of(code)
        return -counts[code], inf if number is None else number, code

    return [(code, counts[code]) for code in sorted(counts, key=place)]


@lru_cache(maxsize=64)
def plural_forms(language: str) -> tuple[str, ...]:
    """Return the plural categories of a language (BCP 47), as the Unicode CLDR names and orders them; "other" is last.

    A language that the CLDR does not know has those of English.

    >>> plural_forms("en"), plural_forms("pl")
    (('one', 'other'), ('one', 'few', 'many', 'other'))
    """
    tags = _locale(language).plural_form.tags
    return tuple(category for category in CATEGORIES if category in tags or category == "other")


@lru_cache(maxsize=1024)
def _form_of(language: str, count: int | float) -> int:
    """Return the place of a count's plural category among those of a language."""
    if language == "en" and isinstance(count, int):  # without all that is known of all languages
        return int(abs(count) != 1)
    return plural_forms(language).index(_locale(language).plural_form(count))


@lru_cache(maxsize=64)
def _locale(language: str) -> Locale:
    from babel.core import Locale, UnknownLocaleError

    try:
        return Locale.parse(language, sep="-")
    except (UnknownLocaleError, ValueError):
        return Locale("en")


class _Count(str):
    """A number as written, which chooses between the forms of a word: `{count:row|rows}`."""

    __slots__ = ("language", "number")
    number: int | float
    language: str

    def __format__(self, forms: str) -> str:
        if not forms:
            return str(self)
        choice = forms.split(BETWEEN_FORMS)
        return choice[min(_form_of(self.language, self.number), len(choice) - 1)]


@dataclass(frozen=True, slots=True, kw_only=True)
class Words:
    """The wording of one language: `texts` from English, and the signs in numbers. Called with an English text.

    Beside a place to fill, `{count}`, a text may hold the forms of a word that goes with the number there, in the order
    of `plural_forms`: `{count:row|rows}`.

    `language` is its tag ("en"), `decimal` and `thousands` are the signs in numbers.

    >>> ENGLISH("{count} {count:row|rows}", count=1), ENGLISH("{count} {count:row|rows}", count=1200)
    ('1 row', '1,200 rows')

    >>> German = Words(language="de", texts={"{count} tables": "{count} Tabellen"}, decimal=",", thousands=".")
    >>> German("{count} tables", count=1200), German("Base", count=1)
    ('1.200 Tabellen', 'Base')
    """

    language: str = "en"
    texts: Mapping[str, str] = field(default_factory=dict)
    decimal: str = "."
    thousands: str = ","

    def __call__(self, text: str, /, **values: str | int | float) -> str:
        """Say an English text in this language, its `{places}` filled: whole numbers grouped, others short."""
        translated = self.texts.get(text, text)
        return (
            translated.format(**{name: self._shown(value) for name, value in values.items()})
            if values
            else translated
        )

    def number(self, written: str) -> str:
        """Return a number that was written the English way its own signs.

        `written` is a number as English writes it.

        >>> Words(decimal=",", thousands=".").number("1,234.5")
        '1.234,5'
        """
        if self.decimal == "." and self.thousands == ",":
            return written
        return written.replace(",", SWAP).replace(".", self.decimal).replace(SWAP, self.thousands)

    def whole(self, count: int) -> str:
        """Write a whole number, its thousands apart.

        `count` is a whole number.
        """
        return self.number(f"{count:,}")

    @checked
    def rephrased(self, texts: Mapping[str, str]) -> Words:
        """Say some texts in other words.

        `texts` are other words by English text.
        """
        return replace(self, texts={**self.texts, **texts}) if texts else self

    def _shown(self, value: str | int | float) -> str:
        if isinstance(value, str):
            return value
        shown = _Count(self.whole(value) if isinstance(value, int) else self.number(f"{value:g}"))
        shown.number, shown.language = value, self.language
        return shown


ENGLISH = Words()
