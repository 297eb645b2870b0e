"""Take responses from a table in memory."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
import pyarrow as pa

from eager_otter.data import files
from eager_otter.data.arrow_columns import answers_in, check_kind
from eager_otter.data.files import Source, checked_names
from eager_otter.data.lists import lists_in
from eager_otter.data.remark import Remark
from eager_otter.dataclass import dataclass
from eager_otter.errors import DataError

PLACE = "the frame"


class _InMemory:
    """The base of all tables in memory."""

    decimal: ClassVar[str] = "."
    place: ClassVar[str] = PLACE
    paths: ClassVar[tuple[Path, ...]] = ()

    def remarks(self, rows: int) -> tuple[Remark, ...]:
        """Return what was noticed: nothing."""
        return ()

    def source(self, rows: int) -> Source:
        """Return where the responses came from."""
        return Source(name="data in memory", rows=rows)


@dataclass(frozen=True, slots=True)
class PandasFrame(_InMemory):
    """A pandas frame; `names` are those of its columns, as text."""

    frame: Any
    names: list[str]

    def read(self, columns: Sequence[str]) -> Any:
        """Take some columns: an Arrow table. Raises DataError for a column that is not of answers."""
        arrays = [_from_series(self.frame.iloc[:, self.names.index(name)], name) for name in columns]
        return pa.table(arrays, names=list(columns))

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns can be answers. Raises DataError."""
        self.read(columns)

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""
        columns = (self.frame.iloc[:, k] for k in range(len(self.names)))
        given = (one.dropna()[:1] if str(one.dtype) == "object" else () for one in columns)
        return [name for name, some in zip(self.names, given, strict=True) if any(map(_is_list, some))]


@dataclass(frozen=True, slots=True)
class ArrowFrame(_InMemory):
    """A table of Arrow."""

    table: Any
    names: list[str]

    def read(self, columns: Sequence[str]) -> Any:
        """Take some columns: an Arrow table. Raises DataError for a column that is not of answers."""
        arrays = [answers_in(self.table.column(name), name, PLACE) for name in columns]
        return pa.table(arrays, names=list(columns))

    @property
    def rows(self) -> int:
        """How many rows it has."""
        return int(self.table.num_rows)

    def check(self, columns: Sequence[str]) -> None:
        """Check that columns are of types that can be answers. Raises DataError."""
        for name in columns:
            check_kind(self.table.schema.field(self.names.index(name)).type, name, PLACE)

    def lists(self) -> list[str]:
        """Name the columns that hold lists of answers."""
        return lists_in(self.names, self.table.schema)

    def parts(
        self, columns: Sequence[str], first: int = 0, end: int | None = None, *, categories: bool = True
    ) -> Iterator[Any]:
        """Take some columns of some rows in parts of so many: Arrow tables."""
        stop = self.rows if end is None else end
        table = self.read(columns)
        for start in range(first, stop, files.PART_ROWS):
            yield table.slice(start, min(files.PART_ROWS, stop - start))


def pandas_frame(frame: Any) -> PandasFrame:
    """Take a pandas frame. Raises DataError for one without rows, with a name twice or with heads of several levels."""
    levels = getattr(frame.columns, "nlevels", 1)
    if levels > 1:
        raise DataError(
            f"The columns of the frame have heads of {levels} levels; each column needs one name. Join them, as in "
            "frame.columns = ['_'.join(map(str, head)) for head in frame.columns]."
        )
    _check_rows(len(frame))
    return PandasFrame(frame, checked_names([_name(name) for name in frame.columns], PLACE))


def arrow_table(data: Any) -> ArrowFrame:
    """Take a table of Arrow, or what gives itself as a stream of one. Raises DataError as `pandas_frame` does."""
    try:
        table = data if isinstance(data, pa.Table) else pa.table(data)
    except (pa.ArrowException, TypeError, ValueError) as error:
        raise DataError(f"The frame cannot be taken as an Arrow table: {error}.") from error
    names = checked_names(table.column_names, PLACE)
    _check_rows(table.num_rows)
    return ArrowFrame(table, names)


def _is_list(value: object) -> bool:
    return isinstance(value, list | tuple | np.ndarray)


def _check_rows(rows: int) -> None:
    if rows == 0:
        raise DataError("The frame has no rows; at least one respondent is needed.")


def _name(name: object) -> str:
    """Return the name of a column as a codebook writes it: a whole number without a decimal point."""
    return f"{name:.15g}" if isinstance(name, float) else str(name)


def _from_series(series: Any, name: str) -> Any:
    try:
        array = pa.chunked_array([pa.array(series, from_pandas=True)])
    except (pa.ArrowException, TypeError):
        pass
    else:
        return answers_in(array, name, PLACE)
    try:  # numbers and text side by side: codes and labels in one column
        texts = [None if blank else _name(value) for value, blank in zip(series, series.isna(), strict=True)]
        return pa.array(texts, pa.string())
    except (TypeError, ValueError, pa.ArrowInvalid) as error:
        raise DataError(
            f"Column {name!r} of the frame holds values that are neither numbers nor text."
        ) from error
