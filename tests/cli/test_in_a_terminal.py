"""A table in a terminal: its styles, its width, the pager; and the same lines wherever its view is laid out."""

from __future__ import annotations

import fcntl
import os
import pty
import re
import struct
import subprocess
import sys
import termios
from html import unescape
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from rich.cells import cell_len
from rich.console import Group

import eager_otter as otter
from eager_otter.gates.styled import StyledLine, StyledLines, line_of, lines_of, text_of_lines, wrapped
from eager_otter.gates.terminal import as_text, html_view
from eager_otter.report.terminal import table_view

LOOK = ("look", "heard_of", "-b", "region")
STYLE = re.compile(r"\x1b\[[0-9;]*m")
TEXTS = st.text(st.sampled_from("ab c—é水杯🫧\t\n\x1b\u202e"), max_size=60)
SETTINGS = ("COLUMNS", "FORCE_COLOR", "NO_COLOR", "PAGER", "LESS", "MANPAGER", "TTY_COMPATIBLE")


def in_terminal(*arguments: str, cwd: Path, columns: int = 100, **settings: str) -> str:
    """Run the command line in a terminal so many columns wide; return what it shows there."""
    ours, theirs = pty.openpty()
    fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", 40, columns, 0, 0))
    environment = {name: value for name, value in os.environ.items() if name not in SETTINGS}
    process = subprocess.Popen(
        [sys.executable, "-m", "eager_otter", *arguments],
        cwd=cwd, stdin=theirs, stdout=theirs, stderr=theirs, env=environment | {"TERM": "xterm"} | settings,
    )  # fmt: skip
    os.close(theirs)
    shown = b""
    while True:
        try:
            block = os.read(ours, 1 << 16)
        except OSError:  # the other end is closed
            break
        if not block:
            break
        shown += block
    os.close(ours)
    assert process.wait() == 0, shown.decode()
    return shown.decode().replace("\r\n", "\n")


def lines_in(text: str) -> list[str]:
    return [line.rstrip() for line in text.rstrip().splitlines()]


def test_titles_and_nets_are_bold_and_notes_dim_as_wide_as_the_terminal(demo: Path) -> None:
    shown = in_terminal(*LOOK, cwd=demo, columns=100)
    lines = STYLE.sub("", shown).splitlines()
    title = next(line for line in shown.splitlines() if "heard" in line)
    assert title.startswith("\x1b[1m") and title.endswith("\x1b[0m")
    assert any(line.startswith("\x1b[1mAny small brand") for line in shown.splitlines())
    assert any(line.startswith("\x1b[2m  Base: ") for line in shown.splitlines())
    assert 80 < max(map(len, lines)) <= 100
    narrow = STYLE.sub("", in_terminal(*LOOK, cwd=demo, columns=72)).splitlines()
    assert max(map(len, narrow)) <= 72 and len(narrow) > len(lines)


@pytest.mark.parametrize("settings", [{"TERM": "dumb"}, {"FORCE_COLOR": ""}])
def test_a_terminal_without_styles_gets_none(demo: Path, settings: dict[str, str]) -> None:
    shown = in_terminal(*LOOK, cwd=demo, **settings)
    assert "\x1b" not in shown and "Any small brand" in shown


def test_a_file_or_pipe_gets_styles_only_where_they_are_forced(demo: Path) -> None:
    def piped(**settings: str) -> str:
        environment = {name: value for name, value in os.environ.items() if name not in SETTINGS}
        done = subprocess.run(
            [sys.executable, "-m", "eager_otter", *LOOK],
            cwd=demo, env=environment | {"COLUMNS": "90"} | settings, capture_output=True, text=True, check=True,
        )  # fmt: skip
        return done.stdout

    plain, forced = piped(), piped(FORCE_COLOR="1")
    assert "\x1b" not in plain and "\x1b[1m" in forced and STYLE.sub("", forced) == plain
    assert 72 < max(map(len, plain.splitlines())) <= 90


def test_the_pager_gets_the_same_lines_with_styles(demo: Path) -> None:
    straight = in_terminal(*LOOK, cwd=demo)
    paged = in_terminal(*LOOK, "--pager", cwd=demo, PAGER="cat")
    assert lines_in(STYLE.sub("", paged)) == lines_in(STYLE.sub("", straight)) and "\x1b[1m" in paged


def test_rows_wider_than_the_terminal_stay_whole(demo: Path) -> None:
    shown = STYLE.sub("", in_terminal(*LOOK, cwd=demo, columns=20))
    row = next(line for line in shown.splitlines() if line.startswith("Mirrowell") and "ACD" in line)
    assert len(row) > 20


def test_a_look_loads_nothing_that_lays_out_panels(demo: Path) -> None:
    script = (
        "import sys, eager_otter.cli.main as entry\n"
        f"sys.argv = ['eager-otter', *{LOOK!r}]\n"
        "try: entry.main()\n"
        "except SystemExit: pass\n"
        "print(*sys.modules, file=sys.stderr)"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], cwd=demo, capture_output=True, text=True, check=True
    )
    loaded = set(done.stderr.split())
    assert "numpy" in loaded and not {"rich.console", "rich.table", "rich.text", "scipy.special"} & loaded


@given(TEXTS, st.integers(2, 30))
@example("a sparkling water", 11)
@example("水杯水杯", 3)
@example("水杯 水杯", 6)
@example("   ", 2)
def test_breaking_a_text_loses_nothing_but_blanks_and_keeps_to_the_width(text: str, width: int) -> None:
    lines = wrapped(text.replace("\n", " "), width)
    assert "".join("".join(lines).split()) == "".join(text.split())
    assert all(cell_len(line) <= width and line == line.rstrip() for line in lines)
    if cell_len(text) <= width and "\n" not in text:
        assert lines == [text.rstrip()]


@given(st.lists(st.tuples(TEXTS, st.sampled_from(["", "bold", "dim", "italic"]), st.integers(0, 3))), TEXTS)
def test_a_view_reads_the_same_within_a_view_that_is_laid_out(
    texts: list[tuple[str, str, int]], label: str
) -> None:
    lines = [line_of(text, style, indent=indent) for text, style, indent in texts]
    row = StyledLine(((label, "bold"), ("  n  ", "dim"), ("12 A", "")))
    view = lines_of(*lines, row)
    assert isinstance(view, StyledLines)
    alone = text_of_lines(view, 60)
    assert as_text(Group(view), 60).splitlines() == alone.splitlines()
    assert "\x1b" not in alone and "\u202e" not in alone
    assert all(cell_len(line) <= 60 for line in alone.splitlines()[: -len(row.pieces)])


def test_a_table_within_a_notebook_keeps_its_styles_and_its_rows(survey: otter.Survey) -> None:
    table = survey.table("heard_of", banner="region")
    view = table_view(table, 200)
    html = html_view(view, 60)
    assert "font-weight: bold" in html
    shown = unescape(re.sub("<[^>]*>", "", html)).splitlines()
    rows = [line for line in text_of_lines(view, 200).splitlines() if line.startswith(("Tarn ", "Base "))]
    assert len(rows) > 2 and max(map(len, rows)) > 60 and set(rows) <= set(shown)
