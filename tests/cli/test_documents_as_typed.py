"""Every command that the README and the documents show, as a stranger types it: in order, in the demo's folder."""

from __future__ import annotations

import re
import shlex
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

import eager_otter as otter

Run = Callable[..., tuple[int, str, str]]
ROOT = Path(__file__).parents[2]
EXITS = {"audit": {0, 1}, "compare": {0, 1}, "waves": {0, 1}}  # 1 where something is found, or differs


def shell_lines(document: Path) -> list[str]:
    """All lines of the shell blocks of a document, without their comments."""
    blocks = re.findall(r"```sh\n(.*?)```", document.read_text(encoding="utf-8"), re.DOTALL)
    return [
        line
        for block in blocks
        for line in (re.sub(r"\s+#.*", "", text).strip() for text in block.splitlines())
        if line
    ]


def commands(document: Path) -> list[list[str]]:
    """The command lines of a document, in words, up to anything that sends their output on."""
    lines = [line for line in shell_lines(document) if line.startswith("eager-otter ")]
    return [shlex.split(line.split(" > ")[0])[1:] for line in lines]


@pytest.fixture
def folder(demo: Path, tmp_path: Path, run: Run) -> Path:
    """The demo as `eager-otter demo` leaves it, with its report."""
    copied = shutil.copytree(demo, tmp_path / "otter-demo")
    assert run("run", "plan.yaml", cwd=copied)[0] == 0
    return copied


def typed(run: Run, folder: Path, words: list[str]) -> tuple[int, str, str]:
    code, out, err = run(*words, cwd=folder)
    allowed = EXITS.get(words[0], {0})
    assert code in allowed, f"eager-otter {' '.join(words)}\n{err}"
    assert "Traceback" not in err
    return code, out, err


@pytest.mark.slow
def test_the_readme_can_be_typed_from_top_to_bottom(run: Run, folder: Path) -> None:
    lines = commands(ROOT / "README.md")
    assert {words[0] for words in lines} >= {
        "questions",
        "audit",
        "look",
        "run",
        "draft",
        "explain",
        "findings",
        "compare",
    }
    for words in lines:
        typed(run, folder, words)
    assert (folder / "drafted" / "tables.xlsx").exists() and (folder / "under-80.csv").exists()


def test_the_example_of_waves_can_be_typed_from_top_to_bottom(run: Run, tmp_path: Path) -> None:
    tracker = Path(shutil.copytree(ROOT / "examples" / "tracker", tmp_path / "tracker"))
    lines = commands(tracker / "README.md")
    assert {words[0] for words in lines} == {"waves", "run", "look", "chart"}
    for words in lines:
        typed(run, tracker, words)
    assert (tracker / "tables.xlsx").exists() and (tracker / "key.png").exists()


def test_the_readme_enters_the_environment_before_it_names_the_command() -> None:
    lines = shell_lines(ROOT / "README.md")
    entered = lines.index(". .venv/bin/activate")
    first = next(k for k, line in enumerate(lines) if line.startswith("eager-otter "))
    assert entered < first
    assert [line for line in lines[:entered] if "eager-otter" in line] == [
        "python3 -m venv .venv && .venv/bin/pip install -e . && .venv/bin/eager-otter demo"
    ]


def test_every_picture_is_linked_from_the_readme() -> None:
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    assert 0 < len(pictures) < 20
    assert [picture.name for picture in pictures if f"docs/screenshots/{picture.name})" not in text] == []


@pytest.mark.parametrize("name", ["answers.md", "audit.md", "weights.md"])
@pytest.mark.slow
def test_the_commands_of_a_document_run(run: Run, folder: Path, name: str) -> None:
    lines = commands(ROOT / "docs" / name)
    assert lines
    for words in lines:
        typed(run, folder, words)


def test_the_codebook_that_the_document_shows_reads(tmp_path: Path) -> None:
    """The long example as it stands; shorter ones only name questions of their own."""
    text = (ROOT / "docs" / "codebook.md").read_text(encoding="utf-8")
    first = re.findall(r"```yaml\n(.*?)```", text, re.DOTALL)[0]
    (tmp_path / "book.yaml").write_text(first, encoding="utf-8")
    codebook = otter.read_codebook(tmp_path / "book.yaml")
    liking = codebook.question("liking")
    assert [answer.label for answer in liking.valid if not answer.scored] == ["Can't say"]
    assert set(codebook.question("age").missing.names) == {">= 120", "-9..-1", "refused"}


def test_what_the_changelog_promises_is_in_the_documents() -> None:
    """New words of a plan or codebook are explained where a reader looks for them."""
    wanted = {
        "codebook.md": ["score: none", "scale: best first", "everyone else", "300..9999"],
        "plan.md": [
            "complete answers",
            "by reason",
            "percent of answered",
            "percent interval",
            "--no-filter",
        ],
        "audit.md": ["--strict", "direction of a scale", "what otherwise takes in"],
        "figures.md": ["Newcombe", "Thin pairs", "What carries a letter or mark", "unanimous column"],
        "outputs.md": ["`part`", "`text`", "`question`"],
    }
    for name, words in wanted.items():
        text = (ROOT / "docs" / name).read_text(encoding="utf-8")
        assert [word for word in words if word not in text] == [], name
