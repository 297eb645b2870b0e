"""Settings as frozen objects: what is given to them is checked, and taken as a plan takes it."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import fields, is_dataclass
from functools import cache, reduce
from operator import or_
from types import UnionType
from typing import Annotated, Any, Union, get_args, get_origin, get_type_hints

from pydantic import BeforeValidator, ConfigDict, TypeAdapter, ValidationError

from eager_otter.documents.checking import Text, problems_of
from eager_otter.documents.values import values_of
from eager_otter.errors import RequestError

STRICT = ConfigDict(strict=True, arbitrary_types_allowed=True)


def settle(settings: Any) -> None:
    """Check every field of a frozen dataclass, from its `__post_init__`: one value will do where several may stand.

    A field that is itself a class of settings takes a mapping of its fields, and what its `taken` takes. Raises
    RequestError with every mistake.
    """
    problems = []
    for name, adapter in _adapters(type(settings)).items():  # type: ignore[arg-type] # a class is hashable
        value = getattr(settings, name)
        try:
            settled = adapter.validate_python(value)
        except ValidationError as error:
            document = values_of({name: None})
            problems += problems_of(error, None, document, (name,))[:1]
        else:
            if settled is not value:
                object.__setattr__(settings, name, settled)
    if problems:
        raise RequestError("\n".join(f"{type(settings).__name__}: {problem}" for problem in problems))


@cache
def _adapters(kind: Hashable) -> Mapping[str, TypeAdapter[Any]]:
    settings: Any = kind
    hints = get_type_hints(settings)
    return {one.name: TypeAdapter(_taken(hints[one.name]), config=STRICT) for one in fields(settings)}


def _taken(hint: Any) -> Any:
    """Give what a hint stands for, with the other ways in which a value may be given."""
    origin, parts = get_origin(hint), get_args(hint)
    if origin is tuple and len(parts) == 2 and parts[1] is Ellipsis:
        several: Any = tuple.__class_getitem__((_taken(parts[0]), Ellipsis))
        return Annotated[several, BeforeValidator(_as_several)]
    if origin is tuple:
        fixed: Any = tuple.__class_getitem__(tuple(_taken(part) for part in parts))
        return Annotated[fixed, BeforeValidator(_as_tuple)]
    if origin in (Union, UnionType):
        return reduce(or_, (_taken(part) for part in parts))
    if origin is not None and isinstance(origin, type) and issubclass(origin, Mapping):
        return dict.__class_getitem__(tuple(_taken(part) for part in parts))
    if hint is str:
        return Text
    if hint is float or hint is int:
        return Annotated[hint, BeforeValidator(_as_number)]
    if isinstance(hint, type) and is_dataclass(hint):
        return Annotated[Any, BeforeValidator(lambda value: _object(hint, value))]
    return hint


def _as_several(value: object) -> object:
    if isinstance(value, Mapping):
        return tuple(value.items())
    if isinstance(value, str | bytes) or not hasattr(value, "__iter__"):
        return () if value is None else (value,)
    return tuple(value)


def _as_tuple(value: object) -> object:
    return tuple(value) if isinstance(value, list) else value


def _as_number(value: Any) -> object:
    """Take a number of an array library as Python's; true and false are no numbers."""
    if isinstance(value, bool):
        return str(value).lower()
    return value.item() if hasattr(value, "item") and getattr(value, "ndim", None) == 0 else value


def _object(kind: Any, value: object) -> object:
    if isinstance(value, kind):
        return value
    if hasattr(kind, "taken"):
        value = kind.taken(value)
    if isinstance(value, Mapping):
        known = {one.name for one in fields(kind)}
        names = {str(key).replace(" ", "_"): inner for key, inner in value.items()}
        unknown = sorted(set(names) - known)
        if unknown:
            raise ValueError(
                f"no field {unknown[0]!r} in {kind.__name__}. Known: {', '.join(sorted(known))}."
            )
        return kind(**names)
    if isinstance(value, kind):
        return value
    raise ValueError(f"expected {kind.__name__} or a mapping of its fields; found {value!r}.")
