"""The prompt: one command after the other in one process, each as if it had been started alone."""

from __future__ import annotations

import io
import os
import re
import select
import shutil
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Self

import pytest

from eager_otter.cli.lines import arguments_of, offered_at_end
from eager_otter.cli.program import commands
from eager_otter.errors import RequestError
from eager_otter.gates import typed as typed_lines
from eager_otter.gates.typed import Offered

Run = Callable[..., tuple[int, str, str]]
ROOT = Path(__file__).parents[2]


@pytest.fixture
def own(demo: Path, tmp_path: Path) -> Path:
    """Copy the demo into a folder that a test may change."""
    for path in demo.glob("*.*"):
        shutil.copy(path, tmp_path / path.name)
    return tmp_path


@pytest.fixture
def typed(run: Run, monkeypatch: pytest.MonkeyPatch) -> Callable[..., tuple[int, str, str]]:
    """Give lines on stdin to the prompt; between two of them something may be done."""

    def give(
        *lines: str | Callable[[], object], cwd: Path, options: tuple[str, ...] = ()
    ) -> tuple[int, str, str]:
        monkeypatch.setattr(sys, "stdin", _Lines(lines))
        return run("prompt", *options, cwd=cwd)

    return give


@pytest.fixture
def opened(monkeypatch: pytest.MonkeyPatch) -> list[object]:
    """What data were opened for, in order."""
    from eager_otter.report import opening

    found: list[object] = []
    real = opening.open_responses
    monkeypatch.setattr(
        opening, "open_responses", lambda *given, **named: (found.append(given), real(*given, **named))[1]
    )
    return found


def change(path: Path, old: str, new: str) -> Callable[[], object]:
    """Write a file in which something else stands, when that is called."""

    def do() -> None:
        text = path.read_text(encoding="utf-8")
        assert old in text
        path.write_text(text.replace(old, new), encoding="utf-8")

    return do


def shorten(path: Path, rows: int) -> None:
    """Keep the headings and so many rows of a file."""
    lines = path.read_text(encoding="utf-8").splitlines(keepends=True)
    path.write_text("".join(lines[: rows + 1]), encoding="utf-8")


class _Lines:
    """Stdin that nobody types, which does something between its lines."""

    def __init__(self, lines: tuple[str | Callable[[], object], ...]) -> None:
        self.lines = lines

    def isatty(self) -> bool:
        return False

    def __iter__(self) -> Iterator[str]:
        for line in self.lines:
            if isinstance(line, str):
                yield line + "\n"
            else:
                line()


LOOKS = [
    "look heard_of -b region",
    "look liking",
    "look heard_of -b wave --filter 'age >= 35'",
    "look liking -b deep --weight none",
    "look rating.tarn --set base=all",
    "look heard_of -b region --no-filter",
    "look --banner main",
    "questions spe",
    "explain liking Mean A",
    "look liking -p shapes.yaml",
    "look heard_of -b region",
    "look heard_of -b region --language de",
    "look heard_of -b region",
]


def test_each_line_answers_as_the_command_alone(run: Run, typed: Run, demo: Path) -> None:
    alone = [run(*arguments_of(line), cwd=demo) for line in LOOKS]
    assert all(code == 0 for code, _, _ in alone)
    code, out, err = typed(*LOOKS, cwd=demo)
    assert code == 0
    assert out == "".join(out for _, out, _ in alone)
    assert err == "".join(err for _, _, err in alone)
    assert typed(*LOOKS[::-1], cwd=demo)[1] == "".join(out for _, out, _ in alone[::-1])


def test_what_is_saved_between_two_lines_shows_in_the_second(run: Run, typed: Run, own: Path) -> None:
    plan, book, data = (own / name for name in ("plan.yaml", "codebook.yaml", "responses.csv"))

    look = "heard_of -b region"
    changes = [
        change(plan, 'filter: status == "complete"', 'filter: status == "complete" and age >= 50'),
        change(book, "Pebblecourt", "Pebblebrook"),
        change(book, "respondent: rid\n", ""),
        lambda: shorten(data, 1000),
        change(plan, "codebook: codebook.yaml", "codebook: nowhere.yaml"),
        change(plan, "codebook: nowhere.yaml", "codebook: codebook.yaml"),
    ]
    lines: list[str | Callable[[], object]] = [look]
    for do in changes:
        lines += [do, look]
    code, together, _ = typed(*lines, cwd=own)
    assert code == 2  # of the codebook that is nowhere

    outputs = together.split("Which of these brands")[1:]
    assert (
        len(outputs) == 6 and len({*outputs}) == 4
    )  # without ids, and after the mistake, it is the one before
    assert "Pebblecourt" in outputs[1] and "Pebblebrook" in outputs[2]
    assert outputs[5] == run(*arguments_of(look), cwd=own)[1].split("Which of these brands")[1]


def test_data_are_read_once_for_looks_at_the_same_file(typed: Run, demo: Path, opened: list[object]) -> None:
    assert (
        typed("heard_of -b region", "liking", "heard_of --no-filter", "liking --weight none", cwd=demo)[0]
        == 0
    )
    assert len(opened) == 1


def test_waves_are_read_once_until_something_of_them_changes(
    run: Run, typed: Run, tmp_path: Path, opened: list[object]
) -> None:
    for path in (ROOT / "examples" / "tracker").glob("*.*"):
        shutil.copy(path, tmp_path / path.name)
    data, plan, book = (tmp_path / name for name in ("2026-spring.csv", "plan.yaml", "2025-spring.yaml"))

    assert typed("key", "key -b rolling", "key --set digits=2", cwd=tmp_path)[0] == 0
    assert len(opened) == 1
    changes = [
        lambda: shorten(data, 200),
        change(plan, "label: Spring 2025", "label: Early in 2025"),
        change(book, "title:", "title: Once more,"),
        data.touch,
    ]
    lines: list[str | Callable[[], object]] = ["key"]
    for do in changes:
        lines += [do, "key"]
    opened.clear()
    code, out, err = typed(*lines, cwd=tmp_path)
    assert code == 0, err
    assert len(opened) == 4  # a file that was touched only holds what it held
    tables = out.split("Key figures")[1:]
    assert tables[0] != tables[1] != tables[2] == tables[3] == tables[4]
    assert tables[4] == run("look", "key", cwd=tmp_path)[1].split("Key figures")[1]


def test_mistakes_name_their_line_and_the_rest_goes_on(typed: Run, demo: Path) -> None:
    code, out, err = typed(
        "# two looks",
        "",
        "heard_off",
        "liking --filter 'age",
        "heard_of | less",
        "rnu --list",
        "liking",
        cwd=demo,
    )
    assert code == 2 and out.startswith("How do you like the idea of this drink?")
    told = err.splitlines()
    assert told[:6] == [
        "Error: No question or table 'heard_off'. Did you mean 'heard_of'?",
        "Line 3 ended with exit code 2: heard_off",
        "Error: A quote is opened and not closed. Close it, or put the other kind around what holds it.",
        "Line 4 ended with exit code 2: liking --filter 'age",
        "Error: | does nothing here, as this is no shell. Quote what it belongs to, as in --filter 'age >= 35'; "
        "-o FILE writes to a file.",
        "Line 5 ended with exit code 2: heard_of | less",
    ]
    assert "Line 6" in err and "Line 7" not in err


def test_the_exit_code_is_the_highest_of_the_lines(typed: Run, demo: Path) -> None:
    assert typed("audit spoiled/plan.yaml", "liking", cwd=demo)[0] == 1
    assert typed("audit spoiled/plan.yaml", "liking", "exit", "heard_off", cwd=demo)[0] == 1
    assert typed(cwd=demo) == (0, "", "")
    code, _, err = typed("prompt", cwd=demo)
    assert code == 2 and err.startswith("Error: This is the prompt already; exit leaves it.\n")


def test_a_plan_named_once_is_that_of_all_lines(run: Run, typed: Run, demo: Path) -> None:
    named = ("-p", "shapes.yaml")
    shapes = run("look", "rest-and-control", *named, cwd=demo)[1]
    assert typed("rest-and-control", cwd=demo)[0] == 2
    assert typed("rest-and-control", cwd=demo, options=named)[:2] == (0, shapes)
    usual = run("look", "liking")[1]
    assert typed("liking -p plan.yaml", cwd=demo, options=named)[:2] == (0, usual)
    bare = "heard_of -b region --codebook codebook.yaml --data responses.csv"
    assert typed(bare, cwd=demo, options=named)[:2] == (0, run("look", *bare.split())[1])
    assert typed("words", cwd=demo, options=named)[:2] == (0, run("words")[1])
    assert typed("run --list", cwd=demo, options=named)[1] == run("run", "shapes.yaml", "--list")[1]


@pytest.mark.parametrize(
    ("line", "arguments"),
    [
        ("heard_of -b region", ["look", "heard_of", "-b", "region"]),
        ("eager-otter run --list  # all of them", ["run", "--list"]),
        ("'User type' --set hide='[None of these]'", ["look", "User type", "--set", "hide=[None of these]"]),
        ("look run", ["look", "run"]),
        ("? look", ["look", "--help"]),
        ("help", ["--help"]),
        ("--version", ["--version"]),
        ("liking --filter 'age > 35 | age < 20'", ["look", "liking", "--filter", "age > 35 | age < 20"]),
        ("   ", []),
        ("# look", []),
        ("eager-otter", []),
    ],
)
def test_a_line_is_what_stands_behind_the_name_in_a_shell(line: str, arguments: list[str]) -> None:
    assert arguments_of(line) == arguments


@pytest.mark.parametrize("sign", ["|", ">", ">>", "<", "&&", ";"])
def test_signs_of_a_shell_are_refused_where_they_stand_alone(sign: str) -> None:
    with pytest.raises(RequestError, match="this is no shell"):
        arguments_of(f"heard_of {sign} x")
    assert arguments_of(f'heard_of --filter "a {sign} b"')[-1] == f"a {sign} b"


@pytest.mark.parametrize(
    ("line", "among", "not_among"),
    [
        ("hea", ["heard_of"], ["liking"]),
        ("l", ["liking", "look", "live"], ["heard_of"]),
        ("", ["heard_of", "run"], []),
        ("heard_of -b ", ["main", "region"], ["heard_off"]),
        ("heard_of lik", ["liking"], ["heard_of"]),
        ("heard_of --no", ["--notes", "--no-filter"], ["--set"]),
        ("eager-otter explain li", ["liking"], ["heard_of"]),
        ("run --only rea", ["reasons-by-brand"], ["region"]),
        ("liking --filter 'ag", [], ["age"]),
        ("liking \\", [], ["liking"]),  # what is begun is no word yet
    ],
)
def test_names_are_offered_at_the_end_of_a_line(
    demo: Path, monkeypatch: pytest.MonkeyPatch, line: str, among: list[str], not_among: list[str]
) -> None:
    monkeypatch.chdir(demo)
    offered = offered_at_end(line, commands, {})
    assert set(among) <= set(offered.texts) and not set(not_among) & set(offered.texts), offered
    begun = line.rsplit(" ", 1)[-1]
    assert all(text.startswith(begun) for text in offered.texts) and offered.length in (0, len(begun))


def test_tables_of_the_plan_named_once_and_files_are_offered(
    demo: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(demo)
    of_shapes = {"look": {"plan_path": Path("shapes.yaml")}}
    assert "rest-and-control" in offered_at_end("rest", commands, of_shapes).texts
    assert "rest-and-control" not in offered_at_end("rest", commands, {}).texts
    assert offered_at_end("liking --data resp", commands, {}) == Offered((), len("resp"), files=True)


READY = "\x1b[?2004h"  # what a terminal is told when a line may be pasted
# A word may be drawn in pieces, with such codes between them.
DRAWING = re.compile(rb"\x1b\[(?!\?2004h)[0-9;?]*[A-Za-z]")


class _Screen:
    """A person at a terminal, whose results go to a file of their own."""

    def __init__(self, folder: Path, results: Path, **more: str) -> None:
        self.terminal, inner = os.openpty()
        self.results, self.seen = results, b""
        environment = {**os.environ, "TERM": "xterm", "PROMPT_TOOLKIT_NO_CPR": "1", "COLUMNS": "120"}
        environment |= more
        with results.open("wb") as stdout:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "eager_otter", "prompt"],
                cwd=folder, env=environment, stdin=inner, stdout=stdout, stderr=inner, start_new_session=True,
            )  # fmt: skip
        os.close(inner)

    def until(self, text: str, seconds: float = 60) -> str:
        """Read the screen until a text stands there; what stands behind it is for the next time."""
        end = time.monotonic() + seconds
        while text.encode() not in self.seen:
            assert time.monotonic() < end, self.seen
            self._see()
        before, found, self.seen = self.seen.partition(text.encode())
        return (before + found).decode(errors="replace")

    def _see(self) -> None:
        if select.select([self.terminal], [], [], 0.1)[0]:
            self.seen = DRAWING.sub(b"", self.seen + os.read(self.terminal, 65_536))

    def type(self, keys: str) -> None:
        for key in re.findall(r"\x1b..|.", keys, re.DOTALL):  # one after the other, as fingers do
            os.write(self.terminal, key.encode())
            time.sleep(0.02)

    def left(self, seconds: float = 60) -> int:
        """Read on until the program has ended, and return its exit code."""
        end = time.monotonic() + seconds
        while self.process.poll() is None and time.monotonic() < end:
            with suppress(OSError):  # the terminal goes with the process
                self._see()
        return self.process.wait(0)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *ended: object) -> None:
        self.process.kill()
        self.process.wait()
        os.close(self.terminal)


@pytest.mark.slow
@pytest.mark.skipif(sys.platform == "win32", reason="there are no such terminals")
def test_a_person_completes_stops_and_leaves(run: Run, demo: Path, tmp_path: Path) -> None:
    with _Screen(demo, tmp_path / "results.txt") as screen:
        greeting = screen.until("exit leaves.")
        assert "plan.yaml: 76 tables, 3 banners (main, deep, brands)" in greeting
        screen.until(READY)
        screen.type("hear\t")
        screen.until("heard_of")
        screen.type(" -b reg\t")
        screen.until("region")
        screen.type("\r")
        screen.until("SHA-256")
        screen.until(READY)
        screen.type("no such line\x03")  # Ctrl-C: it is gone
        screen.until(READY)
        screen.type("heard_off\r")
        screen.until("Did you mean 'heard_of'?")
        screen.until(READY)
        screen.type("\x1b[A\x7f\r")  # the line before, without its last letter
        screen.until("SHA-256")
        screen.until(READY)
        screen.type("\x04")
        assert screen.left() == 0
    looks = [run("look", "heard_of", *more, cwd=demo)[1] for more in (("-b", "region"), ())]
    assert (tmp_path / "results.txt").read_text(encoding="utf-8") == "".join(looks)


@pytest.mark.slow
@pytest.mark.skipif(sys.platform == "win32", reason="there are no such terminals")
def test_lines_of_the_last_time_come_back(run: Run, demo: Path, tmp_path: Path) -> None:
    cache = tmp_path / "kept"
    told = ("cache", "--cache", cache)
    for keys in ("words\r", "\x1b[A\r"):  # the second time: the line before
        with _Screen(demo, tmp_path / "results.txt", EAGER_OTTER_CACHE=str(cache)) as screen:
            screen.until("exit leaves.")
            screen.until(READY)
            screen.type(keys)
            screen.until("words")
            screen.until(READY)
            screen.type("\x04")
            assert screen.left() == 0
        assert (tmp_path / "results.txt").read_text(encoding="utf-8") == run("words", cwd=demo)[1]
    assert (cache / "typed").stat().st_mode & 0o077 == 0
    assert "lines typed at the prompt" in run(*told)[1]
    assert run(*told, "--empty")[1].startswith("Taken away")
    assert not cache.exists()


def test_a_long_file_of_lines_keeps_the_last(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(typed_lines, "MOST_OF_LINES", 400)
    path = tmp_path / "typed"
    path.write_text(
        "".join(f"\n# 2026-11-29 10:{k:02}:00\n+look number {k}\n" for k in range(20)), encoding="utf-8"
    )
    whole = path.read_text(encoding="utf-8")
    assert typed_lines._shortened(path) == path
    kept = path.read_text(encoding="utf-8")
    assert whole.endswith(kept) and kept.startswith("\n# ") and 100 < len(kept) <= 200
    typed_lines._shortened(path)
    assert path.read_text(encoding="utf-8") == kept


@pytest.mark.parametrize("command", [["questions"], ["look", "rat*"], ["prompt"]])
@pytest.mark.skipif(sys.platform == "win32", reason="there are no such pipes")
def test_a_command_ends_quietly_where_nobody_reads_any_more(demo: Path, command: list[str]) -> None:
    reading, writing = os.pipe()
    os.close(reading)
    lines = "questions\nheard_off\n" if command == ["prompt"] else ""
    try:
        done = subprocess.run(
            [sys.executable, "-m", "eager_otter", *command],
            cwd=demo, input=lines, stdout=writing, stderr=subprocess.PIPE, text=True, check=False,
        )  # fmt: skip
    finally:
        os.close(writing)
    assert done.returncode == 0
    assert "fault" not in done.stderr and "heard_off" not in done.stderr


def test_lines_that_are_no_text_are_told(run: Run, demo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    stdin = io.TextIOWrapper(io.BytesIO(b"liking\nhe\xffard_of\n"), encoding="utf-8")
    monkeypatch.setattr(sys, "stdin", stdin)
    code, _, err = run("prompt", cwd=demo)
    assert code == 2 and "Error: the lines on the standard input: one is not text in utf-8." in err


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="no disk of which nothing is left")
def test_the_prompt_ends_where_nothing_can_be_shown_any_more(demo: Path) -> None:
    with Path("/dev/full").open("w") as full:
        done = subprocess.run(
            [sys.executable, "-m", "eager_otter", "prompt"],
            cwd=demo, input="questions\nheard_off\n", stdout=full, stderr=subprocess.PIPE, text=True, check=False,
        )  # fmt: skip
    assert done.returncode == 2 and "heard_off" not in done.stderr
    assert done.stderr.endswith("Error: What was to be shown cannot be written (No space left on device).\n")
