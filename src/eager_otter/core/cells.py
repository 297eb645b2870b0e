"""Banner columns as cells: one small number per respondent stands for all columns that the person is in.

A *cell* is a distinct pattern of memberships that occurs in the data. A respondent is in exactly one cell
of a set, so counting needs one pass however many columns there are, and columns that overlap, nest or
leave people out need no special case: a 0/1 matrix (columns × cells) tells which cells make up a column.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.core.arrays import BoolArray, CodeArray, FloatArray, IntArray, chosen_by, smallest_unsigned
from eager_otter.dataclass import dataclass

USUAL_CELLS = (
    192  # groups are merged into one set while it can have no more cells: the fastest by measurement
)
MOST_CELLS = 4096  # a single group that can have more patterns than this is cut into pieces
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


@dataclass(frozen=True, slots=True, eq=False)
class PlannedSet:
    """The columns that one set of cells will hold, whatever the data: the same set for every part of the data.

    `parts` are group numbers (−1: everyone) with places of columns within the group, None for all of them; `columns`
    (k,) are their positions in the banner, `pairs` (p, 2) those of the pairs of columns that the set compares.
    """

    parts: tuple[tuple[int, IntArray | None], ...]
    columns: IntArray
    pairs: IntArray


def plan_sets(groups: Sequence[tuple[int, int]], compared: IntArray | None = None) -> tuple[PlannedSet, ...]:
    """Plan the sets of cells of a banner from what is possible, not from what some data hold.

    `groups` are numbers of columns and of patterns that can occur, of each group of the banner; `compared` (pairs, 2)
    are the columns whose pair sums are wanted, each pair within a group; None for all.
    """
    none = np.zeros((0, 2), np.int64)
    done: list[PlannedSet] = []
    open_set, cells, position = PlannedSet(((EVERYONE, None),), np.zeros(1, np.int64), none), 1, 1
    ordered = None if compared is None else _different(compared.reshape(-1, 2))
    for number, (size, patterns) in enumerate(groups):
        pairs = _pairs_within(position, size, ordered)
        for piece, possible in _pieces(number, position, size, patterns, pairs):
            whole = piece.parts[0][1] is None
            if whole and cells * possible <= USUAL_CELLS:
                open_set, cells = _joined(open_set, piece), cells * possible
            else:
                done.append(open_set)
                open_set, cells = piece, possible if whole else USUAL_CELLS + 1
        position += size
    return (*done, open_set)


EVERYONE = -1


def _different(pairs: IntArray) -> IntArray:
    """Return the different pairs, in order, the lower number of each first; `numpy.unique` would load masked arrays."""
    each: IntArray = np.sort(pairs, axis=1)
    each = each[np.lexsort(each.T[::-1])]
    kept: BoolArray = np.append(True, np.any(each[1:] != each[:-1], axis=1))[: len(each)]
    different: IntArray = each[kept]
    return different


def _pairs_within(position: int, size: int, ordered: IntArray | None) -> IntArray:
    """List the compared pairs of a group of columns from a position on, in order: (pairs, 2)."""
    if ordered is None:
        return np.stack(np.triu_indices(size, 1), axis=1) + position
    first, last = np.searchsorted(ordered[:, 0], [position, position + size])
    return ordered[first:last]


def _joined(one: PlannedSet, other: PlannedSet) -> PlannedSet:
    return PlannedSet(
        (*one.parts, *other.parts),
        np.concatenate([one.columns, other.columns]),
        np.concatenate([one.pairs, other.pairs]),
    )


def _pieces(
    number: int, position: int, size: int, patterns: int, pairs: IntArray
) -> Iterator[tuple[PlannedSet, int]]:
    """Give a group whole or, when it can have too many patterns, in pieces that hold every pair once.

    Each comes with how many patterns it can have.
    """
    if patterns <= max(MOST_CELLS, 2 * size) or size <= PIECE:  # columns that hardly overlap stay together
        columns = position + np.arange(size)
        yield PlannedSet(((number, None),), columns, pairs), min(patterns, 1 << size)
        return
    chunks = np.array_split(np.arange(size), -(-size // PIECE))
    chunk_of = np.repeat(np.arange(len(chunks)), [len(chunk) for chunk in chunks])
    sides = chunk_of[pairs - position]
    for a, first in enumerate(chunks):
        for b in range(a + 1, len(chunks)):
            inside = np.isin(sides, (a, b)).all(axis=1)
            within_first = (sides == a).all(axis=1) & (b == a + 1)
            within_last = (sides == b).all(axis=1) & (a == 0) & (b == len(chunks) - 1)
            new = inside & ((sides[:, 0] != sides[:, 1]) | within_first | within_last)
            if not new.any() and b != a + 1:
                continue
            chosen = np.concatenate([first, chunks[b]])
            yield PlannedSet(((number, chosen),), position + chosen, pairs[new]), 1 << len(chosen)


def make_cells(
    groups: Sequence[ColumnGroup],
    respondents: int,
    compared: IntArray | None = None,
    planned: Sequence[PlannedSet] | None = None,
) -> ColumnCells:
    """Put column groups into sets of cells; the columns are numbered 1, 2 … in the order of the groups.

    `compared` (pairs, 2) are the columns whose pair sums are wanted, each pair within a group; None for all. `planned`
    sets are those of `plan_sets`; None to plan them by the patterns of the groups.
    Raises ValueError when a group is not as long as `respondents`.
    """
    for group in groups:
        if group.cell.size != respondents:
            raise ValueError(f"A column group covers {group.cell.size} respondents, not {respondents}.")
    everyone = ColumnGroup(np.zeros(respondents, np.uint8), np.ones((1, 1), np.bool_))
    if planned is None:
        planned = plan_sets([group.members.shape for group in groups], compared)
    sets = []
    for wanted in planned:
        drawn: ColumnGroup | None = None
        for number, columns in wanted.parts:
            group = everyone if number == EVERYONE else groups[number]
            part = group if columns is None else _columns_of(group, columns)
            drawn = part if drawn is None else _merged(drawn, part)
        assert drawn is not None
        sets.append(cell_set(drawn.cell, drawn.members.astype(np.float64), wanted))
    return ColumnCells(tuple(sets), 1 + sum(len(group.members) for group in groups))


def cell_set(cell: CodeArray, members: FloatArray, planned: PlannedSet) -> CellSet:
    """Make a set of cells (respondents,) as planned, `members` (k, cells) of 0 and 1: its pairs share a cell."""
    places = np.searchsorted(planned.columns, planned.pairs)
    shared = (members @ members.T)[places[:, 0], places[:, 1]] > 0
    return CellSet(cell, planned.columns, members, planned.pairs[shared])


def _merged(one: ColumnGroup, other: ColumnGroup) -> ColumnGroup:
    """Put two groups into one, with the patterns that occur."""
    mine, theirs = one.members.shape[1], other.members.shape[1]
    cell, kept = _renumber(one.cell.astype(np.int64) * theirs + other.cell, mine * theirs)
    members = np.vstack([one.members[:, kept // theirs], other.members[:, kept % theirs]])
    return ColumnGroup(cell.astype(smallest_unsigned(kept.size)), members)


def _columns_of(group: ColumnGroup, chosen: IntArray) -> ColumnGroup:
    """Keep only the chosen columns, merging the patterns that no longer differ."""
    bits = 1 << np.arange(len(chosen))
    cell, kept = _renumber((bits @ group.members[chosen])[group.cell], 1 << len(chosen))
    return ColumnGroup(cell.astype(smallest_unsigned(kept.size)), (kept & bits[:, None]) > 0)


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
    first = members[0]
    if all(np.array_equal(first, other) for other in members[1:]):
        return first, [np.arange(first.shape[1])] * len(members)
    patterns: dict[bytes, int] = {}
    places = [
        np.array(
            [
                patterns.setdefault(column.tobytes(), len(patterns))
                for column in np.ascontiguousarray(table.T)
            ],
            np.int64,
        )
        for table in members
    ]
    union = np.array([np.frombuffer(key) for key in patterns]).reshape(len(patterns), first.shape[0]).T
    return np.ascontiguousarray(union), places


def column_membership(cells: ColumnCells, column: int) -> BoolArray:
    """Return who is in a column: (respondents,)."""
    for part in cells.sets:
        places = np.flatnonzero(part.columns == column)
        if places.size:
            return chosen_by(part.members[places[0]] > 0, part.cell)
    raise ValueError(f"No column number {column}; the banner has {cells.columns}.")
