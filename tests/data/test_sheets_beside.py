"""Workbooks of several sheets of which none was named: what is beside the first is told, and the largest is drafted."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import openpyxl
import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.data.opening import Reading, open_data

Run = Callable[..., tuple[int, str, str]]
BOOK = "questions: {liking: {kind: single, answers: {1: Poor, 2: Good}}, area: {kind: single, answers: {N: North, S: South}}}"
DATA = pd.DataFrame({"liking": [1, 2, 2] * 20, "area": ["N", "S"] * 30})
INFO = pd.DataFrame({"Project": ["Fieldwork"], "Sparkling water": ["October"]})


def workbook(path: Path, **sheets: pd.DataFrame) -> Path:
    with pd.ExcelWriter(path, engine="odf" if path.suffix == ".ods" else "openpyxl") as writer:
        for name, frame in sheets.items():
            frame.to_excel(writer, sheet_name=name, index=False)
    return path


@pytest.fixture(params=["xlsx", "ods"])
def ending(request: pytest.FixtureRequest) -> str:
    if request.param == "ods":
        pytest.importorskip("odf")
    return str(request.param)


def others(path: Path, reading: Reading | None = None) -> list[str]:
    return [one.said() for one in open_data(path, reading).remarks(60) if one.slip == "other sheets"]


def test_sheets_that_are_not_read_are_told_where_nobody_named_one(tmp_path: Path, ending: str) -> None:
    path = workbook(tmp_path / f"d.{ending}", Data=DATA, Info=INFO, Sheet3=pd.DataFrame())
    assert others(path) == ["1 sheet of the workbook is not read (Info)."]  # an empty one is none
    assert not others(path, Reading(sheet="Data"))
    assert not others(workbook(tmp_path / f"one.{ending}", Data=DATA, Sheet2=pd.DataFrame()))


def test_columns_that_are_not_there_may_be_in_another_sheet(tmp_path: Path, ending: str) -> None:
    path = workbook(tmp_path / f"d.{ending}", Info=INFO, Data=DATA)
    with pytest.raises(
        otter.DataError,
        match=r"The workbook has other sheets: Data\. Is one meant\? Then write sheet: Data\.",
    ):
        otter.open_survey(otter.codebook_from_text(BOOK), path)
    survey = otter.open_survey(otter.codebook_from_text(BOOK), path, reading=otter.Reading(sheet="Data"))
    assert survey.table("liking", figures=["count"]).value("Good", "Total") == 40


def test_the_largest_sheet_is_drafted_and_that_is_told(tmp_path: Path, ending: str, run: Run) -> None:
    path = workbook(tmp_path / f"d.{ending}", Info=INFO, Data=DATA)
    code, _, told = run("draft", path)
    assert code == 0
    assert "Sheet Data is read, the largest; the others are Info. Name another with --sheet." in told
    assert f"data: {{file: d.{ending}, sheet: Data}}" in (tmp_path / "plan.yaml").read_text(encoding="utf-8")
    assert otter.run(tmp_path / "plan.yaml").table("liking").people == 60
    named = otter.draft(path, reading=otter.Reading(sheet="Info"))
    assert not named.told and "sheet: Info" in named.plan


def test_cells_that_hold_nothing_make_no_sheet(tmp_path: Path) -> None:
    book = openpyxl.Workbook()
    for row in [["liking", "area"], *([1, "N"] for _ in range(9))]:
        book.active.append(row)
    book.create_sheet("Coloured")["B2"].fill = openpyxl.styles.PatternFill("solid", fgColor="FFFF00")
    book.save(tmp_path / "d.xlsx")
    assert not others(tmp_path / "d.xlsx")
