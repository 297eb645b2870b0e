"""Tables asked for once, beside what a plan says: by id, pattern, question, grid or label, with other settings."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import field
from fnmatch import fnmatchcase
from pathlib import Path
from typing import Any

from eager_otter.asking.banners import WITHIN, levels_of, nesting_meant
from eager_otter.codebook.model import Codebook
from eager_otter.dataclass import dataclass
from eager_otter.documents.translated import goes_by
from eager_otter.documents.yaml_nodes import compose
from eager_otter.errors import OtterError, Problem, RequestError, UnknownName
from eager_otter.plan.context import Context
from eager_otter.plan.tables import TablesReading
from eager_otter.tables.request import TableRequest

TOGETHER = " + "  # between the names of banners that are side by side
INSIDE = ("tests", "bases", "digits")  # settings that hold settings: those named join the others


@dataclass(frozen=True, slots=True, kw_only=True)
class AskedFor:
    """What is wanted for once.

    Each of `names` is the id of a table of the plan, a pattern of ids, a question, a grid, or the label of a question;
    `banners` are banners of the plan, questions, or "inner within outer" for a nesting, side by side; `settings` are
    those of an entry under `tables`, in the place of what the plan says.
    """

    names: tuple[str, ...]
    banners: tuple[str, ...] = ()
    settings: Mapping[str, Any] = field(default_factory=dict)

    @property
    def changes(self) -> bool:
        """Whether anything is to be other than the plan says."""
        return bool(self.banners or self.settings)


def tables_asked_for(
    asked: AskedFor, context: Context, tables: TablesReading, requests: Sequence[TableRequest]
) -> list[TableRequest]:
    """Return the requests of what is asked for: those of the plan, read again with the settings, or new ones.

    Raises UnknownName, and RequestError with every mistake in the settings.
    """
    book = context.codebook
    assert book is not None
    settings = dict(asked.settings)
    if asked.banners:
        settings["banner"] = _banner(asked.banners, tables, book)
    wanted: dict[str, TableRequest] = {}  # by id: a table that two names are for is shown once
    for name in asked.names:
        try:
            called = _called(name, asked, settings, context, tables, requests)
        except UnknownName:
            together = " ".join(asked.names)
            if name != together and any(goes_by(text, together) for text in _labels(book)):
                raise RequestError(f"{together!r} is one label: put it in quotes.") from None
            raise
        for request in called:
            wanted.setdefault(request.id, request)
    return list(wanted.values())


def _called(
    name: str,
    asked: AskedFor,
    settings: Mapping[str, Any],
    context: Context,
    tables: TablesReading,
    requests: Sequence[TableRequest],
) -> list[TableRequest]:
    """Return the requests that a name is for, with the settings."""
    book = context.codebook
    assert book is not None
    places = _places(name, tables, requests)
    found = [requests[k] for k in places]
    if found and not asked.changes:
        return found
    if found:
        ids = {tables.places[k]: requests[k].id for k in reversed(places)}
        again: list[TableRequest] = []
        for place in reversed(ids):
            with _table_named(ids[place], several=len(ids) > 1 or len(asked.names) > 1):
                again += _read_again(tables, place, settings, context)
        asked_all = len(found) == sum(place in {tables.places[k] for k in places} for place in tables.places)
        if asked_all or "repeat" in settings:
            return again
        kept = [request for request in again if request.id in {one.id for one in found}]
        return kept or again
    called = _question_called(name, book, [request.id for request in requests], tables.banners.banners)
    if called != name:
        context.hints.append(Problem("", 0, 0, f"{name!r} is {called}."))
    tables.entries.append(_entry(called, settings, book))
    with _table_named(called, several=len(asked.names) > 1):
        return _read_again(tables, len(tables.entries) - 1, settings, context)


def _labels(book: Codebook) -> Iterator[str]:
    """Go through what questions and grids may be called beside their names."""
    for one in book:
        yield from (one.label, one.text)
    yield from (grid.text for grid in book.grids.values())


def _places(name: str, tables: TablesReading, requests: Sequence[TableRequest]) -> list[int]:
    """Find the requests of an id or pattern; else those of the entries that name an id, a question or a grid."""
    ids = [request.id for request in requests]
    exact = [k for k, one in enumerate(ids) if one == name]
    fitting = exact or [k for k, one in enumerate(ids) if fnmatchcase(one, name)]
    for key in ("id", "question", "grid"):
        fitting = fitting or [
            k for k, place in enumerate(tables.places) if _said(tables.entries[place], key) == name
        ]
    return fitting


def _entry(name: str, settings: Mapping[str, Any], book: Codebook) -> dict[str, str]:
    """Return an entry for a question, or a grid by one figure where its items have one; else for each that it is."""
    if name not in book.grids:
        return {"question": name} if name in book.questions else {"each": f"{name}.*"}
    items = [book.questions[item] for item in book.grids[name].items]
    of_one_figure = {"figure", "as"} & set(settings) or all(one.is_of.of_values or one.scale for one in items)
    return {"grid": name} if of_one_figure else {"each": f"{name}.*"}


def _is_made_into_several(name: str, book: Codebook) -> bool:
    """Return whether a name is that of an entry of the codebook of which questions are made, such as a ranking."""
    return any(one.name.startswith(f"{name}.") for one in book)


def _said(entry: Any, key: str) -> Any:
    entry = entry if isinstance(entry, dict) else {"question": entry}
    return entry.get(key)


def _question_called(name: str, book: Codebook, ids: Sequence[str], banners: Mapping[str, Any]) -> str:
    """Return the question or grid of a name, or of a label or text (in any case). Raises UnknownName, RequestError."""
    if name in book.questions or name in book.grids or _is_made_into_several(name, book):
        return name
    if name in banners:
        raise RequestError(
            f"{name} is a banner, not a table: name a question with --banner {name}, or see the banner's shape with "
            f"--banner {name} alone."
        )
    called = [one.name for one in book if goes_by(one.label, name) or goes_by(one.text, name)]
    called += [grid.name for grid in book.grids.values() if goes_by(grid.text, name)]
    if len(called) == 1:
        return called[0]
    if called:
        raise RequestError(f"{name!r} is the label of several: {', '.join(called)}. Name one of them.")
    names = [*dict.fromkeys([*ids, *book.questions, *book.grids])]
    like_a_label = not name.islower() or " " in name
    raise UnknownName("question or table", name, [*names, *(one.label for one in book if like_a_label)])


def _banner(names: Sequence[str], tables: TablesReading, book: Codebook) -> str:
    """Return the name of a banner of the plan, or of one put together of several. Raises UnknownName, RequestError."""
    banners = tables.banners
    if len(names) == 1 and (names[0] in banners.written or names[0] == "none"):
        return names[0]
    groups: list[Any] = []
    for name in names:
        if name in banners.written:
            body = banners.context.raw("banners")[name]
            groups += body if isinstance(body, list) else body["groups"]
        elif WITHIN in name:
            groups.append({"nest": [_known(level, banners.written, book) for level in levels_of(name)]})
        else:
            groups.append(_known(name, banners.written, book))
    together = TOGETHER.join(names)
    with _settings_told(banners.context):
        banners.add(together, groups)
    return together


def _known(name: str, banners: Sequence[str], book: Codebook) -> str:
    """Return the question of a name or label. Raises UnknownName."""
    if name in book.questions:
        return name
    called = [one.name for one in book if goes_by(one.label, name)]
    if len(called) == 1:
        return called[0]
    raise UnknownName(
        "banner or question", name, [*banners, *book.questions], meant=nesting_meant(name, book)
    )


def _read_again(
    tables: TablesReading, place: int, settings: Mapping[str, Any], context: Context
) -> list[TableRequest]:
    """Read an entry again with other settings. Raises RequestError with every mistake in these."""
    entry = tables.entries[place]
    said = dict(entry) if isinstance(entry, dict) else {"question": entry}
    for key, value in settings.items():
        before: Any = said.get(key)
        joined = key in INSIDE and isinstance(value, dict) and isinstance(before, dict)
        said[key] = {**before, **value} if joined else value
        if value is None:
            del said[key]
    with _settings_told(context):
        return tables.again(place, said)


@contextmanager
def _table_named(table: str, *, several: bool) -> Iterator[None]:
    """Say which of several tables a mistake is of."""
    try:
        yield
    except RequestError as error:
        if several:
            raise RequestError(f"Table {table!r}: {error}") from error
        raise


@contextmanager
def _settings_told(context: Context) -> Iterator[None]:
    """Raise RequestError for the problems that are found within: they are of the command, not of a file."""
    before = len(context.problems)
    yield
    problems = context.problems[before:]
    del context.problems[before:]
    if problems:
        raise RequestError("\n".join(dict.fromkeys(one.message for one in problems)))


def settings_typed(typed: Sequence[str]) -> Iterator[tuple[str, Any]]:
    """Read settings typed as KEY=VALUE, the value as YAML. Raises RequestError."""
    for one in typed:
        key, sign, text = one.partition("=")
        if not sign or not key.strip():
            raise RequestError(f"--set takes KEY=VALUE, as in --set sort=down; found {one!r}.")
        try:
            document = compose(text, Path("--set"))
        except OtterError as error:
            raise RequestError(
                f"--set {key.strip()}: the value is not valid YAML: {text!r}. Quote the whole of KEY=VALUE."
            ) from error
        if document.cut:
            raise RequestError(f"--set {key.strip()}: {document.cut[0].message}")
        yield key.strip(), document.data
