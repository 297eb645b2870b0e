"""Read and write DDI-Codebook (2.5): an XML codebook of variables and categories, with its fixed-width or CSV data."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element, SubElement, indent, tostring

import pyarrow as pa

from eager_otter.codebook.codes import canonical
from eager_otter.data.csv_file import CsvFile, open_csv
from eager_otter.data.described import ColumnsTogether, ColumnToWrite, Described, Kind
from eager_otter.data.files import DataFile, Source, checked_names, is_long, source_of
from eager_otter.data.records import tables_of
from eager_otter.data.remark import Remark, blank_lines, short_records
from eager_otter.data.triple_s_definition import data_beside
from eager_otter.data.xml import parsed_xml, printable, root_tag, text_in
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, name_of, shown_path
from eager_otter.gates.numbers import whole_of
from eager_otter.gates.reading import checked_file, read_bytes, read_lines, read_start, reading

NAMESPACE = "ddi:codebook:2_5"
LARGEST = 256_000_000  # bytes of a codebook
LARGEST_DATA = 2_000_000_000
START = 1 << 16  # bytes in which an XML file names its root
WIDEST = 10_000_000  # characters of a record
WHAT = "a DDI codebook"


@dataclass(frozen=True, slots=True)
class Placed:
    """Where a variable is in a record: characters `start` (from 1) to `end`, `decimals` of them behind the point."""

    start: int
    end: int
    decimals: int = 0

    def text(self, record: str) -> str | None:
        """Take its text out of a record; None for blanks."""
        text = record[self.start - 1 : self.end].strip()
        digits = text.removeprefix("-")
        if self.decimals and digits.isdigit():
            padded = digits.zfill(self.decimals + 1)
            sign = "-" if text.startswith("-") else ""
            text = f"{sign}{padded[: -self.decimals]}.{padded[-self.decimals :]}"
        return canonical(text) if text else None


@dataclass(frozen=True, slots=True)
class DdiBook:
    """A DDI codebook: its title, what it says of each variable, where these are, and the name of the data."""

    path: Path
    title: str
    variables: Mapping[str, Described]
    places: Mapping[str, Placed]
    data_name: str


@dataclass(frozen=True, slots=True, eq=False)
class FixedWidthFile:
    """Records of fixed width, placed by a DDI codebook."""

    book: DdiBook
    data: Path
    names: tuple[str, ...]
    described: Mapping[str, Described]
    decimal: str = "."

    @property
    def place(self) -> str:
        """Its name in a message."""
        return shown_path(self.book.path)

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from."""
        return (self.book.path, self.data)

    def read(self, columns: Sequence[str]) -> Any:
        """Read some columns as text: an Arrow table. Raises FileProblem, DataError for a file without rows."""
        parts = list(self.in_a_row(columns))
        if not parts:
            raise DataError(f"{shown_path(self.data)}: has no records; at least one is needed.")
        return pa.concat_tables(parts)

    @property
    def is_long(self) -> bool:
        """Whether it is so large that it is better read once only."""
        return is_long(self.data)

    def in_a_row(self, columns: Sequence[str]) -> Iterator[Any]:
        """Read some columns as text in parts: Arrow tables. Raises FileProblem."""
        return tables_of(self._records(), {name: self.book.places[name].text for name in columns})

    def _records(self) -> Iterator[str]:
        for line in self._lines():
            if line.strip():
                yield line

    def _lines(self) -> Iterator[str]:
        checked_file(self.data, "the data of a DDI codebook", most=LARGEST_DATA)
        for line in read_lines(self.data, "the data of a DDI codebook"):
            yield line.rstrip("\r\n")

    def remarks(self, rows: int) -> Iterator[Remark]:
        """Tell of records that are shorter than the codebook says, and of blank lines."""
        needed = max(place.end for place in self.book.places.values())
        short, blank = [], 0
        for number, line in enumerate(self._lines(), 1):
            if not line.strip():
                blank += 1
            elif len(line) < needed:
                short.append(f"line {number:,}")
        if short:
            yield short_records(short)
        if blank:
            yield blank_lines(blank)

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return source_of(self.data, rows, how=f"defined by {name_of(self.book.path)}")


def is_ddi(path: Path) -> bool:
    """Return whether an XML file is a DDI codebook. Raises FileProblem."""
    return _plain(root_tag(read_start(path, "an XML file", START))) == "codeBook"


def read_ddi(path: Path) -> DdiBook:
    """Read a DDI codebook. Raises FileProblem, DataError for one without variables, or with places that cannot be."""
    place = shown_path(path)
    with reading(path, "XML"):
        root = parsed_xml(read_bytes(path, WHAT, most=LARGEST), place)
    for element in root.iter():
        if isinstance(element.tag, str):
            element.tag = _plain(element.tag)
    if root.tag != "codeBook":
        raise DataError(
            f"{place}: is not a DDI codebook: <codeBook> was expected, found <{_plain(root.tag)}>."
        )
    elements = root.findall("dataDscr/var")
    if not elements:
        raise DataError(f"{place}: describes no variables; <dataDscr> with <var> was expected.")
    by_id = {element.get("ID", ""): element.get("name", "") for element in elements}
    groups = dict(_groups(root, by_id))
    sections = dict(_sections(root, by_id))
    variables = {}
    places = {}
    for element in elements:
        name = element.get("name") or element.get("ID") or ""
        variables[name] = replace(
            _described(element, name_of(path), groups.get(name)), section=sections.get(name, "")
        )
        location = element.find("location")
        if location is not None and location.get("StartPos"):
            places[name] = _placed(element, location, f"{place}: variable {name!r}")
    return DdiBook(
        path=path,
        title=text_in(root.find("stdyDscr/citation/titlStmt/titl")),
        variables=variables,
        places=places,
        data_name=text_in(root.find("fileDscr/fileTxt/fileName")),
    )


def _plain(tag: str) -> str:
    return tag.rpartition("}")[2]


def _groups(root: Any, by_id: Mapping[str, str]) -> Iterator[tuple[str, tuple[str, str]]]:
    """Go through the variables of multiple responses and grids, with the name and text of their group."""
    for group in root.findall("dataDscr/varGrp"):
        if group.get("type") in ("multipleResp", "grid"):
            text = (
                text_in(group.find("qstn/qstnLit"))
                or text_in(group.find("txt"))
                or text_in(group.find("labl"))
            )
            for one in (group.get("var") or "").split():
                yield by_id.get(one, one), (group.get("name") or group.get("ID") or "", text)


def _sections(root: Any, by_id: Mapping[str, str]) -> Iterator[tuple[str, str]]:
    """Go through the variables of the questionnaire's sections, those of the groups within as well."""
    groups = {group.get("ID", ""): group for group in root.findall("dataDscr/varGrp")}
    for group in groups.values():
        if group.get("type") != "section":
            continue
        title = text_in(group.find("labl")) or text_in(group.find("txt")) or group.get("name", "")
        inside = [groups[one] for one in (group.get("varGrp") or "").split() if one in groups]
        for holder in (group, *inside):
            for one in (holder.get("var") or "").split():
                yield by_id.get(one, one), title


def _described(element: Any, origin: str, group: tuple[str, str] | None) -> Described:
    labels: dict[str, str] = {}
    missing: list[str] = []
    for category in element.findall("catgry"):
        code = canonical(text_in(category.find("catValu")))
        if not code:
            continue
        labels[code] = text_in(category.find("labl")) or code
        if category.get("missing") in ("Y", "true", "1"):
            missing.append(code)
    for item in element.findall("invalrng/item"):
        if item.get("VALUE"):
            missing.append(canonical(item.get("VALUE")))
    label = text_in(element.find("labl"))
    text = text_in(element.find("qstn/qstnLit")) or label
    in_group = group is not None
    name, stem = group if group is not None else ("", "")
    return Described(
        text=text,
        labels=labels,
        missing=tuple(dict.fromkeys(missing)),
        stem=stem or name if in_group else "",
        item=label if in_group else "",
        group=name,
        kind=_kind(element, labels),
        weight=element.get("wgt") == "wgt",
        origin=origin,
    )


def _kind(element: Any, labels: Mapping[str, str]) -> Kind:
    form = element.find("varFormat")
    if form is not None and form.get("category") in ("date",):
        return "date"
    if form is not None and form.get("type") == "character" and not labels:
        return "text"
    if labels and element.get("intrvl") != "contin":
        return "single"
    return "number" if form is not None and form.get("type") == "numeric" else ""


def _placed(element: Any, location: Any, where: str) -> Placed:
    start, end = whole_of(location.get("StartPos", "")), whole_of(location.get("EndPos", ""))
    width = whole_of(location.get("width", ""))
    if start is not None and end is None and width is not None:
        end = start + width - 1
    decimals = whole_of(element.get("dcml") or "0")
    if start is None or end is None or decimals is None or not 0 < start <= end <= WIDEST or decimals < 0:
        raise DataError(
            f"{where}: its place in a record cannot be; StartPos and EndPos (or width) are whole numbers from 1 up."
        )
    return Placed(start, end, decimals)


def open_ddi(path: Path) -> DataFile:
    """Open a DDI codebook with its data: fixed width where it places its variables, else CSV.

    Raises FileProblem where the data are not there, DataError for data without any of the variables.
    """
    book = read_ddi(path)
    data = data_beside(path, book.data_name)
    if book.places:
        names = checked_names(list(book.places), shown_path(path))
        return FixedWidthFile(book, data, tuple(names), book.variables)
    return with_description(open_csv(data), book.variables, path)


def with_description(file: CsvFile, about: Mapping[str, Described], path: Path) -> CsvFile:
    """Return a CSV file with what its definition at a path says of its columns. Raises DataError for one of others."""
    known = [name for name in file.names if name in about]
    if not known:
        raise DataError(
            f"{shown_path(path)}: describes none of the columns of {file.place}: it has "
            f"{', '.join(list(about)[:5])}, the data {', '.join(file.names[:5])}."
        )
    return replace(file, described=about, definition=path)


# --- writing --------------------------------------------------------------------------------------------


def ddi_codebook(
    title: str,
    data_name: str,
    rows: int,
    variables: Sequence[ColumnToWrite],
    groups: Sequence[ColumnsTogether],
) -> bytes:
    """Write a DDI codebook of data of so many rows, which are CSV."""
    root = Element("codeBook", {"xmlns": NAMESPACE, "version": "2.5"})
    statement = SubElement(SubElement(SubElement(root, "stdyDscr"), "citation"), "titlStmt")
    SubElement(statement, "titl").text = printable(title)
    about = SubElement(SubElement(root, "fileDscr"), "fileTxt")
    SubElement(about, "fileName").text = data_name
    size = SubElement(about, "dimensns")
    SubElement(size, "caseQnty").text = str(rows)
    SubElement(size, "varQnty").text = str(len(variables))
    SubElement(about, "fileType").text = "text/csv"
    body = SubElement(root, "dataDscr")
    ids = {variable.name: f"V{k}" for k, variable in enumerate(variables, 1)}
    for k, group in enumerate(groups, 1):
        inside = " ".join(ids[name] for name in group.columns)
        element = SubElement(body, "varGrp", ID=f"G{k}", name=group.name, type=group.type, var=inside)
        SubElement(element, "txt").text = printable(group.text)
    sections: dict[str, list[str]] = {}
    for variable in variables:
        if variable.section:
            sections.setdefault(variable.section, []).append(ids[variable.name])
    for k, (section, inside_it) in enumerate(sections.items(), 1):
        element = SubElement(body, "varGrp", ID=f"S{k}", type="section", var=" ".join(inside_it))
        SubElement(element, "labl").text = printable(section)
    for variable in variables:
        _write_variable(body, variable, ids[variable.name])
    indent(root)
    return bytes(tostring(root, encoding="utf-8", xml_declaration=True))


def _write_variable(body: Element, variable: ColumnToWrite, ident: str) -> None:
    form = {"number": "contin"}.get(variable.kind, "discrete")
    weight = {"wgt": "wgt"} if variable.weight else {}
    element = SubElement(body, "var", {"ID": ident, "name": variable.name, "intrvl": form, **weight})
    SubElement(element, "labl").text = printable(variable.label)
    if variable.text:
        SubElement(SubElement(element, "qstn"), "qstnLit").text = printable(variable.text)
    for code, label, missing in variable.categories:
        category = SubElement(element, "catgry", {"missing": "Y"} if missing else {})
        SubElement(category, "catValu").text = code
        SubElement(category, "labl").text = printable(label)
    plain = variable.kind == "number" or (
        variable.categories and all(c.lstrip("-").isdigit() for c, _, _ in variable.categories)
    )
    more = {"category": "date"} if variable.kind == "date" else {}
    SubElement(element, "varFormat", {"type": "numeric" if plain else "character", **more})
