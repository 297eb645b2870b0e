"""The codebook file, as written: what keys there are and what each may hold."""

from typing import Annotated, Any, Literal, get_args

from eager_otter.codebook.model import CodeColumn, DateColumn, LengthOfTime, NumberColumn, Source
from eager_otter.documents.part import (
    Before,
    ByShape,
    Code,
    Limits,
    OneOrMore,
    Part,
    Text,
    as_list,
    fields_of,
    key,
    rule,
)
from eager_otter.documents.written import written_code
from eager_otter.gates.numbers import number_of


def _as_label(value: object) -> object:
    return value if isinstance(value, dict) else {"label": value}


def _as_scale(value: object) -> object:
    if isinstance(value, bool) or value == "best first":
        return value
    raise ValueError(
        "scale: expected true, false or 'best first' (the best answer has the lowest score); "
        f"found {value!r}."
    )


def _as_score(value: object) -> object:
    """Take a number, or the word for an answer that has none."""
    if value is None or value == "none":
        return value
    number = None if isinstance(value, bool) else number_of(str(written_code(value)))
    if number is None:
        raise ValueError(f"score: expected a number, or none for an answer without a score; found {value!r}.")
    return number


Score = Annotated[float | Literal["none"], Before(_as_score, float | Literal["none"])]
Scale = Annotated[
    bool | Literal["best first"],
    Before(_as_scale, bool | Literal["best first"]),
]


class AnswerFile(Part):
    """An answer: its label, or a mapping with its label and what is special about it."""

    label: Text
    missing: bool = False
    exclusive: bool = False
    score: Score | None = None
    last: bool = False
    write_in: bool = key("write in", False)


AnswerEntry = Annotated[AnswerFile, Before(_as_label, AnswerFile | Text)]
Answers = dict[Code, AnswerEntry]


Codes = Annotated[list[Code], Before(as_list, Code | list[Code])]
SomeTexts = Annotated[list[Text], Before(as_list, Text | list[Text]), Limits(min_length=1)]


class DifferenceFile(Part):
    """Two groups of answers, whose percents are taken from each other."""

    examples = {
        "plus": "[4, 5]",
        "minus": "[1, 2]",
    }

    plus: OneOrMore
    minus: OneOrMore


class NetFile(Part):
    """A net: the answers it combines, by code or label, or the best or worst of a scale; or a difference."""

    examples = {
        "of": "[4, 5]",
        "difference": "{plus: [4, 5], minus: [1, 2]}",
    }

    label: Text | None = None
    of: OneOrMore | None = None
    top: Annotated[int, Limits(ge=1)] | None = None
    bottom: Annotated[int, Limits(ge=1)] | None = None
    difference: DifferenceFile | None = None
    how: Literal["any", "all", "none"] = "any"
    at_least: Annotated[int, Limits(ge=1)] | None = key("at least", None)
    place: Literal["above", "below", "instead"] = "below"

    @rule
    def _one_way(self) -> None:
        ways = [self.of, self.top, self.bottom, self.difference]
        if sum(way is not None for way in ways) != 1:
            raise ValueError("a net needs exactly one of: of (a list of answers), top, bottom, difference.")
        if self.label is None and (self.of is not None or self.difference is not None):
            raise ValueError("a net of answers needs a label.")
        if self.at_least is not None and self.how != "any":
            raise ValueError("'at least' and 'how' exclude each other.")
        if self.of is None and (self.at_least is not None or self.how != "any"):
            raise ValueError("'how' and 'at least' go with of (a list of answers); take them out.")


class SharedNetFile(NetFile):
    """A net given to several questions at once, by name or pattern (`statements.*`)."""

    examples = {
        "questions": '[liking, "statements.*"]',
    }

    questions: SomeTexts


class QuestionPart(Part):
    """The parts that every question may have."""

    examples = {
        "nets": "[{label: Good, of: [4, 5]}]",
        "missing": "[98, 99]",
    }

    text: Text | None = None
    label: Text | None = None
    section: Text | None = None
    asked: Text | None = None


class SingleFile(QuestionPart):
    """One answer per respondent."""

    examples = {
        "answers": "{1: Yes, 2: No}",
    }

    kind: Literal["single"]
    column: Text | None = None
    answers: Annotated[Answers, Limits(min_length=1)]
    scale: Scale = False
    nets: list[NetFile] = []
    missing: Codes | None = None


class JoinedFile(Part):
    """Codes joined in one cell."""

    column: Text
    by: Annotated[str, Limits(min_length=1)]


TickColumnsFile = Annotated[dict[str, AnswerEntry] | Text, ByShape("named", "pattern")]


class MultiFile(QuestionPart):
    """Several answers per respondent, in one of three layouts."""

    examples = {
        "columns": "{heard_1: Tarn, heard_2: Brookfizz} (an answer each); columns that hold codes go under mentions",
        "mentions": "[why_1, why_2, why_3]",
        "joined": '{column: brands, by: ";"}',
        "answers": "{1: Tarn, 2: Brookfizz}",
        "ticked": "[1, x]",
        "unticked": "[0]",
    }

    kind: Literal["multi"]
    columns: TickColumnsFile | None = None
    mentions: list[Text] | None = None
    joined: JoinedFile | None = None
    answers: Answers | None = None
    ticked: Codes = ["1"]
    unticked: Codes | None = None
    nets: list[NetFile] = []
    missing: Codes | None = None

    @rule
    def _one_layout(self) -> None:
        layouts = [self.columns, self.mentions, self.joined]
        if sum(layout is not None for layout in layouts) != 1:
            raise ValueError(
                "a multi question needs exactly one of columns (one per answer), mentions (one column per "
                "mention) or joined (codes in one cell)."
            )
        if isinstance(self.columns, dict):
            if self.answers is not None:
                raise ValueError("columns already name the answers; take answers out.")
        elif not self.answers:
            raise ValueError("answers are needed: a code and a label for each.")
        if isinstance(self.columns, str) and "{code}" not in self.columns:
            raise ValueError("a column pattern must hold {code}, as in heard_{code}.")
        if self.columns is None and {"ticked", "unticked"} & self.said:
            raise ValueError("ticked and unticked go with columns (one per answer); take them out.")


class ColumnFile(QuestionPart):
    """A question that is in one column as it is."""

    kind: Any
    column: Text | None = None

    def source(self, name: str) -> Source:
        """Say where the question of a name is read from."""
        return CodeColumn(self.column or name)


class NumberFile(ColumnFile):
    """A number per respondent."""

    examples = {
        "unit": '["€", EUR]',
    }

    kind: Literal["number"]
    missing: Codes | None = None
    thousands: Literal[",", ".", "'", " "] | None = None
    decimal: Literal[",", "."] | None = None
    unit: SomeTexts | None = None
    time: LengthOfTime | None = None

    @rule
    def _one_way(self) -> None:
        if self.time is not None and {"thousands", "unit", "decimal"} & self.said:
            raise ValueError(
                "time reads lengths of time, which have neither thousands nor a unit nor a decimal sign of their own; "
                "take these out."
            )
        if self.decimal is not None and self.decimal == self.thousands:
            raise ValueError(f"{self.decimal!r} cannot be the decimal sign and part thousands as well.")

    def source(self, name: str) -> Source:
        """Say where the question of a name is read from, and how its numbers are written."""
        column, thousands = self.column or name, self.thousands or ""
        if self.unit is None and self.time is None and self.decimal is None:
            return CodeColumn(column, thousands)
        return NumberColumn(column, thousands, tuple(self.unit or ()), self.time, self.decimal or "")


class TextFile(ColumnFile):
    """Open text: listed, never tabulated as it stands."""

    kind: Literal["text"]


class DateFile(ColumnFile):
    """A date per respondent, as 2026-03-31 unless `format` says otherwise (%d.%m.%Y)."""

    kind: Literal["date"]
    format: Text | None = None
    missing: Codes | None = None

    def source(self, name: str) -> Source:
        """Say where the question of a name is read from, and how dates are written."""
        return DateColumn(self.column or name, self.format)


class RankingFile(QuestionPart):
    """Answers put in order: a column per answer holding its rank, or a column per rank holding an answer."""

    examples = {
        "columns": "{rank_1: Tarn, rank_2: Brookfizz} (an answer each); columns of a rank each go under ranks",
        "ranks": "[first, second, third]",
        "answers": "{1: Tarn, 2: Brookfizz}",
    }

    kind: Literal["ranking"]
    columns: dict[str, AnswerEntry] | None = None
    ranks: list[Text] | None = None
    answers: Answers | None = None
    top: Annotated[int, Limits(ge=1)] = 3
    missing: Codes | None = None

    @rule
    def _one_layout(self) -> None:
        if (self.columns is None) == (self.ranks is None):
            raise ValueError("a ranking needs either columns (one per answer) or ranks (one per rank).")
        if (self.ranks is None) != (self.answers is None):
            raise ValueError("answers go with ranks; columns already name them.")


def _as_item(value: object) -> object:
    return value if isinstance(value, dict) else {"column": value}


class ItemFile(Part):
    """An item of a grid."""

    column: Text
    label: Text | None = None


ItemEntry = Annotated[ItemFile, Before(_as_item, ItemFile | Text)]


class GridFile(QuestionPart):
    """Several items with one answer list."""

    examples = {
        "items": "{taste: rate_1, price: rate_2}",
        "answers": "{1: Bad, 2: Good}",
    }

    kind: Literal["grid"]
    items: Annotated[dict[str, ItemEntry], Limits(min_length=1)]
    answers: Annotated[Answers, Limits(min_length=1)]
    scale: Scale = False
    nets: list[NetFile] = []
    missing: Codes | None = None


class BandsPart(Part):
    """The cuts that make bands of a number."""

    examples = {
        "ranges": "[18-34, 35-54, 55+]",
        "edges": "[0, 5, 20]",
        "labels": "[Light, Heavy]",
    }

    of: Text
    ranges: list[Text] | None = None
    edges: list[Annotated[float, Limits(as_text=True)]] | None = None
    equal: Annotated[int, Limits(ge=2, le=100)] | None = None
    labels: list[Text] | None = None

    @rule
    def _one_way(self) -> None:
        if sum(way is not None for way in (self.ranges, self.edges, self.equal)) != 1:
            raise ValueError(
                "bands need exactly one of ranges (18-24, 25-34, 35+), edges (0, 5, 20) or equal (how many of "
                "equal size)."
            )


class BandsFile(QuestionPart):
    """A number question cut into bands."""

    examples = {
        "bands": "{of: age, ranges: [18-34, 35+]}",
    }

    bands: BandsPart
    kind: Literal["single"] = "single"
    nets: list[NetFile] = []


class DeriveFile(QuestionPart):
    """Answers given by rules, the first that holds."""

    examples = {
        "derive": "{Heavy: times >= 8, Light: otherwise}",
    }

    derive: Annotated[dict[str, Text], Limits(min_length=1)]
    kind: Literal["single"] = "single"
    nets: list[NetFile] = []


class MergePart(Part):
    """Answers of another question, put together; `rest` labels those not named (none: they are left out)."""

    examples = {
        "answers": "{Under 35: [1, 2]}",
    }

    of: Text
    answers: Annotated[dict[str, Codes], Limits(min_length=1)]
    rest: Text | None = None


class MergeFile(QuestionPart):
    """A question with fewer answers, beside its source."""

    examples = {
        "merge": "{of: age, answers: {Under 35: [1, 2]}, rest: 35 and over}",
    }

    merge: MergePart
    scale: Scale = False
    nets: list[NetFile] = []


class CombineFile(QuestionPart):
    """Several questions as one multiple-response question; answers with the same label are one."""

    examples = {
        "combine": "[named, heard_of]",
    }

    combine: Annotated[list[Text], Limits(min_length=1)]
    nets: list[NetFile] = []


class ComputePart(Part):
    """A number worked out from other questions, respondent by respondent."""

    examples = {
        "sum": "[taste, price]",
        "mean": "[taste, price]",
        "smallest": "[taste, price]",
        "largest": "[taste, price]",
        "count": "[taste, price]",
        "answers": "[4, 5]",
    }

    sum: list[Text] | None = None
    mean: list[Text] | None = None
    smallest: list[Text] | None = None
    largest: list[Text] | None = None
    count: list[Text] | None = None
    mentions: Text | None = None
    answers: Codes | None = None
    at_least: Annotated[int, Limits(ge=1)] = key("at least", 1)

    @rule
    def _one_way(self) -> None:
        ways = [self.sum, self.mean, self.smallest, self.largest, self.count, self.mentions]
        if sum(way is not None for way in ways) != 1:
            raise ValueError(
                "a computed number needs exactly one of sum, mean, smallest, largest, count (each a list of "
                "questions) or mentions (a multiple-response question)."
            )
        if (self.count is None) != (self.answers is None):
            raise ValueError("count goes with answers: which answers to count over the questions.")
        if self.mentions is not None and "at_least" in self.said:
            raise ValueError("'at least' says how many of several questions must have a value; take it out.")
        several = self.sum or self.mean or self.smallest or self.largest or self.count or []
        if several and self.at_least > len(several):
            raise ValueError(f"at least: {self.at_least} of {len(several)} questions can never have a value.")


class ComputeFile(QuestionPart):
    """A computed number."""

    examples = {
        "compute": "{mean: [taste, price]}",
    }

    compute: ComputePart


class PeriodsPart(Part):
    """Days of a date question put into weeks, months, quarters or years, or into ranges of days."""

    examples = {
        "ranges": "{Spring: 2026-03-01..2026-05-31}",
    }

    of: Text
    by: Literal["week", "month", "quarter", "year"] | None = None
    first: Text | None = key("from", None)
    last: Text | None = key("to", None)
    ranges: dict[str, Text] | None = None

    @rule
    def _one_way(self) -> None:
        if (self.by is None) == (self.ranges is None):
            raise ValueError(
                "periods need either by (week, month, quarter, year) or ranges (label: day..day)."
            )
        if self.by is not None and (self.first is None or self.last is None):
            raise ValueError(
                "periods by week, month, quarter or year need from and to: the first and last day."
            )
        if self.ranges is not None and (self.first is not None or self.last is not None):
            raise ValueError("ranges say which days there are; take from and to out.")


class PeriodsFile(QuestionPart):
    """A date in periods."""

    examples = {
        "periods": "{of: day, by: month, from: 2026-01-01, to: 2026-12-31}",
    }

    periods: PeriodsPart
    nets: list[NetFile] = []


BY_KEY: dict[str, type[QuestionPart]] = {
    "bands": BandsFile,
    "derive": DeriveFile,
    "merge": MergeFile,
    "combine": CombineFile,
    "compute": ComputeFile,
    "periods": PeriodsFile,
}

WRITTEN = (
    SingleFile,
    MultiFile,
    NumberFile,
    TextFile,
    GridFile,
    DateFile,
    RankingFile,
)  # parts that say a kind
BY_KIND: dict[str, type[QuestionPart]] = {get_args(fields_of(part)["kind"].hint)[0]: part for part in WRITTEN}


TranslatedText = Annotated[dict[str, Text] | Text, ByShape("of one question", "text")]
TranslationFile = dict[str, TranslatedText]
TranslationEntry = Annotated[TranslationFile | Text, ByShape("words", "file")]


class CodebookFile(Part):
    """The head of the codebook; each question is checked on its own."""

    examples = {
        "conditions": "{status == 1: Interview complete}",
        "translations": "{de: words.yaml}",
        "missing": "[98, 99]",
        "include": "[brands.yaml]",
        "nets": "[{questions: [liking], top: 2}]",
        "questions": "{region: {kind: single, column: region, answers: {1: North, 2: South}}}",
    }

    title: Text = ""
    respondent: Text | None = None
    weight: Text | None = None
    frequency: Text | None = None
    finished: Text | None = None
    universe: Text | None = None
    conditions: dict[str, Text] = {}
    translations: dict[str, TranslationEntry] = {}
    missing: Codes = []
    include: list[Text] = []
    nets: list[Any] = []
    questions: dict[str, Any] = {}


class IncludedFile(Part):
    """A part of a codebook in a file of its own."""

    examples = {
        "questions": "{region: {kind: single, column: region, answers: {1: North, 2: South}}}",
    }

    questions: Annotated[dict[str, Any], Limits(min_length=1)]
