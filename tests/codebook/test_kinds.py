"""Kinds of questions: what is said of them in one place holds in all others."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import get_args

import numpy as np
import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.codebook.file import BY_KIND, ColumnFile
from eager_otter.codebook.kinds import KINDS, Kind
from eager_otter.data.kind_of import kind_of, kinds_of_answers

Small = Callable[..., otter.Survey]
BOOK = """
questions:
  one: {kind: single, answers: {1: Tea, 2: Water}}
  some: {kind: multi, columns: {s_1: Tea, s_2: Water}}
  cups: {kind: number, missing: [99]}
  day: {kind: date}
  why: {kind: text}
"""
COLUMNS = {
    "one": ["1", "2", "", "7"],
    "s_1": ["1", "0", "", "0"],
    "s_2": ["0", "1", "", "0"],
    "cups": ["3", "99", "", "2.5"],
    "day": ["2026-03-31", "", "2026-04-01", "2026-04-02"],
    "why": ["hot", "", "cold", "x"],
}


@pytest.fixture
def asked(tmp_path: Path) -> otter.Survey:
    pd.DataFrame(COLUMNS).to_csv(tmp_path / "d.csv", index=False)
    return otter.open_survey(otter.codebook_from_text(BOOK), tmp_path / "d.csv")


def test_each_kind_is_known_to_files_to_data_and_to_all_that_asks_what_it_is() -> None:
    assert set(KINDS) == set(get_args(Kind)) == set(kinds_of_answers())
    in_a_column = {name for name, part in BY_KIND.items() if issubclass(part, ColumnFile)}
    assert in_a_column == {name for name, kind in KINDS.items() if not kind.of_answers}
    for kind in KINDS.values():
        assert [kind.of_answers, kind.of_values, kind.of_days, kind.of_texts].count(True) == 1
        assert kind.of_one_answer == (kind.of_answers and not kind.several)


def test_who_answered_is_who_has_a_valid_answer(asked: otter.Survey) -> None:
    expected = {
        "one": [1, 1, 0, 0],
        "some": [1, 1, 0, 1],
        "cups": [1, 0, 0, 1],
        "day": [1, 0, 1, 1],
        "why": [1, 0, 1, 1],
    }
    for name, who in expected.items():
        question = asked.questions[name]
        answered = kind_of(question).answered(question, asked.responses.answers(name))
        assert answered.astype(int).tolist() == who, name


def test_parts_put_behind_one_another_are_the_whole(asked: otter.Survey) -> None:
    rows = np.array([True, True, False, False])
    for name, question in asked.questions.items():
        kind, whole = kind_of(question), asked.responses.answers(name)
        joined = kind.joined([whole.chosen(rows), whole.chosen(~rows)])
        assert len(joined) == 4
        np.testing.assert_array_equal(kind.answered(question, joined), kind.answered(question, whole))
        fields = [
            [field.texts for field in kind.fields(question, some, labels=True)] for some in (joined, whole)
        ]
        assert fields[0] == fields[1]
        counts = [list(kind.counts(question, some, np.ones(4))) for some in (joined, whole)]
        assert [(one.code, one.people) for one in counts[0] if not one.note.startswith("not in")] == [
            (one.code, one.people) for one in counts[1] if not one.note.startswith("not in")
        ]


def test_no_table_of_a_kind_that_has_none_says_what_to_do(asked: otter.Survey) -> None:
    for name, kind in (("day", KINDS["date"]), ("why", KINDS["text"])):
        with pytest.raises(otter.RequestError, match=kind.not_tabulated.partition(";")[0]):
            asked.table(name)
    for name in ("one", "some", "cups"):
        assert asked.table(name).people == int(len(COLUMNS["one"]) - {"one": 2, "some": 1, "cups": 2}[name])
