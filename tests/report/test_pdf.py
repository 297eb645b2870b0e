"""The PDF: every text, contents with pages and links, bookmarks, tables split with heads and bases, any script."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pypdf import PdfReader

import eager_otter as otter
from eager_otter.plan.reading import only_tables
from eager_otter.report.pdf_fonts import Fonts
from eager_otter.report.pdf_scripts import in_sight_order
from eager_otter.tables.texts import cell_text


@pytest.fixture(scope="module")
def part(demo: Path) -> otter.Report:
    names = ["heard_of", "liking", "intent_after", "spend"]
    return otter.run(only_tables(otter.read_plan(demo / "plan.yaml"), names))


@pytest.fixture(scope="module")
def pdf(part: otter.Report, tmp_path_factory: pytest.TempPathFactory) -> PdfReader:
    (path,) = part.save(tmp_path_factory.mktemp("pdf") / "t.pdf")
    return PdfReader(path)


def squeezed(text: str) -> str:
    return re.sub(r"\s+", "", text)


def test_every_text_of_every_table_stands_on_its_pages(part: otter.Report, pdf: PdfReader) -> None:
    texts = [page.extract_text() for page in pdf.pages]
    for table in part.tables:
        own = squeezed(" ".join(text for text in texts if table.title in text))
        for line in table.lines:
            assert squeezed(line.label) in own
            assert all(
                squeezed(cell_text(table, line, k) + line.letters[k]) in own
                for k in range(len(table.columns))
            )
        assert all(squeezed(note) in own for note in table.notes_shown())
    assert all(squeezed(part.provenance) in squeezed(text) for text in texts)
    assert f"Page {len(texts)} of {len(texts)}" in texts[-1]


@pytest.mark.parametrize(
    ("text", "pieces"),
    [
        ("Tarn", ["Tarn"]),
        ("מים מוגזים", ["מים מוגזים"]),
        ("Tarn (ترن) 12", ["Tarn (", "ترن", ") 12"]),
        ("أي (Tarn, 2026)", ["(Tarn, 2026) ", "أي"]),
        ("קנה 12 פעמים", ["פעמים", " 12 ", "קנה"]),
        ("שמן [זית] טוב", ["טוב", " [", "זית", "] ", "שמן"]),
    ],
)
def test_pieces_stand_in_the_order_in_which_they_are_seen(text: str, pieces: list[str]) -> None:
    assert list(in_sight_order(text)) == pieces


def test_letters_that_join_are_joined_and_read_back(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    survey = small(
        "questions:\n  q: {kind: single, text: أي ماء؟, answers: {1: مياه غازية, 2: Tarn}}\n", q=[1, 2]
    )
    report = otter.Report(title="مياه", tables=(survey.table("q"),), source=survey.source)
    (path,) = report.save(tmp_path / "t.pdf")
    fonts = Fonts()
    ((_, run, width),) = fonts.runs("مياه")
    alone = sum(fonts.width(letter, 1.0) for letter in "مياه")
    assert (
        len(run) == 4 and not set(run) & set("ميا") and 0 < width < 0.8 * alone
    )  # joined forms are narrower
    text = PdfReader(path).pages[1].extract_text()
    assert {unicodedata.normalize("NFKC", c) for c in text} >= set("مياهغزة") and "\ufffd" not in text


def test_contents_and_bookmarks_lead_to_the_tables(part: otter.Report, pdf: PdfReader) -> None:
    contents = pdf.pages[0].extract_text()
    wanted = {}
    for table in part.tables:
        number = next(
            k for k, page in enumerate(pdf.pages, 1) if k > 1 and table.title in page.extract_text()
        )
        wanted[table.id] = number
        assert re.search(rf"{re.escape(table.title)}\s{number}\n", contents)
    links = [a.get_object() for a in pdf.pages[0]["/Annots"]]  # type: ignore[union-attr]
    led_to = [pdf.get_page_number(link["/Dest"][0].get_object()) + 1 for link in links]
    assert led_to == [*(wanted[table.id] for table in part.tables), len(pdf.pages)]
    flat: list[str] = []

    def walk(entries: list[object]) -> None:
        for entry in entries:
            walk(entry) if isinstance(entry, list) else flat.append(str(entry["/Title"]))  # type: ignore[index]

    walk(pdf.outline)  # type: ignore[arg-type]
    assert flat == ["Contents", "Brands", "Which of these brands have you heard of?", "A new drink", part.tables[1].title, part.tables[2].title, "Drinking and buying", part.tables[3].title, "Method"]  # fmt: skip


def test_a_table_longer_and_wider_than_a_page_repeats_heads_stub_bases_and_notes(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    answers = ", ".join(f"{k}: Answer number {k}" for k in range(1, 71))
    places = ", ".join(f"{k}: Place {k}" for k in range(1, 41))
    rng = np.random.default_rng(2)
    survey = small(
        f"questions:\n  q: {{kind: single, text: The long one, answers: {{{answers}}}}}\n  by: {{kind: single, label: Where, answers: {{{places}}}}}\n",
        q=rng.integers(1, 71, 4000),
        by=rng.integers(1, 41, 4000),
    )
    table = survey.table("q", banner="by", bases=otter.BaseRules(mark=100))
    report = otter.Report(title="Long", tables=(table,), source=survey.source)
    report.save(tmp_path / "t.pdf")
    pages = [page.extract_text() for page in PdfReader(tmp_path / "t.pdf").pages][1:-1]
    assert len(pages) > 3
    for number, text in enumerate(pages, 1):
        assert "Base (unweighted)" in text and "Total" in text and "Where" in text
        assert "* base below 100: read with care." in text  # a mark and its note on one page
        assert ("continued on the next page" in text) == (number < len(pages))
        assert (f"(continued, part {number} of {len(pages)})" in text) == (number > 1)
    everything = "\n".join(pages)
    assert all(re.search(rf"\bAnswer number {k}\b", everything) for k in range(1, 71))
    assert all(re.search(rf"\bPlace {k}\b", everything) for k in range(1, 41))


def test_any_script_and_hostile_text_come_through_and_bytes_repeat(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    labels = ["Ünïcödé – ß", "Ελλάδα", "Привет", "</b> & (text) \\\\ <i>"]
    answers = ", ".join(f"{k}: '{label}'" for k, label in enumerate(labels, 1))
    survey = small(f"questions:\n  q: {{kind: single, answers: {{{answers}}}}}\n", q=[1, 2, 3, 4] * 5)
    report = otter.Report(title="Ωmega", tables=(survey.table("q"),), source=survey.source)
    first, second = (
        report.save(tmp_path / "a.pdf")[0].read_bytes(),
        report.save(tmp_path / "b.pdf")[0].read_bytes(),
    )
    assert first == second
    reader = PdfReader(tmp_path / "a.pdf")
    text = reader.pages[1].extract_text()
    assert all(label.replace("\\\\", "\\") in text.replace("\\\\", "\\") for label in labels)
    fonts = reader.pages[1]["/Resources"]["/Font"].values()  # type: ignore[index]
    assert all("/FontFile2" in f.get_object()["/FontDescriptor"].get_object() for f in fonts if f.get_object()["/BaseFont"] != "/Helvetica")  # fmt: skip
    assert reader.metadata is not None and reader.metadata.title == "Ωmega"


LETTERS = st.sampled_from("abTרמיםغماء 012 ()[],.؟–")


@given(st.text(LETTERS, max_size=24))
def test_putting_pieces_in_order_loses_and_invents_nothing(text: str) -> None:
    pieces = list(in_sight_order(text))
    unturned = str.maketrans(")]", "([")
    assert sorted("".join(pieces).translate(unturned)) == sorted(text.translate(unturned))
    assert all(piece for piece in pieces) or not text
    if text.isascii():
        assert pieces == [text]


def test_letters_stand_below_their_figures_where_the_theme_says_so(
    part: otter.Report, tmp_path: Path
) -> None:
    below = replace(part, theme=replace(part.theme, letters="below"))
    (path,) = below.save(tmp_path / "t.pdf")
    places: dict[str, list[float]] = {}

    def note(text: str, _: object, matrix: list[float], *__: object) -> None:
        places.setdefault(text.strip(), []).append(matrix[5])

    page = PdfReader(path).pages[1]
    page.extract_text(visitor_text=note)
    row = part.table("heard_of").line("Skerrow")
    assert row.letters[part.table("heard_of").column_position("West")] == "CDE"
    (letters,), (label,) = places["CDE"], places["Skerrow"]
    figures = next(y for text, ys in places.items() for y in ys if text.endswith("51%"))
    assert figures == label and 8 < figures - letters < 10


def test_heads_are_as_high_as_those_on_the_page_and_no_longer_than_their_columns(
    small: Callable[..., otter.Survey], tmp_path: Path
) -> None:
    long = "A tea shop of a name that nobody uses in full and founded by two sisters in an attic long ago"
    asked = "Which of " + "ab " * 60
    shops = ", ".join(f"{k}: {long if k == 1 else f'Shop {k}'}" for k in range(1, 8))
    towns = ", ".join(f"{k}: Town {k}" for k in range(1, 15))
    rng = np.random.default_rng(3)
    survey = small(
        f"questions:\n  shop: {{kind: single, label: '{asked}', answers: {{{shops}}}}}\n"
        f"  town: {{kind: single, label: Town, answers: {{{towns}}}}}\n",
        shop=rng.integers(1, 8, 900), town=rng.integers(1, 15, 900),
    )  # fmt: skip
    table = survey.table("town", banner=["shop", "town"])
    otter.Report(title="Tea", tables=(table,), source=survey.source).save(tmp_path / "t.pdf")
    heights, fonts, cut = [], Fonts(), 0
    for page in PdfReader(tmp_path / "t.pdf").pages[1:3]:
        drawn: list[tuple[str, float, float]] = []

        def note(
            text: str,
            _: object,
            matrix: list[float],
            *__: object,
            found: list[tuple[str, float, float]] = drawn,
        ) -> None:
            found.append((text.strip(), matrix[4], matrix[5]))

        page.extract_text(visitor_text=note)
        tops = [
            (text, x, y)
            for text, x, y in drawn
            if text.startswith(("Which of", "Town")) and not text[-1].isdigit()
        ]
        base = next(y for text, _, y in drawn if text.startswith("Base (unweighted)"))
        heights.append(tops[0][2] - base)
        for text, x, _ in drawn:
            if text.endswith("…"):
                last = max(place for letter, place, _ in drawn if re.fullmatch("[A-Z]", letter))
                assert x + fonts.width(text, 7.5, bold=True) < last + 12
                cut += 1
    assert heights[0] > heights[1] + 40 and cut
