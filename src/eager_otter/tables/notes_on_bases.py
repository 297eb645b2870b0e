"""Notes on bases: who is counted, who is left out and why, filter and weight."""

from __future__ import annotations

from collections.abc import Iterator

from eager_otter.codebook.model import Question
from eager_otter.looks.words import Words, said
from eager_otter.tables.counting import QuestionSums
from eager_otter.tables.facts import Facts
from eager_otter.tables.note import Note
from eager_otter.tables.request import TableRequest

REASONS = (
    said("no answer"),
    said("no number"),
    said("not asked"),
    said("missing code"),
    said("code unknown to the codebook"),
)


def universe_note(facts: Facts, say: Words) -> Iterator[Note]:
    """Say who was interviewed at all."""
    if facts.universe:
        yield Note(say("Universe: {universe}", universe=facts.universe), "universe")


def base_notes(request: TableRequest, sums: QuestionSums, facts: Facts) -> Iterator[Note]:
    """Say who is in the base of a question, and who is not."""
    say, question = request.words, sums.question
    people = int(sums.base.n[0, 0])
    yield from universe_note(facts, say)
    yield Note(_base_text(request, sums, facts) + _asked_text(question, say), "base")
    reasons = _reasons(sums, facts)
    detail = "; ".join(f"{_reason(reason, say)} {say.whole(count)}" for reason, count in reasons)
    if reasons and sums.everyone:
        yield Note(say("No answer: {reasons}.", reasons=detail), "detail")
    elif reasons:
        total = sum(count for _, count in reasons)
        yield Note(say("Left out of the base: {count} ({reasons}).", count=total, reasons=detail), "detail")
    if facts.unknown:
        found = ", ".join(f"{value!r} ({say.whole(count)})" for value, count in facts.unknown)
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
