"""The request for a table: small frozen objects that the plan and the Python calls both make."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field
from typing import Literal

from eager_otter.codebook.expression import parse
from eager_otter.dataclass import dataclass
from eager_otter.documents.options import option
from eager_otter.documents.settled import Settings, settle
from eager_otter.errors import RequestError
from eager_otter.figures.registry import check_figure, figures_with, line_figure, today_name
from eager_otter.looks.words import ENGLISH, Words
from eager_otter.significance.registry import (
    correction,
    corrections,
    mean_test,
    mean_tests,
    median_test,
    median_tests,
    names_of,
    share_test,
    share_tests,
)
from eager_otter.tables.shows import OneQuestion, Shown

Figure = str  # the name of a figure
JudgedOn = Literal["unweighted base", "effective base"]


SortBy = Literal["figure", "label", "code"]
Against = Literal["each other", "rest", "total", "previous", "year before", "first", "column", "nothing"]

MOST_DIGITS = 10
PLAIN_BASES = ("answered", "all")
COMPLETE = "complete answers"
NO_QUESTION = OneQuestion("")  # of settings that are of no table yet
EVERY_GROUP = "all"  # where banner groups are named


@dataclass(frozen=True, slots=True, kw_only=True)
class BannerGroup(Settings):
    """Columns that belong together: the answers of a question, or columns of one's own, or a nesting of groups.

    - `question`: a column for each answer, or for those answers and nets in `keep` (codes or labels), in that order.
    - `columns`: pairs of a label and what is in the column: an expression, or, with `question`, answers to put
      together (codes or labels).
    - `nest`: groups, outermost first; a column for each combination. With `subtotal`, each outer column has one for
      all of it first, which is not tested.

    `labels` gives other labels to some answers (by code) in this banner only; `only` is an expression that everybody
    in the group's columns satisfies. `hide` takes columns (labels or codes) out of view that are still there as a
    control of tests. `differences` adds columns that show one column minus another: (label, column, column).
    `against` says what the group's columns are tested against, "nothing" for not at all, None for what the table
    says; `control` names the column where it is "column". With `trend`, the group ends with
    a column of trends, whether or not its columns are known to have an order. With `rolling`, each column holds so many
    answers of a single question, each of which ends one later: waves taken together, whose neighbours share people.
    """

    question: str = ""
    label: str | None = None
    keep: tuple[str, ...] | None = None
    labels: Mapping[str, str] = field(default_factory=dict)
    columns: tuple[tuple[str, str | tuple[str, ...]], ...] = ()
    nest: tuple[BannerGroup, ...] = ()
    subtotal: bool = False
    only: str | None = None
    hide: tuple[str, ...] = ()
    differences: tuple[tuple[str, str, str], ...] = ()
    against: Against | None = None
    control: str = ""
    trend: bool = False
    rolling: int | None = None

    @staticmethod
    def _taken(value: object) -> object:
        """Take a question for all its answers, and a list for a nesting."""
        if isinstance(value, str):
            return {"question": value}
        return {"nest": value} if isinstance(value, list | tuple) else value

    def questions_named(self) -> Iterator[str]:
        """Go through the questions whose answers make its columns."""
        yield from filter(None, [self.question])
        for group in self.nest:
            yield from group.questions_named()
        rules = [rule for _, rule in self.columns if isinstance(rule, str) and not self.question]
        for rule in (*rules, *filter(None, [self.only])):
            yield from parse(rule).names()


TrendOf = Literal["none", "asked", "all"]
WholeTable = Literal["none", "fitting", "all"]
TotalPlace = Literal["first", "last", "none"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Banner(Settings):
    """Groups of columns, side by side, and where the Total is.

    `groups` are in this order; `name` is what a plan calls the banner; `total` is "first", "last" or "none".
    """

    groups: tuple[BannerGroup, ...] = ()
    name: str = ""
    total: TotalPlace = "first"


@dataclass(frozen=True, slots=True, kw_only=True)
class BaseRules(Settings):
    """Minimum bases, each "below N" or None for no such rule.

    Below `mark` a column is marked, below `no_test` it takes part in no test, below `withhold` its figures are
    not shown. Judged per column on the question's base: unweighted, or effective. Raises RequestError for a
    threshold below 0.

    `judged_on` says which: "unweighted base" or "effective base".
    """

    mark: float | None = None
    no_test: float | None = None
    withhold: float | None = None
    judged_on: JudgedOn = "unweighted base"

    def __post_init__(self) -> None:
        settle(self)
        for threshold in (self.mark, self.no_test, self.withhold):
            if threshold is not None and not 0 <= threshold < float("inf"):
                raise RequestError(f"A minimum base is a number from 0 up; got {threshold:g}.")


@dataclass(frozen=True, slots=True, kw_only=True)
class TestRules(Settings):
    """How columns are tested.

    `against`: each other (all pairs in a group), the rest (everyone in the Total's base who is not in the column), the
    total (the test is that of the rest), the previous or first column, one "column" named by `control`, or nothing. In
    a nested group only columns under the same parent are compared, unless `all_parents`; the rest is everyone else in
    the table, or with `rest_of_parent` in the same parent. `percents` and `means` name the test of columns that share
    nobody, `medians` whether medians are compared ("mood") or not ("none"), `adjust` the correction for many
    comparisons. `whole_table` puts a test of the whole table by each group under it, that "fitting" the question, with
    the measure of association that fits, or "all" tests and measures; `controlling_for` names a question within whose
    answers the table is tested as well. With `trend`, each group whose columns have an order ends with a column that
    marks the rows that rise or fall over them.
    """

    __test__ = False  # not a test case, whatever its name

    against: Against = "each other"
    control: str = ""
    all_parents: bool = False
    rest_of_parent: bool = False
    percents: str = option("percents", "pooled", choices=lambda: names_of(share_tests()), always=True)
    means: str = option("means", "welch", choices=lambda: names_of(mean_tests()), always=True)
    medians: str = option("medians", "none", choices=lambda: names_of(median_tests()), always=True)
    adjust: str = option("adjust", "none", choices=lambda: names_of(corrections()), always=True)
    trend: bool = option("trend", False, bool, always=True)
    whole_table: WholeTable = "none"
    controlling_for: str = ""

    @staticmethod
    def _taken(value: object) -> object:
        """Take what is compared as a word, as a plan does."""
        return {"against": value} if isinstance(value, str) else value

    def __post_init__(self) -> None:
        settle(self)
        if self.controlling_for and self.whole_table == "none":
            raise RequestError("Controlling for a question goes with a test of the whole table; ask for one.")
        share_test(self.percents)
        mean_test(self.means)
        median_test(self.medians)
        correction(self.adjust)
        if (self.against == "column") != bool(self.control):
            raise RequestError(
                "A test against one column names it: against column, with its label as control."
            )
        if self.all_parents and self.against != "each other":
            raise RequestError(
                "Columns of all parents can be compared with each other only; "
                f"against {self.control or self.against!r} leave compare: all parents out."
            )


@dataclass(frozen=True, slots=True, kw_only=True)
class ColumnRules:
    """The part of the rules for tests that decides which columns are counted, and which pairs of them: see `TestRules`.

    `trend` tells which groups have a column of trends: those that ask for one ("asked"), all that have an order as well
    ("all"), or none, as nothing is tested.
    """

    against: Against = "each other"
    control: str = ""
    all_parents: bool = False
    rest_of_parent: bool = False
    trend: TrendOf = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Selection:
    """The people a table counts: those who pass a filter and satisfy a base, each an expression or None.

    With `may_be_empty`, as for an answer of a control question, nobody may be left.
    """

    filter: str | None = None
    base: str | None = None
    may_be_empty: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Counting:
    """The part of a request that a count needs beside its questions: where it is the same, one count serves all."""

    people: Selection
    banner: Banner
    columns: ColumnRules


@dataclass(frozen=True, slots=True, kw_only=True)
class Digits(Settings):
    """Decimal places: of percents, of weighted counts and bases, of means and deviations.

    `of_figures` says otherwise for single figures: pairs of a figure and its places.

    `percent`, `count` and `mean` are places from 0 to 10.
    """

    percent: int = 0
    count: int = 0
    mean: int = 2
    of_figures: tuple[tuple[str, int], ...] = ()

    def __post_init__(self) -> None:
        settle(self)
        for digits in (self.percent, self.count, self.mean, *(places for _, places in self.of_figures)):
            if not 0 <= digits <= MOST_DIGITS:
                raise RequestError(f"Digits run from 0 to {MOST_DIGITS}; got {digits}.")

    def of(self, figure: str) -> int:
        """Return the decimal places of a `figure`."""
        figure = str(figure)
        named = figure.removesuffix(" low").removesuffix(" high")
        places_set = next(
            (places for name, places in self.of_figures if today_name(name) in (figure, named)), None
        )
        if places_set is not None:
            return places_set
        match line_figure(figure).digits:
            case "percent":
                return self.percent
            case "count":
                return self.count
            case "mean":
                return self.mean
            case "whole":
                return 0
            case "effective":
                return max(self.count, 1) if self.count else 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Sorting(Settings):
    """The order of a table's rows: by the first figure in a column (the Total unless named), by label or by code.

    `column` is a column's label, `group: label`, code or letter. Members stay with their net; "other", "none" and
    "don't know" stay at the end.

    `by` is "figure", "label" or "code"; `up` puts the smallest first.
    """

    by: SortBy = "figure"
    up: bool = False
    column: str = "Total"

    @staticmethod
    def _taken(value: object) -> object:
        """Take "up", "down", or what is sorted by, as a plan does."""
        if value in ("up", "down"):
            return {"up": value == "up"}
        return {"by": value, "up": value != "figure"} if isinstance(value, str) else value


@dataclass(frozen=True, slots=True, kw_only=True)
class RowRules(Settings):
    """The rows of a question that a table shows, and their order.

    `hide` takes answers (codes or labels) out of view, nobody out of the base; `leave_out` takes those who gave them
    out of the base as well. `most` keeps only the first so many answers, `above` only those with more than so many
    percent of the Total; `drop_empty` leaves out answers nobody gave. `untested` names answers and nets that take no
    part in tests. `headings` are pairs of an answer and the heading (or "" for a blank line) that is before it.

    `sort` is an order of rows, None for that of the codebook.
    """

    sort: Sorting | None = None
    hide: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()
    most: int | None = None
    above: float | None = None
    drop_empty: bool = False
    untested: tuple[str, ...] = ()
    headings: tuple[tuple[str, str], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class TableRequest(Settings):
    """One table: what it `shows` (a question, or several in one of their shapes), by a banner.

    `figures` may be empty, which gives what suits the kind of question. With `inherited` they come from defaults, and
    those that the question cannot have are left out; else these are refused. `levels` are one or two confidence
    percents from 50 up to, not including, 100, strictest first; none switches the tests off. `base` is "answered",
    "all" (everyone the filters keep, with a row for no answer), an expression that those in the base satisfy or, for
    several questions, "complete answers" (those with a valid answer to every one of them). With `reason_rows`, those of
    everyone who gave no answer have a row for each reason.
    `part` names the answer of a control question that the filter chooses, `heading` the section of the report.

    `percent_of` is the answer or net that "percent of answer" is a percent of; `difference_from` the column that
    "column difference" takes off; `outer_level` the level of a nested banner (1 the outermost, 0 the innermost above
    the columns) whose base "percent of outer" is a percent of. `base_rows` are the base lines shown (none named: all
    usual ones that the table has), and `base_text` says in words who is in the base. `note` is put under the table.
    `chart_groups` are the banner groups that charts are wanted of, by label or question, or "all".
    `words` say the fixed texts of the table: labels of bases and summaries, the Total, notes.
    Raises RequestError for levels or figures that cannot be had.

    `banner`, `rows`, `tests` and `bases` are settings of their own; `id` and `title` name the table, `digits` are
    decimal places; `filter` is an expression that narrows it.
    """

    shows: Shown = NO_QUESTION
    banner: Banner = Banner()
    id: str = ""
    title: str = ""
    figures: tuple[Figure, ...] = ()
    inherited: bool = False
    digits: Digits = Digits()
    filter: str | None = None
    part: str = ""
    heading: str = ""
    base: str = "answered"
    base_text: str = ""
    base_rows: tuple[str, ...] = ()
    reason_rows: bool = False
    percent_of: str = ""
    difference_from: str = "Total"
    outer_level: int = 0
    note: str = ""
    chart_groups: tuple[str, ...] = ()
    rows: RowRules = RowRules()
    levels: tuple[float, ...] = (95.0,)
    tests: TestRules = TestRules()
    bases: BaseRules = BaseRules()
    words: Words = field(default=ENGLISH, repr=False)

    @property
    def over_banner(self) -> bool:
        """Whether the table is under the columns of its banner."""
        return self.shows.over_banner

    @property
    def name(self) -> str:
        """The name of the table: its id, or else its subject."""
        return self.id or self.shows.name

    def questions_named(self) -> Iterator[str]:
        """Go through the questions that its figures depend on: in rows and columns, of its filter and base."""
        yield from filter(None, (*self.shows.questions, self.shows.value, *self.shows.within))
        for group in self.banner.groups:
            yield from group.questions_named()
        conditions = (
            self.filter,
            None if self.base in ("answered", "all", "complete answers") else self.base,
        )
        yield from filter(None, [self.tests.controlling_for])
        for condition in filter(None, conditions):
            yield from parse(condition).names()

    def __post_init__(self) -> None:
        settle(self)
        check_levels(self.levels)
        for figure in self.figures:
            check_figure(figure)
        object.__setattr__(self, "figures", tuple(today_name(figure) for figure in self.figures))
        if self.reason_rows and self.base != "all":
            raise RequestError("Rows for the reasons of no answer need base: all.")
        for setting, name, given, needed in (
            ("percent of", "percent_of", self.percent_of, True),
            ("difference from", "difference_from", self.difference_from != "Total", False),
            ("outer level", "outer_level", self.outer_level, False),
        ):
            wanted = figures_with(setting)
            asked = set(wanted) & set(self.figures)
            if asked and needed and not given:
                raise RequestError(f"A {wanted[0]} needs the answer: name it as {setting}.")
            if given and not asked:
                raise RequestError(
                    f"{name} does nothing without the figure {' or '.join(wanted)}; name it, or leave it."
                )

    @property
    def counting(self) -> Counting:
        """The people who are counted, and the columns."""
        tests = self.tests
        return Counting(
            people=Selection(
                filter=self.filter,
                base=None if self.base in PLAIN_BASES else self.base,
                may_be_empty=bool(self.part),
            ),
            banner=self.banner,
            columns=ColumnRules(
                against=tests.against,
                control=tests.control,
                all_parents=tests.all_parents,
                rest_of_parent=tests.rest_of_parent,
                trend="none" if not self.levels else "all" if tests.trend else "asked",
            ),
        )


def interval_level(levels: Sequence[float]) -> float:
    """Return the confidence percent of intervals: the first level of the tests, 95 where there is none."""
    return float(levels[0]) if levels else 95.0


def check_levels(levels: tuple[float, ...]) -> None:
    """Refuse levels that no test has. Raises RequestError."""
    if len(levels) > 2:
        raise RequestError(f"One or two confidence levels; got {len(levels)}.")
    for level in levels:
        if not 50 <= level < 100:
            raise RequestError(
                f"A confidence level is a percent from 50 up to, not including, 100; got {level:g}."
                + (f" Write {level * 100:g}?" if 0.5 <= level < 1 else "")
            )
    if len(levels) == 2 and levels[0] <= levels[1]:
        raise RequestError(f"The stricter level comes first: write {levels[1]:g}, {levels[0]:g}.")
