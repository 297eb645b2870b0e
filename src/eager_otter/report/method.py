"""The method part of a report: how its tables were counted and tested, each statement once, with its tables."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from eager_otter.core.letters import alpha_of
from eager_otter.dataclass import dataclass
from eager_otter.gates.text import replaced_in
from eager_otter.looks.words import Words, said
from eager_otter.significance.registry import correction
from eager_otter.tables.note import OF_METHOD, About
from eager_otter.tables.table import Table, tests_in

PARTS: tuple[tuple[str, frozenset[About]], ...] = (
    (said("Who is counted"), frozenset({"data", "universe", "filter", "weight"})),
    (said("Figures and signs"), frozenset({"figures", "signs"})),
    (said("Tests"), frozenset({"letters", "against", "trend", "tests"})),
    (said("Small bases"), frozenset({"marks"})),
)
IN_ALL = said("In all tables")
CHOICES = (
    said("Effective base: (Σ weight)² / Σ weight² (Kish 1965). All tests are two-sided."),
    said("Percents are never adjusted to add up to 100; half is rounded away from zero."),
    said(
        "Withheld figures keep thin figures from being read; this is not disclosure control, as a reader can subtract."
    ),
)
UNSHOWN = said(
    "{count} {count:character|characters} of the texts cannot be shown; a code is shown for each, such as [U+001B]."
)
MOST_LEFT_OUT = 0.25  # of the tables: of so many that a statement is not true of, these are named instead

assert frozenset.union(*(about for _, about in PARTS)) == OF_METHOD


@dataclass(frozen=True, slots=True, kw_only=True)
class Statement:
    """A sentence on method, and the tables that it is true of, in words: "All tables", "Tables 3, 7–9"."""

    text: str
    tables: str


@dataclass(frozen=True, slots=True, kw_only=True)
class MethodPart:
    """Statements on one subject under their heading."""

    title: str
    statements: tuple[Statement, ...]


def method_of(tables: Sequence[Table], words: Words) -> tuple[MethodPart, ...]:
    """Gather what the notes of all tables say of the method, the number of tests, and the choices behind.

    Tables are named by their numbers, from 1, in the order of the report.
    """
    parts = []
    for title, about in PARTS:
        numbers: dict[str, list[int]] = {}
        for number, table in enumerate(tables, 1):
            for note in dict.fromkeys(note for note in table.notes if note.about in about):
                numbers.setdefault(str(note), []).append(number)
        statements = tuple(
            Statement(text=text, tables=tables_named(table_numbers, len(tables), words))
            for text, table_numbers in numbers.items()
        )
        parts += [MethodPart(title=words(title), statements=statements)] if statements else []
    replaced = unshown_in(tables)
    unshown = (words(UNSHOWN, count=replaced),) if replaced else ()
    general = (_tests_in_all(tables, words), *(words(choice) for choice in CHOICES), *unshown)
    in_all = tuple(Statement(text=text, tables="") for text in general)
    return (*parts, MethodPart(title=words(IN_ALL), statements=in_all))


def unshown_in(tables: Iterable[Table]) -> int:
    """Count the characters in the texts of tables that no output can show: a sign stands for each."""
    return sum(
        replaced_in(text)
        for table in tables
        for text in (
            table.title,
            table.heading,
            *(group.label for group in table.groups),
            *(column.label for column in table.columns),
            *(line.label for line in table.lines),
        )
    )


def tables_named(numbers: Sequence[int], every: int, say: Words) -> str:
    """Name tables by number, neighbours together: of `every` all, all but a few, or those there are.

    >>> from eager_otter.looks.words import ENGLISH
    >>> tables_named([1, 2, 3, 7], 9, ENGLISH), tables_named([1, 2, 3], 3, ENGLISH)
    ('Tables 1–3, 7', 'All tables')
    """
    if len(numbers) == every:
        return say("All tables")
    left_out = sorted(set(range(1, every + 1)).difference(numbers))
    if len(left_out) <= MOST_LEFT_OUT * every:
        return say("All tables but {numbers}", numbers=", ".join(_runs(left_out)))
    return say("{count:Table|Tables} {numbers}", count=len(numbers), numbers=", ".join(_runs(numbers)))


def _runs(numbers: Sequence[int]) -> Iterator[str]:
    """Go through numbers, three or more neighbours as one: "1–3"."""
    run: list[int] = []
    for number in [*numbers, None]:
        if run and number != run[-1] + 1:
            yield from [str(run[0]) + (f"–{run[-1]}")] if len(run) > 2 else map(str, run)
            run = []
        if number is not None:
            run.append(number)


def _tests_in_all(tables: Sequence[Table], say: Words) -> str:
    """Count the tests of all tables, and how many would be marked by chance."""
    tests, chance = 0, 0.0
    for table in tables:
        pairs, trends = tests_in(table.lines)
        tests += pairs + trends
        if table.levels:
            uncorrected = trends if correction(table.tests.adjust).corrects else pairs + trends
            chance += uncorrected * alpha_of(table.levels[-1])
    if not tests:
        return say("No significance tests were made.")
    text = said(
        "{made} {made:test was|tests were} made in all; if nothing differed anywhere, about {count} of those that are "
        "not corrected would be marked by chance."
    )
    return say(text, made=tests, count=round(chance))
