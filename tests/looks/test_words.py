"""The fixed words: all in the catalogue, in any language, in other words by a theme, and never in the way of names."""

from __future__ import annotations

import ast
import pickle
import re
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from conftest import mistakes_told
from eager_otter.looks.catalogue import catalogue_text, known_texts, load_words, places_in
from eager_otter.looks.words import ENGLISH
from eager_otter.plan.reading import in_language, only_tables

Run = Callable[..., tuple[int, str, str]]
SOURCE = Path(otter.__file__).parent


def texts_said() -> set[str]:
    """Every English text that code, the page's template or its script says through a catalogue."""
    found = set()
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if isinstance(node, ast.Call) and node.args and isinstance(node.args[0], ast.Constant):
                name = getattr(node.func, "id", getattr(node.func, "attr", ""))
                if name in ("say", "said", "words") and isinstance(node.args[0].value, str):
                    found.add(node.args[0].value)
    for path in (SOURCE / "report" / "page").iterdir():
        found |= set(re.findall(r'\bsay\("([^"]*)"', path.read_text(encoding="utf-8")))
    return found


def test_the_catalogue_that_ships_holds_every_text_and_none_besides() -> None:
    assert set(known_texts()) == texts_said()
    german = load_words("de", Path())
    assert all(places_in(text) == places_in(german(text)) is not None for text in known_texts())
    same = [text for text in known_texts() if german(text) == text]
    assert set(same) <= {
        "Bonferroni",
        "Holm",
        "Items",
        "Median",
        "Tests",
        "Trend",
        "{table}: {test}.",
        "{table}: {test}; {verdict}.",
        "{base}: {figures}.",
        "{figure} gegenüber",
        "{reason}: {count}",
        "Benjamini–Hochberg",
        "Filter: {condition}.",
        " ({condition})",
        "{group} {count}",
        "{reason} {count}",
        "{title} ({difference})",
        "{item} {count} ({reasons})",
        "{item}: {note}",
    }


@pytest.mark.slow
def test_a_report_in_german_says_nothing_in_english(demo: Path, tmp_path: Path) -> None:
    for name, plan in (("plan", "plan.yaml"), ("shapes", "shapes.yaml")):
        text = (demo / plan).read_text(encoding="utf-8")
        text = text.replace("data: ", f"data: {demo}/").replace("codebook: ", f"codebook: {demo}/")
        (tmp_path / f"{name}.yaml").write_text(f"language: de\n{text}", encoding="utf-8")
        made = otter.run(tmp_path / f"{name}.yaml")
        made.save(tmp_path / f"{name}.md")
        told = (tmp_path / f"{name}.md").read_text(encoding="utf-8").replace("\\", "")
        german = load_words("de", Path())
        plain = [
            text for text in known_texts() if " " in text and not places_in(text) and german(text) != text
        ]
        cells = {cell.strip() for line in told.splitlines() for cell in re.split(r"\||^- |^#+ |; ", line)}
        assert not cells & set(plain)
        assert not re.search(r"\brespondents\b|\bsignificantly\b|\btests\b|\bweighted\b|\blevel\b", told)
        assert "Basis (ungewichtet)" in told and re.search(r"\d\.\d{3} \| ", told)


def test_english_words_still_find_rows_and_columns(survey: otter.Survey) -> None:
    german = survey.in_language("de")
    table, english = (one.table("liking", banner="region") for one in (german, survey))
    assert table.columns[0].label == "Gesamt" and table.lines[-1].label == "Mittelwert"
    assert (
        table.value("Mean", "Total") == table.value("Mittelwert", "Gesamt") == english.value("Mean", "Total")
    )
    request = otter.TableRequest(shows=otter.OneQuestion("children"), base="all", words=german.words)
    assert len(german.people(request, "Keine Angabe", "Total")) == len(
        survey.people(otter.TableRequest(shows=otter.OneQuestion("children"), base="all"), "No answer", "Total")
    ) > 0  # fmt: skip
    assert german.table("liking", banner="region", levels=()).value("Good", "North") == english.value(
        "Good", "North"
    )


def test_a_theme_says_texts_in_other_words_and_sets_digits_and_letters(demo: Path, tmp_path: Path) -> None:
    (tmp_path / "house.yaml").write_text(
        'digits: {percent: 1, mean: 3}\nletters: below\nwords:\n  Total: Everybody\n  "Not weighted.": "Unweighted data."\n'
    )
    head = f"data: {demo}/responses.csv\ncodebook: {demo}/codebook.yaml\nweight: none\ntheme: house.yaml\n"
    tables = "tables: [liking, {question: heard_of, digits: 2}]\n"
    (tmp_path / "plan.yaml").write_text(head + tables)
    plan = otter.read_plan(tmp_path / "plan.yaml")
    first, second = otter.run(plan).tables
    assert (first.digits.percent, first.digits.mean, second.digits.percent) == (1, 3, 2)
    assert first.columns[0].label == "Everybody" and "Unweighted data." in first.notes
    assert plan.workbook.letters is None and plan.theme.letters == "below"
    (tmp_path / "plan.yaml").write_text(
        head + "language: de\ndefaults: {digits: 0}\nworkbook: {letters: in cell}\n" + tables
    )
    plan = otter.read_plan(tmp_path / "plan.yaml")
    first = otter.run(plan).tables[0]
    assert (first.digits.percent, first.digits.mean) == (0, 3) and plan.workbook.letters == "in cell"
    assert first.columns[0].label == "Everybody" and first.lines[0].label == "Basis (ungewichtet)"
    whole = otter.plan_text(plan)
    assert "language: de" in whole and otter.plan_from_text(whole, tmp_path).requests == plan.requests
    (tmp_path / "elsewhere").mkdir()
    moved = replace(plan, path=tmp_path / "elsewhere" / "plan.yaml")
    assert "theme: ../house.yaml" in otter.plan_text(moved)
    assert otter.plan_from_text(otter.plan_text(moved), tmp_path / "elsewhere").requests == plan.requests


@pytest.mark.parametrize(
    ("text", "message"),
    [
        ("language: fr\nwords: {Totl: x}\n", "words.yaml:2:9: no text 'Totl' is said anywhere. Did you mean 'Total' or 'to'?\n  2 | words: {Totl: x}\n              ^"),
        ("language: fr\nwords:\n  '{count} {count:table|tables}': '{n} tableaux'\n", "words.yaml:3:35: the places to fill are to be the same as in English: {count}."),
        ("language: fr\nwords:\n  '{count} {count:table|tables}': '{count.real} tableaux'\n", "words.yaml:3:35: the places to fill are to be the same as in English: {count}."),
        ("words: {}\n", "words.yaml:1:1: the file needs the key 'language'."),
        ("language: 'not a tag'\n", "words.yaml:1:11: language:"),
    ],
)  # fmt: skip
def test_a_mistake_in_a_catalogue_is_told_with_its_place(
    demo: Path, tmp_path: Path, text: str, message: str
) -> None:
    (tmp_path / "words.yaml").write_text(text)
    assert message in mistakes_told(demo, tmp_path, "language: words.yaml")


def test_a_catalogue_written_by_the_command_is_read_back(run: Run, demo: Path, tmp_path: Path) -> None:
    code, out, _ = run("words", "--language", "de")
    assert code == 0
    (tmp_path / "own.yaml").write_text(out.replace("Gesamt", "Insgesamt"), encoding="utf-8")
    own = load_words("own.yaml", tmp_path)
    assert own("Total") == "Insgesamt" and own("Base") == "Basis" and own.number("1,234.5") == "1.234,5"
    assert run("words")[1] == catalogue_text(ENGLISH) + ""
    code, _, _ = run(
        "run",
        demo / "plan.yaml",
        "--only",
        "liking",
        "--language",
        tmp_path / "own.yaml",
        "-o",
        tmp_path / "l.md",
    )
    assert code == 0 and "Insgesamt" in (tmp_path / "l.md").read_text(encoding="utf-8")
    code, _, err = run("words", "--language", "dee")
    assert code == 2 and "No language 'dee'." in err
    report = otter.run(only_tables(otter.read_plan(demo / "plan.yaml"), ["liking"]))
    assert report.provenance.startswith("Data: responses.csv, 2,400 rows, file of ")


@given(
    st.floats(-1e9, 1e9),
    st.integers(0, 4),
    st.sampled_from([(",", "."), (".", " "), (",", "\u202f"), (",", "'")]),
)
def test_numbers_keep_their_digits_in_every_language(
    value: float, digits: int, signs: tuple[str, str]
) -> None:
    words = otter.Words(decimal=signs[0], thousands=signs[1])
    written = f"{value:,.{digits}f}"
    shown = words.number(written)
    assert [c for c in shown if c.isdigit()] == [c for c in written if c.isdigit()]
    assert shown.count(signs[0]) == (1 if digits else 0) and shown.count(signs[1]) == written.count(",")


@given(st.text(st.sampled_from("{}a0._[]!: "), max_size=12))
def test_braces_in_survey_texts_are_no_places(text: str) -> None:
    assert ENGLISH("Base: {who} ({count}).", who=text, count=1) == f"Base: {text} (1)."
    places = places_in(text)
    assert places is None or text.format(**dict.fromkeys(places, "")) is not None


def test_a_report_in_another_language_builds_on_an_earlier_one(demo: Path) -> None:
    plan = only_tables(otter.read_plan(demo / "plan.yaml"), ["liking", "heard_of"])
    english = otter.run(plan)
    german = otter.run(in_language(plan, "de"), before=english)
    assert german.survey is not None and english.survey is not None
    assert german.survey.responses is english.survey.responses
    assert german.table("liking").columns[0].label == "Gesamt"
    assert pickle.loads(pickle.dumps(german.plan)).requests == german.plan.requests  # type: ignore[union-attr]
    again = otter.run(in_language(plan, "de"), before=german)
    assert all(a is b for a, b in zip(again.tables, german.tables, strict=True))
