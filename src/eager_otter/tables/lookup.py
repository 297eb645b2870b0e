"""The one place that finds a row, a column or a banner group by what people type."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Protocol, TypeVar

from eager_otter.documents.translated import goes_by, names_of
from eager_otter.errors import RequestError, UnknownName

T = TypeVar("T")


def fitting(things: Iterable[T], name: str, *names_of: Callable[[T], Iterable[str]]) -> list[T]:
    """List the things that have a name, by the first way to name them by which any has.

    >>> fitting(["Tea", "tea"], "tea", lambda one: [one], lambda one: [one.lower()])
    ['tea']
    """
    listed = list(things)
    for names in names_of:
        fits = [thing for thing in listed if name in names(thing)]
        if fits:
            return fits
    return []


def _paths(group: str, label: str) -> list[str]:
    """List what a thing under a head goes by behind that: both by their translations, and as they are written."""
    return [f"{head}: {one}" for head in names_of(group) for one in names_of(label)]


class NamedColumn(Protocol):
    """A column: what it is called."""

    @property
    def label(self) -> str:
        """Its label."""

    @property
    def group(self) -> str:
        """The head it is under."""

    @property
    def letter(self) -> str:
        """Its letter."""

    @property
    def code(self) -> str:
        """The answer it stands for."""

    @property
    def fixed(self) -> str:
        """The English word that its label says, where it is one of ours."""

    @property
    def question(self) -> str:
        """The question it is of."""


def find_column(columns: Sequence[NamedColumn], name: str, where: str) -> int:
    """Find a column by label, `group: label`, code or letter. Raises UnknownName, RequestError where several fit."""
    fits = fitting(
        range(len(columns)),
        name,
        lambda k: (*names_of(columns[k].label), *_paths(columns[k].group, columns[k].label)),
        lambda k: [text for text in (columns[k].letter, columns[k].code, columns[k].fixed) if text],
    )
    if len(fits) > 1:
        shown = ", ".join(f"{columns[k].group}: {columns[k].label}" for k in fits)
        raise RequestError(f"Several columns are called {name!r}; say which: {shown}.")
    if fits:
        return fits[0]
    raise UnknownName("column", name, [column.label for column in columns], where)


class NamedGroup(Protocol):
    """A banner group: what it is called, and its columns by place."""

    @property
    def label(self) -> str:
        """Its head."""

    @property
    def path(self) -> str:
        """Its head with those above it."""

    @property
    def start(self) -> int:
        """The place of its first column."""

    @property
    def stop(self) -> int:
        """The place behind its last."""


G = TypeVar("G", bound=NamedGroup)


def find_group(groups: Sequence[G], columns: Sequence[NamedColumn], name: str, where: str) -> G:
    """Find a banner group by its label (any case), by that with the heads above it, or by its question.

    `columns` are those that the groups hold by place. Raises UnknownName.
    """
    for group in groups:
        questions = {columns[k].question for k in range(group.start, group.stop)}
        if goes_by(group.label, name) or name.casefold() == group.path.casefold() or questions == {name}:
            return group
    raise UnknownName("banner group", name, [group.path for group in groups], where)


class NamedLine(Protocol):
    """A line of a table: what its row is called, and what figure it holds."""

    @property
    def label(self) -> str:
        """The label of its row."""

    @property
    def code(self) -> str:
        """The code of its answer."""

    @property
    def fixed(self) -> str:
        """The English word that its label says, where it is one of ours."""

    @property
    def question(self) -> str:
        """The question whose row it is."""

    @property
    def figure(self) -> str:
        """The kind of figure it holds."""


L = TypeVar("L", bound=NamedLine)


class NamedRow(Protocol):
    """An answer or net: what it is called."""

    @property
    def label(self) -> str:
        """Its label."""

    @property
    def code(self) -> str:
        """The code of its answer; "" for a net."""


R = TypeVar("R", bound=NamedRow)


def find_row(rows: Sequence[R], name: str, code: str, question: str) -> R:
    """Find an answer or net of a question by its label (any case), or by the code that the name stands for.

    `code` is "" where it stands for none. Raises UnknownName.
    """
    for row in rows:
        if goes_by(row.label, name) or (code and row.code == code):
            return row
    raise UnknownName("net or answer", name, [row.label for row in rows], question)


def find_line(lines: Sequence[L], row: str, figure: str | None, where: str) -> L:
    """Find a line by its row's label or code, or `question: label`, and a figure where the row has several.

    Raises UnknownName, and RequestError where a name fits rows of several questions.
    """
    fits = fitting(
        lines,
        row,
        lambda line: (
            (*_paths(line.question, line.label), f"{line.question}: {line.code}")
            if line.question
            else (line.label,)
        ),
        lambda line: (*names_of(line.label), line.code, line.fixed),
    )
    if not fits:
        raise UnknownName("row", row, [line.label for line in lines], where)
    questions = list(dict.fromkeys(line.question for line in fits))
    if len(questions) > 1:
        shown = ", ".join(f"'{question}: {row}'" for question in questions)
        raise RequestError(f"Several rows of {where} are called {row!r}; say which: {shown}.")
    if figure is None:
        return fits[0]
    for line in fits:
        if line.figure == figure:
            return line
    raise UnknownName("figure", figure, [line.figure for line in fits], f"row {row!r}")
