"""What the audit asks about scales, rules, missing codes and nets, and what it no longer asks in vain."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pandas as pd
import pytest

import eager_otter as otter
from eager_otter.audit.slip import Audit, Slip

Write = Callable[..., Path]


def audit_of(
    write: Write, tmp_path: Path, book: str, tables: str = "[{each: all}]", **columns: object
) -> Audit:
    write("book.yaml", book)
    pd.DataFrame(columns).to_csv(tmp_path / "d.csv", index=False)
    return otter.run_audit(write("plan.yaml", f"data: d.csv\ncodebook: book.yaml\ntables: {tables}\n"))


def found_in(
    write: Write, tmp_path: Path, book: str, tables: str = "[{each: all}]", **columns: object
) -> dict[str, Slip]:
    return {one.name: one for one in audit_of(write, tmp_path, book, tables, **columns).slips}


def scale(answers: str, extra: str = "", kind: str = "true") -> str:
    return f"questions:\n  q: {{kind: single, scale: {kind}, answers: {{{answers}}}{extra}}}\n"


@pytest.mark.parametrize("label", ["Don't know", "Not sure", "Refused", "Weiß nicht", "Keine Angabe"])
def test_a_scored_answer_that_looks_like_none_is_asked_about(
    write: Write, tmp_path: Path, label: str
) -> None:
    found = found_in(write, tmp_path, scale(f"1: Poor, 2: Fair, 3: Good, 4: {label}"), q=[1, 2, 3, 4])
    assert found["no answer with a score"].message == (
        f"The scale scores {label} (4), which looks like no answer: it counts in means and in top or bottom nets."
    )
    told = scale(f"1: Poor, 2: Fair, 3: Good, 4: {{label: {label}, score: none}}")
    assert "no answer with a score" not in found_in(write, tmp_path, told, q=[1, 2, 3, 4])


def test_what_does_not_apply_is_an_answer_among_steps_of_what_applies(write: Write, tmp_path: Path) -> None:
    steps = "1: Trifft gar nicht zu, 2: Trifft nicht zu, 3: Trifft eher zu, 4: Trifft voll zu"
    assert "no answer with a score" not in found_in(write, tmp_path, scale(steps), q=[1, 2, 3, 4])
    other = scale("1: Schlecht, 2: Mittel, 3: Gut, 4: Trifft nicht zu")
    assert "no answer with a score" in found_in(write, tmp_path, other, q=[1, 2, 3, 4])


@pytest.mark.parametrize(
    ("answers", "jumps"),
    [
        ("1: A, 2: B, 3: C, 8: D", "D (8)"),
        ("0: A, 25: B, 50: C, 75: D", ""),
        ("1: A, 2: B, 3: C, 8: {label: D, score: 4}", ""),
        ("1: A, 2: B, 3: C, 8: {label: D, score: none}", ""),
        ("1: A, 2: B, 3: C, 8: {label: D, missing: true}", ""),
    ],
)
def test_codes_that_jump_are_asked_about_where_they_are_the_scores(
    write: Write, tmp_path: Path, answers: str, jumps: str
) -> None:
    found = found_in(write, tmp_path, scale(answers), q=[1, 2, 3, 8])
    assert ("codes of a scale jump" in found) == bool(jumps)
    if jumps:
        assert (
            found["codes of a scale jump"].message
            == f"The codes are the scores, and there is a gap before {jumps}."
        )


@pytest.mark.parametrize(
    ("first", "last", "kind", "asked"),
    [
        ("Very good", "Very poor", "true", True),
        ("Very good", "Very poor", "best first", False),
        ("Very poor", "Very good", "best first", True),
        ("Very poor", "Very good", "true", False),
        ("Stimme zu", "Stimme nicht zu", "true", True),
        ("Red", "Blue", "true", False),
    ],
)
def test_labels_that_disagree_with_the_direction_are_asked_about(
    write: Write, tmp_path: Path, first: str, last: str, kind: str, asked: bool
) -> None:
    found = found_in(write, tmp_path, scale(f"1: {first}, 2: Middling, 3: {last}", kind=kind), q=[1, 2, 3])
    assert ("direction of a scale" in found) is asked


def test_what_otherwise_takes_in_and_leaves_out_is_counted(write: Write, tmp_path: Path) -> None:
    book = (
        "questions:\n  n: {kind: number}\n"
        "  some: {derive: {Low: n < 3, Other: otherwise}}\n"
        "  all: {derive: {Low: n < 3, Other: everyone else}}\n"
        "  none: {derive: {Low: n < 3, High: n >= 3, Other: otherwise}}\n"
    )
    audit = audit_of(write, tmp_path, book, n=[1, 2, 5, 6, 7, None, None])
    told = {
        f.where: f
        for f in audit.slips
        if f.name in ("what otherwise takes in", "otherwise that nobody reaches")
    }
    assert told["some"].message == (
        "'Other' (otherwise) takes in 3 respondents and leaves out 2 respondents without an answer to any question of the rules."
    )
    assert told["all"].message == (
        "'Other' (everyone else) takes in 5 respondents, 2 of them without an answer to any question of the rules."
    )
    assert told["none"].name == "otherwise that nobody reaches" and told["none"].severity == "warning"
    recodes = {recode.question: recode.lines for recode in audit.recodes}
    assert [(line.answer, line.source, line.count) for line in recodes["some"]] == [
        ("Low", "n < 3: 1 to 2 (2)", 2),
        ("Other", "otherwise: 5 to 7 (3)", 3),
        ("(not placed)", "no rule holds: no answer (2)", 2),
    ]
    assert recodes["all"][-1].source == "everyone else: 5 to 7 (3), no answer (2)"


def test_derived_questions_show_source_by_new_for_every_kind_of_source(write: Write, tmp_path: Path) -> None:
    book = (
        "questions:\n  s: {kind: single, answers: {1: Yes it is, 2: Not it}}\n  m: {kind: multi, columns: {m_1: Tarn, m_2: Skerrow}}\n"
        "  t: {kind: text}\n  d: {kind: date}\n"
        "  k: {derive: {First: s == 1 and m mentions any (1), Rest: otherwise}}\n"
        '  w: {derive: {Fizzy: t contains "fizz", Early: d in ("2026-01-01".."2026-01-31")}}\n'
    )
    audit = audit_of(
        write, tmp_path, book, s=[1, 1, 2, 2], m_1=[1, 0, 1, 0], m_2=[1, 1, 0, 0], t=["fizz", None, "x", "y"],
        d=["2026-03-01", "2026-01-05", None, None],
    )  # fmt: skip
    lines = {recode.question: [line.source for line in recode.lines] for recode in audit.recodes}
    assert lines["k"][0].endswith("m Tarn (1), Skerrow (1); s Yes it is (1)")
    assert lines["k"][1] == "otherwise: m Tarn (1), Skerrow (1); s Yes it is (1), Not it (2)"
    assert lines["w"][0].endswith("d 2026-03-01 to 2026-03-01 (1); t a text (1)")
    assert lines["w"][1].endswith("d 2026-01-05 to 2026-01-05 (1); t no answer (1)")


def test_missing_codes_that_nobody_has_are_told(write: Write, tmp_path: Path) -> None:
    book = (
        "missing: [97, 98]\nquestions:\n"
        '  n: {kind: number, missing: [99, "300..400", "> 9000"]}\n'
        "  s: {kind: single, answers: {1: A, 2: B, 9: {label: Refused, missing: true}}}\n"
        "  j: {kind: multi, joined: {column: j, by: ;}, answers: {1: A, 2: B}, missing: [90, 91]}\n"
    )
    audit = audit_of(write, tmp_path, book, n=[1, 99, 350, 2], s=[1, 2, 97, 9], j=["1;90", "2", "1", "2"])
    told = [(f.where, f.message) for f in audit.slips if f.name == "missing code nobody has"]
    assert told == [
        ("n", "Nobody has the missing code > 9000."),
        ("j", "Nobody has the missing code 91."),
        ("codebook", "Nobody has the missing code 98."),
    ]


@pytest.mark.parametrize(
    ("label", "fits"),
    [("1 to 4", True), ("1 to 5", True), ("Under 5", True), ("1 to 6", False), ("Under 4", False)],
)
def test_whole_number_labels_fit_half_open_bands(
    write: Write, tmp_path: Path, label: str, fits: bool
) -> None:
    book = f"questions:\n  n: {{kind: number}}\n  b: {{bands: {{of: n, edges: [1, 5, 9], labels: [{label}, 5 to 8, 9 or more]}}}}\n"
    assert ("label contradicts band" not in found_in(write, tmp_path, book, n=[1, 4, 5, 9])) is fits


UNEQUAL = (
    "questions:\n  a: {kind: single, scale: true, answers: {1: Bad, 2: Fair, 3: Good}, nets: [{top: 1}]}\n"
    "  b: {kind: single, scale: true, answers: {1: Bad, 2: Poor, 3: Fair, 4: Good}, nets: [{top: 1}]}\n"
)  # fmt: skip


def test_unequal_scales_are_asked_about_only_where_they_meet_in_a_table(write: Write, tmp_path: Path) -> None:
    data = {"a": [1, 2, 3, 3], "b": [1, 2, 3, 4]}
    assert "net over unequal scales" not in found_in(write, tmp_path, UNEQUAL, **data)
    meet = "[{items: [a, b], figure: Top one, id: both}]"
    assert found_in(write, tmp_path, UNEQUAL, meet, **data)["net over unequal scales"].where == "table both"
    apart = "[{items: [a, b], figure: mean, id: both}]"
    assert "net over unequal scales" not in found_in(write, tmp_path, UNEQUAL, apart, **data)


def test_a_promoter_score_is_asked_about_on_any_other_scale(write: Write, tmp_path: Path) -> None:
    seven = ", ".join(f"{k}: Step {k}" for k in range(1, 8))
    eleven = ", ".join(f"{k}: Step {k}" for k in range(11))

    def asked(answers: str, plus: str, minus: str) -> set[str]:
        extra = f", nets: [{{label: Score, difference: {{plus: [{plus}], minus: [{minus}]}}}}]"
        found = found_in(write, tmp_path, scale(answers, extra), q=[1, 2, 3])
        return {slip for slip in found if slip.startswith("difference")}

    assert asked(seven, "6, 7", "1, 2, 3, 4") == {"difference of unequal groups"}
    assert asked(seven, "6, 7", "1, 2") == set()
    assert asked(seven, "1, 2", "6, 7") == {"difference does not fit the scale"}
    assert asked(eleven, "9, 10", "0, 1, 2, 3, 4, 5, 6") == set()
    assert asked(eleven, "8, 9, 10", "0, 1, 2, 3, 4, 5, 6") == {"difference of unequal groups"}


def test_unfinished_interviews_are_still_asked_about(demo: Path, tmp_path: Path) -> None:
    text = (demo / "plan.yaml").read_text(encoding="utf-8").replace('filter: status == "complete"\n', "")
    text = text.replace("data: ", f"data: {demo}/").replace("codebook: ", f"codebook: {demo}/")
    (tmp_path / "plan.yaml").write_text(text, encoding="utf-8")
    found = {f.name: f for f in otter.run_audit(tmp_path / "plan.yaml").slips}
    assert found["unfinished interviews"].count == 72
