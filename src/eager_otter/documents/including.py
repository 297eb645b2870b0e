"""Documents that include others: one mapping, each part of which remembers the file it is in."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import field
from pathlib import Path
from typing import Any

from eager_otter.dataclass import dataclass
from eager_otter.documents.yaml_nodes import Document, Place, read_yaml
from eager_otter.errors import DocumentError, FileProblem, Problem, shown_path
from eager_otter.gates.reading import resolved

INCLUDE = "include"


@dataclass(slots=True)
class Whole(Document):
    """A document with what it includes; problems point at the file in which a part really is."""

    origins: dict[Place, tuple[Document, Place]] = field(default_factory=dict)
    files: tuple[Path, ...] = ()  # all that were read
    first: Document | None = None  # the document itself, where nothing is included

    def problem(self, place: Iterable[str | int], message: str, *, key: bool = False) -> Problem:
        """Make a problem that points at a place of the file it is in."""
        steps = tuple(place)
        for length in range(len(steps), 0, -1):
            if steps[:length] in self.origins:
                document, where = self.origins[steps[:length]]
                return document.problem((*where, *steps[length:]), message, key=key)
        if self.first is not None:
            return self.first.problem(steps, message, key=key)
        return Document.problem(self, steps, message, key=key)


def with_included(document: Document, *, lists: Sequence[str], mappings: Sequence[str]) -> Whole:
    """Put what a document includes beneath it.

    Under the keys in `lists` the entries of included files come first, under those in `mappings` entries join by
    name; the document's own win. Raises DocumentError for a file that includes itself, and for one that cannot be read.
    """
    whole = Whole(document.path, document.data, document.lines, dict(document.keys), dict(document.values))
    whole.files, whole.first, whole.cut = (document.path,), document, document.cut
    if not isinstance(document.data, dict) or INCLUDE not in document.data:
        return whole
    data: dict[str, Any] = {}
    origins: dict[Place, tuple[Document, Place]] = {}
    parts = _parts(document, (resolved(document.path),))
    whole.files = tuple(dict.fromkeys(part.path for part in parts))
    whole.cut = [problem for part in parts for problem in part.cut]
    for part in parts:
        if not isinstance(part.data, dict):
            raise DocumentError([part.problem((), "an included file is a mapping (key: value).")])
        for key, value in part.data.items():
            if key == INCLUDE and part is not document:
                continue
            _put(data, origins, key, value, part, lists, mappings)
    whole.data, whole.origins, whole.first = data, origins, None
    for place, (part, where) in origins.items():
        for table, spots in ((whole.keys, part.keys), (whole.values, part.values)):
            table.update(
                {
                    (*place, *steps[len(where) :]): spot
                    for steps, spot in spots.items()
                    if steps[: len(where)] == where
                }
            )
    return whole


def _put(
    data: dict[str, Any],
    origins: dict[Place, tuple[Document, Place]],
    key: str,
    value: Any,
    part: Document,
    lists: Sequence[str],
    mappings: Sequence[str],
) -> None:
    if key in lists and isinstance(value, list):
        entries = data.setdefault(key, [])
        for k, entry in enumerate(value):
            origins[(key, len(entries))] = (part, (key, k))
            entries.append(entry)
    elif key in mappings and isinstance(value, dict):
        named = data.setdefault(key, {})
        for name, entry in value.items():
            origins[(key, name)] = (part, (key, name))
            named[name] = entry
    else:
        data[key] = value
        origins[(key,)] = (part, (key,))


def _parts(document: Document, above: tuple[Path, ...]) -> list[Document]:
    """Read what a document includes, deepest first, itself last."""
    included = document.data.get(INCLUDE) if isinstance(document.data, dict) else None
    names = included if isinstance(included, list) else [included]
    parts: list[Document] = []
    for k, name in enumerate(names):
        if not isinstance(name, str):
            continue  # the model of the file says so
        place: Place = (INCLUDE, k) if isinstance(included, list) else (INCLUDE,)
        path = document.path.parent / name
        if resolved(path) in above:
            raise DocumentError([document.problem(place, f"include: {name} includes itself.")])
        try:
            part = read_yaml(path)
        except FileProblem as error:
            message = str(error).removeprefix(shown_path(path) + ": ")
            raise DocumentError(
                [document.problem(place, f"include: {message} Looked for {shown_path(path)}.")]
            ) from error
        parts += _parts(part, (*above, resolved(path)))
    return [*parts, document]
