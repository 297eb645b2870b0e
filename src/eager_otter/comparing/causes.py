"""Differences between what two reports were made of: the causes behind figures and letters that changed."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Literal, get_args

from eager_otter.comparing.manifest import Manifest, TableEntry, read_manifests
from eager_otter.dataclass import dataclass
from eager_otter.errors import shown_path
from eager_otter.gates.outputs import MANIFEST
from eager_otter.gates.reading import is_file
from eager_otter.looks.words import counted, first_of

CauseKind = Literal[
    "not in the codebook",
    "level",
    "tests",
    "weight",
    "filter",
    "base",
    "base rules",
    "net definition",
    "question definition",
    "wording",
    "data",
    "version",
]
SHOWN = 8  # names in one line
CAUSES: tuple[CauseKind, ...] = get_args(CauseKind)


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One thing that two reports were made of differently: what kind, what it was and is, in which tables.

    `what` names the setting, net or question, "" where the kind says it all. `tables` are the ids of the tables that
    it touches; none named stands for all.

    `before` and `after` say it as it was and as it is. One `of_no_table` changes no figure, as columns in no question.
    """

    kind: CauseKind
    what: str
    before: str
    after: str
    tables: tuple[str, ...] = ()
    of_no_table: bool = False


def causes_between(old: Manifest, new: Manifest) -> tuple[Cause, ...]:
    """List what differs between the manifests of two reports, in the order of `CAUSES`."""
    causes = [*_table_causes(old, new), *_question_causes(old, new), *_data_causes(old, new)]
    return tuple(sorted(causes, key=lambda cause: CAUSES.index(cause.kind)))


def manifests_of(old: Path, new: Path) -> tuple[tuple[Manifest, Manifest] | None, str]:
    """Find the manifests beside two tidy files: both, or none with the reason why causes cannot be told."""
    manifests = []
    for path in (old, new):
        place = path.parent / MANIFEST
        if not is_file(place):
            return None, f"Causes cannot be given: no {MANIFEST} is beside {shown_path(path)}."
        manifest = read_manifests(place).of(path)
        if manifest is None:
            return (
                None,
                f"Causes cannot be given: {shown_path(place)} was written for other files than {path.name}.",
            )
        manifests.append(manifest)
    return (manifests[0], manifests[1]), ""


# --- of tables ------------------------------------------------------------------------------------------


def _levels(table: TableEntry) -> str:
    return ", ".join(f"{level:g} %" for level in table.levels) or "no tests"


def _tests(table: TableEntry) -> Mapping[str, str]:
    return {name: str(value) for name, value in table.tests.items()}


def _bases(table: TableEntry) -> Mapping[str, str]:
    return {
        name: "none" if value is None else f"{value:g}" if isinstance(value, float) else value
        for name, value in table.bases.items()
    }


SETTINGS: tuple[tuple[CauseKind, Callable[[TableEntry], str]], ...] = (
    ("level", _levels),
    ("weight", lambda table: table.weight or "none"),
    ("filter", lambda table: "; ".join(table.filters) or "none"),
    ("base", lambda table: table.base),
)
RULES: tuple[tuple[CauseKind, Callable[[TableEntry], Mapping[str, str]]], ...] = (
    ("tests", _tests),
    ("base rules", _bases),
)


def _table_causes(old: Manifest, new: Manifest) -> Iterator[Cause]:
    """Go through settings that differ, tables with the same difference together."""
    if old.filter != new.filter:
        yield Cause(kind="filter", what="", before=old.filter or "none", after=new.filter or "none")
    before = {table.id: table for table in old.tables}
    pairs = [(before[table.id], table) for table in new.tables if table.id in before]
    touched: dict[tuple[CauseKind, str, str, str], list[str]] = {}
    for first, second in pairs:
        for kind, setting in SETTINGS:
            if setting(first) != setting(second):
                touched.setdefault((kind, "", setting(first), setting(second)), []).append(second.id)
        for kind, rules in RULES:
            for name, value in rules(second).items():
                was = rules(first).get(name, "")
                if was != value:
                    touched.setdefault((kind, name.replace("_", " "), was, value), []).append(second.id)
    for (kind, what, was, value), tables in touched.items():
        named = () if len(tables) == len(pairs) else tuple(tables)
        yield Cause(kind=kind, what=what, before=was, after=value, tables=named)


# --- of questions ---------------------------------------------------------------------------------------


def _question_causes(old: Manifest, new: Manifest) -> Iterator[Cause]:
    for name, question in new.questions.items():
        before = old.questions.get(name)
        if before is None:
            continue
        tables = tuple(table.id for table in new.tables if name in table.questions)
        renamed = _renamed(before.nets, question.nets)
        for was, now in renamed.items():
            yield Cause(kind="wording", what=f"{name}, net", before=was, after=now, tables=tables)
        for label in dict.fromkeys([*before.nets, *question.nets]):
            was, now = before.nets.get(label, "none"), question.nets.get(label, "none")
            if was != now and label not in renamed and label not in renamed.values():
                yield Cause(
                    kind="net definition", what=f"{label} ({name})", before=was, after=now, tables=tables
                )
        if before.definition != question.definition:
            yield Cause(
                kind="question definition",
                what=name,
                before=before.definition,
                after=question.definition,
                tables=tables,
            )
        texts = [("text", before.text, question.text), ("label", before.label, question.label)]
        codes = dict.fromkeys([*before.answers, *question.answers])
        texts += [
            (f"answer {c}", before.answers.get(c, "none"), question.answers.get(c, "none")) for c in codes
        ]
        for what, was, now in texts:
            if was != now:
                yield Cause(kind="wording", what=f"{name}, {what}", before=was, after=now, tables=tables)


def _renamed(before: Mapping[str, str], after: Mapping[str, str]) -> dict[str, str]:
    """Match nets that went with nets that came, where they alone have the same definition."""
    went = {label: rule for label, rule in before.items() if label not in after}
    came = {label: rule for label, rule in after.items() if label not in before}
    renamed = {}
    for label, rule in went.items():
        alike = [other for other, other_rule in came.items() if other_rule == rule]
        if len(alike) == 1 and list(went.values()).count(rule) == 1:
            renamed[label] = alike[0]
    return renamed


def _unknown(old: Manifest, new: Manifest) -> Iterator[Cause]:
    """Go through codes and columns that only the later data hold and the codebook does not know."""
    for where, found in new.audit.unknown.items():
        before = old.audit.unknown.get(where, [])
        if set(found) - set(before):
            what = "columns" if where == "data" else f"codes of {where}"
            tables = [table.id for table in new.tables if where in table.questions]
            yield Cause(
                kind="not in the codebook",
                what=what,
                before=first_of(before, SHOWN) or "none",
                after=first_of(sorted(found, key=before.__contains__), SHOWN),
                tables=tuple(tables),
                of_no_table=not tables,
            )


# --- of data --------------------------------------------------------------------------------------------


def _data_causes(old: Manifest, new: Manifest) -> Iterator[Cause]:
    if old.data.digest != new.data.digest:
        yield from _unknown(old, new)
    was, now = (f"{counted(one.rows, 'row')}, {one.digest}" for one in (old.data, new.data))
    if old.data.digest != new.data.digest or old.data.rows != new.data.rows:
        yield Cause(kind="data", what=new.data.file, before=was, after=now)
    names: Sequence[str] = list(dict.fromkeys([*old.versions, *new.versions]))
    for name in names:
        before, after = old.versions.get(name, "none"), new.versions.get(name, "none")
        if before != after:
            yield Cause(kind="version", what=name, before=before, after=after)
