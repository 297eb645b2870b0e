"""A survey ready to tabulate: a codebook with responses, a filter and a weight."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Unpack

import numpy as np

from eager_otter.asking.given import BannerGiven, EntryGiven, ItemsSettings, RequestReader, TableSettings
from eager_otter.asking.people import people_in_cell
from eager_otter.asking.table_answers import TableAnswers
from eager_otter.codebook.conditions import Conditions
from eager_otter.codebook.expression import parse
from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray, people_of
from eager_otter.counting.counts import BannerCounting, Population, QuestionSums, unknown_counts
from eager_otter.counting.order import check_rows
from eager_otter.data.files import Source
from eager_otter.data.overview import QuestionOverview, found, overview
from eager_otter.data.remark import Remark
from eager_otter.data.responses import Responses
from eager_otter.documents.settled import checked
from eager_otter.errors import RequestError, UnknownName
from eager_otter.gates.viewed import Viewed
from eager_otter.looks.words import ENGLISH, Words, counted
from eager_otter.making.figures import refuse_figures
from eager_otter.making.finishing import make_preview
from eager_otter.making.setting import Setting
from eager_otter.making.shapes.registry import shape_of
from eager_otter.making.shapes.shape import Counted
from eager_otter.tables.facts import Facts, FilterStep
from eager_otter.tables.request import (
    Banner,
    BannerGroup,
    BaseRules,
    Counting,
    Selection,
    TableRequest,
)
from eager_otter.tables.shows import OneQuestion, Shape
from eager_otter.tables.table import Table, Viewer
from eager_otter.weighing.weighing import Weighting

MADE_WEIGHT = "made weight"  # what a weight is called that is not a column of the data
Done = Callable[[int], None]  # told how many tables have been made


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Survey(Viewed):
    """A codebook with its responses, and who of them is counted with what weight.

    Make one with `open_survey`. `filtered` and `weighted_by` give changed copies; nothing is read again.

    `responses` are the data, `filter` an expression, `weight` a column of weights; None for none. `words` say the fixed
    texts of tables, `own_conditions` say filters to readers; `viewer` shows tables, `reader` reads what calls ask for.
    """

    responses: Responses
    filter: str | None = None
    weight: str | None = None
    viewer: Viewer | None = None
    words: Words = ENGLISH
    reader: RequestReader | None = None
    own_conditions: Mapping[str, str] = field(default_factory=dict)

    def __repr__(self) -> str:
        parts = [counted(len(self.questions), "question"), str(self.source)]
        parts += [f"filter {self.filter}"] if self.filter else []
        parts += [f"weight {self.weight}"] if self.weight else ["unweighted"]
        return f"<Survey {self.codebook.title!r}: {'; '.join(parts)}>"

    def __len__(self) -> int:
        return len(self.questions)

    def __iter__(self) -> Iterator[Question]:
        return iter(self.codebook)

    def __contains__(self, name: object) -> bool:
        return name in self.codebook

    def __getitem__(self, name: str) -> Question:
        return self.codebook[name]

    def _ipython_key_completions_(self) -> list[str]:
        return list(self.questions)

    @property
    def codebook(self) -> Codebook:
        """The codebook."""
        return self.responses.codebook

    @property
    def questions(self) -> Mapping[str, Question]:
        """The questions by name, in survey order; the items of a grid are questions too (`grid.item`)."""
        return self.codebook.questions

    @property
    def source(self) -> Source:
        """The source of the responses."""
        return self.responses.source

    @checked
    def filtered(self, expression: str | None) -> Survey:
        """Return the survey of those who satisfy an `expression`, None for everyone.

        Raises ExpressionError, RequestError.
        """
        survey = replace(self, filter=expression)
        survey.population()
        return survey

    @checked
    def weighted_by(self, weight: str | Weighting | None) -> Survey:
        """Return the survey with a `weight`: a column of the data, or what `weigh` made; None for none.

        Raises UnknownName, DataError.
        """
        if isinstance(weight, Weighting):
            responses = self.responses.with_numbers(MADE_WEIGHT, weight.weights)
            survey = replace(self, responses=responses, weight=MADE_WEIGHT)
        else:
            survey = replace(self, weight=weight)
        survey.population()
        return survey

    def find(self, words: str = "") -> tuple[Question, ...]:
        """Return the questions that hold all of some `words` in name, text, labels or section, in survey order."""
        return tuple(self.codebook[name] for name in found(self.codebook, str(words)))

    @checked
    def overview(self, question: str) -> QuestionOverview:
        """Return one `question` at a glance: who answered it and how many gave each answer, unweighted.

        Those whom the filter keeps are counted, also where their weight is 0. Raises UnknownName, DataError.
        """
        return overview(self.responses, question, self.responses.filtered(self.filter))

    @checked
    def in_language(self, language: str, folder: str | Path = ".") -> Survey:
        """Say the fixed words of tables in a language: "en", "de" or a catalogue (.yaml), its path from `folder`.

        Raises UnknownName, FileProblem, DocumentError.

        `language` is a tag or a path.

        Example: `survey.in_language("de").table("heard_of", banner="region")`.
        """
        from eager_otter.looks.catalogue import load_words

        return replace(self, words=load_words(language, Path(folder)))

    def table(self, question: str, banner: BannerGiven = (), **settings: Unpack[TableSettings]) -> Table:
        """Make one table: a question by a banner, whose groups are side by side after the Total.

        `banner` is a question, several, a list of groups (a list inside nests questions), a `Banner`, or a mapping as
        in a plan; a survey of a plan knows the plan's banners by name. `settings` are those of an entry of a plan,
        through the same checks: see `TableSettings`. Raises UnknownName for a name that is not there, RequestError with
        every other mistake, ExpressionError, DataError.

        Example: `survey.table("heard_of", banner=["region", "age_band"], levels=[95, 90])`.
        """
        return self._one_table({"question": question, "banner": banner, **settings})

    def items_table(
        self,
        questions: str | Sequence[str],
        banner: BannerGiven = (),
        *,
        figure: str | None = None,
        shape: Shape = "items by columns",
        **settings: Unpack[ItemsSettings],
    ) -> Table:
        """Put the items of a grid, or several questions, into one table.

        `shape` is "items by columns" (one `figure` of each: a net, an answer, or a summary such as "mean", which it is
        where none is named, across the banner), "answers by items" (items side by side, tested as answers of the same
        people), "one under another" (whole questions) or "before by after" (two questions: who moved where). Each of
        `questions` may also be a mapping with a `figure` and a `label` of its own. `banner`, `settings` and errors are
        those of `table`.

        Example: `survey.items_table("statements", banner="wave", figure="Agree (top two)")`.
        """
        grid = isinstance(questions, str) and questions in self.codebook.grids
        what = {"grid" if grid else "items": questions, "as": shape, "banner": banner}
        return self._one_table({**what, "figure": figure, **settings})

    def request(
        self, question: str, banner: BannerGiven = (), **settings: Unpack[TableSettings]
    ) -> TableRequest:
        """Return what `table` makes a table of, for `people` or `tables`.

        `question`, `banner` and `settings` are those of `table`, which raises the same.
        """
        return self._one_request({"question": question, "banner": banner, **settings})

    def _one_table(self, entry: Mapping[str, object]) -> Table:
        return next(iter(self.tables([self._one_request(entry)])))

    def _one_request(self, entry: Mapping[str, object]) -> TableRequest:
        requests = self._read(entry)
        if len(requests) > 1:
            raise RequestError(
                f"This asks for {len(requests)} tables ({', '.join(one.id for one in requests[:3])} …); make them with "
                "Survey.tables."
            )
        return requests[0]

    def _read(self, entry: EntryGiven) -> list[TableRequest]:
        """Make the requests of an entry. Raises UnknownName, RequestError."""
        if isinstance(entry, TableRequest):
            return [entry]
        if self.reader is None:
            raise RequestError(
                "This survey was not opened with open_survey or a plan; ask with TableRequest."
            )
        written = {"question": entry} if isinstance(entry, str) else entry
        if not isinstance(written, Mapping):
            raise RequestError(
                f"A table is a question, a mapping of settings or a TableRequest; found {entry!r}."
            )
        return self.reader(written, self.codebook, self.words, weighted=self.weight is not None)

    @checked
    def people(self, request: TableRequest, row: str, column: str, figure: str | None = None) -> IntArray:
        """List the rows of the data (from 0) behind a cell of a table; takes what `Table.value` takes.

        A percent or count stands for those in the row and the column, a mean or base for all it rests on. Raises
        UnknownName, RequestError.

        `request` is what `Survey.request` gives; `row`, `column` and `figure` are as for `Table.value`.
        """
        wanted = shape_of(request).settled(request)
        (table,) = self.tables([request])
        line, place = table.line(row, figure), table.column_position(column)
        population, _ = self._counted(wanted.counting.people)
        counting = BannerCounting(self.responses, population, wanted.banner, wanted.counting.columns)
        counts = shape_of(wanted).counts(wanted, counting.layout, self.codebook)
        names = [count.question for count in counts]
        asked = shape_of(wanted).asked_in(names, line, place)
        named = shape_of(wanted).row_named(wanted.shows, line, asked)
        return people_in_cell(counting, wanted, counts[asked], table, line, place, named)

    @checked
    def preview(
        self, banner: Banner, bases: BaseRules | None = None, levels: Sequence[float] = (95,)
    ) -> Table:
        """Show the shape of a banner before any question is counted: columns, letters, bases, and which are thin.

        Raises what `table` raises.

        `banner`, `bases` and `levels` are those of a `TableRequest`.
        """
        population, facts = self._counted(Selection())
        counting = BannerCounting(self.responses, population, banner)
        request = TableRequest(
            shows=OneQuestion(banner.name or "banner"),
            banner=banner,
            bases=bases or BaseRules(),
            levels=tuple(float(level) for level in levels),
            words=self.words,
        )
        return make_preview(request, counting.everybody(), self._setting(counting, facts))

    def _setting(self, counting: BannerCounting, facts: Facts) -> Setting:
        names = {column.question for column in counting.layout.columns if column.question}
        return Setting(
            questions={name: self.codebook.question(name) for name in names},
            sharing=counting.sharing,
            overlapping=counting.cells.overlapping(),
            layout=counting.layout,
            shared=counting.shared,
            weighted=counting.population.weights is not None,
            facts=facts,
            viewer=self.viewer,
            asker=TableAnswers(),
            labels={question.name: question.label for question in self.codebook},
        )

    @checked
    def tables(self, wanted: Sequence[EntryGiven], done: Done | None = None) -> list[Table]:
        """Make many tables; each question is counted once per banner and filter, however often it is asked for.

        Each of `wanted` is a question, a mapping of settings as an entry of a plan has them (`{"each": "all"}` and
        `repeat` make several tables), or a `TableRequest`. `done` is told the number of tables made so far. Raises what
        `table` raises.
        """
        requests = [request for entry in wanted for request in self._read(entry)]
        by_place: dict[int, Table] = {}
        settled = [self._checked(shape_of(request).settled(request)) for request in requests]
        for places in _together(settled):
            for k, table in self._with_one_banner(settled, places):
                by_place[k] = table
                if done is not None:
                    done(len(by_place))
        return [by_place[k] for k in range(len(requests))]

    def _checked(self, request: TableRequest) -> TableRequest:
        """Refuse what a request asks for in vain. Raises UnknownName, RequestError."""
        questions = [self.codebook.question(name) for name in request.shows.questions]
        check_rows(request, questions)
        if not request.inherited:
            refuse_figures(request, questions)
        return request

    def _with_one_banner(
        self, requests: Sequence[TableRequest], places: Sequence[int]
    ) -> Iterator[tuple[int, Table]]:
        wanted = requests[places[0]].counting
        population, facts = self._counted(wanted.people)
        counting = BannerCounting(self.responses, population, wanted.banner, wanted.columns)
        counts_of = {
            k: shape_of(requests[k]).counts(requests[k], counting.layout, self.codebook) for k in places
        }
        counts = list(dict.fromkeys(count for k in places for count in counts_of[k]))
        waiting = dict(zip(counts, counting.counted(counts), strict=True))
        for k in places:
            sums_of = [waiting[count] for count in counts_of[k]]
            facts = replace(facts, remarks=self._remarks_on(requests[k]))
            kept_facts = facts
            if isinstance(requests[k].shows, OneQuestion) and not requests[k].shows.within:
                kept_facts = self._own_facts(facts, sums_of[0])
            counted = Counted(
                request=requests[k],
                shows=requests[k].shows,
                counts=counts_of[k],
                sums=sums_of,
                counting=counting,
                setting=self._setting(counting, kept_facts),
                codebook=self.codebook,
            )
            yield k, shape_of(requests[k]).make(counted)

    def population(self) -> Population:
        """Say who is counted and with what weights. Raises ExpressionError, RequestError, DataError."""
        return self._counted(Selection())[0]

    def _counted(self, wanted: Selection) -> tuple[Population, Facts]:
        """Choose the people of a table."""
        times = self.responses.times()
        rows = self.responses.everyone() if times is None else times > 0
        read = int(rows.sum() if times is None else times.sum())
        filters: list[FilterStep] = []
        if self.filter is not None:
            rows = rows & self.responses.filtered(self.filter)
            filters.append(self._step(self.filter, people_of(rows, times)))
        weights = None if self.weight is None else self.responses.weights(self.weight, rows)
        for text in (wanted.filter, wanted.base):
            if text is None:
                continue
            keep = self.responses.chosen_by(text) if wanted.may_be_empty else self.responses.filtered(text)
            weights = None if weights is None else weights[keep[rows]]
            rows = rows & keep
            filters.append(self._step(text, people_of(rows, times)))
            if not rows.any() and not wanted.may_be_empty:
                raise RequestError(_keep_nobody(self.filter, wanted))
        before = people_of(rows, times)
        rows, weights = _without_zero_weights(rows, weights)
        facts = Facts(
            rows=read,
            source=self.source,
            filters=tuple(filters),
            base=None if wanted.base is None else filters[-1],
            weight=self.weight,
            zero_weights=before - people_of(rows, times),
            universe=self.codebook.universe,
        )
        chosen_times = None if times is None else times[rows]
        return Population(rows=rows, weights=weights, frequencies=chosen_times), facts

    def _remarks_on(self, request: TableRequest) -> tuple[Remark, ...]:
        """Return what was noticed while the data were read, as far as it touches a table: all of it, or its columns."""
        remarks = self.responses.remarks
        if not any(remark.columns for remark in remarks):
            return remarks
        sources = self.codebook.sources()
        of_all = () if self.filter is None else parse(self.filter).names()
        named = {one for name in (*request.questions_named(), *of_all) for one in sources.get(name, ())}
        special = set(self.codebook.special_columns.values())
        columns = special.union(*(self.questions[name].columns for name in named))
        return tuple(one for one in remarks if not one.columns or columns.intersection(one.columns))

    def _own_facts(self, facts: Facts, sums: QuestionSums) -> Facts:
        unknown = unknown_counts(self.responses.answers(sums.question.name))
        asked = sums.question.asked
        text = "" if asked is None else self.conditions.people(asked)
        return replace(facts, unknown=tuple(unknown.items()), asked=text)

    @property
    def conditions(self) -> Conditions:
        """The words that describe filters, bases and routing to readers."""
        return Conditions(self.questions, self.words, {**self.codebook.conditions, **self.own_conditions})

    def _step(self, expression: str, kept: int) -> FilterStep:
        return FilterStep(expression=expression, wording=self.conditions.said(expression), kept=kept)


def _keep_nobody(of_all: str | None, wanted: Selection) -> str:
    """Say which filters leave nobody: that of the report, the table's own, the condition of its base."""
    parts = {"the report's filter": of_all, "the table's filter": wanted.filter, "its base": wanted.base}
    named = [f"{what} ({text})" for what, text in parts.items() if text is not None]
    if len(named) == 1:
        return f"{named[0][0].upper()}{named[0][1:]} keeps nobody."
    return f"No respondent satisfies {', '.join(named[:-1])} and {named[-1]} together."


def banner_of(questions: str | Sequence[str]) -> Banner:
    """Make a banner of questions side by side."""
    names = [questions] if isinstance(questions, str) else list(questions)
    return Banner(groups=tuple(BannerGroup(question=name) for name in names))


def banner_called(names: Sequence[str], banners: Mapping[str, Banner], codebook: Codebook) -> Banner:
    """Put together what names stand for, side by side: one of the `banners`, else a question.

    Raises UnknownName for a name that is neither.
    """
    for name in names:
        if name not in banners and name not in codebook.questions:
            raise UnknownName("banner or question", name, [*banners, *codebook.questions])
    parts = [banners.get(name) or banner_of(name) for name in names]
    if len(parts) == 1:
        return parts[0]
    return Banner(groups=tuple(group for part in parts for group in part.groups))


def _together(requests: Sequence[TableRequest]) -> list[list[int]]:
    """Gather the requests that count the same people in the same columns, so that they are counted in one go."""
    gathered: list[tuple[Counting, list[int]]] = []
    for k, request in enumerate(requests):
        wanted = request.counting
        for known, members in gathered:
            if known == wanted:
                members.append(k)
                break
        else:
            gathered.append((wanted, [k]))
    return [members for _, members in gathered]


def _without_zero_weights(rows: BoolArray, weights: FloatArray | None) -> tuple[BoolArray, FloatArray | None]:
    """Take rows of weight 0 out: the rows and their weights."""
    if weights is None or bool((weights > 0).all()):
        return rows, weights
    keep = weights > 0
    if not keep.any():
        raise RequestError("Everybody that the filters keep has a weight of 0, so nobody is left to count.")
    kept_rows = rows.copy()
    kept_rows[np.flatnonzero(rows)[~keep]] = False
    return kept_rows, weights[keep]
