"""A report as one web page: no outside assets, no server; every table, its tests, and what a reader may change."""

from __future__ import annotations

import base64
import hashlib
import math
import re
import unicodedata
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import cache, partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from eager_otter.core.arrays import FloatArray, effective_base
from eager_otter.core.sums import Sums
from eager_otter.counting.laying import REST
from eager_otter.dataclass import dataclass
from eager_otter.gates.pictures import read_picture
from eager_otter.gates.reading import packaged_text
from eager_otter.gates.text import as_shown_json, held
from eager_otter.gates.writing import write_parts
from eager_otter.looks.theme import Theme
from eager_otter.looks.words import CATEGORIES, plural_forms
from eager_otter.report.contents import contents_titles
from eager_otter.report.report import Report, with_new_headings
from eager_otter.report.summary import MAIN_FINDINGS, summary_of
from eager_otter.significance.method import Correction
from eager_otter.significance.registry import corrections
from eager_otter.tables.base_rules import NOT_TESTED, WITHHELD, marks_of
from eager_otter.tables.note import NotesLength, note_lines
from eager_otter.tables.table import Evidence, Group, Line, Table
from eager_otter.tables.texts import cell_text, figure_name, figure_text, line_sign, mark_sign
from eager_otter.version import __version__

if TYPE_CHECKING:
    from jinja2 import Template
    from markupsafe import Markup

LEVELS = (99.9, 99, 95, 90, 80, 70)  # offered on the page, where any other may be typed
SAID = re.compile(r'\bsay\("([^"]*)"')  # what the page's script says
CORRECTIONS_PLACE, MORE_PLACE = "/* corrections */", "/* more */\n"  # in the script
STYLE, SCRIPT = "page.css", "page.js"
PLACES = (
    "about",
    "contents",
    "tables",
    "method",
    "data",
)  # where stands what differs as tables are made again
BETWEEN = "\0"  # on both sides of a place: no text of a survey can hold it here
MOST_LETTERS = 9  # beside a figure for which the page keeps room in the whole column
SHOWN_DIGITS = 6  # of figures that are sorted by, or shown with two decimal places
DIGITS = 9  # significant digits of what travels in the page for tests made there


def write(report: Report, path: Path) -> None:
    """Write a report as .html: one file that needs nothing else. Only a table at a time is held in memory."""
    write_parts(path, _parts(report))


class PageCache:
    """Pieces of pages made before, so that a page made again writes only tables that are new or stand elsewhere."""

    def __init__(self) -> None:
        self._pieces: dict[tuple[object, ...], tuple[Table, str]] = {}
        self._used: set[tuple[object, ...]] = set()

    def get(self, table: Table, *key: object, make: Callable[[], str]) -> str:
        """Return a piece of a table, made where it is not there yet; `key` is all else that it depends on."""
        whole = (id(table), *key)
        self._used.add(whole)
        if whole not in self._pieces:
            self._pieces[whole] = (table, make())  # the table is held, so that no other one has its number
        return self._pieces[whole][1]

    def drop_unused(self) -> None:
        """Forget the pieces that the last page did without."""
        self._pieces = {key: piece for key, piece in self._pieces.items() if key in self._used}
        self._used = set()


@dataclass(frozen=True, slots=True, kw_only=True)
class TablePiece:
    """A table of a page: its id, its `section`, and what the page's script works with, as JSON.

    `data` are its own, `banner` what it has in common with all tables of its banner.
    """

    id: str
    section: str
    data: str
    banner: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Pieces:
    """A page in pieces: a `shell` with places, and what stands there.

    `about` says what the page was made of, `said` are the words of its script as JSON.
    """

    shell: str
    about: str
    contents: str
    method: str
    said: str
    tables: tuple[TablePiece, ...]

    @property
    def text(self) -> str:
        """The page."""
        pairs = ((table.data, table.banner) for table in self.tables)
        return "".join(
            _filled(
                self.shell,
                about=lambda: [self.about],
                contents=lambda: [self.contents],
                tables=lambda: (table.section for table in self.tables),
                method=lambda: [self.method],
                data=lambda: _data_parts(self.said, pairs),
            )
        )


def page(report: Report) -> str:
    """Return a report as the text of a web page. Every survey text in it is escaped."""
    return "".join(_parts(report))


def pieces_of(report: Report, cache: PageCache, more: str = "") -> Pieces:
    """Return a page in pieces, with `more` script of its own; `cache` keeps those of tables for the next one."""
    script = _script(more)
    tables = tuple(
        TablePiece(id=table.id, section=section, data=data, banner=banner)
        for table, section, (data, banner) in zip(
            report.tables, _sections(report, cache), _data_pieces(report, cache), strict=True
        )
    )
    cache.drop_unused()
    return Pieces(
        shell=_shell(report, script),
        about=_about(report),
        contents=_contents(report),
        method=_method(report),
        said=_said(report, script),
        tables=tables,
    )


def _parts(report: Report) -> Iterator[str]:
    """Return the page in parts, one after the other; only a table at a time is held in memory."""
    script = _script()
    return _filled(
        _shell(report, script),
        about=lambda: [_about(report)],
        contents=lambda: [_contents(report)],
        tables=lambda: _sections(report),
        method=lambda: [_method(report)],
        data=lambda: _data_parts(_said(report, script), _data_pieces(report)),
    )


def _filled(shell: str, **places: Callable[[], Iterable[str]]) -> Iterator[str]:
    """Return a page part by part, with what stands in its places."""
    for k, text in enumerate(shell.split(BETWEEN)):
        yield from places[text]() if k % 2 else [text]


def _script(more: str = "") -> str:
    script = packaged_text("eager_otter.report", "page", SCRIPT)
    return script.replace(CORRECTIONS_PLACE, ", ".join(map(_correction_in_page, corrections()))).replace(
        MORE_PLACE, more
    )


def _shell(report: Report, script: str) -> str:
    """Return the page with places where what is made again stands."""
    from markupsafe import Markup

    style, look, say = packaged_text("eager_otter.report", "page", STYLE), _look(report.theme), report.words
    return _template("page").render(
        title=report.shown_title,
        generator=f"eager-otter {__version__}",
        say=say,
        figures=[(figure, figure_name(figure, say)) for figure in _figures(report.tables)],
        levels=[f"{level:g}" for level in LEVELS],
        corrections=corrections(),
        logo=_data_address(report.theme.logo),
        below=report.theme.letters == "below",
        summary=list(_summary(report)),
        main_findings=say(MAIN_FINDINGS),
        look=Markup(look),
        style=Markup(style),
        script=Markup(script),
        look_hash=hash_for_policy(look),
        style_hash=hash_for_policy(style),
        script_hash=hash_for_policy(script),
        places={name: Markup(f"{BETWEEN}{name}{BETWEEN}") for name in PLACES},
    )


def _about(report: Report) -> str:
    """Say how many tables there are, and what they were made of."""
    from markupsafe import escape

    count = report.words("{count} {count:table|tables}", count=len(report.tables))
    return str(escape(held(f"{count} · {report.provenance}")))


def _contents(report: Report) -> str:
    say = report.words
    summary = bool(list(summary_of(report)))
    return _template("contents").render(
        entries=_entries(report.tables), summary=summary, main_findings=say(MAIN_FINDINGS), say=say
    )


def _method(report: Report) -> str:
    return _template("method").render(method=report.method, say=report.words)


@cache
def _template(name: str) -> Template:
    """Make a template of the page, once."""
    from jinja2 import Environment, StrictUndefined

    environment = Environment(
        autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True, finalize=_held
    )
    return environment.from_string(packaged_text("eager_otter.report", "page", f"{name}.html.j2"))


def _correction_in_page(one: Correction) -> str:
    """Write a correction as an entry of an object in the page's script."""
    return f"{as_shown_json(one.name)}: {{ label: say({as_shown_json(one.short)}), adjust: {one.in_page} }}"


def _said(report: Report, script: str) -> str:
    """Return what the page's script says, and how it writes numbers, as JSON."""
    say = report.words
    return _json(
        {
            "words": {text: say(text) for text in sorted(set(SAID.findall(script)))},
            "decimal": say.decimal,
            "thousands": say.thousands,
            "forms": [category for category in CATEGORIES if category in plural_forms(say.language)],
        }
    )


def _data_pieces(report: Report, cache: PageCache | None = None) -> Iterator[tuple[str, str]]:
    """Return what the page's script works with, as JSON that no markup can end: of each table, and of its banner."""
    for table in report.tables:
        own = _kept(cache, table, "data", make=partial(_data_json, table))
        yield own, _kept(cache, table, "banner", make=partial(_banner_json, table))


def _data_parts(said: str, pieces: Iterable[tuple[str, str]]) -> Iterator[str]:
    """Put together what the page's script works with: what tables of one banner have in common travels once."""
    yield f'{said[:-1]},"tables":['
    shared: dict[str, int] = {}
    for number, (own, common) in enumerate(pieces):
        banner = shared.setdefault(common, len(shared))
        yield f'{"," if number else ""}{{"banner":{banner},{own[1:]}'
    yield f'],"banners":[{",".join(shared)}]}}'


def _data_json(table: Table) -> str:
    return _json(_data(table))


def _banner_json(table: Table) -> str:
    return _json(_banner_data(table))


def _kept(cache: PageCache | None, table: Table, *key: object, make: Callable[[], str]) -> str:
    return make() if cache is None else cache.get(table, *key, make=make)


def _json(value: object) -> str:
    text = as_shown_json(value)
    return text.replace("<", "\\u003c").replace(">", "\\u003e").replace("&", "\\u0026")


def _held(value: object) -> object:
    """Let text into the page as it can be held; what is markup already was made here."""
    return held(value) if type(value) is str else value


def _look(theme: Theme) -> str:
    """Return the font, and the colours of the light page; the dark ones are the page's own."""
    colours = {
        "ink": theme.ink,
        "quiet": theme.quiet,
        "river": theme.river,
        "reed": theme.reed,
        "sand": theme.sand,
        "line": theme.line,
        "letter": theme.letter,
    }
    font = f'"{theme.font}",system-ui,"Liberation Sans","DejaVu Sans",sans-serif'
    return ":root{" + "".join(f"--{name}:{colour};" for name, colour in colours.items()) + f"--font:{font}}}"


def _data_address(path: Path | None) -> str:
    """Return a picture as an address that holds it; "" for none."""
    if path is None:
        return ""
    kind = "png" if path.suffix.lower() == ".png" else "jpeg"
    return f"data:image/{kind};base64,{base64.b64encode(read_picture(path)[0]).decode()}"


def hash_for_policy(text: str) -> str:
    """Return the hash by which a page's policy lets a style or script of its own through."""
    return base64.b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _figures(tables: Sequence[Table]) -> list[str]:
    """List the kinds of figure in a report's rows, in the order they first appear."""
    return list(
        dict.fromkeys(
            line.figure
            for table in tables
            for line in table.body
            if line.kind != "heading" and line.shows.source != "base"
        )
    )


# --- what the page shows --------------------------------------------------------------------------------


def _entries(tables: Sequence[Table]) -> Iterator[dict[str, Any]]:
    """Return the contents: a heading before the first of its tables."""
    titles = contents_titles(tables)
    for number, (table, heading) in enumerate(with_new_headings(tables), 1):
        yield {
            "anchor": f"table-{number}",
            "number": number,
            "title": titles[number - 1],
            "heading": heading,
            "people": table.words.whole(table.people),
        }


def _summary(report: Report) -> Iterator[dict[str, Any]]:
    """Return the main findings by section, each with where its table is."""
    anchors = {table.id: f"table-{number}" for number, table in enumerate(report.tables, 1)}
    for section in summary_of(report):
        findings = [
            {"sentence": one.sentence, "technical": one.technical, "anchor": anchors.get(one.table, "")}
            for one in section.findings
        ]
        yield {"heading": section.heading, "findings": findings}


def _sections(report: Report, cache: PageCache | None = None) -> Iterator[str]:
    """Return the tables as pieces of the page, one after the other."""
    for number, (table, name) in enumerate(
        zip(report.tables, contents_titles(report.tables), strict=True), 1
    ):
        make = partial(_section, report, table, number, name)
        yield _kept(cache, table, number, name, report.notes, make=make) + "\n"


def _section(report: Report, table: Table, number: int, name: str) -> str:
    view = _view(table, number, name, report.notes)
    return _template("table").render(table=view, say=report.words, full=report.notes == "full")


def _view(table: Table, number: int, name: str, length: NotesLength) -> dict[str, Any]:
    starts = {group.start for group in table.groups} | {group.stop for group in table.groups}
    classes = [_class_of(table, k, edge=k in starts) for k in range(len(table.columns))]
    return {
        "anchor": f"table-{number}",
        "number": number,
        "name": name,
        "id": table.id,
        "title": table.title,
        "heads": [
            list(_level(table, level)) for level in [*table.outer_heads(), list(table.groups)] if level
        ],
        "columns": [
            {"label": column.label, "letter": column.letter, "class": classes[k]}
            for k, column in enumerate(table.columns)
        ],
        "lines": list(_lines(table, classes)),
        "notes": [
            [{"about": note.about, "text": str(note)} for note in line]
            for line in note_lines(table.notes, length)
        ],
        "all_notes": table.notes,
    }


def _class_of(table: Table, column: int, *, edge: bool) -> str:
    """Return the class of a column's cells: at a group's edge or not, with room for so many letters beside figures."""
    longest = max(len(line.letters[column]) for line in table.lines)
    if table.columns[column].role == "trend":  # its marks have no figure beside them
        longest = 0
    names = [f"l{longest}"] if 0 < longest <= MOST_LETTERS else []
    return " ".join(["edge"] * edge + names)


def _level(table: Table, heads: Sequence[Group]) -> Iterator[dict[str, Any]]:
    """Return one level of heads, with gaps where a column has none."""
    starts = {head.start: head for head in heads}
    k = 0
    while k < len(table.columns):
        head = starts.get(k)
        yield {"label": None} if head is None else {"label": head.label, "span": head.stop - head.start}
        k = k + 1 if head is None else head.stop


def _lines(table: Table, classes: Sequence[str]) -> Iterator[dict[str, Any]]:
    before: Line | None = None
    for line in table.lines:
        yield {
            "label": line.label,
            "kind": line.kind,
            "figure": line.figure,
            "indent": min(line.indent, 4),
            "sign": line_sign(line, table.words),
            "more": line.kind != "heading" and line.continues(before),
            "last": line.keeps_end,
            "signed": line.signed,
            "cells": _cells(table, line, classes),
        }
        before = line


def _cells(table: Table, line: Line, classes: Sequence[str]) -> Markup:
    """Return the cells of a line as markup, every text in it escaped; that is faster here than in the template."""
    from markupsafe import Markup, escape

    cells = []
    for k, name in enumerate(classes):
        sign = mark_sign(line, k, table.column_marks)
        parts = [f'<td class="{name}"', " data-withheld>" if line.marks[k] == "withheld" else ">"]
        parts.append(escape(cell_text(table, line, k).removesuffix(sign)))
        parts += [f"<i>{escape(sign)}</i>"] if sign else []
        parts += [f"<b>{escape(line.letters[k])}</b>"] if line.letters[k] else []
        cells.append("".join([*parts, "</td>"]))
    return Markup("".join(cells))


# --- what the page needs to make tests again ------------------------------------------------------------


def _banner_data(table: Table) -> dict[str, Any]:
    """Return the columns of a table and what is compared, as the page's script takes them."""
    comparisons = table.comparisons
    return {
        "shown": [column.number for column in table.columns],
        "letters": [column.letter for column in table.counted],
        "names": [
            column.path if column.fixed != REST else table.words("the rest") for column in table.counted
        ],
        "pairs": [] if comparisons is None else comparisons.pairs.tolist(),
        "family": [] if comparisons is None else comparisons.family.tolist(),
        "at": [] if comparisons is None else comparisons.at.tolist(),
        "trends": [k for k, column in enumerate(table.counted) if column.role == "trend"],
        "differences": {
            k: list(column.difference)
            for k, column in enumerate(table.counted)
            if column.difference is not None
        },
    }


def _data(table: Table) -> dict[str, Any]:
    """Return the figures and P values of a table, as the page's script takes them."""
    tested = [line.evidence for line in table.lines if line.evidence is not None]
    base = tested[0].base if tested else None
    data: dict[str, Any] = {
        "text": _searched(table),
        "levels": list(table.levels),
        "adjust": table.tests.adjust,
        "mark": table.base_rules.mark or 0,
        "least": table.base_rules.no_test or 0,
        "judged": "n" if table.base_rules.judged_on == "unweighted base" else "e",
        "n": [] if base is None else _numbers(base.n[0]),
        "e": [] if base is None else _numbers(np.nan_to_num(effective_base(base.w, base.w2)[0])),
        "total": table.loose[0] if table.loose else -1,
        "percents": [k for k, line in enumerate(table.lines) if line.shows.unit == "percent"],
        "values": {
            k: _numbers(line.values, SHOWN_DIGITS)
            for k, line in enumerate(table.lines)
            if line.kind != "heading"
        },
        "lines": {},
        "bases": {},
        "intervals": any(line.level is not None for line in table.lines),
        "counts": {},
        "signs": {},
    }
    seen: set[tuple[int, int, int]] = set()
    if base is not None and table.lines[0].evidence is None:
        data["bases"][0] = _smallest(tested)
    for k, line in enumerate(table.lines):
        if line.evidence is not None and (line.evidence.base is not base or (k and line.signed)):
            data["bases"][k] = _base_sizes(line.evidence.base)
        if line.evidence is not None and (line.evidence.tested is not None or line.evidence.trends):
            data["lines"][k] = _tests(table, line, line.evidence) | _trends(table, line.evidence)
            key = id(line.evidence.tested), id(line.evidence.trends), line.evidence.row
            if key in seen:
                data["lines"][k]["again"] = 1  # the same tests beside another figure of the row
            seen.add(key)
        if line.evidence is not None and line.shows.tested == "shares":
            data["counts"][k] = _counts(table, line, line.evidence)
            data["signs"][k] = line_sign(line, table.words)
    return data


def _tests(table: Table, line: Line, evidence: Evidence) -> dict[str, Any]:
    tested, row = evidence.tested, evidence.row
    if tested is None:
        return {
            "p": [],
            "s": "",
            "v": _numbers(evidence.figures(), SHOWN_DIGITS),
            "percent": line.shows.tested != "means",
        }
    pairs = tested.comparisons.pairs
    withheld = marks_of(evidence.base, table.base_rules)[0] == WITHHELD
    for column, mark in zip(table.columns, line.marks, strict=True):
        withheld[column.number] |= mark == "withheld"  # with its column, whatever a summary's own base
    p_value = tested.tests.p_value[row].copy()
    p_value[withheld[pairs[:, 0]] | withheld[pairs[:, 1]]] = np.nan
    if line.shows.tested == "counts":  # as in the table, differences of counts carry no mark
        gaps = np.array([column.difference is not None for column in table.counted])
        p_value[(tested.comparisons.at >= 0) & gaps[tested.comparisons.at]] = np.nan
    if tested.kind == "share" and np.all(tested.out[row if len(tested.out) > 1 else 0]):
        p_value[:] = np.nan  # the row is taken out of all tests
    tests: dict[str, Any] = {
        "p": _numbers(p_value),
        "s": "".join("+" if up else "-" for up in tested.tests.statistic[row] > 0),
        "v": _numbers(np.where(withheld, np.nan, evidence.figures()), SHOWN_DIGITS),
        "percent": tested.kind in ("share", "paired share"),
    }
    if withheld.any():
        tests["withheld"] = np.flatnonzero(withheld).tolist()
    if tested.kind == "share" and np.all(tested.out[row if len(tested.out) > 1 else 0]):
        tests["out"] = 1
    if tested.silent is not None:
        tests["silent"] = np.flatnonzero(tested.silent[row]).tolist()
    idle = np.flatnonzero(tested.idle).tolist()
    if idle:
        tests["idle"] = idle
    return tests


def _trends(table: Table, evidence: Evidence) -> dict[str, Any]:
    """Return the trends of a line: where each is, its P and way, the columns it ran over, and those it could."""
    thin = (marks_of(evidence.base, table.base_rules)[0] >= NOT_TESTED) | (evidence.base.n[0] == 0)
    trends = []
    for trend in evidence.trends:
        assert trend.tests is not None
        (p,) = _numbers(trend.tests.p_value[[evidence.row]])
        way = "+" if trend.tests.statistic[evidence.row] > 0 else "-"
        over = trend.over.columns.tolist()
        trends.append([trend.at, p, way, over, [k for k in trend.columns if k in over or thin[k]]])
    return {"trends": trends} if trends else {}


def _base_sizes(base: Sums) -> list[list[float | int | None]]:
    """Return the unweighted and effective base of each column counted."""
    return [_numbers(base.n[0]), _numbers(np.nan_to_num(effective_base(base.w, base.w2)[0]))]


def _smallest(tested: Sequence[Evidence]) -> list[list[float | int | None]]:
    """Give, of bases that differ by item, the smallest of each column and its effective base."""
    people = np.array([evidence.base.n[0] for evidence in tested])
    effective = np.array(
        [np.nan_to_num(effective_base(evidence.base.w, evidence.base.w2)[0]) for evidence in tested]
    )
    places = people.argmin(axis=0)
    return [_numbers(people.min(axis=0)), _numbers(effective[places, np.arange(people.shape[1])])]


def _searched(table: Table) -> str:
    """Return the words by which a table is found: id, title, rows, banner; without case or accents."""
    heads = [head for group in table.groups for head in (group.label, *group.outer)]
    labels = [*(line.label for line in table.lines), *(column.label for column in table.columns), *heads]
    words = " ".join(dict.fromkeys([table.id, table.title, *labels]))
    plain = unicodedata.normalize("NFD", words)
    return "".join(character for character in plain if not unicodedata.combining(character)).lower()


def _counts(table: Table, line: Line, evidence: Evidence) -> list[list[str]]:
    """Return each cell's text as a percent and as a count."""
    texts = []
    for place, column in enumerate(table.columns):
        percent = cell_text(table, line, place)
        there = not math.isnan(float(line.values[place])) and column.difference is None
        count = (
            figure_text(
                float(evidence.sums.w[evidence.row, column.number]), "count", table.digits, words=table.words
            )
            if there
            else percent
        )
        texts.append([percent, count])
    return texts


def _numbers(values: FloatArray, digits: int = DIGITS) -> list[float | int | None]:
    """Return numbers for JSON: whole ones whole, others with enough digits, None where there is none."""
    numbers: list[float | int | None] = []
    for value in np.asarray(values, np.float64).tolist():
        if not math.isfinite(value):
            numbers.append(None)
        else:
            short = float(f"{value:.{digits}g}")
            numbers.append(int(short) if short == int(short) else short)
    return numbers
