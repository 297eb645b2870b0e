"""What is given in Python, checked against its type hints, and taken as a plan takes it: settings and parameters."""

from __future__ import annotations

import inspect
from collections.abc import Callable, Hashable, Iterable, Iterator, Mapping, Sequence
from dataclasses import fields, is_dataclass
from functools import cache, reduce, wraps
from operator import or_
from os import PathLike
from pathlib import Path
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, ParamSpec, TypeVar, Union, get_args, get_origin, get_type_hints

from pydantic import BeforeValidator, ConfigDict, TypeAdapter, ValidationError
from pydantic_core import PydanticCustomError

from eager_otter.documents.checking import Text, found_text, problems_of
from eager_otter.documents.values import values_of
from eager_otter.errors import RequestError

P = ParamSpec("P")
R = TypeVar("R")
S = TypeVar("S", bound="Settings")
STRICT = ConfigDict(strict=True, arbitrary_types_allowed=True)
TELLING = ("value_error", "literal_error")  # kinds of mistakes whose own message says most


class Settings:
    """The base of settings: frozen dataclasses whose fields are checked when one is made.

    One value will do where several may stand, a number where a text may, and a mapping of its fields for a field that
    is itself settings; `_taken` says what else such a field takes. Raises RequestError with every mistake.
    """

    __slots__ = ()

    def __post_init__(self) -> None:
        settle(self)

    @staticmethod
    def _taken(value: object) -> object:
        """Return what a value stands for: as it is, or as a mapping of fields."""
        return value


def settle(settings: Settings) -> None:
    """Check every field of settings. Raises RequestError with every mistake."""
    mistakes = []
    for name, adapter in _of_fields(type(settings)).items():  # type: ignore[arg-type] # a class is hashable
        value = getattr(settings, name)
        settled, mistake = _settled(name, value, *adapter)
        if mistake:
            mistakes.append(f"{type(settings).__name__}: {mistake}")
        elif settled is not value:
            object.__setattr__(settings, name, settled)
    if mistakes:
        raise RequestError("\n".join(mistakes))


def settings_from(kind: type[S], value: object, name: str) -> S:
    """Return settings of a kind from what stands for them; `name` is that of the parameter. Raises RequestError."""
    settled, mistake = _settled(name, value, kind, TypeAdapter(_taken(kind), config=STRICT))
    if mistake:
        raise RequestError(mistake)
    result: S = settled
    return result


def checked(function: Callable[P, R]) -> Callable[P, R]:
    """Make a public function check what it is given: see `Settings`. Raises RequestError with every mistake."""

    @wraps(function)
    def call(*args: P.args, **kwargs: P.kwargs) -> R:
        names, adapters = _of_parameters(function)
        given = list(args)
        mistakes = []
        places: Iterator[tuple[Any, str, Any]] = (
            *((k, name, value) for k, (name, value) in enumerate(zip(names, args, strict=False))),
            *((name, name, value) for name, value in kwargs.items()),
        ).__iter__()
        for place, name, value in places:
            if name not in adapters:
                continue
            settled, mistake = _settled(name, value, *adapters[name])
            if mistake:
                mistakes.append(f"{function.__qualname__}: {mistake}")
            elif isinstance(place, int):
                given[place] = settled
            else:
                kwargs[place] = settled
        if mistakes:
            raise RequestError("\n".join(mistakes))
        return function(*given, **kwargs)  # type: ignore[arg-type] # as given, but settled

    return call


def _settled(name: str, value: object, hint: Any, adapter: TypeAdapter[Any]) -> tuple[Any, str]:
    """Return a value as it is to be, and what is wrong with it, "" where nothing is."""
    try:
        return adapter.validate_python(value), ""
    except ValidationError as error:
        telling = [item["type"] in TELLING for item in error.errors()]
        whole = get_origin(hint) in (Union, UnionType) or isinstance(hint, type)
        if whole and not any(telling):
            return value, f"{name}: expected {_told(hint)}; found {found_text(value)}."
        problems = problems_of(error, None, values_of({name: None}), (name,))
        return value, str(problems[telling.index(True) if any(telling) else 0])


@cache
def _of_fields(kind: Hashable) -> Mapping[str, tuple[Any, TypeAdapter[Any]]]:
    settings: Any = kind
    hints = get_type_hints(settings)
    return {
        one.name: (hints[one.name], TypeAdapter(_taken(hints[one.name]), config=STRICT))
        for one in fields(settings)
    }


@cache
def _of_parameters(function: Hashable) -> tuple[tuple[str, ...], Mapping[str, tuple[Any, TypeAdapter[Any]]]]:
    called: Any = function
    parameters = inspect.signature(called).parameters.values()
    plain = [one for one in parameters if one.kind in (one.POSITIONAL_ONLY, one.POSITIONAL_OR_KEYWORD)]
    adapters = {}
    for one in parameters:
        if one.annotation is not one.empty and one.kind is not one.VAR_KEYWORD:
            hint = get_type_hints(_Hinted(one.name, one.annotation), called.__globals__)[one.name]
            adapters[one.name] = (hint, TypeAdapter(_taken(hint), config=STRICT))
    several = [one.name for one in parameters if one.kind is one.VAR_POSITIONAL]
    return (*(one.name for one in plain), *several * 1_000), adapters


class _Hinted:
    """Something with one hint, for `get_type_hints`."""

    def __init__(self, name: str, hint: Any) -> None:
        self.__annotations__ = {name: hint}


def _taken(hint: Any) -> Any:
    """Return the type that is checked for a hint, with the other ways in which a value may be given."""
    origin, parts = get_origin(hint), get_args(hint)
    if origin is tuple and not (len(parts) == 2 and parts[1] is Ellipsis):
        fixed: Any = tuple.__class_getitem__(tuple(_taken(part) for part in parts))
        return Annotated[fixed, BeforeValidator(_as_tuple)]
    if origin in (tuple, Sequence):
        several: Any = tuple.__class_getitem__((_taken(parts[0]), Ellipsis))
        return Annotated[several, BeforeValidator(_as_several)]
    if origin in (Union, UnionType):
        return reduce(or_, (_taken(part) for part in parts))
    if origin is Mapping:
        mapping: Any = dict.__class_getitem__(tuple(_taken(part) for part in parts))
        return Annotated[
            mapping, BeforeValidator(lambda value: dict(value) if isinstance(value, Mapping) else value)
        ]
    if hint is str:
        return Text
    if hint is float or hint is int:
        return Annotated[hint, BeforeValidator(_as_number)]
    if hint is Path:
        return Annotated[
            Path, BeforeValidator(lambda value: Path(value) if isinstance(value, PathLike) else value)
        ]
    if hint is object:
        return Any
    if isinstance(hint, type) and issubclass(hint, Settings):
        return Annotated[Any, BeforeValidator(lambda value: _object(hint, value))]
    if isinstance(hint, type) and is_dataclass(hint):
        return Annotated[Any, BeforeValidator(lambda value: _instance(hint, value))]
    return hint


def _as_several(value: object) -> object:
    if value is None:
        return ()
    if isinstance(value, Mapping):
        return tuple(value.items())
    if isinstance(value, str | bytes | type) or not isinstance(value, Iterable):
        return (value,)
    return tuple(value)


def _as_tuple(value: object) -> object:
    return tuple(value) if isinstance(value, list) else value


def _as_number(value: Any) -> object:
    """Take a number of an array library as Python's; true and false are not numbers."""
    if isinstance(value, bool):
        return str(value).lower()
    return value.item() if hasattr(value, "item") and getattr(value, "ndim", None) == 0 else value


def _instance(kind: Any, value: object) -> object:
    if isinstance(value, kind):
        return value
    raise PydanticCustomError("instance", "expected a {name}", {"name": kind.__name__})


def _object(kind: Any, value: object) -> object:
    if isinstance(value, kind):
        return value
    value = kind._taken(value)
    if not isinstance(value, Mapping):
        raise ValueError(f"expected {kind.__name__} or a mapping of its fields; found {found_text(value)}.")
    known = {one.name for one in fields(kind)}
    names = {str(key).replace(" ", "_"): inner for key, inner in value.items()}
    unknown = sorted(set(names) - known)
    if unknown:
        raise ValueError(f"no field {unknown[0]!r} in {kind.__name__}. Known: {', '.join(sorted(known))}.")
    try:
        return kind(**names)
    except TypeError as error:  # a field that every such object needs
        raise ValueError(f"{kind.__name__} needs {str(error).rpartition(': ')[2]}.") from error


WORDS: Mapping[Any, str] = {
    str: "text",
    Path: "a path",
    int: "a whole number",
    float: "a number",
    bool: "True or False",
    NoneType: "None",
    tuple: "a list",
    Sequence: "a list",
    Mapping: "a mapping",
    Callable: "a function",
}


def _told(hint: Any) -> str:
    """Say in words what a hint asks for."""
    origin = get_origin(hint)
    if origin in (Union, UnionType):
        each = list(dict.fromkeys(_told(part) for part in get_args(hint)))
        return each[0] if len(each) == 1 else f"{', '.join(each[:-1])} or {each[-1]}"
    if origin is Literal:
        return f"one of {', '.join(str(word) for word in get_args(hint))}"
    return WORDS.get(origin or hint) or f"a {getattr(hint, '__name__', str(hint))}"
