"""Parts of a document, declared by type hints: what keys there are, and what each may hold. Light to import.

A part that fits its declaration as it stands is taken here. For all others, `documents.validating` makes a model of the
same declaration for the library that says what is wrong; the schemas for editors come of that too.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from functools import cache
from inspect import get_annotations
from types import UnionType
from typing import Annotated, Any, ClassVar, Literal, TypeVar, Union, get_args, get_origin

from eager_otter.dataclass import dataclass
from eager_otter.documents.fitting import MISFIT, Fit, fit_of
from eager_otter.documents.written import written_code, written_text
from eager_otter.documents.yaml_nodes import WrittenInt

P = TypeVar("P", bound="Part")
REQUIRED: Any = object()  # the default of a field that has to be there
EXACT = 1 << 53  # up to here, every whole number is a decimal one without loss
OF_WHOLE = "of whole"  # marks what checks a whole part


@dataclass(frozen=True, slots=True, eq=False)
class Before:
    """Something to be done to a value before it is checked; it raises ValueError. `shown` is what a file may hold."""

    change: Callable[[Any], Any]
    shown: Any


@dataclass(frozen=True, slots=True, eq=False)
class After:
    """Something to be done to a value that is as it should be so far; it raises ValueError."""

    change: Callable[[Any], Any]


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class Limits:
    """Limits of a number (`ge`, `gt`, `le`), of how many there are, the pattern of a text.

    With `as_text`, a number may be written as text; without `any_size`, it has to be finite.
    """

    ge: float | None = None
    gt: float | None = None
    le: float | None = None
    min_length: int | None = None
    max_length: int | None = None
    pattern: str | None = None
    as_text: bool = False
    any_size: bool = True

    def hold(self, value: Any) -> bool:
        """Return whether a value is within them."""
        return (
            (self.ge is None or value >= self.ge)
            and (self.gt is None or value > self.gt)
            and (self.le is None or value <= self.le)
            and (self.min_length is None or len(value) >= self.min_length)
            and (self.max_length is None or len(value) <= self.max_length)
            and (self.pattern is None or re.fullmatch(self.pattern, value) is not None)
        )


@dataclass(frozen=True, slots=True, eq=False)
class InSchema:
    """Something to be said of a value in a schema: entries, or what changes the mapping of them."""

    says: Mapping[str, Any] | Callable[[dict[str, Any]], None]


@dataclass(frozen=True, slots=True, eq=False)
class ByShape:
    """How a union of two is told apart: what is of a `kind` is the `first` of them, all else the `other`."""

    first: str
    other: str
    kind: type = dict


@dataclass(frozen=True, slots=True, eq=False)
class Key:
    """The default of a field that a file writes under another key than its name."""

    key: str
    default: Any


def as_list(value: object) -> object:
    """Take one thing for a list of it."""
    return value if isinstance(value, list) else [value]


def key(written: str, default: Any = REQUIRED) -> Any:
    """Declare a field that a file writes under another key than its name."""
    return Key(written, default)


def rule(check: Callable[[Any], None]) -> Callable[[Any], None]:
    """Mark a method as a check of a whole part, whose fields are each as they should be; it raises ValueError."""
    setattr(check, OF_WHOLE, True)
    return check


class Part:
    """The base of all parts of files: unknown keys are mistakes, nothing is converted by guess.

    `said` names the fields that the file holds; the others have their defaults. `examples` are values of
    fields as a file writes them, by key, for those who wrote something of another shape; `example` is of it all.

    Modules of many such parts do without `from __future__ import annotations`: each hint would be a text, to be
    compiled when it is needed.
    """

    said: frozenset[str]
    examples: ClassVar[Mapping[str, str]] = {}
    example: ClassVar[str] = ""

    def __init__(self, **values: Any) -> None:
        hashable: Any = type(self)
        usual, own, required = _usual_of(hashable)
        unknown, lacking = values.keys() - usual.keys() - required, required - values.keys()
        if unknown or lacking:
            told = [f"has no {name}" for name in sorted(unknown)] + [
                f"needs {name}" for name in sorted(lacking)
            ]
            raise TypeError(f"{type(self).__name__} {' and '.join(told)}")
        copies = {name: usual[name].copy() for name in own}
        self.__dict__.update({**usual, **copies, **values}, said=frozenset(values))

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError(f"a part of a file is not changed: {name}")

    def __eq__(self, other: object) -> bool:
        return type(other) is type(self) and vars(other) == vars(self)

    def __hash__(self) -> int:
        return hash((type(self), self.said))  # what is said may hold lists

    def __repr__(self) -> str:
        shown = ", ".join(f"{name}={getattr(self, name)!r}" for name in sorted(self.said))
        return f"{type(self).__name__}({shown})"

    def changed(self: P, **values: Any) -> P:
        """Return the part with other values of some fields."""
        return type(self)(**{name: getattr(self, name) for name in self.said} | values)


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class PartField:
    """A field of a part: the `key` a file writes, what it may hold, what it is where nothing is said."""

    name: str
    key: str
    hint: Any
    default: Any

    @property
    def required(self) -> bool:
        """Whether it has to be there."""
        return self.default is REQUIRED


def fields_of(kind: type[Part]) -> Mapping[str, PartField]:
    """Return the fields of a kind of part, by name: first those of its bases."""
    hashable: Any = kind
    return _fields_of(hashable)


@cache
def _fields_of(kind: Any) -> Mapping[str, PartField]:
    found: dict[str, PartField] = {}
    for one in reversed(kind.__mro__):
        if one is Part or not issubclass(one, Part):
            continue
        for name, hint in get_annotations(one, eval_str=True).items():
            default = vars(one).get(name, REQUIRED)
            written = default if isinstance(default, Key) else Key(name, default)
            found[name] = PartField(name=name, key=written.key, hint=hint, default=written.default)
    return found


@cache
def _usual_of(kind: Any) -> tuple[dict[str, Any], list[str], set[str]]:
    """Return what the fields of a part are where nothing is said, those it has a copy of, and those without any."""
    fields = fields_of(kind)
    usual = {name: one.default for name, one in fields.items() if not one.required}
    own = [name for name, value in usual.items() if isinstance(value, list | dict)]
    return usual, own, fields.keys() - usual.keys()


def plain(value: Any) -> Any:
    """Return what a part holds as mappings, lists and plain values, by the keys that a file has."""
    if isinstance(value, Part):
        return {one.key: plain(getattr(value, name)) for name, one in fields_of(type(value)).items()}
    if isinstance(value, list):
        return [plain(one) for one in value]
    return {key: plain(one) for key, one in value.items()} if isinstance(value, dict) else value


def parts_in(hint: Any) -> Iterator[type[Part]]:
    """Go through the kinds of parts that a hint allows."""
    if isinstance(hint, type) and issubclass(hint, Part):
        yield hint
        return
    for inner in get_args(hint):
        yield from parts_in(inner)


def example_of(kind: type[Part], one: PartField) -> str:
    """Return an example of a field of a part as a file writes it, else one of the parts that it holds; "" for none."""
    own = (vars(base).get("examples", {}).get(one.key, "") for base in kind.__mro__)
    return next(filter(None, (*own, *(part.example for part in parts_in(one.hint)))), "")


def rules_of(kind: type[Part]) -> list[Callable[[Any], None]]:
    """Return the checks of a whole part, first those of its bases."""
    by_name = {name: one for base in reversed(kind.__mro__) for name, one in vars(base).items()}
    return [one for one in by_name.values() if getattr(one, OF_WHOLE, False)]


@cache
def fit_of_part(hint: Any, *, by_name: bool = False) -> Fit:
    """Return what takes a value that is as a hint asks for, and gives MISFIT for all others.

    With `by_name`, fields go by their names as well as by their keys.
    """
    origin, parts = get_origin(hint), get_args(hint)
    if origin is Annotated:
        return _annotated(parts[0], parts[1:], by_name=by_name)
    if origin in (Union, UnionType):
        return _one_way([fit_of_part(part, by_name=by_name) for part in parts])
    if origin is Literal:
        fit_word = fit_of(hint)
        return lambda value: fit_word(int(value) if isinstance(value, WrittenInt) else value)
    if origin is list:
        return _list(fit_of_part(parts[0], by_name=by_name))
    if origin is dict:
        return _dict(*(fit_of_part(part, by_name=by_name) for part in parts))
    if isinstance(hint, type) and issubclass(hint, Part):
        return _part(hint, by_name=by_name)
    return NUMBERS.get(hint) or fit_of(hint)


def _whole(value: Any) -> Any:
    return int(value) if isinstance(value, int) and not isinstance(value, bool) else MISFIT


def _number(value: Any) -> Any:
    if isinstance(value, bool) or not isinstance(value, int | float):
        return MISFIT
    return float(value) if -EXACT <= value <= EXACT else MISFIT


NUMBERS: Mapping[Any, Fit] = {int: _whole, float: _number}  # which remember how they were written


def _annotated(hint: Any, marks: tuple[Any, ...], *, by_name: bool) -> Fit:
    shape = next((mark for mark in marks if isinstance(mark, ByShape)), None)
    if shape is not None:
        first, other = (fit_of_part(part, by_name=by_name) for part in get_args(hint))
        inner: Fit = lambda value: first(value) if isinstance(value, shape.kind) else other(value)  # noqa: E731
    else:
        inner = fit_of_part(hint, by_name=by_name)
    before = [mark.change for mark in reversed(marks) if isinstance(mark, Before)]
    after = [mark for mark in marks if isinstance(mark, After | Limits)]

    def fit(value: Any) -> Any:
        try:
            for change in before:
                value = change(value)
            found = inner(value)
            for mark in after:
                if found is MISFIT:
                    break
                if isinstance(mark, After):
                    found = mark.change(found)
                elif not mark.hold(found):
                    found = MISFIT
        except ValueError:
            return MISFIT
        return found

    return fit


def _one_way(fits: list[Fit]) -> Fit:
    """Take what fits in one way only; which of several is meant is told by the library that checks the others."""

    def fit(value: Any) -> Any:
        found = [taken for taken in (one(value) for one in fits) if taken is not MISFIT]
        return found[0] if len(found) == 1 else MISFIT

    return fit


def _list(fit_one: Fit) -> Fit:
    def fit(value: Any) -> Any:
        found = [fit_one(one) for one in value] if type(value) is list else [MISFIT]
        return MISFIT if any(one is MISFIT for one in found) else found

    return fit


def _dict(fit_key: Fit, fit_value: Fit) -> Fit:
    def fit(value: Any) -> Any:
        if type(value) is not dict:
            return MISFIT
        found = {fit_key(name): fit_value(one) for name, one in value.items()}
        return MISFIT if MISFIT in found or MISFIT in found.values() or len(found) < len(value) else found

    return fit


def _part(kind: Any, *, by_name: bool) -> Fit:
    fields = fields_of(kind)
    fits = {one.key: (name, fit_of_part(one.hint, by_name=by_name)) for name, one in fields.items()}
    if by_name:
        fits = {name: fits[one.key] for name, one in fields.items()} | fits
    _, _, required = _usual_of(kind)
    rules = rules_of(kind)

    def fit(value: Any) -> Any:
        if type(value) is not dict:
            return MISFIT
        given = {}
        for key, inner in value.items():
            if key not in fits:
                return MISFIT
            name, fit_one = fits[key]
            given[name] = fit_one(inner)
            if given[name] is MISFIT:
                return MISFIT
        if len(given) < len(value) or not given.keys() >= required:
            return MISFIT
        part = kind(**given)
        try:
            for check in rules:
                check(part)
        except ValueError:
            return MISFIT
        return part

    return fit


Written = str | int | float | bool  # as YAML may read what stands for a text
Code = Annotated[str, Before(written_code, Written)]
Text = Annotated[str, Before(written_text, Written)]
OneOrMore = Annotated[list[Code], Before(as_list, Code | list[Code]), Limits(min_length=1)]
