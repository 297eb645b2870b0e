"""Read the answers to a query of a database: a .sql file that begins with a comment that names the database."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterator, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.data.files import AtPath, Source, checked_names
from eager_otter.data.headings import Headings, told_apart
from eager_otter.data.lists import joined
from eager_otter.data.remark import Remark
from eager_otter.data.sheet_file import cell_as_text
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, RequestError, shown_path
from eager_otter.gates.database import Query, run_query
from eager_otter.gates.reading import read_text

LARGEST = 1_000_000  # bytes of a query
ADDRESS = re.compile(r"^\s*--\s*database:\s*(\S+)\s*$", re.MULTILINE | re.IGNORECASE)
EXAMPLE = "-- database: sqlite:///answers.db"


@dataclass(frozen=True, slots=True, eq=False)
class QueryFile(AtPath):
    """A query that was run: its answers as an Arrow table of texts, and the database `address` without a password.

    `of_lists` names the columns that held lists of answers.
    """

    names: tuple[str, ...]
    table: Any
    address: str
    headings: Headings
    of_lists: tuple[str, ...] = ()
    decimal: str = "."

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""
        return list(self.of_lists)

    def read(self, columns: Sequence[str]) -> Any:
        """Return some columns: an Arrow table. Raises DataError for a query without answers."""
        if not self.table.num_rows:
            raise DataError(f"{self.place}: the query gives no rows; at least one respondent is needed.")
        return self.table.select(list(columns))

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell of columns with one name."""
        return self.headings.remarks()

    def source(self, rows: int) -> Source:
        """Return where the responses came from: their digest is that of the answers, whenever they were given."""
        digest = hashlib.sha256(repr(self.names).encode())
        for column in self.table.columns:
            for text in column.to_pylist():
                digest.update(b"\0" if text is None else b"\1" + text.encode("utf-8", "surrogatepass"))
        fingerprint = digest.hexdigest()[:12]
        return Source(name=self.path.name, rows=rows, fingerprint=fingerprint, how=f"query of {self.address}")


def open_query(path: Path) -> QueryFile:
    """Run the query in a .sql file. Raises FileProblem, RequestError, MissingPackage; DataError for bytes."""
    text = read_text(path, "a query", most=LARGEST)
    found = ADDRESS.search(text)
    if found is None:
        raise RequestError(f"{shown_path(path)}: names no database; begin it with a line such as {EXAMPLE}")
    query = re.sub(r"^\s*--.*$", "", text, flags=re.MULTILINE).strip().rstrip(";")
    answers = run_query(Query(path, found[1], query))
    names, repeated = told_apart(answers.names)
    place = shown_path(path)
    columns = [[row[k] for piece in answers.rows for row in piece] for k in range(len(names))]
    texts = [[_text(one, name, place) for one in column] for name, column in zip(names, columns, strict=True)]
    of_lists = tuple(
        name
        for name, column in zip(names, columns, strict=True)
        if any(isinstance(one, list) for one in column)
    )
    table = pa.table([pa.array(column, pa.string()) for column in texts], names=checked_names(names, place))
    headings = Headings(tuple(names), {}, tuple(repeated))
    return QueryFile(path, tuple(names), table, answers.shown, headings, of_lists)


def _text(value: object, name: str, place: str) -> str | None:
    if isinstance(value, list):
        return joined(value, lambda one: _text(one, name, place), f"{place}: column {name!r}")
    if isinstance(value, bytes | bytearray | memoryview | dict):
        raise DataError(
            f"{place}: column {name!r} holds bytes or objects, which are no answers; leave it out of the query."
        )
    if isinstance(value, Decimal):
        return canonical(format(value, "f"))
    return cell_as_text(value)
