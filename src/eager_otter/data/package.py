"""Read and write data packages (datapackage.json), and read CSVW metadata: CSV files with a description beside them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any

from eager_otter.codebook.codes import canonical
from eager_otter.data.csv_file import CsvFile, open_csv
from eager_otter.data.ddi import with_description
from eager_otter.data.described import ColumnToWrite, Described, Kind
from eager_otter.errors import DataError, FileProblem, name_of, shown_path
from eager_otter.gates.copying import beside
from eager_otter.gates.reading import parse_json, read_text, resolved
from eager_otter.gates.text import as_json

LARGEST = 64_000_000  # bytes of a description
WHAT = "a description of data"
KINDS: Mapping[str, Kind] = {
    "number": "number", "integer": "number", "decimal": "number", "double": "number", "float": "number",
    "date": "date", "string": "text", "year": "number",
}  # fmt: skip


def is_description(records: object) -> bool:
    """Return whether what a JSON file holds describes CSV files: a data package, or CSVW metadata."""
    return isinstance(records, dict) and (
        "resources" in records or "tableSchema" in records or "tables" in records
    )


def read_description(path: Path) -> Mapping[str, Described]:
    """Read what a data package or CSVW metadata say of columns. Raises FileProblem, DataError."""
    _, about = _read(path)
    return about


def open_description(path: Path) -> CsvFile:
    """Open the CSV file that a data package or CSVW metadata describe. Raises FileProblem, DataError."""
    table, about = _read(path)
    place = shown_path(path)
    named = table.get("path", table.get("url"))
    if isinstance(named, list):
        if len(named) != 1:
            raise DataError(f"{place}: its table is in {len(named)} files; put them into one.")
        named = named[0]
    if not isinstance(named, str) or "://" in named:
        raise DataError(f"{place}: names no CSV file beside it; a path such as responses.csv was expected.")
    if not resolved(path.parent / named).is_relative_to(resolved(path.parent)):
        raise DataError(f"{place}: names a file outside its folder, {named!r}, which is not read.")
    data = beside(path, named)
    if data is None:
        raise FileProblem(f"{place}: its data are not beside it; looked for {named}.")
    written = table.get("dialect")
    dialect = written if isinstance(written, dict) else {}
    encoding = table.get("encoding", dialect.get("encoding"))
    file = open_csv(
        data,
        delimiter=_text_or_none(dialect.get("delimiter")),
        encoding=_text_or_none(encoding),
        decimal=_decimal_of(table),
        heading_rows=1,
    )
    return with_description(file, about, path)


def _text_or_none(value: object) -> str | None:
    return value if isinstance(value, str) and value else None


def _decimal_of(table: Mapping[str, Any]) -> str | None:
    signs = {field.get("decimalChar") for field in _fields(table)} - {None}
    return signs.pop() if len(signs) == 1 else None


def _read(path: Path) -> tuple[Mapping[str, Any], dict[str, Described]]:
    place = shown_path(path)
    found = parse_json(read_text(path, WHAT, most=LARGEST), place, "JSON")
    if not isinstance(found, dict) or not is_description(found):
        raise DataError(
            f"{place}: describes no data: a data package (resources) or CSVW metadata (tableSchema) was expected."
        )
    tables = found.get("resources", found.get("tables", [found]))
    tables = [one for one in tables if isinstance(one, dict)] if isinstance(tables, list) else []
    if len(tables) != 1:
        names = ", ".join(str(one.get("name") or one.get("path") or one.get("url")) for one in tables)
        raise DataError(
            f"{place}: describes {len(tables)} tables ({names}); one, of respondents, was expected."
        )
    (table,) = tables
    about = dict(_described(table, name_of(path)))
    if not about:
        raise DataError(f"{place}: has no schema with fields; at least one was expected.")
    return table, about


def _fields(table: Mapping[str, Any]) -> list[Mapping[str, Any]]:
    schema = table.get("schema", table.get("tableSchema"))
    fields = schema.get("fields", schema.get("columns")) if isinstance(schema, dict) else None
    return [one for one in fields if isinstance(one, dict)] if isinstance(fields, list) else []


def _described(table: Mapping[str, Any], origin: str) -> Iterator[tuple[str, Described]]:
    schema = table.get("schema")
    shared = _codes(schema.get("missingValues")) if isinstance(schema, dict) else ()
    for field in _fields(table):
        name = field.get("name") or _words(field.get("titles"))
        if not isinstance(name, str) or not name:
            continue
        labels = dict(_labels(field))
        kind = field.get("type", field.get("datatype"))
        kind = kind.get("base") if isinstance(kind, dict) else kind
        own = _codes(field["missingValues"]) if "missingValues" in field else _codes(field.get("null"))
        title = _words(field.get("title")) or (_words(field.get("titles")) if field.get("name") else "")
        yield (
            name,
            Described(
                text=_words(field.get("question"))
                or _words(field.get("description", field.get("dc:description")))
                or title,
                labels=labels,
                missing=own or shared,
                kind="single" if labels else KINDS.get(str(kind), ""),
                stem=_words(field.get("question")) or _words(field.get("group"))
                if field.get("group")
                else "",
                item=title if field.get("group") else "",
                group=_words(field.get("group")),
                section=_words(field.get("section")),
                weight=field.get("role") == "weight",
                origin=origin,
            ),
        )


def _words(value: object) -> str:
    """Read a text, or the first of several, or of its variants by language."""
    if isinstance(value, dict):
        value = next(iter(value.values()), "")
    if isinstance(value, list):
        value = value[0] if value else ""
    return value.strip() if isinstance(value, str) else ""


def _codes(values: object) -> tuple[str, ...]:
    """Read missing codes: texts, numbers, or objects with a value; "" is the usual blank."""
    listed = values if isinstance(values, list) else [] if values is None else [values]
    plain = (one.get("value") if isinstance(one, dict) else one for one in listed)
    return tuple(canonical(str(one)) for one in plain if one not in (None, ""))


def _labels(field: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    """Go through the codes of a field with their labels: categories, or an enumeration of texts."""
    for entry in field.get("categories") or []:
        if isinstance(entry, dict) and entry.get("value") is not None:
            yield canonical(str(entry["value"])), str(entry.get("label") or entry["value"])
        elif isinstance(entry, str | int):
            yield canonical(str(entry)), str(entry)
    constraints = field.get("constraints")
    if not field.get("categories") and isinstance(constraints, dict):
        for entry in constraints.get("enum") or []:
            if isinstance(entry, str | int):
                yield canonical(str(entry)), str(entry)


# --- writing --------------------------------------------------------------------------------------------

TYPES = {"number": "number", "date": "date", "text": "string"}


def data_package(
    title: str, data_name: str, variables: Sequence[ColumnToWrite], stems: Mapping[str, str]
) -> bytes:
    """Write the description of CSV data; `stems` are the texts of questions that several variables are of."""
    fields = [_field(variable, stems) for variable in variables]
    stem = Path(data_name).stem
    name = "".join(c if c.isalnum() or c in "-_." else "-" for c in stem.lower()) or "responses"
    package = {
        "name": name,
        "title": title,
        "resources": [
            {
                "name": name,
                "path": data_name,
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "schema": {"fields": fields, "missingValues": [""]},
            }
        ],
    }
    return (as_json(package, indent=1) + "\n").encode()


def _field(variable: ColumnToWrite, stems: Mapping[str, str]) -> dict[str, Any]:
    written: dict[str, Any] = {"name": variable.name, "title": variable.label}
    if variable.text:
        written["description"] = variable.text
    if variable.group:
        written |= {"group": variable.group, "question": stems.get(variable.group, "")}
    if variable.section:
        written["section"] = variable.section
    if variable.weight:
        written["role"] = "weight"
    missing = [code for code, _, one in variable.categories if one]
    if variable.kind == "single":
        written["type"] = "string"
        written["categories"] = [{"value": code, "label": label} for code, label, _ in variable.categories]
    else:
        written["type"] = TYPES[variable.kind]
    if missing:
        written["missingValues"] = ["", *missing]
    return written
