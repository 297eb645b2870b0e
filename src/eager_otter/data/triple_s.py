"""Read the triple-s survey interchange standard: an XML definition (1.1 to 2.0) with fixed-width or CSV data."""

from __future__ import annotations

import csv
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.data.files import Source, checked_names, source_of
from eager_otter.errors import DataError, FileProblem, shown_path

Type = Literal["single", "multiple", "quantity", "character", "logical", "date", "time"]
TYPES: tuple[Type, ...] = ("single", "multiple", "quantity", "character", "logical", "date", "time")
DATA_ENDINGS = (".csv", ".asc", ".dat", ".txt")
LARGEST_DEFINITION = 64 * 1024 * 1024


@dataclass(frozen=True, slots=True, kw_only=True)
class Value:
    """An answer of a variable."""

    code: str
    label: str
    score: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Variable:
    """A variable: where it stands in a record (from 1: characters, or fields of a CSV) and what it may hold."""

    name: str
    type: Type
    label: str
    start: int
    finish: int
    values: tuple[Value, ...] = ()
    subfields: int = 0  # 0: a multiple is a string of bits
    width: int = 0
    use: str = ""
    filter: str = ""

    @property
    def columns(self) -> tuple[str, ...]:
        """The columns it gives: one, or one per answer for a string of bits, or one per subfield."""
        if self.type != "multiple":
            return (self.name,)
        if self.subfields:
            return tuple(f"{self.name}_{k}" for k in range(1, self.subfields + 1))
        return tuple(f"{self.name}_{value.code}" for value in self.values)


@dataclass(frozen=True, slots=True, kw_only=True)
class Definition:
    """A triple-s definition."""

    path: Path
    title: str
    variables: tuple[Variable, ...]
    data: Path
    csv: bool
    skip: int


@dataclass(frozen=True, slots=True, eq=False)
class TripleSFile:
    """A triple-s survey whose definition has been read."""

    definition: Definition
    names: tuple[str, ...]
    decimal: str = "."
    _by_column: dict[str, tuple[Variable, int]] = field(default_factory=dict)

    @property
    def place(self) -> str:
        """What to call it in a message."""
        return shown_path(self.definition.path)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table. Raises FileProblem, DataError for a file without rows."""
        records = list(_records(self.definition))
        if not records:
            raise DataError(f"{shown_path(self.definition.data)}: has no records; at least one is needed.")
        arrays = []
        for name in columns:
            variable, part = self._by_column[name]
            take = _taker(variable, part, csv_fields=self.definition.csv)
            arrays.append(pa.array([take(record) for record in records], pa.string()))
        return pa.table(arrays, names=list(columns))

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return source_of(self.definition.data, rows, how=f"defined by {self.definition.path.name}")


def open_triple_s(path: Path) -> TripleSFile:
    """Open a triple-s definition and find its data. Raises FileProblem, DataError."""
    definition = read_definition(path)
    by_column = {
        column: (variable, part)
        for variable in definition.variables
        for part, column in enumerate(variable.columns)
    }
    names = [column for variable in definition.variables for column in variable.columns]
    return TripleSFile(definition, tuple(checked_names(names, shown_path(path))), ".", by_column)


def read_definition(path: Path) -> Definition:
    """Read a triple-s definition.

    Raises FileProblem for a file that is missing, no XML, or that declares entities; DataError for one that is no
    triple-s definition or whose data are not there.
    """
    from xml.etree.ElementTree import ParseError

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import parse

    place = shown_path(path)
    try:
        if path.stat().st_size > LARGEST_DEFINITION:
            raise FileProblem(f"{place}: larger than 64 MB; a definition is a small file.")
        root = parse(path, forbid_dtd=False, forbid_entities=True, forbid_external=True).getroot()
    except DefusedXmlException as error:
        raise FileProblem(
            f"{place}: declares entities, which a survey definition has no use for; refused."
        ) from error
    except ParseError as error:
        raise FileProblem(f"{place}: is no XML ({error}).") from error
    except OSError as error:
        raise FileProblem(f"{place}: cannot be read ({error.strerror}).") from error
    record = root.find("survey/record") if root is not None and root.tag == "sss" else None
    if root is None or record is None:
        raise DataError(f"{place}: is no triple-s definition: <sss> with <survey> and <record> is wanted.")
    variables = tuple(_variable(element, place) for element in record.iter("variable"))
    if not variables:
        raise DataError(f"{place}: the definition has no variables.")
    data, as_csv = _data_of(path, record)
    skip = record.get("skip", "0")
    return Definition(
        path=path,
        title=_text(root.find("survey/title")) or _text(root.find("survey/name")),
        variables=variables,
        data=data,
        csv=as_csv,
        skip=int(skip) if skip.isdigit() else 0,
    )


def _data_of(path: Path, record: Any) -> tuple[Path, bool]:
    href = record.get("href")
    candidates = [path.parent / href] if href else [path.with_suffix(ending) for ending in DATA_ENDINGS]
    for candidate in candidates:
        if candidate.is_file():
            written = record.get("format")
            as_csv = written == "csv" or (written is None and candidate.suffix.lower() == ".csv")
            return candidate, as_csv
    names = ", ".join(candidate.name for candidate in candidates)
    raise FileProblem(f"{shown_path(path)}: its data are not beside it; looked for {names}.")


def _variable(element: Any, place: str) -> Variable:
    name = _text(element.find("name")) or element.get("ident", "")
    kind = element.get("type", "")
    where = f"{place}: variable {name!r}"
    if kind not in TYPES:
        raise DataError(f"{where}: type is {kind!r}; one of {', '.join(TYPES)} is wanted.")
    position = element.find("position")
    if position is None or not position.get("start", "").isdigit():
        raise DataError(f"{where}: has no position.")
    start = int(position.get("start"))
    finish = int(position.get("finish") or start)
    spread = element.find("spread")
    values = tuple(_values(element, kind))
    subfields = int(spread.get("subfields")) if spread is not None else 0
    width = int(spread.get("width") or 0) if spread is not None else 0
    if subfields and not width:
        width = max((finish - start + 1) // subfields, 1)
    if not 0 < start <= finish or subfields > 10_000:
        raise DataError(f"{where}: its position or spread makes no sense.")
    return Variable(
        name=name,
        type=kind,
        label=_text(element.find("label")) or name,
        start=start,
        finish=finish,
        values=values,
        subfields=subfields,
        width=width,
        use=element.get("use", ""),
        filter=element.get("filter") or _text(element.find("filter")),
    )


def _values(element: Any, kind: str) -> Iterator[Value]:
    if kind == "logical":
        yield from (Value(code="1", label="Yes"), Value(code="0", label="No"))
        return
    if kind not in ("single", "multiple"):
        return
    listed: dict[str, Value] = {}
    for value in element.iterfind("values/value"):
        code = canonical(value.get("code", ""))
        score = value.get("score")
        listed[code] = Value(
            code=code, label=_text(value) or code, score=None if score is None else float(score)
        )
    for span in element.iterfind("values/range"):
        low, high = span.get("from", "0"), span.get("to", "0")
        if low.isdigit() and high.isdigit() and int(high) - int(low) < 10_000:
            for number in range(int(low), int(high) + 1):
                listed.setdefault(str(number), Value(code=str(number), label=str(number)))
    yield from sorted(listed.values(), key=lambda value: (len(value.code), value.code))


def _text(element: Any) -> str:
    """Give the text of an element, or of the first of its variants (by language or purpose)."""
    if element is None:
        return ""
    own = " ".join((element.text or "").split())
    if own:
        return own
    return next((text for child in element if (text := _text(child))), "")


def _records(definition: Definition) -> Iterator[Any]:
    place = shown_path(definition.data)
    try:
        with definition.data.open(encoding="utf-8-sig", newline="") as file:
            lines: Iterator[Any] = (
                iter(csv.reader(file)) if definition.csv else (line.rstrip("\r\n") for line in file)
            )
            for number, record in enumerate(lines):
                if number >= definition.skip and record:
                    yield record
    except UnicodeDecodeError as error:
        raise FileProblem(f"{place}: not UTF-8 text (byte {error.start + 1}). Save it as UTF-8.") from error
    except (OSError, csv.Error) as error:
        raise FileProblem(f"{place}: cannot be read ({error}).") from error


def _taker(variable: Variable, part: int, *, csv_fields: bool) -> Callable[[Any], str | None]:
    """Make the function that takes one column's text out of a record."""

    def whole(record: Any) -> str:
        if not csv_fields:
            return str(record[variable.start - 1 : variable.finish])
        return str(record[variable.start - 1]) if variable.start <= len(record) else ""

    def bit(record: Any) -> str | None:
        place = int(variable.values[part].code) - 1
        text = whole(record)
        return (
            text[place]
            if text.strip() and place < len(text) and text[place] != " "
            else "0"
            if text.strip()
            else None
        )

    def subfield(record: Any) -> str | None:
        if csv_fields and variable.finish > variable.start:
            place = variable.start - 1 + part
            text = record[place] if place < len(record) else ""
        else:
            text = whole(record)[part * variable.width : (part + 1) * variable.width]
        code = canonical(text.strip().lstrip("0") or "0") if text.strip() else ""
        return None if code in ("", "0") else code

    def single(record: Any) -> str | None:
        text = whole(record).strip()
        return canonical(text.lstrip("0") or "0") if text.isdigit() else text or None

    def plain(record: Any) -> str | None:
        return whole(record).strip() or None

    def day(record: Any) -> str | None:
        text = whole(record).strip()
        return f"{text[:4]}-{text[4:6]}-{text[6:]}" if len(text) == 8 and text.isdigit() else text or None

    if variable.type == "multiple":
        return subfield if variable.subfields else bit
    return {"single": single, "date": day}.get(variable.type, plain)
