"""The settings of a table in a call: the settings of a plan's entry, typed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, Protocol, TypeAlias, TypedDict

from eager_otter.codebook.model import Codebook
from eager_otter.figures.names import FigureName, PercentileName
from eager_otter.looks.words import Words
from eager_otter.tables.request import (
    Against,
    Banner,
    BannerGroup,
    BaseRules,
    Digits,
    RowRules,
    SortBy,
    Sorting,
    TableRequest,
    TestRules,
)

Setting: TypeAlias = Mapping[str, object]  # a part of a plan, as a mapping
Names: TypeAlias = str | Sequence[str]
GroupGiven: TypeAlias = str | BannerGroup | Setting | Sequence["str | BannerGroup | Setting"]
BannerGiven: TypeAlias = str | Banner | BannerGroup | Setting | Sequence[GroupGiven]
FiguresGiven: TypeAlias = FigureName | PercentileName | Sequence[FigureName | PercentileName]
EntryGiven: TypeAlias = str | Setting | TableRequest


class ItemsSettings(TypedDict, total=False):
    """The settings of a table of several questions: those of an entry of a plan, with underscores for blanks.

    - `figures`: names of figures, one or several; left out, they suit the question.
    - `levels`: one or two confidence percents, strictest first; `[]` makes no tests.
    - `tests`: what is compared and how: `TestRules`, a mapping as in a plan, "rest" and the like, or "none".
    - `bases`: minimum bases: `BaseRules` or a mapping as in a plan: `{"mark below": 75}`.
    - `rows`: `RowRules`, or a mapping of its fields, instead of `sort`, `hide` and the others that follow.
    - `sort`: "figure", "label", "code", "up", "down", `Sorting` or a mapping.
    - `hide`, `leave_out`, `untested`: answers by code or label; out of view, out of the base, out of tests.
    - `most`: only the first so many answers; `above`: only those above so many percent of the Total.
    - `empty_rows`: "keep" or "drop" answers that nobody gave; `headings`: a heading by the answer that it precedes.
    - `filter`: an expression that narrows this table; `base`: "answered", "all", "complete answers" or an expression.
    - `no_answer`: with base "all", "one row" or "by reason"; `base_text`: who is in the base, in words.
    - `percent_of`, `difference_from`, `outer_level`: what the figures of these names rest on.
    - `digits`: decimal places: of percents, or a mapping by "percent", "count", "mean" or figure.
    - `title`, `id`, `note`: text of its own; `chart_group`: banner groups that charts are wanted of.
    - `repeat`: a question; the table is made again for each of its answers (`Survey.tables` only).
    """

    figures: FiguresGiven
    levels: float | Sequence[float]
    tests: TestRules | Against | Literal["none"] | Setting | None
    bases: BaseRules | Setting | None
    rows: RowRules | Setting | None
    sort: Sorting | SortBy | Literal["up", "down"] | Setting | None
    hide: Names
    leave_out: Names
    untested: Names
    most: int | None
    above: float | None
    empty_rows: Literal["keep", "drop"]
    headings: Mapping[str, str]
    filter: str | None
    base: str
    no_answer: Literal["one row", "by reason"]
    base_text: str
    percent_of: str
    difference_from: str
    outer_level: int
    digits: Digits | int | Mapping[str, int] | None
    title: str
    id: str
    note: str
    chart_group: Names
    repeat: str


class TableSettings(ItemsSettings, total=False):
    """The settings of a table of one question: those of several, and two more.

    - `within`: questions whose answers are over those of this one, outermost first.
    - `value`: a number or scale that the cells sum up (mean spend by answer and column).
    """

    within: Names
    value: str | None


class RequestReader(Protocol):
    """Makes requests of an entry as a plan does, through the same checks."""

    def __call__(
        self, entry: Mapping[str, object], codebook: Codebook, words: Words, *, weighted: bool
    ) -> list[TableRequest]:
        """Raise RequestError with every mistake, UnknownName."""
