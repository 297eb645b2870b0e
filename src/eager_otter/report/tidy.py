"""The tidy form of a report: one record per figure, as CSV, Parquet or JSON."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from itertools import chain
from pathlib import Path

from eager_otter.dataclass import dataclass
from eager_otter.gates.text import as_json
from eager_otter.gates.writing import csv_line, write_bytes, write_parts
from eager_otter.report.report import Report
from eager_otter.tables.table import Record

COLUMNS = tuple(Record.__slots__)
AROUND_VALUE = COLUMNS[: COLUMNS.index("value")], COLUMNS[COLUMNS.index("value") + 1 :]


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
    for table in report.tables:
        yield from table.records(whole_table=_with_whole_tables(report))


def _with_whole_tables(report: Report) -> bool:
    return report.plan is not None and report.plan.tidy.whole_tables


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
    lists = {"tables": (as_json(table) for table in tables), "records": _by_line(report, JSON)}
    write_parts(path, _json_parts(head, lists))


def _json_parts(head: Mapping[str, str], lists: Mapping[str, Iterable[str]]) -> Iterator[str]:
    """Return a JSON object in parts: some texts, then lists with an entry, JSON already, a line."""
    yield "{\n"
    yield from (f"{as_json(name)}: {as_json(value)},\n" for name, value in head.items())
    for place, (name, entries) in enumerate(lists.items(), 1):
        yield f"{as_json(name)}: ["
        for number, entry in enumerate(entries):
            yield f"{',' if number else ''}\n{entry}"
        yield "\n],\n" if place < len(lists) else "\n]\n"
    yield "}\n"


def _write_csv(report: Report, path: Path) -> None:
    write_parts(path, chain([csv_line(COLUMNS)], _by_line(report, CSV)))


@dataclass(frozen=True, slots=True)
class _Form:
    """A form of records: how some fields of one, its value, and all of them together are written."""

    fields: Callable[[Mapping[str, object]], str]
    value: Callable[[float | None], str]
    record: Callable[[Iterable[str]], str]


def _by_line(report: Report, form: _Form) -> Iterator[str]:
    """Write records; what is the same for all figures of a line, or of a column, is written once."""
    ends: dict[tuple[str, str], str] = {}
    for table in report.tables:
        of_table = {"table": table.id, "title": table.title, "part": table.part}
        columns = [
            form.fields({"group": column.group, "column": column.label, "letter": column.letter})
            for column in table.columns
        ]
        for line, entries in table.entries():
            of_row = {
                "question": line.question,
                "row": line.label,
                "row_kind": line.kind,
                "row_code": line.code,
            }
            about = form.fields({**of_table, **of_row})
            figures = {name: form.fields({"figure": name}) for name in (line.figure, "letters")}
            for k, figure, value, text in entries:
                end = ends.get((text, line.marks[k]))
                if end is None:
                    end = ends[text, line.marks[k]] = form.fields({"text": text, "mark": line.marks[k]})
                yield form.record((about, columns[k], figures[figure], form.value(value), end))
        for record in table.whole_table_records() if _with_whole_tables(report) else ():
            before, after = ({name: getattr(record, name) for name in part} for part in AROUND_VALUE)
            yield form.record((form.fields(before), form.value(record.value), form.fields(after)))


def _written(value: float | None) -> str:
    if value is None:
        return ""
    return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)


CSV = _Form(
    fields=lambda fields: csv_line(list(fields.values()))[:-1],
    value=_written,
    record=lambda parts: ",".join(parts) + "\n",
)
JSON = _Form(
    fields=lambda fields: as_json(dict(fields))[1:-1],
    value=lambda value: f'"value": {as_json(value)}',
    record=lambda parts: "{" + ", ".join(parts) + "}",
)
