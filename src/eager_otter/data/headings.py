"""The headings of columns: a row of names, or two or three that say more; repeated ones told apart."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field, replace
from itertools import pairwise, zip_longest

from eager_otter.data.remark import Remark, named
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import said

ROWS_LOOKED_AT = 200
FEWEST_VALUES = 5  # below a cell that may be a heading
FEWEST_COLUMNS = 3
SHARE_OF_COLUMNS = 0.8
WIDE = 5  # columns from which on a title may take two cells
MOST_ROWS = 3  # of headings
FOR_PROGRAMS = re.compile(r"\{.*\}", re.DOTALL)  # an object of JSON, as some exports write below each heading
HEADING_COUNTED = "heading counted as a respondent"
TITLE_ABOVE = "title read as headings"
TITLE_ROWS = 10  # that may stand above the headings
REPEATED = said(
    "{count} {count:column has|columns have} the heading of another, or none, and {count:is|are} told apart by a "
    "number ({where})."
)
RESPONDENTS = said(
    "{count} {count:row|rows} at the top of the data {count:looks|look} like headings, and {count:is|are} counted as "
    "{count:a respondent|respondents}."
)
LIKE_ANSWERS = said(
    "The first row, which names the columns, looks like a respondent who is not counted ({where})."
)
BELOW_A_TITLE = said("The headings seem to stand in row {row}, below a title, which was read as headings.")


@dataclass(frozen=True, slots=True)
class Headings:
    """The names of columns, each its own, and what stands above it row by row, by name.

    `repeated` are names that were told apart from an earlier column with the same heading, or that had none; `idle`
    those at the end of which nothing is seen, as lines that end in a delimiter make one. `count` is how many rows they
    are, and `more` how many rows of the data look like headings, too. `from_row` is the first row that they
    seem to stand in, where a title above them was read as headings; else 0. They `are_answers` where they look like the
    rows below them.
    """

    names: tuple[str, ...]
    rows: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    repeated: tuple[str, ...] = ()
    count: int = 1
    more: int = 0
    from_row: int = 0
    idle: tuple[str, ...] = ()
    are_answers: bool = False

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
        if self.from_row:
            yield Remark(
                slip=TITLE_ABOVE,
                text=BELOW_A_TITLE,
                values={"row": self.from_row},
                remedy=self.below_a_title(),
                count=self.from_row - 1,
                severe=True,
            )
        if self.are_answers:
            yield self.respondent()
        if self.more:
            yield Remark(
                slip=HEADING_COUNTED,
                text=RESPONDENTS,
                values={"count": self.more},
                remedy=f"Write heading rows: {self.count + self.more} beside the file in the plan's data, or take out "
                "what is no respondent.",
                count=self.more,
                severe=True,
            )

    def respondent(self) -> Remark:
        """Tell that the headings look like a respondent."""
        return Remark(
            slip="respondent read as headings",
            text=LIKE_ANSWERS,
            values={"where": named([repr(name) for name in self.names])},
            remedy="Put a row of names above the data, such as id, sex, age.",
            count=1,
            severe=True,
        )

    def below_a_title(self) -> str:
        """Say what to write where headings seem to stand below a title; "" where they do not."""
        return (
            f"Write headings from row: {self.from_row} beside the file in the plan's data."
            if self.from_row
            else ""
        )


def read_headings(rows: Sequence[Sequence[str]], count: int | None, place: str) -> Headings:
    """Name the columns of a table from its first `rows`, of which `count` are headings, at most three (None: one).

    Where the first of several rows says something of each column, it names them; else names are put together of all,
    and a blank heading above another is that of the column before, as merged cells are exported. A row that is for
    programs, an object of JSON in each cell, names nothing. Raises DataError for a row that is not there.
    """
    if count is not None and len(rows) < count:
        which = "second" if len(rows) < 2 else "third"
        raise DataError(f"{place}: has no {which} row of headings; leave heading rows out, or say fewer.")
    first, *others = rows[: count or 1] or [[]]
    told = [row for row in others if not is_for_programs(row)]
    texts = _texts(first, told) if told else [list(first)]
    names, repeated = told_apart(texts[0])
    parts = dict(zip(names, zip(*texts[-2:], strict=True), strict=True)) if told else {}
    more = heading_rows_of(rows) - 1 if count is None else int(is_for_programs(_row(rows, count)))
    idle = names[len(names) - _idle(texts, rows[count or 1 :]) :]
    left = set(idle)
    told_of = tuple(name for name in repeated if name not in left)
    answers = not told and count is None and look_like_answers(rows)
    return Headings(tuple(names), parts, told_of, count or 1, more, idle=tuple(idle), are_answers=answers)


def _idle(texts: Sequence[Sequence[str]], rows: Sequence[Sequence[str]]) -> int:
    """Count the columns at the end that have no heading, and nothing in some rows."""
    width = len(texts[0])
    if not width or any(row[-1].strip() for row in texts):
        return 0
    last = max(
        (k for row in (*texts, *rows) for k, cell in enumerate(row[:width], 1) if cell.strip()), default=0
    )
    return width - last


def _texts(first: Sequence[str], others: Sequence[Sequence[str]]) -> list[list[str]]:
    """Return the names of columns, and the two texts that each of them has, from two or three rows of headings."""
    width = max(len(row) for row in (first, *others))
    rows = [[*(text.strip() for text in row), *[""] * (width - len(row))] for row in (first, *others)]
    whole = all(first or not any(others) for first, *others in zip(*rows, strict=True))
    if len(rows) == MOST_ROWS:  # of three, the two that belong together become one
        rows = [rows[0], _joined(*rows[1:])] if whole else [_above(*rows), rows[2]]
    return rows if whole else [_joined(*rows), _carried(*rows), rows[1]]


def _above(first: Sequence[str], second: Sequence[str], third: Sequence[str]) -> list[str]:
    """Put two rows together that stand above a third; a blank in the second is carried below one heading only."""
    first = _carried(first, [one or other for one, other in zip(second, third, strict=True)])
    carried, heading, result = "", None, []
    for top, text in zip(first, second, strict=True):
        carried, heading = text or (carried if top == heading else ""), top
        result.append(_together(top, carried))
    return result


def _joined(upper: Sequence[str], lower: Sequence[str]) -> list[str]:
    """Put the texts of two rows together."""
    return [_together(*pair) for pair in zip(_carried(upper, lower), lower, strict=True)]


def _together(*parts: str) -> str:
    return " - ".join(part for part in parts if part)


def _carried(upper: Sequence[str], lower: Sequence[str]) -> list[str]:
    """Give a blank heading above another that of the column before, if that has one below it, too."""
    carried, result = "", []
    for text, below in zip(upper, lower, strict=True):
        result.append(text or (carried if below else ""))
        carried = text if text and below else "" if text else carried
    return result


def _row(rows: Sequence[Sequence[str]], number: int) -> Sequence[str]:
    return rows[number] if number < len(rows) else ()


def told_apart(names: Sequence[str]) -> tuple[list[str], list[str]]:
    """Put a number behind names that stand twice, and name blank ones; returns all, and those that were named.

    >>> told_apart(["Heard of", "Heard of", "Age", "Heard of"])
    (['Heard of', 'Heard of (2)', 'Age', 'Heard of (3)'], ['Heard of (2)', 'Heard of (3)'])
    """
    taken, seen = set(names), set[str]()
    own: list[str] = []
    repeated: list[str] = []
    last: dict[str, int] = {}  # the number that a name was last given
    for k, heading in enumerate(names, 1):
        name = heading or f"column {k}"
        if not heading or heading in seen:
            base, number = name, last.get(name, 1)
            while name in taken:
                number += 1
                name = f"{base} ({number})"
            last[base] = number
            taken.add(name)
            repeated.append(name)
        seen.add(heading)
        own.append(name)
    return own, repeated


def below_title(headings: Headings, rows: Sequence[Sequence[str]]) -> Headings:
    """Note in headings where they seem to stand, if what was read as such is a title; `rows` are all, blank too."""
    above = rows_above(rows)
    return replace(headings, from_row=above + 1, more=0) if above else headings


def rows_above(rows: Sequence[Sequence[str]]) -> int:
    """Return how many rows hold a title, or nothing, above the headings; 0 where there is no such title.

    >>> rows_above([["Spring"], [], ["id", "age", "area"], ["1", "31", "North"]])
    2
    >>> rows_above([["id", "age", "area"], ["1", "31", "North"]])
    0
    """
    looked_at = rows[:ROWS_LOOKED_AT]
    longest = max(map(len, looked_at), default=0)
    if longest < FEWEST_COLUMNS or sum(bool(cell.strip()) for cell in rows[0]) >= SHARE_OF_COLUMNS * longest:
        return 0  # as most often: the first row names most columns
    filled = [[text for cell in row if (text := cell.strip())] for row in looked_at]
    width = max(map(len, filled), default=0)
    if width < FEWEST_COLUMNS:
        return 0
    for k, (row, texts) in enumerate(zip(rows[: TITLE_ROWS + 1], filled, strict=False)):
        if len(texts) >= max(FEWEST_COLUMNS, SHARE_OF_COLUMNS * width):
            words = len(set(texts)) == len(texts) and all(number_of(text) is None for text in texts)
            return k if words and any(filled[:k]) else 0
        if texts and (not row[0].strip() or len(texts) > (1 if width < WIDE else 2)):
            return 0
    return 0


def heading_rows_of(rows: Sequence[Sequence[str]]) -> int:
    """Return how many of some rows are headings, as far as that can be told; the first always is."""
    for_programs = next((k for k in range(1, MOST_ROWS) if is_for_programs(_row(rows, k))), None)
    if for_programs is None:
        without_second = [*rows[:1], *rows[2:]]  # where the third is one, the second above it is
        return 3 if looks_like_headings(without_second) else 2 if looks_like_headings(rows) else 1
    others = [row for k, row in enumerate(rows) if k != for_programs]
    return max(for_programs + 1, 3 if looks_like_headings(others) else 2)


def is_for_programs(row: Sequence[str]) -> bool:
    """Return whether a row is one for programs: each cell, and more than one, holds an object of JSON.

    >>> is_for_programs(['{"id": 1}', '{"id": 2}', ""]), is_for_programs(["{a}", "b"])
    (True, False)
    """
    cells = [text for cell in row if (text := cell.strip())]
    return len(cells) > 1 and all(map(FOR_PROGRAMS.fullmatch, cells))


def look_like_answers(rows: Sequence[Sequence[str]]) -> bool:
    """Return whether the first of some rows is a respondent's: nearly all of its cells stand below it, too.

    Numbers above numbers count, but not where they only ascend, as codes of answers do that name columns of ticks.
    """
    if len(rows) < 1 + FEWEST_VALUES:
        return False
    below = _columns(rows[1 : 1 + ROWS_LOOKED_AT])
    cells = zip(map(str.strip, rows[0]), below, strict=False)
    named = [(cell, column) for cell, column in cells if cell]
    others = columns = words = 0
    for cell, column in named:
        if others > (1 - SHARE_OF_COLUMNS) * len(named):
            return False  # as most often: names are no answers
        columns += 1
        values = [value for value in map(str.strip, column) if value]
        if number_of(cell) is not None and values:
            others += any(number_of(value) is None for value in values)
        else:
            alike = {value.casefold() for value in values}
            fits = cell.casefold() in alike and len(values) >= FEWEST_VALUES
            others, words = others + (not fits), words + fits
    numbers = [number for cell, _ in named if (number := number_of(cell)) is not None]
    ascend = all(one < other for one, other in pairwise(numbers))
    enough = columns >= FEWEST_COLUMNS and others <= (1 - SHARE_OF_COLUMNS) * columns
    return enough and (words > 1 or (len(numbers) > 1 and not ascend))


def _columns(rows: Sequence[Sequence[str]]) -> list[tuple[str, ...]]:
    """Turn rows into columns, blank where a row is short."""
    return list(zip_longest(*rows, fillvalue=""))


def looks_like_headings(rows: Sequence[Sequence[str]]) -> bool:
    """Return whether the second of some rows holds headings: words above numbers, or above other answers."""
    if len(rows) < 2 + FEWEST_VALUES:
        return False
    below = _columns(rows[2 : 2 + ROWS_LOOKED_AT])
    headings = columns = 0
    for k, text in enumerate(rows[1]):
        left = len(rows[1]) - k
        if headings + left < SHARE_OF_COLUMNS * (columns + left):
            return False  # whatever the others are
        cell = text.strip()
        values = [value for value in map(str.strip, below[k] if k < len(below) else ()) if value]
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
