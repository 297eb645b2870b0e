"""Plain Python values as a document: checked like a file, with places named as one would write them in a call."""

from __future__ import annotations

from collections.abc import Iterable, KeysView, Mapping, ValuesView
from dataclasses import field
from pathlib import Path
from typing import Any, ClassVar

from eager_otter.dataclass import dataclass
from eager_otter.documents.definition import Definition
from eager_otter.documents.written import written_code
from eager_otter.documents.yaml_nodes import DEEPEST, Document, Place
from eager_otter.errors import Problem, RequestError


@dataclass(slots=True)
class Values(Document):
    """Values given in a call; what is wrong is told with the names of the parameters, not with lines."""

    by_name: ClassVar[bool] = True
    moved: Mapping[Place, Place] = field(
        default_factory=dict
    )  # what the caller did not write: how it is shown

    def problem(self, place: Iterable[str | int], message: str, *, key: bool = False) -> Problem:
        """Make a problem that names a place: `tests.against`, `banner[2].keep`."""
        steps = self.existing(place)
        for start in sorted(self.moved, key=len, reverse=True):
            if steps[: len(start)] == start:
                steps = (*self.moved[start], *steps[len(start) :])
                break
        said = [k for k, step in enumerate(steps) if message.startswith(f"{step}:")]
        steps = steps[: said[-1]] if said else steps  # the message names it already
        return Problem(dotted(steps), 0, 0, message)


def dotted(place: Iterable[str | int]) -> str:
    """Write a place as one would in Python; a list is counted from 0.

    >>> dotted(("banner", 1, "no test below"))
    "banner[1]['no test below']"
    """
    text = ""
    for step in place:
        if isinstance(step, int) or not step.isidentifier():
            text += f"[{step!r}]"
        else:
            text += f".{step}" if text else step
    return text


def values_of(data: object, moved: Mapping[Place, Place] | None = None) -> Values:
    """Take mappings, lists, tuples, arrays and scalars as a document; `moved` says how places are shown.

    Raises RequestError for what cannot be a document.
    """
    document = Values(Path(), None, (), moved=moved or {})
    document.data = _plain(data, (), document)
    return document


def _plain(value: object, place: Place, document: Values) -> Any:
    document.values[place] = (0, 0)
    if len(place) > DEEPEST:
        raise RequestError("The values given hold each other beyond reason.")
    if isinstance(value, Definition):
        value = value.as_mapping()
    if isinstance(value, Mapping):
        plain: dict[str, Any] = {}
        for key, inner in value.items():
            try:
                name = written_code(_scalar(key))
            except ValueError as error:
                raise RequestError(f"A key: {error}") from error
            if not isinstance(name, str):
                raise RequestError(f"A key is a text or a number; found {key!r}.")
            document.keys[(*place, name)] = (0, 0)
            plain[name] = _plain(inner, (*place, name), document)
        return plain
    if isinstance(value, str | bytes):
        return value
    plain_value: Any = value
    if hasattr(plain_value, "tolist"):  # an array, a column of a frame, a number of an array library
        plain_value = plain_value.tolist()
    if isinstance(plain_value, list | tuple | range | KeysView | ValuesView):
        return [_plain(inner, (*place, k), document) for k, inner in enumerate(plain_value)]
    return _scalar(plain_value)


def _scalar(value: object) -> object:
    """Return a number of an array library as Python's, a path as text, others as they are."""
    if hasattr(value, "item") and getattr(value, "ndim", None) == 0:
        return value.item()
    return str(value) if isinstance(value, Path) else value
