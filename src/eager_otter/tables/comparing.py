"""The pairs of columns that are compared, and the place of each outcome."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import field
from itertools import combinations
from typing import assert_never

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.dataclass import dataclass
from eager_otter.tables.request import Against

NOWHERE = -1


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Leaf:
    """The columns under one head that may be tested, by place, and what they are tested against.

    `rest` gives the column that holds the rest of each, `control` the one column all are tested against, `year_before`
    the column of the wave a year before each.
    """

    block: int
    columns: tuple[int, ...]
    against: Against
    all_parents: bool
    rest: Mapping[int, int]
    control: int
    year_before: Mapping[int, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Comparisons:
    """The pairs of columns that are tested.

    `pairs` (pairs, 2) are places among the columns counted. `family` (pairs,) numbers the group that a correction for
    many comparisons takes together. `at` (pairs,) is the column that carries the mark for higher or lower, or -1 where
    the higher column carries the other's letter. `against` names what each pair is: (pairs,).
    """

    pairs: IntArray
    family: IntArray
    at: IntArray
    against: tuple[Against, ...]

    def __len__(self) -> int:
        return len(self.pairs)

    def idle(self, base: FloatArray) -> BoolArray:
        """Return which pairs are no comparison where a question has this base (columns,): (pairs,).

        Against the previous column, each column is compared with the nearest before it in which somebody is.
        """
        idle = np.zeros(len(self.pairs), np.bool_)
        settled: set[int] = set()  # pairs of a column are nearest first
        for k, (at, other) in enumerate(zip(self.at.tolist(), self.pairs[:, 1].tolist(), strict=True)):
            if self.against[k] != "previous":
                continue
            if at in settled or base[at] == 0 or base[other] == 0:
                idle[k] = True
            else:
                settled.add(at)
        return idle

    @property
    def letters(self) -> bool:
        """Whether any pair gives letters."""
        return bool((self.at == NOWHERE).any())

    @property
    def marks(self) -> bool:
        """Whether any pair gives marks for higher and lower."""
        return bool((self.at != NOWHERE).any())


def compare(leaves: Sequence[Leaf], differences: Sequence[tuple[int, int, int]]) -> Comparisons:
    """List all comparisons of a banner; `differences` are (column that shows it, column, column taken off)."""
    comparisons: list[tuple[int, int, int, int, Against]] = []  # first, second, family, at, against
    for leaf in leaves:
        comparisons += [(a, b, leaf.block, at, leaf.against) for a, b, at in _within(leaf)]
    comparisons += _across(leaves)
    families = 1 + max((leaf.block for leaf in leaves), default=0)
    comparisons += [(a, b, families + k, at, "column") for k, (at, a, b) in enumerate(differences)]
    numbers = np.array([entry[:4] for entry in comparisons], np.int64).reshape(-1, 4)
    return Comparisons(
        pairs=numbers[:, :2],
        family=numbers[:, 2],
        at=numbers[:, 3],
        against=tuple(entry[4] for entry in comparisons),
    )


def _within(leaf: Leaf) -> list[tuple[int, int, int]]:
    """List the comparisons under one head: first, second, and where the mark is."""
    columns = leaf.columns
    match leaf.against:
        case "each other" if not leaf.all_parents:
            return [(a, b, NOWHERE) for a, b in combinations(columns, 2)]
        case "rest" | "total":
            return [(k, leaf.rest[k], k) for k in columns]
        case "previous":
            return [(b, a, b) for k, b in enumerate(columns) for a in reversed(columns[:k])]
        case "year before":
            return [(k, leaf.year_before[k], k) for k in columns if k in leaf.year_before]
        case "first":
            return [(k, columns[0], k) for k in columns[1:]]
        case "column":
            return [(k, leaf.control, k) for k in columns if leaf.control not in (k, NOWHERE)]
        case "each other" | "nothing":
            return []  # of all parents: in _across
        case _:
            assert_never(leaf.against)


def _across(leaves: Sequence[Leaf]) -> list[tuple[int, int, int, int, Against]]:
    """List the comparisons of all columns of a nesting with each other, whatever their parent."""
    comparisons: list[tuple[int, int, int, int, Against]] = []
    blocks = dict.fromkeys(leaf.block for leaf in leaves)
    for block in blocks:
        columns = [
            k
            for leaf in leaves
            if leaf.block == block and leaf.against == "each other" and leaf.all_parents
            for k in leaf.columns
        ]
        comparisons += [(a, b, block, NOWHERE, "each other") for a, b in combinations(columns, 2)]
    return comparisons
