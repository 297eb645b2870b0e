"""Packed CSV files and Arrow files: the same tables as unpacked, and clear words for what cannot be read."""

from __future__ import annotations

import gzip
import zipfile
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pyarrow as pa
import pytest
from pyarrow import feather

import eager_otter as otter
from eager_otter.data import files
from laws import LAW_BOOK, law_columns

FRAME = pd.DataFrame(law_columns(4, 300))


def as_gz(folder: Path) -> Path:
    path = folder / "d.csv.gz"
    path.write_bytes(gzip.compress(FRAME.to_csv(index=False).encode()))
    return path


def as_zip(folder: Path) -> Path:
    path = folder / "d.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("export/answers.csv", FRAME.to_csv(index=False))
        package.writestr("export/read me.pdf", b"x")
        package.writestr("__MACOSX/export/._answers.csv", b"x")
    return path


def as_feather(folder: Path) -> Path:
    feather.write_feather(pa.Table.from_pandas(FRAME), folder / "d.feather", compression="lz4", chunksize=70)
    return folder / "d.feather"


def as_stream(folder: Path) -> Path:
    table = pa.Table.from_pandas(FRAME)
    with pa.OSFile(str(folder / "d.arrow"), "wb") as sink, pa.ipc.new_stream(sink, table.schema) as writer:
        writer.write_table(table)
    return folder / "d.arrow"


@pytest.mark.parametrize("write", [as_gz, as_zip, as_feather, as_stream])
@pytest.mark.parametrize("rows", [64, 1 << 16])
def test_they_hold_the_same_tables(
    tmp_path: Path, write: Callable[[Path], Path], rows: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(files, "PART_ROWS", rows)
    book = otter.codebook_from_text(LAW_BOOK)
    path = write(tmp_path)
    survey = otter.open_survey(book, path)
    usual = otter.open_survey(book, FRAME)
    for name in ("wave", "tried", "glasses", "liking"):
        one, other = (s.weighted_by("wt").table(name, banner="area") for s in (survey, usual))
        assert one.frame().equals(other.frame())
    assert str(survey.source).startswith(path.name) and survey.source.fingerprint
    assert otter.draft(path).guesses == otter.draft(FRAME).guesses or path.suffix in (".gz", ".zip")


def test_a_packed_file_runs_by_its_plan(tmp_path: Path) -> None:
    drafted = otter.draft(as_gz(tmp_path))
    report = otter.run(drafted.save(tmp_path)[1])
    assert "data: d.csv.gz" in drafted.plan and report.table("wave").people == 300


def locked(folder: Path) -> Path:
    path = as_zip(folder)
    content = bytearray(path.read_bytes())
    with zipfile.ZipFile(path) as package:
        start = package.start_dir
    content[6] |= 1
    content[start + 8] |= 1
    path.write_bytes(bytes(content))
    return path


def two_tables(folder: Path) -> Path:
    with zipfile.ZipFile(folder / "d.zip", "w") as package:
        package.writestr("a.csv", "a\n1\n")
        package.writestr("b.csv", "a\n1\n")
    return folder / "d.zip"


def dense(folder: Path) -> Path:
    path = folder / "d.csv.gz"
    path.write_bytes(gzip.compress(b"a\n" + b"1\n" * 40_000_000))
    return path


def written(name: str, content: bytes) -> Callable[[Path], Path]:
    def write(folder: Path) -> Path:
        (folder / name).write_bytes(content)
        return folder / name

    return write


@pytest.mark.parametrize(
    ("write", "message"),
    [
        (written("d.csv.gz", b"no gzip"), "cannot be unpacked"),
        (written("d.csv.gz", gzip.compress(b"a\n1\n" * 999)[:40]), "cannot be unpacked"),
        (written("d.xlsx.gz", gzip.compress(b"x")), "what is packed is read where it ends in .csv"),
        (written("d.zip", b"no package"), "cannot be unpacked"),
        (two_tables, "holds a.csv, b.csv; one file"),
        (locked, "is locked with a password"),
        (dense, "MB; refused"),
        (written("d.feather", b"no arrow"), "an Arrow file"),
        (written("d.xyz", b"x"), "no data file ends in '.xyz'. Export the data in an open format"),
    ],
)
def test_what_cannot_be_read_is_told(tmp_path: Path, write: Callable[[Path], Path], message: str) -> None:
    with pytest.raises(otter.FileProblem) as problem:
        otter.draft(write(tmp_path))
    assert message in str(problem.value)
