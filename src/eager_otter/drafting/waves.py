"""A draft of several files, which are waves of one survey: what they share, and what differs in each."""

from __future__ import annotations

import re
from collections.abc import Sequence
from difflib import SequenceMatcher
from functools import cached_property
from itertools import chain, count

from eager_otter.codebook.times import times_in_order
from eager_otter.dataclass import dataclass
from eager_otter.drafting.facts import Facts, Guess, doubted, facts_together
from eager_otter.drafting.guess import guesses
from eager_otter.drafting.writing import item_names
from eager_otter.looks.words import first_of

QUESTIONS = ("wave", "delivery", "file")  # what the files make a question of, by the first name that is free
WORD = re.compile(r"[^\s_]+")
ROUND_WORD = re.compile(r"wave|round|week|welle|runde|woche|kw", re.IGNORECASE)
ALIKE = 0.6  # of two names, from which on one may be the other
FEWEST_SAME, MOST_SAME = 3, 30  # answers of two columns that are all the same, so that these may be one
MOST_NAMED = 5
ALL_OR_NONE = ("mentions", "ranking")  # roles whose columns are all in a file, or none


@dataclass(frozen=True, slots=True, kw_only=True)
class FileOfWaves:
    """One of several files: its `label`, and what is in its columns."""

    label: str
    name: str
    facts: tuple[Facts, ...]
    guesses: tuple[Guess, ...]

    @property
    def columns(self) -> set[str]:
        """The names of its columns."""
        return {one.name for one in self.facts}

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return self.facts[0].rows if self.facts else 0


@dataclass(frozen=True, kw_only=True, eq=False)
class DraftedWaves:
    """Several files as one survey."""

    files: tuple[FileOfWaves, ...]

    @cached_property
    def question(self) -> str:
        """What the files make a question of."""
        taken = {name.casefold() for file in self.files for name in file.columns}
        taken |= {guess.name.casefold() for guess in self.guesses}
        return next(name for name in chain(QUESTIONS, map("wave_{}".format, count(2))) if name not in taken)

    @cached_property
    def facts(self) -> tuple[Facts, ...]:
        """What is in each column of all files together, in the order in which they come up."""
        by_name = [{one.name: one for one in file.facts} for file in self.files]
        names = _merged_order([[one.name for one in file.facts] for file in self.files])
        return tuple(
            facts_together(
                [there.get(name, file.rows) for file, there in zip(self.files, by_name, strict=True)]
            )
            for name in names
        )

    @cached_property
    def guesses(self) -> tuple[Guess, ...]:
        """What each column is taken for; an id tells people of one file apart."""
        ids = [
            {one.columns[0]: one for one in file.guesses if one.role == "respondent"} for file in self.files
        ]
        own = next((name for name in ids[0] if all(name in one for one in ids)), None)
        found = guesses([one for one in self.facts if one.name != own])
        found = [self._looked_over(guess) for guess in found]
        return tuple(found if own is None else [ids[0][own], *found])

    def _looked_over(self, guess: Guess) -> Guess:
        """Ask about a question that holds codes in some files and words in others, or of which some lack columns."""
        if guess.role in ALL_OR_NONE:
            lacking = [file.name for file in self.files if _lacks_some(file, guess)]
            if lacking:
                have = "has" if len(lacking) == 1 else "have"
                there = f"{first_of(lacking, MOST_NAMED)} {have} fewer of these columns"
                guess = doubted(
                    guess, f"{there}: add empty ones there, or take those out here that not all files have"
                )
        numbers, words = [], []
        for file in self.files:
            of = [one for one in file.facts if one.name in guess.columns and one.texts]
            if of and all(one.all_numbers for one in of):
                numbers.append(file.name)
            elif of and not any(one.all_numbers for one in of):
                words.append(file.name)
        if not (numbers and words) or guess.role in ("text", "date"):
            return guess
        return doubted(
            guess,
            f"codes in {first_of(numbers, MOST_NAMED)} and words in {first_of(words, MOST_NAMED)}: the same answers? "
            "then give the codes these labels, and take the words out",
        )

    def changes(self, file: FileOfWaves) -> dict[str, list[str] | dict[str, list[str]]]:
        """Say which questions were not asked in a file, and which answers not offered, by what is not there."""
        not_asked: list[str] = []
        not_offered: dict[str, list[str]] = {}
        for guess in self.guesses:
            absent = [name for name in guess.columns if name not in file.columns]
            if not absent or guess.role in ("respondent", "weight", "frequency", "empty"):
                continue
            if len(absent) == len(guess.columns):
                not_asked.append(guess.name)
            elif guess.role == "ticks":
                labels = dict(zip(guess.columns, (label for _, label in guess.answers), strict=True))
                not_offered[guess.name] = [labels[name] for name in absent]
            elif guess.role == "grid":
                items = dict(zip(guess.columns, item_names(guess), strict=True))
                not_asked += [f"{guess.name}.{items[name]}" for name in absent]
        found: dict[str, list[str] | dict[str, list[str]]] = {}
        if not_asked:
            found["not asked"] = not_asked
        if not_offered:
            found["not offered"] = not_offered
        return found

    def renamed(self, file: FileOfWaves) -> list[tuple[str, str]]:
        """Name columns that only this file has, each with one that it lacks and that this may be by another name."""
        elsewhere = {one.name: one for one in self.facts if one.name not in file.columns}
        others = set().union(*(one.columns for one in self.files if one is not file))
        own = [one for one in file.facts if one.name not in others and one.texts]
        pairs = [(_likeness(one, other), one.name, name) for one in own for name, other in elsewhere.items()]
        found: dict[str, str] = {}
        for ratio, name, other in sorted(pairs, reverse=True):
            if ratio >= ALIKE and name not in found and other not in found.values():
                found[name] = other
        return list(found.items())


def _lacks_some(file: FileOfWaves, guess: Guess) -> bool:
    """Return whether a file has some of the columns of a question and not others, but for the last of mentions."""
    there = [name in file.columns for name in guess.columns]
    return (
        any(there) and not all(there) and (guess.role != "mentions" or there != sorted(there, reverse=True))
    )


def _likeness(one: Facts, other: Facts) -> float:
    """Return how likely two columns are one, from 0 to 1: by their names, and by what they hold."""
    held, there = set(one.texts), set(other.texts)
    numbers = one.all_numbers and other.all_numbers
    if one.all_numbers != other.all_numbers or not (
        numbers or 2 * len(held & there) >= min(len(held), len(there))
    ):
        return 0.0
    names = SequenceMatcher(None, one.name.casefold(), other.name.casefold()).ratio()
    same = FEWEST_SAME <= len(held) <= MOST_SAME and held == there
    return max(names, ALIKE if same else 0.0)


def _merged_order(lists: Sequence[Sequence[str]]) -> list[str]:
    """Put names of several lists in one order: those that are new in a list stand behind the one before them there.

    >>> _merged_order([["a", "b", "c"], ["a", "x", "y", "c", "z"], ["0", "b"]])
    ['0', 'a', 'x', 'y', 'b', 'c', 'z']
    """
    behind: dict[str, list[str]] = {"": []}  # "": at the beginning, as no column is called so
    for names in lists:
        before = ""
        for name in names:
            if name not in behind:
                behind[name] = []
                behind[before].append(name)
            before = name
    order: list[str] = []
    left = [""]
    while left:
        name = left.pop()
        order.append(name)
        left += behind[name]
    return order[1:]


def labels_of(names: Sequence[str]) -> list[str]:
    """Return short labels of files by their names without endings: what they all begin and end with is left out.

    >>> labels_of(["tracker_2025-autumn", "tracker_2026-spring"]), labels_of(["spring", "summer"])
    (['2025-autumn', '2026-spring'], ['spring', 'summer'])
    >>> labels_of(["wave_1_final", "wave_2_final"])
    ['wave 1', 'wave 2']
    """
    words = [WORD.findall(name) for name in names]
    first = 0
    while all(len(one) > first + 1 and one[first] == words[0][first] for one in words):
        first += 1
    last = 0
    while all(len(one) > first + last + 1 and one[-1 - last] == words[0][-1 - last] for one in words):
        last += 1
    if any(ROUND_WORD.fullmatch(one[first - 1]) for one in words if first) and first:
        first -= 1  # "wave" goes with its number
    short = [" ".join(one[first : len(one) - last]) for one in words]
    return short if len(set(short)) == len(short) and all(short) else list(names)


def in_order_of_time(labels: Sequence[str]) -> list[int] | None:
    """Return the places of labels in the order of time; None where they are no times."""
    ordered = times_in_order(labels)
    return None if ordered is None else [list(labels).index(label) for label in ordered]
