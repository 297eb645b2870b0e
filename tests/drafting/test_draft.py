"""Drafts: a first codebook and plan that work untouched, with a reason for each guess."""

from __future__ import annotations

import random
import shutil
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.documents.yaml_nodes import compose
from eager_otter.drafting.drafting import draft, write_draft
from eager_otter.drafting.yaml_text import comment, listed, mapped, scalar


@pytest.fixture(scope="module")
def drafted(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("drafted")
    shutil.copy(demo / "responses.csv", folder)
    write_draft(draft(folder / "responses.csv"), folder)
    return folder


def test_the_kinds_of_the_demo_are_guessed(demo: Path) -> None:
    roles = {guess.name: guess.role for guess in draft(demo / "responses.csv").guesses}
    wanted = {
        "rid": "respondent", "wt": "weight", "day": "date", "region": "single", "age": "number", "named": "mentions",
        "heard": "ticks", "ever": "ticks", "month": "ticks", "why": "mentions", "ads": "joined", "bought": "joined",
        "st": "grid", "rate": "grid", "pref": "ranking", "recommend": "single", "likes_open": "single", "times": "number",
    }  # fmt: skip
    assert {name: roles[name] for name in wanted} == wanted


def test_a_draft_runs_untouched_and_agrees_with_the_real_codebook(
    drafted: Path, survey: otter.Survey
) -> None:
    report = otter.run(drafted / "plan.yaml")
    assert len(report.tables) > 40
    own = otter.open_survey(drafted / "codebook.yaml", drafted / "responses.csv").filtered("status == 1")
    for mine, real in (
        ("heard", "heard_of"),
        ("why", "reasons"),
        ("bought", "bought_at"),
        ("ever", "drunk_ever"),
    ):
        one, other = (
            s.table(name, figures=["count"]).frame("count") for s, name in ((own, mine), (survey, real))
        )
        np.testing.assert_allclose(one.to_numpy()[: len(one)], other.to_numpy()[: len(one)])


def test_every_guess_says_why(drafted: Path) -> None:
    lines = (drafted / "codebook.yaml").read_text(encoding="utf-8").splitlines()
    for k, line in enumerate(lines):
        if line.startswith("  ") and not line.startswith("   ") and line.endswith(":"):
            assert lines[k - 1].startswith("  # "), line


def test_nothing_is_overwritten(drafted: Path) -> None:
    with pytest.raises(otter.FileProblem, match=r"codebook.yaml: is there already and is not overwritten"):
        write_draft(draft(drafted / "responses.csv"), drafted)


def test_labels_dates_and_frequencies_in_bare_data(tmp_path: Path) -> None:
    frame = pd.DataFrame(
        {
            "sex": ["Woman", "Man", "Prefer not to say", "Woman"] * 10,
            "when": ["31.12.2025", "01.02.2026"] * 20,
            "likes_1": ["Tarn", None] * 20,
            "likes_2": [None, "Brookfizz"] * 20,
            "yn_1": ["Yes", "No"] * 20,
            "yn_2": ["No", "No"] * 20,
            "freq": range(1, 41),
            "void": [None] * 40,
            "odd: name?": ["#1", "no: x"] * 20,
        }
    )
    frame.to_csv(tmp_path / "d.csv", index=False, sep=";")
    made = draft(tmp_path / "d.csv")
    roles = {guess.name: guess.role for guess in made.guesses}
    assert roles == {
        "sex": "single", "when": "date", "likes": "ticks", "yn": "ticks", "freq": "frequency", "void": "empty",
        "odd_name": "single",
    }  # fmt: skip
    write_draft(made, tmp_path)
    survey = otter.open_survey(tmp_path / "codebook.yaml", tmp_path / "d.csv")
    assert survey.table("sex").lines[0].values[0] == sum(k + 1 for k in range(40) if k % 4 != 2)
    assert survey.table("yn", figures=["unweighted count"]).value("yn_1", "Total") == sum(range(1, 41, 2))
    assert otter.run(tmp_path / "plan.yaml").table("odd_name").body[0].label == "#1"


@given(st.text(max_size=30))
def test_any_text_written_as_yaml_is_read_back_as_it_is(text: str) -> None:
    if any("\ud800" <= c <= "\udfff" for c in text):
        return
    written = (
        f"a: {scalar(text)}  {comment(text)}\nb: {listed([text, 'x'])}\nc: {mapped({text: scalar('y')})}\n"
    )
    data = compose(written, Path("t")).data
    assert str(getattr(data["a"], "text", data["a"])) == text
    assert str(getattr(data["b"][0], "text", data["b"][0])) == text
    assert list(data["c"]) == [text]


FEW_COLUMNS = {
    "area": ["North", "South"], "age_group": ["18-34", "35-54", "55+"], "liking": ["1", "2", "3", "4", "5"],
    "glasses": [str(k) for k in range(40)], "tried_1": ["0", "1"], "tried_2": ["0", "1"], "why": [f"because {k}" for k in range(99)],
}  # fmt: skip


@given(st.lists(st.sampled_from(sorted(FEW_COLUMNS)), min_size=1, max_size=4, unique=True))
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_draft_of_however_few_columns_runs(tmp_path: Path, names: list[str]) -> None:
    """Also where all of them make the banner, so that no question is left for the tables by it."""
    draw = random.Random(5)
    data = pd.DataFrame(
        {"id": range(1, 201), **{name: draw.choices(FEW_COLUMNS[name], k=200) for name in names}}
    )
    data.to_csv(tmp_path / "d.csv", index=False)
    drafted = otter.draft(tmp_path / "d.csv")
    (tmp_path / "codebook.yaml").write_text(drafted.codebook, encoding="utf-8")
    (tmp_path / "plan.yaml").write_text(drafted.plan, encoding="utf-8")
    if names == ["why"]:
        return  # nothing to tabulate
    tables = otter.run(tmp_path / "plan.yaml").tables
    book = otter.read_codebook(tmp_path / "codebook.yaml")
    assert {table.id for table in tables} >= {question.name for question in book if question.kind != "text"}
