"""Write one thing to a file, by its ending: a table, a comparison, findings, an audit, the lines of a weighting."""

from __future__ import annotations

from collections.abc import Callable
from functools import singledispatch
from pathlib import Path

from eager_otter.asking.notable import Findings
from eager_otter.audit.slip import Audit
from eager_otter.comparing.comparing import Comparison
from eager_otter.documents.settled import checked
from eager_otter.errors import RequestError, one_of
from eager_otter.gates.text import as_json
from eager_otter.gates.writing import check_targets, write_rows, write_text, written_beside
from eager_otter.report import audit_view, compare_view, findings_view, weighting_view
from eager_otter.tables.explanation import Explanation
from eager_otter.weighing.weighing import Weighting

Write = Callable[[Path], None]


@checked
def save(thing: object, path: str | Path, *, force: bool = False) -> Path:
    """Write a thing to a file.

    A file that was not made by this package is replaced only with `force`. Raises RequestError for an ending that does
    not go with it, FileProblem.
    """
    path, writers = Path(path), writers_of(thing)
    ending = path.suffix.lower()
    if ending not in writers:
        raise RequestError(f"{path.name}: a {type(thing).__name__} is written as {one_of(list(writers))}.")
    check_targets([path], force=force)
    with written_beside([path], force=force) as (part,):
        writers[ending](part)
    return path


@singledispatch
def writers_of(thing: object) -> dict[str, Write]:
    """Return what writes a thing, by ending."""
    raise RequestError(f"A {type(thing).__name__} is not written to a file.")


@writers_of.register
def _(thing: Comparison) -> dict[str, Write]:
    return {
        ".xlsx": lambda part: compare_view.write_workbook(thing, part),
        ".json": lambda part: write_text(part, compare_view.as_json(thing) + "\n"),
    }


@writers_of.register
def _(thing: Findings) -> dict[str, Write]:
    return {
        ".csv": lambda part: write_rows(part, findings_view.FIELDS, findings_view.as_rows(thing)),
        ".json": lambda part: write_text(part, findings_view.as_json(thing) + "\n"),
    }


@writers_of.register
def _(thing: Audit) -> dict[str, Write]:
    return {".json": lambda part: write_text(part, audit_view.as_json(thing) + "\n")}


@writers_of.register
def _(thing: Explanation) -> dict[str, Write]:
    return {".json": lambda part: write_text(part, as_json(thing.as_dict(), indent=2) + "\n")}


@writers_of.register
def _(thing: Weighting) -> dict[str, Write]:
    return {".csv": lambda part: weighting_view.write_lines(thing, part)}
