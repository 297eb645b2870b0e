"""The tidy form of a report: one record per figure, as CSV."""

from __future__ import annotations

from pathlib import Path

from eager_otter.data.csv_out import write_rows
from eager_otter.report.report import Report
from eager_otter.tables.table import Record

COLUMNS = tuple(Record.__slots__)


def write(report: Report, path: Path) -> None:
    """Write tables.csv (UTF-8): the columns of `Record`; numbers at full precision, blank where there is none."""
    write_rows(path, COLUMNS, (_cells(record) for table in report.tables for record in table.records()))


def _cells(record: Record) -> list[str]:
    return [_written(getattr(record, name)) for name in COLUMNS]


def _written(value: float | str | None) -> str:
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return value or ""
