"""A draft beside a codebook that was edited: what is new in the data, gone from them, or changed."""

from __future__ import annotations

from collections.abc import Iterator

from eager_otter.codebook.model import Codebook, Question, TickColumns
from eager_otter.data.responses import columns_of
from eager_otter.dataclass import dataclass
from eager_otter.drafting.facts import Guess
from eager_otter.drafting.writing import question_text
from eager_otter.gates.numbers import number_of
from eager_otter.looks.words import first_of

OF_ANSWERS = ("single", "grid", "mentions", "joined", "ranking")


@dataclass(frozen=True, slots=True, kw_only=True)
class Difference:
    """A question whose data are not what the codebook says: the name of the `question`, and `what` is different."""

    question: str
    what: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Differences:
    """What is different between data and a codebook.

    `new` are guesses at columns that the codebook does not use, `gone` the columns that it uses and the data lack,
    `changed` the questions that hold other values.
    """

    new: tuple[Guess, ...]
    gone: tuple[str, ...]
    changed: tuple[Difference, ...]

    def __bool__(self) -> bool:
        return bool(self.new or self.gone or self.changed)

    def new_questions(self) -> str:
        """Write the new questions as they would stand in the codebook."""
        return "\n".join(question_text(guess) for guess in self.new)


def differences(guesses: tuple[Guess, ...], codebook: Codebook) -> Differences:
    """Compare what columns were taken for with a codebook."""
    used = columns_of(codebook)
    there = {column for guess in guesses for column in guess.columns}
    return Differences(
        new=tuple(guess for guess in guesses if guess.role != "empty" and not set(guess.columns) & set(used)),
        gone=tuple(column for column in used if column not in there),
        changed=tuple(_different(guesses, codebook)),
    )


def _different(guesses: tuple[Guess, ...], codebook: Codebook) -> Iterator[Difference]:
    # of a ranking, the first of its questions has the answers
    owner = {column: question for question in reversed(list(codebook)) for column in question.columns}
    for guess in guesses:
        questions = list(dict.fromkeys(owner[column] for column in guess.columns if column in owner))
        more = [column for column in guess.columns if column not in owner]
        if questions and more:
            yield Difference(
                question=questions[0].name,
                what=f"{', '.join(more)} may belong to it too: {guess.reason}",
            )
        for question in questions[:1]:
            yield from _other_values(guess, question)


def _other_values(guess: Guess, question: Question) -> Iterator[Difference]:
    """Tell codes that the codebook does not list, and words where it has numbers."""
    told = guess.role in OF_ANSWERS and guess.details.get("of") != "answers"  # which are columns of a ranking
    values = [code for code, _ in guess.answers] if told else []
    if question.is_of.of_answers and not isinstance(question.source, TickColumns):
        known = {text for answer in question.answers for text in (answer.code, answer.label)}
        own_words = any(answer.write_in for answer in question.answers)
        unknown = [
            value
            for value in values
            if value not in known
            and not question.missing.has(value)
            and not (own_words and number_of(value) is None)
        ]
        if unknown:
            shown = first_of([repr(value) for value in unknown], 8)
            yield Difference(question=question.name, what=f"not in its answers: {shown}")
    if question.is_of.of_values:
        words = [value for value in values if number_of(value) is None and not question.missing.has(value)]
        if words or guess.role == "text":
            shown = f": {', '.join(map(repr, words[:8]))}" if words else ""
            yield Difference(question=question.name, what=f"a number, but its column holds words{shown}")
