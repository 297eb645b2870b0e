"""The audit says the same however the data are cut into parts, and by whomever these are gone over."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.audit.auditing import audit_plan
from eager_otter.counting import running
from eager_otter.counting.running import count_share
from eager_otter.data import files, opened
from eager_otter.report.opening import survey_of

BOOK = """
respondent: id
frequency: times
missing: [98]
questions:
  sort: {kind: single, label: Sort, answers: {1: Still, 2: Fine bubbles, 3: Coarse bubbles}}
  tried:
    kind: multi
    label: Tried
    mentions: [m1, m2, m3]
    answers: {1: Tarn, 2: Birk, 3: Fjell, 9: {label: None, exclusive: true}}
  seen: {kind: multi, label: Seen, joined: {column: seen, by: ";"}, answers: {1: Shop, 2: Bar, 3: Train}}
  liked: {kind: multi, label: Liked, columns: {l1: Taste, l2: Price, l3: Bottle}, ticked: [1]}
  glasses: {kind: number, label: Glasses}
  band: {label: Band, bands: {of: glasses, ranges: [1-2, 4-6]}}
  asked: {kind: single, label: Why, answers: {1: Taste, 2: Price}, asked: sort == 1}
  joint: {label: Joint, derive: {Fans: "glasses > 3 and tried mentions any (1, 2)", Others: otherwise}}
  two: {label: Two, merge: {of: sort, answers: {Calm: [1], Lively: [2]}}}
"""
PLAN = """
data: responses.csv
codebook: codebook.yaml
weight: wt
filter: sort <= 3
banners: {b: [sort]}
tables:
  - {question: glasses, id: glasses, banner: b, filter: glasses >= 0}
  - {question: seen, id: seen, banner: b, filter: "glasses > 400"}
"""


def messy(seed: int, people: int) -> pd.DataFrame:
    """Make up answers in which every slip happens now and then."""
    random = np.random.default_rng(seed)

    def of(choices: list[Any], likely: int = 1) -> Any:
        shares = np.array([likely, *[1.0] * (len(choices) - 1)])
        return random.choice(np.array(choices, object), people, p=shares / shares.sum())

    glasses = random.integers(0, 8, people).astype(object)
    glasses[random.random(people) < 0.05] = 99
    weights = np.where(random.random(people) < 0.02, 25.0, 1.0) * random.integers(0, 3, people)
    weights[0] = 1.0
    return pd.DataFrame(
        {
            "id": np.arange(people) + 500,
            "times": random.integers(0, 4, people),
            "wt": weights,
            "sort": of(["1", "2", "3", "98", "", "7"], 3),
            **{f"m{k}": of(["", "1", "2", "9", "98", "6"], 3) for k in (1, 2, 3)},
            "seen": of(["", "1;2", "3;3", "1;98", "5"], 2),
            "l1": of(["0", "1", "", "98"], 3),
            "l2": of(["0", "1", "X"], 9),
            "l3": of(["0", "2", "3", ""], 9),
            "glasses": glasses,
            "asked": of(["", "1", "2", "98"], 2),
        }
    )


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("messy")
    (folder / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    (folder / "plan.yaml").write_text(PLAN, encoding="utf-8")
    return folder


@dataclass
class ByShares:
    """Goes over blocks of parts as other processes would, and adds what they saw."""

    def count(self, one_pass: Any, responses: Any, tell: Any = None) -> Any:
        return reduce(
            one_pass.added, (count_share(one_pass, one) for one in running.shares_of(one_pass, responses))
        )


@given(st.integers(0, 10_000), st.integers(30, 200), st.integers(5, 80), st.booleans())
@settings(max_examples=12)
def test_the_audit_does_not_depend_on_parts(
    folder: Path, seed: int, people: int, rows: int, kept: bool
) -> None:
    messy(seed, people).to_csv(folder / "responses.csv", index=False)
    plan = otter.read_plan(folder / "plan.yaml")
    whole = otter.run_audit(plan)
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", rows)
        patch.setattr(opened, "memory_to_use", lambda: 1 << 30 if kept else 0)
        assert otter.run_audit(plan) == whole
        patch.setattr(files, "IN_PARTS_FROM", 1)
        survey = survey_of(plan)
        assert audit_plan(plan, survey) == whole
        assert audit_plan(plan, survey) == whole  # with the codes that were kept
        if survey.responses.in_parts and people > 4 * rows:
            assert audit_plan(plan, otter.Survey(**{**fields(survey), "runner": ByShares()})) == whole


def fields(survey: otter.Survey) -> dict[str, Any]:
    return {name: getattr(survey, name) for name in survey.__dataclass_fields__}


def test_every_slip_of_a_messy_file_is_counted_as_a_plain_script_counts_it(folder: Path) -> None:
    frame = messy(3, 400)
    frame.to_csv(folder / "responses.csv", index=False)
    audit = otter.run_audit(folder / "plan.yaml")
    frame = frame[frame["sort"].isin(["1", "2", "3"]) & (frame["times"] > 0)]
    mentions = frame[["m1", "m2", "m3"]]
    repeats = mentions.apply(lambda row: len(set(row) - {""}) < sum(text != "" for text in row), axis=1)
    none = (mentions == "9").any(axis=1) & mentions.isin(["1", "2"]).any(axis=1)
    often = frame["times"] * (frame["wt"] > 0)
    mean = (frame["times"] * frame["wt"]).sum() / often.sum()
    band = ~frame["glasses"].isin([1, 2, 4, 5, 6])
    expected = {
        ("same mention twice", "tried"): frame["times"][repeats],
        ("same mention twice", "seen"): frame["times"][frame["seen"] == "3;3"],
        ("none beside others", "tried"): frame["times"][none],
        ("stray tick", "liked"): frame["times"][frame["l2"] == "X"],
        ("tick never found", "liked"): frame["times"][frame["l3"].isin(["2", "3"])],
        ("number far out", "glasses"): frame["times"][frame["glasses"] == 99],
        ("value in no band", "band"): frame["times"][band],
        ("routing broken", "asked"): frame["times"][(frame["asked"] != "") & (frame["sort"] != "1")],
        ("asked but blank", "asked"): frame["times"][(frame["asked"] == "") & (frame["sort"] == "1")],
        ("extreme weight", "wt"): frame["times"][frame["wt"] > 8 * mean],
    }
    found = {(slip.name, slip.where): slip for slip in audit.slips}
    for key, people in expected.items():
        assert found[key].count == people.sum() > 0, key
        first = [f"row {row + 1} (id {row + 500})" for row in people.index[:5]]
        assert list(found[key].respondents) == first, key
    assert ("filter that keeps everyone", "table glasses") in found
    assert ("filter that keeps nobody", "table seen") in found
    lines = {recode.question: [line.count for line in recode.lines] for recode in audit.recodes}
    assert lines["two"] == [frame["times"][frame["sort"] == code].sum() for code in "123"]
