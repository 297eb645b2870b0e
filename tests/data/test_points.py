"""Points between thousands are never read as decimal signs without a word: 45.678 beside 990 is not 45.678."""

from __future__ import annotations

import random
from pathlib import Path

import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import eager_otter as otter

BOOK = "respondent: id\nquestions:\n  spend: {kind: number%s}\n"


def written(number: float, decimals: int) -> str:
    """Write a number as in German: 1.204,50."""
    return f"{number:,.{decimals}f}".translate(str.maketrans(",.", ".,"))


def file_of(folder: Path, texts: list[str], delimiter: str = ";", more: str = "") -> Path:
    path = folder / "d.csv"
    rows = [f"R{k}{delimiter}{text}{delimiter}{more}" for k, text in enumerate(texts)]
    path.write_text("\n".join([delimiter.join(("id", "spend", "more")), *rows]) + "\n", encoding="utf-8")
    return path


@given(st.integers(0, 3), st.randoms(use_true_random=False), st.sampled_from([50.0, 4_000.0, 3e6]))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=40)
def test_a_draft_reads_what_was_written_or_asks(
    tmp_path: Path, decimals: int, draw: random.Random, most: float
) -> None:
    numbers = [round(draw.uniform(0, most), decimals) for _ in range(60)]
    numbers[:2] = [0.0, 7.0]
    data = file_of(tmp_path, [written(number, decimals) for number in numbers], more="2,5")
    drafted = otter.draft(data)
    question = otter.codebook_from_text(drafted.codebook)["spend"]
    if question.kind == "single":
        return
    survey = otter.open_survey(otter.codebook_from_text(drafted.codebook), data)
    shown = survey.table("spend", figures="mean").value("Mean", "Total")
    assert shown == pytest.approx(sum(numbers) / len(numbers), rel=1e-12)
    (guess,) = [guess for guess in drafted.guesses if guess.columns == ("spend",)]
    assert bool(guess.doubts) == any("." in written(number, decimals) for number in numbers)


@pytest.mark.parametrize(
    ("texts", "taken", "asked"),
    [
        ([str(k) for k in range(1, 500, 9)] + ["45.678", "1.204", "12.000"], True, True),  # whole numbers below 1,000 beside
        (["1.234.567", "2.345.678", *map(str, range(900, 990))], True, True),  # two points
        ([f"{0.4 + k / 97:.3f}" for k in range(200)], False, False),  # three decimals, some below 1
        ([f"{1.5 + k / 7:.2f}" for k in range(200)], False, False),
        ([f"{k}.5" for k in range(60)] + ["45.678"], False, False),
        ([f"1.{k}" for k in range(100, 190)], False, False),  # nothing beside that says which
    ],
)  # fmt: skip
def test_points_with_three_digits_behind_are_asked_about(
    tmp_path: Path, texts: list[str], taken: bool, asked: bool
) -> None:
    drafted = otter.draft(file_of(tmp_path, texts))
    source = otter.codebook_from_text(drafted.codebook)["spend"].source
    assert (getattr(source, "thousands", "") == ".") == taken
    assert any("points" in doubt for guess in drafted.guesses for doubt in guess.doubts) == asked


def test_points_of_numbers_with_a_unit_are_looked_at_as_well(tmp_path: Path) -> None:
    numbers = [*range(100, 1000, 9), 1_204, 45_678, 12_000]
    data = file_of(tmp_path, [written(number, 0) + " €" for number in numbers])
    drafted = otter.draft(data)
    survey = otter.open_survey(otter.codebook_from_text(drafted.codebook), data)
    mean = survey.table("spend", figures="mean").value("Mean", "Total")
    assert mean == pytest.approx(sum(numbers) / len(numbers))
    decimals = file_of(tmp_path, [f"{1.5 + k / 7:.2f} €" for k in range(90)])
    source = otter.codebook_from_text(otter.draft(decimals).codebook)["spend"].source
    assert getattr(source, "thousands", "") == ""


@pytest.mark.parametrize(
    ("texts", "settings", "message"),
    [
        (["990", "45.678", "3,5"], {"decimal": ","}, r"decimal comma; found '45\.678' in row 2\. If the point parts thousands, write thousands: '\.'"),
        (["1.204,50", "3,5", "45.678"], {"decimal": ","}, r"found '45\.678' in row 3\. If the point parts thousands, write thousands: '\.'"),
        (["1.204,50", "3.5"], {"decimal": "."}, r"found '1\.204,50' in row 1\. .*write decimal: ',' and thousands: '\.' at the question"),
    ],
)  # fmt: skip
def test_they_are_refused_until_somebody_says_what_they_are(
    tmp_path: Path, texts: list[str], settings: dict[str, str], message: str
) -> None:
    data = file_of(tmp_path, texts)
    survey = otter.open_survey(otter.codebook_from_text(BOOK % ""), data, reading=otter.Reading(**settings))
    with pytest.raises(otter.DataError, match=message):
        survey.table("spend")
    if settings["decimal"] == ",":
        read = otter.open_survey(otter.codebook_from_text(BOOK % ', thousands: "."'), data)
        numbers = [float(text.replace(".", "").replace(",", ".")) for text in texts]
        assert read.table("spend").value("Mean", "Total") == pytest.approx(sum(numbers) / len(numbers))


def test_a_point_before_a_decimal_comma_needs_no_telling(tmp_path: Path) -> None:
    survey = otter.open_survey(otter.codebook_from_text(BOOK % ""), file_of(tmp_path, ["1.204,50", "3,5"]))
    assert survey.table("spend").value("Mean", "Total") == pytest.approx(604.0)


def test_a_point_that_parts_no_thousands_is_read_beside_commas(tmp_path: Path) -> None:
    data = file_of(tmp_path, ["0.404", "3,5", "2.25"])
    survey = otter.open_survey(otter.codebook_from_text(BOOK % ""), data, reading=otter.Reading(decimal=","))
    assert survey.table("spend").value("Mean", "Total") == pytest.approx((0.404 + 3.5 + 2.25) / 3)


def test_a_missing_code_may_hold_a_point(tmp_path: Path) -> None:
    data = file_of(tmp_path, ["9.999", "3,5", "2,5"])
    book = otter.codebook_from_text(BOOK % ', missing: ["9.999"]')
    survey = otter.open_survey(book, data, reading=otter.Reading(decimal=","))
    assert survey.table("spend").value("Mean", "Total") == 3.0


@pytest.mark.parametrize(
    ("cells", "sign"),
    [
        (["1.204,50", "45.678"], ","), (["45.678", "3,5"], ","), (["3.5", "3,5"], "."), (["1,204.50", "3.5"], "."),
        (["45.678", "12.000"], "."), (["1,204", "3,000"], "."), (["-1.204,5"], ","), (["x.123", "1,5"], ","),
    ],
)  # fmt: skip
def test_the_decimal_sign_of_a_file_is_that_of_numbers_that_cannot_be_meant_otherwise(
    tmp_path: Path, cells: list[str], sign: str
) -> None:
    from eager_otter.data.csv_file import open_csv

    assert open_csv(file_of(tmp_path, cells)).decimal == sign


def test_names_that_count_nothing_are_no_numbers() -> None:
    draw = random.Random(4)
    names = ["Postcode", "PLZ", "Zip code", "Interviewer ID", "shop_id", "Phone number"]
    data = pd.DataFrame({"id": [f"R{k}" for k in range(300)]} | {name: [str(draw.randint(10_000, 99_999)) for _ in range(300)] for name in [*names, "Minutes", "paid"]})  # fmt: skip
    book = otter.codebook_from_text(otter.draft(data.astype("string")).codebook)
    kinds = {question.columns[0]: question.kind for question in book if question.columns}
    assert {kinds[name] for name in names} == {"text"}
    assert kinds["Minutes"] == kinds["paid"] == "number"


CODES = "12345"
JOINED = 'respondent: id\nquestions:\n  spend: {kind: multi, joined: {column: spend, by: ","}, answers: {1: A, 2: B, 3: C, 4: D, 5: E}}\n'
picked = st.lists(st.sets(st.sampled_from(CODES), max_size=3).map(sorted), min_size=8, max_size=40).filter(
    any
)


@given(picked)
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=40)
def test_codes_that_commas_part_are_no_decimals(tmp_path: Path, chosen: list[list[str]]) -> None:
    data = file_of(tmp_path, [",".join(one) for one in chosen], more="2,5")
    survey = otter.open_survey(otter.codebook_from_text(JOINED), data)
    table = survey.table("spend", figures="count")
    assert table.people == sum(map(bool, chosen))
    assert [table.value(letter, "Total") for letter in "ABCDE"] == [
        sum(code in one for one in chosen) for code in CODES
    ]


def test_a_draft_and_the_audit_know_them(tmp_path: Path) -> None:
    draw = random.Random(7)
    chosen = [sorted(draw.sample(CODES, draw.choice([0, 1, 2, 2, 3]))) for _ in range(200)]
    data = file_of(tmp_path, [",".join(one) for one in chosen], more="2,5")
    question = otter.codebook_from_text(otter.draft(data).codebook)["spend"]
    assert question.kind == "multi" and [answer.code for answer in question.answers] == list(CODES)
    (tmp_path / "codebook.yaml").write_text(JOINED, encoding="utf-8")
    plan = "data: d.csv\ncodebook: codebook.yaml\ntables: [{question: spend}]\n"
    (tmp_path / "plan.yaml").write_text(plan, encoding="utf-8")
    assert not {slip.name for slip in otter.run_audit(tmp_path / "plan.yaml").slips if slip.where == "spend"}


WAVES = """
data:
  question: wave
  files: [{file: comma.csv, label: One, decimal: ","}, {file: point.csv, label: Two, decimal: "."}]
codebook: codebook.yaml
tables: [{question: spend}]
"""


def test_each_of_several_files_has_its_own_sign(tmp_path: Path) -> None:
    """Numbers of either are the same, with marks between thousands and any number of decimals."""
    numbers = [0.5, 990.0, 45.678, 45_678.0, 1_204.5, 1_204.125, 12_000.0, 1_234_567.891]
    commas = [f"{number:,}".translate(str.maketrans(",.", ".,")).removesuffix(",0") for number in numbers]
    points = [f"{number:.10g}" for number in numbers]
    (tmp_path / "plan.yaml").write_text(WAVES, encoding="utf-8")
    (tmp_path / "codebook.yaml").write_text(BOOK % ', thousands: "."', encoding="utf-8")
    own = [
        number for number in numbers if number != 45.678
    ]  # which a point alone would make a number of thousands
    for name, texts in (("comma", commas), ("point", points)):
        kept = [text for text, number in zip(texts, numbers, strict=True) if number in own]
        rows = [f"{name}{k};{text}" for k, text in enumerate(kept) if "." not in text or name == "comma"]
        (tmp_path / f"{name}.csv").write_text("\n".join(["id;spend", *rows]) + "\n", encoding="utf-8")
    whole = [
        number for number, text in zip(numbers, points, strict=True) if number in own and "." not in text
    ]
    report = otter.run(tmp_path / "plan.yaml")
    mean = report.tables[0].value("Mean", "Total")
    assert mean == pytest.approx((sum(own) + sum(whole)) / (len(own) + len(whole)), rel=1e-12)


def test_points_in_one_of_several_files_are_refused_with_its_name(tmp_path: Path) -> None:
    (tmp_path / "comma.csv").write_text("id;spend\n1;990\n2;45.678\n3;2,5\n", encoding="utf-8")
    (tmp_path / "point.csv").write_text("id;spend\n4;990\n5;45.678\n", encoding="utf-8")
    (tmp_path / "plan.yaml").write_text(WAVES, encoding="utf-8")
    (tmp_path / "codebook.yaml").write_text(BOOK % "", encoding="utf-8")
    with pytest.raises(otter.DataError, match=r"comma\.csv: Column 'spend' .*'45\.678' in row 2"):
        otter.run(tmp_path / "plan.yaml")
    (tmp_path / "codebook.yaml").write_text(JOINED, encoding="utf-8")
    (tmp_path / "comma.csv").write_text("id;spend\n1;1,3\n2;2,4\n3;5\n", encoding="utf-8")
    (tmp_path / "point.csv").write_text("id;spend\n4;1,3\n5;2\n", encoding="utf-8")
    table = otter.run(tmp_path / "plan.yaml").tables[0]
    assert [table.value(letter, "Total") for letter in "ABCDE"] == [40.0, 40.0, 40.0, 20.0, 20.0]


@pytest.mark.parametrize("form", ["frame", "xlsx", "parquet", "comma"])
@pytest.mark.parametrize(("unit", "least"), [("", 0), (" €", 0), ("", 1000)])
def test_a_question_may_have_a_decimal_sign_of_its_own(
    tmp_path: Path, form: str, unit: str, least: float
) -> None:
    """In every format, drafted and read, whatever the sign of the file; some are written without decimals."""
    draw = random.Random(f"{form}{unit}")
    numbers = [round(draw.uniform(least, 3000), 2) for _ in range(120)] + [2_000.0, 45_678.0]
    texts = [written(number, 0 if number.is_integer() else 2) + unit for number in numbers]
    frame = pd.DataFrame(
        {"id": [f"R{k}" for k in range(122)], "spend": texts, "other": [f"{k}.5" for k in range(122)]}
    )
    data: object = frame.astype("string")
    if form != "frame":
        path = tmp_path / f"d.{form.replace('comma', 'csv')}"
        {"xlsx": frame.to_excel, "parquet": frame.to_parquet, "comma": frame.to_csv}[form](path, index=False)
        data = path
    drafted = otter.draft(data)
    book = otter.codebook_from_text(drafted.codebook)
    survey = otter.open_survey(book, data)
    mean = survey.table("spend", figures="mean").value("Mean", "Total")
    assert mean == pytest.approx(sum(numbers) / len(numbers), rel=1e-12)
    assert survey.table("other", figures="mean").value("Mean", "Total") == 61.0
    assert any("spend" in guess.columns and guess.doubts for guess in drafted.guesses)
    if not unit:
        with pytest.raises(otter.DataError, match="write decimal: ','"):
            otter.open_survey(otter.codebook_from_text(BOOK % ""), data).table("spend")


def test_it_is_kept_where_files_have_their_own(tmp_path: Path) -> None:
    (tmp_path / "comma.csv").write_text("id;spend\n1;990\n2;45.670\n3;2,5\n", encoding="utf-8")
    (tmp_path / "point.csv").write_text("id;spend\n4;1.000,5\n5;45.678\n", encoding="utf-8")
    (tmp_path / "plan.yaml").write_text(WAVES, encoding="utf-8")
    (tmp_path / "codebook.yaml").write_text(BOOK % ', decimal: ",", thousands: "."', encoding="utf-8")
    mean = otter.run(tmp_path / "plan.yaml").tables[0].value("Mean", "Total")
    assert mean == pytest.approx((990 + 45_670 + 2.5 + 1_000.5 + 45_678) / 5)


@pytest.mark.parametrize(
    ("setting", "message"),
    [
        (', decimal: ",", thousands: ","', "cannot be the decimal sign and part thousands as well"),
        (', decimal: ",", time: h:m', "nor a decimal sign of their own"),
        (', decimal: ";"', "expected"),
    ],
)
def test_signs_that_cannot_be_are_mistakes(setting: str, message: str) -> None:
    with pytest.raises(otter.DocumentError, match=message):
        otter.codebook_from_text(BOOK % setting)


def test_the_audit_tells_decimal_commas_of_bare_data(tmp_path: Path) -> None:
    data = file_of(tmp_path, [f'"{k},{k % 10}"' for k in range(80)], delimiter=",", more="x")
    slips = [slip for slip in otter.audit_data(data).slips if slip.name == "numbers stored as text"]
    assert [slip.count for slip in slips] == [80] and "decimal: ','" in slips[0].remedy
