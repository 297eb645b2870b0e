"""Read a data dictionary: a table of variables and answers in the usual shapes, DDI-Codebook, a data package, CSVW."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.label_words import surely_no_answer
from eager_otter.data.ddi import read_ddi
from eager_otter.data.described import Described, Kind
from eager_otter.data.files import DataFile
from eager_otter.data.headings import TITLE_ROWS, told_apart
from eager_otter.data.opening import Reading, open_data
from eager_otter.data.package import read_description
from eager_otter.data.sheet_file import SheetFile, cell_as_text, sheet_names
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError, shown_path
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import first_of

SHEETS = (".xlsx", ".xlsm", ".ods")
LEAST_KNOWN = 0.3  # share of a column's texts that are columns of the data, for it to name variables
PAIR = re.compile(r"\s*['\"]?(-?[\w.]+)['\"]?\s*(?:=|:|→|\.\s|\)\s|–|—|-\s)\s*(\S.*?)\s*\Z", re.DOTALL)
BETWEEN = re.compile(r"\s*(?:\r?\n|[;|])\s*")
BETWEEN_COMMAS = re.compile(r"\s*,\s*(?=['\"]?-?\w+['\"]?\s*[=:])")
HEADS: Mapping[str, Sequence[str]] = {
    "name": ("variable", "variable name", "var", "varname", "name", "column", "column name", "field", "item name",
             "question id", "question code", "variablenname", "spalte"),
    "text": ("label", "variable label", "question", "question text", "text", "wording", "description", "title",
             "variable description", "frage", "fragetext", "beschreibung"),
    "code": ("value", "code", "answer code", "option code", "value code", "values code", "codes", "wert"),
    "answer": ("value label", "answer", "answer label", "answer text", "option", "option label", "category",
               "label of value", "category label", "code label", "meaning", "wertelabel", "antwort", "antwortlabel"),
    "answers": ("values", "value labels", "answers", "options", "categories", "choices", "code list", "coding",
                "wertelabels", "antworten"),
    "kind": ("type", "measure", "level", "format", "data type", "variable type", "typ", "messniveau"),
    "missing": ("missing", "missing values", "missing value", "missings", "missing codes", "fehlende werte"),
    "section": ("section", "block", "topic", "module", "abschnitt"),
}  # fmt: skip
KNOWN_HEADS = frozenset(word for words in HEADS.values() for word in words)
KINDS: tuple[tuple[re.Pattern[str], Kind], ...] = (
    (re.compile(r"date|datum", re.IGNORECASE), "date"),
    (re.compile(r"single|nominal|ordinal|categor|closed|factor", re.IGNORECASE), "single"),
    (
        re.compile(
            r"numeric|number|integer|scale|metric|ratio|interval|float|decimal|metrisch", re.IGNORECASE
        ),
        "number",
    ),
    (re.compile(r"text|string|open|char|verbatim|offen", re.IGNORECASE), "text"),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Dictionary:
    """What a dictionary says of columns, by name, and how it was read, in sentences."""

    columns: Mapping[str, Described]
    told: tuple[str, ...]


def read_dictionary(path: Path, names: Sequence[str]) -> Dictionary:
    """Read a dictionary of data whose columns have some names.

    XML is read as a DDI codebook, JSON as a data package or CSVW; a sheet or CSV in the usual shapes: a row per
    variable, its answers in a cell, or a row per variable and answer. Which column is which is guessed, and told.
    Raises FileProblem, DataError for one that describes none of the columns.
    """
    ending = path.suffix.lower()
    if ending == ".xml":
        found: Mapping[str, Described] = read_ddi(path).variables
        how = ["Read as a DDI codebook."]
    elif ending == ".json":
        found, how = read_description(path), ["Read as a description of data."]
    else:
        found, how = _tables(path, names)
    columns = dict(_matched(found, names))
    if not columns:
        raise DataError(
            f"{shown_path(path)}: describes none of the columns of the data. It has "
            f"{', '.join(list(found)[:5]) or 'none'}; the data {', '.join(names[:5])}."
        )
    return Dictionary(columns=columns, told=(*how, *_left(found, columns, names)))


def _matched(found: Mapping[str, Described], names: Sequence[str]) -> Iterator[tuple[str, Described]]:
    """Pair columns with entries: by name, whatever its case."""
    plain = {name.strip().casefold(): about for name, about in found.items()}
    for name in names:
        about = found.get(name) or plain.get(name.strip().casefold())
        if about is not None:
            yield name, about


def _left(
    found: Mapping[str, Described], columns: Mapping[str, Described], names: Sequence[str]
) -> Iterator[str]:
    """Tell what is only in the dictionary, or only in the data."""
    known = {name.strip().casefold() for name in columns}
    for what, left in (
        (
            "in the dictionary and not in the data",
            [name for name in found if name.strip().casefold() not in known],
        ),
        ("in the data and not in the dictionary", [name for name in names if name not in columns]),
    ):
        if left:
            yield f"{len(left):,} {what}: {first_of(left, 5)}."


# --- tables ---------------------------------------------------------------------------------------------


def _tables(path: Path, names: Sequence[str]) -> tuple[dict[str, Described], list[str]]:
    """Read a dictionary that is a CSV file, or one or more sheets of a workbook."""
    sheets: Sequence[str | None] = sheet_names(path) if path.suffix.lower() in SHEETS else [None]
    found: dict[str, Described] = {}
    how: list[str] = []
    for sheet in sheets:
        cells = _cells(open_data(path, Reading(sheet=sheet)))
        heads = _heads(cells, names)
        if "name" not in heads:
            how.append(f"Sheet {sheet} names no column of the data; it was left aside." if sheet else "")
            continue
        told = ", ".join(f"{what} from {head!r}" for what, head in heads.items())
        how.append(f"{f'Sheet {sheet}: ' if len(sheets) > 1 else ''}{told}.")
        for name, about in _read_table(cells, heads, path.name).items():
            found[name] = _together(found[name], about) if name in found else about
    return found, [one for one in how if one]


def _cells(file: DataFile) -> dict[str, list[str]]:
    """Read a table as texts, by its headings; in a sheet, these may stand below a title."""
    if isinstance(file, SheetFile):
        rows = [[cell_as_text(cell) or "" for cell in row] for row in file.rows]
        heads = [_known_heads(row) for row in [file.names, *rows[:TITLE_ROWS]]]
        best = heads.index(max(heads))
        if heads[best] > max(1, heads[0]):
            width = max(map(len, rows))
            names, _ = told_apart([*rows[best - 1], *[""] * (width - len(rows[best - 1]))])
            return {
                name: [row[k].strip() if k < len(row) else "" for row in rows[best:]]
                for k, name in enumerate(names)
            }
    read = file.read(list(file.names))
    return {
        name: ["" if cell is None else str(cell).strip() for cell in read.column(name).to_pylist()]
        for name in file.names
    }


def _known_heads(texts: Sequence[str]) -> int:
    """Count the texts that are headings of a dictionary."""
    return len({_plain(text) for text in texts} & KNOWN_HEADS)


def _together(one: Described, other: Described) -> Described:
    """Put what two sheets say of a column together."""
    return replace(
        one,
        text=one.text or other.text,
        labels={**one.labels, **other.labels},
        missing=tuple(dict.fromkeys((*one.missing, *other.missing))),
        kind=one.kind or other.kind,
        section=one.section or other.section,
    )


def _heads(cells: Mapping[str, Sequence[str]], names: Sequence[str]) -> dict[str, str]:
    """Guess which column of a dictionary is which: that of names by what it holds, the others by their heads."""
    known = {name.strip().casefold() for name in names}
    hits = {
        head: sum(text.casefold() in known for text in set(texts) - {""}) / max(len(set(texts) - {""}), 1)
        for head, texts in cells.items()
    }
    best = max(hits, key=lambda head: hits[head], default="")
    if not best or hits[best] < LEAST_KNOWN:  # little in common: then only a head that says so
        best = next((head for head in cells if _plain(head) in HEADS["name"] and hits[head]), "")
    if not best:
        return {}
    heads = {"name": best}
    left = [head for head in cells if head != best]
    for what, words in HEADS.items():
        for word in words:
            fitting = next((head for head in left if _plain(head) == word), None)
            if fitting is not None and what not in heads:
                heads[what] = fitting
                left.remove(fitting)
    for head in list(left):  # heads that begin with such a word
        fits = [
            one for one, words in HEADS.items() if one not in heads and _plain(head).startswith(tuple(words))
        ]
        if fits:
            heads[fits[0]] = head
            left.remove(head)
    if "answer" not in heads and "code" in heads:
        fitting = next((head for head in left if _plain(head).startswith("label")), None)
        if fitting is not None:
            heads["answer"] = fitting
    if "answers" not in heads and "answer" not in heads:
        pairs = next(
            (head for head in [*left, heads.get("code", "")] if head and _holds_pairs(cells[head])), None
        )
        if pairs is not None:
            heads = {what: head for what, head in heads.items() if head != pairs} | {"answers": pairs}
    if (
        "answers" in heads
        and "code" in heads
        and "answer" not in heads
        and not _holds_pairs(cells[heads["answers"]])
    ):
        heads["answer"] = heads.pop("answers")
    if (
        "text" in heads
        and "code" in heads
        and "answer" not in heads
        and not _holds_pairs(cells[heads["code"]])
    ):
        heads["answer"] = heads.pop("text")
    return heads


def _plain(head: str) -> str:
    return " ".join(re.sub(r"[_\W]+", " ", head).casefold().split())


def _holds_pairs(texts: Sequence[str]) -> bool:
    """Return whether cells hold codes with their labels, such as 1 = Woman; 2 = Man."""
    return sum(len(dict(_pairs(text))) > 1 for text in texts) >= 1


def _pairs(text: str) -> Iterator[tuple[str, str]]:
    """Go through the codes and labels in a cell.

    >>> dict(_pairs("1=Woman; 2 = Man")), dict(_pairs("1: Yes, often, 2: No"))
    ({'1': 'Woman', '2': 'Man'}, {'1': 'Yes, often', '2': 'No'})
    """
    pieces = [piece for piece in BETWEEN.split(text) if piece]
    if len(pieces) == 1:
        pieces = BETWEEN_COMMAS.split(text)
    for piece in pieces:
        found = PAIR.match(piece)
        if found is None:
            return
        yield canonical(found[1]), found[2].strip("'\"")


def _read_table(
    cells: Mapping[str, Sequence[str]], heads: Mapping[str, str], origin: str
) -> dict[str, Described]:
    """Read a table of variables; a row without a name goes on with the variable above."""
    rows = [dict(zip(cells, row, strict=True)) for row in zip(*cells.values(), strict=True)]
    found: dict[str, Described] = {}
    name = ""
    for row in rows:
        at = {what: row[head] for what, head in heads.items()}
        name = at["name"] or name
        if not name:
            continue
        labels = dict(_pairs(at.get("answers", "")))
        code, label = canonical(at.get("code", "")), at.get("answer", "")
        if code and label:
            labels[code] = label
        elif code and len(dict(_pairs(code))) > 0:
            labels |= dict(_pairs(at["code"]))
        elif not code and label and len(dict(_pairs(label))) > 1:
            labels |= dict(_pairs(label))
        about = Described(
            text=at.get("text", ""),
            labels=labels,
            missing=tuple(_missing(at.get("missing", ""), code)),
            kind=_kind(at.get("kind", "")),
            section=at.get("section", ""),
            origin=origin,
        )
        found[name] = _together(found[name], about) if name in found else about
    return found


def _missing(text: str, code: str) -> Iterator[str]:
    """Read missing codes: a list of them, or a yes beside the code that is meant."""
    if code and text.casefold() in ("yes", "y", "x", "1", "true", "missing", "ja"):
        yield code
        return
    for piece in re.split(r"[,;\s]+", text):
        if piece and (number_of(piece) is not None or surely_no_answer(piece)):
            yield canonical(piece)


def _kind(text: str) -> Kind:
    fitting: list[Kind] = [kind for words, kind in KINDS if words.search(text)]
    return fitting[0] if text and fitting else ""
