"""A survey ready to tabulate: a codebook with responses, a filter and a weight."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import field, replace
from pathlib import Path
from typing import TypeVar, Unpack

import numpy as np

from eager_otter.asking.given import BannerGiven, EntryGiven, ItemsSettings, RequestReader, TableSettings
from eager_otter.asking.people import people_in_cell
from eager_otter.asking.table_answers import TableAnswers
from eager_otter.codebook.conditions import Conditions
from eager_otter.codebook.expression import parse
from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.arrays import IntArray
from eager_otter.counting.banner import BannerColumns, lay_out
from eager_otter.counting.counts import BannerCounts, QuestionSums
from eager_otter.counting.order import check_rows
from eager_otter.counting.part import BannerCounting, BannerState
from eager_otter.counting.passes import Banners
from eager_otter.counting.population import Choice, Population, check_somebody, choose
from eager_otter.counting.running import InTurn, OverAll, Runner, Tell
from eager_otter.counting.wanted import BannerPlan, Count, counts_of_waves, in_passes, planned
from eager_otter.data.answers import SingleAnswers
from eager_otter.data.files import Source
from eager_otter.data.overview import QuestionOverview, found, overview
from eager_otter.data.remark import Remark
from eager_otter.data.responses import Responses
from eager_otter.dataclass import dataclass
from eager_otter.documents.settled import checked
from eager_otter.errors import RequestError
from eager_otter.gates.viewed import Viewed
from eager_otter.looks.words import ENGLISH, Words, counted, most_frequent
from eager_otter.making.figures import refuse_figures
from eager_otter.making.finishing import make_preview
from eager_otter.making.setting import Setting
from eager_otter.making.shapes.registry import shape_of
from eager_otter.making.shapes.shape import Counted
from eager_otter.tables.facts import Facts, FilterStep
from eager_otter.tables.request import (
    Banner,
    BaseRules,
    ColumnRules,
    Counting,
    Selection,
    TableRequest,
)
from eager_otter.tables.shows import AnswersByItems, BeforeByAfter, OneQuestion, Shape
from eager_otter.tables.table import Table, Viewer
from eager_otter.weighing.weighing import Weighting

S = TypeVar("S")
MADE_WEIGHT = "made weight"  # what a weight is called that is not a column of the data
Done = Callable[[int], None]  # told how many tables have been made


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Survey(Viewed):
    """A codebook with its responses, and who of them is counted with what weight.

    Make one with `open_survey`. `filtered` and `weighted_by` give changed copies; nothing is read again.

    `responses` are the data, `filter` an expression, `weight` a column of weights; None for none. `words` say the fixed
    texts of tables, `own_conditions` say filters to readers; `viewer` shows tables, `reader` reads what calls ask for.
    `runner` goes over the data in parts, and `counting` is told how many rows it has counted, of how many. Where waves
    are made equal (see `with_equal_waves`), `equal_waves` is their question, `own_weight` the weight before that.
    """

    responses: Responses
    filter: str | None = None
    weight: str | None = None
    viewer: Viewer | None = None
    words: Words = ENGLISH
    reader: RequestReader | None = None
    own_conditions: Mapping[str, str] = field(default_factory=dict)
    runner: Runner = field(default_factory=InTurn)
    counting: Tell | None = None
    equal_waves: str | None = None
    own_weight: str | None = None

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
        survey = replace(self, filter=expression)._equalled()
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
        return replace(survey, own_weight=survey.weight)._equalled()

    @checked
    def with_equal_waves(self, question: str | None) -> Survey:
        """Return the survey in which all waves have the same sum of weights, past its filter; None for as they stand.

        The weights of each wave are multiplied so that it has its even part of the whole sum; 1 is the weight of
        everyone in an unweighted survey. Raises UnknownName, RequestError for a question that is not a single one,
        DataError.

        `question` tells the waves, or whatever else is to count alike, apart. Whoever gave no answer to it keeps their
        weight.
        """
        if question is not None and not self.codebook.question(question).is_of.of_one_answer:
            raise RequestError(f"Waves are made equal by a single question; {question} is of another kind.")
        own = self.own_weight if self.equal_waves is not None else self.weight
        return replace(self, weight=own, own_weight=own, equal_waves=question)._equalled()

    def _equalled(self) -> Survey:
        """Make the weights by which all waves have the same sum, where that is wanted."""
        if self.equal_waves is None:
            return self
        question = self.codebook.question(self.equal_waves)
        population = replace(self, weight=self.own_weight).population()
        codes = self.responses.answers(question.name)
        assert isinstance(codes, SingleAnswers)
        n, weights, _ = population.measures
        places = codes.codes[population.rows]
        sums = np.bincount(places, weights)
        there = [k for k in range(len(question.answers)) if k < sums.size and sums[k] > 0]
        factors = np.ones(sums.size)
        factors[there] = sums[there].sum() / len(there) / sums[there]
        values = np.zeros(len(self.responses))
        values[population.rows] = weights / n * factors[places]
        plain = "equal sums" if self.own_weight is None else f"{self.own_weight}, equal sums"
        name = f"{plain} in each {question.label}"
        return replace(self, responses=self.responses.with_numbers(name, values), weight=name)

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

        Labels and texts are in it as well, where the codebook has a translation for it.

        Raises UnknownName, FileProblem, DocumentError.

        `language` is a tag or a path.

        Example: `survey.in_language("de").table("heard_of", banner="region")`.
        """
        from eager_otter.codebook.translating import in_language as codebook_in
        from eager_otter.looks.catalogue import load_words

        words = load_words(language, Path(folder))
        codebook = codebook_in(self.codebook, words.language)
        responses = (
            self.responses if codebook is self.codebook else replace(self.responses, codebook=codebook)
        )
        return replace(self, words=words, responses=responses)

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
        plan = self._planned(wanted.counting)
        counting = BannerCounting(self.responses, plan)
        counts = shape_of(wanted).counts(wanted, plan.layout, self.codebook)
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
        plan = self._planned(Counting(people=Selection(), banner=banner, columns=ColumnRules()))
        (counting,) = self._counts((plan,))
        request = TableRequest(
            shows=OneQuestion(banner.name or "banner"),
            banner=banner,
            bases=bases or BaseRules(),
            levels=tuple(float(level) for level in levels),
            words=self.words,
        )
        return make_preview(request, counting.everybody(), self._setting(counting, self._facts(counting)))

    def _setting(self, counting: BannerCounts, facts: Facts) -> Setting:
        names = {column.question for column in counting.layout.columns if column.question}
        return Setting(
            questions={name: self.codebook.question(name) for name in names},
            sharing=counting.sharing,
            overlapping=counting.cells.overlapping(),
            layout=counting.layout,
            shared=counting.shared,
            weighted=self.weight is not None,
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
        gathered = _together(settled)
        layouts: dict[tuple[str, str], BannerColumns] = {}  # one for all who are counted by a banner
        plans, counts_of = [], {}
        for (_, *key), places in gathered.items():
            wanted_here = settled[places[0]].counting
            layout = layouts.get((key[0], key[1])) or self._laid_out(wanted_here)
            layouts[key[0], key[1]] = layout
            plan = self._planned(wanted_here, layout)
            for k in places:
                counts_of[k] = shape_of(settled[k]).counts(settled[k], plan.layout, self.codebook)
            counts = dict.fromkeys(count for k in places for count in counts_of[k])
            counts |= dict.fromkeys(counts_of_waves(counts, self.codebook))
            plans.append(plan.of(tuple(counts)))
        for places, counting in zip(gathered.values(), self._counts(tuple(plans)), strict=True):
            facts = self._facts(counting)
            for k in places:
                by_place[k] = self._made(settled[k], counts_of[k], counting, facts)
                if done is not None:
                    done(len(by_place))
        return [by_place[k] for k in range(len(requests))]

    def _laid_out(self, wanted: Counting) -> BannerColumns:
        return lay_out(wanted.banner, self.codebook, wanted.columns)

    def _planned(self, wanted: Counting, layout: BannerColumns | None = None) -> BannerPlan:
        """Plan a banner over some people, as laid out."""
        choice = Choice(filter=self.filter, weight=self.weight, people=wanted.people)
        return planned(choice, layout or self._laid_out(wanted), self.codebook)

    def _counts(self, plans: tuple[BannerPlan, ...]) -> Iterator[BannerCounts]:
        """Count by banners, as many in one pass over the data as take little memory.

        Raises RequestError where nobody is left of one.
        """
        for together in in_passes(plans, self.codebook):
            states: tuple[BannerState, ...] = self._over(Banners(plans=together))
            for plan, state in zip(together, states, strict=True):
                check_somebody(plan.choice, state.steps)
                yield BannerCounts(plan, state, self.codebook, self._over)

    @property
    def _over(self) -> OverAll:
        choice = Choice(filter=self.filter, weight=self.weight)
        return OverAll(self.runner, self.responses, choice, self.counting)

    def _checked(self, request: TableRequest) -> TableRequest:
        """Refuse what a request asks for in vain. Raises UnknownName, RequestError."""
        questions = [self.codebook.question(name) for name in request.shows.questions]
        check_rows(request, questions)
        _check_offered(request, questions)
        if not request.inherited:
            refuse_figures(request, questions)
        return request

    def _made(
        self, request: TableRequest, counts: Sequence[Count], counting: BannerCounts, facts: Facts
    ) -> Table:
        """Make a table of what was counted."""
        sums_of = [counting.sums(count) for count in counts]
        facts = replace(facts, remarks=self._remarks_on(request))
        if isinstance(request.shows, OneQuestion) and not request.shows.within:
            facts = self._own_facts(facts, sums_of[0])
        counted_table = Counted(
            request=request,
            shows=request.shows,
            counts=counts,
            sums=sums_of,
            counting=counting,
            setting=self._setting(counting, facts),
            codebook=self.codebook,
        )
        return shape_of(request).make(counted_table)

    def population(self) -> Population:
        """Say who is counted and with what weights. Raises ExpressionError, RequestError, DataError."""
        choice = Choice(filter=self.filter, weight=self.weight)
        population, steps = choose(self.responses, choice)
        check_somebody(choice, steps)
        return population

    def _facts(self, counting: BannerCounts) -> Facts:
        """Say how the people of tables were chosen."""
        steps, choice = counting.steps, counting.plan.choice
        filters = tuple(
            self._step(text, kept) for (_, text), kept in zip(choice.expressions(), steps.kept, strict=True)
        )
        return Facts(
            rows=steps.people,
            source=self.source,
            filters=filters,
            base=None if choice.people.base is None else filters[-1],
            weight=self.weight,
            zero_weights=(steps.kept[-1] if steps.kept else steps.people) - steps.counted_people,
            universe=self.codebook.universe,
        )

    def _remarks_on(self, request: TableRequest) -> tuple[Remark, ...]:
        """Return what was noticed while the data were read, as far as it touches a table: all of it, or its columns."""
        remarks = tuple(remark for remark in self.responses.remarks if remark.of_tables)
        if not any(remark.columns for remark in remarks):
            return remarks
        sources = self.codebook.sources()
        of_all = () if self.filter is None else parse(self.filter).names()
        named = {one for name in (*request.questions_named(), *of_all) for one in sources.get(name, ())}
        special = set(self.codebook.special_columns.values())
        columns = special.union(*(self.questions[name].columns for name in named))
        return tuple(one for one in remarks if not one.columns or columns.intersection(one.columns))

    def _own_facts(self, facts: Facts, sums: QuestionSums) -> Facts:
        asked = sums.question.asked
        text = "" if asked is None else self.conditions.people(asked)
        sources = self.codebook.sources().get(sums.question.name, frozenset()) - {sums.question.name}
        made_of = (
            self.codebook.questions[name] for name in sorted(sources) if name in self.codebook.questions
        )
        lacking = tuple(one for one in made_of if one.offered is not None and one.offered.without)
        return replace(
            facts,
            unknown=tuple(most_frequent(sums.unknown)),
            asked=text,
            lacking=() if sums.question.offered is not None else lacking,
        )

    @property
    def conditions(self) -> Conditions:
        """The words that describe filters, bases and routing to readers."""
        return Conditions(self.questions, self.words, {**self.codebook.conditions, **self.own_conditions})

    def _step(self, expression: str, kept: int) -> FilterStep:
        return FilterStep(expression=expression, wording=self.conditions.said(expression), kept=kept)


def _check_offered(request: TableRequest, questions: Sequence[Question]) -> None:
    """Refuse what would compare answers that were not offered to all. Raises RequestError."""
    lacking = next((one for one in questions if one.offered is not None and one.offered.without), None)
    if lacking is not None and (
        request.shows.within or isinstance(request.shows, AnswersByItems | BeforeByAfter)
    ):
        raise RequestError(
            f"Not all answers of {lacking.name} were offered everywhere, so they cannot be nested, or stand side by "
            "side with those of other questions; ask for it by itself, or filter."
        )


def _together(requests: Sequence[TableRequest]) -> dict[tuple[str, str, str], list[int]]:
    """Gather the requests that count the same people in the same columns, so that they are counted in one go.

    What is equal is written alike: people, banner and rules of columns are the keys.
    """
    written: dict[int, str] = {}  # banners, most of which are one object
    gathered: dict[tuple[str, str, str], list[int]] = {}
    for k, request in enumerate(requests):
        wanted = request.counting
        if id(request.banner) not in written:
            written[id(request.banner)] = repr(wanted.banner)
        key = repr(wanted.people), written[id(request.banner)], repr(wanted.columns)
        gathered.setdefault(key, []).append(k)
    return gathered
