"""The notable differences: a planted one leads, chance stays out, thin bases and constructions stay out."""

from __future__ import annotations

import json
from collections.abc import Callable
from html import unescape
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pytest
from pptx import Presentation
from pypdf import PdfReader
from statsmodels.stats.multitest import multipletests
from statsmodels.stats.proportion import proportion_effectsize

import eager_otter as otter
from eager_otter.comparing.manifest import read_manifests
from eager_otter.report.summary import summary_of

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
        f"Tried – Skerrow: {shares[0]:.0%} in South (Area), higher than the {shares[1]:.0%} of everyone else."
    )
    assert first.technical == (
        f"{inside.sum():,} and {(~inside).sum():,} respondents; effect {first.effect:+.2f} (large); "
        "P below 0.0001 after correction"
    )
    everything = report.findings(least=0, level=50, most=None)
    assert not any(one.column == "Area: Isle" for one in everything)
    assert not any(one.table == "area_two" and one.group == "Area" for one in everything)
    effects = [abs(one.effect) for one in everything]
    assert effects == sorted(effects, reverse=True)
    likes = [one for one in everything if one.table == "liking" and one.column == "Wave: Third"]
    assert len(likes) == 1  # rows and mean of a scale say the same once


def test_p_values_are_corrected_for_all_cells_looked_at(folder: Path) -> None:
    from eager_otter.asking.notable import requests_against

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


@pytest.mark.parametrize(
    "more",
    [
        "[tried, liking, area_two, {question: tried, id: again}, {question: liking, id: twice, figures: [mean]}]",
        "[{question: tried, repeat: wave}, liking, area_two]",
        "[tried, liking, area_two, {items: [liking], id: items, figure: mean}, {items: [liking], id: good, figure: Good}]",
    ],
)
def test_findings_do_not_depend_on_repeats(folder: Path, more: str) -> None:
    plan = (folder / "plan.yaml").read_text()
    once = otter.run(folder / "plan.yaml").findings(least=0, most=None, level=50)
    (folder / "plan.yaml").write_text(plan.replace("[tried, liking, area_two]", more))
    again = otter.run(folder / "plan.yaml").findings(least=0, most=None, level=50)
    assert [(one.sentence, one.adjusted) for one in again] == [
        (one.sentence, pytest.approx(one.adjusted, rel=1e-9, abs=0)) for one in once
    ]
    assert len(once) > 1 and max(one.adjusted for one in once) > 0.001


def story(small: Callable[..., otter.Survey], tmp_path: Path, book: str, table: str, **columns: object) -> list[otter.Notable]:  # fmt: skip
    pd.DataFrame(columns).to_csv(tmp_path / "d.csv", index=False)
    (tmp_path / "b.yaml").write_text(book)
    (tmp_path / "p.yaml").write_text(
        f"data: d.csv\ncodebook: b.yaml\nbanners: {{m: [wave]}}\ntables: [{table}]\n"
    )
    return list(otter.run(tmp_path / "p.yaml").findings(least=0.1, most=None))


WAVE = "wave: {kind: single, label: Wave, answers: {1: Spring, 2: Autumn, 3: Winter}}"


def test_one_story_is_told_once(small: Callable[..., otter.Survey], tmp_path: Path) -> None:
    book = f"questions:\n  {WAVE}\n  q: {{kind: multi, label: Tried, columns: {{a: Tarn}}}}\n"
    wave = np.repeat([1, 2, 3], 300)
    ticks = np.concatenate([np.arange(300) < 60, np.arange(300) < 210, np.arange(300) < 120]).astype(int)
    found = story(small, tmp_path, book, "q", wave=wave, a=ticks)
    assert [one.sentence for one in found] == [
        "Tried – Tarn: 70% in Autumn (Wave), higher than the 30% of everyone else."
    ]


def test_a_net_stands_for_its_parts_and_a_score_for_its_answers(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    scale = (
        f"questions:\n  {WAVE}\n  q: {{kind: single, scale: true, label: Liking, answers: {{1: Poor, 2: Fair, 3: Good, 4: Great}}, "
        "nets: [{label: Top two, of: [3, 4]}, {label: Score, difference: {plus: [4], minus: [1]}}]}\n"
    )
    wave = np.repeat([1, 2], 300)
    liking = np.concatenate([np.repeat([2, 3, 4], [150, 135, 15]), np.repeat([1, 3, 4], [105, 45, 150])])
    (one,) = story(small, tmp_path, scale, "q", wave=wave, q=liking)
    assert one.row == "Top two"  # though "Great" went from 5 to 50 %
    multi = (
        f"questions:\n  {WAVE}\n  q: {{kind: multi, label: Tried, columns: {{a: Tarn, b: Brookfizz, c: Skerrow}}, "
        "nets: [{label: Any of ours, of: [a, b]}]}\n"
    )
    half, some = np.arange(300) < 150, np.arange(300) >= 240
    ticks = {
        "a": np.concatenate([np.arange(300) < 60, half]),
        "b": np.concatenate([np.zeros(300, bool), some]),
    }
    found = story(small, tmp_path, multi, "q", wave=wave, **{k: v.astype(int) for k, v in ticks.items()}, c=[0, 1] * 300)  # fmt: skip
    rows = {one.row for one in found}
    assert "Any of ours" in rows and "Tarn" not in rows  # the net differs by more, and to the same side
    ticks["b"] = np.concatenate([some, np.zeros(300, bool)])
    found = story(small, tmp_path, multi, "q", wave=wave, **{k: v.astype(int) for k, v in ticks.items()}, c=[0, 1] * 300)  # fmt: skip
    assert "Tarn" in {one.row for one in found} and "Any of ours" not in {one.row for one in found}


def test_the_main_findings_stand_in_every_output_by_section(run: Run, folder: Path) -> None:
    text = (folder / "plan.yaml").read_text()
    tables = "[{heading: Brands}, tried, {heading: Liking}, liking, area_two]"
    outputs = "[t.xlsx, t.html, t.pdf, t.pptx, t.md]"
    (folder / "plan.yaml").write_text(
        text.replace("[tried, liking, area_two]", tables).replace("[t.xlsx]", outputs)
    )
    code, _, err = run("run", cwd=folder)
    assert code == 0 and "Note:" not in err
    report = otter.run(folder / "plan.yaml")
    sections = summary_of(report)
    assert [section.heading for section in sections] == ["Brands", "Liking"]
    sentences = [one.sentence for section in sections for one in section.findings]
    assert len(sentences) == len(report.notable) == len(set(sentences))
    book = openpyxl.load_workbook(folder / "t.xlsx")
    column = [cell.value for cell in book["Main findings"]["A"]]
    assert [text for text in column if text in sentences] == sentences
    links = [cell.hyperlink.location for cell in book["Main findings"]["B"] if cell.hyperlink]
    assert links == [f"'{one.table}'!A1" for section in sections for one in section.findings]
    page = unescape((folder / "t.html").read_text(encoding="utf-8"))
    slides = list(Presentation(str(folder / "t.pptx")).slides)
    (slide,) = [one for one in slides if one.shapes.title.text == "Main findings"]
    targets = [shape.click_action.target_slide.shapes.title.text for shape in slide.shapes if shape.click_action.target_slide is not None]  # fmt: skip
    assert targets == [one.title for section in sections for one in section.findings]
    told = {
        "pdf": PdfReader(folder / "t.pdf").pages[1].extract_text(),
        "pptx": "\n".join(shape.text_frame.text for shape in slide.shapes),
        "md": (folder / "t.md").read_text(encoding="utf-8").replace("\\", ""),
        "html": page[page.index('id="summary"') :],
    }
    for text in told.values():
        assert all(sentence in text for sentence in sentences) and text.index("Brands") < text.index(
            sentences[-1]
        )
    assert summary_of(report, most=1)[0].findings == report.notable[:1]


def test_a_manifest_is_written_on_request_beside_findings_and_charts(run: Run, folder: Path) -> None:
    code, _, err = run("findings", "-o", "f.csv", "--manifest", cwd=folder)
    manifest = read_manifests(folder / "manifest.json").reports[-1]
    assert code == 0 and err.splitlines()[-1] == "manifest.json" and manifest.outputs[0].file == "f.csv"
    assert [table.id for table in manifest.tables] == ["tried", "liking", "area_two"]
    code, _, err = run("findings", "--manifest", cwd=folder)
    assert code == 2 and err == "Error: --manifest is written beside a file: name one with --output.\n"
    code, _, _ = run("chart", "liking", "--folder", "charts", "--manifest", cwd=folder)
    assert (
        code == 0
        and read_manifests(folder / "charts" / "manifest.json").reports[-1].outputs[0].file == "liking.png"
    )


def test_each_wave_is_set_against_the_one_before(folder: Path) -> None:
    found = otter.run(folder / "plan.yaml").findings(waves="wave", least=0.1)
    assert [(one.table, one.column, one.against) for one in found] == [
        ("liking", "Wave: Third", "Wave: Second")
    ]
    assert found[0].effect > 0.5 and ", up from " in found[0].sentence
    with pytest.raises(otter.UnknownName):
        otter.run(folder / "plan.yaml").findings(waves="waves")


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
    assert code == 0 and [cell.value for cell in sheet["D"][4 : 4 + len(report.notable)]] == [f"{one.sentence} ({one.technical})" for one in report.notable]  # fmt: skip
    assert sheet["C5"].hyperlink.location == "'tried'!A1"
    code, out, _ = run("findings", "--format", "json", "--most", "1", "-o", "f.csv", cwd=folder)
    assert code == 0 and json.loads(out)[0]["row"] == "Skerrow" and len(pd.read_csv(folder / "f.csv")) == 1
    code, out, _ = run("findings", "--least", "3", cwd=folder)
    assert code == 0 and out == "No difference is both significant after correction and large enough.\n"
    code, out, err = run("findings", "-o", "f.txt", cwd=folder)
    assert code == 2 and err == "Error: f.txt: findings are written as .csv or .json.\n"
