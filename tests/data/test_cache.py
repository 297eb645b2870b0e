"""What is kept of data for the next time: never other figures than without it, never an error, never a surprise."""

from __future__ import annotations

import gzip
import json
import os
import shutil
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.data import cached, files
from eager_otter.gates import cache as gate
from eager_otter.gates.cache import Cache
from laws import LAW_BOOK, law_columns

FRAME = pd.DataFrame(law_columns(4, 300))
OTHER = FRAME.assign(area=FRAME["area"].to_numpy()[::-1])


@pytest.fixture(autouse=True)
def kept_however_small(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(cached, "WORTH", 1)
    monkeypatch.setattr(cached, "WORTH_UNPACKING", 1)


def as_csv(folder: Path, frame: pd.DataFrame) -> Path:
    frame.to_csv(folder / "d.csv", index=False)
    return folder / "d.csv"


def as_gz(folder: Path, frame: pd.DataFrame) -> Path:
    (folder / "d.csv.gz").write_bytes(gzip.compress(frame.to_csv(index=False).encode()))
    return folder / "d.csv.gz"


def as_workbook(folder: Path, frame: pd.DataFrame) -> Path:
    frame.to_excel(folder / "d.xlsx", index=False)
    return folder / "d.xlsx"


def as_records(folder: Path, frame: pd.DataFrame) -> Path:
    frame.to_json(folder / "d.json", orient="records")
    return folder / "d.json"


def as_package(folder: Path, frame: pd.DataFrame) -> Path:
    """Two files: a description, and the data that it describes."""
    frame.to_csv(folder / "d.csv", index=False)
    columns = [{"name": name} for name in frame.columns]
    package = {"resources": [{"name": "d", "path": "d.csv", "schema": {"fields": columns}}]}
    (folder / "datapackage.json").write_text(json.dumps(package))
    return folder / "datapackage.json"


KINDS = (as_csv, as_gz, as_workbook, as_records, as_package)
Maker = Callable[[Path, pd.DataFrame], Path]


def tables_of(data: Path, cache: Path | None, book: str = LAW_BOOK) -> str:
    """Every figure of some tables, and where they say that they come from."""
    path = data.parent / "book.yaml"
    path.write_text(book)
    survey = otter.open_survey(path, data, cache=cache)
    tables = survey.tables([{"question": name, "banner": ["area"]} for name in ("tried", "liking")])
    return "\n".join([str(survey.source), *(table.frame().to_csv() for table in tables)])


def rested(path: Path) -> Path:
    """Let a file be old enough for its times to be trusted, as those of data are when work begins."""
    long_ago = time.time() - 100
    os.utime(path, (long_ago, long_ago))
    return path


@pytest.fixture
def at_rest(monkeypatch: pytest.MonkeyPatch) -> None:
    """Take files that were written a moment ago for old: only the time of day decides that otherwise."""
    monkeypatch.setattr(cached, "AT_REST", -(10**18))


def refuse(*_: object, **__: object) -> None:
    raise AssertionError("the data were opened again")


@pytest.mark.parametrize("make", KINDS)
def test_a_second_time_it_is_not_opened_and_all_is_the_same(
    make: Maker, tmp_path: Path, at_rest: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    data, cache = make(tmp_path, FRAME), tmp_path / "kept"
    without = tables_of(data, None)
    assert not cache.exists()
    assert tables_of(data, cache) == without
    monkeypatch.setattr(cached, "open_data", refuse)
    assert tables_of(data, cache) == without


def test_a_long_file_is_kept_part_by_part(
    tmp_path: Path, at_rest: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(files, "IN_PARTS_FROM", 1)
    monkeypatch.setattr(files, "PART_ROWS", 32)
    data, cache = as_csv(tmp_path, FRAME), tmp_path / "kept"
    without = tables_of(data, None)
    assert tables_of(data, cache) == without
    monkeypatch.setattr(cached, "open_data", refuse)
    assert tables_of(data, cache) == without


def test_another_file_in_its_place_is_seen(tmp_path: Path) -> None:
    """Of the same size, with the same date, a moment later: as a script may write it."""
    data, cache = as_csv(tmp_path, FRAME), tmp_path / "kept"
    first = tables_of(data, cache)
    before = data.stat()
    as_csv(tmp_path, OTHER)
    assert data.stat().st_size == before.st_size
    os.utime(data, ns=(before.st_atime_ns, before.st_mtime_ns))
    second = tables_of(data, cache)
    assert second != first
    assert second == tables_of(data, None)


def test_the_same_file_with_another_date_is_known_by_its_bytes(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    data, cache = as_csv(tmp_path, FRAME), tmp_path / "kept"
    tables_of(data, cache)
    rested(data)
    monkeypatch.setattr(cached, "open_data", refuse)
    after = tables_of(data, cache)
    monkeypatch.undo()
    assert after == tables_of(data, None)


def test_a_file_that_changes_while_it_is_read_is_told(tmp_path: Path, at_rest: None) -> None:
    """Columns that are read later may not be those of another file."""
    data, cache = as_csv(tmp_path, FRAME), tmp_path / "kept"
    (tmp_path / "short.yaml").write_text(
        "questions: {wave: {kind: single, answers: {1: A, 2: B, 3: C, 4: D}}}"
    )
    few = otter.open_survey(tmp_path / "short.yaml", data, cache=cache)
    before = few.table("wave").frame()
    (tmp_path / "book.yaml").write_text(LAW_BOOK)
    survey = otter.open_survey(tmp_path / "short.yaml", data, cache=cache)
    as_csv(tmp_path, OTHER)
    with pytest.raises(otter.FileProblem, match=r"d\.csv: was changed while it was read; run it again\."):
        survey.responses.file.read(["area"])  # type: ignore[union-attr]
    again = otter.open_survey(tmp_path / "short.yaml", data, cache=cache)
    assert again.table("wave").frame().equals(before)  # which did not change


def test_what_is_wrong_with_the_data_is_told_as_without_a_cache(tmp_path: Path) -> None:
    """And nothing is said of a cache that could not be written, nor is anything left in it."""
    data, cache = tmp_path / "d.csv", tmp_path / "kept"
    data.write_text("wave,area\n1,2\n1,2,3\n", encoding="utf-8")
    book = tmp_path / "short.yaml"
    book.write_text("questions: {wave: {kind: single, answers: {1: A}}}", encoding="utf-8")
    kept, told = Cache(cache), []
    for cache_given in (None, kept):
        with pytest.raises(otter.OtterError) as error:
            otter.open_survey(book, data, cache=cache_given)
        told.append(str(error.value))
    assert told[0] == told[1] and "row 2" in told[0]
    assert kept.told == [] and copies(cache) == []


def test_a_changed_codebook_takes_what_is_kept(
    tmp_path: Path, at_rest: None, monkeypatch: pytest.MonkeyPatch
) -> None:
    data, cache = as_csv(tmp_path, FRAME), tmp_path / "kept"
    tables_of(data, cache)
    book = LAW_BOOK.replace("Tarn", "Tarn Still")
    assert book != LAW_BOOK
    without = tables_of(data, None, book)
    monkeypatch.setattr(cached, "open_data", refuse)
    assert tables_of(data, cache, book) == without


def copies(cache: Path) -> list[Path]:
    return sorted(path for path in cache.rglob("*") if path.is_file())


@pytest.fixture(scope="module")
def kept_once(tmp_path_factory: pytest.TempPathFactory) -> Iterator[tuple[Path, str]]:
    """A folder with data and what is kept of them, and the tables."""
    folder = tmp_path_factory.mktemp("once")
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(cached, "WORTH", 1)
        patch.setattr(cached, "AT_REST", -(10**18))
        patch.setattr(gate, "END", 100)
        yield folder, tables_of(as_csv(folder, FRAME), folder / "kept")


@given(choice=st.data())
def test_damage_anywhere_is_never_seen_in_figures(kept_once: tuple[Path, str], choice: st.DataObject) -> None:
    folder, expected = kept_once
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(cached, "WORTH", 1)
        patch.setattr(cached, "AT_REST", -(10**18))
        patch.setattr(gate, "END", 100)  # so that most of a copy is known by the sums of its entries alone
        damaged = folder / "damaged"
        shutil.rmtree(damaged, ignore_errors=True)
        shutil.copytree(folder / "kept", damaged)
        path = choice.draw(st.sampled_from(copies(damaged)))
        content = bytearray(path.read_bytes())
        match choice.draw(st.sampled_from(["a bit", "cut", "empty", "gone", "longer"])):
            case "a bit":
                content[choice.draw(st.integers(0, len(content) - 1))] ^= 1 << choice.draw(st.integers(0, 7))
            case "cut":
                del content[choice.draw(st.integers(0, len(content) - 1)) :]
            case "empty":
                content.clear()
            case "longer":
                content += b"x"
            case "gone":
                path.unlink()
        if path.exists():
            path.write_bytes(content)
        assert tables_of(folder / "d.csv", damaged) == expected
        assert tables_of(folder / "d.csv", damaged) == expected


@pytest.mark.parametrize("spoil", ["a file", "closed"])
def test_a_folder_that_cannot_be_written_is_told_and_harmless(
    spoil: str, tmp_path: Path, demo: Path, run: Callable[..., tuple[int, str, str]]
) -> None:
    cache = tmp_path / "kept"
    cache.write_text("mine") if spoil == "a file" else cache.symlink_to("/proc/nowhere")
    code, out, err = run("look", "liking", "--cache", cache, cwd=demo)
    assert code == 0
    assert run("look", "liking", "--cache", "off", cwd=demo)[1] == out
    assert err.count("Nothing is kept for the next time") == 1
    if spoil == "a file":
        assert cache.read_text() == "mine"


def test_a_look_reads_only_what_it_needs_and_says_what_it_keeps(
    tmp_path: Path, demo: Path, run: Callable[..., tuple[int, str, str]]
) -> None:
    cache = tmp_path / "kept"
    _, first, err = run("look", "liking", "-b", "region", "--cache", cache, cwd=demo)
    assert "Kept for the next time: 5 columns of responses.csv" in err  # id, status, weight, liking, region
    _, again, err = run("look", "liking", "-b", "region", "--cache", cache, cwd=demo)
    assert again == first
    assert "Kept" not in err
    _, _, err = run("look", "heard_of", "-b", "region", "--cache", cache, cwd=demo)
    assert "Kept for the next time: 9 columns of responses.csv" in err  # of the brands alone
    _, listed, _ = run("cache", "--cache", cache, cwd=demo)
    assert f"{demo / 'responses.csv'}: 14 of " in listed


def test_tables_of_a_plan_are_the_same_bytes(
    tmp_path: Path, demo: Path, run: Callable[..., tuple[int, str, str]]
) -> None:
    def made(cache: str | Path) -> bytes:
        assert run("run", "plan.yaml", "-o", tmp_path / "t.json", "--cache", cache, cwd=demo)[0] == 0
        return (tmp_path / "t.json").read_bytes()

    without = made("off")
    assert made(tmp_path / "kept") == without
    assert made(tmp_path / "kept") == without


def test_several_files_are_kept_each(tmp_path: Path, at_rest: None, monkeypatch: pytest.MonkeyPatch) -> None:
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    waves = otter.Waves(
        question="month",
        waves=(
            otter.Wave(data=as_csv(tmp_path / "a", FRAME), label="May"),
            otter.Wave(data=as_csv(tmp_path / "b", OTHER), label="June"),
        ),
    )
    book = tmp_path / "book.yaml"
    book.write_text(LAW_BOOK)

    def table(cache: Path | None) -> str:
        return otter.open_survey(book, waves, cache=cache).table("tried", banner="month").frame().to_csv()

    without = table(None)
    assert table(tmp_path / "kept") == without
    monkeypatch.setattr(cached, "open_data", refuse)
    assert table(tmp_path / "kept") == without


def test_it_is_shown_and_emptied_and_nothing_else_is_touched(
    tmp_path: Path, demo: Path, run: Callable[..., tuple[int, str, str]], monkeypatch: pytest.MonkeyPatch
) -> None:
    cache = tmp_path / "kept"
    monkeypatch.setenv("EAGER_OTTER_CACHE", str(cache))
    run("look", "liking", cwd=demo)
    mine = cache / "notes-0123456789abcdef"
    mine.mkdir()
    (mine / "facts").write_text("of my own")
    (mine / "letter.txt").write_text("of my own")
    code, out, _ = run("cache", cwd=demo)
    assert code == 0
    assert "of 1 file" in out
    assert run("cache", "--empty", cwd=demo)[1].startswith("Taken away: ")
    assert copies(cache) == [mine / "facts", mine / "letter.txt"]
    assert run("cache", cwd=demo)[1] == f"{cache}: nothing is kept.\n"
    assert run("cache", "--empty", cwd=demo)[1] == f"{cache}: nothing was kept.\n"
    monkeypatch.setenv("EAGER_OTTER_CACHE", "off")
    assert run("cache", cwd=demo)[1] == "Nothing is kept: EAGER_OTTER_CACHE or --cache is off.\n"


def test_what_was_not_used_for_long_goes(tmp_path: Path, at_rest: None) -> None:
    (tmp_path / "a").mkdir()
    (tmp_path / "b").mkdir()
    cache = tmp_path / "kept"
    tables_of(as_csv(tmp_path / "a", FRAME), cache)
    for path in cache.rglob("facts"):
        rested(path)
        os.utime(path, (0, time.time() - 31 * 86_400))
    tables_of(as_csv(tmp_path / "b", OTHER), cache)
    (place,) = cache.iterdir()
    assert str(tmp_path / "b") in (place / "facts").read_text()


def test_nobody_else_can_read_it(tmp_path: Path) -> None:
    cache = tmp_path / "kept"
    tables_of(as_csv(tmp_path, FRAME), cache)
    (place,) = cache.iterdir()
    assert place.stat().st_mode & 0o077 == 0
