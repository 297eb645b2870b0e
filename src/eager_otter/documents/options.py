"""Settings declared once: a field of a frozen class that says how a file writes it; reading and writing follow."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import field, fields, is_dataclass
from typing import Any, Literal

from eager_otter.dataclass import dataclass
from eager_otter.documents.part import Part, key

OPTION = "option"  # where a field keeps it


@dataclass(frozen=True, slots=True)
class Option:
    """How a file writes a setting: under which key, and what it may hold: one of `choices`, or a kind.

    A kind that is a class of settings is a part of the file of its own. With `always`, it is written out also where it
    is as usual.
    """

    key: str
    kind: Any = str
    choices: Callable[[], Sequence[str]] | None = None
    always: bool = False

    @property
    def written_as(self) -> Any:
        """The type of what a file may hold."""
        if self.choices is not None:
            return Literal[tuple(self.choices())]
        if isinstance(self.kind, type) and is_dataclass(self.kind):
            return part_of(f"{self.kind.__name__}File", self.kind)
        return self.kind


def option(
    key: str,
    default: Any,
    kind: Any = str,
    *,
    choices: Callable[[], Sequence[str]] | None = None,
    always: bool = False,
) -> Any:
    """Declare a field of a frozen class as a setting that files write under a key."""
    return field(default=default, metadata={OPTION: Option(key, kind, choices, always)})


def options_of(kind: type) -> Iterator[tuple[str, Option, Any]]:
    """Go through the settings that a class declares: the name of the field, how it is written, and its default."""
    for one in fields(kind):
        if OPTION in one.metadata:
            yield one.name, one.metadata[OPTION], one.default


def part_of(name: str, kind: type) -> type[Part]:
    """Make the part of a file that holds the settings of a class, each of which may be left out."""
    declared = {field_name: one for field_name, one, _ in options_of(kind)}
    hints = {field_name: one.written_as | None for field_name, one in declared.items()}
    keys = {field_name: key(one.key, None) for field_name, one in declared.items()}
    doc = (kind.__doc__ or "").partition("\n")[0]
    return type(name, (Part,), {**keys, "__annotations__": hints, "__doc__": doc, "__module__": __name__})


def given(part: Part, kind: type) -> Mapping[str, Any]:
    """Return the settings of a class that a part of a file says, by the names of its fields."""
    settings = {}
    for name, one, _ in options_of(kind):
        value = getattr(part, name)
        if isinstance(value, Part):
            settings[name] = one.kind(**given(value, one.kind))
        elif value is not None:
            settings[name] = tuple(value) if isinstance(value, list) else value
    return settings


def as_written(settings: Any) -> Mapping[str, Any]:
    """Return the settings of an object as a file writes them, by key: those that are not as usual."""
    entries = {}
    for name, one, default in options_of(type(settings)):
        value = getattr(settings, name)
        if is_dataclass(value):
            value = as_written(value)
        if one.always or value not in (default, {}):
            entries[one.key] = list(value) if isinstance(value, tuple) else value
    return entries
