"""Tests and corrections as objects: each is whole and named everywhere; a new one is one file."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest

import eager_otter as otter
from eager_otter.core.association import two_way
from eager_otter.core.proportions import PairShares
from eager_otter.core.sums import Sums
from eager_otter.plan.schema import json_schema
from eager_otter.significance import kinds, registry
from eager_otter.significance.method import Order
from eager_otter.significance.registry import (
    association_measures,
    correction,
    corrections,
    mean_test,
    mean_tests,
    median_tests,
    methods_for,
    share_test,
    share_tests,
    trend_tests,
    whole_table_methods,
)

ROOT = Path(__file__).parents[2]
NEW = '''
"""A test of two shares after the arcsine transformation, and Šidák's correction."""

import numpy as np

from eager_otter.significance.method import Correction, ShareTest


class Arcsine(ShareTest):
    name = "arcsine"
    rank = 900
    sentence = "Percents: a z test of two proportions after the arcsine transformation."
    formula = "z = (φ₁ − φ₂) / √(1/e₁ + 1/e₂), φ = 2 arcsin √p."

    def variance(self, pairs):
        gap = pairs.share[:, pairs.first] - pairs.share[:, pairs.second]
        angle = 2 * np.arcsin(np.sqrt(pairs.share))
        apart = (angle[:, pairs.first] - angle[:, pairs.second]) / np.sqrt(1 / pairs.e1 + 1 / pairs.e2)
        return np.where(apart == 0, pairs.pooled_variance, (gap / np.where(apart == 0, 1, apart)) ** 2)

    def parts(self, pairs):
        half = self.variance(pairs) / 2
        return half, half


class Sidak(Correction):
    name = "sidak"
    rank = 900
    sentence = "Šidák"
    short = "Šidák"
    in_page = "(p) => p.map((value) => 1 - (1 - value) ** p.length)"

    def adjust(self, p):
        return 1 - (1 - p) ** (~np.isnan(p)).sum(axis=1, keepdims=True)


TESTS = (Arcsine(),)
CORRECTIONS = (Sidak(),)
'''


def forget() -> None:
    for cached in (registry._methods, registry.share_tests, registry.mean_tests, registry.corrections):
        cached.cache_clear()


@pytest.fixture
def with_new_methods(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    (tmp_path / "arcsine.py").write_text(NEW, encoding="utf-8")
    monkeypatch.setattr(kinds, "__path__", [*kinds.__path__, str(tmp_path)])
    forget()
    yield
    monkeypatch.undo()
    sys.modules.pop(f"{kinds.__name__}.arcsine", None)
    forget()


def test_the_usual_methods_come_first_and_are_those_of_the_settings() -> None:
    rules = otter.TestRules()
    assert (rules.percents, rules.means, rules.adjust) == (
        share_tests()[0].name,
        mean_tests()[0].name,
        corrections()[0].name,
    )
    for methods in (share_tests(), mean_tests(), corrections()):
        assert (
            len({method.name for method in methods})
            == len({method.rank for method in methods})
            == len(methods)
        )


def test_each_method_is_said_shown_documented_and_offered() -> None:
    document = (ROOT / "docs" / "reference" / "figures.md").read_text(encoding="utf-8").casefold()
    schema = str(json_schema("plan"))
    for test in (*share_tests(), *mean_tests()):
        assert test.sentence and test.formula
        assert f"'{test.name}'" in schema and test.name in document
    for trend in trend_tests():
        assert trend.sentence and trend.formula and trend.name.split()[0] in document
    for medians in median_tests():
        assert (
            f"'{medians.name}'" in schema and bool(medians.sentence) == bool(medians.formula) == medians.tests
        )
    assert "mood" in document
    for measure in association_measures():
        assert measure.name.split()[-1].casefold() in document
    for method in whole_table_methods():
        assert (
            method.sentence
            and method.formula
            and method.name.split("-")[0].replace(" ratio", "-ratio").casefold() in document
        )
    for one in corrections():
        assert bool(one.sentence) == one.corrects and one.short and one.in_page
        assert f"'{one.name}'" in schema
        assert not one.corrects or one.short.split("–")[0].casefold() in document


@pytest.mark.parametrize(
    ("setting", "message"),
    [
        ({"percents": "poled"}, "No test of percents 'poled'. Did you mean 'pooled' or 'unpooled'?"),
        ({"means": "welsh"}, "No test of means 'welsh'. Did you mean 'welch'?"),
        ({"adjust": "hommel"}, "No correction 'hommel'. Did you mean 'holm'?"),
    ],
)
def test_unknown_methods_are_told_with_the_nearest_never_taken_for_another(
    setting: dict[str, str], message: str
) -> None:
    with pytest.raises(otter.UnknownName) as error:
        otter.TestRules(**setting)  # type: ignore[arg-type]
    assert str(error.value) == message


def shares_of(p1: float, p2: float, base: float) -> PairShares:
    def sums(*values: float) -> Sums:
        row = np.array([values])
        none = np.zeros((1, 0))
        return Sums(n=row, w=row, w2=row, pair_n=none, pair_w=none, pair_w2=none)

    return PairShares(sums(p1 * base, p2 * base), sums(base, base), np.array([[0, 1]]))


@pytest.mark.parametrize("test", share_tests(), ids=lambda test: test.name)
@pytest.mark.parametrize(("p1", "p2"), [(0.3, 0.5), (0.02, 0.03), (0.0, 0.4), (0.99, 0.7)])
def test_the_parts_of_a_variance_add_up_to_it(test: registry.ShareTest, p1: float, p2: float) -> None:
    pairs = shares_of(p1, p2, 80.0)
    first, second = test.parts(pairs)
    np.testing.assert_allclose(first + second, test.variance(pairs), rtol=1e-12)


@pytest.mark.parametrize("test", mean_tests(), ids=lambda test: test.name)
def test_the_parts_of_a_variance_of_means_add_up_to_it(test: registry.MeanTest) -> None:
    from eager_otter.core.means import PairMeans

    pairs = PairMeans(*(np.array([[value]]) for value in (4.0, 9.0, 30.0, 12.0)))
    first, second = test.parts(pairs)
    np.testing.assert_allclose(first + second, test.variance(pairs), rtol=1e-12)


@pytest.mark.parametrize("rows", ["ordered", "two answers", "none"])
@pytest.mark.parametrize("columns", ["ordered", "two answers", "none"])
@pytest.mark.parametrize("shape", [(2, 2), (3, 3), (2, 5), (4, 2)])
def test_every_table_has_one_fitting_measure_and_one_test(
    shape: tuple[int, int], rows: Order, columns: Order
) -> None:
    fitting = [one for one in association_measures() if one.reason(shape, rows, columns)]
    first = fitting[0].name
    if shape == (2, 2) or "none" in (rows, columns):
        assert first == "Cramér's V"
    else:
        assert first == ("Kendall's τ-b" if shape[0] == shape[1] else "Stuart's τ-c")
    plain = two_way(*[np.full(shape, 10.0)] * 3)
    weighted = two_way(np.full(shape, 10.0), np.full(shape, 10.0), np.full(shape, 14.0))
    for table, name in ((plain, "chi-square"), (weighted, "Rao-Scott")):
        assert next(one.name for one in methods_for(table)) == name
    assert [one.name for one in methods_for(plain)] == ["chi-square", "likelihood ratio"]
    assert [one.name for one in methods_for(weighted)] == ["Rao-Scott"]


def test_a_table_of_one_row_has_no_test() -> None:
    assert not two_way(*[np.array([[3.0, 4.0], [0.0, 0.0]])] * 3).testable


@pytest.mark.usefixtures("with_new_methods")
def test_a_new_test_and_a_new_correction_are_one_file(small: Callable[..., otter.Survey]) -> None:
    rng = np.random.default_rng(5)
    survey = small(
        "questions:\n  area: {kind: single, answers: {1: North, 2: East, 3: South}}\n  q: {kind: single, answers: {1: Yes, 2: No}}\n",
        area=rng.integers(1, 4, 300),
        q=rng.integers(1, 3, 300),
    )
    assert correction("sidak").short == "Šidák" and share_test("arcsine").rank == 900 and mean_test("welch")
    rules = otter.TestRules(percents="arcsine", adjust="sidak")
    (table,) = survey.tables([otter.TableRequest(shows="q", banner={"groups": ["area"]}, tests=rules)])  # type: ignore[arg-type]
    told = " ".join(table.notes)
    assert "after the arcsine transformation" in told and "after Šidák" in told
    line = table.line("Yes")
    assert line.evidence is not None and line.evidence.tested is not None
    tested = line.evidence.tested
    share, size = np.array([table.value("Yes", c, "column percent") for c in ("North", "East", "South")]) / 100, np.array([table.value("Base (unweighted)", c) for c in ("North", "East", "South")])  # fmt: skip
    for k, (a, b) in enumerate([(0, 1), (0, 2), (1, 2)]):
        z = (
            2
            * (np.arcsin(np.sqrt(share[a])) - np.arcsin(np.sqrt(share[b])))
            / np.sqrt(1 / size[a] + 1 / size[b])
        )
        assert tested.tests.statistic[0, k] == pytest.approx(z)
    np.testing.assert_allclose(tested.adjusted[0], 1 - (1 - tested.p_value[0]) ** 3)
    assert "φ = 2 arcsin √p" in str(table.explain("Yes", "North"))
