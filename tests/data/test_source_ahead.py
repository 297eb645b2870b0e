"""The SHA-256 of a long file is made beside other work, waited for where it is shown, and never that of another file."""

from __future__ import annotations

import hashlib
import os
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from threading import Event
from typing import Any

import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.counting.running import InTurn, Processes
from eager_otter.data import files, known, opened

BOOK = """
respondent: id
questions:
  area: {kind: single, column: area, answers: {1: North, 2: South}}
"""
ROWS = 400


@pytest.fixture(autouse=True)
def long_and_old(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(known, "WORTH", 1)
    monkeypatch.setattr(known, "AT_REST", -(10**18))
    monkeypatch.setattr(files, "AT_REST", -(10**18))
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(files, "PART_ROWS", 50)
    monkeypatch.setattr(files, "_DIGESTS", {})


@pytest.fixture
def slow(monkeypatch: pytest.MonkeyPatch) -> Iterator[Event]:
    """Let no digest be begun before this is set."""
    may, usual = Event(), files.digest_of_bytes

    def waiting(*given: Any) -> str:
        assert may.wait(20)
        return usual(*given)

    monkeypatch.setattr(files, "digest_of_bytes", waiting)
    yield may
    may.set()


@pytest.fixture
def book(tmp_path: Path) -> Path:
    (tmp_path / "book.yaml").write_text(BOOK)
    return tmp_path / "book.yaml"


@pytest.fixture
def data(tmp_path: Path) -> Path:
    return written(tmp_path / "d.parquet", 1)


def written(path: Path, area: int) -> Path:
    pd.DataFrame({"id": range(ROWS), "area": [area, 2] * (ROWS // 2)}).to_parquet(path)
    return path


def sum_of(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()[:12]


def test_all_is_counted_before_the_digest_is_there(book: Path, data: Path, slow: Event) -> None:
    survey = otter.open_survey(book, data)
    assert survey.responses.answers("area").codes.tolist() == [0, 1] * (ROWS // 2)  # type: ignore[union-attr]
    assert survey.responses.known_source is None
    slow.set()
    assert survey.source.fingerprint == sum_of(data) == survey.responses.known_source.fingerprint
    assert survey.table("area").facts.source == survey.source


def test_a_file_that_becomes_another_one_first_is_refused_with_its_digest(
    book: Path, data: Path, slow: Event
) -> None:
    survey = otter.open_survey(book, data)
    survey.responses.answers("area")
    written(data, 2)
    slow.set()
    asks: list[Callable[[], object]] = [
        lambda: survey.source,
        lambda: survey.table("area"),
        lambda: repr(survey),
    ]
    for ask in asks:
        with pytest.raises(otter.FileProblem, match="is not the file that was opened"):
            ask()


def test_a_file_that_is_gone_by_then_is_told(book: Path, data: Path, slow: Event) -> None:
    survey = otter.open_survey(book, data)
    data.unlink()
    slow.set()
    with pytest.raises(otter.FileProblem):
        _ = survey.source


def test_a_file_that_is_touched_later_is_the_same(book: Path, data: Path) -> None:
    survey = otter.open_survey(book, data)
    source = survey.source
    os.utime(data, (1, 1))
    assert survey.table("area").people == ROWS and survey.source == source


def test_what_was_found_out_is_written_down_when_the_digest_is_there(
    book: Path, data: Path, slow: Event, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    cache, looked, usual = tmp_path / "kept", [], opened._ids_again

    def told(*given: Any) -> int:
        looked.append("ids")
        return usual(*given)

    monkeypatch.setattr(opened, "_ids_again", told)
    survey = otter.open_survey(book, data, cache=cache)
    assert looked == ["ids"]
    slow.set()
    _ = survey.source
    monkeypatch.setattr(files, "_DIGESTS", {})  # as another process does not have them
    monkeypatch.setattr(files, "digest_of_bytes", lambda *_: pytest.fail("read again"))
    assert otter.open_survey(book, data, cache=cache).source == survey.source
    assert looked == ["ids"]


@pytest.mark.parametrize("workers", [1, 2])
def test_whoever_counts_needs_no_digest_to_begin(book: Path, data: Path, slow: Event, workers: int) -> None:
    class Noting:
        def count(self, one_pass: Any, responses: Any, tell: Any = None) -> Any:
            state = (Processes(workers) if workers > 1 else InTurn()).count(one_pass, responses, tell)
            assert responses.known_source is None
            slow.set()
            return state

    table = replace(otter.open_survey(book, data), runner=Noting()).table("area")
    assert table.people == ROWS and table.facts.source == otter.open_survey(book, data).source


def test_the_command_shows_it(
    book: Path, data: Path, run: Callable[..., tuple[int, str, str]], tmp_path: Path
) -> None:
    code, out, err = run("look", "area", "--codebook", book, "--data", data, cwd=tmp_path)
    assert code == 0 and f"SHA-256 {sum_of(data)}" in out + err
