"""Guess what columns hold: single answers, ticks, mentions, joined codes, grids, numbers, dates, ids, weights."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import pairwise
from typing import Any, Literal

import numpy as np

from eager_otter.codebook.expression import day_of
from eager_otter.codebook.label_words import says_no_answer
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.columns import Distinct, distinct
from eager_otter.gates.numbers import number_of

Role = Literal["single", "ticks", "mentions", "joined", "grid", "number", "date", "text", "respondent", "weight",
               "frequency", "empty"]  # fmt: skip

FEW = 12  # whole numbers with at most this many values are taken for codes
FEW_WORDS = 30  # texts with at most this many values are taken for answers
LONGEST_ANSWER = 60
DATE_FORMATS = ("%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y/%m/%d", "%Y%m%d")
YES_WORDS = frozenset({"yes", "y", "true", "ticked", "checked", "selected"})
NO_WORDS = frozenset({"no", "n", "false", "not ticked", "unchecked", "not selected"})
JOINTS = (";", "|", ",", "/")
WEIGHT_NAME = re.compile(r"(?:.*[_ ])?(?:wt|wgt|weight|weights|weighting)(?:[_ ]?\d+)?\Z", re.IGNORECASE)
ID_NAME = re.compile(
    r"(?:.*[_ ])?(?:id|rid|respid|uuid|serial|respondent|record|caseid|respno)\Z", re.IGNORECASE
)
FREQUENCY_NAME = re.compile(r"(?:freq|frequency|count|cases)\Z", re.IGNORECASE)


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Facts:
    """The contents of one column."""

    name: str
    texts: tuple[str, ...]  # the distinct values that occur, most frequent first within equal kinds
    counts: tuple[int, ...]
    numbers: FloatArray  # the distinct values as numbers, NaN for other texts
    rows: int
    given: BoolArray
    index: Any

    @property
    def filled(self) -> int:
        """How many rows hold something."""
        return sum(self.counts)

    @property
    def all_numbers(self) -> bool:
        """Whether every value is a number."""
        return bool(self.texts) and not bool(np.isnan(self.numbers).any())

    @property
    def all_whole(self) -> bool:
        """Whether every value is a whole number."""
        return self.all_numbers and bool((self.numbers == np.rint(self.numbers)).all())


@dataclass(frozen=True, slots=True, kw_only=True)
class Guess:
    """A guess at what some columns hold, and its reason. `answers` pairs codes with labels.

    `role` is a kind of question, or "respondent", "weight", "frequency" or "empty"; `name` is that of the question,
    `columns` are those of the data; `reason` says why, `details` what else was guessed.
    """

    role: Role
    name: str
    columns: tuple[str, ...]
    reason: str
    answers: tuple[tuple[str, str], ...] = ()
    details: Mapping[str, Any] = field(default_factory=dict)


def facts_of(name: str, column: Any) -> Facts:
    """Look at one column."""
    parts: Distinct = distinct(column)
    counts = parts.counts()
    order = [k for k in range(len(parts.texts)) if parts.texts[k] and counts[k]]
    merged: dict[str, int] = {}
    for k in order:
        merged[parts.texts[k]] = merged.get(parts.texts[k], 0) + int(counts[k])
    texts = sorted(merged, key=_natural)
    given = parts.which(bool)
    return Facts(
        name=name,
        texts=tuple(texts),
        counts=tuple(merged[text] for text in texts),
        numbers=np.array([np.nan if (n := number_of(text)) is None else n for text in texts]),
        rows=len(parts.index),
        given=given,
        index=(parts.texts, parts.index),
    )


def _natural(text: str) -> tuple[int, float, str]:
    number = number_of(text)
    return (0, number, "") if number is not None else (1, 0.0, text.casefold())


def guesses(columns: Sequence[Facts]) -> list[Guess]:
    """Say what all columns are, in their order; columns that belong together give one guess."""
    batteries = dict(_batteries(columns))
    inside = {name for guess in batteries.values() for name in guess.columns}
    result: list[Guess] = []
    for facts in columns:
        if facts.name in batteries:
            result.append(batteries[facts.name])
        elif facts.name not in inside:
            result.append(_alone(facts, first=facts is columns[0]))
    return _one_of_a_kind(result)


def _one_of_a_kind(guessed: Sequence[Guess]) -> list[Guess]:
    """Keep the first id, weight and frequency; others become numbers or texts again."""
    seen: set[str] = set()
    result = []
    for guess in guessed:
        if guess.role in ("respondent", "weight", "frequency"):
            if guess.role in seen:
                role: Role = "text" if guess.role == "respondent" else "number"
                result.append(
                    Guess(role=role, name=guess.name, columns=guess.columns, reason=f"a second {guess.role}?")
                )
                continue
            seen.add(guess.role)
        result.append(guess)
    return result


# --- columns that belong together -----------------------------------------------------------------------


def _batteries(columns: Sequence[Facts]) -> Iterator[tuple[str, Guess]]:
    """Find stems with numbers behind them whose columns are alike; keyed by the first column."""
    by_stem: dict[str, list[Facts]] = {}
    for facts in columns:
        match = re.match(r"(.+?[_. ]?)(\d+)\Z", facts.name)
        if match and facts.texts:
            by_stem.setdefault(match[1], []).append(facts)
    for stem, members in by_stem.items():
        if len(members) > 1:
            guess = _ticks(stem, members) or _mentions(stem, members) or _grid(stem, members)
            if guess is not None:
                yield members[0].name, guess


def _plain_name(stem: str) -> str:
    return stem.rstrip("_. ") or stem


def _ticks(stem: str, members: Sequence[Facts]) -> Guess | None:
    values = {text for facts in members for text in facts.texts}
    lowered = {text.casefold() for text in values}
    own_label = all(len(facts.texts) == 1 and number_of(facts.texts[0]) is None for facts in members)
    if own_label and len(values) == len(members):
        answers = [(_number_of(facts.name), facts.texts[0]) for facts in members]
        return Guess(
            role="ticks", name=_plain_name(stem), columns=tuple(f.name for f in members), answers=tuple(answers),
            reason="one column per answer, each holding its answer's label or nothing",
        )  # fmt: skip
    pairs: list[tuple[set[str], str, str | None]] = [
        ({"0", "1"}, "1", "0"), ({"1"}, "1", None), ({"1", "2"}, "1", "2"),
    ]  # fmt: skip
    ticked, unticked = None, None
    for fitting, yes, no in pairs:
        if values == fitting:
            ticked, unticked = yes, no
    if ticked is None and lowered <= YES_WORDS | NO_WORDS and lowered & YES_WORDS:
        ticked = next(text for text in values if text.casefold() in YES_WORDS)
        unticked = next((text for text in values if text.casefold() in NO_WORDS), None)
    if ticked is None or (values == {"1", "2"} and len(members) < 3):
        return None
    answers = [(_number_of(facts.name), facts.name) for facts in members]
    what = f"{ticked} and {unticked}" if unticked else f"{ticked} or nothing"
    return Guess(
        role="ticks", name=_plain_name(stem), columns=tuple(f.name for f in members), answers=tuple(answers),
        details={"ticked": ticked, "unticked": unticked},
        reason=f"columns {members[0].name} to {members[-1].name} hold only {what}; taken for ticks",
    )  # fmt: skip


def _number_of(name: str) -> str:
    match = re.search(r"(\d+)\Z", name)
    return match[1] if match else name


def _mentions(stem: str, members: Sequence[Facts]) -> Guess | None:
    fills = [facts.filled for facts in members]
    falling = all(a >= b for a, b in pairwise(fills)) and fills[-1] < 0.7 * fills[0]
    values = sorted({text for facts in members for text in facts.texts}, key=_natural)
    if not falling or len(values) < 3 or len(values) > 200 or _twice_in_a_row(members) > 0.1:
        return None
    return Guess(
        role="mentions", name=_plain_name(stem), columns=tuple(f.name for f in members),
        answers=tuple((value, value) for value in values),
        reason=f"columns {members[0].name} to {members[-1].name} hold the same codes and are ever less filled; "
        "taken for first, second … mention",
    )  # fmt: skip


def _twice_in_a_row(members: Sequence[Facts]) -> float:
    """Return the share of respondents whose first two columns hold the same: rare among mentions."""
    (texts, index), (other_texts, other_index) = members[0].index, members[1].index
    both = members[0].given & members[1].given
    if not both.any():
        return 0.0
    place = {text: k for k, text in enumerate(texts)}
    mapped = np.array([place.get(text, -1) for text in other_texts])[other_index]
    return float((index[both] == mapped[both]).mean())


def _grid(stem: str, members: Sequence[Facts]) -> Guess | None:
    values = sorted({text for facts in members for text in facts.texts}, key=_natural)
    common = set(members[0].texts)
    for facts in members:
        common &= set(facts.texts)
    if len(values) < 3 or len(values) > FEW or len(common) < 0.6 * len(values):
        return None
    scale, apart = _scale(values)
    return Guess(
        role="grid", name=_plain_name(stem), columns=tuple(f.name for f in members),
        answers=tuple((value, value) for value in values), details={"scale": scale, "missing": apart},
        reason=f"columns {members[0].name} to {members[-1].name} hold the same {len(values)} values; taken for a grid",
    )  # fmt: skip


def _scale(values: Sequence[str]) -> tuple[bool, tuple[str, ...]]:
    """Return whether codes make a scale (4 to 11 whole numbers in a row), and which are far apart from it."""
    numbers = [number_of(value) for value in values]
    if any(number is None or number != round(number) for number in numbers):
        return False, ()
    whole = [int(number) for number in numbers if number is not None]
    run = [k for k in whole if k - whole[0] < 11]
    apart = tuple(value for value, k in zip(values, whole, strict=True) if k not in run and k >= 90)
    in_a_row = run == list(range(run[0], run[0] + len(run)))
    return in_a_row and 4 <= len(run) <= 11 and len(run) + len(apart) == len(whole), apart


# --- columns on their own -------------------------------------------------------------------------------


def _alone(facts: Facts, *, first: bool) -> Guess:
    name = facts.name

    def guess(role: Role, reason: str, **more: Any) -> Guess:
        return Guess(role=role, name=name, columns=(name,), reason=reason, **more)

    if not facts.texts:
        return guess("empty", "nothing in it")
    unique = len(facts.texts) == facts.filled == facts.rows
    if unique and facts.rows > 1 and (ID_NAME.match(name) or (first and facts.rows > FEW_WORDS)):
        return guess("respondent", "a different value in every row")
    counts_people = facts.all_numbers and min(facts.numbers) >= 0 and max(facts.numbers) > 0
    if counts_people and facts.filled == facts.rows:
        if FREQUENCY_NAME.match(name) and facts.all_whole:
            return guess(
                "frequency", "whole numbers under a name that says count: rows that stand for several people"
            )
        if WEIGHT_NAME.match(name):
            return guess("weight", "numbers from 0 up under a name that says weight")
    dated = _date(facts)
    if dated is not None:
        return dated
    joined = _joined(facts)
    if joined is not None:
        return joined
    if facts.all_numbers:
        return _numeric(facts)
    longest = max(len(text) for text in facts.texts)
    repeated = len(facts.texts) <= max(2, facts.filled / 3)
    if len(facts.texts) <= FEW_WORDS and longest <= LONGEST_ANSWER and repeated:
        missing = tuple(text for text in facts.texts if says_no_answer(text))
        listed = tuple((text, text) for text in facts.texts)
        return guess(
            "single", f"{len(facts.texts)} different texts; taken for answers", answers=listed,
            details={"missing": missing},
        )  # fmt: skip
    return guess("text", f"{len(facts.texts):,} different texts; taken for open answers")


def _numeric(facts: Facts) -> Guess:
    few = (
        facts.all_whole and len(facts.texts) <= FEW and min(facts.numbers) >= -1 and max(facts.numbers) < 1000
    )
    if few and len(facts.texts) <= max(2, facts.filled / 2):
        scale, apart = _scale(facts.texts)
        return Guess(
            role="single", name=facts.name, columns=(facts.name,), answers=tuple((text, text) for text in facts.texts),
            details={"missing": apart if scale else ()},
            reason=f"{len(facts.texts)} different whole numbers; taken for codes"
            + (" (a scale? then add scale: true)" if scale else ""),
        )  # fmt: skip
    low, high = min(facts.numbers), max(facts.numbers)
    return Guess(
        role="number", name=facts.name, columns=(facts.name,),
        reason=f"{len(facts.texts):,} different numbers from {low:g} to {high:g}",
    )  # fmt: skip


def _date(facts: Facts) -> Guess | None:
    sample = facts.texts[:500]
    if all(day_of(text[:10]) is not None and len(text) >= 10 for text in sample):
        return Guess(role="date", name=facts.name, columns=(facts.name,), reason="days written as 2026-03-31")
    for pattern in DATE_FORMATS:
        if all(_is_day(text, pattern) for text in sample):
            return Guess(
                role="date", name=facts.name, columns=(facts.name,), details={"format": pattern},
                reason=f"days written as {pattern}; check that day and month are not the other way round",
            )  # fmt: skip
    return None


def _is_day(text: str, pattern: str) -> bool:
    try:
        return 1900 <= datetime.strptime(text, pattern).year <= 2100
    except ValueError:
        return False


def _joined(facts: Facts) -> Guess | None:
    for by in JOINTS:
        several = sum(count for text, count in zip(facts.texts, facts.counts, strict=True) if by in text)
        if several < 0.1 * facts.filled or several < 2:
            continue
        pieces: dict[str, int] = {}
        for text, count in zip(facts.texts, facts.counts, strict=True):
            for piece in text.split(by):
                if piece.strip():
                    pieces[piece.strip()] = pieces.get(piece.strip(), 0) + count
        values = sorted(pieces, key=_natural)
        if (
            2 <= len(values) < len(facts.texts)
            and len(values) <= 60
            and max(len(value) for value in values) <= 40
            and min(pieces.values()) > 1
        ):
            return Guess(
                role="joined", name=facts.name, columns=(facts.name,), answers=tuple((v, v) for v in values),
                details={"by": by},
                reason=f"{len(values)} values joined by {by!r}; taken for several answers in a cell",
            )  # fmt: skip
    return None
