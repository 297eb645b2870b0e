"""Tests of a trend over ordered columns: Cochran and Armitage's of shares, its like of means."""

from __future__ import annotations

import numpy as np

from eager_otter.core.arrays import FloatArray, IntArray, effective_base, ratio
from eager_otter.core.means import NO_SPREAD, moments, small_sample
from eager_otter.core.proportions import ALL_OR_NONE, DEGREES_TOLERANCE, SAME_PEOPLE, shares
from eager_otter.core.sums import Sums, ValueSums
from eager_otter.core.tails import two_sided_normal, two_sided_t
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, slots=True, eq=False)
class Over:
    """The columns that a trend runs over: their `columns` (k,), and the place of each in its group, `places` (k,).

    `pairs` (pairs, 2) are places among these columns of those that share people, `sums` (pairs,) where their pair sums
    are.
    """

    columns: IntArray
    places: FloatArray
    pairs: IntArray
    sums: IntArray

    def without(self, out: IntArray) -> Over:
        """Leave some columns out; the others keep their places."""
        kept = ~np.isin(self.columns, out)
        number = np.cumsum(kept) - 1
        inside = kept[self.pairs].all(axis=1)
        return Over(self.columns[kept], self.places[kept], number[self.pairs[inside]], self.sums[inside])


def over_columns(columns: IntArray, overlapping: IntArray) -> Over:
    """Take the columns of a group in their order; `overlapping` (pairs, 2) are those that have pair sums."""
    place = {int(column): k for k, column in enumerate(columns)}
    trends = [
        (place[a], place[b], k) for k, (a, b) in enumerate(overlapping.tolist()) if a in place and b in place
    ]
    numbers = np.array(trends, np.int64).reshape(-1, 3)
    return Over(columns, np.arange(1.0, len(columns) + 1.0), numbers[:, :2], numbers[:, 2])


@dataclass(frozen=True, slots=True, eq=False)
class TrendTests:
    """Tests of a trend. `statistic`, `p_value`, `degrees`, `error`: (rows,), NaN where there is no test.

    The statistic is `slope` / `error`, positive where figures rise; `weights` (columns,) are the a of each column.
    `degrees` is NaN for a z test; `shared` tells that somebody is in two of the columns.
    """

    statistic: FloatArray
    p_value: FloatArray
    degrees: FloatArray
    slope: FloatArray
    error: FloatArray
    weights: FloatArray
    shared: bool


def _weights(effective: FloatArray, places: FloatArray) -> FloatArray:
    """Return a = e (t − Σ e t / Σ e): (columns,)."""
    return np.asarray(effective * (places - (effective * places).sum() / effective.sum()))


def trend_of_shares(answers: Sums, base: Sums, over: Over) -> TrendTests:
    """Test whether the shares of each row rise or fall over columns, two-sided.

    z = Σ a_c p_c / √V, a_c = e_c (t_c − Σ e t / Σ e), p = Σ e_c p_c / Σ e_c, V = p(1 − p) · Σ w² b (Σ a_c x_c / W_c)²:
    Cochran & Armitage's test (Armitage 1955) with effective bases e where nobody is shared. No test (NaN) where the
    pooled share is 0 or 1, or where those shared leave no variance.
    """
    at = over.columns
    share, weight = shares(answers, base)[:, at], base.w[0, at]
    effective = effective_base(base.w, base.w2)[0, at]
    a = _weights(effective, over.places)
    pooled = share @ effective / effective.sum()
    scaled = a / weight
    apart = float((scaled**2 * base.w2[0, at]).sum())
    cross = _across(scaled, base.pair_w2[0], over)
    people = bool(np.any(base.pair_n[0, over.sums] > 0))
    spread = np.where((pooled > ALL_OR_NONE) & (pooled < 1.0 - ALL_OR_NONE), pooled * (1.0 - pooled), np.nan)
    variance = spread * (apart + cross if apart + cross > SAME_PEOPLE * apart else np.nan)
    slope, error = share @ a, np.sqrt(variance)
    z = slope / error
    return TrendTests(z, two_sided_normal(z), np.full_like(z, np.nan), slope, error, a, people)


def trend_of_means(sums: ValueSums, over: Over) -> TrendTests:
    """Test whether the means of a row rise or fall over columns, two-sided.

    t = Σ a_c m_c / √V, V = Σ V_c with V_c = a_c² v_c / e_c or, where people are shared, V = Σ w² b [Σ a_c k_c x_c (s −
    m_c)/W_c]² and V_c its squared parts, k = √(e/(e − 1)); df = (Σ V_c)² / Σ (V_c²/(e_c − 1)). Where a column has no
    deviation, the pooled variance for every v_c, on Σ e − columns degrees of freedom. No test (NaN) where no column has
    a deviation, where those shared leave no variance, or for fewer than 1 degree of freedom.
    """
    at = over.columns
    row_moments = moments(sums)
    mean, v, e = row_moments.mean[0, at], row_moments.variance[0, at], row_moments.effective[0, at]
    weight, a = sums.w[0, at], _weights(e, over.places)
    flat = np.sqrt(v) <= NO_SPREAD * float(row_moments.largest[0, at].max(initial=0.0))
    shared = bool(np.any(sums.pair_n[0, over.sums] > 0))
    if flat.any():
        degrees = float(e.sum()) - len(at)
        pooled = float(((e - 1.0) * v).sum()) / degrees if degrees > 0 else np.nan
        parts = pooled * a**2 / e
        cross = pooled * _across(a / weight, sums.pair_w2[0], over)
    else:
        scaled = a * small_sample(e) / weight
        parts = scaled**2 * sums.w2_squares[0, at] if shared else a**2 * v / e
        cross = _across(scaled, sums.pair_products[0], over)
        degrees = float(ratio(np.array(parts.sum() ** 2), (parts**2 / (e - 1.0)).sum()))
    apart = float(parts.sum())
    enough = not flat.all() and degrees >= 1.0 - DEGREES_TOLERANCE and apart + cross > SAME_PEOPLE * apart
    error = np.array([np.sqrt(apart + cross) if enough else np.nan])
    slope = np.array([float((a * mean).sum())])
    t = slope / error
    df = np.where(np.isnan(t), np.nan, degrees)
    return TrendTests(t, two_sided_t(t, df), df, slope, error, a, shared)


def _across(scaled: FloatArray, pair_sums: FloatArray, over: Over) -> float:
    """Return 2 Σ a_c a_d · (pair sum of c and d) over the pairs that share people; `scaled` is a beside its column."""
    first, second = over.pairs[:, 0], over.pairs[:, 1]
    return 2.0 * float((scaled[first] * scaled[second] * pair_sums[over.sums]).sum())
