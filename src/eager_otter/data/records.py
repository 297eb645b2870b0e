"""Records of text, one per respondent, taken apart into columns; in parts, so that a long file takes little memory."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from itertools import islice
from typing import Any

import pyarrow as pa

from eager_otter.data import files

Taker = Callable[[Any], str | None]


def tables_of(records: Iterable[Any], takers: Mapping[str, Taker]) -> Iterator[Any]:
    """Take columns out of records, in parts of so many rows: Arrow tables of text, by the function of each column."""
    going = iter(records)
    while some := list(islice(going, files.PART_ROWS)):
        arrays = [pa.array([take(record) for record in some], pa.string()) for take in takers.values()]
        yield pa.table(arrays, names=list(takers))
