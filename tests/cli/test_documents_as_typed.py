"""Every command that the README and the documents show, as a stranger types it: in order, in the demo's folder."""

from __future__ import annotations

import os
import re
import runpy
import shlex
import shutil
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

import openpyxl
import pandas as pd
import pytest
import yaml

import eager_otter as otter

Run = Callable[..., tuple[int, str, str]]
ROOT = Path(__file__).parents[2]
DOCS = ROOT / "docs"
KEPT_OF_THE_ENVIRONMENT = ("HOME", "LANG", "PIP_CONSTRAINT", "PIP_INDEX_URL", "PIP_CONFIG_FILE", "TMPDIR")
EXITS = {
    "audit": {0, 1},
    "compare": {0, 1},
    "waves": {0, 1},
    "draft": {0, 1},
}  # 1 where something is found, or differs


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


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo as `eager-otter demo` leaves it, with its report."""
    place = tmp_path_factory.mktemp("made")
    subprocess.run([sys.executable, "-m", "eager_otter", "demo", place / "otter-demo"], check=True)
    return place / "otter-demo"


@pytest.fixture
def folder(made: Path, tmp_path: Path) -> Path:
    return Path(shutil.copytree(made, tmp_path / "otter-demo"))


def typed(run: Run, folder: Path, words: list[str]) -> tuple[int, str, str]:
    arguments, read = (words[:-2], folder / words[-1]) if "<" in words else (words, Path(os.devnull))
    with read.open(encoding="utf-8") as lines, mock.patch.object(sys, "stdin", lines):
        code, out, err = run(*arguments, cwd=folder)
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


EXAMPLES = sorted(path.parent.name for path in (ROOT / "examples").glob("*/README.md"))
COMPUTED = ("a-million",)  # whose data are too large to lie there


def test_every_example_is_listed() -> None:
    text = (ROOT / "examples" / "README.md").read_text("utf-8")
    scripts = [path.name for path in (ROOT / "examples").iterdir() if path.suffix in (".py", ".ipynb")]
    assert EXAMPLES and [name for name in (*EXAMPLES, *scripts) if f"({name})" not in text] == []


@pytest.mark.parametrize("name", EXAMPLES)
@pytest.mark.slow
def test_an_example_can_be_typed_from_top_to_bottom(run: Run, tmp_path: Path, name: str) -> None:
    """Its data are those that are drawn anew, and its report is made."""
    folder = Path(shutil.copytree(ROOT / "examples" / name, tmp_path / name))
    drawn = {path.name: path.read_bytes() for path in folder.glob("*.csv")}
    assert bool(drawn) is (name not in COMPUTED)
    subprocess.run([sys.executable, "make_data.py"], cwd=folder, check=True)
    assert {path.name: path.read_bytes() for path in folder.glob("*.csv")} == drawn
    lines = commands(folder / "README.md")
    assert "run" in {words[0] for words in lines}
    for words in lines:
        typed(run, folder, words)
    assert (folder / "tables.xlsx").exists()


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


IN_THE_DEMO = (  # documents whose commands are typed in the folder of the demo
    "questions.md",
    "guide/answers.md",
    "guide/automation.md",
    "guide/banners.md",
    "guide/bases.md",
    "guide/checking.md",
    "guide/drafting.md",
    "guide/long.md",
    "guide/loop.md",
    "guide/questions.md",
    "guide/reports.md",
    "guide/rows.md",
    "guide/tests.md",
    "guide/weights.md",
    "reference/audit.md",
    "reference/codebook.md",
    "reference/data.md",
    "reference/outputs.md",
)
ELSEWHERE = ("start.md", "guide/waves.md")  # typed by tests of their own


def dictionary(folder: Path) -> None:
    """The labels that a client sends along."""
    labels = {"variable": ["liking"] * 2, "code": [1, 2], "label": ["Very poor", "Poor"]}
    pd.DataFrame(labels).to_excel(folder / "dictionary.xlsx", index=False)


def topics(folder: Path) -> None:
    """What a coder fills in."""
    book = openpyxl.load_workbook(folder / "to-code.xlsx")
    book["Topics"].append([1, "Taste"])
    book.save(folder / "to-code.xlsx")


def looks(folder: Path) -> None:
    """The lines of somebody's morning."""
    (folder / "looks.txt").write_text("heard_of -b region\nliking\n", encoding="utf-8")


BEFORE = {  # what people do before a line is typed
    "draft responses.csv --dictionary dictionary.xlsx --into labelled": dictionary,
    "prompt < looks.txt": looks,
    "texts likes_open --coded to-code.xlsx": topics,
}


def test_no_document_with_commands_is_forgotten() -> None:
    shown = {path.relative_to(DOCS).as_posix() for path in DOCS.rglob("*.md") if shell_lines(path)}
    assert shown == {*IN_THE_DEMO, *ELSEWHERE}


@pytest.mark.parametrize("name", IN_THE_DEMO)
@pytest.mark.slow
def test_the_commands_of_a_document_run(
    run: Run, folder: Path, name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("EAGER_OTTER_CACHE", str(folder / "kept"))
    lines = [words for words in commands(DOCS / name) if "--cluster" not in words]
    assert lines
    for words in lines:
        BEFORE.get(" ".join(words), lambda _: None)(folder)
        typed(run, folder, words)


def test_the_commands_of_waves_run_on_the_example(run: Run, tmp_path: Path) -> None:
    tracker = Path(shutil.copytree(ROOT / "examples" / "tracker", tmp_path / "tracker"))
    lines = commands(DOCS / "guide" / "waves.md")
    assert len(lines) == 3
    for words in lines:
        typed(run, tracker, words)


@pytest.mark.parametrize(
    "name", ["coming.md", "guide/automation.md", "guide/long.md", "reference/codebook.md"]
)
@pytest.mark.slow
def test_the_python_of_a_document_runs(folder: Path, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    blocks = re.findall(r"```python\n(.*?)```", (DOCS / name).read_text(encoding="utf-8"), re.DOTALL)
    assert blocks
    monkeypatch.chdir(folder)
    for block in blocks:
        exec(block, {})


@pytest.mark.slow
def test_the_python_on_waves_and_weights_runs(
    folder: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def block(name: str) -> str:
        (found,) = re.findall(r"```python\n(.*?)```", (DOCS / "guide" / name).read_text("utf-8"), re.DOTALL)
        return str(found)

    monkeypatch.chdir(shutil.copytree(ROOT / "examples" / "tracker", tmp_path / "tracker"))
    names: dict[str, Any] = {}
    exec(block("waves.md"), names)
    assert names["survey"].table("liking", "wave").columns
    monkeypatch.chdir(folder)
    names = {"otter": otter, "survey": otter.open_survey("codebook.yaml", "responses.csv")}
    exec(block("weights.md"), names)
    assert names["made"].weights.shape == (2400,)


@pytest.mark.slow
def test_the_targets_that_the_guide_shows_can_be_met(run: Run, folder: Path) -> None:
    """As they stand, but for the column of starting weights, which the demo does not have."""
    text = (DOCS / "guide" / "weights.md").read_text("utf-8")
    (block,) = re.findall(r"```yaml\n(# targets.yaml.*?)```", text, re.DOTALL)
    (folder / "shown.yaml").write_text(re.sub(r"start: wt0.*\n", "", block), encoding="utf-8")
    code, _, err = run("weigh", "shown.yaml", cwd=folder)
    assert code == 0, err


def fragments() -> list[tuple[str, str]]:
    """All pieces of a plan or codebook in the guide, which begin with where they belong."""
    found = []
    for path in sorted((DOCS / "guide").glob("*.md")):
        for block in re.findall(
            r"```yaml\n(# (?:plan|codebook)\.yaml.*?)```", path.read_text("utf-8"), re.DOTALL
        ):
            found.append((path.stem, block))
    return found


@pytest.mark.parametrize(("name", "block"), fragments())
@pytest.mark.slow
def test_the_pieces_of_plans_and_codebooks_in_the_guide_work(
    demo: Path, tmp_path: Path, name: str, block: str
) -> None:
    """Each is put where its first line says, and the report is made."""
    where, piece = block.splitlines()[0], yaml.safe_load(block)
    book = yaml.safe_load((demo / "codebook.yaml").read_text("utf-8"))
    plan = {"data": str(demo / "responses.csv"), "codebook": "codebook.yaml", "tables": ["heard_of"]}
    plan |= {"banners": {"main": ["wave", "region"]}}
    if where == "# codebook.yaml: questions":
        book["questions"] |= piece
        plan["tables"] = list(piece)
    elif where == "# plan.yaml: tables":
        plan["tables"] = piece
    else:
        assert where == "# plan.yaml"
        plan |= piece
    (tmp_path / "codebook.yaml").write_text(yaml.safe_dump(book, sort_keys=False), encoding="utf-8")
    (tmp_path / "plan.yaml").write_text(yaml.safe_dump(plan, sort_keys=False), encoding="utf-8")
    report = otter.run(tmp_path / "plan.yaml")
    assert len(report.tables) >= len(plan["tables"])
    assert report.save(*([] if "outputs" in piece else [tmp_path / "t.csv"]))


def test_the_messages_are_those_that_are_said() -> None:
    module = runpy.run_path(str(ROOT / "tools" / "messages"))
    assert module["text"]() == (DOCS / "reference" / "errors.md").read_text("utf-8"), "run tools/messages"


def test_the_start_is_short() -> None:
    assert 5 < len(shell_lines(DOCS / "start.md")) <= 12


@pytest.mark.slow
def test_a_newcomer_follows_the_start_line_by_line(tmp_path: Path) -> None:
    """In a copy of the project, with an environment of its own, every line as it stands."""
    project = tmp_path / "project"
    kept_out = shutil.ignore_patterns(".*", "build", "otter-demo", "__pycache__", "*.png")
    shutil.copytree(ROOT, project, ignore=kept_out)
    script = "\n".join(["set -e", *shell_lines(DOCS / "start.md"), "ls tables.xlsx"])
    environment = {name: value for name, value in os.environ.items() if name in KEPT_OF_THE_ENVIRONMENT}
    environment |= {
        "PATH": os.pathsep.join(["/usr/local/bin", "/usr/bin", "/bin"]),
        "EAGER_OTTER_CACHE": "off",
    }
    python = Path(sys.executable).resolve().parent
    environment["PATH"] = f"{python}{os.pathsep}{environment['PATH']}"
    done = subprocess.run(
        ["bash", "-c", script],
        check=False,
        cwd=project,
        env=environment,
        capture_output=True,
        text=True,
        timeout=900,
    )
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout.endswith("\ntables.xlsx\n")


@pytest.mark.slow
def test_the_site_is_built_and_nothing_of_it_is_fetched_from_elsewhere(tmp_path: Path) -> None:
    """Every link and anchor is checked by the build, of which each warning is an error."""
    pytest.importorskip("sphinx")
    command = [sys.executable, str(ROOT / "tools" / "site"), str(tmp_path)]
    done = subprocess.run(command, check=False, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    pages = {
        path.relative_to(tmp_path).as_posix(): path.read_text("utf-8") for path in tmp_path.rglob("*.html")
    }
    assert {"index.html", "start.html", "gallery.html", "guide/tests.html", "reference/commands.html"} <= set(
        pages
    )
    documents = {path.relative_to(DOCS).with_suffix(".html").as_posix() for path in DOCS.rglob("*.md")}
    assert documents <= set(pages)
    fetched = re.compile(
        r"(?:<(?:script|img|iframe|source)[^>]*\ssrc|<link(?![^>]*canonical)[^>]*\shref)=\"(?:https?:)?//[^\"]*"
    )
    assert {name: found for name, text in pages.items() if (found := fetched.findall(text))} == {}
    gallery = pages["gallery.html"]
    shapes = otter.read_plan(otter.write_demo(tmp_path / "demo")[0].parent / "shapes.yaml")
    titles = {request.id for request in shapes.requests}
    assert gallery.count('class="otter-table"') >= len(titles) - 3  # a repeated table is shown once
    assert gallery.count(".svg") >= 4


def test_the_codebook_that_the_document_shows_reads(tmp_path: Path) -> None:
    """The long example as it stands; shorter ones only name questions of their own."""
    text = (ROOT / "docs" / "reference" / "codebook.md").read_text(encoding="utf-8")
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
        text = (ROOT / "docs" / "reference" / name).read_text(encoding="utf-8")
        assert [word for word in words if word not in text] == [], name
