"""A cold start of the command line, as a ratio to Python importing NumPy and the CSV reader and reading the columns.

Run from the project's folder: `python benchmarks/start.py`. Processor time, the median of rounds that run all. At the
prompt, all is loaded once: one more look there costs what a look costs by itself.
"""

from __future__ import annotations

import os
import resource
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import eager_otter as otter

ROUNDS = 9
FLOOR = """
import numpy, pyarrow.csv as arrow
wanted = arrow.ConvertOptions(include_columns=["status", "region", "wave", "wt", "liking"])
arrow.read_csv("responses.csv", convert_options=wanted)
"""
OTTER = [sys.executable, "-m", "eager_otter"]
COMMANDS = {
    "--help": [*OTTER, "--help"],
    "look heard_of -b region": [*OTTER, "look", "heard_of", "-b", "region"],
    "look liking (a mean, the plan's banner)": [*OTTER, "look", "liking"],
    "run --list": [*OTTER, "run", "--list"],
}
AT_THE_PROMPT = {
    name: name.removeprefix("look ").partition(" (")[0] for name in COMMANDS if name.startswith("look")
}
MORE = 10  # looks at the prompt


def seconds(command: list[str], folder: Path, lines: str = "") -> float:
    """Run a command, which may read some lines, and return the processor time it took."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    subprocess.run(
        command, cwd=folder, env=environment, check=True, capture_output=True, input=lines.encode()
    )
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def main() -> None:
    """Print the median ratio of each command."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        otter.write_demo(folder)
        ratios: dict[str, list[float]] = {name: [] for name in COMMANDS}
        for command in COMMANDS.values():
            seconds(command, folder)  # so that all is compiled
        for _ in range(ROUNDS):
            floor = seconds([sys.executable, "-c", FLOOR], folder)
            for name, command in COMMANDS.items():
                ratios[name].append(seconds(command, folder) / floor)
            for name, line in AT_THE_PROMPT.items():
                one, more = (seconds([*OTTER, "prompt"], folder, f"{line}\n" * n) for n in (1, 1 + MORE))
                ratios.setdefault(f"{name}, one more at the prompt", []).append((more - one) / MORE / floor)
    for name, found in ratios.items():
        print(f"{name}: × {statistics.median(found):.2f}")


if __name__ == "__main__":
    main()
