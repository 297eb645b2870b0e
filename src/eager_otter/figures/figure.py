"""A figure: one object that knows its name, how it is written, computed, tested, explained and noted."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import field
from functools import cached_property
from typing import Literal, Protocol

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import FloatArray, IntArray, ratio
from eager_otter.core.means import MeanMethod, Moments, moments
from eager_otter.core.proportions import SharedPairs
from eager_otter.core.quantiles import Cut
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.dataclass import dataclass
from eager_otter.figures.working import Built, CellWorking
from eager_otter.looks.words import Words

Unit = Literal["percent", "limit", "points", "count", "plain"]
Digits = Literal["percent", "count", "mean", "whole", "effective"]
Source = Literal["answers", "values", "base", ""]
TestOf = Literal["shares", "means", "medians", "counts", "never", ""]
Difference = Literal["subtracted", "own", "none"]

Computed = tuple[
    FloatArray, FloatArray | None
]  # (rows, columns); what they are percents of (rows or 1, columns)


class LineFigure(ABC):
    """One kind of number that lines of a table hold. Its attributes say all that a reader of a line needs to know.

    - `name`: as in plans and tidy files; `called` is what readers are told instead, where the two differ.
    - `sign` is beside its row, `head` over its column in a one-way table, `label` is that of a row of its own.
    - `unit`: "percent"; "limit", a percent where 0 is not nobody; "points"; "count", of people; or "plain".
    - `digits`: whose decimal places it has; "whole" and "effective" follow those of counts.
    - `source`: what it is computed from, the counts of "answers" and nets, "values", or a "base".
    - `tested`: "shares" or "means" where a test is made of it, "medians" where one is made on demand, "counts" where it
      carries the letters of percents that
      are not shown; "never" where the notes name it as untested; "" where there is nothing to test.
    - `difference`: how a column that shows a difference gets it: "subtracted", the figure's "own", or "none".
    - `in_row`: whether those behind a cell are those in the row, not all in the base.
    - `has_level`: whether it is the end of an interval, which has a confidence level.
    - `of_groups`: whether only columns of a banner group have it, so that it is blank in the Total.
    - `drawn_alone`: whether a chart shows it where there are no percents.
    - `note`: what the notes say of it, with places for {answer}, {column} and {level}.
    """

    name: str = ""
    called: str = ""
    sign: str = ""
    head: str = ""
    label: str = ""
    unit: Unit = "plain"
    digits: Digits = "mean"
    source: Source = "answers"
    tested: TestOf = ""
    difference: Difference = "subtracted"
    side_by_side: bool = False
    in_row: bool = False
    has_level: bool = False
    of_groups: bool = False
    drawn_alone: bool = False
    note: str = ""
    of_score: bool = False

    @abstractmethod
    def working(self, cell: CellWorking) -> Built:
        """Return the formula of a cell, the same with its numbers, and these by name."""

    def also(self, _: CellWorking) -> str:
        """Return what the figure's test, or the figure, rests on beside its formula; "" for nothing."""
        return ""

    def sign_in(self, words: Words, level: float | None = None) -> str:
        """Say its short sign."""
        if "{level}" in self.sign:
            return words(self.sign, level=level) if level is not None else words(self.sign)
        return words(self.sign) if self.sign else ""

    def label_in(self, words: Words, level: float | None = None) -> str:
        """Say the label of its row."""
        return words(self.label) if level is None else words(self.label, level=level)


@dataclass(frozen=True, slots=True, kw_only=True)
class Asked:
    """The properties of a table that decide which figures it can have.

    `nested_rows` and `nested_banner` tell whether rows or columns are nested, `without_total` that there is no Total,
    `grouped` that the banner has groups.
    """

    question: Question
    without_total: bool = False
    grouped: bool = True
    nested_rows: bool = False
    nested_banner: bool = False


class Figure(ABC):
    """A figure that can be asked for by its `name`; `rank` is its place among all.

    `ends` are the two lines of an interval, which is no line itself. `setting` is the key of the setting that goes with
    it; `needs_total` tells those that rest on the Total, `of_moves` those of people who moved from one answer to
    another, `of_cells` those of a third question in each cell. `other_words` are what else it is called: who writes one
    is told its name.
    """

    name: str = ""
    other_words: tuple[str, ...] = ()
    rank: int = 0
    setting: str = ""
    needs_total: bool = False
    of_moves: bool = False
    of_cells: bool = False
    ends: tuple[LineFigure, ...] = ()

    @property
    def lines(self) -> tuple[LineFigure, ...]:
        """The kinds of lines it puts into a table: itself, or the ends of an interval."""
        if isinstance(self, LineFigure):
            return (self,)
        return self.ends

    def why_not(self, asked: Asked) -> str:
        """Say why a table cannot have it; "" where it can. Needs no data."""
        if asked.without_total and self.needs_total:
            return "items side by side have no Total"
        return self._not_of(asked)

    @abstractmethod
    def _not_of(self, asked: Asked) -> str:
        """Say why a question cannot have it; "" where it can."""


class CellRow(Protocol):
    """A row that counts people: its place among the counted rows, and what it is."""

    @property
    def source(self) -> int:
        """Its place among the counted rows."""

    @property
    def kind(self) -> str:
        """Whether it is an "answer" or a "net"."""

    @property
    def mention(self) -> bool:
        """Whether it counts as a mention."""

    @property
    def no_answer(self) -> bool:
        """Whether it is of those who gave no answer."""


class Cells(Protocol):
    """The counts that figures of answers are computed from."""

    @property
    def answers(self) -> Sums:
        """The sums of answers and nets: (rows, columns)."""

    @property
    def base(self) -> Sums:
        """The sums of their base: (1, columns)."""

    @property
    def beside(self) -> Sums | None:
        """The sums of those who are also in the column named, where they were counted."""

    @property
    def level(self) -> float:
        """The confidence percent of intervals."""

    @property
    def percents(self) -> FloatArray:
        """Column percents: (rows, columns)."""

    @property
    def unanswered(self) -> FloatArray:
        """The weight of those in the base who gave no answer: (1, columns)."""

    def rows_shown(self) -> Sequence[CellRow]:
        """Return the rows in the order in which they are shown."""

    def mentions(self) -> list[int]:
        """Return the places of the rows that are mentions."""

    def answer_named(self) -> int:
        """Return the place of the answer that a percent is wanted of."""

    def column_named(self) -> int:
        """Return the place of the column that a difference is wanted from."""

    def outer_columns(self) -> IntArray:
        """Give, per column, the column of the outer head it is under; itself where it is under none."""

    def groups_apart(self) -> Sequence[Sequence[int]]:
        """Return the places of the compared columns of each banner group whose columns share nobody."""

    def difference_pairs(self) -> tuple[IntArray, IntArray]:
        """Return the pairs (pairs, 2) whose difference a column shows, and the places of these columns."""

    def overlap_of(self, pairs: IntArray) -> FloatArray:
        """Return the correlation of pairs of columns that share people."""


class AnswerFigure(Figure):
    """A figure of every answer and net."""

    @abstractmethod
    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Compute it for all counted rows: one entry for each of its lines."""

    def has(self, _: CellRow) -> bool:
        """Return whether a row has it."""
        return True

    def moved(self, _w: FloatArray, _base: FloatArray) -> FloatArray | None:
        """Compute it of people who moved from one answer to another; None where it is of cells alone.

        Weights (columns,) on bases (columns,), the Total first.
        """
        return None

    def _not_of(self, asked: Asked) -> str:
        if asked.question.is_of.of_values:
            return "a number has no answers, only summaries such as mean and median; cut it into bands for percents"
        return ""


class CellFigure(AnswerFigure, LineFigure):
    """A figure of answers that is one line, of those in the row and the column."""

    side_by_side = True
    in_row = True


class Percent(CellFigure):
    """A percent of some base: 100 × weighted count / that base. `of_what` says in words what the base is."""

    unit = "percent"
    digits = "percent"
    tested: TestOf = "never"
    of_what: str = ""

    @abstractmethod
    def base_of(self, cells: Cells) -> FloatArray:
        """Return what it is a percent of: (rows or 1, columns)."""

    def compute(self, cells: Cells) -> Sequence[Computed]:
        """Divide the weighted counts by the base."""
        of = self.base_of(cells)
        return [(ratio(100.0 * cells.answers.w, of), of)]

    def working(self, cell: CellWorking) -> Built:
        """Show the count and what it is divided by."""
        formula = f"100 × weighted count / {self.of_what}"
        return cell.worked(formula, "100 × {count} / {base}", count=cell.total("w"), base=cell.of)


@dataclass(slots=False, kw_only=True, eq=False)
class Values:
    """The sums that summaries are computed from: the sums of values by column (1, columns), and how quantiles cut them.

    `pairs` and `places` are the columns that show a difference, and of which two; `shared` finds who is in both, and
    `means` is the test of means, whose error an interval of a difference takes. `cut` finds where shares of weight
    (columns,), NaN for none, cut the values of each column.
    """

    sums: ValueSums
    level: float
    pairs: IntArray
    places: IntArray
    shared: Callable[[IntArray], SharedPairs]
    means: MeanMethod
    cut: Callable[[FloatArray], Sequence[Cut]]
    _cuts: dict[float, tuple[Cut, ...]] = field(default_factory=dict)

    @cached_property
    def moments(self) -> Moments:
        """The moments of the values in each column."""
        return moments(self.sums)

    def cuts(self, share: float) -> tuple[Cut, ...]:
        """Find where a quantile cuts the values of each column, once."""
        if share not in self._cuts:
            self._cuts[share] = tuple(self.cut(np.full(self.sums.n.shape[1], share)))
        return self._cuts[share]

    def there(self, ends: FloatArray | None) -> FloatArray:
        """Return the ends of values (1, columns) as (columns,), NaN where nobody has a value."""
        assert ends is not None
        return np.where(self.sums.n[0] > 0, ends[0], np.nan)


class ValueFigure(Figure):
    """A summary of values: of a number, of the scores of a scale, or with `of_mentions` of the number of mentions."""

    of_mentions: bool = False
    of_cells = True

    @abstractmethod
    def compute(self, values: Values) -> Sequence[FloatArray]:
        """Compute it for each column (columns,): one entry for each of its lines."""

    def cuts(self, _: Values) -> tuple[Cut, ...]:
        """Return where it cuts the values of each column; () where it is no quantile."""
        return ()

    def _not_of(self, asked: Asked) -> str:
        question = asked.question
        if self.of_mentions:
            return "" if question.is_of.several else "only a multiple-response question has mentions"
        if question.is_of.of_values or (question.scale and not asked.nested_rows):
            return ""
        return "nested rows have no scores" if asked.nested_rows else "it is neither a number nor a scale"


class Summary(ValueFigure, LineFigure):
    """A summary of values that is one line."""

    source = "values"
    tested: TestOf = "never"


class BaseLine(LineFigure):
    """A base, or what follows from one: a line over the rows. `short` names it in a plan, `rank` is its place.

    `weighted_only` tells those that only a weighted table has; `on_demand` those that stand where a plan names them.
    """

    source = "base"
    difference = "none"
    short: str = ""
    rank: int = 0
    weighted_only: bool = False
    on_demand: bool = False

    @abstractmethod
    def compute(self, base: Sums, level: float) -> FloatArray:
        """Compute it for each column (columns,) of the sums of a base (1, columns), at a confidence percent."""
