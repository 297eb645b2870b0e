"""Questions with one answer."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray, FloatArray, chosen_by
from eager_otter.data.answers import SingleAnswers, added
from eager_otter.data.encoding import encode_single
from eager_otter.data.kind import (
    AnswerCount,
    Columns,
    KindOfAnswers,
    Texts,
    Variable,
    numbered,
    own_words,
    without_answer,
)


class Single(KindOfAnswers[SingleAnswers]):
    """One answer of a list."""

    name = "single"

    def encode(self, question: Question, columns: Columns) -> SingleAnswers:
        """Encode the codes of its column."""
        return encode_single(question, columns)

    def joined(self, pieces: Sequence[SingleAnswers]) -> SingleAnswers:
        """Put codes behind one another."""
        first = pieces[0]
        codes = np.concatenate([piece.codes for piece in pieces])
        return SingleAnswers(codes, first.answers, first.reasons, added(piece.unknown for piece in pieces))

    def answered(self, question: Question, answers: SingleAnswers) -> BoolArray:
        """Return who gave a valid code."""
        table = np.zeros(answers.size, np.bool_)
        table[[question.by_code[answer.code] for answer in question.valid]] = True
        return chosen_by(table, answers.codes)

    def texts(self, question: Question, answers: SingleAnswers, *, labels: bool) -> Texts:
        """Write code or label."""
        words = [answer.label if labels else answer.code for answer in question.answers]
        return _written(words, answers)

    def variable(self, question: Question, answers: SingleAnswers) -> Variable:
        """Write the number of each code."""
        numbers = numbered(question)
        texts = _written([str(numbers[answer.code]) for answer in question.answers], answers)
        return Variable(type="single", texts=texts, numbers=numbers)

    def counts(self, question: Question, answers: SingleAnswers, often: FloatArray) -> Iterator[AnswerCount]:
        """Count each answer, then those without."""
        counts = np.bincount(answers.codes, often, answers.size).astype(np.int64)
        for k, answer in enumerate(question.answers):
            note = "missing" if answer.missing else own_words(answer)
            yield AnswerCount(code=answer.code, label=answer.label, people=int(counts[k]), note=note)
        behind = zip(answers.reasons, counts[answers.answers :].tolist(), strict=True)
        yield from without_answer(behind, answers.unknown)


def _written(words: list[str], answers: SingleAnswers) -> Texts:
    words = words + [""] * (answers.size - len(words))
    return [words[code] for code in answers.codes.tolist()]


KINDS = (Single(),)
