"""Score the first codebooks of made-up exports against the truth: `python benchmarks/draft.py --seeds 40`.

A column is right where its kind, the columns of its question, its ticks, the order of its answers and what is missing
are right; it is wrong with a change of figures where a weight, a tick, a missing code or an answer is live that should
not be.
Each draft is audited and run as it is.
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
import traceback
from collections import Counter, defaultdict
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pyarrow as pa
from pyarrow import csv

import eager_otter as otter
from eager_otter.codebook.model import JoinedColumn, MentionColumns, Question, TickColumns
from eager_otter.data.opening import open_data
from exports import AGREE, HELD_OUT, REGIONS, STYLES, Style, Truth, write

ROUNDS = 9
KINDS = {"ticks": "multi", "mentions": "multi", "joined": "multi"}


def main() -> None:
    """Draft, audit and run the exports of all styles, and print the score of each."""
    parser = argparse.ArgumentParser(description=(__doc__ or "").splitlines()[0])
    parser.add_argument("--seeds", type=int, default=40)
    parser.add_argument("--style", choices=[style.name for style in STYLES])
    parser.add_argument("--held-out", action="store_true", help="the styles that were held out as well")
    parser.add_argument("--show", action="store_true", help="every column that is not right")
    parser.add_argument("--no-run", action="store_true", help="do not audit and run")
    parser.add_argument(
        "--speed", action="store_true", help="time a wide file against reading its columns as text"
    )
    options = parser.parse_args()
    if options.speed:
        speed()
        return
    wanted = [style for style in STYLES if options.style in (None, style.name)]
    if not options.held_out and options.style is None:
        wanted = [style for style in wanted if style.name not in HELD_OUT]
    everywhere: Counter[str] = Counter()
    for style in wanted:
        counts: Counter[str] = Counter()
        for seed in range(options.seeds):
            with tempfile.TemporaryDirectory() as folder:
                for verdict in verdicts(style, seed, Path(folder), run=not options.no_run, show=options.show):
                    counts[verdict] += 1
        columns = counts["right"] + counts["partly"] + counts["wrong"]
        print(
            f"{style.name:16} {columns:6,} columns, {100 * counts['right'] / columns:5.1f} % right, "
            f"{counts['wrong']:4} change a figure, {counts['failed']:3} drafts do not run"
        )
        everywhere.update(counts)
    columns = everywhere["right"] + everywhere["partly"] + everywhere["wrong"]
    print(
        f"all: {columns:,} columns, {100 * everywhere['right'] / columns:.1f} % right, {everywhere['wrong']} wrong"
    )


def speed() -> None:
    """Draft a file of 500 columns and 50,000 rows, and read all its columns as text."""
    random = np.random.default_rng(1)
    rows = 50_000
    columns: dict[str, Any] = {"rid": np.arange(rows) + 100_000}
    columns |= {f"q{k}_x": random.integers(1, 6, rows) for k in range(160)}
    columns |= {f"heard{k // 12}_{k % 12}": random.integers(0, 2, rows) for k in range(120)}
    columns |= {f"rate{k // 10}_{k % 10}": random.choice(AGREE, rows) for k in range(50)}
    columns |= {f"n{k}": random.exponential(50, rows).round(1) for k in range(100)}
    columns |= {f"s{k}_y": random.choice(REGIONS, rows) for k in range(49)}
    for k in range(20):
        columns[f"why{k}_open"] = [
            f"text {one} and more" if one % 2 else "" for one in random.integers(0, 50_000, rows)
        ]
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "wide.csv"
        pd.DataFrame(columns).to_csv(path, index=False)
        texts = csv.ConvertOptions(column_types=dict.fromkeys(columns, pa.string()))
        columns.clear()  # as in a process that did not make the file
        works: dict[str, Callable[[], object]] = {
            "reading all columns as text": lambda: csv.read_csv(path, convert_options=texts),
            "drafting": lambda: otter.draft(path),
        }
        clocks: dict[str, list[tuple[float, float]]] = {what: [] for what in works}
        for _ in range(ROUNDS):
            for what, work in works.items():
                start, used = time.perf_counter(), time.process_time()
                work()
                clocks[what].append((time.perf_counter() - start, time.process_time() - used))
    for what, times in clocks.items():
        wall, busy = (statistics.median(each) for each in zip(*times, strict=True))
        print(f"{what}: {wall:.2f} s, {busy:.2f} s of processors")
    pairs = list(zip(*clocks.values(), strict=True))
    ratios = [statistics.median(drafted[k] / read[k] for read, drafted in pairs) for k in (0, 1)]
    print(f"median of {ROUNDS} rounds: × {ratios[0]:.1f}, × {ratios[1]:.1f} of processor time")


def verdicts(style: Style, seed: int, folder: Path, *, run: bool, show: bool) -> Iterator[str]:
    """Draft an export and judge each column: "right", "partly", "wrong"; "failed" where the draft does not run."""
    path, truth = write(style, seed, folder)
    drafted = otter.draft(path, folder=folder)
    drafted.save(folder)
    plan = otter.read_plan(folder / "plan.yaml")
    names = list(open_data(path, plan.reading).names)
    book = plan.codebook
    owner = {column: question for question in book for column in question.columns}
    columns_of = defaultdict(set)
    for name, one in zip(names, truth, strict=True):
        columns_of[one.group].add(name)
    for name, one in zip(names, truth, strict=True):
        problems = list(judged(name, one, owner.get(name), book, columns_of[one.group]))
        verdict = (
            "right" if not problems else "wrong" if any(p.startswith("!") for p in problems) else "partly"
        )
        if show and problems:
            print(f"  {style.name} {seed} {name!r} ({one.role}): {'; '.join(problems)}")
        yield verdict
    if run:
        try:
            otter.run_audit(plan)
            otter.run(plan).save(folder / "tables.csv", force=True)
        except otter.OtterError:
            if show:
                print(f"  {style.name} {seed}: {traceback.format_exc().splitlines()[-1]}")
            yield "failed"


def judged(
    name: str, truth: Truth, question: Question | None, book: otter.Codebook, together: set[str]
) -> Iterator[str]:
    """Say what is wrong about a column; with "!" where it changes a figure."""
    special = {column: {"id": "respondent"}.get(role, role) for role, column in book.special_columns.items()}
    if name in special or truth.role in ("weight", "respondent"):
        found = special.get(name, "" if question is None else question.kind)
        if found != truth.role:
            yield f"{'!' if found in ('weight', 'frequency') else ''}{found or 'nothing'} for {truth.role}"
        return
    if truth.role == "any":
        return
    if question is None:
        yield "!left out"
        return
    kinds = {KINDS.get(role, role) for role in (truth.role, *truth.also)}
    kind = "grid" if question.grid else question.kind
    if kind not in kinds:
        yield f"{kind} for {truth.role}"
        return
    source = question.source
    shapes = {"ticks": TickColumns, "mentions": MentionColumns, "joined": JoinedColumn}
    if truth.role in shapes and not isinstance(source, shapes[truth.role]):
        yield f"{type(source).__name__} for {truth.role}"
        return
    if truth.role == "grid":
        mine = {column for item in book if item.grid == question.grid for column in item.columns}
    else:
        mine = set(question.columns)
    if mine != together:
        yield f"{'!' if truth.role in ('ticks', 'mentions') else ''}together with {sorted(mine ^ together)}"
    if isinstance(source, TickColumns):
        label = next(
            answer.label
            for (_, column), answer in zip(source.columns, question.answers, strict=True)
            if column == name
        )
        if truth.yes and not set(truth.yes) & {*source.ticked, label}:
            yield f"!ticked {source.ticked} or {label}, not {truth.yes}"
        if truth.label and truth.label != label and truth.label in name:
            yield f"labelled {label}"
    codes = [answer.code for answer in question.answers if not answer.missing]
    if question.kind in ("single", "multi") and not isinstance(source, TickColumns):
        gone = [
            answer.code for answer in question.answers if answer.missing and answer.code not in truth.missing
        ]
        if gone:
            yield f"!missing {gone}"
    if isinstance(source, JoinedColumn) and set(codes) != set(truth.yes):
        yield f"answers {sorted(set(codes) ^ set(truth.yes))}"
    if truth.order:
        ordered = [code for code in codes if code in truth.order]
        wanted = [code for code in truth.order if code in codes]
        if ordered != wanted:
            yield f"in the order {ordered}"


if __name__ == "__main__":
    main()
