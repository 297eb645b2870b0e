"""Notes on bases: who is counted, who is left out and why, filter and weight."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from eager_otter.codebook.model import Question
from eager_otter.counting.counts import QuestionSums
from eager_otter.data.reasons import REASONS, Reason
from eager_otter.figures.registry import summary_called
from eager_otter.looks.words import Words, said
from eager_otter.tables.facts import Facts
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest
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


def reasons_text(reasons: Sequence[tuple[Reason | None, int]], say: Words) -> str:
    """List reasons with their counts; None stands for an answer that is no reason."""
    return "; ".join(
        say(
            "{reason}: {count}",
            reason=say("an answer without a column") if reason is None else reason_said(reason, say),
            count=count,
        )
        for reason, count in reasons
    )


def counted_reasons(reasons: Sequence[tuple[Reason | None, int]], say: Words) -> str:
    """List reasons shortly, each with its count: "not asked 13, blank 4"."""
    return ", ".join(
        say(
            "{reason} {count}",
            count=count,
            reason=say("an answer without a column") if reason is None else reason_said(reason, say),
        )
        for reason, count in reasons
    )


def universe_note(facts: Facts, say: Words) -> Iterator[Note]:
    """Say who was interviewed at all, and what was noticed while their answers were read."""
    for remark in facts.remarks:
        text = remark.said(say)
        yield Note(text, "data", text if remark.severe else "")
    if facts.universe:
        yield Note(say("Universe: {universe}", universe=facts.universe), "universe")


def base_notes(request: TableRequest, sums: QuestionSums, facts: Facts) -> Iterator[Note]:
    """Say who is in the base of a question, and who is not."""
    say = request.words
    yield from universe_note(facts, say)
    yield _base_note(request, sums, facts)
    reasons = sums.left_out
    if reasons and sums.everyone:
        text = say("No answer ({reasons}).", reasons=reasons_text(reasons, say))
        short = say("No answer: {reasons}.", reasons=counted_reasons(reasons, say))
        yield Note(text, "left out", short)
    elif reasons:
        total = sum(count for _, count in reasons)
        text = say(
            "Left out of the base: {count} ({reasons}).", count=total, reasons=reasons_text(reasons, say)
        )
        short = say("Left out: {reasons}.", reasons=counted_reasons(reasons, say))
        yield Note(text, "left out", short)
    yield from offer_notes(sums, facts, say)
    yield from outside_notes(sums, say)
    if facts.unknown:
        unknown_values = ", ".join(f"{value!r} ({say.whole(count)})" for value, count in facts.unknown)
        unknown = said("Not counted, as the codebook does not know them (in all rows of the data): {codes}.")
        short = say("Codes not in the codebook, not counted: {codes}.", codes=unknown_values)
        yield Note(say(unknown, codes=unknown_values), "left out", short)


def offer_notes(sums: QuestionSums, facts: Facts, say: Words) -> Iterator[Note]:
    """Name the answers that some of several waves did not offer, also of questions that the question is made of."""
    named = not_offered_text(sums.question, say)
    if named:
        text = say("Not offered everywhere: {answers}.", answers=named)
        yield Note(text, "left out", text)
    for source in facts.lacking:
        text = say(
            "Made of {question}, of which not all answers were offered everywhere: {answers}.",
            question=source.label,
            answers=not_offered_text(source, say),
        )
        yield Note(text, "left out", text)


def not_offered_text(question: Question, say: Words) -> str:
    """Name the answers of a question that some of several waves did not offer, each with the waves; "" for none."""
    offered = question.offered
    if offered is None:
        return ""
    lacking = {
        answer.label: [
            label
            for wave, label in zip(offered.waves, offered.labels, strict=True)
            if wave in offered.asked and answer.code in offered.without.get(wave, ())
        ]
        for answer in question.valid
    }
    return ", ".join(
        say("{answer} (not in {waves})", answer=answer, waves=", ".join(waves))
        for answer, waves in lacking.items()
        if waves
    )


def outside_notes(sums: QuestionSums, say: Words) -> Iterator[Note]:
    """Say, by banner group, how many of the base are in none of its columns, and why; shortly all groups at once."""
    named = [(outside.group or say("Own columns"), outside) for outside in sums.in_no_column]
    each = [say("{group} {count}", group=group, count=outside.people) for group, outside in named]
    short = say("In no column: {groups}.", groups=", ".join(each))
    for group, outside in named:
        if not outside.reasons:
            wording = say("In no column of {group}: {count}.", group=group, count=outside.people)
        else:
            reasons = reasons_text(outside.reasons, say)
            text = said("In no column of {group}: {count} ({reasons}).")
            wording = say(text, group=group, count=outside.people, reasons=reasons)
        yield Note(wording, "columns", short)
        short = ""  # said once for all groups


def left_out_of_items(labels: Sequence[str], sums: Sequence[QuestionSums], say: Words) -> Iterator[Note]:
    """Say who is out of the base of each of several questions, and why; a question asked for twice is told once."""
    by_question = {
        one.question.name: (label, one)
        for label, one in zip(reversed(labels), reversed(sums), strict=True)
        if one.left_out
    }
    if not by_question:
        return
    listed = []
    for label, one in reversed(by_question.values()):
        count = sum(count for _, count in one.left_out)
        only = len(one.left_out) == 1
        reasons = reason_said(one.left_out[0][0], say) if only else reasons_text(one.left_out, say)
        listed.append(say("{item} {count} ({reasons})", item=label, count=count, reasons=reasons))
    text = said("No answer: {items}.") if sums[0].everyone else said("Left out of the bases: {items}.")
    counts = [sum(count for _, count in one.left_out) for one in sums]
    shortly = said("Without an answer: {least} to {most} by item.")
    if min(counts) == max(counts):
        shortly = said("Without an answer: {least} in each item.")
    short = say(shortly, least=min(counts), **({} if min(counts) == max(counts) else {"most": max(counts)}))
    yield Note(say(text, items=", ".join(listed)), "left out", short)


def outside_of_items(sums: Sequence[QuestionSums], say: Words) -> Iterator[Note]:
    """Say how many of the bases of several questions are in no column of a banner group, and why."""
    alike = list(dict.fromkeys(tuple(outside_notes(one, say)) for one in sums))
    if len(alike) == 1:
        yield from alike[0]
        return
    groups = list(dict.fromkeys(outside.group for one in sums for outside in one.in_no_column))
    spans = []
    for group in groups:
        people = [sum(o.people for o in one.in_no_column if o.group == group) for one in sums]
        text = said("{group} {least} to {most}") if min(people) < max(people) else said("{group} {count}")
        counts = (
            {"least": min(people), "most": max(people)} if min(people) < max(people) else {"count": people[0]}
        )
        spans.append(say(text, group=group or say("Own columns"), **counts))
    short = say("In no column: {groups}.", groups=", ".join(spans))
    for group in groups:
        outsides = [outside for one in sums for outside in one.in_no_column if outside.group == group]
        people = [outside.people for outside in outsides] + [0] * (len(sums) - len(outsides))
        reasons = dict.fromkeys(
            say("an answer without a column") if reason is None else reason_said(reason, say)
            for outside in outsides
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
        yield Note(say(text, **places), "columns", short)
        short = ""  # said once for all groups


def score_notes(sums: QuestionSums, lines: Sequence[Line], say: Words) -> Iterator[Note]:
    """Say what figures of scores rest on, where somebody in the base has none."""
    question, people = sums.question, int(sums.base.n[0, 0])
    without = [answer.label for answer in question.valid if question.scale and not answer.scored]
    question_lines = [line for line in lines if line.evidence is not None and line.question == question.name]
    scored = [line for line in question_lines if _rests_on_scores(line, of_item=line.code == question.name)]
    if not question.is_of.of_values and scored and sums.values is not None:
        valued = int(sums.values.n[0, 0])
        if valued < people:
            text = said("Means and other figures of scores rest on the {count} whose answer has a score.")
            short = say("Scores rest on {count}.", count=valued)
            yield Note(say(text, count=valued), "scores", short)
    for line in question_lines:
        if line.shows.of_score and without and line.evidence is not None:
            text = said(
                "{row} rests on the {count} whose answer has a score, percents and nets on the whole base, so that it "
                "need not be the difference of their percents."
            )
            count = int(line.evidence.base.n[0, 0])
            short = say("{row} rests on the {count} with a score.", row=line.label, count=count)
            yield Note(say(text, row=line.label, count=count), "scores", short)
    if without and (scored or any(net.label for net in question.nets)):
        text = say("In the base, without a score: {answers}.", answers=", ".join(without))
        yield Note(text, "scores", text)


def _rests_on_scores(line: Line, *, of_item: bool) -> bool:
    """Tell a summary of values, also as the row of an item, from other lines."""
    summary = summary_called(line.figure)
    is_summary = line.kind == "summary" or (of_item and summary is not None)
    return is_summary and not (summary is not None and summary.of_mentions)


def _base_note(request: TableRequest, sums: QuestionSums, facts: Facts) -> Note:
    """Say in words who is in the base and how many they are, and whom the question was asked of."""
    say, people = request.words, int(sums.base.n[0, 0])
    asked = say(" Asked of {people}.", people=facts.asked) if facts.asked else ""
    shortly = say("; asked of {people}", people=facts.asked) if facts.asked else ""
    if request.base_text:
        who = say(request.base_text)
        text = said("Base: {who} ({count} {count:respondent|respondents}).")
        wording = say(text, who=who, count=people)
        return Note(wording + asked, "base", say("Base: {who}{asked}.", who=who, asked=shortly))
    if sums.everyone:
        text = said("Base: all {count} {count:respondent|respondents}, whether or not they answered.")
        short = say("Base: all respondents, whether or not they answered{asked}.", asked=shortly)
        return Note(say(text, count=people) + asked, "base", short)
    if request.shows.within:
        text = said("Base: the {count} {count:respondent|respondents} who answered all of these{more}.")
        shorter = said("Base: respondents who answered all of these{more}{asked}.")
    elif sums.question.is_of.of_values:
        text = said("Base: the {count} {count:respondent|respondents} who gave a number{more}.")
        shorter = said("Base: respondents who gave a number{more}{asked}.")
    else:
        text = said("Base: the {count} {count:respondent|respondents} who answered{more}.")
        shorter = said("Base: respondents who answered{more}{asked}.")
    more = "" if facts.base is None else say(" ({condition})", condition=facts.base.wording)
    return Note(say(text, count=people, more=more) + asked, "base", say(shorter, more=more, asked=shortly))


def filter_notes(facts: Facts, say: Words) -> Iterator[Note]:
    """Say what each filter kept."""
    before = facts.rows
    every = "; ".join(step.wording for step in facts.filters if step is not facts.base)
    short = say("Filter: {condition}.", condition=every)
    for step in facts.filters:
        if step is not facts.base:
            text = said("Filter: {condition}; {kept} of {before} {before:respondent|respondents}.")
            yield Note(say(text, condition=step.wording, kept=step.kept, before=before), "filter", short)
            short = ""  # said once for all filters
        before = step.kept


def weight_notes(facts: Facts, say: Words) -> Iterator[Note]:
    """Say what the figures are weighted by, if by anything."""
    if facts.weight is None:
        yield Note(say("Not weighted."), "weight")
        return
    yield Note(say("Weighted by {weight}; tests use effective bases.", weight=facts.weight), "weight")
    if facts.zero_weights:
        text = say("Out of every base for a weight of 0: {count}.", count=facts.zero_weights)
        yield Note(text, "left out", text)
