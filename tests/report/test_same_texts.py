"""One table through every output, opened by the programs people use: the same texts everywhere, in either language."""

from __future__ import annotations

import csv
import json
import re
import shutil
import subprocess
from collections.abc import Callable, Iterator
from pathlib import Path

import openpyxl
import pytest
from pptx import Presentation

import eager_otter as otter
from eager_otter.tables.table import Line, Table
from eager_otter.tables.texts import cell_text, line_sign

ENDINGS = ("xlsx", "html", "pdf", "pptx", "csv", "json", "md", "txt")


def squeezed(text: str) -> str:
    return re.sub(r"\s+", "", text)


def row_text(table: Table, line: Line) -> str:
    cells = (cell_text(table, line, k) + line.letters[k] for k in range(len(table.columns)))
    return squeezed(line.label + line_sign(line, table.words) + "".join(cells))


@pytest.fixture(scope="module", params=["en", "de"])
def made(
    request: pytest.FixtureRequest, demo: Path, tmp_path_factory: pytest.TempPathFactory
) -> tuple[otter.Report, Path]:
    folder = tmp_path_factory.mktemp("same")
    (folder / "plan.yaml").write_text(
        f"data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\nlanguage: {request.param}\n"
        "banners: {b: [wave, region]}\ntests: {levels: [95, 90]}\nbases: {mark below: 600, no test below: 480}\n"
        "slides: {show: table}\ntables: [{question: heard_of, sort: down}]\n"
    )
    report = otter.run(folder / "plan.yaml")
    report.save(*(folder / f"t.{ending}" for ending in ENDINGS))
    return report, folder


def rows_of_page(path: Path) -> Iterator[str]:
    chromium = shutil.which("chromium")
    if chromium is None:
        pytest.skip("Chromium is not installed")
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        tab = browser.new_page()
        tab.goto(f"file://{path}")
        yield from tab.eval_on_selector_all("tr, li, h2, p", "found => found.map(one => one.textContent)")
        browser.close()


def rows_of_pdf(path: Path) -> Iterator[str]:
    if shutil.which("pdftotext") is None:
        pytest.skip("pdftotext is not installed")
    done = subprocess.run(["pdftotext", "-layout", path, "-"], capture_output=True, text=True, check=True)
    yield from done.stdout.splitlines()


def rows_of_slides(path: Path) -> Iterator[str]:
    for slide in Presentation(str(path)).slides:
        yield slide.shapes.title.text
        if slide.has_notes_slide:
            yield from slide.notes_slide.notes_text_frame.text.splitlines()
        for shape in slide.shapes:
            if shape.has_text_frame:
                yield from shape.text_frame.text.splitlines()
            if shape.has_table:
                yield from ("".join(cell.text for cell in row.cells) for row in shape.table.rows)


def rows_of_workbook(path: Path) -> Iterator[str]:
    if shutil.which("soffice") is None:
        pytest.skip("LibreOffice is not installed")
    options = "csv:Text - txt - csv (StarCalc):9,34,76,1,,0,false,true,true,false,false,-1"
    profile = f"-env:UserInstallation=file://{path.parent}/profile"
    subprocess.run(
        ["soffice", "--headless", profile, "--convert-to", options, "--outdir", path.parent / "sheets", path],
        check=True, capture_output=True, timeout=180,
    )  # fmt: skip
    text = (path.parent / "sheets" / f"{path.stem}-heard_of.csv").read_text(encoding="utf-8")
    yield from ("".join(row) for row in csv.reader(text.splitlines(), delimiter="\t"))


def rows_of_text(path: Path) -> Iterator[str]:
    for line in path.read_text(encoding="utf-8").splitlines():
        yield line if path.suffix == ".txt" else re.sub(r"^- |^#+ |\||\*\*|\\", "", line)


READERS: dict[str, Callable[[Path], Iterator[str]]] = {
    "html": rows_of_page,
    "pdf": rows_of_pdf,
    "pptx": rows_of_slides,
    "xlsx": rows_of_workbook,
    "md": rows_of_text,
    "txt": rows_of_text,
}


@pytest.mark.parametrize("ending", READERS)
@pytest.mark.slow
def test_one_table_shows_the_same_texts_in_every_output(made: tuple[otter.Report, Path], ending: str) -> None:
    report, folder = made
    (table,) = report.tables
    if ending == "xlsx" and report.words.language != "en":
        pytest.skip("a spreadsheet groups thousands as its own language does")
    rows = [squeezed(row) for row in READERS[ending](folder / f"t.{ending}")]
    for line in table.lines:
        wanted = row_text(table, line)
        if ending == "md":
            wanted = wanted.replace("**", "")  # two stars mark an untested column, and strong text
        assert wanted in [row.replace("**", "") if ending == "md" else row for row in rows]
    together = "".join(rows)
    for text in (table.title, *table.notes_shown(report.notes), report.provenance):
        wanted = squeezed(text)
        assert (
            (wanted.replace("*", "") in together.replace("*", "")) if ending == "md" else (wanted in together)
        )
    marks = {cell_text(table, line, k)[-1:] for line in table.lines for k in range(len(table.columns))}
    assert "*" in marks and any(any(line.letters) for line in table.lines)


def test_records_and_labels_are_the_same_whatever_the_file(made: tuple[otter.Report, Path]) -> None:
    report, folder = made
    (table,) = report.tables
    body = json.loads((folder / "t.json").read_text(encoding="utf-8"))
    assert body["tables"][0]["notes"] == list(table.notes) and body["language"] == report.words.language
    with (folder / "t.csv").open(encoding="utf-8", newline="") as file:
        records = list(csv.DictReader(file))
    assert [r["row"] for r in records] == [r["row"] for r in body["records"]]
    assert {r["column"] for r in records} == {column.label for column in table.columns}
    sheet = openpyxl.load_workbook(folder / "t.xlsx")["heard_of"]
    stub = [cell.value for cell in sheet["A"] if cell.value]
    assert [line.label for line in table.lines] == stub[2 : 2 + len(table.lines)]
