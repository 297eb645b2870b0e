"""YAML that nests beyond reason is refused before a parser builds it; whatever nests less is read."""

from __future__ import annotations

from pathlib import Path

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.documents import yaml_nodes
from eager_otter.documents.yaml_nodes import compose

BEYOND = "nests or repeats itself beyond reason"
PLACE = Path("deep.yaml")


@pytest.mark.parametrize(
    "text",
    ["[" * 400, "{a: " * 400, "- " * 400 + "x", "\n".join(" " * k + "a:" for k in range(400)), "? " * 400, "[" * 400 + "]" * 400, "'[' : " + "[" * 400],
)  # fmt: skip
def test_nesting_is_refused_without_building_it(text: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(yaml, "compose", lambda *given, **more: pytest.fail("built it"))
    with pytest.raises(otter.DocumentError, match=rf"deep\.yaml:\d+:\d+: the file {BEYOND}"):
        compose(text, PLACE)


def test_brackets_in_texts_do_not_count() -> None:
    text = "\n".join(f"a{k}: '[{{ {k}'" for k in range(1000))
    assert len(compose(text, PLACE).data) == 1000
    assert len(compose("a: x\n" + " " * 900 + "# far in\n", PLACE).data) == 1
    assert compose("a: |\n" + " " * 900 + "text\n", PLACE).data == {"a": "text\n"}


@given(st.integers(1, 420), st.sampled_from(["[]", "{a: }", "- "]))
def test_what_may_be_built_is_what_nests_less(depth: int, how: str) -> None:
    opened, closed = {"[]": ("[", "]"), "{a: }": ("{a: ", "}"), "- ": ("- ", "")}[how]
    text = opened * depth + "x" + closed * depth
    try:
        data = compose(text, PLACE).data
    except otter.DocumentError as error:
        assert BEYOND in str(error) and depth >= yaml_nodes.DEEPEST
        return
    levels = 0
    while not isinstance(data, str):
        data, levels = (data["a"] if isinstance(data, dict) else data[0]), levels + 1
    assert levels == depth <= yaml_nodes.DEEPEST
