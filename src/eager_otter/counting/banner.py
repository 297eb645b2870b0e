"""From a banner as wanted to its columns, letters and comparisons."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import cached_property
from math import prod

import numpy as np

from eager_otter.codebook.model import Codebook
from eager_otter.core.arrays import IntArray
from eager_otter.counting.laying import LaidBlock, LaidColumn, Member, laid_block
from eager_otter.counting.points import check_only, points_of
from eager_otter.dataclass import dataclass
from eager_otter.errors import RequestError
from eager_otter.looks.words import said
from eager_otter.tables.base_rules import with_differences
from eager_otter.tables.comparing import Comparisons, compare
from eager_otter.tables.request import Banner, BannerGroup, ColumnRules
from eager_otter.tables.table import Column, Group

TOTAL = said("Total")
MOST_COLUMNS = 5_000


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Block:
    """The columns of one entry of a banner: a simple group, or a nesting with all its combinations.

    `members` has an entry per column. The memberships they point to are those of the points, path by path, then of
    the `parents` (places of the outer levels, a tuple per prefix of a path), then of a `control` (block, place) that
    is elsewhere in the banner.
    """

    wanted: BannerGroup
    members: tuple[Member, ...]
    parents: tuple[tuple[int, ...], ...] = ()
    control: tuple[int, int] | None = None


@dataclass(frozen=True, kw_only=True, eq=False)
class BannerColumns:
    """The columns of a banner as they are counted, Total first, and the comparisons between them.

    `shown` gives the order in which the columns are in a table; the Total may be last, or not there, and hidden
    columns (controls, the rest, parents of a nesting) are not there. `parents` (columns,) per level of the deepest
    nesting gives the counted column that holds all of a column's outer answer at that level, -1 where there is none.
    """

    columns: tuple[Column, ...]
    groups: tuple[Group, ...]
    comparisons: Comparisons
    shown: tuple[int, ...]
    blocks: tuple[Block, ...]
    parents: tuple[tuple[int, ...], ...] = ()

    @cached_property
    def difference_pairs(self) -> tuple[IntArray, IntArray]:
        """The pairs of columns whose difference is shown (p, 2), and the places of the columns that show them (p,)."""
        places = [k for k, column in enumerate(self.columns) if column.difference is not None]
        pairs = [self.columns[k].difference for k in places]
        return np.array(pairs, np.int64).reshape(-1, 2), np.array(places, np.int64)

    @cached_property
    def trends(self) -> tuple[tuple[int, tuple[int, ...]], ...]:
        """The columns of trends: each with the columns that it runs over, in their order."""
        return tuple(
            (k, tuple(c for c in range(group.start, group.stop) if self.columns[c].compared))
            for group in self.groups
            for k in range(group.start, group.stop)
            if self.columns[k].role == "trend"
        )

    def judged(self, marks: IntArray) -> IntArray:
        """Return the marks (columns,) of columns judged by their bases: a difference has the severer, a trend none."""
        judged = with_differences(marks, self.difference_pairs)
        judged[[k for k, _ in self.trends]] = 0
        return judged

    def lettered_blocks(self) -> Iterator[tuple[Block, list[int]]]:
        """Go through the blocks, each with the places of its lettered columns: those that a table can compare."""
        start = 1
        for block in self.blocks:
            inside = range(start, start + len(block.members))
            yield block, [k for k in inside if self.columns[k].compared]
            start += len(block.members)

    @property
    def two_letter_names(self) -> bool:
        """Whether the banner runs past Z."""
        return any(len(column.letter) > 1 for column in self.columns)


def lay_out(banner: Banner, codebook: Codebook, rules: ColumnRules | None = None) -> BannerColumns:
    """Name and letter the columns of a banner. Raises UnknownName, RequestError, ExpressionError; needs no data."""
    blocks = _blocks(banner, codebook, rules or ColumnRules())
    for block in blocks:
        block.find_control(blocks)
        block.add_rest()
    laid = [column for block in blocks for column in block.columns]
    if len(laid) > 3 * MOST_COLUMNS:
        raise RequestError("The banner and its tests have too many columns; keep fewer answers.")
    for number, column in enumerate(laid, 1):
        column.number = number
    columns = (Column(label=TOTAL, fixed=TOTAL, role="total"), *(column.settled() for column in laid))
    heads = [head for block in blocks for head in block.heads]
    leaves = [leaf for number, block in enumerate(blocks) for leaf in block.leaves(number)]
    return BannerColumns(
        columns=columns,
        groups=tuple(head.settled() for head in heads),
        comparisons=compare(leaves, _differences(laid)),
        shown=_shown(banner, columns),
        blocks=tuple(_settled(block, blocks) for block in blocks),
        parents=_parent_levels(blocks, len(columns)),
    )


def _blocks(banner: Banner, codebook: Codebook, rules: ColumnRules) -> list[LaidBlock]:
    """Lay the entries of a banner out, letters running on."""
    blocks: list[LaidBlock] = []
    lettered = size = 0
    for wanted in banner.groups:
        check_only(wanted, codebook)
        levels = [points_of(level, codebook) for level in levels_of(wanted)]
        for level in wanted.nest:
            check_only(level, codebook)
        size += prod(len(level) for level in levels)
        if size > MOST_COLUMNS:
            raise RequestError(
                f"The banner has {size:,} columns; at most {MOST_COLUMNS:,} fit. Nest or keep fewer answers."
            )
        blocks.append(laid_block(wanted, levels, codebook, rules, lettered))
        lettered += sum(len(head.tested) for head in blocks[-1].heads)
    return blocks


def levels_of(wanted: BannerGroup) -> tuple[BannerGroup, ...]:
    """Return the levels of a nesting, the innermost with what the nesting hides; a simple group is its own only one."""
    if not wanted.nest:
        return (wanted,)
    inner = wanted.nest[-1]
    return (*wanted.nest[:-1], replace(inner, hide=(*inner.hide, *wanted.hide)))


def _differences(laid: Sequence[LaidColumn]) -> list[tuple[int, int, int]]:
    """List the columns that show a difference: its number, and those of its two."""
    return [
        (column.number, column.minus[0].number, column.minus[1].number)
        for column in laid
        if column.minus is not None
    ]


def _shown(banner: Banner, columns: Sequence[Column]) -> tuple[int, ...]:
    """Return the order in which the columns are in a table."""
    in_view = tuple(k for k in range(1, len(columns)) if not columns[k].hidden)
    shown = {"first": (0, *in_view), "last": (*in_view, 0), "none": in_view}[banner.total]
    if not shown:
        raise RequestError("A banner without groups needs its Total.")
    return shown


def _settled(block: LaidBlock, blocks: Sequence[LaidBlock]) -> Block:
    """Return a block as it is counted."""
    control = None
    if block.original is not None:
        home, column = block.original
        control = (blocks.index(home), home.placed.index(column))
    return Block(
        wanted=block.wanted,
        members=tuple(column.member for column in block.columns),
        parents=tuple(block.parents),
        control=control,
    )


def _parent_levels(blocks: Sequence[LaidBlock], columns: int) -> tuple[tuple[int, ...], ...]:
    """Give, per level of the deepest nesting, the number of the column of all of each column's outer answer, or -1."""
    heads = [head for block in blocks for head in block.heads]
    levels = [[-1] * columns for _ in range(max((len(head.parents) for head in heads), default=0))]
    for head in heads:
        for level, parent in zip(levels, head.parents, strict=False):
            for column in head.in_view:
                level[column.number] = parent.number
    return tuple(tuple(level) for level in levels)
