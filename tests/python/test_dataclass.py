"""Our dataclasses against the standard library's: whatever one does, the other does."""

from __future__ import annotations

import copy
import dataclasses
import inspect
import pickle
import re
import sys
import typing
from collections.abc import Callable, Iterator
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from eager_otter.dataclass import FEW, dataclass

ROOT = Path(__file__).parents[2]
FIELDS = [
    "Any",
    "int = 7",
    "Any = field(default=8, repr=False)",
    "list[int] = field(default_factory=list)",
    "Any = field(default=9, compare=False)",
    "Any = field(default=(), hash=False)",
    "Any = field(init=False, compare=False)",
    "Any = field(init=False, default=5)",
    "Any = field(init=False, default_factory=lambda: (6,))",
    "Any = field(kw_only=True)",
    "Any = field(default_factory=tuple, kw_only=True)",
    "ClassVar[int] = 4",
    "list[int] = []",
]
METHODS = [
    "def __post_init__(self): object.__setattr__(self, 'a', ('settled', self.a))",
    "def __repr__(self): return 'shown'",
    "def __eq__(self, other): return True",
    "def __hash__(self): return 3",
    "def __init__(self): [object.__setattr__(self, one.name, 0) for one in fields(self)]",
]
HEAD = "from __future__ import annotations\nfrom dataclasses import field, fields\nfrom typing import Any, ClassVar\n\n"


@st.composite
def sources(draw: st.DrawFn) -> str:
    """Write a class, perhaps made from another."""
    kinds = draw(st.lists(st.sampled_from(FIELDS), max_size=5))
    options = {name: draw(st.booleans()) for name in ("slots", "kw_only", "eq")} | {
        "frozen": draw(st.integers(0, 3)) > 0
    }
    kinds.sort(key=lambda kind: kind != "Any")  # what has no default stands first
    lines = [f"{name}: {kind}" for name, kind in zip("abcde", kinds, strict=False)]
    lines += draw(st.lists(st.sampled_from(METHODS), unique=True, max_size=3))
    more = [
        "pass",
        "x = 3",
        "y: int",
        "w = field()",
        "__slots__ = ()",
        "y: int = field(default=5, kw_only=True)",
    ]
    lines.insert(0, draw(st.sampled_from(more)))
    written = ", ".join(f"{name}={value}" for name, value in options.items())
    body = "".join(f"    {line}\n" for line in lines)
    base, of = "", ""
    if draw(st.booleans()):
        base, of = (
            f"@dataclass({written})\nclass Base:\n    y: Any\n    x: ClassVar[int] = 2\n"
            "    z: int = field(default=0, kw_only=True)\n\n",
            "(Base)",
        )
    return f"{HEAD}{base}@dataclass({written})\nclass One{of}:\n    'Of a kind.'\n{body}"


def told(act: Callable[[], object]) -> str:
    """Say what comes of something: what is returned, or what is raised."""
    try:
        return repr(act())
    except Exception as error:  # noqa: BLE001 # whatever it is, the other is to raise it too
        return f"{type(error).__name__}: {error}"


def behaviour(source: str, decorator: object) -> list[str]:
    """Tell all that a class and its objects do."""
    module = ModuleType("of_a_test")
    vars(module)["dataclass"] = decorator
    sys.modules["of_a_test"] = module

    def made() -> Any:
        exec(source, vars(module))
        return module.One

    refused = told(lambda: made() and None)
    try:
        return [refused] if refused != "None" else [*_of_the_class(made()), *_of_objects(made)]
    finally:
        del sys.modules["of_a_test"]


def _of_the_class(kind: Any) -> Iterator[str]:
    names = [one.name for one in dataclasses.fields(kind)]
    yield told(lambda: [(one.name, one.type) for one in dataclasses.fields(kind)])
    yield told(lambda: kind.__annotations__)
    yield told(lambda: inspect.signature(kind))
    yield told(lambda: typing.get_type_hints(kind.__init__))
    yield told(
        lambda: (
            names,
            kind.__match_args__,
            kind.__doc__,
            kind.__init__.__qualname__,
            hasattr(kind, "__dict__"),
        )
    )
    yield told(lambda: sorted(set(vars(kind)) - {"__weakref__"}))
    yield told(lambda: dataclasses.dataclass(frozen=True)(type("Made", (kind,), {})))
    yield told(lambda: dataclasses.dataclass(type("Made", (kind,), {})))


def _of_objects(made: Callable[[], Any]) -> Iterator[str]:
    """Make objects of a class of which there are none yet, again and again: the first are made in another way."""
    names = [one.name for one in dataclasses.fields(made())]
    taken = [one.name for one in dataclasses.fields(made()) if one.init]
    given: list[tuple[tuple[object, ...], dict[str, object]]] = [
        ((), {}), ((1,), {}), ((1, 2), {}), ((1, 2, 3, 4, 5, 6), {}), ((), {"no": 1}), ((1,), {"a": 2}),
        ((), dict.fromkeys(names, 3)), ((), dict.fromkeys(taken, 3)), ((1,), {name: [2] for name in taken[1:]}),
        *(((), {name: 1 for name in taken if name != left}) for left in taken),
    ]  # fmt: skip
    for in_order, by_name in given:
        kind = made()
        yield told(lambda kind=kind, in_order=in_order, by_name=by_name: kind(*in_order, **by_name))  # type: ignore[misc]
        try:
            first, second = kind(*in_order, **by_name), kind(*in_order, **by_name)
        except (TypeError, AttributeError):
            continue
        yield told(lambda first=first: [(name, getattr(first, name, "unset")) for name in names])  # type: ignore[misc]
        for act in (
            lambda one, _, kind=kind: hash(one) if kind.__hash__ is not object.__hash__ else "by identity",
            lambda one, other: (one == other, one != other, one == (1, 2), one == one),  # noqa: PLR0124
            # where there are slots, those of Python 3.11 say something of `super` that helps nobody
            lambda one, _: hasattr(one, "__dict__") and setattr(one, "free", 1),
            lambda one, _: dataclasses.replace(one),
            lambda one, _: dataclasses.replace(one, a=4),
            lambda one, _: [
                told(lambda name=name: one == dataclasses.replace(one, **{name: "else"})) for name in names
            ],  # type: ignore[misc]
            lambda one, _: dataclasses.asdict(one),
            lambda one, _: dataclasses.astuple(copy.copy(one)),
            lambda one, _: dataclasses.astuple(copy.deepcopy(one)),
            lambda one, _: dataclasses.astuple(pickle.loads(pickle.dumps(one))),
            lambda one, _, kind=kind: type("Sub", (kind,), {"free": None})(*dataclasses.astuple(one)),
            lambda one, _: [setattr(one, name, 1) for name in names],
            lambda one, _: [delattr(one, name) for name in names],
        ):
            yield told(lambda act=act, first=first, second=second: act(first, second))  # type: ignore[misc]


SET = [  # fields that every object has
    kind for kind in FIELDS if kind not in ("Any = field(init=False, compare=False)", "list[int] = []")
]
EVERY_KIND = "".join(f"    {name}: {kind}\n" for name, kind in zip("abcdefghijk", SET, strict=True))


@settings(max_examples=80)
@given(sources())
@example(f"{HEAD}@dataclass(frozen=True, slots=True)\nclass One:\n    'Of a kind.'\n{EVERY_KIND}")
@example(
    f"{HEAD}@dataclass(slots=True)\nclass Base:\n    y: Any\n\n"
    "@dataclass(slots=True)\nclass One(Base):\n    'Of a kind.'\n    y: int\n"
)
def test_a_class_does_what_the_standard_librarys_does(source: str) -> None:
    assert behaviour(source, dataclass) == behaviour(source, dataclasses.dataclass)


@pytest.mark.parametrize("decorator", [dataclass, dataclasses.dataclass])
def test_objects_of_a_class_made_from_a_frozen_one_may_have_more_than_fields(decorator: Any) -> None:
    @decorator(frozen=True)
    class Place:
        row: int

    class Marked(Place):
        pass

    marked = Marked(3)
    marked.note = "here"  # type: ignore[attr-defined]
    assert marked.note == "here" and marked == Marked(3) and marked != Place(3)  # type: ignore[attr-defined]
    with pytest.raises(dataclasses.FrozenInstanceError, match="cannot assign to field 'row'"):
        marked.row = 4  # type: ignore[misc]
    with pytest.raises(dataclasses.FrozenInstanceError, match="cannot delete field 'row'"):
        del marked.row
    del marked.note  # type: ignore[attr-defined]


def test_a_class_may_pickle_as_it_likes() -> None:
    """Python 3.11.2 writes over what such a class says; later ones do not."""

    @dataclass(frozen=True, slots=True)
    class Place:
        row: int

        def __getstate__(self) -> list[int]:
            return [self.row + 1]

    assert copy.copy(Place(3)) == Place(4)


def test_an_object_within_itself_is_shown() -> None:
    @dataclass(frozen=True)
    class Group:
        inside: list[Any]

    group = Group([])
    group.inside.append(group)
    assert repr(group).endswith("Group(inside=[...])")


def test_other_options_are_the_standard_librarys() -> None:
    @dataclass(order=True, frozen=True)
    class Step:
        at: int

    @dataclass
    class Tally:
        people: int = 0

    @dataclass(frozen=True)
    class Further(Step):
        more: int = 1

    tally = Tally()
    tally.people += 1
    assert Step(1) < Step(2) and tally == Tally(1) and repr(Further(3)).endswith("Further(at=3, more=1)")
    with pytest.raises(TypeError, match="cannot inherit non-frozen dataclass from a frozen one"):
        dataclass(type("Loose", (Step,), {}))


def test_init_is_written_for_a_class_of_many_objects_and_where_something_is_wrong() -> None:
    def place() -> Any:
        @dataclass(frozen=True, slots=True)
        class Place:
            row: int
            made: str = ""

        return Place

    kind = place()
    assert kind(3) == kind(row=3) and repr(kind(3)).endswith(".<locals>.place.<locals>.Place(row=3, made='')")
    kind = place()
    places = [kind(k, made="a") for k in range(FEW)]
    assert not inspect.isfunction(vars(kind)["__init__"])
    places += [kind(k, made="a") for k in range(FEW, 3 * FEW)]
    assert inspect.isfunction(vars(kind)["__init__"])
    assert [(one.row, one.made) for one in places] == [(k, "a") for k in range(3 * FEW)]
    kind = place()
    with pytest.raises(TypeError, match=r"__init__\(\) missing 1 required positional argument: 'row'"):
        kind()
    assert inspect.isfunction(vars(kind)["__init__"])


def test_every_module_takes_this_one() -> None:
    """One that takes the standard library's would cost each command a millisecond a class again."""
    package = ROOT / "src" / "eager_otter"
    others = [
        path.name
        for path in package.rglob("*.py")
        if path != package / "dataclass.py"
        and re.search(
            r"^from dataclasses import .*\bdataclass\b", path.read_text(encoding="utf-8"), re.MULTILINE
        )
    ]
    assert others == []
