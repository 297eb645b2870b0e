"""A second way to every figure: plain loops over respondents, written from the definitions, no code of ours."""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt

from scipy import stats

Person = tuple[float, set[int], bool]  # weight, columns the person is in, whether the answer was given


def percent(people: Sequence[Person], column: int) -> float:
    inside = [(w, y) for w, columns, y in people if column in columns]
    return 100 * sum(w for w, y in inside if y) / sum(w for w, _ in inside)


def effective(people: Sequence[Person], column: int) -> float:
    w = [w for w, columns, _ in people if column in columns]
    return sum(w) ** 2 / sum(x * x for x in w)


def proportion_test(people: Sequence[Person], a: int, b: int) -> tuple[float, float]:
    """z and P of two columns: pooled where they share nobody, linearised where they do."""
    p1, p2 = percent(people, a) / 100, percent(people, b) / 100
    e1, e2 = effective(people, a), effective(people, b)
    p = (e1 * p1 + e2 * p2) / (e1 + e2)
    if any({a, b} <= columns for _, columns, _ in people):
        total = [sum(w for w, columns, _ in people if c in columns) for c in (a, b)]
        variance = sum(
            w**2 * (y - p) ** 2 * ((a in columns) / total[0] - (b in columns) / total[1]) ** 2
            for w, columns, y in people
        )
    else:
        variance = p * (1 - p) * (1 / e1 + 1 / e2)
    if variance <= 0 or not 0 < p < 1:
        return float("nan"), float("nan")
    z = (p1 - p2) / sqrt(variance)
    return z, 2 * float(stats.norm.sf(abs(z)))


Valued = tuple[float, set[int], float]  # weight, columns, value


def moments(people: Sequence[Valued], column: int) -> tuple[float, float, float]:
    """Mean, variance and effective number of values of a column."""
    inside = [(w, s) for w, columns, s in people if column in columns]
    total = sum(w for w, _ in inside)
    mean = sum(w * s for w, s in inside) / total
    n = len(inside)
    variance = sum(w * (s - mean) ** 2 for w, s in inside) / total * n / (n - 1)
    return mean, variance, total**2 / sum(w * w for w, _ in inside)


def mean_test(people: Sequence[Valued], a: int, b: int) -> tuple[float, float]:
    """t and P of two columns: Welch on effective numbers, linearised where they share people."""
    m1, v1, e1 = moments(people, a)
    m2, v2, e2 = moments(people, b)
    part1, part2 = v1 / e1, v2 / e2
    variance = part1 + part2
    if any({a, b} <= columns for _, columns, _ in people):
        total = [sum(w for w, columns, _ in people if c in columns) for c in (a, b)]
        k1, k2 = sqrt(e1 / (e1 - 1)), sqrt(e2 / (e2 - 1))

        def terms(columns: set[int], s: float) -> tuple[float, float]:
            return k1 * (a in columns) * (s - m1) / total[0], k2 * (b in columns) * (s - m2) / total[1]

        pairs = [(w, *terms(columns, s)) for w, columns, s in people]
        variance = sum(w * w * (x - y) ** 2 for w, x, y in pairs)
        part1, part2 = sum(w * w * x * x for w, x, _ in pairs), sum(w * w * y * y for w, _, y in pairs)
    df = (part1 + part2) ** 2 / (part1**2 / (e1 - 1) + part2**2 / (e2 - 1))
    t = (m1 - m2) / sqrt(variance)
    return t, 2 * float(stats.t.sf(abs(t), df))
