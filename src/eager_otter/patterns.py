"""Regular expressions that are compiled when they are first used: a command meets a hundred, and uses a few."""

from __future__ import annotations

import re
from typing import Any

METHODS = ("search", "match", "fullmatch", "split", "findall", "finditer", "sub", "subn")


class _Pattern:
    """What stands for a pattern until one of its methods is looked up."""

    def __init__(self, text: str, flags: int) -> None:
        self._written = text, flags

    def __getattr__(self, name: str) -> Any:
        compiled = re.compile(*self._written)
        vars(self).update({one: getattr(compiled, one) for one in METHODS})
        return getattr(compiled, name)


def pattern(text: str, flags: int = 0) -> re.Pattern[str]:
    """Return what `re.compile` does, without the work until it is used.

    >>> pattern("[a-z]+").findall("one, two")
    ['one', 'two']
    """
    made: Any = _Pattern(text, flags)
    return made  # type: ignore[no-any-return]
