"""The notes under a table: who is counted, how it was tested, what each sign means. Whole sentences."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import IntArray
from eager_otter.core.proportions import SharedPairs
from eager_otter.tables.banner import BannerColumns
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.facts import Facts
from eager_otter.tables.request import Items, TableRequest, is_summary, quantile_of
from eager_otter.tables.table import Line, Mark, tested_rows
from eager_otter.tables.testing import HIGHER, HIGHER_LAX, LOWER, LOWER_LAX
from eager_otter.tables.texts import MARK_SIGNS, NOT_THERE, WITHHELD, ZERO, figure_text

PERCENT_NOTES = {
    "row percent": "row %: percent of all in the base who gave the row's answer; columns that leave people out do not "
    "add to 100.",
    "table percent": "table %: percent of the Total's base.",
    "mention percent": "mention %: percent of all mentions; nets and exclusive answers are none.",
    "cumulative percent": "cum. %: percents added up from the top.",
    "valid percent": "valid %: percent of those who answered.",
    "percent of answer": "% of row: percent of those in the column who gave {percent_of}.",
    "percent of outer": "% of head: percent of everybody under the same outer head; a column under none is "
    "its own head.",
    "column difference": "± points: the percent minus that of {difference_from}, in points.",
    "index": "index: 100 × column percent / percent of the Total.",
}

CORRECTIONS = {
    "bonferroni": "Bonferroni",
    "holm": "Holm",
    "benjamini-hochberg": "Benjamini and Hochberg (the share of false marks, not the chance of any)",
}
SHARE_TESTS = {
    "pooled": "a z test of two proportions with their pooled share",
    "unpooled": "a z test of two proportions with their own shares",
    "t": "a t test of two proportions with their pooled share",
    "linear": "a z test of two proportions with the linearised variance",
}
MEAN_TESTS = {"welch": "Welch's t test", "pooled": "Student's t test with the pooled variance"}


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
        *_base_notes(request, sums, facts),
        *_filter_notes(facts),
        *_weight_notes(facts),
        *_rule_notes(request, sums.question),
        *_row_notes(request, sums.question, lines),
        *testing_notes(request, lines, layout, _overlap(sums, shared)),
        *_mark_notes(request, lines, layout),
        *_sign_notes(request, lines, layout),
        *_own_note(request),
    )


def _own_note(request: TableRequest) -> Iterator[str]:
    if request.note:
        yield request.note


def preview_notes(request: TableRequest, bases: Line, layout: BannerColumns, facts: Facts) -> tuple[str, ...]:
    """Tell the shape of a banner: columns, comparisons a row, and how many columns are thin."""
    lettered = sum(bool(column.letter) for column in layout.columns)
    pairs = len(layout.comparisons)
    counts = {
        mark: sum(bases.marks[k] == mark for k in layout.shown)
        for mark in ("low base", "not tested", "withheld")
    }
    thin = ", ".join(f"{count} {mark}" for mark, count in counts.items() if count) or "none is thin"
    return (
        f"{lettered} columns beside the Total; {pairs} comparisons in each row. By the minimum bases: {thin}.",
        *_filter_notes(facts),
        *_weight_notes(facts),
        *_mark_notes(request, [bases], layout),
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
    who = request.base_text or "the respondents who answered each item"
    notes.append(f"Base: {who} ({base}).")
    overlap = "" if items.shape == "answers by items" else _overlap(sums[0], shared)
    tested = tuple(testing_notes(request, lines, layout, overlap))
    if items.shape == "one under another":
        for one in sums:
            notes += _row_notes(request, one.question, [line for line in lines if line.kind == "net"])
        notes = list(dict.fromkeys(notes))
    elif items.shape == "items by columns":
        notes.append(f"Each row shows {_what(items)}." + ("" if alike else " Its own base stands under it."))
    elif items.shape == "answers by items":
        notes.append("Each column is one item; it has its own base.")
    else:
        notes.append("Down: the answer before. Across: the answer after, given by the same people.")
        notes += _row_notes(request, sums[0].question, [])
    percents = {line.figure for line in lines} & set(PERCENT_NOTES)
    if items.shape != "one under another":
        notes += [_percent_note(request, figure) for figure in PERCENT_NOTES if figure in percents]
    if items.shape == "answers by items" and any(line.kind == "net" for line in lines):
        notes += _net_notes(sums[0].question, lines)
    return (
        *notes,
        *_filter_notes(facts),
        *_weight_notes(facts),
        *tested,
        *_mark_notes(request, lines, layout),
        *_sign_notes(request, lines, layout),
        *_own_note(request),
    )


def _what(items: Items) -> str:
    """Say what the rows of an items table show."""
    if items.figures:
        return "the figure named, of one question"
    figure = items.figure
    return (
        f"the {figure.casefold()} of one item"
        if is_summary(figure)
        else f"the percent of {figure} of one item"
    )


def _percent_note(request: TableRequest, figure: str) -> str:
    return PERCENT_NOTES[figure].format(
        percent_of=request.percent_of, difference_from=request.difference_from
    )


def _base_notes(request: TableRequest, sums: QuestionSums, facts: Facts) -> Iterator[str]:
    question = sums.question
    people = int(sums.base.n[0, 0])
    if facts.universe:
        yield f"Universe: {facts.universe}"
    what = "gave a number" if question.kind == "number" else "answered"
    asked = f" The question was asked if {question.asked.text}." if question.asked is not None else ""
    which = f" and satisfy {facts.base}" if facts.base is not None else ""
    reasons = _reasons(sums, facts)
    if request.base_text:
        yield f"Base: {request.base_text} ({people:,} respondents).{asked}"
    elif sums.everyone:
        yield f"Base: all {people:,} respondents, whether or not they answered.{asked}"
    else:
        what = "answered all of these" if request.nest else what
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
    yield from (_percent_note(request, figure) for figure in PERCENT_NOTES if figure in percents)
    if len(percents | {line.figure for line in lines if line.figure == "column percent"}) > 2:
        yield "Several kinds of percents stand in this table; read the sign beside each row."
    figures = {line.figure for line in lines}
    if figures & {"standard deviation", "standard error", "interval low"}:
        yield "Deviations are of the weighted values, times n / (n − 1) with n the unweighted number of values."
    if any(quantile_of(figure) is not None for figure in figures):
        yield (
            "Medians and other quantiles are the first value whose cumulated share of weight exceeds theirs, or the "
            "midpoint of it and the next where it equals it."
        )
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


def testing_notes(
    request: TableRequest, lines: Sequence[Line], layout: BannerColumns, overlap: str
) -> Iterator[str]:
    """Say what was tested against what, how, at which level, and what could not be tested."""
    comparisons = layout.comparisons
    if not layout.groups:
        return
    if not request.levels:
        yield "No significance tests were made."
        return
    if not len(comparisons):
        yield "No tests: no group has two columns to compare."
        return
    if not any(line.evidence is not None and line.evidence.tested is not None for line in lines):
        yield "Nothing in this table is tested."
        return
    if comparisons.letters:
        yield _letters_note(request)
    if comparisons.marks:
        yield from _marks_notes(request, layout)
    total = " The Total is not tested." if 0 in layout.shown and not layout.columns[0].letter else ""
    yield f"{_tests_used(request, lines)}{overlap}{total}"
    yield from _number_notes(request, lines)
    yield from _untested_notes(request, lines, layout)


def _at(levels: Sequence[float], strict: str, lax: str) -> str:
    """Say at which level, with what stands for each of two."""
    if len(levels) == 2:
        return f"at the {levels[0]:g} % level ({strict}) and the {levels[1]:g} % level ({lax})"
    return f"at the {levels[0]:g} % level"


def _corrected(request: TableRequest) -> str:
    adjust = request.tests.adjust
    if adjust == "none":
        return "with no correction for the number of comparisons"
    return f"corrected for the number of comparisons in each row and group after {CORRECTIONS[adjust]}"


def _letters_note(request: TableRequest) -> str:
    where = "group, whatever they stand under" if request.tests.all_parents else "group"
    return (
        f"Letters: a figure is significantly higher, {_at(request.levels, 'capitals', 'small letters')}, than the same "
        f"row's figure in the columns whose letters it carries. Columns are compared within their {where}, two-sided, "
        f"{_corrected(request)}."
    )


def _marks_notes(request: TableRequest, layout: BannerColumns) -> Iterator[str]:
    """Say what the marks mean, and what each group is tested against."""
    marks = (
        f"{HIGHER} significantly higher, {LOWER} significantly lower, at the {request.levels[0]:g} % level"
    )
    if len(request.levels) == 2:
        marks += f" ({HIGHER_LAX} {LOWER_LAX} at the {request.levels[1]:g} % level only)"
    yield f"Marks: {marks}; two-sided, {_corrected(request)}."
    by_group: dict[str, list[str]] = {}
    for k, (against, at) in enumerate(zip(layout.comparisons.against, layout.comparisons.at, strict=True)):
        if at < 0:
            continue
        column = layout.columns[at]
        second = layout.columns[layout.comparisons.pairs[k, 1]]
        if column.difference is not None:
            text = f"{column.label}: {layout.columns[layout.comparisons.pairs[k, 0]].label} against {second.label}"
            by_group.setdefault(text, [])
            continue
        group = next(g for g in layout.groups if g.start <= at < g.stop)
        head = ": ".join(group.outer[:1]) or group.label or "Own columns"
        by_group.setdefault(_against_text(request, against, second.label), []).append(head)
    texts = [
        f"{', '.join(dict.fromkeys(heads))}: each column against {text}" if heads else text
        for text, heads in by_group.items()
    ]
    yield f"{'; '.join(texts)}."


def _against_text(request: TableRequest, against: str, control: str) -> str:
    rest = "everyone under the same head" if request.tests.rest_of_parent else "everyone in the table"
    match against:
        case "rest":
            return f"the rest ({rest} who is not in it)"
        case "total":
            return (
                f"the Total (the test is against {rest} who is not in it: a part differs from its whole exactly when "
                "it differs from the rest)"
            )
        case "previous":
            return "the column before it"
        case "first":
            return "the first column of its group"
    return control


def _tests_used(request: TableRequest, lines: Sequence[Line]) -> str:
    kinds = {line.evidence.tested.kind for line in lines if line.evidence and line.evidence.tested}
    differences = any(line.figure == "difference" for line in lines)
    what = "means and differences" if differences else "means"
    used = []
    if "share" in kinds:
        used.append(f"percents by {SHARE_TESTS[request.tests.proportions]}")
    if "mean" in kinds:
        used.append(f"{what} by {MEAN_TESTS[request.tests.means]}")
    if "paired share" in kinds:
        used.append("percents of the same people by McNemar's test, without continuity correction")
    if "paired mean" in kinds:
        used.append(f"{what} of the same people by a paired t test")
    same = ""
    if kinds & {"paired share", "paired mean"}:
        same = " Each test rests on those who answered both; the percents shown may rest on more people."
    summaries = [line.label for line in lines if _never_tested(line.figure)]
    left = f" Not tested: {', '.join(dict.fromkeys(summaries))}." if summaries else ""
    return f"Tested: {', '.join(used)}; respondents are taken as independent, whatever the sample design.{same}{left}"


def _never_tested(figure: str) -> bool:
    """Tell the summaries that have no test from those that have, and from mere counts."""
    known = is_summary(figure) or figure.startswith("interval")
    return known and figure not in ("mean", "mean mentions", "mentions", "respondents")


def _number_notes(request: TableRequest, lines: Sequence[Line]) -> Iterator[str]:
    found = list(tested_rows(lines))
    made = sum(tested.made(row) for _, tested, row in found)
    impossible = sum(tested.impossible(row) for _, tested, row in found)
    chance = made * (100.0 - request.levels[-1]) / 100.0
    if request.tests.adjust == "none" and made:
        expected = "fewer than one" if chance < 1 else f"about {chance:,.0f}"
        yield (
            f"{made:,} tests were made; if nothing differed, {expected} would be marked at the "
            f"{request.levels[-1]:g} % level by chance."
        )
    elif made:
        yield f"{made:,} tests were made."
    if impossible:
        comparisons = "comparison" if impossible == 1 else "comparisons"
        yield (
            f"{impossible:,} {comparisons} could not be tested: all or nobody gave the answer, the same people are in "
            "both, or there are too few values or no spread."
        )


def _untested_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[str]:
    """Name the rows and groups that were not tested, so that no mark means no significant difference."""
    if request.rows.untested:
        wanted = {name.casefold() for name in request.rows.untested}
        off = [line.label for line in lines if {line.label.casefold(), line.code.casefold()} & wanted]
        if off:
            yield f"Not tested, as asked: {', '.join(dict.fromkeys(off))}."
    used = set(layout.comparisons.pairs.reshape(-1).tolist())
    idle = [group.path for group in layout.groups if not used & set(range(group.start, group.stop))]
    if idle:
        yield f"No tests in: {', '.join(dict.fromkeys(name for name in idle if name))}."


def _overlap(sums: QuestionSums, shared: SharedPairs) -> str:
    if bool(np.any(sums.base.pair_n[:, shared.sums] > 0)):
        return " Where two columns share respondents, the variance allows for those in both."
    return ""


def _mark_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[str]:
    rules = request.rules
    seen = _seen(layout)
    found = {line.marks[k] for line in lines for k in seen}
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
    yield from _thin_summaries(lines, seen)


def _thin_summaries(lines: Sequence[Line], seen: Sequence[int]) -> Iterator[str]:
    """Name the summaries that rest on fewer values than the column's base lets one think."""
    columns = lines[0].marks
    for line in lines:
        if (
            line.kind not in ("base", "heading")
            and line.marks != columns
            and any(line.marks[k] != columns[k] for k in seen)
        ):
            yield "Figures with a mark of their own rest on fewer respondents than the base of their column."
            return


def _seen(layout: BannerColumns) -> list[int]:
    """List the columns that are shown with figures of their own."""
    return [k for k in layout.shown if layout.columns[k].difference is None]


def _sign_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[str]:
    texts: set[str] = set()
    seen = np.array(_seen(layout), np.int64)
    for line in lines:
        if line.kind not in ("base", "heading"):
            texts.update(_special(line, request, seen))
    meanings = []
    if ZERO in texts:
        meanings.append(f"{ZERO} nobody")
    meanings += [f"{text} more than none, but rounds to zero" for text in sorted(texts) if text[0] == "<"]
    if NOT_THERE in texts:
        meanings.append(f"{NOT_THERE} no such figure, as nobody is in the column or too few to work it out")
    if meanings:
        yield f"Signs: {'; '.join(meanings)}."


def _special(line: Line, request: TableRequest, seen: IntArray) -> Iterator[str]:
    """Go through the texts of a line that need an explanation."""
    near_zero = ~(np.abs(line.values[seen]) >= 1.0)  # and those that are not there
    for k in seen[near_zero].tolist():
        mark: Mark = line.marks[k]
        text = figure_text(float(line.values[k]), line.figure, request.digits, mark)
        if text in (ZERO, NOT_THERE) or text.startswith("<"):
            yield text
