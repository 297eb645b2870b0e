"""Slides and pictures: native charts with the table's figures, tables when asked, templates, linked contents, repeatable bytes."""

from __future__ import annotations

import io
import shutil
import subprocess
from collections.abc import Callable
from dataclasses import replace
from itertools import combinations
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
import pytest
from PIL import Image
from pptx import Presentation
from pptx.enum.chart import XL_CHART_TYPE
from pptx.util import Inches

import eager_otter as otter
from eager_otter.looks.theme import STANDARD
from eager_otter.plan.plan import SlideRules
from eager_otter.plan.reading import only_tables
from eager_otter.report.chart_spec import chart_of
from eager_otter.tables.texts import cell_text

Run = Callable[..., tuple[int, str, str]]
NAMES = ["heard_of", "liking", "ratings-side-by-side", "spend"]


@pytest.fixture(scope="module")
def part(demo: Path) -> otter.Report:
    return otter.run(only_tables(otter.read_plan(demo / "plan.yaml"), NAMES))


@pytest.fixture(scope="module")
def trend(demo: Path) -> otter.Report:
    return otter.run(only_tables(otter.read_plan(demo / "shapes.yaml"), ["trend", "one-net", "transition"]))


# Machado, Oliveira & Fernandes (2009): what eyes without one kind of cone see of linear RGB.
SEEN_BY = {
    "protanopia": [[0.152286, 1.052583, -0.204868], [0.114503, 0.786281, 0.099216], [-0.003882, -0.048116, 1.051998]],
    "deuteranopia": [[0.367322, 0.860646, -0.227968], [0.280085, 0.672501, 0.047413], [-0.011820, 0.042940, 0.968881]],
    "tritanopia": [[1.255528, -0.076749, -0.178779], [-0.078411, 0.930809, 0.147602], [0.004733, 0.691367, 0.303900]],
}  # fmt: skip


@pytest.mark.parametrize("eyes", SEEN_BY)
@pytest.mark.parametrize("colours", [STANDARD.palette, STANDARD.ramp(5)], ids=["palette", "scale"])
def test_colours_are_told_apart_by_eyes_that_see_few(eyes: str, colours: tuple[str, ...]) -> None:
    def lab(colour: str) -> np.ndarray:  # CIE 1976 L*a*b*, white of D65
        parts = np.array([int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5)])
        linear = np.where(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055) ** 2.4)
        seen = np.clip(np.array(SEEN_BY[eyes]) @ linear, 0, 1)
        xyz = [[0.4124564, 0.3575761, 0.1804375], [0.2126729, 0.7151522, 0.0721750], [0.0193339, 0.1191920, 0.9503041]] @ seen  # fmt: skip
        x, y, z = np.cbrt(xyz / np.array([0.95047, 1.0, 1.08883]))
        return np.array([116 * y - 16, 500 * (x - y), 200 * (y - z)])

    apart = [float(np.linalg.norm(lab(a) - lab(b))) for a, b in combinations(colours, 2)]
    assert min(apart) > (30 if colours == STANDARD.palette else 15)


def test_a_table_draws_itself_in_a_notebook(survey: otter.Survey, tmp_path: Path) -> None:
    chart = survey.table("heard_of", banner="wave").chart()
    with Image.open(io.BytesIO(chart._repr_png_())) as picture:  # type: ignore[attr-defined]
        assert picture.size == (1280, 800)
    path = chart.save(tmp_path / "h.svg")
    text = path.read_text(encoding="utf-8")
    assert "Tarn" in text and "85% A" in text and "Base (unweighted), Wave: Spring" in text
    with pytest.raises(otter.RequestError, match="holds no percents, means or scores to draw"):
        survey.table("spend", figures=["median"]).chart()


def test_each_table_has_a_native_chart_of_its_figures(part: otter.Report, tmp_path: Path) -> None:
    (path,) = part.save(tmp_path / "t.pptx")
    slides = list(Presentation(str(path)).slides)
    assert slides[0].shapes.title.text == part.title and slides[1].shapes.title.text == "Contents"
    targets = [shape.click_action.target_slide for shape in slides[1].shapes if shape.click_action.target_slide is not None]  # fmt: skip
    method = [slide for slide in slides if slide.shapes.title.text.startswith("Method")]
    told = "".join(shape.text_frame.text for slide in method for shape in slide.shapes)
    assert all(one.text in told for some in part.method for one in some.statements)
    slides = [slide for slide in slides if slide not in method]
    assert [slide.slide_id for slide in targets] == [slide.slide_id for slide in slides[2:]]
    kinds = [XL_CHART_TYPE.BAR_CLUSTERED, XL_CHART_TYPE.BAR_STACKED_100, XL_CHART_TYPE.BAR_STACKED_100, XL_CHART_TYPE.BAR_CLUSTERED]  # fmt: skip
    by_id = {table.title: table for table in part.tables}
    found = []
    for slide in slides[2:]:
        table = by_id[slide.shapes.title.text]
        chart = next(shape.chart for shape in slide.shapes if shape.has_chart)
        found.append(chart.chart_type)
        spec = chart_of(table)
        assert spec is not None and [series.name for series in chart.plots[0].series] == [
            s.name for s in spec.series
        ]
        for series, own in zip(chart.plots[0].series, spec.series, strict=True):
            assert tuple(series.values) == pytest.approx(
                [value / (100 if spec.percent else 1) for value in own.values]
            )
        words = "\n".join(shape.text_frame.text for shape in slide.shapes if shape.has_text_frame)
        assert "Base: " in words and "Base (unweighted)" in words
        assert (chart.value_axis.minimum_scale or 0) == 0
    order = [kinds[NAMES.index(table.id)] for table in part.tables]
    assert found == order


def test_a_chart_shows_the_cells_of_its_table(part: otter.Report, trend: otter.Report) -> None:
    bars = chart_of(part.table("heard_of"))
    table = part.table("heard_of")
    assert bars is not None and [series.name for series in bars.series] == ["Spring (A)", "Autumn (B)"]
    for place, column in enumerate(("Spring", "Autumn")):
        k = table.column_position(column)
        lines = [line for line in table.lines if line.kind == "answer"]
        assert bars.series[place].texts == tuple(cell_text(table, line, k) for line in lines)
        assert bars.series[place].letters == tuple(line.letters[k] for line in lines)
    stacked = chart_of(part.table("ratings-side-by-side"))
    assert stacked is not None and stacked.kind == "stacked bars" and len(stacked.categories) == 4
    sums = np.sum([series.values for series in stacked.series], axis=0)
    np.testing.assert_allclose(sums.astype(float), 100)
    lines_chart = chart_of(trend.table("trend"))
    assert lines_chart is not None and lines_chart.kind == "lines"
    assert lines_chart.categories == ("Spring (A)", "Autumn (B)")  # no column of differences
    moves = chart_of(trend.table("transition"))
    assert moves is not None and moves.kind == "bars"


def test_low_bases_and_withheld_columns_are_marked_in_charts(survey: otter.Survey) -> None:
    rules = otter.BaseRules(mark=600, withhold=500)
    spec = chart_of(survey.table("heard_of", banner="region", bases=rules))
    assert spec is not None
    assert [series.name for series in spec.series] == ["North (A)", "East (B)*", "South (C)", "West (D) ··"]
    assert set(spec.series[3].values) == {None} and any(
        note.startswith("* base below 600") for note in spec.notes
    )


def test_tables_instead_of_charts_and_a_template_of_ones_own(part: otter.Report, tmp_path: Path) -> None:
    own = Presentation()
    own.slide_width, own.slide_height = Inches(11), Inches(7)
    own.save(str(tmp_path / "house.pptx"))
    assert part.plan is not None
    rules = SlideRules(template=tmp_path / "house.pptx", show="table")
    report = replace(part, plan=replace(part.plan, slides=rules))
    (path,) = report.save(tmp_path / "t.pptx")
    deck = Presentation(str(path))
    assert deck.slide_width == Inches(11)
    cells = set()
    for slide in deck.slides:
        for shape in slide.shapes:
            if shape.has_table:
                cells |= {cell.text for row in shape.table.rows for cell in row.cells}
    for table in part.tables:
        for line in table.lines:
            assert line.label in {cell.strip() for cell in cells}
            for k in range(len(table.columns)):
                assert f"{cell_text(table, line, k)} {line.letters[k]}".strip() in cells
    (tmp_path / "broken.pptx").write_bytes(b"no zip")
    broken = replace(part, plan=replace(part.plan, slides=SlideRules(template=tmp_path / "broken.pptx")))
    with pytest.raises(otter.FileProblem, match=r"is not a \.pptx template"):
        broken.save(tmp_path / "u.pptx")
    assert not (tmp_path / "u.pptx").exists()


@pytest.mark.slow
def test_slides_repeat_to_the_byte_and_open_in_an_office_program(part: otter.Report, tmp_path: Path) -> None:
    one, two = part.save(tmp_path / "a.pptx")[0], part.save(tmp_path / "b.pptx")[0]
    assert one.read_bytes() == two.read_bytes()
    if shutil.which("soffice"):
        command = ["soffice", "--headless", f"-env:UserInstallation=file://{tmp_path}/profile", "--convert-to", "pdf", "a.pptx"]  # fmt: skip
        subprocess.run(command, cwd=tmp_path, check=True, capture_output=True, timeout=180)
        from pypdf import PdfReader

        pages = [page.extract_text() for page in PdfReader(tmp_path / "a.pdf").pages]
        assert len(pages) == 3 + len(part.tables) and "Skerrow" in "".join(pages)


def test_survey_text_is_only_text_in_slides(small: Callable[..., otter.Survey], tmp_path: Path) -> None:
    evil = '<a:t>&amp; "x" ]]> =1+1'
    survey = small(
        f"questions:\n  q: {{kind: single, text: '{evil}', answers: {{1: '{evil}', 2: '<b>'}}}}\n",
        q=[1, 2] * 9,
    )
    report = otter.Report(title=evil, tables=(survey.table("q"),), source=survey.source)
    slides = list(Presentation(str(report.save(tmp_path / "t.pptx")[0])).slides)
    chart = next(shape.chart for shape in slides[2].shapes if shape.has_chart)
    assert slides[0].shapes.title.text == evil and list(chart.plots[0].categories) == [evil, "<b>"]


def test_pictures_hold_every_label_and_repeat(
    run: Run, demo: Path, part: otter.Report, tmp_path: Path
) -> None:
    plan = ["--plan", demo / "plan.yaml", "--folder", tmp_path]
    code, out, _ = run("chart", "heard_of", "liking", *plan, "--format", "svg", cwd=tmp_path)
    assert code == 0 and out == "heard_of.svg\nliking.svg\n"
    first = (tmp_path / "heard_of.svg").read_bytes()
    texts = {"".join(e.itertext()) for e in ElementTree.fromstring(first).iter() if e.tag.endswith("}text")}
    spec = chart_of(part.table("heard_of"))
    assert spec is not None and {spec.title, *spec.categories, *(s.name for s in spec.series)} <= texts
    wanted = {
        f"{t} {letters}".strip() for s in spec.series for t, letters in zip(s.texts, s.letters, strict=True)
    }
    assert wanted <= texts
    run("chart", "heard_of", *plan, "--format", "svg", cwd=tmp_path)
    assert (tmp_path / "heard_of.svg").read_bytes() == first
    with Image.open(part.chart("liking", tmp_path / "l.png")) as picture:
        assert picture.size == (1280, 800)
    with pytest.raises(otter.RequestError, match=r"charts are written as \.png or \.svg"):
        part.chart("liking", tmp_path / "l.gif")


@pytest.mark.parametrize("place", ["beside", "below"])
@pytest.mark.slow
def test_a_native_table_has_the_looks_of_the_theme_and_all_notes_for_the_speaker(
    part: otter.Report, tmp_path: Path, place: str
) -> None:
    assert part.plan is not None
    plan = replace(part.plan, slides=SlideRules(show="table"))
    theme = replace(part.theme, letters=place, reed="#ABCDEF", letter="#123456")  # type: ignore[arg-type]
    (path,) = replace(part, plan=plan, theme=theme).save(tmp_path / "t.pptx")
    table = part.table("heard_of")
    slides = [s for s in Presentation(str(path)).slides if s.shapes.title.text.startswith(table.title)]
    assert len(slides) == (2 if place == "beside" else 4)
    grid = next(shape.table for shape in slides[0].shapes if shape.has_table)
    assert str(grid.cell(0, 3).fill.fore_color.rgb) == "ABCDEF"
    row = next(row for row in grid.rows if row.cells[0].text == "Fenbubble")
    paragraphs = row.cells[3].text_frame.paragraphs
    assert [p.text for p in paragraphs] == (["55% B"] if place == "beside" else ["55%", "B"])
    assert str(paragraphs[-1].runs[-1].font.color.rgb) == "123456" and paragraphs[-1].runs[-1].font.bold
    for slide in slides:
        assert slide.notes_slide.notes_text_frame.text.split("\n") == [*table.notes, part.provenance]
        foot = slide.shapes[-1].text_frame.text
        assert "Base: " in foot and "Letters: " in foot and "Sorted" not in foot
