"""Answers of questions that are made from others: bands of equal size, periods, merged, combined, computed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import numpy as np

from eager_otter.codebook.bands import Band
from eager_otter.codebook.model import Combined, Computed, Merged, Question
from eager_otter.core.arrays import BoolArray, FloatArray, smallest_unsigned
from eager_otter.data.answers import Answers, MultiAnswers, NumberAnswers, SingleAnswers, pack
from eager_otter.data.encoding import encode_bands, placed_behind
from eager_otter.data.reasons import NO_GROUP, Reasons, first_of, where_none
from eager_otter.data.selection import count_of_mentions, hits_of, who_answered


def equal_edges(count: int, values: FloatArray) -> FloatArray:
    """Return where bands of equal size end, but the last: the k/count quantiles of the values (rows,) that are there.

    By Hyndman & Fan 1996, type 2; none (0,) where there are no values.
    """
    given = values[~np.isnan(values)]
    if not given.size:
        return np.zeros(0)
    return np.asarray(np.quantile(given, np.arange(1, count) / count, method="averaged_inverted_cdf"))


def equal_bands(edges: FloatArray, values: FloatArray, absent: Reasons) -> SingleAnswers:
    """Put values (respondents,) into bands that end at `edges`, as far as equal values allow of equal size.

    `absent` says why a value is not there.
    """
    count = len(edges) + 1
    codes = placed_behind(count, absent)
    there = ~np.isnan(values)
    codes[there] = np.searchsorted(edges, values[there], side="left")
    return SingleAnswers(codes, count, absent.known)


def in_periods(spans: Sequence[tuple[int, int]], days: FloatArray, absent: Reasons) -> SingleAnswers:
    """Put days since 1970 (respondents,) into spans, both ends inside; a day in none is counted, by value."""
    return encode_bands([Band(first, last, True, "") for first, last in spans], days, absent)


def merged(source: Question, merging: Merged, answers: Answers, absent: Reasons) -> Answers:
    """Put answers together: single stays single; in a multiple response any of a group gives the new answer.

    `absent` says why some have no answer to the source.
    """
    groups = list(merging.groups)
    if merging.rest:
        named = {code for group in groups for code in group}
        groups.append(tuple(answer.code for answer in source.valid if answer.code not in named))
    if isinstance(answers, MultiAnswers):
        ticks = [_gave_any(source, answers, group) for group in groups]
        return MultiAnswers(pack(np.array(ticks), answers.answered), len(groups), absent=absent)
    assert isinstance(answers, SingleAnswers)
    behind = len(groups)
    no_group = behind + len(absent.known)
    table = np.full(answers.size, no_group, smallest_unsigned(no_group))
    for k, group in enumerate(groups):
        table[[source.by_code[code] for code in group]] = k
    codes = np.where(absent.codes == 0, table[answers.codes], placed_behind(behind, absent))
    return SingleAnswers(codes, behind, (*absent.known, NO_GROUP))


def combined(
    question: Question,
    combining: Combined,
    sources: Mapping[str, tuple[Question, Answers]],
    absent: Sequence[Reasons],
) -> MultiAnswers:
    """Put several questions into one: whoever gave an answer in any of them gave it; so with answering at all.

    `absent` says of each why some have no answer.
    """
    ticks: BoolArray | None = None
    answered: BoolArray | None = None
    for name, places in zip(combining.of, combining.places, strict=True):
        source, answers = sources[name]
        there = who_answered(source, answers)
        if ticks is None or answered is None:
            ticks = np.zeros((len(question.answers), there.size), np.bool_)
            answered = np.zeros(there.size, np.bool_)
        answered |= there
        for code, codes in places:
            ticks[question.by_code[codes]] |= _gave_any(source, answers, (code,))
    assert ticks is not None and answered is not None
    exclusive = [answer.exclusive for answer in question.answers]
    mentions = np.logical_or.reduce(ticks[[not e for e in exclusive]]) if not all(exclusive) else None
    if mentions is not None:  # "none" in one question does not go beside a mention in another
        ticks[exclusive] &= ~mentions
    return MultiAnswers(
        pack(ticks, answered), len(question.answers), absent=where_none(absent, answered, NO_GROUP)
    )


def computed(
    computing: Computed, sources: Mapping[str, tuple[Question, Answers]], absent: Sequence[Reasons]
) -> NumberAnswers:
    """Work a number out from several questions; NaN where fewer than `least` of them have a value.

    `absent` says of each why some have no answer; where a number cannot be worked out, the first of these is told.
    """
    values = _computed(computing, sources)
    reasons = first_of(absent)
    codes = np.where(np.isnan(values), reasons.codes, 0)
    codes[np.isnan(values) & (codes == 0)] = len(reasons.known) + 1  # answers without a score
    known = (*reasons.known, NO_GROUP)
    return NumberAnswers(values, Reasons(codes.astype(smallest_unsigned(len(known))), known))


def _computed(computing: Computed, sources: Mapping[str, tuple[Question, Answers]]) -> FloatArray:
    match computing.how:
        case "mentions":
            question, answers = sources[computing.of[0]]
            assert isinstance(answers, MultiAnswers)
            return count_of_mentions(question, answers)
        case "count":
            return _counted(computing, sources)
        case "sum" | "mean" | "smallest" | "largest":
            values = np.array([values_of(*sources[name]) for name in computing.of])
            there = ~np.isnan(values)
            enough = there.sum(axis=0) >= computing.least
            return np.where(enough, _over(computing.how, values, there), np.nan)


def _over(
    how: Literal["sum", "mean", "smallest", "largest"], values: FloatArray, there: BoolArray
) -> FloatArray:
    match how:
        case "sum":
            return np.asarray(np.where(there, values, 0.0).sum(axis=0))
        case "mean":
            total = np.where(there, values, 0.0).sum(axis=0)
            return np.asarray(total / np.maximum(there.sum(axis=0), 1))
        case "smallest":
            return np.asarray(np.where(there, values, np.inf).min(axis=0))
        case "largest":
            return np.asarray(np.where(there, values, -np.inf).max(axis=0))


def _counted(computing: Computed, sources: Mapping[str, tuple[Question, Answers]]) -> FloatArray:
    hits = []
    there = []
    for name, codes in zip(computing.of, computing.codes, strict=True):
        question, answers = sources[name]
        there.append(who_answered(question, answers))
        hits.append(_gave_any(question, answers, codes) & there[-1])
    enough = np.sum(there, axis=0) >= computing.least
    return np.where(enough, np.sum(hits, axis=0).astype(np.float64), np.nan)


def values_of(question: Question, answers: Answers) -> FloatArray:
    """Return the number of each respondent: the value of a number, the score of a scale."""
    if isinstance(answers, NumberAnswers):
        return answers.values
    assert isinstance(answers, SingleAnswers)
    return np.asarray(score_table(question, answers)[answers.codes])


def score_table(question: Question, answers: SingleAnswers) -> FloatArray:
    """Return the score of each encoded code (codes,), NaN where it has none."""
    table = np.full(answers.size, np.nan)
    for code, score in question.scores().items():
        table[question.by_code[code]] = score
    return table


def _gave_any(question: Question, answers: Answers, codes: Sequence[str]) -> BoolArray:
    """Return who gave any of some answers: (respondents,)."""
    return hits_of(question, answers, codes) > 0
