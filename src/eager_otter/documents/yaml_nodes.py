"""Read a YAML file and remember where every key and value is.

Scalars follow YAML 1.2 (`no` and `yes` are text, `010` keeps its zero, times are text), a key given twice is
a mistake, and mapping keys are always text as written: `{1: North}` has the key "1".
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import field
from functools import cache
from pathlib import Path
from typing import Any, ClassVar, Literal

import yaml

from eager_otter.dataclass import dataclass
from eager_otter.documents.yaml_hints import IN_QUOTES, OF_AN_OPENING, hint_for
from eager_otter.errors import DocumentError, FileProblem, Problem, shown_path
from eager_otter.gates.numbers import number_of, whole_of
from eager_otter.gates.reading import is_file, read_text, reason_of

Place = tuple[str | int, ...]
Spot = tuple[int, int]  # line, column: from 1

FileKind = Literal["plan", "codebook", "targets", "catalogue", "theme"]

KINDS: Mapping[FileKind, str] = {
    "plan": "a plan",
    "codebook": "a codebook",
    "targets": "a targets file",
    "catalogue": "a catalogue of words",
    "theme": "a theme",
}
OF_DATA = (
    ".csv", ".tsv", ".xlsx", ".xlsm", ".ods", ".parquet", ".feather", ".arrow", ".asc", ".sss", ".zip", ".gz",
)  # fmt: skip
HINTS_OF_DATA: Mapping[FileKind, str] = {
    "plan": " eager-otter draft writes a first plan for it.",
    "codebook": " eager-otter draft writes a first codebook for it.",
}
DEEPEST = 60
MOST_REPEATS = 10_000  # nodes met again through aliases
LARGEST_FILE = 16_000_000  # bytes
WHAT = "a YAML file"
SURELY_READ = 300  # levels that any version of the parser builds without harm
BEYOND_REASON = "the file nests or repeats itself beyond reason."
_CUT = re.compile(r"[ \t]+#\w")  # a comment that begins as a text might go on
_BRACKET = re.compile(r"[\[\]{}]")
_INDENTED = re.compile(r"^[ ?-]+", re.MULTILINE)  # each sign may begin a level


def is_yaml(name: str) -> bool:
    """Tell by its ending whether a name is that of a YAML file."""
    return name.lower().endswith((".yaml", ".yml"))


class WrittenInt(int):
    """A whole number that remembers how it was written (`010`)."""

    text: str


class WrittenFloat(float):
    """A decimal number that remembers how it was written (`1.0`)."""

    text: str


@dataclass(slots=True)
class Document:
    """A YAML file as plain dicts, lists and scalars, with the spot of every key and value."""

    path: Path
    data: Any
    lines: tuple[str, ...]
    keys: dict[Place, Spot] = field(default_factory=dict)
    values: dict[Place, Spot] = field(default_factory=dict)
    text: str = ""  # as it was read
    cut: list[Problem] = field(default_factory=list)  # texts that end where they may have been meant to go on
    by_name: ClassVar[bool] = (
        False  # whether a key may also be written as Python names it: no_test for "no test below"
    )

    def spot(self, place: Iterable[str | int], *, key: bool = False) -> Spot:
        """Find the spot of a place in the file, or of the nearest place around it that exists."""
        steps = self.existing(place)
        while steps:
            spots = (self.keys, self.values) if key else (self.values, self.keys)
            for table in spots:
                if steps in table:
                    return table[steps]
            steps = steps[:-1]
        return self.values.get((), (1, 1))

    def existing(self, place: Iterable[str | int]) -> Place:
        """Keep the steps that exist in the file; those a checker put in between are passed over."""
        steps: Place = ()
        for step in place:
            longer = (*steps, step)
            if longer in self.values or longer in self.keys:
                steps = longer
        return steps

    def line(self, number: int) -> str:
        """Return a line by its number from 1, "" where there is none."""
        return self.lines[number - 1] if 0 < number <= len(self.lines) else ""

    def stands_alone(self, place: Iterable[str | int]) -> bool:
        """Return whether a key has neither colon nor value: it is what stands behind a comma inside { }."""
        steps = self.existing(place)
        line, column = self.keys.get(steps, (0, 0))
        written = self.line(line)[column - 1 :]
        key = str(steps[-1]) if steps else ""
        return bool(key) and written.startswith(key) and written.removeprefix(key).lstrip()[:1] in (",", "}")

    def add(self, place: Place, value: Any) -> None:
        """Take a value that no line of the document says, so that problems in it are told by its keys."""
        self.values.setdefault(place, (0, 0))
        for key, inner in (
            value.items() if isinstance(value, dict) else enumerate(value if isinstance(value, list) else [])
        ):
            self.keys.setdefault((*place, key), (0, 0))
            self.add((*place, key), inner)

    def problem(self, place: Iterable[str | int], message: str, *, key: bool = False) -> Problem:
        """Make a problem that points at a place of this file."""
        line, column = self.spot(place, key=key)
        return Problem(shown_path(self.path), line, column, message, self.line(line).replace("\t", " "))


def read_yaml(path: Path, kind: FileKind | None = None) -> Document:
    """Read a YAML file, which is to be of a `kind`.

    Raises FileProblem when it is missing, not UTF-8 or far too large, DocumentError when it is not YAML, has a
    key twice, nests or repeats itself beyond reason, or is of another kind.
    """
    try:
        document = compose(read_text(path, WHAT, most=LARGEST_FILE), path)
    except (DocumentError, FileProblem) as error:
        instead = _data_instead(path, kind)
        if instead is None:
            raise
        raise instead from error
    instead = None if isinstance(document.data, dict) else _data_instead(path, kind)
    if instead is not None:
        raise instead
    found = _kind_of(document.data)
    if kind is not None and found not in (None, kind):
        message = f"{KINDS[kind]} was expected; this is {KINDS[found]}."
        raise DocumentError([Problem(shown_path(path), 0, 0, message)])
    return document


def _data_instead(path: Path, kind: FileKind | None) -> DocumentError | None:
    """Return the error that tells of a file of data, where one of a kind was expected; None for other files."""
    if kind is None or path.suffix.lower() not in OF_DATA or not is_file(path):
        return None
    message = f"{KINDS[kind]} was expected; this is a file of data.{HINTS_OF_DATA.get(kind, '')}"
    return DocumentError([Problem(shown_path(path), 0, 0, message)])


def _kind_of(data: Any) -> FileKind | None:
    """Return the kind of a file by keys that no other has; None where they do not tell."""
    keys = set(data) if isinstance(data, dict) else set()
    if keys & {"targets", "own targets"}:
        return "targets"
    if "codebook" in keys and keys & {"data", "tables"}:
        return "plan"
    if "questions" in keys and "codebook" not in keys:
        return "codebook"
    return "catalogue" if {"language", "words"} <= keys else None


def compose(text: str, path: Path) -> Document:
    """Read YAML text; `path` names it in messages. Raises DocumentError as `read_yaml` does."""
    document = Document(path, None, tuple(text.splitlines()), text=text)
    try:
        _check_depth(document)
        node = yaml.compose(text, Loader=_loader())
    except yaml.MarkedYAMLError as error:
        raise DocumentError([_not_yaml(document, error)]) from error
    except (yaml.YAMLError, RecursionError, ValueError) as error:
        raise DocumentError(
            [Problem(shown_path(path), 0, 0, f"not valid YAML: {reason_of(error)}.")]
        ) from error
    if node is not None:
        reader = _Reader(document)
        document.data = reader.plain(node, ())
        if reader.problems:
            raise DocumentError(reader.problems)
    return document


def _not_yaml(document: Document, error: yaml.MarkedYAMLError) -> Problem:
    """Say what stops the parser and what most often is behind it, where something is opened and never closed there."""
    problem = str(error.problem)
    opened = error.context_mark is not None and any(words in problem for words in OF_AN_OPENING)
    mark = error.context_mark if opened else error.problem_mark or error.context_mark
    line, column = (mark.line + 1, mark.column + 1) if mark else (0, 0)
    excerpt = document.line(line)
    hint = hint_for(problem, excerpt[: column - 1].rstrip(), excerpt)
    message = f"not valid YAML: {problem}.{' ' if hint else ''}{hint}"
    return Problem(shown_path(document.path), line, column, message, excerpt)


def _check_depth(document: Document) -> None:
    """Refuse what nests beyond reason, before the parser builds it: some of its versions crash on that.

    Brackets and indentation bound how deep a text nests; only where they allow it, the parser's events are counted.
    """
    brackets = deepest = lowest = 0
    for match in _BRACKET.finditer(document.text):
        brackets += 1 if match[0] in "[{" else -1
        lowest = min(lowest, brackets)
        deepest = max(deepest, brackets - lowest)
    indented = max((len(match[0]) for match in _INDENTED.finditer(document.text)), default=0)
    if deepest + indented <= SURELY_READ:
        return
    depth = 0
    for event in yaml.parse(document.text, Loader=_loader()):
        if isinstance(event, yaml.MappingStartEvent | yaml.SequenceStartEvent):
            depth += 1
        elif isinstance(event, yaml.MappingEndEvent | yaml.SequenceEndEvent):
            depth -= 1
        if depth > SURELY_READ:
            mark = event.start_mark
            line, column = (mark.line + 1, mark.column + 1) if mark else (0, 0)
            raise DocumentError([Problem(shown_path(document.path), line, column, BEYOND_REASON)])


@cache
def _without_tags(loader: Any) -> Any:
    """Make a loader that asks no regular expressions what a plain text might be: `plain_scalar` says it here."""
    ways = {"resolve": _no_tag, "descend_resolver": _nothing, "ascend_resolver": _nothing}
    return type("Loader", (loader,), ways)


def _loader() -> Any:
    return _without_tags(getattr(yaml, "CSafeLoader", yaml.SafeLoader))


def _no_tag(_: object, __: type, ___: object, ____: object) -> str:
    return STANDARD_TAGS


def _nothing(*_: object) -> None:
    pass


AFTER_A_SIGN = "What stands behind a # is a comment: put the whole text in quotes."
STANDARD_TAGS = "tag:yaml.org,2002:"


class _Reader:
    def __init__(self, document: Document) -> None:
        self.document = document
        self.problems: list[Problem] = []
        self._met: set[int] = set()
        self._repeats = 0
        self._may_cut = _CUT.search(document.text) is not None

    def plain(self, node: yaml.Node, place: Place) -> Any:
        self.document.values[place] = _spot(node)
        if id(node) in self._met:
            self._repeats += 1
        self._met.add(id(node))
        if len(place) > DEEPEST or self._repeats > MOST_REPEATS:
            if not self.problems:
                self.problems.append(self.document.problem(place, BEYOND_REASON))
            return None
        if not node.tag.startswith(STANDARD_TAGS):
            self._refuse(node, place, f"a text cannot begin with !: {IN_QUOTES}.")
            return None
        if self._only_named(node):
            self._refuse(node, place, f"a text cannot begin with &: {IN_QUOTES}.")
            return None
        if isinstance(node, yaml.MappingNode):
            return self._mapping(node, place)
        if isinstance(node, yaml.SequenceNode):
            return [self.plain(child, (*place, k)) for k, child in enumerate(node.value)]
        value = _scalar(node)
        if self._may_cut and not getattr(node, "style", "") and (value is None or isinstance(value, str)):
            self._note_cut(node)
        return value

    def _note_cut(self, node: Any) -> None:
        """Note a text behind which a comment begins as a text might go on: `label: Brand #2`."""
        line, column = node.end_mark.line + 1, node.end_mark.column
        behind = _CUT.match(self.document.line(line), column)
        if behind is not None:
            read = f"only {node.value!r} is read here." if node.value else "nothing is read here."
            message = f"{read} {AFTER_A_SIGN} Where it is a comment, put a blank behind the #."
            self.document.cut.append(self._problem(line, behind.end() - 1, message))

    def _only_named(self, node: yaml.Node) -> bool:
        """Return whether a name is given to nothing: `label: &Sons`."""
        line, column = _spot(node)
        return node.value == "" and self.document.line(line).startswith("&", column - 1)

    def _mapping(self, node: yaml.MappingNode, place: Place) -> dict[str, Any]:
        result: dict[str, Any] = {}
        for key_node, value_node in node.value:
            if not isinstance(key_node, yaml.ScalarNode):
                self._refuse(key_node, place, "a key must be plain text or a number.")
                continue
            key = str(key_node.value)
            where = (*place, key)
            if key in result:
                first = self.document.keys[where]
                self._refuse(key_node, place, f"the key {key!r} appears twice; first in line {first[0]}.")
                continue
            self.document.keys[where] = _spot(key_node)
            result[key] = self.plain(value_node, where)
        return result

    def _refuse(self, node: yaml.Node, place: Place, message: str) -> None:
        self.problems.append(self._problem(*_spot(node), message))

    def _problem(self, line: int, column: int, message: str) -> Problem:
        return Problem(shown_path(self.document.path), line, column, message, self.document.line(line))


def _spot(node: yaml.Node) -> Spot:
    return node.start_mark.line + 1, node.start_mark.column + 1


def _scalar(node: Any) -> Any:
    text = str(node.value)
    if node.style:  # quoted or block text; plain is None in the Python parser and "" in the C one
        return text
    return plain_scalar(text)


def plain_scalar(text: str) -> Any:
    """Return what a text without quotes means in YAML 1.2: nothing, true or false, a number, or the text."""
    if text in ("", "~", "null", "Null", "NULL"):
        return None
    if text in ("true", "True", "TRUE"):
        return True
    if text in ("false", "False", "FALSE"):
        return False
    if number_of(text) is None:
        return text  # also what is too large to count with
    if whole_of(text.removeprefix("+")) is not None:
        whole = WrittenInt(text)
        whole.text = text
        return whole
    decimal = WrittenFloat(text)
    decimal.text = text
    return decimal
