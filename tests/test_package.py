"""The package as a whole: its public names, and the documents that ship with it."""

from __future__ import annotations

import inspect
import re
import subprocess
import sys
import tarfile
import tomllib
import zipfile
from pathlib import Path

import nbformat
import pytest
from nbclient import NotebookClient

import eager_otter as otter

ROOT = Path(__file__).parents[1]


def test_public_names_are_sorted_and_all_there() -> None:
    assert otter.__all__ == sorted(otter.__all__)
    for name in otter.__all__:
        thing = getattr(otter, name)
        if not isinstance(thing, type) and not inspect.isfunction(thing):
            continue  # a union of names has no words of its own
        assert thing.__doc__ and thing.__doc__.strip().split("\n")[0].endswith("."), name
    with pytest.raises(AttributeError):
        otter.nothing_of_that_name  # noqa: B018


def test_the_version_is_the_same_everywhere() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text(encoding="utf-8"))["project"]
    assert project["version"] == otter.__version__
    assert f"## {otter.__version__}" in (ROOT / "CHANGELOG.md").read_text(encoding="utf-8")


@pytest.mark.parametrize("path", sorted((ROOT / "examples").glob("*.py")), ids=lambda path: path.name)
@pytest.mark.slow
def test_examples_run(path: Path, tmp_path: Path) -> None:
    done = subprocess.run(
        [sys.executable, path], cwd=tmp_path, capture_output=True, text=True, timeout=120, check=False
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.strip()


@pytest.mark.slow
def test_the_notebook_is_that_of_its_script_and_runs(tmp_path: Path) -> None:
    notebook = nbformat.read(ROOT / "examples" / "a_day.ipynb", as_version=4)  # type: ignore[no-untyped-call]
    script = (ROOT / "examples" / "a_day.py").read_text(encoding="utf-8")
    code = [cell.source for cell in notebook.cells if cell.cell_type == "code"]
    assert code == [part.partition("\n")[2].strip() for part in script.split("# %%")[1:] if "markdown" not in part.split("\n")[0]]  # fmt: skip
    ran = NotebookClient(notebook, timeout=300, resources={"metadata": {"path": str(tmp_path)}}).execute()
    shown = [out for cell in ran.cells if cell.cell_type == "code" for out in cell.outputs]
    assert not [out for out in shown if out.output_type == "error"]
    rich = [
        out.data["text/html"]
        for out in shown
        if out.output_type == "execute_result" and "text/html" in out.data
    ]
    assert len(rich) >= 8 and any("<table" in html for html in rich)


@pytest.mark.slow
def test_the_python_of_the_readme_runs(demo: Path, monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    text = (ROOT / "README.md").read_text(encoding="utf-8")
    blocks = re.findall(r"```python\n(.*?)```", text, re.DOTALL)
    assert blocks
    monkeypatch.chdir(demo)
    names: dict[str, object] = {}
    for block in blocks:
        exec(block.replace('save("', f'save("{tmp_path}/'), names)


@pytest.mark.slow
def test_the_source_archive_and_the_wheel_hold_all_that_belongs_there(tmp_path: Path) -> None:
    for target in ("sdist", "wheel"):
        subprocess.run([sys.executable, "-m", "hatchling", "build", "-t", target, "-d", tmp_path], cwd=ROOT, check=True, capture_output=True)  # fmt: skip
    (archive,), (wheel,) = tmp_path.glob("*.tar.gz"), tmp_path.glob("*.whl")
    with tarfile.open(archive) as packed:
        inside = {name.partition("/")[2] for name in packed.getnames()}
    here = {path.relative_to(ROOT).as_posix() for folder in ("src", "tests", "tools", "docs", "examples", "benchmarks", ".ci") for path in (ROOT / folder).rglob("*") if path.is_file()}  # fmt: skip
    here |= {
        path.name for path in ROOT.iterdir() if path.is_file() and path.suffix in (".md", ".toml", ".txt")
    } | {"check", "LICENSE"}
    left_out = {name for name in here - inside if "__pycache__" not in name and "/." not in name}
    assert left_out == set()
    with zipfile.ZipFile(wheel) as packed_wheel:
        names = set(packed_wheel.namelist())
    assert {
        "eager_otter/looks/fonts/DejaVuSans.ttf",
        "eager_otter/demo/plan.yaml",
        "eager_otter/py.typed",
    } <= names
    assert not [name for name in names if name.startswith(("tests/", "docs/"))]


def test_documents_link_only_to_what_is_there() -> None:
    for document in (ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").rglob("*.md")):
        for target in re.findall(r"\]\(([^)#:]+)\)", document.read_text(encoding="utf-8")):
            assert (document.parent / target).exists(), f"{document.name} → {target}"
