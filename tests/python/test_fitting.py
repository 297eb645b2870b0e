"""What fits a type hint as it stands is taken as it is, exactly where the full check would take it so."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields
from pathlib import Path
from typing import Any, Literal, get_type_hints

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.documents.fitting import MISFIT, fit_of
from eager_otter.documents.hints import Wanted
from eager_otter.documents.settled import Settings
from eager_otter.documents.translated import Translated

PUBLIC = [getattr(otter, name) for name in otter.__all__]
KINDS = [one for one in PUBLIC if isinstance(one, type) and issubclass(one, Settings)]
HINTS: dict[str, Any] = {
    f"{kind.__name__}.{one.name}": get_type_hints(kind)[one.name]
    for kind in KINDS
    for one in fields(kind)  # type: ignore[arg-type]
}
OWN: dict[str, Any] = {
    "text": str,
    "number": float,
    "count": int,
    "yes": bool,
    "path": Path,
    "names": tuple[str, ...],
    "numbers": Sequence[float],
    "pair": tuple[str, int],
    "by name": Mapping[str, float],
    "one of": Literal["short", "full", 1],
    "text or number": str | float | None,
    "number or text": float | str,
    "whole number or text": int | str,
    "texts or numbers": tuple[str, ...] | tuple[float, ...],
    "by name or a number": Mapping[str, int] | float,
    "numbers or one text": tuple[float, ...] | str,
    "whatever": object,
    "levels": tuple[float, ...] | None,
    "told": Callable[[int], None] | None,
}

SIMPLE = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-3, 3),
    st.floats(allow_nan=False),
    st.text(max_size=4),
    st.sampled_from(["all", "answered", "short", "column", "down", "\ud800", "Größe", "none", ""]),
    st.sampled_from(
        [Translated("Nord", "North"), Path("a.csv"), np.float64(1.5), np.int64(2), b"x", str, len, object()]
    ),
    st.sampled_from([otter.TestRules(), otter.BaseRules(), otter.Banner(groups=()), otter.TableRequest()]),
)
VALUES = st.one_of(
    SIMPLE,
    st.lists(SIMPLE, max_size=2),
    st.lists(SIMPLE, max_size=2).map(tuple),
    st.dictionaries(st.text(max_size=2), SIMPLE, max_size=2),
)


def settled(wanted: Wanted, value: object) -> tuple[Any, str]:
    with_all_checks = Wanted(wanted.hint, lambda _: MISFIT)
    return with_all_checks.settle("it", value)


def kinds_in(value: object) -> object:
    """The class of a value, and those of what is in it."""
    inside = value.items() if isinstance(value, dict) else value if isinstance(value, tuple | list) else ()
    return type(value), [kinds_in(one) for one in inside]


@pytest.mark.parametrize("name", [*OWN, *HINTS])
@given(value=VALUES)
def test_what_fits_as_it_stands_is_what_all_checks_take(name: str, value: object) -> None:
    hint = OWN.get(name) or HINTS[name]
    fitting = fit_of(hint)(value)
    if fitting is MISFIT:
        return
    taken, mistake = settled(Wanted.by(hint), value)
    assert mistake == "" and taken == fitting and kinds_in(taken) == kinds_in(fitting)
    assert Wanted.by(hint).settle("it", value) == (fitting, "")


@pytest.mark.parametrize(
    ("hint", "fits", "misfits"),
    [
        (str, ["a", "Größe"], [1, "\ud800", Translated("Nord", "North")]),
        (int, [1], [True, 1.0, "1"]),
        (float, [1.5], [1, True, np.float64(1)]),
        (tuple[str, ...], [(), ("a",)], ["a", [1], (1,), {"a": 1}]),
        (Mapping[str, float], [{}, {"a": 1.0}], [{"a": 1}, [("a", 1.0)]]),
        (Literal["short", 1], ["short", 1], ["long", True, 1.0]),
        (str | None, ["a", None], [1]),
        (str | float, ["a"], [1.5, 1]),
        (int | str, ["a"], [1, True]),
        (tuple[str, int], [("a", 1)], [("a",), ["a"], ("a", "b"), ("a", 1, 2)]),
        (Callable[[int], None] | None, [len, str, None], ["len", 1]),
        (otter.TestRules, [otter.TestRules()], [{}, None]),
        (otter.TestRules | None, [None, otter.TestRules()], ["none"]),
    ],
)  # fmt: skip
def test_what_fits_and_what_is_left_to_the_full_check(hint: Any, fits: list[Any], misfits: list[Any]) -> None:
    for value in fits:
        found = fit_of(hint)(value)
        assert found == value and (found is value or isinstance(value, dict))
    for value in misfits:
        assert fit_of(hint)(value) is MISFIT


def test_a_list_is_taken_as_a_tuple_so_that_later_changes_of_it_change_nothing() -> None:
    names = ["a", "b"]
    for hint in (tuple[str, ...], Sequence[str], tuple[str, str], Sequence[str] | None):
        found = fit_of(hint)(names)
        assert found == ("a", "b") and type(found) is tuple


def test_usual_settings_fit_as_they_stand() -> None:
    seen = 0
    for kind in KINDS:
        try:
            made = kind()
        except TypeError:  # something has to be named
            continue
        for one in fields(made):  # type: ignore[arg-type] # all settings are dataclasses
            value = getattr(made, one.name)
            assert fit_of(HINTS[f"{kind.__name__}.{one.name}"])(value) == value, (kind, one.name)
            seen += 1
    assert seen > 50


def test_a_mapping_is_copied_so_that_later_changes_of_it_change_no_settings() -> None:
    digits = {"percent": 1}
    hint = Mapping[str, int]
    found = fit_of(hint)(digits)
    digits["percent"] = 2
    assert found == {"percent": 1}
