"""The answers of a question as they are guessed: their order, a scale, and codes that may be no answer."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

from eager_otter.codebook.label_words import answers_among, says_no_answer, surely_no_answer
from eager_otter.codebook.times import times_in_order
from eager_otter.dataclass import dataclass
from eager_otter.drafting.facts import in_order
from eager_otter.drafting.ladders import clock_order, ladder_order
from eager_otter.drafting.meaning import band_order, day_order, last_behind, time_order, twins
from eager_otter.drafting.scales import led_by_numbers, scale_order
from eager_otter.gates.numbers import number_of

LONGEST_SCALE = 11
SHORTEST_SCALE = 4
FEWEST_OF_ORDER, MOST_OF_ORDER = 3, 12  # answers among which one may have no place in the order of all others
MOST_TWINS = 4  # groups of answers that differ in spelling only, of one question, that are told
BLANKS = frozenset(  # what programs write where nothing is
    ("na", "n/a", "#n/a", "nan", "null", "#null!", "missing", "(blank)", ".", "-", "--", "?")
)
APART_FROM = 90  # codes such as 98 and 99 stand apart from a scale
RESERVED = re.compile(r"-(?:\d|[6-9]{2,5}|9{1,4}[0-9])")  # negative codes that no answer of a list has
ORDERS = (times_in_order, time_order, clock_order, band_order, day_order, ladder_order)
NO_SCORE_CODES = ("6", "7", "8", "9", "0")  # behind 1 to 5 they are often "don't know"


@dataclass(frozen=True, slots=True, kw_only=True)
class Listed:
    """The answers of a question in their order, as (code, label).

    `missing` are surely no answer; `maybe_missing` may be none, `unscored` may be answers without a score. `scale` says
    that the answers are steps: "codes" in a row, or "words" whose meaning tells; "" for neither. `scores` are numbers
    that answers begin with, by their codes.
    """

    answers: tuple[tuple[str, str], ...]
    missing: tuple[str, ...] = ()
    maybe_missing: tuple[str, ...] = ()
    unscored: tuple[str, ...] = ()
    scale: str = ""
    scores: tuple[tuple[str, int], ...] = ()

    def doubts(self) -> tuple[str, ...]:
        """Say what a person has to check."""
        shown = [
            f"is {', '.join(codes)} {what}"
            for codes, what in (
                (self.maybe_missing, "no answer? then add missing: true"),
                (self.unscored, "an answer without a score? then add score: none"),
            )
            if codes
        ]
        for group in twins([label for _, label in self.answers])[:MOST_TWINS]:
            texts = " and ".join(repr(text) for text in group)
            shown.append(f"are {texts} one answer? then write them alike in the data, or merge them")
        return tuple(shown)


def listed_answers(values: Sequence[str], labels: Mapping[str, str], missing: Sequence[str] = ()) -> Listed:
    """List the answers of a question from the values that occur, and the labels and missing codes that are known."""
    if labels:
        return _labelled(values, labels, missing)
    if all(number_of(value) is not None for value in values):
        return _codes(sorted(values, key=in_order), missing)
    blanks = tuple(sorted(value for value in values if value.casefold() in BLANKS and value not in missing))
    rest = [value for value in values if value not in blanks]
    if blanks and rest and all(number_of(value) is not None for value in rest):
        codes = _codes(sorted(rest, key=in_order), missing)
        return replace(
            codes,
            answers=(*codes.answers, *((blank, blank) for blank in blanks)),
            missing=(*codes.missing, *filter(surely_no_answer, blanks)),
            maybe_missing=(*codes.maybe_missing, *(one for one in blanks if not surely_no_answer(one))),
        )
    led = led_by_numbers(values)
    scale = scale_order(values) if led is None else [*led, *(value for value in values if value not in led)]
    beside: tuple[str, ...] = ()
    ordered = scale or _ordered(values)
    if ordered is None:
        scale, beside = _but_one(values, scale_order)
        ordered = scale or _ordered_but_one(values) or last_behind(sorted(values, key=in_order))
    surely, maybe = no_answers({value: value for value in ordered}, missing)
    maybe = (*maybe, *(value for value in beside if value not in (*surely, *maybe)))
    blanks = tuple(value for value in blanks if value not in surely)
    maybe = tuple(value for value in maybe if value not in blanks)
    return Listed(
        answers=tuple((value, value) for value in ordered),
        missing=surely,
        maybe_missing=(*(maybe if scale is None else ()), *blanks),
        unscored=maybe if scale is not None else (),
        scale="words" if scale else "",
        scores=tuple((led or {}).items()),
    )


def _ordered(values: Sequence[str]) -> list[str] | None:
    """Put times, bands and other answers that have an order in it; None for others."""
    return next((found for found in (way(values) for way in ORDERS) if found is not None), None)


def _ordered_but_one(values: Sequence[str]) -> list[str] | None:
    """Put such answers in their order where all but one of them have it; that one behind."""
    return next((found for found in (_but_one(values, way)[0] for way in ORDERS) if found is not None), None)


def _but_one(
    values: Sequence[str], way: Callable[[Sequence[str]], list[str] | None]
) -> tuple[list[str] | None, tuple[str, ...]]:
    """Put values in an order that all but one of them have, such as steps and "did not use"; that one behind.

    None, and nothing behind, where there is no such order, or where another one could be the one to leave out.
    """
    answers = answers_among(tuple(values))
    if not FEWEST_OF_ORDER < len(answers) <= MOST_OF_ORDER:
        return None, ()
    found = []
    for one in answers:
        order = way([value for value in values if value != one])
        if order is not None:
            steps = [value for value in order if value in answers]
            found.append(([*steps, one, *order[len(steps) :]], (one,)))
    return found[0] if len(found) == 1 else (None, ())


def is_reserved(value: str) -> bool:
    """Return whether a value stands for no answer wherever it is: a negative code such as -77, or words that say so.

    >>> [is_reserved(value) for value in ("-77", "-1", "-999", "Refused", "N/A", "-12.5", "-350", "77")]
    [True, True, True, True, True, False, False, False]
    """
    return RESERVED.fullmatch(value) is not None or value.casefold() in BLANKS or surely_no_answer(value)


def no_answers(
    entries: Mapping[str, str], missing: Sequence[str] = ()
) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Return the codes of `entries` (code: label) that are surely no answer, and those that may be none."""
    labels = list(entries.values())
    surely = tuple(code for code, label in entries.items() if code in missing or surely_no_answer(label))
    looking = (code for code, label in entries.items() if says_no_answer(label, labels))
    return surely, tuple(code for code in looking if code not in surely)


def _labelled(values: Sequence[str], labels: Mapping[str, str], missing: Sequence[str]) -> Listed:
    """List codes with the labels of a dictionary, in its order; values that it does not know behind."""
    by_label = {label: code for code, label in labels.items()}
    held = set(values)
    if held and not held & set(labels) and held & set(by_label):  # the data hold labels
        labels = {label: label for label in labels.values()}
        missing = [label for code, label in zip(by_label.values(), by_label, strict=True) if code in missing]
    unknown = sorted((value for value in held if value not in labels), key=in_order)
    entries = {**labels, **{value: value for value in unknown}}
    surely, maybe = no_answers(entries, missing)
    real = [label for code, label in entries.items() if code not in surely]
    scale = scale_order(real) is not None and all(number_of(code) is not None for code in labels)
    return Listed(
        answers=tuple(entries.items()),
        missing=surely,
        maybe_missing=() if scale else maybe,
        unscored=maybe if scale else (),
        scale="words" if scale else "",
    )


def _codes(values: Sequence[str], missing: Sequence[str]) -> Listed:
    """Look at bare numbers: a scale where they run in a row, with codes apart that may be no answer."""
    answers = tuple((value, value) for value in values)
    surely = tuple(value for value in values if value in missing)
    numbers = [number_of(value) for value in values if value not in surely]
    if any(number is None or number != round(number) for number in numbers):
        return Listed(answers=answers, missing=surely)
    whole = [int(number) for number in numbers if number is not None]
    negative = tuple(value for value in values if value.startswith("-") and value not in surely)
    own = [k for k in whole if k >= 0]
    apart = tuple(value for value in values if value not in (*surely, *negative) and int(value) >= APART_FROM)
    run = [k for k in own if k < APART_FROM]
    unscored: tuple[str, ...] = ()
    if len(run) > SHORTEST_SCALE and run[-1] - run[-2] > 1 and str(run[-1]) in NO_SCORE_CODES:
        unscored, run = (str(run[-1]),), run[:-1]
    steps = len(run) if not run or run == list(range(run[0], run[0] + len(run))) else 0
    scale = SHORTEST_SCALE <= steps <= LONGEST_SCALE and run[0] in (0, 1)
    return Listed(
        answers=answers,
        missing=surely,
        maybe_missing=(*negative, *apart),
        unscored=unscored if scale else (),
        scale="codes" if scale else "",
    )
