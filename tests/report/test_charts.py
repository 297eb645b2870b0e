"""Charts of hard data: below zero, long, thin, of many columns and of mixed units; nothing overprints or is clipped."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Callable
from itertools import combinations
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import openpyxl
import pandas as pd
import pytest
from matplotlib import font_manager
from PIL import ImageFont
from pptx import Presentation

import eager_otter as otter
from eager_otter.looks.theme import STANDARD
from eager_otter.plan.reading import only_tables
from eager_otter.report.chart_spec import chart_of, charts_of

Run = Callable[..., tuple[int, str, str]]
LONG = ", ".join(f'l_{k}: "Reason number {k}, which goes on for a while as reasons do"' for k in range(1, 26))
BOOK = f"""
questions:
  wave: {{kind: single, label: Wave, answers: {{1: Spring, 2: Summer, 3: Autumn}}}}
  place: {{kind: single, label: Place, answers: {{1: Hills, 2: Seaside, 3: A very large city}}}}
  shop: {{kind: single, label: Shop, answers: {{{", ".join(f"{k}: Shop {k}" for k in range(1, 11))}}}}}
  why: {{kind: multi, text: Why do you drink it?, columns: {{{LONG}}}}}
  rec:
    kind: grid
    text: Would you recommend it?
    items: {{a: {{column: ra, label: Tarn}}, b: {{column: rb, label: Brookfizz}}, c: {{column: rc, label: Skerrow}}}}
    scale: true
    answers: {{{", ".join(f'{k}: "{k}"' for k in range(11))}}}
    nets: [{{label: Score, difference: {{plus: [9, 10], minus: [0, 1, 2, 3, 4, 5, 6]}}}}]
  glasses: {{kind: number, label: Glasses}}
  liking:
    kind: single
    scale: true
    label: Liking
    answers: {{1: {{label: Poor, score: -2}}, 2: {{label: Fair, score: 0}}, 3: {{label: Good, score: 1}}}}
"""
PLAN = """
data: data.csv
codebook: book.yaml
banners: {main: [wave, place, shop]}
tests: {levels: [95, 80]}
bases: {mark below: 100}
tables:
  - {question: why, chart group: wave}
  - {grid: rec, id: scores, figure: Score, chart group: all}
  - {items: [{question: rec.a, figure: Score}, {question: glasses, figure: mean}, {question: rec.b, figure: Score}], id: mixed, title: Scores and means}
  - {question: liking, id: minus, figures: [mean], chart group: shop}
  - {question: liking, id: scale, chart group: shop}
  - {items: [glasses, {question: glasses, label: Glasses again}], id: twins, title: Two lines on each other}
  - {question: glasses, id: words-only, figures: [median]}
workbook: {charts: true}
"""


@pytest.fixture(scope="module")
def hard(tmp_path_factory: pytest.TempPathFactory) -> otter.Report:
    folder = tmp_path_factory.mktemp("hard")
    rng, n = np.random.default_rng(3), 700
    data = {"wave": rng.integers(1, 4, n), "place": rng.choice([1, 2, 3], n, p=[0.05, 0.35, 0.6]), "shop": rng.integers(1, 11, n)}  # fmt: skip
    data |= {
        f"l_{k}": (rng.random(n) < 0.02 + k / 60 * (1 + (data["place"] == 3))).astype(int)
        for k in range(1, 26)
    }
    data |= {
        f"r{c}": np.clip(rng.normal(4 + 2 * k, 3, n).round(), 0, 10).astype(int) for k, c in enumerate("abc")
    }
    data |= {"glasses": rng.integers(0, 30, n), "liking": rng.choice([1, 2, 3], n, p=[0.5, 0.3, 0.2])}
    pd.DataFrame(data).to_csv(folder / "data.csv", index=False)
    (folder / "book.yaml").write_text(BOOK, encoding="utf-8")
    (folder / "plan.yaml").write_text(PLAN, encoding="utf-8")
    return otter.run(folder / "plan.yaml")


Box = tuple[float, float, float, float]


def boxes(path: Path) -> tuple[dict[str, list[Box]], float, float]:
    """Where each text of a picture stands (left, top, right, bottom), and the picture's width and height, in points."""
    root = ElementTree.fromstring(path.read_bytes())
    _, _, width, height = (float(part) for part in root.attrib["viewBox"].split())
    found: dict[str, list[Box]] = {}
    for one in root.iter():
        if not one.tag.endswith("}text"):
            continue
        style, text = one.attrib["style"], "".join(one.itertext())
        size = float(re.findall(r"([\d.]+)px", style)[0])
        file = font_manager.findfont(
            "DejaVu Sans:bold" if "bold" in style or "700" in style else "DejaVu Sans"
        )
        wide = ImageFont.truetype(file, 100).getlength(text) * size / 100
        place = re.findall(r"translate\(([-\d.]+) ([-\d.]+)\)", one.attrib.get("transform", ""))
        x, y = (float(part) for part in (place[0] if place else (one.attrib["x"], one.attrib["y"])))
        side = re.findall(r"text-anchor: (\w+)", style)
        left = x - {"start": 0.0, "middle": wide / 2, "end": wide}[side[0] if side else "start"]
        found.setdefault(text, []).append((left, y - 0.75 * size, left + wide, y + 0.2 * size))
    return found, width, height


def bars(path: Path) -> list[Box]:
    """Where the bars of a picture stand."""
    corners = [
        [float(number) for number in re.findall(r"-?\d+\.?\d*", one.attrib["d"])]
        for one in ElementTree.fromstring(path.read_bytes()).iter()
        if one.tag.endswith("}path") and "clip-path" in one.attrib and one.attrib["d"].rstrip().endswith("z")
    ]
    return [(min(c[::2]), min(c[1::2]), max(c[::2]), max(c[1::2])) for c in corners if len(c) == 8]


def overlap(one: Box, other: Box) -> bool:
    return one[0] < other[2] and other[0] < one[2] and one[1] < other[3] and other[1] < one[3]


@pytest.mark.parametrize(("table", "group"), [("why", "wave"), ("why", "place"), ("scores", "shop"), ("scores", "wave"), ("minus", "shop"), ("mixed", ""), ("twins", "wave"), ("scale", "place")])  # fmt: skip
def test_no_text_of_a_picture_is_clipped_or_overprinted(
    hard: otter.Report, tmp_path: Path, table: str, group: str
) -> None:
    hard.chart(table, tmp_path / "c.svg", group=group)
    found, width, height = boxes(tmp_path / "c.svg")
    everywhere = [box for some in found.values() for box in some]
    assert all(box[0] >= 0 and box[2] <= width and box[1] >= 0 and box[3] <= height for box in everywhere)
    spec = chart_of(hard.table(table), group)
    assert spec is not None
    labels = {
        series.label(k) for series in spec.series for k in range(len(spec.categories)) if series.label(k)
    }
    if spec.kind != "stacked bars":  # slivers of these carry no figure
        assert labels <= set(found)
    standing = [box for text in labels for box in found.get(text, ())]
    assert not any(overlap(one, other) for one, other in combinations(standing, 2))
    if spec.kind == "bars":
        drawn = bars(tmp_path / "c.svg")
        assert len(drawn) >= len(standing) and not any(overlap(bar, box) for bar in drawn for box in standing)
    names = " ".join(found)
    assert all(word in names for name in spec.categories for word in name.split())
    assert spec.bases in found and (not spec.subtitle or spec.subtitle in found)


def test_the_axis_runs_through_zero_where_figures_are_below_it(hard: otter.Report, tmp_path: Path) -> None:
    paths = hard.save(tmp_path / "t.pptx", tmp_path / "t.xlsx")
    charts = [
        (slide.shapes.title.text, shape.chart)
        for slide in Presentation(str(paths[0])).slides
        for shape in slide.shapes
        if shape.has_chart
    ]
    book = openpyxl.load_workbook(paths[1])
    for name in ("scores", "minus"):
        table = hard.table(name)
        specs = charts_of(table)
        own = [
            chart for title, chart in charts if title == table.title and chart.value_axis.minimum_scale != 0
        ]
        drawn = book[name]._charts
        assert len(drawn) == len(specs) and all(spec.lowest < 0 for spec in specs)
        for spec, chart in zip(specs, drawn, strict=True):
            low, top = chart.y_axis.scaling.min, chart.y_axis.scaling.max
            assert low is None if spec.kind == "lines" else low < spec.lowest and top > spec.highest
            assert chart.x_axis.tickLblPos == "low"
        for chart in own:
            assert chart.value_axis.minimum_scale is None or chart.value_axis.minimum_scale < 0
            assert chart.category_axis.tick_label_position.name == "LOW"


def test_a_chart_says_which_group_it_draws_and_tells_its_bases(hard: otter.Report) -> None:
    table = hard.table("scores")
    by_group = {spec.group: spec for spec in charts_of(table)}
    assert list(by_group) == ["Wave", "Place", "Shop"]
    for group, spec in by_group.items():
        places = [k for k, column in enumerate(table.columns) if column.group == group]
        names = [
            name.split(" (")[0]
            for name in (spec.categories if spec.kind == "lines" else [s.name for s in spec.series])
        ]
        assert names == [table.columns[k].label for k in places] and spec.subtitle == f"by {group}"
        told = ", ".join(f"{table.columns[k].label} {table.lines[0].values[k]:,.0f}" + ("*" if table.lines[0].marks[k] == "low base" else "") for k in places)  # fmt: skip
        assert spec.bases == f"Base (unweighted), {group}: {told}."
    assert chart_of(table, "shop") == by_group["Shop"] and chart_of(table) == by_group["Wave"]
    with pytest.raises(
        otter.UnknownName, match=r"No banner group 'Shp' in table 'scores'. Did you mean 'Shop'"
    ):
        chart_of(table, "Shp")


def test_the_base_of_means_is_that_of_those_with_a_value(small: Callable[..., otter.Survey]) -> None:
    book = "questions:\n  by: {kind: single, label: By, answers: {1: P, 2: Q}}\n  q: {kind: single, scale: true, answers: {1: Low, 2: High, 3: {label: Don't know, score: none}}}\n"
    survey = small(book, by=[1] * 6 + [2] * 5, q=[1, 2, 3, 3, 2, 1, 1, 2, 3, 2, 2])
    spec = chart_of(survey.table("q", banner="by", figures=["mean"]))
    assert spec is not None and spec.bases == "Respondents with a value, By: P 4, Q 4."
    spec = chart_of(survey.table("q", banner="by"))
    assert spec is not None and spec.bases == "Base (unweighted), By: P 6, Q 5."


def test_only_signs_that_are_drawn_are_explained(small: Callable[..., otter.Survey]) -> None:
    """A chart of the Total is not told of letters, and of small columns, that the table alone has."""
    answers = "{1: P, 2: Q, 3: R, 4: S, 5: T, 6: U, 7: V, 8: W}"
    book = f"questions:\n  by: {{kind: single, answers: {answers}}}\n  q: {{kind: single, answers: {{1: 'Yes', 2: 'No'}}}}\n"
    survey = small(
        book, by=[*range(1, 9)] * 8 + [1] * 8, q=[1, 1, 2, 2, 1, 2, 1, 1] * 4 + [1, 2] * 16 + [2] * 8
    )
    table = survey.table("q", banner="by", bases=otter.BaseRules(mark=12))
    total, drawn = chart_of(table), chart_of(table, "by")
    assert total is not None and drawn is not None
    assert total.notes == ("Base: respondents who answered.", "Base (unweighted): Total 72.")
    assert {note.sign for note in table.notes} >= {"*"}
    assert [note.partition(" ")[0] for note in drawn.notes[2:]] == ["Letters:", "*", "–"]
    assert "– nobody." in table.notes and "– nobody." in drawn.notes


def test_units_are_not_mixed_and_what_is_left_out_is_named(hard: otter.Report) -> None:
    spec = chart_of(hard.table("mixed"))
    assert spec is not None and spec.figure == "difference"
    assert {series.name for series in spec.series} == {"Tarn: Score", "Brookfizz: Score"}
    assert "Not drawn, as in other units: Glasses: mean." in spec.notes


def test_scores_are_key_figures_of_items_and_are_those_of_each_item(hard: otter.Report) -> None:
    table = hard.table("scores")
    assert hard.survey is not None
    for code, line in zip("abc", [one for one in table.body if one.figure == "difference"], strict=True):
        alone = hard.survey.table(f"rec.{code}", banner=["wave", "place", "shop"], levels=(95, 80)).line(
            "Score"
        )
        np.testing.assert_allclose(line.values, alone.values)
        assert line.letters == alone.letters and line.kind == "answer"
    assert any(note.startswith("Each row shows the score Score of one item.") for note in table.notes)


def test_more_series_than_colours_are_told_apart() -> None:
    colours = [STANDARD.series_color(k) for k in range(3 * len(STANDARD.palette))]
    assert len(set(colours)) == len(colours)

    def light(colour: str) -> float:
        return sum(int(colour[k : k + 2], 16) for k in (1, 3, 5))

    for k in range(len(STANDARD.palette)):
        plain, lighter, darker = (light(colours[k + n * len(STANDARD.palette)]) for n in range(3))
        assert lighter > plain > darker


def test_a_chart_with_too_many_bars_is_spread_over_slides_on_one_scale(
    hard: otter.Report, tmp_path: Path
) -> None:
    (path,) = hard.save(tmp_path / "t.pptx")
    slides = [
        s for s in Presentation(str(path)).slides if s.shapes.title.text.startswith("Why do you drink it?")
    ]
    charts = [next(shape.chart for shape in slide.shapes if shape.has_chart) for slide in slides]
    assert [s.shapes.title.text for s in slides] == [f"Why do you drink it? ({k} of 3)" for k in (1, 2, 3)]
    spec = chart_of(hard.table("why"), "wave")
    assert spec is not None
    assert [name for chart in charts for name in chart.plots[0].categories] == list(spec.categories)
    assert all(len(chart.plots[0].categories) * len(chart.plots[0].series) <= 30 for chart in charts)
    assert len({chart.value_axis.maximum_scale for chart in charts}) == 1


def test_one_table_that_cannot_be_drawn_does_not_stop_the_others(
    run: Run, hard: otter.Report, tmp_path: Path
) -> None:
    assert hard.plan is not None
    plan = ("--plan", str(hard.plan.path), "--folder", "new/charts", "--format", "svg")
    code, out, err = run("chart", "nonsense", "words-only", "scores", *plan, cwd=tmp_path)
    names = [f"new/charts/scores-{group}.svg" for group in ("wave", "place", "shop")]
    assert code == 2 and out.splitlines() == names and all((tmp_path / name).is_file() for name in names)
    assert "No table 'nonsense' in the plan." in err
    assert "Table 'words-only' holds no percents, means or scores to draw." in err
    code, out, _ = run("chart", "minus", *plan, "--group", "Place", cwd=tmp_path)
    assert code == 0 and out == "new/charts/minus-place.svg\n"
    code, _, err = run("chart", "nonsense", *plan, cwd=tmp_path)
    assert code == 2 and "No table 'nonsense' in the plan." in err


@pytest.mark.parametrize(
    ("entry", "message"),
    [
        ("{question: why, chart group: wawe}", "plan.yaml:8:34: No banner group 'wawe' in the banner. Did you mean 'Wave'?"),
        ("{grid: rec, as: answers by items, chart group: wave}", "the table has no banner groups, so this would do nothing; take it out."),
    ],
)  # fmt: skip
def test_a_group_that_the_banner_does_not_have_is_told(
    hard: otter.Report, tmp_path: Path, entry: str, message: str
) -> None:
    assert hard.plan is not None
    home = hard.plan.path.parent
    head = (
        PLAN.split("tables:", maxsplit=1)[0]
        .replace("data.csv", f"{home}/data.csv")
        .replace("book.yaml", f"{home}/book.yaml")
    )
    (tmp_path / "plan.yaml").write_text(f"{head}tables:\n  - {entry}\n", encoding="utf-8")
    with pytest.raises(otter.DocumentError) as told:
        otter.read_plan(tmp_path / "plan.yaml")
    assert message in str(told.value)


def test_chart_groups_are_spelled_out_and_read_back(hard: otter.Report, tmp_path: Path) -> None:
    assert hard.plan is not None
    text = otter.plan_text(only_tables(hard.plan, ["scores", "why"]))
    assert "chart group:" in text
    again = otter.plan_from_text(text, hard.plan.path.parent)
    assert [request.chart_groups for request in again.requests] == [("wave",), ("all",)]


def test_the_workbook_has_a_chart_for_each_group_asked_for(hard: otter.Report, tmp_path: Path) -> None:
    (path,) = hard.save(tmp_path / "t.xlsx")
    book = openpyxl.load_workbook(path)
    assert len(book["scores"]._charts) == 3 and len(book["why"]._charts) == 1
    with zipfile.ZipFile(path) as package:
        xml = "".join(package.read(name).decode() for name in package.namelist() if "charts/chart" in name)
    assert all(f"Would you recommend it? – Score – by {group}" in xml for group in ("Wave", "Place", "Shop"))
