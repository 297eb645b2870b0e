"""Filters, bases and routing in a reader's words: labels instead of code, the analyst's own words where given."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.codebook.conditions import Conditions
from eager_otter.codebook.expression import parse
from eager_otter.codebook.reading import read_codebook
from eager_otter.looks.catalogue import load_words
from eager_otter.looks.words import ENGLISH

SAID = [
    ('status == "complete"', "Status is complete"),
    ("status != 1", "Status is not complete"),
    ("region in (1, 2)", "Region is North or East"),
    ("not region in (1, 2)", "Region is not North or East"),
    ("region not in (1, 2)", "Region is not North or East"),
    ("liking >= 4", "Liking is Good or Very good"),
    ("liking in 1..2", "Liking is Very poor or Poor"),
    ("liking < 3", "Liking is Very poor or Poor"),
    ("age >= 18", "Age in years is 18 or more"),
    ("age < 18", "Age in years is below 18"),
    ("age > 64", "Age in years is above 64"),
    ("age <= 64", "Age in years is 64 or less"),
    ("age in 18..34", "Age in years is 18 to 34"),
    ("age in (18..34, 70)", "Age in years is 18 to 34 or 70"),
    ('day < "2026-03-08"', "Day is before 2026-03-08"),
    ('day >= "2026-03-08"', "Day is 2026-03-08 or after"),
    ("heard_of mentions any (1, 2)", "those who named Tarn or Brookfizz (Heard of)"),
    ("heard_of mentions all (1, 2)", "those who named all of Tarn and Brookfizz (Heard of)"),
    ("heard_of mentions none (1, 2)", "those who named none of Tarn and Brookfizz (Heard of)"),
    ("not heard_of mentions any (1, 2)", "those who named none of Tarn and Brookfizz (Heard of)"),
    ("heard_of mentions any (1, 2, 3, 4, 5, 6, 7, 8)", "those who named at least one (Heard of)"),
    ("count of heard_of >= 3", "number of answers to Heard of is 3 or more"),
    ("answered age and not answered spend", "those who answered Age in years and did not answer Spend in the last month"),
    ("region == 1 and age >= 18", "Region is North and Age in years is 18 or more"),
    ("region == 1 or age >= 18", "Region is North or Age in years is 18 or more"),
    ("(region == 1 or region == 2) and age >= 18", "(Region is North or Region is East) and Age in years is 18 or more"),
    ("region == 1 and heard_of mentions any (1)", "those whose Region is North and who named Tarn (Heard of)"),
    ("not (age > 20 and liking >= 4)", "those who are not those (whose Age in years is above 20 and Liking is Good or Very good)"),
]  # fmt: skip


@pytest.fixture(scope="module")
def conditions(demo: Path) -> Conditions:
    return Conditions(read_codebook(demo / "codebook.yaml").questions, ENGLISH)


@pytest.mark.parametrize(("text", "told"), SAID, ids=[text for text, _ in SAID])
def test_an_expression_is_said_in_labels(conditions: Conditions, text: str, told: str) -> None:
    assert conditions.said(text) == told


def test_routing_is_said_of_people(conditions: Conditions) -> None:
    assert conditions.people(parse("age >= 18")) == "those whose Age in years is 18 or more"
    assert conditions.people(parse("heard_of mentions any (2)")) == "those who named Brookfizz (Heard of)"


def test_many_answers_are_not_all_listed(demo: Path) -> None:
    book = read_codebook(demo / "codebook.yaml")
    named = Conditions(book.questions, ENGLISH).said("flavours mentions none (1, 2, 3, 4, 5, 6, 7, 8, 9)")
    assert named.count(",") == 5 and " and 3 others (" in named


def test_german_says_it_too(demo: Path) -> None:
    german = Conditions(read_codebook(demo / "codebook.yaml").questions, load_words("de", Path()))
    assert german.said("age >= 18 and region == 1") == "Age in years ist 18 oder mehr und Region ist North"
    assert german.people(parse("heard_of mentions any (1, 2)")) == "diejenigen, die Tarn oder Brookfizz genannt haben (Heard of)"  # fmt: skip


@given(st.lists(st.sampled_from([text for text, _ in SAID]), min_size=1, max_size=4), st.sampled_from(["and", "or"]))  # fmt: skip
def test_no_sign_of_code_is_left_in_whatever_is_joined(demo: Path, texts: list[str], joint: str) -> None:
    conditions = Conditions(read_codebook(demo / "codebook.yaml").questions, ENGLISH)
    for told in (
        conditions.said(f" {joint} ".join(f"({text})" for text in texts)),
        conditions.people(parse(f"not ({texts[0]})")),
    ):
        assert not any(sign in told for sign in ("==", "!=", "..", ">=", "`", "heard_of", "mentions"))
        assert told.count("(") == told.count(")")


def test_the_analysts_own_words_stand_in_their_place(demo: Path, tmp_path: Path) -> None:
    book = (demo / "codebook.yaml").read_text(encoding="utf-8")
    own = "conditions:\n  drunk_ever mentions any (1, 2, 3, 4, 5, 6, 7, 8): everyone who has ever drunk one\n"
    (tmp_path / "book.yaml").write_text(
        book.replace("\nquestions:", f"\n{own}\nquestions:", 1), encoding="utf-8"
    )
    head = f"data: {demo}/responses.csv\ncodebook: book.yaml\nfilter: status=='complete'\n"
    plan = f'{head}conditions: {{status == "complete": Interview complete, "age  >= 18": Adults}}\ntables: [{{question: drunk_month, filter: age >= 18}}]\n'
    (tmp_path / "plan.yaml").write_text(plan, encoding="utf-8")
    report = otter.run(tmp_path / "plan.yaml")
    told = report.tables[0].notes_shown()[0]
    assert "Filter: Interview complete; Adults." in told
    assert "asked of everyone who has ever drunk one" in told
    assert "filter: Interview complete;" in report.provenance
    text = otter.plan_text(report.plan)  # type: ignore[arg-type]
    assert otter.plan_from_text(text, tmp_path).conditions == report.plan.conditions  # type: ignore[union-attr]


@pytest.mark.parametrize("file", ["book.yaml", "plan.yaml"])
def test_a_condition_that_means_nothing_is_told_with_its_place(demo: Path, tmp_path: Path, file: str) -> None:
    book = (demo / "codebook.yaml").read_text(encoding="utf-8")
    wrong = "conditions:\n  regoin == 1: Northerners\n"
    book = book.replace("\nquestions:", f"\n{wrong}\nquestions:", 1) if file == "book.yaml" else book
    (tmp_path / "book.yaml").write_text(book, encoding="utf-8")
    plan = f"data: {demo}/responses.csv\ncodebook: book.yaml\n{wrong if file == 'plan.yaml' else ''}tables: [liking]\n"
    (tmp_path / "plan.yaml").write_text(plan, encoding="utf-8")
    with pytest.raises(
        otter.DocumentError, match=rf"{file}:\d+:\d+: No question 'regoin'\. Did you mean 'region'"
    ):
        otter.read_plan(tmp_path / "plan.yaml")
