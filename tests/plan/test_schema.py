"""The JSON Schemas for editors: they take what reading takes, and mark what it marks."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any, get_args

import pytest
from jsonschema import Draft202012Validator

from eager_otter.codebook.file import BY_KEY, BY_KIND
from eager_otter.documents.validating import model_of
from eager_otter.documents.yaml_nodes import compose, read_yaml
from eager_otter.looks.catalogue import catalogue_text, load_words
from eager_otter.plan.schema import Question, json_schema

ROOT = Path(__file__).parents[2]
DEMO = ROOT / "src" / "eager_otter" / "demo"


def mistakes(name: Any, data: object) -> list[str]:
    validator = Draft202012Validator(json_schema(name))
    return [f"{list(error.absolute_path)}: {error.message[:200]}" for error in validator.iter_errors(data)]


@pytest.mark.parametrize("name", ["plan", "codebook", "theme", "words"])
def test_the_schemas_are_sound(name: Any) -> None:
    Draft202012Validator.check_schema(json_schema(name))
    kinds = {*BY_KEY.values(), *BY_KIND.values()}
    assert set(get_args(Question)) == {model_of(kind) for kind in kinds}


def test_what_ships_and_what_the_docs_show_is_as_the_schemas_say(tmp_path: Path) -> None:
    assert mistakes("plan", read_yaml(DEMO / "plan.yaml").data) == []
    assert mistakes("plan", read_yaml(DEMO / "shapes.yaml").data) == []
    assert mistakes("codebook", read_yaml(DEMO / "codebook.yaml").data) == []
    for theme in ("river", "slate"):
        assert mistakes("theme", read_yaml(DEMO.parent / "looks" / "themes" / f"{theme}.yaml").data) == []
    assert mistakes("words", compose(catalogue_text(load_words("de", tmp_path)), tmp_path).data) == []
    blocks = {name: re.findall(r"```yaml\n(.*?)```", (ROOT / "docs" / "reference" / f"{name}.md").read_text(encoding="utf-8"), re.DOTALL) for name in ("plan", "codebook", "outputs")}  # fmt: skip
    for block in blocks["plan"]:
        data = compose(block, tmp_path / "plan").data
        if isinstance(data, dict) and set(data) & set(json_schema("plan")["properties"]):
            assert mistakes("plan", {"data": "d.csv", "codebook": "c.yaml", "tables": ["q"], **data}) == []
    house = next(block for block in blocks["outputs"] if block.startswith("# house.yaml"))
    assert mistakes("theme", compose(house, tmp_path / "house").data) == []
    french = next(block for block in blocks["outputs"] if block.startswith("# french.yaml"))
    assert mistakes("words", compose(french, tmp_path / "french").data) == []


def test_every_piece_of_a_plan_in_any_document_is_as_the_schema_says(tmp_path: Path) -> None:
    """Pieces of plans, whatever the document: mappings of keys of a plan, and lists of tables."""
    keys, seen = set(json_schema("plan")["properties"]), set()
    for path in sorted((ROOT / "docs").rglob("*.md")):
        for block in re.findall(r"```yaml\n(.*?)```", path.read_text(encoding="utf-8"), re.DOTALL):
            data = compose(block, tmp_path / "piece").data
            if isinstance(data, list):
                data = {"tables": data}
            if not isinstance(data, dict) or not set(data) <= keys or block.startswith("# codebook"):
                continue
            seen.add(path.stem)
            whole = {"data": "d.csv", "codebook": "c.yaml", "tables": ["q"], **data}
            assert mistakes("plan", whole) == [], f"{path.name}: {block}"
    assert seen >= {"waves", "audit", "outputs", "plan", "banners", "rows", "tests", "bases"}


def test_every_piece_of_a_codebook_in_its_document_is_as_the_schema_says(tmp_path: Path) -> None:
    """Questions, nets of one question or of many, translations."""
    text = (ROOT / "docs" / "reference" / "codebook.md").read_text(encoding="utf-8")
    blocks = re.findall(r"```yaml\n(.*?)```", text, re.DOTALL)
    assert len(blocks) >= 6
    for block in blocks:
        data = compose(block, tmp_path / "piece").data
        of_one = "nets" in data and not any("questions" in net for net in data["nets"])
        question = {"kind": "single", "scale": True, "answers": {"1": "Poor", "5": "Good"}}
        whole = (
            {"questions": {"liking": question | data}}
            if of_one
            else {"questions": {"liking": question}, **data}
        )
        assert mistakes("codebook", whole) == [], block


@pytest.mark.parametrize(
    ("name", "change"),
    [
        ("plan", {"tabels": []}),
        ("plan", {"tests": {"levels": "high"}}),
        ("plan", {"tables": [{"question": "liking", "figurs": ["mean"]}]}),
        ("plan", {"banners": {"main": [{"question": "region", "kep": [1]}]}}),
        ("plan", {"banners": {"main": [{"nest": ["wave"]}]}}),
        ("plan", {"workbook": {"sheets": "per page"}}),
        ("codebook", {"questions": {"q": {"kind": "singel", "answers": {"1": "A"}}}}),
        ("codebook", {"questions": {"q": {"kind": "single", "answers": {}}}}),
        ("theme", {"accent": "teal"}),
        ("words", {"thousands": "none"}),
    ],
)
def test_mistakes_are_marked(name: Any, change: dict[str, object]) -> None:
    sound: dict[str, dict[str, object]] = {
        "plan": {"data": "d.csv", "codebook": "c.yaml", "tables": ["liking", {"each": "all"}]},
        "codebook": {"questions": {"q": {"kind": "number"}}},
        "theme": {"digits": 1},
        "words": {"language": "fr"},
    }
    assert mistakes(name, sound[name]) == []
    assert mistakes(name, sound[name] | change) != []


def test_the_command_prints_what_python_gives(run: Callable[..., tuple[int, str, str]]) -> None:
    code, out, _ = run("schema", "codebook")
    assert code == 0 and json.loads(out) == json_schema("codebook")
    assert run("schema", "tables")[0] == 2
