"""Look over the cells of a sheet before they are read into memory: how far they reach, which hold no value."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import field
from pathlib import Path
from posixpath import join, normpath
from typing import Any
from xml.etree.ElementTree import ParseError

import numpy as np

from eager_otter.dataclass import dataclass
from eager_otter.errors import FileProblem, shown_path
from eager_otter.gates.numbers import whole_of
from eager_otter.gates.reading import MEGABYTE, package_parts, reason_of

MOST_CELLS = 30_000_000  # of a sheet, from its first to its last: what memory holds
MOST_TEXT = 4_000 * MEGABYTE
MOST_NOTED = 100_000  # cells without a value whose places are kept
SMALL_PART = 16_000_000  # bytes of the parts that list the sheets

Blocks = Callable[[str], Iterator[bytes]]


@dataclass(slots=True)
class SheetCells:
    """Properties of the cells of a sheet: rows and columns they reach, those with an error, those not computed.

    `errors` maps a cell ("B7") to what is there ("#N/A"); `uncomputed` names formulas without a stored value.
    """

    rows: int = 0
    columns: int = 0
    errors: dict[str, str] = field(default_factory=dict)
    uncomputed: list[str] = field(default_factory=list)
    unnamed: bool = False  # some cells do not say where they are
    rows_met: int = 0
    shared: int = 0  # cells whose text is kept elsewhere
    text: int = 0  # bytes that these take, where that may be much


def check_cells(path: Path, sheet: str) -> SheetCells:
    """Look over the cells of a sheet of an XLSX file. Raises FileProblem for one that reaches further than is read."""
    with package_parts(path, "a workbook") as blocks:
        cells = _of_xlsx(blocks, sheet)
    _check(path, sheet, cells, cells.rows * cells.columns)
    return cells


def filled_sheets(path: Path, sheets: Sequence[str]) -> tuple[str, ...]:
    """Return those of some sheets of an XLSX file that hold anything. Raises FileProblem."""
    with package_parts(path, "a workbook") as blocks:
        return tuple(
            sheet for sheet in sheets if any(map(_CELL.search, _whole_cells(blocks(_part_of(blocks, sheet)))))
        )


def check_ods(path: Path) -> dict[str, SheetCells]:
    """Look over the cells of all sheets of an ODS file, which is read as a whole. Raises FileProblem."""
    with package_parts(path, "a workbook") as blocks:
        reader = _OdsReader()
        for block in blocks("content.xml"):
            reader.feed(block)
    for sheet, cells in reader.sheets.items():
        _check(path, sheet, cells, cells.rows * cells.columns)
    return reader.sheets


def _check(path: Path, sheet: str, cells: SheetCells, count: int) -> None:
    if count > MOST_CELLS:
        raise FileProblem(
            f"{shown_path(path)}, sheet {sheet!r}: reaches over {cells.rows:,} rows and {cells.columns:,} columns, "
            f"{count:,} cells; at most {MOST_CELLS:,} are read. Often a stray cell lies far out: delete the rows and "
            "columns behind your data, or save the sheet as CSV."
        )
    if cells.text > MOST_TEXT:
        raise FileProblem(
            f"{shown_path(path)}, sheet {sheet!r}: its texts take {cells.text / MEGABYTE:,.0f} MB, more than is read; "
            "save the sheet as CSV."
        )


# --- XLSX -----------------------------------------------------------------------------------------------

_OPEN = rb"<(?:\w+:)?c\b"
_ROW_START = re.compile(rb"<(?:\w+:)?row\b")
_CELL = re.compile(_OPEN + rb"([^<>]*)(?<!/)>\s*<(?:\w+:)?(?:v|is|f)\b")  # one that holds something
_REFERENCE = re.compile(rb"""\br\s*=\s*["']([A-Za-z]{1,4})([0-9]{1,9})["']""")
_WHOLE_CELL = re.compile(_OPEN + rb"([^<>]*)(?<!/)>(.*?)</(?:\w+:)?c\s*>", re.DOTALL)
_VALUE = re.compile(rb"<(?:\w+:)?v\b[^<>]*>([^<]+)</")
_FORMULA = re.compile(rb"<(?:\w+:)?f\b")
_ERROR = re.compile(rb"""\bt\s*=\s*["']e["']""")
_LETTERS = re.compile(rb"""\br\s*=\s*["']([A-Za-z]{1,4})[0-9]""")
_ROW_NUMBER = re.compile(rb"""row\b[^<>]*?\br\s*=\s*["']([0-9]{1,9})["']""")
_SHARED = re.compile(rb"""\bt\s*=\s*["']s["']""")
_SHARED_TEXT = re.compile(rb"""\bt\s*=\s*["']s["'][^<>]*>\s*<(?:\w+:)?v>([0-9]{1,9})</""")
_TEXT = re.compile(rb"<(?:\w+:)?si\b[^<>]*>(.*?)</(?:\w+:)?si\s*>", re.DOTALL)
LONGEST_CELL = 8 << 20  # bytes of a cell in the file, at least so much of it is looked at in one piece


def _of_xlsx(blocks: Blocks, sheet: str) -> SheetCells:
    """Look over a sheet; as cells without a value count at first, and exactly where that would be too many."""
    part = _part_of(blocks, sheet)
    cells = _looked_over(blocks, part, _look_quickly)
    if cells.unnamed or cells.rows * cells.columns > MOST_CELLS:
        cells = _looked_over(blocks, part, _look_closely)
    lengths = np.array([len(text) for text in _shared_texts(blocks)] if cells.shared else [], np.int64)
    if lengths.size and cells.shared * int(lengths.max()) > MOST_TEXT:  # then how long they are in all
        for piece in _whole_cells(blocks(part)):
            used = np.array(_SHARED_TEXT.findall(piece), np.int64)
            cells.text += int(lengths[used[used < lengths.size]].sum())
    return cells


def _looked_over(blocks: Blocks, part: str, look: Callable[[bytes, SheetCells], None]) -> SheetCells:
    cells = SheetCells()
    for piece in _whole_cells(blocks(part)):
        look(piece, cells)
        if any(sign in piece for sign in (b"<f", b":f", b'"e"', b"'e'")):
            _note_odd_cells(piece, cells)
    return cells


def _shared_texts(blocks: Blocks) -> Iterator[bytes]:
    """Go through the texts that cells share."""
    for piece in _pieces(blocks("xl/sharedStrings.xml"), (b"</si>", b":si>")):
        yield from _TEXT.findall(piece)


def _whole_cells(blocks: Iterator[bytes]) -> Iterator[bytes]:
    return _pieces(blocks, (b"</c>", b"</row>", b":c>", b":row>"))


def _pieces(blocks: Iterator[bytes], ends: tuple[bytes, ...]) -> Iterator[bytes]:
    """Join blocks to pieces that end where an element does."""
    carried = b""
    for block in blocks:
        text = carried + block
        cut = (
            max(text.rfind(end) + len(end) for end in ends if end in text)
            if any(e in text for e in ends)
            else 0
        )
        if not cut and len(text) > LONGEST_CELL:
            cut = len(text)
        carried = text[cut:]
        if cut:
            yield text[:cut]
    if carried:
        yield carried


def _look_quickly(text: bytes, cells: SheetCells) -> None:
    """Take from a piece of a sheet how far its cells reach at most, whether they hold something or not."""
    letters = _LETTERS.findall(text)
    cells.columns = max([cells.columns, *map(_column_number, set(letters))])
    cells.rows = max([cells.rows, *map(int, _ROW_NUMBER.findall(text))])
    cells.shared += text.count(b't="s"') + text.count(b"t='s'")
    cells.unnamed = cells.unnamed or len(letters) < text.count(b"<c ") + text.count(b"<c>") + text.count(
        b":c "
    )


def _look_closely(text: bytes, cells: SheetCells) -> None:
    """Take from a piece of a sheet how far the cells reach that hold something, wherever they say they are."""
    heads = _CELL.findall(text)
    joined = b" ".join(heads)
    places = set(_REFERENCE.findall(joined))
    cells.rows = max([cells.rows, *(int(number) for _, number in places)])
    cells.columns = max([cells.columns, *map(_column_number, {letters for letters, _ in places})])
    cells.shared += len(_SHARED.findall(joined))
    cells.rows_met += len(_ROW_START.findall(text))
    if len(_REFERENCE.findall(joined)) < len(heads):  # cells that stand where the last one ended
        cells.rows = max(cells.rows, cells.rows_met)
        cells.columns = max([cells.columns, *(len(_CELL.findall(row)) for row in _ROW_START.split(text))])


def _note_odd_cells(text: bytes, cells: SheetCells) -> None:
    """Note the cells of a piece that hold an error, and formulas without a result."""
    for head, body in _WHOLE_CELL.findall(text):
        error, formula = _ERROR.search(head), _FORMULA.search(body)
        value = _VALUE.search(body) if error or formula else None
        if error and len(cells.errors) < MOST_NOTED:
            cells.errors[_place_of(head)] = "" if value is None else value[1].decode("utf-8", "replace")
        elif formula and value is None and b"<is" not in body and len(cells.uncomputed) < MOST_NOTED:
            cells.uncomputed.append(_place_of(head))


def _place_of(head: bytes) -> str:
    reference = _REFERENCE.search(head)
    return "a cell" if reference is None else (reference[1] + reference[2]).decode().upper()


def _column_number(letters: bytes) -> int:
    number = 0
    for letter in letters.upper():
        number = number * 26 + letter - 64
    return number


def _part_of(blocks: Blocks, sheet: str) -> str:
    """Find the part of the package that holds a sheet."""
    book, relations = _parsed(blocks, "xl/workbook.xml"), _parsed(blocks, "xl/_rels/workbook.xml.rels")
    if book is None or relations is None:
        return ""
    for element in book.iter():
        if _local(element.tag) == "sheet" and element.get("name") == sheet:
            wanted = next((value for key, value in element.attrib.items() if _local(key) == "id"), "")
            for relation in relations.iter():
                if relation.get("Id") == wanted:
                    target = relation.get("Target", "")
                    return target.lstrip("/") if target.startswith("/") else normpath(join("xl", target))
    return ""


def _parsed(blocks: Blocks, name: str) -> Any:
    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    content = b""
    for block in blocks(name):
        content += block
        if len(content) > SMALL_PART:
            raise FileProblem(
                f"{name}: far larger than the list of a workbook's sheets is; the file is damaged."
            )
    if not content:
        return None
    try:
        return fromstring(content, forbid_dtd=True)
    except (ParseError, DefusedXmlException) as error:
        raise FileProblem(
            f"{name}: the list of sheets cannot be read ({reason_of(error)}); the file is damaged."
        ) from error


def _local(tag: str) -> str:
    return tag.rpartition("}")[2]


# --- ODS ------------------------------------------------------------------------------------------------


class _OdsReader:
    """Follows tables, rows and cells of an ODS file, each of which may stand for many."""

    def __init__(self) -> None:
        from xml.parsers.expat import ParserCreate

        self.sheets: dict[str, SheetCells] = {}
        self.cells = SheetCells()
        self.row = self.column = self.repeated = self.filled = 0
        self._parser = ParserCreate(namespace_separator=" ")
        self._parser.StartElementHandler = self._start
        self._parser.EndElementHandler = self._end
        self._parser.EntityDeclHandler = self._refuse

    def feed(self, block: bytes) -> None:
        """Take a block of the file. Raises FileProblem where it is not well formed."""
        from xml.parsers.expat import ExpatError

        try:
            self._parser.Parse(block, False)
        except ExpatError as error:
            raise FileProblem(f"content.xml: cannot be read ({error}); the file is damaged.") from error

    def _refuse(self, *_: object) -> None:
        raise FileProblem("content.xml: declares entities, which a sheet has no use for; refused.")

    def _start(self, name: str, given: dict[str, str]) -> None:
        tag = name.rpartition(" ")[2]
        attributes = {key.rpartition(" ")[2]: value for key, value in given.items()}
        if tag == "table":
            self.cells, self.row = SheetCells(), 0
            self.sheets[attributes.get("name", "")] = self.cells
        elif tag == "table-row":
            self.repeated, self.column, self.filled = _times(attributes.get("number-rows-repeated")), 0, 0
        elif tag in ("table-cell", "covered-table-cell"):
            self.column += _times(attributes.get("number-columns-repeated"))
            if attributes.get("value-type"):
                self.filled = self.column
            elif attributes.get("formula"):
                self._note()

    def _note(self) -> None:
        place = f"{_column_letters(self.column)}{self.row + 1}"
        if len(self.cells.uncomputed) < MOST_NOTED:
            self.cells.uncomputed.append(place)

    def _end(self, name: str) -> None:
        if name.rpartition(" ")[2] == "table-row":
            self.row += self.repeated
            if self.filled:
                self.cells.rows, self.cells.columns = self.row, max(self.cells.columns, self.filled)


def _times(text: str | None) -> int:
    return max(whole_of(text or "1") or 1, 1)


def _column_letters(number: int) -> str:
    letters = ""
    while number > 0:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters
