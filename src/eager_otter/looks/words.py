"""The fixed words of tables and reports (base, total, notes …), in English or as a catalogue gives them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

SWAP = "\0"


def said(text: str) -> str:
    """Mark an English text as one that is said later, through `Words`; it comes back as it is."""
    return text


@dataclass(frozen=True, slots=True, kw_only=True)
class Words:
    """The wording of one language: `texts` from English, and the signs in numbers. Called with an English text.

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
        own = self.texts.get(text, text)
        return own.format(**{name: self._shown(value) for name, value in values.items()}) if values else own

    def number(self, written: str) -> str:
        """Give a number that was written the English way its own signs.

        >>> Words(decimal=",", thousands=".").number("1,234.5")
        '1.234,5'
        """
        if self.decimal == "." and self.thousands == ",":
            return written
        return written.replace(",", SWAP).replace(".", self.decimal).replace(SWAP, self.thousands)

    def whole(self, count: int) -> str:
        """Write a whole number, its thousands apart."""
        return self.number(f"{count:,}")

    def rephrased(self, texts: Mapping[str, str]) -> Words:
        """Say some texts in other words."""
        return replace(self, texts={**self.texts, **texts}) if texts else self

    def _shown(self, value: str | int | float) -> str:
        if isinstance(value, str):
            return value
        return self.whole(value) if isinstance(value, int) else self.number(f"{value:g}")


ENGLISH = Words()
