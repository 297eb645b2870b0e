"""Files read part by part: the same rows as the whole, ids compared as numbers, long CSV files copied once."""

from __future__ import annotations

import errno
import zipfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st
from pyarrow import parquet

import eager_otter as otter
from eager_otter.codebook.codes import canonical
from eager_otter.counting.running import Processes
from eager_otter.data import converted, files, opened, parquet_file
from eager_otter.data.columns import all_differ, distinct
from eager_otter.data.opening import open_data

TEXTS = st.lists(st.sampled_from(["", "1", "02", "x y", "ü", "10.0"]), min_size=1, max_size=60)


@given(TEXTS, st.integers(1, 20), st.integers(1, 20), st.integers(1, 40), st.data())
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_any_rows_of_a_file_are_those_of_the_whole(
    tmp_path: Path, texts: list[str], group: int, part: int, short: int, data: st.DataObject
) -> None:
    numbers = pa.array(range(len(texts)), mask=np.array([text == "" for text in texts]))
    table = pa.table({"t": texts, "n": numbers})
    parquet.write_table(table, tmp_path / "t.parquet", row_group_size=group)
    first = data.draw(st.integers(0, len(texts) - 1))
    end = data.draw(st.integers(first + 1, len(texts)))
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(files, "PART_ROWS", part)
        patch.setattr(parquet_file, "SHORT_GROUP", short)
        file = open_data(tmp_path / "t.parquet")
        assert isinstance(file, files.PartedFile)
        for categories in (True, False):
            pieces = list(file.parts(["n", "t"], first, end, categories=categories))
            assert [piece.num_rows for piece in pieces[:-1]] == [part] * (len(pieces) - 1)
            assert [row for piece in pieces for row in piece.to_pylist()] == table.slice(
                first, end - first
            ).select(["n", "t"]).to_pylist()
        some = files.RowsOf(file, first, end)
        assert some.rows == end - first
        assert some.read(["t"]).column("t").to_pylist() == texts[first:end]


@given(
    st.lists(st.integers(0, 3), min_size=1, max_size=30),
    st.sampled_from(["{}", "R{}", "respondent-{:09d}", "{:x<3}", "respondent-{}-of-the-second-wave"]),
    st.integers(1, 30),
)
@example([1, 2, 3], "respondent-{:09d}", 1)
def test_ids_differ_as_sets_say_they_do(numbers: list[int], form: str, cut: int) -> None:
    ids = [form.format(number) for number in numbers]
    columns = [pa.array(ids[k : k + cut]) for k in range(0, len(ids), cut)]
    assert all_differ(columns) == (len(set(ids)) == len(ids))
    assert all_differ([pa.array(numbers[k : k + cut]) for k in range(0, len(ids), cut)]) == (
        len(set(numbers)) == len(ids)
    )


def test_an_id_that_stands_twice_in_a_long_file_is_named_with_its_rows(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    ids = [f"respondent-{k:06d}" for k in range(500)]
    ids[480] = ids[3]
    pd.DataFrame({"id": ids, "a": 1}).to_parquet(tmp_path / "d.parquet")
    book = otter.codebook_from_text(
        "respondent: id\nquestions: {a: {kind: single, column: a, answers: {1: Yes}}}"
    )
    monkeypatch.setattr(files, "PART_ROWS", 64)
    with pytest.raises(otter.DataError, match="'respondent-000003' in rows 4, 481"):
        otter.open_survey(book, tmp_path / "d.parquet")


@pytest.mark.parametrize(
    "values", [[3, None, -2, 7], [32_000, -32_000, None, 1], [None, None], [127, -128, 0, None], [5]]
)
def test_numbers_of_every_width_have_their_texts_and_blanks(values: list[int | None]) -> None:
    for kind in (pa.int8(), pa.int16(), pa.int32(), pa.int64(), pa.float64()):
        if kind == pa.int8() and any(value is not None and abs(value) > 128 for value in values):
            continue
        for array in (pa.array(values, kind), pa.array([9, *values], pa.int64()).cast(kind).slice(1)):
            parts = distinct(array)
            texts = [parts.texts[k] for k in parts.index.tolist()]
            assert texts == ["" if value is None else str(value) for value in values]


@given(
    st.lists(
        st.one_of(
            st.sampled_from(["", "1", "2", "1.", "-0", "01", "99", " 1", "1 ", "é", "NA", "0.", ".0", "\t"]),
            st.text("0123456789.- aé", max_size=3),
        ),
        min_size=1,
        max_size=40,
    ),
    st.integers(0, 3),
)
@example(["123", "1", "2"], 0)
@example(["3", "1", "12", "2"], 0)
def test_each_row_holds_its_text_in_its_one_written_form(texts: list[str], skipped: int) -> None:
    """Codes of one or two signs, and long columns, are looked at in ways of their own."""
    for times in (1, 200):
        column = pa.array(texts * times).slice(min(skipped, len(texts)))
        parts = distinct(column)
        assert [parts.texts[k] for k in parts.index.tolist()] == [
            canonical(text) for text in column.to_pylist()
        ]
        as_found = list(dict.fromkeys(column.to_pylist()))
        assert list(parts.texts) == [*map(canonical, as_found), ""]  # in the order in which they are found
    many = pa.array([f"{text}{k}" for text in texts for k in range(200)] + [f"{k}.50" for k in range(200)])
    parts = distinct(many)
    assert [parts.texts[k] for k in parts.index.tolist()] == [canonical(text) for text in many.to_pylist()]


def test_long_records_of_fixed_width_are_read_once_and_counted_in_parts(
    write: Callable[[str, str], Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Of a triple-s survey and of a DDI codebook, by one process and by two."""
    rng = np.random.default_rng(5)
    codes, numbers = rng.integers(1, 4, 700), rng.integers(0, 90, 700)
    write("d.dat", "".join(f"{code}{number:2}\n" for code, number in zip(codes, numbers, strict=True)))
    write(
        "ddi.xml",
        '<codeBook xmlns="ddi:codebook:2_5"><fileDscr><fileTxt><fileName>d.dat</fileName></fileTxt></fileDscr><dataDscr>'
        '<var ID="A" name="q"><location StartPos="1" EndPos="1"/></var>'
        '<var ID="B" name="n"><location StartPos="2" EndPos="3"/></var></dataDscr></codeBook>',
    )
    write(
        "sss.xml",
        '<sss version="2.0"><survey><record ident="A" href="d.dat"><variable ident="1" type="quantity"><name>q</name>'
        '<label>q</label><position start="1"/></variable><variable ident="2" type="quantity"><name>n</name><label>n'
        '</label><position start="2" finish="3"/></variable></record></survey></sss>',
    )
    book = otter.codebook_from_text(
        "questions: {q: {kind: single, answers: {1: A, 2: B, 3: C}}, n: {kind: number}}"
    )
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(files, "PART_ROWS", 64)
    for name in ("ddi.xml", "sss.xml"):
        survey = otter.open_survey(book, tmp_path / name)
        assert survey.responses.in_parts
        assert survey.table("n", "q").value("Mean", "A") == pytest.approx(numbers[codes == 1].mean())
        spread = replace(survey, runner=Processes(2)).table("n", "q")
        assert spread.value("Mean", "A") == survey.table("n", "q").value("Mean", "A")
        assert pa.concat_tables(open_data(tmp_path / name).in_a_row(["q"])).num_rows == 700
    write("d.dat", "")
    with pytest.raises(otter.DataError, match="has no records"):
        otter.open_survey(book, tmp_path / "ddi.xml")


def test_columns_are_read_when_they_are_first_needed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    pd.DataFrame({"a": [1, 2], "b": [1, 1], "c": [2, 2]}).to_parquet(tmp_path / "d.parquet")
    book = otter.codebook_from_text(
        "questions:\n"
        + "".join(
            f"  {name}: {{kind: single, column: {name}, answers: {{1: Yes, 2: No}}}}\n" for name in "abc"
        )
    )
    read: list[list[str]] = []
    usual = parquet_file.ParquetFile.read
    monkeypatch.setattr(
        parquet_file.ParquetFile, "read", lambda one, names: (read.append(list(names)), usual(one, names))[1]
    )
    survey = otter.open_survey(book, tmp_path / "d.parquet")
    before = {name for names in read for name in names}  # to see that no row is blank
    survey.table("a", "c")
    survey.table("a", "c")
    assert before == {"a"} and [sorted(names) for names in read[1:]] == [["c"]]
    broken = otter.codebook_from_text("questions: {z: {kind: single, column: zz, answers: {1: Yes}}}")
    with pytest.raises(otter.DataError, match="'zz'"):
        otter.open_survey(broken, tmp_path / "d.parquet")


def test_a_full_disk_while_a_long_file_is_copied_is_told_and_nothing_is_left(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, write: Callable[..., Path]
) -> None:
    made: list[Path] = []

    class Folder(converted.TemporaryFolder):
        def __init__(self) -> None:
            super().__init__()
            made.append(self.path)

    def full(*_: object) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(converted, "TemporaryFolder", Folder)
    book = otter.codebook_from_text("questions: {a: {kind: single, column: a, answers: {1: Yes}}}")
    data = write("d.csv", "a,b\n1,2\n1,3\n")
    opened.open_responses(book, data)
    monkeypatch.setattr(zipfile.ZipFile, "writestr", full)
    with pytest.raises(otter.FileProblem, match=r"No space left on device\)\. Make room there, name another"):
        opened.open_responses(book, data)
    assert len(made) == 2 and not any(path.exists() for path in made)
    with pytest.raises(otter.DataError, match="has no rows"):
        monkeypatch.undo()
        monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
        opened.open_responses(book, write("e.csv", "a,b\n"))
