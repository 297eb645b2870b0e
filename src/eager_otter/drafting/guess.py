"""Guess what columns hold: single answers, ticks, mentions, joined codes, grids, numbers, dates, ids, weights."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from eager_otter.drafting.alone import alone
from eager_otter.drafting.batteries import batteries
from eager_otter.drafting.facts import Facts, Guess, Role, doubted
from eager_otter.drafting.headings import short_name

SPECIAL = ("respondent", "weight", "frequency")


def guesses(columns: Sequence[Facts]) -> list[Guess]:
    """Say what all columns are, in their order; columns that belong together give one guess."""
    together = {guess.columns[0]: guess for guess in batteries(columns)}
    inside = {name for guess in together.values() for name in guess.columns}
    result: list[Guess] = []
    for facts in columns:
        if facts.name in together:
            result.append(together[facts.name])
        elif facts.name not in inside:
            result.append(alone(facts, first=facts is columns[0]))
    return list(_named_once(_one_of_a_kind(result)))


def _one_of_a_kind(guessed: Sequence[Guess]) -> list[Guess]:
    """Keep the first id, weight and frequency; others become numbers or texts again."""
    kept = {guess.role: guess for guess in reversed(guessed) if guess.role in SPECIAL}
    result = []
    for guess in guessed:
        if guess.role in SPECIAL and kept[guess.role] is not guess:
            role: Role = "text" if guess.role == "respondent" else "number"
            what = "id" if guess.role == "respondent" else guess.role
            again = f"{guess.name} looks like a {what} too; {kept[guess.role].name} is taken"
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
        own = base = short_name(guess.name)
        number = 2
        while own.casefold() in taken:
            own, number = f"{base}_{number}", number + 1
        taken.add(own.casefold())
        yield replace(guess, name=own)
