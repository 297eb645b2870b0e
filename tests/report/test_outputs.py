"""Outputs: the same texts everywhere, real numbers, safe text, nothing half-written, the same bytes twice."""

from __future__ import annotations

import csv
import shutil
import subprocess
import tomllib
import zipfile
from collections.abc import Callable
from dataclasses import replace
from importlib import import_module
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

import numpy as np
import openpyxl
import pandas as pd
import pytest
from openpyxl.utils import column_index_from_string

import eager_otter as otter
from eager_otter.documents.part import fields_of
from eager_otter.gates.outputs import ENDINGS, OUTPUTS
from eager_otter.plan.file import PlanFile
from eager_otter.plan.reading import only_tables
from eager_otter.report import workbook as workbook_writer
from eager_otter.report.chart_spec import chart_of
from eager_otter.report.labels import lines_needed
from eager_otter.tables.table import Table
from eager_otter.tables.texts import cell_text
from laws import held

Write = Callable[..., Path]
FIRST_LINE = 7  # of a table's sheet, counting from 1


@pytest.fixture(scope="module")
def workbook(report: otter.Report, tmp_path_factory: pytest.TempPathFactory) -> Path:
    (path,) = report.save(tmp_path_factory.mktemp("out") / "tables.xlsx")
    return path


def places(table: Table) -> list[int]:
    """Sheet columns (from 1) of the banner's figures: a lettered one has its letters beside it."""
    found = [3]
    for column in table.columns[:-1]:
        found.append(found[-1] + (2 if table.levels and column.letter else 1))
    return found


def first_line(table: Table) -> int:
    return FIRST_LINE + len(table.outer_heads())


@pytest.mark.slow
def test_every_figure_stands_in_the_workbook_as_a_real_number_with_its_letters(
    report: otter.Report, workbook: Path
) -> None:
    book = openpyxl.load_workbook(workbook)
    assert book.sheetnames == [
        "Contents", "Main findings", "Findings", "Method", "All notes", *(table.id for table in report.tables), "Chart data",
    ]  # fmt: skip
    for table in report.tables:
        sheet = book[table.id]
        assert sheet["A1"].value == table.title
        for row, line in enumerate(table.lines, first_line(table)):
            for k, place in enumerate(places(table)):
                value = sheet.cell(row, place).value
                if np.isnan(line.values[k]):
                    assert value == cell_text(table, line, k)
                else:
                    assert value == pytest.approx(held(line, k), rel=1e-14)
                    shown_as_percent = "%" in str(sheet.cell(row, place).number_format).split(";")[-1]
                    if cell_text(table, line, k) != "–":
                        assert shown_as_percent == cell_text(table, line, k).endswith("%")
                if table.columns[k].letter and table.levels:
                    assert (sheet.cell(row, place + 1).value or "") == line.letters[k]
        texts = [cell.value for cell in sheet["A"]]
        assert texts[-1 - len(table.notes_shown()) : -1] == list(table.notes_shown())
        assert set(table.notes) <= {cell.value for cell in book["All notes"]["B"]}
        assert texts[-1] == report.provenance


@pytest.mark.slow
def test_the_contents_link_to_every_sheet_and_back(report: otter.Report, workbook: Path) -> None:
    book = openpyxl.load_workbook(workbook)
    links = [cell.hyperlink.location for cell in book["Contents"]["B"] if cell.hyperlink]
    assert links == [f"'{table.id}'!A1" for table in report.tables]
    assert all(book[table.id]["A2"].hyperlink.location == "'Contents'!A1" for table in report.tables)
    titles = [
        cell.value
        for cell, link in zip(book["Contents"]["C"], book["Contents"]["B"], strict=True)
        if link.hyperlink
    ]
    assert titles == [table.title for table in report.tables]
    headings = [cell.value for cell in book["Contents"]["A"] if isinstance(cell.value, str)]
    assert [text for text in headings if text in {t.heading for t in report.tables}] == list(
        dict.fromkeys(table.heading for table in report.tables)
    )


@pytest.mark.slow
def test_heads_panes_and_print_set_up(report: otter.Report, workbook: Path) -> None:
    table = report.table("heard_of")
    sheet = openpyxl.load_workbook(workbook)["heard_of"]
    heads = [[sheet.cell(row, place).value for place in places(table)] for row in (5, 6)]
    assert heads == [[c.label for c in table.columns], [c.letter or None for c in table.columns]]
    merged = {str(area) for area in sheet.merged_cells.ranges}
    assert {"D4:G4", "H4:O4"} <= merged and sheet["D4"].value == "Wave"
    assert sheet.freeze_panes == "C7"
    assert (
        sheet.page_setup.orientation == "landscape" and sheet.page_setup.fitToHeight is None
    )  # one page, with its chart
    assert sheet.print_title_rows is None and sheet.print_title_cols is None  # one page


def test_heads_and_stub_are_repeated_on_every_page_of_a_large_table(
    survey: otter.Survey, tmp_path: Path
) -> None:
    figures = ["column percent", "count", "row percent", "index"]
    wide = survey.table(
        "heard_of", banner=["wave", "region", "age_band", "user_type", "usual", "income"], figures=figures
    )
    long = survey.table("heard_of", banner="wave", figures=figures)
    report = otter.Report(
        title="x", tables=(replace(wide, id="wide"), replace(long, id="long")), source=survey.source
    )
    (path,) = report.save(tmp_path / "t.xlsx", notes="full")
    book = openpyxl.load_workbook(path)
    assert book["wide"].print_title_cols == "$A:$B" and book["wide"].page_setup.fitToWidth == 2
    assert book["wide"].print_title_rows == book["long"].print_title_rows == "$1:$6"
    assert book["long"].print_title_cols is None


def pixels(sheet: Any, columns: int) -> float:
    """How wide some first columns are: those without a width of their own 64 pixels."""
    own = {k: d.width for d in sheet.column_dimensions.values() for k in range(d.min, d.max + 1)}
    return sum(7 * own[k] + 5 if k in own else 64 for k in range(1, columns + 1))


@pytest.mark.slow
def test_each_chart_in_the_workbook_draws_the_figures_of_its_table(
    report: otter.Report, workbook: Path
) -> None:
    book = openpyxl.load_workbook(workbook)

    def cells(reference: str) -> list[object]:
        found = book["Chart data"][reference.split("!")[1]]
        return [row[0].value for row in found] if isinstance(found, tuple) else [found.value]

    for table in report.tables:
        spec = chart_of(table)
        charts = book[table.id]._charts
        assert len(charts) == (spec is not None)
        for chart in charts:
            assert spec is not None
            last = column_index_from_string(book[table.id].print_area.split("$")[-2])
            assert pixels(book[table.id], last) >= 860  # the whole chart is printed
            assert chart.anchor._from.row > len(table.lines) + len(table.notes_shown())
            kind = {"bars": "BarChart", "stacked bars": "BarChart", "lines": "LineChart"}[spec.kind]
            assert type(chart).__name__ == kind and len(chart.series) == len(spec.series)
            assert getattr(chart, "grouping", "") == ("percentStacked" if spec.kind == "stacked bars" else "standard" if spec.kind == "lines" else "clustered")  # fmt: skip
            for drawn, series in zip(chart.series, spec.series, strict=True):
                assert cells(drawn.val.numRef.f) == [
                    v if v is None else pytest.approx(v / 100 if spec.percent else v, rel=1e-14)
                    for v in series.values
                ]
                assert cells(drawn.cat.strRef.f) == list(spec.categories)
                assert cells(drawn.tx.strRef.f) == [series.name]
    xml = "".join(zipfile.ZipFile(workbook).read(name).decode() for name in zipfile.ZipFile(workbook).namelist() if "charts/chart" in name)  # fmt: skip
    spec = chart_of(report.table("heard_of"))
    assert spec is not None and f"<a:t>{escape(spec.bases)}</a:t>" in xml
    for series in spec.series:
        assert all(
            f"<a:t>{escape(text)} {letters}</a:t>" in xml
            for text, letters in zip(series.texts, series.letters, strict=True)
            if letters
        )


def test_a_chart_of_many_lines_labels_their_ends_and_withheld_columns_stay_blank(
    survey: otter.Survey, demo: Path, tmp_path: Path
) -> None:
    plan = otter.read_plan(demo / "shapes.yaml")
    rules = replace(plan.workbook, charts=True)
    report = otter.run(replace(only_tables(plan, ["one-net"]), workbook=rules))
    (path,) = report.save(tmp_path / "t.xlsx")
    (chart,) = openpyxl.load_workbook(path)["one-net"]._charts
    assert type(chart).__name__ == "LineChart" and len(chart.series) > 4
    with zipfile.ZipFile(path) as package:
        (name,) = [name for name in package.namelist() if name.startswith("xl/charts/chart")]
        xml = package.read(name).decode()
    assert xml.count('<c:idx val="0"/><c:delete val="1"/>') == len(
        chart.series
    )  # all but the last of two points
    assert chart.y_axis.scaling.min == 0

    thin = survey.table("liking", banner="wave", bases=otter.BaseRules(withhold=1_165))
    bare = otter.Report(title="x", tables=(thin,), source=survey.source, plan=replace(plan, workbook=rules))
    (path,) = bare.save(tmp_path / "u.xlsx")
    data = openpyxl.load_workbook(path)["Chart data"]
    assert (data["A3"].value, data["B3"].value) == ("Spring (A) ··", None) and data["B4"].value > 0


@pytest.mark.parametrize(("paper", "number"), [("A4", 9), ("Letter", 1)])
def test_the_paper_of_the_theme_is_printed_on(
    report: otter.Report, tmp_path: Path, paper: str, number: int
) -> None:
    part = replace(report, tables=report.tables[:1], theme=replace(report.theme, paper=paper))  # type: ignore[arg-type]
    (path,) = part.save(tmp_path / "t.xlsx")
    sheets = openpyxl.load_workbook(path).worksheets
    assert {int(sheet.page_setup.paperSize) for sheet in sheets} == {number}


@pytest.mark.skipif(shutil.which("soffice") is None, reason="LibreOffice is not installed")
@pytest.mark.slow
def test_a_spreadsheet_shows_the_texts_that_every_other_output_shows(write: Write, tmp_path: Path) -> None:
    write(
        "book.yaml",
        "weight: w\nquestions:\n  by: {kind: single, label: By, answers: {1: P, 2: Q, 3: Nobody, 4: Few, 5: Thin}}\n"
        "  q: {kind: single, scale: true, answers: {-1: Rare, 0: Never, 1: Usual}}\n",
    )
    people = 1200
    by = np.where(np.arange(people) < 1188, 1 + np.arange(people) % 2, 4 + (np.arange(people) >= 1195))
    q = np.where(np.arange(people) % 301 == 0, -1, 1)
    q[1:1188:2] = np.where(np.arange(594) % 2, 1, -1)
    pd.DataFrame({"by": by, "q": q, "w": 1 + (np.arange(people) % 7) / 13}).to_csv(
        tmp_path / "d.csv", index=False
    )
    plan = "data: d.csv\ncodebook: book.yaml\nbanners: {b: [by]}\nbases: {mark below: 500, no test below: 8, withhold below: 6}\n"
    plan += "tables:\n" + "".join(
        f"  - {{question: q, id: t{d}, digits: {d}, figures: [column percent, count, unweighted count, mean, standard error]}}\n"
        for d in (0, 1, 2)
    )
    plan += "  - {question: q, id: unruled, bases: {}}\n"
    made = otter.run(write("plan.yaml", plan))
    made.save(tmp_path / "t.xlsx")
    options = "csv:Text - txt - csv (StarCalc):9,34,76,1,,0,false,true,true,false,false,-1"
    subprocess.run(
        ["soffice", "--headless", f"-env:UserInstallation=file://{tmp_path}/profile", "--convert-to", options, "t.xlsx"],
        cwd=tmp_path, check=True, capture_output=True, timeout=180,
    )  # fmt: skip
    seen = set()
    for table in made.tables:
        text = (tmp_path / f"t-{table.id}.csv").read_text(encoding="utf-8")
        rows = list(csv.reader(text.splitlines(), delimiter="\t"))
        for line, row in zip(table.lines, rows[FIRST_LINE - 1 :], strict=False):
            texts = [cell_text(table, line, k) for k in range(len(table.columns))]
            assert [row[place - 1] for place in places(table)] == texts
            seen.update(texts)
        shown = repr(table)
        assert all(text in shown for text in texts)
    assert {"–", "n/a", "··", "<1%"} <= seen and any(text.endswith("*") for text in seen)


def test_the_tidy_file_holds_every_figure_at_full_precision(report: otter.Report, tmp_path: Path) -> None:
    (path,) = report.save(tmp_path / "tables.csv")
    tidy = pd.read_csv(path, keep_default_na=False)
    assert list(tidy.columns) == [
        "table", "title", "part", "question", "row", "row_kind", "row_code", "group", "column", "letter", "figure",
        "value", "text", "mark",
    ]  # fmt: skip
    table = report.table("liking")
    own = tidy[(tidy.table == "liking") & (tidy.figure == "column percent") & (tidy.row == "Good")]
    assert [float(value) for value in own.value] == list(table.line("Good", "column percent").values)
    letters = tidy[(tidy.figure == "letters") & (tidy.table == "liking")]
    assert len(letters) == sum(bool(text) for line in table.lines for text in line.letters)
    assert len(table.frame()) == len(tidy[tidy.table == "liking"])


@pytest.mark.slow
def test_two_runs_write_the_same_bytes(demo: Path, tmp_path: Path) -> None:
    plan = only_tables(
        otter.read_plan(demo / "plan.yaml"), ["heard_of", "liking", "ratings-side-by-side", "spend"]
    )
    written = []
    for name in ("one", "two"):
        (tmp_path / name).mkdir()
        made = otter.run(plan)
        paths = made.save(*(tmp_path / name / f"t{ending}" for ending in ENDINGS))
        paths += [made.chart("liking", tmp_path / name / f"c.{kind}") for kind in ("png", "svg")]
        written.append({path.name: path.read_bytes() for path in paths})
    assert len(written[0]) == len(ENDINGS) + 2
    assert [name for name, content in written[0].items() if content != written[1][name]] == []


HOSTILE = [
    "=1+1",
    "+cmd|' /C calc'!A0",
    "@SUM(A1)",
    "<b>&\"'",
    "http://example.org",
    "a\x07b",
    "東京 Łódź 🙂",
    "[bold]",
]


def test_survey_text_stays_text_in_every_output(write: Write, tmp_path: Path) -> None:
    import yaml

    answers = dict(enumerate(HOSTILE, 1))
    book = {
        "questions": {"q": {"kind": "single", "text": "=HYPERLINK(1)", "label": "[red]Q", "answers": answers}}
    }
    codebook = tmp_path / "book.yaml"
    codebook.write_text(yaml.safe_dump(book, allow_unicode=True), encoding="utf-8")
    pd.DataFrame({"q": range(1, 9)}).to_csv(tmp_path / "d.csv", index=False)
    made = otter.run(write("plan.yaml", "data: d.csv\ncodebook: book.yaml\nbanners: {b: [q]}\ntables: [q]\n"))
    made.save(tmp_path / "t.xlsx")
    sheet = openpyxl.load_workbook(tmp_path / "t.xlsx")["q"]
    cells = [cell for row in sheet.iter_rows() for cell in row]
    assert {cell.data_type for cell in cells if cell.value is not None} <= {"s", "n"}
    labels = [cell.value for cell in sheet["A"]][7:15]
    assert labels[:5] == HOSTILE[:5] and labels[6:] == HOSTILE[6:]
    shown = repr(made.table("q"))
    assert "[red]Q" in shown and "[bold]" in shown
    assert "<b>" not in (made.table("q")._repr_html_() or "")


def test_sheet_names_fit_the_format_and_stay_apart(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    names = ["a" * 40, "a" * 40 + "b", "A" * 31, "x/y:z", "'quoted'", "Contents", "history", "?"]
    from eager_otter.report.sheets import Book

    book = Book(tmp_path / "names.xlsx", "t")
    given = [book.sheet(name).name for name in names]
    book.close()
    assert given == [
        "a" * 31, "a" * 27 + " (2)", "A" * 27 + " (3)", "x y z", "quoted", "Contents", "history (2)", "Table",
    ]  # fmt: skip
    assert openpyxl.load_workbook(tmp_path / "names.xlsx").sheetnames == given


@pytest.mark.parametrize(
    "error", [OSError(28, "No space left on device"), ZeroDivisionError("a fault of ours")]
)
def test_what_one_writer_cannot_write_is_as_it_was_and_the_others_are_written(
    report: otter.Report, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, error: Exception
) -> None:
    for name in ("t.csv", "t.xlsx"):
        (tmp_path / name).write_text("before", encoding="utf-8")

    def full(_: object, path: Path) -> None:
        path.write_text("half", encoding="utf-8")
        raise error

    monkeypatch.setattr(workbook_writer, "write", full)
    with pytest.raises(otter.FileProblem if isinstance(error, OSError) else ZeroDivisionError) as caught:
        report.save(tmp_path / "t.csv", tmp_path / "t.xlsx", tmp_path / "t.md", force=True)
    assert sorted(path.name for path in tmp_path.iterdir()) == [
        "t.csv",
        "t.md",
        "t.xlsx",
    ]
    assert (tmp_path / "t.csv").read_text(encoding="utf-8").startswith("table,title,part")
    assert (tmp_path / "t.xlsx").read_text(encoding="utf-8") == "before"
    if isinstance(error, OSError):
        assert str(caught.value) == (
            f"{tmp_path / 't.xlsx'}: cannot be written (No space left on device).\n"
            f"Written all the same: {tmp_path / 't.csv'}, {tmp_path / 't.md'}."
        )


@pytest.mark.parametrize(
    ("name", "message"),
    [
        (
            "t.docx",
            r"t.docx: no output ends in '.docx'. Known endings: .xlsx, .html, .pdf, .pptx, .csv, .parquet, .json, .md, .txt.",
        ),
        ("nowhere/t.xlsx", r"the folder .*nowhere is not there; make it first."),
    ],
)
def test_outputs_that_cannot_be_written_are_told(
    report: otter.Report, tmp_path: Path, name: str, message: str
) -> None:
    with pytest.raises(otter.OtterError, match=message):
        report.save(tmp_path / name)


def test_a_banner_too_large_for_the_format_is_told_and_texts_fit_it(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    from eager_otter.report.sheets import Book

    sheet = Book(tmp_path / "big.xlsx", "t").sheet("s")
    with pytest.raises(otter.RequestError, match="row 1, column 16385 cannot be written"):
        sheet.number(0, 16_384, 1.0, {})
    for row, text in enumerate(("x" * 40_000, "\ud800")):  # cut, and shown: see tests/hostile
        sheet.text(row, 0, text, {})


def test_lines_are_counted_at_blanks() -> None:
    assert [lines_needed(text, 10) for text in ("", "short", "one two three four", "x" * 25)] == [1, 1, 2, 3]


def test_every_output_is_declared_once_and_documented_with_what_it_needs() -> None:
    root = Path(otter.__file__).parents[2]
    document = (root / "docs" / "reference" / "outputs.md").read_text(encoding="utf-8").split("## Notes")[0]
    extras = tomllib.loads((root / "pyproject.toml").read_text(encoding="utf-8"))["project"][
        "optional-dependencies"
    ]
    assert len({output.ending for output in OUTPUTS}) == len(OUTPUTS)
    rows = [line for line in document.splitlines() if line.startswith("| `.")]
    for output in OUTPUTS:
        (row,) = [row for row in rows if f"`{output.ending}`" in row]
        assert (f"eager-otter[{output.extra}]" in row) == bool(output.extra), row
        assert not output.extra or output.extra in extras
        if output.writer:
            assert callable(import_module(f"eager_otter.report.{output.writer}").write)
        for setting in output.shows:
            assert setting in fields_of(PlanFile)
