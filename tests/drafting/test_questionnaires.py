"""What differs between the codebooks of several files: each difference found, worst first, and gone once it is said."""

from __future__ import annotations

import json
import runpy
import shutil
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest
import yaml

import eager_otter as otter
from eager_otter.drafting.questionnaires import Questionnaire, compare_questionnaires

Run = Callable[..., tuple[int, str, str]]
TRACKER = Path(__file__).parents[2] / "examples" / "tracker"

COMMON = """
questions:
  region: {text: "Which region?", kind: single, column: q1, answers: {1: North, 2: East, 3: South}}
  liking: {kind: single, scale: true, answers: {1: Poor, 2: Fair, 3: Good}}
  heard: {kind: multi, columns: {h_1: Tarn, h_2: Birk}, ticked: [1]}
  why: {kind: multi, mentions: [w_1, w_2], answers: {1: Taste, 2: Price}}
  spend: {kind: number}
  taste: {kind: grid, items: {a: {column: t1, label: Clean}, b: {column: t2, label: Sweet}}, answers: {1: Poor, 2: Good}}
  near: {merge: {of: region, answers: {Near: [1], Far: [2, 3]}}}
"""


def compared(own: str, **changes: object) -> Questionnaire:
    wave = otter.Wave(data="d.csv", label="Two", changes=otter.WaveChanges(**changes))  # type: ignore[arg-type]
    return compare_questionnaires(
        otter.codebook_from_text(COMMON), otter.codebook_from_text(own), wave, "wave"
    )


CHANGES: list[tuple[str, str, str, str, dict[str, object]]] = [
    ("3: South}", "3: Abroad}", "same code, other label", "3 is 'Abroad' here, 'South' in the common codebook", {}),
    ("{1: North, 2: East,", "{2: North, 1: East,", "same label, other code", "'North' is 2 here, 1 in the common codebook",
     {"codes": {"region": {"1": "2", "2": "1"}}}),
    ("spend: {kind: number}", "spend: {kind: text}", "other kind of question", "text here, number in the common codebook", {}),
    ("column: q1", "column: s4", "other columns", "'s4' here is 'q1'", {"columns": {"s4": "q1"}}),
    ("{h_1: Tarn, h_2: Birk}", "{h_1: Birk, h_2: Tarn}", "other columns", "'h_1' here is 'h_2'",
     {"columns": {"h_1": "h_2", "h_2": "h_1"}}),
    ("h_2: Birk}", "h_3: Birk}", "other columns", "'h_3' here is 'h_2'", {"columns": {"h_3": "h_2"}}),
    ("{h_1: Tarn, h_2: Birk}", "{h_1: Tarn}", "answer not offered", "'Birk' is not in this codebook", {"not_offered": {"heard": ("Birk",)}}),
    ("h_2: Birk}", "h_2: Fizz}", "answer not offered", "'Birk' is not in this codebook", {"not_offered": {"heard": ("Birk",)}}),
    ("{1: Taste, 2: Price}", "{1: Taste}", "answer not offered", "'Price' is not in this codebook", {"not_offered": {"why": ("Price",)}}),
    ("  spend: {kind: number}\n", "", "question not asked", "it is not in this codebook", {"not_asked": ("spend",)}),
    ("{1: Poor, 2: Fair, 3: Good}", "{1: Poor, 2: Fair, 3: Good, 4: Very good}", "scale of other length",
     "4 steps here, 3 in the common codebook", {}),
    ("{1: Taste, 2: Price}", "{1: Taste, 2: Price, 3: Fizz}", "answer added", "3 ('Fizz') is not in the common codebook", {}),
    ("  spend:", "  litres: {kind: number}\n  spend:", "question added", "it is not in the common codebook", {}),
    ('"Which region?"', '"What is your region?"', "wording", "'What is your region?' here, 'Which region?' in the common codebook", {}),
    ("3: South}", "3: south}", "wording", "'south' here, 'South' in the common codebook", {}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("before", "after", "kind", "text", "proposed"),
    CHANGES,
    ids=[f"{k}: {c[2]}" for k, c in enumerate(CHANGES)],
)
def test_each_difference_is_named_and_gone_once_it_is_said(
    before: str, after: str, kind: str, text: str, proposed: dict[str, object]
) -> None:
    own = COMMON.replace(before, after)
    assert own != COMMON
    result = compared(own)
    assert kind in {one.kind for one in result.differences} and text in {
        one.text for one in result.differences
    }
    assert result.changes == otter.WaveChanges(**proposed)  # type: ignore[arg-type]
    if proposed:
        said = yaml.safe_load(result.proposal())["changes"]
        assert json.loads(json.dumps(said)) == json.loads(
            json.dumps(yaml.safe_load(yaml.safe_dump(_plain(result.changes))))
        )
        assert not compared(own, **proposed).serious


def _plain(changes: otter.WaveChanges) -> object:
    """Write changes as YAML reads them: codes as numbers."""
    return yaml.safe_load(json.dumps(changes.given()).replace('"1"', "1").replace('"2"', "2"))


def test_equal_questionnaires_do_not_differ() -> None:
    result = compared(COMMON)
    assert not result.differences and not result.is_proposal


def test_the_worst_come_first_and_a_grid_is_named_as_one() -> None:
    own = (
        COMMON.replace("3: South}", "3: Abroad}")
        .replace("h_2: Birk}", "h_3: Birk}")
        .replace('"Which', '"What')
    )
    start, end = own.index("  taste:"), own.index("  near:")
    result = compared(own[:start] + own[end:])
    kinds = [one.kind for one in result.differences]
    assert kinds[0] == "same code, other label" and kinds[-1] == "wording"
    assert result.changes.not_asked == ("taste",)
    identity = compared(
        own[:start] + own[end:], codes={"region": {"3": "3"}}, not_asked=("taste",), columns={"h_3": "h_2"}
    )
    assert not identity.serious


def test_a_question_said_not_to_be_asked_that_was_is_told() -> None:
    (one,) = compared(COMMON, not_asked=("spend",)).differences
    assert (one.kind, one.serious) == ("asked after all", True)


def test_a_survey_is_not_opened_while_questionnaires_differ_unsaid() -> None:
    own = otter.codebook_from_text("questions: {q: {kind: single, answers: {1: No, 2: Yes}}}")
    common = otter.codebook_from_text("questions: {q: {kind: single, answers: {1: Yes, 2: No}}}")
    frame = pd.DataFrame({"q": [1, 1, 2]})

    def waves(changes: otter.WaveChanges) -> otter.Waves:
        two = otter.Wave(data=frame, label="Two", codebook=own, changes=changes)
        return otter.Waves(waves=(otter.Wave(data=frame, label="One"), two))

    with pytest.raises(
        otter.RequestError, match=r"Two: its codebook differs.*and 1 thing more.*eager-otter waves"
    ):
        otter.open_survey(common, waves(otter.WaveChanges()))
    survey = otter.open_survey(common, waves(otter.WaveChanges(codes={"q": {"1": "2", "2": "1"}})))
    assert [survey.table("q", "wave").value("Yes", wave) for wave in ("One", "Two")] == pytest.approx(
        [200 / 3, 100 / 3]
    )


# --- the example --------------------------------------------------------------------------------------------


@pytest.fixture
def tracker(tmp_path: Path) -> Path:
    return Path(shutil.copytree(TRACKER, tmp_path / "tracker"))


def test_the_data_of_the_example_are_what_its_script_draws(tracker: Path) -> None:
    there = {path.name: path.read_bytes() for path in tracker.glob("*.csv")}
    for path in tracker.glob("*.csv"):
        path.unlink()
    runpy.run_path(str(tracker / "make_data.py"), run_name="__main__")
    assert {path.name: path.read_bytes() for path in tracker.glob("*.csv")} == there and len(there) == 4


def test_every_joined_figure_of_the_example_is_that_of_the_answers_drawn(tracker: Path) -> None:
    """Against the answers before they were put into four questionnaires."""
    import numpy as np

    made = runpy.run_path(str(tracker / "make_data.py"))
    random = np.random.default_rng(20260301)
    drawn = [made["answers"](wave, random) for wave in range(4)]
    report = otter.run(tracker / "plan.yaml")
    labels = [column.label for column in report.table("liking").columns[1:]]
    assert labels == ["Spring 2025", "Autumn 2025", "Spring 2026", "Autumn 2026"]
    for wave, (label, frame) in enumerate(zip(labels, drawn, strict=True)):
        weight = frame["wt"]

        def share(who: pd.Series, base: pd.Series, weight: pd.Series = weight) -> float:
            return float(100 * weight[who & base].sum() / weight[base].sum())

        everyone = frame["wt"] > 0
        for code, where in ((1, "Supermarket"), (2, "Corner shop"), (3, "Online")):
            assert report.table("where").value(where, label) == pytest.approx(
                share(frame["where"] == code, everyone)
            )
        for k, brand in enumerate(made["BRANDS"], 1):
            value = report.table("heard_of").value(brand, label)
            if wave == 0 and brand == "Fernwell":
                assert np.isnan(value)
            else:
                assert value == pytest.approx(share(frame[f"heard_{k}"] == 1, everyone))
        liking, recommend = (
            report.table("liking").value("Top two", label),
            report.table("recommend").value("Promoters", label),
        )
        assert (
            np.isnan(liking)
            if wave == 2
            else liking == pytest.approx(share(frame["liking"].isin([4, 5]), frame["liking"] < 9))
        )
        assert (
            np.isnan(recommend)
            if wave == 0
            else recommend == pytest.approx(share(frame["recommend"] >= 9, everyone))
        )
        assert report.table("litres").value("Mean", label) == pytest.approx(
            np.average(frame["litres"], weights=weight)
        )


def test_the_smallest_base_sets_questions_aside_that_were_not_asked(tracker: Path) -> None:
    key = otter.run(tracker / "plan.yaml").table("key")
    assert key.lines[0].values[1:].tolist() == [308, 313, 320, 306]


def test_a_plan_of_waves_is_written_in_full(tracker: Path) -> None:
    plan = otter.read_plan(tracker / "plan.yaml")
    again = otter.plan_from_text(otter.plan_text(plan), tracker)
    assert isinstance(plan.data, otter.Waves) and isinstance(again.data, otter.Waves)
    for one, other in zip(plan.data.waves, again.data.waves, strict=True):
        assert (one.data.name, one.label, one.date, one.changes) == (
            other.data.name,
            other.label,
            other.date,
            other.changes,
        )
        assert (one.codebook is None) == (other.codebook is None)
        assert one.codebook is None or other.codebook is None or one.codebook.digest == other.codebook.digest
    assert [request.id for request in again.requests] == [request.id for request in plan.requests]
    assert again.banners == plan.banners


def test_waves_are_compared_on_the_command_line(run: Run, tracker: Path) -> None:
    code, out, _ = run("waves", cwd=tracker)
    assert code == 0 and "wording" in out and "changes:" not in out
    plan = yaml.safe_load((tracker / "plan.yaml").read_text(encoding="utf-8"))
    unsaid = [
        {key: value for key, value in file.items() if key != "changes"} for file in plan["data"]["files"]
    ]
    (tracker / "plan.yaml").write_text(
        yaml.safe_dump({**plan, "data": {**plan["data"], "files": unsaid}}, sort_keys=False), encoding="utf-8"
    )
    code, out, _ = run("waves")
    assert (
        code == 1
        and "same label, other code" in out
        and "where: {1: 2, 2: 1}" in out
        and "not asked: [liking]" in out
    )
    code, out, _ = run("waves", "--format", "json")
    found = json.loads(out)
    assert code == 1 and found["changes"]["Spring 2025"] == {
        "codes": {"where": {"1": "2", "2": "1"}}, "not asked": ["recommend"], "not offered": {"heard_of": ["Fernwell"]},
    }  # fmt: skip
    code, _, err = run("run")
    assert code == 2 and "2025-spring.csv: its codebook differs" in err and not list(tracker.glob("tables.*"))
    for file in plan["data"]["files"]:  # what is proposed, written beside each file, is all that it takes
        file["changes"] = found["changes"].get(file["label"], {})
    (tracker / "plan.yaml").write_text(yaml.safe_dump(plan, sort_keys=False), encoding="utf-8")
    assert run("waves")[0] == 0
    assert run("run")[0] == 0


def test_the_audit_lists_what_differs_worst_first_and_reads_nothing_before_it_is_said(
    run: Run, tracker: Path
) -> None:
    compared = [
        json.loads(run("waves", name, "--format", "json", cwd=tracker)[1])
        for name in ("before.yaml", "plan.yaml")
    ]
    for name, (wanted, read) in {"before.yaml": (1, False), "plan.yaml": (0, True)}.items():
        code, out, _ = run("audit", name, "--format", "json")
        audit = json.loads(out)
        found = [(slip["name"], slip["where"]) for slip in audit["slips"]]
        differences = compared[0 if wanted else 1]["differences"]
        listed = [(one["kind"], f"{one['question']} ({one['wave']})") for one in differences]
        assert code == wanted and (audit["people"] > 0) == read
        assert listed and [one for one in found if one in listed] == listed and (read or found == listed)
        serious = {
            (one["kind"], f"{one['question']} ({one['wave']})") for one in differences if one["serious"]
        }
        errors = {(slip["name"], slip["where"]) for slip in audit["slips"] if slip["severity"] == "error"}
        assert errors == serious
    out = " ".join(run("audit", "before.yaml")[1].split())
    assert (
        "4 files, not read" in out and "eager-otter waves before.yaml" in out and "0 respondents" not in out
    )


@pytest.mark.parametrize(
    ("data", "message"),
    [("d.csv", "one file of data"), ("{files: [d.csv]}", "No file of the plan has a codebook of its own")],
)
def test_there_is_nothing_to_compare(
    run: Run, write: Callable[[str, str], Path], data: str, message: str
) -> None:
    write("book.yaml", "questions: {q: {kind: single, answers: {1: Yes}}}\n")
    plan = write("plan.yaml", f"data: {data}\ncodebook: book.yaml\ntables: [q]\n")
    code, _, err = run("waves", str(plan))
    assert code == 2 and message in err
