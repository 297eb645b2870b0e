"""Values that fit a type hint as they stand: told without the library that checks all others. Light to import.

What does not fit here may still stand for what is wanted, or be a mistake: `documents.converting` says which.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import is_dataclass
from functools import cache
from pathlib import Path
from types import NoneType, UnionType
from typing import Any, Literal, Union, get_args, get_origin

SEVERAL = (tuple, list)
MISFIT = object()  # in the place of a value that does not fit

Fit = Callable[[Any], Any]  # returns the value as it is to be, or MISFIT


@cache
def fit_of(hint: Any, *, numbers: bool = True) -> Fit:
    """Return what tells whether a value fits a hint: text, numbers, names, lists, mappings and objects of ours.

    Without `numbers`, none fits: where a text may stand too, the full check decides which of the two a number is.
    """
    origin, parts = get_origin(hint), get_args(hint)
    if origin in (Union, UnionType):
        inside = _within(hint)
        numbers = numbers and not (str in inside and inside & {int, float})
        return _any_of([fit_of(part, numbers=numbers) for part in parts])
    if origin is Literal:
        return _one_of(parts)
    if origin is tuple and not (len(parts) == 2 and parts[1] is Ellipsis):
        return _each_of([fit_of(part, numbers=numbers) for part in parts])
    if origin in (tuple, Sequence):
        return _all(fit_of(parts[0], numbers=numbers))
    if origin is Callable:
        return lambda value: value if callable(value) else MISFIT
    if origin is Mapping:
        return _mapping(fit_of(parts[0], numbers=numbers), fit_of(parts[1], numbers=numbers))
    if hint is str:
        return _text
    if hint is Path:
        return _of_class(type(Path()))
    if hint in (int, float) and not numbers:
        return _nothing
    if hint in (int, float, bool, NoneType):
        return _of_class(hint)
    if hint is object or hint is Any:
        return _whatever
    if isinstance(hint, type) and (hasattr(hint, "_taken") or is_dataclass(hint)):
        return _object(hint)
    return _nothing


def _within(hint: Any) -> set[Any]:
    """Return the classes that a hint is made of."""
    parts = get_args(hint)
    if get_origin(hint) is Literal or not parts:
        return {hint} if isinstance(hint, type) else set()
    return set().union(*map(_within, parts))


def _whatever(value: Any) -> Any:
    return value


def _nothing(_: Any) -> Any:
    return MISFIT


def _text(value: Any) -> Any:
    """Take a text that can be written to a file: one with half a character cannot."""
    if type(value) is not str:
        return MISFIT
    try:
        if not value.isascii():
            value.encode()
    except UnicodeEncodeError:
        return MISFIT
    return value


def _of_class(kind: type) -> Fit:
    return lambda value: value if type(value) is kind else MISFIT


def _object(kind: type) -> Fit:
    return lambda value: value if isinstance(value, kind) else MISFIT


def _one_of(words: tuple[Any, ...]) -> Fit:
    known = {(type(word), word) for word in words}
    kinds = {type(word) for word in words}
    return lambda value: value if type(value) in kinds and (type(value), value) in known else MISFIT


def _any_of(fits: Sequence[Fit]) -> Fit:
    def fit(value: Any) -> Any:
        for one in fits:
            found = one(value)
            if found is not MISFIT:
                return found
        return MISFIT

    return fit


def _all(fit_one: Fit) -> Fit:
    """Take a tuple or list all of whose entries fit as they are, as a tuple."""

    def fit(value: Any) -> Any:
        fitting = type(value) in SEVERAL and all(fit_one(one) is one for one in value)
        return tuple(value) if fitting else MISFIT

    return fit


def _each_of(fits: Sequence[Fit]) -> Fit:
    def fit(value: Any) -> Any:
        fitting = type(value) in SEVERAL and len(value) == len(fits)
        return (
            tuple(value)
            if fitting and all(one(inner) is inner for one, inner in zip(fits, value, strict=True))
            else MISFIT
        )

    return fit


def _mapping(fit_key: Fit, fit_value: Fit) -> Fit:
    """Take a dict of what fits, as a copy: what a caller does to the dict later changes no settings."""

    def fit(value: Any) -> Any:
        fitting = type(value) is dict and all(
            fit_key(key) is key and fit_value(inner) is inner for key, inner in value.items()
        )
        return dict(value) if fitting else MISFIT

    return fit
