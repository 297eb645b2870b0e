"""The notes under a table: who is counted, how it was tested, what each sign means. Whole sentences."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Question
from eager_otter.core.proportions import SharedPairs
from eager_otter.counting.banner import BannerColumns
from eager_otter.counting.counts import QuestionSums
from eager_otter.counting.order import says_no_answer_row
from eager_otter.figures.figure import LineFigure, Source
from eager_otter.figures.registry import place_of, summary_called
from eager_otter.looks.words import Words, said
from eager_otter.making.notes_on_bases import (
    base_notes,
    filter_notes,
    left_out_of_items,
    outside_of_items,
    score_notes,
    universe_note,
    weight_notes,
)
from eager_otter.making.notes_on_marks import mark_notes, sign_notes
from eager_otter.making.notes_on_tests import testing_notes
from eager_otter.making.setting import Setting
from eager_otter.tables.facts import Facts
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest, interval_level
from eager_otter.tables.shows import Items, ItemsByColumns
from eager_otter.tables.table import Line

SORT_KEYS = {"label": said("the label"), "code": said("the code")}


def notes_of(
    request: TableRequest,
    sums: QuestionSums,
    lines: Sequence[Line],
    setting: Setting,
) -> tuple[Note, ...]:
    """Write all notes of a table, in the order in which they are read."""
    say, facts, layout = request.words, setting.facts, setting.layout
    return (
        *base_notes(request, sums, facts),
        *filter_notes(facts, say),
        *weight_notes(facts, say),
        *_rule_notes(request, sums.question),
        *figure_notes(request, lines, "base"),
        *row_notes(request, sums.question, lines, setting),
        *score_notes(sums, lines, say),
        *testing_notes(request, lines, layout, shares_people=_shares_people(sums, setting.shared)),
        *mark_notes(request, lines, layout),
        *sign_notes(request, lines, layout),
        *_own_note(request),
    )


def _own_note(request: TableRequest) -> Iterator[Note]:
    if request.note:
        yield Note(request.note, "own", request.note)


def preview_notes(
    request: TableRequest, bases: Line, layout: BannerColumns, facts: Facts
) -> tuple[Note, ...]:
    """Return the shape of a banner: columns, comparisons a row, and how many columns are thin."""
    say = request.words
    lettered = sum(column.compared for column in layout.columns)
    pairs = len(layout.comparisons)
    counts = {
        mark: sum(bases.marks[k] == mark for k in layout.shown)
        for mark in (said("low base"), said("not tested"), said("withheld"))
    }
    thin = ", ".join(f"{count} {say(mark)}" for mark, count in counts.items() if count) or say("none is thin")
    shape = say(
        "{columns} {columns:column|columns} beside the Total; {pairs} {pairs:comparison|comparisons} in each row. By "
        "the minimum bases: {thin}.",
        columns=lettered,
        pairs=pairs,
        thin=thin,
    )
    return (
        Note(shape, "base", shape),
        *filter_notes(facts, say),
        *weight_notes(facts, say),
        *mark_notes(request, [bases], layout),
    )


def item_notes(
    request: TableRequest,
    items: Items,
    lines: Sequence[Line],
    sums: Sequence[QuestionSums],
    setting: Setting,
    read: Sequence[Note],
) -> tuple[Note, ...]:
    """Write the notes of a table of several questions; `read` says how its shape is read."""
    say, facts, layout = request.words, setting.facts, setting.layout
    shares = not items.items_across and _shares_people(sums[0], setting.shared)
    tested = tuple(testing_notes(request, lines, layout, shares_people=shares))
    labels = [items.label_of(place, one.question.label) for place, one in enumerate(sums)]
    return (
        *_items_base_notes(request, sums, facts),
        *left_out_of_items(labels, sums, say),
        *outside_of_items(sums, say),
        *figure_notes(request, lines, "base"),
        *read,
        *_item_score_notes(labels, sums, lines, say),
        *filter_notes(facts, say),
        *weight_notes(facts, say),
        *tested,
        *mark_notes(request, lines, layout),
        *sign_notes(request, lines, layout),
        *_own_note(request),
    )


def _item_score_notes(
    labels: Sequence[str], sums: Sequence[QuestionSums], lines: Sequence[Line], say: Words
) -> Iterator[Note]:
    """Say what figures of scores rest on; of which item, where they do not all say the same."""
    by_question = {one.question.name: tuple(score_notes(one, lines, say)) for one in sums}
    named = dict(zip((one.question.name for one in sums), labels, strict=True))
    for name, notes in by_question.items():
        for note in notes:
            if len(set(by_question.values())) > 1:
                short = say("{item}: {note}", item=named[name], note=note.short) if note.short else ""
                yield Note(say("{item}: {note}", item=named[name], note=note), note.about, short)
    if len(set(by_question.values())) == 1:
        yield from next(iter(by_question.values()))


def _items_base_notes(request: TableRequest, sums: Sequence[QuestionSums], facts: Facts) -> Iterator[Note]:
    """Say who is in the bases of several questions."""
    say = request.words
    bases = [int(one.base.n[0, 0]) for one in sums]
    base = say.whole(min(bases))
    if min(bases) < max(bases):
        base = say("{least} to {most}", least=min(bases), most=max(bases))
    yield from universe_note(facts, say)
    who = say(request.base_text or said("the respondents who answered each item"))
    text = say("Base: {who} ({count}).", who=who, count=base)
    yield Note(text, "base", say("Base: {who}.", who=who))


def what_rows_show(items: ItemsByColumns, lines: Sequence[Line], say: Words) -> str:
    """Say what the rows of an items table show."""
    if items.figures:
        return say("the figure named, of one question")
    figure = items.figure
    if summary_called(figure) is not None:
        return say("the {figure} of one item", figure=say(figure.casefold()))
    if any(one.of_score for one in _shown(lines)):
        return say("the score {row} of one item", row=figure)
    return say("the percent of {answer} of one item", answer=figure)


def _shown(lines: Sequence[Line]) -> list[LineFigure]:
    """List the kinds of figures that lines hold, in the order of all figures."""
    return sorted({line.shows for line in lines}, key=place_of)


def figure_notes(request: TableRequest, lines: Sequence[Line], source: Source) -> Iterator[Note]:
    """Say what figures from a source mean, each once."""
    say = request.words
    places: dict[str, str | float] = {
        "answer": request.percent_of,
        "column": say(request.difference_from),
        "level": interval_level(request.levels),
    }
    notes = dict.fromkeys(one.note for one in _shown(lines) if one.source == source and one.note)
    for note in notes:
        used = {name: value for name, value in places.items() if f"{{{name}}}" in note}
        yield Note(say(note, **used), "figures")


def _rule_notes(request: TableRequest, question: Question) -> Iterator[Note]:
    """Tell hidden answers, which stay in the base, from those left out of it, and a shortened list."""
    rules, say = request.rows, request.words
    if rules.hide:
        hidden = _named(question, rules.hide)
        wording = say("Not shown, but in the base: {answers}.", answers=hidden)
        yield Note(wording, "rows", wording)
    if rules.leave_out:
        out = _named(question, rules.leave_out)
        yield Note(say("Left out, of the base too: {answers}.", answers=out), "rows")
    if rules.most is not None:
        wording = said(
            "Only the first {count} {count:answer is|answers are} shown; the others are in the base."
        )
        text = say(wording, count=rules.most)
        yield Note(text, "rows", text)
    if rules.above is not None:
        wording = said(
            "Only answers with more than {percent} % of the Total are shown; the others are in the base."
        )
        text = say(wording, percent=float(rules.above))
        yield Note(text, "rows", text)
    if rules.sort is not None:
        sort = rules.sort
        key = say(SORT_KEYS[sort.by]) if sort.by in SORT_KEYS else ""
        key = key or say("the percent of {column}", column=say(sort.column))
        up = said("Sorted up by {key}; other, none and don't know keep the end.")
        down = said("Sorted down by {key}; other, none and don't know keep the end.")
        yield Note(say(up if sort.up else down, key=key), "rows")


def _named(question: Question, names: Sequence[str]) -> str:
    answers = [question.find(canonical(name)) for name in names]
    labels = [
        answer.label if answer is not None else name for answer, name in zip(answers, names, strict=True)
    ]
    return ", ".join(
        label for label, answer in zip(labels, answers, strict=True) if answer or says_no_answer_row(label)
    )


def row_notes(
    request: TableRequest, question: Question, lines: Sequence[Line], setting: Setting
) -> Iterator[Note]:
    """Say what the rows of a question show: mentions, sums of a third question, figures, nets."""
    say = request.words
    if question.is_of.several:
        several = said("Several answers possible: percents are of respondents and may add to more than 100.")
        yield Note(say(several), "figures", say("Several answers possible."))
    if request.shows.value is not None:
        wording = said("Cells sum up {question} among those in the row and the column who have a value.")
        text = say(wording, question=setting.label_of(request.shows.value))
        yield Note(text, "rows", text)
    yield from figure_notes(request, lines, "answers")
    if sum(one.unit == "percent" for one in _shown(lines)) > 2:
        kinds = said("This table has several kinds of percents; each says what it is a percent of.")
        yield Note(say(kinds), "figures")
    yield from figure_notes(request, lines, "values")
    if any(line.kind == "net" for line in lines):
        yield from net_notes(request, question, lines)


def net_notes(request: TableRequest, question: Question, lines: Sequence[Line]) -> Iterator[Note]:
    """Say whom the nets and differences of a question count."""
    say = request.words
    if any(net.how == "any" for net in question.nets):
        yield Note(say("A net counts each respondent once who gave any of its answers."), "figures")
    ways = {
        "all": said("{net}: those who gave all of its {count} answers."),
        "none": said("{net}: those who gave none of its {count} answers."),
    }
    for net in question.nets:
        if net.how in ways:
            text = say(ways[net.how], net=net.label, count=len(net.of))
            yield Note(text, "rows", text)
        elif net.how != "any":
            wording = said("{net}: those who gave at least {least} of its {count} answers.")
            text = say(wording, net=net.label, least=net.least, count=len(net.of))
            yield Note(text, "rows", text)
    shown = {line.label for line in lines if line.shows.of_score}
    for difference in question.differences:
        if difference.label in shown:
            plus, minus = (_labels(question, codes) for codes in (difference.plus, difference.minus))
            wording = said("{row}: percent of {plus}, minus percent of {minus}.")
            yield Note(say(wording, row=difference.label, plus=plus, minus=minus), "rows")


def _labels(question: Question, codes: Sequence[str]) -> str:
    return ", ".join(question.answers[question.by_code[code]].label for code in codes)


def _shares_people(sums: QuestionSums, shared: SharedPairs) -> bool:
    """Return whether someone is in both columns of a pair that is compared."""
    return bool(np.any(sums.base.pair_n[:, shared.sums] > 0))
