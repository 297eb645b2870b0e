"""Multiple-response questions."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, FloatArray
from eager_otter.data.answers import MultiAnswers, added, joined_reasons
from eager_otter.data.encoding import encode_multi
from eager_otter.data.kind import (
    AnswerCount,
    Columns,
    Field,
    KindOfAnswers,
    Variable,
    counted_reasons,
    numbered,
    own_words,
    unknown_codes,
    without_answer,
)


class Multi(KindOfAnswers[MultiAnswers]):
    """Several answers of a list."""

    name = "multi"

    def encode(self, question: Question, columns: Columns) -> MultiAnswers:
        """Encode ticks, mentions or joined codes."""
        return encode_multi(question, columns)

    def joined(self, pieces: Sequence[MultiAnswers]) -> MultiAnswers:
        """Put packed answers behind one another."""
        packed = np.concatenate([piece.packed for piece in pieces], axis=1)
        absent = joined_reasons([piece.absent for piece in pieces], [~piece.answered for piece in pieces])
        unknown = added(piece.unknown for piece in pieces)
        held = [added(columns) for columns in zip(*(piece.held for piece in pieces), strict=True)]
        return MultiAnswers(packed, pieces[0].answers, unknown, absent, held)

    def answered(self, question: Question, answers: MultiAnswers) -> BoolArray:
        """Return who answered at all."""
        return answers.answered

    def fields(self, question: Question, answers: MultiAnswers, *, labels: bool) -> Iterator[Field]:
        """Return a column per answer; with labels, a tick is the answer's label."""
        given = answers.answered.tolist()
        for k, answer in enumerate(question.answers):
            yes, no = (answer.label, "") if labels else ("1", "0")
            ticks = answers.tick(k).tolist()
            texts = [(yes if tick else no) if there else "" for tick, there in zip(ticks, given, strict=True)]
            yield Field(name=f"{question.name}_{answer.code}", texts=texts)

    def variable(self, question: Question, answers: MultiAnswers) -> Variable:
        """Write a string of bits."""
        numbers = numbered(question)
        bits = np.full((len(answers), max(numbers.values())), ord("0"), np.uint8)
        for k, answer in enumerate(question.answers):
            bits[answers.tick(k), numbers[answer.code] - 1] = ord("1")
        given = answers.answered.tolist()
        texts = [
            row.tobytes().decode("ascii") if there else "" for row, there in zip(bits, given, strict=True)
        ]
        return Variable(type="multiple", texts=texts, numbers=numbers)

    def counts(self, question: Question, answers: MultiAnswers, often: FloatArray) -> Iterator[AnswerCount]:
        """Count each answer, then those without."""
        for k, answer in enumerate(question.answers):
            note = "missing" if answer.missing else "exclusive" if answer.exclusive else own_words(answer)
            people = int(often[answers.tick(k)].sum())
            yield AnswerCount(code=answer.code, label=answer.label, people=people, note=note)
        yield from unknown_codes(answers.unknown)
        yield from without_answer(counted_reasons(answers.absent, often), {})


KINDS = (Multi(),)
