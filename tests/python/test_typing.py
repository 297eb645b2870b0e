"""A user's script is accepted by two type checkers in strict mode, and refused where a name or a setting is misspelt."""

from __future__ import annotations

import json
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

SCRIPT = """
from pathlib import Path

import pandas as pd

import eager_otter as otter


def day(folder: Path) -> list[Path]:
    survey = otter.open_survey(folder / "codebook.yaml", folder / "responses.csv").filtered('status == "complete"')
    wide = otter.define.Bands(of="age", ranges=["16-44", "45+"], nets=[otter.define.Net(label="Old", of=["45+"], place="above")])
    codebook = survey.codebook.with_question("age_wide", wide, after="age_band")
    codebook = codebook.with_question("shop", otter.define.Single(answers={1: "Corner", 2: otter.define.Answer(label="Other", last=True)}))
    codebook = codebook.with_net("heard_of", {"label": "Both", "of": [1, 5], "at least": 2})
    plan: otter.Plan = otter.plan_of({"data": "responses.csv", "tables": ["liking"]}, codebook=codebook).with_table({"question": "age_wide"})
    print(codebook.save(folder / "new.yaml"), plan.save(folder / "new-plan.yaml"))
    question: otter.Question = survey["heard_of"]
    table = survey.table(
        question.name,
        ["region", ["wave", "gender"]],
        figures=["column percent", "count"],
        levels=[95, 90],
        tests="rest",
        bases={"mark below": 75},
        sort="down",
        hide="None of these",
    )
    settings: otter.TableSettings = {"figures": ["mean", otter.percentile(90)], "digits": 1, "tests": otter.TestRules(against="total")}
    spend = survey.table("spend", otter.Banner(groups=(otter.BannerGroup(question="region"),)), **settings)
    items = survey.items_table("rating", "wave", figure="Good or very good", shape="items by columns", levels=95)
    value: float = spend.value("Mean", "North")
    frame: pd.DataFrame = table.frame("count")
    weighted = survey.weighted_by(otter.weigh(survey, {"wave": {"Spring": 50, "Autumn": 50}}))
    tables = weighted.tables(["liking", {"question": "spend", "repeat": "wave"}])
    report = otter.report_of([table, spend, items, *tables], title=f"{value:.1f} of {len(frame)}")
    explained: otter.Explanation = report["spend"].explain("Mean", "North")
    print(explained.worked, [note.short for note in table.notes])
    changes: dict[str, int] = {str(kind): count for kind, count in otter.compare(report, report).counts().items()}
    print(changes)
    return [*report.save(folder / "tables.xlsx"), table.save(folder / "one.html", force=True)]


day(Path())
"""
MISSPELT = {
    '"count"]': '"cuont"]',
    'sort="down"': 'sort="dwon"',
    'tests="rest"': 'tests="rset"',
    "hide=": "hied=",
    "otter.Question": "otter.Qestion",
    'against="total"': 'against="totl"',
    '"digits": 1': '"digts": 1',
    "items by columns": "items by colums",
    'place="above"': 'place="abov"',
    "last=True": "lats=True",
    "define.Bands": "define.Band",
}


def mypy(folder: Path) -> set[str]:
    """The names of the scripts in a folder that are refused."""
    settings = ["--strict", "--config-file", "", "--cache-dir", str(folder / "mypy")]
    scripts = sorted(path.name for path in folder.glob("*.py"))
    done = subprocess.run([sys.executable, "-m", "mypy", *settings, *scripts], capture_output=True, text=True, check=False, cwd=folder)  # fmt: skip
    return {line.partition(":")[0] for line in done.stdout.splitlines() if ": error:" in line}


def pyright(folder: Path) -> set[str]:
    """The names of the scripts in a folder that are refused."""
    settings = {"typeCheckingMode": "strict", "reportMissingTypeStubs": False, "pythonVersion": "3.11"}
    (folder / "pyrightconfig.json").write_text(json.dumps(settings), encoding="utf-8")
    done = subprocess.run([sys.executable, "-m", "basedpyright", "--outputjson", "--pythonpath", sys.executable], capture_output=True, text=True, check=False, cwd=folder)  # fmt: skip
    found = json.loads(done.stdout)["generalDiagnostics"]
    return {Path(one["file"]).name for one in found if one["severity"] == "error"}


@pytest.mark.parametrize("checker", [mypy, pyright])
@pytest.mark.slow
def test_a_script_is_accepted_and_each_misspelling_refused(
    checker: Callable[[Path], set[str]], tmp_path: Path
) -> None:
    (tmp_path / "sound.py").write_text(SCRIPT, encoding="utf-8")
    wrong = {}
    for number, (right, misspelt) in enumerate(MISSPELT.items()):
        assert right in SCRIPT
        wrong[f"wrong_{number}.py"] = misspelt
        (tmp_path / f"wrong_{number}.py").write_text(SCRIPT.replace(right, misspelt), encoding="utf-8")
    assert checker(tmp_path) == set(wrong), wrong


@pytest.mark.slow
def test_the_script_runs(demo: Path, tmp_path: Path) -> None:
    for name in ("codebook.yaml", "responses.csv"):
        (tmp_path / name).write_bytes((demo / name).read_bytes())
    (tmp_path / "script.py").write_text(SCRIPT, encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "script.py"], capture_output=True, text=True, check=False, cwd=tmp_path
    )
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "tables.xlsx").exists() and (tmp_path / "one.html").exists()
