"""Measure the outputs against the bare workbook library: `python benchmarks/outputs.py [--large]`.

Two floors: the library writing the same numbers, letters and labels under one format; and the library writing the very
cells of our workbook, styled blanks, merged notes, links, widths and formats included, from a list made beforehand.
"""

from __future__ import annotations

import math
import sys
import tempfile
import time
import tracemalloc
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

import xlsxwriter

from eager_otter.asking.survey import Survey
from eager_otter.data.files import Source
from eager_otter.data.responses import Responses
from eager_otter.report.report import Report
from eager_otter.tables.table import Table
from eager_otter.tables.texts import cell_text
from workload import Size, make

SIZE = Size(name="outputs", respondents=5_000)  # as many cells as the medium workload; fewer people to count
LARGE = Size(name="outputs", respondents=5_000, questions=500)
ENDINGS = ("xlsx", "html", "pdf", "csv", "parquet", "json", "md")


def main() -> None:
    """Write the tables of the workload in every way and print ratios."""
    import pyarrow as pa

    large = "--large" in sys.argv
    frame, codebook, _, requests = make(LARGE if large else SIZE, more_overlap=large)
    columns = pa.table({name: pa.array(frame[name], from_pandas=True) for name in frame.columns})
    source = Source(name="made up", rows=len(frame))
    survey = Survey(responses=Responses(codebook, columns, source, columns.num_rows), weight="wt")
    tables = tuple(survey.tables(requests))
    report = Report(title="Workload", tables=tables, source=source)
    cells = sum(len(table.lines) * len(table.columns) for table in tables)
    with tempfile.TemporaryDirectory() as folder:
        floor = timed(lambda: raw_workbook(tables, Path(folder) / "raw.xlsx"))
        same = timed(replayed(report, Path(folder)))
        print(f"{len(tables)} tables, {cells:,} cells")
        print(f"{'':30}seconds   × floor   size MB   peak MB")
        print(f"{'floor: the bare library':30}{floor:7.2f}{1.0:10.2f}")
        print(f"{'the same, every cell of ours':30}{same:7.2f}{same / floor:10.2f}")
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
    """Give how much processor time a piece of work takes, in seconds."""
    start = time.process_time()  # of this process alone, whatever else the machine does
    work()
    return time.process_time() - start


def replayed(report: Report, folder: Path) -> Callable[[], object]:
    """Give the work of writing a workbook's very cells with the bare library and nothing of ours."""
    calls: list[tuple[int, str, tuple[Any, ...], dict[str, Any]]] = []
    styles: list[dict[str, Any]] = []
    sheets: list[str] = []

    class Noting:
        """Notes what is asked of the library, and passes it on."""

        def __init__(self, real: Any, number: int) -> None:
            self._real, self._number = real, number

        def __getattr__(self, name: str) -> Any:
            def noted(*arguments: Any, **named: Any) -> Any:
                calls.append((self._number, name, arguments, named))
                return getattr(self._real, name)(*arguments, **named)

            return noted

    class NotingBook(xlsxwriter.Workbook):  # type: ignore[misc]
        def add_format(self, style: dict[str, Any]) -> Any:
            made = super().add_format(style)
            if self.formats[2:]:  # the first two are the library's own
                made.number = len(styles)
                styles.append(style)
            return made

        def add_worksheet(self, name: str) -> Any:
            sheets.append(name)
            return Noting(super().add_worksheet(name), len(sheets) - 1)

    with mock.patch("xlsxwriter.Workbook", NotingBook):
        report.save(folder / "noted.xlsx")

    def again() -> None:
        book = xlsxwriter.Workbook(str(folder / "replayed.xlsx"), {"in_memory": True})
        formats = [book.add_format(style) for style in styles]
        made = [book.add_worksheet(name) for name in sheets]
        for number, name, arguments, named in calls:
            own = [formats[a.number] if hasattr(a, "number") else a for a in arguments]
            getattr(made[number], name)(*own, **named)
        book.close()

    return again


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
