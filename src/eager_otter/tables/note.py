"""A note under a table: a whole sentence that knows what it is about."""

from __future__ import annotations

from typing import Literal

About = Literal[
    "universe", "base", "filter", "weight", "letters", "tests", "marks", "signs", "method", "detail"
]


class Note(str):
    """A text, and what it is about, so that an output can choose notes whatever their language.

    >>> note = Note("Not weighted.", "weight")
    >>> note, note.about
    ('Not weighted.', 'weight')
    """

    __slots__ = ("about",)
    about: About

    def __new__(cls, text: str, about: About) -> Note:
        """Make a note of a text."""
        made = super().__new__(cls, text)
        made.about = about
        return made

    def __getnewargs__(self) -> tuple[str, About]:  # type: ignore[override]
        return str(self), self.about
