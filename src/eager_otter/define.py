"""The parts of a codebook as objects: questions of every kind, their answers, nets, bands and merges.

    from eager_otter import codebook_of, define

    codebook = codebook_of({"questions": {
        "region": define.Single(answers={1: "North", 2: "South"}),
        "age": define.Number(),
        "age_band": define.Bands(of="age", ranges=["16-34", "35+"]),
    }})

Each stands for the mapping that a codebook file would hold, which may be given in its place: see
docs/reference/codebook.md.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Literal, TypeAlias

from eager_otter.codebook import file
from eager_otter.codebook.model import LengthOfTime
from eager_otter.dataclass import dataclass
from eager_otter.documents.checking import check
from eager_otter.documents.definition import Definition
from eager_otter.documents.part import Part
from eager_otter.documents.values import values_of
from eager_otter.errors import RequestError

Code: TypeAlias = str | int | float
Entry: TypeAlias = Mapping[str, object]

__all__ = [
    "Answer",
    "Bands",
    "Combine",
    "Compute",
    "Date",
    "Derive",
    "Difference",
    "Grid",
    "Item",
    "Merge",
    "Multi",
    "Net",
    "Number",
    "Periods",
    "Ranking",
    "Single",
    "Text",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class _Checked(Definition):
    """A definition that is checked by the rules for files when it is made. Raises RequestError."""

    def __post_init__(self) -> None:
        values = values_of(self.as_mapping())
        _, problems = check(self._part, values.data, values, ())
        if problems:
            raise RequestError("\n".join(f"define.{type(self).__name__}: {problem}" for problem in problems))


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer(_Checked):
    """An answer of which more is to be said than its label.

    Raises RequestError with everything that is wrong.

    `label` is what tables call it. A `missing` answer is none; an `exclusive` one goes with no other; `score` is that
    of a scale, "none" for an answer without one; one that is `last` stays at the end of sorted rows; a `write_in` is
    given in people's own words: it stands for any text that is no other answer.
    """

    _part: ClassVar[type[Part]] = file.AnswerFile
    label: str
    missing: bool | None = None
    exclusive: bool | None = None
    score: float | Literal["none"] | None = None
    last: bool | None = None
    write_in: bool | None = None


AnswerLabel: TypeAlias = str | Answer | Entry
Answers: TypeAlias = Mapping[Any, AnswerLabel]  # codes: text or numbers, which no hint for keys lets mix


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference(_Checked):
    """Two groups of answers, whose percents are taken from each other: see `Net.difference`.

    Raises RequestError with everything that is wrong.

    `plus` and `minus` are codes or labels.
    """

    _part: ClassVar[type[Part]] = file.DifferenceFile
    plus: Sequence[Code]
    minus: Sequence[Code]


@dataclass(frozen=True, slots=True, kw_only=True)
class Net(_Checked):
    """Several answers counted as one, each respondent once; or the difference of two groups of answers.

    Raises RequestError with everything that is wrong.

    `label` names it. Give one of `of` (codes, labels, or labels of other nets), `top` or `bottom` (how many answers of
    a scale, the best or the worst) and `difference`. `how` says whether any, all or none of the answers are to be
    given, `at_least` how many; `place` is where its row is.
    """

    _part: ClassVar[type[Part]] = file.NetFile
    label: str | None = None
    of: Sequence[Code] | None = None
    top: int | None = None
    bottom: int | None = None
    difference: Difference | Entry | None = None
    how: Literal["any", "all", "none"] | None = None
    at_least: int | None = None
    place: Literal["above", "below", "instead"] | None = None


Nets: TypeAlias = Sequence[Net | Entry]


@dataclass(frozen=True, slots=True, kw_only=True)
class _Question(_Checked):
    """The parts that every question may have."""

    text: str | None = None
    label: str | None = None
    section: str | None = None
    asked: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Single(_Question):
    """A question with one answer per respondent.

    Raises RequestError with everything that is wrong.

    `answers` are labels by code, or `Answer`; `column` is that of the data (None: the name of the question); a `scale`
    has scores ("best first": the best answer has the lowest); `nets` are shown with the answers; `missing` are values
    that are no answers. `text` is what was asked, `label` its short form, `section` where it belongs, `asked` a
    condition for who was asked.
    """

    _part: ClassVar[type[Part]] = file.SingleFile
    answers: Answers
    column: str | None = None
    scale: bool | Literal["best first"] | None = None
    nets: Nets | None = None
    missing: Sequence[Code] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Multi(_Question):
    """A question with several answers per respondent, in one of three layouts of the data.

    Raises RequestError with everything that is wrong.

    Give one of `columns` (one per answer: a label by column, or a pattern such as heard_{code}), `mentions` (columns
    that each hold a code) and `joined` (a column that holds several codes, and what is between them: `column`, `by`).
    `answers` are labels by code; `ticked` and `unticked` are the values of columns per answer; `nets` are shown with
    the answers; `missing` are values that are no answers. `text`, `label`, `section` and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.MultiFile
    columns: Answers | str | None = None
    mentions: Sequence[str] | None = None
    joined: Entry | None = None
    answers: Answers | None = None
    ticked: Sequence[Code] | None = None
    unticked: Sequence[Code] | None = None
    nets: Nets | None = None
    missing: Sequence[Code] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Number(_Question):
    """A number per respondent.

    Raises RequestError with everything that is wrong.

    `column` is that of the data (None: the name of the question); `missing` are values that are no answers;
    `thousands` is the sign between the thousands of its numbers (None: there is none); `unit` names what may stand
    before or behind them, such as "€" or "kg"; `decimal` is their decimal sign (None: that of the file). With `time`,
    lengths of time are read as minutes: "h:m:s", "h:m" or "m:s" says how they are written. `text`, `label`, `section`
    and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.NumberFile
    column: str | None = None
    missing: Sequence[Code] | None = None
    thousands: str | None = None
    decimal: str | None = None
    unit: str | Sequence[str] | None = None
    time: LengthOfTime | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Text(_Question):
    """Open text, which is listed and coded but not tabulated.

    Raises RequestError with everything that is wrong.

    `column` is that of the data (None: the name of the question). `text`, `label`, `section` and `asked` are as in
    `Single`.
    """

    _part: ClassVar[type[Part]] = file.TextFile
    column: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Date(_Question):
    """A date per respondent.

    Raises RequestError with everything that is wrong.

    `column` is that of the data (None: the name of the question); `format` is how dates are written there, such as
    %d.%m.%Y (None: 2026-03-31); `missing` are values that are no answers. `text`, `label`, `section` and `asked` are
    as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.DateFile
    column: str | None = None
    format: str | None = None
    missing: Sequence[Code] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Item(_Checked):
    """An item of a grid.

    Raises RequestError with everything that is wrong.

    `column` is that of the data, `label` what tables call it (None: its name).
    """

    _part: ClassVar[type[Part]] = file.ItemFile
    column: str
    label: str | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Grid(_Question):
    """Several items with one list of answers; each item is a question of its own, named grid.item.

    Raises RequestError with everything that is wrong.

    `items` are columns, or `Item`, by name; `answers`, `scale`, `nets` and `missing` are those of every item. `text`,
    `label`, `section` and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.GridFile
    items: Mapping[str, str | Item | Entry]
    answers: Answers
    scale: bool | Literal["best first"] | None = None
    nets: Nets | None = None
    missing: Sequence[Code] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Ranking(_Question):
    """Answers put in order.

    Raises RequestError with everything that is wrong.

    Give `columns` (a label by column, each of which holds the rank of that answer), or `ranks` (columns that each hold
    the code at that rank) and `answers` (labels by code). `top` is how many first ranks are counted together;
    `missing` are values that are no answers. `text`, `label`, `section` and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.RankingFile
    columns: Answers | None = None
    ranks: Sequence[str] | None = None
    answers: Answers | None = None
    top: int | None = None
    missing: Sequence[Code] | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Bands(_Question):
    """A question that cuts a number into bands.

    Raises RequestError with everything that is wrong.

    `of` is a number question. Give one of `ranges` (such as 16-34 and 35+), `edges` (numbers where one band ends and
    the next begins) and `equal` (how many bands of equal size); `labels` name the bands; `nets` are shown with them.
    `text`, `label`, `section` and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.BandsFile
    _within: ClassVar[str] = "bands"
    of: str
    ranges: Sequence[str] | None = None
    edges: Sequence[float] | None = None
    equal: int | None = None
    labels: Sequence[str] | None = None
    nets: Nets | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Merge(_Question):
    """A question with fewer answers than another: some of those put together.

    Raises RequestError with everything that is wrong.

    `of` is the other question; `answers` are lists of its codes by new label; `rest` labels those in no list (None:
    they are left out). `scale` and `nets` are as in `Single`, and so are `text`, `label`, `section` and `asked`.
    """

    _part: ClassVar[type[Part]] = file.MergeFile
    _within: ClassVar[str] = "merge"
    of: str
    answers: Mapping[str, Sequence[Code]]
    rest: str | None = None
    scale: bool | Literal["best first"] | None = None
    nets: Nets | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Derive(_Question):
    """A question whose answers are given by rules: the first that holds.

    Raises RequestError with everything that is wrong.

    `rules` are conditions by label; the last may be "otherwise" or "everyone else". `nets` are shown with the answers.
    `text`, `label`, `section` and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.DeriveFile
    _named: ClassVar[Mapping[str, str]] = {"rules": "derive"}
    rules: Mapping[str, str]
    nets: Nets | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Combine(_Question):
    """Several questions as one multiple-response question; answers with the same label are one.

    Raises RequestError with everything that is wrong.

    `questions` are those to combine; `nets` are shown with the answers. `text`, `label`, `section` and `asked` are as
    in `Single`.
    """

    _part: ClassVar[type[Part]] = file.CombineFile
    _named: ClassVar[Mapping[str, str]] = {"questions": "combine"}
    questions: Sequence[str]
    nets: Nets | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Compute(_Question):
    """A number worked out from other questions, respondent by respondent.

    Raises RequestError with everything that is wrong.

    Give one of `sum`, `mean`, `smallest` and `largest` (each a list of number questions), `count` (a list of
    questions, with `answers`: which of them to count) and `mentions` (a multiple-response question). `at_least` is how
    many of several questions must have a value. `text`, `label`, `section` and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.ComputeFile
    _within: ClassVar[str] = "compute"
    sum: Sequence[str] | None = None
    mean: Sequence[str] | None = None
    smallest: Sequence[str] | None = None
    largest: Sequence[str] | None = None
    count: Sequence[str] | None = None
    mentions: str | None = None
    answers: Sequence[Code] | None = None
    at_least: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Periods(_Question):
    """A question that puts the days of a date question into periods.

    Raises RequestError with everything that is wrong.

    `of` is a date question. Give `by` with the `first` and `last` day, or `ranges` (first day..last day, by label);
    `nets` are shown with the periods. `text`, `label`, `section` and `asked` are as in `Single`.
    """

    _part: ClassVar[type[Part]] = file.PeriodsFile
    _within: ClassVar[str] = "periods"
    of: str
    by: Literal["week", "month", "quarter", "year"] | None = None
    first: str | None = None
    last: str | None = None
    ranges: Mapping[str, str] | None = None
    nets: Nets | None = None
