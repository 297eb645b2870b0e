"""The tidy form of a report: one record per figure, as CSV, Parquet or JSON."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from pathlib import Path

from eager_otter.gates.text import as_json
from eager_otter.gates.writing import write_bytes, write_parts, write_rows
from eager_otter.report.report import Report
from eager_otter.tables.table import Record

COLUMNS = tuple(Record.__slots__)


def write(report: Report, path: Path) -> None:
    """Write the columns of `Record`, numbers at full precision, by the path's ending.

    The same columns in all three: `value` holds numbers only (blank or null where there is none), `text` letters.
    """
    match path.suffix.lower():
        case ".parquet":
            _write_parquet(report, path)
        case ".json":
            _write_json(report, path)
        case ".csv":
            _write_csv(report, path)
        case other:
            raise ValueError(f"Records are written as .csv, .parquet or .json, not as {other!r}.")


def _records(report: Report) -> Iterator[Record]:
    """Go through the records of all tables, with the tests of whole tables where the plan wants these."""
    whole_table = report.plan is not None and report.plan.tidy.whole_tables
    for table in report.tables:
        yield from table.records(whole_table=whole_table)


def _write_parquet(report: Report, path: Path) -> None:
    import pyarrow as pa
    import pyarrow.parquet as pq

    records = list(_records(report))
    kinds = dict.fromkeys(COLUMNS, pa.string()) | {"value": pa.float64()}
    columns = {name: pa.array([getattr(record, name) for record in records], kinds[name]) for name in COLUMNS}
    arrow_table = pa.table(columns).replace_schema_metadata(
        {"title": report.title, "provenance": report.provenance}
    )
    content = pa.BufferOutputStream()
    pq.write_table(arrow_table, content)
    write_bytes(path, memoryview(content.getvalue()))


def _write_json(report: Report, path: Path) -> None:
    """Write title, language, provenance, the tables' notes and all records: each table and record on a line."""
    head = {"title": report.title, "language": report.words.language, "provenance": report.provenance}
    tables = (
        {"id": table.id, "title": table.title, "heading": table.heading, "notes": table.notes}
        for table in report.tables
    )
    records = ({name: getattr(record, name) for name in COLUMNS} for record in _records(report))
    write_parts(path, _json_parts(head, {"tables": tables, "records": records}))


def _json_parts(head: Mapping[str, str], lists: Mapping[str, Iterable[object]]) -> Iterator[str]:
    """Return a JSON object in parts: some texts, then lists with an entry a line."""
    yield "{\n"
    yield from (f"{as_json(name)}: {as_json(value)},\n" for name, value in head.items())
    for place, (name, entries) in enumerate(lists.items(), 1):
        yield f"{as_json(name)}: ["
        for number, entry in enumerate(entries):
            yield f"{',' if number else ''}\n{as_json(entry)}"
        yield "\n],\n" if place < len(lists) else "\n]\n"
    yield "}\n"


def _write_csv(report: Report, path: Path) -> None:
    write_rows(path, COLUMNS, (_cells(record) for record in _records(report)))


def _cells(record: Record) -> list[str]:
    return [_written(getattr(record, name)) for name in COLUMNS]


def _written(value: float | str | None) -> str:
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    return value or ""
