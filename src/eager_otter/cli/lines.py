"""Lines that are typed at the prompt: what each says, as arguments of the command line."""

from __future__ import annotations

import os
import re
import shlex
from collections.abc import Mapping
from typing import Any

import click

from eager_otter.cli.completing import PROGRAM, offered_for
from eager_otter.cli.program import COMMANDS
from eager_otter.errors import RequestError
from eager_otter.gates.typed import Offered

LEAVE = ("exit", "quit")
HELP = ("?", "help")
LOOK = "look"
OF_A_SHELL = ("|", "||", "&", "&&", ";", ">", ">>", "<", "<<")
QUOTED = re.compile(r"'[^']*'|\"[^\"]*\"|\\.")


def arguments_of(line: str) -> list[str]:
    """Return the arguments that a line stands for, none for a blank one or a remark. Raises RequestError.

    The name of the program may stand first, as where a line is copied; what begins with no command is a look.
    """
    words = _words(line)
    bare = QUOTED.sub("_", line).split(" #", maxsplit=1)[0].split()
    of_a_shell = [word for word in bare if word in OF_A_SHELL]
    if of_a_shell:
        raise RequestError(
            f"{of_a_shell[0]} does nothing here, as this is no shell. Quote what it belongs to, as in --filter "
            "'age >= 35'; -o FILE writes to a file."
        )
    return as_a_command(words)


def _words(line: str) -> list[str]:
    """Part a line into its words, as a shell does. Raises RequestError."""
    lexer = shlex.shlex(line, posix=True, punctuation_chars=False)
    lexer.whitespace_split = True
    lexer.escape = "" if os.sep == "\\" else "\\"
    try:
        return list(lexer)
    except ValueError as error:
        raise RequestError(
            "A quote is opened and not closed. Close it, or put the other kind around what holds it."
        ) from error


def as_a_command(words: list[str]) -> list[str]:
    """Return the words of a line as they stand behind the program's name in a shell."""
    if words[:1] == [PROGRAM]:
        words = words[1:]
    if words and words[0] in HELP:
        return [*words[1:], "--help"]
    if not words or words[0] in COMMANDS or words[0].startswith("-"):
        return words
    return [LOOK, *words]


def offered_at_end(line: str, commands: click.Command, usual: Mapping[str, Any]) -> Offered:
    """Return what may stand at the end of a line; nothing within quotes, where a filter is rather than a name."""
    try:
        words = _words(line)
    except RequestError:
        return Offered()
    ended = not words or line[-1].isspace()
    if not ended and not line.endswith(words[-1]):  # what is begun holds quotes
        return Offered()
    if words and (ended or len(words) > 1):
        return offered_for(as_a_command(words), ended, commands, usual)
    first = offered_for(words, ended, commands, usual)
    named = offered_for([LOOK, *words], ended, commands, usual)
    return Offered(texts=(*named.texts, *first.texts), length=first.length)
