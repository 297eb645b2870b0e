"""A survey that is open while its file is written anew: figures are of the one that was opened, or it is told."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.data import files
from laws import LAW_BOOK, law_columns

KINDS = ["csv", "feather", "parquet", "xlsx"]
BOOK = LAW_BOOK.replace("respondent:", "#")


def write(folder: Path, kind: str, seed: int) -> Path:
    """Write responses that are others for each seed, as many rows."""
    path, frame = folder / f"responses.{kind}", pd.DataFrame(law_columns(seed, 793))
    if kind == "csv":
        frame.to_csv(path, index=False)
    elif kind == "xlsx":
        frame.to_excel(path, index=False)
    else:
        frame.to_feather(path) if kind == "feather" else frame.to_parquet(path)
    return path


def figures(survey: otter.Survey) -> str:
    return str(survey.table("area", banner="tried"))


@pytest.mark.parametrize("part_rows", [50, 1 << 16], ids=["in parts", "at once"])
@pytest.mark.parametrize("kind", KINDS)
def test_no_table_mixes_two_files(
    tmp_path: Path, kind: str, part_rows: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(files, "PART_ROWS", part_rows)
    (tmp_path / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    data = write(tmp_path, kind, seed=11)
    wanted = figures(otter.open_survey(tmp_path / "codebook.yaml", data))
    survey = otter.open_survey(tmp_path / "codebook.yaml", data)
    survey.table("liking", banner="wave")
    os.utime(data, ns=(1, 1))  # as when it is copied back: the bytes are the same
    assert figures(survey) == wanted
    survey = otter.open_survey(tmp_path / "codebook.yaml", data)
    write(tmp_path, kind, seed=12)
    assert figures(otter.open_survey(tmp_path / "codebook.yaml", data)) != wanted
    if kind in ("csv", "xlsx"):  # these are in memory
        assert figures(survey) == wanted
    else:
        with pytest.raises(otter.FileProblem, match=rf"responses.{kind}: is not the file that was opened"):
            figures(survey)


def test_a_file_that_is_written_while_it_is_opened_is_told(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    data = write(tmp_path, "csv", seed=11)
    source_of = files.source_of

    def late(path: Path, rows: int, how: str = "") -> files.Source:
        write(tmp_path, "csv", seed=12)
        os.utime(data, ns=(1, 1))
        return source_of(path, rows, how)

    monkeypatch.setattr("eager_otter.data.csv_file.source_of", late)
    with pytest.raises(otter.FileProblem, match=r"responses.csv: is not the file that was opened"):
        otter.open_survey(tmp_path / "codebook.yaml", data)


def test_the_digest_that_is_made_beside_the_reading_is_that_of_the_bytes(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    (tmp_path / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    for seed in (11, 12):
        data = write(tmp_path, "csv", seed=seed)
        survey = otter.open_survey(tmp_path / "codebook.yaml", data)
        assert survey.source.fingerprint == hashlib.sha256(data.read_bytes()).hexdigest()[:12]


def test_a_digest_that_cannot_be_made_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    (tmp_path / "codebook.yaml").write_text(BOOK, encoding="utf-8")
    data = write(tmp_path, "csv", seed=11)

    def fail(path: Path, what: str) -> None:
        raise otter.FileProblem(f"{path.name}: cannot be read (Input/output error).")

    monkeypatch.setattr(files, "digest_of_bytes", fail)
    with pytest.raises(otter.FileProblem, match=r"responses.csv: cannot be read \(Input/output error\)"):
        _ = otter.open_survey(tmp_path / "codebook.yaml", data).source
