"""A codebook with something added, replaced or taken out: changes of what its files say."""

from __future__ import annotations

from collections.abc import Mapping
from copy import deepcopy
from pathlib import Path
from typing import Any

from eager_otter.documents.origin import Origin
from eager_otter.errors import RequestError, UnknownName


def definition_of(origin: Origin[Any]) -> dict[str, Any]:
    """Return what the files of a codebook say, as one mapping: the questions of included ones first, as they count."""
    whole = _mapping(origin, origin.path)
    main_questions = whole.get("questions") or {}
    questions = {name: body for path in _included(origin) for name, body in _questions(origin, path).items()}
    return (
        {**whole, "questions": {**questions, **main_questions}}
        if questions or "questions" in whole
        else whole
    )


def data_of(origin: Origin[Any], definition: Mapping[str, Any]) -> dict[Path, Any]:
    """Return what each file is to say, so that all of them say a definition.

    A question stays in the file it is in; a new one goes where the one before it is, and first to the main file.
    """
    main = _mapping(origin, origin.path)
    home = dict.fromkeys(main.get("questions") or {}, origin.path)
    home |= {name: path for path in _included(origin) for name in _questions(origin, path)}
    parts: dict[Path, dict[str, Any]] = {path: {} for path in (origin.path, *_included(origin))}
    last = origin.path
    for name, body in dict(definition.get("questions") or {}).items():
        last = home.get(name, last)
        parts[last][name] = body
    main_questions = parts.pop(origin.path)
    emptied = [path for path, questions in parts.items() if not questions]
    if emptied:
        raise RequestError(
            f"{emptied[0].name}: an included file keeps one question at least; take the include out."
        )
    said = {**definition, "questions": main_questions}
    if not main_questions and ("questions" not in main or "questions" not in definition):
        del said["questions"]
    return {origin.path: said, **{path: {"questions": questions} for path, questions in parts.items()}}


def with_question(
    definition: dict[str, Any], name: str, body: object, *, after: str, replace: bool
) -> dict[str, Any]:
    """Return a definition with a question: a new one, or with `replace` one that is there already."""
    questions = dict(definition.get("questions") or {})
    if name in questions and not replace:
        raise RequestError(f"There is a question {name!r} already; say replace=True to write it anew.")
    if replace and name not in questions:
        raise UnknownName("question", name, questions, "the codebook")
    if not after or replace:
        return {**definition, "questions": {**questions, name: body}}
    if after not in questions:
        raise UnknownName("question", after, questions, "the codebook")
    ordered: dict[str, Any] = {}
    for other, said in questions.items():
        ordered[other] = said
        if other == after:
            ordered[name] = body
    return {**definition, "questions": ordered}


def without_question(definition: dict[str, Any], name: str) -> dict[str, Any]:
    """Return a definition without a question. Raises UnknownName."""
    questions = dict(definition.get("questions") or {})
    if name not in questions:
        raise UnknownName("question", name, questions, "the codebook")
    del questions[name]
    return {**definition, "questions": questions}


def with_net(definition: dict[str, Any], question: str, net: object) -> dict[str, Any]:
    """Return a definition in which a question has one net more, after those that it has. Raises UnknownName."""
    questions = dict(definition.get("questions") or {})
    if question not in questions:
        owner = question.rpartition(".")[0]
        if owner in questions:
            raise RequestError(
                f"{question} is part of {owner}, whose parts all have the same nets; name {owner}."
            )
        raise UnknownName("question", question, questions, "the codebook")
    body = dict(questions[question])
    body["nets"] = [*(body.get("nets") or []), net]
    return {**definition, "questions": {**questions, question: body}}


def _mapping(origin: Origin[Any], path: Path) -> dict[str, Any]:
    data = origin.document(path).data
    return deepcopy(data) if isinstance(data, dict) else {}


def _questions(origin: Origin[Any], path: Path) -> dict[str, Any]:
    return dict(_mapping(origin, path).get("questions") or {})


def _included(origin: Origin[Any]) -> list[Path]:
    return [path for path in origin.texts if path != origin.path]
