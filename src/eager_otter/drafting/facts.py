"""What is in a column, and what is guessed of columns."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.columns import Distinct, distinct
from eager_otter.data.described import Described
from eager_otter.gates.numbers import number_of

Role = Literal["single", "ticks", "mentions", "joined", "grid", "number", "date", "text", "respondent", "weight",
               "frequency", "empty"]  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
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

    @property
    def filled(self) -> int:
        """How many rows hold something."""
        return sum(self.counts)

    @property
    def all_numbers(self) -> bool:
        """Whether every value is a number."""
        return bool(self.texts) and not bool(np.isnan(self.numbers).any())

    @property
    def all_whole(self) -> bool:
        """Whether every value is a whole number."""
        return self.all_numbers and bool((self.numbers == np.rint(self.numbers)).all())

    def often(self, text: str) -> int:
        """Return how many rows hold a text."""
        return dict(zip(self.texts, self.counts, strict=True)).get(text, 0)


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
    """Look at one column."""
    parts: Distinct = distinct(column)
    counts = parts.counts()
    order = [k for k in range(len(parts.texts)) if parts.texts[k] and counts[k]]
    merged: dict[str, int] = {}
    for k in order:
        merged[parts.texts[k]] = merged.get(parts.texts[k], 0) + int(counts[k])
    texts = sorted(merged, key=in_order)
    given = parts.which(bool)
    return Facts(
        name=name,
        texts=tuple(texts),
        counts=tuple(merged[text] for text in texts),
        numbers=np.array([np.nan if (n := number_of(text)) is None else n for text in texts]),
        rows=len(parts.index),
        given=given,
        index=(parts.texts, parts.index),
        about=about or Described(),
    )


def in_order(text: str) -> tuple[int, float, str]:
    """Order texts: numbers by their size, then words."""
    number = number_of(text)
    return (0, number, "") if number is not None else (1, 0.0, text.casefold())
