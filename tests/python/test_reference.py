"""The reference of the Python interface: made from the code, and no parameter or field of a public name unmentioned."""

from __future__ import annotations

import inspect
import re
import runpy
from collections.abc import Iterator
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

import eager_otter as otter

ROOT = Path(__file__).parents[2]


def mentioned(text: str | None, names: Iterator[str]) -> list[str]:
    """The names that stand nowhere between backticks."""
    return [name for name in names if not re.search(rf"`[^`\n]*\b{re.escape(name)}\b[^`\n]*`", text or "")]


def public_objects() -> Iterator[tuple[str, Any]]:
    """Every public name, those of `define` among them, with what it is."""
    yield from ((name, getattr(otter, name)) for name in otter.__all__ if name != "define")
    yield from ((f"define.{name}", getattr(otter.define, name)) for name in otter.define.__all__)


def test_every_parameter_and_field_is_told_in_its_docstring() -> None:
    missing = []
    for name, found in public_objects():
        if inspect.isfunction(found):
            missing += [
                (name, one) for one in mentioned(found.__doc__, iter(inspect.signature(found).parameters))
            ]
        if not inspect.isclass(found) or issubclass(found, Exception):
            continue
        own = (
            [one.name for one in fields(found)]
            if is_dataclass(found)
            else list(getattr(found, "__annotations__", ()))
        )
        said = (
            otter.define.Single.__doc__ if name.startswith("define.") and "`Single`" in found.__doc__ else ""
        )
        told = f"{found.__doc__} {said} {otter.ItemsSettings.__doc__ if found is otter.TableSettings else ''}"
        missing += [(name, one) for one in mentioned(told, (one for one in own if one[0] != "_"))]
        for method, function in inspect.getmembers(found, inspect.isfunction):
            if not method.startswith("_"):
                given = (one for one in inspect.signature(function).parameters if one != "self")
                missing += [(f"{name}.{method}", one) for one in mentioned(function.__doc__, given)]
    assert missing == []


def test_the_reference_is_that_of_the_code() -> None:
    made = runpy.run_path(str(ROOT / "tools" / "reference"))["page"]()
    assert made == (ROOT / "docs" / "reference" / "python.md").read_text(encoding="utf-8"), (
        "run tools/reference"
    )
    for name, _ in public_objects():
        assert f"### {name}\n" in made
