"""Type hints as something to check against: what is given in Python is taken as a plan takes it. Light to import."""

from __future__ import annotations

import inspect
from collections.abc import Hashable, Mapping
from dataclasses import fields
from functools import cache
from typing import Any, get_type_hints

from eager_otter.dataclass import dataclass
from eager_otter.documents.fitting import MISFIT, Fit, fit_of


@dataclass(slots=True, eq=False)
class Wanted:
    """The requirement of a type hint; `usual` is a value that is known to fit as it stands, MISFIT for none.

    `last` is the last one that did: settings changed in one field are checked in all.
    """

    hint: Any
    fit: Fit
    usual: Any = MISFIT
    last: Any = MISFIT

    @classmethod
    def by(cls, hint: Any, usual: Any = MISFIT) -> Wanted:
        """Make what a hint asks for, where most often a value is as `usual`."""
        fit = fit_of(hint)
        return cls(hint, fit, usual if fit(usual) is usual else MISFIT)

    def settle(self, name: str, value: object) -> tuple[Any, str]:
        """Return a value as it is to be, and what is wrong with it, "" where nothing is."""
        fitting = self.fit(value)
        if fitting is not MISFIT:
            return fitting, ""
        from eager_otter.documents.converting import converted

        return converted(self.hint, name, value)


@dataclass(frozen=True, slots=True)
class Parameters:
    """The requirements of the parameters of a function: those in order, the one of all further ones, and by name."""

    in_order: tuple[str, ...]
    further: str
    wanted: Mapping[str, Wanted]

    def name_of(self, place: int) -> str:
        """Return the name of the parameter at a place, "" where there is none."""
        return self.in_order[place] if place < len(self.in_order) else self.further


@cache
def of_fields(kind: Hashable) -> Mapping[str, Wanted]:
    """Return what the fields of a dataclass ask for, by name."""
    settings: Any = kind
    hints = get_type_hints(settings)
    return {one.name: Wanted.by(hints[one.name], one.default) for one in fields(settings)}


@cache
def of_parameters(function: Hashable) -> Parameters:
    """Return what the parameters of a function ask for; those without a hint, and of keywords, ask for nothing."""
    called: Any = function
    parameters = inspect.signature(called).parameters.values()
    wanted = {
        one.name: Wanted.by(get_type_hints(_Hinted(one.name, one.annotation), called.__globals__)[one.name])
        for one in parameters
        if one.annotation is not one.empty and one.kind is not one.VAR_KEYWORD
    }
    in_order = tuple(
        one.name for one in parameters if one.kind in (one.POSITIONAL_ONLY, one.POSITIONAL_OR_KEYWORD)
    )
    further = next((one.name for one in parameters if one.kind is one.VAR_POSITIONAL), "")
    return Parameters(in_order, further, wanted)


class _Hinted:
    """Something with one hint, for `get_type_hints`."""

    def __init__(self, name: str, hint: Any) -> None:
        self.__annotations__ = {name: hint}
