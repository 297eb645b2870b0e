"""What every hostile trial asserts, and a small survey to try commands on."""

from __future__ import annotations

import contextlib
import hashlib
import io
import os
import resource
import signal
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

from eager_otter.cli import main as entry

CODES = {0, 1, 2, 130}
SECONDS = 60
MANIFEST = "manifest.json"  # goes on with every report of a folder
WRITES_A_MANIFEST = {"run", "--manifest"}
MEMORY = 4 << 30  # bytes that a trial may add

BOOK = """\
title: Water
respondent: rid
weight: wt
questions:
  area: {kind: single, label: Area, answers: {1: North, 2: East}}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}
  heard: {kind: multi, columns: {h_1: Tarn, h_2: Brookfizz}, nets: [{label: Any, of: [1, 2]}]}
  glasses: {kind: number}
  words: {kind: text}
"""
PLAN = """\
data: data.csv
codebook: codebook.yaml
banners: {main: [area]}
tables: [liking, heard, {question: glasses, figures: [mean]}]
outputs: [tables.csv]
"""
TARGETS = """\
data: data.csv
codebook: codebook.yaml
targets: {area: {North: 50, East: 50}}
"""


def data_text(rows: int = 60) -> str:
    """Rows of the survey as CSV."""
    lines = ["rid,wt,area,liking,h_1,h_2,glasses,words"]
    lines += [
        f"{k},{1 + k % 3},{1 + k % 2},{1 + k % 3},{k % 2},{k % 3 % 2},{k % 7},{'fresh' if k % 4 else 'flat'}"
        for k in range(1, rows + 1)
    ]
    return "\n".join(lines) + "\n"


def write_survey(folder: Path, **texts: str) -> Path:
    """Write the small survey into a folder; `texts` replaces files by their stem."""
    usual = {"codebook": BOOK, "plan": PLAN, "targets": TARGETS, "data": data_text()}
    for stem, text in (usual | texts).items():
        ending = ".csv" if stem == "data" else ".yaml"
        (folder / f"{stem}{ending}").write_bytes(text.encode("utf-8", "surrogatepass"))
    return folder


@dataclass(frozen=True)
class Outcome:
    """How a command ended."""

    code: int
    out: str
    err: str


@contextmanager
def limits(seconds: int = SECONDS, memory: int = MEMORY) -> Iterator[None]:
    """Let a block take so long and so much, not more."""

    def too_long(*_: object) -> None:
        raise AssertionError(f"a trial took more than {seconds} seconds")

    before = signal.signal(signal.SIGALRM, too_long)
    old = resource.getrlimit(resource.RLIMIT_AS)
    now = int(Path("/proc/self/statm").read_text().split()[0]) * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (now + memory, old[1]))
    signal.alarm(seconds)
    try:
        yield
    finally:
        signal.alarm(0)
        resource.setrlimit(resource.RLIMIT_AS, old)
        signal.signal(signal.SIGALRM, before)


def run_in(folder: Path, *arguments: object, seconds: int = SECONDS) -> Outcome:
    """Run a command in this process and this folder, within limits."""
    out, err = io.TextIOWrapper(io.BytesIO(), "utf-8"), io.TextIOWrapper(io.BytesIO(), "utf-8")
    here = Path.cwd()
    os.chdir(folder)
    try:
        with limits(seconds), contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            try:
                entry.main([str(argument) for argument in arguments])
                code = -1
            except SystemExit as stopped:
                code = int(stopped.code or 0)
    finally:
        os.chdir(here)
    texts = []
    for stream in (out, err):
        if not stream.closed:
            stream.flush()
        texts.append(stream.buffer.getvalue().decode("utf-8") if not stream.closed else "")  # type: ignore[attr-defined]
    return Outcome(code, *texts)


def contents(folder: Path) -> dict[str, str]:
    """Digests of all files in a folder, by name."""
    return {
        str(path.relative_to(folder)): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.rglob("*"))
        if path.is_file()
    }


def checked(folder: Path, arguments: Sequence[object], *, may_write: bool = True) -> Outcome:
    """Run a command and assert what must hold of every one, whatever it is given; gives how it ended.

    `may_write` is False where the mistake is to be seen before any work begins.
    """
    before = contents(folder)
    found = run_in(folder, *arguments)
    after = contents(folder)
    told = found.err + found.out
    assert found.code in CODES, (found.code, told)
    assert "Traceback" not in told and "panicked" not in told, told
    for name, digest in before.items():
        if Path(name).name == MANIFEST and WRITES_A_MANIFEST & {str(argument) for argument in arguments}:
            continue
        assert after.get(name) == digest, f"{name} was changed or lost"
    left = [name for name in after if ".otter-" in name]
    assert not left, f"parts are left: {left}"
    for character in found.out + found.err:
        assert character in "\n\t" or (ord(character) >= 32 and not 0x7F <= ord(character) < 0xA0), told
    if found.code == 2:
        assert told.strip(), "exit 2 without a word"
        assert may_write or set(after) == set(before), "exit 2, and something was written"
    return found
