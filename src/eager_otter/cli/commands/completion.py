"""`eager-otter completion`: the lines that let a shell complete names."""

from __future__ import annotations

import click

from eager_otter.cli.completing import SHELLS, script_for
from eager_otter.gates.streams import echo


@click.command(short_help="Lines that let the shell complete names.")
@click.argument("shell", type=click.Choice(SHELLS))
def completion(shell: str) -> None:
    """Print the lines that let a SHELL complete commands, options, tables, questions and banners.

    \b
    eager-otter completion bash >> ~/.bashrc
    eager-otter completion zsh >> ~/.zshrc
    eager-otter completion fish > ~/.config/fish/completions/eager-otter.fish
    """
    echo(script_for(shell, click.get_current_context().find_root().command))
