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
from collections.abc import Callable, Iterable
from dataclasses import MISSING, Field, FrozenInstanceError, field, fields, is_dataclass
from dataclasses import dataclass as standard
from functools import cache, cached_property, partial
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
    later = _marked(kind, frozen=frozen, **options)
    if later is None:
        guarded = frozen and any(map(is_dataclass, kind.__mro__[1:]))
        kind = standard(kind, init=False, repr=False, eq=False, frozen=guarded, **options)
        given: dict[str, Any] = {}
        later = _Later(kind)
    else:
        guarded = False
        given = later.given()
    methods: dict[str, Any] = {"__repr__": _shown, **(_compared(later, hashed=frozen) if eq else {})}
    if frozen and not guarded:
        methods |= _guarded(later)
        methods |= {name: vars(_Slots)[name] for name in PICKLED if options.get("slots")}
    for name, method in methods.items():
        if name in GUARDS or name not in own:
            given[name] = method
            if name not in SHARED:
                method.__name__, method.__qualname__ = name, f"{kind.__qualname__}.{name}"
    if eq and not frozen and "__hash__" not in own:
        given["__hash__"] = None  # what compares by values that change is in no mapping
    if "__init__" not in own:
        given["__init__"] = _Init(kind)
    if later.hints is not None and options.get("slots"):
        kind = _with_slots(kind, later.hints, {**vars(kind), **given})
    else:
        for name, value in given.items():
            setattr(kind, name, value)
    if later.hints is None and frozen:
        vars(kind)[PARAMS].frozen = True  # so that a class made from this one has to be frozen too
    later.kind = kind
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
SHARED = {"__repr__", *PICKLED}  # methods that are the same for all classes


class _Later:
    """What the fields of a class are gathered from when somebody asks for them, which is done for a third of them.

    `hints` are those of the class itself, by name; None where the standard library has gathered the fields.
    """

    def __init__(self, kind: type, hints: dict[str, str] | None = None, **marked: Any) -> None:
        self.kind: Any = kind
        self.hints = hints
        self.marked = marked  # what each field is without a value, and whether fields are given by name alone

    def given(self) -> dict[str, Any]:
        """Return what stands in the class until its fields are gathered, and what it says of itself."""
        marks = {**METHODS, "__doc__": self.kind.__name__}
        had = vars(self.kind)
        result: dict[str, Any] = {name: value for name, value in marks.items() if had.get(name) is None}
        result[FIELDS], result[PARAMS] = _Gathered(self, FIELDS), _params(frozen=self.marked["frozen"])
        if MATCHED not in had:
            result[MATCHED] = _Gathered(self, MATCHED)
        for name, usual in self.marked["usual"].items():
            if isinstance(usual, Field):
                if usual.default is not MISSING:
                    result[name] = usual.default
                elif name in had:
                    delattr(self.kind, name)
        return result

    def gather(self) -> None:
        """Put the fields in their place in the class, with the order in which they are matched."""
        taken: dict[str, Field[Any]] = {}
        for parent in self.kind.__mro__[-1:0:-1]:
            if FIELDS in vars(parent):
                taken |= getattr(parent, FIELDS)
        usual, kw_only = self.marked["usual"], self.marked["kw_only"]
        for name, hint in (self.hints or {}).items():
            taken[name] = _field(name, hint, usual[name], kw_only=kw_only)
        setattr(self.kind, FIELDS, taken)
        if isinstance(vars(self.kind)[MATCHED], _Gathered):
            matched = tuple(name for name, one in taken.items() if one.init and not one.kw_only)
            setattr(self.kind, MATCHED, matched)

    @cached_property
    def compared(self) -> tuple[str, ...]:
        """The names of the fields whose values are compared."""
        return tuple(one.name for one in fields(self.kind) if one.compare)

    @cached_property
    def keys(self) -> tuple[str, ...]:
        """The names of the fields whose values make the hash."""
        of = fields(self.kind)
        return tuple(one.name for one in of if (one.compare if one.hash is None else one.hash))


class _Gathered:
    """What stands for the fields of a class until somebody asks for them."""

    def __init__(self, later: _Later, name: str) -> None:
        self.later = later
        self.name = name

    def __get__(self, instance: object, owner: type) -> Any:
        kind = self.later.kind
        if isinstance(vars(kind)[self.name], _Gathered):
            self.later.gather()
        return vars(kind)[self.name]


def _marked(
    kind: type, *, frozen: bool, kw_only: bool = False, slots: bool = False, **others: Any
) -> _Later | None:
    """Return what tells the fields of a class, from its hints.

    None where anything is out of line: that is left to the standard library, and so is what is wrong.
    """
    had = vars(kind)
    hints = had["__annotations__"] if "__annotations__" in had else inspect.get_annotations(kind)
    for parent in kind.__mro__[1:-1]:
        if FIELDS in vars(parent) and vars(parent)[PARAMS].frozen is not frozen:
            return None
    if others or (slots and "__slots__" in had):
        return None
    if any(isinstance(value, Field) and name not in hints for name, value in had.items()):
        return None
    usual = {name: getattr(kind, name, MISSING) for name in hints}
    for name, hint in hints.items():
        if not isinstance(hint, str) or "ClassVar" in hint or "InitVar" in hint or "KW_ONLY" in hint:
            return None
        value: Any = usual[name]
        if isinstance(value, MemberDescriptorType):  # that of a slot, in a class it is made from
            usual[name] = MISSING
        elif type(value.default if isinstance(value, Field) else value).__hash__ is None:
            return None
    return _Later(kind, hints, usual=usual, kw_only=kw_only, frozen=frozen)


@cache
def _params(*, frozen: bool) -> Any:
    """Return what a class says of how it was made: a class made from a frozen one has to be frozen too."""
    params = copy.copy(vars(_Sample)[PARAMS])
    params.frozen = frozen
    return params


def _field(name: str, hint: str, usual: Any, *, kw_only: bool) -> Field[Any]:
    """Return the field that a hint makes, with what it is without a value."""
    result: Any = usual if isinstance(usual, Field) else field(default=usual)
    result.name, result.type, result._field_type = name, hint, PLAIN
    if result.kw_only is MISSING:
        result.kw_only = kw_only
    return result  # type: ignore[no-any-return]


def _with_slots(kind: type, names: Iterable[str], given: dict[str, Any]) -> type:
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


@recursive_repr()
def _shown(self: Any) -> str:
    """Show an object with the values of its fields."""
    shown = (f"{one.name}={getattr(self, one.name)!r}" for one in fields(self) if one.repr)
    return f"{type(self).__qualname__}({', '.join(shown)})"


def _compared(later: _Later, *, hashed: bool) -> dict[str, Method]:
    """Return what compares two objects, and puts one among the keys of a mapping, by the values of fields."""

    def equal(self: Any, other: Any) -> Any:
        if type(other) is not type(self):
            return NotImplemented
        compared = later.compared
        return [getattr(self, name) for name in compared] == [getattr(other, name) for name in compared]

    def digest(self: Any) -> int:
        return hash(tuple([getattr(self, name) for name in later.keys]))

    return {"__eq__": equal, "__hash__": digest} if hashed else {"__eq__": equal}


def _guarded(later: _Later) -> dict[str, Method]:
    """Return what refuses to set and delete fields; objects of a class made from it may have more."""

    def refuse(instance: object, name: str, what: str) -> None:
        if type(instance) is later.kind or name in getattr(later.kind, FIELDS):
            raise FrozenInstanceError(f"cannot {what} field {name!r}")

    def set_one(self: Any, name: str, value: object) -> None:
        refuse(self, name, "assign to")
        super(later.kind, self).__setattr__(name, value)

    def delete_one(self: Any, name: str) -> None:
        refuse(self, name, "delete")
        super(later.kind, self).__delattr__(name)

    return dict(zip(GUARDS, (set_one, delete_one), strict=True))


class _Slots:
    """How objects without a `__dict__` are pickled and copied: by the values of their fields, in order."""

    def __getstate__(self: Any) -> list[Any]:
        return [getattr(self, one.name) for one in fields(self)]

    def __setstate__(self: Any, values: list[Any]) -> None:
        for one, value in zip(fields(self), values, strict=True):
            object.__setattr__(self, one.name, value)
