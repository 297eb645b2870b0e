"""The notes under a table: who is counted, how it was tested, what each sign means. Whole sentences."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.proportions import SharedPairs
from eager_otter.tables.banner import BannerColumns
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.request import CELL_FIGURES, Items, TableRequest
from eager_otter.tables.table import Line, Mark
from eager_otter.tables.texts import MARK_SIGNS, NOT_THERE, WITHHELD, ZERO, figure_text

PERCENT_NOTES = {
    "row percent": "row %: percent of all in the base who gave the row's answer; columns that leave people out do not "
    "add to 100.",
    "table percent": "table %: percent of the Total's base.",
    "mention percent": "mention %: percent of all mentions; nets and exclusive answers are none.",
    "cumulative percent": "cum. %: percents added up from the top.",
    "index": "index: 100 × column percent / percent of the Total.",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Facts:
    """How those counted were chosen: rows read, filters with what they kept, weight, rows of weight 0."""

    rows: int
    universe: str = ""
    filters: tuple[tuple[str, int], ...] = ()
    weight: str | None = None
    base: str | None = None
    zero_weights: int = 0
    not_asked: int = 0
    unknown: tuple[tuple[str, int], ...] = ()


def notes_of(
    request: TableRequest,
    sums: QuestionSums,
    lines: Sequence[Line],
    facts: Facts,
    layout: BannerColumns,
    shared: SharedPairs,
) -> tuple[str, ...]:
    """Write all notes of a table, in the order in which they are read."""
    return (
        *_base_notes(sums, facts),
        *_filter_notes(facts),
        *_weight_notes(facts),
        *_rule_notes(request, sums.question),
        *_row_notes(request, sums.question, lines),
        *_test_notes(request, sums, lines, layout, shared),
        *_mark_notes(request, lines),
        *_sign_notes(request, lines),
    )


def preview_notes(request: TableRequest, bases: Line, pairs: int, facts: Facts) -> tuple[str, ...]:
    """Tell the shape of a banner: columns, comparisons a row, and how many columns are thin."""
    lettered = len(bases.values) - 1
    counts = {
        mark: sum(found == mark for found in bases.marks) for mark in ("low base", "not tested", "withheld")
    }
    thin = ", ".join(f"{count} {mark}" for mark, count in counts.items() if count) or "none is thin"
    return (
        f"{lettered} columns beside the Total; {pairs} comparisons in each row. By the minimum bases: {thin}.",
        *_filter_notes(facts),
        *_weight_notes(facts),
        *_mark_notes(request, [bases]),
    )


def item_notes(
    request: TableRequest,
    items: Items,
    lines: Sequence[Line],
    sums: Sequence[QuestionSums],
    facts: Facts,
    layout: BannerColumns,
    shared: SharedPairs,
    *,
    alike: bool,
) -> tuple[str, ...]:
    """Write the notes of a table of several questions."""
    bases = [int(one.base.n[0, 0]) for one in sums]
    base = f"{bases[0]:,}" if min(bases) == max(bases) else f"{min(bases):,} to {max(bases):,}"
    notes = [f"Universe: {facts.universe}"] if facts.universe else []
    notes.append(f"Base: the respondents who answered each item ({base}).")
    if items.shape == "one under another":
        tested: tuple[str, ...] = tuple(_test_notes(request, sums[0], lines, layout, shared))
        for one in sums:
            notes += _row_notes(request, one.question, [line for line in lines if line.kind == "net"])
        notes = list(dict.fromkeys(notes))
    elif items.shape == "items by columns":
        what = "the mean" if items.figure.casefold() == "mean" else f"the percent of {items.figure}"
        notes.append(
            f"Each row shows {what} of one item." + ("" if alike else " Its own base stands under it.")
        )
        tested = tuple(_test_notes(request, sums[0], lines, layout, shared))
    else:
        tested = ("Items are answered by the same people; they are not tested against each other here.",)
    if items.shape == "answers by items" and any(line.kind == "net" for line in lines):
        notes += _net_notes(sums[0].question, lines)
    return (
        *notes,
        *_filter_notes(facts),
        *_weight_notes(facts),
        *tested,
        *_mark_notes(request, lines),
        *_sign_notes(request, lines),
    )


def _base_notes(sums: QuestionSums, facts: Facts) -> Iterator[str]:
    question = sums.question
    people = int(sums.base.n[0, 0])
    if facts.universe:
        yield f"Universe: {facts.universe}"
    what = "gave a number" if question.kind == "number" else "answered"
    asked = f" The question was asked if {question.asked.text}." if question.asked is not None else ""
    which = f" and satisfy {facts.base}" if facts.base is not None else ""
    reasons = _reasons(sums, facts)
    if sums.everyone:
        yield f"Base: all {people:,} respondents, whether or not they answered.{asked}"
    else:
        yield f"Base: the {people:,} respondents who {what}{which}.{asked}"
    if reasons and sums.everyone:
        yield f"No answer: {'; '.join(f'{reason} {count:,}' for reason, count in reasons)}."
    elif reasons:
        total = sum(count for _, count in reasons)
        detail = "; ".join(f"{reason} {count:,}" for reason, count in reasons)
        yield f"Left out of the base: {total:,} ({detail})."
    if facts.unknown:
        found = ", ".join(f"{value!r} ({count:,})" for value, count in facts.unknown)
        yield f"Not counted, as the codebook does not know them (in all rows of the data): {found}."
    if sums.values is not None and question.kind != "number":
        valued = int(sums.values.n[0, 0])
        if valued < people:
            yield f"The mean rests on the {valued:,} whose answer has a score."


def _reasons(sums: QuestionSums, facts: Facts) -> list[tuple[str, int]]:
    """Tell those who were not asked from those who were and gave no answer."""
    reasons = []
    for reason, count in sums.left_out:
        if reason in ("no answer", "no number") and facts.not_asked:
            reasons.append(("not asked", min(facts.not_asked, count)))
            count = max(count - facts.not_asked, 0)  # noqa: PLW2901
        if count:
            reasons.append((reason, count))
    return reasons


def _filter_notes(facts: Facts) -> Iterator[str]:
    before = facts.rows
    for text, kept in facts.filters:
        if text != facts.base:
            yield f"Filter: {text}; {kept:,} of {before:,} respondents."
        before = kept


def _weight_notes(facts: Facts) -> Iterator[str]:
    if facts.weight is None:
        yield "Not weighted."
        return
    yield f"Weighted by {facts.weight}; tests use effective bases."
    if facts.zero_weights:
        yield f"Out of every base for a weight of 0: {facts.zero_weights:,}."


def _rule_notes(request: TableRequest, question: Question) -> Iterator[str]:
    """Tell hidden answers, which stay in the base, from those left out of it, and a shortened list."""
    rules = request.rows
    if rules.hide:
        yield f"Not shown, but in the base: {_named(question, rules.hide)}."
    if rules.leave_out:
        yield f"Left out, of the base too: {_named(question, rules.leave_out)}."
    if rules.most is not None:
        yield f"Only the first {rules.most} answers are shown; the others are in the base."
    if rules.above is not None:
        yield f"Only answers with more than {rules.above:g} % of the Total are shown; the others are in the base."
    if rules.sort is not None:
        way = "up" if rules.sort.up else "down"
        key = f"the percent of {rules.sort.column}" if rules.sort.by == "figure" else f"the {rules.sort.by}"
        yield f"Sorted {way} by {key}; other, none and don't know keep the end."


def _named(question: Question, names: Sequence[str]) -> str:
    found = [question.find(name) for name in names]
    return ", ".join(answer.label for answer in found if answer is not None)


def _row_notes(request: TableRequest, question: Question, lines: Sequence[Line]) -> Iterator[str]:
    if question.kind == "multi":
        yield "Several answers possible: percents are of respondents and may add to more than 100."
    if request.value is not None:
        yield f"Cells sum up {request.value} among those in the row and the column who have a value."
    percents = {line.figure for line in lines} & set(PERCENT_NOTES)
    yield from (PERCENT_NOTES[figure] for figure in PERCENT_NOTES if figure in percents)
    if len(percents | {line.figure for line in lines if line.figure == "column percent"}) > 2:
        yield "Several kinds of percents stand in this table; read the sign beside each row."
    if any(line.kind == "net" for line in lines):
        yield from _net_notes(question, lines)


def _net_notes(question: Question, lines: Sequence[Line]) -> Iterator[str]:
    if any(net.how == "any" for net in question.nets):
        yield "A net counts each respondent once who gave any of its answers."
    for net in question.nets:
        if net.how != "any":
            what = {"all": "all", "none": "none", "least": f"at least {net.least}"}[net.how]
            yield f"{net.label}: those who gave {what} of its {len(net.of)} answers."
    shown = {line.label for line in lines if line.figure == "difference"}
    for difference in question.differences:
        if difference.label in shown:
            plus, minus = (_labels(question, codes) for codes in (difference.plus, difference.minus))
            yield f"{difference.label}: percent of {plus}, minus percent of {minus}."


def _labels(question: Question, codes: Sequence[str]) -> str:
    return ", ".join(question.answers[question.by_code[code]].label for code in codes)


def _test_notes(
    request: TableRequest,
    sums: QuestionSums,
    lines: Sequence[Line],
    layout: BannerColumns,
    shared: SharedPairs,
) -> Iterator[str]:
    if not layout.groups:
        return
    if not request.levels:
        yield "No significance tests were made."
        return
    if not len(layout.pairs):
        yield "No tests: no group has two columns to compare."
        return
    first = f"{request.levels[0]:g} %"
    if len(request.levels) == 2:
        at = f"at the {first} level (capitals) and the {request.levels[1]:g} % level (small letters)"
    else:
        at = f"at the {first} level"
    yield (
        f"Letters: a figure is significantly higher, {at}, than the same row's figure in the columns whose "
        f"letters it carries. Columns are compared within their group, two-sided, with no correction for the "
        f"number of comparisons."
    )
    total = " The Total is not tested." if 0 in layout.shown else ""
    yield f"{_tests_used(lines)}{_overlap(sums, shared)}{total}"


def _tests_used(lines: Sequence[Line]) -> str:
    used = []
    if any(line.kind in ("answer", "net") and line.figure in CELL_FIGURES for line in lines):
        used.append("percents by a z test of two proportions with their pooled share")
    if any(line.figure in ("mean", "difference", "mean mentions") for line in lines):
        what = "means" if all(line.figure != "difference" for line in lines) else "means and differences"
        used.append(f"{what} by Welch's t test")
    return f"Tested: {', '.join(used)}." if used else "Nothing in this table is tested."


def _overlap(sums: QuestionSums, shared: SharedPairs) -> str:
    if bool(np.any(sums.base.pair_n[:, shared.sums] > 0)):
        return " Where two columns share respondents, the variance allows for those in both."
    return ""


def _mark_notes(request: TableRequest, lines: Sequence[Line]) -> Iterator[str]:
    rules = request.rules
    found = {mark for line in lines for mark in line.marks}
    which = "" if rules.judged_on == "unweighted base" else "effective "
    if "low base" in found:
        yield f"{MARK_SIGNS['low base']} {which}base below {rules.mark:g}: read with care."
    if "not tested" in found and rules.no_test is not None:
        yield f"{MARK_SIGNS['not tested']} {which}base below {rules.no_test:g}: not tested."
    if "withheld" in found and rules.withhold is not None:
        yield (
            f"{WITHHELD} {which}base below {rules.withhold:g}: figures withheld and not tested. "
            "This keeps thin figures from being read; it does not protect anybody's privacy."
        )
    yield from _thin_summaries(lines)


def _thin_summaries(lines: Sequence[Line]) -> Iterator[str]:
    """Name the summaries that rest on fewer values than the column's base lets one think."""
    columns = lines[0].marks
    for line in lines:
        if line.kind not in ("base", "heading") and line.marks != columns:
            yield "Figures with a mark of their own rest on fewer respondents than the base of their column."
            return


def _sign_notes(request: TableRequest, lines: Sequence[Line]) -> Iterator[str]:
    texts: set[str] = set()
    for line in lines:
        if line.kind not in ("base", "heading"):
            texts.update(_special(line, request))
    meanings = []
    if ZERO in texts:
        meanings.append(f"{ZERO} nobody")
    meanings += [f"{text} more than none, but rounds to zero" for text in sorted(texts) if text[0] == "<"]
    if NOT_THERE in texts:
        meanings.append(f"{NOT_THERE} no such figure, as nobody is in the column or too few to work it out")
    if meanings:
        yield f"Signs: {'; '.join(meanings)}."


def _special(line: Line, request: TableRequest) -> Iterator[str]:
    """Go through the texts of a line that need an explanation."""
    near_zero = ~(np.abs(line.values) >= 1.0)  # and those that are not there
    for k in np.flatnonzero(near_zero).tolist():
        mark: Mark = line.marks[k]
        text = figure_text(float(line.values[k]), line.figure, request.digits, mark)
        if text in (ZERO, NOT_THERE) or text.startswith("<"):
            yield text
