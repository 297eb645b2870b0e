"""Measure how time grows with size: `python benchmarks/slopes.py [NAME …]`.

Each workload runs at one, two and four times a size; the slope s is that of a time of a + b·sizeˢ
through all three (1 is linear). What is timed is processor time, in a process of its own.
"""

from __future__ import annotations

import json
import math
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

Work = Callable[[], object]


def survey_of(rows: int, questions: dict[str, Any], columns: dict[str, Any]) -> Any:
    """Open a survey of made-up columns."""
    import eager_otter as otter

    book = otter.codebook_of({"title": "Slopes", "questions": questions})
    return otter.open_survey(book, pd.DataFrame(columns, index=range(rows)))


def singles(count: int, rows: int, answers: int = 5, seed: int = 1) -> tuple[dict[str, Any], dict[str, Any]]:
    """Make up single questions of so many answers."""
    rng = np.random.default_rng(seed)
    labels = {str(k): f"Answer {k}" for k in range(1, answers + 1)}
    named = [f"q{k}" for k in range(count)]
    return (
        {name: {"kind": "single", "column": name, "answers": labels} for name in named},
        {name: rng.integers(1, answers + 1, rows) for name in named},
    )


def questions(size: int) -> Work:
    """Make tables of so many questions by a small banner."""
    survey = survey_of(2_000, *singles(size, 2_000))
    return lambda: survey.tables([{"question": f"q{k}", "banner": ["q0", "q1"]} for k in range(size)])


def banner_columns(size: int) -> Work:
    """Count five questions by a banner of so many columns."""
    asked, columns = singles(size // 5 + 5, 2_000)
    survey = survey_of(2_000, asked, columns)
    banner = [f"q{k}" for k in range(5, size // 5 + 5)]
    return lambda: survey.tables([{"question": f"q{k}", "banner": banner} for k in range(5)])


def answers(size: int) -> Work:
    """Count one question of so many answers."""
    first, given = singles(1, 20_000, size)
    more, others = singles(2, 20_000)
    survey = survey_of(20_000, first | {"b": more["q1"] | {"column": "q1"}}, given | {"q1": others["q1"]})
    return lambda: survey.table("q0", "b")


def brands(size: int) -> Work:
    """Count five questions by a banner of a multiple response of so many brands."""
    asked, columns = singles(5, 5_000)
    rng = np.random.default_rng(2)
    ticks = {f"m{k}": (rng.random(5_000) < 0.3).astype(int) for k in range(size)}
    asked["heard"] = {"kind": "multi", "columns": {f"m{k}": f"Brand {k}" for k in range(size)}, "ticked": [1]}
    survey = survey_of(5_000, asked, columns | ticks)
    return lambda: survey.tables([{"question": f"q{k}", "banner": "heard"} for k in range(5)])


def filters(size: int) -> Work:
    """Make one table under each of so many filters."""
    asked, columns = singles(3, 5_000, 50)
    survey = survey_of(5_000, asked, columns)
    wanted = [
        {"question": "q0", "banner": "q1", "filter": f"q1 in ({1 + k % 50}, {1 + k // 50}) or q2 == 1"}
        for k in range(size)
    ]
    return lambda: survey.tables(wanted)


def workbook(size: int) -> Work:
    """Write a workbook of so many tables."""
    import eager_otter as otter

    survey = survey_of(500, *singles(size, 500))
    tables = survey.tables([{"question": f"q{k}", "banner": ["q0", "q1"]} for k in range(size)])
    report = otter.report_of(tables)
    folder = tempfile.mkdtemp()
    return lambda: report.save(Path(folder) / "t.xlsx", force=True)


def draft(size: int) -> Work:
    """Draft a first codebook of a file of so many columns."""
    import eager_otter as otter

    folder = Path(tempfile.mkdtemp())
    _, columns = singles(size, 200)
    pd.DataFrame(columns).to_csv(folder / "wide.csv", index=False)
    return lambda: otter.draft(folder / "wide.csv")


def plan(size: int) -> Work:
    """Read a plan of so many tables, written out, some 300 bytes each."""
    import eager_otter as otter

    asked, _ = singles(200, 1)
    tables = [
        {
            "question": f"q{k % 200}",
            "id": f"table-{k}",
            "title": f"A table with a title of its own, number {k}, as long as titles are",
            "banner": "main",
            "figures": ["column percent", "count"],
            "filter": f"q{(k + 1) % 200} in (1, 2, 3)",
        }
        for k in range(size)
    ]
    text = json.dumps(
        {"data": "d.csv", "codebook": "c.yaml", "banners": {"main": ["q0", "q1"]}, "tables": tables}, indent=1
    )
    folder = Path(tempfile.mkdtemp())
    (folder / "c.yaml").write_text(
        json.dumps({"title": "Slopes", "questions": asked}, indent=1), encoding="utf-8"
    )
    (folder / "p.yaml").write_text(text, encoding="utf-8")
    return lambda: otter.read_plan(folder / "p.yaml")


def each(size: int) -> Work:
    """Read a plan of one entry over so many questions, with rules for rows."""
    import eager_otter as otter

    asked, _ = singles(size, 1)
    entry = {"each": "all", "hide": ["Answer 2"], "untested": ["Answer 3"]}
    plan = {"data": "d.csv", "codebook": "c.yaml", "banners": {"main": ["q0"]}, "tables": [entry]}
    folder = Path(tempfile.mkdtemp())
    (folder / "c.yaml").write_text(json.dumps({"questions": asked}), encoding="utf-8")
    (folder / "p.yaml").write_text(json.dumps(plan), encoding="utf-8")
    return lambda: otter.read_plan(folder / "p.yaml")


def rows(size: int) -> Work:
    """Make fifty tables of so many rows."""
    survey = survey_of(size, *singles(50, size))
    return lambda: survey.tables([{"question": f"q{k}", "banner": ["q0", "q1"]} for k in range(50)])


WORK: dict[str, tuple[Callable[[int], Work], int]] = {
    "rows": (rows, 100_000),
    "questions": (questions, 250),
    "banner columns": (banner_columns, 250),
    "answers of a question": (answers, 1_250),
    "brands of a banner": (brands, 15),
    "filters": (filters, 175),
    "sheets of a workbook": (workbook, 750),
    "columns of a draft": (draft, 12_500),
    "tables of a plan": (plan, 2_500),
    "questions of an each": (each, 500),
}


def main() -> None:
    """Time each workload at three sizes."""
    if sys.argv[1:2] == ["--one"]:
        work = WORK[sys.argv[2]][0](int(sys.argv[3]))
        start = time.process_time()
        work()
        print(time.process_time() - start)
        return
    print(f"{'':26}{'size':>9}{'seconds':>9}{'twice':>9}{'four times':>12}{'slope':>7}")
    for name in sys.argv[1:] or WORK:
        size = WORK[name][1]
        once, twice, four = (seconds(name, size * times) for times in (1, 2, 4))
        slope = math.log2(max((four - once) / max(twice - once, 1e-9) - 1.0, 1e-3))
        print(f"{name:26}{4 * size:9,}{once:9.2f}{twice:9.2f}{four:12.2f}{slope:7.2f}", flush=True)


def seconds(name: str, size: int) -> float:
    """Time a workload in a process of its own."""
    command = [sys.executable, __file__, "--one", name, str(size)]
    return float(subprocess.run(command, check=True, capture_output=True, text=True).stdout.split()[-1])


if __name__ == "__main__":
    main()
