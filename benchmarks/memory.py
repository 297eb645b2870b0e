"""Measure the memory that a report of a long file takes: `python benchmarks/memory.py --rows 10000000`.

The file is made up row group by row group: a respondent id, a weight, and 292 columns of answers. What is timed and
weighed is the command `run` in a process of its own, against a process that only reads the same columns of the file.
"""

from __future__ import annotations

import argparse
import json
import os
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from pyarrow import csv, parquet

SINGLES, SCALES, MULTIS, NUMBERS = 120, 40, 10, 12
TICKS = 12
BANNER = {"wave": 2, "gender": 3, "age": 6, "region": 7}
GROUP = 1 << 17


def main() -> None:
    """Make the file, run the command, and print what it took."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("--rows", type=int, default=500_000)
    parser.add_argument("--csv", action="store_true", help="a CSV file instead of a Parquet file")
    parser.add_argument("--folder", type=Path, help="where the file is made, and found again the next time")
    parser.add_argument("--options", default="", help="more options of the command")
    options = parser.parse_args()
    with tempfile.TemporaryDirectory() as temporary:
        folder = options.folder or Path(temporary)
        folder.mkdir(parents=True, exist_ok=True)
        data = folder / f"responses-{options.rows}.{'csv' if options.csv else 'parquet'}"
        if not data.exists():
            write(data, options.rows)
        (folder / "codebook.yaml").write_text(codebook(), encoding="utf-8")
        (folder / "plan.yaml").write_text(plan(data), encoding="utf-8")
        size = data.stat().st_size / 1e6
        print(f"{options.rows:,} rows × {len(columns()) + 2} columns, {data.suffix[1:]}, {size:,.0f} MB")
        command = [sys.executable, "-m", "eager_otter", "run", "plan.yaml", "-o", "tables.csv", "--force"]
        seconds, memory = weighed([*command, *options.options.split()], folder)
        print(f"eager-otter run: {seconds:.1f} s, peak {memory:,.0f} MB")
        if not options.csv:
            read, peak = weighed([sys.executable, "-c", READ, str(data)], folder)
            print(
                f"reading the columns alone: {read:.1f} s, peak {peak:,.0f} MB; the run is × {seconds / read:.1f}"
            )


READ = """
import sys
from pyarrow import parquet
with parquet.ParquetFile(sys.argv[1]) as file:
    for _ in file.iter_batches(batch_size=65_536):
        pass
"""


def weighed(command: list[str], folder: Path) -> tuple[float, float]:
    """Run a command: seconds, and the peak of the memory that it and its own processes hold together, in MB."""
    start = time.perf_counter()
    process = subprocess.Popen(command, cwd=folder, stdout=subprocess.DEVNULL)
    peak = 0.0
    while process.poll() is None:
        peak = max(peak, sum(resident(one) for one in tree_of(process.pid)))
        time.sleep(0.05)
    if process.returncode:
        raise SystemExit(f"{command} failed")
    return time.perf_counter() - start, peak


def tree_of(root: int) -> list[int]:
    """List a process and all that it started."""
    tree = [root]
    for one in tree:
        with suppress(OSError):
            tree += map(int, Path(f"/proc/{one}/task/{one}/children").read_text().split())
    return tree


def resident(process: int) -> float:
    """Return what a process holds in memory, in MB; 0 for one that is gone."""
    with suppress(OSError, IndexError):
        return int(Path(f"/proc/{process}/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6
    return 0.0


def columns() -> list[str]:
    """Name the columns of answers."""
    names = list(BANNER) + [f"q{k:03d}" for k in range(SINGLES)] + [f"s{k:02d}" for k in range(SCALES)]
    names += [f"m{k:02d}_{tick}" for k in range(MULTIS) for tick in range(1, TICKS + 1)]
    return names + [f"n{k:02d}" for k in range(NUMBERS)][: 292 - len(names)]


def part(rng: np.random.Generator, first: int, rows: int) -> dict[str, Any]:
    """Make up some rows."""
    made: dict[str, Any] = {
        "id": pa.array([f"R{k:08d}" for k in range(first, first + rows)]),
        "wt": np.round(rng.lognormal(0, 0.3, rows), 4),
    }
    for name in columns():
        codes: Any
        if name in BANNER:
            codes = rng.integers(1, BANNER[name] + 1, rows)
        elif name[0] == "q":
            codes = rng.integers(1, 5 + int(name[1:]) % 6, rows)
        elif name[0] == "s":
            codes = rng.integers(1, 6, rows)
        elif name[0] == "m":
            codes = rng.random(rows, np.float32) < 0.3
        else:
            codes = rng.integers(0, 200, rows)
        blank = rng.random(rows, np.float32) < 0.05 if name[0] in "qsn" else None
        made[name] = pa.array(codes.astype(np.int16), mask=blank)
    return made


def write(path: Path, rows: int) -> None:
    """Write the file, so many rows at a time."""
    rng = np.random.default_rng(7)
    first = pa.table(part(rng, 0, 1))
    maker = parquet.ParquetWriter if path.suffix == ".parquet" else csv.CSVWriter
    with maker(path, first.schema) as writer:
        for start in range(0, rows, GROUP):
            writer.write_table(pa.table(part(rng, start, min(GROUP, rows - start))))


def codebook() -> str:
    """Write the codebook of the file, as YAML (of which JSON is a part)."""
    questions: dict[str, Any] = {}
    for name, size in BANNER.items():
        questions[name] = single(name, size)
    for name in columns():
        if name[0] == "q":
            questions[name] = single(name, 4 + int(name[1:]) % 6)
        elif name[0] == "s" and name not in BANNER:
            questions[name] = single(name, 5) | {"scale": True}
        elif name[0] == "n":
            questions[name] = {"kind": "number", "column": name, "text": name}
    for k in range(MULTIS):
        ticks = {f"m{k:02d}_{tick}": f"Answer {tick}" for tick in range(1, TICKS + 1)}
        questions[f"m{k:02d}"] = {"kind": "multi", "text": f"m{k:02d}", "columns": ticks, "ticked": [1]}
    return json.dumps({"title": "Long", "respondent": "id", "weight": "wt", "questions": questions}, indent=1)


def single(name: str, size: int) -> dict[str, Any]:
    """Define a single question of so many answers."""
    return {
        "kind": "single",
        "text": name,
        "column": name,
        "answers": {str(k): f"Answer {k}" for k in range(1, size + 1)},
    }


def plan(data: Path) -> str:
    """Write the plan: all questions by the banner."""
    return json.dumps(
        {
            "title": "Long",
            "data": data.name,
            "codebook": "codebook.yaml",
            "weight": "wt",
            "banners": {"main": list(BANNER)},
            "tables": [{"each": "all"}],
        },
        indent=1,
    )


if __name__ == "__main__":
    main()
