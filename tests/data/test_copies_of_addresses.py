"""Responses at an address that are read as a whole: copied to this machine, once, and called by their address."""

from __future__ import annotations

import gzip
import os
import shutil
import subprocess
import sys
import zipfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.data import cached, files
from eager_otter.gates import cache, copying
from laws import LAW_BOOK, law_columns
from shelves import Shelf, forget_copies, plan_of, put, set_up, tables_of

Run = Callable[..., tuple[int, str, str]]
CSV = "shelf://waves/autumn.csv"


@pytest.fixture(autouse=True)
def shelf(monkeypatch: pytest.MonkeyPatch) -> type[Shelf]:
    return set_up(monkeypatch)


@pytest.fixture
def folder(tmp_path: Path, shelf: type[Shelf]) -> Path:
    """A survey with the same responses beside its plan and on the shelf."""
    (tmp_path / "codebook.yaml").write_text(LAW_BOOK.replace("t_", "tried_"), encoding="utf-8")
    put(CSV, responses(tmp_path / "autumn.csv"))
    shelf.asked.clear()
    return tmp_path


def responses(path: Path, seed: int = 11, rows: int = 300) -> Path:
    frame = pd.DataFrame(law_columns(seed, rows))
    frame.rename(columns=lambda name: name.replace("t_", "tried_")).to_csv(path, index=False)
    return path


def in_format(folder: Path, name: str) -> list[Path]:
    """Write the responses in another format: the files of it, the one to be named first."""
    path, frame = folder / name, pd.read_csv(folder / "autumn.csv", dtype=str)
    survey = otter.open_survey(folder / "codebook.yaml", folder / "autumn.csv")
    if name.endswith(".gz"):
        path.write_bytes(gzip.compress((folder / "autumn.csv").read_bytes()))
    elif name.endswith(".zip"):
        with zipfile.ZipFile(path, "w") as package:
            package.write(folder / "autumn.csv", "inside.csv")
    elif name.endswith(".xlsx"):
        frame.to_excel(path, index=False)
    elif name.endswith(".feather"):
        frame.to_feather(path)
    elif name.endswith(".jsonl"):
        frame.to_json(path, orient="records", lines=True)
    else:
        options = {"standard": "ddi"} if name == "ddi.xml" else {}
        with pytest.warns(otter.Hint):
            return list(otter.export(survey, path, **options))  # type: ignore[arg-type]
    return [path]


@pytest.mark.parametrize(
    "name", ["a.csv.gz", "a.zip", "a.xlsx", "a.feather", "a.jsonl", "triple.xml", "ddi.xml", "package.json"]
)
def test_every_format_gives_the_figures_and_the_source_it_has_on_this_machine(
    folder: Path, name: str
) -> None:
    written = in_format(folder, name)
    for path in written:
        put(f"shelf://waves/{path.name}", path)
        path.touch()
    here = otter.run(plan_of(folder, name))
    for path in written[1:]:
        path.rename(path.with_suffix(".away"))  # what is beside it is found there
    there = otter.run(plan_of(folder, f"shelf://waves/{name}"))
    assert tables_of(there, folder) == tables_of(here, folder)
    assert there.source.changed == "2026-10-05 09:00"
    assert (there.source.name, there.source.how, there.source.fingerprint) == (
        here.source.name,
        here.source.how,
        here.source.fingerprint,
    )


def test_a_definition_whose_data_are_not_there_is_told_by_its_address(folder: Path) -> None:
    for name in ("triple.xml", "package.json"):
        definition, *_ = in_format(folder, name)
        put(f"shelf://waves/{name}", definition)
        with pytest.raises(
            otter.FileProblem, match=rf"^shelf://waves/{name}: its data are not beside it; looked for"
        ):
            otter.run(plan_of(folder, f"shelf://waves/{name}"))


def test_storage_that_fails_while_data_are_looked_for_is_told_so(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    definition, *_ = in_format(folder, "triple.xml")
    put("shelf://waves/triple.xml", definition)
    copy_of = copying.on_this_machine

    def fail_beside(path: Path, cache: Any = None) -> Path:
        if path.name != "triple.xml":
            Shelf.fails["info"] = ConnectionResetError(104, "Connection reset by peer")
        return copy_of(path, cache)

    monkeypatch.setattr(copying, "on_this_machine", fail_beside)
    with pytest.raises(otter.FileProblem, match=r"^shelf://waves/triple\..*: cannot be reached"):
        otter.run(plan_of(folder, "shelf://waves/triple.xml"))


def test_it_is_copied_once_while_it_is_the_same(folder: Path, shelf: type[Shelf]) -> None:
    plan = otter.read_plan(plan_of(folder, CSV))
    first = otter.run(plan)
    again = otter.run(plan, before=first)
    assert first.survey is not None and again.survey is not None
    assert again.survey.responses is first.survey.responses
    otter.open_survey(folder / "codebook.yaml", CSV)
    assert len(shelf.asked) == 1
    put(CSV, responses(folder / "other.csv", seed=12), "two")
    shelf.asked.clear()
    other = otter.run(plan, before=first)
    assert len(shelf.asked) == 1
    assert len(copying._BY_COPY) == 1  # what was copied before is replaced
    with pytest.raises(
        otter.FileProblem, match=r"^shelf://waves/autumn.csv: is not the file that was opened"
    ):
        files.check_same(first.survey.responses.file, first.survey.responses.fingerprint)  # type: ignore[arg-type]
    here = otter.open_survey(folder / "codebook.yaml", folder / "other.csv")
    assert other.source.fingerprint == here.source.fingerprint != first.source.fingerprint


def test_where_storage_tells_no_version_it_is_copied_each_time(
    folder: Path, shelf: type[Shelf], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(Shelf, "told", {})
    monkeypatch.setattr(Shelf, "marks", {})
    monkeypatch.setattr(cached, "WORTH", 0)
    for _ in range(2):
        survey = otter.open_survey(folder / "codebook.yaml", CSV, cache=tmp_path / "kept")
        assert survey.source.changed == "" and survey.source.fingerprint
    assert len(shelf.asked) == 2
    assert not (tmp_path / "kept").exists()  # it could not be known again


def test_a_parquet_file_whose_size_is_not_told_is_copied(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    pd.read_csv(folder / "autumn.csv").to_parquet(folder / "autumn.parquet")
    put("shelf://waves/autumn.parquet", folder / "autumn.parquet")
    monkeypatch.setattr(Shelf, "told", {"size": None})
    there = otter.run(plan_of(folder, "shelf://waves/autumn.parquet"))
    here = otter.run(plan_of(folder, "autumn.parquet"))
    assert tables_of(there, folder) == tables_of(here, folder)
    assert there.source.fingerprint == here.source.fingerprint


# --- kept copies ----------------------------------------------------------------------------------------


def test_a_copy_is_kept_for_the_next_command(folder: Path, run: Run, shelf: type[Shelf]) -> None:
    plan_of(folder, CSV)
    look = ("look", "liking", "--plan", folder / "plan.yaml", "--cache", folder / "kept")
    code, first, told = run(*look)
    assert code == 0 and "Copied for the next time: autumn.csv, " in told
    forget_copies()
    assert run(*look)[1] == first
    assert not shelf.asked
    _, out, _ = run("cache", "--cache", folder / "kept")
    assert "shelf://waves/autumn.csv: a copy of the whole file" in out
    forget_copies()
    put(CSV, responses(folder / "other.csv", seed=12), "two")
    assert run(*look)[1] != first
    assert len(shelf.asked) == 2  # put there, and copied
    _, out, _ = run("cache", "--empty", "--cache", folder / "kept")
    assert out.startswith("Taken away: ")
    assert not (folder / "kept").exists()


@pytest.mark.parametrize("damage", ["cut", "other", "gone", "facts", "touched"])
def test_a_damaged_copy_is_not_used(folder: Path, shelf: type[Shelf], damage: str) -> None:
    plan = plan_of(folder, CSV)

    def made() -> str:
        return tables_of(otter.run(plan, cache=folder / "kept"), folder)

    first = made()
    (copy,) = (folder / "kept").glob("*/copy.csv")
    if damage == "cut":
        copy.write_bytes(copy.read_bytes()[:-200])
    elif damage == "other":
        copy.write_bytes(copy.read_bytes().replace(b"1", b"2"))
    elif damage == "gone":
        copy.unlink()
    elif damage == "facts":
        (copy.parent / "facts").write_text("{}")
    else:
        copy.touch()
    forget_copies()
    assert made() == first
    assert len(shelf.asked) == (damage != "touched")


def test_columns_of_a_long_copy_are_kept_as_well(
    folder: Path, run: Run, monkeypatch: pytest.MonkeyPatch, shelf: type[Shelf]
) -> None:
    monkeypatch.setattr(cached, "WORTH", 0)
    monkeypatch.setattr(files, "IN_PARTS_FROM", 0)
    monkeypatch.setattr(files, "PART_ROWS", 50)
    plan_of(folder, CSV)
    outputs = ("run", folder / "plan.yaml", "-o", folder / "tables.csv", "--force")
    _, _, told = run(*outputs, "--cache", folder / "kept")
    assert "columns of autumn.csv" in told and "Copied for the next time: autumn.csv" in told
    made = (folder / "tables.csv").read_bytes()
    forget_copies()
    monkeypatch.setattr(copying, "digest_of_bytes", lambda *_: pytest.fail("nothing of it was changed"))
    run(*outputs, "--cache", folder / "kept", "--workers", "2")
    assert (folder / "tables.csv").read_bytes() == made
    _, out, _ = run("cache", "--cache", folder / "kept")
    assert "of 2 files" in out
    assert not shelf.asked


@pytest.mark.slow
def test_processes_that_count_call_a_copy_by_its_address(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(files, "IN_PARTS_FROM", 0)
    monkeypatch.setattr(files, "PART_ROWS", 50)
    put(CSV, responses(folder / "autumn.csv", rows=6_000))

    def change(what: str, done: int, of: int) -> None:
        if what == "Counting rows" and done:
            for copy in copying.COPIES:
                copy.write_bytes(b"wave,area\n")

    with pytest.raises(
        otter.FileProblem, match=r"^shelf://waves/autumn.csv: is not the file that was opened"
    ):
        otter.run(plan_of(folder, CSV), workers=2, progress=change)


def test_copies_are_kept_within_the_room_of_the_cache(
    folder: Path, shelf: type[Shelf], monkeypatch: pytest.MonkeyPatch
) -> None:
    def kept_after(address: str) -> int:
        forget_copies()
        otter.open_survey(folder / "codebook.yaml", address, cache=folder / "kept")
        return len(list((folder / "kept").iterdir()))

    put("shelf://waves/spring.csv", responses(folder / "spring.csv", seed=12))
    size = (folder / "spring.csv").stat().st_size
    assert [kept_after(CSV), kept_after("shelf://waves/spring.csv")] == [1, 2]
    for facts in (folder / "kept").glob("*/facts"):
        os.utime(facts, (1_000_000_000, 1_000_000_000))
    assert kept_after(CSV) == 2 and not shelf.asked
    put("shelf://waves/summer.csv", responses(folder / "summer.csv", seed=13))
    assert kept_after("shelf://waves/summer.csv") == 2  # autumn's was used just now, spring's not for years
    assert kept_after(CSV) == 2 and not shelf.asked
    monkeypatch.setattr(cache, "MOST", size)
    put("shelf://waves/winter.csv", responses(folder / "winter.csv", seed=14))
    assert kept_after("shelf://waves/winter.csv") == 2  # it would be more than half of the room


def test_a_cache_that_cannot_be_written_is_told_once_and_the_copy_is_for_now(folder: Path, run: Run) -> None:
    (folder / "kept").write_text("a file, where a folder was meant")
    plan_of(folder, CSV)
    code, out, told = run("look", "liking", "--plan", folder / "plan.yaml", "--cache", folder / "kept")
    assert code == 0 and out
    assert told.count("Nothing is kept for the next time") == 1


def test_without_a_cache_nothing_is_left_behind(folder: Path, tmp_path: Path) -> None:
    (tmp_path / "passing").mkdir()
    script = (
        "import sys, fsspec; sys.path.insert(0, sys.argv[1]); import shelves\n"
        "fsspec.register_implementation('shelf', shelves.Shelf)\n"
        "from pathlib import Path; import eager_otter as otter\n"
        "folder = Path(sys.argv[2]); shelves.put('shelf://waves/autumn.csv', folder / 'autumn.csv')\n"
        "print(otter.open_survey(folder / 'codebook.yaml', 'shelf://waves/autumn.csv').source)\n"
        "print(len(list(Path(sys.argv[3]).iterdir())))\n"
    )
    tests = Path(__file__).parents[1]
    done = subprocess.run(
        [sys.executable, "-c", script, tests, folder, tmp_path / "passing"],
        env={"TMPDIR": str(tmp_path / "passing"), "PATH": ""},
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    source, folders = done.stdout.splitlines()
    assert source.startswith("autumn.csv, 300 rows") and folders == "1"
    assert not list((tmp_path / "passing").iterdir())


# --- what goes wrong ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "content", "message"),
    [
        ("a.csv", b"wave,area\n1,2\n1,2,3,4\n", "shelf://waves/a.csv: "),
        ("a.csv", b"", "shelf://waves/a.csv: is empty"),
        ("a.xlsx", b"no workbook", "shelf://waves/a.xlsx: is not "),
        ("a.csv.gz", b"not packed", "shelf://waves/a.csv.gz: cannot be unpacked"),
        ("a.json", b"{", "shelf://waves/a.json: is not "),
        ("a.xml", b"<x/>", "shelf://waves/a.xml: "),
        ("a.feather", b"no frame", "shelf://waves/a.feather: cannot be read as"),
    ],
)
def test_what_is_wrong_with_a_file_names_its_address(
    folder: Path, name: str, content: bytes, message: str, tmp_path: Path
) -> None:
    (folder / name).write_bytes(content)
    put(f"shelf://waves/{name}", folder / name)
    for kept in (None, tmp_path / "kept"):
        with pytest.raises(otter.OtterError) as told:
            otter.open_survey(folder / "codebook.yaml", f"shelf://waves/{name}", cache=kept).table("area")
        assert str(told.value).startswith(message)
        assert "eager-otter-" not in str(told.value) and "kept" not in str(told.value)


def test_a_file_that_is_changed_while_it_is_copied_is_refused(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def copy_and_change(path: Path, copy: Path) -> None:
        copy.write_bytes((folder / "autumn.csv").read_bytes())
        Shelf.marks["/waves/autumn.csv"] = "two"

    monkeypatch.setattr(copying, "copy_to", copy_and_change)
    for kept in (None, folder / "kept"):
        Shelf.marks["/waves/autumn.csv"] = "one"
        with pytest.raises(
            otter.FileProblem, match=r"shelf://waves/autumn.csv: was changed while it was copied"
        ):
            otter.open_survey(folder / "codebook.yaml", CSV, cache=kept)
    assert not list((folder / "kept").glob("*/copy*"))


def test_a_copy_that_ends_too_early_is_refused(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(copying, "copy_to", lambda path, copy: copy.write_bytes(b"wave,area\n1,2\n"))
    with pytest.raises(otter.FileProblem, match="was changed while it was copied"):
        otter.open_survey(folder / "codebook.yaml", CSV)


def test_a_disk_without_room_is_told_before_anything_is_copied(
    folder: Path, monkeypatch: pytest.MonkeyPatch, shelf: type[Shelf]
) -> None:
    shelf.asked.clear()
    monkeypatch.setattr(shutil, "disk_usage", lambda _: SimpleNamespace(free=1000))
    with pytest.raises(
        otter.FileProblem, match=r"^shelf://waves/autumn.csv: has \d+ kB, and there is no room"
    ):
        otter.open_survey(folder / "codebook.yaml", CSV)
    assert not shelf.asked


def test_signatures_of_an_address_are_shown_and_kept_nowhere(folder: Path, run: Run) -> None:
    plan_of(folder, f"'{CSV}?signature=hush'")
    code, out, told = run("run", folder / "plan.yaml", "-o", folder / "t.html", "--cache", folder / "kept")
    assert code == 0 and "autumn.csv" in told
    assert "hush" not in out + told + (folder / "t.html").read_text(encoding="utf-8")
    kept = list((folder / "kept").rglob("*"))
    assert len(kept) > 1 and not any("hush" in str(path) for path in kept)
    assert not any(b"hush" in path.read_bytes() for path in kept if path.is_file())


def test_an_address_of_this_machine_needs_no_copy(folder: Path, shelf: type[Shelf]) -> None:
    survey = otter.open_survey(folder / "codebook.yaml", f"file://{folder}/autumn.csv")
    assert survey.source == otter.open_survey(folder / "codebook.yaml", folder / "autumn.csv").source


# --- whole uses -----------------------------------------------------------------------------------------


def test_waves_of_several_formats_at_addresses_are_one_survey(folder: Path) -> None:
    pd.read_csv(responses(folder / "spring.csv", seed=12)).to_parquet(folder / "spring.parquet")
    put("shelf://waves/spring.parquet", folder / "spring.parquet")
    listed = "{{files: [{{file: {0}autumn.csv, label: autumn}}, {{file: {0}spring.parquet, label: spring}}], question: season}}"
    here = otter.run(plan_of(folder, listed.format("")))
    there = otter.run(plan_of(folder, listed.format("shelf:///waves/")))
    assert tables_of(there, folder) == tables_of(here, folder)
    assert there.source.each[0].fingerprint and there.source.each[1].version


def test_commands_that_take_data_take_an_address(
    folder: Path, run: Run, monkeypatch: pytest.MonkeyPatch, tmp_path_factory: pytest.TempPathFactory
) -> None:
    monkeypatch.chdir(tmp_path_factory.mktemp("here"))
    code, _, told = run("draft", CSV)
    assert code == 0, told
    assert CSV in Path("plan.yaml").read_text(encoding="utf-8")
    assert otter.run("plan.yaml").tables
    code, out, told = run("audit", "plan.yaml")
    assert "autumn.csv" in out + told
    code, out, told = run("look", "area", "--codebook", folder / "codebook.yaml", "--data", CSV)
    assert code == 0 and "autumn.csv" in out + told, told


def test_the_page_of_a_run_names_the_day_of_the_file(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Shelf, "told", {"LastModified": datetime(2026, 11, 2, 8, 30, tzinfo=UTC)})
    told: Any = otter.run(plan_of(folder, CSV)).source
    assert "file of 2026-11-02 08:30 UTC, SHA-256" in str(told)
