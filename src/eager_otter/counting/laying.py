"""The columns of a banner while it is laid out: objects that know each other, and get their numbers at the end."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field, replace
from itertools import product
from typing import Literal

from eager_otter.codebook.label_words import says_time
from eager_otter.codebook.model import Codebook, Periods, Question
from eager_otter.counting.points import Point
from eager_otter.dataclass import dataclass
from eager_otter.documents.translated import joined, names_of
from eager_otter.errors import RequestError
from eager_otter.gates.numbers import whole_of
from eager_otter.looks.words import said
from eager_otter.tables.comparing import NOWHERE, Leaf
from eager_otter.tables.lookup import find_column
from eager_otter.tables.request import BannerGroup, ColumnRules
from eager_otter.tables.table import Column, Group

ALL = said("All")
REST = said("Rest")
TREND = said("Trend")
SUBTOTAL = Point(ALL, "", "")  # of everybody under an outer answer
LEAST_OF_TREND = 3  # columns that a trend runs over


@dataclass(frozen=True, slots=True)
class Member:
    """The source of the people of a column, among the memberships of its block.

    "in" is membership number `place`, "rest" everybody not in it (within membership `parent`, if not -1), "nobody" a
    column that shows a difference or a trend.
    """

    how: Literal["in", "rest", "nobody"]
    place: int = -1
    parent: int = -1


NOBODY = Member("nobody")


@dataclass(slots=True, kw_only=True, eq=False)
class LaidColumn:
    """A column: what it is, who is in it, of which two it shows the difference; its `number` once all are laid out."""

    what: Column
    member: Member
    minus: tuple[LaidColumn, LaidColumn] | None = None
    number: int = -1

    def settled(self) -> Column:
        """Return the column as the banner holds it."""
        difference = None if self.minus is None else (self.minus[0].number, self.minus[1].number)
        return replace(self.what, number=self.number, difference=difference)


@dataclass(slots=True, kw_only=True, eq=False)
class Head:
    """The columns under one head: those in view, then those out of view.

    `path` are the places of the outer answers it is under, `parents` the columns of all of each, the outermost
    first. `rest` gives the column that holds the rest of one that is tested.
    """

    group: Group  # without its places
    path: tuple[int, ...]
    in_view: list[LaidColumn]
    out_of_view: list[LaidColumn]
    parents: tuple[LaidColumn, ...] = ()
    rest: dict[LaidColumn, LaidColumn] = field(default_factory=dict)

    @property
    def columns(self) -> list[LaidColumn]:
        """All columns under the head."""
        return [*self.in_view, *self.out_of_view]

    @property
    def tested(self) -> list[LaidColumn]:
        """The columns that are compared."""
        return [column for column in self.in_view if column.what.compared]

    def called(self, name: str) -> LaidColumn | None:
        """Find a column by label or code, differences and trends aside."""
        with_people = (column for column in self.columns if column.member is not NOBODY)
        return next((one for one in with_people if name in (*names_of(one.what.label), one.what.code)), None)

    def settled(self) -> Group:
        """Return the group as the banner holds it, by the numbers of its columns."""
        start = self.in_view[0].number if self.in_view else self.out_of_view[0].number
        return replace(self.group, start=start, stop=start + len(self.in_view))


@dataclass(slots=True, kw_only=True, eq=False)
class LaidBlock:
    """The columns of one entry of a banner: a simple group, or a nesting with all its combinations.

    `parents` holds a column for each outer answer, by its path. `control` is the column that all are tested against;
    where it is in another block, it is a column of this one for the people of the `original`, with its block. `dates`
    are the months of waves ("2026-03"), by code, where they are wanted.
    """

    wanted: BannerGroup
    rules: ColumnRules
    heads: list[Head]
    points: int  # memberships of its points
    parents: dict[tuple[int, ...], LaidColumn] = field(default_factory=dict)
    control: LaidColumn | None = None
    original: tuple[LaidBlock, LaidColumn] | None = None
    dates: Mapping[str, str] = field(default_factory=dict)

    @property
    def placed(self) -> list[LaidColumn]:
        """The columns under its heads."""
        return [column for head in self.heads for column in head.columns]

    @property
    def columns(self) -> list[LaidColumn]:
        """All its columns: under its heads, of outer answers, a control that is elsewhere, the rest of each."""
        rest = [column for head in self.heads for column in head.rest.values()]
        copy = [] if self.original is None or self.control is None else [self.control]
        return [*self.placed, *self.parents.values(), *copy, *rest]

    def find_control(self, blocks: Sequence[LaidBlock]) -> None:
        """Find the control column; one called so under the same head goes first, which is looked for head by head."""
        name = self.rules.control
        if self.rules.against != "column" or all(head.called(name) is not None for head in self.heads):
            return
        everywhere = [(block, column) for block in blocks for column in block.placed]
        place = find_column(
            [column.what for _, column in everywhere], name, "the banner (as a control of tests)"
        )
        home, control = everywhere[place]
        self.control = control
        if home is not self:
            self.original = (home, control)
            self.control = LaidColumn(
                what=replace(control.what, role="control", letter="", hidden=True),
                member=Member("in", self.points + len(self.parents)),
            )

    def add_rest(self) -> None:
        """Add a column for the rest of each that is tested against it, or against the Total."""
        if self.rules.against not in ("rest", "total"):
            return
        for head in self.heads:
            inside = self.rules.rest_of_parent and head.path
            parent = self.parents[head.path].member.place if inside else -1
            for column in head.tested:
                head.rest[column] = LaidColumn(
                    what=Column(label=REST, role="rest", fixed=REST, hidden=True),
                    member=Member("rest", column.member.place, parent),
                )

    def leaves(self, number: int) -> Iterator[Leaf]:
        """Return what is compared under each head, by the numbers of the columns; `number` is that of the block."""
        for head in self.heads:
            control = (head.called(self.rules.control) if self.rules.control else None) or self.control
            yield Leaf(
                block=number,
                columns=tuple(column.number for column in head.tested),
                against=self.rules.against,
                all_parents=self.rules.all_parents,
                rest={column.number: rest.number for column, rest in head.rest.items()},
                control=NOWHERE if control is None else control.number,
                year_before=self._years_before(head),
            )

    def _years_before(self, head: Head) -> dict[int, int]:
        """Find the column of the same month a year before, by the numbers of the columns."""
        by_month = {
            self.dates[column.what.code]: column.number
            for column in head.tested
            if column.what.code in self.dates
        }
        earlier = {month: _year_before(month) for month in by_month}
        return {by_month[month]: by_month[one] for month, one in earlier.items() if one in by_month}


def laid_block(
    wanted: BannerGroup,
    levels: Sequence[tuple[Point, ...]],
    codebook: Codebook,
    rules: ColumnRules,
    lettered: int,
) -> LaidBlock:
    """Lay the columns of a block out, path by path; letters go on from `lettered`. Raises RequestError, UnknownName."""
    own_rules = _own_rules(wanted, rules)
    dates = _dates(wanted, codebook) if own_rules.against == "year before" else {}
    block = LaidBlock(wanted=wanted, rules=own_rules, heads=[], points=0, dates=dates)
    for path in product(*(range(len(level)) for level in levels[:-1])):
        if any(levels[k][place].hidden for k, place in enumerate(path)):
            raise RequestError("Only the innermost answers of a nesting can be hidden.")
        outer = [levels[k][place].label for k, place in enumerate(path)]
        inner = [SUBTOTAL, *levels[-1]] if wanted.subtotal else list(levels[-1])
        head = _head(block, inner, path, _group(wanted, outer, codebook), lettered)
        lettered += len(head.tested)
        _add_differences(head, wanted.differences or _own(wanted).differences)
        _add_trend(head, block.rules, wanted, codebook)
        block.heads.append(head)
        block.points += len(inner)
    _add_parents(block, len(levels) - 1)
    return block


def _year_before(month: str) -> str:
    """Return the same month a year before.

    >>> _year_before("2026-03")
    '2025-03'
    """
    return f"{(whole_of(month[:4]) or 0) - 1:04}{month[4:]}"


def _dates(wanted: BannerGroup, codebook: Codebook) -> Mapping[str, str]:
    """Return the months of the waves that are columns. Raises RequestError where a group asks for them in vain."""
    own = _own(wanted)
    question = codebook.questions.get(own.question)
    dates = {} if question is None else question.dates
    if not dates and "year before" in (wanted.against, own.against):
        raise RequestError(
            "against: year before is for waves that have a date; say it beside each file in the plan's data "
            "(date: 2026-03)."
        )
    return dates


def _own(wanted: BannerGroup) -> BannerGroup:
    """Return the group whose answers are the columns: in a nesting the innermost."""
    return wanted.nest[-1] if wanted.nest else wanted


def _own_rules(wanted: BannerGroup, rules: ColumnRules) -> ColumnRules:
    """Return what a group's columns are tested against, by its own word or that of the table."""
    group_rules = _own(wanted)
    against = wanted.against or group_rules.against
    if against is None:
        return rules
    return replace(
        rules,
        against=against,
        control=wanted.control or group_rules.control,
        all_parents=rules.all_parents and against == "each other",
    )


def _group(wanted: BannerGroup, outer: Sequence[str], codebook: Codebook) -> Group:
    """Name the head of a path, with those above it."""
    label = outer[-1] if outer else label_of(wanted, codebook)
    title = wanted.label or joined(" × ", [label_of(level, codebook) for level in wanted.nest])
    return Group(
        label=label,
        start=0,
        stop=0,
        outer=(title, *outer[:-1]) if outer else (),
        over_time=says_time(label)
        or _has_dates(_own(wanted), codebook)
        or _is_of_periods(_own(wanted), codebook),
    )


def _has_dates(group: BannerGroup, codebook: Codebook) -> bool:
    """Return whether the columns are waves that have a date."""
    return bool(group.question and codebook.question(group.question).dates)


def _head(
    block: LaidBlock, inner: Sequence[Point], path: tuple[int, ...], group: Group, lettered: int
) -> Head:
    """Make the columns of the points under one head."""
    head = Head(group=group, path=path, in_view=[], out_of_view=[])
    for place, point in enumerate(inner, block.points):
        lettered += point.lettered
        what = Column(
            label=point.label,
            role="subtotal" if point is SUBTOTAL else "point",
            group=group.path,
            letter=letter_name(lettered) if point.lettered else "",
            question=point.question,
            code=point.code,
            hidden=point.hidden,
            fixed=ALL if point is SUBTOTAL else "",
        )
        side = head.out_of_view if point.hidden else head.in_view
        side.append(LaidColumn(what=what, member=Member("in", place)))
    return head


def _add_differences(head: Head, differences: Sequence[tuple[str, str, str]]) -> None:
    """Add the columns that show one column of a head minus another."""
    inside = head.columns
    for label, *names in differences:
        where = f"the banner group of {label!r}"
        plus, minus = (inside[find_column([one.what for one in inside], name, where)] for name in names)
        what = Column(label=label, role="difference", group=head.group.path)
        head.in_view.append(LaidColumn(what=what, member=NOBODY, minus=(plus, minus)))


def _add_trend(head: Head, rules: ColumnRules, wanted: BannerGroup, codebook: Codebook) -> None:
    """Add the column of trends where one is wanted of columns that have an order."""
    group = _own(wanted)
    asked = (wanted.trend or group.trend) and rules.trend != "none"
    ordered = rules.trend == "all" and (head.group.over_time or _in_order(head, group, codebook))
    if (asked or ordered) and len(head.tested) >= LEAST_OF_TREND:
        what = Column(label=TREND, role="trend", group=head.group.path, fixed=TREND)
        head.in_view.append(LaidColumn(what=what, member=NOBODY))


def _in_order(head: Head, group: BannerGroup, codebook: Codebook) -> bool:
    """Return whether the columns compared are answers of an ordered question, in its order or from its end."""
    if not group.question or group.columns:
        return False
    return in_order(codebook.question(group.question), [column.what.code for column in head.tested])


def in_order(question: Question, codes: Sequence[str]) -> bool:
    """Return whether codes are answers of an ordered question in its order, or in the reverse of it."""
    if not question.ordered or any(code not in question.by_code for code in codes):
        return False
    places = [question.by_code[code] for code in codes]
    return places in (sorted(places), sorted(places, reverse=True))


def _add_parents(block: LaidBlock, depth: int) -> None:
    """Add a column of all of each outer answer, and give each head those it is under."""
    prefixes = dict.fromkeys(head.path[:level] for level in range(1, depth + 1) for head in block.heads)
    for k, prefix in enumerate(prefixes):
        block.parents[prefix] = LaidColumn(
            what=Column(label=ALL, role="parent", fixed=ALL, hidden=True),
            member=Member("in", block.points + k),
        )
    for head in block.heads:
        head.parents = tuple(block.parents[head.path[:level]] for level in range(1, depth + 1))


def _is_of_periods(group: BannerGroup, codebook: Codebook) -> bool:
    """Return whether the columns of a group are periods: months, quarters or the like."""
    return bool(group.question) and isinstance(codebook.question(group.question).source, Periods)


def label_of(group: BannerGroup, codebook: Codebook) -> str:
    """Return the label of a group: its own, or its question's."""
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
