"""Things that show themselves: shortly by `repr`, in full by `print`, richly in a notebook."""

from __future__ import annotations

from importlib import import_module
from typing import Any

_views = {"module": ""}  # where the views are: named by the package's front, as no room below may know it


def views_in(module: str) -> None:
    """Say which module shows things: it has `text_of` and `html_of`."""
    _views["module"] = module


class Viewed:
    """The base of what has a view: its `repr` is one line, and `print` and a notebook show it in full."""

    __slots__ = ()

    def __str__(self) -> str:
        return str(_module().text_of(self))

    def _repr_html_(self) -> str:
        return str(_module().html_of(self))


def _module() -> Any:
    return import_module(_views["module"])
