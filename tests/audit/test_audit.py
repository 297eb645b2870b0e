"""The audit: every slip of the spoiled copy exactly once, nothing above a note in the clean one, and the way out."""

from __future__ import annotations

import csv
import json
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.audit.slip import Slip
from eager_otter.report.audit_view import as_json

Write = Callable[..., Path]


def slips(folder: Path) -> list[dict[str, str]]:
    return list(csv.DictReader((folder / "spoiled" / "slips.csv").read_text(encoding="utf-8").splitlines()))


def test_the_spoiled_copy_yields_each_slip_exactly_once(demo: Path) -> None:
    found = otter.run_audit(demo / "spoiled" / "plan.yaml").slips
    wanted = slips(demo)
    assert Counter((f.name, f.where) for f in found) == Counter((s["slip"], s["question"]) for s in wanted)
    assert len(wanted) >= 18


def test_slips_name_the_people_they_touch(demo: Path) -> None:
    found = {f.name: f for f in otter.run_audit(demo / "spoiled" / "plan.yaml").slips}
    for slip in slips(demo):
        one = found[slip["slip"]]
        rows = slip["rows"].split()
        if rows and one.respondents and slip["slip"] != "value in no band":  # which also meets the gap
            assert one.count == len(rows)
            assert [name.split()[1] for name in one.respondents] == rows[:5]
        assert one.message and one.remedy


def test_the_clean_demo_has_nothing_above_a_note(demo: Path) -> None:
    audit = otter.run_audit(demo / "plan.yaml")
    assert not audit.open and {f.severity for f in audit.slips} <= {"note"}


def test_a_slip_can_be_accepted_with_a_reason_and_still_shows(demo: Path, tmp_path: Path) -> None:
    for name in ("responses.csv", "codebook.yaml"):
        (tmp_path / name).write_bytes((demo / "spoiled" / name).read_bytes())
    text = (demo / "spoiled" / "plan.yaml").read_text(encoding="utf-8")
    text += "accept:\n  - {slip: none beside others, where: heard_of, because: asked that way}\n"
    text += "  - {slip: answer nobody gave, because: small sample}\n  - {finding: unknown code, where: wave, because: x}\n"
    (tmp_path / "plan.yaml").write_text(text, encoding="utf-8")
    before = otter.run_audit(demo / "spoiled" / "plan.yaml")
    audit = otter.run_audit(tmp_path / "plan.yaml")
    accepted = {f.name: f.accepted for f in audit.slips if f.accepted}
    assert accepted == {"none beside others": "asked that way", "answer nobody gave": "small sample"}
    assert len(audit.open) == len(before.open) - 1
    idle = [f for f in audit.slips if f.name == "accepted, not found"]
    assert [f.where for f in idle] == ["wave"] and audit.counts()["accepted"] == 2


def audited(write: Write, tmp_path: Path, book: str, plan: str = "", **columns: object) -> dict[str, Slip]:
    write("book.yaml", book)
    pd.DataFrame(columns).to_csv(tmp_path / "d.csv", index=False)
    audit = otter.run_audit(
        write("plan.yaml", f"data: d.csv\ncodebook: book.yaml\ntables: [{{each: all}}]\n{plan}")
    )
    return {one.name: one for one in audit.slips}


def test_ticks_are_judged_with_and_without_a_declared_no(write: Write, tmp_path: Path) -> None:
    book = "questions:\n  q: {kind: multi, columns: {t_1: A, t_2: B}}\n"
    assert "stray tick" not in audited(write, tmp_path, book, t_1=[1, 0, 1], t_2=[0, 0, 1])
    found = audited(write, tmp_path, book, t_1=[1, 0, 1, 5], t_2=[0, 0, 1, 0])
    assert found["stray tick"].message == (
        "1 respondent gave a value that is neither ticked nor not: '5'; it counts as not ticked."
    )


def test_mentions_joined_in_a_cell_are_audited_too(write: Write, tmp_path: Path) -> None:
    book = "questions:\n  q: {kind: multi, joined: {column: j, by: ;}, answers: {1: A, 2: B, 9: {label: No, exclusive: true}}}\n"
    found = audited(write, tmp_path, book, j=["1;2", "1;1", "9;2", "7"])
    assert set(found) == {"same mention twice", "none beside others", "unknown code"}
    assert "7 (1)" in found["unknown code"].message


def test_weights_that_cost_too_much_are_told(write: Write, tmp_path: Path) -> None:
    book = "weight: w\nquestions:\n  q: {kind: single, answers: {1: A, 2: B}}\n"
    found = audited(write, tmp_path, book, w=[0.1] * 70 + [4.0] * 20, q=[1, 2] * 45)
    assert "keeps 26 % of the sample's precision" in found["inefficient weights"].message


def test_filters_of_tables_and_columns_left_aside_are_told(write: Write, tmp_path: Path) -> None:
    book = "questions:\n  q: {kind: single, answers: {1: A, 2: B}}\n"
    plan = "banners: {b: [q]}\n"
    write("book.yaml", book)
    pd.DataFrame({"q": [1, 2], "extra": [1, 2]}).to_csv(tmp_path / "d.csv", index=False)
    text = f"data: d.csv\ncodebook: book.yaml\n{plan}tables:\n  - {{question: q, filter: q in (1..2)}}\n"
    found = {f.name: f for f in otter.run_audit(write("plan.yaml", text)).slips}
    assert found["filter that keeps everyone"].where == "table q"
    assert found["columns left aside"].message == "In no question: 1 column of the data: extra."


@pytest.mark.parametrize(
    ("label", "fits"),
    [("45 plus", False), ("Over 45", True), ("46 or older", True), ("Old", True), ("46+", True)],
)
def test_a_label_must_fit_the_edges_of_its_band(write: Write, tmp_path: Path, label: str, fits: bool) -> None:
    book = f"questions:\n  age: {{kind: number}}\n  b: {{bands: {{of: age, ranges: [0-45, 46+], labels: [Under 46, {label}]}}}}\n"
    assert ("label contradicts band" not in audited(write, tmp_path, book, age=[20, 50])) is fits


def test_the_recode_tables_hold_old_and_new_and_what_was_not_placed(demo: Path) -> None:
    recodes = {recode.question: recode for recode in otter.run_audit(demo / "spoiled" / "plan.yaml").recodes}
    band = recodes["age_band"]
    assert band.source == "age" and band.lines[-1].answer == "(not placed)"
    assert band.lines[-1].source.startswith("12 (2), 35 (") and band.lines[0].source == "16 to 24"
    assert recodes["age_group"].lines[0].source.startswith("16–24 (")
    everyone = recodes["user_type"].lines
    assert sum(line.count for line in everyone) == otter.run_audit(demo / "spoiled" / "plan.yaml").people


def test_the_audit_goes_to_machines_as_json(demo: Path) -> None:
    audit = otter.run_audit(demo / "spoiled" / "plan.yaml")
    loaded = json.loads(as_json(audit))
    assert len(loaded["slips"]) == len(audit.slips) and loaded["counts"]["error"] == audit.counts()["error"]
    assert loaded["slips"][0].keys() >= {
        "name",
        "severity",
        "where",
        "message",
        "remedy",
        "count",
        "respondents",
    }
