"""Read the banners of a plan."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Question
from eager_otter.documents.translated import names_of
from eager_otter.documents.yaml_nodes import Place
from eager_otter.errors import RequestError, nearest
from eager_otter.plan.context import Context
from eager_otter.plan.file import (
    AgainstEntry,
    BannerEntry,
    BasesFile,
    ControlFile,
    GroupEntry,
    GroupFile,
    TestsEntry,
    TestsFile,
)
from eager_otter.tables.request import Against, Banner, BannerGroup

REMEDIES = {
    "number": "cut it into bands in the codebook",
    "date": "put it into periods in the codebook",
    "text": "code it into answers",
}


def control_of(against: AgainstEntry) -> tuple[Against, str]:
    """Return what columns are tested against, and which column where it is one; the Total as control is `total`."""
    if not isinstance(against, ControlFile):
        return against, ""
    return ("total", "") if against.column == "Total" else ("column", against.column)


class BannerReading:
    """Reads the banners of a plan, by name."""

    def __init__(self, context: Context) -> None:
        self.context = context
        self.banners: dict[str, Banner] = {}
        self.tests: dict[str, TestsFile] = {}  # by banner, where it says so
        self.bases: dict[str, BasesFile] = {}
        self._read()

    @property
    def written(self) -> list[str]:
        """The names of all banners written, sound or not."""
        written = self.context.raw("banners")
        return list(written) if isinstance(written, dict) else []

    def called(self, name: str, place: Place) -> Banner | None:
        """Find a banner by name; "none" is the Total alone."""
        banner = Banner() if name == "none" and name not in self.banners else self.banners.get(name)
        if banner is None and name not in self.written:
            self.context.mistake(place, f"no banner {name!r}.{nearest(name, tuple(self.written))}")
        return banner

    def add(self, name: str, groups: Sequence[Any]) -> None:
        """Read one more banner, of groups as a plan writes them; a mistake joins the other problems."""
        read_groups = [self._group(group, ("banners", name, k)) for k, group in enumerate(groups)]
        self.banners[name] = Banner(groups=tuple(group for group in read_groups if group), name=name)

    def _read(self) -> None:
        written = self.context.raw("banners")
        for name, body in (written if isinstance(written, dict) else {}).items():
            place: Place = ("banners", name)
            banner = self.context.part(BannerEntry, body, place)
            if banner is None:
                continue
            inside = place if isinstance(body, list) else (*place, "groups")
            read_groups = [self._group(group, (*inside, k)) for k, group in enumerate(banner.groups)]
            groups = tuple(group for group in read_groups if group)
            for key, kind, rules in (("tests", TestsEntry, self.tests), ("bases", BasesFile, self.bases)):
                written_rules = getattr(banner, key)
                part = (
                    None if written_rules is None else self.context.part(kind, written_rules, (*place, key))
                )
                if part is not None:
                    rules[name] = part
            if groups:
                self.banners[name] = Banner(groups=groups, name=name, total=banner.total)

    def _group(self, written: Any, place: Place, *, inner: bool = False) -> BannerGroup | None:
        group = self.context.part(GroupEntry, written, place)
        if group is None:
            return None
        if group.only is not None:
            self.context.check_expression(group.only, (*place, "only"))
        if group.nest is not None:
            return self._nest(group, place, inner=inner)
        if group.question is None:
            return self._own_columns(group, place)
        where = (*place, "question") if isinstance(written, dict) else place
        question = self.context.question(group.question, where)
        if question is None:
            return None
        if not question.is_of.of_answers:
            remedy = REMEDIES[question.kind]
            self.context.mistake(
                where, f"{question.name} is of kind {question.kind} and cannot be a banner; {remedy}."
            )
            return None
        return BannerGroup(
            question=question.name,
            label=group.label,
            keep=None if group.keep is None else self._kept(group, question, place),
            labels=self._labels(group, question, place),
            columns=self._merged_columns(group, question, place),
            only=group.only,
            **_extras(group),
        )

    def _nest(self, group: GroupFile, place: Place, *, inner: bool) -> BannerGroup | None:
        if inner:
            self.context.mistake(
                place, "a nesting holds questions, not nestings; name all levels in one list."
            )
            return None
        levels = [
            self._group(level, (*place, "nest", k), inner=True) for k, level in enumerate(group.nest or [])
        ]
        for k, level in enumerate(levels[:-1]):
            if level is not None and (level.differences or level.against is not None or level.trend):
                message = (
                    "differences, against and trend go with the innermost question of a nesting, or the nesting "
                    "itself."
                )
                self.context.mistake((*place, "nest", k), message)
                return None
        if not all(levels):
            return None
        nest = tuple(level for level in levels if level is not None)
        return BannerGroup(
            label=group.label, nest=nest, subtotal=group.subtotal, only=group.only, **_extras(group)
        )

    def _own_columns(self, group: GroupFile, place: Place) -> BannerGroup:
        columns: list[tuple[str, str | tuple[str, ...]]] = []
        for label, rules in (group.columns or {}).items():
            if len(rules) > 1:
                self.context.mistake(
                    (*place, "columns", label), "a list of answers needs the question that they are of."
                )
            self.context.check_expression(rules[0], (*place, "columns", label))
            columns.append((label, rules[0]))
        return BannerGroup(label=group.label, columns=tuple(columns), only=group.only, **_extras(group))

    def _merged_columns(
        self, group: GroupFile, question: Question, place: Place
    ) -> tuple[tuple[str, str | tuple[str, ...]], ...]:
        columns: list[tuple[str, str | tuple[str, ...]]] = []
        for label, names in (group.columns or {}).items():
            where = (*place, "columns", label)
            codes = [self.context.answer(question, name, where) for name in names]
            columns.append((label, tuple(code for code in codes if code is not None)))
        return tuple(columns)

    def _kept(self, group: GroupFile, question: Question, place: Place) -> tuple[str, ...]:
        nets = {name.casefold(): net.label for net in question.nets for name in names_of(net.label)}
        codes: list[str] = []
        for k, name in enumerate(group.keep or []):
            net = nets.get(name.casefold())
            code = (
                net
                if net and self._code(question, name) is None
                else self.context.answer(question, name, (*place, "keep", k), list(nets.values()))
            )
            if code in codes:
                self.context.mistake((*place, "keep", k), f"{name!r} appears twice.")
            elif code is not None:
                codes.append(code)
        return tuple(codes)

    def _labels(self, group: GroupFile, question: Question, place: Place) -> dict[str, str]:
        named = {
            self.context.answer(question, name, (*place, "labels", name)): label
            for name, label in group.labels.items()
        }
        kept = None if group.keep is None else {self._code(question, name) for name in group.keep}
        for name in group.labels:
            code = self._code(question, name)
            if kept is not None and code is not None and code not in kept:
                message = f"{name!r} is not among the answers to keep, so its label would do nothing."
                self.context.mistake((*place, "labels", name), message)
        return {code: label for code, label in named.items() if code is not None}

    def _code(self, question: Question, name: str) -> str | None:
        """Find a code; None for none, and for a label of several answers, which is told where it is looked up first."""
        try:
            answer = question.find(canonical(name))
        except RequestError:
            return None
        return None if answer is None else answer.code


def _extras(group: GroupFile) -> dict[str, Any]:
    """Return what any kind of group may say besides its columns."""
    against, control = (None, "") if group.against is None else control_of(group.against)
    return {
        "hide": tuple(group.hide or ()),
        "differences": tuple((label, plus, minus) for label, (plus, minus) in group.differences.items()),
        "against": against,
        "control": control,
        "trend": group.trend,
        "rolling": group.rolling,
    }
