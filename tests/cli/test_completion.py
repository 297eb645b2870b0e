"""Help on the spot: names offered by the shell, and summaries of commands that are not cut."""

from __future__ import annotations

import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import click
import pytest

from eager_otter.cli import program
from eager_otter.cli.completing import SHELLS, VARIABLE
from eager_otter.cli.program import commands

Run = Callable[..., tuple[int, str, str]]


def offered(folder: Path, line: str) -> list[str]:
    """Ask as bash asks, of a line that ends where something is typed."""
    words = line.split(" ")
    process = subprocess.run(
        [sys.executable, "-m", "eager_otter"],
        cwd=folder,
        env={**os.environ, VARIABLE: "bash_complete", "COMP_WORDS": line, "COMP_CWORD": str(len(words) - 1)},
        capture_output=True,
        text=True,
        check=True,
    )
    assert not process.stderr
    return [answer.split(",", 1)[1] for answer in process.stdout.split()]


@pytest.mark.parametrize(
    ("line", "among", "not_among"),
    [
        ("eager-otter lo", ["look"], ["live", "run"]),
        ("eager-otter look hea", ["heard_of"], ["liking"]),
        ("eager-otter look rat", ["ratings", "ratings-side-by-side", "rating", "rating.tarn"], ["region"]),
        ("eager-otter look liking -b m", ["main", "minutes"], ["deep", "heard_of"]),
        ("eager-otter look liking --banner d", ["deep", "diet"], ["main"]),
        ("eager-otter look liking --se", ["--set"], ["--notes"]),
        ("eager-otter run --only rea", ["reasons-by-brand"], ["region", "rating.tarn"]),
        ("eager-otter explain li", ["liking"], ["heard_of"]),
        ("eager-otter questions spe", ["spend", "spend_band"], ["liking"]),
        ("eager-otter chart ratings-s", ["ratings-side-by-side"], ["ratings"]),
        ("eager-otter look -p shapes.yaml rest", ["rest-and-control"], ["reasons-by-brand"]),
        ("eager-otter look --codebook codebook.yaml hea", ["heard_of"], ["ratings"]),
        ("eager-otter look -p nowhere.yaml hea", [], ["heard_of"]),
    ],
)  # fmt: skip
@pytest.mark.slow
def test_names_of_the_plan_are_offered(demo: Path, line: str, among: list[str], not_among: list[str]) -> None:
    found = offered(demo, line)
    assert set(among) <= set(found) and not set(not_among) & set(found), found
    typed = line.rsplit(" ", 1)[1]
    assert all(name.startswith(typed) for name in found)


def test_a_plan_full_of_mistakes_offers_what_it_names_and_no_error(write: Callable[[str, str], Path]) -> None:
    plan = write(
        "plan.yaml", "codebook: book.yaml\ntables: [heard, {question: 3}, [x], {grid: }]\nbanners: 7\n"
    )
    assert offered(plan.parent, "eager-otter look he") == ["heard"]
    write("book.yaml", "include: [nowhere.yaml]\nquestions: {hears: {items: {a: 1}}, hears2: 3}\n")
    assert offered(plan.parent, "eager-otter look he") == ["heard", "hears", "hears.a", "hears2"]
    assert offered(plan.parent, "eager-otter look heard -b h") == ["hears", "hears.a", "hears2"]
    write("plan.yaml", "tables: [")
    assert offered(plan.parent, "eager-otter look he") == []


@pytest.mark.parametrize("shell", SHELLS)
def test_the_lines_for_a_shell_name_the_program(run: Run, shell: str) -> None:
    code, out, _ = run("completion", shell)
    assert code == 0 and f"{VARIABLE}={shell}_complete" in out and "eager-otter" in out
    if shell == "bash":
        subprocess.run(["bash", "-n"], input=out, text=True, check=True)


def test_summaries_of_commands_are_whole_at_eighty_columns(run: Run, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("COLUMNS", "80")
    code, out, _ = run("--help")
    assert code == 0
    listed = out.split("Commands:")[1]
    context = click.Context(commands)
    names = commands.list_commands(context)
    for name in names:
        command = commands.get_command(context, name)
        assert command is not None
        assert command.short_help is not None and command.short_help.endswith(".")
        assert f"{name.ljust(12)}{command.short_help}\n" in listed, name  # whole, on its line
    assert names[:3] == ["demo", "draft", "audit"] and listed.index("draft") < listed.index("audit")


def test_every_module_of_a_command_is_listed_and_a_command_loads_no_other(demo: Path) -> None:
    folder = Path(str(program.__file__)).parent / "commands"
    assert sorted(program.COMMANDS) == sorted(path.stem for path in folder.glob("[a-z]*.py"))
    script = "import sys\nfrom eager_otter.cli.main import main\ntry: main(['run', '--list'])\nexcept SystemExit: pass\n"
    script += "print(*[name for name in sys.modules if name.startswith('eager_otter.cli.commands.')])"
    done = subprocess.run(
        [sys.executable, "-c", script], cwd=demo, capture_output=True, text=True, check=True
    )
    assert done.stdout.splitlines()[-1] == "eager_otter.cli.commands.run"
