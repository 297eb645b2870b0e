"""Measure the outputs against the bare workbook library writing the same cells: `python benchmarks/outputs.py`."""

from __future__ import annotations

import math
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from pathlib import Path

import xlsxwriter

from eager_otter.data.files import Source
from eager_otter.data.responses import Responses
from eager_otter.report.report import Report
from eager_otter.tables.survey import Survey
from eager_otter.tables.table import Table
from eager_otter.tables.texts import cell_text
from workload import Size, make

SIZE = Size(name="outputs", respondents=5_000)  # as many cells as the medium workload; fewer people to count
ENDINGS = ("xlsx", "html", "pdf", "csv", "parquet", "json", "md")


def main() -> None:
    """Write the tables of the workload in every way and print ratios."""
    import pyarrow as pa

    frame, codebook, _, requests = make(SIZE)
    columns = pa.table({name: pa.array(frame[name], from_pandas=True) for name in frame.columns})
    source = Source(name="made up", rows=len(frame))
    survey = Survey(responses=Responses(codebook, columns, source, columns.num_rows), weight="wt")
    tables = tuple(survey.tables(requests))
    report = Report(title="Workload", tables=tables, source=source)
    cells = sum(len(table.lines) * len(table.columns) for table in tables)
    with tempfile.TemporaryDirectory() as folder:
        floor = timed(lambda: raw_workbook(tables, Path(folder) / "raw.xlsx"))
        print(f"{len(tables)} tables, {cells:,} cells")
        print(f"{'':30}seconds   × floor   size MB   peak MB")
        print(f"{'floor: the bare library':30}{floor:7.2f}{1.0:10.2f}")
        for ending in ENDINGS:
            path = Path(folder) / f"t.{ending}"
            seconds = timed(lambda path=path: report.save(path))  # type: ignore[misc]
            tracemalloc.start()
            report.save(path)
            _, peak = tracemalloc.get_traced_memory()
            tracemalloc.stop()
            print(
                f"{ending:30}{seconds:7.2f}{seconds / floor:10.2f}{path.stat().st_size / 1e6:10.1f}{peak / 1e6:10.0f}"
            )


def timed(work: Callable[[], object]) -> float:
    """Give how long a piece of work takes, in seconds."""
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def raw_workbook(tables: tuple[Table, ...], path: Path) -> None:
    """Write the same numbers, labels and letters with one number format each, and nothing else."""
    book = xlsxwriter.Workbook(str(path), {"in_memory": True})
    percent = book.add_format({"num_format": '0"%"'})
    for number, table in enumerate(tables):
        sheet = book.add_worksheet(f"Sheet {number}")
        for row, line in enumerate(table.lines):
            sheet.write_string(row, 0, line.label)
            for k, value in enumerate(line.values.tolist()):
                if math.isnan(value):
                    sheet.write_string(row, 1 + 2 * k, cell_text(table, line, k))
                else:
                    sheet.write_number(row, 1 + 2 * k, value, percent)
                if table.columns[k].letter:
                    sheet.write_string(row, 2 + 2 * k, line.letters[k] or " ", percent)
    book.close()


if __name__ == "__main__":
    main()
