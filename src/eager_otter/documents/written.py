"""Scalars of a document as they were written, and what was found in place of what was expected."""

from __future__ import annotations

from eager_otter.documents.yaml_nodes import WrittenFloat, WrittenInt

MOST_BITS = 1_000  # of a whole number that stands for a text


def written_code(value: object) -> object:
    """Return an answer code as the text it was written as: `1`, `01` and `1.5` stay apart. Raises ValueError.

    >>> written_code(7), written_code("B")
    ('7', 'B')
    >>> written_code(12345678901234567890), written_code(1.50)
    ('12345678901234567890', '1.5')
    """
    if isinstance(value, WrittenInt | WrittenFloat):
        return value.text
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int):
        if value.bit_length() > MOST_BITS:
            raise ValueError("a whole number of hundreds of digits stands for no text; write it in quotes.")
        return str(int(value))
    if isinstance(value, float):
        return f"{value:.15g}"
    return value


def written_text(value: object) -> object:
    """Accept a number where a label is wanted: a label may be `2024`."""
    return written_code(value) if isinstance(value, int | float) else value


def found_text(value: object) -> str:
    """Say what was found in place of what was expected."""
    if value is None:
        return "nothing"
    if isinstance(value, dict):
        return "a mapping"
    if isinstance(value, list | tuple):
        return "a list"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return f"the number {written_code(value)}"
    if not isinstance(value, str):
        return f"an object of type {type(value).__name__}"
    text = repr(str(value))
    return text if len(text) < 80 else text[:76] + "…'"
