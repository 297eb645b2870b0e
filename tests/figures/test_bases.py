"""Base lines on demand: design effect, efficiency, smallest detectable difference, against people and simulation."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from scipy.stats import norm

import eager_otter as otter
from conftest import by_hand
from eager_otter.figures.registry import base_lines

Small = Callable[..., otter.Survey]
BOOK = """
weight: wt
questions:
  area: {kind: single, answers: {1: North, 2: East, 3: South}}
  q: {kind: single, answers: {1: Yes, 2: No}}
"""
ON_DEMAND = ("design effect", "efficiency", "smallest detectable difference")


def made(
    small: Small, w: np.ndarray, level: float = 95.0, rows: tuple[str, ...] = ON_DEMAND
) -> tuple[otter.Table, np.ndarray]:
    area = np.random.default_rng(4).integers(1, 4, w.size)
    survey = small(BOOK, area=area, q=[1, 2] * (w.size // 2), wt=w)
    request = otter.TableRequest(shows=otter.OneQuestion("q"), banner=otter.Banner(groups=(otter.BannerGroup(question="area"),)), base_rows=rows, levels=(level,))  # fmt: skip
    (table,) = survey.tables([request])
    return table, area


@pytest.mark.parametrize("level", [95.0, 90.0])
def test_they_are_those_of_a_loop_over_people(small: Small, level: float) -> None:
    w = np.random.default_rng(3).uniform(0.3, 3, 240)
    table, area = made(small, w, level)
    for code, name in ((1, "North"), (2, "East"), (3, "South")):
        own, rest = w[area == code], w[area != code]
        effective = own.sum() ** 2 / (own**2).sum()
        assert table.value("Design effect of the weights", name) == pytest.approx(own.size / effective)
        assert table.value("Efficiency of the weights", name) == pytest.approx(100 * effective / own.size)
        variance = sum((part**2).sum() / part.sum() ** 2 for part in (own, rest))
        points = 100 * (norm.ppf(0.5 + level / 200) + norm.ppf(0.8)) * np.sqrt(0.25 * variance)
        assert table.value("Smallest detectable difference", name) == pytest.approx(points)
        told = table.explain("Smallest detectable difference", name)
        assert by_hand(told.worked) == pytest.approx((points, points))
    assert np.isnan(table.value("Smallest detectable difference", "Total"))
    assert next(line for line in str(table).splitlines() if "detectable" in line).split()[3] != "n/a"
    assert any(f"at the {level:g} % level" in note for note in table.notes if "Smallest" in note)


def test_equal_weights_cost_nothing(small: Small) -> None:
    table, _ = made(small, np.full(90, 2.5))
    for name in ("Total", "North", "East", "South"):
        assert table.value("Design effect of the weights", name) == pytest.approx(1.0)
        assert table.value("Efficiency of the weights", name) == pytest.approx(100.0)


def test_a_difference_that_large_is_found_in_four_of_five_samples(small: Small) -> None:
    table, area = made(small, np.ones(900))
    gap = table.value("Smallest detectable difference", "North") / 100
    rng = np.random.default_rng(8)
    inside = area == 1
    chance = np.where(inside, 0.5 + gap * (1 - inside.mean()), 0.5 - gap * inside.mean())
    survey_found = []
    for _ in range(2000):
        yes = rng.random(900) < chance
        p1, p2, p = yes[inside].mean(), yes[~inside].mean(), yes.mean()
        z = (p1 - p2) / np.sqrt(p * (1 - p) * (1 / inside.sum() + 1 / (~inside).sum()))
        survey_found.append(abs(z) >= norm.ppf(0.975))
    assert 0.77 <= np.mean(survey_found) <= 0.83


def test_beyond_100_points_there_is_none(small: Small) -> None:
    survey = small(BOOK, area=[1, 2], q=[1, 2], wt=[1, 1])
    request = otter.TableRequest(shows=otter.OneQuestion("q"), banner=otter.Banner(groups=(otter.BannerGroup(question="area"),)), base_rows=("unweighted base", "smallest detectable difference"))  # fmt: skip
    (table,) = survey.tables([request])
    assert np.isnan(table.value("Smallest detectable difference", "North"))


def test_a_plan_names_them_and_is_spelled_out_with_them(demo: Path, tmp_path: Path) -> None:
    text = (demo / "plan.yaml").read_text(encoding="utf-8")
    head = (
        text.split("tables:")[0]
        .replace("responses.csv", str(demo / "responses.csv"))
        .replace("codebook.yaml", str(demo / "codebook.yaml"))
    )
    head = "\n".join(line for line in head.splitlines() if not line.startswith("bases:"))
    (tmp_path / "plan.yaml").write_text(
        f"{head}\nbases: {{show: [unweighted, design effect]}}\ntables: [liking]\n", encoding="utf-8"
    )
    report = otter.run(tmp_path / "plan.yaml")
    assert report.plan is not None
    assert [line.figure for line in report.tables[0].bases] == ["unweighted base", "design effect"]
    assert "show: [unweighted, design effect]" in otter.plan_text(report.plan)
    usual = [line.name for line in base_lines() if not line.on_demand]
    assert usual == ["unweighted base", "weighted base", "effective base"]
