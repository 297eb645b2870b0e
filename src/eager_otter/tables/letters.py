"""From who is significantly higher than whom to the letters in the cells."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from eager_otter.core.arrays import BoolArray

LetterRows = list[tuple[str, ...]]


def letter_rows(higher: Sequence[BoolArray], names: Sequence[str], *, spaced: bool) -> LetterRows:
    """Write the letters of every cell: a tuple of texts (columns) per row.

    `higher` has, per level, strictest first, a table (rows, columns, columns) that is True where the first
    column is significantly higher than the second. Capitals stand for the first level, small letters where
    only the second is reached; `spaced` puts a blank between letters.
    """
    if not higher:
        return []
    shown = np.logical_or.reduce(higher)
    rows, columns = shown.shape[:2]
    row, column, lower = np.nonzero(shown)
    both_cases = np.array([*names, *(name.lower() for name in names)], object)
    letters = both_cases[lower + len(names) * ~higher[0][row, column, lower]].tolist()
    cell = row * columns + column
    edges = [0, *(np.flatnonzero(np.diff(cell)) + 1).tolist(), cell.size]
    texts = [""] * (rows * columns)
    joint = " " if spaced else ""
    for start, stop in pairwise(edges):
        if stop > start:
            texts[cell[start]] = joint.join(letters[start:stop])
    return [tuple(texts[k : k + columns]) for k in range(0, rows * columns, columns)]
