"""The headings of columns: one row of names, or two of which the second says more; repeated ones told apart."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field

from eager_otter.data.remark import Remark, named
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import said

ROWS_LOOKED_AT = 200
FEWEST_VALUES = 5  # below a cell that may be a heading
FEWEST_COLUMNS = 3
SHARE_OF_COLUMNS = 0.8
HEADING_COUNTED = "heading counted as a respondent"
REPEATED = said(
    "{count} {count:column has|columns have} the heading of another, or none, and {count:is|are} told apart by a "
    "number ({where})."
)
RESPONDENT = said(
    "The first row of the data looks like a second row of headings, and is counted as a respondent."
)


@dataclass(frozen=True, slots=True)
class Headings:
    """The names of columns, each its own, and what stands above it row by row, by name.

    `repeated` are names that were told apart from an earlier column with the same heading.
    """

    names: tuple[str, ...]
    rows: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    repeated: tuple[str, ...] = ()
    respondent: bool = False  # whether the first respondent looks like a row of headings

    def remarks(self) -> Iterator[Remark]:
        """Tell what was noticed."""
        if self.repeated:
            yield Remark(
                slip="heading stands twice",
                text=REPEATED,
                values={"count": len(self.repeated), "where": named([repr(name) for name in self.repeated])},
                remedy="Check in the codebook that each question names the column that is meant.",
                columns=self.repeated,
                count=len(self.repeated),
                of_tables=False,
            )
        if self.respondent:
            yield Remark(
                slip=HEADING_COUNTED,
                text=RESPONDENT,
                remedy="Write heading rows: 2 beside the file in the plan's data, or take the row out.",
                count=1,
                severe=True,
            )


def read_headings(rows: Sequence[Sequence[str]], count: int | None, place: str) -> Headings:
    """Name the columns of a table from its first `rows`, of which `count` are headings (None: one).

    Where the first of two rows says something of each column, it names them; else names are put together of both,
    and a blank heading in the first is that of the column before, as merged cells are exported. Raises DataError for
    two rows of which one is not there.
    """
    if count == 2:
        if len(rows) < 2:
            raise DataError(f"{place}: has no second row of headings; leave heading rows out.")
        width = max(len(rows[0]), len(rows[1]))
        first, second = (
            [*(text.strip() for text in row), *[""] * (width - len(row))][:width] for row in rows[:2]
        )
        while width and not first[width - 1] and not second[width - 1]:
            width -= 1
        first, second = first[:width], second[:width]
        if all(first):
            texts = [first, second]
        else:
            carried = ""
            for k, text in enumerate(first):
                carried = text or carried
                first[k] = carried if second[k] or text else ""
            texts = [
                [" - ".join(part for part in pair if part) for pair in zip(first, second, strict=True)],
                first,
                second,
            ]
        names, repeated = told_apart(texts[0])
        parts = list(zip(*texts[-2:], strict=True))
        return Headings(tuple(names), dict(zip(names, parts, strict=True)), tuple(repeated))
    names, repeated = told_apart(list(rows[0]) if rows else [])
    looks = count is None and looks_like_headings(rows)
    return Headings(tuple(names), {}, tuple(repeated), looks)


def told_apart(names: Sequence[str]) -> tuple[list[str], list[str]]:
    """Put a number behind names that stand twice, and name blank ones; returns all, and those that were named.

    >>> told_apart(["Heard of", "Heard of", "Age", "Heard of"])
    (['Heard of', 'Heard of (2)', 'Age', 'Heard of (3)'], ['Heard of (2)', 'Heard of (3)'])
    """
    taken, seen = set(names), set[str]()
    own: list[str] = []
    repeated: list[str] = []
    for k, heading in enumerate(names, 1):
        name = heading or f"column {k}"
        if not heading or heading in seen:
            number = 2
            base = name
            while name in taken:
                name, number = f"{base} ({number})", number + 1
            taken.add(name)
            repeated.append(name)
        seen.add(heading)
        own.append(name)
    return own, repeated


def looks_like_headings(rows: Sequence[Sequence[str]]) -> bool:
    """Return whether the second of some rows holds headings: words above numbers, or above other answers."""
    if len(rows) < 2 + FEWEST_VALUES:
        return False
    below = rows[2 : 2 + ROWS_LOOKED_AT]
    headings = columns = 0
    for k, text in enumerate(rows[1]):
        left = len(rows[1]) - k
        if headings + left < SHARE_OF_COLUMNS * (columns + left):
            return False  # whatever the others are
        cell = text.strip()
        values = [value for row in below if k < len(row) and (value := row[k].strip())]
        distinct = {value.casefold() for value in values}
        if (
            not cell or len(values) < FEWEST_VALUES or distinct == {cell.casefold()}
        ):  # it may be its own answer
            continue
        if number_of(cell) is not None or cell.casefold() in distinct:
            columns += 1
        elif all(number_of(value) is not None for value in values) or len(distinct) <= len(values) / 3:
            columns, headings = columns + 1, headings + 1
    return columns >= FEWEST_COLUMNS and headings >= SHARE_OF_COLUMNS * columns
