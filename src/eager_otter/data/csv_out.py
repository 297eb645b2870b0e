"""Write CSV files: UTF-8, commas, one kind of line end on every machine."""

from __future__ import annotations

import csv
from collections.abc import Iterable, Sequence
from pathlib import Path


def write_rows(path: Path, names: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
    """Write a header and rows; quotes where they must be."""
    with path.open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(names)
        writer.writerows(rows)
