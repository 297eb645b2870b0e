"""What is wanted of a table: small frozen objects that the plan and the Python calls both make."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, get_args

from eager_otter.errors import RequestError

CellFigure = Literal[
    "column percent",
    "count",
    "unweighted count",
    "row percent",
    "table percent",
    "mention percent",
    "cumulative percent",
    "index",
]
SummaryFigure = Literal[
    "mean",
    "standard deviation",
    "standard error",
    "confidence interval",
    "median",
    "lower quartile",
    "upper quartile",
    "smallest",
    "largest",
    "sum",
    "mean mentions",
]
Figure = Literal[CellFigure, SummaryFigure]
JudgedOn = Literal["unweighted base", "effective base"]

CELL_FIGURES: tuple[CellFigure, ...] = get_args(CellFigure)
SUMMARY_FIGURES: tuple[SummaryFigure, ...] = get_args(SummaryFigure)
FIGURES: tuple[Figure, ...] = (*CELL_FIGURES, *SUMMARY_FIGURES)
PERCENTS = ("column percent", "row percent", "table percent", "mention percent", "cumulative percent")

SortBy = Literal["figure", "label", "code"]

MOST_DIGITS = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class BannerGroup:
    """Columns that belong together: the answers of a question, or columns of one's own, or a nesting of groups.

    - `question`: a column for each answer, or for those answers and nets in `keep` (codes or labels), in that order.
    - `columns`: pairs of a label and what is in the column: an expression, or, with `question`, answers to put
      together (codes or labels).
    - `nest`: groups, outermost first; a column for each combination. With `subtotal`, each outer column has one for
      all of it first, which is not tested.

    `labels` gives other labels to some answers (by code) in this banner only; `only` is an expression that everybody
    in the group's columns satisfies.
    """

    question: str = ""
    label: str | None = None
    keep: tuple[str, ...] | None = None
    labels: Mapping[str, str] = field(default_factory=dict)
    columns: tuple[tuple[str, str | tuple[str, ...]], ...] = ()
    nest: tuple[BannerGroup, ...] = ()
    subtotal: bool = False
    only: str | None = None


TotalPlace = Literal["first", "last", "none"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Banner:
    """Groups of columns, side by side, and where the Total stands."""

    groups: tuple[BannerGroup, ...] = ()
    name: str = ""
    total: TotalPlace = "first"


@dataclass(frozen=True, slots=True, kw_only=True)
class BaseRules:
    """Minimum bases, each "below N" or None for no such rule.

    Below `mark` a column is marked, below `no_test` it takes part in no test, below `withhold` its figures are
    not shown. Judged per column on the question's base: unweighted, or effective. Raises RequestError for a
    threshold below 0.
    """

    mark: float | None = None
    no_test: float | None = None
    withhold: float | None = None
    judged_on: JudgedOn = "unweighted base"

    def __post_init__(self) -> None:
        for threshold in (self.mark, self.no_test, self.withhold):
            if threshold is not None and not 0 <= threshold < float("inf"):
                raise RequestError(f"A minimum base is a number from 0 up; got {threshold:g}.")


@dataclass(frozen=True, slots=True, kw_only=True)
class Digits:
    """Decimal places: of percents, of weighted counts and bases, of means and deviations."""

    percent: int = 0
    count: int = 0
    mean: int = 2

    def __post_init__(self) -> None:
        for digits in (self.percent, self.count, self.mean):
            if not 0 <= digits <= MOST_DIGITS:
                raise RequestError(f"Digits run from 0 to {MOST_DIGITS}; got {digits}.")

    def of(self, figure: str) -> int:
        """Give the decimal places of a figure."""
        if figure in PERCENTS or figure in ("difference", "index"):
            return self.percent
        if figure in ("unweighted count", "unweighted base"):
            return 0
        if figure == "effective base":
            return max(self.count, 1) if self.count else 0
        return self.count if figure in ("count", "weighted base") else self.mean


@dataclass(frozen=True, slots=True, kw_only=True)
class Sorting:
    """The order of a table's rows: by the first figure in a column (the Total unless named), by label or by code.

    `column` is a column's label, `group: label`, code or letter. Members stay with their net; "other", "none" and
    "don't know" stay at the end.
    """

    by: SortBy = "figure"
    up: bool = False
    column: str = "Total"


@dataclass(frozen=True, slots=True, kw_only=True)
class RowRules:
    """Which rows of a question a table shows, in which order.

    `hide` takes answers (codes or labels) out of view, nobody out of the base; `leave_out` takes those who gave them
    out of the base as well. `most` keeps only the first so many answers, `above` only those with more than so many
    percent of the Total; `drop_empty` leaves out answers nobody gave.
    """

    sort: Sorting | None = None
    hide: tuple[str, ...] = ()
    leave_out: tuple[str, ...] = ()
    most: int | None = None
    above: float | None = None
    drop_empty: bool = False


Shape = Literal["items by columns", "answers by items", "one under another"]


@dataclass(frozen=True, slots=True, kw_only=True)
class Items:
    """Several questions in one table: the items of a grid, or any questions that are alike.

    `shape` is "items by columns" (a row per question, one figure of each, across the banner), "answers by items" (a
    column per question, their common answers down) or "one under another" (whole questions, each under its heading).
    `figure` is the label of a net or answer, or "mean".
    """

    questions: tuple[str, ...]
    shape: Shape = "items by columns"
    figure: str = "mean"


@dataclass(frozen=True, slots=True, kw_only=True)
class TableRequest:
    """One table: a question by a banner, or several questions in one table (`items`; `question` then names them).

    With `value`, the cells sum up a third question, a number or scale, among those in the row and column.

    `figures` may be empty, which gives what suits the kind of question. `levels` are one or two confidence
    percents from 50 up to, not including, 100, strictest first; none switches the tests off. `base` is "answered",
    "all" (everyone the filters keep, with a row for no answer) or an expression that those in the base satisfy.
    `layer` names the answer of a control question that the filter chooses, `heading` the part of the report.
    Raises RequestError for levels or figures that cannot be had.
    """

    question: str
    items: Items | None = None
    value: str | None = None
    banner: Banner = Banner()
    id: str = ""
    title: str = ""
    figures: tuple[Figure, ...] = ()
    digits: Digits = Digits()
    filter: str | None = None
    layer: str = ""
    heading: str = ""
    base: str = "answered"
    rows: RowRules = RowRules()
    levels: tuple[float, ...] = (95.0,)
    rules: BaseRules = BaseRules()

    def __post_init__(self) -> None:
        check_levels(self.levels)
        unknown = [figure for figure in self.figures if figure not in FIGURES]
        if unknown:
            raise RequestError(f"No figure {unknown[0]!r}. Known: {', '.join(FIGURES)}.")


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
        raise RequestError(f"The stricter level stands first: write {levels[1]:g}, {levels[0]:g}.")
