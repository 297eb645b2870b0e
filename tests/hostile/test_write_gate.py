"""What is written: whole or untouched, never over what is read, over other people's files only with --force."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import openpyxl
import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.data.triple_s_definition import read_definition
from eager_otter.gates.ours import CSV_HEADS
from eager_otter.gates.outputs import is_ours
from eager_otter.gates.writing import HOST, new_folder, write_each, written_beside
from eager_otter.report import findings_view, tidy
from hostile.trials import checked, contents, run_in, write_survey

Writing = tuple[list[str], str]  # a command, and the file of its that is tried
WRITERS: dict[str, Writing] = {
    "run": (["run", "-o", "out.csv"], "out.csv"),
    "run to a workbook": (["run", "-o", "out.xlsx"], "out.xlsx"),
    "chart": (["chart", "liking"], "liking.png"),
    "export": (["export", "out.csv"], "out.csv"),
    "export triple-s": (["export", "out.xml"], "out.xml"),
    "export triple-s data": (["export", "out.xml"], "out.csv"),
    "weigh": (["weigh", "targets.yaml", "-o", "out.csv"], "out.csv"),
    "weigh beside the data": (["weigh", "targets.yaml"], "data-weighted.csv"),
    "weigh, report": (["weigh", "targets.yaml", "--report", "out.csv"], "out.csv"),
    "weigh, picture": (["weigh", "targets.yaml", "--picture", "out.png"], "out.png"),
    "texts": (["texts", "words", "--to", "out.xlsx"], "out.xlsx"),
    "explain": (["explain", "liking", "Good", "North", "--records", "out.csv"], "out.csv"),
    "findings": (["findings", "-o", "out.json"], "out.json"),
    "findings with a manifest": (["findings", "-o", "out.csv", "--manifest"], "manifest.json"),
}


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    return write_survey(tmp_path)


@pytest.mark.parametrize("name", WRITERS)
def test_a_file_of_somebody_else_is_replaced_only_with_force(folder: Path, name: str) -> None:
    command, target = WRITERS[name]
    (folder / target).write_text("an open answer about eager-otter 0.1.0\n", encoding="utf-8")
    found = checked(folder, command, may_write=False)
    assert found.code == 2 and f"{target}: is there already and " in found.err and "overwritten" in found.err
    found = run_in(folder, *command, "--force")
    assert found.code == 0 and "an open answer" not in (folder / target).read_bytes().decode("latin-1")


@pytest.mark.parametrize("name", WRITERS)
def test_what_is_read_is_never_written_whatever_is_said(folder: Path, name: str) -> None:
    command, target = WRITERS[name]
    (folder / "data.csv").rename(folder / "here.csv")
    kept = (folder / "here.csv").read_bytes()
    (folder / target).unlink(missing_ok=True)
    (folder / target).symlink_to("here.csv")  # whatever it is called, it is the data
    for yaml in ("plan.yaml", "targets.yaml"):
        text = (folder / yaml).read_text(encoding="utf-8").replace("data.csv", "here.csv")
        (folder / yaml).write_text(text, encoding="utf-8")
    if target == "data-weighted.csv":
        command = [*command, "-o", target]
    before = contents(folder)
    found = run_in(folder, *command, "--force")
    assert found.code == 2 and "is read by this command and cannot be written by it" in found.err, found
    assert contents(folder) == before and (folder / "here.csv").read_bytes() == kept


def test_the_plan_of_a_codebook_and_what_it_includes_are_read_too(folder: Path) -> None:
    (folder / "codebook.yaml").rename(folder / "book.csv")
    (folder / "plan.yaml").write_text(
        (folder / "plan.yaml").read_text(encoding="utf-8").replace("codebook.yaml", "book.csv"),
        encoding="utf-8",
    )
    for target in ("book.csv", "data.csv"):
        found = checked(folder, ["run", "-o", target, "--force"], may_write=False)
        assert found.code == 2 and f"{target}: is read by this command" in found.err
    found = checked(folder, ["run", "-o", "data.csv/../data.csv", "--force"], may_write=False)
    assert found.code == 2
    found = checked(folder, ["export", "data.xml", "--force"], may_write=False)  # its data would be data.csv
    assert found.code == 2 and "data.csv: is read by this command" in found.err


def test_the_same_file_twice_is_refused_before_work_begins(folder: Path) -> None:
    (folder / "also.csv").symlink_to("t.csv")
    for twice in (["t.csv", "./t.csv"], ["t.csv", "also.csv"]):
        command = ["run", *(word for name in twice for word in ("-o", name))]
        found = checked(folder, command, may_write=False)
        assert found.code == 2 and "is named twice as a file to write" in found.err
    found = checked(folder, ["weigh", "targets.yaml", "-o", "w.csv", "--report", "w.csv"], may_write=False)
    assert found.code == 2 and "w.csv: is named twice" in found.err


@pytest.mark.parametrize(
    ("target", "message"),
    [
        ("nowhere/t.csv", "the folder nowhere is not there; make it first"),
        ("in.csv", "is a folder; a file is to be written there"),
        ("x" * 300 + ".csv", "cannot be written (File name too long)"),
        ("loop.csv", "cannot be written ("),
        ("pipe.csv", "is not a file that can be replaced"),
    ],
)
def test_places_that_no_file_can_have_are_told_before_work_begins(
    folder: Path, target: str, message: str
) -> None:
    (folder / "in.csv").mkdir()
    (folder / "loop.csv").symlink_to("loop.csv")
    os.mkfifo(folder / "pipe.csv")
    for command in (
        ["run", "-o", target],
        ["export", target],
        ["explain", "liking", "Good", "North", "--records", target],
    ):
        found = run_in(folder, *command, "--force")
        assert found.code == 2 and message in found.err, found
    assert not [name for name in contents(folder) if name.startswith((".otter", "nowhere"))]


def test_modes_and_links_are_kept(folder: Path) -> None:
    (folder / "real").mkdir()
    (folder / "tables.csv").symlink_to("real/t.csv")
    assert run_in(folder, "run").code == 0
    assert (folder / "tables.csv").is_symlink() and (folder / "real/t.csv").is_file()
    (folder / "real/t.csv").chmod(0o640)
    assert run_in(folder, "run", "--filter", "area == 1").code == 0
    assert (folder / "real/t.csv").stat().st_mode & 0o777 == 0o640
    os.link(folder / "real/t.csv", folder / "other-name.csv")
    found = checked(folder, ["run"], may_write=False)
    assert found.code == 2 and "is one of 2 names of the same file (hard links)" in found.err
    assert run_in(folder, "run", "--force").code == 0
    assert (folder / "other-name.csv").read_bytes() != (folder / "real/t.csv").read_bytes()


@pytest.mark.parametrize(
    "name",
    [
        "t.xlsx",
        "t.html",
        "t.pdf",
        "t.pptx",
        "t.csv",
        "t.parquet",
        "t.json",
        "t.md",
        "t.txt",
        "t.png",
        "t.svg",
    ],
)
@pytest.mark.slow
def test_ours_is_told_by_its_mark_also_in_german(demo: Path, tmp_path: Path, name: str) -> None:
    plan = otter.read_plan(demo / "plan.yaml")
    from eager_otter.plan.reading import in_language, only_tables

    report = otter.run(in_language(only_tables(plan, ["liking"]), "de"))
    path = tmp_path / name
    report.chart("liking", path) if name.endswith(("png", "svg")) else report.save(path)
    assert is_ours(path)
    report.chart("liking", path) if name.endswith(("png", "svg")) else report.save(path)  # again, unasked


def test_what_only_speaks_of_us_is_not_ours(tmp_path: Path) -> None:
    word = "Data: x; made with eager-otter 0.1.0"
    frame = pd.DataFrame({"words": [word] * 5, "provenance": [word] * 5, "maker": ["eager-otter 0.1.0"] * 5})
    frame.to_csv(tmp_path / "t.csv", index=False)
    frame.to_parquet(tmp_path / "t.parquet")
    frame.to_json(tmp_path / "t.json", orient="records")
    frame.to_html(tmp_path / "t.html")
    book = openpyxl.Workbook()
    book.active.append([word])
    book.properties.title = word
    book.save(tmp_path / "t.xlsx")
    (tmp_path / "t.md").write_text(f"# {word}\n\nMore below.\n", encoding="utf-8")
    (tmp_path / "t.pdf").write_bytes(f"%PDF-1.4\n% {word}\n%%EOF\n".encode())
    (tmp_path / "u.json").write_text(json.dumps({"note": {"maker": "eager-otter 0.1.0"}}), encoding="utf-8")
    (tmp_path / "t.svg").write_text(f"<svg><text>{word}</text></svg>", encoding="utf-8")
    (tmp_path / "t.yaml").write_text(f"# {word}\n", encoding="utf-8")
    for path in tmp_path.iterdir():
        assert not is_ours(path), path.name


def test_the_heads_of_our_csv_files_are_those_that_are_written() -> None:
    assert ",".join(tidy.COLUMNS).encode() == CSV_HEADS[0]
    assert ",".join(findings_view.FIELDS).encode() == CSV_HEADS[2]


def test_several_files_appear_together_or_not_at_all(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    places = [tmp_path / name for name in ("a.xml", "b.csv", "c.csv")]
    for place in places[:2]:
        place.write_text("old", encoding="utf-8")
    real = Path.replace

    def stops(self: Path, target: Path) -> Path:
        if Path(target).name == "c.csv":
            raise OSError(28, "No space left on device")
        return real(self, target)

    monkeypatch.setattr(Path, "replace", stops)
    message = r"a\.xml.*c\.csv: cannot be written \(No space left"
    with pytest.raises(otter.FileProblem, match=message), written_beside(places, force=True) as parts:
        for part in parts:
            part.write_text("new", encoding="utf-8")
    assert {path.name: path.read_text(encoding="utf-8") for path in tmp_path.iterdir()} == {
        "a.xml": "old",
        "b.csv": "old",
    }


def test_a_folder_that_was_made_goes_when_nothing_came_of_it(tmp_path: Path) -> None:
    with pytest.raises(RuntimeError), new_folder(tmp_path / "a" / "b"):
        raise RuntimeError
    assert not (tmp_path / "a").exists()
    (tmp_path / "file").write_text("", encoding="utf-8")
    with (
        pytest.raises(otter.FileProblem, match="the folder cannot be made"),
        new_folder(tmp_path / "file" / "b"),
    ):
        raise AssertionError


def limited(folder: Path, command: list[str], size: int) -> subprocess.CompletedProcess[str]:
    """Run a command where no file may be larger than `size`, as on a full disk."""
    script = (
        "import resource, signal, sys; signal.signal(signal.SIGXFSZ, signal.SIG_IGN);"
        f"resource.setrlimit(resource.RLIMIT_FSIZE, ({size}, {size}));"
        f"from eager_otter.cli.main import main; main({command!r})"
    )
    return subprocess.run(
        [sys.executable, "-c", script], cwd=folder, capture_output=True, text=True, check=False, timeout=120
    )


@pytest.mark.parametrize(
    ("command", "targets"),
    [
        (["run", "-o", "t.xlsx"], ["t.xlsx"]),
        (["run", "-o", "t.pptx"], ["t.pptx"]),
        (["run", "-o", "t.pdf"], ["t.pdf"]),
        (["run", "-o", "t.html"], ["t.html"]),
        (["run", "-o", "t.parquet"], ["t.parquet"]),
        (["export", "e.xml"], ["e.xml", "e.csv"]),
        (["chart", "liking"], ["liking.png"]),
        (["draft", "data.csv", "--into", "new"], ["new/codebook.yaml"]),
        (["demo", "there"], ["there/plan.yaml"]),
        (["weigh", "targets.yaml", "-o", "w.csv"], ["w.csv"]),
        (["texts", "words", "--to", "t.xlsx"], ["t.xlsx"]),
    ],
)
@pytest.mark.slow
def test_a_full_disk_is_one_clear_message(folder: Path, command: list[str], targets: list[str]) -> None:
    before = contents(folder)
    found = limited(folder, command, 600)
    assert found.returncode == 2 and "Traceback" not in found.stderr, found.stderr
    for target in targets:
        assert target in found.stderr.replace("\n", "")
    assert "cannot be written (File too large)" in found.stderr
    assert contents(folder) == before and not (folder / "new").exists() and not (folder / "there").exists()


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can become somebody who may not write here")
def test_a_folder_that_may_not_be_written_is_told_before_work_begins(folder: Path) -> None:
    script = (
        "import os, sys; from pathlib import Path;"
        "from eager_otter.gates.writing import check_targets; from eager_otter.errors import FileProblem;"
        "os.setuid(65534)\n"
        "try: check_targets([Path('/etc/tables.csv')], force=True)\n"
        "except FileProblem as error: print(error)"
    )
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout == "/etc/tables.csv: nothing can be written into the folder /etc; name another.\n"


KILLED: dict[str, tuple[list[str], list[str]]] = {
    "run": (
        ["run", "-o", "t.csv", "-o", "t.xlsx", "-o", "t.html", "-o", "t.json"],
        ["t.csv", "t.xlsx", "t.html", "t.json"],
    ),
    "run, spelled out": (["run", "--spell-out", "s.yaml"], ["s.yaml"]),
    "compare": (["compare", "old.csv", "new.csv", "-o", "c.json"], ["c.json"]),
    "export": (["export", "e.xml", "--force"], ["e.xml", "e.csv"]),
    "chart": (["chart", "liking", "heard"], ["liking.png", "heard.png"]),
    "weigh": (["weigh", "targets.yaml", "-o", "w.csv", "--force"], ["w.csv"]),
    "texts": (["texts", "words", "--to", "x.xlsx", "--force"], ["x.xlsx"]),
    "findings": (["findings", "-o", "f.json", "--manifest"], ["f.json"]),
    "explain": (["explain", "liking", "Good", "North", "--records", "r.csv", "--force"], ["r.csv"]),
    "draft": (["draft", "data.csv", "--into", "d"], ["d/codebook.yaml", "d/plan.yaml"]),
    "demo": (["demo", "k", "--files-only"], ["k/plan.yaml", "k/responses.csv"]),
}
OTHERS = ["--filter", "area == 1"]


@pytest.mark.parametrize("name", KILLED)
@pytest.mark.parametrize("with_signal", [signal.SIGKILL, signal.SIGINT])
@pytest.mark.slow
def test_stopped_at_any_moment_every_output_is_whole_or_as_it_was(
    folder: Path, name: str, with_signal: signal.Signals
) -> None:
    command, targets = KILLED[name]
    for earlier, kept in (("old.csv", "area == 2"), ("new.csv", "liking >= 2")):
        assert run_in(folder, "run", "-o", earlier, "--filter", kept).code == 0
    filters = OTHERS if name in ("run", "export", "chart", "findings", "explain") else []
    states: dict[str, set[bytes | None]] = {target: {None} for target in targets}
    took = 1.0
    once = name in ("draft", "demo", "run, spelled out")  # never written over
    for more in [[]] if once else [filters, []]:
        began = time.monotonic()
        assert run_in(folder, *command, *more).code in (0, 1)
        took = time.monotonic() - began + 0.6
        for target in targets:
            states[target].add((folder / target).read_bytes())
            if once:
                (folder / target).unlink()
    draw = random.Random(f"{name}{with_signal}")
    for _ in range(4):
        with subprocess.Popen(
            [sys.executable, "-m", "eager_otter", *command, *filters],
            cwd=folder,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        ) as process:
            time.sleep(draw.uniform(0.3, 1.0) * took)
            process.send_signal(with_signal)
            _, err = process.communicate(timeout=60)
        assert "Traceback" not in err, err
        if with_signal is signal.SIGINT and process.returncode not in (0, 1, 2):
            # the path of what was written may have been told just before
            told = err.removesuffix("Stopped.\n")
            stopped = process.returncode == 130 and told != err and set(told.split()) <= set(targets)
            assert stopped or (process.returncode, err) == (-signal.SIGINT, ""), (process.returncode, err)
            assert not list(folder.rglob(".otter-*"))
        for target in targets:
            path = folder / target
            assert (path.read_bytes() if path.exists() else None) in states[target], target
    (folder / f".otter-{HOST}-999999999-1.part.csv").write_text("half", encoding="utf-8")  # of a killed run
    (folder / f".otter-{HOST}-{os.getpid()}-1.part.csv").write_text(
        "half", encoding="utf-8"
    )  # of one that runs
    (folder / ".otter-notes.txt").write_text("mine", encoding="utf-8")
    assert run_in(folder, "export", "last.csv").code == 0
    left = {path.name for path in folder.glob(".otter-*")}
    assert left == {f".otter-{HOST}-{os.getpid()}-1.part.csv", ".otter-notes.txt"}


@pytest.mark.slow
def test_two_runs_into_one_folder_at_once_leave_one_of_the_two(folder: Path) -> None:
    command = [sys.executable, "-m", "eager_otter", "run", "-o", "t.csv", "-o", "t.md"]
    whole: set[tuple[bytes, ...]] = set()
    for more in ([], OTHERS):
        assert subprocess.run([*command, *more], cwd=folder, capture_output=True, check=False).returncode == 0
        whole |= {((folder / "t.csv").read_bytes(),), ((folder / "t.md").read_bytes(),)}
    running = [
        subprocess.Popen([*command, *more], cwd=folder, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE)
        for more in ([], OTHERS, [], OTHERS)
    ]
    for process in running:
        assert process.communicate(timeout=120)[1] is not None and process.returncode == 0
    assert ((folder / "t.csv").read_bytes(),) in whole and ((folder / "t.md").read_bytes(),) in whole
    assert not list(folder.glob(".otter-*"))
    json.loads((folder / "manifest.json").read_text(encoding="utf-8"))


def test_a_definition_names_the_data_that_came_with_it(folder: Path) -> None:
    assert run_in(folder, "export", "e.xml").code == 0
    assert read_definition(folder / "e.xml").data == folder / "e.csv"


def test_what_one_cannot_write_the_others_do(tmp_path: Path) -> None:
    def fails(_: Path) -> None:
        raise otter.MissingPackage("not installed")

    def works(part: Path) -> None:
        part.write_text("whole", encoding="utf-8")

    named: list[tuple[Path, Callable[[Path], None]]] = [
        (tmp_path / "a.md", fails),
        (tmp_path / "b.md", works),
    ]
    written, problems = write_each(named, force=False)
    assert written == [tmp_path / "b.md"] and [str(one) for one in problems] == ["not installed"]


def test_a_copied_folder_gives_the_same_bytes_without_the_date(folder: Path, tmp_path: Path) -> None:
    made = []
    for when in (1_000_000_000, 1_700_000_000):
        os.utime(folder / "data.csv", (when, when))
        assert run_in(folder, "run", "-o", "t.html", "-o", "t.md", "--no-file-date").code == 0
        made.append(contents(folder))
    assert made[0] == made[1] and b"file of" not in (folder / "t.md").read_bytes()
    assert (
        run_in(folder, "run", "-o", "t.md").code == 0
        and b"file of 2023-11-14" in (folder / "t.md").read_bytes()
    )
    (folder / "plan.yaml").write_text(
        (folder / "plan.yaml").read_text() + "file date: false\n", encoding="utf-8"
    )
    assert run_in(folder, "run", "-o", "t.md").code == 0 and b"file of" not in (folder / "t.md").read_bytes()
