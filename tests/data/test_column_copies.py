"""Copies of columns: whatever is read of them is what was written, however the parts were cut."""

from __future__ import annotations

from itertools import accumulate
from pathlib import Path
from tempfile import TemporaryDirectory

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from eager_otter.data import column_copy, files
from eager_otter.data.column_copy import ColumnCopy, write_copy
from eager_otter.errors import FileProblem

NAMES = ("few", "many", "own words", "a/b: 0-3")
ROWS = st.lists(
    st.tuples(
        st.sampled_from([None, "", "1", "2"]),
        st.integers(0, 10**6).map(str),
        st.one_of(st.none(), st.text(st.characters(exclude_categories=["Cs"]), max_size=6)),
        st.sampled_from(["Ł", "ß"]),
    ),
    min_size=1,
    max_size=60,
)


def table_of(rows: list[tuple[str | None, ...]], *, first: bool) -> pa.Table:
    """Make a table of rows; categories may stand in another order than the rows', or be of no row."""
    arrays = []
    for name, cells in zip(NAMES, zip(*rows, strict=True), strict=True):
        array = pa.array(cells, pa.string())
        if name != "own words":
            texts = [*(["nobody"] if first else []), *sorted({cell for cell in cells if cell is not None})]
            places = [None if cell is None else texts.index(cell) for cell in cells]
            array = pa.DictionaryArray.from_arrays(pa.array(places, pa.int32()), pa.array(texts, pa.string()))
        arrays.append(array)
    return pa.table(arrays, names=list(NAMES))


def texts_of(table: pa.Table) -> list[dict[str, str | None]]:
    return [dict(row) for row in table.to_pylist()]


@given(
    st.lists(ROWS, min_size=1, max_size=4),
    st.integers(1, 40),
    st.permutations(NAMES),
    st.integers(1, 4),
    st.data(),
)
def test_any_rows_and_columns_of_a_copy_are_those_written(
    parts: list[list[tuple[str | None, ...]]], length: int, order: list[str], count: int, data: st.DataObject
) -> None:
    rows = [row for part in parts for row in part]
    starts = list(accumulate((len(part) for part in parts[:-1]), initial=0))
    first = data.draw(st.one_of(st.sampled_from(starts), st.integers(0, len(rows) - 1)))
    ends = [start for start in (*starts, len(rows)) if start > first]
    end = data.draw(st.one_of(st.none(), st.sampled_from(ends), st.integers(first + 1, len(rows))))
    columns = order[:count]
    with TemporaryDirectory() as folder, pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", length)
        patch.setattr(column_copy, "NARROW", ((pa.uint8(), 3), (pa.uint16(), 9)))  # all widths in few rows
        tables = [table_of(part, first=k % 2 == 0) for k, part in enumerate(parts)]
        copy = write_copy(Path(folder, "copy.zip"), tables, NAMES)
        expected = [{name: dict(zip(NAMES, row, strict=True))[name] for name in columns} for row in rows]
        assert copy.rows == len(rows)
        assert texts_of(copy.read(columns)) == expected
        for categories in (True, False):
            read = list(copy.parts(columns, first, end, categories=categories))
            sizes = [part.num_rows for part in read]
            assert all(size == length for size in sizes[:-1]) and 0 < sizes[-1] <= length
            assert [row for part in read for row in texts_of(part)] == expected[first:end]
            assert categories or len({str(part.schema) for part in read}) == 1


def test_what_is_no_copy_is_told(tmp_path: Path) -> None:
    path = tmp_path / "copy.zip"
    path.write_text("1,2,3", "utf-8")
    with pytest.raises(FileProblem, match="cannot be read as a copy of columns"):
        ColumnCopy(path, NAMES).read(NAMES)
    with pytest.raises(FileProblem, match="none"):
        next(ColumnCopy(tmp_path / "none.zip", NAMES).parts(NAMES))
