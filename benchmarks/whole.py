"""A whole run, from a Parquet file to tidy CSV, and a look: `python benchmarks/whole.py`; `--large`: a million rows.

The floor of a run is what cannot be left out: importing NumPy and Arrow and reading the file, the bare bincount passes
over indexes made before, and writing the very lines of the tables. Processor time and, in brackets, time by the clock;
the least of some rounds, all of them in turn, as other work comes and goes.
"""

from __future__ import annotations

import argparse
import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa
from pyarrow import parquet

import eager_otter as otter
from eager_otter.codebook.model import Question, TickColumns
from eager_otter.core.tally import Rows
from eager_otter.counting.banner import lay_out
from eager_otter.counting.part import BannerCounting
from eager_otter.counting.population import Choice
from eager_otter.counting.rows import row_counts
from eager_otter.counting.wanted import planned
from tabulate import best_of_passes
from workload import LARGE, MEDIUM, Size, make

READ = "import numpy; from pyarrow import parquet; parquet.read_table('d.parquet')"
FRAME = "import pandas; pandas.read_parquet('d.parquet')"
COLUMNS = "from pyarrow import parquet; parquet.read_table('d.parquet', columns=['q000', 'banner_0', 'wt'])"
OTTER = [sys.executable, "-m", "eager_otter"]
Cost = tuple[float, float]  # processor time and time by the clock, in seconds


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("--large", action="store_true", help="a million rows instead of 50,000")
    parser.add_argument("--rounds", type=int, default=5)
    options = parser.parse_args()
    size = LARGE if options.large else MEDIUM
    with tempfile.TemporaryDirectory() as place:
        folder, demo = Path(place) / "whole", Path(place) / "demo"
        folder.mkdir()
        passes = write(folder, size)
        otter.write_demo(demo)
        run = [*OTTER, "run", "plan.yaml", "-o", "tables.csv", "--force"]
        commands: dict[str, Callable[[], Cost]] = {
            "run": lambda: cost(run, folder),
            "imports and reading the file": lambda: cost([sys.executable, "-c", READ], folder),
            "bare passes": lambda: (passes(), passes()),
            "bare lines": lambda: lines_written(folder),
            "reading the file into a frame": lambda: cost([sys.executable, "-c", FRAME], folder),
            "look at a question": lambda: cost([*OTTER, "look", "q000", "-b", "banner_0"], folder),
            "look at the demo": lambda: cost([*OTTER, "look", "heard_of", "-b", "region"], demo),
            "reading the look's columns": lambda: cost([sys.executable, "-c", COLUMNS], folder),
        }
        rounds = [{name: made() for name, made in commands.items()} for _ in range(options.rounds)]
    least = {name: tuple(min(one[name][k] for one in rounds) for k in (0, 1)) for name in commands}
    for name, (processor, clock) in least.items():
        print(f"{name:32}{processor:8.2f} s ({clock:.2f})")
    floor = [sum(least[name][k] for name in list(commands)[1:4]) for k in (0, 1)]
    frame = least["reading the file into a frame"]
    ratios = [[least["run"][k] / other[k] for k in (0, 1)] for other in (floor, frame)]
    print(f"the run: × {ratios[0][0]:.1f} ({ratios[0][1]:.1f}) of the floor")
    print(f"the run: × {ratios[1][0]:.1f} ({ratios[1][1]:.1f}) of reading the file into a frame")
    beyond = [least["look at a question"][k] - least["look at the demo"][k] for k in (0, 1)]
    print(f"the look beyond that at the demo: {beyond[0]:.2f} s ({beyond[1]:.2f})")


def write(folder: Path, size: Size) -> Callable[[], float]:
    """Write data, codebook and plan; return what times the bare passes."""
    frame, codebook, banner, requests = make(size)
    parquet.write_table(pa.Table.from_pandas(frame), folder / "d.parquet", row_group_size=1 << 17)
    book = {"title": size.name, "weight": "wt", "missing": [99]}
    written = book | {"questions": {question.name: written_out(question) for question in codebook}}
    (folder / "codebook.yaml").write_text(json.dumps(written), encoding="utf-8")
    names = [group.question for group in banner.groups]
    questions = [request.shows.questions[0] for request in requests]
    plan = {
        "title": "Whole",
        "data": "d.parquet",
        "codebook": "codebook.yaml",
        "banners": {"main": names},
        "tests": {"levels": [95, 90]},
        "tables": [{"each": questions}],
    }
    (folder / "plan.yaml").write_text(json.dumps(plan), encoding="utf-8")
    survey = otter.open_survey(codebook, frame).weighted_by("wt")
    counting = BannerCounting(
        survey.responses, planned(Choice(weight="wt"), lay_out(banner, codebook), codebook)
    )
    parts: list[Rows] = [
        part
        for name in questions
        for part in row_counts(codebook.question(name), survey.responses.answers(name)).parts
    ]
    weights = survey.population().weights
    return lambda: best_of_passes(parts, counting, weights, 1)


def written_out(question: Question) -> dict[str, Any]:
    """Write a question of the workload as a codebook has it."""
    said: dict[str, Any] = {"kind": question.kind, "text": question.text}
    if isinstance(question.source, TickColumns):
        labels = {answer.code: answer.label for answer in question.answers}
        said |= {"columns": {column: labels[code] for code, column in question.source.columns}, "ticked": [1]}
    else:
        (said["column"],) = question.columns
        said |= (
            {"answers": {answer.code: answer.label for answer in question.answers}}
            if question.answers
            else {}
        )
    said |= {"scale": True} if question.scale else {}
    nets = [{"label": net.label, "of": list(net.of)} for net in question.nets]
    return said | ({"nets": nets} if nets and not isinstance(question.source, TickColumns) else {})


def cost(command: list[str], folder: Path) -> Cost:
    """Run a command: its processor time, and its time by the clock."""
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    before, start = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
    subprocess.run(command, cwd=folder, env=environment, check=True, capture_output=True)
    after, end = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime, end - start


def lines_written(folder: Path) -> Cost:
    """Write the lines of the tables once more, one by one."""
    lines = (folder / "tables.csv").read_text(encoding="utf-8").splitlines(keepends=True)
    before, start = time.process_time(), time.perf_counter()
    with (folder / "bare.csv").open("w", encoding="utf-8") as file:
        for line in lines:
            file.write(line)
    return time.process_time() - before, time.perf_counter() - start


if __name__ == "__main__":
    main()
