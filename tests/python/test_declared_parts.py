"""Parts of files: what is taken as it stands is what the library that checks all others makes of it."""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from eager_otter.codebook import file as of_codebook
from eager_otter.documents.fitting import MISFIT
from eager_otter.documents.part import (
    Before,
    ByShape,
    Code,
    Limits,
    Part,
    PartField,
    Text,
    example_of,
    fields_of,
    fit_of_part,
    key,
    rule,
)
from eager_otter.documents.rewriting import yaml_of
from eager_otter.documents.validating import validated
from eager_otter.documents.values import Values, values_of
from eager_otter.documents.yaml_nodes import Document, WrittenFloat, WrittenInt, compose
from eager_otter.looks.catalogue import CatalogueFile
from eager_otter.looks.theme import ThemeFile
from eager_otter.plan import file as of_plan
from eager_otter.weighing.file import TargetsFile


class Tried(Part):
    """A part with a field of every kind."""

    name: Text
    codes: Annotated[list[Code], Limits(min_length=1, max_length=2)] | None = None
    size: Annotated[int, Limits(ge=1, le=5)] = 2
    share: Annotated[float, Limits(as_text=True, gt=0, any_size=False)] | None = key("share of all", None)
    exact: float | Literal["none"] = "none"
    rows: Literal[1, 2] | None = None
    tint: Annotated[str, Limits(pattern="#[0-9a-f]{2}")] | None = None
    either: Annotated[dict[str, Text] | Text, ByShape("words", "file")] = ""
    listed: Annotated[
        list[Text], Before(lambda value: value if isinstance(value, list) else [value], Text)
    ] = key("listed", [])
    sure: bool | None = None
    size_or_name: float | Text | None = None
    more: dict[Code, list[int]] = key("more", {})

    @rule
    def _not_both(self) -> None:
        if self.rows is not None and "tint" in self.said:
            raise ValueError("rows and tint exclude each other.")


def parts_of(module: Any) -> list[Any]:
    named = vars(module).items()
    return [one for _, one in named if isinstance(one, type) and issubclass(one, Part) and one is not Part]


ENTRIES = [
    of_plan.TestsEntry,
    of_plan.DigitsEntry,
    of_plan.BannerEntry,
    of_plan.GroupEntry,
    of_codebook.AnswerEntry,
]
KINDS = [Tried, *parts_of(of_codebook), *parts_of(of_plan), ThemeFile, CatalogueFile, TargetsFile, *ENTRIES]


def written(kind: type, text: str) -> Any:
    number = kind(text)
    number.text = text
    return number


WORDS = st.sampled_from(
    [
        "all",
        "none",
        "any",
        "best first",
        "first",
        "column",
        "down",
        "up",
        "total",
        "1",
        "01",
        "Total",
        "mean",
        "count",
        "liking",
        "a.csv",
        "a.xlsx",
        "#FFFFFF",
        "#0a",
        "",
        "nan",
        "1.5",
        "column percent",
        "percent",
        "{code}",
        "a_{code}",
        "Größe",
        "�",
    ]
)
NUMBERS = st.one_of(
    st.integers(-2, 12),
    st.integers(-2, 12).map(lambda number: written(WrittenInt, f"{number:03d}")),
    st.sampled_from(["1.50", "0.5", "-1.0", "20.0"]).map(lambda text: written(WrittenFloat, text)),
    st.sampled_from([0.5, 1.0, 1e300, float("nan"), float("inf"), 2**60, 10**400]),
)
PLAIN = st.one_of(st.none(), st.booleans(), NUMBERS, WORDS)
JUNK = st.one_of(
    PLAIN,
    st.lists(PLAIN, max_size=2),
    st.dictionaries(WORDS, PLAIN, max_size=2),
    st.just((1, 2)),
    st.just(b"x"),
)


def values(hint: Any, *, by_name: bool = False, depth: int = 0) -> st.SearchStrategy[Any]:
    """Go for what a hint asks for, most of the time."""
    origin, parts = get_origin(hint), get_args(hint)
    if depth > 3 or hint is Any:
        return PLAIN
    if origin is Annotated:
        shown = [mark.shown for mark in parts[1:] if isinstance(mark, Before)]
        return st.one_of(*[values(one, by_name=by_name, depth=depth) for one in (parts[0], *shown)])
    if origin in (Union, UnionType):
        return st.one_of(*[values(part, by_name=by_name, depth=depth) for part in parts])
    if origin is Literal:
        return st.sampled_from(parts)
    if origin is list:
        return st.lists(values(parts[0], by_name=by_name, depth=depth + 1), max_size=3)
    if origin is dict:
        keys = values(parts[0], depth=4) if parts[0] is not str else WORDS
        return st.dictionaries(keys, values(parts[1], by_name=by_name, depth=depth + 1), max_size=3)
    if isinstance(hint, type) and issubclass(hint, Part):
        return part_values(hint, by_name=by_name, depth=depth)
    return {str: WORDS, int: NUMBERS, float: NUMBERS, bool: st.booleans(), NoneType: st.none()}.get(
        hint, PLAIN
    )


@st.composite
def part_values(draw: Any, kind: type[Part], *, by_name: bool, depth: int) -> dict[Any, Any]:
    found = {}
    for name, one in fields_of(kind).items():
        if draw(st.integers(0, 9)) < (9 if one.required else 2):
            junk = draw(st.integers(0, 19)) == 0
            said = name if by_name and draw(st.booleans()) else one.key
            found[said] = draw(JUNK if junk else values(one.hint, by_name=by_name, depth=depth + 1))
    if draw(st.integers(0, 29)) == 0:
        found[draw(WORDS)] = 1
    return found


def told(value: object) -> object:
    """All of a value, with the class of each piece: equal ones may be of several, and nan equals nothing."""
    if isinstance(value, Part):
        return (
            type(value),
            {name: told(one) for name, one in vars(value).items() if name != "said"},
            value.said,
        )
    if isinstance(value, dict):
        return dict, [(told(name), told(one)) for name, one in value.items()]
    return (list, [*map(told, value)]) if isinstance(value, list) else (type(value), repr(value))


def document_of(*, by_name: bool) -> Document:
    return Values(Path(), None, ()) if by_name else Document(Path("a.yaml"), None, ())


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: getattr(kind, "__name__", "entry"))
@pytest.mark.parametrize("by_name", [False, True])
@settings(max_examples=25)
@given(data=st.data())
def test_what_is_taken_as_it_stands_is_what_the_full_check_makes_of_it(
    kind: Any, by_name: bool, data: Any
) -> None:
    value = data.draw(values(kind, by_name=by_name))
    taken = fit_of_part(kind, by_name=by_name)(value)
    if taken is not MISFIT:
        checked, problems = validated(kind, value, document_of(by_name=by_name), ())
        assert problems == []
        assert told(taken) == told(checked)


@pytest.mark.parametrize(
    "text",
    [
        "{name: 1}",
        "{name: a, codes: [1, 02]}",
        "{name: a, size: 5, share of all: 0.5, exact: 3}",
        "{name: a, exact: none, rows: 2}",
        "{name: yes, tint: '#0a', sure: true}",
        "{name: a, either: {a: 1}, listed: x}",
        "{name: a, either: other.yaml, listed: [x, 2.50], more: {1: [2, 3], b: []}}",
    ],
)
def test_what_is_right_is_taken_as_it_stands(text: str) -> None:
    document = compose(text, Path("a.yaml"))
    taken = fit_of_part(Tried)(document.data)
    assert isinstance(taken, Tried)
    assert (taken, []) == validated(Tried, document.data, document, ())


@pytest.mark.parametrize(
    "value",
    [
        {},
        {"name": None},
        {"name": "a", "nmae": "b"},
        {"name": "a", "codes": []},
        {"name": "a", "codes": ["1", "2", "3"]},
        {"name": "a", "size": 6},
        {"name": "a", "size": True},
        {"name": "a", "share": 1},
        {"name": "a", "share of all": 0},
        {"name": "a", "share of all": float("inf")},
        {"name": "a", "rows": 3},
        {"name": "a", "tint": "#0a\n"},
        {"name": "a", "tint": "#0a", "rows": 1},
        {"name": "a", "sure": 1},
        {"name": "a", "more": {"1": ["2"]}},
        [("name", "a")],
    ],
)
def test_what_is_wrong_is_not_taken(value: Any) -> None:
    assert fit_of_part(Tried)(value) is MISFIT
    document = values_of({})
    document.data = value
    _, problems = validated(Tried, value, Document(Path("a.yaml"), value, ("",)), ())
    assert len(problems) == 1


def test_what_fits_in_two_ways_is_left_to_the_full_check() -> None:
    assert fit_of_part(Tried)({"name": "a", "size_or_name": 3}) is MISFIT
    assert fit_of_part(Tried)({"name": "a", "size_or_name": "x"}) == Tried(name="a", size_or_name="x")


def test_what_is_said_by_key_and_by_name_is_not_taken() -> None:
    by_name = fit_of_part(Tried, by_name=True)
    assert (
        by_name({"name": "a", "share": 1})
        == by_name({"name": "a", "share of all": 1})
        == Tried(name="a", share=1.0)
    )
    assert by_name({"name": "a", "share": 1, "share of all": 1}) is MISFIT


def test_a_part_says_what_it_holds_and_is_not_changed() -> None:
    part = Tried(name="a", size=3)
    assert part.said == {"name", "size"} and part.listed == [] and part.exact == "none" and part.share is None
    assert part.changed(size=4) == Tried(name="a", size=4) != part
    assert part == Tried(size=3, name="a") and hash(part) == hash(Tried(name="a", size=3))
    assert Tried(name="a") != Tried(name="a", size=2)  # what is said counts, too
    assert repr(part) == "Tried(name='a', size=3)"
    assert Tried(name="b").listed is not part.listed
    with pytest.raises(AttributeError, match="not changed: size"):
        part.size = 1
    with pytest.raises(TypeError, match="Tried has no sise"):
        Tried(name="a", sise=1)
    with pytest.raises(TypeError, match="Tried needs name"):
        Tried()


@pytest.mark.parametrize(
    "line",
    [
        "look heard_of -b region",
        "look liking --set sort=down",
        "questions",
        "run --list",
        "run --only heard_of -o one.xlsx -o one.csv",
        "audit",
        "explain liking Mean North",
        "findings",
        "chart heard_of",
        "weigh targets.yaml -o weights.csv",
        "draft responses.csv",
    ],
)
def test_a_plan_without_mistakes_needs_no_library_that_checks(demo: Path, tmp_path: Path, line: str) -> None:
    """It is a fifth of all that a command loads."""
    folder = tmp_path / "demo"
    shutil.copytree(demo, folder)
    code = (
        f"import sys; from eager_otter.cli.main import main; sys.argv[1:] = {line.split()}\n"
        "try: main()\nexcept SystemExit as end: assert not end.code\n"
        "sys.exit(int('pydantic_core' in sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", code], cwd=folder, capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()[-500:]


def holds_several(hint: Any) -> bool:
    """Return whether a hint is one of lists, mappings or parts, whatever else it allows."""
    if get_origin(hint) is Annotated:
        return holds_several(get_args(hint)[0])
    if get_origin(hint) in (Union, UnionType):
        return any(map(holds_several, get_args(hint)))
    return get_origin(hint) in (list, dict) or (isinstance(hint, type) and issubclass(hint, Part))


FIELDS = [
    pytest.param(kind, one, id=f"{kind.__name__}.{one.key}")
    for kind in KINDS
    if isinstance(kind, type) and kind not in (Tried, of_plan.PlanOptions)  # options are those of the plan
    for one in fields_of(kind).values()
    if holds_several(one.hint)
]


@pytest.mark.parametrize(("kind", "one"), FIELDS)
def test_what_holds_several_things_has_an_example_that_fits(kind: type[Part], one: PartField) -> None:
    example = example_of(kind, one)
    assert example
    value = compose(f"{one.key}: {example.partition(' (')[0]}", Path("example.yaml")).data[one.key]
    assert fit_of_part(one.hint)(value) is not MISFIT


@pytest.mark.parametrize("kind", [one for one in KINDS if getattr(one, "example", "")])
def test_an_example_of_a_whole_part_fits(kind: type[Part]) -> None:
    value = compose(f"part: {kind.example}", Path("example.yaml")).data["part"]
    assert isinstance(value, dict)
    assert fit_of_part(kind)(value) is not MISFIT


def mappings_in(value: Any) -> Iterator[dict[str, Any]]:
    """Go through the mappings in a value, however deep."""
    if isinstance(value, dict):
        yield value
    for inner in value.values() if isinstance(value, dict) else value if isinstance(value, list) else []:
        yield from mappings_in(inner)


OURS = re.compile(r"function|\[\w+\[|validator|union|tag|model", re.IGNORECASE)  # words that no file has


@pytest.mark.parametrize(("kind", "one"), FIELDS)
def test_an_unknown_key_is_told_by_its_own_name(kind: type[Part], one: PartField) -> None:
    """However deep it stands, in a list or under either of two ways to write something."""
    text = f"{one.key}: {example_of(kind, one).partition(' (')[0]}"
    for k in range(len(list(mappings_in(compose(text, Path("example.yaml")).data[one.key])))):
        document = compose(text, Path("example.yaml"))
        list(mappings_in(document.data[one.key]))[k]["zzz"] = None
        document = compose(yaml_of(document.data), Path("example.yaml"))
        _, problems = validated(kind, document.data, document, ())
        for problem in problems:
            assert not OURS.search(problem.message), problem.message
            assert "unknown key" not in problem.message or problem.message.startswith("unknown key 'zzz'.")
