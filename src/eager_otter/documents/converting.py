"""Values given in Python that do not fit their hint as they stand: converted as a plan would take them, or refused."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import fields, is_dataclass
from functools import cache, reduce
from operator import or_
from os import PathLike
from pathlib import Path
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BeforeValidator, ConfigDict, Strict, TypeAdapter, ValidationError, WrapValidator
from pydantic_core import PydanticCustomError

from eager_otter.documents.definition import Definition
from eager_otter.documents.part import Text
from eager_otter.documents.translated import Translated
from eager_otter.documents.validating import hint_of_model, problems_of
from eager_otter.documents.values import values_of
from eager_otter.documents.written import found_text
from eager_otter.errors import one_of

STRICT = ConfigDict(strict=True, arbitrary_types_allowed=True)
TELLING = ("value_error", "literal_error")  # kinds of mistakes whose own message says most


def converted(hint: Any, name: str, value: object) -> tuple[Any, str]:
    """Return a value as a hint asks for it, and what is wrong with it, "" where nothing is."""
    try:
        return _adapter(hint).validate_python(value), ""
    except ValidationError as error:
        telling = [item["type"] in TELLING for item in error.errors()]
        whole = get_origin(hint) in (Union, UnionType) or isinstance(hint, type)
        if whole and not any(telling):
            return value, f"{name}: expected {_worded(hint)}; found {found_text(value)}."
        problems = problems_of(error, None, values_of({name: None}), (name,))
        return value, str(problems[telling.index(True) if any(telling) else 0])


@cache
def _adapter(hint: Any) -> TypeAdapter[Any]:
    """Make what checks the values that do not fit as they stand: few do, so few are made."""
    return TypeAdapter(_taken(hint), config=STRICT)


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
        # a number may stand for a text, but not for the name of a file
        named = Path in parts
        return reduce(
            or_, (Annotated[str, Strict()] if named and part is str else _taken(part) for part in parts)
        )
    if origin is Mapping:
        mapping: Any = dict.__class_getitem__(tuple(_taken(part) for part in parts))
        return Annotated[
            mapping, BeforeValidator(lambda value: dict(value) if isinstance(value, Mapping) else value)
        ]
    if hint is str:
        return Annotated[hint_of_model(Text), WrapValidator(_with_what_is_written)]
    if hint is float or hint is int:
        return Annotated[hint, BeforeValidator(_as_number)]
    if hint is Path:
        return Annotated[
            Path, BeforeValidator(lambda value: Path(value) if isinstance(value, PathLike) else value)
        ]
    if hint is object:
        return Any
    if isinstance(hint, type) and hasattr(hint, "_taken"):
        return Annotated[Any, BeforeValidator(lambda value: _object(hint, value))]
    if isinstance(hint, type) and is_dataclass(hint):
        return Annotated[Any, BeforeValidator(lambda value: _instance(hint, value))]
    return hint


def _with_what_is_written(value: object, check: Callable[[object], str]) -> str:
    """Check a text; one that is translated keeps what is written."""
    text = check(value)
    return value if isinstance(value, Translated) else text


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
    Definition: "an object of define",
}


def _worded(hint: Any) -> str:
    """Say in words what a hint asks for."""
    origin = get_origin(hint)
    if origin in (Union, UnionType):
        each = list(dict.fromkeys(_worded(part) for part in get_args(hint)))
        return one_of(each)
    if origin is Literal:
        return f"one of {', '.join(str(word) for word in get_args(hint))}"
    return WORDS.get(origin or hint) or f"a {getattr(hint, '__name__', str(hint))}"
