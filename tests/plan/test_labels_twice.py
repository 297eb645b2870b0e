"""Two answers of one label: whatever names one of them by it is told, in place of taking one of them."""

from __future__ import annotations

from pathlib import Path

import pandas as pd
import pytest

import eager_otter as otter

BOOK = """
questions:
  area: {{kind: single, answers: {{1: North, 2: North, 3: South, 4: NORTH WEST}}{nets}}}
  liked: {{kind: single, answers: {{1: "Yes", 2: "No"}}}}
{more}
"""
TOLD = "area: several answers are called 'North' (1, 2); name one by its code, or merge them."


def files(folder: Path, plan: str, *, nets: str = "", more: str = "") -> Path:
    pd.DataFrame({"area": [1, 2, 3, 4] * 5, "liked": [1, 2] * 10}).to_csv(folder / "d.csv", index=False)
    (folder / "book.yaml").write_text(BOOK.format(nets=nets, more=more), encoding="utf-8")
    (folder / "plan.yaml").write_text(f"data: d.csv\ncodebook: book.yaml\n{plan}\n", encoding="utf-8")
    return folder / "plan.yaml"


@pytest.mark.parametrize(
    "plan",
    [
        'filter: area == "North"\ntables: [liked]',
        "tables: [{question: liked, filter: 'area in (\"North\")'}]",
        "tables: [{question: area, hide: [North]}]",
        "tables: [{question: area, leave out: [North]}]",
        "tables: [{question: area, figures: [percent of answer], percent of: North}]",
        "banners: {main: [{question: area, keep: [North]}]}\ntables: [liked]",
        "banners: {main: [{question: area, columns: {Up: [North], Down: [3]}}]}\ntables: [liked]",
        "banners: {main: [{question: area, labels: {North: Up}}]}\ntables: [liked]",
    ],
)
def test_a_plan_that_names_one_by_it_is_told_with_its_place(tmp_path: Path, plan: str) -> None:
    with pytest.raises(otter.DocumentError) as error:
        otter.run(files(tmp_path, plan))
    (problem,) = error.value.problems
    assert TOLD in problem.message
    assert problem.line is not None and "North" in plan.splitlines()[problem.line - 3]


@pytest.mark.parametrize(
    ("nets", "more", "told"),
    [
        (", nets: [{label: All, of: [North, South]}]", "", "net 'All': several answers are called 'North' (1, 2)"),
        ("", "  up: {merge: {of: area, answers: {Up: [North], Down: [3]}}}", TOLD),
        ("", "  up: {derive: {Up: area == \"North\", Down: otherwise}}", TOLD),
    ],
)  # fmt: skip
def test_a_codebook_that_names_one_by_it_is_told_with_its_place(
    tmp_path: Path, nets: str, more: str, told: str
) -> None:
    with pytest.raises(otter.DocumentError) as error:
        otter.run(files(tmp_path, "tables: [area]", nets=nets, more=more))
    (problem,) = error.value.problems
    assert told in problem.message and problem.line is not None


def test_headings_and_untested_rows_are_those_of_both(tmp_path: Path) -> None:
    plan = "tables: [{question: area, headings: {North: Up there}, untested: [North]}]"
    (table,) = otter.run(files(tmp_path, plan)).tables
    assert [line.label for line in table.lines if line.kind == "heading"] == ["Up there", "Up there"]


def test_codes_name_them_and_both_are_counted(tmp_path: Path) -> None:
    plan = "filter: area in (1, 2)\ntables: [{question: area, hide: [2], figures: [count]}]"
    (table,) = otter.run(files(tmp_path, plan)).tables
    rows = table.frame().query("row_kind == 'answer'")[["row_code", "value"]].to_numpy().tolist()
    assert rows == [["1", 5.0], ["3", 0.0], ["4", 0.0]]


def test_a_label_in_just_that_case_goes_first(tmp_path: Path) -> None:
    """'North west' in any case is one answer alone."""
    (table,) = otter.run(files(tmp_path, 'filter: area == "north west"\ntables: [liked]')).tables
    assert table.value("No", "Total") == 100


def test_data_that_hold_the_label_are_refused(tmp_path: Path) -> None:
    plan = files(tmp_path, "tables: [area]")
    pd.DataFrame({"area": ["North", "South"], "liked": [1, 2]}).to_csv(tmp_path / "d.csv", index=False)
    with pytest.raises(
        otter.DataError, match=r"The data of area hold 'North', which several answers are called: 1, 2\."
    ):
        otter.run(plan)
