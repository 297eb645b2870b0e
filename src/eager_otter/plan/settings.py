"""Read what a table is by its own settings: looks, tests, bases, rows."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Question
from eager_otter.counting.order import says_no_answer_row
from eager_otter.documents.options import given
from eager_otter.documents.translated import names_of
from eager_otter.documents.yaml_nodes import Place
from eager_otter.errors import RequestError, nearest
from eager_otter.figures.registry import base_lines, summary_called, summary_figures, today_name
from eager_otter.looks.theme import Theme
from eager_otter.looks.words import Words
from eager_otter.plan.banners import BannerReading, control_of
from eager_otter.plan.context import Context
from eager_otter.plan.file import (
    DIGIT_KINDS,
    NO_CONTROL,
    BasesFile,
    DefaultsFile,
    EachFile,
    ItemsFile,
    KindFile,
    SettingsPart,
    TestsEntry,
    TestsFile,
)
from eager_otter.tables.request import (
    COMPLETE,
    PLAIN_BASES,
    BaseRules,
    Digits,
    RowRules,
    Sorting,
    TableRequest,
    TestRules,
    check_levels,
)


class SettingsReading:
    """Puts settings into requests: product defaults, then the plan's, those of a kind, then the table's."""

    def __init__(self, context: Context, banners: BannerReading) -> None:
        self.context, self.banners = context, banners
        self.kinds: Mapping[str, KindFile] = {}
        # of the parts whose id they are under: that of a part that is gone may be another's
        self._rows: dict[tuple[int, bool, RowRules], tuple[SettingsPart, RowRules]] = {}

    def standard(self, theme: Theme, words: Words) -> TableRequest:
        """Make what a table is when it says nothing of its own: product defaults, the theme's, then the plan's."""
        request = TableRequest(digits=_digits(Digits(), theme.digits), words=words)
        written = self.context.raw("defaults")
        if written is not None:
            defaults = self.context.part(DefaultsFile, written, ("defaults",))
            if defaults is not None:
                request = self._with_looks(request, defaults, ("defaults",))
                self.kinds = defaults.kinds
        named = written.get("banner") if isinstance(written, dict) else None
        if not request.banner.groups and named is None and self.banners.banners:
            request = replace(request, banner=next(iter(self.banners.banners.values())))
        tests, bases = self.context.raw("tests"), self.context.raw("bases")
        return self._with_rules(
            request,
            None if tests is None else self.context.part(TestsEntry, tests, ("tests",)),
            None if bases is None else self.context.part(BasesFile, bases, ("bases",)),
            (),
        )

    def for_kind(self, request: TableRequest, question: Question | None) -> TableRequest:
        """Put the defaults of a question's kind into a request."""
        if question is None:
            return request
        for kind in (question.kind, "scale" if question.scale else ""):
            part = self.kinds.get(kind)
            if part is not None:
                place = ("defaults", "kinds", kind)
                request = self._with_looks(request, part, place)
                request = self._with_rules(request, part.tests, part.bases, place)
        return request

    def settled(self, base: TableRequest, part: SettingsPart, place: Place) -> TableRequest:
        """Return what a table is by its own settings: looks, tests, bases, filter."""
        request = self._with_rules(self._with_looks(base, part, place), part.tests, part.bases, place)
        if part.filter is not None:
            self.context.check_expression(part.filter, (*place, "filter"))
        idle = [key for key in self._idle_keys(part, request) if self._noted_idle(key, part, place)]
        return replace(
            request,
            filter=part.filter,
            part=self._part_named(part, place),
            base_text=part.base_text or "",
            note=part.note or "",
            chart_groups=tuple(part.chart_group or ()),
            percent_of=request.percent_of
            if part.percent_of is None or "percent of" in idle
            else part.percent_of,
            difference_from=request.difference_from
            if part.difference_from is None or "difference from" in idle
            else part.difference_from,
            outer_level=request.outer_level
            if part.outer_level is None or "outer level" in idle
            else part.outer_level,
        )

    def _idle_keys(self, part: SettingsPart, request: TableRequest) -> list[str]:
        """List the settings that only do something with a figure which the table does not show."""
        return [key for key, figures in part.needs().items() if not set(figures) & set(request.figures)]

    def _noted_idle(self, key: str, part: SettingsPart, place: Place) -> bool:
        figures = " or ".join(part.needs()[key])
        message = (
            f"{key} only does something with the figure {figures}; name it in figures, or take this out."
        )
        self.context.mistake((*place, key), message, key=True)
        return True

    def _part_named(self, part: SettingsPart, place: Place) -> str:
        if part.layer is None:
            return part.part or ""
        self.context.hint((*place, "layer"), "'layer' is called 'part' now; write that.", key=True)
        return part.part or part.layer

    def with_banner_rules(self, request: TableRequest, part: SettingsPart) -> TableRequest:
        """Put the tests and base rules of a table's banner into it, where the table says nothing of its own."""
        name = request.banner.name
        tests = self.banners.tests.get(name) if part.tests is None else None
        bases = self.banners.bases.get(name) if part.bases is None else None
        return self._with_rules(request, tests, bases, ("banners", name))

    def _with_rules(
        self, request: TableRequest, tests: TestsFile | None, bases: BasesFile | None, place: Place
    ) -> TableRequest:
        if tests is not None:
            request = self._with_tests(request, tests, (*place, "tests"))
        if bases is not None:
            request = self._with_bases(request, bases, (*place, "bases"))
        return request

    def _with_looks(
        self, request: TableRequest, part: DefaultsFile | SettingsPart | KindFile, place: Place
    ) -> TableRequest:
        if part.figures is not None:
            figures = tuple(part.figures)
            for k, figure in enumerate(figures):
                if today_name(figure) != figure:
                    message = f"the figure {figure!r} is called {today_name(figure)!r} now; write that."
                    self.context.hint((*place, "figures", k), message)
            answer = part.percent_of if isinstance(part, SettingsPart) else None
            if "percent of answer" in figures and answer is None and not request.percent_of:
                self.context.mistake(
                    (*place, "figures"), "percent of answer is for single tables: it needs percent of."
                )
                figures = tuple(figure for figure in figures if figure != "percent of answer")
            of_table = isinstance(part, SettingsPart) and not isinstance(part, EachFile)
            request = replace(
                request, figures=figures, inherited=not of_table, percent_of=answer or request.percent_of
            )
        if part.digits is not None:
            request = replace(request, digits=_digits(request.digits, part.digits))
        names = None if isinstance(part, KindFile) else part.banner
        if isinstance(names, str):
            names = [names]
        if names == ["all"] and "all" not in self.banners.banners:
            names = None  # a table for each banner
        if names:
            banner = self.banners.called(names[0], (*place, "banner"))
            request = replace(request, banner=banner or request.banner)
        return request

    def _with_tests(self, request: TableRequest, part: TestsFile, place: Place) -> TableRequest:
        levels = request.levels if part.levels is None else tuple(part.levels)
        try:
            check_levels(levels)
        except RequestError as error:
            self.context.mistake((*place, "levels"), f"levels: {error}")
            return request
        now = request.tests
        against, control = (now.against, now.control) if part.against is None else control_of(part.against)
        if part.compare == "all parents" and against != "each other":
            message = "compare: all parents goes with against: each other only; take one of them out."
            self.context.mistake((*place, "compare"), message)
            return request
        whole_table = part.whole_table or now.whole_table
        control_question = now.controlling_for if part.controlling_for is None else part.controlling_for
        named = part.controlling_for is not None and control_question != NO_CONTROL
        if control_question == NO_CONTROL or (
            named and not self._can_control(control_question, whole_table, place)
        ):
            control_question = ""
        tests = replace(
            now,
            **given(part, TestRules),
            against=against,
            control=control,
            all_parents=(now.all_parents if part.compare is None else part.compare == "all parents")
            and against == "each other",
            rest_of_parent=now.rest_of_parent if part.rest_of is None else part.rest_of == "parent",
            whole_table=whole_table,
            controlling_for=control_question if whole_table != "none" else "",
        )
        return replace(request, levels=levels, tests=tests)

    def _can_control(self, name: str, whole_table: str, place: Place) -> bool:
        """Note where a question cannot be controlled for, or nothing is tested that it would be controlled for in."""
        where = (*place, "controlling for")
        question = self.context.question(name, where)
        if question is not None and not question.is_of.of_one_answer:
            message = f"controlling for: {name} is of kind {question.kind}; a single question is expected."
            self.context.mistake(where, message)
        elif whole_table == "none":
            message = "controlling for: goes with whole table: fitting or all; ask for one, or take this out."
            self.context.mistake(where, message, key=True)
        return question is not None and question.is_of.of_one_answer and whole_table != "none"

    def _with_bases(self, request: TableRequest, part: BasesFile, place: Place) -> TableRequest:
        shown = tuple(line.name for line in base_lines() if line.short in (part.show or ()))
        usual = tuple(line.name for line in base_lines() if not line.on_demand)
        if part.show is not None:
            request = replace(request, base_rows=() if shown == usual else shown)
        if part.said == {"show"}:
            return request
        if part.judged_on == "effective base" and not self._weighted():
            message = (
                "judged on: nothing is weighted, so the effective base is the unweighted one; take it out."
            )
            self.context.hint((*place, "judged on"), message, key=True)
        for key, threshold, above, severer in (
            ("mark below", part.mark, part.no_test, "no test below"),
            ("mark below", part.mark, part.withhold, "withhold below"),
            ("no test below", part.no_test, part.withhold, "withhold below"),
        ):
            if threshold is not None and above is not None and threshold <= above:
                message = (
                    f"{key} {threshold:g} does nothing, as {severer} {above:g} goes before it; take it out."
                )
                self.context.hint((*place, key), message, key=True)
        try:
            rules = BaseRules(
                mark=part.mark, no_test=part.no_test, withhold=part.withhold, judged_on=part.judged_on
            )
        except RequestError as error:
            self.context.refused(place, error)
            return request
        return replace(request, bases=rules)

    def _weighted(self) -> bool:
        """Return whether the plan, or else the codebook, names a weight."""
        said, codebook = self.context.raw("weight"), self.context.codebook
        if said is not None:
            return str(said) != "none"
        return codebook is None or codebook.weight is not None

    def with_rows(
        self, request: TableRequest, part: SettingsPart, questions: Sequence[Question], place: Place
    ) -> TableRequest:
        """Put the base and the rules for rows into a request, and check them against its questions."""
        request = self._with_base(request, part, place)
        key = (id(part), request.base == "all", request.rows)
        if key not in self._rows:  # once for all tables of an entry, as each names the same questions
            self._rows[key] = part, self._rows_of(request, part, questions, place)
        rows = self._rows[key][1]
        return request if rows is request.rows else replace(request, rows=rows)

    def _rows_of(
        self, request: TableRequest, part: SettingsPart, questions: Sequence[Question], place: Place
    ) -> RowRules:
        rows = request.rows
        if part.sort is not None:
            up = part.sort.direction == "up" or (part.sort.direction is None and part.sort.by != "figure")
            rows = replace(rows, sort=Sorting(by=part.sort.by, up=up, column=part.sort.column))
        everyone = request.base == "all"
        rows = replace(
            rows,
            hide=self._answers_named(questions, part.hide, (*place, "hide"), everyone=everyone),
            leave_out=self._answers_named(questions, part.leave_out, (*place, "leave out")),
            most=part.most,
            above=part.above,
            drop_empty=part.empty_rows == "drop",
            untested=tuple(part.untested or ()),
            headings=tuple((part.headings or {}).items()),
        )
        self._check_named(questions, part, place, everyone=everyone)
        several = [question for question in questions if not question.is_of.of_one_answer]
        if rows.leave_out and several:
            message = (
                f"{several[0].name} takes several answers; hide them, or set a base, instead of leaving out."
            )
            self.context.mistake((*place, "leave out"), message, key=True)
        return request.rows if rows == request.rows else rows

    def for_each(self, request: TableRequest, question: Question) -> TableRequest:
        """Keep of the rules for rows what a question of an `each` has: a number has no answers, others not all."""
        rows = request.rows
        if rows == RowRules():
            return request
        if question.is_of.of_values:
            untested = tuple(name for name in rows.untested if summary_called(name) is not None)
            return replace(request, rows=RowRules(untested=untested))
        everyone = request.base == "all"
        names = _names_of(question)

        def there(name: str) -> bool:
            return name.casefold() in names or question.find(canonical(name)) is not None

        return replace(
            request,
            rows=replace(
                rows,
                hide=tuple(
                    name for name in rows.hide if there(name) or (everyone and says_no_answer_row(name))
                ),
                leave_out=tuple(
                    name
                    for name in rows.leave_out
                    if question.is_of.of_one_answer and question.find(canonical(name))
                ),
                untested=tuple(
                    name
                    for name in rows.untested
                    if there(name)
                    or summary_called(name) is not None
                    or (everyone and says_no_answer_row(name))
                ),
                headings=tuple((name, text) for name, text in rows.headings if there(name)),
            ),
        )

    def refuse_idle(self, part: SettingsPart, keys: Mapping[str, str], why: str, place: Place) -> None:
        """Note settings, by name and alias, that a table says and that would do nothing there."""
        for name, alias in keys.items():
            if name in part.said and getattr(part, name) is not None:
                self.context.mistake(
                    (*place, alias), f"{alias}: {why}, so this would do nothing; take it out.", key=True
                )

    def _with_base(self, request: TableRequest, part: SettingsPart, place: Place) -> TableRequest:
        if part.base is not None:
            if part.base == COMPLETE:
                if not isinstance(part, ItemsFile):
                    message = f"base: {COMPLETE} is for tables of several questions (grid or items)."
                    self.context.mistake((*place, "base"), message)
            elif part.base not in PLAIN_BASES:
                self.context.check_expression(part.base, (*place, "base"))
            request = replace(request, base=part.base)
        if part.no_answer != "by reason":
            return request
        if request.base != "all":
            message = (
                "no answer: by reason needs base: all; else those without an answer are not in the table."
            )
            self.context.mistake((*place, "no answer"), message)
            return request
        return replace(request, reason_rows=True)

    def _answers_named(
        self,
        questions: Sequence[Question],
        names: Sequence[str] | None,
        place: Place,
        *,
        everyone: bool = False,
    ) -> tuple[str, ...]:
        """Find answers of one question by code, or keep names that any of several questions has."""
        answers = []
        for k, name in enumerate(names or []):
            if everyone and says_no_answer_row(name):
                answers.append(name)
            elif len(questions) == 1:
                code = self.context.answer(questions[0], name, (*place, k))
                answers += [] if code is None else [code]
            elif any(question.find(canonical(name)) is not None for question in questions):
                answers.append(name)
            elif questions:
                known = [answer.label for question in questions for answer in question.valid]
                self.context.mistake(
                    (*place, k), f"no question here has an answer {name!r}.{nearest(name, known)}"
                )
        return tuple(answers)

    def _check_named(
        self, questions: Sequence[Question], part: SettingsPart, place: Place, *, everyone: bool
    ) -> None:
        """Check the answers, nets and difference rows that settings name: one of the questions must have them."""
        if not questions or getattr(part, "within", None):
            return
        if not part.headings and not part.untested and part.percent_of is None:
            return
        answers = [name for question in questions for one in question.valid for name in names_of(one.label)]
        nets = [name for question in questions for one in question.nets for name in names_of(one.label)]
        rows = [name for question in questions for name in question.row_names()]
        named = [(name, (*place, "headings", name), answers) for name in part.headings or {}]
        named += [
            (
                name,
                (*place, "untested", k),
                [*rows, *(one.name for one in summary_figures())],
            )
            for k, name in enumerate(part.untested or [])
        ]
        if part.percent_of is not None and part.figures and "percent of answer" in part.figures:
            where = (*place, "percent of")
            named.append((part.percent_of, where, [*answers, *nets]))
            for question in questions:
                try:
                    question.find(canonical(part.percent_of))
                except RequestError as error:
                    self.context.refused(where, error)
                    return
        for name, where, known in named:
            there = name.casefold() in {one.casefold() for one in known}
            there = there or any(question.find(canonical(name)) is not None for question in questions)
            if not there and not (everyone and says_no_answer_row(name)):
                what = questions[0].name if len(questions) == 1 else "no question here"
                no = "has no row" if len(questions) == 1 else "has a row"
                self.context.mistake(where, f"{what} {no} {name!r}.{nearest(name, known)}")


def _names_of(question: Question) -> set[str]:
    """Name the rows of a question."""
    return {name.casefold() for name in question.row_names()}


def _digits(digits: Digits, part: Mapping[Any, int]) -> Digits:
    of_figures = dict(digits.of_figures) | {
        name: places for name, places in part.items() if name not in DIGIT_KINDS
    }
    return Digits(
        percent=part.get("percent", digits.percent),
        count=part.get("count", digits.count),
        mean=part.get("mean", digits.mean),
        of_figures=tuple(of_figures.items()),
    )
