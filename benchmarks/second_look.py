"""A look at a CSV file of a million rows, the first time and again, beside the same look at the demo.

Run from the project's folder: `python benchmarks/second_look.py [rows]`. Seconds on the clock, the median of rounds
that run all; the floor is reading the columns needed with the CSV reader alone.
"""

from __future__ import annotations

import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import csv

import eager_otter as otter

ROUNDS, PAIRS = 5, 5
LOOK = [sys.executable, "-m", "eager_otter", "look", "heard_of", "-b", "region"]
PROMPT, MORE = [sys.executable, "-m", "eager_otter", "prompt"], 5
NEEDED = ["rid", "status", "region", "wt", *(f"heard_{code}" for code in (1, 2, 3, 4, 5, 6, 7, 8, 97))]
FLOOR = f"""
import numpy, pyarrow.csv as arrow
arrow.read_csv("responses.csv", convert_options=arrow.ConvertOptions(include_columns={NEEDED}))
"""


def seconds(command: list[str], folder: Path, cache: str, lines: str = "") -> float:
    """Run a command, which may read some lines, and return the seconds it took."""
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    start = time.perf_counter()
    subprocess.run(
        command, cwd=folder, env=environment | {"EAGER_OTTER_CACHE": cache}, check=True, capture_output=True,
        input=lines.encode(),
    )  # fmt: skip
    return time.perf_counter() - start


def make_long(folder: Path, rows: int) -> None:
    """Draw so many respondents of the demo, each with an id of their own."""
    table = csv.read_csv(folder / "responses.csv")
    drawn = table.take(pa.array(np.random.default_rng(1).integers(0, table.num_rows, rows)))
    ids = pa.array([f"R{k:07d}" for k in range(rows)])
    csv.write_csv(drawn.set_column(0, "rid", ids), folder / "responses.csv")


def main() -> None:
    """Print the medians."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
    with tempfile.TemporaryDirectory() as place:
        short, long, kept = Path(place, "short"), Path(place, "long"), Path(place, "kept")
        for folder in (short, long):
            otter.write_demo(folder)
        make_long(long, rows)
        time.sleep(3)  # so that its times are trusted
        demo: list[float] = []
        names = ("again", "again, another filter", "floor", "first, nothing kept", "one more at the prompt")
        found: dict[str, list[float]] = {name: [] for name in names}
        seconds(LOOK, long, str(kept))
        for k in range(ROUNDS):
            pairs = [
                (seconds(LOOK, short, "off"), seconds(LOOK, long, str(kept))) for _ in range(PAIRS)
            ]  # in turn, as a machine that others use is twice as fast at one moment as at another
            here, again = (statistics.median(times) for times in zip(*pairs, strict=True))
            demo.append(here)
            found["again"].append(again)
            seconds([*LOOK, "--filter", "age >= 17"], long, str(kept))  # so that the column is kept
            filters = [
                f"age >= {18 + PAIRS * k + n}" for n in range(PAIRS)
            ]  # that nothing was counted by yet
            others = [seconds([*LOOK, "--filter", one], long, str(kept)) for one in filters]
            found["again, another filter"].append(statistics.median(others))
            found["floor"].append(seconds([sys.executable, "-c", FLOOR], long, "off"))
            found["first, nothing kept"].append(seconds(LOOK, long, "off"))
            one, more = (seconds(PROMPT, long, str(kept), "heard_of -b region\n" * n) for n in (1, 1 + MORE))
            found["one more at the prompt"].append((more - one) / MORE)
    print(f"the demo: {statistics.median(demo):.2f} s")
    for name, times in found.items():
        more = statistics.median(one - there for one, there in zip(times, demo, strict=True))
        ratio = statistics.median(one / there for one, there in zip(times, demo, strict=True))
        print(
            f"{rows:,} rows, {name}: {statistics.median(times):.2f} s (× {ratio:.1f} of the demo, {more:+.2f} s)"
        )


if __name__ == "__main__":
    main()
