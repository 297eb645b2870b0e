"""Read a plan and its codebook; report every mistake in both before any data are read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any, TypeVar

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Answer, Codebook, Question
from eager_otter.codebook.reading import parse_or_problem, read_draft
from eager_otter.data.opening import Reading
from eager_otter.documents.checking import check
from eager_otter.documents.yaml_nodes import Document, Place, read_yaml
from eager_otter.errors import (
    DocumentError,
    FileProblem,
    Problem,
    RequestError,
    UnknownName,
    nearest,
    shown_path,
)
from eager_otter.plan.file import (
    BannerEntry,
    BasesFile,
    DefaultsFile,
    DigitsFile,
    EachFile,
    GroupEntry,
    GroupFile,
    HeadingFile,
    ItemsFile,
    PlanFile,
    SettingsPart,
    TableFile,
    TestsEntry,
    TestsFile,
)
from eager_otter.plan.plan import Acceptance, Plan
from eager_otter.tables.request import (
    Banner,
    BannerGroup,
    BaseRules,
    Digits,
    Items,
    Sorting,
    TableRequest,
    check_levels,
)
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


def only_tables(plan: Plan, ids: Sequence[str]) -> Plan:
    """Keep only some tables of a plan, by id or pattern. Raises UnknownName for one that fits none."""
    known = [request.id for request in plan.requests]
    for name in ids:
        if not any(fnmatchcase(one, name) for one in known):
            raise UnknownName("table", name, known, "the plan")
    kept = [request for request in plan.requests if any(fnmatchcase(request.id, name) for name in ids)]
    return replace(plan, requests=tuple(kept))


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
        for name, body in (written if isinstance(written, dict) else {}).items():
            place: Place = ("banners", name)
            banner = self.part(BannerEntry, body, place)
            if banner is None:
                continue
            inside = place if isinstance(body, list) else (*place, "groups")
            found = [self._group(group, (*inside, k)) for k, group in enumerate(banner.groups)]
            groups = tuple(group for group in found if group)
            if groups:
                self.banners[name] = Banner(groups=groups, name=name, total=banner.total)

    def _group(self, written: Any, place: Place, *, inner: bool = False) -> BannerGroup | None:
        group = self.part(GroupEntry, written, place)
        if group is None:
            return None
        if group.only is not None:
            self._check_expression(group.only, (*place, "only"))
        if group.nest is not None:
            return self._nest(group, place, inner=inner)
        if group.question is None:
            return self._own_columns(group, place)
        where = (*place, "question") if isinstance(written, dict) else place
        question = self._question(group.question, where)
        if question is None:
            return None
        if question.kind not in ("single", "multi"):
            remedy = REMEDIES[question.kind]
            self.note(where, f"{question.name} is of kind {question.kind} and cannot be a banner; {remedy}.")
            return None
        return BannerGroup(
            question=question.name,
            label=group.label,
            keep=None if group.keep is None else self._kept(group, question, place),
            labels=self._labels(group, question, place),
            columns=self._merged_columns(group, question, place),
            only=group.only,
        )

    def _nest(self, group: GroupFile, place: Place, *, inner: bool) -> BannerGroup | None:
        if inner:
            self.note(place, "a nesting holds questions, not nestings; name all levels in one list.")
            return None
        levels = [
            self._group(level, (*place, "nest", k), inner=True) for k, level in enumerate(group.nest or [])
        ]
        if not all(levels):
            return None
        nest = tuple(level for level in levels if level is not None)
        return BannerGroup(label=group.label, nest=nest, subtotal=group.subtotal, only=group.only)

    def _own_columns(self, group: GroupFile, place: Place) -> BannerGroup:
        columns: list[tuple[str, str | tuple[str, ...]]] = []
        for label, rules in (group.columns or {}).items():
            if len(rules) > 1:
                self.note(
                    (*place, "columns", label), "a list of answers needs the question that they are of."
                )
            self._check_expression(rules[0], (*place, "columns", label))
            columns.append((label, rules[0]))
        return BannerGroup(label=group.label, columns=tuple(columns), only=group.only)

    def _merged_columns(
        self, group: GroupFile, question: Question, place: Place
    ) -> tuple[tuple[str, str | tuple[str, ...]], ...]:
        columns: list[tuple[str, str | tuple[str, ...]]] = []
        for label, names in (group.columns or {}).items():
            where = (*place, "columns", label)
            codes = [self._answer(question, name, where) for name in names]
            columns.append((label, tuple(code for code in codes if code is not None)))
        return tuple(columns)

    def _kept(self, group: GroupFile, question: Question, place: Place) -> tuple[str, ...]:
        nets = {net.label.casefold(): net.label for net in question.nets}
        codes: list[str] = []
        for k, name in enumerate(group.keep or []):
            net = nets.get(name.casefold())
            code = (
                net
                if net and question.find(name) is None
                else self._answer(question, name, (*place, "keep", k))
            )
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
        named = written.get("banner") if isinstance(written, dict) else None
        if not request.banner.groups and named is None and self.banners:
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

    def _with_looks(
        self, request: TableRequest, part: DefaultsFile | SettingsPart, place: Place
    ) -> TableRequest:
        if part.figures is not None:
            request = replace(request, figures=tuple(part.figures))
        if part.digits is not None:
            request = replace(request, digits=_digits(request.digits, part.digits))
        names = part.banner
        if isinstance(names, str):
            names = [names]
        if names:
            request = replace(request, banner=self._banner(names[0], (*place, "banner")) or request.banner)
        return request

    def _banner(self, name: str, place: Place) -> Banner | None:
        banner = Banner() if name == "none" and name not in self.banners else self.banners.get(name)
        if banner is None and name not in self._written_banners():
            self.note(place, f"no banner {name!r}.{nearest(name, tuple(self._written_banners()))}")
        return banner

    def _written_banners(self) -> list[str]:
        written = self._raw("banners")
        return list(written) if isinstance(written, dict) else []

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
        heading = ""
        for k, entry in enumerate(entries):
            if isinstance(entry, dict) and "heading" in entry:
                part = self.part(HeadingFile, entry, ("tables", k))
                heading = part.heading if part is not None else heading
                continue
            requests += self._entry(entry, replace(base, heading=heading), ("tables", k))
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
        if isinstance(entry, dict) and ("grid" in entry or "items" in entry):
            return self._items(entry, base, place)
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
        if question is None:
            return []
        if question.kind in NOT_TABULATED:
            self.note(where, f"{question.name} {NOT_TABULATED[question.kind]}.")
            return []
        if table.value is not None:
            third = self._question(table.value, (*place, "value"))
            if third is not None and third.kind != "number" and not third.scale:
                message = f"{third.name} is of kind {third.kind}; only numbers and scales can be summed up in cells."
                self.note((*place, "value"), message)
            request = replace(request, value=table.value)
        named = replace(request, question=question.name, id=table.id or "", title=table.title or "")
        return self._copies(self._with_rows(named, table, question, place), table, place)

    def _copies(self, request: TableRequest, part: SettingsPart, place: Place) -> list[TableRequest]:
        """Make a table for each banner, and of each again for every answer of the question it is repeated by."""
        names = part.banner or []
        if names == ["all"] and "all" not in self.banners:
            names = list(self.banners)
        if len(names) > 1:
            found = [(name, self._banner(name, (*place, "banner"))) for name in names]
            stem = request.id or request.question
            copies = [replace(request, banner=b, id=f"{stem}-{name}") for name, b in found if b is not None]
        else:
            copies = [request]
        return [layered for copy in copies for layered in self._layers(copy, part, place)]

    def _layers(self, request: TableRequest, part: SettingsPart, place: Place) -> list[TableRequest]:
        if part.repeat is None:
            return [request]
        question = self._question(part.repeat, (*place, "repeat"))
        if question is None:
            return [request]
        if question.kind not in ("single", "multi"):
            self.note(
                (*place, "repeat"),
                f"{question.name} is of kind {question.kind}; only answers can be gone through.",
            )
            return [request]
        stem = request.id or request.question
        return [
            replace(request, id=stem),
            *(_layer(request, question, answer, stem) for answer in question.valid),
        ]

    def _with_rows(
        self, request: TableRequest, part: SettingsPart, question: Question | None, place: Place
    ) -> TableRequest:
        """Put the base and the rules for rows into a request; answers named are checked where there is a question."""
        if part.base is not None:
            if part.base not in ("answered", "all"):
                self._check_expression(part.base, (*place, "base"))
            request = replace(request, base=part.base)
        rows = request.rows
        if part.sort is not None:
            up = part.sort.direction == "up" or (part.sort.direction is None and part.sort.by != "figure")
            rows = replace(rows, sort=Sorting(by=part.sort.by, up=up, column=part.sort.column))
        if question is not None:
            rows = replace(
                rows,
                hide=self._codes_named(question, part.hide, (*place, "hide")),
                leave_out=self._codes_named(question, part.leave_out, (*place, "leave out")),
            )
            if rows.leave_out and question.kind != "single":
                message = f"{question.name} takes several answers; hide them, or set a base, instead of leaving out."
                self.note((*place, "leave out"), message, key=True)
        rows = replace(rows, most=part.most, above=part.above, drop_empty=part.empty_rows == "drop")
        return replace(request, rows=rows)

    def _codes_named(self, question: Question, names: list[str] | None, place: Place) -> tuple[str, ...]:
        codes = [self._answer(question, name, (*place, k)) for k, name in enumerate(names or [])]
        return tuple(code for code in codes if code is not None)

    def _items(self, entry: dict[str, Any], base: TableRequest, place: Place) -> list[TableRequest]:
        part = self.part(ItemsFile, entry, place)
        if part is None or self.codebook is None:
            return []
        request = self._settled(base, part, place)
        title = part.title or ""
        if part.grid is not None:
            grid = self.codebook.grids.get(part.grid)
            if grid is None:
                if part.grid not in self.mistaken:
                    hint = nearest(part.grid, tuple(self.codebook.grids))
                    self.note((*place, "grid"), f"no grid {part.grid!r} in the codebook.{hint}")
                return []
            what = f" – {part.figure}" if part.shape == "items by columns" else ""
            names, title = grid.items, title or grid.text + what
        else:
            found = [self._question(name, (*place, "items", k)) for k, name in enumerate(part.items or [])]
            names = tuple(question.name for question in found if question is not None)
        if not names:
            return []
        self._check_item_figure(part, names, place)
        stem = part.id or part.grid or f"{names[0]}-and-more"
        wanted = replace(
            self._with_rows(request, part, None, place),
            question=part.grid or ", ".join(names),
            items=Items(questions=names, shape=part.shape, figure=part.figure),
            id=stem,
            title=title,
        )
        return self._copies(wanted, part, place)

    def _check_item_figure(self, part: ItemsFile, names: Sequence[str], place: Place) -> None:
        assert self.codebook is not None
        for question in (self.codebook.question(name) for name in names):
            if part.shape != "items by columns" or part.figure.casefold() == "mean":
                continue
            labels = [net.label for net in question.nets] + [answer.label for answer in question.valid]
            known = {label.casefold() for label in labels} | {answer.code for answer in question.valid}
            if part.figure.casefold() not in known:
                hint = nearest(part.figure, labels)
                self.note((*place, "figure"), f"{question.name} has no net or answer {part.figure!r}.{hint}")
                return

    def _each(self, entry: Mapping[str, Any], base: TableRequest, place: Place) -> list[TableRequest]:
        each = self.part(EachFile, entry, place)
        if each is None:
            return []
        request = self._settled(base, each, place)
        if self.codebook is None:
            return []
        request = self._with_rows(request, each, None, place)
        found = self._fitting(each, (*place, "each"))
        return [
            copy
            for question in found
            if question.kind not in NOT_TABULATED
            for copy in self._copies(replace(request, question=question.name), each, place)
        ]

    def _fitting(self, each: EachFile, place: Place) -> list[Question]:
        """Find the questions that an `each` means: patterns of names, kinds, sections."""
        assert self.codebook is not None
        found = []
        for question in self.codebook:
            named = "all" in each.each and question.name not in self.named
            fits = named or any(fnmatchcase(question.name, pattern) for pattern in each.each)
            kind = "scale" if question.scale else question.kind
            fits = fits and (each.kinds is None or kind in each.kinds or question.kind in each.kinds)
            if fits and (each.sections is None or question.section in each.sections):
                found.append(question)
        if not found:
            self.note(place, "no question fits.")
        return found

    def _settled(self, base: TableRequest, part: SettingsPart, place: Place) -> TableRequest:
        """Give what a table is by its own settings: looks, tests, bases, filter."""
        request = self._with_rules(self._with_looks(base, part, place), part.tests, part.bases, place)
        if part.filter is not None:
            self._check_expression(part.filter, (*place, "filter"))
        return replace(request, filter=part.filter)


def _layer(request: TableRequest, question: Question, answer: Answer, stem: str) -> TableRequest:
    """Narrow a table to one answer of a control question."""
    quote = "'" if '"' in answer.code else '"'
    sign = "==" if question.kind == "single" else "mentions"
    chosen = f"`{question.name}` {sign} {quote}{answer.code}{quote}"
    text = chosen if request.filter is None else f"({request.filter}) and {chosen}"
    return replace(request, filter=text, layer=answer.label, id=f"{stem}-{answer.code}")


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
