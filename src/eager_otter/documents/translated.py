"""A text in another language that remembers how it is written in the codebook, by which it goes on being found."""

from __future__ import annotations

from collections.abc import Sequence


class Translated(str):
    """A text as it is shown, with what is `written` in the codebook or plan instead."""

    __slots__ = ("written",)
    written: str

    def __new__(cls, shown: str, written: str) -> Translated:
        """Make one of what is shown, and of what is written."""
        text = super().__new__(cls, shown)
        text.written = written
        return text

    def __getnewargs__(self) -> tuple[str, str]:  # type: ignore[override] # it is made of two
        return str(self), self.written


def written(text: str) -> str:
    """Return a text as it is written in the codebook or plan.

    >>> written(Translated("Nord", "North")), written("North")
    ('North', 'North')
    """
    return text.written if isinstance(text, Translated) else text


def names_of(text: str) -> tuple[str, ...]:
    """Return what a thing goes by: its label and, where that is translated, the label as written.

    >>> names_of(Translated("Nord", "North")), names_of("North")
    (('Nord', 'North'), ('North',))
    """
    return (text, text.written) if isinstance(text, Translated) else (text,)


def goes_by(text: str, name: str) -> bool:
    """Return whether a thing with a label is called something, in any case.

    >>> goes_by(Translated("Nord", "North"), "north"), goes_by("North", "Nord")
    (True, False)
    """
    return name.casefold() in {one.casefold() for one in names_of(text)}


def joined(between: str, texts: Sequence[str]) -> str:
    """Join texts; where one is translated the whole is, so that it is found by what is written as well.

    >>> joined(": ", [Translated("Nord", "North"), "2026"]).written
    'North: 2026'
    """
    shown, said = between.join(texts), between.join(map(written, texts))
    return Translated(shown, said) if any(isinstance(text, Translated) for text in texts) else shown
