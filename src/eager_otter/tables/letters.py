"""From who is significantly higher than whom to the letters in the cells."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from eager_otter.core.arrays import BoolArray

LetterRows = list[tuple[str, ...]]


def letter_rows(higher: Sequence[BoolArray], names: Sequence[str], *, spaced: bool) -> LetterRows:
    """Write the letters of every cell: a tuple of texts (columns) per row.

    `higher` has, per level, strictest first, a table (rows, columns, columns) that is True where the first
    column is significantly higher than the second. Capitals stand for the first level, small letters where
    only the second is reached; `spaced` puts a blank between letters.
    """
    rows = higher[0].shape[0] if higher else 0
    texts = [[""] * len(names) for _ in range(rows)]
    if not higher:
        return [tuple(row) for row in texts]
    capitals = higher[0]
    shown = np.logical_or.reduce(higher)
    joint = " " if spaced else ""
    for row, column in np.argwhere(shown.any(axis=2)):
        own, strict = shown[row, column], capitals[row, column]
        letters = [names[k] if strict[k] else names[k].lower() for k in np.flatnonzero(own).tolist()]
        texts[row][column] = joint.join(letters)
    return [tuple(row) for row in texts]
