"""Write a changed document back: lines that say the same stay as people wrote them, comments and all."""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from io import StringIO
from pathlib import Path
from typing import Any

from ruamel.yaml import YAML
from ruamel.yaml.comments import CommentedMap, CommentedSeq
from ruamel.yaml.error import YAMLError
from ruamel.yaml.resolver import VersionedResolver
from ruamel.yaml.scalarstring import DoubleQuotedScalarString, PlainScalarString

from eager_otter.documents.written import written_code
from eager_otter.documents.yaml_nodes import Document, Place, compose, plain_scalar
from eager_otter.errors import DocumentError, RequestError, shown_path

WIDEST = 90  # characters of a list or mapping that is written in one line
STEP = 2  # spaces that a level is indented by


def same(one: object, other: object) -> bool:
    """Return whether two values of documents are written alike: 010 is not 10, and the order of keys counts."""
    if isinstance(one, Mapping) and isinstance(other, Mapping):
        return list(one) == list(other) and all(same(value, other[key]) for key, value in one.items())
    if isinstance(one, list) and isinstance(other, list):
        return len(one) == len(other) and all(map(same, one, other))
    return isinstance(one, str) == isinstance(other, str) and written_code(one) == written_code(other)


def yaml_of(data: Any) -> str:
    """Return a document as YAML for people: a key a line, short lists and entries of lists in one line."""
    return _dumped(_styled(data, block=3))


def rewritten(text: str, path: Path, data: Any) -> str:
    """Return the text of a document changed so that it says `data`; what says the same stays line by line.

    Only the entries that differ are written anew, with their comments. Raises RequestError where that cannot be done.
    """
    ending = "\r\n" if "\r\n" in text else "\n"
    document = compose(text, path)
    if same(document.data, data):
        return text
    for change in (_by_entry, _as_a_whole):
        try:
            changed = ending.join(change(document, data)) + ending
            if same(compose(changed, path).data, data) and not _lost(text, changed):
                return changed
        except (YAMLError, ValueError, DocumentError):
            continue
    raise RequestError(
        f"{shown_path(path)}: cannot be changed by a program without losing something: an anchor, a comment within an "
        "entry that is written anew, or a key of several lines. Make this change by hand."
    )


def _lost(text: str, changed: str) -> bool:
    """Return whether a comment on a line of its own is there no longer."""
    kept = {line.strip() for line in changed.splitlines()}
    return any(line.strip() not in kept for line in text.splitlines() if line.lstrip().startswith("#"))


def _by_entry(document: Document, data: Any) -> list[str]:
    """Change the entries of a document one by one, by the lines that each has."""
    return _Lines(document).changed((), data)


def _as_a_whole(document: Document, data: Any) -> list[str]:
    loaded = _yaml().load("\n".join(document.lines))
    return _dumped(_merged(loaded, data)).splitlines()


class _Lines:
    """The lines of a document, by entry: every key of it, and every entry of what its keys hold."""

    def __init__(self, document: Document) -> None:
        self.document = document

    def changed(self, place: Place, data: Any) -> list[str]:
        """Return the lines at a place as they are to be."""
        before = self._at(place)
        spans = self._spans(place)
        lines = list(self.document.lines)
        if spans is None or type(before) is not type(data):
            if not place:
                raise ValueError("no entry has lines of its own")
            return self._anew(place, data)
        if isinstance(before, dict):
            return self._keys(place, before, data, spans)
        start = next((k for k, (a, b) in enumerate(zip(before, data, strict=False)) if not same(a, b)), None)
        start = min(len(before), len(data)) if start is None else start
        behind = 0
        while behind < min(len(before), len(data)) - start and same(before[-1 - behind], data[-1 - behind]):
            behind += 1
        first, last = self._span(place)
        column = self._column((*place, 0))
        put_at = spans[start][0] if start < len(before) else spans[-1][1]
        kept_from = spans[len(before) - behind][0] if behind else spans[-1][1]
        middle: list[str] = []
        for k in range(start, len(data) - behind):
            old = before[k] if k < len(before) - behind else None
            if type(old) is type(data[k]) and isinstance(old, dict):
                middle += self._anew((*place, k), data[k])
            else:
                middle += _indented(_dumped(CommentedSeq([_styled(data[k])])), column)
        return [*lines[first:put_at], *middle, *lines[kept_from:last]]

    def _keys(
        self, place: Place, before: dict[str, Any], data: dict[str, Any], spans: list[tuple[int, int]]
    ) -> list[str]:
        lines, (first, last) = self.document.lines, self._span(place)
        column = self._column((*place, next(iter(before))))
        by_key = dict(zip(before, spans, strict=True))
        done = spans[0][0]
        result = list(lines[first:done])
        above: dict[str, Sequence[str]] = {}  # comments and empty lines above an entry, which go with it
        between: list[str] = []
        for key, (start, end) in by_key.items():
            between += lines[done:start]
            done = end
            if key in data:
                above[key], between = between, []
        spaced = False
        for key, value in data.items():
            if key in before:
                start, end = by_key[key]
                spaced = not lines[start - 1].strip()
                result += above[key]
                result += lines[start:end] if same(before[key], value) else self._entry((*place, key), value)
            else:
                entry = _dumped(CommentedMap({_key(key): _styled(value, block=2 - len(place))}))
                result += [*([""] if spaced else []), *_indented(entry, column)]
        return [*result, *between, *lines[done:last]]

    def _entry(self, place: Place, value: Any) -> list[str]:
        """Return the lines of an entry with another value: those inside that stay, or all anew."""
        return self.changed(place, value) if len(place) == 1 else self._anew(place, value)

    def _anew(self, place: Place, value: Any) -> list[str]:
        """Write an entry anew from its own lines, so that its comments stay."""
        first, last = self._span(place)
        column = self._column(place)
        lines = [
            line[min(column, len(line) - len(line.lstrip())) :] for line in self.document.lines[first:last]
        ]
        loaded = _yaml(lines).load("\n".join(lines) + "\n")
        key: Any = 0 if isinstance(place[-1], int) else place[-1]
        loaded[key] = _merged(loaded[key], value)
        return _indented(_dumped(loaded, lines), column)

    def _at(self, place: Place) -> Any:
        value = self.document.data
        for step in place:
            value = value[step]
        return value

    def _span(self, place: Place) -> tuple[int, int]:
        """Return the first line of a place and the one after its last, without the comments that follow."""
        if not place:
            return 0, len(self.document.lines)
        spans = self._spans(place[:-1])
        names = list(self._at(place[:-1])) if isinstance(place[-1], str) else None
        if spans is None:
            raise ValueError("no lines of its own")
        return spans[place[-1] if isinstance(place[-1], int) else names.index(place[-1])]  # type: ignore[union-attr]

    def _column(self, place: Place) -> int:
        """Return how far an entry is indented: its key, or the dash before it."""
        line = self.document.lines[self._spot(place)[0] - 1]
        return len(line) - len(line.lstrip())

    def _spot(self, place: Place) -> tuple[int, int]:
        return self.document.values[place] if isinstance(place[-1], int) else self.document.keys[place]

    def _spans(self, place: Place) -> list[tuple[int, int]] | None:
        """Return the lines of each entry at a place; None where entries share lines, or there is none."""
        value = self._at(place)
        if not isinstance(value, dict | list) or not value:
            return None
        steps = list(value) if isinstance(value, dict) else list(range(len(value)))
        starts = [self._spot((*place, step)) for step in steps]
        lines = self.document.lines
        end = self._span(place)[1]
        for line, column in starts:
            before = lines[line - 1][: column - 1].strip().rstrip("'\"")
            if before != ("-" if isinstance(value, list) else ""):
                return None
        if len({line for line, _ in starts}) != len(starts):
            return None
        firsts = [line - 1 for line, _ in starts]
        column = len(lines[firsts[0]]) - len(lines[firsts[0]].lstrip())
        spans = []
        for first, following in zip(firsts, [*firsts[1:], end], strict=True):
            last = following
            while last - 1 > first and _between(lines[last - 1], column):
                last -= 1
            spans.append((first, last))
        return spans


def _between(line: str, column: int) -> bool:
    """Return whether a line belongs to no entry that starts at a column: empty, or a comment not further in."""
    bare = line.lstrip()
    return not bare or bare in ("...", "---") or (bare.startswith("#") and len(line) - len(bare) <= column)


def _indented(text: str, column: int) -> list[str]:
    return [" " * column + line if line.strip() else "" for line in text.splitlines()]


# --- values ---------------------------------------------------------------------------------------------


def _merged(old: Any, new: Any) -> Any:
    """Put a new value into the place of a loaded one; what is the same inside stays, with its comments."""
    if isinstance(old, CommentedMap) and isinstance(new, dict):
        kept = [key for key in new if key in old]
        if kept != [key for key in old if key in new]:
            return _styled(new)
        for key in [key for key in old if key not in new]:
            del old[key]
        for position, (key, value) in enumerate(new.items()):
            if key in old:
                old[key] = _merged(old[key], value)
            else:
                old.insert(position, _key(key), _styled(value))
        return old
    if isinstance(old, CommentedSeq) and isinstance(new, list) and len(new) >= len(old):
        for k, value in enumerate(new):
            if k < len(old):
                old[k] = _merged(old[k], value)
            else:
                old.append(_styled(value))
        return old
    if isinstance(old, str) and not isinstance(new, dict | list):
        means = plain_scalar(old) if type(old) in (str, PlainScalarString) else str(old)
        return old if same(means, new) else _styled(new)
    return _styled(new)


def _styled(value: Any, block: int = 0) -> Any:
    """Make of plain data what is written as people would write it.

    Mappings down to `block` levels have a key a line, and so have longer ones; a short one has one line.
    """
    if isinstance(value, Mapping):
        mapping = CommentedMap((_key(key), _styled(inner, block - 1)) for key, inner in value.items())
        return mapping if block > 0 else _flowing(mapping)
    if isinstance(value, list | tuple):
        sequence = CommentedSeq(_styled(inner) for inner in value)
        plain = all(isinstance(inner, str) for inner in sequence)
        return _flowing(sequence) if plain and sequence else sequence
    if value is None:
        return PlainScalarString("null")
    if not isinstance(value, str):
        return PlainScalarString(str(written_code(value)))
    plain = (
        isinstance(plain_scalar(value), str) and ":" not in value
    )  # in one line, readers split at any colon
    return PlainScalarString(value) if plain else DoubleQuotedScalarString(value)


def _key(key: object) -> str:
    text = str(written_code(key))
    return DoubleQuotedScalarString(text) if ":" in text else text


def _flowing(value: Any) -> Any:
    """Put a list or mapping in one line, where it is short and holds no list of mappings."""
    if len(str(_bare(value))) <= WIDEST and not _holds_entries(value):
        _flow(value)
    return value


def _holds_entries(value: Any) -> bool:
    inside = list(value.values()) if isinstance(value, CommentedMap) else list(value)
    entries = isinstance(value, CommentedSeq) and any(isinstance(one, CommentedMap) for one in inside)
    return entries or any(
        _holds_entries(one) for one in inside if isinstance(one, CommentedMap | CommentedSeq)
    )


def _flow(value: Any) -> None:
    if isinstance(value, CommentedMap | CommentedSeq):
        value.fa.set_flow_style()
        for inner in value.values() if isinstance(value, CommentedMap) else value:
            _flow(inner)


def _bare(value: Any) -> Any:
    if isinstance(value, Mapping):
        return {key: _bare(inner) for key, inner in value.items()}
    return [_bare(inner) for inner in value] if isinstance(value, list) else value


# --- the library ----------------------------------------------------------------------------------------


class _AsWritten(VersionedResolver):
    """Takes every scalar as the text it is written as, so that codes such as 010 and 1.0 stay."""

    @property
    def versioned_resolver(self) -> dict[Any, Any]:
        """The patterns that make a number, true or false of a text: none."""
        return {}


def _yaml(lines: Sequence[str] = ()) -> YAML:
    yaml = YAML()
    yaml.Resolver = _AsWritten
    yaml.preserve_quotes = True
    yaml.width = 1_000_000
    offset = _dash_offset(lines)
    yaml.indent(mapping=STEP, sequence=offset + STEP, offset=offset)
    return yaml


def _dash_offset(lines: Sequence[str]) -> int:
    """Return how far dashes are indented below their key, as it is first done in some lines."""
    for above, line in itertools.pairwise(lines):
        bare = line.lstrip()
        if bare.startswith("- ") and above.rstrip().endswith(":"):
            start = len(above) - len(above.lstrip(" -"))
            return max(0, len(line) - len(bare) - start)
    return STEP


def _dumped(value: Any, lines: Sequence[str] = ()) -> str:
    if isinstance(value, CommentedSeq) and not lines:
        return "".join(_item(inner) for inner in value)
    text = StringIO()
    _yaml(lines).dump(value, text)
    return text.getvalue()


def _item(value: Any) -> str:
    """Write an entry of a list: its dash is where the entry starts."""
    text = StringIO()
    yaml = _yaml()
    yaml.indent(mapping=STEP, sequence=STEP, offset=0)
    yaml.dump(CommentedSeq([value]), text)
    return text.getvalue()
