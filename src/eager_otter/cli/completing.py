"""What the shell offers where a name is typed: tables, questions and banners of the plan that the line names."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from eager_otter.errors import OtterError

if TYPE_CHECKING:
    from eager_otter.gates.typed import Offered

PROGRAM = "eager-otter"
VARIABLE = "_EAGER_OTTER_COMPLETE"  # set by the lines that `completion` prints
SHELLS = ("bash", "zsh", "fish")

Offer = Callable[[click.Context, click.Parameter, str], list[str]]


def completed(commands: click.Command) -> int | None:
    """Answer the shell where it asks for completions: the exit code; None where it does not ask."""
    asked = os.environ.get(VARIABLE)
    if not asked:
        return None
    from click.shell_completion import shell_complete

    return shell_complete(commands, {}, PROGRAM, VARIABLE, asked)


def script_for(shell: str, commands: click.Command) -> str:
    """Return the lines that let a shell complete; "" for a shell that is not known."""
    from click.shell_completion import get_completion_class

    found = get_completion_class(shell)
    return "" if found is None else found(commands, {}, PROGRAM, VARIABLE).source()


def offered_for(words: list[str], ended: bool, commands: click.Command, usual: Mapping[str, Any]) -> Offered:
    """Return what may stand for the last of some words, or behind them where it has `ended`; `usual` are defaults."""
    from click.shell_completion import ShellComplete

    from eager_otter.gates.typed import Offered

    begun = "" if ended or not words else words[-1]
    before = words if ended else words[:-1]
    shell = ShellComplete(commands, {"default_map": usual}, PROGRAM, VARIABLE)
    items = shell.get_completions(before, begun)
    return Offered(
        texts=tuple(str(item.value) for item in items if item.type == "plain"),
        length=len(begun),
        files=any(item.type in ("file", "dir") for item in items),
    )


def tables(context: click.Context, _: click.Parameter, typed: str) -> list[str]:
    """Offer the tables of the plan, by the ids that it writes or makes of its questions."""
    return _fitting(_tables(_plan_of(context)), typed)


def questions(context: click.Context, _: click.Parameter, typed: str) -> list[str]:
    """Offer the questions and grids of the codebook."""
    return _fitting(_questions(context), typed)


def tables_and_questions(context: click.Context, _: click.Parameter, typed: str) -> list[str]:
    """Offer what can be looked at."""
    return _fitting([*_tables(_plan_of(context)), *_questions(context)], typed)


def banners_and_questions(context: click.Context, _: click.Parameter, typed: str) -> list[str]:
    """Offer what can be a banner."""
    banners = _plan_of(context).get("banners")
    return _fitting([*(banners if isinstance(banners, dict) else ()), *_questions(context)], typed)


def _fitting(names: Any, typed: str) -> list[str]:
    return [name for name in dict.fromkeys(map(str, names)) if name.startswith(typed)]


def _path_of(context: click.Context) -> Path:
    """Return the plan that the line names so far, else the usual one."""
    named = context.params.get("plan_path") or context.params.get("plan")
    return Path(named) if named else Path("plan.yaml")


def _plan_of(context: click.Context) -> dict[str, Any]:
    return _mapping(_path_of(context))


def _mapping(path: Path) -> dict[str, Any]:
    """Read a file as a mapping, unchecked; an empty one for what cannot be read, as a completion tells no errors."""
    from eager_otter.documents.yaml_nodes import read_yaml

    try:
        data = read_yaml(path).data
    except OtterError:
        return {}
    return data if isinstance(data, dict) else {}


def _tables(plan: dict[str, Any]) -> Iterator[str]:
    """Go through the ids that a plan writes, and the names of what tables are of."""
    written = plan.get("tables")
    for entry in written if isinstance(written, list) else ():
        if isinstance(entry, dict):
            yield from (str(entry[key]) for key in ("id", "question", "grid") if key in entry)
        elif isinstance(entry, str):
            yield entry


def _questions(context: click.Context) -> Iterator[str]:
    """Go through the questions, grids and items of grids of a codebook, and those of the files it includes."""
    named = context.params.get("codebook") or _plan_of(context).get("codebook")
    if not isinstance(named, str | Path):
        return
    path = Path(named) if context.params.get("codebook") else _path_of(context).parent / named
    book = _mapping(path)
    included = book.get("include")
    names = [included] if isinstance(included, str) else included if isinstance(included, list) else []
    for part in (book, *(_mapping(path.parent / str(name)) for name in names)):
        bodies = part.get("questions")
        for name, body in (bodies if isinstance(bodies, dict) else {}).items():
            yield str(name)
            items = body.get("items") if isinstance(body, dict) else None
            yield from (f"{name}.{item}" for item in (items if isinstance(items, dict) else ()))
