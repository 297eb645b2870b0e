"""What is counted of parts of the people adds up to what is counted of all of them."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from eager_otter.core.cells import ColumnGroup, group_from_memberships, make_cells, plan_sets
from eager_otter.core.quantiles import weighted_quantile
from eager_otter.core.same_people import cronbachs_alpha, scale_items, yes_no_items
from eager_otter.core.value_counts import ValueCounts, value_counts


@given(st.integers(0, 10_000), st.integers(2, 60), st.booleans())
def test_items_of_parts_add_up(seed: int, people: int, weighted: bool) -> None:
    rng = np.random.default_rng(seed)
    cut = int(rng.integers(0, people + 1))
    weights = rng.uniform(0.2, 3, people) if weighted else None
    often = rng.integers(0, 3, people).astype(float)
    yes = rng.random((3, people)) < 0.5
    answered = yes | (rng.random((3, people)) < 0.8)
    scores = np.where(answered, rng.integers(1, 6, (3, people)).astype(float), np.nan)

    def of(rows: slice):
        own = None if weights is None else weights[rows]
        return (
            yes_no_items(yes[:, rows], answered[:, rows], own, often[rows]),
            scale_items(scores[:, rows], own, often[rows]),
        )

    whole, first, last = of(slice(None)), of(slice(0, cut)), of(slice(cut, None))
    for one, a, b in zip(whole, first, last, strict=True):
        added = a + b
        for name in one.__dataclass_fields__:
            np.testing.assert_allclose(getattr(added, name), getattr(one, name), rtol=1e-9, atol=1e-9)
    assert (first[0] + last[0]).weighted == whole[0].weighted
    if whole[1].people > 3 and whole[1].total > 1e-6:
        assert cronbachs_alpha(first[1] + last[1]) == pytest.approx(cronbachs_alpha(whole[1]), abs=1e-9)


@given(st.integers(0, 10_000), st.integers(2, 80))
def test_values_of_parts_give_the_quantiles_of_all(seed: int, people: int) -> None:
    rng = np.random.default_rng(seed)
    cut = int(rng.integers(0, people + 1))
    values = np.where(rng.random(people) < 0.1, np.nan, rng.integers(0, 8, people).astype(float))
    weights = rng.integers(1, 5, people).astype(float)
    inside = rng.random((2, people)) < 0.5
    plain = rng.integers(0, 3, people).astype(np.uint8)

    def of(rows: slice) -> ValueCounts:
        groups = [group_from_memberships(inside[:, rows]), ColumnGroup(plain[rows], np.eye(3, dtype=bool))]
        cells = make_cells(groups, plain[rows].size, planned=plan_sets([(2, 4), (3, 3)]))
        w = weights[rows]
        return value_counts(values[rows], cells, (np.ones_like(w), w, w * w))

    added = of(slice(0, cut)) + of(slice(cut, None))
    members = [np.ones(people, bool), *inside, *(plain == k for k in range(3))]
    order = np.argsort(values, kind="stable")
    for q in (0.25, 0.5, 0.9):
        for cut_of, who in zip(added.cuts(np.full(len(members), q)), members, strict=True):
            kept = [k for k in order if who[k] and not np.isnan(values[k])]
            expected = weighted_quantile(values[kept], weights[kept], q)
            assert cut_of.value == expected or (np.isnan(cut_of.value) and np.isnan(expected))
