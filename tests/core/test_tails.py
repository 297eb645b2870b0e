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

from eager_otter.core.tails import two_sided_normal


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


@pytest.mark.slow
def test_a_table_of_percents_needs_no_library_of_special_functions(demo: Path) -> None:
    code = (
        "import sys, eager_otter as otter;"
        "survey = otter.open_survey('codebook.yaml', 'responses.csv');"
        "assert any(line.letters != ('',) * len(line.letters) for line in survey.table('heard_of', 'region').lines);"
        "print('scipy.special' in sys.modules)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, cwd=demo)
    assert done.stdout.strip() == "False"
