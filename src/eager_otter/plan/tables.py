"""Read the tables of a plan: entries in, requests out."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from typing import Any

from eager_otter.codebook.model import Answer, Grid, Question
from eager_otter.counting.banner import lay_out
from eager_otter.documents.part import fields_of
from eager_otter.documents.translated import joined
from eager_otter.documents.yaml_nodes import Place
from eager_otter.errors import OtterError, RequestError, UnknownName, nearest
from eager_otter.figures.registry import summary_called
from eager_otter.making.figures import refuse_figures
from eager_otter.making.shapes.items_across import check_alike, idle_item_tests
from eager_otter.plan.context import Context
from eager_otter.plan.file import (
    EachFile,
    HeadingFile,
    ItemFile,
    ItemsFile,
    SettingsPart,
    TableFile,
    TestsFile,
)
from eager_otter.plan.settings import SettingsReading
from eager_otter.tables.lookup import find_column, find_group
from eager_otter.tables.request import (
    EVERY_GROUP,
    Banner,
    Sorting,
    TableRequest,
    TestRules,
)
from eager_otter.tables.shows import OF_SHAPE, AnswersByItems, ItemsByColumns, OneQuestion, Shown


def title_of_grid(grid: Grid, figure: str) -> str:
    """Return the usual title of the items of a grid: its text, and the figure shown of them where it is one."""
    return joined(" – ", [grid.text, figure]) if figure else grid.text


class TablesReading:
    """Reads the tables of a plan, in the order of the file."""

    def __init__(self, context: Context, settings: SettingsReading, standard: TableRequest) -> None:
        self.context, self.settings, self.standard = context, settings, standard
        self.banners = settings.banners
        written = context.raw("tables")
        self.entries: list[Any] = written if isinstance(written, list) else []
        self.named = {name for entry in self.entries if (name := _named_question(entry)) is not None}
        self.places: list[int] = []  # of the entry that each request is from
        self._heads: dict[int, str] = {}  # the heading that each entry is under
        self._checked: dict[int, list[tuple[Banner, TestRules, Sorting | None]]] = {}

    def requests(self) -> list[TableRequest]:
        """Make all requests; each has an id of its own."""
        requests: list[TableRequest] = []
        heading = ""
        for k, entry in enumerate(self.entries):
            place: Place = ("tables", k)
            if isinstance(entry, dict) and "heading" in entry and "question" not in entry:
                part = self.context.part(HeadingFile, entry, place)
                heading = part.heading if part is not None else heading
                continue
            self._heads[k] = heading
            entry_requests = self._checked_entry(entry, place)
            self.places += [k] * len(entry_requests)
            requests += entry_requests
        return _with_ids(requests, self._written_ids())

    def again(self, place: int, entry: Any) -> list[TableRequest]:
        """Make the requests of one entry as if it said something else; problems join the others."""
        self.context.document.add(("tables", place), entry)
        return _with_ids(self._checked_entry(entry, ("tables", place)), set())

    def _checked_entry(self, entry: Any, place: Place) -> list[TableRequest]:
        heading = self._heads.get(place[-1], "") if isinstance(place[-1], int) else ""
        try:
            requests = self._entry(entry, replace(self.standard, heading=heading), place)
        except RequestError as error:  # such as a label that two answers have
            self.context.refused(place, error)
            return []
        self._check_columns(requests, place)
        self._check_figures(requests, place)
        self._check_chart_groups(requests, place)
        return requests

    def _check_columns(self, requests: Sequence[TableRequest], place: Place) -> None:
        """Lay each banner out under the tests it is to have, so that a column that is not there is told early."""
        if self.context.codebook is None or self.context.problems:
            return
        for request in requests:
            if not request.over_banner:
                continue  # no banner is there
            known = self._checked.setdefault(id(request.banner), [])
            sort = request.rows.sort
            if (request.banner, request.tests, sort) in known:
                continue
            known.append((request.banner, request.tests, sort))
            try:
                layout = lay_out(request.banner, self.context.codebook, request.counting.columns)
                if sort is not None and sort.by == "figure":
                    find_column(layout.columns, sort.column, "the banner (to sort by)")
            except OtterError as error:
                self.context.refused(place, error)
                return

    def _check_chart_groups(self, requests: Sequence[TableRequest], place: Place) -> None:
        """Find the banner groups that charts are wanted of."""
        where = (*place, "chart group")
        for request in requests:
            if not request.chart_groups or self.context.codebook is None or self.context.problems:
                continue
            if not request.over_banner or not request.banner.groups:
                self.context.mistake(
                    where, "the table has no banner groups, so this would do nothing; take it out."
                )
                return
            layout = lay_out(request.banner, self.context.codebook, request.counting.columns)
            for name in request.chart_groups:
                try:
                    if name != EVERY_GROUP:
                        find_group(layout.groups, layout.columns, name, "the banner")
                except UnknownName as error:
                    self.context.refused(where, error)
                    return

    def _check_figures(self, requests: Sequence[TableRequest], place: Place) -> None:
        """Refuse figures that a table names and none of its questions can have."""
        codebook = self.context.codebook
        for request in requests:
            if request.inherited or codebook is None or self.context.problems:
                continue
            names = request.shows.questions
            questions = [codebook.questions[name] for name in names if name in codebook.questions]
            try:
                refuse_figures(request, questions)
            except RequestError as error:
                self.context.refused((*place, "figures"), error)
                return

    def _written_ids(self) -> set[str]:
        """Gather the ids in the plan; one that appears twice is a mistake."""
        seen: set[str] = set()
        for k, entry in enumerate(self.entries):
            name = str(entry.get("id")) if isinstance(entry, dict) and entry.get("id") is not None else None
            if name is not None and name in seen:
                self.context.mistake(
                    ("tables", k, "id"), f"two tables have the id {name!r}; each needs its own."
                )
            seen.update({name} if name is not None else ())
        return seen

    def _entry(self, entry: Any, base: TableRequest, place: Place) -> list[TableRequest]:
        if isinstance(entry, dict) and "each" in entry:
            return self._each(entry, base, place)
        if isinstance(entry, dict) and ("grid" in entry or "items" in entry):
            return self._items(entry, base, place)
        if not isinstance(entry, dict):
            entry = {"question": entry}
            where = place
        else:
            where = (*place, "question")
        table = self.context.part(TableFile, entry, place)
        if table is None:
            return []
        question = self.context.question(table.question, where)
        request = self.settings.settled(self.settings.for_kind(base, question), table, place)
        within = [
            self.context.question(name, (*place, "within", k)) for k, name in enumerate(table.within or [])
        ]
        if question is None or not all(within):
            return []
        for outer in within:
            if outer is not None and not outer.is_of.of_answers:
                self.context.mistake(
                    (*place, "within"), f"{outer.name} is of kind {outer.kind}; only answers can be nested."
                )
                return []
        if question.is_of.not_tabulated:
            self.context.mistake(where, f"{question.name} {question.is_of.not_tabulated}.")
            return []
        if table.value is not None:
            third = self.context.question(table.value, (*place, "value"))
            if third is not None and not third.is_of.of_values and not third.scale:
                message = f"{third.name} is of kind {third.kind}; only numbers and scales can be summed up in cells."
                self.context.mistake((*place, "value"), message)
        named = replace(
            request,
            shows=OneQuestion(question.name, value=table.value, within=tuple(table.within or ())),
            id=table.id or "",
            title=table.title or "",
        )
        self._refuse_idle_tests(table, named, place)
        if question.is_of.of_values:
            self.settings.refuse_idle(
                table, ANSWER_SETTINGS, f"{question.name} is a number and has no answers", place
            )
        return self._copies(self.settings.with_rows(named, table, [question], place), table, place)

    def _refuse_idle_tests(self, part: SettingsPart, request: TableRequest, place: Place) -> None:
        """Note tests that a table says where nothing is tested."""
        if part.untested and not request.levels:
            self.context.mistake(
                (*place, "untested"), "nothing is tested here, so untested would do nothing.", key=True
            )
        tests = part.tests
        if tests is not None and request.levels:
            self._hint_idle_nests(tests, self._banners_of(part, request), request, (*place, "tests"))
        if tests is not None and not request.levels and tests.levels is None:
            idle = tests.said - {"whole_table", "controlling_for"}
            if idle:
                message = "no levels are set, so nothing is tested; name levels, or take tests out."
                self.context.mistake((*place, "tests"), message, key=True)

    def _banners_of(self, part: SettingsPart, request: TableRequest) -> list[Banner]:
        """List the banners that a table is made for."""
        known = self.banners.banners
        return [known[name] for name in self._banner_names(part) if name in known] or [request.banner]

    def _banner_names(self, part: SettingsPart) -> list[str]:
        """List the banners that a table names, `all` written out."""
        if part.banner == ["all"] and "all" not in self.banners.banners:
            return list(self.banners.banners)
        return part.banner or []

    def _hint_idle_nests(
        self, tests: TestsFile, banners: Sequence[Banner], request: TableRequest, place: Place
    ) -> None:
        """Hint at what is said of parents where no group of the banners is under any."""
        nested = [group for banner in banners for group in banner.groups if group.nest]
        if tests.compare == "all parents" and not nested:
            message = "compare: no group of the banner is nested, so this would do nothing; take it out."
            self.context.hint((*place, "compare"), message, key=True)
        rest = [group for group in nested if (group.against or request.tests.against) in ("rest", "total")]
        if tests.rest_of == "parent" and not rest:
            message = (
                "rest of: no nested group is tested against the rest, so this would do nothing; take it out."
            )
            self.context.hint((*place, "rest of"), message, key=True)

    def _copies(self, request: TableRequest, part: SettingsPart, place: Place) -> list[TableRequest]:
        """Make a table for each banner, and of each again for every answer of the question it is repeated by."""
        names = self._banner_names(part)
        if len(names) > 1:
            banners = [(name, self.banners.called(name, (*place, "banner"))) for name in names]
            stem = request.name
            copies = [replace(request, banner=b, id=f"{stem}-{name}") for name, b in banners if b is not None]
        else:
            copies = [request]
        copies = [self.settings.with_banner_rules(copy, part) for copy in copies]
        return [one for copy in copies for one in self._parts(copy, part, place)]

    def _parts(self, request: TableRequest, part: SettingsPart, place: Place) -> list[TableRequest]:
        if part.repeat is None:
            return [request]
        question = self.context.question(part.repeat, (*place, "repeat"))
        if question is None:
            return [request]
        if not question.is_of.of_answers:
            self.context.mistake(
                (*place, "repeat"),
                f"{question.name} is of kind {question.kind}; only answers can be gone through.",
            )
            return [request]
        stem = request.name
        tests = request.tests
        if tests.whole_table != "none" and not tests.controlling_for and question.is_of.of_one_answer:
            tests = replace(tests, controlling_for=question.name)
        parts = replace(request, tests=replace(tests, controlling_for=""))
        return [
            replace(request, id=stem, tests=tests),
            *(_part_of(parts, question, answer, stem) for answer in question.valid),
        ]

    def _items(self, entry: dict[str, Any], base: TableRequest, place: Place) -> list[TableRequest]:
        part = self.context.part(ItemsFile, entry, place)
        if part is None or self.context.codebook is None:
            return []
        title = part.title or ""
        if part.grid is not None:
            grid = self.context.codebook.grids.get(part.grid)
            if grid is None:
                if part.grid not in self.context.mistaken:
                    hint = nearest(part.grid, tuple(self.context.codebook.grids))
                    self.context.mistake((*place, "grid"), f"no grid {part.grid!r} in the codebook.{hint}")
                return []
            what = part.figure if OF_SHAPE[part.shape].one_figure else ""
            written = [ItemFile(question=name) for name in grid.items]
            title = title or title_of_grid(grid, what)
        else:
            written = self._items_written(part, place)
        questions = [self.context.codebook.question(item.question) for item in written]
        request = self.settings.settled(
            self.settings.for_kind(base, questions[0] if questions else None), part, place
        )
        if not questions:
            return []
        names = tuple(question.name for question in questions)
        figures = tuple(item.figure or part.figure for item in written)
        self._check_item_figures(part, questions, figures, place)
        has_figures = any(item.figure for item in written)
        try:
            items = _items_of(part, names, figures if has_figures else (), written)
        except RequestError as error:
            self.context.refused(place, error)
            return []
        shape = OF_SHAPE[part.shape]
        idle = {name: ANSWER_SETTINGS.get(name, name) for name in shape.idle}
        self.settings.refuse_idle(part, idle, shape.why_idle, place)
        if not shape.one_figure:
            for k, item in enumerate(part.items or []):
                if item.figure is not None:
                    message = f"figure goes with as: items by columns, not with {part.shape}; take it out."
                    self.context.mistake((*place, "items", k, "figure"), message, key=True)
        self._refuse_idle_tests(part, request, place)
        if shape.items_across:
            try:
                check_alike(questions)
            except RequestError as error:
                self.context.refused(place, error)
                return []
        if isinstance(items, AnswersByItems) and part.tests is not None:
            said = {fields_of(TestsFile)[name].key for name in part.tests.said}
            for key, message in idle_item_tests(request.tests, items, questions).items():
                if key in said:
                    self.context.mistake((*place, "tests", key), f"{key}: {message}", key=True)
        wanted = replace(
            self.settings.with_rows(request, part, questions, place),
            shows=items,
            id=part.id or part.grid or f"{names[0]}-and-more",
            title=title,
        )
        return self._copies(wanted, part, place)

    def _items_written(self, part: ItemsFile, place: Place) -> list[ItemFile]:
        """Find the questions of a table of several; a name with * stands for all that fit."""
        assert self.context.codebook is not None
        items = []
        for k, item in enumerate(part.items or []):
            where = (*place, "items", k)
            if "*" in item.question:
                fitting = [q.name for q in self.context.codebook if fnmatchcase(q.name, item.question)]
                if not fitting:
                    self.context.mistake(where, f"no question fits {item.question!r}.")
                items += [item.changed(question=name) for name in fitting]
            elif self.context.question(item.question, where) is not None:
                items.append(item)
        return items

    def _check_item_figures(
        self, part: ItemsFile, questions: Sequence[Question], figures: Sequence[str], place: Place
    ) -> None:
        """Check that each item has the figure wanted of it."""
        if not OF_SHAPE[part.shape].one_figure:
            return
        for question, figure in zip(questions, figures, strict=True):
            summary = summary_called(figure)
            if summary is not None:
                if question.is_of.of_values or question.scale:
                    continue
                if summary.of_mentions and question.is_of.several:
                    continue
                what = (
                    f"{question.name} has no {figure.casefold()}: it is neither a scale nor a number. Name an "
                    "answer or net as the figure, or, where its answers are steps, write scale: true in the codebook."
                )
                self.context.mistake((*place, "figure"), what)
                return
            labels = question.row_names()
            known = {label.casefold() for label in labels} | {answer.code for answer in question.valid}
            if figure.casefold() not in known:
                hint = nearest(figure, labels)
                self.context.mistake(
                    (*place, "figure"), f"{question.name} has no net or answer {figure!r}.{hint}"
                )
                return

    def _each(self, entry: Mapping[str, Any], base: TableRequest, place: Place) -> list[TableRequest]:
        each = self.context.part(EachFile, entry, place)
        if each is None:
            return []
        if self.context.codebook is None:
            self.settings.settled(base, each, place)
            return []
        questions = [q for q in self._fitting(each, (*place, "each")) if not q.is_of.not_tabulated]
        copies: list[TableRequest] = []
        if questions and all(question.is_of.of_values for question in questions):
            self.settings.refuse_idle(
                each, ANSWER_SETTINGS, "all of these are numbers and have no answers", place
            )
        for question in questions:
            before = len(self.context.problems)
            request = self.settings.settled(self.settings.for_kind(base, question), each, place)
            request = self._each_rows(request, each, questions, question, place)
            copies += self._copies(replace(request, shows=OneQuestion(question.name)), each, place)
            if len(self.context.problems) > before:
                break  # the next question would have the same problems
        return copies

    def _each_rows(
        self,
        request: TableRequest,
        each: EachFile,
        questions: Sequence[Question],
        question: Question,
        place: Place,
    ) -> TableRequest:
        """Put rules for rows into the table of one question of several: each has those that it can have."""
        singles = [one for one in questions if one.is_of.of_one_answer] if each.leave_out else questions
        request = self.settings.with_rows(request, each, singles or questions, place)
        return self.settings.for_each(request, question)

    def _fitting(self, each: EachFile, place: Place) -> list[Question]:
        """Find the questions that an `each` means: patterns of names, kinds, sections."""
        assert self.context.codebook is not None
        fitting = []
        for question in self.context.codebook:
            named = "all" in each.each and question.name not in self.named
            fits = named or any(fnmatchcase(question.name, pattern) for pattern in each.each)
            kind = "scale" if question.scale else question.kind
            fits = fits and (each.kinds is None or kind in each.kinds or question.kind in each.kinds)
            if fits and (each.sections is None or question.section in each.sections):
                fitting.append(question)
        for k, pattern in enumerate(each.each):
            if pattern != "all" and not any(fnmatchcase(q.name, pattern) for q in self.context.codebook):
                hint = nearest(pattern, [question.name for question in self.context.codebook])
                self.context.mistake((*place, k), f"no question fits {pattern!r}.{hint}")
                return []
        if not fitting:
            self.context.mistake(place, "no question fits all of these.")
        return fitting


def _items_of(
    part: ItemsFile, names: tuple[str, ...], figures: tuple[str, ...], written: Sequence[ItemFile]
) -> Shown:
    """Make what a table of several questions shows. Raises RequestError."""
    labels = tuple(item.label or "" for item in written) if any(item.label for item in written) else ()
    grid = part.grid or ""
    if part.shape == ItemsByColumns.shape:
        return ItemsByColumns(items=names, labels=labels, grid=grid, figure=part.figure, figures=figures)
    return OF_SHAPE[part.shape](items=names, labels=labels, grid=grid)


ANSWER_SETTINGS = {
    "sort": "sort",
    "hide": "hide",
    "leave_out": "leave out",
    "most": "most",
    "above": "above",
    "empty_rows": "empty rows",
    "headings": "headings",
    "no_answer": "no answer",
}


def _part_of(request: TableRequest, question: Question, answer: Answer, stem: str) -> TableRequest:
    """Narrow a table to one answer of a control question."""
    text = narrowed_to(request.filter, question, answer)
    return replace(request, filter=text, part=answer.label, id=f"{stem}-{answer.code}")


def narrowed_to(filter_text: str | None, question: Question, answer: Answer) -> str:
    """Narrow a filter, None for everyone, to those who gave an answer."""
    quote = "'" if '"' in answer.code else '"'
    sign = "==" if question.is_of.of_one_answer else "mentions"
    chosen = f"`{question.name}` {sign} {quote}{answer.code}{quote}"
    return chosen if filter_text is None else f"({filter_text}) and {chosen}"


def _named_question(entry: Any) -> str | None:
    if isinstance(entry, str):
        return entry
    if isinstance(entry, dict) and isinstance(entry.get("question"), str):
        return str(entry["question"])
    return None


def _with_ids(requests: list[TableRequest], written: set[str]) -> list[TableRequest]:
    """Return every table an id of its own: the one in the plan, else a made one, numbered on repeats."""
    taken = set(written)
    unused = set(written)
    result = []
    for request in requests:
        stem = request.name
        name, number = stem, 2
        while name in taken and not (name == request.id and name in unused):
            name, number = f"{stem}-{number}", number + 1
        taken.add(name)
        unused.discard(name)
        result.append(replace(request, id=name))
    return result
