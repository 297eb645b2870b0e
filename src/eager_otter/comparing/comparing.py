"""Set two saved results side by side and list every change."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, Literal, get_args

from eager_otter.comparing.causes import Cause, causes_between, manifests_of
from eager_otter.comparing.saved import ColumnKey, RowKey, SavedTable, read_results
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.gates.viewed import Saved
from eager_otter.looks.words import counted

Kind = Literal[
    "table came",
    "table went",
    "table renamed",
    "title changed",
    "row came",
    "row went",
    "row renamed",
    "column came",
    "column went",
    "column renamed",
    "letters flipped",
    "figure moved",
    "figure came",
    "figure went",
    "mark changed",
    "base changed",
]
KINDS: tuple[Kind, ...] = get_args(Kind)
NOISE = 1e-9  # a relative difference this small is rounding in the last digits
NEAR = 0.2  # a column is taken for the same under another label while its base moves by no more than a fifth
BASES = ("unweighted base", "weighted base", "effective base")


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """One change: what kind, where (table, row, column, figure; "" where that does not apply), before and after.

    `kind` is one of the kinds of changes; `table` is an id, `row`, `column` and `figure` are as tables name them;
    `before` and `after` are figures, letters, marks or labels, None where there is none.
    """

    kind: Kind
    table: str
    row: str = ""
    column: str = ""
    figure: str = ""
    before: float | str | None = None
    after: float | str | None = None

    @property
    def moved(self) -> float | None:
        """By how much a figure moved; None for other changes."""
        if isinstance(self.before, float) and isinstance(self.after, float):
            return self.after - self.before
        return None

    def as_dict(self) -> dict[str, Any]:
        """Return it as a plain mapping, as for JSON."""
        return {name: getattr(self, name) for name in self.__dataclass_fields__} | {"moved": self.moved}


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison(Saved):
    """All changes between two results, table by table, with how much was compared.

    `causes` are what the two reports were made of that differs; where that cannot be told, it is None and `why_not`
    says why.

    `changes` are in the order of the tables; `tables` and `figures` count what both have, `tolerance` is what figures
    may move by.
    """

    changes: tuple[Change, ...]
    tables: int
    figures: int
    tolerance: float
    causes: tuple[Cause, ...] | None = None
    why_not: str = ""

    def __repr__(self) -> str:
        counts = ", ".join(f"{count} × {kind}" for kind, count in self.counts().items())
        return f"<Comparison of {counted(self.figures, 'figure')}: {counts or 'no difference'}>"

    def counts(self) -> dict[Kind, int]:
        """Count the changes of each kind."""
        counted = Counter(change.kind for change in self.changes)
        return {kind: counted[kind] for kind in KINDS if counted[kind]}


def compare_results(
    old: Mapping[str, SavedTable], new: Mapping[str, SavedTable], *, tolerance: float = 0.0
) -> Comparison:
    """Compare two results read by `read_results`.

    Figures that moved by no more than `tolerance` (points of percent, or units of the figure; bases and counts too)
    are left out, and so are last digits. Letters are compared by the columns they name, so that a new column does not
    flip those behind it. Raises RequestError for a tolerance below 0.
    """
    if not 0 <= tolerance < float("inf"):
        raise RequestError(f"A tolerance is a number from 0 up; got {tolerance:g}.")
    if not all(table.names_questions for table in (*old.values(), *new.values())):
        old, new = (
            {name: table.without_questions() for name, table in tables.items()} for tables in (old, new)
        )
    renamed = _renamed_tables(old, new)
    changes: list[Change] = [
        Change(kind="table renamed", table=after, before=before, after=after)
        for before, after in renamed.items()
    ]
    came = [name for name in new if name not in old and name not in renamed.values()]
    changes += [
        Change(kind="table went", table=name) for name in old if name not in new and name not in renamed
    ]
    changes += [Change(kind="table came", table=name) for name in came]
    pairs = [(old[name], new[renamed.get(name, name)]) for name in old if renamed.get(name, name) in new]
    figures = 0
    for before, after in pairs:
        matched = _Pair(before, after, tolerance)
        changes += matched.changes()
        figures += matched.figures
    return Comparison(changes=tuple(changes), tables=len(pairs), figures=figures, tolerance=tolerance)


def compare_files(old: Path, new: Path, *, tolerance: float = 0.0) -> Comparison:
    """Compare two tidy files, and what their reports were made of where the manifest of each is beside it.

    Raises FileProblem, and RequestError for a tolerance below 0.
    """
    comparison = compare_results(read_results(old), read_results(new), tolerance=tolerance)
    manifests, why_not = manifests_of(old, new)
    causes = None if manifests is None else causes_between(*manifests)
    return replace(comparison, causes=causes, why_not=why_not)


def _renamed_tables(old: Mapping[str, SavedTable], new: Mapping[str, SavedTable]) -> dict[str, str]:
    """Match a table that went with one that came, where they alone have the same title and rows."""
    went = [table for name, table in old.items() if name not in new]
    came = [table for name, table in new.items() if name not in old]
    renamed: dict[str, str] = {}
    for before in went:
        alike = [t for t in came if t.title == before.title and list(t.rows) == list(before.rows)]
        twins = [t for t in went if t.title == before.title and list(t.rows) == list(before.rows)]
        if len(alike) == 1 and len(twins) == 1:
            renamed[before.id] = alike[0].id
    return renamed


class _Pair:
    """One table before and after."""

    def __init__(self, old: SavedTable, new: SavedTable, tolerance: float) -> None:
        self.old, self.new, self.tolerance = old, new, tolerance
        self.renamed = self._renamed_columns()
        self.rows: dict[RowKey, RowKey] = {row: row for row in old.rows if row in new.rows}
        self.columns: dict[ColumnKey, ColumnKey] = {
            column: self.renamed.get(column, column)
            for column in old.columns
            if self.renamed.get(column, column) in new.columns
        }
        self.figures = 0

    def _renamed_columns(self) -> dict[ColumnKey, ColumnKey]:
        """Match a column that went with one that came at the same place in the same group, its base about the same."""
        old, new = list(self.old.columns), list(self.new.columns)
        renamed = {}
        for place, column in enumerate(old):
            if column in self.new.columns or place >= len(new) or len(old) != len(new):
                continue
            after = new[place]
            if after not in self.old.columns and after[0] == column[0] and self._near(column, after):
                renamed[column] = after
        return renamed

    def _near(self, before: ColumnKey, after: ColumnKey) -> bool:
        """Return whether two columns hold about as many people."""
        a, b = _base(self.old, before), _base(self.new, after)
        return a is not None and b is not None and abs(a - b) <= NEAR * max(a, b)

    def changes(self) -> Iterator[Change]:
        if self.old.title != self.new.title:
            yield self._change("title changed", before=self.old.title, after=self.new.title)
        yield from self._outline()
        yield from self._figures()
        yield from self._letters()

    def _outline(self) -> Iterator[Change]:
        """List rows and columns that came, went or were renamed."""
        for row, label in self.old.rows.items():
            if row not in self.new.rows:
                yield self._change("row went", row=label)
            elif self.new.rows[row] != label:
                yield self._change(
                    "row renamed", row=self.new.rows[row], before=label, after=self.new.rows[row]
                )
        for row, label in self.new.rows.items():
            if row not in self.old.rows:
                yield self._change("row came", row=label)
        for column in self.old.columns:
            if column in self.renamed:
                after = _name(self.renamed[column])
                yield self._change("column renamed", column=after, before=_name(column), after=after)
            elif column not in self.columns:
                yield self._change("column went", column=_name(column))
        known = set(self.columns.values())
        for column in self.new.columns:
            if column not in known:
                yield self._change("column came", column=_name(column))

    def _figures(self) -> Iterator[Change]:
        seen = set()
        for (row, column, figure), before in self.old.values.items():
            if row not in self.rows or column not in self.columns:
                continue
            cell = (row, self.columns[column], figure)
            seen.add(cell)
            where = {"row": self.new.rows[row], "column": _name(cell[1]), "figure": figure}
            if cell not in self.new.values:
                yield self._change("figure went", **where, before=before)
                continue
            self.figures += 1
            after = self.new.values[cell]
            if self._moved(before, after):
                kind: Kind = "base changed" if figure in BASES else "figure moved"
                yield self._change(kind, **where, before=before, after=after)
            if figure == "unweighted base" or figure not in BASES:
                marks = self.old.marks[row, column, figure], self.new.marks[cell]
                if marks[0] != marks[1] and (row[1] == "base" or not self._column_mark(column, marks)):
                    yield self._change("mark changed", **where, before=marks[0], after=marks[1])
        back = {after: before for before, after in self.columns.items()}
        for cell, after in self.new.values.items():
            row, column, figure = cell
            if row in self.rows and column in back and cell not in seen:
                where = {"row": self.new.rows[row], "column": _name(column), "figure": figure}
                yield self._change("figure came", **where, after=after)

    def _column_mark(self, column: ColumnKey, marks: tuple[str, str]) -> bool:
        """Return whether a mark changed with that of the whole column, which its base says already."""
        before = [m for (row, name, _), m in self.old.marks.items() if name == column and row[1] == "base"]
        after = [
            m
            for (row, name, _), m in self.new.marks.items()
            if name == self.columns[column] and row[1] == "base"
        ]
        return bool(before) and bool(after) and (before[0], after[0]) == marks

    def _moved(self, before: float | None, after: float | None) -> bool:
        if before is None or after is None:
            return before is not after
        gap = abs(after - before)
        return gap > self.tolerance and gap > NOISE * max(abs(before), abs(after))

    def _letters(self) -> Iterator[Change]:
        back = {after: before for before, after in self.columns.items()}
        cells = [
            (row, column) for row, column in self.old.letters if row in self.rows and column in self.columns
        ]
        cells += [
            (row, back[column])
            for row, column in self.new.letters
            if row in self.rows and column in back and (row, back[column]) not in self.old.letters
        ]
        for row, column in cells:
            after_column = self.columns[column]
            before, after = (
                self.old.letters.get((row, column), ""),
                self.new.letters.get((row, after_column), ""),
            )
            if self._named(before, self.old) != self._named(after, self.new):
                where = {"row": self.new.rows[row], "column": _name(after_column)}
                yield self._change("letters flipped", **where, figure="letters", before=before, after=after)

    def _named(self, letters: str, table: SavedTable) -> set[tuple[object, bool]]:
        """Return the columns that letters name, and whether each is a capital; without columns of one side only."""
        by_letter = {letter: column for column, letter in table.columns.items() if letter}
        two = any(len(letter) > 1 for letter in by_letter)
        parts = letters.split() if two else re.findall(r"\S", letters)
        changes: set[tuple[object, bool]] = set()
        for part in parts:
            column = by_letter.get(part.upper())
            if column is None:
                changes.add((part, True))  # a mark for higher or lower
                continue
            known = self.columns.get(column) if table is self.old else column
            if known is not None and known in self.columns.values():
                changes.add((known, part.isupper()))
        return changes

    def _change(self, kind: Kind, **where: Any) -> Change:
        return Change(kind=kind, table=self.new.id, **where)


def _base(table: SavedTable, column: ColumnKey) -> float | None:
    """Return the first base of a column."""
    bases = (value for (_, name, figure), value in table.values.items() if name == column and figure in BASES)
    return next(bases, None)


def _name(column: ColumnKey) -> str:
    return f"{column[0]}: {column[1]}" if column[0] else column[1]
