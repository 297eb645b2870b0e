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
        thin = min(e1, e2) * min(p, 1 - p) < 5
        variance = sum(
            w**2
            * (p * (1 - p) if thin else (y - p) ** 2)
            * ((a in columns) / total[0] - (b in columns) / total[1]) ** 2
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


Items = tuple[
    float, float | None, float | None
]  # weight, what the person gave to each of two items, None for nothing


def item_share_test(people: Sequence[Items]) -> tuple[float, float, float]:
    """Difference, z and P of two items' shares (values 0 and 1), each on its own base."""
    sides = [[(w, pair[k]) for w, *pair in people if pair[k] is not None] for k in (0, 1)]
    total = [sum(w for w, _ in side) for side in sides]
    share = [sum(w * y for w, y in side) / t for side, t in zip(sides, total, strict=True)]
    e = [t**2 / sum(w * w for w, _ in side) for side, t in zip(sides, total, strict=True)]
    p = (e[0] * share[0] + e[1] * share[1]) / sum(e)
    terms = [
        [0.0 if y is None else w * (y - p) / total[k] for k, y in enumerate(pair)] for w, *pair in people
    ]
    variance = sum((one - other) ** 2 for one, other in terms)
    if min(e) * min(p, 1 - p) < 5:
        crossed = sum(one * other for one, other in terms)
        variance = max(variance, p * (1 - p) * (1 / e[0] + 1 / e[1]) - 2 * crossed)
    if variance <= 1e-12 or not 0 < p < 1:
        return share[0] - share[1], float("nan"), float("nan")
    z = (share[0] - share[1]) / sqrt(variance)
    return share[0] - share[1], z, 2 * float(stats.norm.sf(abs(z)))


def item_mean_test(people: Sequence[Items]) -> tuple[float, float, float]:
    """Difference, t and P of two items' means, each on its own base."""
    sides = [[(w, pair[k]) for w, *pair in people if pair[k] is not None] for k in (0, 1)]
    total = [sum(w for w, _ in side) for side in sides]
    mean = [sum(w * s for w, s in side) / t for side, t in zip(sides, total, strict=True)]
    e = [t**2 / sum(w * w for w, _ in side) for side, t in zip(sides, total, strict=True)]
    k = [sqrt(x / (x - 1)) for x in e]
    variance = sum(
        sum(
            (1, -1)[j] * (0.0 if s is None else k[j] * w * (s - mean[j]) / total[j])
            for j, s in enumerate(pair)
        )
        ** 2
        for w, *pair in people
    )
    t = (mean[0] - mean[1]) / sqrt(variance)
    return mean[0] - mean[1], t, 2 * float(stats.t.sf(abs(t), min(e) - 1))
