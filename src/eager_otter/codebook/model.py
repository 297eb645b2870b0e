"""The survey as it was asked: frozen, checked, without any data."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import field
from pathlib import Path
from typing import Any, Literal

from eager_otter.codebook.bands import Band
from eager_otter.codebook.changing import (
    data_of,
    definition_of,
    with_net,
    with_question,
    without_question,
)
from eager_otter.codebook.expression import Expression
from eager_otter.codebook.kinds import KINDS, Kind, QuestionKind
from eager_otter.codebook.label_words import LAST
from eager_otter.codebook.missing import NOTHING, Missing
from eager_otter.dataclass import dataclass
from eager_otter.documents.definition import Definition
from eager_otter.documents.origin import Origin
from eager_otter.documents.settled import checked
from eager_otter.documents.translated import Translated, names_of, written
from eager_otter.documents.values import values_of
from eager_otter.errors import RequestError, UnknownName
from eager_otter.gates.numbers import number_of
from eager_otter.gates.viewed import Viewed
from eager_otter.looks.words import counted, first_of

Place = Literal["above", "below", "instead"]
How = Literal["any", "all", "none", "least"]
Computation = Literal["sum", "mean", "smallest", "largest", "count", "mentions"]

SHOWN = 5  # codes that are named in a message


@dataclass(frozen=True, slots=True, kw_only=True)
class Answer:
    """One answer of a question. A `missing` answer is none; an `exclusive` one is an answer but no mention.

    One that is not `scored` is in the base of a scale, but in no mean, top or bottom net, or difference.

    `code` is as written, `label` what tables call it; `score` is that of a scale (None: its code, or its place); one
    that is `last` stays at the end where rows are sorted. A `write_in` is given in people's own words: it stands for
    any text that is no other answer.
    """

    code: str
    label: str
    missing: bool = False
    exclusive: bool = False
    score: float | None = None
    last: bool = False
    scored: bool = True
    write_in: bool = False

    @property
    def stays_last(self) -> bool:
        """Whether it keeps the end of a sorted table: exclusive, flagged as last, or an other or don't know."""
        return self.last or self.exclusive or bool(LAST.match(written(self.label)))


@dataclass(frozen=True, slots=True, kw_only=True)
class Net:
    """Several answers (by code) counted as one: a respondent counts once who gave any of them.

    `how` may also be all or none of them, or "least": at least `least` of them. `inside` names the nets that
    this one holds.

    `label` names it; `of` are codes; `place` is where its row is: "above" or "below" its answers, or "instead" of
    them.
    """

    label: str
    of: tuple[str, ...]
    place: Place = "below"
    how: How = "any"
    least: int = 1
    inside: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Translation:
    """One language of a codebook: its words by the text as written, in `texts` for all, in `questions` for one alone.

    What is blank there is not translated yet.
    """

    texts: Mapping[str, str] = field(default_factory=dict)
    questions: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    def of(self, text: str, question: str = "") -> str:
        """Return what is shown for a text: as the `question` alone says it, as all do, or as it is written.

        `text` is a label, or another text of the codebook; `question` its question, "" for none.
        """
        text = written(text)
        own = self.questions.get(question, {}).get(text) or self.texts.get(text)
        return Translated(own, text) if own else text


@dataclass(frozen=True, slots=True, kw_only=True)
class Offered:
    """Which of several waves asked a question, and which answers (by code) some of them did not offer.

    `question` tells the waves apart, by their codes in `waves`, in order, and their `labels`; `asked` are those that
    asked it, `without` the codes of the answers that a wave did not offer.
    """

    question: str
    waves: tuple[str, ...]
    labels: tuple[str, ...]
    asked: frozenset[str]
    without: Mapping[str, frozenset[str]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """The percent of the `plus` answers minus that of the `minus` answers, by code."""

    label: str
    plus: tuple[str, ...]
    minus: tuple[str, ...]
    place: Place = "below"


@dataclass(frozen=True, slots=True)
class CodeColumn:
    """One column holding a code, or a number with a sign between its `thousands`; "" for none."""

    column: str
    thousands: str = ""


LengthOfTime = Literal["h:m:s", "h:m", "m:s"]


@dataclass(frozen=True, slots=True)
class NumberColumn:
    """One column holding a number with more around it than digits.

    `thousands` is the sign between its thousands, "" for none; `units` may stand before or behind it. With `time`, it
    is a length of time, read as minutes. `decimal` is its decimal sign, "" for that of the file.
    """

    column: str
    thousands: str = ""
    units: tuple[str, ...] = ()
    time: LengthOfTime | None = None
    decimal: str = ""


@dataclass(frozen=True, slots=True)
class TickColumns:
    """One column per answer: `columns` pairs an answer's code with its column."""

    columns: tuple[tuple[str, str], ...]
    ticked: tuple[str, ...]
    unticked: tuple[str, ...] | None

    def has_words(self, text: str) -> bool:
        """Return whether a text in a column of own words holds some: anything but nothing, 0 and what is `unticked`."""
        return text not in ("", "0", *(self.unticked or ()))


@dataclass(frozen=True, slots=True)
class MentionColumns:
    """One column per mention, each holding a code."""

    columns: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class JoinedColumn:
    """Codes joined in one cell."""

    column: str
    by: str


@dataclass(frozen=True, slots=True)
class Banded:
    """A number question cut into bands; the k-th band is the k-th answer."""

    of: str
    bands: tuple[Band, ...]


@dataclass(frozen=True, slots=True)
class EqualBands:
    """A number question cut into bands of equal size, by its own quantiles."""

    of: str
    count: int


@dataclass(frozen=True, slots=True)
class Periods:
    """A date question in periods: the k-th (first day, last day) is the k-th answer; days since 1970."""

    of: str
    spans: tuple[tuple[int, int], ...]


@dataclass(frozen=True, slots=True)
class Merged:
    """Answers of another question put together: the k-th group of codes is the k-th answer.

    With `rest`, one more answer stands for all valid codes in no group.
    """

    of: str
    groups: tuple[tuple[str, ...], ...]
    rest: bool


@dataclass(frozen=True, slots=True)
class Combined:
    """Several questions as one; `places` (per question) maps its codes to the codes of this one."""

    of: tuple[str, ...]
    places: tuple[tuple[tuple[str, str], ...], ...]


@dataclass(frozen=True, slots=True)
class Computed:
    """A number from other questions: `how` over those that have a value, where at least `least` have one."""

    how: Computation
    of: tuple[str, ...]
    codes: tuple[tuple[str, ...], ...] = ()
    least: int = 1


@dataclass(frozen=True, slots=True)
class RankAmong:
    """The rank of an answer: the first of the columns, one per rank, that holds its code."""

    columns: tuple[str, ...]
    code: str


@dataclass(frozen=True, slots=True)
class DateColumn:
    """One column holding a date; `pattern` as in strptime, None for 2026-03-31."""

    column: str
    pattern: str | None


@dataclass(frozen=True, slots=True)
class Derived:
    """The first rule that holds gives the answer; a rule of None takes those who are left.

    With `everyone` these are all of them, else only those who answered a question that the rules read.
    """

    rules: tuple[tuple[str, Expression | None], ...]
    everyone: bool = False


Source = (
    CodeColumn
    | NumberColumn
    | TickColumns
    | MentionColumns
    | JoinedColumn
    | DateColumn
    | RankAmong
    | Banded
    | EqualBands
    | Periods
    | Merged
    | Combined
    | Computed
    | Derived
)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Question(Viewed):
    """One question, or one item of a grid. A scale that is `best_first` has its best answers at the low scores.

    `name` is what codebook and plan call it, `text` what was asked, `label` its short form in titles; `kind` is one of
    single, multi, number, date and text. `source` tells where it is read or made from. `answers`, `nets` and
    `differences` are in order; a `scale` has scores. `missing` tells which values are not answers, `asked` who was
    asked (None: everyone), `offered` which of several waves asked it and offered what (None: all alike); `dates` are
    the months ("2026-03") of answers that are waves, by code; `section` and `grid` are where it belongs. `by_code`
    gives the place of an answer.
    """

    name: str
    kind: Kind
    source: Source
    text: str
    label: str
    answers: tuple[Answer, ...] = ()
    nets: tuple[Net, ...] = ()
    differences: tuple[Difference, ...] = ()
    scale: bool = False
    best_first: bool = False
    missing: Missing = NOTHING
    asked: Expression | None = None
    offered: Offered | None = None
    dates: Mapping[str, str] = field(default_factory=dict)
    section: str = ""
    grid: str | None = None
    by_code: Mapping[str, int] = field(init=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "by_code", {answer.code: k for k, answer in enumerate(self.answers)})

    def __repr__(self) -> str:
        answers = f", {counted(len(self.answers), 'answer')}" if self.answers else ""
        return f"<Question {self.name!r}: {self.kind}{answers}; {self.text!r}>"

    @property
    def is_of(self) -> QuestionKind:
        """The kind it is: whether it has answers, values, days or texts."""
        return KINDS[self.kind]

    @property
    def columns(self) -> tuple[str, ...]:
        """The data columns it is read from; none for bands and derived answers."""
        match self.source:
            case (
                CodeColumn(column, _) | NumberColumn(column) | JoinedColumn(column, _) | DateColumn(column, _)
            ):
                return (column,)
            case TickColumns(columns):
                return tuple(column for _, column in columns)
            case MentionColumns(columns) | RankAmong(columns, _):
                return columns
        return ()

    @property
    def made_of(self) -> tuple[str, ...]:
        """The questions it is made from; none where it is read from data."""
        match self.source:
            case Banded(of) | EqualBands(of) | Periods(of) | Merged(of):
                return (of,)
            case Combined(of) | Computed(_, of):
                return of
            case Derived(rules, _):
                return tuple(sorted({name for _, rule in rules if rule is not None for name in rule.names()}))
        return ()

    @property
    def ordered(self) -> bool:
        """Whether its answers have an order: scales, bands and periods do."""
        return self.scale or isinstance(self.source, Banded | EqualBands | Periods)

    @property
    def valid(self) -> tuple[Answer, ...]:
        """The answers that count as answers."""
        return tuple(answer for answer in self.answers if not answer.missing)

    def scores(self) -> dict[str, float]:
        """Return the score of each valid answer of a scale: its own, else its code. Empty for other questions."""
        if not self.scale:
            return {}
        return scores_of(self.answers)

    def row_names(self) -> list[str]:
        """List what its rows go by: valid answers, nets, differences; translated ones by both their labels."""
        rows: tuple[Answer | Net | Difference, ...] = (*self.valid, *self.nets, *self.differences)
        return [name for row in rows for name in names_of(row.label)]

    def find(self, name: str) -> Answer | None:
        """Return the answer whose code `name` is, else whose label (in any case); None where there is none.

        Raises RequestError for a label that several answers have.
        """
        name = str(name)
        position = self.by_code.get(name)
        if position is not None:
            return self.answers[position]
        wanted = _plain(name)
        called = [one for one in self.answers if wanted in [_plain(label) for label in names_of(one.label)]]
        if len(called) > 1:  # written in just that way goes before written in any case
            called = [one for one in called if name in names_of(one.label)] or called
        if len(called) > 1:
            codes = first_of([one.code for one in called], SHOWN)
            raise RequestError(
                f"{self.name}: several answers are called {name!r} ({codes}); name one by its code, or merge them."
            )
        return called[0] if called else None


def scores_of(answers: Sequence[Answer]) -> dict[str, float]:
    """Return the score of each valid, scored answer that has one: its own, else the number of its code."""
    scores = {
        answer.code: answer.score if answer.score is not None else number_of(answer.code)
        for answer in answers
        if not answer.missing and answer.scored
    }
    return {code: score for code, score in scores.items() if score is not None}


def _plain(label: str) -> str:
    """Return a label as people type it: any case, a hyphen for an en dash."""
    return label.strip().replace("–", "-").casefold()


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Grid:
    """A battery of items with one answer list; each item is a question of its own."""

    name: str
    text: str
    items: tuple[str, ...]


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Codebook(Viewed):
    """All questions, in survey order.

    `conditions` are the analyst's own words for filters, bases and routing: text by expression. `translations` are its
    labels and texts in other languages, by their tags.
    `files` are those it was read from, `path` first, and `digest` is a fingerprint of them; "" for none.

    `origin` is what it can be changed and written back from; None where there is nothing of the kind.

    `title` names the survey; `questions` and `grids` are by name, items of grids among the questions. `respondent`,
    `weight` and `frequency` are columns of the data: ids, weights, how many respondents a row stands for; None where
    there is none. `finished` tells who finished the interview, `universe` whom the survey is of, in words.
    """

    title: str
    questions: Mapping[str, Question]
    grids: Mapping[str, Grid] = field(default_factory=dict)
    respondent: str | None = None
    weight: str | None = None
    frequency: str | None = None
    finished: Expression | None = None
    universe: str = ""
    conditions: Mapping[str, str] = field(default_factory=dict)
    translations: Mapping[str, Translation] = field(default_factory=dict)
    path: Path | None = None
    files: tuple[Path, ...] = ()
    digest: str = ""
    origin: Origin[Codebook] | None = None

    def __repr__(self) -> str:
        return f"<Codebook {self.title!r}: {counted(len(self.questions), 'question')}>"

    def __len__(self) -> int:
        return len(self.questions)

    def __contains__(self, name: object) -> bool:
        return name in self.questions if isinstance(name, str) else name in self.questions.values()

    def __getitem__(self, name: str) -> Question:
        return self.question(name)

    def _ipython_key_completions_(self) -> list[str]:
        return list(self.questions)

    @property
    def special_columns(self) -> dict[str, str]:
        """The columns that are no questions, by what they are for: id, weight, frequency."""
        columns = {"id": self.respondent, "weight": self.weight, "frequency": self.frequency}
        return {what: name for what, name in columns.items() if name is not None}

    def sources(self) -> dict[str, frozenset[str]]:
        """Return for every question all questions it comes from, itself and the whole chain among them."""
        by_name: dict[str, frozenset[str]] = {}

        def of(name: str) -> frozenset[str]:
            if name not in by_name:
                by_name[name] = frozenset((name,))  # also where questions name each other in a ring
                made_of = self.questions[name].made_of if name in self.questions else ()
                by_name[name] = by_name[name].union(*(of(one) for one in made_of))
            return by_name[name]

        for name in self.questions:
            of(name)
        return by_name

    def __iter__(self) -> Iterator[Question]:
        return iter(self.questions.values())

    def question(self, name: str) -> Question:
        """Return a question by `name`. Raises UnknownName, which offers the nearest names."""
        try:
            return self.questions[name]
        except (KeyError, TypeError):
            raise UnknownName("question", name, self.questions, "the codebook") from None

    @checked
    def definition(self) -> dict[str, Any]:
        """Return what its files say, as mappings and lists, codes as they are written: `codebook_of` takes it.

        Raises RequestError for a codebook that was put together from its parts.
        """
        return definition_of(self._origin())

    @checked
    def with_definition(self, definition: Mapping[str, object]) -> Codebook:
        """Return the codebook that says something else, as `definition()` gives it and a program has changed it.

        Everything that is the same stays as it is written, with its comments. Raises RequestError, and DocumentError
        with every mistake.

        `definition` is all that a codebook says.
        """
        origin = self._origin()
        return origin.changed(data_of(origin, values_of(definition).data))

    @checked
    def with_question(
        self,
        name: str,
        definition: Mapping[str, object] | Definition,
        *,
        after: str = "",
        replace: bool = False,
    ) -> Codebook:
        """Return the codebook with one question more; `save` writes it back.

        Raises UnknownName, RequestError where there is such a question already, and DocumentError with every mistake.

        Example: `codebook.with_question("age_band", define.Bands(of="age", ranges=["16-34", "35+"]), after="age")`.

        `name` is that of the question, `definition` what a file would say of it, or an object of `define`. It follows
        the question `after`, "" for the end; with `replace` it takes the place of one of the same name.
        """
        said = with_question(self.definition(), name, definition, after=after, replace=replace)
        return self.with_definition(said)

    @checked
    def without_question(self, name: str) -> Codebook:
        """Return the codebook without a question, by `name`. Raises UnknownName, DocumentError where others need it."""
        return self.with_definition(without_question(self.definition(), name))

    @checked
    def with_net(self, question: str, net: Mapping[str, object] | Definition) -> Codebook:
        """Return the codebook with one net more; `save` writes it back.

        Raises UnknownName, RequestError, and DocumentError with every mistake.

        Example: `codebook.with_net("heard_of", define.Net(label="Any of ours", of=["Tarn", "Fjordale"]))`.

        `question` is the name of a question or a whole grid; `net` is what a file would say of it, or a `define.Net`.
        """
        return self.with_definition(with_net(self.definition(), question, net))

    @checked
    def save(self, path: str | Path | None = None, *, force: bool = False) -> Path:
        """Write it back to the files it was read from; comments, order and codes stay as they were written.

        One made in Python is written as YAML. Raises RequestError where no path is known, and FileProblem, also where a
        file has been changed since it was read.

        `path` writes it to another file; with `force` one that is there is replaced. Returns the path of the main file.
        """
        return self._origin().save(
            None if path is None else Path(path), force=force, bound=len(self.files) > 1
        )

    def _origin(self) -> Origin[Codebook]:
        if self.origin is None:
            raise RequestError(
                "This codebook has nothing to change: it was neither read nor made by codebook_of()."
            )
        return self.origin
