"""Texts that end at a #: `label: Brand #2` is Brand to YAML, and nobody is to lose the rest without a word."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
import yaml

import eager_otter as otter
from eager_otter.documents.yaml_nodes import compose

Run = Callable[..., tuple[int, str, str]]
BOOK = """\
title: Tea
questions:
  fav:
    kind: single
    text: Favourite   # as asked
    answers:
      1: Moss #1
      2: {label: "Fern #2"}   #quoted
      3: Lichen   # the grey one
      4: Bracken#4
"""


@pytest.mark.parametrize("parser", ["C", "Python"])
@pytest.mark.parametrize(
    ("line", "kept"),
    [
        ("a: Moss #1", "only 'Moss'"),
        ("a: #1 tea", "nothing"),
        ("a:\\n  - Moss #x", "only 'Moss'"),
        ("a: Moss and\\n  Fern #2", "only 'Moss and Fern'"),
        ("a: Größe #2", "only 'Größe'"),
        ("a: Moss # 1", ""),
        ("a: Moss#1", ""),
        ("a: 'Moss #1'", ""),
        ('a: "Moss" #1', ""),
        ("a: 5 #1", ""),
        ("a: true #x", ""),
        ("a: [Moss, Fern] #x", ""),
        ("a: |\\n  Moss #1", ""),
        ("a: Moss   #---", ""),
        ("#1 first\\na: Moss", ""),
        ("a:   # the first\\n  b: Moss", ""),
    ],
)
def test_a_text_that_ends_where_it_may_go_on_is_noted(
    line: str, kept: str, parser: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    if parser == "Python":
        monkeypatch.delattr(yaml, "CSafeLoader", raising=False)
    found = compose(line.replace("\\n", "\n"), Path("a.yaml")).cut
    assert [problem.message.partition(" is read here")[0] for problem in found] == [kept] * bool(kept)
    assert all(problem.excerpt[problem.column - 1] == "#" for problem in found)


def test_plan_codebook_and_what_they_include_are_looked_at(tmp_path: Path, demo: Path, run: Run) -> None:
    (tmp_path / "data.csv").write_text("fav\n1\n2\n3\n4\n", "utf-8")
    (tmp_path / "book.yaml").write_text(f"include: [more.yaml]\n{BOOK}", "utf-8")
    (tmp_path / "more.yaml").write_text("questions:\n  also: {kind: number, column: fav}   #old\n", "utf-8")
    plan = "include: rest.yaml\ndata: data.csv\ncodebook: book.yaml\ntitle: Wave #2\n"
    (tmp_path / "plan.yaml").write_text(plan, "utf-8")
    (tmp_path / "rest.yaml").write_text(
        "tables:\n  - question: fav\n    note: Asked of all #3 times\n", "utf-8"
    )
    hints = otter.read_plan(tmp_path / "plan.yaml").hints
    assert sorted((Path(hint.file).name, hint.line) for hint in hints) == [
        ("book.yaml", 8), ("plan.yaml", 4), ("rest.yaml", 3),
    ]  # fmt: skip
    for command in (["look", "fav"], ["audit"], ["run", "-o", "-"]):
        code, _, err = run(*command, cwd=tmp_path)
        assert code == 0 and err.count("Note: ") == 3 and "plan.yaml:4:13: only 'Wave' is read here." in err
    assert otter.read_plan(demo / "plan.yaml").hints == ()


def test_a_setting_typed_for_once_is_not_cut(demo: Path, run: Run) -> None:
    code, _, err = run("look", "liking", "--set", "title=Water #2", cwd=demo)
    assert code == 2 and err.startswith(
        "Error: --set title: only 'Water' is read here. What stands behind a #"
    )
    code, out, _ = run("look", "liking", "--set", "title='Water #2'", cwd=demo)
    assert code == 0 and out.startswith("Water #2")


def test_a_text_that_is_nothing_because_of_a_sign_is_told_with_it() -> None:
    with pytest.raises(otter.DocumentError) as error:
        otter.codebook_from_text(BOOK.replace("title: Tea", "title: #1 tea"))
    (problem,) = error.value.problems
    assert problem.message == (
        "title: expected text; found nothing. What stands behind a # is a comment: put the whole text in quotes."
    )
    with pytest.raises(otter.DocumentError) as error:
        otter.codebook_from_text(BOOK.replace("title: Tea", "title: # tea"))
    assert error.value.problems[0].message == "title: expected text; found nothing."
