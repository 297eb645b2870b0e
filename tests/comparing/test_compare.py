"""Two saved results: nothing where nothing changed, every kind of change, letters by what they name."""

from __future__ import annotations

import csv
import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import openpyxl
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from conftest import message_of
from eager_otter.comparing.comparing import compare_results
from eager_otter.comparing.saved import COLUMNS, read_results
from eager_otter.gates.outputs import is_ours
from eager_otter.plan.reading import only_tables

Run = Callable[..., tuple[int, str, str]]
Records = list[dict[str, str]]


@pytest.fixture(scope="module")
def saved(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("saved") / "old.csv"
    plan = only_tables(otter.read_plan(demo / "plan.yaml"), ["heard_of", "liking", "spend", "usual"])
    otter.run(plan).save(path)
    return path


def records(path: Path) -> Records:
    with path.open(encoding="utf-8", newline="") as file:
        return list(csv.DictReader(file))


def changed(saved: Path, tmp_path: Path, change: Callable[[Records], Records], tolerance: float = 0.0) -> list[tuple[str, ...]]:  # fmt: skip
    """Change the saved records, and give what the comparison tells: kind, table, row, column."""
    path = tmp_path / "new.csv"
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, COLUMNS)
        writer.writeheader()
        writer.writerows(change(records(saved)))
    found = compare_results(read_results(saved), read_results(path), tolerance=tolerance)
    return [(c.kind, c.table, c.row, c.column) for c in found.changes]


def each(test: Callable[[dict[str, str]], bool], **new: str) -> Callable[[Records], Records]:
    return lambda rows: [row | new if test(row) else row for row in rows]


def cell(table: str, row: str, column: str, figure: str) -> Callable[[dict[str, str]], bool]:
    return lambda r: (r["table"], r["row"], r["column"], r["figure"]) == (table, row, column, figure)


def test_the_same_results_do_not_differ(saved: Path, tmp_path: Path) -> None:
    assert changed(saved, tmp_path, lambda rows: rows) == []
    nudge = lambda rows: [r | {"value": repr(float(r["value"]) * (1 + 1e-13))} if r["figure"] == "mean" else r for r in rows]  # noqa: E731  # fmt: skip
    assert changed(saved, tmp_path, nudge) == []  # last digits are no change


@given(st.integers(0, 10**6), st.floats(0.001, 5), st.floats(0, 3))
@pytest.mark.slow
def test_a_figure_is_told_exactly_when_it_moves_beyond_the_tolerance(
    saved: Path, tmp_path_factory: pytest.TempPathFactory, place: int, gap: float, tolerance: float
) -> None:
    rows = records(saved)
    numbers = [k for k, row in enumerate(rows) if row["figure"] not in ("letters",) and row["value"]]
    k = numbers[place % len(numbers)]
    moved = [r | {"value": repr(float(r["value"]) + gap)} if i == k else r for i, r in enumerate(rows)]
    real = float(moved[k]["value"]) - float(rows[k]["value"])
    found = changed(saved, tmp_path_factory.mktemp("moved"), lambda _: moved, tolerance)
    kind = "base changed" if rows[k]["row_kind"] == "base" else "figure moved"
    name = f"{rows[k]['group']}: {rows[k]['column']}" if rows[k]["group"] else rows[k]["column"]
    expected = [(kind, rows[k]["table"], rows[k]["row"], name)]
    assert found == (expected if real > tolerance and real > 1e-9 * float(moved[k]["value"]) else [])


@pytest.mark.parametrize(
    ("change", "expected"),
    [
        (each(cell("liking", "Good", "25–34", "letters"), text="I"), [("letters flipped", "liking", "Good", "Age: 25–34")]),
        (each(lambda r: r["table"] == "liking", title="Another"), [("title changed", "liking", "", "")]),
        (each(lambda r: r["table"] == "liking", table="taste"), [("table renamed", "taste", "", "")]),
        (lambda rows: [r for r in rows if r["table"] != "liking"], [("table went", "liking", "", "")]),
        (lambda rows: [*rows, *(r | {"table": "x", "title": "New"} for r in rows if r["table"] == "usual")], [("table came", "x", "", "")]),
        (lambda rows: [r for r in rows if (r["table"], r["row"]) != ("liking", "Good")], [("row went", "liking", "Good", "")]),
        (each(lambda r: (r["table"], r["row"]) == ("liking", "Good"), row="Fine"), [("row renamed", "liking", "Fine", "")]),
        (each(lambda r: (r["table"], r["column"]) == ("spend", "West"), column="Far west"), [("column renamed", "spend", "", "Region: Far west")]),
        (lambda rows: [r for r in rows if (r["table"], r["column"]) != ("spend", "West")], [("column went", "spend", "", "Region: West")]),
        (each(cell("spend", "Mean", "West", "mean"), mark="low base"), [("mark changed", "spend", "Mean", "Region: West")]),
        (each(cell("spend", "Mean", "West", "mean"), value=""), [("figure moved", "spend", "Mean", "Region: West")]),
        (lambda rows: [r for r in rows if not cell("spend", "Median", "West", "median")(r)], [("figure went", "spend", "Median", "Region: West")]),
    ],
)  # fmt: skip
def test_every_kind_of_change_is_told(
    saved: Path, tmp_path: Path, change: Callable[[Records], Records], expected: list[tuple[str, ...]]
) -> None:
    assert changed(saved, tmp_path, change) == expected


def test_results_saved_in_any_tidy_form_are_the_same(demo: Path, saved: Path, tmp_path: Path) -> None:
    plan = only_tables(otter.read_plan(demo / "plan.yaml"), ["heard_of", "liking", "spend", "usual"])
    otter.run(plan).save(tmp_path / "t.json", tmp_path / "t.parquet")
    for name in ("t.json", "t.parquet"):
        found = compare_results(read_results(saved), read_results(tmp_path / name))
        assert found.changes == () and found.figures > 500
    for name in ("x.json", "x.parquet"):
        (tmp_path / name).write_text("{}")
        with pytest.raises(otter.FileProblem, match="holds no records of a report"):
            read_results(tmp_path / name)


def test_letters_are_compared_by_the_columns_they_name(demo: Path, tmp_path: Path) -> None:
    plan = only_tables(otter.read_plan(demo / "plan.yaml"), ["heard_of"])
    otter.run(plan).save(tmp_path / "old.csv")
    (request,) = plan.requests
    groups = (request.banner.groups[1], *request.banner.groups)  # region first: all letters behind it change
    more = replace(request, banner=replace(request.banner, groups=groups[2:]))
    otter.run(replace(plan, requests=(more,))).save(tmp_path / "new.csv")
    old, new = read_results(tmp_path / "old.csv"), read_results(tmp_path / "new.csv")
    assert old["heard_of"].letters != new["heard_of"].letters
    assert {change.kind for change in compare_results(old, new).changes} == {"column went"}


def test_the_command_tells_by_its_exit_code_and_writes_all_changes(
    run: Run, saved: Path, tmp_path: Path
) -> None:
    new = tmp_path / "new.csv"
    text = saved.read_text(encoding="utf-8")
    code, out, _ = run("compare", saved, saved, cwd=tmp_path)
    assert code == 0 and "\n\nNo difference: " in out
    shorter = (
        "\n".join(
            line
            for line in text.splitlines()
            if not line.startswith("liking,") or ",Good,answer," not in line
        )
        + "\n"
    )
    new.write_text(shorter, encoding="utf-8")
    code, out, err = run("compare", saved, new, "--output", tmp_path / "c.xlsx", cwd=tmp_path)
    assert code == 1 and "row went" in out and err == "c.xlsx\n"
    rows = list(openpyxl.load_workbook(tmp_path / "c.xlsx")["Changes"].values)
    assert rows[0][0] == "Kind" and [row[:3] for row in rows[1:]] == [("row went", "liking", "Good")]
    code, out, _ = run("compare", saved, new, "--format", "json", cwd=tmp_path)
    assert code == 1 and json.loads(out)["counts"] == {"row went": 1}


def as_version_0_1(saved: Path, path: Path) -> Path:
    """Write saved results as version 0.1 did: `layer`, no question, letters in the value."""
    rows = records(saved)
    columns = [
        "table",
        "title",
        "layer",
        "row",
        "row_kind",
        "row_code",
        "group",
        "column",
        "letter",
        "figure",
        "value",
        "mark",
    ]
    old = [row | {"layer": row["part"], "value": row["value"] or row["text"]} for row in rows]
    for row in old:
        row["figure"] = {"percent of answered": "valid percent"}.get(row["figure"], row["figure"])
    kept = [{name: row[name] for name in columns} for row in old]
    if path.suffix == ".json":
        path.write_text(json.dumps({"title": "T", "records": kept}), encoding="utf-8")
        return path
    if path.suffix == ".parquet":
        frame = pd.DataFrame(kept)
        letters = frame.figure == "letters"
        frame["text"] = frame.value.where(letters, None)
        frame["value"] = pd.to_numeric(frame.value.where(~letters, ""))
        frame.to_parquet(path)
        return path
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, columns)
        writer.writeheader()
        writer.writerows(kept)
    return path


@pytest.mark.parametrize("ending", [".csv", ".json", ".parquet"])
def test_results_that_version_0_1_saved_are_read_and_known_as_ours(
    demo: Path, tmp_path: Path, ending: str
) -> None:
    plan = only_tables(otter.read_plan(demo / "shapes.yaml"), ["one-way", "stacked", "comparison"])
    otter.run(plan).save(tmp_path / "new.csv")
    old = as_version_0_1(tmp_path / "new.csv", tmp_path / f"old{ending}")
    found = compare_results(read_results(old), read_results(tmp_path / "new.csv"))
    assert found.changes == () and found.figures > 100
    assert ending != ".csv" or is_ours(old)


def test_files_that_are_no_results_are_refused(run: Run, saved: Path, tmp_path: Path) -> None:
    (tmp_path / "other.csv").write_text("a,b\n1,2\n")
    (tmp_path / "short.csv").write_text(saved.read_text(encoding="utf-8").splitlines()[0] + "\nx,y\n")
    broken = ",".join(["t", "T", "", "q", "r", "answer", "1", "g", "c", "A", "mean", "abc", "", ""])
    (tmp_path / "broken.csv").write_text(saved.read_text(encoding="utf-8").splitlines()[0] + f"\n{broken}\n")
    for name, message in {
        "other.csv": "other.csv: its first line does not name the columns; a tidy file of a report was expected",
        "short.csv": "short.csv: line 2 has 2 cells, not 14.",
        "broken.csv": "broken.csv: record 2: 'abc' is not a number.",
        "nowhere.csv": "nowhere.csv: no such file.",
    }.items():  # fmt: skip
        code, out, err = run("compare", saved, tmp_path / name, cwd=tmp_path)
        assert (code, out) == (2, "") and message in err
    with pytest.raises(otter.RequestError) as error:
        compare_results({}, {}, tolerance=-1)
    assert message_of(error, tmp_path) == "A tolerance is a number from 0 up; got -1."
