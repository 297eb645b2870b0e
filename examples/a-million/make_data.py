"""Draw a million respondents (or as many as are named) into a Parquet file. Nobody in it is real.

python make_data.py [respondents]
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
import pyarrow as pa
from pyarrow import parquet

HERE = Path(__file__).parent
PEOPLE = 1_000_000
AT_ONCE = 1 << 17  # rows of a row group
RATINGS = np.array([1, 2, 3, 4, 5, 9], np.int8)
KNOWN = (0.72, 0.55, 0.41, 0.3, 0.22, 0.15, 0.1, 0.06)


def block(first: int, rows: int, random: np.random.Generator) -> pa.Table:
    """Draw the answers of some respondents, with ids from a number on."""
    region = random.choice(np.arange(1, 9, dtype=np.int8), rows)
    columns: dict[str, np.ndarray] = {
        "id": np.arange(first, first + rows, dtype=np.int64),
        "weight": random.uniform(0.4, 2.2, rows).round(3),
        "region": region,
        "age": random.integers(18, 90, rows, dtype=np.int16),
        "month": random.choice(np.arange(1, 13, dtype=np.int8), rows),
    }
    for k, share in enumerate(KNOWN, 1):
        columns[f"heard_{k}"] = (random.random(rows) < share + 0.02 * (region == k)).astype(np.int8)
    for k in range(1, 7):
        columns[f"rate_{k}"] = random.choice(
            np.array([1, 2, 3, 4, 5, 9], np.int8), rows, p=[0.07, 0.13, 0.25, 0.3, 0.2, 0.05]
        )
    columns["litres"] = random.gamma(2.0, 1.3, rows).round(1)
    return pa.table(columns)


def main() -> None:
    """Write the data beside this file, a block at a time."""
    people = int(sys.argv[1]) if len(sys.argv) > 1 else PEOPLE
    random = np.random.default_rng(20260101)
    writer = None
    for first in range(0, people, AT_ONCE):
        table = block(first, min(AT_ONCE, people - first), random)
        writer = writer or parquet.ParquetWriter(HERE / "responses.parquet", table.schema)
        writer.write_table(table)
    if writer is not None:
        writer.close()


if __name__ == "__main__":
    main()
