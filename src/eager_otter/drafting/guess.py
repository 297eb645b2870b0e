"""Guess what columns hold: single answers, ticks, mentions, joined codes, grids, numbers, dates, ids, weights."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from itertools import combinations, pairwise

import numpy as np

from eager_otter.drafting.alone import alone
from eager_otter.drafting.batteries import batteries
from eager_otter.drafting.facts import Facts, Guess, Role, doubted
from eager_otter.drafting.headings import own_name, short_name
from eager_otter.gates.numbers import number_of

SPECIAL = ("respondent", "weight", "frequency")
MOST_PARTS = 8  # columns that may be a part of an id
PART_OF_ID = re.compile(
    r"(?:^|[_ ])(?:id|household|hh|person|member|serial|case|panel|wave|interview(?:er)?)(?:$|[_ ])",
    re.IGNORECASE,
)
WRITE_IN = re.compile(
    r"\b(?:other|others|specify|please say|write in|sonstige\w*|andere\w*|und zwar|bitte angeben)\b",
    re.IGNORECASE,
)
FINISHED_NAME = re.compile(
    r"(?:interview[ _]?)?(?:status|state|finished|completed?|disposition)\Z", re.IGNORECASE
)
FINISHED = re.compile(
    r"completed?|finished|done|abgeschlossen|beendet|vollständig|true|yes|1|wahr|ja", re.IGNORECASE
)


def guesses(columns: Sequence[Facts]) -> list[Guess]:
    """Say what all columns are, in their order; columns that belong together give one guess."""
    sections = {facts.name: facts.about.section for facts in columns}
    together = {guess.columns[0]: _in_section(guess, sections) for guess in batteries(columns)}
    inside = {name for guess in together.values() for name in guess.columns}
    result: list[Guess] = []
    for facts in columns:
        if facts.name in together:
            result.append(together[facts.name])
        elif facts.name not in inside:
            result.append(alone(facts, first=facts is columns[0]))
    named = [_with_finished(guess) for guess in _named_once(_one_of_a_kind(result))]
    return list(_with_write_ins(_with_ids_of_two(named, columns)))


def _in_section(guess: Guess, sections: Mapping[str, str]) -> Guess:
    """Put columns that belong together into the section in which all of them are."""
    all_of = {sections[name] for name in guess.columns}
    section = all_of.pop() if len(all_of) == 1 else ""
    return replace(guess, details={**guess.details, "section": section}) if section else guess


def _with_ids_of_two(guessed: Sequence[Guess], columns: Sequence[Facts]) -> list[Guess]:
    """Where no column is an id, tell of two that are one together."""
    if any(guess.role == "respondent" for guess in guessed):
        return list(guessed)
    fitting = [one for one in columns if PART_OF_ID.search(one.name) and one.filled == one.rows > 1]
    for one, other in combinations(fitting[:MOST_PARTS], 2):
        (texts, index), (other_texts, other_index) = one.index, other.index
        together = index.astype(np.int64) * (len(other_texts) + 1) + other_index
        if len(texts) * len(other_texts) >= one.rows and np.unique(together).size == one.rows:
            told = f"{one.name} and {other.name} together tell respondents apart; put both into one column for an id"
            return [doubted(guess, told) if one.name in guess.columns else guess for guess in guessed]
    return list(guessed)


def _with_write_ins(guessed: Sequence[Guess]) -> Iterator[Guess]:
    """Say of open answers behind a closed list that they were written beside it."""
    for before, guess in pairwise([None, *guessed]):
        assert guess is not None
        words = f"{guess.columns[0]} {guess.details.get('text', '')}".replace("_", " ")
        if before is not None and before.answers and guess.role == "text" and WRITE_IN.search(words):
            yield replace(guess, reason=f"{guess.reason}, written beside {before.name}")
        else:
            yield guess


def _with_finished(guess: Guess) -> Guess:
    """Ask whether a column such as the status of the interview tells who finished it."""
    if guess.role != "single" or not FINISHED_NAME.match(guess.columns[0]):
        return guess
    codes = [code for code, _ in guess.answers]
    if len(codes) < 2:
        return guess  # it tells nobody apart
    done = next((code for code, label in guess.answers if FINISHED.fullmatch(label)), codes[0])
    code = done if number_of(done) is not None else f'"{done}"'
    return doubted(guess, f"who finished the interview? then write finished: {guess.name} == {code}")


def _one_of_a_kind(guessed: Sequence[Guess]) -> list[Guess]:
    """Keep the first id, weight and frequency; others become numbers or texts again."""
    kept = {guess.role: guess for guess in reversed(guessed) if guess.role in SPECIAL}
    result = []
    for guess in guessed:
        if guess.role in SPECIAL and kept[guess.role] is not guess:
            role: Role = "text" if guess.role == "respondent" else "number"
            article, what = ("an", "id") if guess.role == "respondent" else ("a", guess.role)
            again = f"{guess.name} looks like {article} {what} too; {kept[guess.role].name} is taken"
            result.append(doubted(replace(guess, role=role, reason=f"another {what}?"), again))
        else:
            result.append(guess)
    return result


def _named_once(guessed: Sequence[Guess]) -> Iterator[Guess]:
    """Give each question a short name of its own; its text stays."""
    taken: set[str] = set()
    for guess in guessed:
        if guess.role in (*SPECIAL, "empty"):
            yield guess
            continue
        yield replace(guess, name=own_name(short_name(guess.name), taken))
