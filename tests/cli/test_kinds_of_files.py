"""A file of another kind is told in a sentence, wherever a plan, codebook, targets, theme or catalogue is named."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

import eager_otter as otter

Run = Callable[..., tuple[int, str, str]]
CATALOGUE = "language: xx\nwords: {Total: All}\n"


@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("run codebook.yaml", "codebook.yaml: a plan was expected; this is a codebook."),
        ("audit targets.yaml", "targets.yaml: a plan was expected; this is a targets file."),
        ("look liking -p codebook.yaml", "codebook.yaml: a plan was expected; this is a codebook."),
        ("look liking --codebook plan.yaml --data responses.csv", "plan.yaml: a codebook was expected; this is a plan."),
        ("weigh plan.yaml", "plan.yaml: a targets file was expected; this is a plan."),
        ("weigh codebook.yaml", "codebook.yaml: a targets file was expected; this is a codebook."),
        ("look liking --language codebook.yaml", "codebook.yaml: a catalogue of words was expected; this is a codebook."),
        ("run words.yaml", "words.yaml: a plan was expected; this is a catalogue of words."),
        ("run themed.yaml", "words.yaml: a theme was expected; this is a catalogue of words."),
        ("run booked.yaml", "plan.yaml: a codebook was expected; this is a plan."),
    ],
)  # fmt: skip
def test_a_file_of_another_kind_is_told_so(
    run: Run, demo: Path, tmp_path: Path, line: str, told: str
) -> None:
    for name in ("plan.yaml", "codebook.yaml", "targets.yaml", "responses.csv"):
        (tmp_path / name).write_bytes((demo / name).read_bytes())
    plan = (demo / "plan.yaml").read_text(encoding="utf-8")
    (tmp_path / "words.yaml").write_text(CATALOGUE)
    (tmp_path / "themed.yaml").write_text(f"{plan}\ntheme: words.yaml\n", encoding="utf-8")
    (tmp_path / "booked.yaml").write_text(
        plan.replace("codebook: codebook.yaml", "codebook: plan.yaml"), encoding="utf-8"
    )
    assert run(*line.split(), cwd=tmp_path) == (2, "", f"Error: {told}\n")


@pytest.mark.parametrize(
    ("text", "told"),
    [
        (
            "data: a.csv\ncodebook: b.yaml\nquestions: [liking]\n",
            "unknown key 'questions'",
        ),  # a plan with a slip
        ("data: a.csv\ntables: [liking]\n", "needs the key 'codebook'"),
        ("title: x\n", "needs the key 'codebook'"),
        ("[1, 2]\n", "expected a mapping"),
    ],
)
def test_a_plan_with_mistakes_stays_a_plan(tmp_path: Path, text: str, told: str) -> None:
    (tmp_path / "plan.yaml").write_text(text)
    with pytest.raises(otter.DocumentError, match=told):
        otter.read_plan(tmp_path / "plan.yaml")
