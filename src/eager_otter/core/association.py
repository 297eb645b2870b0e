"""Whole-table tests and measures of association of a two-way table whose cells share nobody."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from eager_otter.core.arrays import FloatArray
from eager_otter.core.tails import chi_square_tail, f_tail, two_sided_normal
from eager_otter.dataclass import dataclass

FEW, FEWEST = 5.0, 1.0  # expected counts below these are small


@dataclass(frozen=True, slots=True, kw_only=True)
class WholeTableTest:
    """A test of a whole table.

    `statistic` has `df1` degrees of freedom (chi-square), or `df1` and `df2` (F), NaN where it has none; P is NaN where
    there is no test. `chi_square` is what an F of weighted shares corrects. `small` of the `cells` expected counts are
    below 5, the smallest is `smallest`. `exact` is the P value of Fisher's exact test where the table is 2×2 and
    unweighted and expected counts are too small for chi-square, else NaN.
    """

    method: str
    statistic: float
    df1: float = float("nan")
    df2: float = float("nan")
    p_value: float = float("nan")
    chi_square: float = float("nan")
    small: int = 0
    cells: int = 0
    smallest: float = float("inf")
    exact: float = float("nan")

    @property
    def deciding(self) -> float:
        """The P value that decides: Fisher's where there is one; NaN where neither test can be trusted."""
        if not self.doubtful:
            return self.p_value
        return self.exact

    @property
    def doubtful(self) -> bool:
        """Whether more than 20 % of the expected counts are below 5, or any is below 1."""
        return self.small > 0.2 * self.cells or self.smallest < FEWEST


@dataclass(frozen=True, slots=True, kw_only=True)
class Measure:
    """A measure of association: 0 none, 1 (or −1) perfect. P is NaN where there is none, as for V."""

    name: str
    value: float
    p_value: float


def without_empty(*tables: FloatArray) -> tuple[FloatArray, ...]:
    """Leave out the rows and columns in which the first table has nobody."""
    rows, columns = tables[0].sum(axis=1) > 0, tables[0].sum(axis=0) > 0
    return tuple(table[np.ix_(rows, columns)] for table in tables)


@dataclass(frozen=True, eq=False)
class TwoWay:
    """A table of people (rows, columns): numbers n, weights Σw and Σw², without empty rows and columns."""

    n: FloatArray
    w: FloatArray
    w2: FloatArray

    @property
    def testable(self) -> bool:
        """Whether it has two rows and two columns at least."""
        return bool(min(self.n.shape) >= 2)

    @property
    def weighted(self) -> bool:
        """Whether the weights differ: Σw² · n exceeds (Σw)² only then."""
        total, weight, squares = self.n.sum(), self.w.sum(), self.w2.sum()
        return bool(squares * total > weight**2 * (1.0 + 1e-12))

    @cached_property
    def shares(self) -> FloatArray:
        """The weighted shares of the cells: they add up to 1."""
        return np.asarray(self.w / self.w.sum())

    @cached_property
    def expected(self) -> FloatArray:
        """The numbers of people expected where nothing is associated."""
        return np.asarray(np.outer(self.n.sum(axis=1), self.n.sum(axis=0)) / self.n.sum())

    @cached_property
    def order(self) -> Concordance:
        """The concordant and discordant pairs of two orders."""
        return _concordance(self.shares, self.w2 / self.w.sum() ** 2)


@dataclass(frozen=True, slots=True)
class Concordance:
    """Pairs of people by their order in rows and columns: shares of `more` alike and `less`, every pair twice.

    `untied` is √((1 − Σp_r²)(1 − Σp_c²)); `p_value` that of Brown & Benedetti (1977) under no association.
    """

    more: float
    less: float
    untied: float
    p_value: float

    @property
    def total(self) -> float:
        """Those alike less the others."""
        return self.more - self.less


def two_way(n: FloatArray, w: FloatArray, w2: FloatArray) -> TwoWay:
    """Make a table of people n, weights Σw and Σw² (rows, columns), without its empty rows and columns."""
    return TwoWay(*without_empty(n, w, w2))


def chi_square_test(table: TwoWay, method: str) -> WholeTableTest:
    """Test for association by Pearson's chi-square with (R−1)(C−1) degrees of freedom, for weights that are all equal.

    A 2×2 table whose expected counts are too small has Fisher's exact test as well.
    """
    n, expected = table.n, table.expected
    result = _chi_square_of(table, float(((n - expected) ** 2 / expected).sum()), method)
    return replace(result, exact=_fisher(n)) if n.shape == (2, 2) and result.doubtful else result


def likelihood_ratio_test(table: TwoWay, method: str) -> WholeTableTest:
    """Test for association by G² = 2 Σ O ln(O/E) with (R−1)(C−1) degrees of freedom, for weights that are all equal.

    A cell without anybody adds nothing.
    """
    n = table.n
    of_expected = np.where(n > 0, n, table.expected) / table.expected
    return _chi_square_of(table, float(2.0 * (n * np.log(of_expected)).sum()), method)


def _chi_square_of(table: TwoWay, statistic: float, method: str) -> WholeTableTest:
    """Judge a statistic of an unweighted table that is chi-square where nothing is associated."""
    df = float((table.n.shape[0] - 1) * (table.n.shape[1] - 1))
    return WholeTableTest(
        method=method,
        statistic=statistic,
        df1=df,
        p_value=chi_square_tail(statistic, df),
        chi_square=statistic,
        **expected_counts(table.expected),
    )


def expected_counts(expected: FloatArray) -> dict[str, Any]:
    """Return how many of some expected counts are below 5, how many there are, and the smallest."""
    return {"small": int((expected < FEW).sum()), "cells": expected.size, "smallest": float(expected.min())}


def rao_scott_test(table: TwoWay, method: str) -> WholeTableTest:
    """Test for association by Pearson's chi-square on the weighted shares, corrected for the weights.

    The second-order correction of Rao & Scott (1981, 1984) in the F form of Thomas & Rao (1987).
    """
    people = float(table.n.sum())
    effects = _design_effects(table.w, table.w2, people)
    return corrected_test(people * _phi_square(table.shares), effects, people, table.expected, method)


def corrected_test(
    chi: float, effects: tuple[float, float], people: float, expected: FloatArray, method: str
) -> WholeTableTest:
    """Judge a chi-square of weighted shares: F = X²/tr D, df1 = (tr D)²/tr D², df2 = df1·(n − 1).

    `effects` are tr D and tr D² of the design effects D; no test where tr D is 0. `expected` are the expected counts.
    """
    trace, trace2 = effects
    f = df1 = df2 = p = float("nan")
    if trace > 0:
        f, df1 = chi / trace, trace**2 / trace2
        df2 = df1 * (people - 1.0)
        p = f_tail(f, df1, df2)
    return WholeTableTest(
        method=method,
        statistic=f,
        df1=df1,
        df2=df2,
        p_value=p,
        chi_square=chi,
        **expected_counts(expected),
    )


def cramers_v(table: TwoWay) -> float:
    """Return √(χ²/(N·min(R−1, C−1))) of the weighted shares."""
    return float(np.sqrt(_phi_square(table.shares) / (min(table.n.shape) - 1)))


def _phi_square(p: FloatArray) -> float:
    expected = np.outer(p.sum(axis=1), p.sum(axis=0))
    return float(((p - expected) ** 2 / expected).sum())


def _design_effects(w: FloatArray, w2: FloatArray, n: float) -> tuple[float, float]:
    """Return tr D and tr D²: D compares the covariance of h = p_rc − p_r·p_c with that of simple random sampling."""
    p = w / w.sum()
    rows, columns = p.sum(axis=1), p.sum(axis=0)
    apart = np.eye(len(rows)) - rows[None, :]  # [i, r]: person in row i
    across = np.eye(len(columns)) - columns[None, :]
    h = p - np.outer(rows, columns)
    influence = np.einsum("ir,jc->ijrc", apart, across) - h[None, None]
    r, c = len(rows) - 1, len(columns) - 1
    free = influence[:, :, :r, :c].reshape(-1, r * c)
    cells = (w2 / w.sum() ** 2).reshape(-1, 1)
    covariance = free.T @ (cells * free) * n / (n - 1.0)
    simple = np.kron(
        np.diag(rows[:r]) - np.outer(rows[:r], rows[:r]),
        np.diag(columns[:c]) - np.outer(columns[:c], columns[:c]),
    )
    d = np.linalg.solve(simple / n, covariance)
    return float(np.trace(d)), float(np.trace(d @ d))


def _concordance(p: FloatArray, shares2: FloatArray) -> Concordance:
    concordant, discordant = _pairs(p), _pairs(p[:, ::-1])[:, ::-1]
    d = concordant - discordant
    more, less = float((p * concordant).sum()), float((p * discordant).sum())
    total = more - less
    error = 2.0 * np.sqrt((shares2 * (d - total) ** 2).sum())
    p_value = float(two_sided_normal(np.array(total / error))) if error > 0 else float("nan")
    untied = np.sqrt((1.0 - (p.sum(axis=1) ** 2).sum()) * (1.0 - (p.sum(axis=0) ** 2).sum()))
    return Concordance(more=more, less=less, untied=float(untied), p_value=p_value)


def _pairs(p: FloatArray) -> FloatArray:
    """Add up, for each cell, the shares above and left of it and those below and right of it."""
    sums = np.zeros((p.shape[0] + 1, p.shape[1] + 1))
    sums[1:, 1:] = p.cumsum(axis=0).cumsum(axis=1)
    before = sums[:-1, :-1]
    behind = sums[-1, -1] - sums[1:, -1:] - sums[-1:, 1:] + sums[1:, 1:]
    return np.asarray(before + behind)


def _fisher(n: FloatArray) -> float:
    """Return the two-sided P of Fisher's exact test: all 2×2 tables of the same margins that are no likelier."""
    from scipy.special import gammaln

    (a, b), (c, d) = n.tolist()
    row, column, total = a + b, a + c, a + b + c + d
    first = np.arange(max(0.0, row + column - total), min(row, column) + 1)

    def ways(whole: float, part: FloatArray) -> FloatArray:
        return np.asarray(gammaln(whole + 1) - gammaln(part + 1) - gammaln(whole - part + 1))

    chance = np.exp(ways(row, first) + ways(total - row, column - first) - ways(total, np.array(column)))
    here = chance[int(a - first[0])]
    return float(min(chance[chance <= here * (1.0 + 1e-7)].sum(), 1.0))
