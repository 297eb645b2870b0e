"""Slips in the codebook itself: gaps between bands, labels that contradict their edges, nets on the wrong end."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise

from eager_otter.audit.slip import Slip, answers_named, by_score, warning
from eager_otter.codebook.bands import Band, gaps
from eager_otter.codebook.label_words import direction, says_no_answer, says_none
from eager_otter.codebook.model import Answer, Banded, Codebook, Difference, Net, Question, scores_of
from eager_otter.codebook.times import run_of_times, times_in_order
from eager_otter.counting.points import parts_kept
from eager_otter.documents.translated import written
from eager_otter.drafting.scales import scale_places
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import first_of
from eager_otter.plan.plan import Plan
from eager_otter.tables.request import BannerGroup, TestRules
from eager_otter.tables.shows import ItemsByColumns, OneQuestion

NEARLY_EQUAL = 0.5  # places of words such as "quite" and none at all, which some put the other way round
SHOWN = 8  # answers named in a message
UNDER = re.compile(r"\b(under|below|less than|up to|younger than)\b", re.IGNORECASE)
OVER = re.compile(r"\b(over|above|more than|greater than|older than)\b", re.IGNORECASE)


def definition_slips(codebook: Codebook) -> Iterator[Slip]:
    """Go through what can be seen without data; the items of a grid speak once."""
    grids: set[str] = set()
    for question in codebook:
        if question.grid is not None:
            if question.grid in grids:
                continue
            grids.add(question.grid)
        where = question.grid or question.name
        if isinstance(question.source, Banded):
            yield from _bands(where, question, question.source.bands)
        yield from _same_labels(where, question.answers)
        if question.kind == "single":
            yield from _times(where, question)
        if question.kind == "multi":
            yield from _none_as_a_mention(where, question)
        if question.scale:
            yield from _scale(where, question)
        for net in question.nets:
            yield from _net(where, question, net)
        for difference in question.differences:
            yield from _difference(where, question, difference)


def _none_as_a_mention(where: str, question: Question) -> Iterator[Slip]:
    """Ask about answers such as "none of these" that are not said to be exclusive."""
    mentions = [answer for answer in question.valid if not answer.exclusive and says_none(answer.label)]
    if mentions:
        yield warning(
            "none counted as a mention",
            where,
            f"{answers_named(mentions)} reads as if no other answer could go with it, and counts as a mention like any "
            "other.",
            "Write 'exclusive: true' beside its label; it stays in the base, and is no mention.",
        )


def _times(where: str, question: Question) -> Iterator[Slip]:
    """Report answers that name times and run neither forward nor back."""
    labels = [answer.label for answer in question.valid]
    if run_of_times(labels) == "mixed":
        yield warning(
            "times out of order",
            where,
            f"The answers name times, and do not stand in their order: {first_of(labels, SHOWN)}. Tests against the "
            "previous column, trends and the lines of charts go by the order of the answers.",
            f"Put them in the order of time: {first_of(times_in_order(labels) or labels, SHOWN)}.",
        )


def _like_no_answer(question: Question) -> list[Answer]:
    """Return the answers with a score that look like none."""
    labels = [answer.label for answer in question.valid]
    return [answer for answer in question.valid if answer.scored and says_no_answer(answer.label, labels)]


def _scale(where: str, question: Question) -> Iterator[Slip]:
    """Ask about answers of a scale that may be none, and about its direction."""
    scored = [answer for answer in question.valid if answer.scored]
    unsure = _like_no_answer(question)
    if unsure:
        labels = answers_named(unsure)
        yield warning(
            "no answer with a score",
            where,
            f"The scale scores {labels}, which looks like no answer: it counts in means and in top or bottom nets.",
            "Write 'score: none' to keep it in the base without a score, or 'missing: true' to leave it out.",
        )
    sure = [answer for answer in scored if answer not in unsure]
    steps = by_score(question, sure)
    yield from _jumping_codes(where, question, steps)
    yield from _mixed_steps(where, [written(answer.label) for answer in steps])
    way = direction([answer.label for answer in steps])
    if way == (1 if question.best_first else -1):
        first, last = (steps[k].label for k in (0, -1))
        text = (
            "the best answer comes first, as 'scale: best first' says"
            if question.best_first
            else "higher is better"
        )
        yield warning(
            "direction of a scale",
            where,
            f"The scores run from {first!r} to {last!r}, but {text}: top and bottom nets take the other end.",
            "Write 'scale: true' instead of 'best first', or give scores."
            if question.best_first
            else "Write 'scale: best first', or give scores.",
        )


def _mixed_steps(where: str, labels: Sequence[str]) -> Iterator[Slip]:
    """Ask about labels whose words say another order than the scores, from either end."""
    places = scale_places(labels)
    if places is None or len(places) < len(labels):
        return
    steps = [places[other] - places[one] for one, other in pairwise(labels)]
    if min(steps) < -NEARLY_EQUAL and max(steps) > NEARLY_EQUAL:
        meant = sorted(labels, key=places.__getitem__)
        yield warning(
            "steps of a scale out of order",
            where,
            f"By their scores the answers are {first_of(labels, SHOWN)}; by their words they would be "
            f"{first_of(meant, SHOWN)}.",
            "Put them in their order, or give scores; accept this where the words are meant otherwise.",
        )


def _jumping_codes(where: str, question: Question, ordered: Sequence[Answer]) -> Iterator[Slip]:
    """Ask about codes that serve as scores and leave a gap before the last or after the first, as 1 to 5, then 8."""
    scores = question.scores()
    steps = [scores[b.code] - scores[a.code] for a, b in pairwise(ordered)]
    if len(steps) < 2 or any(answer.score is not None for answer in ordered):
        return
    usual = min(steps)
    odd = [ordered[k + 1] for k, step in enumerate(steps) if step > usual]
    if odd:
        labels = answers_named(odd)
        yield warning(
            "codes of a scale jump",
            where,
            f"The codes are the scores, and there is a gap before {labels}.",
            "Give the answers scores, or 'score: none' or 'missing: true' to one that belongs to no scale.",
        )


def _bands(where: str, question: Question, bands: Sequence[Band]) -> Iterator[Slip]:
    for low, high in gaps(bands):
        values = f"{low:g}" if low == high else f"{low:g} to {high:g}"
        yield warning(
            "gap between bands",
            where,
            f"No band holds {values}.",
            "Make the bands meet, unless nobody can have such a value.",
        )
    for band, answer in zip(bands, question.answers, strict=True):
        if answer.label != band.label and _contradicts(answer.label, band):
            yield warning(
                "label contradicts band",
                where,
                f"The label {answer.label!r} does not fit the band {band.label}.",
                "Write the label from the edges, or leave it out.",
            )


def _contradicts(label: str, band: Band) -> bool:
    """Return whether numbers in a label are none of the band's: 'over 45' fits 46+, '45 plus' does not."""
    digits = re.findall(r"\d+(?:\.\d+)?", label.replace(",", ""), re.ASCII)
    numbers = [number for text in digits if (number := number_of(text)) is not None]
    fitting = {band.low} | ({band.high} if band.high is not None else set())
    if not band.closed and band.high is not None and not UNDER.search(label):
        fitting |= {band.high - 1}  # whole numbers: 1 to under 5 is 1 to 4
    if band.closed and UNDER.search(label) and band.high is not None:
        fitting = (fitting - {band.high}) | {band.high + 1}
    if band.closed and OVER.search(label):
        fitting = (fitting - {band.low}) | {band.low - 1}
    return bool(numbers) and not set(numbers) <= fitting


def _same_labels(where: str, answers: Sequence[Answer]) -> Iterator[Slip]:
    seen: dict[str, str] = {}
    for answer in answers:
        label = answer.label.strip().casefold()
        if label in seen:
            yield warning(
                "label twice",
                where,
                f"The answers {seen[label]} and {answer.code} have the same label {answer.label!r}.",
                "Tell them apart, or merge them.",
            )
        seen.setdefault(label, answer.code)


def _net(where: str, question: Question, net: Net) -> Iterator[Slip]:
    inside = [question.answers[question.by_code[code]] for code in net.of]
    outside = [answer for answer in question.valid if answer.code not in net.of]
    like_none = {answer.code for answer in _like_no_answer(question)}
    unsure = [answer.label for answer in inside if answer.code in like_none]
    if question.scale and unsure:
        yield warning(
            "don't know in a net",
            where,
            f"The net {net.label!r} holds {', '.join(unsure)}.",
            "Take it out of the net, or flag the answer as missing.",
        )
    if question.scale and (_names_others(net.label, inside, outside) or _wrong_end(net, question)):
        labels = ", ".join(answer.label for answer in inside)
        yield warning(
            "net on the wrong end",
            where,
            f"The net {net.label!r} holds {labels}.",
            "Name the answers of the other end, or use top: or bottom: with their number.",
        )


def _names_others(label: str, inside: Sequence[Answer], outside: Sequence[Answer]) -> bool:
    """Return whether a net's label names answers that are not in it, and none that are."""

    def named(answers: Sequence[Answer]) -> bool:
        return any(
            re.search(rf"\b{re.escape(answer.label.casefold())}\b", label.casefold())
            for answer in answers
            if not answer.label.isdigit()
        )

    return named(outside) and not named(inside)


def _wrong_end(net: Net, question: Question) -> bool:
    """Return whether a net labelled top holds the lowest score but not the highest, or bottom the other way round."""
    scores = scores_of(question.answers)
    net_scores = [scores[code] for code in net.of if code in scores]
    if not net_scores or len(scores) < 3:
        return False
    lowest, highest = min(scores.values()) in net_scores, max(scores.values()) in net_scores
    label = net.label.casefold()
    if question.best_first:
        lowest, highest = highest, lowest
    if re.search(r"\btop\b", label):
        return lowest and not highest
    return bool(re.search(r"\bbottom\b", label)) and highest and not lowest


def _difference(where: str, question: Question, difference: Difference) -> Iterator[Slip]:
    scores = question.scores()
    if not question.scale or len(scores) < 3:
        return
    ordered = sorted(scores, key=lambda code: scores[code], reverse=question.best_first)
    if ordered[-1] not in difference.plus or ordered[0] not in difference.minus:
        yield warning(
            "difference does not fit the scale",
            where,
            (
                f"The difference {difference.label!r} should hold the best answer in its plus group and the worst "
                f"in its minus group; the scale runs from {ordered[0]} to {ordered[-1]}."
            ),
            "Check the two groups against the scale.",
        )
    elif len(difference.plus) != len(difference.minus) and not _is_promoter_score(scores, difference):
        yield warning(
            "difference of unequal groups",
            where,
            (
                f"The difference {difference.label!r} takes {len(difference.minus)} answers from "
                f"{len(difference.plus)}, on a scale from {ordered[0]} to {ordered[-1]}: such groups are usual for a "
                "scale from 0 to 10 only."
            ),
            "Check the two groups against the scale, or accept them.",
        )


def _is_promoter_score(scores: Mapping[str, float], difference: Difference) -> bool:
    """Return whether it is the usual promoter score: 9 and 10 minus 0 to 6, on a scale from 0 to 10."""
    plus, minus = (sorted(scores[code] for code in codes) for codes in (difference.plus, difference.minus))
    whole = sorted(scores.values()) == [float(k) for k in range(11)]
    return whole and plus == [9.0, 10.0] and minus == [float(k) for k in range(7)]


def times_compared_back(plan: Plan) -> Iterator[Slip]:
    """Report columns that name times, run back or are mixed, and are compared as if they ran forward."""
    told: set[tuple[str, ...]] = set()
    for request in plan.requests:
        for group in _groups_within(request.banner.groups):
            goes_along = _goes_along(group, request.tests)
            labels = _column_labels(group, plan.codebook) if goes_along else []
            run = run_of_times(labels)
            known = run == "mixed" and not group.columns and group.keep is None  # told of the question
            if run not in ("back", "mixed") or known or (goes_along, *labels) in told:
                continue
            told.add((goes_along, *labels))
            runs = "run from the latest to the earliest" if run == "back" else "are not in the order of time"
            yield warning(
                "times compared back",
                f"table {request.id}",
                f"The columns {first_of(labels, SHOWN)} {runs}, and {goes_along}.",
                f"Put them in the order of time: {first_of(times_in_order(labels) or labels, SHOWN)}.",
            )


def _groups_within(groups: Iterable[BannerGroup]) -> Iterator[BannerGroup]:
    """Go through groups and those that are nested in them."""
    for group in groups:
        yield group
        yield from _groups_within(group.nest)


def _goes_along(group: BannerGroup, tests: TestRules) -> str:
    """Say what is done with the columns of a group in their order; "" for nothing."""
    if group.rolling is not None:
        return "each takes those before it along"
    if (group.against or tests.against) == "previous":
        return "each is tested against the one before it"
    return (
        "the column of trends says what rises and falls from left to right"
        if group.trend or tests.trend
        else ""
    )


def _column_labels(group: BannerGroup, codebook: Codebook) -> list[str]:
    """List the labels of the columns of a group that is not nested, without nets."""
    if group.columns or not group.question:
        return [label for label, _ in group.columns]
    kept = parts_kept(group, codebook.question(group.question))
    return [group.labels.get(one.code, one.label) for one in kept if isinstance(one, Answer)]


def unequal_nets(plan: Plan) -> Iterator[Slip]:
    """Report a net shown for scales of different length in one table: its figures are not comparable as they stand."""
    for request in plan.requests:
        shows = request.shows
        if isinstance(shows, OneQuestion):
            continue
        by_label: dict[str, dict[int, list[str]]] = {}
        for k, name in enumerate(shows.questions):
            question = plan.codebook.question(name)
            shown = {shows.figure_of(k).casefold()} if isinstance(shows, ItemsByColumns) else None
            for net in question.nets if question.scale else ():
                if shown is None or net.label.casefold() in shown:
                    lengths = by_label.setdefault(net.label, {})
                    lengths.setdefault(len(question.scores()), []).append(name)
        for label, lengths in by_label.items():
            if len(lengths) > 1:
                text = "; ".join(
                    f"{n} answers: {', '.join(names[:3])}" for n, names in sorted(lengths.items())
                )
                yield warning(
                    "net over unequal scales",
                    f"table {request.id}",
                    f"The net {label!r} is taken on scales of different length ({text}).",
                    "Give these nets different labels, or compare only equal scales.",
                )
