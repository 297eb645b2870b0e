"""Numbers with a mark between thousands, where the codebook says so."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter

BOOK = "questions:\n  spend: {{kind: number, thousands: {mark!r}, missing: [999]}}\n"


def mean_of(folder: Path, texts: list[str], mark: str, decimal: str = ".") -> float:
    """Return the mean of numbers as they are written in a file."""
    rows = "\n".join(f'{k};"{text}"' for k, text in enumerate(texts))
    (folder / "d.csv").write_text(f"rid;spend\n{rows}\n", encoding="utf-8")
    book = otter.codebook_from_text(BOOK.format(mark=mark))
    reading = otter.Reading(delimiter=";", decimal=decimal)  # type: ignore[arg-type]
    survey = otter.open_survey(book, folder / "d.csv", reading=reading)
    return float(survey.table("spend", figures=["mean"]).value("Mean", "Total"))


@given(st.lists(st.integers(-10_000_000, 10_000_000), min_size=1, max_size=12), st.sampled_from([(",", "."), (".", ","), (" ", "."), ("'", ".")]))  # fmt: skip
def test_numbers_are_read_with_their_marks(
    tmp_path_factory: pytest.TempPathFactory, cents: list[int], signs: tuple[str, str]
) -> None:
    mark, decimal = signs
    numbers = [cent / 100 for cent in cents if cent != 99_900]
    if not numbers:
        return
    texts = [
        f"{number:,.2f}".replace(",", "_").replace(".", decimal).replace("_", mark) for number in numbers
    ]
    found = mean_of(tmp_path_factory.mktemp("d"), texts, mark, decimal)
    np.testing.assert_allclose(found, np.mean(numbers), rtol=1e-12, atol=1e-9)


@pytest.mark.parametrize("text", ["1,20", "12,3456", ",123", "1,234,5", "1.234,5"])
def test_other_texts_stay_mistakes(tmp_path: Path, text: str) -> None:
    with pytest.raises(otter.DataError, match="should hold numbers"):
        mean_of(tmp_path, ["1,000", text], ",")


def test_missing_codes_and_blanks_are_kept(tmp_path: Path) -> None:
    assert mean_of(tmp_path, ["1,000", "", "999", "2,000.5"], ",") == 1500.25


def test_without_the_key_the_message_names_it(tmp_path: Path) -> None:
    (tmp_path / "d.csv").write_text('rid,spend\n1,"1,204"\n2,"2,000"\n', encoding="utf-8")
    survey = otter.open_survey(
        otter.codebook_from_text("questions:\n  spend: {kind: number}\n"), tmp_path / "d.csv"
    )
    with pytest.raises(otter.DataError, match=r"write thousands: ',' there"):
        survey.table("spend")
