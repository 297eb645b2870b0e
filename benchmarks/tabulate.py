"""Measure encoding, counting and letters against a floor in the same run: `python benchmarks/tabulate.py`."""

from __future__ import annotations

import argparse
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd

from eager_otter.asking.survey import Survey
from eager_otter.audit.auditing import audit_plan
from eager_otter.core.tally import BLOCK, CodedRows, bundles_of, tally
from eager_otter.counting.banner import lay_out
from eager_otter.counting.part import BannerCounting
from eager_otter.counting.population import Choice
from eager_otter.counting.rows import row_counts
from eager_otter.counting.wanted import planned
from eager_otter.data.files import Source
from eager_otter.data.responses import Responses
from eager_otter.plan.plan import Plan
from eager_otter.report.report import Report
from eager_otter.tables.request import TableRequest
from workload import LARGE, MEDIUM, Size, make

Timed = Callable[[], Any]
SCRIPT_QUESTIONS = 9  # the frame script runs on this many questions; its time is scaled up


def main() -> None:
    """Run one workload and print ratios."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--large", action="store_true", help="a million respondents instead of 50,000")
    parser.add_argument("--overlap", action="store_true", help="60 columns, 22 of them overlapping")
    parser.add_argument("--repeat", type=int, default=3)
    options = parser.parse_args()
    size = LARGE if options.large else MEDIUM
    frame, codebook, banner, requests = make(size, more_overlap=options.overlap)
    names = [request.shows.name for request in requests]

    def fresh() -> Survey:
        import pyarrow as pa

        table = pa.table({name: pa.array(frame[name], from_pandas=True) for name in frame.columns})
        source = Source(name="made up", rows=len(frame))
        return Survey(responses=Responses(codebook, table, source, table.num_rows), weight="wt")

    survey = fresh()
    encoding = best(lambda: encode_all(fresh(), names), options.repeat)
    for name in names:
        survey.responses.answers(name)
    plan = planned(Choice(weight="wt"), lay_out(banner, codebook), codebook)
    counting = BannerCounting(survey.responses, plan)
    parts = [
        part
        for name in names
        for part in row_counts(codebook.question(name), survey.responses.answers(name)).parts
    ]
    weights = survey.population().weights
    counted = best(lambda: tally(parts, counting.cells, weights=weights), options.repeat)
    tables = best(lambda: survey.tables(requests), options.repeat)
    untested = [replace(request, levels=()) for request in requests]
    without = best(lambda: survey.tables(untested), options.repeat)
    floor = best_of_passes(parts, counting, weights, options.repeat)
    plain = best(lambda: plain_passes(parts, counting, weights), 1)
    script = best(lambda: frame_script(frame, codebook, names), 1) * len(names) / SCRIPT_QUESTIONS
    peak = peak_memory(lambda: survey.tables(requests))
    written = Plan(data=Path("made-up.csv"), codebook=codebook, requests=tuple(requests), weight="wt")
    audit = best(lambda: audit_plan(written, survey), options.repeat)
    workbook = best(lambda: write_workbook(survey, requests), 1)
    report(
        size,
        len(plan.layout.columns) - 1,
        encoding,
        counted,
        tables,
        floor,
        plain,
        script,
        tables - without,
        peak,
    )
    share_of_a_run(audit, encoding + workbook)


def encode_all(survey: Survey, names: list[str]) -> None:
    """Encode every question once."""
    for name in names:
        survey.responses.answers(name)


def report(size: Size, columns: int, *figures: float) -> None:
    """Print what was measured."""
    encoding, counted, tables, floor, plain, script, tests, peak = figures
    print(
        f"{size.name}: {size.respondents:,} respondents, {size.questions} questions, {columns} banner columns"
    )
    print(f"{'':44}seconds   × floor")
    for what, seconds in (
        ("floor: the bare bincount passes of the tally", floor),
        ("the tally", counted),
        ("tables: tally, percents, letters, notes", tables),
        ("of these, tests, letters and their notes", tests),
        ("one bare pass per question, set and measure", plain),
        ("encoding from a frame (not in the above)", encoding),
        ("frame script: groupby and a loop over pairs", script),
    ):
        print(f"{what:44}{seconds:7.3f}{seconds / floor:10.2f}")
    print(f"peak memory of the tables beyond the codes: {peak / 1e6:.0f} MB")


def share_of_a_run(audit: float, run: float) -> None:
    """Print what the audit that every run makes adds to reading codes, making tables and writing a workbook."""
    print(
        f"the audit: {audit:.3f} s, {100 * audit / run:.1f} % of a run (encoding, tables, workbook: {run:.2f} s)"
    )


def write_workbook(survey: Survey, requests: list[TableRequest]) -> None:
    """Write the tables as a workbook."""
    report = Report(title="Workload", tables=tuple(survey.tables(requests)), source=survey.source)
    with tempfile.TemporaryDirectory() as folder:
        report.save(Path(folder) / "t.xlsx")


def best(work: Timed, repeat: int) -> float:
    """Give the shortest of several times, in seconds."""
    times = []
    for _ in range(repeat):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def peak_memory(work: Timed) -> int:
    """Give the peak of what a piece of work allocates, in bytes."""
    tracemalloc.start()
    work()
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    return peak


def best_of_passes(parts: list[Any], counting: BannerCounting, weights: Any, repeat: int) -> float:
    """Time only the bincount calls that the tally makes: same indexes, blocks and sizes, indexes made before."""
    w = np.ascontiguousarray(weights)
    w2 = w * w
    coded = [part for part in parts if isinstance(part, CodedRows)]
    numbers = len(parts) - len(coded)
    total = 0.0
    for cells in counting.cells.sets:
        for bundle in bundles_of(coded):
            size = bundle.size * cells.cells
            index = bundle.codes(0, w.size).astype(np.intp) * cells.cells + cells.cell
            blocks = [slice(start, start + BLOCK) for start in range(0, w.size, BLOCK)]
            kept = [(np.ascontiguousarray(index[block]), w[block], w2[block]) for block in blocks]
            total += best(partial(_three_passes, kept, size), repeat)
        cell = cells.cell.astype(np.intp)
        total += numbers * best(partial(_seven_passes, cell, w, cells.cells), repeat)
    return total


def _three_passes(kept: list[tuple[Any, Any, Any]], size: int) -> None:
    for index, w, w2 in kept:
        np.bincount(index, None, size)
        np.bincount(index, w, size)
        np.bincount(index, w2, size)


def _seven_passes(cell: Any, w: Any, size: int) -> None:
    for _ in range(7):
        np.bincount(cell, w, size)


def plain_passes(parts: list[Any], counting: BannerCounting, weights: Any) -> None:
    """Count every question by every set of cells in one go each, as plain NumPy would."""
    w2 = weights * weights
    for part in parts:
        for cells in counting.cells.sets:
            if isinstance(part, CodedRows):
                index = part.codes.astype(np.intp) * cells.cells + cells.cell
                for term in (None, weights, w2):
                    np.bincount(index, term, part.size * cells.cells)
            else:
                present = ~np.isnan(part.values)
                cell, s = cells.cell[present].astype(np.intp), part.values[present]
                for term in (None, weights[present], w2[present], s, s, s, s):
                    np.bincount(cell, term, cells.cells)


def frame_script(frame: pd.DataFrame, codebook: Any, names: list[str]) -> None:
    """Do what a straightforward script does: group, sum, divide, then loop over pairs of columns."""
    from math import erfc, sqrt

    frame = frame.assign(w2=frame["wt"] ** 2, n=1)
    for name in names[:SCRIPT_QUESTIONS]:
        question = codebook.question(name)
        for k in range(7):
            by = f"banner_{k}"
            if question.kind == "number":
                frame.groupby(by)[name].agg(["count", "mean", "std"])
                continue
            for column in question.columns:
                sums = frame.groupby([by, column])[["n", "wt", "w2"]].sum()
                bases = frame.groupby(by)[["n", "wt", "w2"]].sum()
                shares = sums["wt"] / bases["wt"]
                effective = bases["wt"] ** 2 / bases["w2"]
                for answer in frame[column].unique():
                    for a in bases.index:
                        for b in bases.index[bases.index > a]:
                            p1, p2 = shares.get((a, answer), 0.0), shares.get((b, answer), 0.0)
                            e1, e2 = effective[a], effective[b]
                            p = (e1 * p1 + e2 * p2) / (e1 + e2)
                            spread = p * (1 - p) * (1 / e1 + 1 / e2)
                            erfc(abs(p1 - p2) / sqrt(2 * spread)) if spread > 0 else None


if __name__ == "__main__":
    main()
