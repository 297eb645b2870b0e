"""`eager-otter words`: the fixed words of reports, as a catalogue to change."""

from __future__ import annotations

from pathlib import Path

import click

from eager_otter.gates.streams import echo


@click.command(short_help="Print the fixed words of reports, or labels to translate.")
@click.option(
    "--plan",
    "-p",
    "plan_path",
    type=click.Path(path_type=Path),
    help="Print the labels and texts of this plan and its codebook instead, to be translated.",
)
@click.option(
    "--language",
    default="en",
    show_default=True,
    metavar="LANGUAGE",
    help="A language that ships (en, de), or a catalogue of your own (.yaml).",
)
def words(language: str, plan_path: Path | None) -> None:
    """Print the fixed words of reports (base, total, notes …) as a catalogue.

    Write it to a file, change what you like, and name the file as the language of a plan, or put single
    texts under words in a theme. With --plan, print the labels and texts of a plan and its codebook
    instead, what is translated and what is not (""); name that file under translations in the codebook.

    \b
    eager-otter words --language de
    eager-otter words > french.yaml
    eager-otter words --plan plan.yaml --language de > german.yaml
    """
    if plan_path is not None:
        _print_texts(plan_path, language)
        return
    from eager_otter.looks.catalogue import catalogue_text, load_words

    echo(catalogue_text(load_words(language, Path())), end="")


def _print_texts(plan_path: Path, language: str) -> None:
    """Print the texts of a plan and its codebook, with what they are in a language."""
    from eager_otter.codebook.translating import words_of
    from eager_otter.documents.rewriting import yaml_of
    from eager_otter.documents.yaml_nodes import is_yaml
    from eager_otter.looks.catalogue import load_words
    from eager_otter.plan.reading import read_plan
    from eager_otter.plan.translating import texts_of

    plan = read_plan(plan_path)
    tag = load_words(language, Path()).language if is_yaml(language) else language
    echo(yaml_of(words_of(plan.codebook, tag, texts_of(plan))), end="")
