"""The context that all parts of reading a plan share: the document, its problems, and the codebook beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, TypeVar

from eager_otter.codebook.codes import canonical
from eager_otter.codebook.model import Codebook, Question
from eager_otter.codebook.reading import parse_or_problem, read_with_mistakes
from eager_otter.documents.checking import check
from eager_otter.documents.yaml_nodes import Document, Place, read_yaml
from eager_otter.errors import (
    DocumentError,
    FileProblem,
    OtterError,
    Problem,
    RequestError,
    UnknownName,
    nearest,
    shown_path,
)
from eager_otter.looks.catalogue import load_words
from eager_otter.looks.theme import STANDARD, Theme, load_theme
from eager_otter.looks.words import ENGLISH, Words

T = TypeVar("T")
Loaded = TypeVar("Loaded", Theme, Words)


class Context:
    """A plan on its way: problems are gathered, so that all are told at once."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.problems: list[Problem] = []
        self.hints: list[Problem] = [*document.cut]
        self.codebook: Codebook | None = None
        self.mistaken: frozenset[str] = frozenset()  # questions of the codebook that are themselves mistaken

    def mistake(self, place: Place, message: str, *, key: bool = False) -> None:
        """Remember a problem at a place of the plan."""
        self.problems.append(self.document.problem(place, message, key=key))

    def refused(self, place: Place, error: OtterError) -> None:
        """Remember what was refused further in as a problem at a place of the plan."""
        self.mistake(place, str(error))

    def hint(self, place: Place, message: str, *, key: bool = False) -> None:
        """Remember what is no mistake, but is better written otherwise, at a place of the plan."""
        self.hints.append(self.document.problem(place, message, key=key))

    def part(self, kind: type[T] | Any, value: object, place: Place) -> T | None:
        """Check a part against its model; its problems join the others."""
        model, problems = check(kind, value, self.document, place)
        self.problems += problems
        return model

    def raw(self, key: str) -> Any:
        """Return what is under a key of the plan, unchecked."""
        data = self.document.data
        return data.get(key) if isinstance(data, dict) else None

    def text(self, key: str) -> str | None:
        """Return the text under a key of the plan; None where there is none."""
        value = self.raw(key)
        return value if isinstance(value, str) else None

    def read_codebook(self) -> None:
        """Read the codebook that the plan names; its problems join the others."""
        name = self.text("codebook")
        if name is None:
            return
        path = self.document.path.parent / name
        try:
            read = read_with_mistakes(read_yaml(path, "codebook"))
            self.codebook, self.mistaken = read.codebook, read.mistaken
            self.problems += read.problems
            self.hints += read.hints
        except FileProblem as error:
            message = f"codebook: {str(error).removeprefix(shown_path(path) + ': ')}"
            self.mistake(("codebook",), f"{message} Looked for {shown_path(path)}.")
        except DocumentError as error:
            self.problems += error.problems

    def theme(self) -> Theme:
        """Load the theme that the plan names; its problems join the others."""
        return self._loaded("theme", STANDARD, load_theme)

    def words(self, theme: Theme) -> Words:
        """Load the language that the plan names, with the wording of its theme; its problems join the others."""
        return self._loaded("language", ENGLISH, load_words).rephrased(theme.wording)

    def _loaded(self, key: str, usual: Loaded, load: Callable[[str, Path], Loaded]) -> Loaded:
        name = self.text(key)
        if not name:
            return usual
        try:
            return load(name, self.document.path.parent)
        except DocumentError as error:
            self.problems += error.problems
        except (FileProblem, UnknownName) as error:
            self.mistake((key,), f"{key}: {error}")
        return usual

    def question(self, name: str, place: Place) -> Question | None:
        """Find a question; None, with a problem, where there is none."""
        if self.codebook is None:
            return None
        question = self.codebook.questions.get(name)
        if question is None and not self._is_mistaken(name):
            grid = self.codebook.grids.get(name)
            if grid is not None:
                hint = f" {name} is a grid: name one of its items, such as {grid.items[0]}."
            else:
                hint = nearest(name, (*self.codebook.questions, *self.mistaken))
            self.mistake(place, f"no question {name!r} in the codebook.{hint}")
        return question

    def _is_mistaken(self, name: str) -> bool:
        return name.split(".", maxsplit=1)[0] in self.mistaken

    def check_expression(self, text: str, place: Place) -> None:
        """Check an expression against the codebook."""
        expression, problems = parse_or_problem(text, self.document, place)
        mistaken = expression is not None and any(self._is_mistaken(name) for name in expression.names())
        if expression is not None and self.codebook is not None and not mistaken:
            _, problems = parse_or_problem(text, self.document, place, self.codebook.questions)
        self.problems += problems

    def answer(self, question: Question, name: str, place: Place, nets: Sequence[str] = ()) -> str | None:
        """Find the code of a valid answer; None, with a problem, where there is none.

        `nets` are names that might have stood there as well.
        """
        try:
            answer = question.find(canonical(name))
        except RequestError as error:
            self.refused(place, error)
            return None
        if answer is not None and not answer.missing:
            return answer.code
        if answer is not None:
            self.mistake(place, f"{answer.label!r} of {question.name} is missing and makes no column.")
            return None
        known = [*(answer.label for answer in question.valid), *nets]
        hint = nearest(name, known) or nearest(name, [answer.code for answer in question.valid])
        self.mistake(place, f"{question.name} has no answer {name!r}.{hint}")
        return None
