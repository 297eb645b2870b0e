"""A finished table: numbers that are still numbers, with their labels, letters, marks and notes."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import field, replace
from itertools import takewhile
from math import isnan
from pathlib import Path
from typing import TYPE_CHECKING, Literal, NamedTuple, Protocol, get_args

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray, ratio
from eager_otter.core.means import moments
from eager_otter.core.quantiles import Cut
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.documents.translated import joined
from eager_otter.errors import RequestError, UnknownName
from eager_otter.figures.figure import LineFigure
from eager_otter.figures.registry import line_figure
from eager_otter.gates.viewed import saved
from eager_otter.looks.words import ENGLISH, Words
from eager_otter.tables.association import Association, Crossing, associate
from eager_otter.tables.comparing import Comparisons
from eager_otter.tables.explanation import Explanation
from eager_otter.tables.facts import Facts
from eager_otter.tables.lookup import find_column, find_line
from eager_otter.tables.note import Note, NotesLength, notes_shown
from eager_otter.tables.request import BaseRules, Digits, TestRules
from eager_otter.tables.testing import Tested, Trend

if TYPE_CHECKING:
    import pandas as pd


Mark = Literal["", "low base", "not tested", "withheld", "not asked", "partly offered"]
RowKind = Literal["base", "answer", "net", "summary", "heading"]
ColumnRole = Literal[
    "total",
    "point",
    "subtotal",
    "difference",
    "trend",
    "item",
    "figure",
    "parent",
    "rest",
    "control",
]
TableShape = Literal[
    "one question",
    "items by columns",
    "answers by items",
    "one under another",
    "before by after",
    "one way",
    "banner",
]

MARKS: tuple[Mark, ...] = get_args(Mark)


@dataclass(frozen=True, slots=True, kw_only=True)
class Column:
    """A banner column. Its `role` says what it is: the total, a point of the banner, what else it holds.

    - "total", of everybody; "point", an answer, net or expression, the only ones with a `letter`; "subtotal", of all
      under an outer answer; "difference", one column minus another; "trend", the marks of trends over the columns
      before; "item", a question of several side by side; "figure", one of several figures of a one-way table.
    - Counted for tests and percents alone, never shown: "parent", of all under an outer answer; "rest", of everybody
      not in a column; "control", a column that is elsewhere in the banner.

    `code` is the answer it stands for, `number` its place among the columns counted. A `hidden` column is counted, not
    shown. A `difference` shows one column minus another, both by their numbers, and has no base. `fixed` is the English
    word that the label says, where it is one of ours ("Total").

    `label` is over it, `group` is the head above, `question` the question whose answer it is.
    """

    label: str
    role: ColumnRole = "point"
    group: str = ""
    letter: str = ""
    question: str = ""
    code: str = ""
    number: int = 0
    hidden: bool = False
    difference: tuple[int, int] | None = None
    fixed: str = ""

    @property
    def compared(self) -> bool:
        """Whether tables compare it with others of its group, so that it has a letter."""
        return self.role in ("point", "item") and not self.hidden

    @property
    def path(self) -> str:
        """Its label with the head it is under."""
        return f"{self.group}: {self.label}" if self.group else self.label


@dataclass(frozen=True, slots=True, kw_only=True)
class Group:
    """The banner columns `start` to `stop` (not included) under one head.

    In a nesting, `outer` holds the heads above it, the outermost first. One whose columns are waves, or other times, is
    `over_time`.

    `label` is the head.
    """

    label: str
    start: int
    stop: int
    outer: tuple[str, ...] = ()
    over_time: bool = False

    @property
    def path(self) -> str:
        """Its head in one line: in a nesting with the answers it is under."""
        return joined(": ", (*self.outer[1:], self.label))


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Evidence:
    """The evidence of a line: row `row` of some sums, the sums of its base (one row), and the tests made.

    `tested` are those of pairs of columns, `trends` those of columns in their order. `of` (columns,) is what a percent
    is a percent of, `cuts` where a quantile cuts the values, `judged` (columns,) the places in MARKS where the base
    alone does not tell them. All have an entry per column counted, in the order of `Table.counted`.
    """

    row: int
    sums: Sums
    base: Sums
    tested: Tested | None = None
    trends: tuple[Trend, ...] = ()
    of: FloatArray | None = None
    cuts: tuple[Cut, ...] = ()
    judged: IntArray | None = None

    def figures(self) -> FloatArray:
        """Return what was tested of each column counted: percents or means, NaN where there is none."""
        if self.tested is not None and self.tested.kind == "median":
            return np.array([cut.value for cut in self.cuts])
        if self.tested is None or self.tested.kind in ("share", "paired share"):
            return ratio(100.0 * self.sums.w[self.row], self.base.w[0])
        return np.asarray(moments(self.values).mean[self.row])

    @property
    def values(self) -> ValueSums:
        """The sums, of a line of values."""
        assert isinstance(self.sums, ValueSums)
        return self.sums


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Line:
    """One kind of figure of one row: `values`, `letters` and `marks` have one entry a column.

    `values` are at full precision; percents run from 0 to 100; NaN where a figure does not exist or is
    withheld (the mark tells which). A `signed` line shows the signs of its columns' marks. `fixed` is the English word
    that the label says, where it is one of ours ("Mean"). `question` is the one whose row it is; an interval has a
    `level`, a confidence percent; `no_answer` tells the rows of those who gave none; one that `keeps_end` (other, none,
    don't know) stays last where rows are sorted. `parts` are the lines that a line with another figure in each column
    is made of, None where the row has no such figure.

    `label` names the row, `kind` what it is ("base", "answer", "net", "summary", "heading"), `figure` the figure,
    `code` the answer, `indent` how deep it is; `evidence` is what its figures were computed and tested from, None
    for a line that was not.
    """

    label: str
    kind: RowKind
    figure: str
    values: FloatArray
    letters: tuple[str, ...]
    marks: tuple[Mark, ...]
    code: str = ""
    indent: int = 0
    signed: bool = False
    fixed: str = ""
    evidence: Evidence | None = None
    question: str = ""
    level: float | None = None
    no_answer: bool = False
    keeps_end: bool = False
    parts: tuple[Line | None, ...] = ()

    @property
    def shows(self) -> LineFigure:
        """The kind of figure it holds, as an object that says all there is to know of it."""
        return line_figure(self.figure)

    def figure_of(self, column: int) -> str:
        """Return the kind of figure in a column: that of the line, but where each column shows another one of its row.

        It is "" where the row has no such figure.

        `column` is the place of a column.
        """
        if not self.parts:
            return self.figure
        part = self.parts[column]
        return "" if part is None else part.figure

    @property
    def path(self) -> str:
        """Its label with the question whose row it is."""
        return f"{self.question}: {self.label}" if self.question else self.label

    def continues(self, before: Line | None) -> bool:
        """Whether it shows one more figure of the row that the line before shows.

        `before` is the line above, None for the first.
        """
        return before is not None and before.row == self.row and before.kind != "heading"

    @property
    def row(self) -> RowKey:
        """The key that tells its row from others."""
        return RowKey(self.question, self.kind, self.code, self.label)


class RowKey(NamedTuple):
    """The key of a row of a table: its question, its kind, the code of its answer, its label."""

    question: str
    kind: RowKind
    code: str
    label: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Record:
    """One figure of the tidy form: a number in `value` (None where there is none), or letters in `text`."""

    table: str
    title: str
    part: str
    question: str
    row: str
    row_kind: str
    row_code: str
    group: str
    column: str
    letter: str
    figure: str
    value: float | None
    text: str
    mark: str


class Drawn(Protocol):
    """A chart of a table: shows itself in a notebook."""

    def save(self, path: str | Path) -> Path:
        """Write it as .png or .svg."""


class Asker(Protocol):
    """An object that can answer questions about a finished table."""

    def explain(self, table: Table, row: str, column: str, figure: str | None) -> Explanation:
        """Return the working of a cell."""

    def displayed(self, table: Table) -> Table:
        """Lay a table out as people read it."""


class Viewer(Protocol):
    """An object that can show a table to a person."""

    def text(self, table: Table, width: int | None = None) -> str:
        """Lay a table out for a terminal `width` characters wide (None: as wide as the terminal is)."""

    def html(self, table: Table) -> str:
        """Lay a table out as a piece of HTML."""

    def picture(self, table: Table, group: str = "") -> Drawn:
        """Draw a table: the columns of a banner group, or the usual ones."""


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Table:
    """A question by a banner, finished. Renderers lay it out; they compute nothing.

    `shape` says what is down and across. `columns` hold the Total first, last or not at all; `lines` start with the
    bases; `notes` are whole sentences; `people` is the Total's unweighted base. `counted` are the columns as they were
    counted, hidden ones among them, each at the place that is its number; `facts`, `base_rules`,
    `tests` and `base` tell how they were chosen, judged and tested. `chart_groups` are the banner groups that charts
    are wanted of ("all" for every one). `words` said its fixed texts. A table laid out for reading only names the
    `logical` one.

    `id` and `title` name it, `question` is what it is of; `part` is the answer that it is narrowed to, `heading` the
    section of the report. `groups` are heads over columns; `digits` are decimal places, `levels` confidence percents;
    `weighted` tells whether weights were used. `comparisons` are the pairs of columns that were tested, `crossings`
    what tests of the whole table rest on; `viewer` shows it, `asker` answers what is asked of its cells.
    """

    id: str
    title: str
    question: str
    shape: TableShape
    columns: tuple[Column, ...]
    groups: tuple[Group, ...]
    lines: tuple[Line, ...]
    notes: tuple[Note, ...]
    digits: Digits
    levels: tuple[float, ...] = ()
    weighted: bool = False
    people: int = 0
    part: str = ""
    heading: str = ""
    viewer: Viewer | None = None
    asker: Asker | None = None
    counted: tuple[Column, ...] = ()
    comparisons: Comparisons | None = None
    facts: Facts | None = None
    base_rules: BaseRules = field(default_factory=BaseRules)
    tests: TestRules = field(default_factory=TestRules)
    base: str = "answered"
    crossings: tuple[Crossing, ...] = ()
    chart_groups: tuple[str, ...] = ()
    words: Words = ENGLISH
    logical: Table | None = None

    @checked
    def notes_shown(self, length: NotesLength = "short") -> tuple[str, ...]:
        """Return the notes as they are under the table: in a few lines, all in "full", or with "none" what must stay.

        Notes that must stay explain a mark or a letter, say that something was not tested, or were asked for.

        `length` is "short", "full" or "none".
        """
        return notes_shown(self.notes, length)

    @property
    def displayed(self) -> Table:
        """The table as people read it: a one-way table with several figures has them side by side."""
        return self if self.logical is not None or self.asker is None else self.asker.displayed(self)

    def __repr__(self) -> str:
        """Show the table itself, as a terminal shows it."""
        if self.viewer is not None:
            return self.viewer.text(self)
        return f"<Table {self.id!r}: {len(self.lines)} lines × {len(self.columns)} columns>"

    def _repr_html_(self) -> str | None:
        return None if self.viewer is None else self.viewer.html(self)

    @checked
    def save(self, path: str | Path, *, force: bool = False) -> Path:
        """Write it to a file by its ending, as a report of one table: .xlsx, .html, .pdf, .pptx, .csv and so on.

        A file that was not made by this package is replaced only with `force`. Raises RequestError for another ending,
        FileProblem.

        `path` is where; its folder is there already.
        """
        return saved(self, Path(path), force=force)

    @property
    def loose(self) -> tuple[int, ...]:
        """The columns that are in no group: the Total."""
        inside = {k for group in self.groups for k in range(group.start, group.stop)}
        return tuple(k for k in range(len(self.columns)) if k not in inside)

    @property
    def bases(self) -> tuple[Line, ...]:
        """The base lines: unweighted first, then, in a weighted table, weighted and effective."""
        return tuple(line for line in self.lines if line.kind == "base")

    @property
    def leading(self) -> tuple[int, ...]:
        """The places of the base lines at the top, which are repeated wherever a table is cut."""
        return tuple(k for k, _ in enumerate(takewhile(lambda line: line.kind == "base", self.lines)))

    @property
    def body(self) -> tuple[Line, ...]:
        """The lines under the bases."""
        return tuple(line for line in self.lines if line.kind != "base")

    @property
    def column_marks(self) -> tuple[Mark, ...]:
        """The mark of each column as a whole, judged on the question's base."""
        return self.lines[0].marks

    def outer_heads(self) -> list[list[Group]]:
        """Return the heads above the groups, the outermost level first: groups without one leave a gap."""
        deepest = max((len(group.outer) for group in self.groups), default=0)
        levels: list[list[Group]] = []
        for depth in range(deepest):
            level: list[Group] = []
            before: tuple[str, ...] = ()
            for group in self.groups:
                path = group.outer[: depth + 1]
                if len(path) == depth + 1 and level and path == before and level[-1].stop == group.start:
                    level[-1] = replace(level[-1], stop=group.stop)
                elif len(path) == depth + 1:
                    level.append(Group(label=path[-1], start=group.start, stop=group.stop, outer=path[:-1]))
                before = path
            levels.append(level)
        return levels

    @property
    def figures(self) -> tuple[str, ...]:
        """The kinds of figure in the table, in the order they first appear."""
        return tuple(dict.fromkeys(line.figure for line in self.lines if line.kind != "heading"))

    @checked
    def frame(self, figure: str | None = None) -> pd.DataFrame:
        """Return a figure as a frame, rows by banner columns; without a figure, the tidy form (one record a figure).

        Rows are labelled by row label, columns by group and label. `figure` is one of `figures`, or "letters".
        Raises UnknownName for a figure that the table does not hold.

        Example: `table.frame("column percent")`.
        """
        import pandas as pd

        if figure is None:
            return pd.DataFrame(list(self.records()), columns=list(Record.__slots__))
        lines = self._lines_of(figure)
        data = [line.letters if figure == "letters" else line.values for line in lines]
        columns = pd.MultiIndex.from_tuples(
            [(column.group, column.label) for column in self.columns], names=["group", "column"]
        )
        index = pd.Index([line.label for line in lines], name=self.question)
        return pd.DataFrame(data, index=index, columns=columns)

    def _lines_of(self, figure: str) -> list[Line]:
        if figure == "letters":
            return [line for line in self.body if any(line.letters)] or list(self.body)
        lines = [line for line in self.lines if line.figure == figure]
        if not lines:
            raise UnknownName("figure", figure, [*self.figures, "letters"], f"table {self.id!r}")
        return lines

    @checked
    def value(self, row: str, column: str, figure: str | None = None) -> float:
        """Return one figure by labels or codes: NaN where it does not exist or is withheld.

        `row` is a row's label or code, `column` a column's label, code or letter; where a label is in
        several groups, write `group: label`, and `question: label` where it is a row of several questions. `figure` may
        be left out where the row has one. Raises UnknownName, and RequestError where a name fits several.
        """
        line = self.line(row, figure)
        return float(line.values[self.column_position(column)])

    @checked
    def line(self, row: str, figure: str | None = None) -> Line:
        """Find a line by a row's label or code, or `question: label`, and a figure where the row has several.

        Raises UnknownName, and RequestError where a name fits rows of several questions.

        `row` is a label, or `head: label` where it appears twice, or a code; `figure` is one of the row's, None for the
        first.
        """
        named = [line for line in self.lines if line.kind != "heading"]
        return find_line(named, row, figure, f"table {self.id!r}")

    @checked
    def column_position(self, name: str) -> int:
        """Find a column by label, `group: label`, code or letter. Raises UnknownName, RequestError.

        `name` is a label, `group: label`, code or letter.
        """
        return find_column(self.columns, name, f"table {self.id!r}")

    @checked
    def chart(self, group: str = "") -> Drawn:
        """Draw the table: the picture shows itself in a notebook, and `save` writes it as .png or .svg.

        `group` is the banner group whose columns are drawn, by label or question; left out, the first with at most six
        columns, else the Total. Raises RequestError for a table without percents, means or scores, or without a viewer,
        UnknownName for a group that the banner does not have, MissingPackage without Matplotlib.

        Example: `table.chart().save("heard_of.png")`.
        """
        if self.viewer is None:
            raise RequestError(
                "This table has no viewer that could draw it; open the survey with open_survey."
            )
        return self.viewer.picture(self, group)

    @checked
    def explain(self, row: str, column: str, figure: str | None = None) -> Explanation:
        """Return the working of a cell: who is counted, the formula with its numbers, the test behind each letter.

        Takes what `value` takes. Raises UnknownName, RequestError.

        `row`, `column` and `figure` are as for `value`.

        Example: `print(table.explain(row="Tarn", column="North"))`.
        """
        if self.asker is None:
            raise RequestError("This table was not made from a survey, so its cells cannot be explained.")
        return self.asker.explain(self, row, column, figure)

    def associations(self) -> tuple[Association, ...]:
        """Test the whole table, each banner group for itself: test, the measure that fits, its size in words.

        Only groups whose columns share nobody can be tested; others say why not. Columns that are too thin for tests
        stay out. A multiple response, numbers, several items of the same people and control answers are tested where
        the table was asked for it (`TestRules.whole_table`); else there are only those of a single question.
        """
        return tuple(
            associate(
                crossing,
                np.array(
                    [mark in ("not tested", "withheld", "not asked") for mark in crossing.marks], np.bool_
                ),
            )
            for crossing in self.crossings
        )

    @checked
    def records(self, *, whole_table: bool = False) -> Iterator[Record]:
        """Go through the tidy form: one record per figure, and one per cell that carries letters.

        With `whole_table`, the tests and measures of the whole table follow, where the table was asked for some: the
        row names the test or measure, the figure what is given of it.
        """
        for line, entries in self.entries():
            for k, figure, value, text in entries:
                column = self.columns[k]
                yield Record(
                    table=self.id,
                    title=self.title,
                    part=self.part,
                    question=line.question,
                    row=line.label,
                    row_kind=line.kind,
                    row_code=line.code,
                    group=column.group,
                    column=column.label,
                    letter=column.letter,
                    figure=figure,
                    value=value,
                    text=text,
                    mark=line.marks[k],
                )
        if whole_table:
            yield from self.whole_table_records()

    def entries(self) -> Iterator[tuple[Line, Iterator[tuple[int, str, float | None, str]]]]:
        """Go through the lines with their figures and letters: place of the column, name of the figure, value, text."""
        for line in self.lines:
            if line.kind != "heading":
                yield line, self._entries_of(line)

    def _entries_of(self, line: Line) -> Iterator[tuple[int, str, float | None, str]]:
        figure = line.figure
        for k, value in enumerate(line.values.tolist()):
            if self.columns[k].role != "trend":
                yield k, figure, None if isnan(value) else value, ""
            if line.letters[k]:
                yield k, "letters", None, line.letters[k]

    def whole_table_records(self) -> Iterator[Record]:
        """Go through the tests and measures that are under the table."""
        wanted = self.tests.whole_table
        if wanted == "none":
            return
        for one in self.associations():
            if one.on_demand and wanted != "all":
                continue
            for name, figure, value in one.numbers(every=wanted == "all"):
                if not np.isnan(value):
                    yield Record(
                        table=self.id,
                        title=self.title,
                        part=self.part,
                        question=self.question,
                        row=f"{name} within {one.within}" if one.within else name,
                        row_kind="whole table",
                        row_code="",
                        group=one.group,
                        column="",
                        letter="",
                        figure=figure,
                        value=value,
                        text="",
                        mark="",
                    )


def tests_in(lines: Iterable[Line]) -> tuple[int, int]:
    """Count the tests behind lines, each once: those of pairs of columns, and those of trends, which none corrects."""
    shown = list(lines)
    trends = {
        (id(trend.tests), line.evidence.row)
        for line in shown
        if line.evidence is not None
        for trend in line.evidence.trends
        if trend.made(line.evidence.row)
    }
    return sum(tested.made(row) for _, tested, row in tested_rows(shown)), len(trends)


def tested_rows(lines: Iterable[Line]) -> Iterator[tuple[Line, Tested, int]]:
    """Go through the tests behind lines, each row's once however many of its figures are shown: line, tests, row."""
    seen: set[tuple[int, int]] = set()
    for line in lines:
        if line.evidence is None or line.evidence.tested is None:
            continue
        key = id(line.evidence.tested), line.evidence.row
        if key not in seen:
            seen.add(key)
            yield line, line.evidence.tested, line.evidence.row
