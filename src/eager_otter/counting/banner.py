"""From a banner as wanted to its columns, letters, comparisons and memberships."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import product
from math import prod
from typing import Literal, assert_never

import numpy as np

from eager_otter.codebook.label_words import says_time
from eager_otter.codebook.model import Codebook, Periods
from eager_otter.core.arrays import BoolArray, IntArray
from eager_otter.core.cells import ColumnGroup, group_from_memberships
from eager_otter.counting.points import Point, by_codes, check_only, memberships, points_of
from eager_otter.data.responses import Responses
from eager_otter.errors import RequestError
from eager_otter.looks.words import said
from eager_otter.tables.comparing import Comparisons, Leaf, compare
from eager_otter.tables.request import Banner, BannerGroup, ColumnRules
from eager_otter.tables.table import Column, Group, find_column

TOTAL = said("Total")
ALL = said("All")
REST = said("Rest")
SUBTOTAL = Point(ALL, "", "")  # of everybody under an outer answer
MOST_COLUMNS = 5_000


@dataclass(frozen=True, slots=True)
class Member:
    """Where the people of a column come from, among the memberships of its block.

    "in" is membership number `place`, "rest" everybody not in it (within membership `parent`, if not -1), "nobody" a
    column that shows a difference.
    """

    how: Literal["in", "rest", "nobody"]
    place: int = -1
    parent: int = -1


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Block:
    """The columns of one entry of a banner: a simple group, or a nesting with all its combinations.

    `members` has an entry per column. The memberships they point to are those of the points, path by path, then of
    the `parents` (places of the outer levels, a tuple per prefix of a path), then of a `control` (block, place) that
    stands elsewhere in the banner.
    """

    wanted: BannerGroup
    members: tuple[Member, ...]
    parents: tuple[tuple[int, ...], ...] = ()
    control: tuple[int, int] | None = None


@dataclass(frozen=True, kw_only=True, eq=False)
class BannerColumns:
    """The columns of a banner as they are counted, Total first, and the comparisons between them.

    `shown` gives the order in which the columns stand in a table; the Total may be last, or not there, and hidden
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
    shapes = list(_shapes(banner, codebook))
    flat = [column for shape in shapes for column in shape.columns]
    laid = _Laid(rules or ColumnRules(), flat, shapes)
    for number, shape in enumerate(shapes):
        laid.add(number, shape)
    columns = [Column(label=TOTAL, fixed=TOTAL, role="total"), *laid.columns]
    everything = tuple(k for k in range(1, len(columns)) if not columns[k].hidden)
    shown = {"first": (0, *everything), "last": (*everything, 0), "none": everything}[banner.total]
    if not shown:
        raise RequestError("A banner without groups needs its Total.")
    return BannerColumns(
        columns=tuple(columns),
        groups=tuple(laid.groups),
        comparisons=compare(laid.leaves, laid.differences),
        shown=shown,
        blocks=tuple(laid.blocks),
        parents=laid.parent_levels(len(columns)),
    )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Path:
    """The columns under one combination of outer answers: `places` in the outer levels, columns from `start` on."""

    places: tuple[int, ...]
    group: Group  # its start and stop count within the block
    points: int


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Shape:
    """A block before its columns have places in the banner."""

    wanted: BannerGroup
    columns: tuple[Column, ...]  # lettered; differences and hidden columns with their path
    paths: tuple[_Path, ...]
    depth: int


def levels_of(wanted: BannerGroup) -> tuple[BannerGroup, ...]:
    """Give the levels of a nesting, the innermost with what the nesting hides; a simple group is its own only one."""
    if not wanted.nest:
        return (wanted,)
    inner = wanted.nest[-1]
    return (*wanted.nest[:-1], replace(inner, hide=(*inner.hide, *wanted.hide)))


def _shapes(banner: Banner, codebook: Codebook) -> Iterator[_Shape]:
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
        shape = _shape(wanted, levels, codebook, lettered)
        lettered += sum(column.compared for column in shape.columns)
        yield shape


def _shape(
    wanted: BannerGroup, levels: Sequence[tuple[Point, ...]], codebook: Codebook, lettered: int
) -> _Shape:
    """Lay the paths of a block side by side; letters go on from `lettered`."""
    columns: list[Column] = []
    paths: list[_Path] = []
    names = [_label_of(level, codebook) for level in wanted.nest]
    title = wanted.label or " × ".join(names)
    own = wanted.nest[-1] if wanted.nest else wanted
    for places in product(*(range(len(level)) for level in levels[:-1])):
        outer = [levels[k][place].label for k, place in enumerate(places)]
        if any(levels[k][place].hidden for k, place in enumerate(places)):
            raise RequestError("Only the innermost answers of a nesting can be hidden.")
        inner = list(levels[-1])
        if wanted.subtotal:
            inner.insert(0, SUBTOTAL)
        label = outer[-1] if outer else _label_of(wanted, codebook)
        heads = (title, *outer[:-1]) if outer else ()
        group = Group(
            label=label,
            start=len(columns),
            stop=len(columns),
            outer=heads,
            over_time=says_time(label) or _is_of_periods(own, codebook),
        )
        visible: list[Column] = []
        for point in (point for point in inner if not point.hidden):
            lettered += point.lettered
            letter = letter_name(lettered) if point.lettered else ""
            visible.append(
                Column(
                    label=point.label,
                    role="subtotal" if point is SUBTOTAL else "point",
                    group=group.path,
                    letter=letter,
                    question=point.question,
                    code=point.code,
                    fixed=ALL if point is SUBTOTAL else "",
                )
            )
        hidden = [
            Column(label=point.label, group=group.path, question=point.question, code=point.code, hidden=True)
            for point in inner
            if point.hidden
        ]
        gaps = _difference_columns(
            wanted.differences or own.differences, [*visible, *hidden], len(visible), group
        )
        columns += [*visible, *gaps, *hidden]
        group = replace(group, stop=group.start + len(visible) + len(gaps))
        paths.append(_Path(places=places, group=group, points=len(inner)))
    return _Shape(wanted=wanted, columns=tuple(columns), paths=tuple(paths), depth=len(levels) - 1)


def _is_of_periods(group: BannerGroup, codebook: Codebook) -> bool:
    """Tell whether the columns of a group are periods: months, quarters or the like."""
    return bool(group.question) and isinstance(codebook.question(group.question).source, Periods)


def _difference_columns(
    differences: Sequence[tuple[str, str, str]], inside: Sequence[Column], visible: int, group: Group
) -> list[Column]:
    """Make the columns that show one column of a path minus another; their places count within the block."""
    found = []
    for label, plus, minus in differences:
        a, b = (find_column(inside, name, f"the banner group of {label!r}") for name in (plus, minus))
        behind = len(differences)  # hidden columns stand behind the differences
        places = tuple(group.start + k + (behind if k >= visible else 0) for k in (a, b))
        found.append(
            Column(label=label, role="difference", group=group.path, difference=(places[0], places[1]))
        )
    return found


class _Laid:
    """Gives the columns of the blocks their places in the banner, and adds those that only tests need."""

    def __init__(self, tests: ColumnRules, flat: Sequence[Column], shapes: Sequence[_Shape]) -> None:
        self.tests, self.flat = tests, flat
        self.starts = np.cumsum([0, *(len(shape.columns) for shape in shapes)])
        self.shapes = shapes
        self.columns: list[Column] = []
        self.groups: list[Group] = []
        self.blocks: list[Block] = []
        self.leaves: list[Leaf] = []
        self.differences: list[tuple[int, int, int]] = []
        self._parents: list[dict[int, int]] = []

    def add(self, number: int, shape: _Shape) -> None:
        start = len(self.columns) + 1
        wanted = shape.wanted
        own = wanted.nest[-1] if wanted.nest else wanted
        tests = self.tests
        against = wanted.against or own.against
        if against is not None:
            all_parents = tests.all_parents and against == "each other"
            tests = replace(
                tests, against=against, control=wanted.control or own.control, all_parents=all_parents
            )
        members, column_place = _point_members(shape)
        placed = [
            column
            if column.difference is None
            else replace(column, difference=(start + column.difference[0], start + column.difference[1]))
            for column in shape.columns
        ]
        points = sum(path.points for path in shape.paths)
        prefixes = list(
            dict.fromkeys(path.places[:depth] for depth in range(1, shape.depth + 1) for path in shape.paths)
        )
        parent_column = {prefix: start + len(placed) + k for k, prefix in enumerate(prefixes)}
        parent_member = {prefix: points + k for k, prefix in enumerate(prefixes)}
        placed += [Column(label=ALL, role="parent", fixed=ALL, hidden=True) for _ in prefixes]
        members += [Member("in", parent_member[prefix]) for prefix in prefixes]
        control, elsewhere = self._control(tests, number, start + len(placed))
        if elsewhere is not None:
            placed.append(
                replace(
                    self.flat[self.starts[elsewhere[0]] + elsewhere[1]],
                    role="control",
                    letter="",
                    hidden=True,
                )
            )
            members.append(Member("in", points + len(prefixes)))
        for path in shape.paths:
            group = replace(path.group, start=start + path.group.start, stop=start + path.group.stop)
            self.groups.append(group)
            tested = [k for k in range(group.start, group.stop) if placed[k - start].compared]
            rest: dict[int, int] = {}
            if tests.against in ("rest", "total"):
                parent = parent_member[path.places] if tests.rest_of_parent and path.places else -1
                for k in tested:
                    rest[k] = start + len(placed)
                    placed.append(Column(label=REST, role="rest", fixed=REST, hidden=True))
                    members.append(Member("rest", column_place[k - start], parent))
            within = _named_in(placed, path, start, tests.control)
            self.leaves.append(
                Leaf(
                    block=number,
                    columns=tuple(tested),
                    against=tests.against,
                    all_parents=tests.all_parents,
                    rest=rest,
                    control=control if within is None else within,
                )
            )
            self._remember_parents(path, group, parent_column)
            self.differences += [
                (k, *gap) for k in range(group.start, group.stop) if (gap := placed[k - start].difference)
            ]
        self.columns += placed
        if len(self.columns) > 3 * MOST_COLUMNS:
            raise RequestError("The banner and its tests have too many columns; keep fewer answers.")
        self.blocks.append(
            Block(wanted=wanted, members=tuple(members), parents=tuple(prefixes), control=elsewhere)
        )

    def _control(self, tests: ColumnRules, number: int, behind: int) -> tuple[int, tuple[int, int] | None]:
        """Find the control column: its place, and where it comes from when it stands in another block.

        A column called so under the same head goes first; that is looked for path by path.
        """
        if tests.against != "column":
            return -1, None
        shape = self.shapes[number]
        names = [{column.label, column.code} for column in shape.columns]
        if all(any(tests.control in names[k] for k in self._all_of(shape, path)) for path in shape.paths):
            return -1, None
        place = find_column(self.flat, tests.control, "the banner (as a control of tests)")
        block = int(np.searchsorted(self.starts, place, side="right")) - 1
        local = place - int(self.starts[block])
        if block == number:
            return len(self.columns) + 1 + local, None
        return behind, (block, local)

    def _all_of(self, shape: _Shape, path: _Path) -> range:
        at = shape.paths.index(path)
        stop = shape.paths[at + 1].group.start if at + 1 < len(shape.paths) else len(shape.columns)
        return range(path.group.start, stop)

    def _remember_parents(self, path: _Path, group: Group, columns: dict[tuple[int, ...], int]) -> None:
        for depth in range(1, len(path.places) + 1):
            while len(self._parents) < depth:
                self._parents.append({})
            level = self._parents[depth - 1]
            level.update(dict.fromkeys(range(group.start, group.stop), columns[path.places[:depth]]))

    def parent_levels(self, columns: int) -> tuple[tuple[int, ...], ...]:
        return tuple(tuple(level.get(k, -1) for k in range(columns)) for level in self._parents)


def _named_in(placed: Sequence[Column], path: _Path, start: int, name: str) -> int | None:
    """Find a control column under the same head."""
    if not name:
        return None
    group = path.group.path
    for k, column in enumerate(placed):
        if column.group == group and column.difference is None and name in (column.label, column.code):
            return start + k
    return None


def _point_members(shape: _Shape) -> tuple[list[Member], list[int]]:
    """Say for each column of a shape which membership is its own: memberships run point by point, path by path."""
    members: list[Member] = []
    place = 0
    for column in shape.columns:
        if column.difference is not None:
            members.append(Member("nobody"))
        else:
            members.append(Member("in", place))
            place += 1
    return members, [member.place for member in members]


def _label_of(group: BannerGroup, codebook: Codebook) -> str:
    if group.label is not None or not group.question:
        return group.label or ""
    return codebook.question(group.question).label


def letter_name(number: int) -> str:
    """Name the k-th banner column: A to Z, then AA, AB and so on.

    >>> [letter_name(k) for k in (1, 26, 27, 703)]
    ['A', 'Z', 'AA', 'AAA']
    """
    name = ""
    while number > 0:
        number, rest = divmod(number - 1, 26)
        name = chr(ord("A") + rest) + name
    return name


# --- who is in which column -----------------------------------------------------------------------------


def column_groups(layout: BannerColumns, responses: Responses, rows: BoolArray) -> Iterator[ColumnGroup]:
    """Tell who of the chosen rows (respondents,) is in which column, a block of columns at a time."""
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


def _of(member: Member, members: BoolArray) -> BoolArray:
    match member.how:
        case "nobody":
            return np.zeros(members.shape[1], np.bool_)
        case "in":
            return np.asarray(members[member.place])
        case "rest":
            own = members[member.place]
            return np.asarray(~own if member.parent < 0 else members[member.parent] & ~own)
        case _:
            assert_never(member.how)


def _inside(
    group: BannerGroup, parents: Sequence[tuple[int, ...]], responses: Responses, rows: BoolArray
) -> BoolArray:
    """Tell who is in the points of a block, path by path, then in its parents: (memberships, chosen)."""
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
