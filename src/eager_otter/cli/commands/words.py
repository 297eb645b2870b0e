"""`eager-otter words`: the fixed words of reports, as a catalogue to change."""

from __future__ import annotations

from pathlib import Path

import click

from eager_otter.gates.streams import echo


@click.command()
@click.option(
    "--language",
    default="en",
    show_default=True,
    metavar="LANGUAGE",
    help="A language that ships (en, de), or a catalogue of your own (.yaml).",
)
def words(language: str) -> None:
    """Print the fixed words of reports (base, total, notes …) as a catalogue.

    Write it to a file, change what you like, and name the file as the language of a plan, or put single
    texts under words in a theme.

    \b
    eager-otter words --language de
    eager-otter words > french.yaml
    """
    from eager_otter.looks.catalogue import catalogue_text, load_words

    echo(catalogue_text(load_words(language, Path())), end="")
