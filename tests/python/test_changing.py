"""Codebooks and plans as objects: made of classes, changed by a program, written back as people wrote them."""

from __future__ import annotations

import difflib
import shutil
from collections.abc import Callable, Mapping
from dataclasses import fields
from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import assume, given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter import define
from eager_otter.documents.part import fields_of
from eager_otter.documents.rewriting import rewritten, yaml_of

HAND = """\
---
# The tracker, by hand
title: "Tracker: drinks"   # shown everywhere
missing: [ 99, "098" ]

nets:
  - {label: Best, top: 1, questions: [liking]}

questions:
  # who
  region:
    kind: single
    answers: {010: West, 1.0: East,   # codes as the field wrote them
              +5: South, "true": North}   # the rest
    nets:
      - label: Coast   # not inland
        of: [010, 1.0]

  # how much
  spend: {kind: number, column: 'it''s'}

  liking:
    kind: single
    scale: true
    text: >
      How do you like
      the drink?
    answers:
      1: Poor
      # the middle
      2: Fair
      3: Good
  # the end
"""


def without(text: str, *kept: str) -> list[str]:
    """The lines of a diff against the hand-written file that are not among those that are expected."""
    changes = difflib.unified_diff(HAND.splitlines(), text.splitlines(), lineterm="", n=0)
    lines = [line for line in changes if not line.startswith(("---", "+++", "@@"))]
    return [line for line in lines if line not in kept]


# --- classes --------------------------------------------------------------------------------------------

DEFINED: Mapping[str, define.Single | Any] = {
    "region": define.Single(answers={1: "North", 2: "South", 9: define.Answer(label="Nowhere", missing=True)}, label="Region"),
    "heard": define.Multi(columns="heard_{code}", answers={1: "Tarn", 2: "Fizz"}, nets=[define.Net(label="Both", of=[1, 2], at_least=2, place="above")]),
    "first": define.Multi(mentions=["m1", "m2"], answers={1: "Tarn", 2: define.Answer(label="None", exclusive=True, last=True)}),
    "spend": define.Number(column="sp", missing=[99]), "why": define.Text(text="Why?"), "day": define.Date(format="%d.%m.%Y"),
    "taste": define.Grid(items={"a": "t1", "b": define.Item(column="t2", label="Fizz")}, answers={1: "Poor", 2: "Good"}, scale=True, nets=[{"top": 1}]),
    "order": define.Ranking(ranks=["r1", "r2"], answers={1: "Tarn", 2: "Fizz"}, top=1),
    "spend_band": define.Bands(of="spend", ranges=["0-10", "11+"], labels=["Little", "Much"]),
    "part": define.Merge(of="region", answers={"Up": [1]}, rest="Else"),
    "who": define.Derive(rules={"Northern": "region == 1", "Others": "otherwise"}, asked="spend > 0"),
    "any": define.Combine(questions=["heard", "first"], section="Brands"),
    "total": define.Compute(sum=["spend"], at_least=1), "mentioned": define.Compute(mentions="heard"),
    "month": define.Periods(of="day", by="month", first="2026-01-01", last="2026-03-31"),
    "gap": define.Single(answers={1: "Poor", 2: "Good"}, nets=[define.Net(label="Net", difference=define.Difference(plus=[2], minus=[1]))]),
}  # fmt: skip
WRITTEN = """
questions:
  region: {kind: single, answers: {1: North, 2: South, 9: {label: Nowhere, missing: true}}, label: Region}
  heard: {kind: multi, columns: "heard_{code}", answers: {1: Tarn, 2: Fizz}, nets: [{label: Both, of: [1, 2], at least: 2, place: above}]}
  first: {kind: multi, mentions: [m1, m2], answers: {1: Tarn, 2: {label: None, exclusive: true, last: true}}}
  spend: {kind: number, column: sp, missing: [99]}
  why: {kind: text, text: "Why?"}
  day: {kind: date, format: "%d.%m.%Y"}
  taste: {kind: grid, items: {a: t1, b: {column: t2, label: Fizz}}, answers: {1: Poor, 2: Good}, scale: true, nets: [{top: 1}]}
  order: {kind: ranking, ranks: [r1, r2], answers: {1: Tarn, 2: Fizz}, top: 1}
  spend_band: {bands: {of: spend, ranges: [0-10, 11+], labels: [Little, Much]}}
  part: {merge: {of: region, answers: {Up: [1]}, rest: Else}}
  who: {derive: {Northern: region == 1, Others: otherwise}, asked: spend > 0}
  any: {combine: [heard, first], section: Brands}
  total: {compute: {sum: [spend], at least: 1}}
  mentioned: {compute: {mentions: heard}}
  month: {periods: {of: day, by: month, from: 2026-01-01, to: 2026-03-31}}
  gap: {kind: single, answers: {1: Poor, 2: Good}, nets: [{label: Net, difference: {plus: [2], minus: [1]}}]}
"""


def everything(codebook: otter.Codebook) -> list[Any]:
    """All that the questions of a codebook are, as values that can be compared."""
    return [
        [str(getattr(question, one.name)) for one in fields(question)] for question in codebook
    ]  # expressions have no equality of their own


def test_questions_of_classes_are_those_of_a_file() -> None:
    made, read = otter.codebook_of({"questions": DEFINED}), otter.codebook_from_text(WRITTEN)
    assert everything(made) == everything(read) and len(made) == 20
    assert everything(otter.codebook_from_text(yaml_of(made.definition()))) == everything(read)
    assert everything(otter.codebook_of(read.definition())) == everything(read)


def test_each_class_has_every_key_of_what_it_stands_for() -> None:
    for name in define.__all__:
        kind = getattr(define, name)
        own = set(fields_of(kind._part))
        if kind._within:
            own |= set(fields_of(fields_of(kind._part)[kind._within].hint))
        renamed = {kind._named.get(one.name, one.name) for one in fields(kind)}
        assert renamed == own - {"kind", kind._within}, name


@pytest.mark.parametrize(
    ("make", "message"),
    [
        (lambda: define.Bands(of="age", ranges=["1-2"], edges=[1]), "define.Bands: .*exactly one of ranges"),
        (lambda: define.Net(of=[1]), "define.Net: .*needs a label"),
        (lambda: define.Net(label="A", of=[1], place="beside"), "define.Net: place: expected one of above, below or instead; found 'beside'"),
        (lambda: define.Single(answers={}), "define.Single: answers: expected 1 or more"),
        (lambda: define.Answer(label="A", score="high"), "define.Answer: score: expected a number, or none"),
        (lambda: define.Multi(answers={1: "A"}), "define.Multi: .*exactly one of columns"),
    ],
)  # fmt: skip
def test_a_class_tells_at_once_what_is_wrong(make: Callable[[], object], message: str) -> None:
    with pytest.raises(otter.RequestError, match=message):
        make()


# --- a hand-written file ---------------------------------------------------------------------------------


def test_a_program_adds_and_the_rest_of_the_file_stays(write: Callable[..., Path]) -> None:
    path = write("book.yaml", HAND)
    read = otter.read_codebook(path)
    changed = (
        read.with_question("spend_band", define.Bands(of="spend", ranges=["0-10", "11+"]), after="spend")
        .with_net("liking", define.Net(label="Not poor", of=[2, 3]))
        .with_question("part", define.Merge(of="region", answers={"W": ["010"]}, rest="true"))
    )
    assert list(changed.questions) == ["region", "spend", "spend_band", "liking", "part"]
    assert path.read_text(encoding="utf-8") == HAND and list(read.questions) == ["region", "spend", "liking"]
    assert changed.save() == path
    assert without(
        path.read_text(encoding="utf-8"),
        "+",
        "+  spend_band:",
        "+    bands: {of: spend, ranges: [0-10, 11+]}",
        "+    nets:",
        "+      - {label: Not poor, of: [2, 3]}",
        "+  part:",
        '+    merge: {of: region, answers: {W: ["010"]}, rest: "true"}',
    ) == []  # fmt: skip
    assert everything(otter.read_codebook(path)) == everything(changed)


def test_a_changed_entry_keeps_its_comments_codes_and_order(write: Callable[..., Path]) -> None:
    path = write("book.yaml", HAND)
    said = otter.read_codebook(path).definition()
    said["questions"]["liking"]["answers"]["2"] = "Middling"
    said["questions"]["liking"]["label"] = "Liking"
    said["title"] = 2026
    del said["questions"]["spend"]
    otter.read_codebook(path).with_definition(said).save()
    assert without(
        path.read_text(encoding="utf-8"),
        '-title: "Tracker: drinks"   # shown everywhere', "+title: 2026                # shown everywhere",
        "-  spend: {kind: number, column: 'it''s'}", "-      2: Fair", "+      2: Middling", "+    label: Liking",
    ) == []  # fmt: skip


def test_a_comment_that_would_be_lost_is_not(write: Callable[..., Path]) -> None:
    path = write("book.yaml", HAND.replace("   # codes as the field wrote them", "\n    # as in the field"))
    codebook = otter.read_codebook(path)
    before = path.read_text(encoding="utf-8")
    try:
        codebook.with_net("region", {"label": "East too", "of": ["1.0"]}).save()
    except otter.RequestError as error:
        assert "without losing something" in str(error) and path.read_text(encoding="utf-8") == before
    after = path.read_text(encoding="utf-8")
    assert {line.strip() for line in before.splitlines() if "#" in line} <= {line.strip() for line in after.splitlines()}  # fmt: skip


def test_windows_line_ends_stay(tmp_path: Path) -> None:
    path = tmp_path / "book.yaml"
    path.write_bytes(HAND.replace("\n", "\r\n").encode())
    otter.read_codebook(path).with_net("liking", {"label": "Not poor", "of": [2, 3]}).save()
    content = path.read_bytes()
    assert content.count(b"\n") == content.count(b"\r\n") == HAND.count("\n") + 2


def test_one_codebook_is_saved_again_but_not_over_the_work_of_others(write: Callable[..., Path]) -> None:
    path = write("book.yaml", HAND)
    read = otter.read_codebook(path)
    one = read.with_net("liking", {"label": "Not poor", "of": [2, 3]})
    one.save()
    one = one.with_question("new", define.Number())
    one.save()
    other = read.with_question("other", define.Number())
    with pytest.raises(otter.FileProblem, match=r"has been changed since it was read; read it again"):
        other.save()
    assert list(otter.read_codebook(path).questions) == ["region", "spend", "liking", "new"]
    with pytest.raises(otter.FileProblem, match="force"):
        other.save(write("notes.yaml", "mine: true"))
    assert list(otter.read_codebook(other.save(path.with_name("elsewhere.yaml"))).questions)[-1] == "other"


def test_a_codebook_in_several_files_is_changed_where_each_question_is(write: Callable[..., Path]) -> None:
    part = write(
        "part.yaml", "# the brands\nquestions:\n  heard: {kind: multi, mentions: [m1], answers: {1: Tarn}}\n"
    )
    main = write("book.yaml", "include: [part.yaml]\nquestions:\n  spend: {kind: number}\n")
    read = otter.read_codebook(main)
    assert list(read.definition()["questions"]) == ["heard", "spend"]
    changed = read.with_net("heard", {"label": "Any", "of": [1]}).with_question("next", define.Number(), after="heard").with_question("last", define.Number())  # fmt: skip
    with pytest.raises(otter.RequestError, match="was changed too; write them all in their places"):
        otter.read_codebook(main).with_net("heard", {"label": "Any", "of": [1]}).save(
            main.with_name("x.yaml")
        )
    changed.save()
    assert list(yaml.safe_load(part.read_text())["questions"]) == ["heard", "next"] and part.read_text().startswith("# the brands\n")  # fmt: skip
    assert (
        main.read_text()
        == "include: [part.yaml]\nquestions:\n  spend: {kind: number}\n  last:\n    kind: number\n"
    )
    assert list(otter.read_codebook(main).questions) == ["heard", "next", "spend", "last"]
    with pytest.raises(otter.RequestError, match="keeps one question at least"):
        read.without_question("heard")


@pytest.mark.parametrize(
    ("change", "message"),
    [
        (lambda book: book.with_question("region", define.Text()), "There is a question 'region' already; say replace=True"),
        (lambda book: book.with_question("regoin", define.Text(), replace=True), "No question 'regoin' in the codebook. Did you mean 'region'"),
        (lambda book: book.with_question("new", define.Text(), after="regoin"), "No question 'regoin' in the codebook. Did you mean 'region'"),
        (lambda book: book.without_question("regoin"), "No question 'regoin'"),
        (lambda book: book.with_net("likin", {"top": 1}), "No question 'likin' in the codebook. Did you mean 'liking'"),
        (lambda book: book.with_net("liking", {"top": 9}), r"book.yaml:\d+:\d+: .*top and bottom take fewer"),
        (lambda book: book.with_question("q", {"kind": "sngle"}), r"book.yaml:\d+:\d+: kind: expected one of .*Did you mean 'single'"),
        (lambda book: book.with_question("q", 3), "Codebook.with_question: definition: expected a mapping or an object of define; found the number 3"),
        (lambda book: otter.Codebook(title="", questions={}).with_question("q", define.Text()), "has nothing to change"),
        (lambda book: otter.codebook_of({"questions": {"q": define.Text()}}).save(), "say where to write it"),
    ],
)  # fmt: skip
def test_a_change_that_is_wrong_is_told(write: Callable[..., Path], change: Callable[..., object], message: str) -> None:  # fmt: skip
    with pytest.raises(otter.OtterError, match=message):
        change(otter.read_codebook(write("book.yaml", HAND)))


# --- a law ----------------------------------------------------------------------------------------------

KEYS = st.text("abc:#- '\"0é", min_size=1, max_size=4)
SCALARS = st.one_of(
    st.text("abc:#,[]{}- '\"\n0é", max_size=6), st.integers(-20, 20), st.booleans(), st.none()
)
VALUES = st.recursive(SCALARS, lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(KEYS, inner, max_size=3)), max_leaves=6)  # fmt: skip
ENTRIES = st.one_of(
    st.dictionaries(KEYS, VALUES, min_size=1, max_size=4), st.lists(VALUES, min_size=1, max_size=4), SCALARS
)
DOCUMENTS = st.dictionaries(KEYS, ENTRIES, min_size=1, max_size=4)


def commented(text: str, gaps: list[bool]) -> tuple[str, list[str]]:
    """The text with comments before some of its top entries, and these comments."""
    lines, comments = [], []
    for k, line in enumerate(text.splitlines()):
        if line[:1] not in (" ", "-", "") and gaps[k % len(gaps)] and line[:1] not in "'\"":
            comments.append(f"# note {k}")
            lines += ["", comments[-1]]
        lines.append(line)
    return "\n".join(lines) + "\n", sorted(comments)


@given(
    DOCUMENTS,
    DOCUMENTS,
    st.lists(st.booleans(), min_size=3, max_size=3),
    st.lists(st.booleans(), min_size=4, max_size=4),
)
def test_whatever_a_document_is_to_say_it_says_and_keeps_its_comments(
    old: dict[str, Any], new: dict[str, Any], gaps: list[bool], kept: list[bool]
) -> None:
    text, comments = commented(yaml_of(old), gaps)
    data = {key: value for k, (key, value) in enumerate(old.items()) if kept[k]}
    data |= {key: value for key, value in new.items() if key not in old or kept[0]}
    assume(data)
    changed = rewritten(text, Path("book.yaml"), data)  # it checks itself that it says the data
    assert yaml_of(yaml.load(changed, yaml.BaseLoader)) == yaml_of(yaml.load(yaml_of(data), yaml.BaseLoader))
    assert sorted(line for line in changed.splitlines() if line in comments) == comments


# --- plans ----------------------------------------------------------------------------------------------


def test_a_plan_gets_a_table_and_a_banner_and_is_run(demo: Path, tmp_path: Path) -> None:
    folder = tmp_path / "demo"
    shutil.copytree(demo, folder)
    codebook = otter.read_codebook(folder / "codebook.yaml")
    codebook = codebook.with_question(
        "age_wide", define.Bands(of="age", ranges=["16-44", "45+"], label="Age")
    )
    plan = otter.read_plan(folder / "plan.yaml")
    with pytest.raises(otter.DocumentError, match="no question 'age_wide'"):
        plan.with_table("age_wide")
    before = plan.path.read_text(encoding="utf-8")
    plan = (
        plan.with_codebook(codebook)
        .with_banner("wide", ["age_wide", ["wave", "gender"]])
        .with_table({"question": "liking", "id": "liking-wide", "banner": "wide"}, after="named")
        .with_table("age_wide")
    )
    report = otter.run(plan)
    by_hand = (
        otter.open_survey(codebook, folder / "responses.csv").filtered(plan.filter or "").weighted_by("wt")
    )
    alone = by_hand.table("liking", "age_wide", figures="column percent").value("Good", "45+")
    assert report["liking-wide"].value("Good", "45+") == pytest.approx(alone, rel=1e-12)
    codebook.save()
    plan.save()
    text = plan.path.read_text(encoding="utf-8")
    removed = [
        line for line in difflib.ndiff(before.splitlines(), text.splitlines()) if line.startswith("- ")
    ]
    assert removed == [] and text.count("age_wide") == 2
    ids = [request.id for request in otter.read_plan(plan.path).requests]
    assert ids[ids.index("named") + 1] == "liking-wide" and ids[-1] == "age_wide"
    with pytest.raises(otter.RequestError, match="paths in it start from the folder"):
        plan.save(tmp_path / "plan.yaml")
    with pytest.raises(otter.UnknownName, match="No table 'namde'"):
        plan.with_table("region", after="namde")
    with pytest.raises(otter.RequestError, match="There is a banner 'wide' already"):
        plan.with_banner("wide", ["region"])
    narrow = plan.with_banner("wide", ["region"], replace=True)
    assert [len(one.banners["wide"].groups) for one in (plan, narrow)] == [2, 1]


def test_a_plan_of_mappings_is_written_and_read(demo: Path, tmp_path: Path) -> None:
    codebook = otter.read_codebook(demo / "codebook.yaml")
    shutil.copy(demo / "responses.csv", tmp_path)
    plan = otter.plan_of({"data": "responses.csv", "tables": ["liking"], "banners": {"main": ["region"]}}, codebook=codebook, folder=tmp_path)  # fmt: skip
    plan = plan.with_table({"question": "spend", "banner": "main"})
    saved = plan.save(tmp_path / "mine.yaml")
    assert [request.id for request in otter.read_plan(saved).requests] == ["liking", "spend"]
