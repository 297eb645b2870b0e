"""Themes, the method, plain and tidy files, and files of other people, which are not overwritten."""

from __future__ import annotations

import base64
import json
import shutil
import subprocess
import sys
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import openpyxl
import pandas as pd
import pytest
from jsonschema import Draft202012Validator
from PIL import Image
from pptx import Presentation

import eager_otter as otter
from conftest import mistakes_told
from eager_otter.gates.outputs import is_ours
from eager_otter.looks.theme import STANDARD, load_theme
from eager_otter.plan.reading import only_tables
from eager_otter.tables.texts import cell_text
from laws import held

Run = Callable[..., tuple[int, str, str]]
ENDINGS = ("xlsx", "html", "pdf", "pptx", "csv", "parquet", "json", "md", "txt")


@pytest.fixture(scope="module")
def part(demo: Path) -> otter.Report:
    return otter.run(only_tables(otter.read_plan(demo / "plan.yaml"), ["heard_of", "liking"]))


def test_tidy_files_of_every_kind_hold_the_same_records(part: otter.Report, tmp_path: Path) -> None:
    part.save(*(tmp_path / f"t.{ending}" for ending in ("csv", "parquet", "json")))
    tidy = pd.read_csv(tmp_path / "t.csv", dtype=str, keep_default_na=False)
    columnar = pd.read_parquet(tmp_path / "t.parquet")
    body = json.loads((tmp_path / "t.json").read_text(encoding="utf-8"))
    assert body["provenance"] == part.provenance and body["tables"][0]["notes"] == list(part.tables[0].notes)
    listed = pd.DataFrame(body["records"])
    names = [name for name in tidy.columns if name != "value"]
    for other in (columnar, listed):
        assert other[names].to_numpy().tolist() == tidy[names].to_numpy().tolist()
    letters = tidy.figure == "letters"
    assert (tidy.value[letters] == "").all() and (tidy.text[letters] != "").all() and letters.any()
    assert (tidy.text[~letters] == "").all()  # numbers stand in `value`, words in `text`, never mixed
    numbers = [float(text) for text in tidy.value[~letters]]
    assert columnar.value[~letters].tolist() == numbers == [float(v) for v in listed.value[~letters]]


@pytest.mark.parametrize("name", ["plan.yaml", "shapes.yaml"])
@pytest.mark.slow
def test_records_are_as_the_written_schema_says(demo: Path, tmp_path: Path, name: str) -> None:
    schema = json.loads(
        (Path(__file__).parents[2] / "docs" / "reference" / "tables.schema.json").read_text(encoding="utf-8")
    )
    otter.run(demo / name).save(tmp_path / "t.json")
    body = json.loads((tmp_path / "t.json").read_text(encoding="utf-8"))
    validator = Draft202012Validator(schema)
    validator.check_schema(schema)
    assert next(validator.iter_errors(body), None) is None and len(body["records"]) > 1000
    assert list(schema["properties"]["records"]["items"]["properties"]) == list(body["records"][0])
    body["records"][0] |= {"mark": "thin"}
    assert not validator.is_valid(body)


def test_plain_text_and_markdown_hold_every_text_and_no_markup_of_labels(
    part: otter.Report, small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    part.save(tmp_path / "t.md", tmp_path / "t.txt")
    pipes = (tmp_path / "t.md").read_text(encoding="utf-8")
    plain = (tmp_path / "t.txt").read_text(encoding="utf-8")
    for table in part.tables:
        for line in table.lines:
            cells = [f"{cell_text(table, line, k)} {line.letters[k]}".strip().replace("<", "\\<").replace("*", "\\*") for k in range(len(table.columns))]  # fmt: skip
            assert " | ".join(cells) in pipes
            assert all(cell_text(table, line, k) in plain for k in range(len(table.columns)))
    survey = small(
        "questions:\n  q: {kind: single, text: '# x | **y**', answers: {1: '<b>|', 2: '[a](b)'}}\n", q=[1, 2]
    )
    report = otter.Report(title="*", tables=(survey.table("q"),), source=survey.source)
    text = report.save(tmp_path / "u.md")[0].read_text(encoding="utf-8")
    assert "\\<b\\>\\|" in text and "\\[a\\](b)" in text and "### 1\\. \\# x \\| \\*\\*y\\*\\*" in text


def test_a_theme_colours_every_output(demo: Path, part: otter.Report, tmp_path: Path) -> None:
    assert load_theme("river", tmp_path) == STANDARD
    Image.new("RGB", (300, 90), "#7a1f5c").save(tmp_path / "logo.png")
    (tmp_path / "house.yaml").write_text('accent: "#7A1F5C"\nsize: 12\npaper: Letter\nlogo: logo.png\n')
    report = replace(part, theme=load_theme("house.yaml", tmp_path))
    assert report.theme.ink == STANDARD.ink
    report.save(*(tmp_path / f"t.{ending}" for ending in ("xlsx", "html", "pdf", "pptx")))
    book = openpyxl.load_workbook(tmp_path / "t.xlsx")
    title = book["heard_of"]["A1"].font
    assert (title.color.rgb, title.size) == ("FF7A1F5C", 16) and len(book["Contents"]._images) == 1
    text = (tmp_path / "t.html").read_text(encoding="utf-8")
    held = base64.b64encode((tmp_path / "logo.png").read_bytes()).decode()
    assert "--river:#7A1F5C" in text and f'src="data:image/png;base64,{held}"' in text
    assert '--font:"Arial"' in text and "img-src data:" in text
    from pypdf import PdfReader

    page = PdfReader(tmp_path / "t.pdf").pages[0]
    assert tuple(page.mediabox[2:]) == (792, 612) and len(page.images) == 1
    first = Presentation(str(tmp_path / "t.pptx")).slides[0]
    assert str(first.shapes.title.text_frame.paragraphs[0].runs[0].font.color.rgb) == "7A1F5C"
    assert any(shape.shape_type == 13 for shape in first.shapes)


def test_fonts_of_a_theme_go_into_pdf_and_pictures(part: otter.Report, tmp_path: Path) -> None:
    from matplotlib import get_data_path
    from pypdf import PdfReader

    for style in ("", "-Bold"):
        shutil.copy(Path(get_data_path()) / "fonts" / "ttf" / f"DejaVuSerif{style}.ttf", tmp_path)
    text = "font: DejaVu Serif\nfont files: {regular: DejaVuSerif.ttf, bold: DejaVuSerif-Bold.ttf}\n"
    (tmp_path / "house.yaml").write_text(text)
    report = replace(part, theme=load_theme("house.yaml", tmp_path))
    report.save(tmp_path / "t.pdf", tmp_path / "t.pptx", tmp_path / "t.xlsx")
    fonts = PdfReader(tmp_path / "t.pdf").pages[1]["/Resources"]["/Font"]  # type: ignore[index]
    names = {str(font.get_object()["/BaseFont"]) for font in fonts.values()}
    assert all("DejaVuSerif" in name for name in names if "+" in name) and len(names) >= 2
    run = Presentation(str(tmp_path / "t.pptx")).slides[2].shapes.title.text_frame.paragraphs[0].runs[0]
    assert (
        run.font.name
        == openpyxl.load_workbook(tmp_path / "t.xlsx")["liking"]["A1"].font.name
        == "DejaVu Serif"
    )
    assert "DejaVu Serif" in report.chart("liking", tmp_path / "l.svg").read_text(encoding="utf-8")


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("font: 'x}</style>'\n", "theme.yaml:1:7: font:"),
        ("font files: {regular: book.txt}\n", "theme.yaml:1:13: font files: a .ttf file that is there was expected; found 'book.txt'."),
        ("ink: red\n", "theme.yaml:1:6: ink:"),
        ("inc: '#000000'\n", "theme.yaml:1:1: unknown key 'inc'. Did you mean 'ink'?"),
        ("logo: nowhere.png\n", "theme.yaml:1:7: logo: a .png or .jpg file that is there was expected; found 'nowhere.png'."),
    ],
)  # fmt: skip
def test_a_mistake_in_a_theme_is_told_before_data_are_read(
    demo: Path, tmp_path: Path, text: str, message: str
) -> None:
    (tmp_path / "theme.yaml").write_text(text)
    assert message in mistakes_told(demo, tmp_path, "theme: theme.yaml")
    told = mistakes_told(demo, tmp_path, "theme: rivver")
    assert "plan.yaml:3:8: theme: No theme 'rivver'. Did you mean 'river'?" in told


def test_the_method_stands_in_workbook_and_page(part: otter.Report, tmp_path: Path) -> None:
    part.save(tmp_path / "t.xlsx", tmp_path / "t.html")
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx")["Method"]
    told = [tuple(cell.value or "" for cell in row) for row in sheet["A4:B99"] if row[0].value]
    wanted = [
        row for one in part.method for row in [(one.title, ""), *((s.text, s.tables) for s in one.statements)]
    ]
    assert told == [*wanted, (part.provenance, "")]
    lines = [text for text, _ in wanted]
    made = [
        int(n.split()[0].replace(",", "")) for t in part.tables for n in t.notes if " tests were made;" in n
    ]
    assert any(line.startswith(f"{sum(made):,} tests were made in all; if nothing differed anywhere, about {sum(made) * 0.1:.0f} ") for line in lines)  # fmt: skip
    page = (tmp_path / "t.html").read_text(encoding="utf-8")
    assert all(line.split("<")[0].split("'")[0] in page for line in lines)


@pytest.mark.slow
def test_a_whole_report_is_known_as_ours_whatever_its_size(report: otter.Report, tmp_path: Path) -> None:
    for path in report.save(*(tmp_path / f"t.{ending}" for ending in ENDINGS)):
        assert is_ours(path), path.name


@pytest.mark.parametrize("ending", ENDINGS)
@pytest.mark.slow
def test_a_foreign_file_is_never_overwritten_silently(
    run: Run, demo: Path, tmp_path: Path, ending: str
) -> None:
    path = tmp_path / f"t.{ending}"
    command = ["run", demo / "plan.yaml", "--only", "wave", "-o", path]
    path.write_bytes(b"somebody's work")
    code, out, err = run(*command, cwd=tmp_path)
    assert code == 2 and out == "" and "does not say that eager-otter made it; it is not overwritten" in err
    assert path.read_bytes() == b"somebody's work"
    assert run(*command, "--force", cwd=tmp_path)[0] == 0
    assert is_ours(path)
    first = path.read_bytes()
    assert (
        run(*command, cwd=tmp_path)[0] == 0 and path.read_bytes() == first
    )  # ours, and the same to the byte


@pytest.mark.parametrize("letters", ["beside", "below", "in cell"])
@pytest.mark.parametrize("sheets", ["per table", "per section", "one"])
@pytest.mark.slow
def test_a_workbook_is_laid_out_as_asked_with_real_numbers_and_working_links(
    demo: Path, tmp_path: Path, sheets: str, letters: str
) -> None:
    from eager_otter.plan.plan import WorkbookRules

    plan = only_tables(otter.read_plan(demo / "plan.yaml"), ["heard_of", "liking", "spend"])
    rules = WorkbookRules(sheets=sheets, letters=letters)  # type: ignore[arg-type]
    report = otter.run(replace(plan, workbook=rules))
    report.save(tmp_path / "t.xlsx")
    book = openpyxl.load_workbook(tmp_path / "t.xlsx")
    expected = {
        "per table": [table.id for table in report.tables],
        "per section": ["Brands", "A new drink", "Drinking and buying"],
        "one": ["Tables"],
    }[sheets]
    assert book.sheetnames == ["Contents", "Method", "All notes", *expected]
    links = [cell.hyperlink.location for cell in book["Contents"]["B"] if cell.hyperlink]
    for table, link in zip(report.tables, links, strict=True):
        name, cell = link.rsplit("!", 1)
        sheet = book[name.strip("'")]
        assert sheet[cell].value == table.title
        top = sheet[cell].row
        rows = {r: sheet.cell(r, 1).value for r in range(top, sheet.max_row + 1)}
        first = {
            line.label: line for line in reversed(table.lines)
        }  # where a row has several figures, the first
        for line in list(first.values())[-8:]:
            row = next(r for r, label in rows.items() if label == line.label)
            numbers = [sheet.cell(row, c).value for c in range(3, sheet.max_column + 1)]
            values = [v for v in numbers if isinstance(v, int | float)]
            assert values == pytest.approx(
                [held(line, k) for k, v in enumerate(line.values) if not np.isnan(v)], rel=1e-14
            )
            shown = [text for text in line.letters if text]
            if letters == "in cell":
                formats = [sheet.cell(row, c).number_format for c in range(3, sheet.max_column + 1)]
                assert [
                    f for f in formats if f.endswith('"') and any(f.endswith(f' {s}"') for s in shown)
                ] or not shown
            else:
                beside = [v for v in numbers if isinstance(v, str) and v not in ("–", "··", "n/a", None)]
                below = [sheet.cell(row + 1, c).value for c in range(3, sheet.max_column + 1)]
                found = beside if letters == "beside" else [v for v in below if isinstance(v, str)]
                assert found == shown or (letters == "below" and not shown)


@pytest.mark.slow
def test_the_audit_stands_in_the_workbook_where_it_is_asked_for(demo: Path, tmp_path: Path) -> None:
    plan = otter.read_plan(demo / "spoiled" / "plan.yaml")
    report = otter.run(replace(plan, audit=True))
    report.save(tmp_path / "t.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx")["Audit"]
    assert report.audit is not None and report.audit.slips
    told = [
        (row[1], row[2], row[3], row[5]) for row in sheet.iter_rows(min_row=5, values_only=True) if row[1]
    ]
    assert told == [(f.name, f.where, f.message, f.count) for f in report.audit.slips]


@pytest.mark.slow
def test_a_pdf_needs_no_drawing_library(demo: Path, tmp_path: Path) -> None:
    script = f"import sys; sys.modules['matplotlib'] = None; import eager_otter; eager_otter.open_survey({str(demo / 'codebook.yaml')!r}, {str(demo / 'responses.csv')!r}).table('liking', 'region').save({str(tmp_path / 'one.pdf')!r})"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "DejaVu" in (tmp_path / "one.pdf").read_bytes().decode("latin-1")
