"""The kind of each question, found among the files of `data.kinds`."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Any

from eager_otter.codebook.model import Question
from eager_otter.data import kinds
from eager_otter.data.kind import KindOfAnswers
from eager_otter.discovery import modules_in


@cache
def kinds_of_answers() -> Mapping[str, KindOfAnswers[Any]]:
    """Return all kinds by name."""
    return {kind.name: kind for module in modules_in(kinds) for kind in module.KINDS}


def kind_of(question: Question) -> KindOfAnswers[Any]:
    """Return what the kind of a question does with its answers."""
    return kinds_of_answers()[question.kind]
