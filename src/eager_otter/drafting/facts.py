"""What is in a column, and what is guessed of columns."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from eager_otter.core.arrays import BoolArray, CodeArray, FloatArray, IntArray, smallest_unsigned
from eager_otter.data.columns import (
    Distinct,
    Located,
    as_it_stands,
    distinct,
    plain_numbers,
    points_part_thousands,
)
from eager_otter.data.described import Described
from eager_otter.dataclass import dataclass
from eager_otter.drafting.markup import unmarked
from eager_otter.gates.numbers import number_of

SEVERAL = re.compile(r"\d,\d+,\d")  # commas that part codes, and are no decimal signs

Role = Literal["single", "ticks", "ranking", "mentions", "joined", "grid", "number", "date", "text", "respondent",
               "weight", "frequency", "empty"]  # fmt: skip

DIGITS = re.compile(r"(\d+)")
MOST_SORTED = 2_000  # words that are put into their order, and of more texts that are looked at one by one


@dataclass(frozen=True, kw_only=True, eq=False)
class Facts:
    """The contents of one column, and what is known of it."""

    name: str
    texts: tuple[str, ...]  # the distinct values that occur, in their order
    counts: tuple[int, ...]
    numbers: FloatArray  # the distinct values as numbers, NaN for other texts
    rows: int
    index: tuple[tuple[str, ...], CodeArray | IntArray]
    about: Described = field(default_factory=Described)
    thousands: str = ""  # "." where points part the thousands of its numbers

    @property
    def heading(self) -> str:
        """Its text, or its name where it has none."""
        return unmarked(self.about.text or self.name)

    @cached_property
    def given(self) -> BoolArray:
        """Which rows hold something: (rows,)."""
        texts, index = self.index
        return np.array([bool(text) for text in texts], np.bool_).take(index)

    @cached_property
    def together(self) -> str:
        """All its values in one text, in which a sign is found at once."""
        return "\n".join(self.texts)

    @cached_property
    def filled(self) -> int:
        """How many rows hold something."""
        return sum(self.counts)

    @cached_property
    def all_numbers(self) -> bool:
        """Whether every value is a number."""
        return bool(self.texts) and not bool(np.isnan(self.numbers).any())

    @cached_property
    def all_whole(self) -> bool:
        """Whether every value is a whole number."""
        return self.all_numbers and bool((self.numbers == np.rint(self.numbers)).all())

    @cached_property
    def words(self) -> tuple[str, ...]:
        """The values that are no numbers."""
        no_numbers = np.isnan(self.numbers)
        return (
            self.texts
            if no_numbers.all()
            else tuple(self.texts[k] for k in np.flatnonzero(no_numbers).tolist())
        )

    def often(self, text: str) -> int:
        """Return how many rows hold a text."""
        return self._counts.get(text, 0)

    @cached_property
    def _counts(self) -> dict[str, int]:
        return dict(zip(self.texts, self.counts, strict=True))


@dataclass(frozen=True, slots=True, kw_only=True)
class Guess:
    """A guess at what some columns hold, and its reason. `answers` pairs codes with labels.

    `role` is a kind of question, or "respondent", "weight", "frequency" or "empty"; `name` is that of the question,
    `columns` are those of the data; `reason` says why, `details` what else was guessed; `doubts` are what a person
    has to check.
    """

    role: Role
    name: str
    columns: tuple[str, ...]
    reason: str
    answers: tuple[tuple[str, str], ...] = ()
    details: Mapping[str, Any] = field(default_factory=dict)
    doubts: tuple[str, ...] = ()


def doubted(guess: Guess, *doubts: str) -> Guess:
    """Return a guess with more to check; blank doubts are none."""
    return replace(guess, doubts=(*guess.doubts, *filter(None, doubts)))


def facts_of(name: str, column: Any, about: Described | None = None) -> Facts:
    """Look at one column; many different words are left in the order in which they are found."""
    parts = distinct(as_it_stands(column))
    if isinstance(column, Located) and column.decimal != "." and not any(map(SEVERAL.search, parts.texts)):
        parts = distinct(column)
    facts = _facts_from(name, parts, about)
    return replace(facts, thousands=".") if points_part_thousands(column) else facts


def facts_together(pieces: Sequence[Facts | int]) -> Facts:
    """Put what several files hold in one column together; a number stands for so many rows of a file without it."""
    there = [one for one in pieces if isinstance(one, Facts)]
    texts = tuple(dict.fromkeys(text for one in there for text in (*one.index[0], "")))
    places = {text: place for place, text in enumerate(texts)}
    kind = smallest_unsigned(len(texts))
    index = [
        np.full(one, places[""], kind)
        if isinstance(one, int)
        else np.array([places[text] for text in one.index[0]], kind).take(one.index[1])
        for one in pieces
    ]
    about = next((one.about for one in there if one.about != Described()), Described())
    facts = _facts_from(there[0].name, Distinct(texts, np.concatenate(index)), about)
    return replace(facts, thousands=next((one.thousands for one in there if one.thousands), ""))


def _facts_from(name: str, parts: Distinct, about: Described | None = None) -> Facts:
    """Look at one column that was taken apart."""
    counts = parts.counts().tolist()
    merged = dict(zip(parts.texts, counts, strict=True))
    if len(merged) < len(counts):  # the same code, written in two forms
        merged = dict.fromkeys(merged, 0)
        for text, count in zip(parts.texts, counts, strict=True):
            merged[text] += count
    merged.pop("", None)
    if not all(merged.values()):
        merged = {text: count for text, count in merged.items() if count}
    texts, numbers = _ordered(tuple(merged))
    return Facts(
        name=name,
        texts=texts,
        counts=tuple(map(merged.__getitem__, texts)),
        numbers=numbers,
        rows=len(parts.index),
        index=(parts.texts, parts.index),
        about=about or Described(),
    )


def _ordered(texts: tuple[str, ...]) -> tuple[tuple[str, ...], FloatArray]:
    """Put texts into their order, and return the numbers that they are, NaN for others.

    Of very many texts of which some far apart are no numbers, none is taken for one, and they stay as they are.
    """
    some = spread(texts, MOST_SORTED)
    if len(texts) > MOST_SORTED and all(number_of(text) is None for text in some):
        return texts, np.full(len(texts), np.nan)
    numbers = plain_numbers(texts)
    if numbers is None:
        found = [None if text[0].isalpha() else number_of(text) for text in texts]
        numbers = np.array(found, np.float64)
    words = np.flatnonzero(np.isnan(numbers)).tolist()
    if len(words) <= MOST_SORTED:
        words.sort(key=lambda k: _as_words(texts[k]))
    order = [*np.argsort(numbers, kind="stable")[: len(texts) - len(words)].tolist(), *words]
    return tuple(texts[k] for k in order), numbers[order]


def spread(texts: tuple[str, ...], most: int) -> tuple[str, ...]:
    """Return some texts from end to end, `most` at most: those that come first may be all alike."""
    return texts[:: len(texts) // most + 1]


def in_order(text: str) -> tuple[int, float, tuple[tuple[int, float, str], ...]]:
    """Order texts: numbers by their size, then words, whose numbers go by their size too.

    >>> sorted(["Shop 10", "Shop 9", "12", "9", "shop 9b"], key=in_order)
    ['9', '12', 'Shop 9', 'shop 9b', 'Shop 10']
    """
    number = number_of(text)
    return (0, number, ()) if number is not None else (1, 0.0, _as_words(text))


def _as_words(text: str) -> tuple[tuple[int, float, str], ...]:
    """Part a text into words and numbers, by which it is ordered among texts."""
    pieces = filter(None, DIGITS.split(text.casefold()))
    return tuple((0, float(piece), piece) if piece.isdecimal() else (1, 0.0, piece) for piece in pieces)
