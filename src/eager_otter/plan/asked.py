"""Tables asked for in a call: the words of a plan's entry, through the same checks, without a file."""

from __future__ import annotations

import sys
import warnings
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import field, replace
from typing import Any

from eager_otter.codebook.model import Codebook, Question
from eager_otter.dataclass import dataclass
from eager_otter.documents.part import fields_of
from eager_otter.documents.settled import settings_from
from eager_otter.documents.values import Values, values_of
from eager_otter.documents.yaml_nodes import Place
from eager_otter.errors import Hint, OtterError, RequestError, UnknownName
from eager_otter.looks.theme import STANDARD
from eager_otter.looks.words import Words
from eager_otter.plan.as_written import (
    banner_as_written,
    bases_as_written,
    digits_as_written,
    filled,
    group_as_written,
    rows_as_written,
    sorting_as_written,
    tests_as_written,
)
from eager_otter.plan.banners import BannerReading
from eager_otter.plan.context import Context
from eager_otter.plan.file import BannerFile, EachFile, ItemsFile, SettingsPart, TableFile
from eager_otter.plan.settings import SettingsReading
from eager_otter.plan.tables import TablesReading
from eager_otter.tables.request import (
    Banner,
    BannerGroup,
    BaseRules,
    Digits,
    RowRules,
    Sorting,
    TableRequest,
    TestRules,
)

BANNER = "banner"  # what the banner of a call is called in the document made of it
MOVED: Mapping[Place, Place] = {
    ("tables", 0): (),
    ("banners", BANNER, "groups"): (BANNER,),
    ("banners", BANNER): (BANNER,),
}
LEVELS: Place = ("tables", 0, "tests", "levels")
NO_BANNER = "none"  # the Total alone
PACKAGE = __name__.partition(".")[0]
SOME_LEVELS = (95.0,)
USUAL_TESTS = tests_as_written(SOME_LEVELS, TestRules())


class Call(Context):
    """A call on its way: a name that is not there is told at once, other problems are gathered."""

    def __init__(self, document: Values, codebook: Codebook) -> None:
        super().__init__(document)
        self.codebook: Codebook = codebook

    def question(self, name: str, place: Place) -> Question | None:
        """Find a question. Raises UnknownName."""
        return super().question(name, place) if name in self.codebook.grids else self.codebook.question(name)

    def refused(self, place: Place, error: OtterError) -> None:
        """Remember what was refused further in. Raises UnknownName where a name is not there."""
        if isinstance(error, UnknownName):
            raise error
        super().refused(place, error)

    def answer(self, question: Question, name: str, place: Place, nets: Sequence[str] = ()) -> str | None:
        """Find the code of a valid answer. Raises UnknownName where the question has none of that name."""
        if question.find(name) is None:
            known = [*(answer.label for answer in question.valid), *nets]
            raise UnknownName("answer", name, known, question.name)
        return super().answer(question, name, place, nets)


@dataclass(frozen=True, slots=True)
class CallReader:
    """Reads what a call asks for as a plan reads an entry of its tables; `banners` are those that it may name."""

    banners: Mapping[str, Banner] = field(default_factory=dict)

    def __call__(
        self, entry: Mapping[str, object], codebook: Codebook, words: Words, *, weighted: bool
    ) -> list[TableRequest]:
        """Make the requests of one entry. Raises RequestError with every mistake, UnknownName."""
        settings = _in_plan_words(entry)
        given = settings.pop(BANNER, None)
        groups = None if given is None or _is_empty(given) else self._banner(given)
        document: dict[str, Any] = {"weight": "weight" if weighted else "none", "tables": [settings]}
        if groups is not None and groups["groups"]:
            document["banners"] = {BANNER: groups}
            settings[BANNER] = BANNER
        moved = {**MOVED, LEVELS: ("levels",)} if "levels" in entry else dict(MOVED)
        if isinstance(given, str | BannerGroup):
            moved["banners", BANNER, "groups", 0] = (BANNER,)
        call = Call(values_of(document, moved), codebook)
        reading = SettingsReading(call, BannerReading(call))
        requests = TablesReading(call, reading, reading.standard(STANDARD, words)).requests()
        if call.problems:
            raise RequestError("\n".join(dict.fromkeys(str(problem) for problem in call.problems)))
        for hint in dict.fromkeys(str(hint) for hint in call.hints):
            warnings.warn(hint, Hint, stacklevel=_steps_to_caller())
        named = given.name if isinstance(given, Banner) else given if isinstance(given, str) else ""
        named = named if named in self.banners or isinstance(given, Banner) else ""
        keep_id = len(requests) > 1 or settings.get("id") is not None
        return [
            replace(
                request,
                id=request.id if keep_id else "",
                banner=replace(request.banner, name=named if request.banner.groups else ""),
            )
            for request in requests
        ]

    def _banner(self, given: Any) -> dict[str, Any]:
        """Write a banner as a plan does, whatever it is given as."""
        if isinstance(given, Banner):
            return banner_as_written(given)
        if isinstance(given, str) and given in self.banners:
            return banner_as_written(self.banners[given])
        if isinstance(given, str) and given == NO_BANNER:
            return {"groups": []}
        if isinstance(given, Mapping) and {"groups", *given} <= _keys_of(BannerFile):
            return {**given, "groups": self._groups(given["groups"]) if "groups" in given else []}
        return {"groups": self._groups(given)}

    def _groups(self, given: Any) -> list[Any]:
        several = isinstance(given, Iterable) and not isinstance(given, str | bytes | Mapping)
        groups: list[Any] = []
        for one in given if several else [given]:
            if isinstance(one, str) and one in self.banners:
                groups += banner_as_written(self.banners[one])["groups"]
            elif isinstance(one, Banner):
                groups += banner_as_written(one)["groups"]
            else:
                groups.append(_group(one))
        return groups


def _steps_to_caller() -> int:
    """Count the steps from who calls this up to the first that is not of this package, for a warning."""
    frame, steps = sys._getframe(1), 1
    while frame.f_back is not None and frame.f_globals.get("__name__", "").startswith(PACKAGE):
        frame, steps = frame.f_back, steps + 1
    return steps


def _group(given: Any) -> Any:
    if isinstance(given, BannerGroup):
        return group_as_written(given)
    if isinstance(given, Mapping) and isinstance(given.get("nest"), list | tuple):
        return {**given, "nest": [_group(level) for level in given["nest"]]}
    return [_group(level) for level in given] if isinstance(given, list | tuple) else given


def _in_plan_words(entry: Mapping[str, object]) -> dict[str, Any]:
    """Return an entry with the keys of a plan, and settings that are objects written out as a plan writes them."""
    settings: dict[str, Any] = {}
    for key, value in entry.items():
        if value is not None and not (key in EMPTY_IS_NOTHING and _is_empty(value)):
            settings[key] = value
    rows = settings.pop("rows", None)
    if rows is not None:
        settings = _with_rows(settings, rows)
    kind = EachFile if "each" in settings else ItemsFile if {"grid", "items"} & set(settings) else TableFile
    aliases = dict(_aliases(kind))
    settings = {aliases.get(key, key): value for key, value in settings.items()}
    for key, (kind_of_object, written) in OBJECTS.items():
        if isinstance(settings.get(key), kind_of_object):
            settings[key] = written(settings[key])
    levels = settings.pop("levels", None)
    if levels is not None:
        settings["tests"] = _with_levels(settings.get("tests"), levels)
    return settings


def _with_rows(settings: dict[str, Any], rows: object) -> dict[str, Any]:
    written = filled(rows_as_written(settings_from(RowRules, rows, "rows")))
    twice = sorted(set(written) & {key.replace("_", " ") for key in settings})
    if twice:
        raise RequestError(f"{twice[0]}: given twice: by itself and in rows; leave one out.")
    return {**settings, **written}


def _with_levels(tests: Any, levels: object) -> Any:
    """Put levels into the settings of tests."""
    levels = [] if _is_empty(levels) else levels
    if tests is None:
        return {"levels": levels}
    if isinstance(tests, str):
        if tests == "none":
            raise RequestError("levels: tests are 'none', so levels would do nothing; leave one out.")
        return {"against": tests, "levels": levels}
    if not isinstance(tests, Mapping):
        return tests
    if "levels" in tests:
        raise RequestError("levels: given twice: by itself and in tests; leave one out.")
    return {**tests, "levels": levels}


def _tests(tests: TestRules) -> dict[str, Any]:
    """Write what is not as usual, so that what would do nothing is noticed."""
    written = tests_as_written(SOME_LEVELS, tests)
    return {key: value for key, value in written.items() if value != USUAL_TESTS.get(key)}


def _bases(bases: BaseRules) -> dict[str, Any]:
    return {key: value for key, value in bases_as_written(bases, ()).items() if key != "show"}


OBJECTS: Mapping[str, tuple[type, Any]] = {
    "tests": (TestRules, _tests),
    "bases": (BaseRules, _bases),
    "digits": (Digits, digits_as_written),
    "sort": (Sorting, sorting_as_written),
}
EMPTY_IS_NOTHING = (
    "figures",
    "within",
    "title",
    "base_text",
    "note",
    "percent_of",
    "untested",
    "hide",
    "leave_out",
)


def _is_empty(value: object) -> bool:
    return isinstance(value, str | list | tuple | dict) and not value


def _aliases(kind: type[SettingsPart]) -> Iterable[tuple[str, str]]:
    for name, one in fields_of(kind).items():
        yield name, one.key


def _keys_of(kind: Any) -> set[str]:
    return {one.key for one in fields_of(kind).values()}
