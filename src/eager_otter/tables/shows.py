"""The contents of a table: one question, or several in one of the shapes that they can be in."""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar, Literal, TypeAlias

from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import Settings, settle
from eager_otter.errors import RequestError

Shape = Literal["items by columns", "answers by items", "one under another", "before by after"]
OF_ANSWERS = (
    "hide",
    "most",
    "above",
    "empty_rows",
    "headings",
    "no_answer",
)  # settings of rows that are answers


class Shows(Settings):
    """The base of all shapes of tables.

    `over_banner` tells those whose columns are the banner's, `one_figure` those that show one figure of each question
    in a row, `items_across` those whose columns are the items themselves, `of_moves` those of people who moved from
    one answer to another. `idle` names settings of a table that do nothing there, `why_idle` says why. `value` and
    `within` are those of one question.
    """

    over_banner: ClassVar[bool] = True
    one_figure: ClassVar[bool] = False
    items_across: ClassVar[bool] = False
    of_moves: ClassVar[bool] = False
    idle: ClassVar[tuple[str, ...]] = ()
    why_idle: ClassVar[str] = ""
    value: str | None = None
    within: tuple[str, ...] = ()

    @property
    def questions(self) -> tuple[str, ...]:
        """The questions whose rows it has."""
        raise NotImplementedError

    @property
    def name(self) -> str:
        """The subject of the table, in a word: its question, its grid, or all its questions."""
        return ", ".join(self.questions)

    @property
    def figures_named(self) -> frozenset[str]:
        """The figures that it names itself."""
        return frozenset()


@dataclass(frozen=True, slots=True)
class OneQuestion(Shows):
    """One question by the banner.

    With `value`, the cells sum up a third question, a number or scale, among those in the row and column. `within`
    names questions whose answers are, outermost first, over those of `question`, as indented rows.
    """

    question: str
    value: str | None = None
    within: tuple[str, ...] = ()

    @staticmethod
    def _taken(value: object) -> object:
        """Take the name of the question alone."""
        return {"question": value} if isinstance(value, str) else value

    @property
    def questions(self) -> tuple[str, ...]:
        """The question."""
        return (self.question,)


@dataclass(frozen=True, slots=True, kw_only=True)
class Items(Shows):
    """Several questions in one table: the items of a `grid`, or any questions that are alike.

    `labels` gives each a label of its own ("" for the question's). Raises RequestError where these are not as many.
    """

    items: tuple[str, ...]
    labels: tuple[str, ...] = ()
    grid: str = ""
    shape: ClassVar[Shape]

    def __post_init__(self) -> None:
        settle(self)
        self._check_each(self.labels, "labels")

    def _check_each(self, given: tuple[str, ...], what: str) -> None:
        if given and len(given) != len(self.items):
            raise RequestError(f"{len(self.items)} items, but {len(given)} {what}; each needs its own.")

    @property
    def questions(self) -> tuple[str, ...]:
        """The items."""
        return self.items

    @property
    def name(self) -> str:
        """The grid, or else all questions."""
        return self.grid or ", ".join(self.items)

    def label_of(self, place: int, usual: str) -> str:
        """Return the label of the item at a `place`: its own, or the `usual` one."""
        return (self.labels[place] if self.labels else "") or usual


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemsByColumns(Items):
    """A row per question, one figure of each, across the banner.

    `figure` is the label of a net or answer, "mean" or another summary; `figures` gives each question its own instead.

    `items` are the questions, `labels` their own labels here, `grid` the grid that they are of, "" for none.
    """

    figure: str = "mean"
    figures: tuple[str, ...] = ()
    shape: ClassVar[Shape] = "items by columns"
    one_figure: ClassVar[bool] = True
    idle: ClassVar[tuple[str, ...]] = (*OF_ANSWERS, "untested")
    why_idle: ClassVar[str] = "each row is an item"

    def __post_init__(self) -> None:
        settle(self)
        self._check_each(self.labels, "labels")
        self._check_each(self.figures, "figures")

    def figure_of(self, place: int) -> str:
        """Return the figure shown of the item at a `place`."""
        return self.figures[place] if self.figures else self.figure

    @property
    def figures_named(self) -> frozenset[str]:
        """The figures that it names itself."""
        return frozenset({self.figure, *self.figures})


@dataclass(frozen=True, slots=True, kw_only=True)
class AnswersByItems(Items):
    """A column per question, their common answers down, tested as answers of the same people.

    `items` are the questions, `labels` their own labels here, `grid` the grid that they are of, "" for none.
    """

    shape: ClassVar[Shape] = "answers by items"
    over_banner: ClassVar[bool] = False
    items_across: ClassVar[bool] = True
    idle: ClassVar[tuple[str, ...]] = ("banner", "figure")
    why_idle: ClassVar[str] = "the items are the columns"


@dataclass(frozen=True, slots=True, kw_only=True)
class OneUnderAnother(Items):
    """Whole questions, each under its heading.

    `items` are the questions, `labels` their own labels here, `grid` the grid that they are of, "" for none.
    """

    shape: ClassVar[Shape] = "one under another"
    idle: ClassVar[tuple[str, ...]] = ("figure",)
    why_idle: ClassVar[str] = "whole questions are shown"


@dataclass(frozen=True, slots=True, kw_only=True)
class BeforeByAfter(Items):
    """Two questions: who moved from which answer to which. Raises RequestError for any other number of questions.

    `items` are the questions, `labels` their own labels here, `grid` the grid that they are of, "" for none.
    """

    shape: ClassVar[Shape] = "before by after"
    over_banner: ClassVar[bool] = False
    of_moves: ClassVar[bool] = True
    idle: ClassVar[tuple[str, ...]] = ("banner", "figure", "base", "tests", "untested")
    why_idle: ClassVar[str] = (
        "the answers after are the columns, for those who answered both times, and nothing is tested"
    )

    def __post_init__(self) -> None:
        settle(self)
        self._check_each(self.labels, "labels")
        if len(self.items) != 2:
            raise RequestError("Before by after takes two questions: the one before, then the one after.")


Shown: TypeAlias = OneQuestion | ItemsByColumns | AnswersByItems | OneUnderAnother | BeforeByAfter
OF_SHAPE: Mapping[Shape, type[ItemsByColumns | AnswersByItems | OneUnderAnother | BeforeByAfter]] = {
    kind.shape: kind for kind in (ItemsByColumns, AnswersByItems, OneUnderAnother, BeforeByAfter)
}
