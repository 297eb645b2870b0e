"""Values given in Python, checked against type hints: settings and parameters. Light to import."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, ParamSpec, TypeVar

from eager_otter.errors import RequestError

P = ParamSpec("P")
R = TypeVar("R")
S = TypeVar("S", bound="Settings")


class Settings:
    """The base of settings: frozen dataclasses whose fields are checked when one is made (see `documents.hints`).

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
    from eager_otter.documents.hints import of_fields

    mistakes = []
    for name, wanted in of_fields(type(settings)).items():  # type: ignore[arg-type] # a class is hashable
        value = getattr(settings, name)
        if value is wanted.usual or value is wanted.last:
            continue
        settled, mistake = wanted.settle(name, value)
        if mistake:
            mistakes.append(f"{type(settings).__name__}: {mistake}")
        elif settled is value:
            wanted.last = value
        else:
            object.__setattr__(settings, name, settled)
    if mistakes:
        raise RequestError("\n".join(mistakes))


def settings_from(kind: type[S], value: object, name: str) -> S:
    """Return settings of a kind from what stands for them; `name` is that of the parameter. Raises RequestError."""
    from eager_otter.documents.hints import Wanted

    settled, mistake = Wanted.by(kind).settle(name, value)
    if mistake:
        raise RequestError(mistake)
    result: S = settled
    return result


def checked(function: Callable[P, R]) -> Callable[P, R]:
    """Make a public function check what it is given: see `Settings`. Raises RequestError with every mistake."""

    @wraps(function)
    def call(*args: P.args, **kwargs: P.kwargs) -> R:
        from eager_otter.documents.hints import of_parameters

        parameters = of_parameters(function)
        mistakes = []

        def settled(name: str, value: Any) -> Any:
            if name not in parameters.wanted:
                return value
            value, mistake = parameters.wanted[name].settle(name, value)
            mistakes.extend([f"{function.__qualname__}: {mistake}"] if mistake else [])
            return value

        given = [settled(parameters.name_of(place), value) for place, value in enumerate(args)]
        named = {name: settled(name, value) for name, value in kwargs.items()}
        if mistakes:
            raise RequestError("\n".join(mistakes))
        return function(*given, **named)

    return call
