"""Each gate is the only user of what it guards: read from the code, so that nothing goes around one unseen."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from pathlib import Path

import pytest

import eager_otter

ROOT = Path(eager_otter.__file__).parent
GATES = ROOT / "gates"
MODULES = sorted(path for path in ROOT.rglob("*.py") if GATES not in path.parents)

FILES = {
    "open",
    "read_text",
    "read_bytes",
    "write_text",
    "write_bytes",
    "unlink",
    "mkdir",
    "rmdir",
    "rename",
    "touch",
    "chmod",
    "is_file",
    "is_dir",
    "exists",
    "resolve",
    "samefile",
}
CALLS = {  # what is called by its module, and where else it may be
    "json": {"loads", "load", "dumps", "dump"},
    "click": {"echo", "secho", "open_file", "edit"},
    "shutil": {"copy", "copy2", "copyfile", "move", "rmtree"},
    "os": {"open", "rename", "replace", "remove", "unlink", "makedirs", "mkdir", "link"},
    "zipfile": {"ZipFile"},
    "tempfile": {"NamedTemporaryFile", "mkdtemp", "mkstemp"},
}
ALLOWED = {
    ("cli/main.py", "os.open"),  # of the null device, where a pipe was closed
    ("cli/main.py", "tempfile.NamedTemporaryFile"),  # the log of a fault
    ("drafting/yaml_text.py", "json.dumps"),  # quotes a scalar of YAML
    ("report/slides.py", "zipfile.ZipFile"),  # of what is in memory
    ("errors.py", ".resolve"),  # lower than the gates
    ("errors.py", ".exists"),
}
LIBRARIES = {  # which modules may import what reads or shows
    "python_calamine": {"data/sheet_file.py"},
    "defusedxml": {"data/sheet_cells.py", "data/xml.py"},
    "yaml": {"documents/yaml_nodes.py", "looks/catalogue.py", "plan/writing.py"},
    "charset_normalizer": set(),
    "fsspec": set(),
    "rich.console": {"cli/commands/questions.py"},
    "rich.text": set(),
    "urllib": set(),
    "socket": set(),
    "subprocess": set(),
    "pickle": set(),
}
TEXT_NUMBERS = (
    "codebook",
    "documents",
    "compare",
    "looks",
    "plan",
    "draft",
    "weighing",
    "audit",
)  # rooms that read texts


def tree_of(path: Path) -> ast.Module:
    return ast.parse(path.read_text(encoding="utf-8"))


def name_of(path: Path) -> str:
    return path.relative_to(ROOT).as_posix()


def calls_in(path: Path) -> Iterator[tuple[ast.Call, str]]:
    """Go through the calls of a module with what is called: "json.loads", ".read_text", "open"."""
    for node in ast.walk(tree_of(path)):
        if not isinstance(node, ast.Call):
            continue
        match node.func:
            case ast.Name(name):
                yield node, name
            case ast.Attribute(ast.Name(module), name) if module in CALLS:
                yield node, f"{module}.{name}"
            case ast.Attribute(_, name):
                yield node, f".{name}"


@pytest.mark.parametrize("path", MODULES, ids=name_of)
def test_files_texts_and_streams_go_through_their_gates(path: Path) -> None:
    around = []
    for node, called in calls_in(path):
        module, _, name = called.rpartition(".")
        if (name_of(path), called) in ALLOWED:
            continue
        guarded = (
            called in ("open", "print")
            or (module == "" and called.startswith(".") and name in FILES)
            or (module in CALLS and name in CALLS[module])
        )
        if guarded:
            around.append(f"line {node.lineno}: {called}")
    assert not around, f"{name_of(path)} goes around a gate: {around}"


@pytest.mark.parametrize("path", MODULES, ids=name_of)
def test_libraries_that_read_or_show_are_used_where_their_gate_stands(path: Path) -> None:
    for node in ast.walk(tree_of(path)):
        names = (
            [alias.name for alias in node.names]
            if isinstance(node, ast.Import)
            else [node.module or ""]
            if isinstance(node, ast.ImportFrom)
            else []
        )
        for name in names:
            for library, allowed in LIBRARIES.items():
                if name == library or name.startswith(f"{library}."):
                    typing_only = library == "rich.console" and isinstance(node, ast.ImportFrom)
                    harmless = typing_only and {alias.name for alias in node.names} <= {
                        "Group",
                        "RenderableType",
                    }
                    assert harmless or name_of(path) in allowed, (
                        f"{name_of(path)}, line {node.lineno}: imports {name}"
                    )


@pytest.mark.parametrize(
    "path", [path for path in MODULES if name_of(path).split("/")[0] in TEXT_NUMBERS], ids=name_of
)
def test_texts_become_numbers_in_one_place(path: Path) -> None:
    """`int()` and `float()` are for what is a number already: never for a piece of a text."""
    for node, called in calls_in(path):
        if called not in ("int", "float") or not node.args:
            continue
        argument = ast.unparse(node.args[0])
        if argument.startswith("day_number("):
            continue  # a number already
        suspicious = any(
            word in argument for word in ("text", "match", "found[", "group(", "token", "written", ".get(")
        )
        assert not suspicious, f"{name_of(path)}, line {node.lineno}: {called}({argument})"


def test_the_rule_would_see_a_way_around(tmp_path: Path) -> None:
    path = tmp_path / "x.py"
    path.write_text(
        "import json\nfrom pathlib import Path\nPath('a').read_text()\njson.loads('')\nopen('b')\n",
        encoding="utf-8",
    )
    assert {called for _, called in calls_in(path)} >= {".read_text", "json.loads", "open"}
