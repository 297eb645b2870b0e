"""A note under a table: a whole sentence that knows what it is about, and how it is said shortly."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Literal

About = Literal[
    "data",
    "universe",
    "base",
    "left out",
    "filter",
    "weight",
    "columns",
    "rows",
    "figures",
    "scores",
    "whole table",
    "letters",
    "against",
    "trend",
    "tests",
    "chance",
    "untested",
    "undecided",
    "thin",
    "marks",
    "signs",
    "own",
]
NotesLength = Literal["short", "full", "none"]

OF_LINE: tuple[frozenset[About], ...] = (  # the lines of short notes
    frozenset({"data", "universe", "base", "left out", "filter", "weight", "columns"}),
    frozenset({"rows", "figures", "scores", "untested", "undecided", "thin", "marks", "signs"}),
    frozenset({"letters", "against", "trend"}),
    frozenset({"whole table"}),
    frozenset({"own"}),
)
OF_METHOD: frozenset[About] = frozenset(
    {
        "data",
        "universe",
        "filter",
        "weight",
        "figures",
        "letters",
        "against",
        "trend",
        "tests",
        "marks",
        "signs",
    }
)
ALWAYS: frozenset[About] = frozenset(  # what explains a sign in the table, or was asked for
    {
        "data",
        "letters",
        "against",
        "trend",
        "untested",
        "undecided",
        "thin",
        "marks",
        "signs",
        "whole table",
        "own",
    }
)


class Note(str):
    """A text, what it is `about`, and its `short` form: "" where a table with short notes goes without it.

    `sign` is the one that it explains, "" for none.

    >>> note = Note("Base: the 812 respondents who answered.", "base", "Base: respondents who answered.")
    >>> note, note.about, note.short
    ('Base: the 812 respondents who answered.', 'base', 'Base: respondents who answered.')
    """

    __slots__ = ("about", "short", "sign")
    about: About
    short: str
    sign: str

    def __new__(cls, text: str, about: About, short: str = "", sign: str = "") -> Note:
        """Make a note of a text."""
        note = super().__new__(cls, text)
        note.about, note.short, note.sign = about, short, sign
        return note

    def __getnewargs__(self) -> tuple[str, About, str, str]:  # type: ignore[override]
        return str(self), self.about, self.short, self.sign


def note_lines(notes: Iterable[Note], length: NotesLength) -> tuple[tuple[Note, ...], ...]:
    """Return notes at a length by the line that they are on; what is shown of each is the note itself."""
    if length == "full":
        return tuple((note,) for note in notes)
    kept = [
        Note(note.short, note.about, note.short, note.sign)
        for note in notes
        if note.short and (length == "short" or note.about in ALWAYS)
    ]
    lines = (line for about in OF_LINE for line in _lines([note for note in kept if note.about in about]))
    return tuple(line for line in lines if line)


def _lines(notes: list[Note]) -> Iterator[tuple[Note, ...]]:
    """Put notes on one line; each test of a whole table has its own."""
    apart = [note.about == "whole table" for note in notes]
    if notes and all(apart):
        yield from ((note,) for note in notes)
    else:
        yield tuple(notes)


def notes_shown(notes: Iterable[Note], length: NotesLength) -> tuple[str, ...]:
    """Return notes at a length: all in full; shortly, in a few lines; or of the short ones only what explains a sign.

    >>> base = Note("Base: the 812 respondents who answered.", "base", "Base: respondents who answered.")
    >>> sign = Note("Signs: – nobody.", "signs", "– nobody.")
    >>> notes_shown([base, sign], "short"), notes_shown([base, sign], "none")
    (('Base: respondents who answered.', '– nobody.'), ('– nobody.',))
    """
    return tuple(" ".join(line) for line in note_lines(notes, length))
