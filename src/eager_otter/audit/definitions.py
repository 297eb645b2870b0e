"""Slips in the codebook itself: gaps between bands, labels that contradict their edges, nets on the wrong end."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from eager_otter.audit.finding import Finding, warning
from eager_otter.codebook.bands import Band, gaps
from eager_otter.codebook.model import Answer, Banded, Codebook, Difference, Net, Question, scores_of

DONT_KNOW = re.compile(r"\b(don'?t know|not sure|no opinion|cannot say|can'?t say|refus\w*)\b", re.IGNORECASE)
UNDER = re.compile(r"\b(under|below|less than|up to|younger than)\b", re.IGNORECASE)
OVER = re.compile(r"\b(over|above|more than|greater than|older than)\b", re.IGNORECASE)


def definition_findings(codebook: Codebook) -> Iterator[Finding]:
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
        for net in question.nets:
            yield from _net(where, question, net)
        for difference in question.differences:
            yield from _difference(where, question, difference)
    yield from _unequal_nets(codebook)


def _bands(where: str, question: Question, bands: Sequence[Band]) -> Iterator[Finding]:
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
    """Tell whether numbers in a label are none of the band's: 'over 45' fits 46+, '45 plus' does not."""
    numbers = [float(number) for number in re.findall(r"\d+(?:\.\d+)?", label.replace(",", ""))]
    fitting = {band.low} | ({band.high} if band.high is not None else set())
    if band.closed and UNDER.search(label) and band.high is not None:
        fitting = (fitting - {band.high}) | {band.high + 1}
    if band.closed and OVER.search(label):
        fitting = (fitting - {band.low}) | {band.low - 1}
    return bool(numbers) and not set(numbers) <= fitting


def _same_labels(where: str, answers: Sequence[Answer]) -> Iterator[Finding]:
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


def _net(where: str, question: Question, net: Net) -> Iterator[Finding]:
    inside = [question.answers[question.by_code[code]] for code in net.of]
    outside = [answer for answer in question.valid if answer.code not in net.of]
    unsure = [answer.label for answer in inside if DONT_KNOW.search(answer.label)]
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
    """Tell whether a net's label names answers that are not in it, and none that are."""

    def named(answers: Sequence[Answer]) -> bool:
        return any(
            re.search(rf"\b{re.escape(answer.label.casefold())}\b", label.casefold())
            for answer in answers
            if not answer.label.isdigit()
        )

    return named(outside) and not named(inside)


def _wrong_end(net: Net, question: Question) -> bool:
    """Tell whether a net labelled top holds the lowest score but not the highest, or bottom the other way round."""
    scores = scores_of(question.answers)
    own = [scores[code] for code in net.of if code in scores]
    if not own or len(scores) < 3:
        return False
    lowest, highest = min(scores.values()) in own, max(scores.values()) in own
    label = net.label.casefold()
    if re.search(r"\btop\b", label):
        return lowest and not highest
    return bool(re.search(r"\bbottom\b", label)) and highest and not lowest


def _difference(where: str, question: Question, difference: Difference) -> Iterator[Finding]:
    scores = scores_of(question.answers)
    if not question.scale or len(scores) < 3:
        return
    ordered = sorted(scores, key=lambda code: scores[code])
    fits = ordered[-1] in difference.plus and ordered[0] in difference.minus
    unscored = [code for code in (*difference.plus, *difference.minus) if code not in scores]
    if not fits or unscored:
        yield warning(
            "difference does not fit the scale",
            where,
            (
                f"The difference {difference.label!r} should hold the highest answer in its plus group and the lowest "
                f"in its minus group; the scale runs from {ordered[0]} to {ordered[-1]}."
            ),
            "Check the two groups against the scale.",
        )


def _unequal_nets(codebook: Codebook) -> Iterator[Finding]:
    """Report nets of the same label over scales of different length: they are not comparable as they stand."""
    lengths: dict[str, dict[int, list[str]]] = {}
    for question in codebook:
        for net in question.nets:
            if question.scale:
                by_length = lengths.setdefault(net.label, {})
                by_length.setdefault(len(scores_of(question.answers)), []).append(question.name)
    for label, by_length in lengths.items():
        if len(by_length) > 1:
            shown = "; ".join(
                f"{len_} answers: {', '.join(names[:3])}" for len_, names in sorted(by_length.items())
            )
            yield warning(
                "net over unequal scales",
                label,
                f"The net {label!r} is taken on scales of different length ({shown}).",
                "Give these nets different labels, or compare only equal scales.",
            )
