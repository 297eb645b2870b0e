"""Tests of two figures of the same people: items side by side, before against after."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, ratio
from eager_otter.core.means import NO_SPREAD, moments
from eager_otter.core.proportions import DEGREES_TOLERANCE, PairTests, two_sided_normal, two_sided_t
from eager_otter.core.sums import Sums


def paired_proportions(differences: Sums) -> PairTests:
    """Test shares of the same people: z = Σwd / √Σw²d², d = 1, 0 or −1 per person.

    `differences` are value sums of d over those with a valid answer to both: any shape. Unweighted it is McNemar's
    test (1947) without continuity correction. NaN where nobody differs.
    """
    mean = moments(differences).mean
    squares = _squares(differences)
    z = ratio(mean * differences.w, np.sqrt(squares))
    return PairTests(z, two_sided_normal(z), np.full_like(z, np.nan), np.ones_like(z, dtype=np.bool_))


def paired_means(differences: Sums) -> PairTests:
    """Test means of the same people: t = mean(d) / √(v/e) on e − 1 degrees of freedom, d one value minus the other.

    `differences` are value sums of d over those with both values: any shape. NaN for a deviation of (almost) 0 or fewer
    than 1 degree of freedom.
    """
    found = moments(differences)
    degrees = found.effective - 1.0
    spread = found.standard_deviation > NO_SPREAD * found.largest
    tested = spread & (degrees >= 1.0 - DEGREES_TOLERANCE)
    degrees = np.where(tested, degrees, np.nan)
    t = np.where(tested, ratio(found.mean, found.standard_error), np.nan)
    return PairTests(t, two_sided_t(t, degrees), degrees, np.ones_like(t, dtype=np.bool_))


def _squares(differences: Sums) -> FloatArray:
    """Σw²d², whatever the values were shifted by."""
    if differences.w2s2 is None or differences.w2s is None:
        raise ValueError("These sums hold no values, only counts.")
    shift = differences.shift
    return np.asarray(differences.w2s2 + 2.0 * shift * differences.w2s + shift**2 * differences.w2)
