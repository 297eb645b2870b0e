"""Columns that hold an order: a column per rank with the answer there, or a column per answer with its rank."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from itertools import combinations, pairwise
from typing import Literal

import numpy as np

from eager_otter.core.arrays import BoolArray, FloatArray, IntArray
from eager_otter.drafting.facts import Facts
from eager_otter.gates.numbers import number_of

Layout = Literal["told ranks", "ranks", "answers", "either"]

FEWEST = 30  # rows that fill two columns or more: below, it may be by chance that none holds the same twice
MOST_RANKED = 30  # answers that somebody puts in order
MOST_ROWS = 100_000  # that are looked at
IN_ORDER = 0.98  # share of rows that have to be in order where it is sure that there is one; others are slips
OF_RANKS = re.compile(
    r"\b(?:ranks?|ranked|ranking|1st|2nd|3rd|first|second|third|rang|platz|erst\w*|zweit\w*|dritt\w*)\b",
    re.IGNORECASE,
)
OF_MENTIONS = re.compile(r"\b(?:mention\w*|nennung\w*)\b", re.IGNORECASE)


def layout_of(members: Sequence[Facts], items: Sequence[str]) -> Layout | None:
    """Return what some columns stand for, ranks or answers; None for columns that are no ranking.

    `items` are what the headings say each is of; "told ranks" are those that they call so. "either" are ranks from 1
    on in columns that are but numbered.
    """
    texts = texts_of(members)
    if not 3 <= len(texts) <= MOST_RANKED:
        return None
    words = " ".join((*items, *(one.heading for one in members))).replace("_", " ")
    of_ranks = OF_RANKS.search(words) is not None
    if OF_MENTIONS.search(words) or (less_and_less(members) and not of_ranks):
        return None
    if not of_ranks and twice_in_a_row(codes_of(members[:2], MOST_ROWS)):
        return None  # as of most grids: seen in two columns, without a look at all
    codes = codes_of(members, MOST_ROWS)
    several = np.count_nonzero((codes >= 0).sum(axis=1) > 1)
    if several < FEWEST or twice_in_a_row(codes) > (1 - IN_ORDER if of_ranks else 0):
        return None
    by_answer = len(members) > 2 and _from_one_on(codes, texts, len(members))
    labelled = any(one.about.labels.get(text, text) != text for one in members for text in one.texts)
    if not by_answer:
        held = Counter(text for one in members for text in one.texts)
        if sum(count > 1 for count in held.values()) < 0.6 * len(texts):
            return None  # columns of an answer each
        likely = len(members) > 2 and sum(n == len(members) for n in held.values()) >= 0.6 * len(texts)
        return "told ranks" if of_ranks else "ranks" if likely else None
    if labelled or all(OF_RANKS.search(item.replace("_", " ")) for item in items):
        return "told ranks" if of_ranks else "ranks"
    return "answers" if all(len(item) > 1 and number_of(item) is None for item in items) else "either"


def texts_of(members: Sequence[Facts]) -> list[str]:
    """List the different values of some columns."""
    return sorted({text for one in members for text in one.texts})


def codes_of(members: Sequence[Facts], rows: int | None = None) -> IntArray:
    """Return which of `texts_of` some columns each row holds, -1 for nothing: (rows, columns); of the first `rows`."""
    place = {text: k for k, text in enumerate(texts_of(members))}
    columns = []
    for one in members:
        own, index = one.index
        columns.append(np.array([place.get(text, -1) for text in own], np.int64)[index[:rows]])
    return np.stack(columns, axis=1)


def twice_in_a_row(codes: IntArray) -> float:
    """Return the share that hold the same in two columns, of the rows that fill two or more: see `codes_of`."""
    several = codes[(codes >= 0).sum(axis=1) > 1]
    twice: BoolArray = np.zeros(len(several), np.bool_)
    for one, other in combinations(several.T, 2):
        twice |= (one == other) & (one >= 0)
    return float(twice.mean()) if len(several) else 0.0


def _from_one_on(codes: IntArray, texts: Sequence[str], columns: int) -> bool:
    """Return whether nearly all rows that hold something hold the ranks 1, 2 … each once."""
    numbers: FloatArray = np.array([number_of(text) or np.nan for text in (*texts, "")], np.float64)
    if not set(numbers[:-1].tolist()) <= set(range(1, columns + 1)):
        return False
    ranks = numbers[codes]
    given = ~np.isnan(ranks)
    held = given.sum(axis=1)
    largest = np.where(given, ranks, 0).max(axis=1)
    fits = (largest == held) & (np.nansum(ranks, axis=1) == held * (held + 1) / 2)
    return bool(fits[held > 0].mean() >= IN_ORDER)


def less_and_less(members: Sequence[Facts]) -> bool:
    """Return whether columns are ever less filled, as those of first, second … mentions are."""
    fills = [one.filled for one in members if one.texts]
    return all(one >= other for one, other in pairwise(fills)) and fills[-1] < 0.7 * fills[0]
