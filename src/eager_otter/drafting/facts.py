"""What is in a column, and what is guessed of columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.columns import Distinct, distinct
from eager_otter.data.described import Described
from eager_otter.gates.numbers import number_of

Role = Literal["single", "ticks", "mentions", "joined", "grid", "number", "date", "text", "respondent", "weight",
               "frequency", "empty"]  # fmt: skip

MOST_SORTED = 2_000  # words that are put into their order, and of more texts that are looked at one by one


@dataclass(frozen=True, kw_only=True, eq=False)
class Facts:
    """The contents of one column, and what is known of it."""

    name: str
    texts: tuple[str, ...]  # the distinct values that occur, in their order
    counts: tuple[int, ...]
    numbers: FloatArray  # the distinct values as numbers, NaN for other texts
    rows: int
    given: BoolArray
    index: Any
    about: Described = field(default_factory=Described)

    @property
    def heading(self) -> str:
        """Its text, or its name where it has none."""
        return self.about.text or self.name

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
        return tuple(self.texts[k] for k in np.flatnonzero(np.isnan(self.numbers)).tolist())

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
    parts: Distinct = distinct(column)
    counts = parts.counts().tolist()
    there = [(text, count) for text, count in zip(parts.texts, counts, strict=True) if text and count]
    merged = dict(there)
    if len(merged) < len(there):  # the same code, written in two forms
        merged = dict.fromkeys(merged, 0)
        for text, count in there:
            merged[text] += count
    found = _numbers(list(merged))
    words = [text for text, number in found.items() if number is None]
    if len(words) <= MOST_SORTED:
        words.sort(key=str.casefold)
    texts = [
        *sorted((text for text in found if found[text] is not None), key=lambda text: found[text] or 0.0),
        *words,
    ]
    return Facts(
        name=name,
        texts=tuple(texts),
        counts=tuple(merged[text] for text in texts),
        numbers=np.array([found[text] for text in texts], np.float64),
        rows=len(parts.index),
        given=parts.which(bool),
        index=(parts.texts, parts.index),
        about=about or Described(),
    )


def _numbers(texts: Sequence[str]) -> dict[str, float | None]:
    """Return which texts are numbers; of very many of which some far apart are none, none is taken for one."""
    if len(texts) > MOST_SORTED and all(
        number_of(text) is None for text in texts[:: len(texts) // MOST_SORTED + 1]
    ):
        return dict.fromkeys(texts)
    return {text: None if text[0].isalpha() else number_of(text) for text in texts}


def in_order(text: str) -> tuple[int, float, str]:
    """Order texts: numbers by their size, then words."""
    number = number_of(text)
    return (0, number, "") if number is not None else (1, 0.0, text.casefold())
