"""How an answer code is written: one form for `1`, `1.0` and 1; `01` stays `01`."""

from __future__ import annotations

import re

_DECIMAL = re.compile(r"(-?(?:0|[1-9][0-9]*))\.([0-9]*?)0*\Z")


def canonical(text: str) -> str:
    """Return the one form of a code: blanks around it and a fraction's trailing zeros are dropped.

    >>> [canonical(text) for text in (" 1.0", "1", "01", "2.50", "None")]
    ['1', '1', '01', '2.5', 'None']
    """
    text = text.strip()
    match = _DECIMAL.match(text)
    if match is None:
        return text
    whole, fraction = match.groups()
    if not fraction:
        return "0" if whole == "-0" else whole
    return f"{whole}.{fraction}"
