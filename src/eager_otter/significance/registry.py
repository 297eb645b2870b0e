"""All tests and corrections, found in `significance.kinds`: by name, in their order."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any, TypeVar

from eager_otter.core.association import Measure, TwoWay
from eager_otter.discovery import modules_in
from eager_otter.errors import UnknownName
from eager_otter.significance import kinds
from eager_otter.significance.method import (
    AssociationMeasure,
    Correction,
    MeanTest,
    MedianTest,
    Method,
    ShareTest,
    TrendTest,
    WholeTableMethod,
)

M = TypeVar("M", bound=Method)


@cache
def share_tests() -> tuple[ShareTest, ...]:
    """List the tests of two shares, the usual one first."""
    return _in_order(method for method in _methods() if isinstance(method, ShareTest))


@cache
def mean_tests() -> tuple[MeanTest, ...]:
    """List the tests of two means, the usual one first."""
    return _in_order(method for method in _methods() if isinstance(method, MeanTest))


@cache
def median_tests() -> tuple[MedianTest, ...]:
    """List the ways to compare medians, the usual one, not at all, first."""
    return _in_order(method for method in _methods() if isinstance(method, MedianTest))


@cache
def trend_tests() -> tuple[TrendTest, ...]:
    """List the tests of a trend: of shares, then of means."""
    return _in_order(method for method in _methods() if isinstance(method, TrendTest))


@cache
def corrections() -> tuple[Correction, ...]:
    """List the corrections for many comparisons, the usual one, none at all, first."""
    return _in_order(method for method in _methods() if isinstance(method, Correction))


@cache
def whole_table_methods() -> tuple[WholeTableMethod[Any], ...]:
    """List the tests of whole tables, in the order in which they are tried."""
    return _in_order(method for method in _methods() if isinstance(method, WholeTableMethod))


@cache
def association_measures() -> tuple[AssociationMeasure, ...]:
    """List the measures of association, in the order in which they are tried."""
    return _in_order(method for method in _methods() if isinstance(method, AssociationMeasure))


def methods_for(evidence: object) -> tuple[WholeTableMethod[Any], ...]:
    """Choose the tests of a whole table: the one that fits, then those made on demand; () for what has no test."""
    made_of_it = [one for one in whole_table_methods() if isinstance(evidence, one.of) and one.fits(evidence)]
    usual = [one for one in made_of_it if not one.on_demand]
    return (*usual[:1], *(one for one in made_of_it if one.on_demand))


def measures_of(table: TwoWay) -> dict[str, Measure]:
    """Take all measures of a whole table of two rows and two columns at least, by name."""
    return {
        one.name: Measure(name=one.name, value=one.value(table), p_value=one.p_value(table))
        for one in association_measures()
    }


def share_test(name: str) -> ShareTest:
    """Find a test of two shares. Raises UnknownName."""
    return _called(name, share_tests(), "test of percents")


def mean_test(name: str) -> MeanTest:
    """Find a test of two means. Raises UnknownName."""
    return _called(name, mean_tests(), "test of means")


def median_test(name: str) -> MedianTest:
    """Find a way to compare medians. Raises UnknownName."""
    return _called(name, median_tests(), "test of medians")


def correction(name: str) -> Correction:
    """Find a correction. Raises UnknownName."""
    return _called(name, corrections(), "correction")


def names_of(methods: Sequence[Method]) -> list[str]:
    """Name some methods."""
    return [method.name for method in methods]


def _called(name: str, methods: tuple[M, ...], what: str) -> M:
    for method in methods:
        if method.name == name:
            return method
    raise UnknownName(what, name, names_of(methods))


def _in_order(methods: Iterator[M]) -> tuple[M, ...]:
    return tuple(sorted(methods, key=_rank))


def _rank(method: Method) -> int:
    return method.rank


@cache
def _methods() -> tuple[Method, ...]:
    names = ("TESTS", "CORRECTIONS", "MEASURES")
    return tuple(one for module in modules_in(kinds) for name in names for one in getattr(module, name, ()))
