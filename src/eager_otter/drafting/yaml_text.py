"""Write YAML for people: comments, one answer a line, texts quoted only where they must be."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence

from eager_otter.documents.yaml_nodes import plain_scalar

_SAFE = re.compile(r"[^\W\d_][\w .,'’()/+–-]*\Z")
_UNPRINTED = re.compile("[\x7f-\x9f\u2028\u2029\ud800-\udfff\ufeff\ufffe\uffff]")  # what YAML wants escaped
_CODE = re.compile(r"(?:0|[1-9]\d{0,8})\Z")


def scalar(text: str) -> str:
    """Write a text so that it is read back as it is.

    >>> [scalar(text) for text in ("North", "7", "007", "yes: no", "", "true")]
    ['North', '7', '"007"', '"yes: no"', '""', '"true"']
    """
    if _CODE.match(text):
        return text
    if (
        _SAFE.match(text)
        and text == text.strip()
        and not text.endswith(":")
        and isinstance(plain_scalar(text), str)
    ):
        return text
    return _quoted(text)


def _quoted(text: str) -> str:
    return _UNPRINTED.sub(lambda match: f"\\u{ord(match[0]):04x}", json.dumps(text, ensure_ascii=False))


def listed(texts: Sequence[str]) -> str:
    """Write a list in one line.

    >>> listed(["a", "b: c"])
    '[a, "b: c"]'
    """
    return "[" + ", ".join(inside(text) for text in texts) + "]"


def mapped(entries: Mapping[str, str]) -> str:
    """Write a mapping in one line; the values are YAML already.

    >>> mapped({"label": "Not stated", "missing": "true"})
    '{label: Not stated, missing: true}'
    """
    return "{" + ", ".join(f"{inside(key)}: {value}" for key, value in entries.items()) + "}"


def inside(text: str) -> str:
    """Write a text within brackets, where commas and brackets have a meaning."""
    written = scalar(text)
    return _quoted(text) if not written.startswith('"') and re.search(r"[,\[\]{}]", text) else written


def comment(text: str) -> str:
    """Write a comment: one line, whatever is in the text."""
    return "# " + " ".join("".join(c if c.isprintable() else " " for c in text).split())
