"""Take responses from a table in memory."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pyarrow as pa

from eager_otter.data.files import Source
from eager_otter.data.remark import Remark
from eager_otter.errors import DataError


@dataclass(frozen=True, slots=True)
class FrameInMemory:
    """A pandas frame."""

    frame: Any
    decimal: str = "."

    @property
    def names(self) -> list[str]:
        """The names of all columns."""
        return [str(name) for name in self.frame.columns]

    @property
    def place(self) -> str:
        """What to call it in a message."""
        return "the frame"

    @property
    def paths(self) -> tuple[Path, ...]:
        """The files it is read from: none."""
        return ()

    def read(self, columns: Sequence[str]) -> Any:
        """Take some columns: an Arrow table. Raises DataError for no rows, or a column that is not of answers."""
        if len(self.frame) == 0:
            raise DataError("The frame has no rows; at least one respondent is needed.")
        by_name = dict(zip(self.names, self.frame.columns, strict=True))
        arrays = [_from_series(self.frame[by_name[name]], name) for name in columns]
        return pa.table(arrays, names=list(columns))

    def remarks(self, rows: int) -> tuple[Remark, ...]:
        """Tell what was noticed: nothing."""
        return ()

    def source(self, rows: int) -> Source:
        """Tell where the responses came from."""
        return Source(name="data in memory", rows=rows)


def _from_series(series: Any, name: str) -> Any:
    try:
        array = pa.array(series, from_pandas=True)
    except pa.ArrowException:
        pass
    else:
        if pa.types.is_nested(array.type):
            raise DataError(f"Column {name!r} of the frame holds lists or records, not answers.")
        return array
    try:  # numbers and text side by side: codes and labels in one column
        texts = [None if blank else str(value) for value, blank in zip(series, series.isna(), strict=True)]
        return pa.array(texts, pa.string())
    except (TypeError, ValueError, pa.ArrowInvalid) as error:
        raise DataError(
            f"Column {name!r} of the frame holds values that are neither numbers nor text."
        ) from error
