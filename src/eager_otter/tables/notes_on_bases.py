"""Notes on bases: who is counted, who is left out and why, filter and weight."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from eager_otter.codebook.model import Question
from eager_otter.data.reasons import REASONS, Reason
from eager_otter.looks.words import Words, said
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.facts import Facts
from eager_otter.tables.note import Note
from eager_otter.tables.request import MENTION_FIGURES, TableRequest, is_summary
from eager_otter.tables.table import Line


def reason_said(reason: Reason, say: Words) -> str:
    """Say why somebody has no answer; a missing code by its label, where it has one that is no mere code."""
    if reason.kind == "missing" and not is_bare_code(reason.label):
        return reason.label
    return (
        say(REASONS[reason.kind], code=reason.label)
        if reason.kind == "missing"
        else say(REASONS[reason.kind])
    )


def is_bare_code(label: str) -> bool:
    """Tell a code, range or comparison from a label in words.

    >>> is_bare_code("99"), is_bare_code("300..9999"), is_bare_code("Don't know")
    (True, True, False)
    """
    return not any(character.isalpha() for character in label)


def reasons_told(reasons: Sequence[tuple[Reason | None, int]], say: Words) -> str:
    """List reasons with their counts; None stands for an answer that is no reason."""
    return "; ".join(
        say(
            "{reason}: {count}",
            reason=say("an answer without a column") if reason is None else reason_said(reason, say),
            count=count,
        )
        for reason, count in reasons
    )


def universe_note(facts: Facts, say: Words) -> Iterator[Note]:
    """Say who was interviewed at all."""
    if facts.universe:
        yield Note(say("Universe: {universe}", universe=facts.universe), "universe")


def base_notes(request: TableRequest, sums: QuestionSums, facts: Facts) -> Iterator[Note]:
    """Say who is in the base of a question, and who is not."""
    say, question = request.words, sums.question
    yield from universe_note(facts, say)
    yield Note(_base_text(request, sums, facts) + _asked_text(question, say), "base")
    reasons = sums.left_out
    if reasons and sums.everyone:
        yield Note(say("No answer ({reasons}).", reasons=reasons_told(reasons, say)), "detail")
    elif reasons:
        total = sum(count for _, count in reasons)
        told = say(
            "Left out of the base: {count} ({reasons}).", count=total, reasons=reasons_told(reasons, say)
        )
        yield Note(told, "detail")
    yield from outside_notes(sums, say)
    if facts.unknown:
        found = ", ".join(f"{value!r} ({say.whole(count)})" for value, count in facts.unknown)
        unknown = said("Not counted, as the codebook does not know them (in all rows of the data): {codes}.")
        yield Note(say(unknown, codes=found), "detail")


def outside_notes(sums: QuestionSums, say: Words) -> Iterator[Note]:
    """Say, by banner group, how many of the base are in none of its columns, and why."""
    for outside in sums.in_no_column:
        group = outside.group or say("Own columns")
        if not outside.reasons:
            yield Note(say("In no column of {group}: {count}.", group=group, count=outside.people), "detail")
            continue
        reasons = reasons_told(outside.reasons, say)
        told = said("In no column of {group}: {count} ({reasons}).")
        yield Note(say(told, group=group, count=outside.people, reasons=reasons), "detail")


def left_out_of_items(labels: Sequence[str], sums: Sequence[QuestionSums], say: Words) -> Iterator[Note]:
    """Say who is out of the base of each of several questions, and why; a question asked for twice is told once."""
    told = {
        one.question.name: (label, one)
        for label, one in zip(reversed(labels), reversed(sums), strict=True)
        if one.left_out
    }
    if not told:
        return
    listed = []
    for label, one in reversed(told.values()):
        count = sum(count for _, count in one.left_out)
        only = len(one.left_out) == 1
        reasons = reason_said(one.left_out[0][0], say) if only else reasons_told(one.left_out, say)
        listed.append(say("{item} {count} ({reasons})", item=label, count=count, reasons=reasons))
    text = said("No answer: {items}.") if sums[0].everyone else said("Left out of the bases: {items}.")
    yield Note(say(text, items=", ".join(listed)), "detail")


def outside_of_items(sums: Sequence[QuestionSums], say: Words) -> Iterator[Note]:
    """Say how many of the bases of several questions are in no column of a banner group, and why."""
    alike = list(dict.fromkeys(tuple(outside_notes(one, say)) for one in sums))
    if len(alike) == 1:
        yield from alike[0]
        return
    groups = dict.fromkeys(outside.group for one in sums for outside in one.in_no_column)
    for group in groups:
        found = [outside for one in sums for outside in one.in_no_column if outside.group == group]
        people = [outside.people for outside in found] + [0] * (len(sums) - len(found))
        reasons = dict.fromkeys(
            say("an answer without a column") if reason is None else reason_said(reason, say)
            for outside in found
            for reason, _ in outside.reasons
        )
        places: dict[str, str | int] = {
            "group": group or say("Own columns"),
            "least": min(people),
            "most": max(people),
        }
        text = said("In no column of {group}, by item: {least} to {most}.")
        if reasons:
            text = said("In no column of {group}, by item: {least} to {most} ({reasons}).")
            places["reasons"] = "; ".join(reasons)
        yield Note(say(text, **places), "detail")


def score_notes(sums: QuestionSums, lines: Sequence[Line], say: Words) -> Iterator[Note]:
    """Say what figures of scores rest on, where somebody in the base has none."""
    question, people = sums.question, int(sums.base.n[0, 0])
    without = [answer.label for answer in question.valid if question.scale and not answer.scored]
    own = [line for line in lines if line.evidence is not None and line.question == question.name]
    scored = [
        line
        for line in own
        if (line.kind == "summary" or (line.code == question.name and is_summary(line.figure)))
        and line.figure not in MENTION_FIGURES
    ]
    if question.kind != "number" and scored and sums.values is not None:
        valued = int(sums.values.n[0, 0])
        if valued < people:
            told = said("Means and other figures of scores rest on the {count} whose answer has a score.")
            yield Note(say(told, count=valued), "detail")
    for line in own:
        if line.figure == "difference" and without and line.evidence is not None:
            told = said(
                "{row} rests on the {count} whose answer has a score, percents and nets on the whole base, so that it "
                "need not be the difference of their percents."
            )
            count = int(line.evidence.base.n[0, 0])
            yield Note(say(told, row=line.label, count=count), "detail")
    if without and (scored or any(net.label for net in question.nets)):
        yield Note(say("In the base, without a score: {answers}.", answers=", ".join(without)), "detail")


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


def filter_notes(facts: Facts, say: Words) -> Iterator[Note]:
    """Say what each filter kept."""
    before = facts.rows
    for text, kept in facts.filters:
        if text != facts.base:
            told = said("Filter: {expression}; {kept} of {before} respondents.")
            yield Note(say(told, expression=text, kept=kept, before=before), "filter")
        before = kept


def weight_notes(facts: Facts, say: Words) -> Iterator[Note]:
    """Say what the figures are weighted by, if by anything."""
    if facts.weight is None:
        yield Note(say("Not weighted."), "weight")
        return
    yield Note(say("Weighted by {weight}; tests use effective bases.", weight=facts.weight), "weight")
    if facts.zero_weights:
        told = said("Out of every base for a weight of 0: {count}.")
        yield Note(say(told, count=facts.zero_weights), "detail")
