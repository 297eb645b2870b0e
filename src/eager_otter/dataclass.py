"""The standard library's `dataclass`, where making a frozen class costs a tenth.

A command meets some 300 classes and makes objects of a third of them. The standard library writes the methods of a
frozen class as text and compiles them, a millisecond a class: a quarter of all that a command took to start
(`benchmarks/start.py`). Here, `__init__` alone is text, and is written for classes of which many objects are made.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping
from dataclasses import MISSING, Field, FrozenInstanceError, fields, is_dataclass
from dataclasses import dataclass as standard
from functools import partial
from reprlib import recursive_repr
from typing import TYPE_CHECKING, Any

__all__ = ["dataclass"]

Method = Callable[..., Any]
FEW = 64  # objects that are made for less than it costs to write `__init__`

if TYPE_CHECKING:
    from dataclasses import dataclass  # to a type checker, all are the standard library's
else:

    def dataclass(kind: type | None = None, /, **options: Any) -> Any:
        """Decorate a class as `dataclasses.dataclass` does, with the same options.

        Classes with an order, or with `unsafe_hash`, are left to the standard library; others take no fields of the
        kind `InitVar`.

        >>> @dataclass(frozen=True, slots=True)
        ... class Place:
        ...     row: int
        ...     column: int = 0
        >>> Place(3), Place(3) == Place(3, 0)
        (Place(row=3, column=0), True)
        """
        if kind is None:
            return lambda one: dataclass(one, **options)
        if options.get("order") or options.get("unsafe_hash"):
            return standard(kind, **options)
        return _made(kind, **options)


def _made(kind: type, *, frozen: bool = False, eq: bool = True, **options: Any) -> type:
    """Make a class with the methods that it does not have of its own."""
    # A class with an __eq__ of its own alone has a __hash__ of None; one made from a frozen one is guarded as that is.
    own = {name for name, value in vars(kind).items() if value is not None}
    guarded = frozen and any(map(is_dataclass, kind.__mro__[1:]))
    result: Any = standard(kind, init=False, repr=False, eq=False, frozen=guarded, **options)
    methods = {**_shown(result), **(_compared(result) if eq else {})}
    if not frozen:
        methods.pop("__hash__", None)
    methods = {name: method for name, method in methods.items() if name not in own}
    if frozen and not guarded:
        result.__dataclass_params__.frozen = True  # so that a class made from this one has to be frozen too
        methods |= _guarded(result)
        for name in {"__getstate__", "__setstate__"} - own if options.get("slots") else ():
            setattr(result, name, vars(_Slots)[name])
    for name, method in methods.items():
        method.__name__, method.__qualname__ = name, f"{result.__qualname__}.{name}"
        setattr(result, name, method)
    if eq and not frozen and "__hash__" not in own:
        result.__hash__ = None  # what compares by values that change is in no mapping
    if "__init__" not in own:
        result.__init__ = _Init(result)
    return result  # type: ignore[no-any-return]


class _Init:
    """What stands for the `__init__` of a class until that is worth writing, and is put in this place.

    That is when it is looked up as itself, when more than a few objects are made, and when what it is given is not
    right, so that this is told as usual.
    """

    def __init__(self, kind: type) -> None:
        self.kind = kind
        self.left = FEW
        self.ways: _Ways | None = None

    def __get__(self, instance: object, owner: type) -> Method:
        if not self.left or not isinstance(instance, self.kind):  # a class, for those who ask about it
            return self._written().__get__(instance, owner)  # type: ignore[no-any-return]
        return partial(self._set_fields, instance)

    def _written(self) -> Method:
        method: Method = _written_init(self.kind)
        self.kind.__init__ = method  # type: ignore[misc]
        return method

    def _set_fields(self, made: Any, /, *values: Any, **named: Any) -> None:
        if self.ways is None:
            self.ways = _Ways(self.kind)
        self.left = max(self.left - 1, 0)
        given = dict(zip(self.ways.in_order, values, strict=False)) | named
        if len(given) < len(values) + len(named) or not self.ways.required <= given.keys() <= self.ways.taken:
            self._written()(made, *values, **named)
            return
        for name, default in self.ways.defaults.items():
            object.__setattr__(made, name, given[name] if name in given else default())
        if hasattr(made, "__post_init__"):
            made.__post_init__()


class _Ways:
    """The fields of a class as `__init__` needs them: in the order they are given, and what each is without."""

    def __init__(self, kind: Any) -> None:
        taken = [one for one in fields(kind) if one.init]
        self.in_order = [one.name for one in taken if not one.kw_only]
        self.taken = {one.name for one in taken}
        self.defaults = {
            one.name: (lambda usual=one.default: usual)
            if one.default_factory is MISSING
            else one.default_factory
            for one in fields(kind)
            if one.init or one.default is not MISSING or one.default_factory is not MISSING
        }
        self.required = {
            one.name for one in taken if one.default is MISSING and one.default_factory is MISSING
        }


class _Factory:
    """The default of a parameter whose value is made anew for each object."""

    def __repr__(self) -> str:
        return "<factory>"


MADE_ANEW = _Factory()


def _written_init(kind: Any) -> Any:
    """Write `__init__` as the standard library does: parameters with their defaults, fields set one by one."""
    around: dict[str, object] = {"_set_": object.__setattr__, "_anew_": MADE_ANEW}
    in_order, by_name, lines = ["self"], ["*"], ["pass"]
    for one in fields(kind):
        parameter, value = _parameter(one, around)
        if one.init:
            (by_name if one.kw_only else in_order).append(parameter)
        if value:
            lines.append(f"_set_(self, {one.name!r}, {value})")
    if hasattr(kind, "__post_init__"):
        lines.append("self.__post_init__()")
    parameters = ", ".join([*in_order, *(by_name if len(by_name) > 1 else [])])
    body = "".join(f"  {line}\n" for line in lines)
    text = f"def write({', '.join(around)}):\n def __init__({parameters}):\n{body} return __init__"
    written: dict[str, Any] = {}
    exec(text, vars(sys.modules[kind.__module__]), written)  # made of names of fields alone
    method = written["write"](**around)
    hinted = sorted((one for one in fields(kind) if one.init), key=lambda one: bool(one.kw_only))
    method.__annotations__ = {**{one.name: one.type for one in hinted}, "return": None}
    method.__qualname__ = f"{kind.__qualname__}.__init__"
    return method


def _parameter(one: Field[Any], around: dict[str, object]) -> tuple[str, str]:
    """Return how a field stands among the parameters, and its value, "" for none; what these need is put around."""
    default = f"_default_{one.name}_"
    if one.default is not MISSING:
        around[default] = one.default
        return f"{one.name}={default}", one.name if one.init else default
    if one.default_factory is not MISSING:
        around[default] = one.default_factory
        anew = f"{default}()"
        return f"{one.name}=_anew_", f"{anew} if {one.name} is _anew_ else {one.name}" if one.init else anew
    return one.name, one.name if one.init else ""


def _shown(kind: Any) -> Mapping[str, Method]:
    """Return what shows an object with the values of its fields."""

    @recursive_repr()
    def show(self: Any) -> str:
        shown = (f"{one.name}={getattr(self, one.name)!r}" for one in fields(kind) if one.repr)
        return f"{type(self).__qualname__}({', '.join(shown)})"

    return {"__repr__": show}


def _compared(kind: Any) -> Mapping[str, Method]:
    """Return what compares two objects, and puts one among the keys of a mapping, by the values of fields."""
    compared = tuple(one.name for one in fields(kind) if one.compare)
    hashed = tuple(one.name for one in fields(kind) if (one.compare if one.hash is None else one.hash))

    def equal(self: Any, other: Any) -> Any:
        if type(other) is not type(self):
            return NotImplemented
        return [getattr(self, name) for name in compared] == [getattr(other, name) for name in compared]

    def digest(self: Any) -> int:
        return hash(tuple([getattr(self, name) for name in hashed]))

    return {"__eq__": equal, "__hash__": digest}


def _guarded(kind: Any) -> dict[str, Method]:
    """Return what refuses to set and to delete; objects of a class made from this one may have more than fields."""
    names = {one.name for one in fields(kind)}

    def refuse(instance: object, name: str, what: str) -> None:
        if type(instance) is kind or name in names:
            raise FrozenInstanceError(f"cannot {what} field {name!r}")

    def set_one(self: Any, name: str, value: object) -> None:
        refuse(self, name, "assign to")
        super(kind, self).__setattr__(name, value)

    def delete_one(self: Any, name: str) -> None:
        refuse(self, name, "delete")
        super(kind, self).__delattr__(name)

    return {"__setattr__": set_one, "__delattr__": delete_one}


class _Slots:
    """How objects without a `__dict__` are pickled and copied: by the values of their fields, in order."""

    def __getstate__(self: Any) -> list[Any]:
        return [getattr(self, one.name) for one in fields(self)]

    def __setstate__(self: Any, values: list[Any]) -> None:
        for one, value in zip(fields(self), values, strict=True):
            object.__setattr__(self, one.name, value)
