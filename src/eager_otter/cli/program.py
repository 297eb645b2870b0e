"""All commands of `eager-otter`."""

from __future__ import annotations

from importlib import import_module
from typing import Any, cast

import click

from eager_otter.version import __version__

COMMANDS = (  # in the order of work; each is in a module of its name
    "demo",
    "draft",
    "audit",
    "questions",
    "look",
    "prompt",
    "live",
    "run",
    "explain",
    "findings",
    "compare",
    "waves",
    "chart",
    "weigh",
    "texts",
    "export",
    "words",
    "schema",
    "cache",
    "completion",
)


class _OnDemand(click.Group):
    """Loads a command when it is asked for, and lists all in the order of work."""

    def __init__(self, *given: Any, **named: Any) -> None:
        super().__init__(*given, **named)
        self.commands = dict.fromkeys(
            COMMANDS, cast(click.Command, None)
        )  # the names, of which near ones are offered

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Return the names of the commands."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Return a command; None for a name that none has."""
        if cmd_name not in COMMANDS:
            return None
        found = getattr(import_module(f"eager_otter.cli.commands.{cmd_name}"), cmd_name)
        assert isinstance(found, click.Command)
        return found


@click.group(
    cls=_OnDemand, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100}
)
@click.version_option(__version__, prog_name="eager-otter")
def commands() -> None:
    """Survey tables you can defend: banner crosstabs from a codebook and a plan.

    Start with `eager-otter demo`: it makes a survey to play with and its report.
    """
