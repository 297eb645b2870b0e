"""Notes on tests: what was tested against what, how, at which level, and what was not or could not be."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from eager_otter.core.arrays import IntArray
from eager_otter.core.letters import alpha_of
from eager_otter.counting.banner import BannerColumns
from eager_otter.documents.translated import goes_by
from eager_otter.figures.registry import line_figure
from eager_otter.looks.words import Words, said
from eager_otter.making.notes_on_trends import trend_notes
from eager_otter.significance.registry import correction, mean_test, median_test, share_test
from eager_otter.tables.base_rules import NOT_TESTED, marks_of
from eager_otter.tables.comparing import NOWHERE
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest
from eager_otter.tables.table import Line, tested_rows, tests_in
from eager_otter.tables.testing import HIGHER, HIGHER_LAX, LOWER, LOWER_LAX
from eager_otter.tables.texts import line_label

SHORT_SIDES = {  # what marks are against, where it is not the column that it names
    "rest": said("the rest"),
    "total": said("the Total"),
    "previous": said("the column before"),
    "year before": said("the column a year before"),
    "first": said("the first column of the group"),
}


def testing_notes(
    request: TableRequest, lines: Sequence[Line], layout: BannerColumns, *, shares_people: bool
) -> Iterator[Note]:
    """Say what was tested against what, how, at which level, and what could not be tested."""
    comparisons, say = layout.comparisons, request.words
    if not layout.groups:
        return
    if not request.levels:
        yield Note(say("No significance tests were made."), "untested", say("No significance tests."))
        return
    trends = list(trend_notes(request, lines, layout))
    if not len(comparisons):
        text = say("No tests: no group has two columns to compare.")
        if not any(note.about == "trend" for note in trends):
            yield Note(text, "untested", text)
        yield from trends
        return
    if not any(line.evidence is not None and line.evidence.tested is not None for line in lines):
        text = say("Nothing in this table is tested.")
        yield Note(text, "untested", text)
        return
    if comparisons.letters:
        yield Note(_letters_note(request), "letters", _short_letters(request))
    if comparisons.marks:
        yield from _marks_notes(request, layout)
    yield from trends
    yield from (Note(sentence, "tests") for sentence in _tests_used(request, lines))
    if shares_people:
        text = say("Where two columns share respondents, the variance allows for those in both.")
        yield Note(text, "tests")
    if 0 in layout.shown and layout.columns[0].role == "total":
        yield Note(say("The Total is not tested."), "tests")
    if shares_people or share_test(request.tests.percents).minds_thin or _paired(lines):
        text = said(
            "Where fewer than 5 are expected to give the answer, or not to give it, in either column, the pooled share "
            "decides the variance."
        )
        yield Note(say(text), "tests")
    yield from _never_tested_note(lines, say)
    yield from _number_notes(request, lines)
    yield from _untested_notes(request, lines, layout)


def _paired(lines: Sequence[Line]) -> bool:
    return any(
        line.evidence and line.evidence.tested and line.evidence.tested.kind == "paired share"
        for line in lines
    )


def _corrected(request: TableRequest) -> str:
    say, adjust = request.words, correction(request.tests.adjust)
    if not adjust.corrects:
        return say("with no correction for the number of comparisons")
    after = say(adjust.sentence)
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
            "it carries. Columns are compared within their group, whatever they are under, two-sided, {corrected}."
        )
    else:
        text = said(
            "Letters: a figure is significantly higher, {at}, than the same row's figure in the columns whose letters "
            "it carries. Columns are compared within their group, two-sided, {corrected}."
        )
    return say(text, at=at, corrected=_corrected(request))


def _short_letters(request: TableRequest) -> str:
    """Say in a line what a letter means, and at which level."""
    say, levels = request.words, request.levels
    if len(levels) == 2:
        text = said(
            "Letters: significantly higher than the column of that letter, capitals at {strict} %, small letters at "
            "{lax} %"
        )
        wording = say(text, strict=float(levels[0]), lax=float(levels[1]))
    else:
        text = said("Letters: significantly higher than the column of that letter, at {level} %")
        wording = say(text, level=float(levels[0]))
    return f"{_after_correction(wording, request)}."


def _after_correction(text: str, request: TableRequest) -> str:
    """Add the correction, where there is one."""
    say, adjust = request.words, correction(request.tests.adjust)
    if not adjust.corrects:
        return text
    return say("{told}, after correction ({correction})", told=text, correction=say(adjust.short))


def _marks_notes(request: TableRequest, layout: BannerColumns) -> Iterator[Note]:
    """Say what the marks mean, and what each group is tested against."""
    say, levels = request.words, request.levels
    strict = said("{higher} significantly higher, {lower} significantly lower, at the {level} % level")
    marks = say(strict, higher=HIGHER, lower=LOWER, level=float(levels[0]))
    if len(levels) == 2:
        lax = said(" ({higher} {lower} at the {level} % level only)")
        marks += say(lax, higher=HIGHER_LAX, lower=LOWER_LAX, level=float(levels[1]))
    wording = said("Marks: {marks}; two-sided, {corrected}.")
    shortly = _after_correction(say(strict, higher=HIGHER, lower=LOWER, level=float(levels[0])), request)
    if len(levels) == 2:
        shortly += say(lax, higher=HIGHER_LAX, lower=LOWER_LAX, level=float(levels[1]))
    yield Note(say(wording, marks=marks, corrected=_corrected(request)), "letters", f"{shortly}.")
    by_group: dict[str, list[str]] = {}
    sides: dict[str, None] = {}
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
        sides.setdefault(say(SHORT_SIDES[against]) if against in SHORT_SIDES else second.label)
    each = said("{groups}: each column against {other}")
    texts = [
        say(each, groups=", ".join(dict.fromkeys(heads)), other=text) if heads else text
        for text, heads in by_group.items()
    ]
    short = say("Marks are against {others}.", others=", ".join(sides)) if sides else ""
    yield Note(f"{'; '.join(texts)}.", "against", short)


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
            return say("the nearest column before it in which somebody answered")
        case "year before":
            return say("the column of the same month a year before, where there is one")
        case "first":
            return say("the first column of its group")
    return control


def _tests_used(request: TableRequest, lines: Sequence[Line]) -> Iterator[str]:
    """Name the test behind each kind of row, in a sentence each, and what the tests take for granted."""
    say = request.words
    kinds = {line.evidence.tested.kind for line in lines if line.evidence and line.evidence.tested}
    differences = any(line.shows.of_score for line in lines)
    what = say(said("Means and scores") if differences else said("Means"))
    if "share" in kinds:
        yield say(share_test(request.tests.percents).sentence)
    if "mean" in kinds:
        yield say(mean_test(request.tests.means).sentence, what=what)
    if "median" in kinds:
        yield say(median_test(request.tests.medians).sentence)
    if "paired share" in kinds:
        text = said(
            "Percents of the same people: a z test that allows for those in both bases (McNemar's test, without "
            "continuity correction, where everybody answered both and nothing is weighted)."
        )
        yield say(text)
    if "paired mean" in kinds:
        text = said(
            "{what} of the same people: a t test that allows for those in both bases (the paired t test where "
            "everybody answered both and nothing is weighted)."
        )
        yield say(text, what=what)
    yield say("Tests take respondents as independent, whatever the sample design.")
    lettered = [line.figure for line in lines if line.evidence and line.evidence.tested]
    if any(line_figure(figure).tested == "counts" for figure in lettered):
        yield say(
            "Letters and marks beside counts rest on column percents; differences of counts carry none."
        )


def _never_tested_note(lines: Sequence[Line], say: Words) -> Iterator[Note]:
    """Name the figures of the table that have no test."""
    untested = [
        line
        for line in lines
        if line.shows.tested == "never"
        or (line.shows.tested == "medians" and (line.evidence is None or line.evidence.tested is None))
    ]
    figures = [line.figure for line in untested if line.shows.source == "answers"]
    summaries = [
        line_label(line, say) if line.fixed else line.label
        for line in untested
        if line.shows.source == "values"
    ]
    never = [*(say(figure) for figure in dict.fromkeys(figures)), *dict.fromkeys(summaries)]
    if never:
        text = say("Not tested: {rows}.", rows=", ".join(never))
        yield Note(text, "untested", text)


def _number_notes(request: TableRequest, lines: Sequence[Line]) -> Iterator[Note]:
    say = request.words
    rows = list(tested_rows(lines))
    tests_made = sum(tests_in(lines))
    impossible = sum(tested.impossible(row) for _, tested, row in rows)
    chance = tests_made * alpha_of(request.levels[-1])
    if not correction(request.tests.adjust).corrects and tests_made:
        expected = say("fewer than one") if chance < 1 else say("about {count}", count=round(chance))
        text = said(
            "{made} {made:test was|tests were} made; if nothing differed, {expected} would be marked at the {level} % "
            "level by chance."
        )
        yield Note(say(text, made=tests_made, expected=expected, level=float(request.levels[-1])), "chance")
    elif tests_made:
        yield Note(say("{made} {made:test was|tests were} made.", made=tests_made), "chance")
    if impossible:
        text = said(
            "{count} {count:comparison|comparisons} could not be tested: all or nobody gave the answer, the same "
            "people are in both, or there are too few values or no spread."
        )
        shortly = said("{count} {count:comparison|comparisons} could not be tested.")
        yield Note(say(text, count=impossible), "undecided", say(shortly, count=impossible))


def _against_thin(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[str]:
    """Name the columns that are not thin, but carry no mark as what they are set against is."""
    comparisons = layout.comparisons
    if not comparisons.marks:
        return
    judged: dict[int, IntArray] = {}
    for line, tested, _ in tested_rows(lines):
        assert line.evidence is not None
        base = line.evidence.base
        marks = judged.setdefault(id(base), marks_of(base, request.bases)[0])
        for k, (at, (first, second)) in enumerate(
            zip(comparisons.at.tolist(), comparisons.pairs.tolist(), strict=True)
        ):
            if at == NOWHERE or tested.idle[k]:
                continue
            thin = marks[first] >= NOT_TESTED, marks[second] >= NOT_TESTED
            shows_difference = layout.columns[at].difference is not None
            if any(thin) if shows_difference else thin == (False, True):
                yield layout.columns[at].path


def _untested_notes(request: TableRequest, lines: Sequence[Line], layout: BannerColumns) -> Iterator[Note]:
    """Name the rows and groups that were not tested, so that no mark means no significant difference."""
    say = request.words
    if request.rows.untested:
        wanted = request.rows.untested
        off = [
            line.label
            for line in lines
            if any(goes_by(line.label, name) or goes_by(line.code, name) for name in wanted)
        ]
        if off:
            rows = ", ".join(dict.fromkeys(off))
            wording = say("Not tested, as asked: {rows}.", rows=rows)
            yield Note(wording, "untested", say("Not tested: {rows}.", rows=rows))
    against_thin = list(_against_thin(request, lines, layout))
    if against_thin:
        wording = said("Not tested, as the base that they are compared with is too thin: {columns}.")
        text = say(wording, columns=", ".join(dict.fromkeys(against_thin)))
        yield Note(text, "thin", text)
    used = set(layout.comparisons.pairs.reshape(-1).tolist())
    idle = [group.path for group in layout.groups if not used & set(range(group.start, group.stop))]
    if idle:
        groups = ", ".join(dict.fromkeys(name for name in idle if name))
        wording = say("No tests in: {groups}.", groups=groups)
        yield Note(wording, "untested", wording)
