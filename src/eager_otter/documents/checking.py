"""Check parts of a document against what they are declared to be."""

from __future__ import annotations

from typing import Any, TypeVar

from eager_otter.documents.fitting import MISFIT
from eager_otter.documents.part import fit_of_part
from eager_otter.documents.yaml_nodes import Document, Place
from eager_otter.errors import Problem

T = TypeVar("T")


def check(
    kind: type[T] | Any, value: object, document: Document, place: Place
) -> tuple[T | None, list[Problem]]:
    """Check one part of a document: the part, and all problems of it.

    With problems, the part is what is left without the mistaken keys, so that the rest can still be checked
    against other files; None where nothing sound is left.
    """
    hint: Any = kind
    found = fit_of_part(hint, by_name=document.by_name)(value)
    if found is not MISFIT:
        return found, []
    from eager_otter.documents.validating import validated

    return validated(kind, value, document, place)
