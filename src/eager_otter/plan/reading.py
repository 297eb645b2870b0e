"""Read a plan and its codebook; report every mistake in both before any data are read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Codebook, Question
from eager_otter.codebook.reading import parse_or_problem, read_draft
from eager_otter.data.opening import Reading
from eager_otter.documents.checking import check
from eager_otter.documents.yaml_nodes import Document, Place, read_yaml
from eager_otter.errors import DocumentError, FileProblem, Problem, RequestError, nearest, shown_path
from eager_otter.plan.file import (
    BasesFile,
    DefaultsFile,
    DigitsFile,
    EachFile,
    GroupEntry,
    GroupFile,
    PlanFile,
    SettingsPart,
    TableFile,
    TestsEntry,
    TestsFile,
)
from eager_otter.plan.plan import Acceptance, Plan
from eager_otter.tables.request import Banner, BannerGroup, BaseRules, Digits, TableRequest, check_levels
from eager_otter.tables.rows import NOT_TABULATED

T = TypeVar("T")
NO_WEIGHT = "none"
REMEDIES = {
    "number": "cut it into bands in the codebook",
    "date": "put it into periods in the codebook",
    "text": "code it into answers",
}


def read_plan(path: str | Path) -> Plan:
    """Read a plan and the codebook it names.

    Raises FileProblem when one cannot be read, DocumentError with every mistake of both.
    """
    return _Reading(read_yaml(Path(path))).plan()


class _Reading:
    def __init__(self, document: Document) -> None:
        self.document = document
        self.problems: list[Problem] = []
        self.codebook: Codebook | None = None
        self.mistaken: frozenset[str] = frozenset()  # questions of the codebook that are themselves mistaken
        self.banners: dict[str, Banner] = {}
        self.named: set[str] = set()

    def note(self, place: Place, message: str, *, key: bool = False) -> None:
        self.problems.append(self.document.problem(place, message, key=key))

    def plan(self) -> Plan:
        head = self.part(PlanFile, self.document.data, ())
        self._read_codebook()
        self._read_banners()
        base = self._standard()
        requests = self._tables(base)
        plan_filter = self._text("filter")
        if plan_filter is not None:
            self._check_expression(plan_filter, ("filter",))
        if self.problems or head is None or self.codebook is None:
            raise DocumentError(self.problems)
        folder = self.document.path.parent
        weight = head.weight if head.weight is not None else self.codebook.weight
        return Plan(
            path=self.document.path,
            title=head.title or self.codebook.title,
            data=folder / head.data.file,
            reading=Reading(
                sheet=head.data.sheet,
                delimiter=head.data.delimiter,
                encoding=head.data.encoding,
                decimal=head.data.decimal,
            ),
            codebook=self._with_weight(self.codebook, weight),
            filter=head.filter,
            weight=None if weight == NO_WEIGHT else weight,
            banners=self.banners,
            requests=tuple(requests),
            outputs=tuple(folder / output for output in head.outputs),
            standard=base,
            accepted=tuple(
                Acceptance(slip=entry.finding, where=entry.where, because=entry.because)
                for entry in head.accept
            ),
        )

    def part(self, kind: type[T] | Any, value: object, place: Place) -> T | None:
        """Check a part against its model; its problems join the others."""
        found, problems = check(kind, value, self.document, place)
        self.problems += problems
        return found

    def _raw(self, key: str) -> Any:
        data = self.document.data
        return data.get(key) if isinstance(data, dict) else None

    def _text(self, key: str) -> str | None:
        value = self._raw(key)
        return value if isinstance(value, str) else None

    def _with_weight(self, codebook: Codebook, weight: str | None) -> Codebook:
        return replace(codebook, weight=None if weight == NO_WEIGHT else weight)

    # --- codebook ---------------------------------------------------------------------------------------

    def _read_codebook(self) -> None:
        name = self._text("codebook")
        if name is None:
            return
        path = self.document.path.parent / name
        try:
            draft = read_draft(read_yaml(path))
            self.codebook, self.mistaken = draft.codebook, draft.mistaken
            self.problems += draft.problems
        except FileProblem as error:
            message = f"codebook: {str(error).removeprefix(shown_path(path) + ': ')}"
            self.note(("codebook",), f"{message} Looked for {shown_path(path)}.")
        except DocumentError as error:
            self.problems += error.problems

    def _question(self, name: str, place: Place) -> Question | None:
        if self.codebook is None:
            return None
        question = self.codebook.questions.get(name)
        if question is None and not self._is_mistaken(name):
            grid = self.codebook.grids.get(name)
            if grid is not None:
                hint = f" {name} is a grid: name one of its items, such as {grid.items[0]}."
            else:
                hint = nearest(name, (*self.codebook.questions, *self.mistaken))
            self.note(place, f"no question {name!r} in the codebook.{hint}")
        return question

    def _is_mistaken(self, name: str) -> bool:
        return name.split(".", maxsplit=1)[0] in self.mistaken

    def _check_expression(self, text: str, place: Place) -> None:
        expression, problems = parse_or_problem(text, self.document, place)
        mistaken = expression is not None and any(self._is_mistaken(name) for name in expression.names())
        if expression is not None and self.codebook is not None and not mistaken:
            _, problems = parse_or_problem(text, self.document, place, self.codebook.questions)
        self.problems += problems

    # --- banners ----------------------------------------------------------------------------------------

    def _read_banners(self) -> None:
        written = self._raw("banners")
        for name, groups in (written if isinstance(written, dict) else {}).items():
            place: Place = ("banners", name)
            if not isinstance(groups, list) or not groups:
                self.note(place, f"banner {name!r}: expected a list of questions.")
                continue
            found = [self._group(group, (*place, k)) for k, group in enumerate(groups)]
            self.banners[name] = Banner(groups=tuple(group for group in found if group), name=name)

    def _group(self, written: Any, place: Place) -> BannerGroup | None:
        group = self.part(GroupEntry, written, place)
        if group is None:
            return None
        where = (*place, "question") if isinstance(written, dict) else place
        question = self._question(group.question, where)
        if question is None:
            return None
        if question.kind not in ("single", "multi"):
            remedy = REMEDIES[question.kind]
            self.note(where, f"{question.name} is of kind {question.kind} and cannot be a banner; {remedy}.")
            return None
        keep = None if group.keep is None else self._kept(group, question, place)
        return BannerGroup(
            question=question.name, label=group.label, keep=keep, labels=self._labels(group, question, place)
        )

    def _kept(self, group: GroupFile, question: Question, place: Place) -> tuple[str, ...]:
        codes: list[str] = []
        for k, name in enumerate(group.keep or []):
            code = self._answer(question, name, (*place, "keep", k))
            if code in codes:
                self.note((*place, "keep", k), f"{name!r} stands twice.")
            elif code is not None:
                codes.append(code)
        return tuple(codes)

    def _labels(self, group: GroupFile, question: Question, place: Place) -> dict[str, str]:
        named = {
            self._answer(question, name, (*place, "labels", name)): label
            for name, label in group.labels.items()
        }
        return {code: label for code, label in named.items() if code is not None}

    def _answer(self, question: Question, name: str, place: Place) -> str | None:
        answer = question.find(canonical(name))
        if answer is not None and not answer.missing:
            return answer.code
        if answer is not None:
            self.note(place, f"{answer.label!r} of {question.name} is missing and makes no column.")
            return None
        known = [answer.label for answer in question.valid]
        hint = nearest(name, known) or nearest(name, [answer.code for answer in question.valid])
        self.note(place, f"{question.name} has no answer {name!r}.{hint}")
        return None

    # --- tables -----------------------------------------------------------------------------------------

    def _standard(self) -> TableRequest:
        """Make what a table is when it says nothing of its own: product defaults, then the plan's."""
        request = TableRequest(question="")
        written = self._raw("defaults")
        if written is not None:
            defaults = self.part(DefaultsFile, written, ("defaults",))
            if defaults is not None:
                request = self._with_looks(request, defaults, ("defaults",))
        if not request.banner.groups and self._raw_banner(("defaults",)) is None and self.banners:
            request = replace(request, banner=next(iter(self.banners.values())))
        return self._with_rules(
            request, self._rules("tests", TestsEntry), self._rules("bases", BasesFile), ()
        )

    def _rules(self, key: str, kind: Any) -> Any:
        value = self._raw(key)
        return None if value is None else self.part(kind, value, (key,))

    def _with_rules(
        self, request: TableRequest, tests: TestsFile | None, bases: BasesFile | None, place: Place
    ) -> TableRequest:
        if tests is not None:
            request = self._with_tests(request, tests, (*place, "tests"))
        if bases is not None:
            request = self._with_bases(request, bases, (*place, "bases"))
        return request

    def _raw_banner(self, place: Place) -> Any:
        defaults = self._raw(str(place[0]))
        return defaults.get("banner") if isinstance(defaults, dict) else None

    def _with_looks(
        self, request: TableRequest, part: DefaultsFile | SettingsPart, place: Place
    ) -> TableRequest:
        if part.figures is not None:
            request = replace(request, figures=tuple(part.figures))
        if part.digits is not None:
            request = replace(request, digits=_digits(request.digits, part.digits))
        if part.banner is not None:
            banner = self.banners.get(part.banner)
            if banner is None and part.banner == "none":
                banner = Banner()
            if banner is None:
                hint = nearest(part.banner, tuple(self.banners))
                self.note((*place, "banner"), f"no banner {part.banner!r}.{hint}")
            else:
                request = replace(request, banner=banner)
        return request

    def _with_tests(self, request: TableRequest, part: TestsFile, place: Place) -> TableRequest:
        levels = tuple(part.levels)
        try:
            check_levels(levels)
        except RequestError as error:
            self.note((*place, "levels"), f"levels: {error}")
            return request
        return replace(request, levels=levels)

    def _with_bases(self, request: TableRequest, part: BasesFile, place: Place) -> TableRequest:
        try:
            rules = BaseRules(
                mark=part.mark, no_test=part.no_test, withhold=part.withhold, judged_on=part.judged_on
            )
        except RequestError as error:
            self.note(place, str(error))
            return request
        return replace(request, rules=rules)

    def _tables(self, base: TableRequest) -> list[TableRequest]:
        written = self._raw("tables")
        entries = written if isinstance(written, list) else []
        self.named = {name for entry in entries if (name := _named_question(entry)) is not None}
        requests: list[TableRequest] = []
        for k, entry in enumerate(entries):
            requests += self._entry(entry, base, ("tables", k))
        self._check_ids(entries)
        return _with_ids(requests)

    def _check_ids(self, entries: list[Any]) -> None:
        seen: set[str] = set()
        for k, entry in enumerate(entries):
            name = str(entry.get("id")) if isinstance(entry, dict) and entry.get("id") is not None else None
            if name is not None and name in seen:
                self.note(("tables", k, "id"), f"two tables have the id {name!r}; each needs its own.")
            seen.update({name} if name is not None else ())

    def _entry(self, entry: Any, base: TableRequest, place: Place) -> list[TableRequest]:
        if isinstance(entry, dict) and "each" in entry:
            return self._each(entry, base, place)
        if not isinstance(entry, dict):
            entry = {"question": entry}
            where = place
        else:
            where = (*place, "question")
        table = self.part(TableFile, entry, place)
        if table is None:
            return []
        question = self._question(table.question, where)
        request = self._settled(base, table, place)
        if table.filter is not None:
            self._check_expression(table.filter, (*place, "filter"))
        if question is None:
            return []
        if question.kind in NOT_TABULATED:
            self.note(where, f"{question.name} {NOT_TABULATED[question.kind]}.")
            return []
        return [
            replace(
                request,
                question=question.name,
                id=table.id or "",
                title=table.title or "",
                filter=table.filter,
            )
        ]

    def _each(self, entry: Mapping[str, Any], base: TableRequest, place: Place) -> list[TableRequest]:
        each = self.part(EachFile, entry, place)
        if each is None:
            return []
        request = self._settled(base, each, place)
        if each.filter is not None:
            self._check_expression(each.filter, (*place, "filter"))
        if self.codebook is None:
            return []
        left = [question for question in self.codebook if question.name not in self.named]
        return [
            replace(request, question=question.name, filter=each.filter)
            for question in left
            if question.kind not in NOT_TABULATED
        ]

    def _settled(self, base: TableRequest, part: SettingsPart, place: Place) -> TableRequest:
        return self._with_rules(self._with_looks(base, part, place), part.tests, part.bases, place)


def _digits(digits: Digits, part: DigitsFile) -> Digits:
    return Digits(
        percent=digits.percent if part.percent is None else part.percent,
        count=digits.count if part.count is None else part.count,
        mean=digits.mean if part.mean is None else part.mean,
    )


def _named_question(entry: Any) -> str | None:
    if isinstance(entry, str):
        return entry
    if isinstance(entry, dict) and isinstance(entry.get("question"), str):
        return str(entry["question"])
    return None


def _with_ids(requests: list[TableRequest]) -> list[TableRequest]:
    """Give every table an id of its own: the one in the plan, else the question's name, numbered on repeats."""
    taken: set[str] = {request.id for request in requests if request.id}
    result = []
    for request in requests:
        name = request.id or request.question
        number = 2
        while not request.id and name in taken:
            name = f"{request.question}-{number}"
            number += 1
        taken.add(name)
        result.append(replace(request, id=name))
    return result
