"""Notes on marks and signs: what each means, with the threshold."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.core.arrays import IntArray
from eager_otter.counting.banner import BannerColumns
from eager_otter.looks.words import Words, said
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest
from eager_otter.tables.table import Line, Mark
from eager_otter.tables.texts import MARK_SIGNS, NOT_THERE, WITHHELD, ZERO, figure_text, is_never_there


def mark_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[Note]:
    """Say what the marks of thin bases mean, and the thresholds."""
    rules, say = request.bases, request.words
    seen = _seen(layout)
    marks = {line.marks[k] for line in lines for k in seen}
    unweighted = rules.judged_on == "unweighted base"
    base = say(said("base") if unweighted else said("effective base"))
    if "low base" in marks and rules.mark is not None:
        wording = said("{sign} {base} below {least}: read with care.")
        sign = MARK_SIGNS["low base"]
        text = say(wording, sign=sign, base=base, least=float(rules.mark))
        yield Note(text, "marks", text, sign)
    if "not tested" in marks and rules.no_test is not None:
        wording = said("{sign} {base} below {least}: not tested.")
        sign = MARK_SIGNS["not tested"]
        text = say(wording, sign=sign, base=base, least=float(rules.no_test))
        yield Note(text, "marks", text, sign)
    if "withheld" in marks and rules.withhold is not None:
        wording = said(
            "{sign} {base} below {least}: figures withheld and not tested. This keeps thin figures from being read; "
            "it does not protect anybody's privacy."
        )
        least = float(rules.withhold)
        short = say("{sign} {base} below {least}: withheld.", sign=WITHHELD, base=base, least=least)
        yield Note(say(wording, sign=WITHHELD, base=base, least=least), "marks", short, WITHHELD)
    if "partly offered" in marks:
        wording = said("{sign} not offered to all in the column: not tested.")
        sign = MARK_SIGNS["partly offered"]
        text = say(wording, sign=sign)
        yield Note(text, "marks", text, sign)
    yield from _thin_summaries(lines, seen, say)


OF_OFFERS = ("not asked", "partly offered")  # marks that do not rest on the number of respondents


def _thin_summaries(lines: Sequence[Line], seen: Sequence[int], say: Words) -> Iterator[Note]:
    """Name the summaries that rest on fewer values than the column's base lets one think."""
    columns = lines[0].marks
    for line in lines:
        if (
            line.kind not in ("base", "heading")
            and line.marks != columns
            and any(line.marks[k] != columns[k] and line.marks[k] not in OF_OFFERS for k in seen)
        ):
            text = said(
                "Figures with a mark of their own rest on fewer respondents than the base of their column."
            )
            yield Note(say(text), "marks", say("A mark beside a figure: it rests on fewer respondents."))
            return


def _seen(layout: BannerColumns) -> list[int]:
    """List the columns that are shown with figures of their own."""
    return [k for k in layout.shown if layout.columns[k].role not in ("difference", "trend")]


def sign_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[Note]:
    """Say what stands for nobody, for what rounds to zero, and for what does not exist."""
    say = request.words
    texts: set[str] = set()
    for line in lines:
        if line.kind not in ("base", "heading"):
            seen = [k for k in _seen(layout) if not is_never_there(line, layout.columns[k])]
            texts.update(_special(line, request, np.array(seen, np.int64)))
    if ZERO in texts:
        wording = say("{sign} nobody.", sign=ZERO)
        yield Note(wording, "signs", wording, ZERO)
    for small in sorted(text for text in texts if text[0] == "<"):
        wording = say("{sign} more than none, but rounds to zero.", sign=small)
        yield Note(wording, "signs", say("{sign} rounds to zero.", sign=small), small)
    if any(line.marks[k] == "not asked" for line in lines for k in _seen(layout)):
        wording = said("{sign} not asked, or not offered, there.")
        text = say(wording, sign=NOT_THERE)
        yield Note(text, "signs", text, NOT_THERE)
    if NOT_THERE in texts:
        none = said("{sign} no such figure, as nobody is in the column or too few to work it out.")
        yield Note(
            say(none, sign=NOT_THERE), "signs", say("{sign} nobody, or too few.", sign=NOT_THERE), NOT_THERE
        )


def _special(line: Line, request: TableRequest, seen: IntArray) -> Iterator[str]:
    """Go through the texts of a line that need an explanation."""
    near_zero = ~(np.abs(line.values[seen]) >= 1.0)  # and those that are not there
    for k in seen[near_zero].tolist():
        mark: Mark = line.marks[k]
        if mark == "not asked":
            continue
        text = figure_text(float(line.values[k]), line.figure, request.digits, mark, words=request.words)
        if text in (ZERO, NOT_THERE) or text.startswith("<"):
            yield text
