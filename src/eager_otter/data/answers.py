"""Encoded answers: small integers and bits, one row per respondent."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import field, replace

import numpy as np
import numpy.typing as npt

from eager_otter.core.arrays import (
    BoolArray,
    ByteArray,
    CodeArray,
    FloatArray,
    IntArray,
    counts_of,
    packed_bits,
    smallest_unsigned,
)
from eager_otter.data.reasons import BLANK, Reason, Reasons
from eager_otter.dataclass import dataclass


@dataclass(frozen=True, slots=True, eq=False)
class SingleAnswers:
    """One answer per respondent.

    `codes` (respondents,) holds the position of the answer in the question's list (missing answers keep theirs);
    behind the last answer come the `reasons` why there is none. `unknown` counts the codes that the codebook does not
    know, over all rows read.
    """

    codes: CodeArray
    answers: int
    reasons: tuple[Reason, ...]
    unknown: Mapping[str, int] = field(default_factory=dict)
    _rows: list[IntArray] = field(default_factory=list, init=False, repr=False)

    @property
    def size(self) -> int:
        """How many codes there are, those of the reasons included."""
        return self.answers + len(self.reasons)

    def rows_of_codes(self) -> IntArray:
        """Count the rows of each code, once: (codes,)."""
        if not self._rows:
            self._rows.append(counts_of(self.codes, self.size))
        return self._rows[0]

    def with_reason(self, reason: Reason) -> BoolArray:
        """Return who has no answer for a reason: (respondents,)."""
        code = self.answers + self.reasons.index(reason) if reason in self.reasons else None
        if code is None or not self.rows_of_codes()[code]:
            return np.zeros(len(self), np.bool_)
        return np.asarray(self.codes == code)

    def chosen(self, rows: BoolArray) -> SingleAnswers:
        """Keep only some respondents."""
        return replace(self, codes=self.codes[rows])

    def __len__(self) -> int:
        return int(self.codes.size)


@dataclass(frozen=True, slots=True, eq=False)
class MultiAnswers:
    """Several answers per respondent, packed eight to a byte.

    `packed` (bytes, respondents): bit b of byte k is answer 8·k + b of the question's list; the bit after the
    last answer tells whether the respondent answered at all. `absent` says why some did not; None: all left it blank.
    `held` counts, for each column of ticks, the texts that it holds, over all rows read.
    """

    packed: ByteArray
    answers: int
    unknown: Mapping[str, int] = field(default_factory=dict)
    absent: Reasons | None = None
    held: Sequence[Mapping[str, int]] = ()

    def tick(self, position: int) -> BoolArray:
        """Return who gave the answer at a position of the list: (respondents,)."""
        return np.asarray(self.packed[position // 8] & np.uint8(1 << position % 8) != 0)

    @property
    def answered(self) -> BoolArray:
        """Return who answered the question: (respondents,)."""
        return self.tick(self.answers)

    def chosen(self, rows: BoolArray) -> MultiAnswers:
        """Keep only some respondents."""
        absent = None if self.absent is None else self.absent.chosen(rows)
        return replace(self, packed=self.packed.compress(rows, axis=1), absent=absent)

    def __len__(self) -> int:
        return int(self.packed.shape[1])


def pack(ticks: BoolArray, answered: BoolArray) -> ByteArray:
    """Pack ticks (answers, respondents) and who answered (respondents,) into bytes (bytes, respondents).

    >>> pack(np.array([[True, False], [True, True]]), np.array([True, True])).tolist()
    [[7, 6]]
    """
    return packed_bits([*ticks, answered])


@dataclass(frozen=True, slots=True, eq=False)
class NumberAnswers:
    """A number per respondent; `values` (respondents,) is NaN where there is none.

    `absent` says why some have none; None: all left it blank.
    """

    values: FloatArray
    absent: Reasons | None = None

    def chosen(self, rows: BoolArray) -> NumberAnswers:
        """Keep only some respondents."""
        return NumberAnswers(self.values[rows], None if self.absent is None else self.absent.chosen(rows))

    def __len__(self) -> int:
        return int(self.values.size)


@dataclass(frozen=True, slots=True, eq=False)
class TextAnswers:
    """A text per respondent; "" where there is none."""

    texts: npt.NDArray[np.object_]

    def chosen(self, rows: BoolArray) -> TextAnswers:
        """Keep only some respondents."""
        return TextAnswers(self.texts[rows])

    def __len__(self) -> int:
        return int(self.texts.size)


Answers = SingleAnswers | MultiAnswers | NumberAnswers | TextAnswers


def size_of(answers: Answers) -> int:
    """Return how many bytes answers take, about."""
    match answers:
        case SingleAnswers():
            return int(answers.codes.nbytes)
        case MultiAnswers():
            return int(answers.packed.nbytes) + (
                0 if answers.absent is None else int(answers.absent.codes.nbytes)
            )
        case NumberAnswers():
            return int(answers.values.nbytes) + (
                0 if answers.absent is None else int(answers.absent.codes.nbytes)
            )
        case TextAnswers():
            return TEXT_BYTES * int(answers.texts.size)


TEXT_BYTES = 64  # about what a text takes


def joined_reasons(pieces: Sequence[Reasons | None], without: Sequence[BoolArray]) -> Reasons | None:
    """Put the reasons of parts behind one another; `without` (respondents,) of a part tells who has no answer."""
    known = list(dict.fromkeys(reason for piece in pieces if piece is not None for reason in piece.known))
    if not known:
        return None
    known = known if BLANK in known else [*known, BLANK]
    place = {reason: k for k, reason in enumerate(known, 1)}
    kind = smallest_unsigned(len(known))
    codes = []
    for piece, absent in zip(pieces, without, strict=True):
        if piece is None:
            codes.append(np.where(absent, place[BLANK], 0).astype(kind))
        else:
            codes.append(np.array([0, *(place[reason] for reason in piece.known)], kind)[piece.codes])
    return Reasons(np.concatenate(codes), tuple(known))


def added(counts: Iterable[Mapping[str, int]]) -> dict[str, int]:
    """Add up how often texts were found in parts."""
    together: Counter[str] = Counter()
    for one in counts:
        together.update(one)
    return dict(together)
