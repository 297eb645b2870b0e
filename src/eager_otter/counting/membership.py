"""Membership of people in the columns of a banner."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import product
from math import prod
from typing import assert_never

import numpy as np

from eager_otter.codebook.model import Codebook
from eager_otter.core.arrays import BoolArray
from eager_otter.core.cells import ColumnGroup, group_from_memberships
from eager_otter.counting.banner import BannerColumns, levels_of
from eager_otter.counting.laying import Member
from eager_otter.counting.points import by_codes, memberships, points_of
from eager_otter.data.responses import Responses
from eager_otter.tables.request import BannerGroup


def column_groups(layout: BannerColumns, responses: Responses, rows: BoolArray) -> Iterator[ColumnGroup]:
    """Return who of the chosen rows (respondents,) is in which column, a block of columns at a time."""
    for block in layout.blocks:
        group = None if block.control else by_codes(block.wanted, responses, rows)
        if group is None:
            inside = _inside(block.wanted, block.parents, responses, rows)
            if block.control is not None:
                other, place = block.control
                source = layout.blocks[other]
                whole = _inside(source.wanted, (), responses, rows)
                inside = np.vstack([inside, whole[source.members[place].place][None, :]])
            group = group_from_memberships(inside)
        yield replace(group, members=np.array([_of(member, group.members) for member in block.members]))


def possible_patterns(layout: BannerColumns, codebook: Codebook) -> list[tuple[int, int]]:
    """Return how many columns each block of a banner has, and how many patterns of these can occur at most."""
    sizes = []
    for block in layout.blocks:
        patterns = _most_patterns(block.wanted, codebook)
        if block.control is not None:
            patterns *= _most_patterns(layout.blocks[block.control[0]].wanted, codebook)
        sizes.append((len(block.members), patterns))
    return sizes


def _most_patterns(group: BannerGroup, codebook: Codebook) -> int:
    narrowed = 2 if group.only is not None else 1
    if group.nest:
        return narrowed * prod(_most_patterns(level, codebook) for level in levels_of(group))
    points = points_of(group, codebook)
    if not group.question or not codebook.question(group.question).is_of.of_one_answer:
        return int(1 << len(points))
    if not group.columns and group.rolling is None and all(point.net is None for point in points):
        return narrowed * (len(points) + 1)
    return narrowed * (1 + min(len(codebook.question(group.question).valid), 1 << len(points)))


def _of(member: Member, members: BoolArray) -> BoolArray:
    match member.how:
        case "nobody":
            return np.zeros(members.shape[1], np.bool_)
        case "in":
            return np.asarray(members[member.place])
        case "rest":
            member_rows = members[member.place]
            return np.asarray(~member_rows if member.parent < 0 else members[member.parent] & ~member_rows)
        case _:
            assert_never(member.how)


def _inside(
    group: BannerGroup, parents: Sequence[tuple[int, ...]], responses: Responses, rows: BoolArray
) -> BoolArray:
    """Return who is in the points of a block, path by path, then in its parents: (memberships, chosen)."""
    if not group.nest:
        return memberships(group, responses, rows)
    levels = [memberships(level, responses, rows) for level in levels_of(group)]
    columns: list[BoolArray] = []
    for path in product(*(range(len(level)) for level in levels[:-1])):
        outer = _outer(levels, path)
        if group.subtotal:
            columns.append(outer)
        columns += [outer & inner for inner in levels[-1]]
    columns += [_outer(levels, prefix) for prefix in parents]
    inside = np.array(columns)
    return inside & responses.chosen_by(group.only)[rows] if group.only is not None else inside


def _outer(levels: Sequence[BoolArray], path: Sequence[int]) -> BoolArray:
    inside = levels[0][path[0]]
    for level, place in zip(levels[1:], path[1:], strict=False):
        inside = inside & level[place]
    return np.asarray(inside)
