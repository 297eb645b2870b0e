"""Encoded answers: small integers and bits, one row per respondent."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from eager_otter.core.arrays import BoolArray, CodeArray, FloatArray

ByteArray = npt.NDArray[np.uint8]

BLANK, MISSING, UNKNOWN = 0, 1, 2  # what stands behind the answers of a single question
BEHIND = 3


@dataclass(frozen=True, slots=True, eq=False)
class SingleAnswers:
    """One answer per respondent.

    `codes` (respondents,) holds the position of the answer in the question's list (missing answers keep theirs);
    behind the last answer come three more: no answer, a missing code without a label, a code that the codebook
    does not know. `unknown` counts the last by code, over all rows read.
    """

    codes: CodeArray
    answers: int
    unknown: Mapping[str, int] = field(default_factory=dict)

    @property
    def size(self) -> int:
        """How many codes there are, those behind the answers included."""
        return self.answers + BEHIND

    def chosen(self, rows: BoolArray) -> SingleAnswers:
        """Keep only some respondents."""
        return SingleAnswers(self.codes[rows], self.answers, self.unknown)

    def __len__(self) -> int:
        return int(self.codes.size)


@dataclass(frozen=True, slots=True, eq=False)
class MultiAnswers:
    """Several answers per respondent, packed eight to a byte.

    `packed` (bytes, respondents): bit b of byte k is answer 8·k + b of the question's list; the bit after the
    last answer tells whether the respondent answered at all.
    """

    packed: ByteArray
    answers: int
    unknown: Mapping[str, int] = field(default_factory=dict)

    def tick(self, position: int) -> BoolArray:
        """Tell who gave the answer at a position of the list: (respondents,)."""
        return np.asarray(self.packed[position // 8] >> np.uint8(position % 8) & np.uint8(1), np.bool_)

    @property
    def answered(self) -> BoolArray:
        """Tell who answered the question: (respondents,)."""
        return self.tick(self.answers)

    def chosen(self, rows: BoolArray) -> MultiAnswers:
        """Keep only some respondents."""
        return MultiAnswers(np.ascontiguousarray(self.packed[:, rows]), self.answers, self.unknown)

    def __len__(self) -> int:
        return int(self.packed.shape[1])


def pack(ticks: BoolArray, answered: BoolArray) -> ByteArray:
    """Pack ticks (answers, respondents) and who answered (respondents,) into bytes (bytes, respondents).

    >>> pack(np.array([[True, False], [True, True]]), np.array([True, True])).tolist()
    [[7, 6]]
    """
    return np.packbits(np.vstack([ticks, answered[None, :]]), axis=0, bitorder="little")


@dataclass(frozen=True, slots=True, eq=False)
class NumberAnswers:
    """A number per respondent; `values` (respondents,) is NaN where there is none.

    `missing` (respondents,) tells who gave a missing code; None where nobody did.
    """

    values: FloatArray
    missing: BoolArray | None = None

    def chosen(self, rows: BoolArray) -> NumberAnswers:
        """Keep only some respondents."""
        return NumberAnswers(self.values[rows], None if self.missing is None else self.missing[rows])

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


def joined(pieces: Sequence[Answers]) -> Answers:
    """Put the answers of parts of the data behind one another: all of one kind, in the order of the rows."""
    first = pieces[0]
    if isinstance(first, SingleAnswers):
        singles = [piece for piece in pieces if isinstance(piece, SingleAnswers)]
        return SingleAnswers(np.concatenate([p.codes for p in singles]), first.answers, _added(singles))
    if isinstance(first, MultiAnswers):
        multis = [piece for piece in pieces if isinstance(piece, MultiAnswers)]
        return MultiAnswers(np.concatenate([p.packed for p in multis], axis=1), first.answers, _added(multis))
    if isinstance(first, NumberAnswers):
        numbers = [piece for piece in pieces if isinstance(piece, NumberAnswers)]
        coded = np.concatenate(
            [np.zeros(len(p), np.bool_) if p.missing is None else p.missing for p in numbers]
        )
        return NumberAnswers(np.concatenate([p.values for p in numbers]), coded if coded.any() else None)
    return TextAnswers(np.concatenate([piece.texts for piece in pieces if isinstance(piece, TextAnswers)]))


def _added(pieces: Sequence[SingleAnswers] | Sequence[MultiAnswers]) -> dict[str, int]:
    unknown: Counter[str] = Counter()
    for piece in pieces:
        unknown.update(piece.unknown)
    return dict(unknown)
