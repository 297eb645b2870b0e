"""The notable differences: a planted one leads, chance stays out, thin bases and constructions stay out."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pytest
from statsmodels.stats.multitest import multipletests
from statsmodels.stats.proportion import proportion_effectsize

import eager_otter as otter

Run = Callable[..., tuple[int, str, str]]
BOOK = """
questions:
  area: {kind: single, label: Area, answers: {1: North, 2: East, 3: South, 4: Isle}}
  wave: {kind: single, label: Wave, answers: {1: First, 2: Second, 3: Third}}
  area_two: {label: Area in two, merge: {of: area, answers: {North and East: [1, 2]}, rest: Else}}
  tried: {kind: multi, label: Tried, columns: {t1: Tarn, t2: Skerrow, t3: Fenbubble}}
  liking: {kind: single, scale: true, label: Liking, answers: {1: Poor, 2: Fair, 3: Good}}
"""
PLAN = """
data: data.csv
codebook: book.yaml
banners: {main: [area, wave]}
bases: {mark below: 40}
tables: [tried, liking, area_two]
findings: 5
outputs: [t.xlsx]
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    rng = np.random.default_rng(4)
    n = 1500
    area = np.where(np.arange(n) < 20, 4, rng.integers(1, 4, n))
    wave = rng.integers(1, 4, n)
    ticks = {f"t{k}": (rng.random(n) < 0.3).astype(int) for k in (1, 2, 3)}
    ticks["t2"] = (rng.random(n) < np.where(area == 3, 0.7, 0.2)).astype(int)
    ticks["t3"][area == 4] = 1  # large, but among twenty
    liking = np.clip(rng.integers(1, 4, n) + (wave == 3) * (rng.random(n) < 0.7), 1, 3)
    pd.DataFrame({"area": area, "wave": wave, **ticks, "liking": liking}).to_csv(
        tmp_path / "data.csv", index=False
    )
    (tmp_path / "book.yaml").write_text(BOOK)
    (tmp_path / "plan.yaml").write_text(PLAN)
    return tmp_path


def test_a_planted_difference_leads_and_thin_or_made_columns_stay_out(folder: Path) -> None:
    report = otter.run(folder / "plan.yaml")
    first = report.findings(least=0)[0]
    data = pd.read_csv(folder / "data.csv")
    inside = data.area == 3
    shares = data.t2[inside].mean(), data.t2[~inside].mean()
    assert (first.table, first.row, first.column) == ("tried", "Skerrow", "Area: South")
    assert (first.value, first.other) == pytest.approx((100 * shares[0], 100 * shares[1]))
    assert first.effect == pytest.approx(proportion_effectsize(*shares)) and first.size == "large"
    assert (first.base, first.other_base) == (inside.sum(), (~inside).sum())
    assert first.sentence == (
        f"Tried – Skerrow: {shares[0]:.0%} in Area: South, higher than {shares[1]:.0%} among everyone else "
        f"({inside.sum():,} and {(~inside).sum():,} respondents), P below 0.0001 after correction"
    )
    everything = report.findings(least=0, level=50, most=None)
    assert not any(one.column == "Area: Isle" for one in everything)
    assert not any(one.table == "area_two" and one.group == "Area" for one in everything)
    effects = [abs(one.effect) for one in everything]
    assert effects == sorted(effects, reverse=True)
    likes = [one for one in everything if one.table == "liking" and one.column == "Wave: Third"]
    assert len(likes) == 1  # rows and mean of a scale say the same once


def test_p_values_are_corrected_for_all_cells_looked_at(folder: Path) -> None:
    from eager_otter.tables.notable import requests_against

    report = otter.run(folder / "plan.yaml")
    assert report.plan and report.survey
    looked_at = []
    for table in report.survey.tables(requests_against(report.plan.requests, "rest")):
        seen = set()
        for line in table.lines:
            if line.evidence is None or line.evidence.tested is None or line.evidence.row in seen:
                continue
            seen.add((line.evidence.row, line.figure))
            tested = line.evidence.tested
            for k, (a, _) in enumerate(tested.comparisons.pairs):
                column = table.counted[a]
                if column.label != "Isle" and not (table.id == "area_two" and column.question == "area"):
                    looked_at.append(tested.p_value[line.evidence.row, k])
    expected = multipletests(looked_at, method="fdr_bh")[1]
    for one in report.findings(least=0, level=50, most=None):
        assert one.adjusted == pytest.approx(expected[looked_at.index(one.p_value)])


def test_each_wave_is_set_against_the_one_before(folder: Path) -> None:
    found = otter.run(folder / "plan.yaml").findings(by="wave", least=0.1)
    assert [(one.table, one.column, one.against) for one in found] == [
        ("liking", "Wave: Third", "Wave: Second")
    ]
    assert found[0].effect > 0.5 and "higher than" in found[0].sentence
    with pytest.raises(otter.UnknownName):
        otter.run(folder / "plan.yaml").findings(by="waves")


def test_where_nothing_differs_hardly_anything_is_found(folder: Path) -> None:
    rng = np.random.default_rng(0)
    data = pd.read_csv(folder / "data.csv")
    found = 0
    for _ in range(20):
        for name in ("t1", "t2", "t3", "liking"):
            data[name] = rng.permutation(data[name])
        data.to_csv(folder / "data.csv", index=False)
        found += bool(otter.run(folder / "plan.yaml").findings(least=0))
    assert found <= 3  # at 95 %, about one report in twenty


def test_findings_stand_in_the_workbook_and_in_the_terminal(run: Run, folder: Path) -> None:
    code, _, _ = run("run", cwd=folder)
    sheet = openpyxl.load_workbook(folder / "t.xlsx")["Findings"]
    report = otter.run(folder / "plan.yaml")
    assert code == 0 and [cell.value for cell in sheet["D"][4 : 4 + len(report.notable)]] == [one.sentence for one in report.notable]  # fmt: skip
    assert sheet["C5"].hyperlink.location == "'tried'!A1"
    code, out, _ = run("findings", "--format", "json", "--most", "1", "-o", "f.csv", cwd=folder)
    assert code == 0 and json.loads(out)[0]["row"] == "Skerrow" and len(pd.read_csv(folder / "f.csv")) == 1
    code, out, _ = run("findings", "--least", "3", cwd=folder)
    assert code == 0 and out == "No difference is both significant after correction and large enough.\n"
    code, out, err = run("findings", "-o", "f.txt", cwd=folder)
    assert code == 2 and err == "Error: f.txt: findings are written as .csv or .json.\n"
