"""Filters that narrow, unfinished interviews that cannot come back unseen, what a run tells of the audit, strict runs."""

from __future__ import annotations

import os
import pickle
import shutil
import subprocess
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import eager_otter as otter
from eager_otter import errors
from eager_otter.report import running

Run = Callable[..., tuple[int, str, str]]
UNFINISHED = 'respondents are counted whose interview is unfinished (finished: status == "complete").'


@pytest.fixture(scope="module")
def data(demo: Path) -> pd.DataFrame:
    return pd.read_csv(demo / "responses.csv")


def base_of(out: str) -> int:
    line = next(line for line in out.splitlines() if line.startswith("Base (unweighted)"))
    return int(line.split()[3].replace(",", "").rstrip("*"))


def test_a_filter_narrows_that_of_the_plan(run: Run, demo: Path, data: pd.DataFrame) -> None:
    code, out, err = run("look", "region", "--filter", "age >= 60", cwd=demo)
    expected = ((data.status == 1) & (data.age >= 60)).sum()
    assert (code, base_of(out)) == (0, expected) and "unfinished" not in err
    assert "Filter: Status is complete and Age in years is 60 or more." in " ".join(out.split())


@pytest.mark.parametrize(
    "options", [["--no-filter", "--filter", "age >= 60"], ["--filter", "age >= 60", "--no-filter"]]
)
def test_a_filter_with_no_filter_in_either_order_replaces_it_and_unfinished_interviews_are_told(
    run: Run, demo: Path, data: pd.DataFrame, options: list[str]
) -> None:
    _, out, err = run("look", "region", *options, cwd=demo)
    assert base_of(out) == (data.age >= 60).sum()
    unfinished = ((data.age >= 60) & (data.status == 2)).sum()
    assert f"Note: {unfinished} {UNFINISHED}" in err


@pytest.mark.parametrize(
    "command",
    [
        ["run", "--only", "liking", "-o", "t.csv"],
        ["explain", "liking", "Good", "Spring"],
        ["findings", "--only", "liking"],
        ["chart", "liking", "--folder", "spoiled"],
        ["export", "e.csv", "--force"],
        ["look", "liking"],
    ],
)
@pytest.mark.slow
def test_every_command_tells_unfinished_interviews_and_idle_filters(
    run: Run, demo: Path, tmp_path: Path, command: list[str]
) -> None:
    folder = shutil.copytree(demo, tmp_path / "demo")
    code, _, err = run(*command, "--no-filter", cwd=folder)
    assert code == 0 and f"Note: 72 {UNFINISHED}" in err
    code, _, err = run(*command, "--filter", "wave in (1, 2)", cwd=folder)
    assert code == 0 and "Note: the filter leaves nobody out: wave in (1, 2)" in err
    code, _, err = run(*command, cwd=folder)
    assert code == 0 and "Note:" not in err


def test_a_plan_that_accepts_unfinished_interviews_is_not_told_again(
    run: Run, demo: Path, tmp_path: Path
) -> None:
    text = (demo / "plan.yaml").read_text(encoding="utf-8").replace('filter: status == "complete"\n', "")
    text = text.replace("data: ", f"data: {demo}/").replace("codebook: ", f"codebook: {demo}/")
    for accept, told in (
        ("", True),
        ("accept: [{slip: unfinished interviews, because: asked to}]\n", False),
    ):
        (tmp_path / "plan.yaml").write_text(text + accept, encoding="utf-8")
        _, _, err = run("look", "liking", cwd=tmp_path)
        assert (UNFINISHED in err) is told


def test_questions_count_everybody_or_those_of_a_filter(run: Run, demo: Path, data: pd.DataFrame) -> None:
    _, out, err = run("questions", "region", cwd=demo)
    assert "answered by 2,400 of 2,400" in out and "Note" not in err
    _, out, _ = run("questions", "region", "--filter", 'status == "complete" and age >= 60', cwd=demo)
    kept = ((data.status == 1) & (data.age >= 60)).sum()
    assert f"answered by {kept:,} of {kept:,}" in out
    _, _, err = run("questions", "region", "--filter", "wave in (1, 2)", cwd=demo)
    assert "Note: the filter leaves nobody out: wave in (1, 2)" in err


def test_a_run_says_what_the_audit_found(run: Run, demo: Path, tmp_path: Path) -> None:
    found = otter.run_audit(demo / "spoiled" / "plan.yaml").counts()
    code, out, err = run(
        "run", demo / "spoiled" / "plan.yaml", "--only", "liking", "-o", tmp_path / "t.csv", cwd=tmp_path
    )
    assert code == 0 and "t.csv" in out
    assert f"audit: {found['error']} errors, {found['warning']} warnings; see eager-otter audit " in err
    _, _, err = run("run", demo / "plan.yaml", "--only", "liking", "-o", tmp_path / "u.csv", cwd=tmp_path)
    assert "audit:" not in err


def test_a_strict_run_stops_at_errors_and_writes_nothing(run: Run, demo: Path, tmp_path: Path) -> None:
    plan = demo / "spoiled" / "plan.yaml"
    code, out, err = run("run", plan, "--strict", "-o", tmp_path / "t.csv", cwd=tmp_path)
    assert (code, out) == (1, "") and not list(tmp_path.iterdir())
    assert "audit: " in err and "Stopped, as --strict was given; nothing was written." in err
    assert (
        run(
            "run", demo / "plan.yaml", "--strict", "--only", "liking", "-o", tmp_path / "t.csv", cwd=tmp_path
        )[0]
        == 0
    )
    assert (tmp_path / "t.csv").exists()


def test_a_strict_run_reads_the_data_once(
    run: Run, demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[str] = []
    opening = running.survey_of

    def counted(plan: otter.Plan, *more: Any) -> otter.Survey:
        opened.append(plan.title)
        return opening(plan, *more)

    monkeypatch.setattr(running, "survey_of", counted)
    for plan, code in ((demo / "plan.yaml", 0), (demo / "spoiled" / "plan.yaml", 1)):
        opened.clear()
        found = run(
            "run", plan, "--strict", "--only", "liking", "-o", tmp_path / "t.csv", "--force", cwd=tmp_path
        )
        assert found[0] == code and len(opened) == 1


def test_a_strict_run_tells_the_audit_s_errors_where_a_table_cannot_be_made(
    run: Run, demo: Path, tmp_path: Path
) -> None:
    shutil.copytree(demo, tmp_path / "d")
    plan = tmp_path / "d" / "spoiled" / "plan.yaml"
    text = plan.read_text(encoding="utf-8").replace(
        "tables:\n", "tables:\n  - {question: liking, base: age > 99, id: none}\n", 1
    )
    plan.write_text(text, encoding="utf-8")
    code, _, err = run("run", plan, "--strict", "-o", tmp_path / "t.csv", cwd=tmp_path)
    assert code == 1 and "audit: " in err and "Stopped, as --strict" in err and "keeps none" not in err
    code, _, err = run("run", plan, "-o", tmp_path / "t.csv", cwd=tmp_path)
    assert code == 2 and "keeps none" in err and not (tmp_path / "t.csv").exists()


def test_what_a_draft_writes_into_another_folder_runs_unedited(run: Run, demo: Path, tmp_path: Path) -> None:
    shutil.copy(demo / "responses.csv", tmp_path / "responses.csv")
    for into in ("sub", "deep/er"):
        assert run("draft", "responses.csv", "--into", into, cwd=tmp_path)[0] == 0
        code, _, err = run("run", f"{into}/plan.yaml", "-o", "t.csv", "--force", cwd=tmp_path)
        assert code == 0 and "tables from responses.csv" in err


def test_the_package_runs_as_a_module() -> None:
    found = subprocess.run(
        [sys.executable, "-m", "eager_otter", "--version"],
        capture_output=True,
        text=True,
        check=True,
        env={**os.environ},
    )
    assert found.stdout == f"eager-otter, version {otter.__version__}\n"


def raise_unknown_name(_: int) -> None:
    raise errors.UnknownName("row", "Tran", ["Tarn", "Skerrow"], "table 'heard_of'")


def test_every_error_survives_pickling_and_a_pool_of_workers() -> None:
    problem = errors.Problem("plan.yaml", 3, 5, "no question 'q'.", "  - q")
    for error in (
        errors.UnknownName("row", "Tran", ["Tarn"], "table 't'"),
        errors.ExpressionError("Expected a number.", "age > x", 6),
        errors.DocumentError([problem]),
        errors.FileProblem("x: no such file."),
        errors.DataError("d"),
        errors.RequestError("r"),
        errors.MachineProblem("m"),
        errors.MissingPackage("m"),
    ):
        again = pickle.loads(pickle.dumps(error))
        assert type(again) is type(error) and str(again) == str(error)
    with ProcessPoolExecutor(1) as pool, pytest.raises(errors.UnknownName) as told:
        list(pool.map(raise_unknown_name, [1]))
    assert str(told.value) == "No row 'Tran' in table 'heard_of'. Did you mean 'Tarn'?"


def test_what_a_plan_says_of_outputs_that_it_does_not_write_is_told(
    run: Run, demo: Path, tmp_path: Path
) -> None:
    plan = tmp_path / "plan.yaml"
    head = f'data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\nfilter: status == "complete"\ntables: [liking]\n'
    plan.write_text(
        head + "workbook: {letters: below}\nfindings: 5\nslides: {show: table}\noutputs: [t.csv]\n",
        encoding="utf-8",
    )
    _, _, err = run("run", plan, cwd=tmp_path)
    for key, ending in (
        ("workbook", ".xlsx"),
        ("findings", ".xlsx, .html, .pdf, .pptx or .md"),
        ("slides", ".pptx"),
    ):
        assert f"Note: {key}: no output of the plan ends in {ending}, so this does nothing." in err
    _, _, err = run("run", plan, "-o", "other.csv", cwd=tmp_path)
    assert "no output of the plan" not in err  # asked for on purpose, this once
    plan.write_text(head + "workbook: {letters: below}\nfindings: 5\noutputs: [t.xlsx]\n", encoding="utf-8")
    assert "no output of the plan" not in run("run", plan, cwd=tmp_path)[2]
