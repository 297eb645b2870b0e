"""Open text."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.codebook.model import Question
from eager_otter.core.arrays import BoolArray
from eager_otter.data.answers import TextAnswers
from eager_otter.data.encoding import encode_text
from eager_otter.data.kind import Columns, KindOfAnswers, Texts, Variable


class OpenText(KindOfAnswers[TextAnswers]):
    """A text."""

    name = "text"

    def encode(self, question: Question, columns: Columns) -> TextAnswers:
        """Take the texts of its column."""
        return encode_text(question, columns)

    def joined(self, pieces: Sequence[TextAnswers]) -> TextAnswers:
        """Put texts behind one another."""
        return TextAnswers(np.concatenate([piece.texts for piece in pieces]))

    def answered(self, question: Question, answers: TextAnswers) -> BoolArray:
        """Return who wrote anything."""
        return np.asarray(answers.texts != "", np.bool_)

    def texts(self, question: Question, answers: TextAnswers, *, labels: bool) -> Texts:
        """Write the text."""
        return [str(text) for text in answers.texts]

    def variable(self, question: Question, answers: TextAnswers) -> Variable:
        """Write characters."""
        return Variable(type="character", texts=self.texts(question, answers, labels=False))


KINDS = (OpenText(),)
