"""Parts of a document as objects: what an editor completes, in place of a mapping."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import fields
from typing import Any, ClassVar, get_args

from eager_otter.dataclass import dataclass
from eager_otter.documents.part import Part, fields_of


@dataclass(frozen=True, slots=True)
class Definition:
    """The base of parts of a codebook as objects: each stands for the mapping that a file would hold.

    `_part` is the model of that mapping. With `_within`, the fields of the model under this key are fields of the
    object itself; `_named` are fields under another name than their key. A field that is None says nothing.
    """

    _part: ClassVar[type[Part]]
    _within: ClassVar[str] = ""
    _named: ClassVar[Mapping[str, str]] = {}

    def as_mapping(self) -> dict[str, Any]:
        """Return the mapping that one would write in a file."""
        keys, inside = self._keys()
        mapping: dict[str, Any] = {}
        kind = fields_of(self._part).get("kind")
        if kind is not None and kind.required:
            mapping["kind"] = get_args(kind.hint)[0]
        if inside:
            mapping[self._within] = {}
        for one in fields(self):
            value = getattr(self, one.name)
            if value is not None and one.name in inside:
                mapping[self._within][inside[one.name]] = value
            elif value is not None:
                mapping[keys[one.name]] = value
        return mapping

    @classmethod
    def _keys(cls) -> tuple[Mapping[str, str], Mapping[str, str]]:
        """Return the key of each field, and that of each field under `_within`."""
        inner = fields_of(cls._part)[cls._within].hint if cls._within else None
        inside = _aliases(inner) if isinstance(inner, type) and issubclass(inner, Part) else {}
        return {**_aliases(cls._part), **cls._named}, inside


def _aliases(part: type[Part]) -> dict[str, str]:
    return {name: one.key for name, one in fields_of(part).items()}
