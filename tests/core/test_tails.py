"""Tails of distributions against independent ones."""

from __future__ import annotations

import math
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from eager_otter.core.tails import FAR_T, NEAR_T, T_AT_ONCE, two_sided_normal, two_sided_t


@given(st.lists(st.floats(-37.0, 37.0), max_size=6))
def test_the_normal_tail_is_right_to_the_far_end(z: list[float]) -> None:
    array = np.array([z, z])
    assert two_sided_normal(array).shape == array.shape
    exact = [[math.erfc(abs(one) / math.sqrt(2.0)) for one in z]] * 2
    np.testing.assert_allclose(two_sided_normal(array), np.reshape(exact, array.shape), rtol=2e-15)
    np.testing.assert_allclose(two_sided_normal(array), 2 * stats.norm.sf(np.abs(array)), rtol=1e-12)


def test_where_there_is_no_statistic_there_is_no_p() -> None:
    p = two_sided_normal(np.array([math.nan, 0.0, math.inf, -math.inf]))
    assert math.isnan(p[0]) and p[1:].tolist() == [1.0, 0.0, 0.0] and p.dtype == np.float64
    assert two_sided_normal(np.array(0.0)).shape == ()
    assert two_sided_normal(np.zeros((0, 3))).shape == (0, 3)


SIZES = st.floats(0.0, 37.0) | st.sampled_from([0.0, NEAR_T, FAR_T]).flatmap(
    lambda end: st.sampled_from([end, math.nextafter(end, 0.0), math.nextafter(end, 2.0)])
)
FREE = st.floats(0.05, 50.0) | st.floats(50.0, 1e9)


@given(st.lists(st.tuples(SIZES, FREE, st.booleans()), min_size=1, max_size=8))
def test_the_tails_of_t_are_right_to_the_far_end(tests: list[tuple[float, float, bool]]) -> None:
    """Far out the other computation has eleven digits itself."""
    t = np.array([-size if below else size for size, _, below in tests])
    degrees = np.array([free for _, free, _ in tests])
    p = two_sided_t(t, degrees)
    expected = 2.0 * stats.t.sf(np.abs(t), degrees)
    np.testing.assert_allclose(p, expected, rtol=1e-10)
    np.testing.assert_allclose(p[expected > 1e-40], expected[expected > 1e-40], rtol=3e-13)
    assert p.tolist() == two_sided_t(-t, degrees).tolist() and p.max() <= 1.0
    assert two_sided_t(t[:, None], degrees)[:, 0].tolist() == two_sided_t(t, degrees[0]).tolist()


@given(st.floats(0.0, 1e6))
def test_tails_of_t_on_one_two_and_four_degrees_are_those_of_their_formulas(t: float) -> None:
    p = two_sided_t(np.array([t, t, t]), np.array([1.0, 2.0, 4.0]))
    one = 2.0 / math.pi * math.atan2(1.0, t)
    two = 2.0 / (math.hypot(t, math.sqrt(2.0)) * (math.hypot(t, math.sqrt(2.0)) + t))
    root = t / math.hypot(t, 2.0)
    rest = 4.0 / (t * t + 4.0) / (1.0 + root)  # 1 − root
    four = rest * rest * (2.0 + root) / 2.0
    np.testing.assert_allclose(p, [one, two, four], rtol=3e-14)


@given(FREE, st.lists(st.floats(0.0, 37.0), min_size=2, max_size=6, unique=True))
def test_a_larger_t_is_never_less_significant(free: float, sizes: list[float]) -> None:
    p = two_sided_t(np.array(sorted(sizes)), np.array(free))
    assert (np.diff(p) <= 2e-13 * p[:-1]).all()


def test_of_many_tests_each_has_its_own_tails() -> None:
    t = np.linspace(0.0, 8.0, 2 * T_AT_ONCE + 7)
    degrees = np.linspace(500.0, 2.0, t.size)
    np.testing.assert_allclose(two_sided_t(t, degrees), 2.0 * stats.t.sf(t, degrees), rtol=1e-13)


def test_tails_of_t_at_the_ends_and_where_there_are_none() -> None:
    t = np.array([0.0, math.inf, -math.inf, 1e200, math.nan, 1.0, 1.0, 1.0, 2.0])
    degrees = np.array([5.0, 5.0, 1.0, 1.0, 5.0, math.nan, 0.0, -3.0, math.inf])
    p = two_sided_t(t, degrees)
    assert p[:3].tolist() == [1.0, 0.0, 0.0] and 0.0 < p[3] < 1e-140
    assert np.isnan(p[4:8]).all() and p[8] == two_sided_normal(np.array(2.0))
    assert two_sided_t(np.array(2.0), np.array(3.0)).shape == ()
    assert two_sided_t(np.zeros((0, 3)), np.ones(3)).shape == (0, 3)


@pytest.mark.slow
@pytest.mark.parametrize("question", ["heard_of", "liking"])
def test_letters_of_percents_and_means_need_no_library_of_special_functions(
    demo: Path, question: str
) -> None:
    code = (
        "import sys, eager_otter as otter;"
        "survey = otter.open_survey('codebook.yaml', 'responses.csv');"
        "assert any(line.letters != ('',) * len(line.letters) for line in survey.table('QUESTION', 'region').lines);"
        "print('scipy.special' in sys.modules)"
    ).replace("QUESTION", question)
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, cwd=demo)
    assert done.stdout.strip() == "False"
