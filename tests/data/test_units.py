"""Numbers with a unit, and lengths of time, where the codebook says so."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import eager_otter as otter
from eager_otter import define

BLANK = st.sampled_from(["", " ", "\u00a0", "\u202f"])


def values_of(
    texts: list[str | None], how: str, decimal: str = ".", folder: Path | None = None
) -> list[float]:
    """Return the numbers that texts are read as, NaN for none."""
    book = otter.codebook_from_text(f"questions:\n  it: {{kind: number, {how}}}\n")
    data: Any = pd.DataFrame({"it": texts})
    reading = None
    if folder is not None:
        data = folder / "d.csv"
        rows = "\n".join(f'{k};"{text or ""}"' for k, text in enumerate(texts))
        data.write_text(f"rid;it\n{rows}\n", encoding="utf-8")
        reading = otter.Reading(delimiter=";", decimal=decimal)  # type: ignore[arg-type]
    survey = otter.open_survey(book, data, reading=reading)
    return [float(value) for value in survey.responses.answers("it").values]  # type: ignore[attr-defined]


@st.composite
def written(draw: st.DrawFn) -> tuple[str, float]:
    """Write a number with a unit somewhere, or without."""
    number = draw(st.integers(-10_000_000, 10_000_000)) / 100
    digits, minus = f"{abs(number):,.2f}", "-" if number < 0 else ""
    unit = draw(st.sampled_from(["$", "US$", "usd", "Usd"]))
    blank, around = draw(BLANK), draw(BLANK)
    forms = [
        f"{minus}{unit}{blank}{digits}",
        f"{unit}{blank}{minus}{digits}",
        f"{minus}{digits}{blank}{unit}",
        f"{minus}{digits}",
    ]
    return around + draw(st.sampled_from(forms)) + around, number


@given(st.lists(written(), min_size=1, max_size=12))
def test_numbers_are_read_with_their_units(numbers: list[tuple[str, float]]) -> None:
    found = values_of([text for text, _ in numbers], 'unit: ["$", US$, USD], thousands: ","')
    np.testing.assert_allclose(found, [number for _, number in numbers], rtol=1e-12)


def test_units_behind_numbers_with_a_decimal_comma(tmp_path: Path) -> None:
    texts: list[str | None] = ["12,5 %", "7%", "1.204,25 %", "3", None]
    found = values_of(texts, 'unit: "%", thousands: "."', ",", tmp_path)
    np.testing.assert_array_equal(found, [12.5, 7.0, 1204.25, 3.0, np.nan])


@given(
    st.lists(
        st.tuples(st.integers(0, 99), st.integers(0, 59), st.integers(0, 59), st.booleans()),
        min_size=1,
        max_size=12,
    )
)
def test_lengths_of_time_are_minutes(lengths: list[tuple[int, int, int, bool]]) -> None:
    for form, parts in (("h:m:s", (60.0, 1.0, 1 / 60)), ("h:m", (60.0, 1.0)), ("m:s", (1.0, 1 / 60))):
        texts: list[str | None] = [
            f" {h}:{m:02}:{s}" if form == "h:m:s" else f"{h}:{m:02}" if wide else f"{h:02}:{m}"
            for h, m, s, wide in lengths
        ]
        wanted = [sum(part * times for part, times in zip(one, parts, strict=False)) for one in lengths]
        np.testing.assert_allclose(values_of(texts, f"time: {form}"), wanted, rtol=1e-12)


def test_a_length_of_time_may_have_a_fraction_of_a_second(tmp_path: Path) -> None:
    for decimal in ".,":
        assert values_of([f"0:01:30{decimal}6"], "time: h:m:s", decimal, tmp_path) == [1.51]


def test_what_is_missing_is_told_by_what_stands_there_or_by_the_number() -> None:
    found = values_of(["$5", "$999", "999", "n/a", "$-1"], "unit: $, missing: [999, n/a, $-1]")
    np.testing.assert_array_equal(found, [5.0, *[np.nan] * 4])
    found = values_of(["0:01:00", "99:59:59", "7"], "time: h:m:s, missing: ['= 99:59:59']")
    np.testing.assert_array_equal(found, [1.0, np.nan, 7.0])


@pytest.mark.parametrize("text", ["5 lb", "kg", "5 kg kg", "--5 kg", "5 6 kg", "5kgs"])
def test_other_units_stay_mistakes(text: str) -> None:
    with pytest.raises(otter.DataError, match="should hold numbers"):
        values_of(["3 kg", text], "unit: kg")


@pytest.mark.parametrize("text", ["0:60:00", "0:1:75", "1:2:3:4", ":5", "0:-1:00"])
def test_other_times_stay_mistakes(text: str) -> None:
    with pytest.raises(otter.DataError, match="should hold numbers"):
        values_of(["0:12:30", text], "time: h:m:s")


@pytest.mark.parametrize(
    ("texts", "remedy"),
    [
        (["3 kg", "4 kg"], "If 'kg' is a unit, write unit: 'kg' at the question in the codebook."),
        (["$3", "-$4.50"], "If '$' is a unit, write unit: '$'"),
        (["0:12:30", "1:00:00"], "If these are lengths of time, write time: h:m:s (or h:m, m:s)"),
        (["<3", "<4"], "Correct the data, or list these values under 'missing'"),
        (["3 kg", "4 lb"], "Correct the data, or list these values under 'missing'"),
    ],
)
def test_without_the_key_the_message_names_it(texts: list[str | None], remedy: str) -> None:
    with pytest.raises(otter.DataError) as error:
        values_of(texts, "missing: [99]")
    assert remedy in str(error.value)


def test_numbers_that_are_numbers_stay_as_they_are() -> None:
    book = otter.codebook_from_text(
        "questions:\n  a: {kind: number, unit: kg}\n  b: {kind: number, time: h:m}\n"
    )
    survey = otter.open_survey(book, pd.DataFrame({"a": [1.5, 2.5], "b": [3, 5]}))
    assert [survey.table(name, figures=["mean"]).value("Mean", "Total") for name in "ab"] == [2.0, 4.0]


def test_a_length_of_time_has_no_unit() -> None:
    with pytest.raises(
        otter.DocumentError, match="time reads lengths of time, which have neither thousands nor a unit"
    ):
        otter.codebook_from_text("questions:\n  it: {kind: number, time: h:m, unit: min}\n")


def test_units_and_times_are_defined_in_python_and_written() -> None:
    book = otter.codebook_from_text("questions:\n  a: {kind: number}\n")
    book = book.with_question("paid", define.Number(unit=["€", "EUR"])).with_question(
        "took", define.Number(time="m:s")
    )
    survey = otter.open_survey(
        book, pd.DataFrame({"a": [1, 2], "paid": ["€ 5", "7 EUR"], "took": ["1:30", "2:30"]})
    )
    assert [survey.table(name, figures=["mean"]).value("Mean", "Total") for name in ("paid", "took")] == [
        6.0,
        2.0,
    ]


def test_a_drafted_unit_reads_its_data(tmp_path: Path) -> None:
    path = tmp_path / "d.csv"
    rows = "\n".join(f'{k};"€ {900 + k * 7:,}.50"' for k in range(200))
    path.write_text(f"rid;paid\n{rows}\n", encoding="utf-8")
    drafted = otter.draft(path)
    assert 'unit: "€"\n    thousands: ","' in drafted.codebook
    table = otter.run(drafted.save(tmp_path)[1]).table("paid")
    assert table.value("Mean", "Total") == pytest.approx(
        np.mean([900.5 + k * 7 for k in range(200)]), rel=1e-12
    )
    slips = {slip.name: slip for slip in otter.audit_data(path).slips}
    assert "Numbers with a unit, such as '€ 1," in slips["numbers stored as text"].message
    assert "unit: '€'" in slips["numbers stored as text"].remedy


def test_a_number_with_a_unit_far_from_all_others_is_told(tmp_path: Path) -> None:
    path = tmp_path / "d.csv"
    texts = [f"{50 + k % 40} kg" for k in range(300)]
    path.write_text(
        "rid,mass\n"
        + "\n".join(f"{k},{text}" for k, text in enumerate([*texts, "9,000 kg".replace(",", "")]))
        + "\n"
    )
    far = [slip for slip in otter.audit_data(path).slips if slip.name == "number far out"]
    assert len(far) == 1 and "9000" in far[0].message
