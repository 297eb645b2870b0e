"""`eager-otter prompt`: one command after the other, without starting anew for each."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import click

from eager_otter.cli.lines import LEAVE, arguments_of, offered_at_end
from eager_otter.cli.main import DONE, STOPPED, WRONG_INPUT, Process
from eager_otter.cli.options import kept_in, plan_option, read_named_plan
from eager_otter.cli.program import COMMANDS
from eager_otter.errors import OtterError, RequestError
from eager_otter.gates.streams import echo
from eager_otter.gates.typed import is_typed, lines_on_stdin, lines_typed

MARK = "\n> "
OF_NO_PLAN = ("words",)  # speak of a plan only where one is named


@click.command(short_help="Type one command after the other, without the wait.")
@plan_option
@click.pass_context
def prompt(context: click.Context, plan_path: Path) -> int:
    """Type looks and other commands one after the other: each answers at once, as all is loaded already.

    A line is what stands after "eager-otter" in a shell; one that begins with no command is a look. The tab key offers
    commands, options, tables, questions and banners; the arrow keys bring back what was typed, the last
    time too (kept in the cache). Files are read as they are now, so that a change that is saved shows in the next
    line. Ctrl-C stops a line; exit or Ctrl-D leaves. Lines can come from a file too: the exit code is then the highest
    of theirs.

    \b
    eager-otter prompt
    eager-otter prompt --plan shapes.yaml
    eager-otter prompt < looks.txt
    """
    process: Process = context.obj
    if process.goes_on:
        raise RequestError("This is the prompt already; exit leaves it.")
    usual = {name: {"plan": plan_path, "plan_path": plan_path} for name in COMMANDS if name not in OF_NO_PLAN}
    if is_typed():
        _greet(plan_path)
        root = context.find_root().command
        cache = kept_in()
        before = None if cache is None else cache.typed_lines()
        for line in lines_typed(MARK, lambda typed: offered_at_end(typed, root, usual), before):
            if line.strip() in LEAVE:
                break
            _answer(line, process, usual)
        return DONE
    codes = [DONE]
    for place, line in enumerate(lines_on_stdin(), 1):
        if line.strip() in LEAVE:
            break
        codes.append(_answer(line, process, usual))
        if codes[-1] != DONE:
            echo(f"Line {place} ended with exit code {codes[-1]}: {line.strip()}", err=True)
        if codes[-1] == STOPPED:
            break
    return max(codes)


def _answer(line: str, process: Process, usual: Mapping[str, Any]) -> int:
    """Run what a line says: its exit code."""
    try:
        arguments = arguments_of(line)
    except OtterError as error:
        echo(f"Error: {error}", err=True)
        return WRONG_INPUT
    return process.answer(arguments, usual) if arguments else DONE


def _greet(plan_path: Path) -> None:
    """Say what can be looked at; reading it loads most of what lines need. A mistake in it can be mended meanwhile."""
    from eager_otter.looks.words import counted

    try:
        plan = read_named_plan(plan_path)
    except OtterError as error:
        echo(f"Error: {error}", err=True)
    else:
        names = ", ".join(plan.banners)
        banners = f", {counted(len(plan.banners), 'banner')} ({names})" if names else ""
        echo(f"{plan_path}: {counted(len(plan.requests), 'table')}{banners}", err=True)
    echo("A table's or question's name shows it; Tab completes, ? helps, exit leaves.", err=True)
