"""Long CSV files are read by threads, in windows of lines: rows are those of the file read at once, whatever it holds."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.data import csv_file, csv_lines, line_breaks
from eager_otter.data.csv_file import open_csv

WINDOW = 48  # bytes
NAMES = ["first", "second", "third"]
PLAIN = st.sampled_from(["", "1", "2", "long answer", 'a 5" glass', '5"', "é", " "])
ODD = st.sampled_from(
    ["two\nlines", "a,b", 'so "called"', 'ends in a "', "\n", '"', "1\r\n2", "g,h,i\n1,2,3"]
)


def texts_of(rows: Iterable[list[str]], end: str, quoting: int) -> str:
    file = io.StringIO()
    writer = csv.writer(file, lineterminator=end, quoting=quoting)  # type: ignore[arg-type]
    writer.writerow(NAMES)
    writer.writerows(rows)
    return file.getvalue()


def in_windows(path: Path) -> list[list[str]]:
    """Read a file as a long one: rows of texts."""
    file = open_csv(path, delimiter=",", encoding="utf-8", decimal=".", heading_rows=1)
    parts = [part.to_pydict() for part in file.in_a_row(NAMES)]
    return [list(row) for part in parts for row in zip(*(part[name] for name in NAMES), strict=True)]


def at_once(path: Path) -> list[list[str]]:
    """Read a file with the library's own reader, at once."""
    file = open_csv(path, delimiter=",", encoding="utf-8", decimal=".", heading_rows=1)
    table = file.read(NAMES).to_pydict()
    return [list(row) for row in zip(*(table[name] for name in NAMES), strict=True)]


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("csv")


@pytest.fixture(autouse=True)
def short_windows(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(csv_file, "WINDOW", WINDOW)


@given(
    st.lists(st.lists(st.one_of(PLAIN, ODD), min_size=3, max_size=3), min_size=1, max_size=40),
    st.sampled_from(["\n", "\r\n"]),
    st.sampled_from([csv.QUOTE_MINIMAL, csv.QUOTE_ALL]),
    st.booleans(),
)
def test_rows_are_those_that_were_written(
    folder: Path, rows: list[list[str]], end: str, quoting: int, ended: bool
) -> None:
    path, text = folder / "written.csv", texts_of(rows, end, quoting)
    path.write_bytes((text if ended else text.removesuffix(end)).encode())
    assert in_windows(path) == rows


LINES = st.lists(
    st.sampled_from(
        ["1,2,3", '1,2,"3', '1,"2,3"', '4"', 'x,y,z"', '5",2,"so', "", "1,2,", '","', ",,", "é,ü,ö"]
    ),
    min_size=1,
    max_size=30,
)


@given(LINES, st.sampled_from(["\n", "\r\n", "\r"]))
def test_files_that_are_written_badly_are_read_or_refused_as_at_once(
    folder: Path, lines: list[str], end: str
) -> None:
    """Quotes that are not closed, or that stand within an answer, and rows of another length."""
    path = folder / "badly.csv"
    path.write_bytes(end.join([",".join(NAMES), *lines, ""]).encode())
    try:
        wanted: list[list[str]] | None = at_once(path)
    except (otter.FileProblem, otter.DataError):
        wanted = None
    try:
        found: list[list[str]] | None = in_windows(path)
    except (otter.FileProblem, otter.DataError):
        found = None
    assert found == (wanted or None) or (found == [] and wanted is None)


@pytest.mark.parametrize("ended", ["\n", "\r"], ids=["lines", "one line too many"])
@pytest.mark.parametrize("begins", ["so", "so\nand so"])
def test_a_value_that_is_cut_within_quotes_is_not_taken_for_two_rows(
    tmp_path: Path, begins: str, ended: str
) -> None:
    """What is before and behind the cut looks like rows of three cells, as many as lines."""
    path = tmp_path / "cut.csv"
    head = ",".join(NAMES) + "\n" + "1,2,3\n" * 4 + f"1,2,3{ended}1,2,3\n"
    opened = f'5",2,"{begins}'
    path.write_bytes(f'{head}{opened}\ng,h,i"\n4,5,6\n'.encode())
    for window in range(len(head), len(head) + len(opened) + 3):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(csv_file, "WINDOW", window)
            assert in_windows(path)[6:] == [['5"', "2", f"{begins}\ng,h,i"], ["4", "5", "6"]]


def test_threads_read_all_but_what_is_not_line_by_line(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Also values of two lines; only what follows a quote within such a value, or a blank line, is read row by row."""
    path = tmp_path / "long.csv"
    rows = [[f"{k}", "answer", "x"] for k in range(200)]
    by_row: list[int] = []
    real = csv_file._CsvReader._row_by_row
    monkeypatch.setattr(
        csv_file._CsvReader, "_row_by_row", lambda reader, start: by_row.append(start) or real(reader, start)
    )
    text = texts_of(rows, "\n", csv.QUOTE_MINIMAL)
    path.write_text(text, encoding="utf-8")
    assert in_windows(path) == rows
    assert by_row == [len(text)]
    rows[150][1] = "two\nlines"
    text = texts_of(rows, "\n", csv.QUOTE_MINIMAL)
    path.write_text(text, encoding="utf-8")
    assert in_windows(path) == rows
    assert by_row[1] == len(text)
    stray = texts_of(rows, "\n", csv.QUOTE_MINIMAL).replace('\n150,"two', '\n150,5","two')
    for spoiled, wrong in ((stray, '150,5"'), (text.replace("\n150,", "\n\n150,"), "\n150,")):
        path.write_text(spoiled, encoding="utf-8")
        with suppress(otter.FileProblem):
            in_windows(path)
        before = spoiled.index(wrong)
        assert before - WINDOW <= by_row[-1] <= before


@pytest.mark.parametrize("quoting", [csv.QUOTE_MINIMAL, csv.QUOTE_ALL])
def test_values_of_several_lines_are_read_by_threads(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, quoting: int
) -> None:
    """Wherever they stand, the headings among them, and however many a window holds."""
    monkeypatch.setattr(csv_file._CsvReader, "_row_by_row", lambda reader, start: iter(()))
    rows = [[f"{k}", "long\nanswer" * (k % 5), 'so "called"\n\n'] for k in range(60)]
    path = tmp_path / "long.csv"
    text = texts_of(rows, "\r\n", quoting).replace(
        "third", '"third\nof all"' if quoting == 0 else "third\nof all"
    )
    path.write_text(text, encoding="utf-8", newline="")
    for window in (110, 256, 4_000):
        monkeypatch.setattr(csv_file, "WINDOW", window)
        file = open_csv(path, delimiter=",", encoding="utf-8", decimal=".", heading_rows=1)
        parts = [part.to_pydict() for part in file.in_a_row(file.names)]
        assert [list(row) for part in parts for row in zip(*part.values(), strict=True)] == rows


OF_FIVE = st.lists(
    st.sampled_from(
        [
            "1,2,3,4,5\n", "1,2,3,4,5\r\n", '1,"two\nlines",3,4,5\n', '"1","2","3","4","5"\n', "\n", '1,"so ""called""\n",3,4,5\n',
            '1,"2,3,4,5\n1,2,3,4,5\n1,2",3,4,5\n', '1,2,"3,4,5\r\n1,2,3",4,5\n', '1,"2,3,4,5\n1,2"x,3,4,5\n', '1,x"2,3,4,5\n',
            '1,5",3,4,5\n', '1,5",6",4,5\n', '1,"2,3\r4,5\n1",2,3,4\n', '1,"2,3,4,5\n', '"\n', "1,2,3,4,5",
        ]
    ),
    max_size=12,
)  # fmt: skip


def swallowed(text: str, size: int) -> tuple[Any, Any]:
    """Find what looks like rows within quotes: in rows of several lines, None where they cannot be told; in all rows."""
    content = text.encode()
    blocks = [content[k : k + size] for k in range(0, len(content), size)]
    windows = [one.content for one in csv_lines.windows_of(blocks, len(content), ",")]
    found = line_breaks.swallowed_within(windows, ",", 5, bytes.decode)
    whole = sum(map(len, windows)) == len(content)
    return (found if whole else None), list(line_breaks.swallowed_rows(io.StringIO(text, newline=""), ",", 5))


@settings(max_examples=400)
@given(OF_FIVE, st.sampled_from([20, 48, 1_000]))
def test_rows_within_quotes_are_those_found_by_reading_every_row(pieces: list[str], size: int) -> None:
    found, wanted = swallowed("".join(pieces), size)
    assert found is None or found == wanted


def test_rows_within_quotes_are_told_where_quotes_stand_in_place() -> None:
    lines = "1,2,3,4,5\n" * 7
    text = f'{lines}1,"2,3,4,5\n1,2,3,4,5\n1,2",3,4,5\n{lines}1,2,"3,4,5\n1,2,3",4,5\n'
    for size in (20, 48, 1_000):
        found, wanted = swallowed(text, size)
        assert found == wanted == [line_breaks.Swallowed(8, 2), line_breaks.Swallowed(18, 1)]
    for stray in ('1,5",3,4,5\n1,"2",3,4,5\n', '1,"5"x,3,4,5\n', '1,2\r3,"4\n",5\n', '1,"2,3,4,5\n'):
        assert swallowed(text + stray, 1_000)[0] is None


@given(
    st.lists(st.lists(st.one_of(PLAIN, ODD), min_size=3, max_size=3), min_size=1, max_size=20), st.booleans()
)
def test_rows_of_several_lines_are_told_by_quotes(rows: list[list[str]], marked: bool) -> None:
    """Of what was written well, also behind the mark of an encoding: no row but these need be read."""
    text = texts_of(rows, "\n", csv.QUOTE_ALL)
    within = line_breaks.breaks_within(text.encode("utf-8-sig" if marked else "utf-8"), ",")
    assert within is not None
    assert len(within) == sum(cell.count("\n") for row in rows for cell in row)


def test_a_wrong_row_far_down_is_named(tmp_path: Path) -> None:
    path = tmp_path / "long.csv"
    path.write_text(",".join(NAMES) + "\n" + "1,2,3\n" * 100 + "1,2\n" + "1,2,3\n" * 100, encoding="utf-8")
    with pytest.raises(otter.FileProblem, match=r"long.csv: row 101 has 2 cells where the header has 3"):
        in_windows(path)


def test_a_file_without_lines_is_not_held_as_one(tmp_path: Path) -> None:
    """Lines that end in a carriage return alone, and a quote that is never closed, end the windows."""
    blocks = [b"x" * 10] * 1000
    assert list(csv_lines.windows_of(iter(blocks), 100, ",")) == []
    taken = iter(blocks)
    assert list(csv_lines.windows_of(taken, 100, ",")) == []
    assert len(list(taken)) == 1000 - 11
    path = tmp_path / "returns.csv"
    path.write_bytes("\r".join([",".join(NAMES), *["1,2,3"] * 50]).encode())
    assert in_windows(path) == [["1", "2", "3"]] * 50


@pytest.mark.parametrize("encoding", ["utf-16", "utf-32-le", "utf-16-be"])
def test_encodings_in_which_a_line_feed_is_not_a_byte_are_read_row_by_row(encoding: str) -> None:
    assert not csv_lines.is_by_bytes(encoding)


@pytest.mark.parametrize("encoding", ["utf-8", "UTF8", "cp1252", "windows-1250", "latin-1", "iso-8859-15"])
def test_encodings_of_bytes_are_read_in_windows(tmp_path: Path, encoding: str) -> None:
    assert csv_lines.is_by_bytes(encoding)
    path = tmp_path / "long.csv"
    path.write_bytes((",".join(NAMES) + "\n" + "ö,1,2\n" * 60).encode(encoding))
    file = open_csv(path, delimiter=",", encoding=encoding, decimal=".", heading_rows=1)
    assert pa.concat_tables(file.in_a_row(["first"])).column("first").to_pylist() == ["ö"] * 60


CELLS = [
    "1",
    "3,5",
    '"3,5"',
    "-2,25",
    "1,234",
    "x",
    "",
    "a, b",
    "3.5",
    "12.345",
    '"1,234"',
    "3,5 ",
    "1,2,3",
    '"q',
    "4,",
    ".5",
]


@given(
    st.lists(st.sampled_from(CELLS), min_size=1, max_size=5).flatmap(
        lambda cells: st.lists(
            st.lists(st.sampled_from(cells), min_size=2, max_size=4), min_size=1, max_size=6
        )
    ),
    st.sampled_from([";", "\t", "|"]),
    st.sampled_from(["\n", "\r\n"]),
)
@example(rows=[["3,5", "3.5"]], delimiter=";", end="\n")
@example(rows=[["x", "3.5"], ["1", "-2,25"]], delimiter="\t", end="\r\n")
def test_a_decimal_comma_is_found_as_in_a_look_at_every_cell(
    folder: Path, rows: list[list[str]], delimiter: str, end: str
) -> None:
    """All numbers with a sign have a comma, and not all of them three digits behind it."""
    path = folder / "decimals.csv"
    lines = [delimiter.join(row) for row in ([f"c{k}" for k in range(4)], *rows)]
    path.write_bytes(end.join([*lines, ""]).encode())
    cells = [cell.removeprefix('"').removesuffix('"') for line in lines for cell in line.split(delimiter)]
    numbers = [cell for cell in cells if re.fullmatch(r"-?\d+[.,]\d+", cell)]
    comma = all("," in number for number in numbers) and any(
        len(number.split(",")[1]) != 3 for number in numbers
    )
    file = open_csv(path, delimiter=delimiter, encoding="utf-8", heading_rows=1)
    assert file.decimal == ("," if comma else ".")
