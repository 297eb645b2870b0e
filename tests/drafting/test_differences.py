"""A second draft beside a codebook that was edited: it tells what is new, gone or changed, and touches nothing."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pandas as pd
import pytest

import eager_otter as otter

Run = Callable[..., tuple[int, str, str]]
FRAME: dict[str, list[Any]] = {
    "rid": list(range(100, 160)),
    "region": ["North", "East", "South"] * 20,
    "heard_1": [0, 1] * 30,
    "heard_2": [1, 0, 0] * 20,
    "glasses": list(range(60)),
}
EDITED = """
respondent: rid
questions:
  region: {kind: single, label: Where they live, answers: {North: North, East: East, South: Down south}, missing: [99]}
  heard: {kind: multi, columns: {heard_1: Tarn, heard_2: Birk}, ticked: [1], unticked: [0]}
  glasses: {kind: number, missing: [many]}
"""


def data(folder: Path, **columns: list[Any] | None) -> Path:
    frame = {name: values for name, values in {**FRAME, **columns}.items() if values is not None}
    pd.DataFrame(frame).to_csv(folder / "responses.csv", index=False)
    return folder / "responses.csv"


def test_a_codebook_that_fits_is_told_so(tmp_path: Path) -> None:
    found = otter.draft(data(tmp_path)).differences(otter.codebook_from_text(EDITED))
    assert not found and found == otter.Differences(new=(), gone=(), changed=())


@pytest.mark.parametrize(
    ("region", "told"), [(["North", "West"], []), (["North", "7"], ["not in its answers: '7'"])]
)
def test_own_words_are_no_answers_that_lack(tmp_path: Path, region: list[str], told: list[str]) -> None:
    book = otter.codebook_from_text(
        EDITED.replace("South: Down south", "X: {label: Elsewhere, write in: true}")
    )
    found = otter.draft(data(tmp_path, region=region * 30)).differences(book)
    assert [one.what for one in found.changed] == told


def test_an_answer_that_a_ranking_lacks_is_told(demo: Path) -> None:
    frame = pd.read_csv(demo / "responses.csv", dtype=str)
    fitting = otter.draft(frame).differences(demo / "codebook.yaml")
    assert not fitting
    frame.loc[7, "pref_2"] = "9"
    (changed,) = otter.draft(frame).differences(demo / "codebook.yaml").changed
    assert (changed.question, changed.what) == ("preference.first", "not in its answers: '9'")


@pytest.mark.parametrize(
    ("columns", "new", "gone", "changed"),
    [
        ({"mood": ["good", "bad"] * 30}, ["mood"], [], []),
        ({"void": [None] * 60}, [], [], []),
        ({"region": None, "heard_2": None}, [], ["region", "heard_2"], []),
        ({"region": ["North", "West"] * 30}, [], [], [("region", "not in its answers: 'West'")]),
        ({"region": ["North", "Down south"] * 30}, [], [], []),  # a label stands for its code
        ({"region": ["North", "99"] * 30}, [], [], []),  # a missing code
        ({"heard_3": [1, 0] * 30}, [], [], [("heard", "heard_3 may belong to it too")]),
        ({"glasses": ["a few", "many"] * 30}, [], [], [("glasses", "a number, but its column holds words")]),
    ],
)  # fmt: skip
def test_what_is_different_is_named(
    tmp_path: Path, columns: dict[str, Any], new: list[str], gone: list[str], changed: list[tuple[str, str]]
) -> None:
    found = otter.draft(data(tmp_path, **columns)).differences(otter.codebook_from_text(EDITED))
    assert [guess.name for guess in found.new] == new and list(found.gone) == gone
    assert [one.question for one in found.changed] == [name for name, _ in changed]
    assert all(what in one.what for one, (_, what) in zip(found.changed, changed, strict=True))
    if new:
        book = otter.codebook_from_text(EDITED + found.new_questions())  # as it would be pasted
        assert new[0] in book.questions


def test_the_command_tells_and_touches_nothing(tmp_path: Path, run: Run) -> None:
    path = data(tmp_path)
    (tmp_path / "codebook.yaml").write_text(EDITED, encoding="utf-8")
    code, out, err = run("draft", str(path), cwd=tmp_path)
    assert code == 0 and "fits the data; nothing was written" in err and not out
    data(tmp_path, mood=["good", "bad"] * 30, region=["North", "West", "East"] * 20, glasses=None)
    code, out, err = run("draft", str(path), cwd=tmp_path)
    assert code == 1 and "  mood:\n    text: mood\n    kind: single" in out
    assert "Gone from the data: glasses" in err and "Changed: region: not in its answers: 'West'" in err
    assert "was not touched: 1 new question above, 1 column gone, 1 question changed." in err
    assert (tmp_path / "codebook.yaml").read_text(encoding="utf-8") == EDITED
    assert sorted(path.name for path in tmp_path.iterdir()) == ["codebook.yaml", "responses.csv"]
