"""The method note of a report: how its tables were counted and tested, each sentence once."""

from __future__ import annotations

from collections.abc import Sequence

from eager_otter.core.letters import alpha_of
from eager_otter.looks.words import Words, said
from eager_otter.tables.note import About
from eager_otter.tables.table import Table, tested_rows

OF_METHOD: frozenset[About] = frozenset({"universe", "weight", "letters", "tests", "method", "marks"})
CHOICES = (
    said("Effective base: (Σ weight)² / Σ weight² (Kish 1965). All tests are two-sided."),
    said("Percents are never adjusted to add up to 100; half is rounded away from zero."),
    said(
        "Withheld figures keep thin figures from being read; this is no disclosure control, as a reader can subtract."
    ),
)


def method_of(tables: Sequence[Table], words: Words) -> tuple[str, ...]:
    """Gather what the notes of all tables say of the method, the number of tests, and the choices behind."""
    notes = dict.fromkeys(note for table in tables for note in table.notes if note.about in OF_METHOD)
    return (*notes, _tests_in_all(tables, words), *(words(choice) for choice in CHOICES))


def _tests_in_all(tables: Sequence[Table], say: Words) -> str:
    """Count the tests of all tables, and how many would be marked by chance."""
    made, chance = 0, 0.0
    for table in tables:
        own = sum(tested.made(row) for _, tested, row in tested_rows(table.lines))
        made += own
        if table.levels and table.tests.adjust == "none":
            chance += own * alpha_of(table.levels[-1])
    if not made:
        return say("No significance tests were made.")
    told = said(
        "{made} tests were made in all; if nothing differed anywhere, about {count} of those that are not corrected "
        "would be marked by chance."
    )
    return say(told, made=made, count=round(chance))
