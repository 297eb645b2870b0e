"""From who is significantly higher than whom to the letters in the cells."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from eager_otter.core.letters import Higher

LetterRows = list[tuple[str, ...]]


def letter_rows(higher: Higher, rows: int, names: Sequence[str], *, spaced: bool) -> LetterRows:
    """Write the letters of every cell: a tuple of texts (columns) per row.

    Capitals stand for the first level, small letters where only the second is reached; `spaced` puts a blank between
    letters.
    """
    columns = len(names)
    both_cases = np.array([*names, *(name.lower() for name in names)], object)
    letters = both_cases[higher.than + columns * ~higher.strict].tolist()
    cell = higher.row * columns + higher.column
    edges = [0, *(np.flatnonzero(np.diff(cell)) + 1).tolist(), cell.size]
    texts = [""] * (rows * columns)
    joint = " " if spaced else ""
    for start, stop in pairwise(edges):
        if stop > start:
            texts[cell[start]] = joint.join(letters[start:stop])
    return [tuple(texts[k : k + columns]) for k in range(0, rows * columns, columns)]
