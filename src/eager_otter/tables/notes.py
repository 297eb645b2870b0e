"""The notes under a table: who is counted, how it was tested, what each sign means. Whole sentences."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import IntArray
from eager_otter.core.proportions import SharedPairs
from eager_otter.looks.words import Words, said
from eager_otter.tables.banner import BannerColumns
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.facts import Facts
from eager_otter.tables.note import Note
from eager_otter.tables.request import Items, TableRequest, is_summary, quantile_of
from eager_otter.tables.table import Line, Mark, tested_rows
from eager_otter.tables.testing import HIGHER, HIGHER_LAX, LOWER, LOWER_LAX
from eager_otter.tables.texts import MARK_SIGNS, NOT_THERE, WITHHELD, ZERO, figure_text, fixed_label

PERCENT_NOTES = {
    "row percent": said(
        "row %: percent of all in the base who gave the row's answer; columns that leave people out do not add to 100."
    ),
    "table percent": said("table %: percent of the Total's base."),
    "mention percent": said("mention %: percent of all mentions; nets and exclusive answers are none."),
    "cumulative percent": said("cum. %: percents added up from the top."),
    "valid percent": said("valid %: percent of those who answered."),
    "percent of answer": said("% of row: percent of those in the column who gave {answer}."),
    "percent of outer": said(
        "% of head: percent of everybody under the same outer head; a column under none is its own head."
    ),
    "column difference": said("± points: the percent minus that of {column}, in points."),
    "index": said("index: 100 × column percent / percent of the Total."),
}

CORRECTIONS = {
    "bonferroni": said("Bonferroni"),
    "holm": said("Holm"),
    "benjamini-hochberg": said("Benjamini and Hochberg (the share of false marks, not the chance of any)"),
}
SHARE_TESTS = {
    "pooled": said("percents by a z test of two proportions with their pooled share"),
    "unpooled": said("percents by a z test of two proportions with their own shares"),
    "t": said("percents by a t test of two proportions with their pooled share"),
    "linear": said("percents by a z test of two proportions with the linearised variance"),
}
MEAN_TESTS = {
    "welch": said("{what} by Welch's t test"),
    "pooled": said("{what} by Student's t test with the pooled variance"),
}
REASONS = (
    said("no answer"),
    said("no number"),
    said("not asked"),
    said("missing code"),
    said("code unknown to the codebook"),
)
SORT_KEYS = {"label": said("the label"), "code": said("the code")}


def notes_of(
    request: TableRequest,
    sums: QuestionSums,
    lines: Sequence[Line],
    facts: Facts,
    layout: BannerColumns,
    shared: SharedPairs,
) -> tuple[Note, ...]:
    """Write all notes of a table, in the order in which they are read."""
    say = request.words
    return (
        *_base_notes(request, sums, facts),
        *_filter_notes(facts, say),
        *_weight_notes(facts, say),
        *_rule_notes(request, sums.question),
        *_row_notes(request, sums.question, lines),
        *testing_notes(request, lines, layout, shares_people=_shares_people(sums, shared)),
        *_mark_notes(request, lines, layout),
        *_sign_notes(request, lines, layout),
        *_own_note(request),
    )


def _own_note(request: TableRequest) -> Iterator[Note]:
    if request.note:
        yield Note(request.note, "detail")


def preview_notes(
    request: TableRequest, bases: Line, layout: BannerColumns, facts: Facts
) -> tuple[Note, ...]:
    """Tell the shape of a banner: columns, comparisons a row, and how many columns are thin."""
    say = request.words
    lettered = sum(bool(column.letter) for column in layout.columns)
    pairs = len(layout.comparisons)
    counts = {
        mark: sum(bases.marks[k] == mark for k in layout.shown)
        for mark in (said("low base"), said("not tested"), said("withheld"))
    }
    thin = ", ".join(f"{count} {say(mark)}" for mark, count in counts.items() if count) or say("none is thin")
    shape = say(
        "{columns} columns beside the Total; {pairs} comparisons in each row. By the minimum bases: {thin}.",
        columns=lettered,
        pairs=pairs,
        thin=thin,
    )
    return (
        Note(shape, "detail"),
        *_filter_notes(facts, say),
        *_weight_notes(facts, say),
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
) -> tuple[Note, ...]:
    """Write the notes of a table of several questions."""
    say = request.words
    shares = items.shape != "answers by items" and _shares_people(sums[0], shared)
    tested = tuple(testing_notes(request, lines, layout, shares_people=shares))
    shape = list(_shape_notes(request, items, lines, sums, alike=alike))
    percents = {line.figure for line in lines} & set(PERCENT_NOTES)
    if items.shape != "one under another":
        shape += [_percent_note(request, figure) for figure in PERCENT_NOTES if figure in percents]
    if items.shape == "answers by items" and any(line.kind == "net" for line in lines):
        shape += _net_notes(request, sums[0].question, lines)
    return (
        *_items_base_notes(request, sums, facts),
        *shape,
        *_filter_notes(facts, say),
        *_weight_notes(facts, say),
        *tested,
        *_mark_notes(request, lines, layout),
        *_sign_notes(request, lines, layout),
        *_own_note(request),
    )


def _items_base_notes(request: TableRequest, sums: Sequence[QuestionSums], facts: Facts) -> Iterator[Note]:
    """Say who is in the bases of several questions."""
    say = request.words
    bases = [int(one.base.n[0, 0]) for one in sums]
    base = say.number(f"{min(bases):,}")
    if min(bases) < max(bases):
        base = say("{least} to {most}", least=min(bases), most=max(bases))
    yield from _universe_note(facts, say)
    who = say(request.base_text or said("the respondents who answered each item"))
    yield Note(say("Base: {who} ({count}).", who=who, count=base), "base")


def _shape_notes(
    request: TableRequest,
    items: Items,
    lines: Sequence[Line],
    sums: Sequence[QuestionSums],
    *,
    alike: bool,
) -> Iterator[Note]:
    """Say how a table of several questions is read."""
    say = request.words
    if items.shape == "one under another":
        found: list[Note] = []
        for one in sums:
            found += _row_notes(request, one.question, [line for line in lines if line.kind == "net"])
        yield from dict.fromkeys(found)
    elif items.shape == "items by columns":
        own = "" if alike else " " + say("Its own base stands under it.")
        yield Note(say("Each row shows {what}.", what=_what(items, say)) + own, "detail")
    elif items.shape == "answers by items":
        yield Note(say("Each column is one item; it has its own base."), "detail")
    else:
        move = say("Down: the answer before. Across: the answer after, given by the same people.")
        yield Note(move, "detail")
        yield from _row_notes(request, sums[0].question, [])


def _what(items: Items, say: Words) -> str:
    """Say what the rows of an items table show."""
    if items.figures:
        return say("the figure named, of one question")
    figure = items.figure
    if is_summary(figure):
        return say("the {figure} of one item", figure=say(figure.casefold()))
    return say("the percent of {answer} of one item", answer=figure)


def _percent_note(request: TableRequest, figure: str) -> Note:
    places = {
        "percent of answer": {"answer": request.percent_of},
        "column difference": {"column": request.difference_from},
    }
    return Note(request.words(PERCENT_NOTES[figure], **places.get(figure, {})), "detail")


def _universe_note(facts: Facts, say: Words) -> Iterator[Note]:
    if facts.universe:
        yield Note(say("Universe: {universe}", universe=facts.universe), "universe")


def _base_notes(request: TableRequest, sums: QuestionSums, facts: Facts) -> Iterator[Note]:
    say, question = request.words, sums.question
    people = int(sums.base.n[0, 0])
    yield from _universe_note(facts, say)
    yield Note(_base_text(request, sums, facts) + _asked_text(question, say), "base")
    reasons = _reasons(sums, facts)
    detail = "; ".join(f"{_reason(reason, say)} {say.number(f'{count:,}')}" for reason, count in reasons)
    if reasons and sums.everyone:
        yield Note(say("No answer: {reasons}.", reasons=detail), "detail")
    elif reasons:
        total = sum(count for _, count in reasons)
        yield Note(say("Left out of the base: {count} ({reasons}).", count=total, reasons=detail), "detail")
    if facts.unknown:
        found = ", ".join(f"{value!r} ({say.number(f'{count:,}')})" for value, count in facts.unknown)
        unknown = said("Not counted, as the codebook does not know them (in all rows of the data): {codes}.")
        yield Note(say(unknown, codes=found), "detail")
    if sums.values is not None and question.kind != "number":
        valued = int(sums.values.n[0, 0])
        if valued < people:
            yield Note(say("The mean rests on the {count} whose answer has a score.", count=valued), "detail")


def _base_text(request: TableRequest, sums: QuestionSums, facts: Facts) -> str:
    """Say in words who is in the base, and how many they are."""
    say, people = request.words, int(sums.base.n[0, 0])
    if request.base_text:
        return say("Base: {who} ({count} respondents).", who=say(request.base_text), count=people)
    if sums.everyone:
        return say("Base: all {count} respondents, whether or not they answered.", count=people)
    if request.nest:
        text = said("Base: the {count} respondents who answered all of these{more}.")
    elif sums.question.kind == "number":
        text = said("Base: the {count} respondents who gave a number{more}.")
    else:
        text = said("Base: the {count} respondents who answered{more}.")
    more = "" if facts.base is None else say(" and satisfy {expression}", expression=facts.base)
    return say(text, count=people, more=more)


def _asked_text(question: Question, say: Words) -> str:
    if question.asked is None:
        return ""
    return " " + say("The question was asked if {expression}.", expression=question.asked.text)


def _reason(reason: str, say: Words) -> str:
    """Say a reason for being left out: a fixed one, or the label of a missing answer."""
    return say(reason) if reason in REASONS else reason


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


def _filter_notes(facts: Facts, say: Words) -> Iterator[Note]:
    before = facts.rows
    for text, kept in facts.filters:
        if text != facts.base:
            told = said("Filter: {expression}; {kept} of {before} respondents.")
            yield Note(say(told, expression=text, kept=kept, before=before), "filter")
        before = kept


def _weight_notes(facts: Facts, say: Words) -> Iterator[Note]:
    if facts.weight is None:
        yield Note(say("Not weighted."), "weight")
        return
    yield Note(say("Weighted by {weight}; tests use effective bases.", weight=facts.weight), "weight")
    if facts.zero_weights:
        told = said("Out of every base for a weight of 0: {count}.")
        yield Note(say(told, count=facts.zero_weights), "detail")


def _rule_notes(request: TableRequest, question: Question) -> Iterator[Note]:
    """Tell hidden answers, which stay in the base, from those left out of it, and a shortened list."""
    rules, say = request.rows, request.words
    if rules.hide:
        hidden = _named(question, rules.hide)
        yield Note(say("Not shown, but in the base: {answers}.", answers=hidden), "detail")
    if rules.leave_out:
        out = _named(question, rules.leave_out)
        yield Note(say("Left out, of the base too: {answers}.", answers=out), "detail")
    if rules.most is not None:
        told = said("Only the first {count} answers are shown; the others are in the base.")
        yield Note(say(told, count=rules.most), "detail")
    if rules.above is not None:
        told = said(
            "Only answers with more than {percent} % of the Total are shown; the others are in the base."
        )
        yield Note(say(told, percent=float(rules.above)), "detail")
    if rules.sort is not None:
        sort = rules.sort
        key = say(SORT_KEYS[sort.by]) if sort.by in SORT_KEYS else ""
        key = key or say("the percent of {column}", column=say(sort.column))
        up = said("Sorted up by {key}; other, none and don't know keep the end.")
        down = said("Sorted down by {key}; other, none and don't know keep the end.")
        yield Note(say(up if sort.up else down, key=key), "detail")


def _named(question: Question, names: Sequence[str]) -> str:
    found = [question.find(name) for name in names]
    return ", ".join(answer.label for answer in found if answer is not None)


def _row_notes(request: TableRequest, question: Question, lines: Sequence[Line]) -> Iterator[Note]:
    say = request.words
    if question.kind == "multi":
        several = said("Several answers possible: percents are of respondents and may add to more than 100.")
        yield Note(say(several), "detail")
    if request.value is not None:
        told = said("Cells sum up {question} among those in the row and the column who have a value.")
        yield Note(say(told, question=request.value), "detail")
    percents = {line.figure for line in lines} & set(PERCENT_NOTES)
    yield from (_percent_note(request, figure) for figure in PERCENT_NOTES if figure in percents)
    if len(percents | {line.figure for line in lines if line.figure == "column percent"}) > 2:
        kinds = said("Several kinds of percents stand in this table; read the sign beside each row.")
        yield Note(say(kinds), "detail")
    figures = {line.figure for line in lines}
    if figures & {"standard deviation", "standard error", "interval low"}:
        told = said(
            "Deviations are of the weighted values, times n / (n − 1) with n the unweighted number of values."
        )
        yield Note(say(told), "method")
    if any(quantile_of(figure) is not None for figure in figures):
        told = said(
            "Medians and other quantiles are the first value whose cumulated share of weight exceeds theirs, or the "
            "midpoint of it and the next where it equals it."
        )
        yield Note(say(told), "method")
    if any(line.kind == "net" for line in lines):
        yield from _net_notes(request, question, lines)


def _net_notes(request: TableRequest, question: Question, lines: Sequence[Line]) -> Iterator[Note]:
    say = request.words
    if any(net.how == "any" for net in question.nets):
        yield Note(say("A net counts each respondent once who gave any of its answers."), "method")
    ways = {
        "all": said("{net}: those who gave all of its {count} answers."),
        "none": said("{net}: those who gave none of its {count} answers."),
    }
    for net in question.nets:
        if net.how in ways:
            yield Note(say(ways[net.how], net=net.label, count=len(net.of)), "detail")
        elif net.how != "any":
            told = said("{net}: those who gave at least {least} of its {count} answers.")
            yield Note(say(told, net=net.label, least=net.least, count=len(net.of)), "detail")
    shown = {line.label for line in lines if line.figure == "difference"}
    for difference in question.differences:
        if difference.label in shown:
            plus, minus = (_labels(question, codes) for codes in (difference.plus, difference.minus))
            told = said("{row}: percent of {plus}, minus percent of {minus}.")
            yield Note(say(told, row=difference.label, plus=plus, minus=minus), "detail")


def _labels(question: Question, codes: Sequence[str]) -> str:
    return ", ".join(question.answers[question.by_code[code]].label for code in codes)


def testing_notes(
    request: TableRequest, lines: Sequence[Line], layout: BannerColumns, *, shares_people: bool
) -> Iterator[Note]:
    """Say what was tested against what, how, at which level, and what could not be tested."""
    comparisons, say = layout.comparisons, request.words
    if not layout.groups:
        return
    if not request.levels:
        yield Note(say("No significance tests were made."), "detail")
        return
    if not len(comparisons):
        yield Note(say("No tests: no group has two columns to compare."), "detail")
        return
    if not any(line.evidence is not None and line.evidence.tested is not None for line in lines):
        yield Note(say("Nothing in this table is tested."), "detail")
        return
    if comparisons.letters:
        yield Note(_letters_note(request), "letters")
    if comparisons.marks:
        yield from _marks_notes(request, layout)
    sentences = [_tests_used(request, lines)]
    if shares_people:
        sentences.append(say("Where two columns share respondents, the variance allows for those in both."))
    if 0 in layout.shown and not layout.columns[0].letter:
        sentences.append(say("The Total is not tested."))
    yield Note(" ".join(sentences), "tests")
    yield from _number_notes(request, lines)
    yield from _untested_notes(request, lines, layout)


def _corrected(request: TableRequest) -> str:
    say, adjust = request.words, request.tests.adjust
    if adjust == "none":
        return say("with no correction for the number of comparisons")
    after = say(CORRECTIONS[adjust])
    return say(
        "corrected for the number of comparisons in each row and group after {correction}", correction=after
    )


def _letters_note(request: TableRequest) -> str:
    say, levels = request.words, request.levels
    if len(levels) == 2:
        at = say(
            "at the {strict} % level (capitals) and the {lax} % level (small letters)",
            strict=float(levels[0]),
            lax=float(levels[1]),
        )
    else:
        at = say("at the {level} % level", level=float(levels[0]))
    if request.tests.all_parents:
        text = said(
            "Letters: a figure is significantly higher, {at}, than the same row's figure in the columns whose letters "
            "it carries. Columns are compared within their group, whatever they stand under, two-sided, {corrected}."
        )
    else:
        text = said(
            "Letters: a figure is significantly higher, {at}, than the same row's figure in the columns whose letters "
            "it carries. Columns are compared within their group, two-sided, {corrected}."
        )
    return say(text, at=at, corrected=_corrected(request))


def _marks_notes(request: TableRequest, layout: BannerColumns) -> Iterator[Note]:
    """Say what the marks mean, and what each group is tested against."""
    say, levels = request.words, request.levels
    strict = said("{higher} significantly higher, {lower} significantly lower, at the {level} % level")
    marks = say(strict, higher=HIGHER, lower=LOWER, level=float(levels[0]))
    if len(levels) == 2:
        lax = said(" ({higher} {lower} at the {level} % level only)")
        marks += say(lax, higher=HIGHER_LAX, lower=LOWER_LAX, level=float(levels[1]))
    told = said("Marks: {marks}; two-sided, {corrected}.")
    yield Note(say(told, marks=marks, corrected=_corrected(request)), "letters")
    by_group: dict[str, list[str]] = {}
    for k, (against, at) in enumerate(zip(layout.comparisons.against, layout.comparisons.at, strict=True)):
        if at < 0:
            continue
        column = layout.columns[at]
        second = layout.columns[layout.comparisons.pairs[k, 1]]
        if column.difference is not None:
            first = layout.columns[layout.comparisons.pairs[k, 0]]
            pair = said("{difference}: {column} against {other}")
            text = say(pair, difference=column.label, column=say(first.label), other=say(second.label))
            by_group.setdefault(text, [])
            continue
        group = next(g for g in layout.groups if g.start <= at < g.stop)
        head = ": ".join(group.outer[:1]) or group.label or say("Own columns")
        by_group.setdefault(_against_text(request, against, second.label), []).append(head)
    each = said("{groups}: each column against {other}")
    texts = [
        say(each, groups=", ".join(dict.fromkeys(heads)), other=text) if heads else text
        for text, heads in by_group.items()
    ]
    yield Note(f"{'; '.join(texts)}.", "detail")


def _against_text(request: TableRequest, against: str, control: str) -> str:
    say = request.words
    everyone = said("everyone in the table")
    rest = say(said("everyone under the same head") if request.tests.rest_of_parent else everyone)
    match against:
        case "rest":
            return say("the rest ({everyone} who is not in it)", everyone=rest)
        case "total":
            return say(
                "the Total (the test is against {everyone} who is not in it: a part differs from its whole exactly "
                "when it differs from the rest)",
                everyone=rest,
            )
        case "previous":
            return say("the column before it")
        case "first":
            return say("the first column of its group")
    return control


def _tests_used(request: TableRequest, lines: Sequence[Line]) -> str:
    say = request.words
    kinds = {line.evidence.tested.kind for line in lines if line.evidence and line.evidence.tested}
    differences = any(line.figure == "difference" for line in lines)
    what = say(said("means and differences") if differences else said("means"))
    used = []
    if "share" in kinds:
        used.append(say(SHARE_TESTS[request.tests.proportions]))
    if "mean" in kinds:
        used.append(say(MEAN_TESTS[request.tests.means], what=what))
    if "paired share" in kinds:
        used.append(say("percents of the same people by McNemar's test, without continuity correction"))
    if "paired mean" in kinds:
        used.append(say("{what} of the same people by a paired t test", what=what))
    told = said("Tested: {tests}; respondents are taken as independent, whatever the sample design.")
    sentences = [say(told, tests=", ".join(used))]
    if kinds & {"paired share", "paired mean"}:
        both = said("Each test rests on those who answered both; the percents shown may rest on more people.")
        sentences.append(say(both))
    summaries = [
        fixed_label(line.fixed, line.figure, say) if line.fixed else line.label
        for line in lines
        if _never_tested(line.figure)
    ]
    if summaries:
        sentences.append(say("Not tested: {rows}.", rows=", ".join(dict.fromkeys(summaries))))
    return " ".join(sentences)


def _never_tested(figure: str) -> bool:
    """Tell the summaries that have no test from those that have, and from mere counts."""
    known = is_summary(figure) or figure.startswith("interval")
    return known and figure not in ("mean", "mean mentions", "mentions", "respondents")


def _number_notes(request: TableRequest, lines: Sequence[Line]) -> Iterator[Note]:
    say = request.words
    found = list(tested_rows(lines))
    made = sum(tested.made(row) for _, tested, row in found)
    impossible = sum(tested.impossible(row) for _, tested, row in found)
    chance = made * (100.0 - request.levels[-1]) / 100.0
    if request.tests.adjust == "none" and made:
        expected = say("fewer than one") if chance < 1 else say("about {count}", count=round(chance))
        told = said(
            "{made} tests were made; if nothing differed, {expected} would be marked at the {level} % level by chance."
        )
        yield Note(say(told, made=made, expected=expected, level=float(request.levels[-1])), "detail")
    elif made:
        yield Note(say("{made} tests were made.", made=made), "detail")
    if impossible:
        one = said(
            "1 comparison could not be tested: all or nobody gave the answer, the same people are in both, or there "
            "are too few values or no spread."
        )
        several = said(
            "{count} comparisons could not be tested: all or nobody gave the answer, the same people are in both, or "
            "there are too few values or no spread."
        )
        yield Note(say(one) if impossible == 1 else say(several, count=impossible), "detail")


def _untested_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[Note]:
    """Name the rows and groups that were not tested, so that no mark means no significant difference."""
    say = request.words
    if request.rows.untested:
        wanted = {name.casefold() for name in request.rows.untested}
        off = [line.label for line in lines if {line.label.casefold(), line.code.casefold()} & wanted]
        if off:
            yield Note(say("Not tested, as asked: {rows}.", rows=", ".join(dict.fromkeys(off))), "detail")
    used = set(layout.comparisons.pairs.reshape(-1).tolist())
    idle = [group.path for group in layout.groups if not used & set(range(group.start, group.stop))]
    if idle:
        groups = ", ".join(dict.fromkeys(name for name in idle if name))
        yield Note(say("No tests in: {groups}.", groups=groups), "detail")


def _shares_people(sums: QuestionSums, shared: SharedPairs) -> bool:
    """Tell whether someone is in both columns of a pair that is compared."""
    return bool(np.any(sums.base.pair_n[:, shared.sums] > 0))


def _mark_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[Note]:
    rules, say = request.rules, request.words
    seen = _seen(layout)
    found = {line.marks[k] for line in lines for k in seen}
    unweighted = rules.judged_on == "unweighted base"
    base = say(said("base") if unweighted else said("effective base"))
    if "low base" in found and rules.mark is not None:
        told = said("{sign} {base} below {least}: read with care.")
        yield Note(say(told, sign=MARK_SIGNS["low base"], base=base, least=float(rules.mark)), "marks")
    if "not tested" in found and rules.no_test is not None:
        told = said("{sign} {base} below {least}: not tested.")
        yield Note(say(told, sign=MARK_SIGNS["not tested"], base=base, least=float(rules.no_test)), "marks")
    if "withheld" in found and rules.withhold is not None:
        told = said(
            "{sign} {base} below {least}: figures withheld and not tested. This keeps thin figures from being read; "
            "it does not protect anybody's privacy."
        )
        yield Note(say(told, sign=WITHHELD, base=base, least=float(rules.withhold)), "marks")
    yield from _thin_summaries(lines, seen, say)


def _thin_summaries(lines: Sequence[Line], seen: Sequence[int], say: Words) -> Iterator[Note]:
    """Name the summaries that rest on fewer values than the column's base lets one think."""
    columns = lines[0].marks
    for line in lines:
        if (
            line.kind not in ("base", "heading")
            and line.marks != columns
            and any(line.marks[k] != columns[k] for k in seen)
        ):
            told = said(
                "Figures with a mark of their own rest on fewer respondents than the base of their column."
            )
            yield Note(say(told), "marks")
            return


def _seen(layout: BannerColumns) -> list[int]:
    """List the columns that are shown with figures of their own."""
    return [k for k in layout.shown if layout.columns[k].difference is None]


def _sign_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[Note]:
    say = request.words
    texts: set[str] = set()
    seen = np.array(_seen(layout), np.int64)
    for line in lines:
        if line.kind not in ("base", "heading"):
            texts.update(_special(line, request, seen))
    meanings = []
    if ZERO in texts:
        meanings.append(say("{sign} nobody", sign=ZERO))
    small = sorted(text for text in texts if text[0] == "<")
    meanings += [say("{sign} more than none, but rounds to zero", sign=text) for text in small]
    if NOT_THERE in texts:
        none = said("{sign} no such figure, as nobody is in the column or too few to work it out")
        meanings.append(say(none, sign=NOT_THERE))
    if meanings:
        yield Note(say("Signs: {meanings}.", meanings="; ".join(meanings)), "detail")


def _special(line: Line, request: TableRequest, seen: IntArray) -> Iterator[str]:
    """Go through the texts of a line that need an explanation."""
    near_zero = ~(np.abs(line.values[seen]) >= 1.0)  # and those that are not there
    for k in seen[near_zero].tolist():
        mark: Mark = line.marks[k]
        text = figure_text(float(line.values[k]), line.figure, request.digits, mark, words=request.words)
        if text in (ZERO, NOT_THERE) or text.startswith("<"):
            yield text
