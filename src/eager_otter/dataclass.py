"""The standard library's `dataclass`, where making a frozen class costs a tenth.

A command meets some 300 classes and makes objects of a third of them. The standard library writes the methods of a
frozen class as text and compiles them, a millisecond a class: a quarter of all that a command took to start
(`benchmarks/start.py`). Here, `__init__` alone is text, and is written for classes of which many objects are made.
Fields are gathered here too, as each hint was matched three times with what few classes have, and a class with slots
looked over twice.
"""

from __future__ import annotations

import copy
import inspect
import sys
from collections.abc import Callable, Sequence
from dataclasses import MISSING, Field, FrozenInstanceError, field, fields, is_dataclass
from dataclasses import dataclass as standard
from functools import cache, partial
from reprlib import recursive_repr
from types import MemberDescriptorType
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
        kind `InitVar`. A class without a docstring has its name as one, without what it takes.

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
    marks = _marks(kind, frozen=frozen, **options)
    if marks is None:
        guarded = frozen and any(map(is_dataclass, kind.__mro__[1:]))
        kind = standard(kind, init=False, repr=False, eq=False, frozen=guarded, **options)
        plain = fields(kind)
    else:
        guarded = False
        plain = tuple(one for one in marks[FIELDS].values() if one._field_type is PLAIN)
    final: list[Any] = []
    methods: dict[str, Any] = {"__repr__": _shown(), **(_compared(plain, hashed=frozen) if eq else {})}
    if frozen and not guarded:
        methods |= _guarded({one.name for one in plain}, final)
        methods |= {name: vars(_Slots)[name] for name in PICKLED if options.get("slots")}
    given = {name: method for name, method in methods.items() if name not in own or name in GUARDS}
    for name, method in given.items():
        if name not in PICKLED:
            method.__name__, method.__qualname__ = name, f"{kind.__qualname__}.{name}"
    if eq and not frozen and "__hash__" not in own:
        given["__hash__"] = None  # what compares by values that change is in no mapping
    if "__init__" not in own:
        given["__init__"] = _Init(kind)
    if marks is not None and options.get("slots"):
        kind = _with_slots(kind, [one.name for one in plain], {**vars(kind), **marks, **given})
    else:
        for name, value in {**(marks or {}), **given}.items():
            setattr(kind, name, value)
    if marks is None and frozen:
        vars(kind)[PARAMS].frozen = True  # so that a class made from this one has to be frozen too
    final.append(kind)
    return kind


@standard(init=False, repr=False, eq=False)
class _Sample:
    """A class as the standard library makes one, which says how it marks classes and fields."""

    value: int


PLAIN: Any = fields(_Sample)[0]._field_type  # type: ignore[attr-defined] # no private name is needed to mark one so
FIELDS, PARAMS, MATCHED = "__dataclass_fields__", "__dataclass_params__", "__match_args__"
METHODS = {  # that the standard library gives to every class: `__replace__`, from Python 3.13 on
    name: value for name, value in vars(_Sample).items() if callable(value) and name not in dir(object)
}
GUARDS = ("__setattr__", "__delattr__")
PICKLED = ("__getstate__", "__setstate__")


def _marks(
    kind: type, *, frozen: bool, kw_only: bool = False, slots: bool = False, **others: Any
) -> dict[str, Any] | None:
    """Return what a class has that tells its fields, from its hints and from classes it is made from.

    None where anything is out of line: that is left to the standard library, and so is what is wrong.
    """
    hints = inspect.get_annotations(kind)
    taken: dict[str, Field[Any]] = {}
    for parent in kind.__mro__[-1:0:-1]:
        if FIELDS in vars(parent):
            taken |= vars(parent)[FIELDS]
            if vars(parent)[PARAMS].frozen is not frozen:
                return None
    gathered = {name: _field(kind, name, hint, kw_only=kw_only) for name, hint in hints.items()}
    loose = any(isinstance(value, Field) and name not in hints for name, value in vars(kind).items())
    if others or loose or None in gathered.values() or (slots and "__slots__" in vars(kind)):
        return None
    for name, one in gathered.items():
        if name in vars(kind) and one and one.default is MISSING:
            delattr(kind, name)
    taken |= gathered  # type: ignore[arg-type] # none is None
    matched = tuple(name for name, one in taken.items() if one.init and not one.kw_only)
    given: dict[str, Any] = {**METHODS, MATCHED: matched, "__doc__": kind.__name__}
    return (
        {name: value for name, value in given.items() if vars(kind).get(name) is None}
        | {name: one.default for name, one in gathered.items() if one and one.default is not MISSING}
        | {FIELDS: taken, PARAMS: _params(frozen=frozen)}
    )


@cache
def _params(*, frozen: bool) -> Any:
    """Return what a class says of how it was made: a class made from a frozen one has to be frozen too."""
    params = copy.copy(vars(_Sample)[PARAMS])
    params.frozen = frozen
    return params


def _field(kind: type, name: str, hint: object, *, kw_only: bool) -> Field[Any] | None:
    """Return the field that a hint makes; None for what the standard library is to judge."""
    if not isinstance(hint, str) or "ClassVar" in hint or "InitVar" in hint or "KW_ONLY" in hint:
        return None
    usual = getattr(kind, name, MISSING)
    if isinstance(usual, MemberDescriptorType):  # that of a slot, in a class it is made from
        usual = MISSING
    result: Any = usual if isinstance(usual, Field) else field(default=usual)
    if type(result.default).__hash__ is None:
        return None
    result.name, result.type, result._field_type = name, hint, PLAIN
    if result.kw_only is MISSING:
        result.kw_only = kw_only
    return result  # type: ignore[no-any-return]


def _with_slots(kind: type, names: list[str], given: dict[str, Any]) -> type:
    """Make a class anew with slots for its fields, which is said before a class is made."""
    had = {name for one in kind.__mro__[1:-1] for name in _slots_of(one)}
    for name in (*names, "__dict__", "__weakref__"):
        given.pop(name, None)
    given["__slots__"] = tuple(name for name in names if name not in had)
    result: Any = type(kind)(kind.__name__, kind.__bases__, given)
    result.__qualname__ = kind.__qualname__
    return result  # type: ignore[no-any-return]


def _slots_of(kind: type) -> tuple[str, ...]:
    slots = vars(kind).get("__slots__", ())
    return (slots,) if isinstance(slots, str) else tuple(slots)


class _Init:
    """What stands for the `__init__` of a class until that is worth writing, and is put in this place.

    That is when it is looked up as itself, when more than a few objects are made, and when what it is given is not
    right, so that this is told as usual.
    """

    def __init__(self, kind: type) -> None:
        self.kind = kind
        self.left = FEW
        self.ways: _Ways | None = None

    def __set_name__(self, owner: type, _: str) -> None:
        self.kind = owner  # which is made when all of it is known

    def __get__(self, instance: object, owner: type) -> Method:
        if not self.left or not isinstance(instance, self.kind):  # a class, for those who ask about it
            return self._written().__get__(instance, owner)  # type: ignore[no-any-return]
        return partial(self._set_fields, instance)

    def _written(self) -> Method:
        method: Method = _written_init(self.kind)
        self.kind.__init__ = method  # type: ignore[misc]
        return method

    def _set_fields(self, made: Any, /, *values: Any, **named: Any) -> None:
        ways = self.ways
        if ways is None:
            ways = self.ways = _Ways(self.kind)
        self.left = max(self.left - 1, 0)
        given = dict(zip(ways.in_order, values, strict=False)) | named if values else named
        if len(given) < len(values) + len(named) or not ways.required <= given.keys() <= ways.taken:
            self._written()(made, *values, **named)
            return
        put = object.__setattr__
        for name, default in ways.defaults.items():
            if name in given:
                put(made, name, given[name])
            elif default is not MISSING:
                put(made, name, default)
            else:
                put(made, name, ways.anew[name]())
        if ways.settles:
            made.__post_init__()


class _Ways:
    """The fields of a class as `__init__` needs them: in the order they are given, and what each is without."""

    def __init__(self, kind: Any) -> None:
        every = fields(kind)
        taken = [one for one in every if one.init]
        self.in_order = [one.name for one in taken if not one.kw_only]
        self.taken = {one.name for one in taken}
        self.anew = {one.name: one.default_factory for one in every if one.default_factory is not MISSING}
        self.defaults = {
            one.name: one.default
            for one in every
            if one.init or one.default is not MISSING or one.name in self.anew
        }
        self.required = {
            one.name for one in taken if one.default is MISSING and one.default_factory is MISSING
        }
        self.settles = hasattr(kind, "__post_init__")


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


def _shown() -> Method:
    """Return what shows an object with the values of its fields."""

    @recursive_repr()
    def show(self: Any) -> str:
        shown = (f"{one.name}={getattr(self, one.name)!r}" for one in fields(self) if one.repr)
        return f"{type(self).__qualname__}({', '.join(shown)})"

    return show


def _compared(plain: Sequence[Field[Any]], *, hashed: bool) -> dict[str, Method]:
    """Return what compares two objects, and puts one among the keys of a mapping, by the values of fields."""
    compared = tuple(one.name for one in plain if one.compare)
    keys = tuple(one.name for one in plain if (one.compare if one.hash is None else one.hash))

    def equal(self: Any, other: Any) -> Any:
        if type(other) is not type(self):
            return NotImplemented
        return [getattr(self, name) for name in compared] == [getattr(other, name) for name in compared]

    def digest(self: Any) -> int:
        return hash(tuple([getattr(self, name) for name in keys]))

    return {"__eq__": equal, "__hash__": digest} if hashed else {"__eq__": equal}


def _guarded(names: set[str], final: Sequence[Any]) -> dict[str, Method]:
    """Return what refuses to set and delete fields; objects of a class made from it may have more."""

    def refuse(instance: object, name: str, what: str) -> None:
        if type(instance) is final[0] or name in names:
            raise FrozenInstanceError(f"cannot {what} field {name!r}")

    def set_one(self: Any, name: str, value: object) -> None:
        refuse(self, name, "assign to")
        super(final[0], self).__setattr__(name, value)

    def delete_one(self: Any, name: str) -> None:
        refuse(self, name, "delete")
        super(final[0], self).__delattr__(name)

    return dict(zip(GUARDS, (set_one, delete_one), strict=True))


class _Slots:
    """How objects without a `__dict__` are pickled and copied: by the values of their fields, in order."""

    def __getstate__(self: Any) -> list[Any]:
        return [getattr(self, one.name) for one in fields(self)]

    def __setstate__(self: Any, values: list[Any]) -> None:
        for one, value in zip(fields(self), values, strict=True):
            object.__setattr__(self, one.name, value)
