"""Banner columns as cells: one small number per respondent stands for all columns that the person is in.

A *cell* is a distinct pattern of memberships that occurs in the data. A respondent is in exactly one cell
of a set, so counting needs one pass however many columns there are, and columns that overlap, nest or
leave people out need no special case: a 0/1 matrix (columns × cells) tells which cells make up a column.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from eager_otter.core.arrays import BoolArray, CodeArray, FloatArray, IntArray, smallest_unsigned

USUAL_CELLS = 64  # groups are merged into one set while it stays this small: the fastest by measurement
MOST_CELLS = 4096  # a single group with more patterns than this is cut into pieces
PIECE = 4  # columns of a piece that is set beside another: 256 patterns at most, which stay in the processor's cache


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
class CellSet:
    """Some columns of a banner over one cell number per respondent.

    `columns` (k,) are positions in the banner, `members` (k, cells) is 0/1, and `pairs` (p, 2) are the
    banner positions of the pairs of columns that this set compares and that share at least one cell.
    """

    cell: CodeArray
    columns: IntArray
    members: FloatArray
    pairs: IntArray

    @property
    def cells(self) -> int:
        """How many distinct patterns occur."""
        return int(self.members.shape[1])


@dataclass(frozen=True, slots=True, eq=False)
class ColumnCells:
    """A whole banner as cell sets. Column 0 is the Total: everyone, in a column or not."""

    sets: tuple[CellSet, ...]
    columns: int

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
    position = 1
    wanted = _wanted(groups, compared)
    for group in groups:
        for piece in _pieces(group, position, wanted):
            merged = open_set.merged(piece)
            if merged is None:
                done.append(open_set)
                open_set = piece
            else:
                open_set = merged
        position += len(group.members)
    return ColumnCells(tuple(draft.finished() for draft in [*done, open_set]), position)


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


def _pieces(group: ColumnGroup, position: int, wanted: BoolArray | None) -> Iterable[_Draft]:
    """Return the group whole, or, when it has too many patterns, in pieces that hold every pair once."""
    columns = position + np.arange(len(group.members))
    if group.members.shape[1] <= MOST_CELLS or len(columns) <= PIECE:
        yield _Draft(group, columns, _sharing_pairs(group.members, columns, wanted))
        return
    chunks = np.array_split(np.arange(len(columns)), -(-len(columns) // PIECE))
    for a, first in enumerate(chunks):
        for b in range(a + 1, len(chunks)):
            chosen = np.concatenate([first, chunks[b]])
            part = _columns_of(group, chosen)
            pairs = _sharing_pairs(part.members, columns[chosen], wanted)
            inside = np.isin(pairs, columns[first]).sum(axis=1)
            across, within_first, within_last = inside == 1, inside == 2, inside == 0
            new = across | (within_first & (b == a + 1)) | (within_last & (a == 0) & (b == len(chunks) - 1))
            yield _Draft(part, columns[chosen], pairs[new])


def _columns_of(group: ColumnGroup, chosen: IntArray) -> ColumnGroup:
    """Keep only the chosen columns, merging the patterns that no longer differ."""
    bits = 1 << np.arange(len(chosen))
    cell, kept = _renumber((bits @ group.members[chosen])[group.cell], 1 << len(chosen))
    return ColumnGroup(cell.astype(smallest_unsigned(kept.size)), (kept & bits[:, None]) > 0)


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
            return np.asarray(part.members[places[0]][part.cell] > 0)
    raise ValueError(f"No column number {column}; the banner has {cells.columns}.")
