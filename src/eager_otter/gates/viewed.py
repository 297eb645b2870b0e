"""Things that show themselves: shortly by `repr`, in full by `print`, richly in a notebook."""

from __future__ import annotations

from importlib import import_module
from pathlib import Path
from typing import Any

_views = {"module": ""}  # where the views are: named by the package's front, as no room below may know it


def views_in(module: str) -> None:
    """Say which module shows and writes things: it has `text_of`, `html_of` and `save`."""
    _views["module"] = module


class Viewed:
    """The base of what has a view: its `repr` is one line, and `print` and a notebook show it in full."""

    __slots__ = ()

    def __str__(self) -> str:
        return str(_module().text_of(self))

    def _repr_html_(self) -> str:
        return str(_module().html_of(self))


class Saved(Viewed):
    """The base of what has a view and can be written to a file."""

    __slots__ = ()

    def save(self, path: str | Path, *, force: bool = False) -> Path:
        """Write it to a file, by its ending; one that was not made by this package is replaced only with `force`.

        Raises RequestError for an ending that does not go with it, FileProblem.

        `path` is where; its folder is there already.
        """
        return saved(self, path, force=force)


def saved(thing: object, path: str | Path, *, force: bool) -> Path:
    """Write a thing to a file, by its ending. Raises as `Saved.save` does."""
    return Path(_module().save(thing, path, force=force))


def _module() -> Any:
    return import_module(_views["module"])
