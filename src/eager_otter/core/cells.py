"""Banner columns as cells: one small number per respondent stands for all columns that the person is in.

A *cell* is a distinct pattern of memberships that occurs in the data. A respondent is in exactly one cell
of a set, so counting needs one pass however many columns there are, and columns that overlap, nest or
leave people out need no special case: a 0/1 matrix (columns × cells) tells which cells make up a column.

Where columns overlap in so many ways that most people have a pattern of their own, as the brands of a long list do, a
*member set* counts each column and each pair of columns by itself instead.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

import numpy as np

from eager_otter.core.arrays import BoolArray, CodeArray, FloatArray, IntArray, smallest_unsigned

USUAL_CELLS = 64  # groups are merged into one set while it stays this small: the fastest by measurement
MOST_CELLS = 4096  # a single group with more patterns than this is counted by members
BLOCK = 32_768  # respondents at a time: what one pass needs stays in the processor's cache
MEMBER_BLOCK = 4096  # the same where each has many entries


@dataclass(frozen=True, slots=True, eq=False)
class ColumnGroup:
    """Columns that belong together and may be tested against each other.

    `cell` (respondents,) holds a pattern number; `members` (columns, patterns) is True where people with
    that pattern are in the column.
    """

    cell: CodeArray
    members: BoolArray

    def __post_init__(self) -> None:
        if self.cell.ndim != 1 or self.members.ndim != 2:
            raise ValueError("A column group takes one pattern number per respondent and a two-way table.")
        if self.cell.size and int(self.cell.max()) >= self.members.shape[1]:
            raise ValueError("A respondent has a pattern number beyond the table of patterns.")


def group_from_memberships(inside: BoolArray) -> ColumnGroup:
    """Make a group from who is in which column: `inside` (columns, respondents), overlaps allowed.

    >>> group = group_from_memberships(np.array([[True, False, True], [True, False, False]]))
    >>> group.cell.tolist(), group.members.astype(int).tolist()
    ([2, 0, 1], [[0, 1, 1], [0, 0, 1]])
    """
    columns, respondents = inside.shape
    cell: IntArray = np.zeros(respondents, np.int64)
    patterns: BoolArray = np.zeros((0, 1), np.bool_)
    for row in inside:
        cell, kept = _renumber(cell * 2 + row, 2 * patterns.shape[1])
        patterns = np.vstack([patterns[:, kept // 2], (kept % 2 == 1)[None, :]])
    return ColumnGroup(cell.astype(smallest_unsigned(patterns.shape[1])), patterns.reshape(columns, -1))


@dataclass(frozen=True, slots=True, eq=False)
class Entries:
    """Entries to add up: that of each respondent of `people`, places within a block, goes to a `cell`; both (entries,).

    `people` None means everyone in the block, in order.
    """

    people: IntArray | None
    cell: IntArray

    def of(self, values: Any) -> Any:
        """Return the values (block,) of the people: (entries,)."""
        return values if self.people is None else values[self.people]


@dataclass(frozen=True, slots=True, eq=False)
class CellSet:
    """Some columns of a banner over one cell number per respondent.

    `columns` (k,) are positions in the banner, `members` (k, cells) is 0/1, and `pairs` (p, 2) are the
    banner positions of the pairs of columns that this set compares and that share at least one cell.
    """

    cell: CodeArray
    columns: IntArray
    members: FloatArray
    pairs: IntArray
    block: ClassVar[int] = BLOCK

    @property
    def cells(self) -> int:
        """How many distinct patterns occur."""
        return int(self.members.shape[1])

    def entries(self, block: slice) -> Entries:
        """List what a block of respondents adds to: one cell each."""
        return Entries(None, self.cell[block].astype(np.intp))

    def in_both(self, members: FloatArray) -> FloatArray:
        """Return which cells are in both columns of each pair: (cells, pairs); `members` are those of a tally."""
        place = {int(column): k for k, column in enumerate(self.columns)}
        first, second = ([place[int(column)] for column in side] for side in self.pairs.T)
        return np.ascontiguousarray((members[first] * members[second]).T)

    def inside(self, place: int) -> BoolArray:
        """Return who is in a column, by its place among `columns`: (respondents,)."""
        return np.asarray(self.members[place][self.cell] > 0)

    def shares(self, places: Sequence[int]) -> bool:
        """Return whether someone is in two of some columns, by their places among `columns`."""
        return len(places) > 1 and bool((self.members[list(places)].sum(axis=0) > 1).any())


@dataclass(frozen=True, slots=True, eq=False)
class MemberSet:
    """Some columns of a banner, each of which is a cell of its own, and so is each pair that is compared.

    `columns` and `pairs` are as in `CellSet`; `group` tells who is in which column, `compared` (c, 2) are all pairs
    that are compared, whether they share anyone or not. A respondent adds to a cell for each column and each compared
    pair that holds the person.
    """

    group: ColumnGroup
    columns: IntArray
    pairs: IntArray
    compared: IntArray
    block: ClassVar[int] = MEMBER_BLOCK

    @property
    def cells(self) -> int:
        """How many columns and compared pairs there are."""
        return len(self.columns) + len(self.compared)

    @property
    def members(self) -> FloatArray:
        """The cell of each column, and then of each compared pair: the identity (cells, cells)."""
        return np.eye(self.cells)

    def entries(self, block: slice) -> Entries:
        """List what a block of respondents adds to: a cell for each column and pair that a person is in."""
        inside = self.group.members[:, self.group.cell[block]]
        people = [np.flatnonzero(row) for row in inside]
        people += [np.flatnonzero(inside[a] & inside[b]) for a, b in self.compared - self.columns[0]]
        cell = np.repeat(np.arange(self.cells), [each.size for each in people])
        return Entries(np.concatenate(people), cell)

    def in_both(self, members: FloatArray) -> FloatArray:
        """Return which cells are in both columns of each pair: (cells, pairs)."""
        place = {pair: k for k, pair in enumerate(map(tuple, self.compared.tolist()), len(self.columns))}
        return np.ascontiguousarray(members[[place[a, b] for a, b in self.pairs.tolist()]].T)

    def inside(self, place: int) -> BoolArray:
        """Return who is in a column, by its place among `columns`: (respondents,)."""
        return np.asarray(self.group.members[place][self.group.cell])

    def shares(self, places: Sequence[int]) -> bool:
        """Return whether someone is in two of some columns that are compared, by their places among `columns`."""
        wanted = np.isin(self.pairs, self.columns[list(places)])
        return bool(wanted.all(axis=1).any())


@dataclass(frozen=True, slots=True, eq=False)
class ColumnCells:
    """A whole banner as cell sets. Column 0 is the Total: everyone, in a column or not."""

    sets: tuple[CellSet | MemberSet, ...]
    columns: int
    respondents: int

    def overlapping(self) -> IntArray:
        """List the compared pairs of columns that someone is in together: (pairs, 2)."""
        return np.concatenate([cells.pairs for cells in self.sets])


def make_cells(
    groups: Sequence[ColumnGroup], respondents: int, compared: IntArray | None = None
) -> ColumnCells:
    """Merge column groups into few cell sets; the columns are numbered 1, 2 … in the order of the groups.

    `compared` (pairs, 2) are the columns whose pair sums are wanted, each pair within a group; None for all.
    Raises ValueError when a group is not as long as `respondents`.
    """
    for group in groups:
        if group.cell.size != respondents:
            raise ValueError(f"A column group covers {group.cell.size} respondents, not {respondents}.")
    everyone = ColumnGroup(np.zeros(respondents, np.uint8), np.ones((1, 1), np.bool_))
    open_set = _Draft(everyone, np.zeros(1, np.int64), np.zeros((0, 2), np.int64))
    done: list[_Draft] = []
    by_member: list[MemberSet] = []
    position = 1
    wanted = _wanted(groups, compared)
    for group in groups:
        columns = position + np.arange(len(group.members))
        pairs = _sharing_pairs(group.members, columns, wanted)
        position += len(group.members)
        if group.members.shape[1] > MOST_CELLS:
            by_member.append(MemberSet(group, columns, pairs, _all_pairs(columns, wanted)))
            continue
        piece = _Draft(group, columns, pairs)
        merged = open_set.merged(piece)
        if merged is None:
            done.append(open_set)
            open_set = piece
        else:
            open_set = merged
    return ColumnCells(
        (*(draft.finished() for draft in [*done, open_set]), *by_member), position, respondents
    )


def _wanted(groups: Sequence[ColumnGroup], compared: IntArray | None) -> BoolArray | None:
    """Return which columns are compared, either way round: (columns, columns); None for all."""
    if compared is None:
        return None
    columns = 1 + sum(len(group.members) for group in groups)
    wanted = np.zeros((columns, columns), np.bool_)
    wanted[compared[:, 0], compared[:, 1]] = wanted[compared[:, 1], compared[:, 0]] = True
    return wanted


@dataclass(frozen=True, slots=True, eq=False)
class _Draft:
    group: ColumnGroup
    columns: IntArray
    pairs: IntArray

    def merged(self, other: _Draft) -> _Draft | None:
        """Join two sets, or give None when the result would have more cells than is fast."""
        mine, theirs = self.group.members.shape[1], other.group.members.shape[1]
        product = self.group.cell.astype(np.int64) * theirs + other.group.cell
        cell, kept = _renumber(product, mine * theirs)
        if kept.size > USUAL_CELLS:
            return None
        members = np.vstack([self.group.members[:, kept // theirs], other.group.members[:, kept % theirs]])
        return _Draft(
            ColumnGroup(cell.astype(smallest_unsigned(kept.size)), members),
            np.concatenate([self.columns, other.columns]),
            np.concatenate([self.pairs, other.pairs]),
        )

    def finished(self) -> CellSet:
        return CellSet(self.group.cell, self.columns, self.group.members.astype(np.float64), self.pairs)


def _all_pairs(columns: IntArray, wanted: BoolArray | None) -> IntArray:
    """List the pairs of some columns that are compared: (pairs, 2)."""
    size = len(columns)
    chosen = np.ones((size, size), np.bool_) if wanted is None else wanted[np.ix_(columns, columns)]
    return columns[np.stack(np.nonzero(np.triu(chosen, 1)), axis=1)]


def _sharing_pairs(members: BoolArray, columns: IntArray, wanted: BoolArray | None) -> IntArray:
    shared = members.astype(np.float64) @ members.T.astype(np.float64)
    if wanted is not None:
        shared *= wanted[np.ix_(columns, columns)]
    first, second = np.nonzero(np.triu(shared, 1))
    return np.stack([columns[first], columns[second]], axis=1)


def _renumber(numbers: IntArray, size: int) -> tuple[IntArray, IntArray]:
    """Renumber values 0 … size-1 without gaps: the new numbers, and the old value of each new number."""
    if size > 1 << 22:
        kept, renumbered = np.unique(numbers, return_inverse=True)
        return renumbered.reshape(-1), kept
    kept = np.flatnonzero(np.bincount(numbers, minlength=size))
    new_number = np.zeros(size, np.int64)
    new_number[kept] = np.arange(kept.size)
    return new_number[numbers], kept


def join_patterns(members: Sequence[FloatArray]) -> tuple[FloatArray, list[IntArray]]:
    """Put the patterns of several sets of the same columns into one: the union, and where each set's cells go."""
    patterns: dict[bytes, int] = {}
    places = [
        np.array([patterns.setdefault(column.tobytes(), len(patterns)) for column in table.T], np.int64)
        for table in members
    ]
    rows = members[0].shape[0]
    union = np.array([np.frombuffer(key) for key in patterns]).reshape(len(patterns), rows).T
    return np.ascontiguousarray(union), places


def column_membership(cells: ColumnCells, column: int) -> BoolArray:
    """Return who is in a column: (respondents,)."""
    for part in cells.sets:
        places = np.flatnonzero(part.columns == column)
        if places.size:
            return part.inside(int(places[0]))
    raise ValueError(f"No column number {column}; the banner has {cells.columns}.")
