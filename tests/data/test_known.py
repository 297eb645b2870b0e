"""What was found out about long files is remembered while they are the same: never longer, never of others."""

from __future__ import annotations

import os
import sqlite3
import time
from collections.abc import Callable
from contextlib import closing
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.data import files, known, opened

BOOK = """
respondent: {respondent}
questions:
  area: {{kind: single, column: area, answers: {{1: North, 2: South}}}}
"""
AREA = [1, 2, 2]


@pytest.fixture(autouse=True)
def however_small_and_new(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(known, "WORTH", 1)
    monkeypatch.setattr(known, "AT_REST", -(10**18))
    monkeypatch.setattr(files, "AT_REST", -(10**18))


@pytest.fixture
def book(tmp_path: Path) -> Path:
    (tmp_path / "book.yaml").write_text(BOOK.format(respondent="id"))
    return tmp_path / "book.yaml"


def parquet(path: Path, ids: list[Any], area: list[Any] | None = None) -> Path:
    pd.DataFrame({"id": ids, "area": AREA if area is None else area}).to_parquet(path)
    return path


@pytest.fixture
def looked(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """A list of what was looked over: ids, rows for blanks, bytes for a digest."""
    seen: list[str] = []

    def told(module: Any, name: str, what: str) -> None:
        usual = getattr(module, name)
        monkeypatch.setattr(module, name, lambda *given: (seen.append(what), usual(*given))[1])

    told(opened, "_ids_again", "ids")
    told(opened, "_blank_in", "rows")
    told(files, "digest_of_bytes", "bytes")
    return seen


def test_ids_rows_and_bytes_of_a_file_are_looked_over_once(
    tmp_path: Path, book: Path, looked: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    data, cache = parquet(tmp_path / "d.parquet", [1, 2, 3]), tmp_path / "kept"
    first = otter.open_survey(book, data, cache=cache).source
    assert looked == ["bytes", "ids"]
    monkeypatch.setattr(files, "_DIGESTS", {})  # as another process does not have them
    assert otter.open_survey(book, data, cache=cache).source == first
    assert looked == ["bytes", "ids"]
    otter.open_survey(book, data)  # without a cache
    assert looked == ["bytes", "ids", "ids"]
    book.write_text(BOOK.format(respondent="area"))
    with pytest.raises(otter.DataError, match="'area' must be unique"):
        otter.open_survey(book, data, cache=cache)
    book.write_text(BOOK.replace("respondent: {respondent}", "").format())
    for _ in range(2):
        otter.open_survey(book, data, cache=cache)
    assert looked.count("rows") == 1


def test_another_file_in_its_place_is_looked_over(tmp_path: Path, book: Path, looked: list[str]) -> None:
    data, cache = parquet(tmp_path / "d.parquet", [1, 2, 3]), tmp_path / "kept"
    otter.open_survey(book, data, cache=cache)
    state = data.stat()
    parquet(data, [1, 2, 2])
    with pytest.raises(otter.DataError, match="must be unique; 1 appears more than once"):
        otter.open_survey(book, data, cache=cache)
    os.utime(data, ns=(state.st_atime_ns, state.st_mtime_ns))  # the moment of a change of state shows
    with pytest.raises(otter.DataError, match="must be unique; 1 appears more than once"):
        otter.open_survey(book, data, cache=cache)


def test_a_file_that_is_written_meanwhile_is_looked_over(
    tmp_path: Path, book: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data, cache = parquet(tmp_path / "d.parquet", [1, 2, 3]), tmp_path / "kept"
    usual = opened._ids_again

    def slow(*given: Any) -> int:
        found = usual(*given)
        parquet(data, [1, 2, 2])
        return found

    with monkeypatch.context() as meanwhile:
        meanwhile.setattr(opened, "_ids_again", slow)
        otter.open_survey(book, data, cache=cache)
    with pytest.raises(otter.DataError, match="must be unique; 1 appears more than once"):
        otter.open_survey(book, data, cache=cache)


def test_each_way_of_reading_a_file_is_looked_over(tmp_path: Path, book: Path) -> None:
    data, cache = tmp_path / "d.xlsx", tmp_path / "kept"
    with pd.ExcelWriter(data) as writer:
        for sheet, ids in (("May", [1, 2, 3]), ("June", [1, 2, 2])):
            pd.DataFrame({"id": ids, "area": AREA}).to_excel(writer, sheet_name=sheet, index=False)
    otter.open_survey(book, data, reading=otter.Reading(sheet="May"), cache=cache)
    with pytest.raises(otter.DataError, match="must be unique; 1 appears more than once"):
        otter.open_survey(book, data, reading=otter.Reading(sheet="June"), cache=cache)


def test_the_same_bytes_with_another_date_are_known_and_read_once(
    tmp_path: Path, book: Path, looked: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    data, cache = parquet(tmp_path / "d.parquet", [1, 2, 3]), tmp_path / "kept"
    otter.open_survey(book, data, cache=cache)
    os.utime(data, (time.time() - 10**6,) * 2)
    for _ in range(3):
        monkeypatch.setattr(files, "_DIGESTS", {})  # as another process does not have them
        otter.open_survey(book, data, cache=cache)
    assert looked.count("ids") == 1
    assert looked.count("bytes") == 2  # when it was first seen, and when its date had changed


def test_nothing_is_learnt_of_a_file_that_may_change_within_a_tick_of_its_clock(
    tmp_path: Path, book: Path, looked: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(known, "AT_REST", 2_000_000_000)
    data, cache = parquet(tmp_path / "d.parquet", [1, 2, 3]), tmp_path / "kept"
    for _ in range(2):
        otter.open_survey(book, data, cache=cache)
    assert looked.count("ids") == 2
    os.utime(data, (time.time() - 100,) * 2)  # the moment of its change of state cannot be set
    otter.open_survey(book, data, cache=cache)
    assert looked.count("ids") == 3


def test_ids_of_several_waves_are_remarked_on_again(tmp_path: Path, book: Path, looked: list[str]) -> None:
    cache = tmp_path / "kept"
    waves = otter.Waves(
        waves=(
            otter.Wave(data=parquet(tmp_path / "may.parquet", [1, 2, 3]), label="May"),
            otter.Wave(data=parquet(tmp_path / "june.parquet", [3, 4, 1]), label="June"),
        )
    )
    for _ in range(2):
        (remark,) = otter.open_survey(book, waves, cache=cache).responses.remarks
        assert (remark.slip, remark.count) == ("ids of several waves", 2)
    assert looked.count("ids") == 1
    parquet(tmp_path / "june.parquet", [4, 5, 6])
    assert not otter.open_survey(book, waves, cache=cache).responses.remarks


def test_what_is_in_no_file_is_looked_over_each_time(tmp_path: Path, book: Path, looked: list[str]) -> None:
    """A frame has no times, and a query may find others while its file stays the same."""
    cache, frame = tmp_path / "kept", pd.DataFrame({"id": [4, 5, 6], "area": AREA})
    with closing(sqlite3.connect(tmp_path / "d.sqlite")) as base, base:
        frame.to_sql("answers", base, index=False)
    query = tmp_path / "d.sql"
    query.write_text(f"-- database: sqlite:///{tmp_path / 'd.sqlite'}\nselect * from answers")
    may = otter.Wave(data=parquet(tmp_path / "may.parquet", [1, 2, 3]), label="May")
    for other in (frame, query):
        waves = otter.Waves(waves=(may, otter.Wave(data=other, label="June")))
        looked.clear()
        for _ in range(2):
            otter.open_survey(book, waves, cache=cache)
        assert looked.count("ids") == 2
    assert not (cache / "found").exists()


@pytest.mark.parametrize("spoil", ["cut", "others", "text", "numbers"])
def test_damaged_notes_are_no_notes(tmp_path: Path, book: Path, looked: list[str], spoil: str) -> None:
    from eager_otter.gates.cache import Cache

    data, cache = parquet(tmp_path / "d.parquet", [1, 2, 3]), tmp_path / "kept"
    otter.open_survey(book, data, cache=cache)
    notes = cache / "found"
    ((key, entry),) = Cache(cache).found().items()
    match spoil:
        case "cut":
            notes.write_text(notes.read_text()[:-20])
        case "others":
            notes.write_text(notes.read_text().replace("ids", "odd"))
        case "text":
            Cache(cache).note_found({key: "of my own"})
        case "numbers":
            Cache(cache).note_found({key: {**entry, "digests": [], "found": {"blank rows": None}}})
    otter.open_survey(book, data, cache=cache)
    assert looked.count("ids") == 2


def test_notes_are_shown_and_emptied(
    tmp_path: Path, book: Path, run: Callable[..., tuple[int, str, str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    cache = tmp_path / "kept"
    otter.open_survey(book, parquet(tmp_path / "d.parquet", [1, 2, 3]), cache=cache)
    monkeypatch.setenv("EAGER_OTTER_CACHE", str(cache))
    assert run("cache", cwd=tmp_path)[1] == f"{cache}: notes of what was found out about 1 survey\n"
    assert (cache / "found").stat().st_mode & 0o077 == 0
    assert run("cache", "--empty", cwd=tmp_path)[1].startswith("Taken away: ")
    assert not cache.exists()
    assert run("cache", cwd=tmp_path)[1] == f"{cache}: nothing is kept.\n"
