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


OTHER_WORDS = {  # what others call it: what it is called here
    **dict.fromkeys(
        ("table", "tables", "tab", "cross", "crosstab", "show", "view", "preview"), "eager-otter look"
    ),
    **dict.fromkeys(("report", "build", "make", "tabulate", "all"), "eager-otter run"),
    **dict.fromkeys(("init", "new", "start", "create", "import"), "eager-otter draft"),
    **dict.fromkeys(("check", "validate", "lint", "verify", "test"), "eager-otter audit"),
    **dict.fromkeys(("weight", "rake", "raking", "weighting"), "eager-otter weigh"),
    **dict.fromkeys(("watch", "serve", "server"), "eager-otter live"),
    **dict.fromkeys(("shell", "console", "interactive"), "eager-otter prompt"),
    **dict.fromkeys(("diff", "difference", "changes"), "eager-otter compare"),
    **dict.fromkeys(("convert", "save", "write"), "eager-otter export"),
    **dict.fromkeys(("code", "coding", "verbatims", "open"), "eager-otter texts"),
    **dict.fromkeys(("variables", "codebook", "list"), "eager-otter questions"),
    **dict.fromkeys(("why", "working"), "eager-otter explain"),
    "help": "eager-otter --help",
    "version": "eager-otter --version",
}


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

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """Find the command that is named first; one by another word is told by its name."""
        if args and args[0] not in COMMANDS and args[0].lower() in OTHER_WORDS:
            ctx.fail(f"No such command {args[0]!r}. Did you mean: {OTHER_WORDS[args[0].lower()]}?")
        return super().resolve_command(ctx, args)

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
