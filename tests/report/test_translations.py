"""Labels in other languages: everything shown is translated, nothing that is counted, tested or named changes."""

from __future__ import annotations

import json
import pickle
import re
import shutil
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.documents.translated import Translated, goes_by, joined, names_of, written
from eager_otter.plan.reading import in_language

Run = Callable[..., tuple[int, str, str]]
Write = Callable[[str, str], Path]
OPEN, CLOSE = "«", "»"
SHOWN = ("title", "label", "heading", "note", "base text")  # keys of texts that a reader sees
BY_LABEL = ("columns", "differences", "derive", "ranges")  # keys whose own keys are labels


def labels_in(data: object, key: str = "") -> Iterator[str]:
    """Go through all that may be a label or a text in a document, found without any of the code that translates."""
    if isinstance(data, dict):
        for name, value in data.items():
            yield from (str(one) for one in ([name] if key in BY_LABEL else []))
            yield from (str(one) for one in [value] if not isinstance(value, dict | list))
            yield from labels_in(value, str(name))
    for value in data if isinstance(data, list) else []:
        yield from (str(one) for one in [value] if not isinstance(value, dict | list))
        yield from labels_in(value, key)


def in_brackets(folder: Path, plans: tuple[str, ...]) -> None:
    """Translate all labels of a folder into themselves in brackets, for the language of English."""
    book = otter.read_codebook(folder / "codebook.yaml")
    texts = set(labels_in(book.definition()))
    texts |= {
        text for question in book for text in (question.text, question.label)
    }  # of a ranking they are made
    texts |= {answer.label for question in book for answer in question.answers}
    texts |= {net.label for question in book for net in (*question.nets, *question.differences)}
    for name in plans:
        texts |= set(labels_in(otter.read_plan(folder / name).definition()))
    words = {text: f"{OPEN}{text}{CLOSE}" for text in texts if any(map(str.isalpha, text))}
    (folder / "brackets.yaml").write_text(yaml.safe_dump(words, allow_unicode=True), encoding="utf-8")
    for name in ("codebook.yaml", *plans):
        text = (folder / name).read_text(encoding="utf-8")
        text = text.replace("\ncodebook: codebook.yaml", "\ncodebook: t-codebook.yaml")
        if name == "codebook.yaml":
            text += "\ntranslations: {en: brackets.yaml}\n"
        (folder / f"t-{name}").write_text(text, encoding="utf-8")


@pytest.mark.slow
@pytest.mark.parametrize("plan", ["plan.yaml", "shapes.yaml"])
def test_a_report_whose_labels_are_in_brackets_is_the_report_in_brackets(
    demo: Path, tmp_path: Path, plan: str
) -> None:
    demo_copy = Path(shutil.copytree(demo, tmp_path / "demo"))
    in_brackets(demo_copy, (plan,))
    plain, bracketed = otter.run(demo_copy / plan), otter.run(demo_copy / f"t-{plan}")
    for ending in ("json", "html"):
        one, other = demo_copy / f"one.{ending}", demo_copy / f"other.{ending}"
        plain.save(one)
        bracketed.save(other)
        text = other.read_text(encoding="utf-8")
        assert text.count(OPEN) > 1000
        assert text.replace(OPEN, "").replace(CLOSE, "") == one.read_text(encoding="utf-8")
    records = json.loads((demo_copy / "other.json").read_text(encoding="utf-8"))
    for table in records[
        "tables"
    ]:  # no label without its brackets: in titles, rows, columns, or within a note
        assert table["title"][0] == OPEN
        assert "«" in table["title"]
    rows = {(one["row"], one["group"], one["row_kind"]) for one in records["records"]}
    own = ("Lower after", "Higher after", "Same answer", "No answer")  # words of ours
    labels = {row for row, _, kind in rows if kind in ("answer", "net") and row not in own}
    assert all(label[0] == OPEN or label[0].isdigit() for label in labels)
    assert all(not group or OPEN in group or group == "Items" for _, group, _ in rows)


BOOK = """
title: Two
universe: adults
conditions: {age >= 30: people of 30 and over}
questions:
  region: {kind: single, section: You, label: Region, answers: {1: North, 2: South, 3: Nowhere}}
  taste: {kind: single, label: Taste, answers: {1: Light, 2: Strong, 9: {label: Don't know, missing: true}}}
  lamp: {kind: single, label: Lamp, answers: {1: Light, 2: Dark}}
  heard:
    kind: multi
    label: Heard
    columns: {h_1: Tarn, h_2: Birk, h_3: {label: None of these, exclusive: true}}
    ticked: [1]
    nets: [{label: Any brand, of: [Tarn, Birk]}]
  rating:
    kind: grid
    text: How good?
    items: {tarn: {column: r_1, label: Tarn}, birk: {column: r_2, label: Birk}}
    answers: {1: Bad, 2: Fair, 3: Good}
    scale: true
    nets: [{top: 1, label: Top}, {label: Net score, difference: {plus: [3], minus: [1]}}]
  age: {kind: number, label: Age}
translations:
  de:
    North: Nord
    Region: Gegend
    Heard: Bekannt
    Any brand: Eine Marke
    None of these: Keine davon
    Light: Hell
    taste: {Light: Leicht}
    Top: Beste
    Net score: Saldo
    How good?: Wie gut?
    Tarn known: Tarn bekannt
    people of 30 and over: Leute ab 30
  pt-BR: {North: Norte}
"""
DATA = "region,taste,lamp,h_1,h_2,h_3,r_1,r_2,age\n" + "".join(
    f"{1 + k % 3},{(1, 2, 9)[k % 4 % 3]},{1 + k % 2},{k % 2},{int(k % 5 == 0)},0,{1 + k % 3},{1 + k % 4 % 3},{20 + k}\n"
    for k in range(60)
)
PLAN = """
data: data.csv
codebook: book.yaml
language: de
filter: age >= 30
banners:
  main:
    - {question: region, keep: [North, South], against: {column: North}}
    - {label: Known, columns: {Tarn known: 'heard mentions any ("Tarn")', All: age > 0}, hide: [All]}
    - {question: heard, keep: [Any brand, None of these]}
defaults: {banner: main}
tables:
  - {question: heard, sort: {by: figure, column: North}, hide: [None of these], untested: [Any brand]}
  - {question: taste, leave out: [Strong]}
  - {question: lamp, figures: [percent of answer], percent of: Dark}
  - {grid: rating, figure: Top, id: top}
  - {grid: rating, figure: Net score, id: score}
outputs: [out.json]
"""


@pytest.fixture
def plan(tmp_path: Path, write: Write) -> Path:
    write("data.csv", DATA)
    write("book.yaml", BOOK)
    return write("plan.yaml", PLAN)


def figures_of(report: otter.Report) -> list[Any]:
    """All that is no text: values, letters, marks, codes."""
    return [
        (table.id, line.values.tolist(), line.letters, line.marks, line.code, line.kind)
        for table in report
        for line in table.lines
    ]


def test_a_plan_names_things_as_written_and_shows_them_translated(plan: Path) -> None:
    german = otter.run(plan)
    assert repr(figures_of(german)) == repr(figures_of(otter.run(in_language(otter.read_plan(plan), "en"))))
    heard = german.table("heard")
    assert [column.label for column in heard.columns] == [
        "Gesamt", "Nord", "South", "Tarn bekannt", "Eine Marke", "Keine davon",
    ]  # fmt: skip
    assert [group.label for group in heard.groups] == ["Gegend", "Known", "Bekannt"]
    assert any("Leute ab 30" in note for note in heard.notes_shown("full"))
    assert "Wie gewünscht nicht getestet: Eine Marke." in heard.notes_shown("full")
    assert any("Nord" in note and "ortiert" in note for note in heard.notes_shown("full"))
    assert [table.title for table in german] == [
        "Bekannt",
        "Taste",
        "Lamp",
        "Wie gut? – Beste",
        "Wie gut? – Saldo",
    ]
    labels = {name: [line.label for line in german.table(name).body] for name in ("taste", "lamp")}
    assert "Leicht" in labels["taste"] and "Hell" not in labels["taste"] and "Hell" in labels["lamp"]


def test_both_names_find_a_row_and_a_column(plan: Path) -> None:
    table = otter.run(plan).table("heard")
    found = {
        table.value(row, column, "column percent")
        for row in ("Eine Marke", "Any brand")
        for column in ("Nord", "North", "Gegend: Nord", "Region: North", "Region: Nord")
    }
    assert len(found) == 1
    assert (
        table.explain("Any brand", "North").text()
        if hasattr(table.explain("Any brand", "North"), "text")
        else True
    )
    survey = otter.open_survey(plan.parent / "book.yaml", plan.parent / "data.csv").in_language("de")
    assert survey["region"].find("nord") is survey["region"].find("North") is survey["region"].find("1")
    for name in ("Any brand", "Eine Marke"):
        table = survey.table("rating.tarn", {"question": "heard", "keep": [name]}, untested=["Top"])
        assert table.columns[1].label == "Eine Marke"
    with pytest.raises(otter.UnknownName, match="Eine Marke"):
        survey.table("region", {"question": "heard", "keep": ["Eine Mark"]})


def test_a_language_is_left_again_and_another_taken(plan: Path) -> None:
    german = otter.read_plan(plan)
    for language, north in (("en", "North"), ("de", "Nord")):
        again = in_language(german, language)
        assert again.codebook["region"].answers[0].label == north
        assert again.requests == in_language(in_language(again, "de"), language).requests
    survey = otter.open_survey(plan.parent / "book.yaml", plan.parent / "data.csv")
    book = plan.parent / "french.yaml"
    book.write_text("language: pt-BR\nwords: {}\n", encoding="utf-8")
    assert survey.in_language("de").in_language(str(book))["region"].answers[0].label == "Norte"
    assert survey.in_language("de").in_language("en")["region"].answers[0].label == "North"
    book.write_text("language: de-AT\nwords: {}\n", encoding="utf-8")
    assert survey.in_language(str(book))["region"].answers[0].label == "Nord"


def test_the_plan_spelled_out_is_as_it_is_written(plan: Path, run: Run) -> None:
    assert run("run", plan, "--spell-out", plan.parent / "long.yaml")[0] == 0
    assert "Nord" not in (plan.parent / "long.yaml").read_text(encoding="utf-8")
    spelled = otter.read_plan(plan.parent / "long.yaml")
    assert repr(figures_of(otter.run(spelled))) == repr(figures_of(otter.run(plan)))


def test_a_report_before_in_another_language_is_not_taken_over(plan: Path) -> None:
    english = otter.run(in_language(otter.read_plan(plan), "en"))
    again = otter.run(otter.read_plan(plan), before=english)
    assert again.table("heard").columns[1].label == "Nord"


def test_what_lacks_is_told_and_printed_to_be_filled_in(plan: Path, run: Run) -> None:
    code, _, told = run("run", plan)
    assert code == 0
    count = int(
        re.search(r"Note: (\d+) texts are not translated \(de\) and shown as written: 'Two', 'adults'", told)[
            1
        ]
    )  # type: ignore[index]
    code, printed, _ = run("words", "--plan", plan, "--language", "de")
    words = yaml.safe_load(printed)
    assert code == 0
    assert sum(own == "" for own in words.values()) == count
    assert words["North"] == "Nord" and words["taste"] == {"Light": "Leicht"} and words["Known"] == ""
    filled = {text: own or f"{text}_" for text, own in words.items()}
    book = re.sub(r"(?s)translations:.*", "translations: {de: german.yaml}\n", BOOK)
    (plan.parent / "book.yaml").write_text(book, encoding="utf-8")
    (plan.parent / "german.yaml").write_text(yaml.safe_dump(filled, allow_unicode=True), encoding="utf-8")
    code, _, told = run("run", plan)
    assert code == 0 and "not translated" not in told
    heard = otter.run(plan).table("heard")
    assert [column.label for column in heard.columns][2] == "South_"
    assert heard.groups[1].label == "Known_"


@pytest.mark.parametrize(
    ("translations", "told"),
    [
        ("{de: {regoin: {North: Nord}}}", "No question 'regoin'. Did you mean 'region'?"),
        ("{de: {region: {Nroth: Nord}}}", "region has no text 'Nroth'. Did you mean 'North' or"),
        ("{german: {North: Nord}}", "a language is named by its tag, such as de or pt-BR; found 'german'"),
        ("{de: nowhere.yaml}", "translations: "),
        ("{de: [North]}", "de"),
        ("{de: {North: [a]}}", "North"),
    ],
)
def test_mistakes_in_translations_are_told_with_their_place(
    write: Write, translations: str, told: str
) -> None:
    book = re.sub(r"(?s)translations:.*", f"translations: {translations}\n", BOOK)
    with pytest.raises(otter.DocumentError) as caught:
        otter.read_codebook(write("book.yaml", book))
    (problem,) = caught.value.problems
    assert told.casefold() in str(problem).casefold()
    assert str(problem).startswith(
        ("book.yaml:", str(caught.value.problems[0]).split("book.yaml")[0] + "book.yaml:")
    )


def test_a_mistake_in_the_file_of_a_language_has_its_line_there(write: Write, tmp_path: Path) -> None:
    write("german.yaml", "North: Nord\nregion:\n  Nroth: Nord\n")
    book = re.sub(r"(?s)translations:.*", "translations: {de: german.yaml}\n", BOOK)
    with pytest.raises(otter.DocumentError, match=r"german.yaml:3:3"):
        otter.read_codebook(write("book.yaml", book))
    write("german.yaml", "North: Nord\n")
    codebook = otter.read_codebook(tmp_path / "book.yaml")
    assert [path.name for path in codebook.files] == ["book.yaml", "german.yaml"]
    digest = codebook.digest
    write("german.yaml", "North: Norden\n")
    assert otter.read_codebook(tmp_path / "book.yaml").digest != digest


def test_reports_for_each_have_the_labels_of_their_language(plan: Path) -> None:
    each = "\nfor each: {question: region, keep: [North, South], differs: {North: {language: de}}}\nlanguage: en\n"
    text = (
        plan.read_text(encoding="utf-8")
        .replace("language: de", "")
        .replace("keep: [North, South], against: {column: North}", "against: rest")
    )
    plan.write_text(text + each, encoding="utf-8")
    plans = otter.plans_for_each(plan)
    assert [one.title for one in plans.values()] == ["Two – Nord", "Two – South"]
    assert [one.codebook["region"].label for one in plans.values()] == ["Gegend", "Region"]


@given(st.text(), st.text(), st.sampled_from([": ", " × "]))
def test_a_translated_text_is_what_it_shows_and_goes_by_both(shown: str, plain: str, between: str) -> None:
    text = Translated(shown, plain)
    assert text == shown and hash(text) == hash(shown) and f"{text}" == shown
    assert written(text) == plain and names_of(text) == (shown, plain)
    assert goes_by(text, shown) and goes_by(text, plain) and goes_by(plain, text.written)
    again = pickle.loads(pickle.dumps(text))
    assert again == shown and written(again) == plain
    whole = joined(between, [text, "2026"])
    assert whole == f"{shown}{between}2026" and written(whole) == f"{plain}{between}2026"
