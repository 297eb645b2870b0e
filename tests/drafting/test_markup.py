"""Headings and labels that came with the markup of a web page are drafted as a person reads them."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter.drafting.markup import unmarked

HEADINGS = [
    "id",
    "Q1. <b>Sex</b>&nbsp;of respondent",
    '<p>Q2. Which do you like? <span style="color:#f00">(all)</span></p> [<i>Tarn</i>]',
    '<p>Q2. Which do you like? <span style="color:#f00">(all)</span></p> [<i>Fern &amp; co</i>]',
    "Price < 5 & taste > 3",
]


def drafted(folder: Path) -> otter.Draft:
    rows = "\n".join(f"{k},{'MF'[k % 2]},{k % 2},{k % 3 > 0:d},{k % 5 + 1}" for k in range(60))
    head = ",".join('"' + text.replace('"', '""') + '"' for text in HEADINGS)
    (folder / "d.csv").write_text(f"{head}\n{rows}\n", encoding="utf-8")
    return otter.draft(folder / "d.csv")


def test_headings_are_read_without_markup_and_columns_found_with_it(tmp_path: Path) -> None:
    draft = drafted(tmp_path)
    book = otter.codebook_from_text(draft.codebook)
    assert book.questions["Q1"].text == "Sex of respondent"
    assert book.questions["Q1"].columns == (HEADINGS[1],)
    assert book.questions["Q2"].text == "Which do you like? (all)"
    assert [answer.label for answer in book.questions["Q2"].answers] == ["Tarn", "Fern & co"]
    assert [question.text for question in book][-1] == HEADINGS[4]
    assert otter.run(draft.save(tmp_path)[1]).table("Q2").people == 60


def test_labels_of_a_dictionary_are_read_without_markup(tmp_path: Path) -> None:
    (tmp_path / "d.csv").write_text("id,area\n" + "\n".join(f"{k},{k % 2}" for k in range(40)) + "\n")
    (tmp_path / "labels.csv").write_text(
        "variable,label,code,answer\narea,<b>Where</b> do you live?,0,North<br>ern\narea,,1,S&ouml;uth &#8211; East\n",
        encoding="utf-8",
    )
    book = otter.codebook_from_text(
        otter.draft(tmp_path / "d.csv", dictionary=tmp_path / "labels.csv").codebook
    )
    assert book.questions["area"].text == "Where do you live?"
    assert [answer.label for answer in book.questions["area"].answers] == ["North ern", "Söuth – East"]


@pytest.mark.parametrize(
    "text",
    ["a < b", "R&D", "5 < x > 3", "AT&T; and so", "<under 5>", "<b and c>", "&;", "a <- b", "<3", "x<y>z"],
)
def test_what_only_looks_like_markup_stays(text: str) -> None:
    assert unmarked(text) == text


@given(st.text(alphabet="ab <>&;/=\"'", max_size=30))
def test_what_is_unmarked_holds_no_tag_and_texts_without_signs_stay(text: str) -> None:
    found = unmarked(text)
    assert len(found) <= len(text)
    if "<" not in text and "&" not in text:
        assert found == text
