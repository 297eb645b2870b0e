"""A survey ready to tabulate: a codebook with responses, a filter and a weight."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from eager_otter.codebook.model import Codebook, Question
from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.data.files import Source
from eager_otter.data.responses import Responses
from eager_otter.data.selection import who_answered
from eager_otter.errors import RequestError
from eager_otter.looks.words import ENGLISH, Words, said
from eager_otter.tables.counting import BannerCounting, Count, Population, QuestionSums, unknown_counts
from eager_otter.tables.facts import Facts
from eager_otter.tables.finishing import Setting, make_preview
from eager_otter.tables.items import answers_by_items, before_by_after, item_columns, items_table
from eager_otter.tables.making import make_table
from eager_otter.tables.people import people_in_cell
from eager_otter.tables.request import (
    MENTION_FIGURES,
    Banner,
    BannerGroup,
    BaseRules,
    Digits,
    Figure,
    Items,
    RowRules,
    Shape,
    Sorting,
    TableRequest,
    TestRules,
)
from eager_otter.tables.table import Line, Table, Viewer

Done = Callable[[int], None]  # told how many tables have been made


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Survey:
    """A codebook with its responses, and who of them is counted with what weight.

    Make one with `open_survey`. `filtered` and `weighted_by` give changed copies; nothing is read again.
    """

    responses: Responses
    filter: str | None = None
    weight: str | None = None
    viewer: Viewer | None = None
    words: Words = ENGLISH

    def __repr__(self) -> str:
        parts = [f"{len(self.questions)} questions", str(self.source)]
        parts += [f"filter {self.filter}"] if self.filter else []
        parts += [f"weight {self.weight}"] if self.weight else ["unweighted"]
        return f"<Survey {self.codebook.title!r}: {'; '.join(parts)}>"

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
        """Where the responses came from."""
        return self.responses.source

    def filtered(self, expression: str | None) -> Survey:
        """Count only those who satisfy an expression (None: everyone). Raises ExpressionError, RequestError."""
        survey = replace(self, filter=expression)
        survey.population()
        return survey

    def weighted_by(self, column: str | None) -> Survey:
        """Weight by a column of the data (None: not at all). Raises UnknownName, DataError."""
        survey = replace(self, weight=column)
        survey.population()
        return survey

    def in_language(self, language: str, folder: str | Path = ".") -> Survey:
        """Say the fixed words of tables in a language: "en", "de" or a catalogue (.yaml), its path from `folder`.

        Raises UnknownName, FileProblem, DocumentError.

        Example: `survey.in_language("de").table("heard_of", by="region")`.
        """
        from eager_otter.looks.catalogue import load_words

        return replace(self, words=load_words(language, Path(folder)))

    def table(
        self,
        question: str,
        by: str | Sequence[str] | Banner = (),
        *,
        figures: Sequence[Figure] = (),
        levels: Sequence[float] = (95,),
        tests: TestRules | None = None,
        within: str | Sequence[str] = (),
        value: str | None = None,
        base: str = "answered",
        rows: RowRules | None = None,
        bases: BaseRules | None = None,
        digits: Digits | None = None,
        filter: str | None = None,
        title: str = "",
    ) -> Table:
        """Make one table: a question by banner questions, side by side after the Total.

        `figures` are named in `FIGURES`; left out, they suit the question. `levels` are one or two confidence
        percents, strictest first; () makes no tests; `tests` says what is compared and how. `within` names questions
        whose answers stand over those of this one, outermost first. `value` is a number or scale that the cells sum up
        (mean spend by answer and column). `base` is "answered", "all" (with a row for no answer) or an
        expression; `rows` orders, hides and leaves out answers; `bases` are minimum bases; `filter` narrows this table
        further. Raises UnknownName for a question that is not there, RequestError, ExpressionError, DataError.

        Example: `survey.table("heard_of", by=["region", "age_band"], levels=(95, 90))`.
        """
        request = TableRequest(
            question=question,
            banner=by if isinstance(by, Banner) else banner_of(by),
            figures=tuple(figures),
            levels=tuple(float(level) for level in levels),
            tests=tests or TestRules(),
            nest=(within,) if isinstance(within, str) else tuple(within),
            value=value,
            base=base,
            rows=rows or RowRules(),
            rules=bases or BaseRules(),
            digits=digits or Digits(),
            filter=filter,
            title=title,
            words=self.words,
        )
        return next(iter(self.tables([request])))

    def items_table(
        self,
        questions: str | Sequence[str],
        by: str | Sequence[str] | Banner = (),
        *,
        figure: str = "mean",
        shape: Shape = "items by columns",
        levels: Sequence[float] = (95,),
        tests: TestRules | None = None,
        figures: Sequence[Figure] = (),
        bases: BaseRules | None = None,
        sort: Sorting | None = None,
        title: str = "",
    ) -> Table:
        """Put the items of a grid, or several questions, into one table.

        `shape` is "items by columns" (one `figure` of each: a net, an answer or "mean", across the banner), "answers by
        items" (items side by side, tested as answers of the same people), "one under another" (whole questions) or
        "before by after" (two questions: who moved where). Raises what `table` raises.

        Example: `survey.items_table("statements", by="wave", figure="Agree (top two)")`.
        """
        grid = self.codebook.grids.get(questions) if isinstance(questions, str) else None
        names = grid.items if grid else (questions,) if isinstance(questions, str) else tuple(questions)
        request = TableRequest(
            question=str(questions) if isinstance(questions, str) else ", ".join(names),
            items=Items(questions=names, shape=shape, figure=figure),
            banner=by if isinstance(by, Banner) else banner_of(by),
            levels=tuple(float(level) for level in levels),
            tests=tests or TestRules(),
            figures=tuple(figures),
            rules=bases or BaseRules(),
            rows=RowRules(sort=sort),
            title=title or (grid.text if grid else ""),
            words=self.words,
        )
        return next(iter(self.tables([request])))

    def people(self, request: TableRequest, row: str, column: str, figure: str | None = None) -> IntArray:
        """List the rows of the data (from 0) behind a cell of a table; takes what `Table.value` takes.

        A percent or count stands for those in the row and the column, a mean or base for all it rests on. Raises
        UnknownName, RequestError.
        """
        wanted = _settled(request)
        (table,) = self.tables([request])
        line, place = table.line(row, figure), table.column_position(column)
        population, _ = self._counted(wanted.filter, wanted.base, may_be_empty=bool(wanted.layer))
        counting = BannerCounting(self.responses, population, wanted.banner, wanted.tests)
        counts = _counts_of(wanted)
        names = [count.question for count in counts]
        asked = names.index(line.code) if line.code in names else 0
        if wanted.items is not None and wanted.items.shape == "one under another":
            asked = self._question_of(table, line, wanted.items)
        if wanted.items is not None and wanted.items.shape == "answers by items":
            asked = place
        if wanted.items is not None and wanted.items.figures:
            wanted = replace(wanted, items=replace(wanted.items, figure=wanted.items.figure_of(asked)))
        return people_in_cell(counting, wanted, counts[asked], table, line, place)

    def _question_of(self, table: Table, line: Line, items: Items) -> int:
        """Find which question of a table of whole questions a line is of: the last whose heading stands above it."""
        texts = [
            (items.labels[k] if items.labels else "") or self.codebook.question(name).text
            for k, name in enumerate(items.questions)
        ]
        found = 0
        for above in table.lines:
            if above.kind == "heading" and above.label in texts:
                found = texts.index(above.label)
            if above is line:
                break
        return found

    def preview(
        self, banner: Banner, rules: BaseRules | None = None, levels: Sequence[float] = (95,)
    ) -> Table:
        """Show the shape of a banner before any question is counted: columns, letters, bases, and which are thin.

        Raises what `table` raises.
        """
        population, facts = self._counted(None)
        counting = BannerCounting(self.responses, population, banner)
        request = TableRequest(
            question=banner.name or "banner",
            banner=banner,
            rules=rules or BaseRules(),
            levels=tuple(float(level) for level in levels),
            words=self.words,
        )
        return make_preview(request, counting.everybody(), self._setting(counting, facts))

    def _setting(self, counting: BannerCounting, facts: Facts) -> Setting:
        names = {column.question for column in counting.layout.columns if column.question}
        return Setting(
            ordered={name: self.codebook.question(name).ordered for name in names},
            sharing=counting.sharing,
            layout=counting.layout,
            shared=counting.shared,
            weighted=counting.population.weights is not None,
            facts=facts,
            viewer=self.viewer,
        )

    def tables(self, requests: Sequence[TableRequest], done: Done | None = None) -> list[Table]:
        """Make many tables; each question is counted once per banner and filter, however often it is asked for.

        `done` is told the number of tables made so far. Raises what `table` raises.
        """
        made: dict[int, Table] = {}
        settled = [_settled(request) for request in requests]
        for some in _together(settled):
            for k, table in self._with_one_banner(settled, some):
                made[k] = table
                if done is not None:
                    done(len(made))
        return [made[k] for k in range(len(requests))]

    def _with_one_banner(
        self, requests: Sequence[TableRequest], some: Sequence[int]
    ) -> Iterator[tuple[int, Table]]:
        first = requests[some[0]]
        population, facts = self._counted(first.filter, first.base, may_be_empty=bool(first.layer))
        counting = BannerCounting(self.responses, population, first.banner, first.tests)
        wanted = list(dict.fromkeys(count for k in some for count in _counts_of(requests[k])))
        waiting: dict[Count, QuestionSums] = {}
        facts_of: dict[Count, Facts] = {}
        for count, sums in zip(wanted, counting.counted(wanted), strict=True):
            waiting[count] = sums
            facts_of[count] = facts if count.nest else self._own_facts(facts, sums, population)
        for k in some:
            counts = _counts_of(requests[k])
            sums_of = [waiting[count] for count in counts]
            if requests[k].items is None:
                setting = self._setting(counting, facts_of[counts[0]])
                yield k, make_table(requests[k], sums_of[0], setting)
            else:
                yield k, self._items(requests[k], counts, sums_of, counting, facts)

    def _items(
        self,
        request: TableRequest,
        counts: Sequence[Count],
        sums: Sequence[QuestionSums],
        counting: BannerCounting,
        facts: Facts,
    ) -> Table:
        """Make a table of several questions."""
        assert request.items is not None
        setting = self._setting(counting, facts)
        if request.items.shape == "before by after":
            return before_by_after(
                request, sums[0], self.codebook.question(request.items.questions[1]), setting
            )
        if request.items.shape != "answers by items":
            return items_table(request, sums, setting)
        layout = item_columns(request, [one.question for one in sums])
        pairs = layout.comparisons.pairs
        paired = counting.paired(counts, pairs) if request.levels and len(pairs) else None
        return answers_by_items(request, sums, paired, layout, setting)

    def population(self) -> Population:
        """Say who is counted and with what weights. Raises ExpressionError, RequestError, DataError."""
        return self._counted(None)[0]

    def _counted(
        self, table_filter: str | None, base: str = "answered", *, may_be_empty: bool = False
    ) -> tuple[Population, Facts]:
        """Choose the people of a table; the answer of a control question may have none."""
        times = self._frequencies()
        rows = self.responses.everyone() if times is None else times > 0
        read = int(rows.sum() if times is None else times.sum())
        filters: list[tuple[str, int]] = []
        if self.filter is not None:
            rows = rows & self.responses.filtered(self.filter)
            filters.append((self.filter, _people(rows, times)))
        weights = None if self.weight is None else self.responses.weights(self.weight, rows)
        for text in (table_filter, None if base in PLAIN_BASES else base):
            if text is None:
                continue
            keep = self.responses.chosen_by(text) if may_be_empty else self.responses.filtered(text)
            weights = None if weights is None else weights[keep[rows]]
            rows = rows & keep
            filters.append((text, _people(rows, times)))
            if not rows.any() and not may_be_empty:
                raise RequestError(f"The filters together keep nobody: {self.filter}; {text}")
        before = _people(rows, times)
        rows, weights = _without_zero_weights(rows, weights)
        facts = Facts(
            rows=read,
            filters=tuple(filters),
            base=None if base in PLAIN_BASES else base,
            weight=self.weight,
            zero_weights=before - _people(rows, times),
            universe=self.codebook.universe,
        )
        chosen_times = None if times is None else times[rows]
        return Population(rows=rows, weights=weights, frequencies=chosen_times), facts

    def _frequencies(self) -> FloatArray | None:
        column = self.codebook.frequency
        return None if column is None else self.responses.frequencies(column)

    def _own_facts(self, facts: Facts, sums: QuestionSums, population: Population) -> Facts:
        question = sums.question
        answers = self.responses.answers(question.name)
        unknown = unknown_counts(answers)
        not_asked = 0
        if question.asked is not None:
            asked = self.responses.chosen_by(question.asked)
            answered = who_answered(question, answers)
            not_asked = _people(population.rows & ~asked & ~answered, self._frequencies())
        return replace(facts, not_asked=not_asked, unknown=tuple(unknown.items()))


PLAIN_BASES = ("answered", "all")


def _people_of(request: TableRequest) -> str:
    """Tell the bases apart that choose other people; everyone and those who answered are told apart in counting."""
    return "" if request.base in PLAIN_BASES else request.base


def _settled(request: TableRequest) -> TableRequest:
    """Give a table of items the banner it has by its shape."""
    items = request.items
    if items is None or items.shape in ("items by columns", "one under another"):
        return request
    if items.shape == "answers by items":
        return replace(request, banner=Banner())
    return replace(
        request,
        banner=Banner(groups=(BannerGroup(question=items.questions[1]),)),
        figures=request.figures or ("table percent", "count"),
        base=f"answered `{items.questions[1]}`",
        base_text=request.base_text or said("answered both times"),
        levels=(),
    )


def _counts_of(request: TableRequest) -> list[Count]:
    names: tuple[str, ...] = (request.question,)
    shown = set(request.figures)
    if request.items is not None:
        names = request.items.questions
        names = names[:1] if request.items.shape == "before by after" else names
        shown |= {request.items.figure, *request.items.figures}
    return [
        Count(
            question=name,
            leave_out=request.rows.leave_out,
            everyone=request.base == "all",
            mentions=bool(shown & set(MENTION_FIGURES)),
            value=request.value,
            nest=request.nest,
        )
        for name in names
    ]


def _columns_for(request: TableRequest) -> tuple[object, ...]:
    """Tell apart the tests that need other columns to be counted, or other pairs."""
    tests = request.tests
    return tests.against, tests.control, tests.all_parents, tests.rest_of_parent


def banner_of(questions: str | Sequence[str]) -> Banner:
    """Make a banner of questions side by side."""
    names = [questions] if isinstance(questions, str) else list(questions)
    return Banner(groups=tuple(BannerGroup(question=name) for name in names))


def _together(requests: Sequence[TableRequest]) -> list[list[int]]:
    """Gather the requests that share banner and filter, so that they are counted in one go."""
    gathered: list[tuple[TableRequest, list[int]]] = []
    for k, request in enumerate(requests):
        for first, members in gathered:
            same_people = (request.filter, request.layer) == (first.filter, first.layer) and _people_of(
                request
            ) == _people_of(first)
            same_columns = request.banner == first.banner and _columns_for(request) == _columns_for(first)
            if same_people and same_columns:
                members.append(k)
                break
        else:
            gathered.append((request, [k]))
    return [members for _, members in gathered]


def _people(rows: BoolArray, times: FloatArray | None) -> int:
    """Count the respondents in some rows."""
    return int(rows.sum() if times is None else times[rows].sum())


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
