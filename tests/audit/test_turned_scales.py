"""A scale that one wave codes the other way round is told, with what puts it right; other waves may differ as they like."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter import define
from eager_otter.audit.turned import turned_waves
from eager_otter.data import files

SHARES = np.array([0.04, 0.08, 0.18, 0.4, 0.3])
ANSWERS = {1: "Very poor", 2: "Poor", 3: "Fair", 4: "Good", 5: "Very good"}
SLIP = "scale turned round"


def answers(seed: int, people: int, shares: Any = SHARES) -> np.ndarray[Any, Any]:
    return np.random.default_rng(seed).choice(np.arange(1, len(shares) + 1), people, p=shares)


def audited(
    folder: Path, waves: list[np.ndarray[Any, Any]], changes: dict[int, object] | None = None
) -> list[otter.Slip]:
    entries = []
    for k, given_there in enumerate(waves):
        pd.DataFrame({"id": range(k * 10_000, k * 10_000 + len(given_there)), "q": given_there}).to_csv(folder / f"w{k}.csv", index=False)  # fmt: skip
        entries.append({"file": f"w{k}.csv", "label": f"W{k}", **({"changes": changes[k]} if changes and k in changes else {})})  # fmt: skip
    book = otter.codebook_of(
        {"respondent": "id", "questions": {"q": define.Single(answers=ANSWERS, scale=True)}}
    )
    plan = otter.plan_of({"data": {"files": entries}, "tables": ["q"]}, codebook=book, folder=folder)
    return [slip for slip in otter.run_audit(plan).slips if slip.name == SLIP]


def test_a_wave_that_was_coded_from_the_other_end_is_told_and_put_right(tmp_path: Path) -> None:
    waves = [answers(1, 300), answers(2, 300), 6 - answers(3, 300)]
    (slip,) = audited(tmp_path, waves)
    assert slip.where == "q" and "In W2 the answers" in slip.message
    there, elsewhere = (waves[2] == 1).mean(), (np.concatenate(waves[:2]) == 1).mean()
    assert f"(Very poor: {there:.0%} there, {elsewhere:.0%} elsewhere)" in slip.message
    assert "codes: {q: {1: 5, 2: 4, 4: 2, 5: 1}}" in slip.remedy
    assert not audited(tmp_path, waves, {2: {"codes": {"q": {1: 5, 2: 4, 4: 2, 5: 1}}}})


def test_of_two_waves_nobody_can_tell_which(tmp_path: Path) -> None:
    (slip,) = audited(tmp_path, [answers(1, 200), 6 - answers(2, 200)])
    assert "In one of W0, W1 the answers" in slip.message


@pytest.mark.parametrize(
    "waves",
    [
        [answers(1, 200), answers(2, 200), answers(3, 200)],
        [answers(1, 200), answers(2, 200, [0.2, 0.2, 0.2, 0.2, 0.2])],
        [answers(1, 200), answers(2, 200, [0.05, 0.05, 0.6, 0.2, 0.1])],
        [answers(1, 200, [0.3, 0.1, 0.2, 0.1, 0.3]), 6 - answers(2, 200, [0.3, 0.1, 0.2, 0.1, 0.3])],  # no matter
        [answers(1, 200), 6 - answers(2, 40)],  # too few to tell
    ],
)  # fmt: skip
def test_waves_may_differ_otherwise(tmp_path: Path, waves: list[np.ndarray[Any, Any]]) -> None:
    assert not audited(tmp_path, waves)


def test_a_long_file_is_told_of_part_by_part(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    waves = [answers(1, 300), answers(2, 300), 6 - answers(3, 300)]
    at_once = audited(tmp_path, waves)
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(files, "PART_ROWS", 64)
    assert at_once and audited(tmp_path, waves) == at_once


def test_items_of_a_grid_are_told_together_and_a_column_of_waves_will_do(tmp_path: Path) -> None:
    parts = [answers(k, 250) for k in range(4)]
    data = pd.DataFrame({"id": range(500), "wave": [1] * 250 + [2] * 250})
    data["a"] = np.concatenate([parts[0], 6 - parts[1]])
    data["b"] = np.concatenate([parts[2], 6 - parts[3]])
    data["c"] = np.concatenate([parts[0], parts[3]])
    data.to_csv(tmp_path / "d.csv", index=False)
    questions = {
        "wave": define.Single(answers={1: "Spring", 2: "Autumn"}),
        "g": define.Grid(items={name: define.Item(column=name, label=name) for name in "abc"}, answers=ANSWERS, scale=True),
    }  # fmt: skip
    book = otter.codebook_of({"respondent": "id", "questions": questions})
    plan = otter.plan_of({"data": "d.csv", "tables": ["g.a"]}, codebook=book, folder=tmp_path)
    (slip,) = [slip for slip in otter.run_audit(plan).slips if slip.name == SLIP]
    assert slip.where == "g" and "the answers (of g.a, g.b) are spread" in slip.message
    assert slip.remedy == "If so, turn these answers round in the data; else accept this."
    settings = {"data": "d.csv", "filter": "wave == 1", "tables": ["g.a"]}
    one_wave = otter.plan_of(settings, codebook=book, folder=tmp_path)
    assert not [
        slip for slip in otter.run_audit(one_wave).slips if slip.name == SLIP
    ]  # who is left out does not count


@given(
    shares=st.lists(st.integers(1, 100), min_size=4, max_size=11),
    waves=st.integers(3, 6),
    turned=st.integers(0, 5),
    people=st.integers(60, 5_000),
)
def test_a_wave_is_found_where_its_ends_are_apart_and_no_other(
    shares: list[int], waves: int, turned: int, people: int
) -> None:
    spread = np.array(shares) / sum(shares)
    counts = np.rint(np.tile(spread * people, (waves, 1))).astype(np.int64)
    assert turned_waves(counts) == []
    counts[turned % waves] = counts[turned % waves][::-1]
    apart = np.abs(spread - spread[::-1]).sum() / 2  # of a wave and all others
    found = turned_waves(counts)
    if apart > 0.3:
        assert found == [turned % waves]
    elif apart < 0.2:
        assert found == []
