"""The definition of a triple-s survey: an XML file (1.1 to 2.0) that tells what stands where in its data."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, Literal

from eager_otter.codebook.codes import canonical
from eager_otter.data.xml import parsed_xml, text_in
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, FileProblem, name_of, shown_path
from eager_otter.gates.copying import beside
from eager_otter.gates.numbers import number_of, whole_of
from eager_otter.gates.reading import read_bytes, reading, resolved

Type = Literal["single", "multiple", "quantity", "character", "logical", "date", "time"]
TYPES: tuple[Type, ...] = ("single", "multiple", "quantity", "character", "logical", "date", "time")
LARGEST_DEFINITION = 64_000_000  # bytes
WIDEST = 10_000_000  # characters of a record, or its fields
MOST_SUBFIELDS = MOST_VALUES = 10_000
DATA_ENDINGS = (".csv", ".asc", ".dat", ".txt")


@dataclass(frozen=True, slots=True, kw_only=True)
class Value:
    """An answer of a variable."""

    code: str
    label: str
    score: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Variable:
    """A variable: where it is in a record (from 1: characters, or fields of a CSV) and what it may hold.

    The values of a quantity are the codes among its numbers that have a meaning of their own.
    """

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


def read_definition(path: Path) -> Definition:
    """Read a triple-s definition.

    Raises FileProblem for a file that is missing, not XML, or that declares entities; DataError for one that is not a
    triple-s definition, that holds several records, or whose data are not there.
    """
    place = shown_path(path)
    content = read_bytes(path, "a triple-s definition", most=LARGEST_DEFINITION)
    with reading(path, "XML"):
        root = parsed_xml(content, place)
    records = root.findall("survey/record") if root is not None and root.tag == "sss" else []
    if root is None or not records:
        raise DataError(
            f"{place}: is not a triple-s definition: <sss> with <survey> and <record> was expected."
        )
    if len(records) > 1:
        raise DataError(
            f"{place}: defines {len(records)} records; files of one record, a respondent each, are read. Export the "
            "respondents alone."
        )
    record = records[0]
    with reading(path, "triple-s"):
        variables = tuple(_variable(element, place) for element in record.iter("variable"))
    if not any(variable.columns for variable in variables):
        raise DataError(f"{place}: the definition has no variables with answers; at least one was expected.")
    data, as_csv = _data_of(path, record)
    skip = whole_of(record.get("skip", "0"))
    if skip is None or skip < 0:
        raise DataError(f"{place}: skip is {record.get('skip')!r}; a number of lines was expected.")
    return Definition(
        path=path,
        title=text_in(root.find("survey/title")) or text_in(root.find("survey/name")),
        variables=variables,
        data=data,
        csv=as_csv,
        skip=skip,
    )


def _data_of(path: Path, record: Any) -> tuple[Path, bool]:
    """Find the data, and whether they are CSV."""
    data = data_beside(path, record.get("href") or "")
    written = record.get("format")
    return data, written == "csv" or (written is None and data.suffix.lower() == ".csv")


def data_beside(path: Path, named: str) -> Path:
    """Find the data of a definition: the file that is `named`, in its folder or below, else one of the same name.

    Raises FileProblem.
    """
    candidates = [Path(name_of(path)).with_suffix(ending).name for ending in DATA_ENDINGS]
    if named:
        inside = resolved(path.parent / named).is_relative_to(resolved(path.parent))
        candidates = [named if inside else named.replace("\\", "/").rsplit("/", maxsplit=1)[-1]]
    for name in candidates:
        found = beside(path, name)
        if found is not None:
            return found
    names = ", ".join(Path(name).name for name in candidates)
    raise FileProblem(f"{shown_path(path)}: its data are not beside it; looked for {names}.")


def _variable(element: Any, place: str) -> Variable:
    name = text_in(element.find("name")) or element.get("ident", "")
    kind = element.get("type", "")
    where = f"{place}: variable {name!r}"
    if kind not in TYPES:
        raise DataError(f"{where}: type is {kind!r}; one of {', '.join(TYPES)} was expected.")
    position, spread = element.find("position"), element.find("spread")
    if position is None:
        raise DataError(f"{where}: has no position.")
    start = _whole(position, "start", where)
    finish = _whole(position, "finish", where, usual=start)
    subfields = 0 if spread is None else _whole(spread, "subfields", where)
    width = 0 if spread is None else _whole(spread, "width", where, usual=0)
    if subfields and not width:
        width = max((finish - start + 1) // subfields, 1)
    if not 0 < start <= finish <= WIDEST or not 0 <= subfields <= MOST_SUBFIELDS or not 0 <= width <= WIDEST:
        raise DataError(f"{where}: its position ({start} to {finish}) or its spread cannot be.")
    values = tuple(_values(element, kind, where))
    if kind == "multiple" and not subfields:
        _check_bits(values, where)
    return Variable(
        name=name,
        type=kind,
        label=text_in(element.find("label")) or name,
        start=start,
        finish=finish,
        values=values,
        subfields=subfields,
        width=width,
        use=element.get("use", ""),
        filter=element.get("filter") or text_in(element.find("filter")),
    )


def _whole(element: Any, name: str, where: str, usual: int | None = None) -> int:
    """Read a whole number from an element. Raises DataError."""
    text = element.get(name)
    if not text and usual is not None:
        return usual
    number = whole_of((text or "").strip())
    if number is None:
        raise DataError(f"{where}: {name} is {text!r}; a whole number was expected.")
    return number


def _check_bits(values: Sequence[Value], where: str) -> None:
    """Refuse codes that say no place in a string of bits, which they count from 1. Raises DataError."""
    wrong = [value.code for value in values if (whole_of(value.code) or 0) < 1]
    if wrong:
        raise DataError(
            f"{where}: the codes of a multiple say where their bits are, from 1; found {', '.join(wrong[:5])}."
        )


def _values(element: Any, kind: str, where: str) -> Iterator[Value]:
    if kind == "logical":
        yield from (Value(code="1", label="Yes"), Value(code="0", label="No"))
        return
    if kind not in ("single", "multiple", "quantity"):
        return
    listed: dict[str, Value] = {}
    for value in element.iterfind("values/value"):
        code = canonical(value.get("code", ""))
        score = value.get("score")
        number = None if score is None else number_of(score.strip())
        if score is not None and number is None:
            raise DataError(f"{where}: the score of code {code!r} is {score!r}; a number was expected.")
        if code in listed:
            raise DataError(f"{where}: the code {code!r} appears twice.")
        listed[code] = Value(code=code, label=text_in(value) or code, score=number)
    spans = (
        element.iterfind("values/range") if kind != "quantity" else ()
    )  # those of a quantity are its numbers
    for span in spans:
        low, high = _whole(span, "from", where), _whole(span, "to", where)
        if high - low > MOST_VALUES:
            raise DataError(
                f"{where}: a range of {high - low + 1:,} codes; at most {MOST_VALUES:,} are read."
            )
        for number in range(low, high + 1):
            listed.setdefault(str(number), Value(code=str(number), label=str(number)))
    yield from sorted(listed.values(), key=lambda value: (len(value.code), value.code))
